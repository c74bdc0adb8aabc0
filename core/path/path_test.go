package path

import (
	"context"
	"reflect"
	"slices"
	"testing"

	"github.com/stretchr/testify/require"
	"willowherb/core/film"
	"willowherb/core/light"
	"willowherb/core/scene"
	"willowherb/core/scene/scenetest"
	"willowherb/core/vec"
	"willowherb/core/world"
)

// box is a closed room, 4 m a side, of one material, faces inwards; with extra
// quads standing in it.
func box(t testing.TB, m scene.Material, inside ...func(*scene.Scene)) *scene.Scene {
	g := scenetest.Room(m)
	for _, f := range inside {
		f(g.S)
	}
	require.NoError(t, g.S.Finish())
	return g.S
}

var (
	quad    = scenetest.Quad
	diffuse = scenetest.Matt
	glossy  = scenetest.Glossy
	lamps   = scenetest.Lamps
	inside  = scenetest.Inside
)

func compile(t testing.TB, s *scene.Scene) *world.World {
	w, err := world.Compile(s, 2)
	require.NoError(t, err)
	return w
}

func run(t testing.TB, p *Pass, samples, workers int) {
	require.NoError(t, p.Run(context.Background(), samples, workers))
}

// A closed diffuse room of reflectance r whose walls emit e has radiance
// e/(1-r) everywhere. The tolerance is four standard errors, from the halves.
func TestFurnace(t *testing.T) {
	for _, r := range []float32{0.2, 0.5, 0.8} {
		m := diffuse(r)
		m.Emissive = vec.Splat(1)
		w := compile(t, box(t, m))
		l := scenetest.Shining(w)
		p := &Pass{World: w, Camera: inside, W: 64, H: 64, Seed: 1, Lights: []*light.Light{l}, Layers: []*film.Layers{film.NewLayers(64, 64)}}
		run(t, p, 64, 2)
		y := p.Layers[0]
		got := y.Mean(film.Seen).X + y.Mean(film.Direct).X + y.Mean(film.Bounced).X
		require.InEpsilon(t, 1, y.Mean(film.Seen).X, 1e-4)
		require.InEpsilon(t, r, y.Mean(film.Direct).X, 0.01)
		require.InEpsilon(t, 1/(1-r), got, 0.01, "reflectance %g", r)
	}
}

// White metal walls under a uniform sky seen through nothing: a lone metal plate
// returns the sky whatever its roughness.
func TestWhiteMetalUnderUniformSky(t *testing.T) {
	for _, rough := range []float32{0.1, 0.5, 1} {
		m := scene.DefaultMaterial()
		m.Roughness = rough
		s := &scene.Scene{Materials: []scene.Material{m}, Objects: []scene.Object{{Count: 2}}}
		quad(s, 0, vec.V3{Y: 1}, vec.V3{X: -50, Z: -50}, vec.V3{X: 50, Z: -50}, vec.V3{X: 50, Z: 50}, vec.V3{X: -50, Z: 50})
		require.NoError(t, s.Finish())
		dome := &light.Light{ID: 1, Kind: light.Sky, Gradient: light.Uniform, Shadow: true, Channels: 0xff}
		dome.Prepare()
		p := &Pass{World: compile(t, s), Camera: world.Camera{Eye: vec.V3{Y: 2}, Aim: vec.V3{Y: -1, Z: -1}, Up: vec.V3{Y: 1}, FovY: 0.4}, W: 32, H: 32,
			Lights: []*light.Light{dome}, Layers: []*film.Layers{film.NewLayers(32, 32)}}
		run(t, p, 256, 2)
		y := p.Layers[0]
		require.InEpsilon(t, 1, y.Mean(film.Direct).X+y.Mean(film.Reflected).X, 0.01, "roughness %g", rough)
		if rough == 0.1 {
			require.Zero(t, y.Mean(film.Direct).X, "a mirror's sky is kept apart")
		}
	}
}

