package path

import (
	"context"
	"maps"
	"math"
	"slices"
	"testing"

	"github.com/stretchr/testify/require"
	"willowherb/core/film"
	"willowherb/core/fog"
	"willowherb/core/light"
	"willowherb/core/scene/scenetest"
	"willowherb/core/trace"
	"willowherb/core/vec"
	"willowherb/core/world"
)

func haze() *fog.Air {
	return &fog.Air{Density: 0.12, Halves: 3, Base: -1, Most: 1, Colour: vec.Splat(1), Forward: 0.4,
		Boxes: []fog.Box{{Lo: [3]float64{-1, -2, -6}, Hi: [3]float64{1, 2, -4}, Density: 0.2}}}
}

// louvre is a sheet over the eye's view with a slit in it, and a wall behind.
func louvre(t testing.TB) *world.World {
	g := scenetest.New()
	for _, x := range [][2]float32{{-9, -0.6}, {0.2, 9}} {
		g.Add("slat", 0, [4]vec.V3{{X: x[0], Y: 2, Z: -12}, {X: x[1], Y: 2, Z: -12}, {X: x[1], Y: 2, Z: 3}, {X: x[0], Y: 2, Z: 3}})
	}
	sheet(g, "wall", 0, -9)
	return g.World(t)
}

// marched adds up what the air sends, in steps along the middle of some rays of each pixel,
// with every light sampled so many times at each.
func marched(w *world.World, c world.Camera, l *light.Light, many int) (mean float64) {
	rays, steps := 2, 500
	if l.Placed() && l.Pos.Y < 2 { // seen itself: the rays near it count
		rays, steps = 12, 100
	}
	tr := w.Tracer()
	defer tr.Release()
	for y := range small * rays {
		for x := range small * rays {
			d := c.Ray((float32(x)+0.5)/float32(rays), (float32(y)+0.5)/float32(rays), small, small)
			_, hit, ok := tr.First(trace.Ray{O: c.Eye, D: d, Max: inf}, 0)
			far := 60.0
			if ok {
				far = float64(hit.T)
			}
			// Even steps of distance; for a lamp, of the angle under which it sees them.
			middle, off := 0.0, 0.0
			if l.Placed() {
				middle = float64(l.Pos.Sub(c.Eye).Dot(d))
				off = float64(l.Pos.Sub(c.Eye).Cross(d).Len())
			}
			for k := range steps {
				at, long := (float64(k)+0.5)/float64(steps)*far, far/float64(steps)
				if l.Placed() {
					lo, hi := math.Atan(-middle/off), math.Atan((far-middle)/off)
					x := off * math.Tan(lo+(float64(k)+0.5)/float64(steps)*(hi-lo))
					at, long = middle+x, (hi-lo)/float64(steps)*(off*off+x*x)/off
				}
				p := c.Eye.Add(d.Scale(float32(at)))
				dim := w.Air.At(p) * math.Exp(-w.Air.Depth(c.Eye, d, at)) * long
				for n := range many {
					u := vec.V2{X: (float32(n%4) + 0.5) / 4, Y: (float32(n/4) + 0.5) / float32((many+3)/4)}
					s, ok := l.Sample(p, vec.V3{}, u)
					if !ok {
						continue
					}
					through := vec.Splat(1)
					if l.Shadow {
						through = tr.Passes(p, vec.V3{}, s.Dir, s.Clear)
					}
					mean += dim * w.Air.Phase(float64(s.Dir.Dot(d))) * float64(s.Weight.Mul(through).Y) / float64(many)
				}
			}
		}
	}
	return mean / float64(small*small*rays*rays)
}

func shafts() map[string]*light.Light {
	out := map[string]*light.Light{
		"sun":           {Kind: light.Sun, Aim: vec.New(0.1, -1, -0.3)},
		"point":         {Kind: light.Point, Pos: vec.New(-0.3, 3.5, -4)},
		"point in view": {Kind: light.Point, Pos: vec.New(0.4, 0.3, -5)},
		"spot":          {Kind: light.Spot, Pos: vec.New(0, 4, -5), Aim: vec.New(-0.1, -1, 0)},
		"panel":         {Kind: light.Rect, Pos: vec.New(0, 3, -5), Aim: vec.New(0, -1, 0), W: 1, H: 0.6},
		"unshadowed":    {Kind: light.Point, Pos: vec.New(-0.3, 3.5, -4)},
	}
	for i, name := range slices.Sorted(maps.Keys(out)) {
		l := out[name]
		l.ID, l.Channels, l.Shadow = uint64(50+i), 0xff, name != "unshadowed"
		if l.Kind == light.Spot {
			l.SetCone(0.25, 0.45)
		}
		l.Prepare()
	}
	return out
}

