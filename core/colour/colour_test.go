package colour

import (
	"testing"

	"github.com/stretchr/testify/require"
)

// Published chromaticities: CIE illuminant A is a black body at 2,856 K; the
// Planckian point at 6,500 K. 0.0004 is 0.1 % of x and covers 10 nm steps.
func TestBlackBodyChromaticity(t *testing.T) {
	for _, c := range []struct{ k, x, y float64 }{
		{2856, 0.4476, 0.4074},
		{6500, 0.3135, 0.3237},
	} {
		x, y := blackBodyXY(c.k)
		require.InDelta(t, c.x, x, 0.0004, "x at %g K", c.k)
		require.InDelta(t, c.y, y, 0.0004, "y at %g K", c.k)
	}
}

func TestTemperatureKeepsLuminance(t *testing.T) {
	for k := 800.0; k <= 25000; k *= 1.1 {
		c := Temperature(k)
		require.InDelta(t, 1, Luminance(c), 1e-9)
		require.GreaterOrEqual(t, min(c[0], c[1], c[2]), 0.0)
	}
	require.Zero(t, Temperature(1500)[2], "1500 K is outside the primaries: its blue is clipped")
}

func TestWhiteIsD65(t *testing.T) {
	x, y := ToXY(RGB{1, 1, 1})
	require.InDelta(t, 0.3127, x, 1e-4)
	require.InDelta(t, 0.3290, y, 1e-4)
}

func TestNearestKelvinFindsTheTemperatureBack(t *testing.T) {
	for _, k := range []float64{2200, 2856, 4000, 5600, 6500, 9000} {
		require.InEpsilon(t, k, NearestKelvin(Temperature(k)), 0.01, "%g K", k)
	}
}
