package budget

import (
	"math"
	"testing"

	"github.com/stretchr/testify/require"
	"willowherb/core/film"
	"willowherb/core/fog"
	"willowherb/core/lamps"
	"willowherb/core/scene"
	"willowherb/core/setup"
	"willowherb/core/vec"
	"willowherb/core/world"
)

// Two objects of 100 and 50 triangles, 2 m and 20 m from the origin.
func twoObjects() *scene.Scene {
	s := &scene.Scene{Objects: []scene.Object{
		{Name: "near", Count: 100, Lo: vec.V3{X: -0.5, Y: -0.5, Z: -2.5}, Hi: vec.V3{X: 0.5, Y: 0.5, Z: -1.5}},
		{Name: "far", First: 100, Count: 50, Lo: vec.V3{X: -0.5, Y: -0.5, Z: 19.5}, Hi: vec.V3{X: 0.5, Y: 0.5, Z: 20.5}},
	}}
	s.Mat = make([]uint16, 150)
	return s
}

func lamp(change func(*setup.Light)) []*lamps.Lamp {
	l := setup.Light{Name: "l", Kind: setup.Point, Output: 100, Colour: setup.Colour{Kelvin: 3000}, Shadow: true, ShadowMap: 1024, Carry: setup.Live, Range: 6, Aim: [3]float64{0, 0, -1}, Channels: 0xff}
	change(&l)
	st, err := lamps.Resolve(&setup.Setup{Lights: map[string]setup.Light{"l": l}}, "")
	if err != nil {
		panic(err)
	}
	return st.Lamps(&scene.Scene{}, nil)
}

// A view of four pixels: sky, and surfaces at 1, 2 and 7 m from the origin.
func fourPixels() *film.Guide {
	g := film.NewGuide(4, 1)
	g.Tri[0] = math.MaxUint32
	g.Pos[1], g.Pos[2], g.Pos[3] = vec.V3{Z: -1}, vec.V3{Z: -2}, vec.V3{Z: -7}
	return g
}

func TestCountsByHand(t *testing.T) {
	target := Find("console-60")
	n := target.Width * target.Height
	f := Count(target, twoObjects(), lamp(func(*setup.Light) {}), fourPixels(), world.Camera{}, nil)
	c := f.Lights["l"]
	require.Equal(t, n/2, c.Pixels, "two of four pixels lie within 6 m")
	require.Equal(t, 6, c.Faces)
	require.Equal(t, 100, c.Triangles, "the near object lies in one face, the far one out of range")
	require.InDelta(t, 6*1024*1024*4/float64(1<<20), c.MB, 1e-9)
	want := float64(n/2)*(0.11+0.22)/1e6 + 6*0.021 + 100*0.5*0.42/1e6
	require.InDelta(t, want, c.Ms, 1e-9)
	require.InDelta(t, want+target.BaseMs, f.Ms, 1e-9)
}

func TestWhatMakesALightCheaper(t *testing.T) {
	target := Find("handheld-30")
	ms := func(change func(*setup.Light)) float64 {
		return Count(target, twoObjects(), lamp(change), fourPixels(), world.Camera{}, nil).Lights["l"].Ms
	}
	full := ms(func(*setup.Light) {})
	require.Less(t, ms(func(l *setup.Light) { l.Shadow = false }), full)
	require.Less(t, ms(func(l *setup.Light) { l.Range = 1.5 }), full)
	require.Less(t, ms(func(l *setup.Light) { l.Kind, l.Inner, l.Outer = setup.Spot, 5, 20 }), full)
	require.Zero(t, ms(func(l *setup.Light) { l.Carry = setup.Baked }))
	require.Zero(t, ms(func(l *setup.Light) { l.Off = true }))
	baked := Count(target, twoObjects(), lamp(func(l *setup.Light) { l.Carry = setup.Baked }), fourPixels(), world.Camera{}, nil)
	require.InDelta(t, target.BaseMs+target.LightmapMs, baked.Ms, 1e-9, "the lightmap is paid once")
	require.InDelta(t, target.LightmapMB, baked.MB, 1e-9)
}

func TestTargetsAreWhole(t *testing.T) {
	require.Len(t, Targets(), 2)
	for _, x := range Targets() {
		for _, k := range []setup.Kind{setup.Sun, setup.Point, setup.Spot, setup.Rect, setup.Disc, setup.Sky, setup.Emissive} {
			require.Contains(t, x.PixelNs, string(k))
		}
		require.Positive(t, x.LimitMs)
	}
	require.Equal(t, "console-60", Find("gone").ID)
}

