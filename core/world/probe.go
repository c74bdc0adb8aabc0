package world

import (
	"math"

	"willowherb/core/light"
	"willowherb/core/trace"
	"willowherb/core/vec"
)

var inf = float32(math.Inf(1))

// Probe is the surface under a picture position.
type Probe struct {
	Tri      uint32
	Object   int
	Material int
	Pos      vec.V3
	N        vec.V3 // geometric normal, on the viewer's side
	Smooth   vec.V3 // interpolated normal, on that side too
	Dist     float32
	channels uint8
}

// Probe finds the surface that sight sees along d from o; ok is false where the
// ray leaves the place.
func (w *World) Probe(o, d vec.V3, sight Sight) (p Probe, ok bool) {
	t := w.Tracer()
	defer t.Release()
	from := sight.Cut
	for range 4096 {
		tri, h, ok := t.First(trace.Ray{O: o, D: d, Min: from, Max: inf}, Even)
		if !ok {
			return p, false
		}
		obj := int(w.S.Obj[tri])
		q := w.S.PointAt(tri, h.U, h.V)
		if sight.Hidden != nil && sight.Hidden[obj] {
			from = h.T + q.Pos.Rounding()
			continue
		}
		n, smooth := q.Ng, q.Ns
		if n.Dot(d) > 0 {
			n, smooth = n.Neg(), smooth.Neg()
		}
		return Probe{tri, obj, int(w.S.Mat[tri]), q.Pos, n, smooth, h.T, w.channels[obj]}, true
	}
	return p, false
}

// Reason says why a light gives nothing directly at a point.
type Reason string

// The reasons; Lit where there is none.
const (
	Lit       Reason = "lit"
	OtherChan Reason = "channel"  // the surface is on none of its channels
	OutOf     Reason = "range"    // farther than its range
	OutCone   Reason = "cone"     // outside its cone, or behind a flat light
	Away      Reason = "away"     // the surface faces away
	Shadowed  Reason = "shadow"   // something stands between
	Enclosed  Reason = "enclosed" // no way to the sky, or to the shining surface, was found
)

// Why asks whether l reaches the probed point, and if not, why. Lights with
// extent are asked at several points; by is the first object in the way, or -1.
func (w *World) Why(l *light.Light, p *Probe) (r Reason, by int) {
	if l.Channels&p.channels == 0 {
		return OtherChan, -1
	}
	d := l.Pos.Sub(p.Pos)
	if l.Placed() {
		if l.Range > 0 && d.Len() >= l.Range {
			return OutOf, -1
		}
		if !l.Reaches(p.Pos, vec.V3{}) {
			return OutCone, -1
		}
	}
	if !l.Reaches(p.Pos, p.N) {
		return Away, -1
	}
	t := w.Tracer()
	defer t.Release()
	r, by = Away, -1
	for i := range 16 {
		u := vec.V2{X: (float32(i) + 0.5) / 16, Y: reversed(i)}
		x, ok := l.Sample(p.Pos, p.N, u)
		if !ok || x.Dir.Dot(p.N) <= 0 {
			continue
		}
		if !l.Shadow {
			return Lit, -1
		}
		if t.Passes(p.Pos, p.N, x.Dir, x.Clear) != (vec.V3{}) {
			return Lit, -1
		}
		if tri, _, ok := t.First(trace.Ray{O: Leave(p.Pos, p.N, x.Dir), D: x.Dir, Max: x.Clear}, Even); ok && by < 0 {
			r, by = Shadowed, int(w.S.Obj[tri])
		}
	}
	if r == Shadowed && (l.Shows()) {
		r = Enclosed
	}
	return r, by
}

// reversed is the van der Corput sequence of sixteen.
func reversed(i int) float32 {
	return float32(i&1*8+i&2*2+i&4/2+i&8/8)/16 + 1.0/32
}

