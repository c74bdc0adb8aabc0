package surface

import (
	"math"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
	"willowherb/core/sampling"
	"willowherb/core/vec"
)

func view(cos float64) vec.V3 { return vec.New(math.Sqrt(1-cos*cos), 0, cos) }

// reflected estimates the albedo and its standard error.
func reflected(f *Surface, n uint32) (mean, se float64) {
	var s, q float64
	for k := range n {
		src := sampling.New(11, 3, k)
		_, d, g, pdf, _ := f.Sample(src.Pair(0), src.Pair(1).X)
		r := d.Add(g)
		w := 0.0
		if pdf > 0 {
			w = float64(r.X / pdf)
		}
		s += w
		q += w * w
	}
	mean = s / float64(n)
	return mean, math.Sqrt(max(q/float64(n)-mean*mean, 0) / float64(n))
}

// White metal in a white furnace: with compensation it loses nothing. 0.5 % is
// the error of the 32 by 32 table between its points.
func TestWhiteMetalFurnace(t *testing.T) {
	for _, rough := range []float32{0.05, 0.2, 0.35, 0.5, 0.75, 1} {
		for _, c := range []float64{0.15, 0.4, 0.7, 1} {
			f := New(vec.V3{Z: 1}, vec.Splat(1), 1, rough, 1, view(c))
			mean, _ := reflected(&f, 1<<14)
			require.InDelta(t, 1, mean, 0.006, "roughness %g, cosine %g", rough, c)
		}
	}
}

func TestWithoutCompensationRoughMetalLosesLight(t *testing.T) {
	require.Less(t, Albedo(0.7, 1), float32(0.7), "the compensation has something to give back")
	require.Greater(t, Albedo(0.7, 0.01), float32(0.99))
}

func TestLambertReflectsItsBaseColour(t *testing.T) {
	f := New(vec.V3{Z: 1}, vec.Splat(0.6), 0, 0.5, 0, view(0.5))
	mean, _ := reflected(&f, 4096)
	require.InDelta(t, 0.6, mean, 1e-3)
}

// Sample and Eval describe the same density: it integrates to at most one, and
// an even sampling of the hemisphere finds the same albedo.
func TestDensityAgreesWithSampling(t *testing.T) {
	for _, rough := range []float32{0.3, 0.6, 1} {
		f := New(vec.V3{Z: 1}, vec.Splat(0.5), 0.5, rough, 1, view(0.6))
		a, sa := reflected(&f, 1<<15)
		var sum, sq, mass float64
		const n = 1 << 17
		for k := range uint32(n) {
			d := sampling.Cone(sampling.New(2, 9, k).Pair(4), 1)
			r, pdf := f.Eval(d)
			w := float64(r.X) * 2 * math.Pi
			sum += w / n
			sq += w * w / n
			mass += float64(pdf) * 2 * math.Pi / n
		}
		require.LessOrEqual(t, mass, 1.02)
		se := math.Sqrt((sq-sum*sum)/n) + sa
		require.InDelta(t, sum, a, 4*se+1e-3, "roughness %g", rough)
	}
}

// mass integrates a surface's density over the hemisphere.
func mass(f *Surface) (sum float64) {
	const n = 1 << 17
	for k := range uint32(n) {
		_, pdf := f.Eval(sampling.Cone(sampling.New(2, 9, k).Pair(4), 1))
		sum += float64(pdf) * 2 * math.Pi / n
	}
	return sum
}

func TestNoLightThroughTheFarSide(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		c := rapid.Float64Range(-1, 1)
		n := vec.New(c.Draw(t, "x")*0.7, c.Draw(t, "y")*0.7, 1).Norm()
		f := New(n, vec.Splat(1), 0, 0.4, 1, view(0.8))
		f.Ng = vec.V3{Z: 1}
		wi := vec.New(c.Draw(t, "i"), c.Draw(t, "j"), -rapid.Float64Range(0, 1).Draw(t, "k")).Norm()
		r, pdf := f.Eval(wi)
		require.Zero(t, r)
		require.Zero(t, pdf)
	})
}