func layers(n int) (out []*film.Layers) {
	for range n {
		out = append(out, film.NewLayers(48, 40))
	}
	return out
}

// A light's layer is the same to the last bit alone and in company, with one
// worker and with many, in one run and in two.
func TestLayersDoNotDependOnCompanyOrWorkers(t *testing.T) {
	w := compile(t, box(t, glossy()))
	ls := lamps()
	all := &Pass{World: w, Camera: inside, W: 48, H: 40, Seed: 4, Lights: ls, Layers: layers(3)}
	run(t, all, 3, 4)
	for i := range ls {
		one := &Pass{World: w, Camera: inside, W: 48, H: 40, Seed: 4, Lights: ls[i : i+1], Layers: layers(1)}
		run(t, one, 1, 1)
		run(t, one, 3, 2)
		require.Equal(t, all.Layers[i].Sum, one.Layers[0].Sum, "light %d", i)
	}
}

// The picture composed of layers is the picture rendered directly with every
// light at its own colour and strength: same paths, so only rounding differs.
func TestSumOfLayersIsTheDirectRendering(t *testing.T) {
	w := compile(t, box(t, glossy()))
	ls := lamps()
	gains := []vec.V3{{X: 40, Y: 20, Z: 5}, {X: 10, Y: 30, Z: 60}, {X: 2, Y: 2, Z: 2}}
	apart := &Pass{World: w, Camera: inside, W: 48, H: 40, Seed: 4, Lights: ls, Layers: layers(3)}
	run(t, apart, 4, 2)
	whole := &Pass{World: w, Camera: inside, W: 48, H: 40, Seed: 4, Lights: ls, Layers: layers(3), Merged: gains}
	run(t, whole, 4, 2)
	sum, want := make([]float32, 3*48*40), make([]float32, 3*48*40)
	for i, y := range apart.Layers {
		one := make([]float32, len(sum))
		for k := range film.Kinds {
			y.Average(k, vec.Splat(1), one)
		}
		for k := range one {
			sum[k] += one[k] * [3]float32{gains[i].X, gains[i].Y, gains[i].Z}[k%3]
		}
	}
	whole.Layers[0].Average(film.Direct, vec.Splat(1), want)
	for i := range sum {
		require.InDelta(t, want[i], sum[i], 1e-4*float64(want[i])+1e-5)
	}
}

// Sparse layers take the same samples as full ones, but fewer: after eight, of
// every pixel the first two bounced ones and the first five of the other kinds.
func TestSparseLayersTakeTheFirstSamplesOfFullOnes(t *testing.T) {
	w := compile(t, box(t, glossy()))
	ls := lamps()
	ls = append(ls, &light.Light{ID: 30, Kind: light.Sky, Gradient: light.Uniform})
	ls[3].Shadow, ls[3].Channels = true, 0xff
	ls[3].Prepare()
	made := func(n int, sparse bool, ls ...*light.Light) *Pass {
		p := &Pass{World: w, Camera: inside, W: 48, H: 40, Seed: 4, Lights: ls, Guide: film.NewGuide(48, 40)}
		for range ls {
			y := film.NewLayers(48, 40)
			y.Sparse = sparse
			p.Layers = append(p.Layers, y)
		}
		run(t, p, n, 2)
		return p
	}
	sparse, direct, bounced := made(8, true, ls...), made(5, false, ls...), made(2, false, ls...)
	for i, y := range sparse.Layers {
		for _, k := range []film.Kind{film.Direct, film.Seen, film.Reflected} {
			require.True(t, reflect.DeepEqual(direct.Layers[i].Sum[k][0], y.Sum[k][0]), "light %d", i)
			require.True(t, reflect.DeepEqual(direct.Layers[i].Sum[k][1], y.Sum[k][1]), "light %d", i)
		}
		require.True(t, reflect.DeepEqual(bounced.Layers[i].Sum[film.Bounced][0], y.Sum[film.Bounced][0]), "light %d", i)
		require.True(t, reflect.DeepEqual(bounced.Layers[i].Sum[film.Bounced][1], y.Sum[film.Bounced][1]), "light %d", i)
		require.InDelta(t, bounced.Layers[i].Mean(film.Bounced).X, y.Mean(film.Bounced).X, 1e-6)
		mean, want := make([]float32, 3*48*40), make([]float32, 3*48*40)
		y.HalfDifference(film.Bounced, vec.Splat(1), mean)
		bounced.Layers[i].HalfDifference(film.Bounced, vec.Splat(1), want)
		require.True(t, slices.Equal(want, mean), "light %d", i)
		require.False(t, y.Gaps())
	}
	require.True(t, slices.Equal(made(4, false, ls...).Guide.Albedo, sparse.Guide.Albedo))
}

