package trace

import (
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/require"
	"willowherb/core/vec"
)

// Rays that start on planes at 0, and at 0 of their length, of either sign, find with vectors and in
// packets what they find without: distances are compared as bits, and -0 has those of a great one.
func TestZerosOfEitherSign(t *testing.T) {
	rng := rand.New(rand.NewPCG(7, 8))
	zeros := []float32{0, float32(math.Copysign(0, -1))}
	zero := func() float32 { return zeros[rng.IntN(2)] }
	var pos []vec.V3
	var index []uint32
	for range 600 {
		// Boxes that begin at 0 along one axis, and lie about it along the others.
		a := rng.IntN(3)
		p := func(v float32) vec.V3 {
			c := [3]float32{}
			c[a], c[(a+1)%3], c[(a+2)%3] = v, rng.Float32()*4-2, rng.Float32()*4-2
			return vec.V3{X: c[0], Y: c[1], Z: c[2]}
		}
		side := float32(1)
		if rng.IntN(2) == 0 {
			side = -1
		}
		n := uint32(len(pos))
		pos = append(pos, p(zero()), p(zero()), p(side*rng.Float32()*3))
		index = append(index, n, n+1, n+2)
	}
	tree, err := Build(pos, index, 1)
	require.NoError(t, err)
	vectors, scalar := NewTracer(tree), NewTracer(tree)
	scalar.Scalar = true
	hits := 0
	for range 3000 {
		d := vec.V3{X: rng.Float32() - 0.5, Y: rng.Float32() - 0.5, Z: rng.Float32() - 0.5}
		for a, v := range []*float32{&d.X, &d.Y, &d.Z} {
			if rng.IntN(3) == a {
				*v = zero()
			}
		}
		if d.Len() == 0 {
			continue
		}
		d = d.Norm()
		rays := make([]Ray, wide)
		for k := range rays {
			rays[k] = Ray{O: vec.V3{X: zero(), Y: zero(), Z: zero()}, D: d, Min: zero(), Max: 10}
		}
		var many [wide]Hit
		found := vectors.FirstOf(rays, many[:])
		for k := range rays {
			var a, b Hit
			ok := scalar.First(&rays[k], &a)
			if ok && a.T < 1e-3 {
				continue // a triangle at the very start is met or not by rounding
			}
			require.Equal(t, ok, vectors.First(&rays[k], &b))
			require.Equal(t, ok, found>>k&1 == 1)
			if ok {
				require.InDelta(t, a.T, b.T, 1e-4)
				require.InDelta(t, a.T, many[k].T, 1e-4)
				hits++
			}
		}
	}
	require.Greater(t, hits, 1000)
}
