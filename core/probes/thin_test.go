package probes

import (
	"testing"

	"github.com/stretchr/testify/require"
	"willowherb/core/vec"
)

// A lattice at two heights keeps a quarter of its probes at each; they still tell even light everywhere.
func TestThinnedFields(t *testing.T) {
	f := &Field{Lights: []string{"a"}, size: 2.4}
	var even SH
	even[0] = vec.Splat(1)
	for x := range 16 {
		for z := range 16 {
			for _, y := range []float32{0.5, 1.7} {
				f.add(Probe{Pos: vec.V3{X: float32(x), Y: y, Z: float32(z)}, Kind: ByRule, Reach: reaches, SH: []SH{even}})
			}
		}
	}
	f.add(Probe{Pos: vec.V3{X: 3.1, Y: 0.5, Z: 3}, Kind: Set, Reach: 2, SH: []SH{even}})
	got := f.Thinned()
	require.Len(t, got.Probes, 2*64+1)
	require.Len(t, f.Probes, 2*256+1, "the field itself stays")
	open := func(a, b vec.V3) bool { return true }
	for _, p := range []vec.V3{{X: 3, Y: 1, Z: 3}, {X: 7.5, Y: 0.6, Z: 8.4}, {X: 14.9, Y: 1.5, Z: 15}} {
		was, _ := f.Lux(p, vec.V3{Y: 1}, []vec.V3{vec.Splat(1)}, open)
		now, ok := got.Lux(p, vec.V3{Y: 1}, []vec.V3{vec.Splat(1)}, open)
		require.True(t, ok)
		require.InDelta(t, was.X, now.X, 1e-5)
	}
	for _, p := range got.Probes {
		if p.Kind == Set {
			require.Equal(t, 2.0, p.Reach)
		} else {
			require.Equal(t, 2*reaches, p.Reach)
		}
	}
}
