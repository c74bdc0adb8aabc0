package checks

import (
	"context"
	"encoding/json"
	"testing"

	"github.com/stretchr/testify/require"
	"willowherb/core/edits"
	"willowherb/core/exposure"
	"willowherb/core/film"
	"willowherb/core/lamps"
	"willowherb/core/path"
	"willowherb/core/scene/scenetest"
	"willowherb/core/setup"
	"willowherb/core/vec"
	"willowherb/core/world"
)

// stage has a polished metal besides the matt.
type stage struct{ *scenetest.Stage }

func newStage() stage {
	g := stage{scenetest.New()}
	m := g.S.Materials[0]
	m.Name, m.Roughness, m.Metallic = "polished", 0.05, 1
	g.S.Materials = append(g.S.Materials, m)
	return g
}

// look renders the stage from above and in front of it, light by light.
func (g stage) look(t *testing.T, lights map[string]setup.Light, channels func(path string) uint8) *Input {
	w := g.World(t)
	if channels != nil {
		var c []uint8
		for _, o := range g.S.Objects {
			c = append(c, channels(o.Path))
		}
		w = w.WithChannels(c)
	}
	for id, l := range lights {
		if l.Name == "" {
			l.Name = id
		}
		if l.Colour == (setup.Colour{}) {
			l.Colour.Kelvin = 5000
		}
		if l.Channels == 0 {
			l.Channels = 0xff
		}
		if l.Carry == "" {
			l.Carry = setup.Live
		}
		if l.Aim == [3]float64{} {
			l.Aim = [3]float64{0, -1, 0}
		}
		lights[id] = l
	}
	doc := &setup.Setup{Version: setup.Version, Name: "n", Curve: "plain", Lights: lights}
	require.NoError(t, doc.Validate())
	st, err := lamps.Resolve(doc, "")
	require.NoError(t, err)
	lamps := st.Lamps(g.S, nil)
	const wide, high = 96, 64
	v := View{ID: "v", Name: "View", EV: 4, Curve: exposure.Plain, W: wide, H: high, Guide: film.NewGuide(wide, high)}
	v.Camera = world.Camera{Eye: vec.V3{Y: 4, Z: 7}, Aim: vec.V3{Y: -4, Z: -7}.Norm(), Up: vec.V3{Y: 1}, FovY: 0.7}
	for _, l := range lamps {
		y := film.NewLayers(wide, high)
		p := &path.Pass{World: w, Camera: v.Camera, W: wide, H: high, Seed: 1, Guide: v.Guide, Lights: nil}
		p.Lights, p.Layers = append(p.Lights, l.Source), append(p.Layers, y)
		require.NoError(t, p.Run(context.Background(), 4, 2))
		if l.Off {
			v.Given = append(v.Given, nil)
			continue
		}
		direct, soft := make([]float32, 3*wide*high), make([]float32, 3*wide*high)
		y.Average(film.Direct, vec.Splat(1), direct)
		y.Average(film.Bounced, vec.Splat(1), soft)
		for i, x := range soft {
			direct[i] += x
		}
		given := &Given{}
		var scale float32
		given.Whole, scale = film.Pack(direct)
		given.WholeGain = l.Gain().Scale(scale)
		given.Bounced, scale = film.Pack(soft)
		given.BouncedGain = l.Gain().Scale(scale)
		v.Given = append(v.Given, given)
	}
	return &Input{Setup: doc, World: w, Lamps: lamps, Views: []View{v}}
}

func find(t *testing.T, in *Input) map[string]Snag {
	all, err := Find(context.Background(), in, 2)
	require.NoError(t, err)
	out := map[string]Snag{}
	for _, s := range all {
		out[s.Kind] = s
		require.NotEmpty(t, s.What)
		require.NotEmpty(t, s.Why)
		if s.Remedy != nil {
			c, err := edits.Apply(in.Setup, s.Remedy.Ops)
			require.NoError(t, err, s.Kind)
			require.NotEmpty(t, c.Ops)
		}
	}
	return out
}

func lamp(x, y, z float64) setup.Light {
	return setup.Light{Kind: setup.Point, Output: 800, Position: [3]float64{x, y, z}, Shadow: true}
}

// A sound setup has no snags at all; each fault is then found by its own check.
func TestSoundSetupHasNoSnags(t *testing.T) {
	g := newStage()
	g.Floor(6)
	g.Box("crate", vec.V3{Y: 0.5}, 0.5)
	key := lamp(2, 3, 2)
	key.Role = "key"
	require.Empty(t, find(t, g.look(t, map[string]setup.Light{"key": key}, nil)))
}

func TestInsideSolid(t *testing.T) {
	g := newStage()
	g.Floor(6)
	g.Box("crate", vec.V3{Y: 0.5}, 0.5)
	s := find(t, g.look(t, map[string]setup.Light{"in": lamp(0.1, 0.6, 0), "out": lamp(2, 2, 2)}, nil))
	require.Equal(t, []string{"in"}, s["inside"].Lights)
	require.Equal(t, "crate", s["inside"].Object)
	require.Contains(t, s["nothing"].What, "in gives nothing")
	var to [3]float64
	require.NoError(t, json.Unmarshal(s["inside"].Remedy.Ops[0].Value, &to))
	require.Greater(t, max(to[0], to[1]-0.5, -to[0], to[2], -to[2]), 0.5, "moved out of it")
}

