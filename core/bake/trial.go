package bake

import (
	"cmp"
	"context"
	"math"
	"time"

	"willowherb/core/colour"
	"willowherb/core/sampling"
	"willowherb/core/spread"
	"willowherb/core/trace"
)

// Guess is what a bake is expected to take.
type Guess struct {
	Texels  int
	Samples int64         // of texels
	Took    time.Duration // for the map, with the baker's workers
	Noise   float64       // of a texel before it is smoothed, as a share
	// Rate is texel samples a second.
	Rate float64
}

// Try bakes some texels of the plan, spread over it, and tells what all would take. The same
// texels always. Error: ctx ended.
func (b *Baker) Try(ctx context.Context, texels int) (g Guess, err error) {
	const each = 8 // of a patch
	all := 0
	for _, l := range b.Plan.Objects {
		all += l.Cells
	}
	if all == 0 {
		return g, nil
	}
	var works []*work
	var many []int // texels of each
	step := max(all*each/max(texels, 1), 1)
	next := step / 2
	sum := 0
	for _, l := range b.Plan.Objects {
		for p := range l.Patches {
			n := l.Patches[p].W * l.Patches[p].H
			if sum += n; next < sum {
				works, many = append(works, b.work(l.alone(p))), append(many, 0)
				for next < sum {
					next += step
					many[len(many)-1] += each
				}
			}
		}
	}
	begin := time.Now()
	cells := make([]int, len(works))
	errs := make([]error, len(works))
	err = spread.With(ctx, len(works), b.Workers, func() (func(int), func()) {
		t := b.hand()
		return func(i int) {
			trace.Settle()
			w := works[i]
			var list []int
			for k := range many[i] {
				c := min(int(sampling.Chance(seed+uint32(i), uint32(k))*float32(w.l.Cells)), w.l.Cells-1)
				if w.state[c] == nothing {
					t.first(w, c)
					list = append(list, c)
				}
				cells[i]++
			}
			if q := &b.Plan.Quality; q.Most > q.Least {
				if errs[i] = w.share(ctx, 1); errs[i] != nil {
					return
				}
				for _, c := range list {
					t.more(w, c)
				}
			}
		}, t.done
	})
	if err = cmp.Or(append(errs, err)...); err != nil {
		return g, err
	}
	took := time.Since(begin)
	var tried, samples int
	var noise, light float64
	for i, w := range works {
		tried += cells[i]
		for c, n := range w.samples {
			samples += int(n)
			if w.state[c] != lit {
				continue
			}
			var v float64
			for k := range b.Sources {
				gain := colour.LuminanceOf(b.Sources[k].Gain)
				v += gain * gain * float64(w.straightVar[k][c]+w.bouncedVar[k][c])
				light += gain * (colour.LuminanceAt(w.straight[k], 3*c) + colour.LuminanceAt(w.bounced[k], 3*c))
			}
			noise += math.Sqrt(v)
		}
	}
	k := float64(all) / float64(max(tried, 1))
	g.Texels, g.Samples = b.Plan.Texels(), int64(float64(samples)*k)
	g.Took = time.Duration(float64(took) * k * finishing)
	g.Rate = float64(samples) / max(took.Seconds(), 1e-6)
	g.Noise = noise / max(light, 1e-12)
	return g, err
}

// finishing is what smoothing, filling and matching add to the time.
const finishing = 1.3

// alone is an object of one patch.
func (l *Laid) alone(p int) *Laid {
	q := l.Patches[p]
	o := &Laid{Object: l.Object, Path: l.Path, Mesh: l.Mesh, First: l.First, Density: l.Density, Patches: l.Patches[p : p+1], Begin: []int{0}, Cells: q.W * q.H, Key: l.Key}
	o.tri = make([]corner, len(l.tri))
	for i := range o.tri {
		o.tri[i].patch = -1
	}
	for n, t := range q.Tris {
		o.tri[t] = corner{0, int32(n)}
	}
	return o
}
