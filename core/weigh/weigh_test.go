package weigh

import (
	"context"
	"math"
	"testing"

	"github.com/stretchr/testify/require"
	"willowherb/core/film"
	"willowherb/core/lamps"
	"willowherb/core/path"
	"willowherb/core/scene"
	"willowherb/core/setup"
	"willowherb/core/vec"
	"willowherb/core/world"
)

// floor is a matt floor of reflectance 0.5 with no walls, so that nothing bounces.
func floor(t *testing.T) *world.World {
	m := scene.DefaultMaterial()
	m.Name, m.BaseColor, m.Metallic, m.Specular = "matt", [4]float32{0.5, 0.5, 0.5, 1}, 0, 0
	up := vec.V3{Y: 1}
	s := &scene.Scene{Materials: []scene.Material{m}, Index: []uint32{0, 1, 2, 0, 2, 3}, Mat: []uint16{0, 0}, Obj: []uint32{0, 0},
		V:       scene.Vertices{Pos: []vec.V3{{X: -9, Z: 9}, {X: 9, Z: 9}, {X: 9, Z: -9}, {X: -9, Z: -9}}, Nrm: []vec.V3{up, up, up, up}, UV0: make([]vec.V2, 4)},
		Objects: []scene.Object{{Name: "floor", Path: "hall/floor", Count: 2, Node: scene.None}}}
	require.NoError(t, s.Finish())
	w, err := world.Compile(s, 1)
	require.NoError(t, err)
	return w
}

func lit(t *testing.T, w *world.World, lights map[string]setup.Light) []*lamps.Lamp {
	s := &setup.Setup{Version: setup.Version, Name: "n", Curve: "plain", Lights: lights}
	st, err := lamps.Resolve(s, "")
	require.NoError(t, err)
	return st.Lamps(w.S, nil)
}

func point(x, y, lumen float64) setup.Light {
	return setup.Light{Name: "l", Kind: setup.Point, Output: lumen, Colour: setup.Colour{Kelvin: 5000}, Position: [3]float64{x, y, 0}, Shadow: true, Carry: setup.Live, Channels: 0xff}
}

func ask(t *testing.T, w *world.World, l []*lamps.Lamp) *Reading {
	a, err := Ask(context.Background(), Question{World: w, Lamps: l, View: world.Camera{Eye: vec.V3{Y: 4}, Aim: vec.V3{Y: -1}, Up: vec.V3{Z: -1}, FovY: 0.8}, Aspect: 1, X: 0.5, Y: 0.5, Rows: 540, Samples: 16, Workers: 2})
	require.NoError(t, err)
	return a
}

// Two lamps over a floor: E = I cos / d^2 each, L = rho E / pi, and nothing bounces.
func TestAskAgainstTheInverseSquare(t *testing.T) {
	w := floor(t)
	off := point(0, 1, 500)
	off.Off = true
	far := point(0, 3, 500)
	far.Range = 2
	a := ask(t, w, lit(t, w, map[string]setup.Light{"over": point(0, 2, 1000), "aside": point(3, 2, 1000), "off": off, "far": far}))
	e := 1000 / (4 * math.Pi) / 4
	d := math.Sqrt(13)
	f := 1000 / (4 * math.Pi) / 13 * 2 / d
	require.Equal(t, "floor", a.Object)
	require.Equal(t, "hall/floor", a.Path)
	require.Equal(t, "matt", a.Material)
	require.InDelta(t, 4, a.Distance, 1e-4)
	require.InEpsilon(t, e+f, a.Lux, 2e-3)
	require.InEpsilon(t, 0.5*(e+f)/math.Pi, a.Luminance, 2e-3)
	require.Equal(t, "over", a.Shares[0].Light)
	require.InEpsilon(t, e/(e+f), a.Shares[0].Share, 2e-3)
	require.InEpsilon(t, f, a.Shares[1].Lux, 2e-3)
	why := map[string]world.Reason{}
	for _, s := range a.Shares {
		why[s.Light] = s.Reason
	}
	require.Equal(t, map[string]world.Reason{"over": world.Lit, "aside": world.Lit, "off": Off, "far": world.OutOf}, why)
}

func TestAskTheOpenSky(t *testing.T) {
	w := floor(t)
	l := lit(t, w, map[string]setup.Light{"sky": {Name: "sky", Kind: setup.Sky, Output: 100, Colour: setup.Colour{Kelvin: 6500}, Carry: setup.Split, Channels: 0xff}})
	a, err := Ask(context.Background(), Question{World: w, Lamps: l, View: world.Camera{Eye: vec.V3{Y: 4}, Aim: vec.V3{Z: -1}, Up: vec.V3{Y: 1}, FovY: 0.8}, Aspect: 1, X: 0.5, Y: 0.1, Rows: 540, Samples: 4, Workers: 1})
	require.NoError(t, err)
	require.False(t, a.Hit)
	require.InEpsilon(t, 100, a.Luminance, 1e-3, "a sky of 100 cd/m2 is seen as such")
}

func TestReachAndCrowding(t *testing.T) {
	w := floor(t)
	near := point(0, 1, 100)
	near.Range = 2
	l := lit(t, w, map[string]setup.Light{"near": near, "wide": point(0, 2, 100)})
	v := world.Camera{Eye: vec.V3{Y: 4}, Aim: vec.V3{Y: -1}, Up: vec.V3{Z: -1}, FovY: 1.6}
	g := film.NewGuide(32, 32)
	p := &path.Pass{World: w, Camera: v, W: 32, H: 32, Seed: 1, Guide: g, Lights: nil, Layers: nil}
	p.Lights, p.Layers = append(p.Lights, l[0].Source), append(p.Layers, film.NewLayers(32, 32))
	require.NoError(t, p.Run(context.Background(), 1, 1))
	r := Reach(w, l[0].Source, g, v)
	require.Equal(t, world.Lit, Reasons[r[16*32+16]])
	require.Equal(t, world.OutOf, Reasons[r[0]])
	c := Crowding(l, g)
	require.Equal(t, uint8(2), c[16*32+16])
	require.Equal(t, uint8(1), c[0])
}
