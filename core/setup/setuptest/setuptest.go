// Package setuptest has documents and places for tests.
package setuptest

import (
	"encoding/json"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
	"willowherb/core/scene"
	"willowherb/core/setup"
	"willowherb/core/vec"
)

// Sample is a small valid document: a lantern and a rim light in a group, and a view.
func Sample() *setup.Setup {
	lamp := setup.Light{Name: "Lantern", Group: "keeper", Kind: setup.Point, Output: 640, Colour: setup.Colour{Kelvin: 2150}, Shadow: true, ShadowMap: 512, Carry: setup.Live, Channels: 0xff, Range: 6, Radius: 0.05}
	rim := lamp
	rim.Name, rim.Kind, rim.Inner, rim.Outer, rim.Aim, rim.Order = "Rim", setup.Spot, 10, 25, [3]float64{0, -1, 0}, 1
	return &setup.Setup{Version: setup.Version, Name: "Evening", Target: "console-60", Curve: "shoulder",
		Groups: map[string]setup.Group{"keeper": {Name: "Keeper"}},
		Lights: map[string]setup.Light{"lantern": lamp, "rim": rim},
		Views:  map[string]setup.View{"hall": {Name: "Hall", Aim: [3]float64{0, 0, -1}, FovY: 40, Aspect: 16.0 / 9, EV: 6}},
		Looks:  map[string]setup.Look{}}
}

// Raw is a value as JSON.
func Raw(v any) json.RawMessage {
	b, _ := json.Marshal(v)
	return b
}

// Level is a floor and two things that stand on it.
func Level(t testing.TB, paths ...string) *scene.Scene {
	m := scene.DefaultMaterial()
	m.Name = "brick"
	s := &scene.Scene{Materials: []scene.Material{m}}
	for i, p := range paths {
		x := float32(i)
		at := uint32(len(s.V.Pos))
		s.V.Pos = append(s.V.Pos, vec.V3{X: x}, vec.V3{X: x + 1}, vec.V3{X: x, Y: 1})
		for range 3 {
			s.V.Nrm, s.V.UV0 = append(s.V.Nrm, vec.V3{Z: 1}), append(s.V.UV0, vec.V2{})
		}
		s.Index = append(s.Index, at, at+1, at+2)
		s.Mat, s.Obj = append(s.Mat, 0), append(s.Obj, uint32(i))
		s.Objects = append(s.Objects, scene.Object{Name: p[strings.LastIndexByte(p, '/')+1:], Path: p, First: i, Count: 1, Node: scene.None})
	}
	require.NoError(t, s.Finish())
	return s
}
