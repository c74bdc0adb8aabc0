package stage

import (
	"context"
	"testing"

	"github.com/stretchr/testify/require"
	"willowherb/core/light"
	"willowherb/core/scene/scenetest"
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
