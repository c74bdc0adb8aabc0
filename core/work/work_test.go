package work_test

import (
	"context"
	"math"
	"testing"

	"github.com/stretchr/testify/require"
	"willowherb/core/fog"
	"willowherb/core/lamps"
	"willowherb/core/scene"
	"willowherb/core/scene/scenetest"
	"willowherb/core/setup"
	"willowherb/core/target"
	"willowherb/core/vec"
	"willowherb/core/work"
	"willowherb/core/world"
)

// A small picture that can be asked for pixel by pixel.
func method(way target.Way) target.Method {
	return target.Method{Width: 320, Height: 192, Way: way, Tile: 16, Slices: 12, Far: 60, Cascades: 3, Keeps: true, Fog: target.Grid{Across: 32, Down: 16, Steps: 10, Far: 30}}
}

func lit(t testing.TB, lights ...setup.Light) []*lamps.Lamp {
	doc := &setup.Setup{Lights: map[string]setup.Light{}}
	for i, l := range lights {
		if l.Output == 0 {
			l.Output = 100
		}
		l.Colour, l.Channels, l.Order = setup.Colour{Kelvin: 3000}, 0xff, float64(i)
		if l.Carry == "" {
			l.Carry = setup.Live
		}
		doc.Lights[string(rune('a'+i))] = l
	}
	st, err := lamps.Resolve(doc, "")
	require.NoError(t, err)
	return st.Lamps(&scene.Scene{}, nil)
}

// A floor with boxes on it, one behind the other, and a pane of glass.
func yard(t testing.TB) *world.World {
	g := scenetest.New()
	g.Floor(12)
	g.Box("near", vec.V3{X: -1, Y: 0.5, Z: 2}, 0.5)
	g.Box("far", vec.V3{X: -1, Y: 1, Z: -3}, 1)
	g.Box("behind", vec.V3{Y: 1, Z: 20}, 1)
	glass := scene.DefaultMaterial()
	glass.Transmission, glass.DoubleSided = 1, true
	g.S.Materials = append(g.S.Materials, glass)
	g.Add("pane", 1, [4]vec.V3{{X: 1, Z: 1}, {X: 3, Z: 1}, {X: 3, Y: 2, Z: 1}, {X: 1, Y: 2, Z: 1}})
	return g.World(t)
}

var cam = world.Camera{Eye: vec.V3{Y: 1.6, Z: 8}, Aim: vec.V3{Y: -0.1, Z: -1}, Up: vec.V3{Y: 1}, FovY: 0.9}

func count(t testing.TB, w *world.World, how target.Method, st *work.State, every, workers int) (*work.Seen, *work.Done) {
	s, err := work.NewPlace(w, nil, nil).See(context.Background(), cam, how, every, workers)
	require.NoError(t, err)
	st.Air = w.Air
	d, err := s.Count(context.Background(), st, workers)
	require.NoError(t, err)
	return s, d
}

// samples asks for the same surfaces one by one, by nothing that the package has.
func samples(w *world.World, how target.Method, do func(x, y int, p world.Probe)) (all int) {
	for y := 4; y < how.Height; y += 8 {
		for x := 4; x < how.Width; x += 8 {
			all++
			d := cam.Ray(float32(x), float32(y), how.Width, how.Height)
			if m, ok := w.Meets(cam.Eye, d, 1e9); ok {
				do(x, y, world.Probe{Pos: cam.Eye.Add(d.Scale(m.Dist)), N: m.N, Object: m.Object, Dist: m.Dist * d.Dot(cam.Aim.Norm())})
			}
		}
	}
	return all
}

