package ground

import (
	"context"
	"testing"

	"github.com/stretchr/testify/require"
	"willowherb/core/scene/scenetest"
	"willowherb/core/vec"
)

func v(x, y, z float32) vec.V3 { return vec.V3{X: x, Y: y, Z: z} }

// slab is a box with its top at y.
func slab(g *scenetest.Stage, path string, x0, x1, z0, z1, y float32) {
	b := y - 0.1
	g.Add(path, 0,
		[4]vec.V3{v(x0, y, z1), v(x1, y, z1), v(x1, y, z0), v(x0, y, z0)}, [4]vec.V3{v(x0, b, z0), v(x1, b, z0), v(x1, b, z1), v(x0, b, z1)},
		[4]vec.V3{v(x0, b, z1), v(x1, b, z1), v(x1, y, z1), v(x0, y, z1)}, [4]vec.V3{v(x1, b, z0), v(x0, b, z0), v(x0, y, z0), v(x1, y, z0)},
		[4]vec.V3{v(x1, b, z1), v(x1, b, z0), v(x1, y, z0), v(x1, y, z1)}, [4]vec.V3{v(x0, b, z0), v(x0, b, z1), v(x0, y, z1), v(x0, y, z0)})
}

func TestGroundGoesUpStepsAndNotUpWallsOrDrops(t *testing.T) {
	g := scenetest.New()
	slab(g, "floor", 0, 10, 0, 4, 0)
	for i := range 4 { // a stair, 0.3 m a step
		slab(g, "step", 10+float32(i), 11+float32(i), 0, 4, 0.3*float32(i+1))
	}
	slab(g, "high", 14, 18, 0, 4, 1.2)
	slab(g, "too high", 0, 4, 4, 8, 0.9)
	slab(g, "far below", 18, 22, 0, 4, -1)
	slab(g, "low roof", 6, 8, 0, 4, 1.5)
	w := g.World(t)
	ground, err := Find(context.Background(), w, []vec.V3{v(1, 1.6, 2)}, Grown, 0.5, 100)
	require.NoError(t, err)
	on := map[string]int{}
	for _, s := range ground.Spots {
		switch {
		case s.Pos.Y > 1:
			on["high"]++
		case s.Pos.Y < -0.5:
			on["below"]++
		case s.Pos.Z > 4:
			on["too high"]++
		case s.Pos.X > 6 && s.Pos.X < 8:
			on["under the roof"]++
		case s.Pos.X < 6:
			on["floor"]++
		}
	}
	require.Equal(t, map[string]int{"floor": 12 * 8}, on, "the low roof bars the way")
	// Without it the stair is climbed, and nothing else.
	g.S.Objects = g.S.Objects[:len(g.S.Objects)-1]
	g.S.Mat, g.S.Obj, g.S.Index = g.S.Mat[:len(g.S.Mat)-12], g.S.Obj[:len(g.S.Obj)-12], g.S.Index[:len(g.S.Index)-36]
	ground, err = Find(context.Background(), g.World(t), []vec.V3{v(1, 1.6, 2)}, Grown, 0.5, 100)
	require.NoError(t, err)
	far, high := 0, 0
	for _, s := range ground.Spots {
		require.Greater(t, s.Pos.Y, float32(-0.5))
		require.Less(t, s.Pos.Z, float32(4))
		if s.Pos.X > 14 {
			high++
			require.InDelta(t, 1.2, s.Pos.Y, 1e-4)
		}
		if s.Walked > 10 {
			far++
		}
	}
	require.Equal(t, 8*8, high)
	require.Positive(t, far)
	a, _ := ground.Near(v(0.5, 0, 0.5))
	b, _ := ground.Near(v(17, 1.2, 3))
	way := ground.Way(a, b)
	require.Equal(t, a, way[0])
	require.Equal(t, b, way[len(way)-1])
	var long float64
	for i := 1; i < len(way); i++ {
		step := ground.Spots[way[i]].Pos.Sub(ground.Spots[way[i-1]].Pos)
		require.Less(t, step.Y, float32(0.46))
		long += float64(step.Len())
	}
	// Along both axes, as a lattice goes.
	require.InDelta(t, 16.5+2.5, long, 0.8)
	require.Nil(t, ground.Way(-1, b))
}

func TestReachBoundsTheSearch(t *testing.T) {
	g := scenetest.New()
	g.Floor(50)
	ground, err := Find(context.Background(), g.World(t), []vec.V3{v(0, 1, 0)}, Grown, 0.5, 5)
	require.NoError(t, err)
	for _, s := range ground.Spots {
		require.LessOrEqual(t, s.Walked, 5.0)
	}
	require.Equal(t, 221, len(ground.Spots), "ten steps each way, by sides")
	none, err := Find(context.Background(), g.World(t), []vec.V3{v(0, 90, 0)}, Grown, 0.5, 5)
	require.NoError(t, err)
	require.Empty(t, none.Spots, "nothing to stand on there")
	ended, cancel := context.WithCancel(context.Background())
	cancel()
	_, err = Find(ended, g.World(t), []vec.V3{v(0, 1, 0)}, Grown, 0.5, 50)
	require.ErrorIs(t, err, context.Canceled)
}
