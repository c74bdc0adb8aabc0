package path

import (
	"context"

	"willowherb/core/cache"
	"willowherb/core/film"
	"willowherb/core/light"
	"willowherb/core/spread"
	"willowherb/core/vec"
)

// pointed takes what comes straight from lamps and the sun out of what the cache knows, where
// that is not enough, and asks for it at the vertex instead: all of it from a lamp beside
// it; of the others, whose light is seen to arrive by the cache, what the surface mirrors,
// which goes one way and not all round.
func (w *Walker) pointed(v *Vertex, s *cache.Spot, known *cache.Known) {
	by := w.by
	w.by = asked
	defer func() { w.by = by }()
	take := func(i int, e vec.V3) {
		w.split(i, film.Bounced, film.BouncedSharp, v.From.Through.Mul(e), v.From.Sharp)
	}
	for i, l := range w.lights {
		if !w.on[i] || !l.Small() && l.Kind != light.Sun {
			continue
		}
		if s.Beside(l) {
			take(i, known.Straight(i).Neg())
			if w.offer(i, l, v, &w.o) {
				w.arrive(v, &w.o)
			}
			continue
		}
		lit := known.Lit(i)
		if lit <= 0 || v.F.F90 == 0 {
			continue
		}
		take(i, known.Glancing(i).Neg())
		if o := &w.o; w.offer(i, l, v, o) {
			whole := o.to.Weight.Y * o.to.Dir.Dot(v.F.N) * l.Near(v.P.Pos)
			take(i, o.glossy.Scale(min(lit/max(whole, 1e-20), 1)))
		}
	}
}

// closest is how near, in metres, a surface may be to where it is looked at from and still
// be asked of the cache: nearer, its light changes within the cache's cells, and the path
// goes on.
const closest = 0.5

// cached ends a path with what the light cache knows of a vertex; false where it has no
// answer, or much of what the surface sends on is mirrored and not yet blurred by a matt
// reflection on the way.
func (w *Walker) cached(v *Vertex) bool {
	if w.table == nil && w.reach == nil || v.Dist < closest || !v.From.Soft && v.F.Mirrors() {
		return false
	}
	s := cache.Spot{Pos: v.P.Pos, N: v.F.Ng, Object: w.world.S.Obj[v.Tri], Dist: v.Dist, Roll: w.src.Bits(w.use(useCache, v.From.Depth, 0)), Half: w.half}
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
	w.pointed(v, &s, &known)
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
