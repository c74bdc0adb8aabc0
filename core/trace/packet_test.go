package trace

import (
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/require"
	"willowherb/core/vec"
)

// bundles calls do with packets of rays that start together and go about one way, of rays
// along the axes, of rays that part, and of fewer than eight.
func bundles(n int, do func(rays []Ray)) {
	rng := rand.New(rand.NewPCG(21, 22))
	for i := range n {
		o := vec.New(rng.Float64()*24-12, rng.Float64()*10-5, rng.Float64()*24-12)
		d := direction(rng)
		if i%5 == 0 { // along an axis
			d = [3]vec.V3{{X: 1}, {Y: -1}, {Z: 1}}[i/5%3]
		}
		spread := []float64{0, 1e-4, 0.02, 0.3, 2}[i%5]
		rays := make([]Ray, 1+rng.IntN(wide))
		for k := range rays {
			to := d.Add(vec.New(rng.NormFloat64(), rng.NormFloat64(), rng.NormFloat64()).Scale(float32(spread))).Norm()
			from := o
			if i%3 == 0 {
				from = o.Add(vec.New(rng.Float64(), rng.Float64(), rng.Float64()).Scale(0.2))
			}
			rays[k] = Ray{from, to, float32(rng.Float64()) * 0.5, float32(rng.Float64() * 30)}
		}
		if i%7 == 0 {
			rays[0].Max = 0 // nothing can lie on it
		}
		do(rays)
	}
}

func TestAPacketFindsWhatItsRaysFind(t *testing.T) {
	for _, place := range []struct {
		make func() ([]vec.V3, []uint32)
		hits int // at least
	}{
		{func() ([]vec.V3, []uint32) { return soup(3000, 7) }, 2000},
		{func() ([]vec.V3, []uint32) { return soup(5, 3) }, 5},
		{func() ([]vec.V3, []uint32) { return room(24) }, 2000},
	} {
		pos, idx := place.make()
		tree, err := Build(pos, idx, 2)
		require.NoError(t, err)
		one, many, slow := NewTracer(tree), NewTracer(tree), NewTracer(tree)
		slow.Scalar = true
		hits, ties := 0, 0
		bundles(6000, func(rays []Ray) {
			var got, plain [wide]Hit
			found := many.FirstOf(rays, got[:])
			require.Equal(t, found, slow.FirstOf(rays, plain[:]), "the rays that hit")
			require.Zero(t, found>>len(rays))
			for k := range rays {
				var want Hit
				require.Equal(t, one.First(&rays[k], &want), found>>k&1 == 1, "ray %d of %d: %+v", k, len(rays), rays[k])
				if found>>k&1 == 0 {
					continue
				}
				hits++
				require.Equal(t, want.T, got[k].T)
				if want.Tri != got[k].Tri { // at an edge that two triangles share
					ties++
					continue
				}
				require.Equal(t, want, got[k])
			}
		})
		require.Greater(t, hits, place.hits)
		require.Less(t, ties, 1+hits/500)
	}
}

func TestAPacketOfNothing(t *testing.T) {
	empty, err := Build(nil, nil, 1)
	require.NoError(t, err)
	var hits [wide]Hit
	require.Zero(t, NewTracer(empty).FirstOf(make([]Ray, 8), hits[:]))
	pos, idx := room(2)
	tree, err := Build(pos, idx, 1)
	require.NoError(t, err)
	tr := NewTracer(tree)
	require.Zero(t, tr.FirstOf(nil, nil))
	require.Panics(t, func() { tr.FirstOf(make([]Ray, wide+1), make([]Hit, wide+1)) })
	inside := Ray{O: vec.V3{Y: 4}, D: vec.V3{X: 1}, Max: float32(math.Inf(1))}
	require.Equal(t, uint8(0xff), tr.FirstOf([]Ray{inside, inside, inside, inside, inside, inside, inside, inside}, hits[:]))
	require.InDelta(t, 10, hits[7].T, 1e-4)
}