func TestCancelledPassGoesOnWhereItStopped(t *testing.T) {
	w := compile(t, box(t, glossy()))
	ls := lamps()[:1]
	whole := &Pass{World: w, Camera: inside, W: 48, H: 40, Seed: 4, Lights: ls, Layers: layers(1)}
	run(t, whole, 2, 1)
	part := &Pass{World: w, Camera: inside, W: 48, H: 40, Seed: 4, Lights: ls, Layers: layers(1)}
	ctx, cancel := context.WithCancel(context.Background())
	cancel()
	require.ErrorIs(t, part.Run(ctx, 2, 1), context.Canceled)
	part.Layers[0].Count[0] = 0
	run(t, part, 2, 1)
	require.Equal(t, whole.Layers[0].Sum, part.Layers[0].Sum)
}

// Thin glass passes and tints: a sheet of transmission 1 in front of a lamp
// takes away what Fresnel reflects (4 % at normal incidence) and its colour.
func TestGlassTintsWhatPasses(t *testing.T) {
	pane := scene.DefaultMaterial()
	pane.Metallic, pane.Roughness, pane.Transmission = 0, 0, 1
	pane.BaseColor = [4]float32{1, 0.5, 0.25, 1}
	s := box(t, diffuse(0), func(s *scene.Scene) {
		s.Materials = append(s.Materials, pane)
		quad(s, 1, vec.V3{Y: -1}, vec.V3{X: -1.9, Z: -1.9}, vec.V3{X: 1.9, Z: -1.9}, vec.V3{X: 1.9, Z: 1.9}, vec.V3{X: -1.9, Z: 1.9})
	})
	tr := compile(t, s).Tracer()
	got := tr.Passes(vec.V3{Y: -1}, vec.V3{}, vec.V3{Y: 1}, 2)
	require.InDelta(t, 0.96, got.X, 1e-4)
	require.InDelta(t, 0.48, got.Y, 1e-4)
	require.InDelta(t, 0.24, got.Z, 1e-4)
	require.Zero(t, tr.Passes(vec.V3{Y: -1}, vec.V3{}, vec.V3{Y: 1}, 5), "the ceiling is opaque")
}

func TestChannelsAndShadowlessLights(t *testing.T) {
	s := box(t, diffuse(0.5))
	w := compile(t, s)
	ls := lamps()[:1]
	w = w.WithChannels([]uint8{0b0010})
	ls[0].Channels = 0b0001
	p := &Pass{World: w, Camera: inside, W: 48, H: 40, Lights: ls, Layers: layers(1)}
	run(t, p, 1, 1)
	require.Zero(t, p.Layers[0].Mean(film.Direct))
	require.Zero(t, p.Layers[0].Mean(film.Bounced))
	ls[0].Channels = 0b0011
	p.Layers = layers(1)
	run(t, p, 1, 1)
	require.Positive(t, p.Layers[0].Mean(film.Direct).X)
}

