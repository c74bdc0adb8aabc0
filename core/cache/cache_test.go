package cache_test

import (
	"context"
	"math"
	"testing"

	"github.com/stretchr/testify/require"
	"willowherb/core/cache"
	"willowherb/core/film"
	"willowherb/core/light"
	"willowherb/core/path"
	"willowherb/core/sampling"
	"willowherb/core/scene"
	"willowherb/core/scene/scenetest"
	"willowherb/core/surface"
	"willowherb/core/vec"
	"willowherb/core/world"
)

// spots are places on the walls of scenetest.Room, seen from about so far.
func spots(many int, dist float32) (out []cache.Spot) {
	for i := range uint32(many) {
		src := sampling.New(5, i, 0)
		u, v := src.Loose(1), src.Loose(2)
		c := [3]float32{}
		a, side := int(i%3), float32(2)
		if i%2 == 0 {
			side = -2
		}
		c[a], c[(a+1)%3], c[(a+2)%3] = side, 3.8*u.X-1.9, 3.8*u.Y-1.9
		n := [3]float32{}
		n[a] = -side / 2
		out = append(out, cache.Spot{Pos: vec.V3{X: c[0], Y: c[1], Z: c[2]}, N: vec.V3{X: n[0], Y: n[1], Z: n[2]}, Dist: dist, Roll: uint32(v.X * (1 << 31))})
	}
	return out
}

// lit works out the light of a room at some spots, as matt white surfaces send it on,
// times pi: the irradiance.
func lit(t testing.TB, c *cache.Cache, r *cache.Reach, at []cache.Spot, lights []*light.Light, workers int) (out [][]float32) {
	ctx := context.Background()
	require.NoError(t, c.Fill(ctx, r, workers))
	var sources []cache.Source
	for _, l := range lights {
		sources = append(sources, cache.Source{Key: [32]byte{1, byte(l.ID)}, Light: l})
	}
	table, err := c.Light(ctx, r, sources, workers)
	require.NoError(t, err)
	tr := c.World().Tracer()
	defer tr.Release()
	for i := range at {
		k, ok := table.Look(tr, &at[i])
		if !ok {
			out = append(out, nil)
			continue
		}
		f := surface.Matt(at[i].N, at[i].N, 1, at[i].N)
		k.For(&f)
		var e []float32
		for j := range lights {
			e = append(e, k.Of(j).X*math.Pi)
		}
		out = append(out, e)
	}
	return out
}

func touched(c *cache.Cache, at []cache.Spot) *cache.Reach {
	r := c.Reach()
	for i := range at {
		r.Touch(&at[i])
	}
	return r
}

// In a closed matt room of reflectance r whose walls all shine at 1, the irradiance is
// pi (1 + r + r^2 ...). 8 %: near corners few samples see what shines close by; bounces are followed to
// the ninth.
func TestFurnace(t *testing.T) {
	for _, r := range []float64{0.3, 0.7, 0.71} {
		m := scenetest.Matt(float32(r))
		m.Emissive = vec.Splat(1)
		w := scenetest.Room(m).World(t)
		l := scenetest.Shining(w)
		c := cache.New(w, 2)
		if r == 0.71 {
			c.Gather(11)
		}
		at := spots(600, 2)
		var sum, many float64
		for _, e := range lit(t, c, touched(c, at), at, []*light.Light{l}, 2) {
			if e != nil {
				sum, many = sum+float64(e[0]), many+1
			}
		}
		require.Greater(t, many, 590.0)
		require.InEpsilon(t, math.Pi*(1-math.Pow(r, 9))/(1-r), sum/many, 0.08, "reflectance %g", r)
	}
}

