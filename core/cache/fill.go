package cache

import (
	"context"
	"math"
	"math/bits"
	"slices"
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

// Clone is a reach that goes on from this one.
func (r *Reach) Clone() *Reach { return &Reach{r.c, slices.Clone(r.bits)} }

// Cache is the cache that it is of.
func (r *Reach) Cache() *Cache { return r.c }

func (r *Reach) has(side uint32) bool { return r.bits[side/64]>>(side%64)&1 != 0 }

// Touch asks for the points of a spot, and for those of the larger cells that serve it where
// none of these lies open to it. Safe for concurrent use, but not while others use
// the reach otherwise.
func (r *Reach) Touch(s *Spot) {
	for level := 0; level < levels; level++ {
		points, at, ok := r.c.cell(s, level)
		if !ok {
			return
		}
		for _, side := range points {
			if side != none && atomic.LoadUint64(&r.bits[side/64])>>(side%64)&1 == 0 {
				atomic.OrUint64(&r.bits[side/64], 1<<(side%64))
			}
		}
		level = at // smaller ones have no cell
	}
}

// Fill works out the links of what was touched, and of what those lead to, as far as light is
// followed on: what lies beyond sends nothing there.
func (c *Cache) Fill(ctx context.Context, r *Reach, workers int) error {
	c.mu.Lock()
	defer c.mu.Unlock()
	f := filling{Cache: c, begun: len(c.sites), ahead: slices.Clone(c.ahead), linked: c.linked}
	for i, word := range r.bits {
		for ; word != 0; word &= word - 1 {
			f.want(f.side(uint32(i)*64+uint32(bits.TrailingZeros64(word))), sweeps)
		}
	}
	for ahead := sweeps - 1; len(f.next) > 0; ahead-- {
		wave := f.next
		f.next = nil
		if err := f.link(ctx, wave, workers); err != nil {
			f.undo()
			return err
		}
		for _, p := range wave {
			for _, l := range c.from(int(p)) {
				if l.to >= 0 {
					f.want(l.to, ahead)
				}
			}
		}
	}
	c.ahead, c.linked = f.ahead, f.linked
	return nil
}

// filling is a cache while it is filled, in waves: each what the one before leads to.
type filling struct {
	*Cache
	begun  int     // sites that there were
	ahead  []int8  // as Cache.ahead
	linked []int32 // as Cache.linked
	next   []int32 // the sites of the wave to come
}

// add makes a site, and returns its slot.
func (f *filling) add(s site) int32 {
	f.sites = append(f.sites, s)
	for range f.fan {
		f.links = append(f.links, link{to: toUnmade})
	}
	f.ahead = append(f.ahead, -1)
	return int32(len(f.sites) - 1)
}

// side is the site of a point's side.
func (f *filling) side(side uint32) int32 {
	if f.slot[side] < 0 {
		f.slot[side] = f.add(site{f.pos[side/2], f.normal(side), f.w.S.Obj[f.tri[side/2]], side, false})
	}
	return f.slot[side]
}

// want has so many links followed on from a site.
func (f *filling) want(p int32, ahead int) {
	if int(f.ahead[p]) >= ahead {
		return
	}
	if f.ahead[p] = int8(ahead); ahead > 0 {
		f.next = append(f.next, p)
	}
}

// link makes the links of those of a wave that have none yet.
func (f *filling) link(ctx context.Context, wave []int32, workers int) error {
	var bare []int32
	for _, p := range wave {
		if f.from(int(p))[0].to == toUnmade {
			bare = append(bare, p)
		}
	}
	strays := make([]site, f.fan*len(bare))
	const batch = 64
	err := spread.With(ctx, (len(bare)+batch-1)/batch, workers, func() (func(int), func()) {
		t := f.w.Tracer()
		return func(i int) {
			trace.Settle()
			for k := i * batch; k < min((i+1)*batch, len(bare)); k++ {
				f.look(t, &f.sites[bare[k]], f.from(int(bare[k])), strays[k*f.fan:])
			}
		}, t.Release
	})
	f.linked = append(f.linked, bare...)
	if err != nil {
		return err
	}
	// Links name sides while they are made; from now on slots.
	for k, p := range bare {
		for q := range f.fan {
			to := f.from(int(p))[q].to
			switch {
			case to == toStray:
				to = f.add(strays[k*f.fan+q])
			case to >= 0:
				to = f.side(uint32(to))
			}
			f.from(int(p))[q].to = to
		}
	}
	return nil
}

// undo takes back what was begun: half done it is of no use.
func (f *filling) undo() {
	for side, p := range f.slot {
		if int(p) >= f.begun {
			f.slot[side] = -1
		}
	}
	for _, p := range f.linked[len(f.Cache.linked):] {
		for q := range f.from(int(p)) {
			f.from(int(p))[q] = link{to: toUnmade}
		}
	}
	f.sites, f.links = f.sites[:f.begun], f.links[:f.begun*f.fan]
}

// What links lead to that is no point.
const (
	toNothing = -1
	toStray   = -2
	toUnmade  = -3 // it was not followed yet
)

// linkLevel is the smallest level of cells that links lead to: what is seen by way of a
// point may be coarser.
const linkLevel = 2

// look makes the links of a site, and the strays that they need.
func (c *Cache) look(t *world.Tracer, at *site, out []link, strays []site) {
	for k := range out {
		out[k], strays[k] = c.gather(t, at, k)
	}
}

// gather makes link number k of a site, and the stray that it needs.
func (c *Cache) gather(t *world.Tracer, at *site, k int) (l link, stray site) {
	bt, bb := vec.Basis(at.n)
	src := sampling.New(0x1b873593, at.name, uint32(k))
	h := sampling.CosineHemisphere(src.Pair(0))
	d := bt.Scale(h.X).Add(bb.Scale(h.Y)).Add(at.n.Scale(h.Z))
	l = c.follow(t, &src, at, d, &stray)
	l.glance = surface.Glancing(h.Z)
	return l, stray
}

// follow goes along a ray to what sends light there.
func (c *Cache) follow(t *world.Tracer, src *sampling.Source, at *site, d vec.V3, stray *site) (l link) {
	l.to = toNothing
	sc := c.w.S
	through, travel := vec.Splat(1), float32(0)
	o := world.Leave(at.pos, at.n, d)
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
		l.material = sc.Mat[tri]
		l.even, l.glancing = f.Shares()
		share := 1 / float32(c.fan)
		l.even, l.glancing = l.even.Mul(through).Scale(share), l.glancing.Mul(through).Scale(share)
		l.met, l.size = site{q.Pos, f.Ng, sc.Obj[tri], src.Bits(129), true}, max(s.Size(), sizeOf(linkLevel))
		if side, ok := c.choose(t, &s, linkLevel, nil); ok {
			l.to = int32(side)
		} else if !at.stray && f.Clear == 0 {
			l.to = toStray
			*stray = l.met
		}
		return l
	}
	return l
}

