package path

import (
	"math"
	"testing"

	"github.com/stretchr/testify/require"
	"willowherb/core/colour"
	"willowherb/core/film"
	"willowherb/core/light"
	"willowherb/core/photometry"
	"willowherb/core/scene"
	"willowherb/core/scene/scenetest"
	"willowherb/core/vec"
	"willowherb/core/world"
)

func dome() *light.Light {
	l := &light.Light{ID: 1, Kind: light.Sky, Gradient: light.Uniform, Shadow: true, Channels: 0xff}
	l.Prepare()
	return l
}

// small is the side of most pictures here.
const small = 20

// layer renders one light's layer.
func layer(t testing.TB, w *world.World, c world.Camera, l *light.Light, samples int, set ...func(*Pass)) *film.Layers {
	p := &Pass{World: w, Camera: c, W: small, H: small, Seed: 3, Lights: []*light.Light{l}, Layers: []*film.Layers{film.NewLayers(small, small)}}
	for _, f := range set {
		f(p)
	}
	run(t, p, samples, 2)
	return p.Layers[0]
}

// sheet is a square of a material before an eye that looks down -Z.
func sheet(g *scenetest.Stage, name string, material uint16, z float32) {
	g.Add(name, material, [4]vec.V3{{X: -9, Y: -9, Z: z}, {X: 9, Y: -9, Z: z}, {X: 9, Y: 9, Z: z}, {X: -9, Y: 9, Z: z}})
}

var ahead = world.Camera{Aim: vec.V3{Z: -1}, Up: vec.V3{Y: 1}, FovY: 0.3}

// Each of several sheets lets half of the light through by itself, to the eye as on
// the way to a lamp. 0.01: four standard errors of 65,536 samples.
func TestStackedBlends(t *testing.T) {
	for n := 1; n <= 3; n++ {
		g := scenetest.New()
		m := scenetest.Matt(0)
		m.Alpha, m.BaseColor[3] = scene.Blend, 0.5
		g.S.Materials = append(g.S.Materials, m)
		for k := range n {
			sheet(g, "sheet", 1, -1-0.2*float32(k))
		}
		w := g.World(t)
		y := layer(t, w, ahead, dome(), 64)
		want := math.Pow(0.5, float64(n))
		require.InDelta(t, want, y.Mean(film.Seen).X, 0.01, "%d sheets", n)
		require.InDelta(t, want, w.Passes(vec.V3{}, vec.V3{Z: -1}, 5).X, 1e-6)
	}
}

// A panel in the very plane of the ceiling lights the floor as if there were no
// ceiling, wherever the room stands: asked for, met, and both. 5 %: four standard
// errors of meeting it by chance alone.
func TestFlushPanel(t *testing.T) {
	for _, at := range []vec.V3{{}, {X: 300, Y: -40, Z: 1000}} {
		g := scenetest.Room(scenetest.Matt(0.5))
		for i := range g.S.V.Pos {
			g.S.V.Pos[i] = g.S.V.Pos[i].Add(at)
		}
		w := g.World(t)
		l := &light.Light{ID: 5, Kind: light.Rect, Pos: at.Add(vec.V3{Y: 2}), Aim: vec.V3{Y: -1}, U: vec.V3{X: 1}, V: vec.V3{Z: 1}, W: 2, H: 1, Shadow: true, Channels: 0xff}
		l.Prepare()
		down := world.Camera{Eye: at.Add(vec.V3{Y: 1}), Aim: vec.V3{Y: -1}, Up: vec.V3{Z: -1}, FovY: 0.01}
		want := 4 * float64(photometry.RectIlluminance(1, 1, 0.5, 4)) / math.Pi
		for _, by := range []strategy{asked, balanced, met} {
			y := layer(t, w, down, l, 256, func(p *Pass) { p.Neutral, p.by, p.Bounces = 1, by, 1 })
			require.InEpsilon(t, want, y.Mean(film.Direct).X, 0.05, "strategy %d at %v", by, at)
		}
	}
}

