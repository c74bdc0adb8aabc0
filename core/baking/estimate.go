package baking

import (
	"context"
	"math"
	"time"

	"willowherb/core/bake"
	"willowherb/core/setup"
)

// Estimate is what a bake would take, told before it is begun.
type Estimate struct {
	Texels  int     `json:"texels"`
	Pages   int     `json:"pages"`
	Samples int64   `json:"samples"`
	Seconds float64 `json:"seconds"` // on this machine, all its workers
	// Ready is how many of them charts and the light cache take, whatever the samples.
	Ready   float64 `json:"ready"`
	Noise   float64 `json:"noise"`
	MB      float64 `json:"mb"`       // on the target
	LayerMB float64 `json:"layersMB"` // of the layers by light that keep lights live
	Rate    float64 `json:"rate"`     // texel samples a second
}

// tried is how many texels are baked for an estimate.
const tried = 1200

// Guess estimates a bake by a timed sample of the level. The work that it is guessed by can be
// gone on from (Order.Before). Error: ctx ended.
func (o *Order) Guess(ctx context.Context) (e Estimate, w *Work, err error) {
	begin := time.Now()
	if w, err = o.Lay(ctx); err != nil {
		return e, nil, err
	}
	b, err := w.Baker(ctx)
	if err != nil {
		return e, nil, err
	}
	plan := w.Plan
	fixed := time.Since(begin)
	g, err := b.Try(ctx, tried)
	if err != nil {
		return e, nil, err
	}
	e = Estimate{Texels: g.Texels, Pages: len(plan.Pages), Samples: g.Samples, Rate: g.Rate, MB: plan.MB()}
	// Probes and reflection probes take about a fifth of the map, and no less than their rays.
	e.Ready = fixed.Seconds()
	e.Seconds = e.Ready + g.Took.Seconds()*1.2
	// Half of it is taken for detail, and stays.
	e.Noise = g.Noise / math.Sqrt(min(bake.Standing(o.Quality.Smooth), 4*4))
	each := 6.0 // three halves a cell
	if plan.Rules.Directional {
		each *= 2
	}
	for _, l := range plan.Objects {
		e.LayerMB += float64(l.Cells) * each * float64(len(w.Sources)) / (1 << 20)
	}
	return e, w, nil
}

// hasty is under how many seconds a bake has a coarser light cache, which else would take most of
// them.
const hasty = 150

// Hasty is a quality as it is tried for a bake of so many seconds.
func Hasty(q setup.Quality, seconds float64) setup.Quality {
	if seconds < hasty {
		q.Cell, q.Links = max(q.Cell, 1), 0
	}
	return q
}

// Within is a quality whose bake takes about so many seconds once it is ready: fewer samples, and if need be
// fewer texels, than the one that is asked for.
func Within(q setup.Quality, e Estimate, seconds float64) setup.Quality {
	if e.Seconds-e.Ready <= seconds {
		return q
	}
	share := max(seconds, 0.1) / (e.Seconds - e.Ready)
	per := float64(e.Samples) / float64(max(e.Texels, 1)) * share
	q.Most = max(min(q.Most, int(per)), 4)
	q.Least = max(min(q.Least, q.Most), 4)
	if per < 4 {
		q.Density *= math.Sqrt(max(per/4, 0.04))
	}
	q.Rays = max(int(float64(q.Rays)*min(share*2, 1)), 64)
	q.Mirror = max(int(float64(q.Mirror)*min(share*2, 1)), 1)
	return q
}
