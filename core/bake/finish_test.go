package bake

import (
	"context"
	"math"
	"testing"

	"github.com/stretchr/testify/require"
	"willowherb/core/scene/scenetest"
	"willowherb/core/vec"
)

// sampled is a stage's first object with the first samples of one lamp taken.
func sampled(t *testing.T, g *scenetest.Stage, density float64) *work {
	t.Helper()
	ctx := context.Background()
	w := g.World(t)
	q := plain
	q.Least, q.Most, q.Smooth = 4, 4, 3
	p, err := Lay(ctx, w.S, w, document(density), q, 2)
	require.NoError(t, err)
	_, lights := room(t)
	b, err := NewBaker(ctx, w, p, lights[:1], nil, 2, nil)
	require.NoError(t, err)
	k := b.work(p.Objects[0])
	require.NoError(t, b.each(ctx, k, (*hand).first))
	return k
}

// TestSmoothingKeepsTheLight: what a cell takes of its neighbours they take of it, at edges and
// beside walls too; and nothing goes through a wall, however far the taps lie apart.
func TestSmoothingKeepsTheLight(t *testing.T) {
	g := scenetest.New()
	g.Floor(2)
	k := sampled(t, g, 8)
	l := k.l
	// A wall across the first patch, between two rows of cells.
	q := &l.Patches[0]
	row := q.H / 2
	require.Greater(t, row, 4)
	k.parted = nil
	for x := range q.W {
		for d := -1; d <= 1; d++ {
			if x+d >= 0 && x+d < q.W {
				a, b := l.Begin[0]+(row-1)*q.W+x, l.Begin[0]+row*q.W+x+d
				if k.state[a] == lit && k.state[b] == lit {
					k.parted = append(k.parted, [2]int32{int32(a), int32(b)})
				}
			}
		}
	}
	require.NoError(t, k.ready(context.Background(), 2))
	require.Len(t, k.weights, 3)
	for r, weights := range k.weights {
		given := make([]float64, q.W*q.H)
		crossed := 0
		for c := range q.W * q.H {
			var all float64
			for tap, d := range around {
				w := float64(weights[len(around)*c+tap])
				if w == 0 {
					continue
				}
				require.Greater(t, w, 0.0)
				x, y := c%q.W+d[0]<<r, c/q.W+d[1]<<r
				given[y*q.W+x] += w
				all += w
				if (c/q.W < row) != (y < row) {
					crossed++
				}
			}
			if k.state[l.Begin[0]+c] == lit {
				require.InDelta(t, 1, all, 1e-5, "round %d", r)
			}
		}
		for c, g := range given {
			if k.state[l.Begin[0]+c] == lit {
				require.InDelta(t, 1, g, 1e-5, "round %d: cell %d gives all that it has", r, c)
			}
		}
		require.Zero(t, crossed, "round %d goes through the wall", r)
	}
}

// TestSeamsJoinWhatIsOneSurface: of a drum, what faces alike on both sides is brought together;
// not its bevel, of which texels show little, with its lid.
func TestSeamsJoinWhatIsOneSurface(t *testing.T) {
	ctx := context.Background()
	g := scenetest.New()
	var quads [][4]vec.V3
	const sides = 20
	ring := func(i int, r, y float64) vec.V3 {
		s, c := math.Sincos(2 * math.Pi * float64(i%sides) / sides)
		return vec.New(r*c, y, r*s)
	}
	for i := range sides {
		for _, b := range [][4]float64{{1, 0, 1, 2}, {1, 2, 0.8, 2.17}, {0.8, 2.17, 0, 2.17}} {
			quads = append(quads, [4]vec.V3{ring(i+1, b[0], b[1]), ring(i, b[0], b[1]), ring(i, b[2], b[3]), ring(i+1, b[2], b[3])})
		}
	}
	g.Add("drum", 0, quads...)
	k := sampled(t, g, 12)
	require.NotEmpty(t, k.l.Seams)
	require.NoError(t, k.ready(ctx, 2))
	require.NotEmpty(t, k.along)
	for _, s := range k.along {
		require.Greater(t, k.n[s[0].most()].Dot(k.n[s[1].most()]), float32(0.84))
	}
	// A cell in the dark within something has no say.
	a := k.along[0][0].most()
	k.state[a] = buried
	require.NoError(t, k.ready(ctx, 2))
	for _, s := range k.along {
		require.NotEqual(t, a, s[0].most())
		require.NotEqual(t, a, s[1].most())
	}
}

// TestEdgesAreTold: of a sharp shadow on a floor, fewer the smaller the texels are; none of a lamp
// alone.
func TestEdgesAreTold(t *testing.T) {
	told := func(crate bool, density float64) float64 {
		g := scenetest.New()
		g.S.Materials[0] = scenetest.Matt(0)
		g.Floor(3)
		if crate {
			g.Box("crate", vec.V3{Y: 1}, 0.7)
		}
		w := g.World(t)
		r := bakeAll(t, w, document(density), plain, 2, source("lamp", bulb(7, vec.V3{Y: 4})))
		return r.Edges(0, r.Gains())
	}
	require.Zero(t, told(false, 4))
	coarse, fine := told(true, 4), told(true, 12)
	require.Greater(t, coarse, 0.03)
	require.Less(t, fine, 0.6*coarse)
	require.Positive(t, fine)
}
