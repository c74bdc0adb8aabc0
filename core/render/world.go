package render

import (
	"fmt"
	"math"
	"sync"

	"willowherb/core/scene"
	"willowherb/core/trace"
	"willowherb/core/vec"
)

// World is a scene compiled for ray queries. Triangles that rays may pass
// (masks, blends, glass) have a tree of their own, so that opaque geometry pays
// nothing for them. Immutable; shared by all passes.
type World struct {
	S         *scene.Scene
	opaque    *trace.Tree
	special   *trace.Tree
	opaqueID  []uint32
	specialID []uint32
	channels  []uint8 // of each object
}

// Compile builds the ray structures of s, which must not change afterwards.
func Compile(s *scene.Scene, workers int) (*World, error) {
	w := &World{S: s, channels: make([]uint8, len(s.Objects))}
	for i := range w.channels {
		w.channels[i] = 0xff
	}
	var oi, si []uint32
	for t, m := range s.Mat {
		i, j, k := s.Corner(uint32(t))
		if s.Materials[m].Special() {
			si = append(si, i, j, k)
			w.specialID = append(w.specialID, uint32(t))
		} else {
			oi = append(oi, i, j, k)
			w.opaqueID = append(w.opaqueID, uint32(t))
		}
	}
	var err error
	if w.opaque, err = trace.Build(s.V.Pos, oi, workers); err != nil {
		return nil, fmt.Errorf("compiling the place: %w", err)
	}
	if w.special, err = trace.Build(s.V.Pos, si, workers); err != nil {
		return nil, fmt.Errorf("compiling the place: %w", err)
	}
	return w, nil
}

// SetChannels restricts which lights may light an object: those that share a
// channel bit with it. Call before rendering.
func (w *World) SetChannels(object int, bits uint8) { w.channels[object] = bits }

// Bytes returns the memory held by the ray structures.
func (w *World) Bytes() int { return w.opaque.Bytes() + w.special.Bytes() }

// tracer is one worker's access to a World.
type tracer struct {
	w           *World
	opq, spc    *trace.Tracer
	hasSpecials bool
}

// tracers are reused between passes: each holds a stack of some kilobytes.
var tracers sync.Pool

func (w *World) tracer() *tracer {
	if t, ok := tracers.Get().(*tracer); ok && t.w == w {
		return t
	}
	return &tracer{w: w, opq: trace.NewTracer(w.opaque), spc: trace.NewTracer(w.special), hasSpecials: w.special.Triangles() > 0}
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
		tri, ok = t.w.opaqueID[h.Tri], true
		r.Max = h.T
	}
	if !t.hasSpecials {
		return tri, h, ok
	}
	var q trace.Hit
	for range 256 {
		if !t.spc.First(&r, &q) {
			break
		}
		id := t.w.specialID[q.Tri]
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

// passes returns the share of light, per colour, that gets from o along d as far
// as dist.
func (t *tracer) passes(o, d vec.V3, dist float32) vec.V3 {
	r := trace.Ray{O: o, D: d, Max: dist}
	if t.opq.Any(&r) {
		return vec.V3{}
	}
	if !t.hasSpecials {
		return vec.Splat(1)
	}
	k := vec.Splat(1)
	var q trace.Hit
	for range 256 {
		if !t.spc.First(&r, &q) {
			return k
		}
		id := t.w.specialID[q.Tri]
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
