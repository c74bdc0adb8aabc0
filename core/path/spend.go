package path

import (
	"context"
	"math"
	"sync/atomic"

	"willowherb/core/colour"
	"willowherb/core/film"
	"willowherb/core/spread"
	"willowherb/core/vec"
)

// Worth says what an error in the light of a pass's layers is worth: what each layer is
// multiplied by, and how steeply each pixel of the picture shows a change of luminance.
type Worth struct {
	Gains []vec.V3
	Slope []float32
}

// A round of Spend gives a cell at most growth times the samples that it has, and growth
// more.
const growth = 3

// trusted is how many samples of a cell its own variance is worth as much as its
// neighbours' after.
const trusted = 24

// Spend takes about so many samples of what comes straight from lights, on the cells of
// the pass's cover, where the error that is still shown is greatest for its cost: in
// proportion to slope, share and deviation (Neyman allocation). It returns how many it
// took.
func (p *Pass) Spend(ctx context.Context, worth Worth, samples, workers int) (int, error) {
	scores, err := p.scores(ctx, worth, workers)
	if err != nil {
		return 0, err
	}
	scale, err := p.upTo(ctx, samples, workers, func(t int, scale float32) (n int) {
		for i := range scores {
			taken := []uint16(nil)
			if scores[i][t] != nil {
				taken = p.Layers[i].Lit[t].Taken
			}
			for c, s := range scores[i][t] {
				n += due(s, scale, taken[c])
			}
		}
		return n
	})
	if err != nil {
		return 0, err
	}
	var taken atomic.Int64
	err = spread.With(ctx, len(p.Layers[0].Count), workers, func() (func(int), func()) {
		w := p.painter()
		return func(t int) {
			n := 0
			w.ask(t, func(i, c int) int {
				s := scores[i][t]
				if s == nil {
					return 0
				}
				q := due(s[c], scale, p.Layers[i].Lit[t].Taken[c])
				n += q
				return q
			})
			taken.Add(int64(n))
		}, w.tracer.Release
	})
	if err == nil {
		for _, l := range p.Layers {
			l.Detailed++
		}
	}
	return int(taken.Load()), err
}

// due is how many more samples a cell gets that has n, where scale times its score is what
// it should have.
func due(score, scale float32, n uint16) int {
	want := score*scale - float32(n)
	if !(want >= 1) {
		return 0
	}
	return min(int(want), growth*int(n)+growth, math.MaxUint16/2-int(n))
}

// upTo finds what scores are multiplied by so that about so many samples are due; of is how
// many are in a tile.
func (p *Pass) upTo(ctx context.Context, samples, workers int, of func(tile int, scale float32) int) (float32, error) {
	lo, hi := -20.0, 60.0 // as powers of two
	for range 14 {
		mid := (lo + hi) / 2
		scale := float32(math.Exp2(mid))
		var sum atomic.Int64
		err := spread.Over(ctx, len(p.Layers[0].Count), workers, func(t int) {
			sum.Add(int64(of(t, scale)))
		})
		if err != nil {
			return 0, err
		}
		if int(sum.Load()) < samples {
			lo = mid
		} else {
			hi = mid
		}
	}
	return float32(math.Exp2((lo + hi) / 2)), nil
}

// scores are, for each layer and tile, what a cell's samples should be in proportion to.
func (p *Pass) scores(ctx context.Context, worth Worth, workers int) ([][][]float32, error) {
	out := make([][][]float32, len(p.Layers))
	cover := p.Layers[0].Cover
	tx := film.Tiles(p.W)
	for i, l := range p.Layers {
		out[i] = make([][]float32, len(l.Lit))
		if worth.Gains[i] == (vec.V3{}) {
			continue
		}
		// Of what is rarely found more samples only where something was found would make the
		// mean much darker than the truth: their neighbours decide.
		rare := p.Lights[i].Shows()
		// The variance of one sample, for each cell, and for each pixel over its cells.
		own := make([][]float32, len(l.Lit))
		whole := make([]float32, p.W*p.H)
		err := spread.Over(ctx, len(l.Lit), workers, func(t int) {
			lit := l.Lit[t]
			if lit == nil || lit.Sum[0] == nil && lit.Sum[1] == nil {
				return
			}
			own[t] = make([]float32, len(lit.Taken))
			x0, y0 := t%tx*film.TileSize, t/tx*film.TileSize
			for y := y0; y < min(y0+film.TileSize, p.H); y++ {
				for x := x0; x < min(x0+film.TileSize, p.W); x++ {
					from, to := cover.Tiles[t].Of(x, y)
					for c := from; c < to; c++ {
						n := lit.Taken[c]
						if n < 2 {
							continue
						}
						a, b := lit.Halves(c)
						d := float32(colour.LuminanceOf(a.Sub(b).Mul(worth.Gains[i]))) / 2
						own[t][c] = d * d * float32(n)
						whole[y*p.W+x] += own[t][c] * cover.Tiles[t].Cells[c].Share
					}
				}
			}
		})
		if err != nil {
			return nil, err
		}
		err = spread.Over(ctx, len(l.Lit), workers, func(t int) {
			lit := l.Lit[t]
			if lit == nil {
				return
			}
			x0, y0 := t%tx*film.TileSize, t/tx*film.TileSize
			for y := y0; y < min(y0+film.TileSize, p.H); y++ {
				for x := x0; x < min(x0+film.TileSize, p.W); x++ {
					var around, many float32
					for yy := max(y-1, 0); yy <= min(y+1, p.H-1); yy++ {
						for xx := max(x-1, 0); xx <= min(x+1, p.W-1); xx++ {
							around += whole[yy*p.W+xx]
							many++
						}
					}
					if around /= many; rare { // the pixel itself does not count
						around = (around*many - whole[y*p.W+x]) / max(many-1, 1)
					}
					if around <= 0 {
						continue
					}
					if out[i][t] == nil {
						out[i][t] = make([]float32, len(lit.Taken))
					}
					from, to := cover.Tiles[t].Of(x, y)
					for c := from; c < to; c++ {
						n, v := float32(lit.Taken[c]), float32(0)
						if own[t] != nil {
							v = own[t][c]
						}
						if rare && n < trusted {
							n = 0
						}
						v = (n*v + trusted*around) / (n + trusted)
						out[i][t][c] = worth.Slope[y*p.W+x] * cover.Tiles[t].Cells[c].Share * float32(math.Sqrt(float64(v)))
					}
				}
			}
		})
		if err != nil {
			return nil, err
		}
	}
	return out, nil
}