func TestCountsEqualBruteForce(t *testing.T) {
	w := yard(t)
	lights := lit(t,
		setup.Light{Kind: setup.Point, Position: [3]float64{-1, 2, 0}, Range: 3, Shadow: true, ShadowMap: 256},
		setup.Light{Kind: setup.Spot, Position: [3]float64{2, 3, 3}, Aim: [3]float64{0, -1, -0.3}, Inner: 10, Outer: 25, Range: 6, Shadow: true, ShadowMap: 128},
		setup.Light{Kind: setup.Rect, Position: [3]float64{-4, 2, -2}, Aim: [3]float64{1, 0, 0}, Width: 1, Height: 1, Range: 5},
		setup.Light{Kind: setup.Sun, Aim: [3]float64{0.3, -1, -0.2}, Angle: 0.5, Shadow: true, ShadowMap: 512, Drawn: &setup.Drawn{Filter: 1, Distance: 9}},
		setup.Light{Kind: setup.Point, Position: [3]float64{40, 2, 0}, Range: 3, Shadow: true, ShadowMap: 256},
		setup.Light{Kind: setup.Point, Position: [3]float64{0, 2, 0}, Range: 3, Off: true},
		setup.Light{Kind: setup.Point, Position: [3]float64{0, 2, 0}, Range: 3, Carry: setup.Baked})
	for _, way := range []target.Way{target.Tiles, target.Clusters} {
		how := method(way)
		_, d := count(t, w, how, &work.State{Lamps: lights}, 1, 2)
		reached, facing := make([]float64, len(lights)), make([]float64, len(lights))
		solid := 0.0
		all := samples(w, how, func(_, _ int, p world.Probe) {
			solid++
			for i, l := range lights {
				if l.Source.Reaches(p.Pos, vec.V3{}) {
					reached[i]++
				}
				if l.Source.Reaches(p.Pos, p.N) && (i != 3 || p.Dist <= 9) {
					facing[i]++
				}
			}
		})
		each := float64(how.Width*how.Height) / float64(all)
		require.Positive(t, reached[0]*reached[1]*reached[2])
		require.InDelta(t, reached[0]*each, d.Lights[0].Counts[target.Point], 1e-6, way)
		require.InDelta(t, reached[1]*each, d.Lights[1].Counts[target.Spot], 1e-6, way)
		require.InDelta(t, reached[2]*each, d.Lights[2].Counts[target.Rect], 1e-6, way)
		require.InDelta(t, solid*each, d.Lights[3].Counts[target.Sun], 1e-6, way)
		require.InDelta(t, 16*facing[0]*each, d.Lights[0].Counts[target.Taps], 1e-6, "a filter three texels wide looks 4 by 4 texels up")
		require.InDelta(t, 16*facing[1]*each, d.Lights[1].Counts[target.Taps], 1e-6)
		require.InDelta(t, 4*facing[3]*each, d.Lights[3].Counts[target.SunTaps], 1e-6, "to where its shadows end")
		require.Zero(t, d.Lights[2].Counts[target.Taps], "it has no shadow")
		require.Zero(t, d.Lights[4].Counts[target.Point]+d.Lights[4].Counts[target.Faces], "it is out of view")
		require.Equal(t, work.LightWork{}, d.Lights[5])
		require.Equal(t, work.LightWork{}, d.Lights[6])
		require.InDelta(t, solid*each, d.Own[target.Lightmap], 1e-6, "something is baked")
		require.Equal(t, 3, d.Shadows)
	}
}

