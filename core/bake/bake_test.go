package bake

import (
	"context"
	"math"
	"testing"

	"github.com/stretchr/testify/require"
	"willowherb/core/colour"
	"willowherb/core/light"
	"willowherb/core/scene"
	"willowherb/core/scene/scenetest"
	"willowherb/core/setup"
	"willowherb/core/vec"
	"willowherb/core/world"
)

// quality for tests: many samples, nothing smoothed unless a test asks for it.
var plain = setup.Quality{Density: 1, Least: 64, Most: 64, Noise: 0.01, Cell: 0.25, Rays: 64, Mirror: 4}

func document(density float64) *setup.Setup {
	b := setup.StandardBake()
	b.Density, b.Page, b.Seen = density, 256, false
	return &setup.Setup{Bake: &b}
}

func source(id string, l *light.Light) Source {
	return Source{ID: id, Key: Digest(id, l.Pos, l.W), Light: l, Straight: true, Gain: vec.Splat(1)}
}

func bakeAll(t testing.TB, w *world.World, doc *setup.Setup, q setup.Quality, workers int, sources ...Source) *Result {
	ctx := context.Background()
	p, err := Lay(ctx, w.S, w, doc, q, workers)
	require.NoError(t, err)
	j := Job{Plan: p, Needed: func() (*Baker, error) { return NewBaker(ctx, w, p, sources, nil, workers, nil) }}
	r, err := j.Run(ctx, sources)
	require.NoError(t, err)
	return r
}

// at is what a bake has at the place of an object nearest to p, at unit output.
func at(t testing.TB, r *Result, s *scene.Scene, object int, p vec.V3) []vec.V3 {
	o := &s.Objects[object]
	best, tri, u, v := float32(math.Inf(1)), uint32(0), float32(0), float32(0)
	for k := o.First; k < o.First+o.Count; k++ {
		if a, b, d := s.Nearest(uint32(k), p); d < best {
			best, tri, u, v = d, uint32(k), a, b
		}
	}
	require.Less(t, best, float32(1e-6), "no surface there")
	e, ok := r.At(object, tri, u, v, nil)
	require.True(t, ok)
	return e
}

// TestAPanelOverAFloor holds texels to the form factor of a parallel rectangle over a place
// under its corner (CORE: form factors); the floor is black, so that nothing bounces. 1 %:
// sampling leaves 0.3 % at 1,024 samples, and a texel is the mean over its width.
func TestAPanelOverAFloor(t *testing.T) {
	g := scenetest.New()
	g.S.Materials[0] = scenetest.Matt(0)
	g.Floor(2)
	w := g.World(t)
	l := &light.Light{ID: 5, Kind: light.Rect, Pos: vec.V3{Y: 1.5}, Aim: vec.V3{Y: -1}, W: 1.2, H: 0.8, Shadow: true, Channels: 0xff}
	l.Prepare()
	q := plain
	q.Least, q.Most = 1024, 1024
	r := bakeAll(t, w, document(8), q, 2, source("panel", l))
	factor := func(x, z float64) (e float64) {
		// Four rectangles from the place to the panel's corners, with their signs.
		quarter := func(a, b float64) float64 {
			s := math.Copysign(1, a) * math.Copysign(1, b)
			x, y := math.Abs(a)/1.5, math.Abs(b)/1.5
			p, q := math.Sqrt(1+x*x), math.Sqrt(1+y*y)
			return s / (2 * math.Pi) * (x/p*math.Atan(y/p) + y/q*math.Atan(x/q))
		}
		// The panel's sides lie along its axes U and V.
		wide := [2]float64{0.6, 0.4}
		if abs := math.Abs(float64(l.U.Z)); abs > 0.5 {
			wide = [2]float64{0.4, 0.6}
		}
		for _, i := range []float64{-1, 1} {
			for _, j := range []float64{-1, 1} {
				e += i * j * quarter(i*wide[0]-x, j*wide[1]-z)
			}
		}
		return math.Pi * e
	}
	for _, p := range []vec.V3{{}, {X: 0.5}, {Z: 0.7}, {X: -0.9, Z: 0.3}, {X: 1.5, Z: 1.5}} {
		want := factor(float64(p.X), float64(p.Z))
		require.InEpsilon(t, want, float64(at(t, r, w.S, 0, p)[0].Y), 0.01, "%v", p)
	}
}

