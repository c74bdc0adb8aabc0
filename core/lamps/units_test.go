package lamps

import (
	"encoding/json"
	"math"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
	"willowherb/core/colour"
	"willowherb/core/photometry"
	"willowherb/core/scene"
	"willowherb/core/setup"
	"willowherb/core/setup/setuptest"
	"willowherb/core/vec"
)

func lampOf(t *testing.T, l setup.Light, assets *Assets) *Lamp {
	t.Helper()
	l.Name, l.Carry, l.Aim, l.Channels = "A", setup.Split, [3]float64{0, -1, 0}, 0xff
	if l.Colour == (setup.Colour{}) {
		l.Colour.Kelvin = 4000
	}
	s := &setup.Setup{Version: setup.Version, Name: "t", Curve: "plain", Lights: map[string]setup.Light{"a": l}}
	require.NoError(t, s.Validate())
	st, err := Resolve(s, "")
	require.NoError(t, err)
	return st.Lamps(&scene.Scene{}, assets)[0]
}

// Telling a light in another unit and back changes neither it (1e-6: rounding)
// nor the number.
func TestUnitsConvertWithoutChangingTheLight(t *testing.T) {
	for _, l := range []setup.Light{
		{Kind: setup.Point, Output: 640, Radius: 0.03}, {Kind: setup.Point, Output: 640}, {Kind: setup.Point, Output: 640, Radius: 0.02, Length: 1.2},
		{Kind: setup.Spot, Output: 900, Inner: 20, Outer: 60, Radius: 0.05}, {Kind: setup.Rect, Output: 1900, Width: 1.8, Height: 2.9}, {Kind: setup.Rect, Output: 1900, Width: 1, Height: 2, TwoSided: true},
		{Kind: setup.Disc, Output: 300, Radius: 0.4}, {Kind: setup.Line, Output: 800, Length: 1.5}, {Kind: setup.Line, Output: 800, Length: 1.5, Radius: 0.02}, {Kind: setup.Sun, Output: 900, Angle: 0.5}, {Kind: setup.Sky, Output: 90},
	} {
		was := lampOf(t, l, nil)
		want := was.Full()
		for u, k := range was.PerUnit {
			to := l
			to.Unit = u
			to.Output = l.Output * was.PerOutput / k
			now := lampOf(t, to, nil)
			require.InEpsilon(t, want.X, now.Full().X, 1e-6, "%s in %s", l.Kind, u)
			require.InEpsilon(t, l.Output, now.Output*now.PerOutput/was.PerOutput, 1e-6)
			require.Equal(t, was.Key, now.Key, "a unit makes no new layers")
		}
	}
	lamp := lampOf(t, setup.Light{Kind: setup.Point, Output: 4 * math.Pi}, nil)
	require.InEpsilon(t, 1, lamp.PerOutput*4*math.Pi/lamp.PerUnit[setup.Candela], 1e-9, "4 pi lumens are one candela")
	require.InEpsilon(t, 1, lamp.PerUnit[setup.Lux], 1e-9, "which is one lux at a metre")
	lux := lampOf(t, setup.Light{Kind: setup.Spot, Output: 50, Unit: setup.Lux, UnitAt: 4, Inner: 10, Outer: 20}, nil)
	require.InEpsilon(t, 800, lux.Output*lux.PerOutput, 1e-9, "50 lux at 4 m are 800 cd")
	panel := lampOf(t, setup.Light{Kind: setup.Rect, Output: 100, Unit: setup.Nit, Width: 2, Height: 0.5}, nil)
	require.InEpsilon(t, math.Pi*100, panel.PerOutput*100/panel.PerUnit[setup.Lumen], 1e-9, "F = pi L A")
	watts := lampOf(t, setup.Light{Kind: setup.Disc, Output: 20, Unit: setup.Watt, UnitAt: 95, Radius: 0.3}, nil)
	require.InEpsilon(t, 1900, watts.PerOutput*20/watts.PerUnit[setup.Lumen], 1e-9)
	_, err := setup.Parse([]byte(`{"version":1,"name":"t","curve":"plain","lights":{"a":{"name":"A","kind":"sun","unit":"lm","output":1,"carry":"live","aim":[0,-1,0],"colour":{"kelvin":5000}}}}`))
	require.ErrorContains(t, err, "/lights/a/unit")
}

