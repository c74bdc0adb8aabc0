package path

import (
	"context"

	"willowherb/core/cache"
	"willowherb/core/film"
	"willowherb/core/spread"
	"willowherb/core/vec"
)

// closest is how near, in metres, a surface may be to where it is looked at from and still
// be asked of the cache: nearer, its light changes within the cache's cells, and the path
// goes on.
const closest = 0.2

// cached ends a path with what the light cache knows of a vertex; false where it has no
// answer, or the surface mirrors more than it scatters. What comes straight from a lamp close by changes within the cache's cells: that
// is asked for at the vertex.
func (w *Walker) cached(v *Vertex) bool {
	if w.table == nil && w.reach == nil || v.Dist < closest || v.F.Mirrors() {
		return false
	}
	s := cache.Spot{Pos: v.P.Pos, N: v.F.Ng, Object: w.world.S.Obj[v.Tri], Dist: v.Dist, Roll: w.src.Bits(w.use(useCache, v.From.Depth, 0))}
	if w.reach != nil {
		w.reach.Touch(&s)
		return true
	}
	known, ok := w.table.Look(w.tracer, &s)
	if !ok {
		return false
	}
	known.For(&v.F)
	k := v.From.Through
	for _, i := range w.small {
		l := w.lights[i]
		if !w.on[i] || !s.Beside(l) {
			continue
		}
		w.split(i, film.Bounced, film.BouncedSharp, k.Mul(known.Straight(i)).Neg(), v.From.Sharp)
		by := w.by
		w.by = asked
		if w.offer(i, l, v, &w.o) {
			w.arrive(v, &w.o)
		}
		w.by = by
	}
	if w.gains != nil { // the table has all of them in one
		e := k.Mul(known.Sum())
		w.add(0, film.Bounced, e.Mul(vec.Splat(1).Sub(v.From.Sharp)))
		w.add(0, film.BouncedSharp, e.Mul(v.From.Sharp))
		return true
	}
	for i := range w.lights {
		if e := known.Of(i); w.on[i] && e != (vec.V3{}) {
			w.split(i, film.Bounced, film.BouncedSharp, k.Mul(e), v.From.Sharp)
		}
	}
	return true
}

// Touch follows the first paths of a picture to the places whose light they would ask the
// cache for: one path in one pixel of `every` on each axis.
func (p *Pass) Touch(ctx context.Context, r *cache.Reach, every, workers int) error {
	rows := (p.H + every - 1) / every
	return spread.With(ctx, rows, workers, func() (func(int), func()) {
		w := p.painter()
		w.reach, w.only = r, byWay
		for i := range w.on {
			w.on[i] = false
		}
		return func(row int) {
			for x := 0; x < p.W; x += every {
				for y := row * every; y < min(row*every+1, p.H); y++ {
					w.shoot(x, y, 0, 0)
				}
			}
		}, w.tracer.Release
	})
}
