package bake

import (
	"context"
	"math"

	"willowherb/core/colour"
	"willowherb/core/spread"
	"willowherb/core/vec"
)

// first takes the first samples of a cell, and finds which of its places count.
func (h *hand) first(w *work, cell int) {
	places := w.places[cell*parts*parts : (cell+1)*parts*parts]
	var use []int
	for k := range places {
		if places[k].Tri >= 0 {
			use = append(use, k)
		}
	}
	if len(use) == 0 {
		return
	}
	mid := &places[use[0]]
	w.pos[cell], w.n[cell] = w.spot(mid)
	for i := range h.b.Sources {
		h.on[i] = w.want == nil || w.want[i]
	}
	h.begin()
	h.take(w, cell, use, 0, max(w.b.Plan.Quality.Least, len(use)))
	w.samples[cell] = int64(max(w.b.Plan.Quality.Least, len(use)))
	// Places that saw only backs lie within something solid.
	kept := use[:0:0]
	for _, k := range use {
		if h.t.n[k] > h.t.back[k] {
			kept = append(kept, k)
		}
	}
	if len(kept) == 0 {
		w.state[cell] = buried
		return
	}
	w.state[cell] = lit
	kept = h.largest(w, places, kept)
	w.use[cell] = 0
	for _, k := range kept {
		w.use[cell] |= 1 << k
	}
	w.pos[cell], w.n[cell] = w.spot(&places[kept[0]])
	for i := range h.b.Sources {
		if h.on[i] {
			w.put(i, cell, h.mean(i, kept))
		}
	}
}

// put keeps what was found of a light for a cell.
func (w *work) put(i, cell int, m means) {
	o := 3 * cell
	w.straight[i][o], w.straight[i][o+1], w.straight[i][o+2] = m.straight.X, m.straight.Y, m.straight.Z
	w.bounced[i][o], w.bounced[i][o+1], w.bounced[i][o+2] = m.bounced.X, m.bounced.Y, m.bounced.Z
	w.straightVar[i][cell], w.bouncedVar[i][cell] = m.straightVar, m.bouncedVar
	if w.lean != nil {
		w.lean[i][o], w.lean[i][o+1], w.lean[i][o+2] = m.lean.X, m.lean.Y, m.lean.Z
	}
}

// begin forgets what was taken.
func (h *hand) begin() {
	for k := range h.t.sums {
		h.t.n[k], h.t.back[k] = 0, 0
		clear(h.t.sums[k])
	}
}

// take takes many samples of a cell, over some of its places by turns; from is the number of
// the first.
func (h *hand) take(w *work, cell int, use []int, from, many int) {
	l := w.l
	places := w.places[cell*parts*parts : (cell+1)*parts*parts]
	// Backs nearer than this are of what the texel lies in.
	deep := float32(4 * max(l.Texel(uint32(l.First)+uint32(places[use[0]].Tri)), 0.05))
	h.k.Ask(h.on, h.straight)
	for n := from; n < from+many; n++ {
		at := use[n%len(use)]
		h.k.With(h.b.table, (n^n/len(use))&1)
		g := h.b.start(h.k, l, &places[at], cell, n)
		h.t.n[at]++
		if g.Back && g.Dist < deep {
			h.t.back[at]++
		}
		for i := range h.b.Sources {
			if h.on[i] {
				a, c := h.k.Irradiance(i)
				h.t.sums[at][i].add(a, c)
				if h.leans {
					_, n := w.spot(&places[at])
					h.t.sums[at][i].lean = h.t.sums[at][i].lean.Add(h.k.Lean(i, n))
				}
			}
		}
	}
}

func (s *taken) add(straight, bounced vec.V3) {
	s.n++
	if straight != (vec.V3{}) {
		s.straight = s.straight.Add(straight)
		y := colour.LuminanceOf(straight)
		s.straight2 += y * y
	}
	if bounced != (vec.V3{}) {
		s.bounced = s.bounced.Add(bounced)
		y := colour.LuminanceOf(bounced)
		s.bounced2 += y * y
	}
}

// dim is the share of what a light gives to the place on average under which its noise does
// not count; pool is over how many texels each way noise is judged, and pooled over how many
// texels at least. A texel's own samples, few, do not tell what they missed: those that missed
// would have no more, and the map would be dark.
const (
	dim      = 0.1
	pool     = 12
	together = 400.0
)

