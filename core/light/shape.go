package light

import (
	"math"

	"willowherb/core/photometry"
	"willowherb/core/vec"
)

// Doors are the four leaves before a lamp: flat black plates hinged on the
// edges of its opening, each opened by an angle from the way the lamp faces
// (0 stands straight out, 90 lies flat open, below 0 closes over the beam).
// A leaf is as wide as the edge it hangs on and widens by its length on both
// sides towards its free end, so that open leaves leave no gap at the corners.
type Doors struct {
	leaves [4]leaf
}

// leaf is a plate: points hinge + s out + t side with 0 < s < length and
// |t| < half + s.
type leaf struct {
	hinge, out, side, normal vec.V3
	length, half             float32
}

// Leaves, by their edge of the opening as the lamp sees it.
const (
	Top = iota
	Bottom
	Left
	Right
)

// SetDoors hangs leaves of a length in metres, opened by angles in radians, on
// the edges of the light's opening: a rect's own, or a square round a spot or disc.
func (l *Light) SetDoors(angles [4]float64, length float64) {
	w, h, front := l.W/2, l.H/2, l.Pos
	if l.Kind != Rect {
		w, h = max(l.Radius, minAperture), max(l.Radius, minAperture)
	}
	if l.Kind == Spot {
		front = front.Add(l.Aim.Scale(l.Radius)) // before the shining sphere
	}
	d := &Doors{}
	for i, e := range []struct {
		off        vec.V3
		side       vec.V3
		dist, half float32
	}{{l.V, l.U, h, w}, {l.V.Neg(), l.U, h, w}, {l.U.Neg(), l.V, w, h}, {l.U, l.V, w, h}} {
		s, c := math.Sincos(angles[i])
		out := l.Aim.Scale(float32(c)).Add(e.off.Scale(float32(s)))
		d.leaves[i] = leaf{front.Add(e.off.Scale(e.dist)), out, e.side, out.Cross(e.side), float32(length), e.half}
	}
	l.doors = d
}

// minAperture is half the side of the opening of a lamp that has no size.
const minAperture = 0.01

// Corners returns the four corners of each leaf, in order round it.
func (d *Doors) Corners() [4][4]vec.V3 {
	var out [4][4]vec.V3
	for i := range d.leaves {
		f := &d.leaves[i]
		end := f.hinge.Add(f.out.Scale(f.length))
		out[i] = [4]vec.V3{f.hinge.Add(f.side.Scale(f.half)), f.hinge.Sub(f.side.Scale(f.half)),
			end.Sub(f.side.Scale(f.half + f.length)), end.Add(f.side.Scale(f.half + f.length))}
	}
	return out
}

// Doors returns the leaves, or nil.
func (l *Light) Doors() *Doors { return l.doors }

// stops reports whether a leaf stands between q and p.
func (d *Doors) stops(q, p vec.V3) bool {
	for i := range d.leaves {
		f := &d.leaves[i]
		a, b := q.Sub(f.hinge).Dot(f.normal), p.Sub(f.hinge).Dot(f.normal)
		if a*b >= 0 {
			continue
		}
		x := vec.Lerp(q, p, a/(a-b)).Sub(f.hinge)
		s := x.Dot(f.out)
		if s <= 0 || s >= f.length {
			continue
		}
		if t := x.Dot(f.side); t < f.half+s && t > -f.half-s {
			return true
		}
	}
	return false
}

// SetGrid puts a honeycomb before a flat light that lets nothing pass beyond
// the half-angle, in radians: deep cells of width w and depth d pass the share
// 1 - tan(a) d/w in the plane of a, and cut off where d/w tan(a) = 1.
func (l *Light) SetGrid(half float64) {
	if half > 0 && half < math.Pi/2 {
		l.grid = float32(math.Tan(half))
	}
}

// combed is the share of the honeycomb for the cosine between a ray and the aim.
func (l *Light) combed(cos float32) float32 {
	if l.grid == 0 {
		return 1
	}
	t := float32(math.Sqrt(float64(max(1-cos*cos, 0)))) / max(cos, 1e-6)
	return max(1-t/l.grid, 0)
}

