package contrast

import (
	"math"
	"testing"

	"github.com/stretchr/testify/require"
	"willowherb/core/exposure"
)

// A grey disc two stops brighter than its ground.
func TestOutlineOfADisc(t *testing.T) {
	const w, h = 80, 60
	inside := make([]bool, w*h)
	rgb := make([]float32, 3*w*h)
	for y := range h {
		for x := range w {
			v := float32(0.5)
			if in := math.Hypot(float64(x-40), float64(y-30)) < 15; in {
				inside[y*w+x], v = true, 2
			}
			for k := range 3 {
				rgb[3*(y*w+x)+k] = v
			}
		}
	}
	c, ok := Outline(inside, rgb, w, h, 3, 4, exposure.Plain)
	require.True(t, ok)
	require.InDelta(t, 2, c.Stops, 1e-5)
	require.InDelta(t, 4, c.InsideEV, 1e-5, "2 cd/m2 is EV 4: L = 0.125 * 2^EV")
	require.InDelta(t, 2, c.OutsideEV, 1e-5)
	require.Zero(t, c.Lost)
	require.Greater(t, c.Colour, 20.0)
	for i := range rgb {
		rgb[i] = 1
	}
	c, ok = Outline(inside, rgb, w, h, 3, 4, exposure.Plain)
	require.True(t, ok)
	require.Equal(t, 1.0, c.Lost, "as bright as what is behind it, it is lost")
	_, ok = Outline(make([]bool, w*h), rgb, w, h, 3, 4, exposure.Plain)
	require.False(t, ok, "what is not in the picture has no outline")
}

func TestCompareCountsStopsAndDifferences(t *testing.T) {
	a, b := make([]float32, 300), make([]float32, 300)
	for i := range a {
		a[i], b[i] = 0.2, 0.2
	}
	n := Compare(a, b, 3, 3, exposure.Plain, exposure.Plain)
	require.Zero(t, n.Mean)
	for i := range 30 {
		b[i] = 0.4
	}
	n = Compare(a, b, 3, 3, exposure.Plain, exposure.Plain)
	require.InDelta(t, 0.1, n.Stops, 1e-6, "a tenth of the picture is a stop brighter")
	require.Greater(t, n.P95, 5.0)
	require.Less(t, n.Mean, n.P95)
}