func BenchmarkPass(b *testing.B) {
	w := compile(b, box(b, glossy()))
	ls := lamps()
	p := &Pass{World: w, Camera: inside, W: 320, H: 180, Lights: ls}
	for range ls {
		p.Layers = append(p.Layers, film.NewLayers(320, 180))
	}
	n := 0
	for b.Loop() {
		n++
		run(b, p, n, 2)
	}
	b.ReportMetric(float64(n*320*180*len(ls))/b.Elapsed().Seconds()/1e6, "Mlayer-samples/s")
}

// A light kept out of matt or of glossy reflection gives what the other gives, and
// both parts together make the whole.
func TestSharesOfReflection(t *testing.T) {
	w := compile(t, box(t, glossy()))
	mean := func(matt, glossy float32) (sum float64) {
		ls := lamps()[:1]
		ls[0].NoDiffuse, ls[0].NoSpecular = matt, glossy
		p := &Pass{World: w, Camera: inside, W: 48, H: 40, Seed: 4, Lights: ls, Layers: layers(1)}
		run(t, p, 16, 2)
		return float64(p.Layers[0].Mean(film.Direct).Y)
	}
	all, matt, spec := mean(0, 0), mean(0, 1), mean(1, 0)
	require.Zero(t, mean(1, 1))
	require.Greater(t, matt, 0.01*all)
	require.Greater(t, spec, 0.01*all)
	require.InEpsilon(t, all, matt+spec, 1e-4, "the same paths, split in two")
	require.InEpsilon(t, all, mean(0.5, 0.5)*2, 1e-4)
}

// A light may join layers that a stopped pass left with some tiles ahead: each
// catches up by itself, and all are as if they had been rendered alone.
func TestLightsJoinLayersLeftHalfWay(t *testing.T) {
	w := compile(t, box(t, glossy()))
	ls := lamps()
	want := layers(3)
	run(t, &Pass{World: w, Camera: inside, W: 48, H: 40, Seed: 4, Lights: ls, Layers: want}, 2, 2)
	got := layers(3)
	first := &Pass{World: w, Camera: inside, W: 48, H: 40, Seed: 4, Lights: ls[1:], Layers: got[1:]}
	// One tile of two lights is ahead.
	worker := first.painter()
	require.True(t, worker.behind(1, 0))
	worker.tile(1, 0)
	worker.Release()
	for _, order := range [][]int{{0, 1, 2}, {1, 0, 2}} {
		p := &Pass{World: w, Camera: inside, W: 48, H: 40, Seed: 4}
		for _, i := range order {
			p.Lights, p.Layers = append(p.Lights, ls[i]), append(p.Layers, got[i])
		}
		run(t, p, 1+order[0], 2)
	}
	for i := range want {
		require.Equal(t, want[i].Mean(film.Direct), got[i].Mean(film.Direct))
		require.Equal(t, want[i].Mean(film.Bounced), got[i].Mean(film.Bounced))
		require.Equal(t, want[i].Count, got[i].Count)
	}
}

// The two halves have random numbers of their own: what they differ by is the error of their
// mean, on average. Within a third: there are 1,920 pixels, but their errors vary much.
func TestHalvesDifferByTheError(t *testing.T) {
	w := compile(t, box(t, glossy()))
	made := func(samples int, seed uint32) *film.Layers {
		p := &Pass{World: w, Camera: inside, W: 48, H: 40, Seed: seed, Lights: lamps()[:1], Layers: layers(1)}
		run(t, p, samples, 2)
		return p.Layers[0]
	}
	mean := func(y *film.Layers) []float32 {
		out := make([]float32, 3*48*40)
		y.Average(film.Bounced, vec.Splat(1), out)
		return out
	}
	few, exact := made(16, 4), mean(made(1024, 9))
	diff := make([]float32, 3*48*40)
	few.HalfDifference(film.Bounced, vec.Splat(1), diff)
	var told, truth float64
	for i, v := range mean(few) {
		told += float64(diff[i] * diff[i])
		truth += float64((v - exact[i]) * (v - exact[i]))
	}
	require.InEpsilon(t, 1, told/truth, 0.33)
}

