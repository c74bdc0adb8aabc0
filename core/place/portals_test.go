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