// No dielectric gives energy: a closed white room of base 0.95 stays near what its
// base alone would give; with the face over it a little more is sent back, never more
// than came. The bounds are those of the largest and the smallest albedo.
func TestDielectricRoom(t *testing.T) {
	for _, rough := range []float32{0.2, 0.6} {
		m := scenetest.Matt(0.95)
		m.Specular, m.Roughness = 1, rough
		m.Emissive = vec.Splat(1)
		w := compile(t, box(t, m))
		l := shining(w)
		p := &Pass{World: w, Camera: inside, W: 32, H: 32, Seed: 1, Lights: []*light.Light{l}, Layers: []*film.Layers{film.NewLayers(32, 32)}}
		run(t, p, 64, 2)
		got := p.Layers[0].Mean(film.Seen, film.Direct, film.DirectSharp, film.Bounced, film.BouncedSharp).X
		require.Greater(t, got, float32(20), "roughness %g", rough)
		require.Less(t, got, float32(23), "roughness %g", rough)
	}
}

// shining makes all of a world's triangles one light.
func shining(w *world.World) *light.Light {
	l := scenetest.Shining(w)
	return l
}

// Glass and blends in a furnace: a room of them, lit evenly, sends on all that comes.
// A pane of clear glass in a closed room of radiance 1 shows 1.
func TestFurnaceWithGlassAndBlend(t *testing.T) {
	for _, kind := range []string{"glass", "rough glass", "blend"} {
		m := scenetest.Matt(1)
		m.Specular = 1
		switch kind {
		case "glass":
			m.Transmission, m.Roughness = 1, 0
		case "rough glass":
			m.Transmission, m.Roughness = 0.6, 0.7
		case "blend":
			m.Alpha, m.BaseColor[3], m.Roughness = scene.Blend, 0.3, 0.5
		}
		m.DoubleSided = true
		g := scenetest.New()
		g.S.Materials = append(g.S.Materials, m)
		sheet(g, "sheet", 1, -1)
		y := layer(t, g.World(t), ahead, dome(), 256)
		got := y.Mean(film.Seen, film.Direct, film.DirectSharp, film.Bounced, film.BouncedSharp, film.Reflected).X
		require.InDelta(t, 1, got, 0.02, kind)
	}
}

// A masked sign gives in proportion to what is left of it, and the same to paths that
// ask and that meet; its lumens are those of what is left.
func TestMaskedSignShinesThroughNoHole(t *testing.T) {
	for _, alpha := range []scene.AlphaMode{scene.Mask, scene.Blend} {
		g := scenetest.New()
		const n = 8 // a quarter of the texture is there
		tex := &scene.Texture{W: n, H: n, Pix: make([]uint8, 4*n*n), Nearest: true}
		for i := range n * n {
			copy(tex.Pix[4*i:], []uint8{255, 255, 255, 0})
			if i%n < n/2 && i/n < n/2 {
				tex.Pix[4*i+3] = 255
			}
		}
		g.S.Textures = []*scene.Texture{tex}
		m := scenetest.Matt(0)
		m.BaseColor = [4]float32{1, 1, 1, 1}
		m.BaseTex, m.Alpha, m.Emissive, m.DoubleSided = scene.NoTexture(), alpha, vec.Splat(1), true
		m.BaseTex.Texture = 0
		g.S.Materials = append(g.S.Materials, m)
		g.Floor(3)
		g.Add("sign", 1, [4]vec.V3{{X: -1, Y: 1, Z: 1}, {X: 1, Y: 1, Z: 1}, {X: 1, Y: 1, Z: -1}, {X: -1, Y: 1, Z: -1}})
		copy(g.S.V.UV0[4:], []vec.V2{{X: 0, Y: 1}, {X: 1, Y: 1}, {X: 1, Y: 0}, {X: 0, Y: 0}})
		w := g.World(t)
		l := &light.Light{ID: 4, Kind: light.Emissive, Shadow: true, Channels: 0xff}
		l.SetTriangles(w.S, []uint32{2, 3})
		l.Prepare()
		require.InEpsilon(t, 2*4*0.25, l.Area(), 0.01, "two sides of a quarter of four square metres")
		// What is left is the corner x < 0, z < 0, over the place below its own corner.
		down := world.Camera{Eye: vec.V3{Y: 0.5}, Aim: vec.V3{Y: -1}, Up: vec.V3{Z: -1}, FovY: 0.002}
		want := float64(photometry.RectIlluminance(1, 1, 1, 1)) / math.Pi
		for _, by := range []strategy{asked, balanced, met} {
			y := layer(t, w, down, l, 64, func(p *Pass) { p.Neutral, p.by = 1, by })
			require.InEpsilon(t, want, y.Mean(film.Direct).X, 0.03, "strategy %d", by)
		}
	}
}

