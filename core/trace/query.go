package trace

import (
	"math"
	"unsafe"

	"willowherb/core/vec"
)

// EdgeTolerance is how far outside a triangle, in barycentric units, a ray still
// hits it. It closes the seams that plane-form tests in float32 would leave.
const EdgeTolerance = 4e-5

// Ray is a query: points o + t d for Min < t < Max, d of unit length, Min not negative.
type Ray struct {
	O, D     vec.V3
	Min, Max float32
}

// Hit is a first hit: distance along the ray, triangle number, and the
// barycentric weights U, V of the triangle's second and third vertex.
type Hit struct {
	T, U, V float32
	Tri     uint32
}

// Tracer is one goroutine's scratch for queries against a tree. Zero allocation
// a query; not safe for concurrent use.
type Tracer struct {
	tree   *Tree
	nodes  unsafe.Pointer
	blocks unsafe.Pointer
	lanes  [4][wide]float32
	u, v   float32 // of the nearest hit
	w      walk
	line   line
	pk     packet
	stack  [stackSize]uint64
	// Scalar makes this tracer use the scalar code even where AVX2 is there.
	Scalar bool
}

// NewTracer returns a tracer for the tree.
func NewTracer(t *Tree) *Tracer {
	tr := &Tracer{tree: t, Scalar: !vectorised}
	if len(t.nodes) > 0 {
		tr.nodes = unsafe.Pointer(&t.nodes[0])
		tr.blocks = unsafe.Pointer(&t.blocks[0])
	}
	return tr
}

// First finds the nearest triangle on the ray.
func (tr *Tracer) First(r *Ray, h *Hit) bool {
	if tr.nodes == nil {
		return false
	}
	if !tr.Scalar {
		tr.w = r.walk()
		tr.line.set(r)
		tr.firstWide()
		return tr.tell(h, &tr.line)
	}
	slot, far := tr.firstScalar(r)
	if slot == math.MaxUint32 {
		return false
	}
	tr.set(h, slot, far, tr.u, tr.v)
	return true
}

// tell gives the nearest hit of a line, if it has one.
func (tr *Tracer) tell(h *Hit, l *line) bool {
	if l.slot == math.MaxUint32 {
		return false
	}
	tr.set(h, l.slot, math.Float32frombits(l.t), math.Float32frombits(l.u), math.Float32frombits(l.v))
	return true
}

// leastStart is where lines begin, at least, in metres: far under what float32 tells apart there.
const leastStart = 1e-30

// line is a ray with each number for all lanes, and the nearest hit so far, its numbers as bits:
// between vector code a scalar float costs some processors a hundred cycles.
type line struct {
	d, o     [3][wide]float32
	min, far [wide]float32
	slot     uint32 // block*8 + lane; MaxUint32: none
	t, u, v  uint32
}

// set tells a hit of a leaf's triangle, with its place kept on it.
func (tr *Tracer) set(h *Hit, slot uint32, far, u, v float32) {
	h.Tri = tr.tree.ids[slot/wide][slot%wide]
	u, v = min(max(u, 0), 1), min(max(v, 0), 1)
	if w := u + v; w > 1 {
		u, v = u/w, v/w
	}
	h.T, h.U, h.V = far, u, v
}

// Any reports whether a triangle lies on the ray.
func (tr *Tracer) Any(r *Ray) bool {
	if tr.nodes == nil {
		return false
	}
	if tr.Scalar {
		return tr.anyScalar(r)
	}
	return tr.anyWide(r)
}

// safeInverse avoids 0 * Inf in the slab test; the sign is kept.
func safeInverse(d float32) float32 {
	const tiny = 1e-18
	if d > -tiny && d < tiny {
		return float32(math.Copysign(1/tiny, float64(d)))
	}
	return 1 / d
}

type walk struct {
	inv, off vec.V3 // 1/d and -o/d
	near     [3]uintptr
}

func (r *Ray) walk() (w walk) {
	w.inv = vec.V3{X: safeInverse(r.D.X), Y: safeInverse(r.D.Y), Z: safeInverse(r.D.Z)}
	w.off = r.O.Mul(w.inv).Neg()
	const row = wide * 4
	w.near = [3]uintptr{0, row, 2 * row}
	if w.inv.X < 0 {
		w.near[0] ^= 128
	}
	if w.inv.Y < 0 {
		w.near[1] ^= 128
	}
	if w.inv.Z < 0 {
		w.near[2] ^= 128
	}
	return w
}

