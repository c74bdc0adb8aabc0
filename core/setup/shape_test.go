package setup_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
	"willowherb/core/setup"
)

// What shapes a light is checked, each thing with its place in the document.
func TestShapesAreChecked(t *testing.T) {
	sound := setup.Light{Name: "A", Kind: setup.Spot, Output: 100, Inner: 10, Outer: 20, Carry: setup.Live, Aim: [3]float64{0, -1, 0}, Colour: setup.Colour{Kelvin: 4000}}
	hash := strings.Repeat("0", 64)
	for _, c := range []struct {
		at     string
		change func(l *setup.Light)
	}{
		{"/gobo", func(l *setup.Light) { l.Gobo = &setup.Gobo{Pattern: "unknown", Scale: 1} }},
		{"/gobo", func(l *setup.Light) { l.Gobo = &setup.Gobo{Blob: "short", File: "a.png", Scale: 1} }},
		{"/gobo/scale", func(l *setup.Light) { l.Gobo = &setup.Gobo{Pattern: "dots"} }},
		{"/gobo/blur", func(l *setup.Light) { l.Gobo = &setup.Gobo{Pattern: "dots", Scale: 1, Blur: 2} }},
		{"/gobo", func(l *setup.Light) {
			l.Kind, l.Width, l.Height, l.Gobo = setup.Rect, 1, 1, &setup.Gobo{Pattern: "dots", Scale: 1}
		}},
		{"/doors", func(l *setup.Light) { l.Doors = &setup.Doors{Top: 120, Length: 0.2} }},
		{"/doors/length", func(l *setup.Light) { l.Doors = &setup.Doors{} }},
		{"/doors", func(l *setup.Light) { l.Kind, l.Doors = setup.Point, &setup.Doors{Length: 0.2} }},
		{"/profile", func(l *setup.Light) { l.Profile = &setup.Profile{Blob: "x", File: "a.ies"} }},
		{"/profile", func(l *setup.Light) {
			l.Kind, l.Radius, l.Profile = setup.Disc, 1, &setup.Profile{Blob: hash, File: "a.ies"}
		}},
		{"/length", func(l *setup.Light) { l.Kind = setup.Line }},
		{"/grid", func(l *setup.Light) { l.Grid = 90 }},
		{"/noSpecular", func(l *setup.Light) { l.NoSpecular = 1.5 }},
		{"/colour/tint", func(l *setup.Light) { l.Colour.Tint = 40 }},
		{"/colour/gel", func(l *setup.Light) { l.Colour.Gel = "plaid" }},
		{"/drawn/filter", func(l *setup.Light) { l.Drawn = &setup.Drawn{Filter: 99} }},
		{"/drawn/cascades", func(l *setup.Light) { l.Drawn = &setup.Drawn{Cascades: 9} }},
		{"/unit", func(l *setup.Light) { l.Unit = "hp" }},
		{"/unit", func(l *setup.Light) { l.Unit = setup.Nit }}, // a spot without a size has no surface
		{"/unit", func(l *setup.Light) { l.Unit = "ev" }},      // exposure is told in it, lamps are not,
		{"/link", func(l *setup.Light) { l.Link = "Not An Id" }},
	} {
		l := sound
		c.change(&l)
		err := (&setup.Setup{Version: setup.Version, Name: "t", Curve: "plain", Lights: map[string]setup.Light{"a": l}}).Validate()
		require.ErrorContains(t, err, "/lights/a"+c.at+":", c.at)
	}
	s := &setup.Setup{Version: setup.Version, Name: "t", Curve: "plain", Groups: map[string]setup.Group{"g": {Name: "G", Rig: &setup.Rig{}}}, Channels: map[string]setup.Channel{"9": {}}}
	require.ErrorContains(t, s.Validate(), "/groups/g/rig/height")
	require.ErrorContains(t, s.Validate(), "/channels/9")
}
