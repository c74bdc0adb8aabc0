package path

import (
	"context"
	"math"

	"willowherb/core/cache"
	"willowherb/core/film"
	"willowherb/core/spread"
	"willowherb/core/vec"
)

// A surface nearer than this, in metres, to where it is looked at from, or than beside a
// lamp, has light that changes within the cache's cells: the path goes on there.
const (
	closest = 0.2
	beside  = 0.4
)

// cached asks the light cache for what a vertex sends on, of all lights but those that are
// right beside it; false where the path has to go on for some.
func (w *Walker) cached(v *Vertex) bool {
	if w.table == nil && w.reach == nil || v.Dist < closest {
		return false
	}
	s := cache.Spot{Pos: v.P.Pos, N: v.F.Ng, Object: w.world.S.Obj[v.Tri], Dist: v.Dist, Roll: w.src.Bits(w.use(useCache, v.From.Depth, 0))}
	if w.reach != nil {
		w.reach.Touch(&s)
		return true
	}
	all := w.table.Look(w.tracer, &s)
	if all == nil {
		return false
	}
	k := v.From.Through.Mul(v.F.Albedo()).Scale(1 / math.Pi)
	whole := true
	for i, e := range all {
		switch {
		case !w.wants(i):
		case w.beside(i, v.P.Pos):
			whole = false
		default:
			w.split(i, film.Bounced, film.BouncedSharp, k.Mul(e), v.From.Sharp)
			w.done[i] = true
		}
	}
	w.some = true
	return whole
}

func (w *Walker) beside(i int, p vec.V3) bool {
	if !w.lights[i].Small() {
		return false
	}
	d := p.Sub(w.lights[i].Pos)
	return d.Dot(d) < beside*beside
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