// share decides how many samples each light still wants in each cell: by its noise about there,
// of itself alone, so that company changes nothing. Error: ctx ended.
func (w *work) share(ctx context.Context, workers int) error {
	q := &w.b.Plan.Quality
	w.extra = make([][]uint16, len(w.b.Sources))
	return spread.Over(ctx, len(w.b.Sources), workers, func(i int) {
		if w.want != nil && !w.want[i] {
			return
		}
		extra := make([]uint16, w.l.Cells)
		mean, noise := make([]float64, w.l.Cells), make([]float64, w.l.Cells)
		var whole, texels float64 // noise of the object, as shares of what its texels are
		for c, s := range w.state {
			if s == lit {
				o := 3 * c
				mean[c] = colour.LuminanceOf(vec.V3{X: w.straight[i][o] + w.bounced[i][o], Y: w.straight[i][o+1] + w.bounced[i][o+1], Z: w.straight[i][o+2] + w.bounced[i][o+2]})
				noise[c] = float64(w.straightVar[i][c]) + float64(w.bouncedVar[i][c])
			}
		}
		floor := dim * w.b.level[i]
		var all float64
		for c, s := range w.state {
			if s == lit {
				all, texels = all+mean[c], texels+1
				whole += noise[c]
			}
		}
		if texels == 0 {
			w.extra[i] = extra
			return
		}
		whole /= texels * math.Pow(max(all/texels, floor, 1e-12), 2)
		for p := range w.l.Patches {
			t := &w.l.Patches[p]
			begin := w.l.Begin[p]
			end := begin + t.W*t.H
			m, v := pooled(mean[begin:end], noise[begin:end], w.state[begin:end], t.W, t.H, pool)
			for k := range t.W * t.H {
				if w.state[begin+k] != lit {
					continue
				}
				y := max(m[k], floor, 1e-12)
				n := math.Min(float64(t.W*t.H), float64((2*pool+1)*(2*pool+1)))
				rel := v[k] / (y * y)
				if n < together {
					rel = (n*rel + (together-n)*whole) / together
				}
				need := float64(q.Least) * (rel/(q.Noise*q.Noise) - 1)
				extra[begin+k] = uint16(min(max(need, 0), float64(q.Most-q.Least)))
			}
		}
		w.extra[i] = extra
	})
}

// pooled are the means of a patch's values over the texels about each, by running sums.
func pooled(mean, noise []float64, st []state, wide, high, far int) (m, v []float64) {
	type sums struct{ m, v, n float64 }
	rows := make([]sums, wide*high)
	m, v = make([]float64, wide*high), make([]float64, wide*high)
	run := func(at func(k int) sums, put func(k int, s sums), n int) {
		var s sums
		for k := -far; k < n; k++ {
			if in := k + far; in < n {
				a := at(in)
				s.m, s.v, s.n = s.m+a.m, s.v+a.v, s.n+a.n
			}
			if out := k - far - 1; out >= 0 {
				a := at(out)
				s.m, s.v, s.n = s.m-a.m, s.v-a.v, s.n-a.n
			}
			if k >= 0 {
				put(k, s)
			}
		}
	}
	for y := range high {
		run(func(x int) sums {
			c := y*wide + x
			if st[c] != lit {
				return sums{}
			}
			return sums{mean[c], noise[c], 1}
		}, func(x int, s sums) { rows[y*wide+x] = s }, wide)
	}
	for x := range wide {
		run(func(y int) sums { return rows[y*wide+x] }, func(y int, s sums) {
			if s.n >= 1 {
				m[y*wide+x], v[y*wide+x] = s.m/s.n, max(s.v, 0)/s.n
			}
		}, high)
	}
	return m, v
}

// step is how many samples are taken between two looks at which lights have enough.
const step = 8

// more takes the samples that lights still want in a cell, and puts them to the first by their
// numbers.
func (h *hand) more(w *work, cell int) {
	if w.state[cell] != lit {
		return
	}
	var use []int
	for k := range parts * parts {
		if w.use[cell]>>k&1 != 0 {
			use = append(use, k)
		}
	}
	h.begin()
	from := int(w.samples[cell])
	for done := 0; ; done += step {
		any := false
		for i := range h.b.Sources {
			h.on[i] = w.extra[i] != nil && int(w.extra[i][cell]) > done
			any = any || h.on[i]
		}
		if !any {
			break
		}
		h.take(w, cell, use, from+done, step)
		w.samples[cell] += step
	}
	for i := range h.b.Sources {
		if w.extra[i] == nil || w.extra[i][cell] == 0 {
			continue
		}
		b := h.mean(i, use)
		n := float32((int(w.extra[i][cell]) + step - 1) / step * step)
		o := 3 * cell
		a := means{vec.V3{X: w.straight[i][o], Y: w.straight[i][o+1], Z: w.straight[i][o+2]}, vec.V3{X: w.bounced[i][o], Y: w.bounced[i][o+1], Z: w.bounced[i][o+2]}, vec.V3{}, w.straightVar[i][cell], w.bouncedVar[i][cell]}
		if w.lean != nil {
			a.lean = vec.V3{X: w.lean[i][o], Y: w.lean[i][o+1], Z: w.lean[i][o+2]}
		}
		w.put(i, cell, a.with(float32(from), &b, n))
	}
}

// with is the mean of two means of so many samples each.
func (a *means) with(n float32, b *means, m float32) means {
	p, q := n/(n+m), m/(n+m)
	return means{a.straight.Scale(p).Add(b.straight.Scale(q)), a.bounced.Scale(p).Add(b.bounced.Scale(q)), a.lean.Scale(p).Add(b.lean.Scale(q)), p*p*a.straightVar + q*q*b.straightVar, p*p*a.bouncedVar + q*q*b.bouncedVar}
}

// means are what was found of a light in a cell, in lux at unit output, with the variances of
// the luminance of the means.
type means struct {
	straight, bounced, lean vec.V3
	straightVar, bouncedVar float32
}