// TestAFurnace: a closed matt room that shines everywhere has the radiance e / (1 - r), so
// pi times that arrives at every texel. 1 %: the cache follows eight bounces, which leaves
// 0.5^9 = 0.2 %.
func TestAFurnace(t *testing.T) {
	m := scenetest.Matt(0.5)
	m.Emissive = vec.Splat(1)
	w := scenetest.Room(m).World(t)
	q := plain
	q.Least, q.Most = 1024, 1024
	r := bakeAll(t, w, document(4), q, 2, source("glow", scenetest.Shining(w)))
	var sum float64
	n := 0
	for c, has := range r.Plan.Objects[0].Has {
		if has {
			e := float64(r.Objects[0].Layers[0].cell(c).Y)
			// Near edges what shines close by is found by chance.
			require.InEpsilon(t, 2*math.Pi, e, 0.3)
			sum += e
			n++
		}
	}
	require.InEpsilon(t, 2*math.Pi, sum/float64(n), 0.01)
}

// wall is a floor with a wall of some thickness across its middle, high enough that a lamp on
// one side sees nothing of the other.
func wall(t *testing.T, thick float32) *world.World {
	g := scenetest.New()
	g.S.Materials[0] = scenetest.Matt(0)
	g.Floor(3)
	h := thick / 2
	p := func(x, y, z float32) vec.V3 { return vec.V3{X: x, Y: y, Z: z} }
	g.Add("wall", 0,
		[4]vec.V3{p(-h, 0, 3), p(h, 0, 3), p(h, 9, 3), p(-h, 9, 3)}, [4]vec.V3{p(h, 0, -3), p(-h, 0, -3), p(-h, 9, -3), p(h, 9, -3)},
		[4]vec.V3{p(h, 0, 3), p(h, 0, -3), p(h, 9, -3), p(h, 9, 3)}, [4]vec.V3{p(-h, 0, -3), p(-h, 0, 3), p(-h, 9, 3), p(-h, 9, -3)},
		[4]vec.V3{p(-h, 9, 3), p(h, 9, 3), p(h, 9, -3), p(-h, 9, -3)})
	return g.World(t)
}

func bulb(id uint64, p vec.V3) *light.Light {
	l := &light.Light{ID: id, Kind: light.Point, Pos: p, Shadow: true, Channels: 0xff}
	l.Prepare()
	return l
}

func TestNoLightBeyondAThinWall(t *testing.T) {
	const texel = 0.25
	for _, thick := range []float32{texel, 2 * texel, texel / 5} {
		for shift := range 4 {
			w := wall(t, thick)
			for i := range w.S.V.Pos[:4] { // the floor's texels in another place against the wall
				w.S.V.Pos[i].X += float32(shift) * texel / 4
			}
			w, err := world.Compile(w.S, 2)
			require.NoError(t, err)
			for _, side := range []float32{-1, 1} {
				r := bakeAll(t, w, document(1/texel), plain, 2, source("lamp", bulb(7, vec.V3{X: side, Y: 1})))
				near := float64(at(t, r, w.S, 0, vec.V3{X: side, Z: 0})[0].Y)
				require.InEpsilon(t, 1, near, 0.05, "under the lamp")
				for x := thick/2 + 0.001; x < 2.5; x += texel / 8 {
					require.Zero(t, at(t, r, w.S, 0, vec.V3{X: -side * x, Z: 0.3})[0].Y, "a wall of %g m, %g m beyond", thick, x)
				}
				require.Positive(t, at(t, r, w.S, 0, vec.V3{X: side * (thick/2 + 2*texel), Z: 0.3})[0].Y)
			}
		}
	}
}

func room(t *testing.T) (*world.World, []Source) {
	w := scenetest.Room(scenetest.Glossy()).World(t)
	var out []Source
	for i, l := range scenetest.Lamps() {
		out = append(out, source(string(rune('a'+i)), l))
	}
	return w, out
}

func TestALightAloneIsThatInCompany(t *testing.T) {
	w, lights := room(t)
	q := plain
	q.Least, q.Most, q.Noise, q.Smooth = 8, 64, 0.05, 2
	together := bakeAll(t, w, document(4), q, 2, lights...)
	for i := range lights {
		alone := bakeAll(t, w, document(4), q, 1, lights[i])
		require.Equal(t, together.Objects[0].Layers[i].Lux, alone.Objects[0].Layers[0].Lux, "light %d", i)
	}
}

// kept keeps layers in memory.
type kept map[string]Layer

func (k kept) Layer(_ context.Context, key string) (Layer, bool, error) {
	l, ok := k[key]
	return l, ok, nil
}

func (k kept) Keep(_ context.Context, key string, l Layer) error {
	k[key] = l
	return nil
}

func (k kept) Data(context.Context, string) ([]byte, bool, error) { return nil, false, nil }

