package bake

import (
	"testing"

	"github.com/stretchr/testify/require"
	"willowherb/core/unwrap"
)

// A patch of 9 x 5 texels with one that has no surface.
func patch() *Laid {
	l := &Laid{Patches: []unwrap.Patch{{W: 9, H: 5, Across: 8, Down: 4}}, Begin: []int{0}, Cells: 45, Has: make([]bool, 45)}
	for i := range l.Has {
		l.Has[i] = i != 20
	}
	return l
}

func TestCoarserMaps(t *testing.T) {
	l := patch()
	fill := func(of func(x, y int) float32) []float32 {
		v := make([]float32, 3*l.Cells)
		for i := range l.Cells {
			for c := range 3 {
				v[3*i+c] = of(i%9, i/9) * float32(c+1)
			}
		}
		return v
	}
	by := func(w, h int) *Plan {
		return &Plan{at: []*Laid{{Patches: []unwrap.Patch{{W: w, H: h}}}}}
	}
	show := func(v []float32) *Shown {
		return &Shown{lux: map[*Laid][]float32{l: v}, lean: map[*Laid][]float32{l: nil}}
	}
	even := fill(func(int, int) float32 { return 7 })
	got := show(even).Coarser(by(5, 3)).lux[l]
	require.InDeltaSlice(t, even, got, 1e-5, "even light stays")

	// Stripes of one texel are lost; the light of all of them is kept. What has no surface is left alone.
	stripes := fill(func(x, _ int) float32 { return float32(x % 2) })
	got = show(stripes).Coarser(by(5, 3)).lux[l]
	require.InDelta(t, 0.5, got[3*(2*9+4)], 0.06)
	require.InDelta(t, 0.5, got[3*(2*9+5)], 0.06)
	require.InDelta(t, 1.5, got[3*(2*9+4)+2], 0.18)
	require.Equal(t, stripes[3*20:3*20+3], got[3*20:3*20+3])

	// A slope stays one, but for its ends; over four times as many it still is.
	slope := fill(func(x, _ int) float32 { return float32(x) })
	for _, to := range []*Plan{by(5, 3), by(3, 2)} {
		got = show(slope).Coarser(to).lux[l]
		require.InDelta(t, 4, got[3*(2*9+4)], 0.1)
		for x := 1; x < 9; x++ {
			require.Greater(t, got[3*(2*9+x)], got[3*(2*9+x-1)])
		}
	}
	require.Equal(t, slope, show(slope).Coarser(by(9, 5)).lux[l], "as many stay as they are")
	got = show(slope).Coarser(by(1, 1)).lux[l]
	require.InDelta(t, 4, got[0], 0.1, "one has the mean of all")
	require.Nil(t, show(slope).Coarser(&Plan{at: []*Laid{nil}}).lux[l], "it is not in the map any more")
	other := &Plan{at: []*Laid{{Density: 4, Patches: make([]unwrap.Patch, 3)}}}
	l.Density = 8
	require.Equal(t, show(slope).Coarser(by(5, 3)).lux[l], show(slope).Coarser(other).lux[l], "other charts are as their density is")
	require.Nil(t, show(slope).Coarser(by(5, 3)).lean[l])
}
