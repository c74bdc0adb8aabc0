package refine

import (
	"testing"

	"github.com/stretchr/testify/require"
	"willowherb/core/film"
	"willowherb/core/lamps"
	"willowherb/core/light"
	"willowherb/core/vec"
	"willowherb/plan"
)

// A lamp's direct light and what mirrors show keep their noise on a covered frame, where the
// filter may pass them over; bounced light and a sky lose most of theirs.
func TestNoiseThatTheFilterMayLeave(t *testing.T) {
	left := func(level int, kind film.Kind, of light.Kind) float64 {
		y := film.NewLayers(8, 8)
		y.Count[0] = plan.Enough
		for i := range 64 { // one half has 2, the other nothing
			y.Put(kind, 0, 0, i%8, i/8, vec.Splat(2*plan.Enough/2))
		}
		f := &frame{level: level}
		return f.leftOver(&lamps.Lamp{Source: &light.Light{Kind: of}}, y, plan.Enough)
	}
	require.InDelta(t, 1, left(plan.Full, film.Direct, light.Point), 1e-6)
	require.InDelta(t, 1, left(plan.Full, film.BouncedSharp, light.Point), 1e-6)
	require.InDelta(t, 0.2, left(plan.Full, film.Bounced, light.Point), 1e-6)
	require.InDelta(t, 0.2, left(plan.Full, film.Direct, light.Sky), 1e-6)
	require.InDelta(t, 1, left(plan.Middle, film.Direct, light.Point), 1e-6)
	require.InDelta(t, 0.2, left(plan.Middle, film.Direct, light.Sky), 1e-6)
}
