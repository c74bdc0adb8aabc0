package still

import (
	"context"
	"testing"

	"github.com/stretchr/testify/require"
	"willowherb/core/exposure"
	"willowherb/core/film"
	"willowherb/core/scene"
	"willowherb/core/setup"
)

// A camera of the place that travels is followed: what is held there is that of the view that
// is near, and what is metered gets darker as it rises from the lamp's pool.
func TestAlongACameraThatTravels(t *testing.T) {
	o := order(t, map[string]setup.Light{"lamp": {Kind: setup.Spot, Output: 4000, Colour: setup.Colour{Kelvin: 6500}, Position: [3]float64{0, 4, 0}, Aim: [3]float64{0, -1, 0}, Inner: 20, Outer: 30, Shadow: true, Channels: 255}})
	s := o.World.S
	s.Nodes = []scene.Node{{Name: "crane", Parent: scene.None, R: [4]float64{0, 0, 0, 1}, S: [3]float64{1, 1, 1}}, {Name: "camera", Parent: 0, T: [3]float64{0, 2, 0}, R: [4]float64{-0.70710678, 0, 0, 0.70710678}, S: [3]float64{1, 1, 1}}}
	s.Animations = []scene.Animation{{Name: "up", Channels: []scene.Channel{{Node: 0, Target: scene.Translation, Times: []float32{0, 4}, Values: []float32{0, 0, 0, 40, 0, 0}}}}}
	s.Cameras = []scene.Camera{{Name: "Fixed", FovY: 0.3}, {Name: "Crane", FovY: 0.3, Hangs: 2}}
	require.Equal(t, []string{"Crane"}, Travelling(s))
	c := s.CameraAt(1, 2)
	require.InDelta(t, 20, c.Eye.X, 1e-4)
	require.InDelta(t, 2, c.Eye.Y, 1e-4)
	require.InDelta(t, -1, c.Aim.Y, 1e-5, "it looks down")
	require.Equal(t, s.Cameras[0], s.CameraAt(0, 2))

	doc := &setup.Setup{Views: map[string]setup.View{"pool": {Name: "Pool", EV: 7}, "dark": {Name: "Dark", Order: 1, Eye: [3]float64{40, 2, 0}, EV: 2}}}
	auto := exposure.StandardAuto()
	auto.Least, auto.Most, auto.InDark, auto.InBright = -10, 20, 0, 0
	way, err := Along(context.Background(), Walk{Setup: doc, World: o.World, Lamps: o.Lamps, Camera: "Crane", Seconds: 60, Auto: auto, Workers: 2})
	require.NoError(t, err)
	require.InDelta(t, 4, way[Steps-1].Seconds, 1e-9, "it takes the camera's own time")
	require.Equal(t, "Pool", way[0].Near)
	require.Equal(t, 7.0, way[0].Held)
	require.Equal(t, "Dark", way[Steps-1].Near)
	require.Equal(t, 2.0, way[Steps-1].Held)
	require.Greater(t, way[0].Wanted, way[Steps-1].Wanted+6)
}

func TestWhatShowsAnObject(t *testing.T) {
	s := &scene.Scene{Objects: []scene.Object{{Path: "Keeper/coat"}, {Path: "Keeper 2/coat"}, {Path: "Keeper"}}}
	g := film.NewGuide(4, 1)
	for px, o := range []uint32{0, 1, 2, 0} {
		g.Object[px], g.Tri[px] = o, 7
	}
	g.Tri[3] = film.NoTri
	shows := Showing(s, g, "Keeper")
	require.Equal(t, []bool{true, false, true, false}, []bool{shows(0), shows(1), shows(2), shows(3)})
	require.Nil(t, Showing(s, g, "Lantern"))
	require.Nil(t, Showing(s, g, ""))
}