// SetProfile gives a point or spot light the distribution of a measured
// luminaire: unit output is then one lumen of the whole distribution. The
// profile's beam axis lies along Aim, its 0 degree plane along U turned by turn
// (radians) towards V.
func (l *Light) SetProfile(p *photometry.Profile, turn float64) {
	f := p.Flux()
	if f <= 0 {
		return
	}
	s, c := math.Sincos(turn)
	l.pu = l.U.Scale(float32(c)).Add(l.V.Scale(float32(s)))
	l.pv = l.V.Scale(float32(c)).Sub(l.U.Scale(float32(s)))
	l.profile, l.perLumen = p, 1/f
}

// filter is what of the light gets from the point q on its surface to p: range,
// cone, profile and gobo, leaves, honeycomb.
func (l *Light) filter(q, p vec.V3) vec.V3 {
	d := p.Sub(l.Pos)
	d2 := d.Dot(d)
	k := l.window(d2)
	if k <= 0 || d2 == 0 {
		return vec.V3{}
	}
	w := d.Scale(1 / float32(math.Sqrt(float64(d2))))
	out := vec.Splat(1)
	if l.Kind == Spot {
		c := w.Dot(l.Aim)
		a := min(max((c-l.CosOuter)/max(0.001, l.CosInner-l.CosOuter), 0), 1)
		if k *= a * a; k <= 0 {
			return vec.V3{}
		}
		if l.gobo != nil {
			out = l.gobo.at(w.Dot(l.U)/c, w.Dot(l.V)/c)
		}
	}
	if l.profile != nil {
		k *= float32(l.profile.Candela(float64(w.Dot(l.pu)), float64(w.Dot(l.pv)), float64(w.Dot(l.Aim))) * l.perLumen)
	}
	if l.grid > 0 {
		e := p.Sub(q)
		c := e.Dot(l.Aim) / e.Len()
		if l.TwoSided && c < 0 {
			c = -c
		}
		k *= l.combed(c)
	}
	if k <= 0 || l.doors != nil && l.doors.stops(q, p) {
		return vec.V3{}
	}
	return out.Scale(k)
}

// A tube is a capsule: a cylinder of length Length along U with round ends of
// radius Radius, of even luminance all over; with radius 0 a line whose every
// part sends out by the sine of the angle to it. Unit output is one candela
// square to it.

// tubeArea returns a capsule's surface and its area seen from the side.
func (l *Light) tubeArea() (surface, side float32) {
	r, n := l.Radius, l.Length
	return 2*math.Pi*r*n + 4*math.Pi*r*r, 2*r*n + math.Pi*r*r
}

// sampleTube chooses a direction from p to the tube: the near side of the
// cylinder by place along it and angle round it, or the cone of one of its ends.
func (l *Light) sampleTube(p vec.V3, u vec.V2) (s Sample, ok bool) {
	if l.Radius <= 0 {
		q := l.Pos.Add(l.U.Scale((u.X - 0.5) * l.Length))
		d := q.Sub(p)
		d2 := d.Dot(d)
		if d2 == 0 {
			return s, false
		}
		s.Dist = float32(math.Sqrt(float64(d2)))
		s.Dir = d.Scale(1 / s.Dist)
		c := s.Dir.Dot(l.U)
		sin := float32(math.Sqrt(float64(max(1-c*c, 0))))
		s.Weight = l.filter(q, p).Scale(sin / d2)
		return s, s.Weight != (vec.V3{})
	}
	if l.insideTube(p) {
		return s, false
	}
	lateral := l.lateralShare()
	if u.X < lateral {
		c := l.Pos.Add(l.U.Scale((u.X/lateral - 0.5) * l.Length))
		e := p.Sub(c)
		e = e.Sub(l.U.Scale(e.Dot(l.U)))
		dist := e.Len()
		if dist <= l.Radius {
			return s, false // before an end: the cylinder shows no side
		}
		e = e.Scale(1 / dist)
		half := math.Acos(float64(l.Radius / dist))
		sin, cos := math.Sincos((2*float64(u.Y) - 1) * half)
		n := e.Scale(float32(cos)).Add(l.U.Cross(e).Scale(float32(sin)))
		d := c.Add(n.Scale(l.Radius)).Sub(p)
		s.Dir = d.Norm()
	} else {
		x := (u.X - lateral) / (1 - lateral) * 2
		end := float32(-0.5)
		if x >= 1 {
			x, end = x-1, 0.5
		}
		c := l.Pos.Add(l.U.Scale(end * l.Length)).Sub(p)
		s.Dir = towardsSphere(c, l.Radius, vec.V2{X: min(x, 0.9999999), Y: u.Y})
	}
	var t float32
	s.Pdf, t = l.tubePdf(p, s.Dir)
	if s.Pdf <= 0 {
		return s, false
	}
	s.Dist = t
	s.Weight = l.filter(p.Add(s.Dir.Scale(t)), p).Scale(l.shine / s.Pdf)
	return s, s.Weight != (vec.V3{})
}

