package filter

import (
	"context"

	"willowherb/core/colour"
	"willowherb/core/spread"
)

const (
	// lone is how many times as bright as its surroundings a pixel may be by what only one of
	// its halves has found.
	lone = 16
	// nearby is how many pixels on each side its surroundings are.
	nearby = 7
	// belongs is how many pixels on each side what such a pixel has is taken to belong to,
	// twice over.
	belongs = 16
)

// Lone bounds single pixels that one half of the samples alone has found far brighter than
// their surroundings. What is so rare would be a speck, and spread wide by the filter a
// patch, long before it is a part of the picture; more samples find it in both halves, and
// it stays. Pixels with more samples than those around count for more, and are bounded
// sooner. p is the mean of the halves, in RGB, and diff half their difference, as luminance;
// what is taken is added to lost, as luminance, unless that is nil. It returns what share of each
// pixel is left, and what was taken.
func (f *Filter) Lone(ctx context.Context, p Noisy, diff, lost []float32, workers int) (kept []float32, finds []find, err error) {
	mean, grey := p.Pic, f.under(1, p.Sharp)
	off := func(i int, v float32) float32 { // without albedo: a white spot is no find
		if grey == nil {
			return v
		}
		return v / grey[i]
	}
	part := func(i int) float32 { return off(i, float32(colour.LuminanceAt(mean, 3*i))) }
	weight := func(i int) float32 {
		if p.Weight == nil {
			return 1
		}
		return p.Weight[i]
	}
	found, some := make([]float32, f.w*f.h), make([]float32, f.w*f.h)
	kept = make([]float32, f.w*f.h)
	err = spread.Over(ctx, f.h, workers, func(y int) {
		for i := y * f.w; i < (y+1)*f.w; i++ {
			kept[i] = 1
			if n := weight(i); n > 0 {
				found[i], some[i] = n*max(part(i), 0), 1
			}
		}
	})
	if err == nil {
		err = box(ctx, found, f.w, nearby, workers)
	}
	if err == nil {
		err = box(ctx, some, f.w, nearby, workers)
	}
	if err != nil {
		return nil, nil, err
	}
	across := func(at, n int) int { return min(at+nearby, n-1) - max(at-nearby, 0) + 1 }
	err = spread.Over(ctx, f.h, workers, func(y int) {
		for i := y * f.w; i < (y+1)*f.w; i++ {
			l, d, n := part(i), off(i, diff[i]), weight(i)
			if n == 0 {
				continue
			}
			pixels := float32(across(y, f.h) * across(i-y*f.w, f.w))
			// The mean of the others' sums, of those that have any.
			others := max(found[i]-n*l/pixels, 0) / some[i]
			keep := max(lone*others/n, l-max(d, -d), 0)
			if l <= keep {
				continue
			}
			if lost != nil {
				lost[i] += (1 - keep/l) * float32(colour.LuminanceAt(mean, 3*i))
			}
			kept[i] = keep / l
			diff[i] *= kept[i]
		}
	})
	if err != nil {
		return nil, nil, err
	}
	return kept, take(mean, kept), nil
}

// box makes of each pixel of a picture w wide the mean over those so many around it on each side.
func box(ctx context.Context, pic []float32, w, radius, workers int) error {
	h := len(pic) / max(w, 1)
	rows := make([]float32, len(pic))
	err := spread.Over(ctx, h, workers, func(y int) {
		row, to := pic[y*w:(y+1)*w], rows[y*w:(y+1)*w]
		var sum float64
		lo, hi := 0, 0
		for x := range to {
			for ; hi < min(x+radius+1, w); hi++ {
				sum += float64(row[hi])
			}
			for ; lo < x-radius; lo++ {
				sum -= float64(row[lo])
			}
			to[x] = float32(sum / float64(hi-lo))
		}
	})
	if err != nil {
		return err
	}
	return spread.Over(ctx, h, workers, func(y int) {
		to := pic[y*w : (y+1)*w]
		clear(to)
		lo, hi := max(y-radius, 0), min(y+radius, h-1)
		for k := lo; k <= hi; k++ {
			for x, v := range rows[k*w : (k+1)*w] {
				to[x] += v
			}
		}
		for x := range to {
			to[x] /= float32(hi - lo + 1)
		}
	})
}