// coarsest is from which level of smallest cells on lights with extent are asked for once.
const coarsest = 2

// straight is the irradiance that a light of unit output gives a site without bounces.
func (c *Cache) straight(t *world.Tracer, l *light.Light, at *site) (e flux) {
	if l.Channels&c.w.Channels(at.object) == 0 || !l.Reaches(at.pos, at.n) {
		return e
	}
	n := 1
	if c.least < coarsest && (l.Shows() || l.CanBeMet() && !l.Small()) {
		n = 4
	}
	if l.Kind == light.Emissive {
		return c.shining(t, l, at, (n+1)/2)
	}
	owner := sampling.Owner(l.ID)
	for k := range n {
		src := sampling.New(0x7feb352d, at.name, uint32(k))
		s, ok := l.Sample(at.pos, at.n, src.Pair(sampling.Dim(owner, 1)))
		cos := s.Dir.Dot(at.n)
		if !ok || cos <= 0 {
			continue
		}
		w := s.Weight.Scale(cos)
		if l.Shadow {
			w = w.Mul(t.Passes(at.pos, at.n, s.Dir, s.Clear))
		}
		if w.Finite() {
			e = e.plus(flux{w, w.Scale(surface.Glancing(cos))})
		}
	}
	return e.scaled(vec.Splat(l.Near(at.pos) * (1 - l.NoDiffuse) / float32(n)))
}

// shining is straight for surfaces that shine: asked for n times, and looked for by as many
// rays, each weighed by how likely both were (Veach 1997, the balance heuristic). What shines
// right beside a site is hardly found by asking, and what is small hardly by rays: what is
// far off is asked for alone.
func (c *Cache) shining(t *world.Tracer, l *light.Light, at *site, n int) (e flux) {
	owner, asked := sampling.Owner(l.ID), l.Far(at.pos)
	bt, bb := vec.Basis(at.n)
	take := func(v vec.V3, cos float32) {
		if v.Finite() {
			e = e.plus(flux{v, v.Scale(surface.Glancing(cos))})
		}
	}
	for k := range n {
		src := sampling.New(0x7feb352d, at.name, uint32(k))
		if s, ok := l.Sample(at.pos, at.n, src.Pair(sampling.Dim(owner, 1))); ok {
			if cos := s.Dir.Dot(at.n); cos > 0 {
				v := s.Weight.Scale(cos)
				if !asked {
					v = v.Scale(s.Pdf / (s.Pdf + cos/math.Pi))
				}
				if l.Shadow {
					v = v.Mul(t.Passes(at.pos, at.n, s.Dir, s.Clear))
				}
				take(v, cos)
			}
		}
		if asked {
			continue
		}
		h := sampling.CosineHemisphere(src.Pair(sampling.Dim(owner, 2)))
		d := bt.Scale(h.X).Add(bb.Scale(h.Y)).Add(at.n.Scale(h.Z))
		v, pdf := c.glow(t, l, at, d, &src)
		if v != (vec.V3{}) {
			take(v.Scale(math.Pi/(1+pdf*math.Pi/max(h.Z, 1e-6))), h.Z)
		}
	}
	return e.scaled(vec.Splat((1 - l.NoDiffuse) / float32(n)))
}

// glow is what a light's surfaces send along d to a site, and the density with which asking
// would have found that.
func (c *Cache) glow(t *world.Tracer, l *light.Light, at *site, d vec.V3, src *sampling.Source) (v vec.V3, pdf float32) {
	sc := c.w.S
	through, travel := vec.Splat(1), float32(0)
	o := world.Leave(at.pos, at.n, d)
	for pane := range uint32(16) {
		tri, hit, ok := t.First(trace.Ray{O: o, D: d, Max: inf}, src.Bits(256+pane))
		if !ok {
			return v, 0
		}
		travel += hit.T
		q := sc.PointAt(tri, hit.U, hit.V)
		m := &sc.Materials[sc.Mat[tri]]
		if l.Has(sc.Mat[tri]) {
			cos := -d.Dot(q.Ng)
			if m.DoubleSided && cos < 0 {
				cos = -cos
			}
			if cos > 0 && !t.Blocked(at.pos, d, travel) {
				return sc.Emission(m, &q).Mul(through), l.SurfacePdf(travel, cos)
			}
			return v, 0
		}
		if !c.w.Clear(tri) {
			return v, 0
		}
		through = through.Mul(surface.Passing(sc, m, &q, d))
		o = world.Leave(q.Pos, q.Ng, d)
	}
	return v, 0
}
