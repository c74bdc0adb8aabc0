package exchange

import (
	"math"
	"testing"

	"github.com/stretchr/testify/require"
	"willowherb/core/scene"
	"willowherb/core/vec"
)

func TestFromSceneBringsUnitsAndCameras(t *testing.T) {
	up := vec.V3{X: math.Sqrt2 / 2, Y: math.Sqrt2 / 2}
	s := &scene.Scene{Name: "place", Lights: []scene.Light{
		{Name: "A", Kind: scene.Point, Intensity: 10, Color: [3]float64{1, 1, 1}},
		{Name: "A", Kind: scene.Sun, Intensity: 50, Color: [3]float64{0.5, 0.5, 0.5}, Aim: vec.V3{Y: -1}},
	}, Cameras: []scene.Camera{{Name: "Rolled", Aim: vec.V3{Z: -1}, Up: up, FovY: 1}}}
	doc, notes := FromScene(s, "console-60")
	require.Empty(t, notes)
	require.NoError(t, doc.Validate())
	require.InDelta(t, 10*4*math.Pi, doc.Lights["a"].Output, 1e-9)
	require.InDelta(t, 25, doc.Lights["a-2"].Output, 1e-9, "intensity times the luminance of its colour")
	v := doc.Views["rolled"]
	cam := v.Camera()
	require.InDelta(t, 1, cam.Up.Dot(up), 1e-5, "the roll is kept")

	doc, notes = FromScene(&scene.Scene{Name: "bare", Hi: vec.Splat(1)}, "console-60")
	require.Len(t, notes, 2)
	require.NoError(t, doc.Validate())
	require.Len(t, doc.Views, 1)
}
