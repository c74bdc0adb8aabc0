// Package world answers what a ray meets in a place: first surfaces, what stands
// between two points, and what is seen and lit where. Positions and distances are in
// metres, directions have unit length.
package world

import (
	"fmt"
	"math"
	"slices"
	"sync"

	"willowherb/core/fog"
	"willowherb/core/sampling"
	"willowherb/core/scene"
	"willowherb/core/surface"
	"willowherb/core/trace"
	"willowherb/core/vec"
)

// Camera is a pinhole camera. FovY is vertical, in radians.
type Camera struct {
	Eye, Aim, Up vec.V3
	FovY         float64
	// Part is the part of a larger picture that is seen; zero: all of it.
	Part Part
}

// Part of a picture of W by H: what is seen begins X pixels from its left and Y from its top.
type Part struct{ X, Y, W, H int }

// Ray returns the direction through the picture position (x, y) in pixels of a
// picture of w by h, from its top left corner.
func (v *Camera) Ray(x, y float32, w, h int) vec.V3 {
	l := v.Lens(w, h)
	return l.Ray(x, y)
}

// Lens is a camera made ready for the rays of one picture.
type Lens struct {
	ahead, right, up vec.V3
	x, y, w, h, tan  float32
}

// Lens makes the camera ready for a picture of w by h.
func (v *Camera) Lens(w, h int) Lens {
	f := v.Aim.Norm()
	r := f.Cross(v.Up).Norm()
	if r == (vec.V3{}) {
		r, _ = vec.Basis(f)
	}
	l := Lens{ahead: f, right: r, up: r.Cross(f), w: float32(w), h: float32(h), tan: float32(math.Tan(v.FovY / 2))}
	if v.Part.W > 0 {
		l.x, l.y, l.w, l.h = float32(v.Part.X), float32(v.Part.Y), float32(v.Part.W), float32(v.Part.H)
	}
	return l
}

// Ray returns the direction, of unit length, through a place of the picture in pixels, as
// Camera.Ray does.
func (l *Lens) Ray(x, y float32) vec.V3 {
	x, y = x+l.x, y+l.y
	return l.ahead.Add(l.right.Scale((2*x/l.w - 1) * l.tan * l.w / l.h)).Add(l.up.Scale((1 - 2*y/l.h) * l.tan)).Norm()
}

// Sight is what the camera leaves out or sees otherwise; light is not changed by
// it: what the camera does not see still casts shadow and sends light on.
type Sight struct {
	// Hidden objects, by their number; nil hides none.
	Hidden []bool
	// Cut is how far from the eye, in metres, seeing begins.
	Cut float32
	// Neutral, if positive, makes every surface that is seen a matt grey of this
	// reflectance, and shows nothing shining: a picture of the light alone, whose
	// irradiance in lux is its luminance times pi / Neutral.
	Neutral float32
}

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
	duties   []Duty
	Air      *fog.Air // what hangs between an eye and what it sees; nil: nothing
}

// tree is a ray structure with the scene's numbers of its triangles.
type tree struct {
	*trace.Tree
	id []uint32
}

// Duty is what an object does in a world.
type Duty uint8

// Duties.
const (
	Fixed    Duty = iota
	Moving        // in a tree of its own, quick to rebuild
	Blocking      // unseen: it only casts shadow
	Gone          // not there
)

// Compile builds the ray structures of s, which must not change afterwards.
func Compile(s *scene.Scene, workers int) (*World, error) { return CompileAs(s, nil, workers) }

// CompileAs is Compile with what each object does; nil for all fixed.
func CompileAs(s *scene.Scene, duties []Duty, workers int) (*World, error) {
	w := &World{S: s, channels: make([]uint8, len(s.Objects)), duties: duties}
	for i := range w.channels {
		w.channels[i] = 0xff
	}
	var err error
	if w.opaque, err = w.build(workers, func(d Duty, special bool) bool { return d == Fixed && !special }); err != nil {
		return nil, err
	}
	return w, w.others(workers)
}

// Posed returns the world of s, which differs from w's scene in where its moving
// and blocking objects are and in how materials look. What is fixed is shared, and what
// moves keeps its trees, fitted anew, where that serves.
func (w *World) Posed(s *scene.Scene, workers int) (*World, error) {
	out := *w
	out.S = s
	for _, t := range []*tree{&out.special, &out.moving, &out.blocking} {
		if t.Tree == nil {
			return &out, out.others(workers)
		}
		fitted, ok := t.Refit(s.V.Pos)
		if !ok {
			return &out, out.others(workers)
		}
		t.Tree = fitted
	}
	return &out, nil
}

// Painted returns the world of s, which differs from w's scene in how materials
// look. Whether rays may pass them must be the same.
func (w *World) Painted(s *scene.Scene) *World {
	out := *w
	out.S = s
	return &out
}

func (w *World) others(workers int) (err error) {
	if w.special, err = w.build(workers, func(d Duty, special bool) bool { return d <= Moving && special }); err != nil {
		return err
	}
	if w.moving, err = w.build(workers, func(d Duty, special bool) bool { return d == Moving && !special }); err != nil {
		return err
	}
	w.blocking, err = w.build(workers, func(d Duty, _ bool) bool { return d == Blocking })
	return err
}

