package light

import (
	"math"

	"willowherb/core/photometry"
	"willowherb/core/sampling"
	"willowherb/core/vec"
)

// A ball is a sphere of even luminance, or a place without size: what a point and a
// spot light are.
type ball struct{}

// least is the square of the sine of the angle under which a ball is seen, below
// which it is a place: float32 has no directions between its edges any more.
const least = 1e-11

func (ball) shine(l *Light) float32 {
	if l.Radius > 0 {
		return 1 / (math.Pi * l.Radius * l.Radius)
	}
	return 1
}

func (ball) area(*Light) float64 { return 0 }

func (ball) lux(l *Light, d float64) float64 { return l.AxisCandela() / (d * d) }

func (ball) sample(l *Light, p, _ vec.V3, u vec.V2) (s Sample, ok bool) {
	d := l.Pos.Sub(p)
	d2 := d.Dot(d)
	r2 := l.Radius * l.Radius
	if l.Radius <= 0 || r2 < least*d2 {
		k := l.filter(l.Pos, p)
		if k == (vec.V3{}) {
			return s, false
		}
		dist := float32(math.Sqrt(float64(d2)))
		s = Sample{Dir: d.Scale(1 / dist), Dist: dist, Clear: dist - min(2*l.Pos.Rounding(), dist/2), Weight: k.Scale(1 / d2)}
		return s, true
	}
	if d2 <= r2 {
		return s, false
	}
	s.Dir = towardsSphere(d, l.Radius, u)
	s.Dist, ok = nearSide(d, s.Dir, r2)
	if !ok { // rounding, at the very rim
		s.Dist = s.Dir.Dot(d)
	}
	s.Clear = s.Dist
	s.Pdf = 1 / (2 * math.Pi * capHeight(r2/d2))
	s.Weight = l.filter(p.Add(s.Dir.Scale(s.Dist)), p).Scale(l.shine / s.Pdf)
	return s, s.Weight != (vec.V3{})
}

func (ball) meet(l *Light, o, _, d vec.V3) (m Met) {
	c := l.Pos.Sub(o)
	r2, c2 := l.Radius*l.Radius, c.Dot(c)
	if c2 <= r2 || r2 < least*c2 {
		return m
	}
	t, ok := nearSide(c, d, r2)
	if !ok {
		return m
	}
	return Met{Radiance: l.filter(o.Add(d.Scale(t)), o).Scale(l.shine), Pdf: 1 / (2 * math.Pi * capHeight(r2/c2)), Dist: t}
}

// nearSide is where the unit direction d enters the sphere of squared radius r2 round
// c, as seen from its origin. The way past the middle comes from a cross product: the
// difference of two large squares would have no digits left of it.
func nearSide(c, d vec.V3, r2 float32) (t float32, ok bool) {
	b := c.Dot(d)
	x := c.Cross(d)
	q := r2 - x.Dot(x)
	if q <= 0 || b <= 0 {
		return 0, false
	}
	return b - float32(math.Sqrt(float64(q))), true
}

// capHeight is 1 - cos of the angle whose squared sine is given: of the cone
// under which a sphere is seen. Small angles by series, to keep their digits.
func capHeight(sin2 float32) float32 {
	if sin2 < 1e-3 {
		return sin2/2 + sin2*sin2/8
	}
	return 1 - float32(math.Sqrt(float64(1-sin2)))
}

// towardsSphere chooses a unit direction within the cone under which a sphere of
// radius r round the far point d (from the eye, farther than r) is seen.
func towardsSphere(d vec.V3, r float32, u vec.V2) vec.V3 {
	d2 := d.Dot(d)
	w := d.Scale(1 / float32(math.Sqrt(float64(d2))))
	t, b := vec.Basis(w)
	c := sampling.Cone(u, capHeight(r*r/d2))
	return t.Scale(c.X).Add(b.Scale(c.Y)).Add(w.Scale(c.Z))
}

// point is a light that shines all round, or as its profile says.
type point struct{ ball }

func (point) traits() traits { return traits{placed: true, small: true, plan: Around} }

func (point) reaches(l *Light, p, n vec.V3) bool {
	_, ok := l.within(p, n, l.Radius)
	return ok
}

func (point) perLumen(*Light) float64 { return float64(photometry.PointCandela(1)) }

// spot is a ball behind a cone.
type spot struct{ ball }

func (spot) traits() traits { return traits{placed: true, small: true, plan: Forward} }

func (spot) reaches(l *Light, p, n vec.V3) bool {
	d, ok := l.within(p, n, l.Radius)
	return ok && l.cone.reaches(d, l.Aim)
}

func (spot) perLumen(l *Light) float64 {
	return float64(photometry.SpotCandela(1, l.cone.inner, l.cone.outer))
}

// cone is a spot's: half-angles in radians, and one minus their cosines, which keep
// the digits of narrow ones.
type cone struct {
	inner, outer       float64
	verInner, verOuter float32
	least              float32 // square of the outer cosine, or a little less
}

// versine is one minus the cosine of an angle.
func versine(a float64) float64 { s := math.Sin(a / 2); return 2 * s * s }

// SetCone fills a spot's cone from half-angles in radians.
func (l *Light) SetCone(inner, outer float64) {
	l.cone = cone{inner, outer, float32(versine(inner)), float32(versine(outer)), float32(math.Pow(math.Cos(outer), 2) - 1e-5)}
}

// falloff is the share of the intensity in the unit direction w
// (KHR_lights_punctual, "Inner and Outer Cone Angles").
func (c *cone) falloff(w, aim vec.V3) float32 {
	e := w.Sub(aim)
	ver := e.Dot(e) / 2
	if ver >= c.verOuter {
		return 0
	}
	if ver <= c.verInner {
		return 1
	}
	a := (c.verOuter - ver) / (c.verOuter - c.verInner)
	return a * a
}

// reaches is generous by some units in the last place.
func (c *cone) reaches(d, aim vec.V3) bool {
	k := d.Dot(aim)
	return k > 0 && k*k >= c.least*d.Dot(d)
}
