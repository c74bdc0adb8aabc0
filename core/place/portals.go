package place

import (
	"context"
	"math"

	"willowherb/core/light"
	"willowherb/core/sampling"
	"willowherb/core/spread"
	"willowherb/core/trace"
	"willowherb/core/vec"
	"willowherb/core/world"
)

// Bounds of the search for portals.
const (
	lookouts  = 12288 // surface points that look for the sky
	fewEscape = 0.25  // of a point's rays: more, and it lies outdoors
	tries     = 96    // openings that are fitted, at most
)

// Portals finds the openings through which rooms see the sky: windows and doors in walls.
// Points spread over the surfaces look around; where few of a point's rays leave the
// place, the opening that they leave by is fitted. The same world has the same portals.
func Portals(ctx context.Context, w *world.World, workers int) ([]light.Portal, error) {
	type ray struct{ o, d vec.V3 }
	found := make([][]ray, lookouts)
	at := evenly(w, lookouts)
	err := spread.With(ctx, len(at), workers, func() (func(int), func()) {
		t := w.Tracer()
		return func(i int) {
			const rays = 16
			bt, bb := vec.Basis(at[i].n)
			o := at[i].pos.Add(at[i].n.Scale(0.02))
			var out []ray
			for k := range uint32(rays) {
				h := sampling.CosineHemisphere(sampling.New(0x9216d5d9, uint32(i), k).Pair(0))
				d := bt.Scale(h.X).Add(bb.Scale(h.Y)).Add(at[i].n.Scale(h.Z))
				if d.Y > -0.05 && t.Passes(o, vec.V3{}, d, inf) != (vec.V3{}) {
					out = append(out, ray{o, d})
				}
			}
			if len(out) <= rays*fewEscape {
				found[i] = out
			}
		}, t.Release
	})
	if err != nil {
		return nil, err
	}
	var out []light.Portal
	left := tries
	for _, rays := range found {
	next:
		for _, r := range rays {
			for k := range out {
				if out[k].Near(r.o, r.d, 1.3) {
					continue next
				}
			}
			if left--; left < 0 {
				return out, nil
			}
			if ctx.Err() != nil {
				return nil, context.Cause(ctx)
			}
			p := &Picture{World: w, View: world.Camera{Eye: r.o}}
			f, err := p.fit(r.d, inf)
			if err != nil || f.w*f.h < 0.02 {
				continue
			}
			q := light.Portal{Centre: f.centre, N: f.n, U: f.u, V: f.v, W: f.w, H: f.h}
			q.Lo, q.Hi = room(w, &q)
			out = append(out, q)
		}
	}
	return out, nil
}

var inf = float32(math.Inf(1))

type lookout struct{ pos, n vec.V3 }

// evenly spreads points over the world's surfaces, by what they count, on a side of chance.
func evenly(w *world.World, many int) []lookout {
	s := w.S
	var total float64
	counts := s.Counts(nil)
	for _, c := range counts {
		total += c
	}
	out := make([]lookout, 0, many)
	step := total / float64(many)
	next, sum := step/2, 0.0
	for t := range uint32(s.Triangles()) {
		_, n := s.Area(t)
		sum += counts[t]
		for ; next < sum && len(out) < many; next += step {
			i := uint32(len(out))
			u := sampling.New(0x85a308d3, i, 0).Pair(0)
			if u.X+u.Y > 1 {
				u.X, u.Y = 1-u.X, 1-u.Y
			}
			p := s.PointAt(t, u.X, u.Y)
			if sampling.Chance(0x13198a2e, i) < 0.5 {
				n = n.Neg()
			}
			out = append(out, lookout{p.Pos, n})
		}
	}
	return out
}

// room bounds what lies before a portal, as far as rays from it go.
func room(w *world.World, q *light.Portal) (lo, hi vec.V3) {
	t := w.Tracer()
	defer t.Release()
	o := q.Centre.Add(q.N.Scale(0.05))
	lo, hi = o, o
	bt, bb := vec.Basis(q.N)
	for k := range uint32(256) {
		h := sampling.CosineHemisphere(sampling.New(0x299f31d0, 0, k).Pair(0))
		d := bt.Scale(h.X).Add(bb.Scale(h.Y)).Add(q.N.Scale(h.Z))
		if _, hit, ok := t.First(trace.Ray{O: o, D: d, Max: inf}, world.Even); ok {
			p := o.Add(d.Scale(hit.T))
			lo, hi = vec.Min3(lo, p), vec.Max3(hi, p)
		}
	}
	return lo.Sub(vec.Splat(0.1)), hi.Add(vec.Splat(0.1))
}