// build makes the tree of the triangles that belong.
func (w *World) build(workers int, belongs func(d Duty, special bool) bool) (t tree, err error) {
	var index []uint32
	for k, m := range w.S.Mat {
		duty := Fixed
		if w.duties != nil {
			duty = w.duties[w.S.Obj[k]]
		}
		if belongs(duty, w.S.Materials[m].Special()) {
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

// WithAir returns the world with fog in its air; nil for none.
func (w *World) WithAir(a *fog.Air) *World {
	out := *w
	out.Air = a
	return &out
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

// Tracer is one worker's access to a World; what the world has none of is nil. Not
// safe for concurrent use; give it back with Release.
type Tracer struct {
	w                  *World
	opq, spc, mov, blk *trace.Tracer
}

// tracers are reused: each holds a stack of some kilobytes.
var tracers sync.Pool

// Tracer returns a tracer of the world.
func (w *World) Tracer() *Tracer {
	if t, ok := tracers.Get().(*Tracer); ok && t.w == w {
		return t
	}
	t := &Tracer{w: w, opq: trace.NewTracer(w.opaque.Tree)}
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

// Release gives the tracer back.
func (t *Tracer) Release() { tracers.Put(t) }

// Leave returns an origin for rays from p along d, off the surface with geometric
// normal n, so that rounding cannot put it on the wrong side.
func Leave(p, n, d vec.V3) vec.V3 {
	e := p.Rounding()
	if n.Dot(d) < 0 {
		e = -e
	}
	return p.Add(n.Scale(e))
}

// Even sees a blend as there where it covers half or more.
const Even = ^uint32(0)

// First finds the nearest surface that is not cut away by its mask. roll decides
// blends, each by itself: a surface of coverage a is there with probability a; Even
// asks for no chance.
func (t *Tracer) First(r trace.Ray, roll uint32) (tri uint32, h trace.Hit, ok bool) {
	ok = t.opq.First(&r, &h)
	return t.before(r, roll, h, ok)
}

// Firsts are rays that are followed together, at most eight, and what they came to: rolls
// decide blends as in First, and Tri and Hit tell of rays that are OK, which hit something.
type Firsts struct {
	N     int // of them
	Rays  [8]trace.Ray
	Rolls [8]uint32
	Tri   [8]uint32
	Hit   [8]trace.Hit
	OK    [8]bool
}

// FirstOf is First for some rays at a time, quicker where they go about the same way.
func (t *Tracer) FirstOf(f *Firsts) {
	found := t.opq.FirstOf(f.Rays[:f.N], f.Hit[:])
	for i := range f.N {
		f.Tri[i], f.Hit[i], f.OK[i] = t.before(f.Rays[i], f.Rolls[i], f.Hit[i], found>>i&1 == 1)
	}
}

// before finds what lies on a ray before what it hit of what is opaque and fixed.
func (t *Tracer) before(r trace.Ray, roll uint32, h trace.Hit, ok bool) (uint32, trace.Hit, bool) {
	tri := uint32(0)
	if ok {
		tri = t.w.opaque.id[h.Tri]
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
			chance := float32(0.5)
			if roll != Even {
				chance = sampling.Chance(roll, id)
			}
			if a := t.w.S.Alpha(m, &p); chance >= a {
				r.Min = q.T + p.Pos.Rounding()
				continue
			}
		}
		return id, q, true
	}
	return tri, h, ok
}

// Blocked reports whether a blocker stands in a way that was found by a ray, which
// does not see blockers.
func (t *Tracer) Blocked(o, d vec.V3, dist float32) bool {
	if t.blk == nil {
		return false
	}
	r := trace.Ray{O: o, D: d, Max: dist}
	return t.blk.Any(&r)
}

// Passes returns the share of light, per colour, that gets along d as far as dist
// from p, on a surface with geometric normal n; the zero normal is for a place that
// lies on none.
func (t *Tracer) Passes(p, n, d vec.V3, dist float32) vec.V3 {
	r := trace.Ray{O: p, D: d, Max: dist}
	if n != (vec.V3{}) {
		r.O = Leave(p, n, d)
		r.Max -= p.Rounding() // the start has been moved towards the end
	}
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
			through = through.Add(surface.Passing(t.w.S, m, &p, d).Scale(a))
		}
		if k = k.Mul(through); k.Max() < 1e-4 {
			return vec.V3{}
		}
		r.Min = q.T + p.Pos.Rounding()
	}
	return vec.V3{}
}

// Casts tells the objects that cast shadow: all but what is not there.
func (w *World) Casts(object int) bool { return w.Duty(object) != Gone }

// Duty is what an object does.
func (w *World) Duty(object int) Duty {
	if w.duties == nil {
		return Fixed
	}
	return w.duties[object]
}

// Resting is the world without the objects that move: what a bake sees.
func (w *World) Resting(moves []bool, workers int) (*World, error) {
	out := *w
	if w.duties == nil {
		return &out, nil
	}
	out.duties = slices.Clone(w.duties)
	for i, m := range moves {
		if m && out.duties[i] == Moving {
			out.duties[i] = Gone
		}
	}
	return &out, out.others(workers)
}

// Channels that may light an object.
func (w *World) Channels(object uint32) uint8 { return w.channels[object] }
