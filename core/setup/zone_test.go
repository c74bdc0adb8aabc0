package setup

import (
	"testing"

	"github.com/stretchr/testify/require"
)

// A zone everywhere, a room in it that is laid over, and between them as far as the blend says.
func TestZonesAreLaidOverEachOther(t *testing.T) {
	s := &Setup{Zones: map[string]Zone{
		"all":  {Name: "Outside", Precedence: 0, EV: 8},
		"room": {Name: "Room", Precedence: 5, EV: 4, Position: [3]float64{0, 1, 0}, Size: [3]float64{4, 0, 4}, Blend: 2},
		"box":  {Name: "Box", Precedence: 9, EV: 2, Position: [3]float64{0, 1, 0}, Size: [3]float64{1, 1, 1}, Off: true},
	}}
	at := func(x, y, z float64) (float64, string) { return s.InZones([3]float64{x, y, z}, 11) }
	ev, id := at(0, 50, 0)
	require.Equal(t, 4.0, ev)
	require.Equal(t, "room", id)
	ev, id = at(3, 0, 0) // a metre outside
	require.InDelta(t, 6, ev, 1e-9)
	require.Equal(t, "room", id)
	ev, id = at(9, 0, 0)
	require.Equal(t, 8.0, ev)
	require.Equal(t, "all", id)
	ev, id = (&Setup{}).InZones([3]float64{}, 11)
	require.Equal(t, 11.0, ev)
	require.Empty(t, id)
	// In a corner the distance is to the corner.
	z := s.Zones["room"]
	require.InDelta(t, 1-1.4142135/2, z.Weight([3]float64{3, 0, 3}), 1e-6)
}
