package setup

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
	"willowherb/core/grade"
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

// A zone's grade is laid over that of everywhere as far as the zone holds, for the views that
// go by zones alone; a setup that is in its zones already stays as it is.
func TestZonesHaveGrades(t *testing.T) {
	s := &Setup{Version: Version, Name: "n", Curve: "plain", Views: map[string]View{"hall": {Name: "Hall", Aim: [3]float64{0, 0, -1}, FovY: 40, Aspect: 1.5, EV: 6}}}
	bright, warm := grade.Neutral(), grade.Neutral()
	bright.Gain = [3]float64{2, 2, 2}
	warm.Saturation, warm.White = 0.5, &[3]float64{4, 1, 0.25}
	s.Grade = &bright
	s.Zones = map[string]Zone{
		"all":  {Name: "Everywhere", Precedence: -1, EV: 5},
		"room": {Name: "Room", Precedence: 1, Position: [3]float64{0, 0, 0}, Size: [3]float64{4, 4, 4}, Blend: 2, EV: 3, Grade: &warm},
	}
	for id, v := range s.Views {
		v.Eye, v.Zoned = [3]float64{3, 0, 0}, true // half way over its blend
		s.Views[id] = v
	}
	require.NoError(t, s.Validate())
	id := s.SortedViews()[0]
	require.Equal(t, &bright, s.GradeOf(id))
	in := s.InTheirZones()
	g := in.GradeOf(id)
	require.InDelta(t, 0.75, g.Saturation, 1e-9)
	require.InDelta(t, 1.5, g.Gain[1], 1e-9)
	require.InDeltaSlice(t, []float64{2, 1, 0.5}, g.White[:], 1e-9, "white by stops")
	require.InDelta(t, 4, in.Views[id].EV, 1e-9)
	require.Same(t, in, in.InTheirZones())
	v := s.Views[id]
	v.Zoned = false
	s.Views[id] = v
	require.Equal(t, &bright, s.InTheirZones().GradeOf(id))
	z := s.Zones["room"]
	worse := warm
	worse.Contrast = 0
	z.Grade = &worse
	s.Zones["room"] = z
	require.ErrorContains(t, s.Validate(), "/zones/room/grade")
	warm.Table = &grade.Table{Blob: strings.Repeat("c", 64), File: "c.cube", Amount: 1}
	z.Grade = &warm
	s.Zones["room"] = z
	require.Equal(t, []string{warm.Table.Blob}, s.Tables(), "its table is kept")
}