// Lists are made of boxes about cells: what a light reaches must be in them, and a light that
// reaches nothing near a cell must not.
func TestListsHoldWhatIsReached(t *testing.T) {
	w := yard(t)
	var many []setup.Light
	for i := range 60 {
		a, b := math.Sin(float64(i)*7.1)*8, math.Cos(float64(i)*3.7)*8
		l := setup.Light{Kind: setup.Point, Position: [3]float64{a, 0.5 + float64(i%4), b}, Range: 0.5 + float64(i%5)}
		if i%3 == 0 {
			l.Kind, l.Aim, l.Inner, l.Outer = setup.Spot, [3]float64{a, -3, b}, 5, 10+float64(i%50)
		}
		if i%7 == 0 {
			l.Kind, l.Aim, l.Width, l.Height = setup.Rect, [3]float64{a, -1, b}, 0.5, 0.5
		}
		many = append(many, l)
	}
	lights := lit(t, many...)
	totals := map[target.Way]float64{}
	for _, way := range []target.Way{target.Tiles, target.Clusters, target.Objects} {
		_, d := count(t, w, method(way), &work.State{Lamps: lights}, 1, 2)
		for i, l := range lights {
			n := d.Lights[i].Counts
			hit := n[target.Point] + n[target.Spot] + n[target.Rect]
			require.LessOrEqual(t, hit, n[target.Listed], "%s of %s", l.Kind, way)
			totals[way] += n[target.Listed]
			if way == target.Tiles {
				want := 0.0
				all := samples(w, method(way), func(_, _ int, p world.Probe) {
					if l.Source.Reaches(p.Pos, vec.V3{}) {
						want++
					}
				})
				require.InDelta(t, want*320*192/float64(all), hit, 1e-6, "no sample that a light reaches is missing from a list")
			}
		}
	}
	require.Less(t, totals[target.Clusters], 1.6*totals[target.Tiles], "slices in depth are no wider than what they hold")
	require.Less(t, totals[target.Tiles], totals[target.Objects], "a floor's list is longer than a tile's")
}

// A light's list of cells by hand: a tile looks at a wall 10 m off; the light's sphere passes it.
func TestOverdrawAndGlass(t *testing.T) {
	w := yard(t)
	how := method(target.Tiles)
	_, d := count(t, w, how, &work.State{}, 1, 1)
	glass, over, all := 0.0, 0.0, 0.0
	for y := 4; y < how.Height; y += 8 {
		for x := 4; x < how.Width; x += 8 {
			all++
			dir := cam.Ray(float32(x), float32(y), how.Width, how.Height)
			// The pane stands from x 1 to 3 and y 0 to 2 at z 1, before everything but the near box, which it does not cover.
			k := (1 - cam.Eye.Z) / dir.Z
			at := cam.Eye.Add(dir.Scale(k))
			if k > 0 && at.X > 1 && at.X < 3 && at.Y > 0 && at.Y < 2 {
				glass++
			}
			// By how near their middles are the near box is drawn first, then the floor, then the far box:
			// what of the floor that one hides is drawn twice, what hides behind the near one is not.
			if m, ok := w.Meets(cam.Eye, dir, 1e9); ok {
				over++
				if f := cam.Eye.Add(dir.Scale(-cam.Eye.Y / dir.Y)); m.Object == 2 && dir.Y < 0 && max(f.X, -f.X) < 12 && max(f.Z, -f.Z) < 12 {
					over++
				}
			}
		}
	}
	each := 320 * 192 / all
	require.InDelta(t, glass*each, d.Own[target.Through], 1e-6)
	require.Positive(t, glass)
	require.InDelta(t, over*each, d.Own[target.Fragments], 1e-6)
	require.InDelta(t, 2+12+12+2, d.Own[target.Triangles], 0, "what lies behind the eye is not drawn")
	require.InDelta(t, 4, d.Own[target.Draws], 0)
}

