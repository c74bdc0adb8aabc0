package path

import (
	"math"
	"testing"

	"github.com/stretchr/testify/require"
	"willowherb/core/film"
	"willowherb/core/light"
	"willowherb/core/scene"
	"willowherb/core/vec"
	"willowherb/core/world"
)

// table is a floor of 4 m a side, with a shelf over half of it as an object of its own.
func table(t testing.TB, parts ...world.Duty) *world.World {
	s := &scene.Scene{Materials: []scene.Material{diffuse(0.5)}}
	up := vec.V3{Y: 1}
	quad(s, 0, up, vec.V3{X: -2, Z: 2}, vec.V3{X: 2, Z: 2}, vec.V3{X: 2, Z: -2}, vec.V3{X: -2, Z: -2})
	quad(s, 0, up, vec.V3{X: -1, Y: 1, Z: 1}, vec.V3{Y: 1, Z: 1}, vec.V3{Y: 1, Z: -1}, vec.V3{X: -1, Y: 1, Z: -1})
	s.Obj[2], s.Obj[3] = 1, 1
	s.Objects = []scene.Object{{Name: "floor", Path: "floor", Count: 2, Node: scene.None}, {Name: "shelf", Path: "shelf", First: 2, Count: 2, Node: scene.None}}
	require.NoError(t, s.Finish())
	w, err := world.CompileAs(s, parts, 2)
	require.NoError(t, err)
	return w
}

var above = world.Camera{Eye: vec.V3{Y: 6}, Aim: vec.V3{Y: -1}, Up: vec.V3{Z: -1}, FovY: 0.7}

func lampOver(t testing.TB) *light.Light {
	l := &light.Light{Kind: light.Point, Pos: vec.V3{X: -0.5, Y: 3}, Shadow: true, Channels: 0xff}
	l.Prepare()
	return l
}

func seen(t testing.TB, w *world.World, sight world.Sight, l *light.Light, samples int) *film.Layers {
	p := &Pass{World: w, Camera: above, W: 48, H: 48, Seed: 3, Lights: []*light.Light{l}, Layers: []*film.Layers{film.NewLayers(48, 48)}, Sight: sight}
	run(t, p, samples, 2)
	return p.Layers[0]
}

func at(l *film.Layers, k film.Kind, x, y int) float32 {
	pic := make([]float32, 3*l.W*l.H)
	l.Average(k, vec.Splat(1), pic)
	return pic[3*(y*l.W+x)]
}

func picture(l *film.Layers) []float32 {
	pic := make([]float32, 3*l.W*l.H)
	l.Average(film.Direct, vec.Splat(1), pic)
	return pic
}

// alike holds two pictures to the same light. Another tree may round a hit to
// another last bit, which can decide at an edge: one pixel in two hundred may differ.
func alike(t testing.TB, a, b *film.Layers) {
	t.Helper()
	off := 0
	pa, pb := picture(a), picture(b)
	for y := range a.H {
		for x := range a.W {
			i := 3 * (y*a.W + x)
			if p, q := pa[i], pb[i]; math.Abs(float64(p-q)) > 1e-3*float64(max(p, q)) {
				off++
			}
		}
	}
	require.LessOrEqual(t, off, a.W*a.H/200)
}

// What is hidden from the camera goes on casting its shadow.
func TestHiddenObjectsStillCastShadow(t *testing.T) {
	w := table(t)
	l := lampOver(t)
	// The pixel's ray goes by the shelf at x -0.75; the lamp over it lies straight above.
	x, y := 24-6, 24
	whole := seen(t, w, world.Sight{}, l, 1)
	require.Greater(t, at(whole, film.Direct, x, y), float32(0), "the shelf itself is lit")
	hidden := seen(t, w, world.Sight{Hidden: []bool{false, true}}, l, 1)
	require.Zero(t, at(hidden, film.Direct, x, y), "the floor under it is in its shadow")
	cut := seen(t, w, world.Sight{Cut: 5.5}, l, 1)
	alike(t, hidden, cut)
}

func TestBlockersCastShadowUnseen(t *testing.T) {
	l := lampOver(t)
	hidden := seen(t, table(t), world.Sight{Hidden: []bool{false, true}}, l, 1)
	blocker := seen(t, table(t, world.Fixed, world.Blocking), world.Sight{}, l, 1)
	alike(t, hidden, blocker)
	gone := seen(t, table(t, world.Fixed, world.Gone), world.Sight{}, l, 1)
	require.Greater(t, at(gone, film.Direct, 18, 24), float32(0), "what is not there casts none")
}

// A lamp that rays can meet is not seen through a blocker by way of surfaces either:
// the sum over both ways of sampling stays dark in its shadow.
func TestBlockersStopTheLightThatRaysFind(t *testing.T) {
	l := &light.Light{Kind: light.Disc, Pos: vec.V3{X: -0.5, Y: 1.2}, Aim: vec.V3{Y: -1}, Radius: 0.2, Shadow: true, Channels: 0xff}
	l.Prepare()
	y := seen(t, table(t, world.Fixed, world.Blocking), world.Sight{}, l, 64)
	require.Zero(t, at(y, film.Direct, 19, 24))
}