// The shadow of a crate shows; where nothing stands in the light, its shadow does
// nothing; what a one-sided wall shows of its back to the light leaks.
func TestShadowsAndLeaks(t *testing.T) {
	g := newStage()
	g.Floor(6)
	s := find(t, g.look(t, map[string]setup.Light{"over": lamp(0, 3, 0)}, nil))
	require.Equal(t, []string{"over"}, s["shadow"].Lights)
	g = newStage()
	g.Floor(6)
	g.Box("crate", vec.V3{Y: 0.5}, 0.5)
	in := g.look(t, map[string]setup.Light{"over": lamp(1.5, 3, 0)}, nil)
	require.NotContains(t, find(t, in), "shadow")
	e, err := ShadowEffect(context.Background(), in, &in.Views[0], 0, 2)
	require.NoError(t, err)
	require.Greater(t, e.Shows, 0.005)
	require.InDelta(t, 0.1, e.Held, 0.09)
	g = newStage()
	g.Floor(6)
	// A wall whose front faces away from the lamp behind it.
	g.Add("wall", 0, [4]vec.V3{{X: -2, Z: -1}, {X: 2, Z: -1}, {X: 2, Y: 2, Z: -1}, {X: -2, Y: 2, Z: -1}})
	s = find(t, g.look(t, map[string]setup.Light{"behind": lamp(0, 1.5, -4)}, nil))
	require.Equal(t, "wall", s["leak"].Object)
}

// Figures that get no light of their own, things that no channel lights.
func TestUnlit(t *testing.T) {
	g := newStage()
	g.Floor(6)
	g.Box("figure", vec.V3{Y: 0.6}, 0.6)
	in := g.look(t, map[string]setup.Light{"a": func() setup.Light { l := lamp(2, 3, 2); l.Channels = 1; return l }()}, func(path string) uint8 {
		if path == "figure" {
			return 0b10
		}
		return 0xff
	})
	s := find(t, in)
	require.Equal(t, "figure", s["unlit"].Object)
	require.Equal(t, "figure", s["channels"].Object)
	for _, l := range Who(in)["v"] {
		if l.Path == "figure" {
			require.True(t, l.Figure)
			require.InDelta(t, 0, l.By[0].Direct, 1.0/256, "only what the floor sends on, to the packed values' nine bits")
		} else {
			require.Equal(t, "a", l.By[0].Light)
			require.InDelta(t, 1, l.By[0].Share, 1e-3)
		}
	}
}

// The target's limits are checked where lights really overlap, and the other
// checks name their numbers and mend them.
func TestCrowdedFlatEvenAndTheRest(t *testing.T) {
	g := newStage()
	g.Floor(6)
	g.Box("figure", vec.V3{Y: 0.6}, 0.6)
	lights := map[string]setup.Light{}
	for i, id := range []string{"a", "b", "c"} {
		lights[id] = lamp(float64(i)-1, 2.5, 2)
	}
	in := g.look(t, lights, nil)
	in.MaxOverlap, in.MaxShadows = 2, 2
	s := find(t, in)
	require.Equal(t, "3 of 2", s["crowded"].Number)
	require.Equal(t, "3 of 2", s["shadows"].Number)
	require.Len(t, s["twins"].Lights, 3)

	far := lamp(0, 1.6, 1)
	far.Range, far.Output = 90, 300
	key, fill := lamp(-2, 2, 3), lamp(2, 2, 3)
	key.Role, fill.Role, key.Output = "key", "fill", 900
	red := lamp(0, 3, 3)
	red.Colour.RGB = &[3]float64{1, 0, 0.02}
	red.Name = "Spot 2"
	g = newStage()
	g.Floor(6)
	g.Box("figure", vec.V3{Y: 0.6}, 0.6)
	g.Add("mirror", 1, [4]vec.V3{{X: -2, Y: 0.02, Z: 2.5}, {X: 2, Y: 0.02, Z: 2.5}, {X: 2, Y: 0.02, Z: 1}, {X: -2, Y: 0.02, Z: 1}})
	panel := setup.Light{Kind: setup.Rect, Output: 500, Width: 2, Height: 1.5, Position: [3]float64{0, 3.2, -2.5}, Aim: [3]float64{0, -0.2, 1}, Shadow: true}
	s = find(t, g.look(t, map[string]setup.Light{"far": far, "key": key, "fill": fill, "red": red, "panel": panel}, nil))
	require.Equal(t, []string{"far"}, s["range"].Lights)
	require.Equal(t, []string{"key", "fill"}, s["even"].Lights)
	require.Equal(t, []string{"red"}, s["colour"].Lights)
	require.Equal(t, []string{"red"}, s["names"].Lights)
	require.Equal(t, []string{"panel"}, s["mirrored"].Lights)
	g = newStage()
	g.Floor(6)
	s = find(t, g.look(t, map[string]setup.Light{"key": key, "sky": {Kind: setup.Sky, Output: 900}}, nil))
	require.Equal(t, []string{"sky"}, s["flat"].Lights)
}
