package filter

import (
	"context"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/require"
	"willowherb/core/film"
	"willowherb/core/scene/scenetest"
)

// uneven is a filter for a picture of two surfaces at odd slants, and nothing in places.
func uneven(w, h int) *Filter {
	rng := rand.New(rand.NewPCG(7, 8))
	g := film.NewGuide(w, h)
	for i := range w * h {
		if rng.IntN(9) == 0 {
			continue
		}
		g.Normal[3*i+2], g.Normal[3*i], g.Depth[i] = 1, float32(rng.IntN(3)), 5+0.01*rng.Float32()
		g.Object[i] = uint32(i / (w * h / 2))
		for k := range 3 {
			g.Albedo[3*i+k] = rng.Float32()
		}
	}
	for i := range g.Count {
		g.Count[i] = film.Dense
	}
	return New(g, scenetest.Inside, 2)
}

// byDefinition filters a picture pixel by pixel and tap by tap.
func byDefinition(f *Filter, pic []float32, levels int) []float32 {
	in := make([]float32, len(pic))
	for i, v := range pic {
		in[i] = v / f.albedo[i]
	}
	for l := range levels {
		step, out := 1<<l, make([]float32, len(pic))
		for y := range f.h {
			for x := range f.w {
				var k [kernelTaps][block]float32
				f.weigh1(x, y, step, 0, &k)
				var sum float32
				var v [3]float32
				for t := range k {
					w := k[t][0]
					if sum += w; w > 0 {
						q := (y+(t/5-2)*step)*f.w + x + (t%5-2)*step
						for c := range v {
							v[c] += w * in[3*q+c]
						}
					}
				}
				for c := range v {
					i := 3*(y*f.w+x) + c
					if out[i] = in[i]; sum > 0 {
						out[i] = v[c] / sum
					}
				}
			}
		}
		in = out
	}
	for i := range in {
		in[i] *= f.albedo[i]
	}
	return in
}

// Blocks of pixels at once come out as each by itself: in pictures wider than a block and
// narrower, with light everywhere and in a few pixels only, beside the edges too.
func TestBlocksComeOutAsPixels(t *testing.T) {
	for _, size := range [][2]int{{block + 37, 40}, {2 * block, 24}, {48, 40}, {5, 9}} {
		w, h := size[0], size[1]
		f := uneven(w, h)
		rng := rand.New(rand.NewPCG(3, 4))
		all, few := make([]float32, 3*w*h), make([]float32, 3*w*h)
		for i := range all {
			all[i] = rng.Float32()
		}
		for _, i := range []int{0, w - 1, (h - 1) * w, w*h - 1, h/2*w + w/2, h/3*w + min(block, w-1)} {
			few[3*i+1] = 100
		}
		for levels := 1; levels <= 4; levels++ {
			wantAll, wantFew := byDefinition(f, all, levels), byDefinition(f, few, levels)
			a, b := append([]float32(nil), all...), append([]float32(nil), few...)
			require.NoError(t, f.Apply(context.Background(), []Noisy{{Pic: a, Levels: levels}, {Pic: b, Levels: levels}, {Pic: make([]float32, w*h), Levels: 5}}, 2))
			for i := range a {
				require.InDelta(t, wantAll[i], a[i], 2e-5, "%v, %d levels, pixel %d", size, levels, i/3)
				require.InDelta(t, wantFew[i], b[i], 1e-4+1e-4*float64(wantFew[i]), "%v, %d levels, pixel %d, few", size, levels, i/3)
			}
		}
	}
}

// The vectors of weights are the numbers one by one, by any number of threads.
func TestWeightsAsVectors(t *testing.T) {
	f := uneven(block+40, 20)
	a, b := f.weights(2), f.weights(2)
	f.weigh(8, 9, block, 2, a)
	for i := range block {
		f.weigh1(8+i, 9, 2, i, &b.of)
	}
	b.wholeScalar(block)
	require.Equal(t, b.live[:b.n], a.live[:a.n])
	for k := range a.of {
		for i := range block {
			require.InDelta(t, b.of[k][i], a.of[k][i], 1e-6)
		}
	}
	src, x, y := make([]float32, 4096), make([]float32, block), make([]float32, block)
	for i := range src {
		src[i] = float32(i % 17)
	}
	a.sum(src, x, 2000)
	a.sumScalar(src, y, 2000)
	require.InDeltaSlice(t, y, x, 1e-4)
}