func TestMapsThatAreDrawnAndKept(t *testing.T) {
	w := yard(t)
	how := method(target.Tiles)
	still := setup.Light{Kind: setup.Spot, Position: [3]float64{-1, 3, 2}, Aim: [3]float64{0, -1, 0}, Inner: 5, Outer: 15, Range: 8, Shadow: true, ShadowMap: 128}
	lights := lit(t, still, setup.Light{Kind: setup.Sun, Aim: [3]float64{0, -1, 0}, Shadow: true, ShadowMap: 64, Drawn: &setup.Drawn{Distance: 30}})
	_, d := count(t, w, how, &work.State{Lamps: lights}, 1, 1)
	require.Equal(t, 1, d.Lights[0].Maps)
	require.Equal(t, 1, d.Lights[0].Kept, "nothing in it moves")
	require.Zero(t, d.Lights[0].Counts[target.Faces])
	require.Equal(t, 3, d.Lights[1].Maps, "the target's cascades")
	require.Zero(t, d.Lights[1].Kept, "cascades go with the camera")
	require.Equal(t, 3.0, d.Lights[1].Counts[target.Faces])
	require.Equal(t, 3.0*64*64, d.Lights[1].Counts[target.Texels])

	_, d = count(t, w, how, &work.State{Lamps: lights, Moving: []bool{true, false}}, 1, 1)
	require.Equal(t, 1.0, d.Lights[0].Counts[target.Faces], "a lamp that moves")
	require.Equal(t, 2.0, d.Lights[0].Counts[target.Casters], "the floor and the near box")
	require.Equal(t, 14.0, d.Lights[0].Counts[target.CasterTriangles])

	how.Keeps = false
	_, d = count(t, w, how, &work.State{Lamps: lights}, 1, 1)
	require.Equal(t, 1.0, d.Lights[0].Counts[target.Faces], "a target that keeps none")

	how.Keeps = true
	moves := make([]bool, len(w.S.Objects))
	moves[1] = true // the near box
	s, err := work.NewPlace(w, moves, nil).See(context.Background(), cam, how, 1, 1)
	require.NoError(t, err)
	d, err = s.Count(context.Background(), &work.State{Lamps: lights}, 1)
	require.NoError(t, err)
	require.Equal(t, 1.0, d.Lights[0].Counts[target.Faces], "something in it moves")
}

func TestFogIsCountedCellByCell(t *testing.T) {
	w := yard(t).WithAir(&fog.Air{Density: 0.02, Most: 1, Colour: vec.Splat(1)})
	how := method(target.Tiles)
	lights := lit(t, setup.Light{Kind: setup.Point, Position: [3]float64{0, 1.6, 5}, Range: 2, Shadow: true, ShadowMap: 64}, setup.Light{Kind: setup.Point, Position: [3]float64{0, 1.6, 5}, Range: 2, NoAir: true})
	_, d := count(t, w, how, &work.State{Lamps: lights}, 1, 1)
	n := 0.0
	for y := range 2 {
		for x := range 4 {
			dir := cam.Ray((float32(x)+0.5)*80, (float32(y)+0.5)*96, how.Width, how.Height)
			for k := range 10 {
				at := 0.1 * math.Pow(300, (float64(k)+0.5)/10)
				if p := cam.Eye.Add(dir.Scale(float32(at))).Sub(vec.V3{Y: 1.6, Z: 5}); p.Len() < 2 {
					n++
				}
			}
		}
	}
	require.Positive(t, n)
	require.InDelta(t, n*64, d.Lights[0].Counts[target.FogLit], 1e-6)
	require.Equal(t, d.Lights[0].Counts[target.FogLit], d.Lights[0].Counts[target.FogShadowed])
	require.Zero(t, d.Lights[1].Counts[target.FogLit])
	require.Equal(t, 32.0*16*10, d.Own[target.FogCells])
	require.Equal(t, 320.0*192, d.Own[target.FogPixels])
	_, d = count(t, w, how, &work.State{Lamps: lights[1:]}, 1, 1)
	require.Zero(t, d.Own[target.FogCells], "no light shows in it")
}

// Object by object, what is drawn over has been paid for.
func TestObjectsPayForWhatIsHidden(t *testing.T) {
	w := yard(t)
	_, tiles := count(t, w, method(target.Tiles), &work.State{Lamps: lit(t, setup.Light{Kind: setup.Sun, Aim: [3]float64{0, -1, 0}})}, 1, 1)
	_, objects := count(t, w, method(target.Objects), &work.State{Lamps: lit(t, setup.Light{Kind: setup.Sun, Aim: [3]float64{0, -1, 0}})}, 1, 1)
	require.InDelta(t, objects.Own[target.Fragments], objects.Lights[0].Counts[target.Sun], 1e-6)
	require.Less(t, tiles.Lights[0].Counts[target.Sun], objects.Lights[0].Counts[target.Sun])
	require.Equal(t, 4.0, objects.Lights[0].Counts[target.Tests], "an object in view each")
	require.Equal(t, 20.0*12, tiles.Lights[0].Counts[target.Tests])
}

