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

// Choose weighs the levels of the filter for a picture, given as the mean of its halves
// and half their difference: by the noise that a level leaves, which the difference tells, and
// by what it spoils. With A and B the halves, F a level and G the picture as it was,
// (F A - G A)(F B - G B) has the square of F's bias for its mean.
func (f *Filter) Choose(ctx context.Context, mean, diff []float32, levels, workers int) (*Blend, error) {
	n := f.w * f.h
	out := &Blend{make([][]float32, levels+1)}
	// Luminance of mean and difference at each level, with albedo.
	lum := make([][2][]float32, levels+1)
	for l := range lum {
		out.weights[l] = make([]float32, n)
		lum[l] = [2][]float32{make([]float32, n), make([]float32, n)}
	}
	pictures := []Noisy{{RGB: mean, Levels: levels}, {RGB: diff, Levels: levels}}
	err := f.levels(ctx, pictures, workers, func(level, y int, p *Noisy, c []float32, ch, at int) {
		to := lum[level][at/3]
		for i := y * f.w; i < (y+1)*f.w; i++ {
			v := [3]float32{c[i*ch+at] * f.albedo[3*i], c[i*ch+at+1] * f.albedo[3*i+1], c[i*ch+at+2] * f.albedo[3*i+2]}
			to[i] = float32(colour.LuminanceAt(v[:], 0))
		}
	})
	if err != nil {
		return nil, err
	}
	for l := range lum {
		err := f.errors(ctx, lum[0], lum[l], out.weights[l], workers)
		if err != nil {
			return nil, err
		}
	}
	err = spread.Over(ctx, f.h, workers, func(y int) {
		for i := y * f.w; i < (y+1)*f.w; i++ {
			least := float32(math.Inf(1))
			for l := range out.weights {
				least = min(least, out.weights[l][i])
			}
			var sum float32
			for l := range out.weights {
				r := (least + 1e-20) / (out.weights[l][i] + 1e-20)
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

// errors are the square errors of a level, over the pixels around.
func (f *Filter) errors(ctx context.Context, raw, level [2][]float32, out []float32, workers int) error {
	rows := make([]float32, f.w*f.h)
	err := spread.Over(ctx, f.h, workers, func(y int) {
		at := func(x int) float32 {
			i := y*f.w + x
			m, d := level[0][i]-raw[0][i], level[1][i]-raw[1][i]
			return level[1][i]*level[1][i] + m*m - d*d
		}
		f.running(func(x int) float32 { return at(x) }, f.w, func(x int, v float32) { rows[y*f.w+x] = v })
	})
	if err != nil {
		return err
	}
	const strip = 64
	return spread.Over(ctx, (f.w+strip-1)/strip, workers, func(k int) {
		for x := k * strip; x < min((k+1)*strip, f.w); x++ {
			f.running(func(y int) float32 { return rows[y*f.w+x] }, f.h, func(y int, v float32) {
				// At least the noise: what is found of a bias may by chance be under nought.
				out[y*f.w+x] = max(v, 0.25*level[1][y*f.w+x]*level[1][y*f.w+x], 0)
			})
		}
	})
}

// running gives the mean of the values around each of n.
func (f *Filter) running(at func(int) float32, n int, out func(int, float32)) {
	var sum float64
	for i := range min(around, n) {
		sum += float64(at(i))
	}
	for i := range n {
		if i+around < n {
			sum += float64(at(i + around))
		}
		if i-around-1 >= 0 {
			sum -= float64(at(i - around - 1))
		}
		out(i, float32(sum/float64(min(i+around, n-1)-max(i-around, 0)+1)))
	}
}

func (b *Blend) At(i int) (w []float32) {
	for _, l := range b.weights {
		w = append(w, l[i])
	}
	return w
}