// Every way of finding a light finds the same of it: on matt and on glossy floors, from
// every kind of light that can be met, with a blocker before half of it. 2.5 %, and 5 % for what is
// only met: four standard errors of the noisiest.
func TestAskingAndMeetingAgree(t *testing.T) {
	kinds := map[string]*light.Light{
		"ball":  {Kind: light.Point, Pos: vec.V3{Y: 1.2}, Radius: 0.5},
		"spot":  {Kind: light.Spot, Pos: vec.V3{Y: 1.2}, Aim: vec.V3{Y: -1}, Radius: 0.5},
		"rect":  {Kind: light.Rect, Pos: vec.V3{Y: 1.2}, Aim: vec.V3{Y: -1}, U: vec.V3{X: 1}, V: vec.V3{Z: 1}, W: 1.4, H: 0.8},
		"disc":  {Kind: light.Disc, Pos: vec.V3{Y: 1.2}, Aim: vec.V3{Y: -1}, Radius: 0.6},
		"tube":  {Kind: light.Tube, Pos: vec.V3{Y: 1.2}, Aim: vec.V3{Y: -1}, U: vec.V3{X: 1}, V: vec.V3{Z: 1}, Radius: 0.15, Length: 1.2},
		"sun":   {Kind: light.Sun, Aim: vec.V3{X: -0.1, Y: -1}},
		"sky":   {Kind: light.Sky, Gradient: light.Uniform},
		"glows": {Kind: light.Emissive},
	}
	kinds["spot"].SetCone(0.4, 1.2)
	kinds["sun"].SetSunAngle(50)
	for name, l := range kinds {
		l.ID, l.Shadow, l.Channels = 9, true, 0xff
		for _, rough := range []float32{0.35, 0.9} {
			g := scenetest.New()
			g.S.Materials[0] = scenetest.Matt(0.4)
			g.S.Materials[0].Specular, g.S.Materials[0].Roughness = 1, rough
			g.Floor(4)
			m := scenetest.Matt(0)
			m.Emissive = vec.Splat(1)
			g.S.Materials = append(g.S.Materials, m)
			parts := []world.Duty{world.Fixed, world.Blocking}
			// Over half of the light and a little more.
			g.Add("flag", 0, [4]vec.V3{{X: -1, Y: 0.4, Z: 1}, {X: 0.1, Y: 0.4, Z: 1}, {X: 0.1, Y: 0.4, Z: -1}, {X: -1, Y: 0.4, Z: -1}})
			if l.Kind == light.Emissive {
				parts = append(parts, world.Fixed)
				g.Add("panel", 1, [4]vec.V3{{X: -0.7, Y: 1.2, Z: -0.4}, {X: 0.7, Y: 1.2, Z: -0.4}, {X: 0.7, Y: 1.2, Z: 0.4}, {X: -0.7, Y: 1.2, Z: 0.4}})
			}
			require.NoError(t, g.S.Finish())
			w, err := world.CompileAs(g.S, parts, 2)
			require.NoError(t, err)
			if l.Kind == light.Emissive {
				l.SetTriangles(w.S, []uint32{4, 5})
			}
			l.Prepare()
			c := world.Camera{Eye: vec.V3{X: 0.3, Y: 0.25, Z: 0.8}, Aim: vec.V3{X: -0.2, Y: -0.7, Z: -1}, Up: vec.V3{Y: 1}, FovY: 0.8}
			mean := func(by strategy) float64 {
				y := layer(t, w, c, l, 96, func(p *Pass) { p.by, p.Bounces = by, 1 })
				return colour.LuminanceOf(y.Mean(film.Direct, film.DirectSharp, film.Reflected))
			}
			a, b, m2 := mean(asked), mean(balanced), mean(met)
			require.Positive(t, a, name)
			require.InEpsilon(t, a, b, 0.025, "%s, roughness %g", name, rough)
			require.InEpsilon(t, a, m2, 0.05, "%s, roughness %g", name, rough)
		}
	}
}