// Things that move are in a tree of their own; the picture is the same.
func TestMoversAreRenderedLikeTheRest(t *testing.T) {
	l := lampOver(t)
	alike(t, seen(t, table(t), world.Sight{}, l, 4), seen(t, table(t, world.Fixed, world.Moving), world.Sight{}, l, 4))
}

func TestPosedWorldHasMoversElsewhere(t *testing.T) {
	w := table(t, world.Fixed, world.Moving)
	s := w.S.Pose(0, map[string]scene.Move{"shelf": {Offset: [3]float64{1.5, 0, 0}}})
	moved, err := w.Posed(s, 1)
	require.NoError(t, err)
	p, ok := moved.Probe(vec.V3{X: 1, Y: 6}, vec.V3{Y: -1}, world.Sight{})
	require.True(t, ok)
	require.Equal(t, 1, p.Object)
	require.InDelta(t, 1, p.Pos.Y, 1e-5)
	p, ok = moved.Probe(vec.V3{X: -0.5, Y: 6}, vec.V3{Y: -1}, world.Sight{})
	require.True(t, ok)
	require.Equal(t, 0, p.Object, "where it was there is the floor now")
}

// The luminance of a matt grey under a lamp is E rho / pi with E = I cos / d^2.
func TestNeutralSightMeasuresIlluminance(t *testing.T) {
	l := lampOver(t)
	y := seen(t, table(t, world.Fixed, world.Gone), world.Sight{Neutral: 0.18}, l, 64)
	x := 24 - 3
	px := -(24 - (float64(x) + 0.5)) / 24 * math.Tan(0.35) * 6
	d := math.Hypot(px+0.5, 3)
	want := 1 / (d * d) * (3 / d)
	require.InEpsilon(t, want, float64(at(y, film.Direct, x, 24))*math.Pi/0.18, 0.01, "within a pixel's width of a smooth gradient")
}

// Choosing few of the lights by chance keeps the mean: forty lamps, two shadow rays.
func TestFewLightsByChanceAreUnbiased(t *testing.T) {
	w := table(t)
	var lights []*light.Light
	var gains []vec.V3
	for i := range 40 {
		l := &light.Light{ID: uint64(i), Kind: light.Point, Pos: vec.New(3*math.Sin(float64(i)), 2, 3*math.Cos(1.7*float64(i))), Shadow: true, Channels: 0xff}
		l.Prepare()
		lights, gains = append(lights, l), append(gains, vec.Splat(float32(i%7)+0.5))
	}
	mean := func(few, samples int) float64 {
		p := &Pass{World: w, Camera: above, W: 24, H: 24, Seed: 5, Lights: lights, Layers: []*film.Layers{film.NewLayers(24, 24)}, Merged: gains, Few: few, Bounces: 1}
		run(t, p, samples, 2)
		return float64(p.Layers[0].Mean(film.Direct).Y)
	}
	require.InEpsilon(t, mean(0, 64), mean(2, 512), 0.01, "the error of the mean of 300,000 samples is well under a per cent")
}

func TestWhyALightGivesNothing(t *testing.T) {
	w := table(t)
	probe := func(x, z float32) world.Probe {
		p, ok := w.Probe(vec.V3{X: x, Y: 0.5, Z: z}, vec.V3{Y: -1}, world.Sight{})
		require.True(t, ok)
		return p
	}
	spot := func(f func(*light.Light)) *light.Light {
		l := &light.Light{Kind: light.Spot, Pos: vec.V3{X: -0.5, Y: 3}, Aim: vec.V3{Y: -1}, Shadow: true, Channels: 0xff}
		l.SetCone(0.1, 0.5)
		f(l)
		l.Prepare()
		return l
	}
	none := func(*light.Light) {}
	for _, c := range []struct {
		name  string
		l     *light.Light
		x     float32
		want  world.Reason
		by    int
		wider bool
	}{
		{"under the shelf", spot(none), -0.5, world.Shadowed, 1, false},
		{"beside it, in the cone", spot(none), 0.9, world.Lit, -1, false},
		{"outside the cone", spot(none), 1.9, world.OutCone, -1, false},
		{"too far", spot(func(l *light.Light) { l.Range = 2 }), 0.9, world.OutOf, -1, false},
		{"another channel", spot(func(l *light.Light) { l.Channels = 0 }), 0.9, world.OtherChan, -1, false},
		{"from below", spot(func(l *light.Light) { l.Pos.Y, l.Aim.Y = -3, 1 }), -0.5, world.Away, -1, false},
		{"without shadow", spot(func(l *light.Light) { l.Shadow = false }), -0.5, world.Lit, -1, false},
	} {
		p := probe(c.x, 0)
		r, by := w.Why(c.l, &p)
		require.Equal(t, c.want, r, c.name)
		require.Equal(t, c.by, by, c.name)
	}
}

// The line between two triangles of the floor goes through its middle.
func TestEdgesAreDrawnWhereTrianglesMeet(t *testing.T) {
	w := table(t, world.Fixed, world.Gone)
	e := w.MapEdges(above, world.Sight{}, 49, 49)
	require.Greater(t, e[24*49+24], float32(0.5))
	require.Zero(t, e[24*49+34], "away from the diagonal there is none")
}
