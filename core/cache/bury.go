package cache

import (
	"context"

	"willowherb/core/sampling"
	"willowherb/core/scene"
	"willowherb/core/spread"
	"willowherb/core/trace"
	"willowherb/core/vec"
	"willowherb/core/world"
)

// bury marks the sides that look into something solid, so that the points of a wall's other
// face do not take the places of those that can be seen.
func (c *Cache) bury(workers int) {
	const batch = 64 // a word of bits
	sides := 2 * len(c.pos)
	c.buried = make([]uint64, (sides+batch-1)/batch)
	// Nothing here ends early.
	_ = spread.With(context.Background(), len(c.buried), workers, func() (func(int), func()) {
		t := c.w.Tracer()
		return func(i int) {
			trace.Settle()
			for side := i * batch; side < min((i+1)*batch, sides); side++ {
				if c.within(t, uint32(side)) {
					c.buried[i] |= 1 << (side % batch)
				}
			}
		}, t.Release
	})
}

// within reports whether a side sees only backs of its own object: most of a few rays.
func (c *Cache) within(t *world.Tracer, side uint32) bool {
	const rays, enough = 5, 4
	p, n, s := c.pos[side/2], c.normal(side), c.w.S
	object := s.Obj[c.tri[side/2]]
	a, b := vec.Basis(n)
	backs := 0
	for k := range uint32(rays) {
		src := sampling.New(0x3ad8025f, side, k)
		h := sampling.CosineHemisphere(src.Pair(0))
		d := a.Scale(h.X).Add(b.Scale(h.Y)).Add(n.Scale(h.Z))
		o := world.Leave(p, n, d)
		// Beyond its own object's bounds there is none of it.
		if tri, _, ok := t.First(trace.Ray{O: o, D: d, Max: leaves(&s.Objects[object], o, d)}, src.Bits(1)); ok && s.Obj[tri] == object {
			if _, ng := s.Area(tri); ng.Dot(d) > 0 {
				backs++
			}
		}
		if rays-enough < int(k)+1-backs {
			return false
		}
	}
	return true
}

// leaves is how far along d from o the bounds of an object end.
func leaves(ob *scene.Object, o, d vec.V3) float32 {
	end := inf
	for a := range 3 {
		to := ob.Hi.At(a)
		if d.At(a) < 0 {
			to = ob.Lo.At(a)
		}
		if v := d.At(a); v != 0 {
			end = min(end, (to-o.At(a))/v)
		}
	}
	return max(end*1.001, 0) + 0.001
}
