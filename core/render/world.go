package render

import (
	"fmt"
	"math"
	"sync"

	"willowherb/core/scene"
	"willowherb/core/trace"
	"willowherb/core/vec"
)

// World is a scene compiled for ray queries. Triangles that rays may pass (masks,
// blends, glass) have a tree of their own, so that opaque geometry pays nothing
// for them; so have things that move, which are then quick to move again, and
// blockers, which only shadow rays meet. Immutable; shared by all passes.
type World struct {
	S        *scene.Scene
	opaque   tree
	special  tree
	moving   tree
	blocking tree
	channels []uint8 // of each object
	parts    []Part
}

// tree is a ray structure with the scene's numbers of its triangles.
type tree struct {
	*trace.Tree
	id []uint32
}

// Part is what an object does in a world.
type Part uint8

// Parts.
const (
	Fixed    Part = iota
	Moving        // in a tree of its own, quick to rebuild
	Blocking      // unseen: it only casts shadow
	Gone          // not there
)

// Compile builds the ray structures of s, which must not change afterwards.
func Compile(s *scene.Scene, workers int) (*World, error) { return CompileParts(s, nil, workers) }

// CompileParts is Compile with what each object does; nil for all fixed.
func CompileParts(s *scene.Scene, parts []Part, workers int) (*World, error) {
	w := &World{S: s, channels: make([]uint8, len(s.Objects)), parts: parts}
	for i := range w.channels {
		w.channels[i] = 0xff
	}
	var err error
	if w.opaque, err = w.build(workers, func(p Part, special bool) bool { return p == Fixed && !special }); err != nil {
		return nil, err
	}
	return w, w.others(workers)
}

// Posed returns the world of s, which differs from w's scene in where its moving
// and blocking objects are and in how materials look. What is fixed is shared.
func (w *World) Posed(s *scene.Scene, workers int) (*World, error) {
	out := *w
	out.S = s
	return &out, out.others(workers)
}

// Painted returns the world of s, which differs from w's scene in how materials
// look. Whether rays may pass them must be the same.
func (w *World) Painted(s *scene.Scene) *World {
	out := *w
	out.S = s
	return &out
}

func (w *World) others(workers int) (err error) {
	if w.special, err = w.build(workers, func(p Part, special bool) bool { return p <= Moving && special }); err != nil {
		return err
	}
	if w.moving, err = w.build(workers, func(p Part, special bool) bool { return p == Moving && !special }); err != nil {
		return err
	}
	w.blocking, err = w.build(workers, func(p Part, _ bool) bool { return p == Blocking })
	return err
}

// build makes the tree of the triangles that belong.
func (w *World) build(workers int, belongs func(p Part, special bool) bool) (t tree, err error) {
	var index []uint32
	for k, m := range w.S.Mat {
		part := Fixed
		if w.parts != nil {
			part = w.parts[w.S.Obj[k]]
		}
		if belongs(part, w.S.Materials[m].Special()) {
			a, b, c := w.S.Corner(uint32(k))
			index = append(index, a, b, c)
			t.id = append(t.id, uint32(k))
		}
	}
	if t.Tree, err = trace.Build(w.S.V.Pos, index, workers); err != nil {
		return t, fmt.Errorf("compiling the place: %w", err)
	}
	return t, nil
}

// WithChannels returns the world with its objects restricted to some lights:
// those that share a channel bit with them.
func (w *World) WithChannels(channels []uint8) *World {
	out := *w
	out.channels = channels
	return &out
}

// Bytes returns the memory held by the ray structures.
func (w *World) Bytes() int {
	return w.opaque.Bytes() + w.special.Bytes() + w.moving.Bytes() + w.blocking.Bytes()
}

// tracer is one worker's access to a World; what the world has none of is nil.
type tracer struct {
	w                  *World
	opq, spc, mov, blk *trace.Tracer
}

// tracers are reused between passes: each holds a stack of some kilobytes.
var tracers sync.Pool

func (w *World) tracer() *tracer {
	if t, ok := tracers.Get().(*tracer); ok && t.w == w {
		return t
	}
	t := &tracer{w: w, opq: trace.NewTracer(w.opaque.Tree)}
	for _, o := range []struct {
		to   **trace.Tracer
		tree tree
	}{{&t.spc, w.special}, {&t.mov, w.moving}, {&t.blk, w.blocking}} {
		if o.tree.Triangles() > 0 {
			*o.to = trace.NewTracer(o.tree.Tree)
		}
	}
	return t
}

