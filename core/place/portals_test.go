package place

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

// chamber is a room of 6 by 6 m, 3 m high, with a window of that half-width in its far
// wall.
func chamber(half float32) *scenetest.Stage {
	g := scenetest.New()
	v := func(x, y, z float32) vec.V3 { return vec.V3{X: x, Y: y, Z: z} }
	q := func(name string, a, b, c, d vec.V3) { g.Add(name, 0, [4]vec.V3{a, b, c, d}) }
	q("floor", v(-3, 0, 3), v(3, 0, 3), v(3, 0, -3), v(-3, 0, -3))
	q("ceiling", v(-3, 3, -3), v(3, 3, -3), v(3, 3, 3), v(-3, 3, 3))
	q("left", v(-3, 0, -3), v(-3, 3, -3), v(-3, 3, 3), v(-3, 0, 3))
	q("right", v(3, 0, -3), v(3, 0, 3), v(3, 3, 3), v(3, 3, -3))
	wall := func(name string, z, half, lo, hi float32) {
		q(name, v(-3, 0, z), v(-half, 0, z), v(-half, 3, z), v(-3, 3, z))
		q(name, v(half, 0, z), v(3, 0, z), v(3, 3, z), v(half, 3, z))
		q(name, v(-half, 0, z), v(half, 0, z), v(half, lo, z), v(-half, lo, z))
		q(name, v(-half, hi, z), v(half, hi, z), v(half, 3, z), v(-half, 3, z))
	}
	wall("far", -3, half, 1, 2)
	q("near", v(-3, 0, 3), v(-3, 3, 3), v(3, 3, 3), v(3, 0, 3))
	return g
}

// A window is found where it is, as large as it is, facing in, with the room before it; a closed room has none, nor has the open air.
func TestPortals(t *testing.T) {
	ctx := context.Background()
	found, err := Portals(ctx, chamber(0.6).World(t), 2)
	require.NoError(t, err)
	require.Len(t, found, 1)
	p := found[0]
	require.InDelta(t, 1.2, p.W, 0.02)
	require.InDelta(t, 1, p.H, 0.02)
	require.InDelta(t, 1.5, p.Centre.Y, 0.02)
	require.InDelta(t, 1, p.N.Z, 1e-4)
	require.InDelta(t, -3, p.Bounds[0].Lo.X, 0.2)
	require.InDelta(t, 3, p.Bounds[0].Hi.Z, 0.2)
	again, err := Portals(ctx, chamber(0.6).World(t), 1)
	require.NoError(t, err)
	require.Equal(t, found, again)
	// A square kilometre of ground about it takes nothing from it.
	wide := chamber(0.6)
	wide.Add("plain", 0, [4]vec.V3{{X: -500, Y: -0.5, Z: 500}, {X: 500, Y: -0.5, Z: 500}, {X: 500, Y: -0.5, Z: -500}, {X: -500, Y: -0.5, Z: -500}})
	about, err := Portals(ctx, wide.World(t), 2)
	require.NoError(t, err)
	require.Len(t, about, 1)
	require.InDelta(t, 1.2, about[0].W, 0.02)
	closed, err := Portals(ctx, scenetest.Room(scenetest.Matt(0.5)).World(t), 2)
	require.NoError(t, err)
	require.Empty(t, closed)
	air := scenetest.New()
	air.Floor(8)
	open, err := Portals(ctx, air.World(t), 2)
	require.NoError(t, err)
	require.Empty(t, open)
	ctx, cancel := context.WithCancel(ctx)
	cancel()
	_, err = Portals(ctx, chamber(0.6).World(t), 2)
	require.ErrorIs(t, err, context.Canceled)
}

// A passage behind the room with the window sees the sky through it and is held by it; a room
// behind a closed wall is not. Roofs and posts outdoors, first in the file and many, do not use up the search.
func TestPortalsOfRoomsBehind(t *testing.T) {
	g := scenetest.New()
	v := func(x, y, z float32) vec.V3 { return vec.V3{X: x, Y: y, Z: z} }
	for i := range 60 { // sheds, open all round
		x, z := float32(20+5*(i%10)), float32(5*(i/10))
		g.Add("shed", 0, [4]vec.V3{v(x, 2, z), v(x+3, 2, z), v(x+3, 2, z+3), v(x, 2, z+3)}, [4]vec.V3{v(x, 0, z), v(x, 0, z+3), v(x+3, 0, z+3), v(x+3, 0, z)})
	}
	for o, ob := range chamber(0.6).S.Objects {
		if ob.Name == "near" {
			continue
		}
		for tri := ob.First; tri < ob.First+ob.Count; tri += 2 {
			c, s := [4]vec.V3{}, chamber(0.6).S
			for k, i := range []int{3 * tri, 3*tri + 1, 3*tri + 2, 3*tri + 5} {
				c[k] = s.V.Pos[s.Index[i]]
			}
			g.Add(s.Objects[o].Name, 0, c)
		}
	}
	q := func(name string, a, b, c, d vec.V3) { g.Add(name, 0, [4]vec.V3{a, b, c, d}) }
	q("near", v(-3, 0, 3), v(-3, 3, 3), v(-1, 3, 3), v(-1, 0, 3)) // a gap of 2 m, and a passage of 6 m behind it
	q("near", v(1, 0, 3), v(1, 3, 3), v(3, 3, 3), v(3, 0, 3))
	for _, x := range []float32{-1, 1} {
		q("passage", v(x, 0, 3), v(x, 3, 3), v(x, 3, 9), v(x, 0, 9))
	}
	q("passage", v(-1, 0, 3), v(1, 0, 3), v(1, 0, 9), v(-1, 0, 9))
	q("passage", v(-1, 3, 3), v(-1, 3, 9), v(1, 3, 9), v(1, 3, 3))
	q("end", v(-1, 0, 9), v(-1, 3, 9), v(1, 3, 9), v(1, 0, 9))
	g.Box("vault", v(-10, 2, 0), 2) // closed
	found, err := Portals(t.Context(), g.World(t), 2)
	require.NoError(t, err)
	require.Len(t, found, 1)
	p := found[0]
	require.InDelta(t, 1.2, p.W, 0.02)
	require.InDelta(t, -3, p.Centre.Z, 0.02)
	for z := float32(3.5); z < 8; z++ {
		require.True(t, p.Holds(v(0.2, 1, z)), "%.1f m into the passage", z-3)
	}
	require.False(t, p.Holds(v(-10, 2, 0)))
	require.False(t, p.Holds(v(30, 1, 4)), "outdoors")
}