// MapEdges draws triangle edges: for each pixel centre 0 (none) to 1 (on an
// edge), by the distance to the nearest edge in pixels.
func (w *World) MapEdges(v Camera, sight Sight, width, height int) []float32 {
	out := make([]float32, width*height)
	pixel := float32(2 * math.Tan(v.FovY/2) / float64(height))
	for i := range out {
		d := v.Ray(float32(i%width)+0.5, float32(i/width)+0.5, width, height)
		p, ok := w.Probe(v.Eye, d, sight)
		if !ok {
			continue
		}
		a, b, c := w.S.Corner(p.Tri)
		q := [3]vec.V3{w.S.V.Pos[a], w.S.V.Pos[b], w.S.V.Pos[c]}
		near := inf
		for k := range 3 {
			e := q[(k+1)%3].Sub(q[k]).Norm()
			r := p.Pos.Sub(q[k])
			// Distance to the edge as the eye sees it.
			off := r.Sub(e.Scale(r.Dot(e)))
			off = off.Sub(d.Scale(off.Dot(d)))
			near = min(near, off.Len())
		}
		out[i] = min(max(1.1-near/(pixel*p.Dist), 0), 1)
	}
	return out
}

// ProbeAt is the probe of a place already known: the triangle and the point on it.
func (w *World) ProbeAt(tri uint32, pos, eye vec.V3) Probe {
	_, n := w.S.Area(tri)
	if n.Dot(pos.Sub(eye)) > 0 {
		n = n.Neg()
	}
	obj := int(w.S.Obj[tri])
	return Probe{tri, obj, int(w.S.Mat[tri]), pos, n, n, pos.Sub(eye).Len(), w.channels[obj]}
}

// Stands finds what a light's ray from o, on a surface with normal n, meets along
// the unit direction d within dist: its distance and object, or -1. Clear glass
// and what masks cut away are passed.
func (w *World) Stands(o, n, d vec.V3, dist float32) (at float32, object int) {
	t := w.Tracer()
	defer t.Release()
	r := trace.Ray{O: Leave(o, n, d), D: d, Max: dist}
	for range 256 {
		tri, h, ok := t.First(r, Even)
		if !ok {
			return dist, -1
		}
		if w.Clear(tri) {
			r.Min = h.T + r.O.Add(d.Scale(h.T)).Rounding()
			continue
		}
		return h.T, int(w.S.Obj[tri])
	}
	return dist, -1
}

// Clear tells the triangles of clear glass.
func (w *World) Clear(tri uint32) bool { return w.S.Materials[w.S.Mat[tri]].Transmission > 0.5 }

// Passes is the share of light, per colour, that gets from o along d as far as dist.
func (w *World) Passes(o, d vec.V3, dist float32) vec.V3 { return w.PassesFrom(o, vec.V3{}, d, dist) }

// PassesFrom is Passes from a point on a surface with normal n.
func (w *World) PassesFrom(o, n, d vec.V3, dist float32) vec.V3 {
	t := w.Tracer()
	defer t.Release()
	return t.Passes(o, n, d, dist)
}

// Met is what a ray meets.
type Met struct {
	Tri    uint32
	Object int
	Dist   float32
	N      vec.V3 // geometric normal, as the triangle winds
	Front  bool   // the ray meets the triangle's front
}

// Meets finds the first surface along the unit direction d from o within dist.
// Clear glass is passed.
func (w *World) Meets(o, d vec.V3, dist float32) (m Met, ok bool) {
	t := w.Tracer()
	defer t.Release()
	r := trace.Ray{O: o, D: d, Min: o.Rounding(), Max: dist}
	for range 256 {
		tri, h, ok := t.First(r, Even)
		if !ok {
			return m, false
		}
		if w.Clear(tri) {
			r.Min = h.T + o.Add(d.Scale(h.T)).Rounding()
			continue
		}
		_, n := w.S.Area(tri)
		return Met{tri, int(w.S.Obj[tri]), h.T, n, n.Dot(d) < 0}, true
	}
	return m, false
}