// lateralShare is how often the cylinder is chosen rather than an end.
func (l *Light) lateralShare() float32 {
	surface, _ := l.tubeArea()
	return 2 * math.Pi * l.Radius * l.Length / surface
}

func (l *Light) insideTube(p vec.V3) bool {
	d := p.Sub(l.Pos)
	t := min(max(d.Dot(l.U), -l.Length/2), l.Length/2)
	e := d.Sub(l.U.Scale(t))
	return e.Dot(e) <= l.Radius*l.Radius
}

// tubePdf is the density with which sampleTube chooses the unit direction d from
// p, all ways of choosing it added up, and the distance at which d enters the
// tube; 0 where it misses.
func (l *Light) tubePdf(p, d vec.V3) (pdf, enter float32) {
	lateral := l.lateralShare()
	enter = inf
	// The cylinder, in the plane across it.
	o := p.Sub(l.Pos)
	oe, de := o.Sub(l.U.Scale(o.Dot(l.U))), d.Sub(l.U.Scale(d.Dot(l.U)))
	a, b, c := de.Dot(de), oe.Dot(de), oe.Dot(oe)-l.Radius*l.Radius
	if q := b*b - a*c; a > 1e-12 && c > 0 && q > 0 && b < 0 {
		t := c / (-b + float32(math.Sqrt(float64(q))))
		if z := o.Dot(l.U) + t*d.Dot(l.U); z >= -l.Length/2 && z <= l.Length/2 {
			enter = t
			n := oe.Add(de.Scale(t)).Scale(1 / l.Radius)
			dist := float32(math.Sqrt(float64(oe.Dot(oe))))
			half := float32(math.Acos(float64(l.Radius / dist)))
			pdf = lateral * t * t / (max(-d.Dot(n), 1e-6) * l.Length * l.Radius * 2 * half)
		}
	}
	for _, end := range []float32{-0.5, 0.5} {
		e := l.Pos.Add(l.U.Scale(end * l.Length)).Sub(p)
		b, c2, r2 := e.Dot(d), e.Dot(e), l.Radius*l.Radius
		q := r2 - (c2 - b*b)
		if q <= 0 || b <= 0 || c2 <= r2 {
			continue
		}
		enter = min(enter, b-float32(math.Sqrt(float64(q))))
		pdf += (1 - lateral) / 2 / (2 * math.Pi * capHeight(r2/c2))
	}
	return pdf, enter
}

// AxisLux is what one unit of the light gives, in lux, square to its axis at
// distance d, without range, leaves, gobo or honeycomb.
func (l *Light) AxisLux(d float64) float64 {
	switch l.Kind {
	case Rect:
		return 4 * float64(photometry.RectIlluminance(1, float64(l.W)/2, float64(l.H)/2, d))
	case Disc:
		return float64(photometry.DiscIlluminance(1, float64(l.Radius), d))
	case Tube:
		// Each part of the line by its sine and its cosine, integrated along it; the
		// radius only shifts the light by its square over the distance's.
		h := float64(l.Length) / 2
		if h == 0 {
			return 1 / (d * d)
		}
		return (h/(d*d+h*h) + math.Atan(h/d)/d) / (2 * h)
	}
	return l.AxisCandela() / (d * d)
}

// AxisCandela is the intensity of one unit along the axis; of a luminaire that
// sends nothing there, its greatest.
func (l *Light) AxisCandela() float64 {
	if l.profile == nil {
		return 1
	}
	if c := l.profile.Candela(0, 0, 1); c > 0.01*l.profile.Peak() {
		return c * l.perLumen
	}
	return l.profile.Peak() * l.perLumen
}