func TestChannelsProbesAndMirrors(t *testing.T) {
	w := yard(t)
	channels := make([]uint8, len(w.S.Objects))
	for i := range channels {
		channels[i] = 1
	}
	channels[0] = 2 // the floor
	w = w.WithChannels(channels)
	lights := lit(t, setup.Light{Kind: setup.Sun, Aim: [3]float64{0, -1, 0}}, setup.Light{Kind: setup.Sky, Carry: setup.Split})
	lights[0].Source.Channels = 1
	moves, byProbes := make([]bool, len(channels)), make([]bool, len(channels))
	moves[1], byProbes[2] = true, true
	s, err := work.NewPlace(w, moves, byProbes).See(context.Background(), cam, method(target.Tiles), 1, 1)
	require.NoError(t, err)
	box := [2]vec.V3{{X: -12, Y: -1, Z: -12}, {X: 12, Y: 0.001, Z: 12}}
	d, err := s.Count(context.Background(), &work.State{Lamps: lights, Directional: true, Reflections: [][2]vec.V3{box, box, box}}, 1)
	require.NoError(t, err)
	floor, boxes := 0.0, 0.0
	s.Samples(func(p *work.Sample) {
		if p.Object == 0 {
			floor += s.Weight
		} else {
			boxes += s.Weight
		}
	})
	require.InDelta(t, boxes, d.Lights[0].Counts[target.Sun], 1e-6)
	require.InDelta(t, floor+boxes, d.Lights[1].Counts[target.SkySides], 1e-6)
	require.InDelta(t, 2*floor, d.Own[target.Lightmap], 1e-6, "a directional map is looked up twice")
	require.InDelta(t, boxes, d.Own[target.Probes], 1e-6)
	require.InDelta(t, 2*floor+boxes, d.Own[target.Mirrors], 1e-6, "two boxes at most, and the sky where there is none")
}

// Fewer tiles tell the same within their sampling; any number of workers the same to the bit.
func TestFewerTilesAndWorkers(t *testing.T) {
	w := yard(t)
	st := &work.State{Lamps: lit(t, setup.Light{Kind: setup.Point, Position: [3]float64{-1, 2, 0}, Range: 6, Shadow: true, ShadowMap: 256})}
	how := method(target.Clusters)
	how.Width, how.Height = 1280, 768
	_, one := count(t, w, how, st, 1, 1)
	_, four := count(t, w, how, st, 1, 4)
	require.Equal(t, one, four)
	_, coarse := count(t, w, how, st, 3, 2)
	for _, k := range []target.Count{target.Point, target.Listed, target.Taps} {
		require.InEpsilon(t, one.Lights[0].Counts[k], coarse.Lights[0].Counts[k], 0.05, k)
	}
	require.InEpsilon(t, one.Own[target.Fragments], coarse.Own[target.Fragments], 0.05)
	require.Equal(t, one.Own[target.Pixels], coarse.Own[target.Pixels])
}

func BenchmarkCountAThousandLights(b *testing.B) {
	w := yard(b)
	var many []setup.Light
	for i := range 1000 {
		many = append(many, setup.Light{Kind: setup.Point, Position: [3]float64{math.Sin(float64(i)*7.1) * 10, 2, math.Cos(float64(i)*3.7) * 10}, Range: 3, Shadow: i%4 == 0, ShadowMap: 256})
	}
	how := method(target.Clusters)
	how.Width, how.Height = 1920, 1080
	lights := lit(b, many...)
	s, err := work.NewPlace(w, nil, nil).See(context.Background(), cam, how, 1, 2)
	require.NoError(b, err)
	for b.Loop() {
		_, err := s.Count(context.Background(), &work.State{Lamps: lights}, 2)
		require.NoError(b, err)
	}
}
