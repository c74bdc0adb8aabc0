package setup

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
	"willowherb/core/drawn"
	"willowherb/core/light"
	"willowherb/core/scene"
	"willowherb/core/vec"
)

// What shapes a light is checked, each thing with its place in the document.
func TestShapesAreChecked(t *testing.T) {
	sound := Light{Name: "A", Kind: Spot, Output: 100, Inner: 10, Outer: 20, Carry: Live, Aim: [3]float64{0, -1, 0}, Colour: Colour{Kelvin: 4000}}
	hash := strings.Repeat("0", 64)
	for _, c := range []struct {
		at     string
		change func(l *Light)
	}{
		{"/gobo", func(l *Light) { l.Gobo = &Gobo{Pattern: "unknown", Scale: 1} }},
		{"/gobo", func(l *Light) { l.Gobo = &Gobo{Blob: "short", File: "a.png", Scale: 1} }},
		{"/gobo/scale", func(l *Light) { l.Gobo = &Gobo{Pattern: "dots"} }},
		{"/gobo/blur", func(l *Light) { l.Gobo = &Gobo{Pattern: "dots", Scale: 1, Blur: 2} }},
		{"/gobo", func(l *Light) { l.Kind, l.Width, l.Height, l.Gobo = Rect, 1, 1, &Gobo{Pattern: "dots", Scale: 1} }},
		{"/doors", func(l *Light) { l.Doors = &Doors{Top: 120, Length: 0.2} }},
		{"/doors/length", func(l *Light) { l.Doors = &Doors{} }},
		{"/doors", func(l *Light) { l.Kind, l.Doors = Point, &Doors{Length: 0.2} }},
		{"/profile", func(l *Light) { l.Profile = &Profile{Blob: "x", File: "a.ies"} }},
		{"/profile", func(l *Light) { l.Kind, l.Radius, l.Profile = Disc, 1, &Profile{Blob: hash, File: "a.ies"} }},
		{"/length", func(l *Light) { l.Kind = Line }},
		{"/grid", func(l *Light) { l.Grid = 90 }},
		{"/noSpecular", func(l *Light) { l.NoSpecular = 1.5 }},
		{"/colour/tint", func(l *Light) { l.Colour.Tint = 40 }},
		{"/colour/gel", func(l *Light) { l.Colour.Gel = "plaid" }},
		{"/drawn/filter", func(l *Light) { l.Drawn = &Drawn{Filter: 99} }},
		{"/drawn/cascades", func(l *Light) { l.Drawn = &Drawn{Cascades: 9} }},
		{"/unit", func(l *Light) { l.Unit = "hp" }},
		{"/unit", func(l *Light) { l.Unit = Nit }},  // a spot without a size has no surface
		{"/unit", func(l *Light) { l.Unit = "ev" }}, // exposure is told in it, lamps are not,
		{"/link", func(l *Light) { l.Link = "Not An Id" }},
	} {
		l := sound
		c.change(&l)
		err := (&Setup{Version: Version, Name: "t", Curve: "plain", Lights: map[string]Light{"a": l}}).Validate()
		require.ErrorContains(t, err, "/lights/a"+c.at+":", c.at)
	}
	s := &Setup{Version: Version, Name: "t", Curve: "plain", Groups: map[string]Group{"g": {Name: "G", Rig: &Rig{}}}, Channels: map[string]Channel{"9": {}}}
	require.ErrorContains(t, s.Validate(), "/groups/g/rig/height")
	require.ErrorContains(t, s.Validate(), "/channels/9")
}

