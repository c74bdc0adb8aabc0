package demo

import (
	"context"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
	"willowherb/core/exchange"
	"willowherb/core/lamps"
	"willowherb/core/photometry"
	"willowherb/core/scene"
	"willowherb/core/setup"
	"willowherb/core/vec"
	"willowherb/format/gltf"
)

// lit writes a setup's lights as a GLB.
func lit(t *testing.T, doc *setup.Setup, s *scene.Scene) []byte {
	require.NoError(t, doc.Validate())
	st, err := lamps.Resolve(doc, "")
	require.NoError(t, err)
	glb, err := gltf.Write(&gltf.Model{Lights: exchange.ToScene(st, st.Lamps(s, nil))})
	require.NoError(t, err)
	return glb
}

// The evening's lights, and one of every kind with all that shapes it, are written
// as glTF and read back as they were; a reader that knows only the extension gets
// the intensities.
func TestLightsAreReadBackEqual(t *testing.T) {
	doc := Setup()
	green := [3]float64{0.2, 1.1, 0.4}
	more := setup.Light{Carry: setup.Live, Shadow: true, Channels: 3, Colour: setup.Colour{Kelvin: 4300, Tint: 4, Gel: "blue-4"}, Output: 1234.5, Aim: [3]float64{0.3, -1, 0.1}, Position: [3]float64{1.1, 2.2, 3.3}, Range: 7, Roll: 20}
	for name, change := range map[string]func(l *setup.Light){
		"disc": func(l *setup.Light) { l.Kind, l.Radius, l.TwoSided, l.Grid = setup.Disc, 0.4, true, 30 },
		"line": func(l *setup.Light) { l.Kind, l.Length, l.Unit = setup.Line, 1.5, setup.Candela },
		"slide": func(l *setup.Light) {
			l.Kind, l.Inner, l.Outer, l.Gobo, l.Doors = setup.Spot, 10, 25, &setup.Gobo{Pattern: "leaves", Scale: 1.2}, &setup.Doors{Top: 30, Length: 0.2}
		},
		"file": func(l *setup.Light) {
			l.Kind, l.Profile = setup.Point, &setup.Profile{Blob: strings.Repeat("c", 64), File: "bulkhead.ies", Flux: 800, Scaled: true}
		},
		"dark": func(l *setup.Light) {
			l.Kind, l.Off, l.NoSpecular, l.Colour = setup.Point, true, 1, setup.Colour{RGB: &green}
		},
	} {
		l := more
		l.Name, l.Group = name, "lamps"
		change(&l)
		doc.Lights[name] = l
	}
	s := place(t)
	glb := lit(t, doc, s)
	back, err := gltf.Read(context.Background(), "lights.glb", glb, nil, gltf.DefaultLimits())
	require.NoError(t, err)
	require.Empty(t, back.Warnings)
	again, notes := exchange.FromScene(back, doc.Target)
	require.Equal(t, doc.Lights, again.Lights)
	require.Equal(t, doc.Groups, again.Groups)
	for _, n := range notes {
		require.NotContains(t, n, "light")
	}
	// Without the block: what the extension alone says.
	for i := range back.Lights {
		back.Lights[i].Extras = nil
	}
	bare, _ := exchange.FromScene(back, doc.Target)
	byName := map[string]setup.Light{}
	for _, l := range bare.Lights {
		byName[l.Name] = l
	}
	lantern := byName["Lantern"]
	require.InEpsilon(t, doc.Lights["lantern"].Output*0.8122523963562355, lantern.Output, 1e-4, "640 lm and -0.3 stops")
	require.InDelta(t, doc.Lights["lantern"].Position[0], lantern.Position[0], 1e-4)
	key := byName["Keeper key"]
	require.InDelta(t, 24, key.Outer, 1e-4)
	require.InEpsilon(t, float64(photometry.SpotCandela(420, 14*rad, 24*rad)), float64(photometry.SpotCandela(photometry.Lumen(key.Output), 14*rad, 24*rad))/0.5358867312681466, 1e-4)
	// Moved by another program, it stays where that put it.
	moved, err := gltf.Read(context.Background(), "lights.glb", glb, nil, gltf.DefaultLimits())
	require.NoError(t, err)
	for i := range moved.Lights {
		moved.Lights[i].Position = moved.Lights[i].Position.Add(vec.V3{X: 1})
	}
	there, _ := exchange.FromScene(moved, doc.Target)
	require.InDelta(t, doc.Lights["lantern"].Position[0]+1, there.Lights["lantern"].Position[0], 1e-4)
	require.Equal(t, doc.Lights["lantern"].Output, there.Lights["lantern"].Output)
}

const rad = 3.141592653589793 / 180
