package still

import (
	"context"
	"testing"

	"github.com/stretchr/testify/require"
	"willowherb/core/setup"
)

// A picture of a known place is the same bits as one of a place that nobody knows, and what
// one picture has found out serves the next.
func TestKnownPlace(t *testing.T) {
	lamp := setup.Light{Kind: setup.Point, Output: 1000, Colour: setup.Colour{Kelvin: 3000}, Position: [3]float64{0, 2, 0}, Radius: 0.1, Shadow: true, Channels: 1}
	dome := setup.Light{Kind: setup.Sky, Output: 100, Colour: setup.Colour{Kelvin: 6500}, Channels: 1}
	o := order(t, map[string]setup.Light{"lamp": lamp, "dome": dome})
	fresh, err := Render(context.Background(), o)
	require.NoError(t, err)
	o.Known = &Known{}
	first, err := Render(context.Background(), o)
	require.NoError(t, err)
	cache := o.Known.cache
	require.NotNil(t, cache)
	require.True(t, o.Known.looked)
	o.Seed = 7
	_, err = Render(context.Background(), o)
	require.NoError(t, err)
	o.Seed = 0
	again, err := Render(context.Background(), o)
	require.NoError(t, err)
	require.Same(t, cache, o.Known.cache)
	require.Equal(t, fresh.RGB, first.RGB)
	require.Equal(t, fresh.RGB, again.RGB)
}
