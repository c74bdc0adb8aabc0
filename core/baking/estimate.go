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
	Noise   float64 `json:"noise"`
	MB      float64 `json:"mb"`       // on the target
	LayerMB float64 `json:"layersMB"` // of the layers by light that keep lights live
	Rate    float64 `json:"rate"`     // texel samples a second
}

// tried is how many texels are baked for an estimate.
const tried = 1200

// Guess estimates a bake by a timed sample of the level. Error: ctx ended.
func (o *Order) Guess(ctx context.Context) (e Estimate, err error) {
	begin := time.Now()
	w, err := o.Lay(ctx)
	if err != nil {
		return e, err
	}
	b, err := w.Baker(ctx)
	if err != nil {
		return e, err
	}
	plan := w.Plan
	fixed := time.Since(begin)
	g, err := b.Try(ctx, tried)
	if err != nil {
		return e, err
	}
	e = Estimate{Texels: g.Texels, Pages: len(plan.Pages), Samples: g.Samples, Rate: g.Rate, MB: plan.MB()}
	// Probes and reflection probes take about a fifth of the map, and no less than their rays.
	e.Seconds = fixed.Seconds() + g.Took.Seconds()*1.2
	// Half of it is taken for detail, and stays.
	e.Noise = g.Noise / math.Sqrt(min(bake.Standing(o.Quality.Smooth), 4*4))
	for _, l := range plan.Objects {
		e.LayerMB += float64(l.Cells) * 6 * float64(len(w.Sources)) / (1 << 20)
	}
	return e, nil
}

// Within is a quality whose bake takes about so many seconds: fewer samples, and if need be
// fewer texels, than the one that is asked for.
func Within(q setup.Quality, e Estimate, seconds float64) setup.Quality {
	if seconds <= 0 || e.Seconds <= seconds {
		return q
	}
	share := seconds / e.Seconds
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