// A texel under a lamp gets what the inverse square says; a place in the air under an
// even sky gets its radiance from every side; both are starts of the same paths.
func TestPathsBeginAnywhere(t *testing.T) {
	g := scenetest.New()
	g.Floor(3)
	w := g.World(t)
	l := &light.Light{ID: 2, Kind: light.Point, Pos: vec.V3{X: 1, Y: 2}, Shadow: true, Channels: 0xff}
	l.Prepare()
	k := NewWalker(w, []*light.Light{l, dome()})
	defer k.Release()
	k.Begin(1, 0, 0)
	v := k.Texel(0, 0.3, 0.2, vec.V3{Y: 1})
	var next Segment
	k.From(&v, &next)
	d := l.Pos.Sub(v.P.Pos)
	e := float64(d.Y) / math.Pow(float64(d.Len()), 3)
	require.InEpsilon(t, e/math.Pi, k.Found(0)[film.Direct].X, 1e-4, "a white texel's radiance is its irradiance over pi")

	var sky float64
	const n = 4096
	for i := range uint32(n) {
		k.Begin(1, 7, i)
		k.Follow(k.Around(vec.V3{Y: 1}))
		got := k.Found(1)
		sky += float64(got[film.Direct].X+got[film.Bounced].X) / n
	}
	// Half of what is seen is sky of radiance 1, half the floor of 0.5 x its irradiance over pi.
	floor := float64(g.S.Materials[0].BaseColor[0])
	require.InDelta(t, (1+floor)/2, sky, 0.03)
}

// A smooth floor's picture of the lit room is kept apart from what is soft, and together
// they are what a path finds.
func TestWhatSmoothSurfacesShowIsItsOwnLayer(t *testing.T) {
	s := box(t, scenetest.Matt(0.5), func(s *scene.Scene) {
		m := scenetest.Matt(0.1)
		m.Specular, m.Roughness = 1, 0.1
		s.Materials = append(s.Materials, m)
		quad(s, 1, vec.V3{Y: 1}, vec.V3{X: -2, Y: -1.9, Z: -2}, vec.V3{X: 2, Y: -1.9, Z: -2}, vec.V3{X: 2, Y: -1.9, Z: 2}, vec.V3{X: -2, Y: -1.9, Z: 2})
		s.Objects[0].Count += 2
	})
	w := compile(t, s)
	c := world.Camera{Eye: vec.V3{Z: 1.5}, Aim: vec.V3{Y: -1, Z: -0.8}, Up: vec.V3{Y: 1}, FovY: 0.4}
	l := lamps()[0]
	y := layer(t, w, c, l, 128)
	sharp, soft := y.Mean(film.BouncedSharp).X, y.Mean(film.Bounced).X
	require.Greater(t, sharp, 0.2*soft)
	rough := s.Materials[1].Roughness
	s.Materials[1].Roughness = 0.5
	require.Zero(t, layer(t, w, c, l, 4).Mean(film.BouncedSharp).X, "a rough one shows no picture")
	s.Materials[1].Roughness = rough
	p := &Pass{World: w, Camera: c, W: small, H: small, Seed: 3, Lights: []*light.Light{l}, Layers: layers(1), Merged: []vec.V3{vec.Splat(1)}}
	p.Layers[0] = film.NewLayers(small, small)
	run(t, p, 128, 2)
	require.InEpsilon(t, p.Layers[0].Mean(film.Direct).X, y.Mean(film.Direct).X+sharp+soft, 1e-3)
}

