package stage

import (
	"context"
	"slices"
	"testing"

	"github.com/stretchr/testify/require"
	"willowherb/core/cache"
	"willowherb/core/light"
	"willowherb/core/scene"
	"willowherb/core/scene/scenetest"
	"willowherb/core/vec"
)

// A stage has one light cache, kept while it is among the last used; a sky is looked for
// through the same portals each time, other lights as they are.
func TestGlow(t *testing.T) {
	shop := &Shop{}
	var all []*Stage
	for range mostCaches + 1 {
		s := scenetest.Room(scenetest.Matt(0.5))
		all = append(all, &Stage{Scene: s.S, World: s.World(t), glow: &glow{shelf: &shop.glows}})
	}
	first := all[0].Cache(1)
	require.Same(t, first, all[0].Cache(1))
	require.Equal(t, first.Bytes(), shop.CacheBytes())
	for _, s := range all[1:] {
		s.Cache(1)
	}
	require.Len(t, shop.glows.last, mostCaches)
	require.NotSame(t, first, all[0].Cache(1), "it was let go")
	lamp, dome := &light.Light{Kind: light.Point}, &light.Light{Kind: light.Sky}
	out, err := all[0].Through(context.Background(), dome, 1)
	require.NoError(t, err)
	require.NotSame(t, dome, out)
	require.Empty(t, out.Portals, "a closed room")
	out, err = all[0].Through(context.Background(), lamp, 1)
	require.NoError(t, err)
	require.Same(t, lamp, out)
}

// A stage whose paint alone is another goes on from the light cache and the openings of the one
// before; one whose walls have moved does not.
func TestGlowGoesOnAfterPaint(t *testing.T) {
	shop := &Shop{}
	room := scenetest.Room(scenetest.Matt(0.5))
	w := room.World(t)
	on := func(s *scene.Scene, pose string) *Stage {
		return &Stage{Scene: s, World: w.Painted(s), glow: &glow{shelf: &shop.glows, pose: pose}}
	}
	filled := func(s *Stage) *Stage {
		c := s.Cache(1)
		r := c.Reach()
		for i := range 50 {
			r.Touch(&cache.Spot{Pos: vec.V3{X: -2, Y: float32(i)/20 - 1}, N: vec.V3{X: 1}, Dist: 2})
		}
		require.NoError(t, c.Fill(t.Context(), r, 1))
		_, err := s.Through(t.Context(), &light.Light{Kind: light.Sky}, 1)
		require.NoError(t, err)
		return s
	}
	first := filled(on(room.S, "a"))
	require.Positive(t, first.Cache(1).Points())
	red := *room.S
	red.Materials = slices.Clone(red.Materials)
	red.Materials[0].BaseColor = [4]float32{1, 0, 0, 1}
	painted := on(&red, "a")
	require.Equal(t, first.Cache(1).Points(), painted.Cache(1).Points())
	require.Same(t, painted.World, painted.Cache(1).World())
	first.glow.openings.portals = []light.Portal{{W: 3}} // which nobody would find
	portals, err := painted.portals(t.Context(), 1)
	require.NoError(t, err)
	require.Equal(t, first.glow.openings.portals, portals)
	again, err := painted.portals(t.Context(), 1)
	require.NoError(t, err)
	require.Equal(t, portals, again)
	require.Zero(t, on(&red, "b").Cache(1).Points(), "in another pose")
	shining := red
	shining.Materials = slices.Clone(red.Materials)
	shining.Materials[0].Emissive = vec.Splat(1)
	require.Zero(t, on(&shining, "a").Cache(1).Points())
	portals, err = on(&shining, "a").portals(t.Context(), 1)
	require.NoError(t, err)
	require.Empty(t, portals, "looked for anew: the room is closed")
}
