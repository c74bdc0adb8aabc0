package drawn

import (
	"context"
	"testing"

	"github.com/stretchr/testify/require"
	"willowherb/core/film"
	"willowherb/core/light"
	"willowherb/core/path"
	"willowherb/core/scene/scenetest"
	"willowherb/core/vec"
	"willowherb/core/world"
)

// yard is a floor with a crate on it.
func yard() *scenetest.Stage {
	g := scenetest.New()
	g.Floor(8)
	g.Box("crate", vec.V3{X: 0.4, Y: 0.5}, 0.5)
	return g
}

var view = world.Camera{Eye: vec.V3{Y: 4, Z: 6}, Aim: vec.V3{Y: -4, Z: -6}.Norm(), Up: vec.V3{Y: 1}, FovY: 0.8}

func lamps() map[string]*light.Light {
	out := map[string]*light.Light{
		"point": {Kind: light.Point, Pos: vec.V3{X: -1.7, Y: 2.3, Z: 1.1}},
		"spot":  {Kind: light.Spot, Pos: vec.V3{X: -2, Y: 3, Z: 1.5}, Aim: vec.V3{X: 2, Y: -3, Z: -1.5}},
		"sun":   {Kind: light.Sun, Aim: vec.V3{X: 0.5, Y: -1, Z: -0.4}},
	}
	out["spot"].SetCone(0.5, 0.7)
	for _, l := range out {
		l.Shadow, l.Channels = true, 0xff
		l.Prepare()
	}
	return out
}

// wrong is the share of what the view sees where the map disagrees with a ray to
// the light.
func wrong(t *testing.T, w *world.World, l *light.Light, s Settings) float64 {
	m, err := Draw(context.Background(), w, l, s, view, 1.5, 2)
	require.NoError(t, err)
	bad, n := 0, 0
	const wide, high = 150, 100
	for i := range wide * high {
		q, ok := w.Probe(view.Eye, view.Ray(float32(i%wide)+0.5, float32(i/wide)+0.5, wide, high), world.Sight{})
		if !ok || !l.Reaches(q.Pos, q.N) {
			continue
		}
		d, dist := l.Aim.Neg(), float32(1e4)
		if l.Kind != light.Sun {
			d = l.Pos.Sub(q.Pos)
			dist = d.Len()
			d = d.Norm()
		}
		if d.Dot(q.N) < 0.05 {
			continue
		}
		free := float32(1)
		if w.PassesFrom(q.Pos, q.N, d, dist) == (vec.V3{}) {
			free = 0
		}
		n++
		if abs(m.Lit(q.Pos, q.N, &s)-free) > 0.5 {
			bad++
		}
	}
	require.Greater(t, n, 1000)
	return float64(bad) / float64(n)
}

// The map comes to what rays say as it grows: what is wrong lies within a texel of
// a shadow's edge, and halves with the texel.
func TestMapsConvergeToTheReference(t *testing.T) {
	w := yard().World(t)
	for name, l := range lamps() {
		var last float64
		for i, size := range []int{64, 256, 1024, 4096} {
			if l.Kind == light.Point && size > 2048 {
				continue // six faces
			}
			e := wrong(t, w, l, Settings{Size: size, Bias: 0.004, Normal: 2, Filter: 1, Cascades: 3, Distance: 40})
			t.Logf("%s at %d: %.4f wrong", name, size, e)
			if i > 0 {
				require.LessOrEqual(t, e, last*0.6+0.0005, "%s at %d", name, size)
			}
			last = e
		}
		require.Less(t, last, 0.001, "what is left lies at the very edge")
	}
}

// Without a bias a floor shades itself; with too much of it shadows float off what
// casts them.
func TestAcneAndFloating(t *testing.T) {
	w := yard().World(t)
	l := lamps()["spot"]
	s := Settings{Size: 256, Filter: 1}
	require.Greater(t, wrong(t, w, l, s), 0.08, "acne")
	s.Normal, s.Bias = 1.5, 0.005
	sound := wrong(t, w, l, s)
	require.Less(t, sound, 0.02)
	s.Bias = 2
	m, err := Draw(context.Background(), w, l, s, view, 1.5, 1)
	require.NoError(t, err)
	foot := vec.V3{X: 1.05, Z: -0.2} // just behind the crate, as the lamp sees it
	require.EqualValues(t, 1, m.Lit(foot, vec.V3{Y: 1}, &s), "the shadow has come off")
	s.Bias = 0.005
	require.EqualValues(t, 0, m.Lit(foot, vec.V3{Y: 1}, &s))
}