// A shaft is what adding it up in small steps gives. 1 %: what 500 samples of 400 pixels and
// 500 steps are both good for.
func TestShaftsAreWhatMarchingGives(t *testing.T) {
	w := louvre(t).WithAir(haze())
	cam := world.Camera{Eye: vec.V3{Z: 2}, Aim: vec.V3{Z: -1}, Up: vec.V3{Y: 1}, FovY: 0.7}
	for name, l := range shafts() {
		many := 1
		if l.Kind == light.Rect {
			many = 16
		}
		want := marched(w, cam, l, many)
		require.Positive(t, want)
		got := layer(t, w, cam, l, 500).Mean(film.Air)
		within := 0.01
		if name == "point in view" {
			within = 0.03 // what rays right past a place without extent find has no bound
		}
		require.InEpsilon(t, want, got.Y, within, name)
	}
}

// In a sky of the same luminance everywhere, fog that turns all it takes shows as much as it
// hides: nothing changes.
func TestFogUnderAnEvenSkyIsNotSeen(t *testing.T) {
	g := scenetest.New()
	g.Box("box", vec.V3{Z: 50}, 0.1)
	for _, air := range []*fog.Air{haze(), {Density: 0.02, Most: 0.7, Colour: vec.Splat(1), Forward: -0.5, Begins: 10}} {
		w := g.World(t).WithAir(air)
		y := layer(t, w, ahead, dome(), 200)
		seen, sent := y.Mean(film.Seen).X, y.Mean(film.Air).X
		require.Less(t, seen, float32(0.7))
		require.InDelta(t, 1, seen+sent, 0.005)
	}
}

// What lies in fog is seen through it: a wall by as much as its distance says, and glass and
// covers do not count it twice.
func TestSurfacesAreSeenThroughFog(t *testing.T) {
	air := &fog.Air{Density: 0.1, Most: 1, Colour: vec.V3{}}
	w := furnished(t)
	for _, name := range []string{"plain", "covered"} {
		ls := lamps()[:1]
		pass := func(w *world.World) *film.Layers {
			p := &Pass{World: w, Camera: inside, W: 48, H: 40, Seed: 2, Lights: ls, Layers: layers(1)}
			if name == "covered" {
				p = coveredPass(t, w, ls, Rays{Each: 4, Edges: 16})
			}
			run(t, p, 4, 2)
			return p.Layers[0]
		}
		without, with := pass(w), pass(w.WithAir(air))
		a, b := make([]float32, 3*48*40), make([]float32, 3*48*40)
		without.Average(film.Direct, vec.Splat(1), a)
		with.Average(film.Direct, vec.Splat(1), b)
		tr := w.Tracer()
		defer tr.Release()
		some := 0
		for px := range 48 * 40 {
			d := inside.Ray(float32(px%48)+0.5, float32(px/48)+0.5, 48, 40)
			tri, hit, ok := tr.First(trace.Ray{O: inside.Eye, D: d, Max: inf}, 0)
			// Where all around lies as far, the pixel's own jitter changes little.
			if !ok || w.Clear(tri) || a[3*px+1] <= 0 || math.Abs(float64(hit.T)-2) > 0.5 {
				continue
			}
			some++
			want := math.Exp(-0.1 * float64(hit.T))
			require.InDelta(t, want, b[3*px+1]/a[3*px+1], 0.05, "%s, pixel %d", name, px)
		}
		require.Greater(t, some, 50)
		require.Zero(t, with.Mean(film.Air), "black fog sends nothing")
	}
}

