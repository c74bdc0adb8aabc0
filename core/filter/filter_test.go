package filter

import (
	"context"
	"slices"
	"testing"

	"github.com/stretchr/testify/require"
	"willowherb/core/film"
	"willowherb/core/light"
	"willowherb/core/path"
	"willowherb/core/scene/scenetest"
	"willowherb/core/vec"
)

const wide, high = 48, 40

// passed renders the glossy room after some samples.
func passed(t testing.TB, samples int, sparse bool, lights ...*light.Light) *path.Pass {
	p := &path.Pass{World: scenetest.Room(scenetest.Glossy()).World(t), Camera: scenetest.Inside, W: wide, H: high, Seed: 4, Lights: lights, Guide: film.NewGuide(wide, high)}
	for range lights {
		y := film.NewLayers(wide, high)
		y.Sparse = sparse
		p.Layers = append(p.Layers, y)
	}
	require.NoError(t, p.Run(context.Background(), samples, 2))
	return p
}

func TestFilterIsLinearAndKeepsFlatLight(t *testing.T) {
	p := passed(t, 4, false, scenetest.Lamps()...)
	f := New(p.Guide, scenetest.Inside, 2)
	a, b, sum := make([]float32, 3*wide*high), make([]float32, 3*wide*high), make([]float32, 3*wide*high)
	p.Layers[0].Average(film.Bounced, vec.Splat(1), a)
	p.Layers[1].Average(film.Bounced, vec.Splat(1), b)
	for i := range sum {
		sum[i] = 3*a[i] + 5*b[i]
	}
	flat := append([]float32(nil), f.albedo...)
	require.NoError(t, f.Apply(context.Background(), []Noisy{{Pic: a, Levels: 3}, {Pic: b, Levels: 3}, {Pic: sum, Levels: 3}, {Pic: flat, Levels: 3}}, 2))
	for i := range sum {
		require.InDelta(t, 3*a[i]+5*b[i], sum[i], 1e-3*float64(sum[i])+1e-6)
		require.InDelta(t, f.albedo[i], flat[i], 1e-4)
	}
}

// Pictures filtered together in different numbers of levels come out as alone, and
// a wall whose normal map met a few odd places is filtered as one.
func TestFilterLevelsAndOddNormals(t *testing.T) {
	p := passed(t, 2, false, scenetest.Lamps()...)
	f := New(p.Guide, scenetest.Inside, 2)
	pic := func(i int) []float32 {
		out := make([]float32, 3*wide*high)
		p.Layers[i].Average(film.Bounced, vec.Splat(1), out)
		return out
	}
	ctx := context.Background()
	a, b, c := pic(0), pic(1), pic(2)
	require.NoError(t, f.Apply(ctx, []Noisy{{Pic: a, Levels: 1}, {Pic: b, Levels: 4}, {Pic: c, Levels: 0}}, 2))
	alone, four := pic(0), pic(1)
	require.NoError(t, f.Apply(ctx, []Noisy{{Pic: alone, Levels: 1}}, 1))
	require.NoError(t, f.Apply(ctx, []Noisy{{Pic: four, Levels: 4}}, 1))
	require.True(t, slices.Equal(alone, a))
	require.True(t, slices.Equal(four, b))
	require.True(t, slices.Equal(pic(2), c))

	odd := 3 * (20*wide + 24)
	for k := range 3 {
		p.Guide.Normal[odd+k] = -p.Guide.Normal[odd+k]
	}
	dark := pic(0)
	dark[odd], dark[odd+1], dark[odd+2] = 0, 0, 0
	require.NoError(t, New(p.Guide, scenetest.Inside, 2).Apply(ctx, []Noisy{{Pic: dark, Levels: 2}}, 2))
	require.Positive(t, dark[odd])
}

// Sparse layers have gaps at first, which neighbours fill.
func TestGapsAreFilled(t *testing.T) {
	p := passed(t, 2, true, scenetest.Lamps()[0])
	y := p.Layers[0]
	require.True(t, y.Gaps())
	f := New(p.Guide, scenetest.Inside, 2)
	even, lacking := append([]float32(nil), f.albedo...), 0
	for i := range 48 * 40 {
		if y.Lacks(i%wide, i/wide) {
			even[3*i], even[3*i+1], even[3*i+2] = 0, 0, 0
			lacking++
		}
	}
	require.Equal(t, wide*high/2, lacking)
	require.NoError(t, f.Fill(context.Background(), [][]float32{even}, y.Lacks, 2))
	for i := range even {
		require.InDelta(t, f.albedo[i], even[i], 1e-5)
	}
}
