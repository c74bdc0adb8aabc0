package route

import (
	"context"
	"math"
	"testing"

	"github.com/stretchr/testify/require"
	"willowherb/core/lamps"
	"willowherb/core/scene"
	"willowherb/core/scene/scenetest"
	"willowherb/core/setup"
	"willowherb/core/vec"
	"willowherb/core/world"
)

func wallOf(g *scenetest.Stage, mat uint16, x0, x1, y0, y1, z0, z1 float32) {
	p := func(x, y, z float32) vec.V3 { return vec.V3{X: x, Y: y, Z: z} }
	g.Add("wall", mat,
		[4]vec.V3{p(x0, y0, z1), p(x1, y0, z1), p(x1, y1, z1), p(x0, y1, z1)}, [4]vec.V3{p(x1, y0, z0), p(x0, y0, z0), p(x0, y1, z0), p(x1, y1, z0)},
		[4]vec.V3{p(x1, y0, z1), p(x1, y0, z0), p(x1, y1, z0), p(x1, y1, z1)}, [4]vec.V3{p(x0, y0, z0), p(x0, y0, z1), p(x0, y1, z1), p(x0, y1, z0)},
		[4]vec.V3{p(x0, y1, z1), p(x1, y1, z1), p(x1, y1, z0), p(x0, y1, z0)}, [4]vec.V3{p(x0, y0, z0), p(x1, y0, z0), p(x1, y0, z1), p(x0, y0, z1)})
}

// A wall across the yard with a doorway 1.2 m wide and 2.2 m high; 2 m behind it another wall.
func doorway(t *testing.T, behind scene.Material) *world.World {
	g := scenetest.New()
	g.S.Materials[0] = scenetest.Matt(albedo)
	g.S.Materials = append(g.S.Materials, behind)
	g.Floor(10)
	wallOf(g, 0, -10, -0.6, 0, 4, -0.1, 0.1)
	wallOf(g, 0, 0.6, 10, 0, 4, -0.1, 0.1)
	wallOf(g, 0, -0.6, 0.6, 2.2, 4, -0.1, 0.1)
	wallOf(g, 1, -10, 10, 0, 9, -3, -2.8)
	return g.World(t)
}

func TestExitsAreFoundAndStandApart(t *testing.T) {
	_, doc := yard(t)
	// As bright on upright surfaces as on the ground, and without a shadow.
	doc.Lights["sun"] = func() setup.Light { l := sun; l.Shadow = false; return l }()
	v := doc.Views["a"]
	v.EV = 8
	doc.Views["a"] = v
	r := route([3]float64{0, 0, 9}, [3]float64{0, 0, -1.5})
	for _, k := range []struct{ behind, stops float64 }{{albedo, 0}, {4 * albedo, 2}} {
		out := walk(t, doorway(t, scenetest.Matt(float32(k.behind))), doc, r)
		require.Len(t, out.Exits, 1)
		e := out.Exits[0]
		require.InDelta(t, 9, e.Metres, 0.3)
		require.InDelta(t, 0, e.At[0], 0.05)
		require.InDelta(t, 0, e.At[2], 0.2)
		require.InDelta(t, 1.2, e.Wide, 0.02)
		require.InDelta(t, 2.2, e.High, 0.02)
		require.InDelta(t, 1, math.Abs(e.Aside[0]), 0.01)
		s := out.Steps[8] // 4 m on, 5 m before it
		require.Equal(t, 0, s.Exit.Exit)
		require.InDelta(t, e.Metres-s.Metres, s.Exit.Metres, 1e-9)
		require.True(t, s.Exit.Seen)
		// Some of the ground is seen through it too.
		require.InDelta(t, k.stops, s.Exit.Stops, 0.45)
		require.Equal(t, -1, out.Steps[len(out.Steps)-1].Exit.Exit, "it is behind")
	}
	// The same from places far apart, whose straight line goes through the wall.
	bent := route([3]float64{-4, 0, 2}, [3]float64{-4, 0, -1.5})
	require.NoError(t, doc.Validate())
	st, err := lamps.Resolve(doc, "")
	require.NoError(t, err)
	w := doorway(t, scenetest.Matt(albedo))
	far, err := Walk(context.Background(), &Order{Doc: doc, Scene: w.S, World: w, Lamps: st.Lamps(w.S, nil), Route: bent, Each: 20, Workers: 2})
	require.NoError(t, err)
	require.Len(t, far.Steps, 2)
	require.Len(t, far.Exits, 1)
	require.InDelta(t, 1.2, far.Exits[0].Wide, 0.15, "it is gone through at an angle")

	r.Rules.Exit = 0.6
	out := walk(t, doorway(t, scenetest.Matt(albedo)), doc, r)
	require.Len(t, out.Found, 1)
	require.Equal(t, LostExit, out.Found[0].Kind)
	require.Contains(t, out.Found[0].What, "Exit like its wall")
	require.Empty(t, walk(t, doorway(t, scenetest.Matt(4*albedo)), doc, r).Found)
}

// A passage of even width is no exit, nor a gap between walls without a lintel; its mouth
// under the open sky is one.
func TestWhatIsAnExit(t *testing.T) {
	way := func(g *scenetest.Stage) []Exit {
		_, doc := yard(t)
		w := g.World(t)
		out, err := exits(context.Background(), w, lay(t, w, doc, route([3]float64{0, 0, 8}, [3]float64{0, 0, -8})), 2)
		require.NoError(t, err)
		return out
	}
	g := scenetest.New()
	g.Floor(10)
	wallOf(g, 0, -6, -0.8, 0, 4, -0.2, 0.2)
	wallOf(g, 0, 0.8, 6, 0, 4, -0.2, 0.2)
	require.Empty(t, way(g), "a gap")
	wallOf(g, 0, -9, 9, 3, 3.2, -9, 9)
	require.Empty(t, way(g), "a gap under an even ceiling")

	g = scenetest.New()
	g.Floor(10)
	wallOf(g, 0, -1.2, -1, 0, 2.5, -5, 5)
	wallOf(g, 0, 1, 1.2, 0, 2.5, -5, 5)
	wallOf(g, 0, -1.2, 1.2, 2.5, 2.7, -5, 5)
	two := way(g)
	require.Len(t, two, 2, "the mouths of a tunnel")
	require.InDelta(t, 5, two[0].At[2], 0.35)
	require.InDelta(t, -5, two[1].At[2], 0.35)
	for _, e := range two {
		require.InDelta(t, 2, e.Wide, 0.02)
		require.InDelta(t, 2.5, e.High, 0.02)
	}
}
