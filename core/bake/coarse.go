package bake

import "math"

// Coarser is the map as it would be by a plan with fewer texels of the same place: what a wider
// texel has on average, and evenly from one to the next; without the objects that are not in that
// plan's map. The map keeps its own texels, so that it is looked up as before.
func (s *Shown) Coarser(by *Plan) *Shown {
	out := &Shown{s.plan, map[*Laid][]float32{}, map[*Laid][]float32{}}
	for l, lux := range s.lux {
		if to := by.Of(l.Object); to != nil {
			out.lux[l], out.lean[l] = l.coarser(lux, to), l.coarser(s.lean[l], to)
		}
	}
	return out
}

// wider are the texels of one axis of a patch: n of them, each step of the finer ones.
type wider struct {
	n    int
	step float64
}

// widerThan lays fewer texels out as unwrap.Fit does: the first and the last on the border.
func widerThan(texels, fewer int) wider {
	if fewer = min(fewer, texels); fewer == 1 {
		return wider{1, float64(texels)}
	}
	return wider{fewer, float64(texels-1) / float64(fewer-1)}
}

// near are the wider texels between which a finer one lies, and the share of the second.
func (w wider) near(i int) (a, b int, t float64) {
	if w.n == 1 {
		return 0, 0, 0
	}
	at := float64(i) / w.step
	a = min(int(at), w.n-2)
	return a, a + 1, at - float64(a)
}

// over are the wider texels that a finer one lies in, and the share of it in the second.
func (w wider) over(i int) (a, b int, t float64) {
	lo, hi := (float64(i)-0.5)/w.step, (float64(i)+0.5)/w.step
	a, b = max(int(math.Round(lo)), 0), min(int(math.Round(hi)), w.n-1)
	if a >= b {
		return b, b, 0
	}
	return a, b, (hi - (float64(a) + 0.5)) / (hi - lo)
}

// fewer is how many texels a patch has in another layout of the object.
func (l *Laid) fewer(p int, to *Laid) (w, h int) {
	q := &l.Patches[p]
	if len(to.Patches) == len(l.Patches) {
		return to.Patches[p].W, to.Patches[p].H
	}
	// Its charts are others, which so few texels can be.
	k := to.Density / l.Density
	return int(math.Round(float64(q.W-1)*k)) + 1, int(math.Round(float64(q.H-1)*k)) + 1
}

func (l *Laid) coarser(v []float32, to *Laid) []float32 {
	if v == nil {
		return nil
	}
	out := make([]float32, len(v))
	copy(out, v)
	for p := range l.Patches {
		q := &l.Patches[p]
		w, h := l.fewer(p, to)
		if w >= q.W && h >= q.H {
			continue
		}
		across, down := widerThan(q.W, w), widerThan(q.H, h)
		sum, n := make([]float64, 3*across.n*down.n), make([]float64, across.n*down.n)
		type spread func(w wider, i int) (a, b int, t float64)
		each := func(of spread, do func(cell, to int, share float64)) {
			for y := range q.H {
				y0, y1, ty := of(down, y)
				for x := range q.W {
					cell := l.Begin[p] + y*q.W + x
					if !l.Has[cell] {
						continue
					}
					x0, x1, tx := of(across, x)
					do(cell, y0*across.n+x0, (1-tx)*(1-ty))
					do(cell, y0*across.n+x1, tx*(1-ty))
					do(cell, y1*across.n+x0, (1-tx)*ty)
					do(cell, y1*across.n+x1, tx*ty)
				}
			}
		}
		each(wider.over, func(cell, to int, share float64) {
			n[to] += share
			for c := range 3 {
				sum[3*to+c] += share * float64(v[3*cell+c])
			}
		})
		got := make([]float64, 3*q.W*q.H)
		each(wider.near, func(cell, to int, share float64) {
			for c := range 3 {
				if n[to] > 0 {
					got[3*(cell-l.Begin[p])+c] += share * sum[3*to+c] / n[to]
				}
			}
		})
		for c := range q.W * q.H {
			if l.Has[l.Begin[p]+c] {
				for ch := range 3 {
					out[3*(l.Begin[p]+c)+ch] = float32(got[3*c+ch])
				}
			}
		}
	}
	return out
}