func TestTintGelAndShifts(t *testing.T) {
	uv := func(c colour.RGB) (u, v float64) {
		x, y := colour.ToXY(c)
		d := -2*x + 12*y + 3
		return 4 * x / d, 6 * y / d
	}
	for _, k := range []float64{2700, 4000, 6500} {
		u0, v0 := uv(setup.Colour{Kelvin: k}.Linear())
		u1, v1 := uv(setup.Colour{Kelvin: k, Tint: 10}.Linear())
		require.InDelta(t, 0.010, math.Hypot(u1-u0, v1-v0), 2e-5, "ten thousandths of Duv")
		require.Greater(t, v1, v0, "towards green")
	}
	warm := lampOf(t, setup.Light{Kind: setup.Point, Output: 100, Colour: setup.Colour{Kelvin: 3200}}, nil)
	blue := lampOf(t, setup.Light{Kind: setup.Point, Output: 100, Colour: setup.Colour{Kelvin: 3200, Gel: "blue-1"}}, nil)
	e := blue.Emitted()
	require.InEpsilon(t, 0.36, colour.Luminance(e), 1e-6, "a full blue passes about a third")
	require.InDelta(t, 1e6/(1e6/3200-137), colour.NearestKelvin(e), 60, "3,200 K through full blue is daylight")
	require.Equal(t, warm.Key, blue.Key)
	grey := lampOf(t, setup.Light{Kind: setup.Point, Output: 100, Colour: setup.Colour{Kelvin: 3200, Gel: "grey-1"}}, nil)
	require.InEpsilon(t, warm.Full().X/2, grey.Full().X, 1e-5, "one stop")
	s := &setup.Setup{Version: setup.Version, Name: "t", Curve: "plain", Groups: map[string]setup.Group{"g": {Name: "G", Trim: 1, Mired: 50}, "up": {Name: "Up", Hue: 120}}, Lights: map[string]setup.Light{
		"a": {Name: "A", Kind: setup.Point, Output: 1, Carry: setup.Live, Group: "g", Colour: setup.Colour{Kelvin: 5000}}}}
	st, err := Resolve(s, "")
	require.NoError(t, err)
	require.InDelta(t, 4000, colour.NearestKelvin(st.Lights[0].Emitted()), 15, "5,000 K and 50 mired")
	g := s.Groups["g"]
	g.Parent, g.Mired = "up", 0
	s.Groups["g"] = g
	red := colour.RGB{1, 0, 0}
	l := s.Lights["a"]
	l.Colour = setup.Colour{RGB: (*[3]float64)(&red)}
	s.Lights["a"] = l
	st, err = Resolve(s, "")
	require.NoError(t, err)
	c := st.Lights[0].Emitted()
	require.Greater(t, c[1], c[0], "a third of the circle on, red is green")
	require.InDelta(t, 1, colour.Luminance(c), 1e-6)
}

// A profile as measured has the file's lumens; scaled it has the light's own.
func TestMeasuredProfile(t *testing.T) {
	p := &photometry.Profile{Geometry: photometry.TypeC, Vertical: []float64{0, 90}, Horizontal: []float64{0}, Values: [][]float64{{100, 0}}}
	require.NoError(t, p.Prepare())
	hash := strings.Repeat("a", 64)
	assets := &Assets{Profiles: map[string]*photometry.Profile{hash: p}}
	in := setup.Light{Kind: setup.Spot, Inner: 60, Outer: 80, Output: 1000, Profile: &setup.Profile{Blob: hash, File: "a.ies", Flux: p.Flux()}}
	measured := lampOf(t, in, assets)
	require.InEpsilon(t, 100, float64(measured.Source.AxisCandela())*measured.level*measured.PerOutput, 1e-6)
	in.Profile.Scaled = true
	scaled := lampOf(t, in, assets)
	require.InEpsilon(t, 1000, scaled.level*scaled.PerOutput, 1e-9)
	require.Equal(t, measured.Key, scaled.Key)
	in.Profile.Turn = 30
	require.NotEqual(t, measured.Key, lampOf(t, in, assets).Key)
	require.InEpsilon(t, float64(photometry.PointCandela(1)), lampOf(t, setup.Light{Kind: setup.Point, Output: 1, Profile: &setup.Profile{Blob: strings.Repeat("b", 64), File: "gone.ies", Scaled: true}}, assets).PerOutput, 1e-9, "without its file it shines as it would without it")
}

// Linked lights share everything but their places; a document in which they
// differ is refused, and a look's override of one goes to all.
func TestLinkedLights(t *testing.T) {
	s := &setup.Setup{Version: setup.Version, Name: "t", Curve: "plain", Lights: map[string]setup.Light{}, Looks: map[string]setup.Look{}}
	for i, id := range []string{"a", "b", "c"} {
		s.Lights[id] = setup.Light{Name: id, Kind: setup.Point, Output: 100, Carry: setup.Live, Position: [3]float64{float64(i), 0, 0}, Colour: setup.Colour{Kelvin: 3000}, Link: "lamps"}
	}
	c := s.Lights["c"]
	c.Link = ""
	s.Lights["c"] = c
	require.NoError(t, s.Validate())
	minus := -1.0
	s.Looks["dim"] = setup.Look{Name: "Dim", Overrides: map[string]setup.Override{"/lights/a/stops": {Stops: &minus}, "/lights/a/position": {Set: json.RawMessage("[9,9,9]")}}}
	st, err := Resolve(s, "dim")
	require.NoError(t, err)
	require.Equal(t, []float64{-1, -1, 0}, []float64{st.Lights[0].Stops, st.Lights[1].Stops, st.Lights[2].Stops})
	require.Equal(t, 1.0, st.Lights[1].Position[0], "places are each light's own")
	b := s.Lights["b"]
	b.Output = 200
	s.Lights["b"] = b
	require.ErrorContains(t, s.Validate(), "linked")
}

