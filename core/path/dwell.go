package path

import (
	"context"
	"math"
	"sync/atomic"

	"willowherb/core/colour"
	"willowherb/core/film"
	"willowherb/core/spread"
)

const (
	// mostMore bounds the pairs of paths that Dwell takes of a pixel at a time.
	mostMore = 32
	// moreFrom is the number in its half of the first path that Dwell takes of a pixel: far
	// beyond those of all samples.
	moreFrom = 1 << 20
	// judged is how many pixels on each side tell what a pixel's paths find by chance.
	judged = 4
)

// byPaths are the kinds that paths find on a cover.
var byPaths = []film.Kind{film.DirectSharp, film.Bounced, film.BouncedSharp, film.Met, film.Reflected}

// Dwell takes about so many more paths on the pass's cover, in pairs of one for each half,
// in the pixels where what they find is shown with the greatest error: in proportion to
// slope and deviation, as Spend does for what is asked. It returns how many it took.
func (p *Pass) Dwell(ctx context.Context, worth Worth, paths, workers int) (int, error) {
	scores, err := p.strays(ctx, worth, workers)
	if err != nil {
		return 0, err
	}
	cover, first := p.Layers[0].Cover, p.Layers[0]
	tx := film.Tiles(p.W)
	many := func(x, y int, scale float32) int {
		n := first.Paths(x, y) / 2
		return min(due(scores[y*p.W+x], scale, uint16(min(n, math.MaxUint16/2))), mostMore)
	}
	scale, err := p.upTo(ctx, paths/2, workers, func(t int, scale float32) (n int) {
		x0, y0 := t%tx*film.TileSize, t/tx*film.TileSize
		for y := y0; y < min(y0+film.TileSize, p.H); y++ {
			for x := x0; x < min(x0+film.TileSize, p.W); x++ {
				n += many(x, y, scale)
			}
		}
		return n
	})
	if err != nil {
		return 0, err
	}
	for _, l := range p.Layers {
		if l.More == nil {
			l.More = make([]*[film.TileSize * film.TileSize]uint16, len(cover.Tiles))
		}
	}
	var taken atomic.Int64
	err = spread.With(ctx, len(cover.Tiles), workers, func() (func(int), func()) {
		w := p.painter()
		return func(t int) {
			w.pixels(t, func(x, y int) {
				n := many(x, y, scale)
				if n == 0 {
					return
				}
				at := y%film.TileSize*film.TileSize + x%film.TileSize
				has := 0
				if m := first.More[t]; m != nil {
					has = int(m[at])
				}
				n = min(n, math.MaxUint16-has)
				for k := has; k < has+n; k++ {
					w.look(t, x, y, 2*(moreFrom+k), beyond)
					w.look(t, x, y, 2*(moreFrom+k)+1, beyond)
				}
				for _, l := range p.Layers {
					if l.More[t] == nil {
						l.More[t] = new([film.TileSize * film.TileSize]uint16)
					}
					l.More[t][at] = uint16(has + n)
				}
				taken.Add(int64(2 * n))
			})
		}, w.tracer.Release
	})
	return int(taken.Load()), err
}

// strays are, for each pixel, what its pairs of paths should be in proportion to.
func (p *Pass) strays(ctx context.Context, worth Worth, workers int) ([]float32, error) {
	diff := make([]float32, 3*p.W*p.H)
	for i, l := range p.Layers {
		for _, k := range byPaths {
			l.HalfDifference(k, worth.Gains[i], diff)
		}
	}
	first := p.Layers[0]
	own := make([]float32, p.W*p.H) // the variance of one pair; under nought: not known
	out := make([]float32, p.W*p.H)
	err := spread.Over(ctx, p.H, workers, func(y int) {
		for x := range p.W {
			i := y*p.W + x
			n := first.Paths(x, y) / 2
			if n == 0 {
				own[i] = -1
				continue
			}
			d := float32(colour.LuminanceAt(diff, 3*i))
			own[i] = d * d * float32(n)
		}
	})
	if err != nil {
		return nil, err
	}
	return out, spread.Over(ctx, p.H, workers, func(y int) {
		for x := range p.W {
			i := y*p.W + x
			var sum, many, slope, beside float32
			for yy := max(y-judged, 0); yy <= min(y+judged, p.H-1); yy++ {
				for xx := max(x-judged, 0); xx <= min(x+judged, p.W-1); xx++ {
					// What the pixel itself has found does not count, or the mean would be too dark
					// where that asks for more, and too bright where it hides what is missing.
					q := yy*p.W + xx
					if q != i && own[q] >= 0 {
						sum, many = sum+own[q], many+1
					}
					if xx-x > 1 || x-xx > 1 || yy-y > 1 || y-yy > 1 {
						slope, beside = slope+worth.Slope[q], beside+1
					}
				}
			}
			v := sum / max(many, 1)
			if n := float32(first.Paths(x, y) / 2); n >= trusted {
				v = (n*own[i] + trusted*v) / (n + trusted)
			}
			out[i] = slope / max(beside, 1) * float32(math.Sqrt(float64(v)))
		}
	})
}
