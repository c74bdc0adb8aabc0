package filter

import (
	"context"
	"testing"

	"github.com/stretchr/testify/require"
	"willowherb/core/film"
	"willowherb/core/path"
	"willowherb/core/scene/scenetest"
	"willowherb/core/vec"
)

// Light of half the size enlarged keeps to its surface: even light comes out even, and what
// differs by object stays with its object but for the pixels that show several.
func TestEnlarge(t *testing.T) {
	g := scenetest.Room(scenetest.Matt(0.6))
	g.Box("box", vec.V3{X: 0.5, Y: -1.5, Z: -0.8}, 0.45)
	w := g.World(t)
	guide := func(width, height int) *film.Guide {
		p := &path.Pass{World: w, Camera: scenetest.Inside, W: width, H: height, Seed: 4, Guide: film.NewGuide(width, height), Lights: scenetest.Lamps()[:1], Layers: []*film.Layers{film.NewLayers(width, height)}}
		require.NoError(t, p.Run(context.Background(), 4, 2))
		return p.Guide
	}
	a := guide(wide/2, high/2)
	small, large := New(a, scenetest.Inside, 2), New(guide(wide, high), scenetest.Inside, 2)
	even, byObject := make([]float32, len(small.albedo)), make([]float32, len(small.albedo))
	for i := range even {
		even[i] = 7 * small.albedo[i]
		byObject[i] = small.albedo[i]
		if small.object[i/3] > 0 {
			byObject[i] *= 100
		}
	}
	out, err := large.Enlarge(context.Background(), small, [][]float32{even, byObject}, 2)
	require.NoError(t, err)
	boxes, off := 0, 0
	for i := range large.albedo {
		require.InEpsilon(t, 7*large.albedo[i], out[0][i], 1e-4)
		want := large.albedo[i]
		if large.object[i/3] > 0 {
			want *= 100
			boxes++
		}
		if r := out[1][i] / want; r < 0.8 || r > 1.25 {
			off++
		}
	}
	require.Greater(t, boxes, 200)
	require.Less(t, off, boxes/10)
}