// An opening in a roof is found as a window is, facing down, and holds the floor under it. Nothing is lost
// where the search ends.
func TestOpeningsInRoofs(t *testing.T) {
	g := scenetest.New()
	v := func(x, y, z float32) vec.V3 { return vec.V3{X: x, Y: y, Z: z} }
	q := func(name string, a, b, c, d vec.V3) { g.Add(name, 0, [4]vec.V3{a, b, c, d}) }
	q("floor", v(-3, 0, 3), v(3, 0, 3), v(3, 0, -3), v(-3, 0, -3))
	for _, x := range []float32{-3, 3} {
		q("side", v(x, 0, -3), v(x, 3, -3), v(x, 3, 3), v(x, 0, 3))
		q("end", v(-3, 0, x), v(3, 0, x), v(3, 3, x), v(-3, 3, x))
	}
	roof := func(x0, z0, x1, z1 float32) { q("roof", v(x0, 3, z0), v(x1, 3, z0), v(x1, 3, z1), v(x0, 3, z1)) }
	roof(-3, -3, 0, 3)
	roof(1, -3, 3, 3)
	roof(0, -3, 1, 0.5)
	roof(0, 2, 1, 3)
	found, err := Portals(t.Context(), g.World(t), 2)
	require.NoError(t, err)
	require.Len(t, found, 1)
	p := found[0]
	require.InDelta(t, -1, p.N.Y, 1e-4)
	require.InDelta(t, 0.5, p.Centre.X, 0.02)
	require.InDelta(t, 1.25, p.Centre.Z, 0.02)
	require.InDelta(t, 1.5, p.W*p.H, 0.05)
	require.True(t, p.Holds(v(0.5, 0, 1.25)))

	w := g.World(t)
	s := search{w: w, workers: 2, tried: tries - 1}
	o := v(-1, 0.1, -1)
	s.queue = []escape{{o, v(0.5, 3, 1.25).Sub(o).Norm()}}
	require.NoError(t, s.fit(t.Context()))
	require.Len(t, s.out, 1)
}

// What was marked by hand stands for the opening that was found there, with the room before it as
// its bounds; others stay.
func TestMarkedPortals(t *testing.T) {
	w := chamber(0.6).World(t)
	found, err := Portals(t.Context(), w, 2)
	require.NoError(t, err)
	require.Equal(t, found, Through(w, nil, found))
	by := light.Portal{Centre: vec.V3{Y: 1.5, Z: -3.2}, N: vec.V3{Z: 1}, U: vec.V3{X: 1}, V: vec.V3{Y: 1}, W: 2, H: 1}
	got := Through(w, []light.Portal{by}, found)
	require.Len(t, got, 1)
	require.Equal(t, by.W, got[0].W)
	require.True(t, got[0].Holds(vec.V3{Y: 1}))
	for name, where := range map[string]func(q *light.Portal){
		"beside": func(q *light.Portal) { q.Centre.X = 1.5 }, "below": func(q *light.Portal) { q.Centre.Y = 0.5 }, "far behind": func(q *light.Portal) { q.Centre.Z = -5 }, "facing out": func(q *light.Portal) { q.N.Z = -1 },
	} {
		q := by
		where(&q)
		require.Len(t, Through(w, []light.Portal{q}, found), 2, name)
	}
}

// Paths that ask a sky through its portals at every surface find as much of it by way of
// others as paths that meet it by chance, one bounce later: 4 %, the latter's own chance and
// what the last surface alone would have met so.
func TestPortalsGiveTheSameBounces(t *testing.T) {
	w := chamber(0.6).World(t)
	found, err := Portals(t.Context(), w, 2)
	require.NoError(t, err)
	bounced := func(samples, bounces int, portals []light.Portal) float64 {
		dome := &light.Light{ID: 1, Kind: light.Sky, Gradient: light.Uniform, Channels: 0xff, Shadow: true, Portals: portals}
		dome.Prepare()
		p := &path.Pass{World: w, Camera: world.Camera{Eye: vec.V3{X: 1, Y: 1.6, Z: 2.5}, Aim: vec.V3{X: -0.5, Y: -0.2, Z: -1}, Up: vec.V3{Y: 1}, FovY: 1.2}, W: 64, H: 64, Seed: 2, Bounces: bounces, Lights: []*light.Light{dome}, Layers: []*film.Layers{film.NewLayers(64, 64)}}
		require.NoError(t, p.Run(context.Background(), samples, 2))
		return float64(p.Layers[0].Mean(film.BouncedKinds...).Y)
	}
	want := bounced(768, 3, nil)
	require.Positive(t, want)
	require.InEpsilon(t, want, bounced(128, 2, found), 0.04)
}
