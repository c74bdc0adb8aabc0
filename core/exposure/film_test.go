package exposure

import (
	"math"
	"testing"

	"github.com/stretchr/testify/require"
)

// A film keeps middle grey, is white where it says and not before, rises all the way, has a toe
// where it is steep, and can be undone.
func TestFilm(t *testing.T) {
	for _, f := range []Film{{1, 6}, {1.3, 5}, {1.8, 8}, {0.7, 2.5}, {2.5, 12}} {
		c := f.Curve()
		require.True(t, c.Known(), c)
		require.InDelta(t, Middle, c.Map(Middle), 1e-12, c)
		require.InDelta(t, 1, c.Map(c.Top()), 1e-9, c)
		require.Less(t, c.Map(0.9*c.Top()), 1.0, c)
		require.Equal(t, 1.0, c.Map(10*c.Top()))
		require.InDelta(t, f.White, math.Log2(c.Top()/Middle), 1e-9)
		last := 0.0
		for x := 1e-4; x < 2*c.Top(); x *= 1.1 {
			y := c.Map(x)
			require.GreaterOrEqual(t, y, last, c)
			last = y
			if y < 0.999 {
				require.InEpsilon(t, x, c.Unmap(y), 1e-6, "%s at %g", c, x)
			}
		}
		// In the dark a stop of light is so many of the picture.
		require.InDelta(t, f.Steep, math.Log2(c.Map(2e-5)/c.Map(1e-5)), 0.01, c)
		require.Zero(t, c.Map(0))
		require.Zero(t, c.Map(math.NaN()))
	}
	for _, bad := range []Curve{"film", "film 1", "film 9 6", "film 1.3 1", "film 1.3 six", "film NaN 6", "filmic 1 6", "film 1 6 7"} {
		require.False(t, bad.Known(), bad)
	}
	require.Equal(t, 1.0, Plain.Top())
	require.InDelta(t, 5, math.Log2(Shoulder.Top()/Middle), 1e-12)
}
