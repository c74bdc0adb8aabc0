package budget

import (
	"context"
	"testing"

	"github.com/stretchr/testify/require"
	"willowherb/core/lamps"
	"willowherb/core/scene"
	"willowherb/core/scene/scenetest"
	"willowherb/core/setup"
	"willowherb/core/setup/setuptest"
	"willowherb/core/target"
	"willowherb/core/vec"
	"willowherb/core/work"
)

func twoLamps(t *testing.T) []*lamps.Lamp {
	st, err := lamps.Resolve(&setup.Setup{Lights: map[string]setup.Light{
		"a": {Kind: setup.Point, Output: 100, Colour: setup.Colour{Kelvin: 3000}, Carry: setup.Live, Order: 0},
		"b": {Kind: setup.Sun, Output: 100, Colour: setup.Colour{Kelvin: 3000}, Carry: setup.Live, Order: 1}}}, "")
	require.NoError(t, err)
	return st.Lamps(&scene.Scene{}, nil)
}

// A pass is the sum of its counts times what each costs; lights and the rest make the whole.
func TestPricesByHand(t *testing.T) {
	dev := &target.Target{Limits: target.Limits{Ms: 5, MB: 64, ShadowMB: 8}, Bytes: target.Bytes{Texel: 4, Pixel: 8, Cell: 16, Entry: 4, Probe: 100}, Passes: []target.Pass{
		{Name: "one", Terms: []target.Term{{Count: "frames", Ns: 1e5, Source: "s"}, {Count: "point", Ns: 2, Error: 0.5}, {Count: "taps", Ns: 0.5}}},
		{Name: "two", Terms: []target.Term{{Count: "point", Ns: 1}, {Count: "fogLit", Ns: 4}, {Count: "faces", Ns: 1000}}}}}
	d := &work.Done{Lights: make([]work.LightWork, 2), Most: 3, Shadows: 1, Cells: 1 << 18}
	d.Own[target.Frames], d.Own[target.Pixels], d.Own[target.Lightmap], d.Own[target.FogCells] = 1, 1<<20, 9, 1<<16
	a := &d.Lights[0]
	a.Counts[target.Point], a.Counts[target.Taps], a.Counts[target.FogLit], a.Counts[target.Faces] = 1e6, 4e6, 1e5, 6
	a.Maps, a.Side, a.Kept = 6, 512, 0
	lit := twoLamps(t)
	f := Price(dev, lit, d, nil)
	require.InDelta(t, 0.1+2+2, f.Passes[0].Ms, 1e-9)
	require.InDelta(t, 0.5, f.Passes[0].Error, 1e-9)
	require.InDelta(t, 1+0.4+0.006, f.Passes[1].Ms, 1e-9)
	require.InDelta(t, f.Passes[0].Ms+f.Passes[1].Ms, f.Ms, 1e-9)
	require.InDelta(t, 0.1, f.OwnMs, 1e-9)
	c := f.Lights["a"]
	require.InDelta(t, 3, c.ShadeMs, 1e-9)
	require.InDelta(t, 2.006, c.ShadowMs, 1e-9)
	require.InDelta(t, 0.4, c.AirMs, 1e-9)
	require.InDelta(t, f.Ms-f.OwnMs, c.Ms+f.Lights["b"].Ms, 1e-9)
	require.InDelta(t, 4, c.Passes["one"], 1e-9)
	require.InDelta(t, 6, c.MB, 1e-9)
	require.InDelta(t, 3, f.Features[target.Shading], 1e-9)
	require.InDelta(t, 2, f.Features[target.Shadows], 1e-9)
	require.InDelta(t, 0.006, f.Features[target.Maps], 1e-9)
	sum := 0.0
	for _, v := range f.Features {
		sum += v
	}
	require.InDelta(t, f.Ms, sum, 1e-9, "features make the whole, too")
	require.Equal(t, []Kept{{"shadow maps", 6, Counted, 8}, {"what lighting draws into", 8, Counted, 0}, {"light lists", 8, Counted, 0}, {"fog", 1, Counted, 0}, {"lightmap", 0, Unknown, 0}}, f.Memory)
	require.InDelta(t, 23, f.MB, 1e-9)
	require.Len(t, f.Unknown, 1)
	require.Equal(t, 3, f.Overlap)

	f = Price(dev, lit, d, &Baked{MB: 10, MirrorMB: 2, Probes: 1 << 20})
	require.InDelta(t, 23+10+2+100, f.MB, 1e-9)
	require.Empty(t, f.Unknown)
}

// A lamp of a rig that travels with what moves is drawn in every frame; one of a rig that stands is not.
func TestLampsThatTravel(t *testing.T) {
	g := scenetest.New()
	g.Floor(5)
	g.Box("Keeper/lantern", vec.V3{Y: 1}, 0.2)
	g.Box("Crate", vec.V3{X: 2, Y: 1}, 0.2)
	w := g.World(t)
	doc := setuptest.Sample()
	doc.Objects = map[string]setup.Object{"keeper": {Path: "Keeper", Part: setup.Mover}}
	p := Place(doc, w.S, w, &Baked{Left: []string{"Crate"}})
	require.Equal(t, []bool{false, true, false}, p.Moves)
	require.Equal(t, []bool{false, false, true}, p.ByProbes, "what a bake left out")
	lit := twoLamps(t)
	lit[0].Group = "rig"
	for object, want := range map[string]bool{"Keeper": true, "Keeper/lantern": true, "Crate": false, "": false, "Keep": false} {
		doc.Groups = map[string]setup.Group{"rig": {Name: "in", Parent: "out"}, "out": {Name: "r", Rig: &setup.Rig{Object: object}}}
		require.Equal(t, []bool{want, false}, moving(doc, p, lit), object)
	}
	v := setup.View{Eye: [3]float64{0, 2, 4}, Aim: [3]float64{0, -0.3, -1}, FovY: 50, Aspect: 1.6, Focus: 3}
	require.True(t, State(doc, p, lit, &v).Blur)
	f, err := View(context.Background(), doc, p, lit, &v, nil, 4, 2)
	require.NoError(t, err)
	require.Positive(t, f.Ms)
	require.Equal(t, doc.Device().Limits.Ms, f.LimitMs)
	require.Equal(t, f.Counts[target.Pixels], f.Counts[target.Blur])
}

// What somebody carries travels, though nothing in the setup says that he does.
func TestCarriedLampsTravel(t *testing.T) {
	g := scenetest.New()
	g.Floor(2)
	p := work.NewPlace(g.World(t), nil, nil)
	lit := twoLamps(t)
	require.Equal(t, []bool{false, false}, State(&setup.Setup{}, p, lit, &setup.View{}).Moving)
	lit[1].Carried = true
	require.Equal(t, []bool{false, true}, State(&setup.Setup{}, p, lit, &setup.View{}).Moving)
}