// A slide turns with the place's time, and the light's layers with it.
func TestGoboTurnsWithTime(t *testing.T) {
	l := setup.Light{Kind: setup.Spot, Inner: 20, Outer: 30, Output: 1, Gobo: &setup.Gobo{Pattern: "panes", Scale: 1, Turn: 10, Speed: 20}, Name: "A", Carry: setup.Live, Aim: [3]float64{0, -1, 0}, Colour: setup.Colour{Kelvin: 4000}}
	s := &setup.Setup{Version: setup.Version, Name: "t", Curve: "plain", Time: 2, Lights: map[string]setup.Light{"a": l}}
	require.NoError(t, s.Validate())
	st, err := Resolve(s, "")
	require.NoError(t, err)
	require.Equal(t, 50.0, st.Lights[0].Gobo.Turn)
	require.Equal(t, 10.0, l.Gobo.Turn, "the document is left alone")
	l.Gobo.Pattern = "nothing"
	s.Lights["a"] = l
	require.ErrorContains(t, s.Validate(), "/gobo")
}

// A rig's lights travel with its node: they are kept as they stand while it rests.
func TestRigTravels(t *testing.T) {
	m := scene.Move{Offset: [3]float64{3, 0, 0}, Pivot: [3]float64{1, 0, 1}, Turn: 90}
	rest := &scene.Scene{Objects: []scene.Object{{Name: "coat", Path: "Keeper/coat"}}}
	posed := rest.Pose(0, map[string]scene.Move{"Keeper": m})
	doc := &setup.Setup{Version: setup.Version, Name: "t", Curve: "plain", Groups: map[string]setup.Group{"rig": {Name: "Rig", Rig: &setup.Rig{Object: "Keeper", Height: 1.8}}}, Lights: map[string]setup.Light{
		"a": {Name: "A", Kind: setup.Spot, Inner: 10, Outer: 20, Output: 1, Carry: setup.Live, Group: "rig", Colour: setup.Colour{Kelvin: 4000}, Position: [3]float64{1, 2, 3}, Aim: [3]float64{0, 0, -1}}}}
	require.NoError(t, doc.Validate())
	st, err := Resolve(doc, "")
	require.NoError(t, err)
	still, gone := st.Lamps(rest, nil)[0], st.Lamps(posed, nil)[0]
	require.Nil(t, still.Frame)
	require.Equal(t, [3]float64{1, 2, 3}, still.Position)
	// Two metres in front of the pivot along +Z; a quarter turn brings that to +X.
	for k, want := range []float64{1 + 2 + 3, 2, 1} {
		require.InDelta(t, want, gone.Position[k], 1e-5)
	}
	require.InDelta(t, -1, gone.Aim[0], 1e-6)
	require.NotEqual(t, still.Key, gone.Key)
	require.InDelta(t, float64(gone.Source.Pos.X), gone.Position[0], 1e-5)
}

// Panels, tubes, doors and slides turn with the figure that carries them: their axes are
// those of its frame, and turning about the aim alone makes other layers.
func TestRigLightsTurnWithTheirFigure(t *testing.T) {
	rest := &scene.Scene{Objects: []scene.Object{{Name: "coat", Path: "Keeper/coat"}}}
	lamp := func(l setup.Light, turn float64) *Lamp {
		s := setuptest.Sample()
		s.Groups = map[string]setup.Group{"rig": {Name: "Rig", Rig: &setup.Rig{Object: "Keeper"}}}
		l.Group = "rig"
		s.Lights = map[string]setup.Light{"panel": l}
		sc := rest
		if turn != 0 {
			sc = rest.Pose(0, map[string]scene.Move{"Keeper": {Turn: turn, Pivot: [3]float64{1, 0, 0}}})
		}
		st, err := Resolve(s, "")
		require.NoError(t, err)
		return st.Lamps(sc, nil)[0]
	}
	for _, l := range []setup.Light{
		{Name: "Panel", Kind: setup.Rect, Position: [3]float64{1, 2, 0}, Aim: [3]float64{0, -1, 0}, Roll: 20, Width: 2, Height: 0.5},
		{Name: "Tube", Kind: setup.Line, Position: [3]float64{0, 2, 1}, Aim: [3]float64{0.3, -1, 0.2}, Roll: 70, Length: 1},
		{Name: "Spot", Kind: setup.Spot, Position: [3]float64{0, 2, 1}, Aim: [3]float64{1, 0, 0.5}, Inner: 10, Outer: 20},
	} {
		before, after := lamp(l, 0), lamp(l, 90)
		turned := func(v vec.V3) vec.V3 { return vec.V3{X: v.Z, Y: v.Y, Z: -v.X} }
		same := func(want, got vec.V3, what string) {
			require.InDelta(t, 0, float64(want.Sub(got).Len()), 1e-5, "%s: %s", l.Name, what)
		}
		same(turned(before.Source.Aim), after.Source.Aim, "aim")
		same(turned(before.Source.U), after.Source.U, "U")
		same(turned(before.Source.V), after.Source.V, "V")
		same(vec.Of(after.Position), after.Source.Pos, "position")
		require.NotEqual(t, before.Key, after.Key, l.Name)
	}
}