// What the run-time picture needs changes no layer, and what a layer needs does.
func TestKeysOfShapes(t *testing.T) {
	base := Light{Kind: Spot, Output: 100, Inner: 10, Outer: 20, Radius: 0.1}
	key := func(change func(l *Light)) [32]byte {
		l := base
		change(&l)
		return lampOf(t, l, nil).Key
	}
	was := key(func(*Light) {})
	for name, change := range map[string]func(l *Light){
		"drawn": func(l *Light) { l.Drawn = &Drawn{Filter: 5} }, "map": func(l *Light) { l.ShadowMap = 4096 }, "unit": func(l *Light) { l.Unit, l.UnitAt = Lux, 3 }, "link": func(l *Light) { l.Link = "x" }, "gel": func(l *Light) { l.Colour = Colour{Kelvin: 4000, Gel: "grey-1"} },
	} {
		require.Equal(t, was, key(change), name)
	}
	for name, change := range map[string]func(l *Light){
		"gobo": func(l *Light) { l.Gobo = &Gobo{Pattern: "dots", Scale: 1} }, "doors": func(l *Light) { l.Doors = &Doors{Length: 1} }, "share": func(l *Light) { l.NoDiffuse = 1 }, "roll": func(l *Light) { l.Roll = 5 },
	} {
		require.NotEqual(t, was, key(change), name)
	}
}

// The document's kinds become the sources that sample them.
func TestSourcesOfKinds(t *testing.T) {
	line := lampOf(t, Light{Kind: Line, Output: 1, Length: 2}, nil).Source
	require.Equal(t, light.Tube, line.Kind)
	require.InDelta(t, 1, line.U.Dot(line.U), 1e-6)
	require.InDelta(t, 0, line.U.Dot(line.Aim), 1e-6, "a line lies across its aim")
	require.Equal(t, light.Point, lampOf(t, Light{Kind: Point, Output: 1}, nil).Source.Kind)
	require.Equal(t, light.Tube, lampOf(t, Light{Kind: Point, Output: 1, Length: 1, Radius: 0.1}, nil).Source.Kind)
	doors := lampOf(t, Light{Kind: Rect, Output: 1, Width: 1, Height: 1, Doors: &Doors{Top: 90, Bottom: 90, Left: 90, Right: 90, Length: 0.5}}, nil).Source.Doors()
	require.NotNil(t, doors)
	for _, leaf := range doors.Corners() {
		for _, p := range leaf {
			require.InDelta(t, 0, p.Y, 1e-6, "flat open, they lie in the panel's plane")
		}
	}
	require.Equal(t, vec.V3{Y: -1}, lampOf(t, Light{Kind: Point, Output: 1}, nil).Source.Aim)
}

// A light that says nothing of its shadow is drawn as usual, with the target's cascades.
func TestShadowDrawn(t *testing.T) {
	l := Light{ShadowMap: 1024}
	require.Equal(t, drawn.Settings{Size: 1024, Bias: 0.02, Normal: 1.5, Filter: 3, Cascades: 4, Distance: 60, Thickness: 0.3}, l.ShadowDrawn(4))
	l.Drawn = &Drawn{Cascades: 2, Traced: 3}
	require.Equal(t, drawn.Settings{Size: 1024, Cascades: 2, Traced: 3}, l.ShadowDrawn(4))
}

// An object's channels are those of the nearest node that says so, and part of the
// stage's key.
func TestChannelsOfObjects(t *testing.T) {
	bits := func(b uint8) *uint8 { return &b }
	s := &Setup{Version: Version, Name: "t", Curve: "plain", Objects: map[string]Object{"all": {Path: "Hall", Channels: bits(3)}, "one": {Path: "Hall/pump", Channels: bits(4)}, "still": {Path: "Hall/pump/wheel", Locked: true}}}
	require.NoError(t, s.Validate())
	st := StageOf(s, "blob", "file")
	sc := &scene.Scene{Objects: []scene.Object{{Path: "Hall/wall"}, {Path: "Hall/pump"}, {Path: "Hall/pump/wheel"}, {Path: "Marsh"}}}
	require.Equal(t, []uint8{3, 4, 4, 0xff}, st.Channels(sc))
	plain := *s
	plain.Objects = map[string]Object{"all": {Path: "Hall", Channels: bits(0xff)}}
	rest := StageOf(&plain, "blob", "file")
	require.NotEqual(t, rest.Key, st.Key)
	require.Equal(t, rest.Geometry, st.Geometry, "no tree is built for channels")
}
