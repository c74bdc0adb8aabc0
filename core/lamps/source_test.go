package lamps

import (
	"testing"

	"github.com/stretchr/testify/require"
	"willowherb/core/drawn"
	"willowherb/core/light"
	"willowherb/core/scene"
	"willowherb/core/setup"
	"willowherb/core/setup/setuptest"
	"willowherb/core/vec"
)

// What the run-time picture needs changes no layer, and what a layer needs does.
func TestKeysOfShapes(t *testing.T) {
	base := setup.Light{Kind: setup.Spot, Output: 100, Inner: 10, Outer: 20, Radius: 0.1}
	key := func(change func(l *setup.Light)) [32]byte {
		l := base
		change(&l)
		return lampOf(t, l, nil).Key
	}
	was := key(func(*setup.Light) {})
	for name, change := range map[string]func(l *setup.Light){
		"drawn": func(l *setup.Light) { l.Drawn = &setup.Drawn{Filter: 5} }, "map": func(l *setup.Light) { l.ShadowMap = 4096 }, "unit": func(l *setup.Light) { l.Unit, l.UnitAt = setup.Lux, 3 }, "link": func(l *setup.Light) { l.Link = "x" }, "gel": func(l *setup.Light) { l.Colour = setup.Colour{Kelvin: 4000, Gel: "grey-1"} },
	} {
		require.Equal(t, was, key(change), name)
	}
	for name, change := range map[string]func(l *setup.Light){
		"gobo": func(l *setup.Light) { l.Gobo = &setup.Gobo{Pattern: "dots", Scale: 1} }, "doors": func(l *setup.Light) { l.Doors = &setup.Doors{Length: 1} }, "share": func(l *setup.Light) { l.NoDiffuse = 1 }, "roll": func(l *setup.Light) { l.Roll = 5 },
	} {
		require.NotEqual(t, was, key(change), name)
	}
}

// The document's kinds become the sources that sample them.
func TestSourcesOfKinds(t *testing.T) {
	line := lampOf(t, setup.Light{Kind: setup.Line, Output: 1, Length: 2}, nil).Source
	require.Equal(t, light.Tube, line.Kind)
	require.InDelta(t, 1, line.U.Dot(line.U), 1e-6)
	require.InDelta(t, 0, line.U.Dot(line.Aim), 1e-6, "a line lies across its aim")
	require.Equal(t, light.Point, lampOf(t, setup.Light{Kind: setup.Point, Output: 1}, nil).Source.Kind)
	require.Equal(t, light.Tube, lampOf(t, setup.Light{Kind: setup.Point, Output: 1, Length: 1, Radius: 0.1}, nil).Source.Kind)
	doors := lampOf(t, setup.Light{Kind: setup.Rect, Output: 1, Width: 1, Height: 1, Doors: &setup.Doors{Top: 90, Bottom: 90, Left: 90, Right: 90, Length: 0.5}}, nil).Source.Doors()
	require.NotNil(t, doors)
	for _, leaf := range doors.Corners() {
		for _, p := range leaf {
			require.InDelta(t, 0, p.Y, 1e-6, "flat open, they lie in the panel's plane")
		}
	}
	require.Equal(t, vec.V3{Y: -1}, lampOf(t, setup.Light{Kind: setup.Point, Output: 1}, nil).Source.Aim)
}

// A light that says nothing of its shadow is drawn as usual, with the target's cascades.
func TestShadowDrawn(t *testing.T) {
	l := Lamp{Resolved: Resolved{Light: setup.Light{ShadowMap: 1024}}}
	require.Equal(t, drawn.Settings{Size: 1024, Bias: 0.02, Normal: 1.5, Filter: 3, Cascades: 4, Distance: 60, Thickness: 0.3}, l.ShadowDrawn(4))
	l.Drawn = &setup.Drawn{Cascades: 2, Traced: 3}
	require.Equal(t, drawn.Settings{Size: 1024, Cascades: 2, Traced: 3}, l.ShadowDrawn(4))
}

// A rect that is marked as an opening tells the skies where it stands, to both sides where it
// shines to both; their layers are others then, its own are not.
func TestRectsLetTheSkyIn(t *testing.T) {
	s := setuptest.Sample()
	s.Lights = map[string]setup.Light{
		"sky":   {Kind: setup.Sky, Output: 1, Channels: 1},
		"panel": {Kind: setup.Rect, Output: 1, Off: true, Width: 2, Height: 1, Position: [3]float64{1, 2, 3}, Aim: [3]float64{0, 0, -1}, Channels: 1},
	}
	made := func() (sky, panel *Lamp) {
		st, err := Resolve(s, "")
		require.NoError(t, err)
		for _, l := range st.Lamps(&scene.Scene{}, nil) {
			if l.Kind == setup.Sky {
				sky = l
			} else {
				panel = l
			}
		}
		return sky, panel
	}
	mark := func(change func(l *setup.Light)) {
		l := s.Lights["panel"]
		change(&l)
		s.Lights["panel"] = l
	}
	sky, panel := made()
	require.Empty(t, sky.Source.Portals)
	mark(func(l *setup.Light) { l.Opening = true })
	marked, same := made()
	require.Equal(t, panel.Key, same.Key)
	require.NotEqual(t, sky.Key, marked.Key)
	require.Len(t, marked.Source.Portals, 1)
	q := marked.Source.Portals[0]
	require.Equal(t, vec.New(1, 2, 3), q.Centre)
	require.InDelta(t, -1, q.N.Z, 1e-6)
	require.InDelta(t, 0, q.U.Dot(q.N), 1e-6)
	require.Equal(t, [2]float32{2, 1}, [2]float32{q.W, q.H})
	mark(func(l *setup.Light) { l.Position[0] = 5 })
	moved, _ := made()
	require.NotEqual(t, marked.Key, moved.Key)
	mark(func(l *setup.Light) { l.TwoSided = true })
	both, _ := made()
	require.Len(t, both.Source.Portals, 2)
	require.Equal(t, both.Source.Portals[0].N, both.Source.Portals[1].N.Neg())
}
