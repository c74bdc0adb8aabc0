package cache

import (
	"context"
	"sync/atomic"

	"willowherb/core/light"
	"willowherb/core/sampling"
	"willowherb/core/spread"
	"willowherb/core/surface"
	"willowherb/core/trace"
	"willowherb/core/vec"
	"willowherb/core/world"
)

// Reach is what somebody may use of a cache: the points that his own first rays came to,
// so that what he sees depends on nobody else.
type Reach struct {
	c    *Cache
	bits []uint64
}

// Reach begins an empty one.
func (c *Cache) Reach() *Reach { return &Reach{c, make([]uint64, (2*len(c.pos)+63)/64)} }

func (r *Reach) has(side uint32) bool { return r.bits[side/64]>>(side%64)&1 != 0 }

// Touch asks for the points of a spot. Safe for concurrent use, but not while others use
// the reach otherwise.
func (r *Reach) Touch(s *Spot) {
	points, _, ok := r.c.cell(s, 0)
	if !ok {
		return
	}
	for _, side := range points {
		if side != none && !r.has(side) {
			atomic.OrUint64(&r.bits[side/64], 1<<(side%64))
		}
	}
}

// Fill works out the links of what was touched, and of all that those lead to.
func (c *Cache) Fill(ctx context.Context, r *Reach, workers int) error {
	c.mu.Lock()
	defer c.mu.Unlock()
	var fresh []uint32
	for i, word := range r.bits {
		for b := range uint32(64) {
			if side := uint32(i)*64 + b; word>>b&1 != 0 && c.slot[side] < 0 {
				fresh = append(fresh, side)
			}
		}
	}
	sides, links := c.sides, c.links
	begun := len(sides)
	undo := func() { // what was begun is of no use half done
		for _, side := range sides[begun:] {
			c.slot[side] = -1
		}
	}
	for len(fresh) > 0 {
		from := len(sides)
		for _, side := range fresh {
			c.slot[side] = int32(len(sides))
			sides = append(sides, side)
		}
		links = append(links, make([][fan]link, len(fresh))...)
		const batch = 64
		err := spread.With(ctx, (len(fresh)+batch-1)/batch, workers, func() (func(int), func()) {
			t := c.w.Tracer()
			return func(i int) {
				for k := i * batch; k < min((i+1)*batch, len(fresh)); k++ {
					c.look(t, fresh[k], &links[from+k])
				}
			}, t.Release
		})
		if err != nil {
			undo()
			return err
		}
		fresh = fresh[:0]
		for i := range links[from:] {
			for _, l := range links[from+i] {
				if l.to >= 0 && c.slot[l.to] == -1 {
					c.slot[l.to] = -2 // listed
					fresh = append(fresh, uint32(l.to))
				}
			}
		}
	}
	// Links name sides while they are made; from now on slots.
	for i := begun; i < len(links); i++ {
		for k := range links[i] {
			if l := &links[i][k]; l.to >= 0 {
				l.to = c.slot[l.to]
			}
		}
	}
	c.sides, c.links = sides, links
	return nil
}

// linkLevel is the smallest level of cells that links lead to: what is seen by way of a
// point may be coarser.
const linkLevel = 1

// look makes the links of a point.
func (c *Cache) look(t *world.Tracer, side uint32, out *[fan]link) {
	n := c.normal(side)
	bt, bb := vec.Basis(n)
	for k := range out {
		src := sampling.New(0x1b873593, side, uint32(k))
		h := sampling.CosineHemisphere(src.Pair(0))
		d := bt.Scale(h.X).Add(bb.Scale(h.Y)).Add(n.Scale(h.Z))
		out[k] = c.follow(t, &src, c.pos[side/2], n, d)
	}
}

// follow goes along a ray to what sends light there.
func (c *Cache) follow(t *world.Tracer, src *sampling.Source, p, n, d vec.V3) (l link) {
	l.to = -1
	sc := c.w.S
	through, travel := vec.Splat(1), float32(0)
	o := world.Leave(p, n, d)
	for pane := range uint32(16) {
		tri, hit, ok := t.First(trace.Ray{O: o, D: d, Max: inf}, src.Bits(1+pane))
		if !ok {
			return l
		}
		q := sc.PointAt(tri, hit.U, hit.V)
		m := &sc.Materials[sc.Mat[tri]]
		var f surface.Surface
		if !f.Set(sc, m, &q, d.Neg()) {
			return l
		}
		travel += hit.T
		if f.Clear > 0 {
			g := surface.Passing(sc, m, &q, d)
			chance := min(g.Max(), 0.95)
			if src.Loose(64+pane).X < chance {
				through = through.Mul(g).Scale(1 / chance)
				o = world.Leave(q.Pos, q.Ng, d)
				continue
			}
			through = through.Scale(1 / (1 - chance))
		}
		f.Roughen(0.2)
		s := Spot{Pos: q.Pos, N: f.Ng, Object: sc.Obj[tri], Dist: travel, Roll: src.Bits(128)}
		if side, ok := c.choose(t, &s, linkLevel, nil); ok {
			l.to, l.share = int32(side), through.Mul(f.Albedo()).Scale(1.0/fan)
			Hits.Add(1)
		} else {
			Misses.Add(1)
		}
		return l
	}
	return l
}

// straight is the irradiance that a light of unit output gives a point without bounces.
func (c *Cache) straight(t *world.Tracer, l *light.Light, side uint32) (e vec.V3) {
	p := c.pos[side/2]
	ng := c.normal(side)
	obj := c.w.S.Obj[c.tri[side/2]]
	if l.Channels&c.w.Channels(obj) == 0 || !l.Reaches(p, ng) {
		return e
	}
	n := 1
	if l.CanBeMet() {
		n = 2
	}
	if l.Shows() {
		n = 4
	}
	owner := sampling.Owner(l.ID)
	for k := range n {
		src := sampling.New(0x7feb352d, side, uint32(k))
		s, ok := l.Sample(p, ng, src.Pair(sampling.Dim(owner, 1)))
		cos := s.Dir.Dot(ng)
		if !ok || cos <= 0 {
			continue
		}
		w := s.Weight.Scale(cos)
		if l.Shadow {
			w = w.Mul(t.Passes(p, ng, s.Dir, s.Clear))
		}
		if w.Finite() {
			e = e.Add(w)
		}
	}
	return e.Scale(l.Near(p) * (1 - l.NoDiffuse) / float32(n))
}

var Hits, Misses, Near atomic.Int64
