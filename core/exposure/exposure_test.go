package exposure

import (
	"math"
	"testing"

	"github.com/stretchr/testify/require"
	"willowherb/core/photometry"
)

func TestMeteredLuminanceBecomesMiddleGrey(t *testing.T) {
	for _, ev := range []float64{-3, 0, 6.3, 15} {
		l := float64(photometry.NitAtEV(ev))
		require.InDelta(t, 0.18, l*Factor(ev), 1e-12)
		for _, c := range []Curve{Plain, Shoulder} {
			require.InDelta(t, 0.18, c.Map(l*Factor(ev)), 1e-12)
		}
	}
	// 0.18 is sRGB code 118 (117.6): IEC 61966-2-1.
	im := Develop([]float32{1, 1, 1}, 1, 1, 3, Plain)
	require.EqualValues(t, 118, im.Pix[0])
}

func TestShoulderRisesToWhiteWithoutAKink(t *testing.T) {
	require.InDelta(t, 1, Shoulder.Map(Middle*32), 1e-12)
	require.Equal(t, 1.0, Shoulder.Map(1e9))
	h := 1e-6
	below := (Shoulder.Map(Middle) - Shoulder.Map(Middle-h)) / h
	above := (Shoulder.Map(Middle+h) - Shoulder.Map(Middle)) / h
	require.InDelta(t, below, above, 1e-4)
	last := 0.0
	for s := -10.0; s < 5; s += 0.1 {
		v := Shoulder.Map(Middle * math.Exp2(s))
		require.Greater(t, v, last)
		last = v
	}
	require.Zero(t, Shoulder.Map(math.NaN()))
}

func TestMeteredIgnoresBlackSurroundings(t *testing.T) {
	pic := []float32{8, 8, 8, 0, 0, 0, 8, 8, 8, 0, 0, 0}
	require.InDelta(t, 6, Metered(pic), 1e-6)
	require.Zero(t, Metered(make([]float32, 6)))
}

func TestUnmapUndoesTheCurve(t *testing.T) {
	for _, c := range []Curve{Plain, Shoulder} {
		for _, x := range []float64{0, 0.01, 0.18, 0.3, 0.9} {
			require.InDelta(t, x, c.Unmap(c.Map(x)), 1e-9)
		}
	}
	for _, x := range []float64{1.5, 4, 5.7} {
		require.InEpsilon(t, x, Shoulder.Unmap(Shoulder.Map(x)), 1e-9)
	}
}
