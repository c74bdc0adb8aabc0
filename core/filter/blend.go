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
// as the mean of its halves and half their difference, as luminance.
type group struct {
	mean, diff []float32
	last       int
	sharp      bool        // what smooth surfaces show
	weight     []float32   // Noisy.Weight
	kept       []float32   // what Lone left of each pixel
	back       *regain     // how the rest is given back; nil: it is not
	none       []uint8     // a bit for each level that no sample has reached a pixel by; nil: none such
	mid, half  [][]float32 // the same two at every level
	lum        [][]float32 // and the luminance of the mean
	Blend
}

// widely is how widely a part is filtered, at least, for what is rarely found of it to belong
// anywhere around. What comes straight from lamps is filtered less: it stands where it stands.
const widely = 3

// bound takes what is rarely found from single pixels, and gives it to all; lost is what is
// in doubt after that, as luminance. What smooth surfaces mirror is not given back, nor what comes
// straight from lamps: it belongs to nothing around it.
func (g *group) bound(ctx context.Context, f *Filter, lost []float32, workers int) error {
	taken := make([]float32, len(g.diff))
	var finds []find
	var err error
	if g.kept, finds, err = f.Lone(ctx, Noisy{Pic: g.mean, Sharp: g.sharp, Weight: g.weight}, g.diff, taken, workers); err != nil || g.sharp {
		return err
	}
	if g.last < widely {
		for _, q := range finds {
			lost[q.at] += taken[q.at]
		}
		return nil
	}
	g.back = f.regaining(g.mean, g.weight, finds)
	before := make([]float32, len(g.diff))
	for i := range before {
		before[i] = float32(colour.LuminanceAt(g.mean, 3*i))
	}
	if err = g.back.give(ctx, finds, g.mean, workers); err != nil {
		return err
	}
	for i, b := range before {
		if b > 0 {
			g.diff[i] *= float32(colour.LuminanceAt(g.mean, 3*i)) / b
		}
	}
	for _, q := range finds {
		lost[q.at] += taken[q.at] * g.back.doubt(q.at)
	}
	return nil
}

// choose filters some groups at once and weighs the levels of each: by the noise that a level
// leaves, which the difference of the halves tells, and by what it spoils. With A and B the
// halves, (F A - A)(F B - B) has the square of the bias of the level F for its mean.
func (f *Filter) choose(ctx context.Context, groups []*group, workers int) error {
	n := f.w * f.h
	var pictures []Noisy
	of := map[*float32]*group{}
	for _, g := range groups {
		if g.weight != nil {
			g.none = slices.Repeat([]uint8{1<<(g.last+1) - 1}, n)
		}
		for range g.last + 1 {
			g.mid, g.half = append(g.mid, make([]float32, 3*n)), append(g.half, make([]float32, n))
			g.lum, g.weights = append(g.lum, make([]float32, n)), append(g.weights, make([]float32, n))
		}
		pictures = append(pictures, Noisy{Pic: g.mean, Levels: g.last, Sharp: g.sharp, Weight: g.weight}, Noisy{Pic: g.diff, Levels: g.last, Sharp: g.sharp, Weight: g.weight})
		of[&g.mean[0]], of[&g.diff[0]] = g, g
	}
	slices.SortStableFunc(pictures, func(a, b Noisy) int { return b.Levels - a.Levels })
	err := f.levels(ctx, pictures, workers, func(level, at int, p *Noisy, c *[3][]float32, per []float32) {
		g := of[&p.Pic[0]]
		to := g.mid[level]
		if &p.Pic[0] == &g.mean[0] {
			for x, v := range per {
				if v > 0 {
					g.none[at+x] &^= 1 << level
				}
			}
		}
		if &p.Pic[0] == &g.diff[0] {
			to = g.half[level]
		}
		m := f.channels(p.Pic)
		under := f.under(m, p.Sharp)
		for k, row := range c[:m] {
			for x, v := range row {
				i := at + x
				if per != nil {
					v *= per[x]
				}
				if under != nil {
					v *= under[m*i+k]
				}
				to[m*i+k] = v
			}
		}
		if m == 3 {
			for i := at; i < at+len(c[0]); i++ {
				g.lum[level][i] = float32(colour.LuminanceAt(to, 3*i))
			}
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
		if err := f.errors(ctx, g, l, noise, bias, workers); err != nil {
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
				if g.none != nil && g.none[i]>>l&1 == 1 && l < g.last {
					g.weights[l][i] = float32(math.Inf(1))
				}
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
func (g *group) blended(ctx context.Context, mean, diff []float32, workers int) error {
	const strip = 4096
	n := len(diff)
	return spread.Over(ctx, (n+strip-1)/strip, workers, func(s int) {
		for l, w := range g.weights {
			m, d := g.mid[l], g.half[l]
			for i := s * strip; i < min((s+1)*strip, n); i++ {
				for k := 3 * i; k < 3*i+3; k++ {
					mean[k] += w[i] * m[k]
				}
				diff[i] += w[i] * d[i]
			}
		}
	})
}

// errors are the square errors of a level over the pixels around: the noise, and the bias.
func (f *Filter) errors(ctx context.Context, g *group, level int, noise, bias []float32, workers int) error {
	var known []float32
	if g.none != nil {
		known = make([]float32, f.w*f.h)
	}
	err := spread.Over(ctx, f.h, workers, func(y int) {
		for i := y * f.w; i < (y+1)*f.w; i++ {
			h := g.half[level][i]
			m, d := g.lum[level][i]-g.lum[0][i], h-g.half[0][i]
			noise[i], bias[i] = h*h, m*m-d*d
			if known == nil {
				continue
			}
			// A pixel that has no sample tells nothing: that it is black is no bias of the others.
			if known[i] = 1; g.none[i]&(1|1<<level) != 0 {
				noise[i], bias[i], known[i] = 0, 0, 0
			}
		}
	})
	if err == nil {
		err = box(ctx, noise, f.w, around, workers)
	}
	if err == nil {
		err = box(ctx, bias, f.w, around, workers)
	}
	if err != nil || known == nil {
		return err
	}
	if err = box(ctx, known, f.w, around, workers); err != nil {
		return err
	}
	for i, k := range known {
		if k > 0 {
			noise[i], bias[i] = noise[i]/k, bias[i]/k
		}
	}
	return nil
}
