package light

import (
	"math"

	"willowherb/core/vec"
)

// tube is a capsule: a cylinder of length Length along U with round ends of
// radius Radius, of even luminance all over; with radius 0 a line whose every
// part sends out by the sine of the angle to it. Unit output is one candela
// square to it.
type tube struct{}

func (tube) traits() traits { return traits{placed: true, small: true, plan: Around} }

func (tube) shine(l *Light) float32 {
	if _, side := l.tubeArea(); side > 0 {
		return 1 / side
	}
	return 1
}

func (tube) area(*Light) float64 { return 0 }

func (tube) reaches(l *Light, p, n vec.V3) bool {
	_, ok := l.within(p, n, l.Radius+l.Length/2)
	return ok
}

func (tube) perLumen(l *Light) float64 {
	surface, side := l.tubeArea()
	if surface <= 0 {
		return 1 / (math.Pi * math.Pi) // F = I times the integral of the sine over the sphere
	}
	return float64(side) / (math.Pi * float64(surface))
}

// lux of a line is the integral of its parts, each by its sine and its cosine; of a
// capsule half the integral of sin^2 of the angle to its outline, round the axis.
func (tube) lux(l *Light, d float64) float64 {
	h, r := float64(l.Length)/2, float64(l.Radius)
	if r == 0 {
		if h == 0 {
			return 1 / (d * d)
		}
		return (h/(d*d+h*h) + math.Atan(h/d)/d) / (2 * h)
	}
	if d <= r {
		return math.Pi * float64(l.shine)
	}
	const steps = 48
	var sum float64
	for i := range steps {
		s, c := math.Sincos((float64(i) + 0.5) / steps * math.Pi / 2)
		// The outline: the widest angle at which the ray still comes within r of the line.
		in, out := 0.0, math.Pi/2
		for range 40 {
			m := (in + out) / 2
			if passes(d, h, m, s, c) < r {
				in = m
			} else {
				out = m
			}
		}
		sum += math.Pow(math.Sin(in), 2)
	}
	return float64(l.shine) * math.Pi * sum / steps
}

// passes is how near a ray comes to a line of half-length h along x, seen from a
// distance d square to its middle: the ray leaves at an angle a from the axis, turned
// round it so that s of it goes across the line and c along.
func passes(d, h, a, s, c float64) float64 {
	sin, cos := math.Sincos(a)
	x, y, z := sin*c, sin*s, cos // unit direction: along the line, across, ahead
	// The nearest place on the endless line, then on what there is of it.
	k := y*y + z*z
	if k == 0 {
		return d
	}
	at := min(max(x*z*d/k, -h), h)
	// Distance of (at, 0, d) from the ray.
	t := max(at*x+d*z, 0)
	return math.Sqrt(math.Pow(at-t*x, 2) + math.Pow(t*y, 2) + math.Pow(d-t*z, 2))
}

func (tube) meet(l *Light, o, _, d vec.V3) (m Met) {
	if l.Radius <= 0 || l.insideTube(o) {
		return m
	}
	pdf, t := l.tubePdf(o, d)
	if pdf <= 0 {
		return m
	}
	return Met{Radiance: l.filter(o.Add(d.Scale(t)), o).Scale(l.shine), Pdf: pdf, Dist: t}
}

// tubeArea returns a capsule's surface and its area seen from the side.
func (l *Light) tubeArea() (surface, side float32) {
	r, n := l.Radius, l.Length
	return 2*math.Pi*r*n + 4*math.Pi*r*r, 2*r*n + math.Pi*r*r
}

// sample chooses a direction from p to the tube: the near side of the
// cylinder by place along it and angle round it, or the cone of one of its ends.
func (tube) sample(l *Light, p, _ vec.V3, u vec.V2) (s Sample, ok bool) {
	if l.Radius <= 0 {
		q := l.Pos.Add(l.U.Scale((u.X - 0.5) * l.Length))
		var d2 float32
		if s.Dir, s.Dist, d2 = towards(p, q); d2 == 0 {
			return s, false
		}
		c := s.Dir.Dot(l.U)
		sin := float32(math.Sqrt(float64(max(1-c*c, 0))))
		s.Clear = s.Dist - min(2*q.Rounding(), s.Dist/2)
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
	s.Dist, s.Clear = t, t
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

// tubePdf is the density with which sample chooses the unit direction d from
// p, all ways of choosing it added up, and the distance at which d enters the
// tube; 0 where it misses.
func (l *Light) tubePdf(p, d vec.V3) (pdf, enter float32) {
	lateral := l.lateralShare()
	enter = inf
	// The cylinder, in the plane across it.
	o := p.Sub(l.Pos)
	oe, de := o.Sub(l.U.Scale(o.Dot(l.U))), d.Sub(l.U.Scale(d.Dot(l.U)))
	a, b, c := de.Dot(de), oe.Dot(de), oe.Dot(oe)-l.Radius*l.Radius
	// How near the ray passes the axis, from a cross product: of the difference of large
	// squares nothing would be left far off.
	past := oe.Cross(de)
	if q := a*l.Radius*l.Radius - past.Dot(past); a > 1e-12 && c > 0 && q > 0 && b < 0 {
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
		c2, r2 := e.Dot(e), l.Radius*l.Radius
		t, ok := nearSide(e, d, r2)
		if !ok || c2 <= r2 {
			continue
		}
		enter = min(enter, t)
		pdf += (1 - lateral) / 2 / (2 * math.Pi * capHeight(r2/c2))
	}
	return pdf, enter
}
