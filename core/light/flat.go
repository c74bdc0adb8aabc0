package light

import (
	"math"

	"willowherb/core/photometry"
	"willowherb/core/sampling"
	"willowherb/core/vec"
)

// flat is what rects and discs share: a plane of even luminance.
type flat struct{}

func (flat) traits() traits       { return traits{placed: true, plan: Forward} }
func (flat) shine(*Light) float32 { return 1 }

// reaches for a plane of that extent from its middle.
func (flat) within(l *Light, p, n vec.V3, extent float32) bool {
	d, ok := l.within(p, n, extent)
	return ok && (l.TwoSided || d.Dot(l.Aim) > 0)
}

// towards is the sample of the place q of a light of that area.
func (flat) towards(l *Light, p, q vec.V3, area float32) (s Sample, ok bool) {
	if s, ok = facing(p, q, l.Aim, l.TwoSided, area); !ok {
		return s, false
	}
	k := l.filter(q, p)
	s.Weight = k.Scale(l.shine / s.Pdf)
	return s, k != (vec.V3{})
}

// towards is the unit direction from p to q, their distance and its square. Where the
// square is 0 there is no direction.
func towards(p, q vec.V3) (dir vec.V3, dist, dist2 float32) {
	d := q.Sub(p)
	dist2 = d.Dot(d)
	dist = float32(math.Sqrt(float64(dist2)))
	return d.Scale(1 / dist), dist, dist2
}

// facing is the way from p to the place q of a flat surface with normal n that was chosen
// evenly from its area, but for what arrives; ok is false where that is edge on, or turned
// away and does not shine to both sides.
func facing(p, q, n vec.V3, both bool, area float32) (s Sample, ok bool) {
	var d2 float32
	if s.Dir, s.Dist, d2 = towards(p, q); d2 == 0 {
		return s, false
	}
	cos := -s.Dir.Dot(n)
	if both && cos < 0 {
		cos = -cos
	}
	if cos <= 1e-6 {
		return s, false
	}
	s.Clear = s.Dist - slack(q, cos, s.Dist)
	s.Pdf = d2 / (cos * area)
	return s, true
}

// meet finds where a ray passes the plane, at q from the light's middle; on tells
// whether that belongs to the light.
func (flat) meet(l *Light, o, d vec.V3, area float32, on func(l *Light, q vec.V3) bool) (m Met) {
	cos := -d.Dot(l.Aim)
	c := l.Pos.Sub(o)
	t := -c.Dot(l.Aim) / cos
	if l.TwoSided && cos < 0 {
		cos = -cos
	}
	if cos <= 1e-6 || !(t > 0) || !on(l, d.Scale(t).Sub(c)) {
		return m
	}
	q := o.Add(d.Scale(t))
	return Met{Radiance: l.filter(q, o).Scale(l.shine), Pdf: t * t / (cos * area), Dist: t, Slack: slack(q, cos, t)}
}

func (flat) lumens(l *Light, area float64) float64 {
	if area <= 0 {
		return 1
	}
	if l.TwoSided {
		area *= 2
	}
	return float64(photometry.AreaNit(1, area))
}

// rect is a rectangle of W along U by H along V.
type rect struct{ flat }

func (rect) area(l *Light) float64                { return float64(l.W) * float64(l.H) }
func (r rect) perLumen(l *Light) float64          { return r.lumens(l, r.area(l)) }
func (r rect) reaches(l *Light, p, n vec.V3) bool { return r.within(l, p, n, l.W+l.H) }

func (r rect) sample(l *Light, p, _ vec.V3, u vec.V2) (Sample, bool) {
	q := l.Pos.Add(l.U.Scale((u.X - 0.5) * l.W)).Add(l.V.Scale((u.Y - 0.5) * l.H))
	return r.towards(l, p, q, l.W*l.H)
}

func (r rect) meet(l *Light, o, _, d vec.V3) Met { return r.flat.meet(l, o, d, l.W*l.H, onRect) }

func onRect(l *Light, q vec.V3) bool {
	x, y := q.Dot(l.U), q.Dot(l.V)
	return x <= l.W/2 && x >= -l.W/2 && y <= l.H/2 && y >= -l.H/2
}

func (rect) lux(l *Light, d float64) float64 {
	return 4 * float64(photometry.RectIlluminance(1, float64(l.W)/2, float64(l.H)/2, d))
}

// disc is a round panel.
type disc struct{ flat }

func (disc) area(l *Light) float64                { return math.Pi * float64(l.Radius) * float64(l.Radius) }
func (d disc) perLumen(l *Light) float64          { return d.lumens(l, d.area(l)) }
func (d disc) reaches(l *Light, p, n vec.V3) bool { return d.within(l, p, n, l.Radius) }

func (d disc) sample(l *Light, p, _ vec.V3, u vec.V2) (Sample, bool) {
	x, y := sampling.ConcentricDisc(u)
	t, b := vec.Basis(l.Aim)
	q := l.Pos.Add(t.Scale(x * l.Radius)).Add(b.Scale(y * l.Radius))
	return d.towards(l, p, q, math.Pi*l.Radius*l.Radius)
}

func (d disc) meet(l *Light, o, _, dir vec.V3) Met {
	return d.flat.meet(l, o, dir, math.Pi*l.Radius*l.Radius, onDisc)
}

func onDisc(l *Light, q vec.V3) bool { return q.Dot(q) <= l.Radius*l.Radius }

func (disc) lux(l *Light, d float64) float64 {
	return float64(photometry.DiscIlluminance(1, float64(l.Radius), d))
}