// A small panel in the ceiling of a black room gives what its area and the square of its distance say,
// far off, where it is asked for alone; nothing to what faces away. 3 %: its own size, and
// that points stand for places beside them.
func TestSmallPanelFarOff(t *testing.T) {
	g := scenetest.Room(scenetest.Matt(0))
	panel := scenetest.Matt(0)
	panel.Emissive = vec.Splat(1)
	g.S.Materials = append(g.S.Materials, panel)
	const y, r = 1.9, 0.1
	g.Add("panel", uint16(len(g.S.Materials)-1), [4]vec.V3{{X: -r, Y: y, Z: -r}, {X: r, Y: y, Z: -r}, {X: r, Y: y, Z: r}, {X: -r, Y: y, Z: r}})
	w := g.World(t)
	l := &light.Light{ID: 1, Kind: light.Emissive, Shadow: true, Channels: 0xff}
	l.SetTriangles(w.S, []uint32{uint32(w.S.Triangles()) - 2, uint32(w.S.Triangles()) - 1})
	l.Prepare()
	require.False(t, l.Reaches(vec.V3{Y: 1.95}, vec.V3{Y: 1}))
	require.True(t, l.Far(vec.V3{Y: 0.5}))
	require.False(t, l.Far(vec.V3{Y: 1}))
	c := cache.New(w, 2)
	at := spots(3000, 1)
	var got, want float64
	for i, e := range lit(t, c, touched(c, at), at, []*light.Light{l}, 2) {
		d := vec.V3{Y: y}.Sub(at[i].Pos)
		if e == nil || d.Len() < 2.5 || at[i].Pos.Y > 1 {
			continue
		}
		dir := d.Norm()
		got += float64(e[0])
		want += 4 * r * r * float64(dir.Dot(at[i].N)*dir.Y/d.Dot(d))
	}
	require.Positive(t, want)
	require.InEpsilon(t, want, got, 0.03)
}

// A coarse cache asks for fewer points, and knows the same of an even room.
func TestCoarse(t *testing.T) {
	m := scenetest.Matt(0.5)
	m.Emissive = vec.Splat(1)
	w := scenetest.Room(m).World(t)
	points := func(size float64) int {
		c := cache.New(w, 2)
		c.Coarse(size)
		at := spots(4000, 0.6)
		var sum, many float64
		for i, e := range lit(t, c, touched(c, at), at, []*light.Light{scenetest.Shining(w)}, 2) {
			require.GreaterOrEqual(t, at[i].Size(), float32(max(size, 0.25)))
			if e != nil {
				sum, many = sum+float64(e[0]), many+1
			}
		}
		require.InEpsilon(t, 2*math.Pi, sum/many, 0.08)
		return c.Points()
	}
	require.Less(t, points(0.5), points(0)*3/4)
}

// What is known of a spot is the same bits whoever asked first, with one worker or many.
func TestOrderDoesNotMatter(t *testing.T) {
	w := scenetest.Room(scenetest.Glossy()).World(t)
	lamps := scenetest.Lamps()
	near, far := spots(60, 1), spots(60, 6)
	a := cache.New(w, 1)
	alone := lit(t, a, touched(a, near), near, lamps, 1)
	b := cache.New(w, 4)
	lit(t, b, touched(b, far), far, lamps[1:2], 3)
	mine := touched(b, near)
	require.Equal(t, alone, lit(t, b, mine, near, lamps, 4))
	require.GreaterOrEqual(t, b.Points(), a.Points())
	require.Greater(t, b.Bytes(), 1000)
}

// The halves of a picture are answered by different points.
func TestHalvesHaveTheirOwnPoints(t *testing.T) {
	c := cache.New(scenetest.Room(scenetest.Matt(0.5)).World(t), 2)
	one := spots(100, 2)
	other := spots(100, 2)
	for i := range other {
		other[i].Half = 1
	}
	r := touched(c, one)
	a, b := lit(t, c, r, one, scenetest.Lamps(), 2), lit(t, c, r, other, scenetest.Lamps(), 2)
	same := 0
	for i := range a {
		if a[i] != nil && b[i] != nil && a[i][0] == b[i][0] && a[i][0] > 0 {
			same++
		}
	}
	require.Less(t, same, 5)
}