func (k kept) KeepData(context.Context, string, []byte) error { return nil }

func TestWhatChangedIsBakedAgainAndNothingElse(t *testing.T) {
	w, lights := room(t)
	ctx := context.Background()
	p, err := Lay(ctx, w.S, w, document(4), plain, 2)
	require.NoError(t, err)
	k := kept{}
	run := func(sources []Source) *Result {
		j := Job{Plan: p, Kept: k, Needed: func() (*Baker, error) { return NewBaker(ctx, w, p, sources, nil, 2, nil) }}
		r, err := j.Run(ctx, sources)
		require.NoError(t, err)
		return r
	}
	require.Equal(t, 3, run(lights).Made)
	require.Equal(t, 0, run(lights).Made)
	// A level changes nothing: it is no part of a layer.
	lights[1].Gain = vec.Splat(3)
	require.Equal(t, 0, run(lights).Made)
	moved := *lights[0].Light
	moved.Pos.X -= 0.7
	moved.Prepare()
	lights[0].Light, lights[0].Key = &moved, Digest("a", moved.Pos)
	again := run(lights)
	require.Equal(t, 1, again.Made)
	fresh := bakeAll(t, w, document(4), plain, 2, lights...)
	for i := range lights {
		require.Equal(t, fresh.Objects[0].Layers[i].Lux, again.Objects[0].Layers[i].Lux)
	}
}

func TestASplitLightHasItsBounceAlone(t *testing.T) {
	w, lights := room(t)
	whole := bakeAll(t, w, document(4), plain, 2, lights[1])
	lights[1].Straight = false
	split := bakeAll(t, w, document(4), plain, 2, lights[1])
	under := vec.V3{X: -1, Y: -2, Z: 1}
	a, b := at(t, whole, w.S, 0, under)[0], at(t, split, w.S, 0, under)[0]
	// Straight under the spot: its candela over the square of 3.8 m, less its range of 6 m
	// (KHR_lights_punctual).
	require.InEpsilon(t, (1-math.Pow(3.8/6, 4))/(3.8*3.8), float64(a.Y-b.Y), 0.02)
	require.Positive(t, b.Y)
	require.Less(t, b.Y, a.Y/2)
}

func TestLevelsAreLiveAfterTheBake(t *testing.T) {
	w, lights := room(t)
	r := bakeAll(t, w, document(4), plain, 2, lights...)
	gains := []vec.V3{vec.Splat(4), {X: 1, Y: 0.5, Z: 0.25}, {}}
	lux := r.Lux(0, gains)
	for _, c := range []int{3, 40, 111} {
		var want vec.V3
		for i, g := range gains {
			want = want.Add(r.Objects[0].Layers[i].cell(c).Mul(g))
		}
		require.InDelta(t, want.X, lux[3*c], 1e-5+float64(want.X)*1e-5)
		require.InDelta(t, want.Z, lux[3*c+2], 1e-5+float64(want.Z)*1e-5)
	}
}

func TestSkyBouncesAreBounded(t *testing.T) {
	g := scenetest.New()
	g.S.Materials[0] = scenetest.Matt(0.8)
	g.Floor(2)
	p := func(x, y, z float32) vec.V3 { return vec.V3{X: x, Y: y, Z: z} }
	g.Add("walls", 0, [4]vec.V3{p(-2, 0, 2), p(-2, 0, -2), p(-2, 3, -2), p(-2, 3, 2)}, [4]vec.V3{p(2, 0, -2), p(2, 0, 2), p(2, 3, 2), p(2, 3, -2)})
	w := g.World(t)
	dome := &light.Light{ID: 2, Kind: light.Sky, Shadow: true, Channels: 0xff, Gradient: light.Gradient{Zenith: vec.Splat(1), Horizon: vec.Splat(1), Ground: vec.Splat(1)}}
	dome.Prepare()
	mean := func(bounces int) float64 {
		s := source("dome", dome)
		s.Bounces, s.Key = bounces, Digest("sky", bounces)
		return bakeAll(t, w, document(4), plain, 2, s).Objects[0].Layers[0].Mean
	}
	one, all := mean(1), mean(0)
	require.Greater(t, all, one*1.03)
	require.Greater(t, one, 0.0)
}

func TestBoundsSpendTexelsInside(t *testing.T) {
	g := scenetest.New()
	g.Box("near", vec.V3{}, 1)
	g.Box("far", vec.V3{X: 20}, 1)
	w := g.World(t)
	doc := document(8)
	doc.Bake.Bounds = map[string]setup.Box{"a": {Name: "Room", Size: [3]float64{6, 6, 6}}}
	p, err := Lay(context.Background(), w.S, w, doc, plain, 2)
	require.NoError(t, err)
	require.Greater(t, p.Objects[0].Used, 8*p.Objects[1].Used)
}

