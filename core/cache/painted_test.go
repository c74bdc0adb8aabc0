package cache_test

import (
	"context"
	"slices"
	"testing"

	"github.com/stretchr/testify/require"
	"willowherb/core/cache"
	"willowherb/core/scene"
	"willowherb/core/scene/scenetest"
	"willowherb/core/vec"
	"willowherb/core/world"
)

// screened is a room with a red screen and a pane of glass in it.
func screened(t *testing.T) *world.World {
	g := scenetest.Room(scenetest.Glossy())
	glass := scenetest.Matt(1)
	glass.Transmission, glass.Roughness = 1, 0
	red := scenetest.Matt(0.5)
	red.BaseColor = [4]float32{0.8, 0.1, 0.1, 1}
	g.S.Materials = append(g.S.Materials, red, glass)
	first := uint16(len(g.S.Materials) - 2)
	quad := func(x float32) [4]vec.V3 {
		return [4]vec.V3{{X: x, Y: -1, Z: -1}, {X: x, Y: -1, Z: 1}, {X: x, Y: 1, Z: 1}, {X: x, Y: 1, Z: -1}}
	}
	g.Add("screen", first, quad(-1))
	g.Add("pane", first+1, quad(1))
	return g.World(t)
}

// painted is w with its materials changed.
func painted(w *world.World, how func(m []scene.Material)) *world.World {
	s := *w.S
	s.Materials = slices.Clone(s.Materials)
	how(s.Materials)
	return w.Painted(&s)
}

// After a material was painted over, a cache that goes on from the one before knows the same bits as
// a new one, of spots from before and of later ones; the one before stays as it was.
func TestPainted(t *testing.T) {
	w := screened(t)
	lamps := scenetest.Lamps()
	early, late := spots(200, 2), spots(300, 4)
	c := cache.New(w, 2)
	before := lit(t, c, touched(c, early), early, lamps, 2)
	red := len(w.S.Materials) - 2
	for name, how := range map[string]func(m []scene.Material){
		"green": func(m []scene.Material) { m[red].BaseColor = [4]float32{0.1, 0.9, 0.2, 1} },
		"metal": func(m []scene.Material) { m[red].Metallic, m[red].Roughness = 1, 0.4 },
		"walls": func(m []scene.Material) { m[0].BaseColor, m[0].Specular = [4]float32{0.2, 0.3, 0.9, 1}, 0.2 },
	} {
		over := painted(w, how)
		again, ok := c.Painted(context.Background(), over, 2)
		require.True(t, ok, name)
		require.Equal(t, c.Points(), again.Points())
		fresh := cache.New(over, 2)
		want := lit(t, fresh, touched(fresh, early), early, lamps, 2)
		require.NotEqual(t, before, want, name)
		require.Equal(t, want, lit(t, again, touched(again, early), early, lamps, 2), name)
		require.Equal(t, lit(t, fresh, touched(fresh, late), late, lamps, 2), lit(t, again, touched(again, late), late, lamps, 2), name)
	}
	require.Equal(t, before, lit(t, c, touched(c, early), early, lamps, 2))
}

// A cache does not go on where more has changed than what is reflected.
func TestNotPainted(t *testing.T) {
	w := screened(t)
	c := cache.New(w, 2)
	red := len(w.S.Materials) - 2
	no := func(name string, other *world.World) {
		t.Helper()
		_, ok := c.Painted(context.Background(), other, 2)
		require.False(t, ok, name)
	}
	no("shines", painted(w, func(m []scene.Material) { m[red].Emissive = vec.Splat(3) }))
	no("see-through", painted(w, func(m []scene.Material) { m[red].Transmission = 0.5 }))
	no("glass of another colour", painted(w, func(m []scene.Material) { m[red+1].BaseColor[0] = 0.2 }))
	no("cut out", painted(w, func(m []scene.Material) { m[red].Alpha = scene.Mask }))
	no("thinner", painted(w, func(m []scene.Material) { m[red].BaseColor[3] = 0.4 }))
	channels := make([]uint8, len(w.S.Objects))
	no("in other channels", w.WithChannels(channels))
	s := *w.S
	s.V.Pos = slices.Clone(s.V.Pos)
	s.V.Pos[0].X += 0.1
	no("moved", w.Painted(&s))
	ctx, cancel := context.WithCancel(context.Background())
	cancel()
	at := spots(100, 2)
	lit(t, c, touched(c, at), at, scenetest.Lamps(), 2)
	_, ok := c.Painted(ctx, painted(w, func(m []scene.Material) { m[red].Roughness = 0.1 }), 2)
	require.False(t, ok)
}
