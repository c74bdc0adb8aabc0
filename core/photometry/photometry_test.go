package photometry

import (
	"math"
	"testing"

	"github.com/stretchr/testify/require"
)

func TestPointAndConeFlux(t *testing.T) {
	require.InDelta(t, 1000/(4*math.Pi), float64(PointCandela(1000)), 1e-9)
	// A hard cone of 30 degrees half-angle: F / (2 pi (1 - cos t)); the ramp that
	// glTF keeps at 0.001 in cosine widens it by a third of that at most.
	want := 1000 / (2 * math.Pi * (1 - math.Cos(math.Pi/6)))
	require.InEpsilon(t, want, float64(SpotCandela(1000, math.Pi/6, math.Pi/6)), 0.006)
}

// The closed form of a soft cone against a plain numerical integration.
func TestConeSolidAngleAgainstIntegration(t *testing.T) {
	for _, c := range [][2]float64{{0, 0.3}, {0.2, 0.5}, {0.5, 0.5}, {0.1, math.Pi / 2}, {0, 0.01}} {
		var sum float64
		const n = 2_000_000
		for i := range n {
			cos := 1 - (float64(i)+0.5)/n
			sum += coneFalloff(cos, math.Cos(c[0]), math.Cos(c[1])) / n
		}
		require.InEpsilon(t, 2*math.Pi*sum, ConeSolidAngle(c[0], c[1]), 0.001, "cone %v", c)
	}
}

func TestRectAndDiscAgreeFarAwayWithInverseSquare(t *testing.T) {
	// 1 m2 at 50 m: both tend to L A / d2.
	e := 4 * float64(RectIlluminance(100, 0.5, 0.5, 50))
	require.InEpsilon(t, 100.0/2500, e, 0.001)
	r := math.Sqrt(1 / math.Pi)
	require.InEpsilon(t, 100.0/2500, float64(DiscIlluminance(100, r, 50)), 0.001)
	// A rectangle without end is the whole hemisphere: E = pi L.
	require.InEpsilon(t, math.Pi*100, 4*float64(RectIlluminance(100, 1e5, 1e5, 1)), 0.001)
}

func TestExposureValues(t *testing.T) {
	// f/16 at 1/100 s and ISO 100 is the sunny-16 rule: EV 14.6, 0.125*2^EV = 3200 cd/m2.
	ev := EV100(16, 0.01, 100)
	require.InDelta(t, 14.644, ev, 0.001)
	require.InDelta(t, 3200, float64(NitAtEV(ev)), 0.5)
	require.InDelta(t, 64000, float64(LuxAtEV(ev)), 5)
	require.InDelta(t, 6.3, EVAtNit(NitAtEV(6.3)), 1e-12)
}