// TestNoiseIsToldAsItIs: within a factor of 1.6, smoothed or not.
func TestNoiseIsToldAsItIs(t *testing.T) {
	for _, smooth := range []int{0, 2} {
		noiseTold(t, smooth)
	}
}

func noiseTold(t *testing.T, smooth int) {
	w, lights := room(t)
	q := plain
	q.Least, q.Most, q.Smooth = 16, 16, smooth
	r := bakeAll(t, w, document(5), q, 2, lights...)
	q.Least, q.Most, q.Smooth = 512, 512, 0
	truth := bakeAll(t, w, document(5), q, 2, lights...)
	gains := []vec.V3{vec.Splat(1), vec.Splat(1), vec.Splat(1)}
	a, b := r.Lux(0, gains), truth.Lux(0, gains)
	var off, sum float64
	n := 0
	for c, has := range r.Plan.Objects[0].Has {
		if has {
			d := colour.LuminanceOf(vec.V3{X: a[3*c] - b[3*c], Y: a[3*c+1] - b[3*c+1], Z: a[3*c+2] - b[3*c+2]})
			off += math.Abs(d)
			sum += colour.LuminanceOf(vec.V3{X: b[3*c], Y: b[3*c+1], Z: b[3*c+2]})
			n++
		}
	}
	// The mean of the absolute error is 0.8 of the deviation.
	is, told := off/sum/0.8, r.AllNoise(gains)
	require.InDelta(t, 1, told/is, 0.6, "smoothed %d times: told %.3f, is %.3f", smooth, told, is)
}

// TestWhatIsBuriedIsFilledFromTheDarkestSide: a column of texels in a wall, bright to the left
// of it and dark to the right.
func TestWhatIsBuriedIsFilledFromTheDarkestSide(t *testing.T) {
	const wide, high = 7, 5
	st := make([]state, wide*high)
	rgb := make([]float32, 3*wide*high)
	for c := range st {
		switch x := c % wide; {
		case x == 3:
			st[c] = buried
		case x < 3:
			st[c] = lit
			rgb[3*c], rgb[3*c+1], rgb[3*c+2] = 10, 10, 10
		default:
			st[c] = lit
			rgb[3*c], rgb[3*c+1], rgb[3*c+2] = 1, 1, 1
		}
	}
	w := &work{}
	w.fillPatch(rgb, st, 0, wide, high)
	for y := range high {
		require.InDelta(t, 1, rgb[3*(y*wide+3)], 1e-6)
		require.Equal(t, filled, st[y*wide+3])
	}
	// With one side alone it is as that side.
	one := make([]float32, 27)
	one[0], one[1], one[2], one[9], one[10], one[11] = 10, 10, 10, 10, 10, 10
	v, ok := darkest(one, []state{lit, buried, nothing, lit, nothing, nothing, lit, nothing, nothing}, 0, 1, 0, 3, 3)
	require.True(t, ok)
	require.Equal(t, float32(10), v.X)
	_, ok = darkest(one, make([]state, 9), 0, 1, 1, 3, 3)
	require.False(t, ok)
}

// TestAKeyNamesTheTexelsOfAll: the light cache is filled as far as all texels ask.
func TestAKeyNamesTheTexelsOfAll(t *testing.T) {
	g := scenetest.New()
	g.Box("one", vec.V3{}, 1)
	g.Box("other", vec.V3{X: 4}, 1)
	w := g.World(t)
	key := func(change func(doc *setup.Setup, q *setup.Quality)) string {
		doc, q := document(8), plain
		doc.Objects = map[string]setup.Object{}
		change(doc, &q)
		p, err := Lay(context.Background(), w.S, w, doc, q, 2)
		require.NoError(t, err)
		return LayerKey([32]byte{}, p.Objects[0], &Source{}, p)
	}
	is := key(func(*setup.Setup, *setup.Quality) {})
	dense := 20.0
	require.NotEqual(t, is, key(func(doc *setup.Setup, _ *setup.Quality) {
		doc.Objects["o"] = setup.Object{Path: "other", Density: &dense}
	}))
	require.NotEqual(t, is, key(func(_ *setup.Setup, q *setup.Quality) { q.Most++ }))
	require.Equal(t, is, key(func(_ *setup.Setup, q *setup.Quality) { q.Rays++ }), "rays are of probes alone")
}