// On a cover, and with all lights merged, the air shows what it shows plainly.
func TestAirIsTheSameByEveryWay(t *testing.T) {
	w := furnished(t).WithAir(haze())
	ls := lamps()
	plain := &Pass{World: w, Camera: inside, W: 48, H: 40, Seed: 9, Lights: ls, Layers: layers(3)}
	run(t, plain, 64, 2)
	covered := coveredPass(t, w, ls, Rays{Each: 16, Edges: 64})
	run(t, covered, 128, 2)
	sum := 0.0
	for i := range ls {
		require.Positive(t, plain.Layers[i].Mean(film.Air).Y)
		require.InEpsilon(t, plain.Layers[i].Mean(film.Air).Y, covered.Layers[i].Mean(film.Air).Y, 0.02, "light %d", i)
		for k := range film.Kinds {
			sum += float64(plain.Layers[i].Mean(k).Y)
		}
	}
	few := &Pass{World: w, Camera: inside, W: 48, H: 40, Seed: 5, Lights: ls, Layers: layers(1), Few: 1, Merged: []vec.V3{vec.Splat(1), vec.Splat(1), vec.Splat(1)}}
	run(t, few, 128, 2)
	require.InEpsilon(t, sum, few.Layers[0].Mean(film.Direct).Y, 0.02)
	ls[1].NoAir = true
	left := &Pass{World: w, Camera: inside, W: 48, H: 40, Seed: 9, Lights: ls, Layers: layers(3)}
	run(t, left, 4, 2)
	require.Zero(t, left.Layers[1].Mean(film.Air))
	require.Positive(t, left.Layers[0].Mean(film.Air).Y)
}

// Light measured on grey is what arrives, whatever the air hides.
func TestNeutralSightSeesNoFog(t *testing.T) {
	w := furnished(t)
	l := lamps()[0]
	grey := func(p *Pass) { p.Sight = world.Sight{Neutral: 0.18} }
	require.Equal(t, layer(t, w, inside, l, 4, grey).Sum, layer(t, w.WithAir(haze()), inside, l, 4, grey).Sum)
}

func BenchmarkAir(b *testing.B) {
	w := furnished(b).WithAir(haze())
	for b.Loop() {
		p := &Pass{World: w, Camera: inside, W: 240, H: 135, Seed: 1, Lights: lamps(), Layers: []*film.Layers{film.NewLayers(240, 135), film.NewLayers(240, 135), film.NewLayers(240, 135)}, Bounces: 1}
		if err := p.Run(context.Background(), 1, 2); err != nil {
			b.Fatal(err)
		}
	}
}

// Before a wall two kilometres off, the sky's own air sends on what it scatters of an even sky:
// a closed form (1 %: haze turns most light by little), bluer than the sky, which keeps its own light.
func TestFarThingsTakeOnTheAir(t *testing.T) {
	g := scenetest.New()
	g.Add("wall", 0, [4]vec.V3{{X: -4000, Y: -4000, Z: -2000}, {X: 4000, Y: -4000, Z: -2000}, {X: 4000, Y: 4000, Z: -2000}, {X: -4000, Y: 4000, Z: -2000}})
	a := fog.AerialOf(3)
	w := g.World(t).WithAir(&fog.Air{Aerial: a})
	sky := dome()
	sky.Shadow = false
	cam := ahead
	cam.FovY = 0.01
	y := layer(t, w, cam, sky, 500)
	for k := range 3 {
		clean := float64(a.Clean.At(k))
		share := (clean + 0.9*a.Haze) / (clean + a.Haze)
		require.InEpsilon(t, share*(1-math.Exp(-2000*(clean+a.Haze))), float64(y.Mean(film.Air).At(k)), 0.01)
	}
	require.Greater(t, y.Mean(film.Air).Z, 1.1*y.Mean(film.Air).X)
	// What the wall itself shows is dimmed by as much.
	bare := layer(t, g.World(t), cam, sky, 500).Mean(film.Direct)
	dim := y.Mean(film.Direct)
	for k := range 3 {
		require.InEpsilon(t, math.Exp(-2000*(float64(a.Clean.At(k))+a.Haze)), float64(dim.At(k)/bare.At(k)), 0.01)
	}
	cam.Aim, sky.Shadow = vec.V3{Z: 1}, true
	away := layer(t, w, cam, sky, 20)
	require.Zero(t, away.Mean(film.Air))
	require.InDelta(t, 1, away.Mean(film.Seen).Y, 1e-5)
}
