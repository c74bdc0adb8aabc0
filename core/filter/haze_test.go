package filter

import (
	"context"
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/require"
	"willowherb/core/film"
	"willowherb/core/vec"
	"willowherb/core/world"
)

// halves of a picture: a near wall at the left, far at the right (or nothing).
func depths(w, h int, near, far float32) *Filter {
	g := film.NewGuide(w, h)
	for i := range w * h {
		g.Depth[i], g.Normal[3*i+2] = near, 1
		if i%w >= w/2 {
			if g.Depth[i] = far; far == 0 {
				g.Normal[3*i+2] = 0
			}
		}
	}
	for t := range g.Count {
		g.Count[t] = 1
	}
	return New(g, world.Camera{Aim: vec.V3{Z: -1}, Up: vec.V3{Y: 1}, FovY: 1}, 1)
}

// Noise goes, also before the sky, the mean stays, and what lies nearer keeps its own.
func TestHazeSmoothsAlongTheDistance(t *testing.T) {
	for _, w := range []int{96, 480} {
		f := depths(w, 64, 5, 0)
		pic := make([]float32, 3*w*64)
		r := rand.New(rand.NewPCG(3, 4))
		for i := range pic {
			want := float32(1)
			if i/3%w >= w/2 {
				want = 4
			}
			pic[i] = want * 2 * r.Float32()
		}
		require.NoError(t, f.Haze(context.Background(), [][]float32{pic}, nil, 4, 2))
		for i := range w * 64 {
			want := 1.0
			if i%w >= w/2 {
				want = 4
			}
			if d := i%w - w/2; d < -2 || d > 2 { // a block may lie on both sides
				require.InEpsilon(t, want, pic[3*i], 0.35, "width %d, pixel %d", w, i)
			}
		}
	}
}

// Pixels without a sample take what is beside them, and count for nothing.
func TestHazeFillsGaps(t *testing.T) {
	f := depths(96, 64, 5, 5)
	pic, weight := make([]float32, 3*96*64), make([]float32, 96*64)
	for i := range weight {
		if i%4 == 0 {
			weight[i] = 2
			pic[3*i], pic[3*i+1], pic[3*i+2] = 3, 2, 1
		}
	}
	require.NoError(t, f.Haze(context.Background(), [][]float32{pic}, weight, 3, 1))
	for i := range weight {
		require.InDelta(t, 3, pic[3*i], 1e-4)
		require.InDelta(t, 1, pic[3*i+2], 1e-4)
	}
}

func TestHazeIsFilteredNoWiderThanNoiseAsks(t *testing.T) {
	f := depths(96, 64, 5, 5)
	diff := make([]float32, 96*64)
	require.Equal(t, 0, f.hazeLevels(diff, 1, 5))
	for i := range diff {
		diff[i] = float32(math.Pow(-1, float64(i))) * 0.05
	}
	few := f.hazeLevels(diff, 1, 5)
	require.Greater(t, few, 1)
	require.Less(t, few, 5)
	require.Equal(t, 5, f.hazeLevels(diff, 0.01, 5))
}

// A smaller picture of the air serves a larger one, each side of an edge its own.
func TestHazeIsEnlarged(t *testing.T) {
	small, large := depths(48, 32, 5, 0), depths(96, 64, 5, 0)
	pic := make([]float32, 3*48*32)
	for i := range pic {
		if pic[i] = 1; i/3%48 >= 24 {
			pic[i] = 4
		}
	}
	out := large.EnlargeHaze(small, pic)
	for i := range 96 * 64 {
		want := 1.0
		if i%96 >= 48 {
			want = 4
		}
		require.InDelta(t, want, out[3*i], 0.01, "pixel %d", i)
	}
}

func BenchmarkHaze(b *testing.B) {
	f := depths(960, 540, 5, 0)
	pics := make([][]float32, 14)
	for k := range pics {
		pics[k] = make([]float32, 3*960*540)
	}
	for b.Loop() {
		if err := f.Haze(context.Background(), pics, nil, 5, 2); err != nil {
			b.Fatal(err)
		}
	}
}