// A work that is given up leaves nothing half done.
func TestGivenUp(t *testing.T) {
	w := scenetest.Room(scenetest.Glossy()).World(t)
	at := spots(50, 2)
	c := cache.New(w, 2)
	r := touched(c, at)
	ctx, cancel := context.WithCancel(context.Background())
	cancel()
	require.ErrorIs(t, c.Fill(ctx, r, 2), context.Canceled)
	require.Zero(t, c.Points())
	fresh := cache.New(w, 2)
	require.Equal(t, lit(t, fresh, touched(fresh, at), at, scenetest.Lamps(), 2), lit(t, c, r, at, scenetest.Lamps(), 2))
}

// Nothing leaks through a thin wall: inside a closed chest, 2 cm from another that is
// lit all round, it is dark.
func TestNoLeaks(t *testing.T) {
	g := scenetest.Room(scenetest.Matt(0.7))
	g.Box("chest", vec.V3{Y: -1}, 0.5)
	g.Box("lining", vec.V3{Y: -1}, 0.48)
	w := g.World(t)
	lamps := scenetest.Lamps()
	pass := &path.Pass{World: w, Camera: world.Camera{Eye: vec.V3{Y: -1}, Aim: vec.V3{X: 1, Y: -0.3}, Up: vec.V3{Y: 1}, FovY: 2}, W: 32, H: 32, Seed: 1, Lights: lamps}
	for range lamps {
		pass.Layers = append(pass.Layers, film.NewLayers(32, 32))
	}
	cached(t, pass)
	require.NoError(t, pass.Run(context.Background(), 16, 2))
	for _, y := range pass.Layers {
		require.Zero(t, y.Mean(film.BouncedKinds...))
	}
}

// cached gives a pass its light cache.
func cached(t testing.TB, p *path.Pass) {
	ctx := context.Background()
	c := cache.New(p.World, 2)
	r := c.Reach()
	require.NoError(t, p.Touch(ctx, r, 1, 2))
	require.NoError(t, c.Fill(ctx, r, 2))
	var sources []cache.Source
	for i, l := range p.Lights {
		sources = append(sources, cache.Source{Key: [32]byte{byte(i)}, Light: l})
	}
	var err error
	p.Cached, err = c.Light(ctx, r, sources, 2)
	require.NoError(t, err)
}

// With the cache each lamp's bounced light is what whole paths find: in a matt room, one
// that shines a little, and one with things in it. 3 %, as is asked of single lights; the
// paths' own chance is a third of it.
func TestCacheAgreesWithPaths(t *testing.T) {
	matt, glossy := scenetest.Matt(0.6), scenetest.Glossy()
	glossy.Roughness = 0.6
	for name, m := range map[string]scene.Material{"matt": matt, "glossy": glossy} {
		g := scenetest.Room(m)
		g.S.Materials = append(g.S.Materials, scenetest.Matt(0.3))
		g.Box("box", vec.V3{X: 0.4, Y: -1.5, Z: -0.8}, 0.45)
		w := g.World(t)
		bounced := func(with bool, samples int) (out []float64) {
			p := &path.Pass{World: w, Camera: scenetest.Inside, W: 48, H: 48, Seed: 3, Lights: scenetest.Lamps()}
			for range p.Lights {
				p.Layers = append(p.Layers, film.NewLayers(48, 48))
			}
			if with {
				cached(t, p)
			}
			require.NoError(t, p.Run(context.Background(), samples, 2))
			for _, y := range p.Layers {
				out = append(out, float64(y.Mean(film.BouncedKinds...).Y))
			}
			return out
		}
		want, got := bounced(false, 256), bounced(true, 64)
		for i := range want {
			require.InEpsilon(t, want[i], got[i], 0.03, "%s, light %d", name, i)
		}
	}
}
