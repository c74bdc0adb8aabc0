package filter

import (
	"context"
	"math"

	"willowherb/core/colour"
	"willowherb/core/spread"
)

// Blend says, pixel by pixel, how much of each level of the filter a picture is made of.
type Blend struct {
	weights [][]float32 // for each level from 0, not filtered
}

// around is how many pixels on each side tell what a level's error is.
const around = 3

// chosen is a picture at every level of the filter, as the mean of its halves and half
// their difference, RGB.
type chosen struct {
	at [][2][]float32
	Blend
}

// Choose weighs the levels of the filter for a picture, given as the mean of its halves
// and half their difference: by the noise that a level leaves, which the difference tells,
// and by what it spoils. With A and B the halves, F a level and G the least,
// (F A - G A)(F B - G B) has the square of F's bias for its mean. Levels under the least are
// not taken: where samples are so few that both halves may have met the same speck, the
// difference does not tell it.
func (f *Filter) Choose(ctx context.Context, mean, diff []float32, least, levels, workers int) (*Blend, error) {
	c, err := f.choose(ctx, mean, diff, least, levels, workers)
	if err != nil {
		return nil, err
	}
	return &c.Blend, nil
}

func (f *Filter) choose(ctx context.Context, mean, diff []float32, least, levels, workers int) (*chosen, error) {
	n := f.w * f.h
	out := &chosen{at: make([][2][]float32, levels+1), Blend: Blend{make([][]float32, levels+1)}}
	lum := make([][2][]float32, levels+1)
	for l := range lum {
		out.weights[l] = make([]float32, n)
		for k := range 2 {
			lum[l][k], out.at[l][k] = make([]float32, n), make([]float32, 3*n)
		}
	}
	pictures := []Noisy{{RGB: mean, Levels: levels}, {RGB: diff, Levels: levels}}
	err := f.levels(ctx, pictures, workers, func(level, y int, p *Noisy, c []float32, ch, at int) {
		to, pic := lum[level][at/3], out.at[level][at/3]
		for i := y * f.w; i < (y+1)*f.w; i++ {
			for k := range 3 {
				pic[3*i+k] = c[i*ch+at+k] * f.albedo[3*i+k]
			}
			to[i] = float32(colour.LuminanceAt(pic, 3*i))
		}
	})
	if err != nil {
		return nil, err
	}
	for l := least; l < len(lum); l++ {
		err := f.errors(ctx, lum[least], lum[l], out.weights[l], workers)
		if err != nil {
			return nil, err
		}
	}
	err = spread.Over(ctx, f.h, workers, func(y int) {
		for i := y * f.w; i < (y+1)*f.w; i++ {
			best := float32(math.Inf(1))
			for l := least; l < len(lum); l++ {
				best = min(best, out.weights[l][i])
			}
			var sum float32
			for l := least; l < len(lum); l++ {
				r := (best + 1e-20) / (out.weights[l][i] + 1e-20)
				r *= r
				out.weights[l][i] = r * r
				sum += out.weights[l][i]
			}
			for l := range out.weights {
				out.weights[l][i] /= sum
			}
		}
	})
	return out, err
}

// blended adds the blend of the levels to mean and diff.
func (c *chosen) blended(ctx context.Context, mean, diff []float32, workers int) error {
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

// errors are the square errors of a level: the noise over the pixels around, and the bias
// over those or over the nearest, whichever is the more.
func (f *Filter) errors(ctx context.Context, raw, level [2][]float32, out []float32, workers int) error {
	n := f.w * f.h
	noise, bias, close := make([]float32, n), make([]float32, n), make([]float32, n)
	err := spread.Over(ctx, f.h, workers, func(y int) {
		from := y * f.w
		spoilt := func(x int) float32 {
			m, d := level[0][from+x]-raw[0][from+x], level[1][from+x]-raw[1][from+x]
			return m*m - d*d
		}
		running(func(x int) float32 { d := level[1][from+x]; return d * d }, f.w, around, func(x int, v float32) { noise[from+x] = v })
		running(spoilt, f.w, around, func(x int, v float32) { bias[from+x] = v })
		running(spoilt, f.w, 1, func(x int, v float32) { close[from+x] = v })
	})
	if err != nil {
		return err
	}
	const strip = 64
	return spread.Over(ctx, (f.w+strip-1)/strip, workers, func(k int) {
		for x := k * strip; x < min((k+1)*strip, f.w); x++ {
			column := func(of []float32, reach int, add func(i int, v float32)) {
				running(func(y int) float32 { return of[y*f.w+x] }, f.h, reach, func(y int, v float32) { add(y*f.w+x, v) })
			}
			column(bias, around, func(i int, v float32) { out[i] = max(v, 0) })
			column(close, 1, func(i int, v float32) { _ = v })
			column(noise, around, func(i int, v float32) { out[i] += v })
		}
	})
}

// running gives the mean of the values around each of n.
func running(at func(int) float32, n, reach int, out func(int, float32)) {
	for i := range n {
		var sum float32
		lo, hi := max(i-reach, 0), min(i+reach, n-1)
		for k := lo; k <= hi; k++ {
			sum += at(k)
		}
		out(i, sum/float32(hi-lo+1))
	}
}