func (t *tracer) release() { tracers.Put(t) }

// offset is how far a ray must start from a surface at p so that rounding
// cannot put it on the wrong side: some units in the last place of the largest
// coordinate.
func offset(p vec.V3) float32 {
	m := max(p.X, -p.X, p.Y, -p.Y, p.Z, -p.Z, 1)
	return m * (1.0 / (1 << 18))
}

// leave returns an origin for rays from p along d, off the surface with
// geometric normal n.
func leave(p, n, d vec.V3) vec.V3 {
	e := offset(p)
	if n.Dot(d) < 0 {
		e = -e
	}
	return p.Add(n.Scale(e))
}

// first finds the nearest triangle that is not cut away by its mask. alpha
// decides blends: a surface of coverage a is there when alpha < a.
func (t *tracer) first(r trace.Ray, alpha float32) (tri uint32, h trace.Hit, ok bool) {
	if t.opq.First(&r, &h) {
		tri, ok = t.w.opaque.id[h.Tri], true
		r.Max = h.T
	}
	var q trace.Hit
	if t.mov != nil && t.mov.First(&r, &q) {
		tri, h, ok = t.w.moving.id[q.Tri], q, true
		r.Max = h.T
	}
	if t.spc == nil {
		return tri, h, ok
	}
	for range 256 {
		if !t.spc.First(&r, &q) {
			break
		}
		id := t.w.special.id[q.Tri]
		m := &t.w.S.Materials[t.w.S.Mat[id]]
		if m.Alpha != scene.Opaque {
			p := t.w.S.PointAt(id, q.U, q.V)
			if a := t.w.S.Alpha(m, &p); alpha >= a {
				r.Min = q.T + offset(p.Pos)
				continue
			}
		}
		return id, q, true
	}
	return tri, h, ok
}

// blocked reports whether a blocker stands in a way that was found by a ray, which
// does not see blockers.
func (t *tracer) blocked(o, d vec.V3, dist float32) bool {
	if t.blk == nil {
		return false
	}
	r := trace.Ray{O: o, D: d, Max: dist}
	return t.blk.Any(&r)
}

// passes returns the share of light, per colour, that gets from o along d as far
// as dist.
func (t *tracer) passes(o, d vec.V3, dist float32) vec.V3 {
	r := trace.Ray{O: o, D: d, Max: dist}
	if t.opq.Any(&r) || t.mov != nil && t.mov.Any(&r) || t.blk != nil && t.blk.Any(&r) {
		return vec.V3{}
	}
	if t.spc == nil {
		return vec.Splat(1)
	}
	k := vec.Splat(1)
	var q trace.Hit
	for range 256 {
		if !t.spc.First(&r, &q) {
			return k
		}
		id := t.w.special.id[q.Tri]
		m := &t.w.S.Materials[t.w.S.Mat[id]]
		p := t.w.S.PointAt(id, q.U, q.V)
		a := t.w.S.Alpha(m, &p)
		through := vec.Splat(1 - a)
		if m.Transmission > 0 && a > 0 {
			through = through.Add(glass(t.w.S, m, &p, d).Scale(a))
		}
		if k = k.Mul(through); k.Max() < 1e-4 {
			return vec.V3{}
		}
		r.Min = q.T + offset(p.Pos)
	}
	return vec.V3{}
}

// glass is the share of light that passes a thin clear surface straight on:
// what Fresnel does not send back, tinted (KHR_materials_transmission).
func glass(s *scene.Scene, m *scene.Material, p *scene.SurfacePoint, d vec.V3) vec.V3 {
	base := s.Texel(&m.BaseTex, p, true)
	c := vec.V3{X: base[0] * m.BaseColor[0] * p.Color[0], Y: base[1] * m.BaseColor[1] * p.Color[1], Z: base[2] * m.BaseColor[2] * p.Color[2]}
	clear := m.Transmission * (1 - m.Metallic)
	if m.TransmissionTex.Texture >= 0 {
		clear *= s.Texel(&m.TransmissionTex, p, false)[0]
	}
	f0 := (m.IOR - 1) / (m.IOR + 1)
	f0 *= f0 * m.Specular
	x := 1 - float32(math.Abs(float64(d.Dot(p.Ng))))
	x2 := x * x
	f := f0 + (m.Specular-f0)*x2*x2*x
	return c.Scale(clear * (1 - f))
}

// Casts tells the objects that cast shadow: all but what is not there.
func (w *World) Casts(object int) bool { return w.parts == nil || w.parts[object] != Gone }