func (tr *Tracer) boxesScalar(w *walk, off uint32, lo, hi float32) (mask uint32) {
	base := unsafe.Add(tr.nodes, uintptr(off))
	row := func(o uintptr) *[wide]float32 { return (*[wide]float32)(unsafe.Add(base, o)) }
	nx, ny, nz := row(w.near[0]), row(w.near[1]), row(w.near[2])
	fx, fy, fz := row(w.near[0]^128), row(w.near[1]^128), row(w.near[2]^128)
	for k := range wide {
		t0 := max(nx[k]*w.inv.X+w.off.X, ny[k]*w.inv.Y+w.off.Y, nz[k]*w.inv.Z+w.off.Z, lo)
		t1 := min(fx[k]*w.inv.X+w.off.X, fy[k]*w.inv.Y+w.off.Y, fz[k]*w.inv.Z+w.off.Z, hi)
		if t0 <= t1 {
			mask |= 1 << k
			tr.lanes[0][k] = t0
		}
	}
	return mask
}

// hitScalar tests one leaf and returns the nearest hit's slot and distance.
func (tr *Tracer) hitScalar(r *Ray, leaf uint32, far float32) (uint32, float32) {
	q := (*block)(unsafe.Add(tr.blocks, uintptr(leaf)*blockBytes))
	best := uint32(math.MaxUint32)
	for k := range wide {
		e, f := q.edge(0, k), q.edge(1, k)
		p := r.D.Cross(f)
		inv := 1 / e.Dot(p)
		s := r.O.Sub(vec.V3{X: q.a[0][k], Y: q.a[1][k], Z: q.a[2][k]})
		w := s.Cross(e)
		t, u, v := f.Dot(w)*inv, s.Dot(p)*inv, r.D.Dot(w)*inv
		if t > r.Min && t < far && u >= -EdgeTolerance && v >= -EdgeTolerance && u+v <= 1+EdgeTolerance {
			best, far = leaf*wide+uint32(k), t
			tr.u, tr.v = u, v
		}
	}
	return best, far
}

func (tr *Tracer) firstScalar(r *Ray) (uint32, float32) {
	w := r.walk()
	best, far := uint32(math.MaxUint32), r.Max
	sp := 1
	tr.stack[0] = 0
	for sp > 0 {
		sp--
		key := tr.stack[sp]
		if math.Float32frombits(uint32(key>>32)) > far {
			continue
		}
		c := uint32(key)
		if c&leafFlag != 0 {
			if s, t := tr.hitScalar(r, c&^leafFlag, far); s != math.MaxUint32 {
				best, far = s, t
			}
			continue
		}
		m := tr.boxesScalar(&w, c, r.Min, far)
		child := &(*node)(unsafe.Add(tr.nodes, uintptr(c))).child
		base := sp
		for k := range wide {
			if m&(1<<k) == 0 {
				continue
			}
			key := uint64(math.Float32bits(tr.lanes[0][k]))<<32 | uint64(child[k])
			i := sp
			for i > base && tr.stack[i-1] < key {
				tr.stack[i] = tr.stack[i-1]
				i--
			}
			tr.stack[i] = key
			sp++
		}
	}
	return best, far
}

func (tr *Tracer) anyScalar(r *Ray) bool {
	w := r.walk()
	sp := 1
	tr.stack[0] = 0
	for sp > 0 {
		sp--
		c := uint32(tr.stack[sp])
		if c&leafFlag != 0 {
			if s, _ := tr.hitScalar(r, c&^leafFlag, r.Max); s != math.MaxUint32 {
				return true
			}
			continue
		}
		m := tr.boxesScalar(&w, c, r.Min, r.Max)
		child := &(*node)(unsafe.Add(tr.nodes, uintptr(c))).child
		for k := range wide {
			if m&(1<<k) != 0 {
				tr.stack[sp] = uint64(child[k])
				sp++
			}
		}
	}
	return false
}
