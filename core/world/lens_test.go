package world

import (
	"testing"

	"github.com/stretchr/testify/require"
	"willowherb/core/vec"
)

// A part of a picture has the rays of its pixels in the whole, and the middle of the picture
// the axis.
func TestAPartHasTheRaysOfTheWhole(t *testing.T) {
	whole := Camera{Eye: vec.V3{X: 1}, Aim: vec.V3{X: 0.3, Y: -0.2, Z: -2}, Up: vec.V3{Y: 1}, FovY: 0.9}
	part := whole
	part.Part = Part{X: 40, Y: 12, W: 192, H: 108}
	lens := part.Lens(32, 32)
	for _, at := range [][2]float32{{0, 0}, {3.5, 7.25}, {32, 32}} {
		want := whole.Ray(at[0]+40, at[1]+12, 192, 108)
		require.Equal(t, want, lens.Ray(at[0], at[1]))
		require.Equal(t, want, part.Ray(at[0], at[1], 32, 32))
		require.InDelta(t, 1, want.Len(), 1e-6)
	}
	require.InDelta(t, 1, whole.Ray(96, 54, 192, 108).Dot(whole.Aim.Norm()), 1e-6)
	require.Greater(t, whole.Ray(96, 0, 192, 108).Y, whole.Ray(96, 108, 192, 108).Y, "rows from the top")
}
