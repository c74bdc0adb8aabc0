package frame

import (
	"context"
	"math"
	"testing"

	"github.com/stretchr/testify/require"
	"willowherb/core/colour"
	"willowherb/core/lamps"
	"willowherb/core/light"
	"willowherb/core/scene/scenetest"
	"willowherb/core/setup"
	"willowherb/core/vec"
	"willowherb/core/world"
)

// even is a lightmap with the same light everywhere.
type even struct{ lux float32 }

func (e even) Lux(object int, _ uint32, _, _ float32, _, _ vec.V3) (vec.V3, bool) {
	return vec.Splat(e.lux), object == 0
}

func down() world.Camera {
	return world.Camera{Eye: vec.V3{Y: 3}, Aim: vec.V3{Y: -1, Z: -0.01}, Up: vec.V3{Z: -1}, FovY: 0.6}
}

func order(w *world.World) *Order {
	return &Order{World: w, Rest: w, View: down(), W: 16, H: 12, Samples: 1, Cascades: 2, Workers: 2}
}

func lamp(carry setup.Carry) *lamps.Lamp {
	l := &light.Light{ID: 4, Kind: light.Point, Pos: vec.V3{Y: 2}, Shadow: true, Channels: 0xff}
	l.Prepare()
	doc := setup.Setup{Lights: map[string]setup.Light{"lamp": {Name: "Lamp", Kind: setup.Point, Output: 1, Colour: setup.Colour{RGB: &[3]float64{1, 1, 1}}, Carry: carry, ShadowMap: 256}}}
	st, err := lamps.Resolve(&doc, "")
	if err != nil {
		panic(err)
	}
	return &lamps.Lamp{Resolved: st.Lights[0], Source: l, PerOutput: 1}
}

// TestBakedLightOnAMattFloor: luminance is reflectance times irradiance over pi.
func TestBakedLightOnAMattFloor(t *testing.T) {
	g := scenetest.New()
	g.S.Materials[0] = scenetest.Matt(0.4)
	g.Floor(5)
	o := order(g.World(t))
	o.Map = even{50}
	p, err := Render(context.Background(), o)
	require.NoError(t, err)
	require.InEpsilon(t, 0.4*50/math.Pi, p.RGB[3*(6*16+8)], 1e-4)
	require.Equal(t, ByMap, p.By[6*16+8])
	// What is not in the map has nothing where there are no probes.
	o.Map = nil
	p, err = Render(context.Background(), o)
	require.NoError(t, err)
	require.Zero(t, p.RGB[3*(6*16+8)])
	require.Equal(t, Nothing, p.By[6*16+8])
}

// TestLiveAndBakedLights: a candela at 2 m lights the floor under it with 1/4 lx if it is live
// or split, and not at all if it is baked, since the map has it then.
func TestLiveAndBakedLights(t *testing.T) {
	g := scenetest.New()
	g.S.Materials[0] = scenetest.Matt(0.4)
	g.Floor(5)
	o := order(g.World(t))
	for carry, want := range map[setup.Carry]float64{setup.Live: 0.25, setup.Split: 0.25, setup.Baked: 0} {
		o.Lamps = []*lamps.Lamp{lamp(carry)}
		p, err := Render(context.Background(), o)
		require.NoError(t, err)
		require.InDelta(t, want*0.4/math.Pi, p.Live[3*(6*16+8)+1], 0.01*0.25*0.4/math.Pi, carry)
	}
}

func TestReasonsAreWhereTheDifferenceIs(t *testing.T) {
	n := 4
	grey := func(v float32) []float32 {
		out := make([]float32, 3*n)
		for i := range out {
			out[i] = v
		}
		return out
	}
	p := &Picture{W: n, H: 1, RGB: grey(0.5), Live: grey(0), Mapped: grey(0.5), Probed: grey(0), Mirrored: grey(0), By: []By{ByMap, ByMap, ByProbe, ByMap}}
	show := func(c colour.RGB) colour.RGB { return c }
	d := p.Compare(grey(0.5), grey(0), show)
	require.InDelta(t, 0, d.Mean, 1e-9)
	ref := grey(0.5)
	for ch := range 3 {
		ref[ch] = 0.2     // darker in truth: by the map
		ref[6+ch] = 0.8   // by probes
		p.Live[9+ch] = .3 // its live part is wrong
		ref[9+ch] = 0.2
	}
	d = p.Compare(ref, grey(0), show)
	require.Positive(t, d.By[TexelTooLarge])
	require.Positive(t, d.By[ProbeTooFar])
	require.Positive(t, d.By[ShadowCoarse])
	require.Zero(t, d.By[MirrorWrong])
	require.InDelta(t, d.Mean, d.By[TexelTooLarge]+d.By[ProbeTooFar]+d.By[ShadowCoarse], 1e-9)
	require.Zero(t, d.Each[1])
	require.Greater(t, d.Worst, d.Mean/2)
}