// A one-sided wall that shows the lamp its back is not drawn: light leaks. Made
// two-sided it stops.
func TestOneSidedWallLeaks(t *testing.T) {
	g := scenetest.New()
	g.Floor(8)
	g.Add("wall", 0, [4]vec.V3{{X: -2}, {X: 2}, {X: 2, Y: 2}, {X: -2, Y: 2}}) // faces +Z
	l := &light.Light{Kind: light.Point, Pos: vec.V3{Y: 1.5, Z: -1.5}, Shadow: true, Channels: 0xff}
	l.Prepare()
	s := Settings{Size: 512, Bias: 0.01, Normal: 1, Filter: 1}
	p, up := vec.V3{Z: 0.6}, vec.V3{Y: 1}
	m, err := Draw(context.Background(), g.World(t), l, s, view, 1.5, 1)
	require.NoError(t, err)
	require.EqualValues(t, 1, m.Lit(p, up, &s))
	g.S.Materials[0].DoubleSided = true
	m, err = Draw(context.Background(), g.World(t), l, s, view, 1.5, 1)
	require.NoError(t, err)
	require.EqualValues(t, 0, m.Lit(p, up, &s))
}

// The picture is the reference's where nothing is in the way, traced shadows are
// the reference's up to chance, and contact shadows find what a coarse map misses.
func TestPictureAgainstTheReference(t *testing.T) {
	w := yard().World(t)
	const wide, high = 90, 60
	for name, l := range lamps() {
		y := film.NewLayers(wide, high)
		pass := &path.Pass{World: w, Camera: view, W: wide, H: high, Seed: 1, Lights: []*light.Light{l}, Layers: []*film.Layers{y}}
		require.NoError(t, pass.Run(context.Background(), 16, 2))
		want := y.Mean(film.Direct).Y
		for _, set := range []Settings{{Size: 2048, Bias: 0.004, Normal: 2, Filter: 1, Cascades: 3, Distance: 40}, {Traced: 4}} {
			p := &Picture{World: w, View: view, W: wide, H: high, Light: l, Set: set, Samples: 4, Workers: 2}
			pic, err := p.Render(context.Background())
			require.NoError(t, err)
			var sum float32
			for i := 1; i < len(pic); i += 3 {
				sum += pic[i]
			}
			require.InEpsilon(t, want, sum/(wide*high), 0.02, "%s, %+v", name, set)
		}
	}
	// A crumb on the floor, far smaller than a texel of the map.
	g := yard()
	g.Add("crumb", 0, [4]vec.V3{{X: -1, Z: 2.02}, {X: -0.6, Z: 2.02}, {X: -0.6, Y: 0.12, Z: 2.02}, {X: -1, Y: 0.12, Z: 2.02}})
	g.S.Materials[0].DoubleSided = true
	l := lamps()["sun"]
	l.Aim = vec.V3{Y: -0.4, Z: -1}.Norm()
	p := &Picture{World: g.World(t), View: view, W: 240, H: 160, Light: l, Set: Settings{Size: 16, Bias: 0.05, Normal: 1, Filter: 1, Cascades: 1, Distance: 40}, Samples: 1, Workers: 2}
	dark := func() (n int) {
		pic, err := p.Render(context.Background())
		require.NoError(t, err)
		for i := 1; i < len(pic); i += 3 {
			if pic[i] == 0 {
				n++
			}
		}
		return n
	}
	without := dark()
	p.Set.Contact, p.Set.Thickness = 0.3, 0.2
	require.Greater(t, dark(), without+10)
}

func BenchmarkDraw(b *testing.B) {
	g := yard()
	w := g.World(b)
	l := lamps()["spot"]
	for b.Loop() {
		_, err := Draw(context.Background(), w, l, Settings{Size: 1024}, view, 1.5, 1)
		require.NoError(b, err)
	}
	b.ReportMetric(float64(g.S.Triangles()), "triangles")
}
