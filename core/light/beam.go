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
		if k *= l.cone.falloff(w, l.Aim); k <= 0 {
			return vec.V3{}
		}
		if l.gobo != nil {
			c := w.Dot(l.Aim)
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