// A panel that shines to both sides takes a map for each.
func TestTwoSidedPanelsHaveTwoMaps(t *testing.T) {
	faces := func(two bool) int {
		return Count(Find("console-60"), twoObjects(), lamp(func(l *setup.Light) { l.Kind, l.Width, l.Height, l.TwoSided = setup.Rect, 1, 1, two }), fourPixels(), world.Camera{}, nil).Lights["l"].Faces
	}
	require.Equal(t, 1, faces(false))
	require.Equal(t, 2, faces(true))
}

// How a shadow is drawn changes its price: wider filters by their area, contact
// shadows a little, traced ones by their rays and without a map.
func TestDrawnShadowsCost(t *testing.T) {
	base := setup.Light{Name: "a", Kind: setup.Spot, Output: 1, Inner: 10, Outer: 30, Shadow: true, ShadowMap: 1024, Carry: setup.Live, Channels: 0xff, Aim: [3]float64{0, -1, 0}, Colour: setup.Colour{Kelvin: 4000}}
	target := Find("console-60")
	cost := func(d *setup.Drawn) Cost {
		l := base
		l.Drawn = d
		st, err := lamps.Resolve(&setup.Setup{Version: setup.Version, Name: "n", Curve: "plain", Lights: map[string]setup.Light{"a": l}}, "")
		require.NoError(t, err)
		return Count(target, &scene.Scene{}, st.Lamps(&scene.Scene{}, nil), nil, world.Camera{}, nil).Lights["a"]
	}
	usual := cost(nil)
	pixels := float64(target.Width*target.Height) / 1e6
	require.InDelta(t, pixels*target.ShadowPixelNs+target.FaceMs, usual.ShadowMs, 1e-9)
	wide := setup.StandardDrawn
	wide.Filter = 7
	require.InDelta(t, pixels*target.ShadowPixelNs*4+target.FaceMs, cost(&wide).ShadowMs, 1e-9)
	contact := setup.StandardDrawn
	contact.Contact = 0.2
	require.InDelta(t, pixels*target.ContactNs, cost(&contact).ShadowMs-usual.ShadowMs, 1e-9)
	traced := setup.StandardDrawn
	traced.Traced = 2
	c := cost(&traced)
	require.InDelta(t, pixels*target.TracedNs*2, c.ShadowMs, 1e-9)
	require.Zero(t, c.MB)
	require.Zero(t, c.Faces)
}

// Fog costs its pass; the cells are paid where a light shows in them, and each light by
// those that it reaches.
func TestFogCosts(t *testing.T) {
	target := Find("console-60")
	cam := world.Camera{Aim: vec.V3{Z: -1}, Up: vec.V3{Y: 1}, FovY: 1}
	air := &fog.Air{Density: 0.02, Most: 1, Colour: vec.Splat(1)}
	count := func(a *fog.Air, change func(*setup.Light)) Frame {
		return Count(target, twoObjects(), lamp(change), fourPixels(), cam, a)
	}
	plain, with := count(nil, func(*setup.Light) {}), count(air, func(*setup.Light) {})
	cells := 160 * 90 * 64
	require.Zero(t, plain.Fog)
	require.Equal(t, cells, with.Fog.Cells)
	require.Equal(t, 64, with.Fog.Steps)
	require.InDelta(t, 1920*1080*0.03/1e6+float64(cells)*0.12/1e6, with.Fog.Ms, 1e-9)
	l := with.Lights["l"]
	// Of the 64 steps from 0.1 to 80 m, those that begin within the 6 m of the lamp at the eye.
	share := math.Log(6/0.1) / math.Log(80/0.1)
	require.InDelta(t, share, float64(l.Cells)/float64(cells), 1.0/64)
	require.InDelta(t, float64(l.Cells)*(0.05+0.09)/1e6, l.AirMs, 1e-9)
	require.InDelta(t, plain.Ms+with.Fog.Ms+l.AirMs, with.Ms, 1e-9)
	for name, change := range map[string]func(*setup.Light){
		"kept out": func(l *setup.Light) { l.NoAir = true }, "baked": func(l *setup.Light) { l.Carry = setup.Baked }, "off": func(l *setup.Light) { l.Off = true },
	} {
		f := count(air, change)
		require.Zero(t, f.Lights["l"].AirMs, name)
		require.Zero(t, f.Fog.Cells, name)
		require.InDelta(t, 1920*1080*0.03/1e6, f.Fog.Ms, 1e-9, name)
	}
	unshadowed := count(air, func(l *setup.Light) { l.Shadow = false }).Lights["l"]
	require.InDelta(t, float64(unshadowed.Cells)*0.05/1e6, unshadowed.AirMs, 1e-9)
}
