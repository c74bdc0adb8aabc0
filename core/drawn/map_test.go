package drawn

import (
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/require"
	"willowherb/core/scene"
	"willowherb/core/vec"
)

// What is left out as lying beyond a map would have drawn nothing into it; and most of what lies about a lamp is.
func TestWhatLiesBeyondAMapDrawsNothing(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 2))
	m := scene.DefaultMaterial()
	m.DoubleSided = true
	for _, f := range []Face{{half: 1.02, size: 64, reach: float32(math.Inf(1))}, {half: 3, size: 64, ortho: true}} {
		f.depth = make([]float32, f.size*f.size)
		clear := func() bool {
			drawn := false
			for i := range f.depth {
				drawn = drawn || !math.IsInf(float64(f.depth[i]), 1)
				f.depth[i] = float32(math.Inf(1))
			}
			return !drawn
		}
		clear()
		beyond, drew := 0, 0
		for range 20_000 {
			at := func() vec.V3 {
				return vec.V3{X: r.Float32()*8 - 4, Y: r.Float32()*8 - 4, Z: r.Float32()*8 - 4}
			}
			c := at()
			p := [3]vec.V3{c, c.Add(at().Scale(0.4)), c.Add(at().Scale(0.4))}
			out := f.beyond(&p)
			f.triangle(nil, &m, 0, p)
			empty := clear()
			require.False(t, out && !empty, p)
			if out {
				beyond++
			}
			if !empty {
				drew++
			}
		}
		require.Greater(t, beyond, 4000)
		require.Greater(t, drew, 1000)
	}
}

// The texels of a row whose middles lie between three places, by looking at each.
func TestMiddles(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 4))
	for range 5000 {
		p, q, s := r.Float64()*14-3, r.Float64()*14-3, r.Float64()*14-3
		first, last := middles(p, q, s, 8)
		for x := range 8 {
			mid := float64(x) + 0.5
			require.Equal(t, mid >= min(p, q, s) && mid <= max(p, q, s), x >= first && x <= last)
		}
	}
	first, last := middles(2.5, 2.5, 2.5, 8)
	require.Equal(t, [2]int{2, 2}, [2]int{first, last})
}
