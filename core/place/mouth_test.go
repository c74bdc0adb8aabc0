package place

import (
	"math"
	"testing"

	"github.com/stretchr/testify/require"
	"willowherb/core/light"
	"willowherb/core/sampling"
	"willowherb/core/scene/scenetest"
	"willowherb/core/vec"
)

// The mouth of a tunnel has no wall about it: it is not found, but may be marked. Deep inside the sky
// then gives as much as before (3 %: the chance of what is not marked, of 200,000 samples), with
// a tenth of the variance.
func TestTheMouthOfATunnel(t *testing.T) {
	g := scenetest.New()
	v := func(x, y, z float32) vec.V3 { return vec.V3{X: x, Y: y, Z: z} }
	q := func(a, b, c, d vec.V3) { g.Add("tunnel", 0, [4]vec.V3{a, b, c, d}) }
	q(v(-1, 0, 0), v(1, 0, 0), v(1, 0, -12), v(-1, 0, -12))
	q(v(-1, 2, 0), v(-1, 2, -12), v(1, 2, -12), v(1, 2, 0))
	q(v(-1, 0, 0), v(-1, 0, -12), v(-1, 2, -12), v(-1, 2, 0))
	q(v(1, 0, 0), v(1, 2, 0), v(1, 2, -12), v(1, 0, -12))
	q(v(-1, 0, -12), v(1, 0, -12), v(1, 2, -12), v(-1, 2, -12))
	w := g.World(t)
	found, err := Portals(t.Context(), w, 2)
	require.NoError(t, err)
	require.Empty(t, found)
	marked := Through(w, []light.Portal{{Centre: v(0, 1, 0), N: v(0, 0, -1), U: v(1, 0, 0), V: v(0, 1, 0), W: 2, H: 2}}, found)
	tr := w.Tracer()
	defer tr.Release()
	p, n := v(-1, 1, -8), v(1, 0, 0)
	measured := func(portals []light.Portal, samples uint32) (mean, variance float64) {
		dome := &light.Light{ID: 1, Kind: light.Sky, Gradient: light.Uniform, Channels: 0xff, Portals: portals}
		dome.Prepare()
		var sum, square float64
		for k := range samples {
			if s, ok := dome.Sample(p, n, sampling.New(6, 0, k).Pair(3)); ok {
				e := float64(s.Weight.Mul(tr.Passes(p, n, s.Dir, float32(math.Inf(1)))).Y * max(s.Dir.Dot(n), 0))
				sum, square = sum+e, square+e*e
			}
		}
		mean = sum / float64(samples)
		return mean, square/float64(samples) - mean*mean
	}
	plain, loud := measured(found, 200_000)
	mean, quiet := measured(marked, 20_000)
	require.Positive(t, plain)
	require.InEpsilon(t, plain, mean, 0.03)
	require.Less(t, quiet, loud/10)
}