// A blocker close before the far end of a long panel hides it from every path, however
// near its middle is.
func TestBlockersHideTheFarEndOfALongPanel(t *testing.T) {
	g := scenetest.New()
	g.S.Materials[0] = scenetest.Matt(0.2)
	g.S.Materials[0].Specular, g.S.Materials[0].Roughness = 1, 0.25
	g.Floor(9)
	// The panel runs from x = -1 to 7; all beyond x = 1.5 is behind the flag.
	g.Add("flag", 0, [4]vec.V3{{X: 1.5, Y: 0.95, Z: -2}, {X: 8, Y: 0.95, Z: -2}, {X: 8, Y: 0.95, Z: 2}, {X: 1.5, Y: 0.95, Z: 2}})
	require.NoError(t, g.S.Finish())
	w, err := world.CompileAs(g.S, []world.Duty{world.Fixed, world.Blocking}, 2)
	require.NoError(t, err)
	l := &light.Light{ID: 6, Kind: light.Rect, Pos: vec.V3{X: 3, Y: 1}, Aim: vec.V3{Y: -1}, U: vec.V3{X: 1}, V: vec.V3{Z: 1}, W: 8, H: 1, Shadow: true, Channels: 0xff}
	l.Prepare()
	// The mirror direction of what is seen, at x = 1 and beyond, goes to the flagged part.
	c := world.Camera{Eye: vec.V3{X: -1.5, Y: 0.4}, Aim: vec.V3{X: 1, Y: -0.16}, Up: vec.V3{Y: 1}, FovY: 0.1}
	sum := func(by strategy) float64 {
		return colour.LuminanceOf(layer(t, w, c, l, 128, func(p *Pass) { p.by, p.Bounces = by, 1 }).Mean(film.Direct))
	}
	want := sum(asked)
	require.InEpsilon(t, want, sum(balanced), 0.03)
	require.InEpsilon(t, want, sum(met), 0.1)
}

// A surface a tenth of a metre from a lamp sends on a quarter of its light, as if it were
// twice as far; what the eye sees of it is whole.
func TestSurfacesBesideALampSendOnLess(t *testing.T) {
	l := &light.Light{ID: 2, Kind: light.Point, Pos: vec.V3{Y: 0.1}, Shadow: true, Channels: 0xff}
	l.Prepare()
	require.InEpsilon(t, 0.25, l.Near(vec.V3{}), 1e-5)
	require.Equal(t, float32(1), l.Near(vec.V3{X: 0.3}))
	panel := &light.Light{Kind: light.Rect, W: 1, H: 1}
	require.Equal(t, float32(1), panel.Near(vec.V3{}))
	g := scenetest.New()
	g.S.Materials[0] = scenetest.Matt(0.5)
	g.Floor(0.05)
	w := g.World(t)
	k := NewWalker(w, []*light.Light{l})
	defer k.Release()
	at := func(depth int) (sum vec.V3) {
		const n = 4000
		for i := range uint32(n) {
			k.Begin(1, 0, i)
			v := k.Texel(0, 0.3, 0.3, vec.V3{Y: 1})
			v.From.Depth = depth
			k.gather(&v)
			f := k.Found(0)
			sum = sum.Add(f[film.Direct].Add(f[film.Bounced]).Scale(1.0 / n))
		}
		return sum
	}
	there := k.Texel(0, 0.3, 0.3, vec.V3{Y: 1})
	require.InEpsilon(t, at(0).X*l.Near(there.P.Pos), at(1).X, 0.03, "lights are asked by chance there, without bias")
}

// Russian roulette, chances and chosen lights leave the mean as it is: a deep closed room
// of reflectance 0.9 comes to ten times what it shines.
func TestDeepPathsKeepTheMean(t *testing.T) {
	m := scenetest.Matt(0.9)
	m.Emissive = vec.Splat(1)
	w := compile(t, box(t, m))
	y := layer(t, w, inside, shining(w), 256)
	require.InEpsilon(t, 10, y.Mean(film.Seen, film.Direct, film.Bounced).X, 0.02)
}
