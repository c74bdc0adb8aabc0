package filter

import (
	"context"
	"math"
	"slices"

	"willowherb/core/colour"
	"willowherb/core/spread"
)

// Blend says, pixel by pixel, how much of each level of the filter a picture is made of.
type Blend struct {
	weights [][]float32 // for each level from 0, not filtered
}

// around is how many pixels on each side tell what a level's error is: with fewer, chance
// finds little of it in some places, and the levels that are chosen there make them dark.
const around = 9

// group is a picture to be blended of the filter's levels up to the last, given
// as the mean of its halves and half their difference.
type group struct {
	mean, diff []float32
	last       int
	at         [][2][]float32 // the same two at every level, RGB
	lum        [][2][]float32 // and as luminance
	Blend
}

// Choose weighs the levels of the filter for a picture, given as the mean of its halves
// and half their difference: by the noise that a level leaves, which the difference tells,
// and by what it spoils. With A and B the halves, (F A - A)(F B - B) has the square of the
// bias of the level F for its mean.
func (f *Filter) Choose(ctx context.Context, mean, diff []float32, last, workers int) (*Blend, error) {
	g := &group{mean: mean, diff: diff, last: last}
	if err := f.choose(ctx, []*group{g}, workers); err != nil {
		return nil, err
	}
	return &g.Blend, nil
}

// choose filters some groups at once and weighs their levels.
func (f *Filter) choose(ctx context.Context, groups []*group, workers int) error {
	n := f.w * f.h
	var pictures []Noisy
	of := map[*float32]*group{}
	for _, g := range groups {
		g.at, g.lum, g.weights = make([][2][]float32, g.last+1), make([][2][]float32, g.last+1), make([][]float32, g.last+1)
		for l := range g.at {
			g.weights[l] = make([]float32, n)
			for k := range 2 {
				g.lum[l][k], g.at[l][k] = make([]float32, n), make([]float32, 3*n)
			}
		}
		pictures = append(pictures, Noisy{RGB: g.mean, Levels: g.last}, Noisy{RGB: g.diff, Levels: g.last})
		of[&g.mean[0]], of[&g.diff[0]] = g, g
	}
	slices.SortStableFunc(pictures, func(a, b Noisy) int { return b.Levels - a.Levels })
	err := f.levels(ctx, pictures, workers, func(level, y int, p *Noisy, c []float32, ch, at int) {
		g := of[&p.RGB[0]]
		k := 0
		if &p.RGB[0] == &g.diff[0] {
			k = 1
		}
		to, pic := g.lum[level][k], g.at[level][k]
		for i := y * f.w; i < (y+1)*f.w; i++ {
			for q := range 3 {
				pic[3*i+q] = c[i*ch+at+q] * f.albedo[3*i+q]
			}
			to[i] = float32(colour.LuminanceAt(pic, 3*i))
		}
	})
	for _, g := range groups {
		if err == nil {
			err = f.weighLevels(ctx, g, workers)
		}
	}
	return err
}

// finer is how many times as much noise the picture has, at least, as its first level.
const finer = 10

func (f *Filter) weighLevels(ctx context.Context, g *group, workers int) error {
	n := f.w * f.h
	bias, first := make([]float32, n), make([]float32, n)
	for l := g.last; l >= 0; l-- {
		noise := g.weights[l]
		if err := f.errors(ctx, g.lum[0], g.lum[l], noise, bias, workers); err != nil {
			return err
		}
		err := spread.Over(ctx, f.h, workers, func(y int) {
			for i := y * f.w; i < (y+1)*f.w; i++ {
				// Few samples tell little of their own noise; of the first level's they tell more.
				switch l {
				case 0:
					noise[i] = max(noise[i], finer*first[i])
				case 1:
					first[i] = noise[i]
				}
				// What is found of a bias may by chance be under nought.
				noise[i] += max(bias[i], 0)
			}
		})
		if err != nil {
			return err
		}
	}
	return spread.Over(ctx, f.h, workers, func(y int) {
		for i := y * f.w; i < (y+1)*f.w; i++ {
			best := float32(math.Inf(1))
			for l := 0; l <= g.last; l++ {
				best = min(best, g.weights[l][i])
			}
			var sum float32
			for l := 0; l <= g.last; l++ {
				r := (best + 1e-20) / (g.weights[l][i] + 1e-20)
				r *= r
				g.weights[l][i] = r * r
				sum += g.weights[l][i]
			}
			for l := 0; l <= g.last; l++ {
				g.weights[l][i] /= sum
			}
		}
	})
}

// blended adds the blend of the levels to mean and diff.
func (c *group) blended(ctx context.Context, mean, diff []float32, workers int) error {
	const strip = 4096
	n := len(mean) / 3
	return spread.Over(ctx, (n+strip-1)/strip, workers, func(s int) {
		for l, w := range c.weights {
			m, d := c.at[l][0], c.at[l][1]
			for i := s * strip; i < min((s+1)*strip, n); i++ {
				for k := 3 * i; k < 3*i+3; k++ {
					mean[k] += w[i] * m[k]
					diff[k] += w[i] * d[k]
				}
			}
		}
	})
}

// errors are the square errors of a level over the pixels around: the noise, and the bias.
func (f *Filter) errors(ctx context.Context, raw, level [2][]float32, noise, bias []float32, workers int) error {
	err := spread.Over(ctx, f.h, workers, func(y int) {
		for i := y * f.w; i < (y+1)*f.w; i++ {
			m, d := level[0][i]-raw[0][i], level[1][i]-raw[1][i]
			noise[i], bias[i] = level[1][i]*level[1][i], m*m-d*d
		}
	})
	if err == nil {
		err = box(ctx, noise, f.w, around, workers)
	}
	if err == nil {
		err = box(ctx, bias, f.w, around, workers)
	}
	return err
}
