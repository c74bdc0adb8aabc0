package trace

import (
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/require"
	"willowherb/core/vec"
)

// flakes are n small triangles in a cube of 10 m.
func flakes(n int) (pos []vec.V3, idx []uint32) {
	r := rand.New(rand.NewPCG(3, 4))
	f := func(k float64) float64 { return (r.Float64() - 0.5) * k }
	for i := range n {
		c := vec.New(f(10), f(10), f(10))
		for range 3 {
			pos = append(pos, c.Add(vec.New(f(1), f(1), f(1))))
		}
		idx = append(idx, uint32(3*i), uint32(3*i+1), uint32(3*i+2))
	}
	return pos, idx
}

// A refitted tree finds what a tree that was built anew finds, after a turn, a move and a
// bend; and it says so where it does not serve.
func TestRefitFindsWhatABuildFinds(t *testing.T) {
	pos, idx := flakes(3000)
	was, err := Build(pos, idx, 2)
	require.NoError(t, err)
	moved := make([]vec.V3, len(pos))
	for i, p := range pos {
		moved[i] = vec.V3{X: -p.Z*1.1 + 30, Y: p.Y + 0.1*p.X*p.X, Z: p.X - 200}
	}
	fit, ok := was.Refit(moved)
	require.True(t, ok)
	built, err := Build(moved, idx, 2)
	require.NoError(t, err)
	require.Equal(t, built.Lo, fit.Lo)
	require.Equal(t, built.Hi, fit.Hi)
	r := rand.New(rand.NewPCG(5, 6))
	hits := 0
	for _, scalar := range []bool{true, false} {
		a, b := NewTracer(fit), NewTracer(built)
		a.Scalar, b.Scalar = a.Scalar || scalar, b.Scalar || scalar
		for range 20000 {
			o := vec.New(30+r.NormFloat64()*8, r.NormFloat64()*8, -200+r.NormFloat64()*8)
			q := Ray{O: o, D: vec.New(r.NormFloat64(), r.NormFloat64(), r.NormFloat64()).Norm(), Max: 1e6}
			var h, k Hit
			got, want := a.First(&q, &h), b.First(&q, &k)
			require.Equal(t, want, got)
			require.Equal(t, want, a.Any(&q))
			if want {
				require.InDelta(t, k.T, h.T, 1e-4)
				hits++
			}
		}
	}
	require.Greater(t, hits, 5000)

	scattered := append([]vec.V3(nil), pos...)
	r.Shuffle(len(scattered)/3, func(i, j int) {
		for k := range 3 {
			scattered[3*i+k], scattered[3*j+k] = scattered[3*j+k], scattered[3*i+k]
		}
	})
	_, ok = was.Refit(scattered)
	require.False(t, ok, "triangles that have changed places need a new tree")
	flat := append([]vec.V3(nil), pos...)
	flat[1] = flat[0]
	_, ok = was.Refit(flat)
	require.False(t, ok, "one has lost its area")
	dropped, err := Build(flat, idx, 1)
	require.NoError(t, err)
	_, ok = dropped.Refit(pos)
	require.False(t, ok, "and may come to have it again")
}

func BenchmarkRefit(b *testing.B) {
	pos, idx := flakes(100_000)
	t, err := Build(pos, idx, 2)
	require.NoError(b, err)
	b.Run("refit", func(b *testing.B) {
		for b.Loop() {
			_, ok := t.Refit(pos)
			require.True(b, ok)
		}
	})
	b.Run("build", func(b *testing.B) {
		for b.Loop() {
			_, err := Build(pos, idx, 2)
			require.NoError(b, err)
		}
	})
}