// A sky may be seen otherwise than it lights: behind everything, in mirrors, and on what it
// lights each have a level of their own.
func TestASkyIsSeenOtherwiseThanItLights(t *testing.T) {
	means := func(behind, mirrored float32, rough float32) (seen, direct, reflected float32) {
		m := scene.DefaultMaterial()
		m.Roughness = rough
		s := &scene.Scene{Materials: []scene.Material{m}, Objects: []scene.Object{{Count: 2}}}
		quad(s, 0, vec.V3{Y: 1}, vec.V3{X: -50, Z: -50}, vec.V3{X: 50, Z: -50}, vec.V3{X: 50, Z: 0}, vec.V3{X: -50, Z: 0})
		require.NoError(t, s.Finish())
		dome := &light.Light{ID: 1, Kind: light.Sky, Gradient: light.Uniform, Shadow: true, Channels: 0xff, More: behind, Mirrored: mirrored}
		dome.Prepare()
		p := &Pass{World: compile(t, s), Camera: world.Camera{Eye: vec.V3{Y: 2}, Aim: vec.V3{Z: -1}, Up: vec.V3{Y: 1}, FovY: 0.6}, W: 32, H: 32,
			Lights: []*light.Light{dome}, Layers: []*film.Layers{film.NewLayers(32, 32)}}
		run(t, p, 64, 2)
		y := p.Layers[0]
		return y.Mean(film.Seen).X, y.Mean(film.Direct).X, y.Mean(film.Reflected).X
	}
	for _, rough := range []float32{0.05, 1} {
		seen, direct, reflected := means(0, 0, rough)
		require.Greater(t, seen, float32(0.3))
		dim, same, bright := means(-0.75, 3, rough)
		require.InEpsilon(t, seen/4, dim, 1e-4)
		require.InDelta(t, direct, same, 1e-4)
		require.InDelta(t, 4*reflected, bright, 1e-3)
		if rough < 0.1 {
			require.Greater(t, reflected, float32(0.1))
		}
	}
}

// What is seen behind everything may be another picture than what lights, and turns with it.
func TestAnotherPictureIsSeenBehind(t *testing.T) {
	m := scene.DefaultMaterial()
	m.Roughness = 1
	s := &scene.Scene{Materials: []scene.Material{m}, Objects: []scene.Object{{Count: 2}}}
	quad(s, 0, vec.V3{Y: 1}, vec.V3{X: -50, Z: -50}, vec.V3{X: 50, Z: -50}, vec.V3{X: 50, Z: 0}, vec.V3{X: -50, Z: 0})
	require.NoError(t, s.Finish())
	even := func(east, west float32) *light.Dome {
		rgb := make([]float32, 3*8*4)
		for i := range rgb {
			if rgb[i] = west; i/3%8 >= 4 {
				rgb[i] = east
			}
		}
		return light.NewDome(8, 4, rgb)
	}
	means := func(seen *light.Dome, turn [2]float32) (behind, direct float32) {
		dome := &light.Light{ID: 1, Kind: light.Sky, Dome: even(1, 1), Seen: seen, Turn: turn, Shadow: true, Channels: 0xff}
		dome.Prepare()
		p := &Pass{World: compile(t, s), Camera: world.Camera{Eye: vec.V3{Y: 2}, Aim: vec.V3{X: 1}, Up: vec.V3{Y: 1}, FovY: 0.3}, W: 16, H: 16,
			Lights: []*light.Light{dome}, Layers: []*film.Layers{film.NewLayers(16, 16)}}
		run(t, p, 64, 2)
		y := p.Layers[0]
		return y.Mean(film.Seen).X, y.Mean(film.Direct).X
	}
	seen, direct := means(nil, [2]float32{})
	other, same := means(even(3, 0), [2]float32{})
	require.InEpsilon(t, 3*seen, other, 1e-3)
	require.InDelta(t, direct, same, 1e-4)
	turned, _ := means(even(3, 0), [2]float32{0, -1})
	require.Less(t, turned, other/100)
}
