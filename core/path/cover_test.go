package path

import (
	"context"
	"testing"

	"github.com/stretchr/testify/require"
	"willowherb/core/film"
	"willowherb/core/light"
	"willowherb/core/scene/scenetest"
	"willowherb/core/vec"
	"willowherb/core/world"
)

// furnished is a room with a box, a pane of glass and a smooth plate.
func furnished(t testing.TB) *world.World {
	g := scenetest.Room(scenetest.Glossy())
	glass, plate := scenetest.Glossy(), scenetest.Matt(0.1)
	glass.Transmission, glass.BaseColor = 1, [4]float32{0.9, 1, 0.9, 1}
	plate.Specular, plate.Roughness = 1, 0.1
	g.S.Materials = append(g.S.Materials, glass, plate)
	g.Box("box", vec.V3{X: 0.5, Y: -1.5, Z: -0.8}, 0.45)
	g.Add("pane", 1, [4]vec.V3{{X: -1, Y: -1}, {X: -0.2, Y: -1}, {X: -0.2, Y: 0.5}, {X: -1, Y: 0.5}})
	g.Add("plate", 2, [4]vec.V3{{X: -1.5, Y: -1.95, Z: 0.5}, {X: 0, Y: -1.95, Z: 0.5}, {X: 0, Y: -1.95, Z: -1}, {X: -1.5, Y: -1.95, Z: -1}})
	return g.World(t)
}

// coveredPass is a sparse pass of those lights, on a cover.
func coveredPass(t testing.TB, w *world.World, lights []*light.Light, rays Rays) *Pass {
	p := &Pass{World: w, Camera: inside, W: 48, H: 40, Seed: 2, Lights: lights, Guide: film.NewGuide(48, 40)}
	for range lights {
		y := film.NewLayers(48, 40)
		y.Sparse = true
		p.Layers = append(p.Layers, y)
	}
	_, err := p.MakeCover(context.Background(), rays, 2)
	require.NoError(t, err)
	return p
}

// A pixel's cells share it among them, pixels on an edge have several, and more rays; what a
// pane mirrors is a cell, but no edge.
func TestCover(t *testing.T) {
	p := coveredPass(t, furnished(t), lamps(), Rays{Each: 8, Edges: 32})
	c := p.Layers[0].Cover
	edges, panes, few := 0, 0, 0
	for y := range p.H {
		for x := range p.W {
			tile := c.Tiles[y/film.TileSize*film.Tiles(p.W)+x/film.TileSize]
			from, to := tile.Of(x, y)
			var sum float32
			hits := 0
			for _, k := range tile.Cells[from:to] {
				sum += k.Share
				hits += int(k.Hits)
			}
			require.InDelta(t, 1, sum, 1e-5)
			for _, k := range tile.Cells[from:to] {
				if k.Pane && film.Meet(tile.Cells[from:to]) == 1 && to-from == 2 {
					panes++
					require.InDelta(t, float64(hits)/4, k.Hits, 1.01, "a quarter of the rays is mirrored, dealt out evenly")
				}
			}
			if film.Meet(tile.Cells[from:to]) > 1 {
				edges++
				require.Equal(t, 32, hits)
			} else {
				require.Contains(t, []int{8, 8 + glimpse}, hits)
				few += whole(hits == 8)
			}
		}
	}
	require.Greater(t, panes, 50)
	require.Greater(t, edges, 100)
	require.Less(t, edges, 48*40/2)
	require.Greater(t, few, 48*40/3, "most are not beside an edge")
	require.Greater(t, c.Bytes(), 48*40*8*8)
}

func whole(b bool) int {
	if b {
		return 1
	}
	return 0
}

// A wire of a tenth of a pixel is not lost between the camera rays: where it was found the pixels beside it
// look closer, over the borders of tiles as well. Four rays alone find it in a third of them.
func TestThinThingsGoOn(t *testing.T) {
	g := scenetest.Room(scenetest.Matt(0.5))
	const thick = 0.006 // a pixel is about 5 cm wide there
	g.Add("wire", 0, [4]vec.V3{{X: -2, Y: -0.6 - thick/2, Z: -0.3}, {X: 2, Y: -0.4 - thick/2, Z: -0.3}, {X: 2, Y: -0.4 + thick/2, Z: -0.3}, {X: -2, Y: -0.6 + thick/2, Z: -0.3}})
	p := coveredPass(t, g.World(t), nil, Rays{Each: 4, Edges: 40})
	c := p.Guide.Cover
	found := 0
	for x := range p.W {
		some := false
		for y := range p.H {
			tile := c.Tiles[y/film.TileSize*film.Tiles(p.W)+x/film.TileSize]
			from, to := tile.Of(x, y)
			for _, k := range tile.Cells[from:to] {
				some = some || k.Object == 1
			}
		}
		found += whole(some)
	}
	require.Greater(t, found, p.W*7/10)

	w := p.painter()
	defer w.tracer.Release()
	var left, right tileRays
	left.each, left.most, right.each, right.most = 4, 12, 4, 12
	w.early(0, &left)
	w.early(1, &right)
	same := 0
	for y := 1; y <= film.TileSize; y++ {
		at := y * around
		// The rim has no more than the first rays.
		require.True(t, right.meets[at+1] || !left.meets[at+around-1], "row %d", y)
		require.True(t, left.meets[at+around-2] || !right.meets[at], "row %d", y)
		same += whole(left.meets[at+around-1]) + whole(right.meets[at])
	}
	require.Positive(t, same, "the wire crosses there")
}

// The only ray of a pixel goes through panes.
func TestTheOnlyRayGoesThrough(t *testing.T) {
	p := coveredPass(t, furnished(t), lamps(), Rays{Each: 1, Edges: 1})
	tinted := 0
	for _, tile := range p.Layers[0].Cover.Tiles {
		for _, c := range tile.Cells {
			require.False(t, c.Pane)
			require.Equal(t, float32(1), c.Share)
		}
		for _, v := range tile.Through {
			require.LessOrEqual(t, v.Max(), float32(1), "and is as faint as the pane makes it")
			if v.Y < 1 {
				tinted++
				require.Less(t, v.X, v.Y, "green")
			}
		}
	}
	require.Greater(t, tinted, 100)
}

// A cover shows what lies behind hidden things.
func TestACoverPassesHiddenThings(t *testing.T) {
	w := furnished(t)
	box := func(hide bool) (n int) {
		p := &Pass{World: w, Camera: inside, W: 48, H: 40, Seed: 2, Guide: film.NewGuide(48, 40)}
		hidden := make([]bool, len(w.S.Objects))
		for i := range w.S.Objects {
			hidden[i] = w.S.Objects[i].Path == "box"
		}
		if hide {
			p.Hidden = hidden
		}
		c, err := p.MakeCover(context.Background(), Rays{Each: 4, Edges: 8}, 2)
		require.NoError(t, err)
		for _, tile := range c.Tiles {
			for _, k := range tile.Cells {
				require.NotEqual(t, uint32(film.NoTri), tile.Hits[k.First].Tri, "the room is closed")
				if hidden[k.Object] {
					n++
				}
			}
		}
		return n
	}
	require.Greater(t, box(false), 30)
	require.Zero(t, box(true))
}

// What a covered picture shows of each lamp is what the plain one shows: through glass, on
// what shines, by all ways. 2 %: what 128 samples leave to chance in the mean.
func TestCoveredPictureIsThePlainOne(t *testing.T) {
	w := furnished(t)
	ls := lamps()
	sign := &light.Light{ID: 77, Kind: light.Sky, Gradient: light.Uniform, Shadow: true, Channels: 0xff}
	sign.Prepare()
	ls = append(ls, sign)
	plain := &Pass{World: w, Camera: inside, W: 48, H: 40, Seed: 9, Lights: ls, Layers: layers(4)}
	run(t, plain, 256, 2)
	covered := coveredPass(t, w, ls, Rays{Each: 16, Edges: 64})
	run(t, covered, 128, 2)
	worth := Worth{Gains: []vec.V3{vec.Splat(1), vec.Splat(1), vec.Splat(1), vec.Splat(1)}, Slope: make([]float32, 48*40)}
	for i := range worth.Slope {
		worth.Slope[i] = 1
	}
	for range 6 {
		_, err := covered.Spend(context.Background(), worth, 48*40*24, 2)
		require.NoError(t, err)
	}
	var all [film.Kinds]film.Kind
	for k := range all {
		all[k] = film.Kind(k)
	}
	for i := range lamps() {
		require.InEpsilon(t, plain.Layers[i].Mean(all[:]...).Y, covered.Layers[i].Mean(all[:]...).Y, 0.02, "light %d", i)
		require.InEpsilon(t, plain.Layers[i].Mean(film.BouncedKinds...).Y, covered.Layers[i].Mean(film.BouncedKinds...).Y, 0.03, "light %d", i)
	}
	require.Zero(t, covered.Layers[3].Mean(all[:]...), "no sky in a closed room")
}

// The sky is seen shining as the plain picture sees it, and a light that comes later sees
// it shine as one that was there.
func TestSeenShining(t *testing.T) {
	g := scenetest.New()
	g.Box("box", vec.V3{}, 0.5)
	w := g.World(t)
	dome := &light.Light{ID: 4, Kind: light.Sky, Gradient: light.Uniform, Shadow: true, Channels: 0xff}
	dome.Prepare()
	cam := world.Camera{Eye: vec.V3{Z: 3, Y: 0.4}, Aim: vec.V3{Y: -0.1, Z: -1}, Up: vec.V3{Y: 1}, FovY: 0.8}
	p := &Pass{World: w, Camera: cam, W: 48, H: 40, Lights: []*light.Light{dome}, Layers: layers(1)}
	c, err := p.MakeCover(context.Background(), Rays{Each: 8, Edges: 64}, 2)
	require.NoError(t, err)
	plain := &Pass{World: w, Camera: cam, W: 48, H: 40, Seed: 3, Lights: p.Lights, Layers: layers(1)}
	run(t, plain, 128, 2)
	require.InEpsilon(t, plain.Layers[0].Mean(film.Seen).X, p.Layers[0].Mean(film.Seen).X, 0.005)
	run(t, p, 64, 2)
	require.InEpsilon(t, plain.Layers[0].Mean(film.DirectKinds...).X, p.Layers[0].Mean(film.DirectKinds...).X, 0.02, "asked and met once between them")
	late := &Pass{World: w, Camera: cam, W: 48, H: 40, Lights: p.Lights, Layers: layers(1)}
	late.Layers[0].On(c)
	require.NoError(t, late.Show(context.Background(), 2))
	require.Equal(t, p.Layers[0].Shown, late.Layers[0].Shown)
	require.NoError(t, late.Show(context.Background(), 2))
	require.Equal(t, p.Layers[0].Shown, late.Layers[0].Shown, "shown once")
}

// holed is a room with a hole in its roof, seen from within, under an even sky.
func holed(t testing.TB) (*world.World, world.Camera, []*light.Light) {
	g := scenetest.New()
	v := func(x, y, z float32) vec.V3 { return vec.V3{X: x, Y: y, Z: z} }
	g.Floor(3)
	for _, q := range [][4]vec.V3{
		{v(-3, 2.5, -3), v(3, 2.5, -3), v(3, 2.5, -0.3), v(-3, 2.5, -0.3)}, {v(-3, 2.5, 0.3), v(3, 2.5, 0.3), v(3, 2.5, 3), v(-3, 2.5, 3)},
		{v(-3, 2.5, -0.3), v(-0.3, 2.5, -0.3), v(-0.3, 2.5, 0.3), v(-3, 2.5, 0.3)}, {v(0.3, 2.5, -0.3), v(3, 2.5, -0.3), v(3, 2.5, 0.3), v(0.3, 2.5, 0.3)},
		{v(-3, 0, -3), v(3, 0, -3), v(3, 2.5, -3), v(-3, 2.5, -3)}, {v(-3, 0, 3), v(-3, 2.5, 3), v(3, 2.5, 3), v(3, 0, 3)},
		{v(-3, 0, -3), v(-3, 2.5, -3), v(-3, 2.5, 3), v(-3, 0, 3)}, {v(3, 0, -3), v(3, 0, 3), v(3, 2.5, 3), v(3, 2.5, -3)}} {
		g.Add("walls", 0, q)
	}
	dome := &light.Light{ID: 4, Kind: light.Sky, Gradient: light.Uniform, Shadow: true, Channels: 0xff}
	dome.Prepare()
	return g.World(t), world.Camera{Eye: v(0, 1.8, 2.5), Aim: v(0, -0.6, -1), Up: v(0, 1, 0), FovY: 1}, []*light.Light{dome}
}

// What is rarely found, the sky through a hole, is not darker for it that more samples go
// where light was found. 15 %: chance, and what later rounds learn of earlier ones.
func TestRareLightKeepsItsMean(t *testing.T) {
	w, cam, dome := holed(t)
	plain := &Pass{World: w, Camera: cam, W: 48, H: 40, Seed: 3, Lights: dome, Layers: layers(1)}
	run(t, plain, 256, 2)
	p := &Pass{World: w, Camera: cam, W: 48, H: 40, Seed: 5, Lights: plain.Lights, Layers: layers(1)}
	_, err := p.MakeCover(context.Background(), Rays{Each: 8, Edges: 16}, 2)
	require.NoError(t, err)
	run(t, p, 2, 2)
	worth := Worth{Gains: []vec.V3{vec.Splat(1)}, Slope: make([]float32, 48*40)}
	for i := range worth.Slope {
		worth.Slope[i] = 1
	}
	for range 4 {
		_, err := p.Spend(context.Background(), worth, 48*40*10, 2)
		require.NoError(t, err)
	}
	require.InEpsilon(t, plain.Layers[0].Mean(film.DirectKinds...).X, p.Layers[0].Mean(film.DirectKinds...).X, 0.15)
}

// A covered layer is the same bits alone and in company, with one worker and with many.
func TestCoveredLayersDoNotDependOnCompany(t *testing.T) {
	w := furnished(t)
	all := coveredPass(t, w, lamps(), Rays{Each: 4, Edges: 16})
	run(t, all, 3, 4)
	for i := range lamps() {
		one := coveredPass(t, w, lamps()[i:i+1], Rays{Each: 4, Edges: 16})
		run(t, one, 1, 1)
		run(t, one, 3, 2)
		require.Equal(t, all.Layers[i].Lit, one.Layers[0].Lit, "light %d", i)
		require.Equal(t, all.Layers[i].Sum, one.Layers[0].Sum, "light %d", i)
	}
}

// Samples go where the error shows: about as many as asked for, none to lights without
// gain, none where the picture shows nothing, and never too many at once.
func TestSpend(t *testing.T) {
	p := coveredPass(t, furnished(t), lamps(), Rays{Each: 4, Edges: 16})
	run(t, p, 2, 2)
	worth := Worth{Gains: []vec.V3{vec.Splat(1), {}, vec.Splat(1)}, Slope: make([]float32, p.W*p.H)}
	for i := range worth.Slope {
		if i%p.W >= p.W/2 {
			worth.Slope[i] = 1
		}
	}
	n, err := p.Spend(context.Background(), worth, 6000, 2)
	require.NoError(t, err)
	require.InDelta(t, 6000, n, 3000)
	taken := func(i, x, y int) uint16 {
		tile := y/film.TileSize*film.Tiles(p.W) + x/film.TileSize
		from, _ := p.Layers[i].Cover.Tiles[tile].Of(x, y)
		return p.Layers[i].Lit[tile].Taken[from]
	}
	for y := range p.H {
		for x := range p.W {
			require.LessOrEqual(t, taken(1, x, y), uint16(2))
			require.LessOrEqual(t, taken(0, x, y), uint16(2+growth*2+growth))
			if x < p.W/2 {
				require.LessOrEqual(t, taken(0, x, y), uint16(2))
			}
		}
	}
	require.Equal(t, 1, p.Layers[0].Detailed)
	ctx, cancel := context.WithCancel(context.Background())
	cancel()
	_, err = p.Spend(ctx, worth, 100, 2)
	require.ErrorIs(t, err, context.Canceled)
}

// What is too faint to be seen is not asked for twice; what is not is as it was.
func TestFaintIsNotAskedTwice(t *testing.T) {
	w := furnished(t)
	taken := func(faint ...float32) (n [3]int, layers []*film.Layers) {
		p := coveredPass(t, w, lamps(), Rays{Each: 4, Edges: 16})
		p.Faint = faint
		run(t, p, 2, 2)
		for i, l := range p.Layers {
			for _, lit := range l.Lit {
				for _, k := range lit.Taken {
					n[i] += int(k)
				}
			}
		}
		return n, p.Layers
	}
	all, whole := taken()
	some, part := taken(0, 1e9, 0)
	require.Equal(t, whole[0].Lit, part[0].Lit)
	require.Equal(t, whole[2].Lit, part[2].Lit)
	require.Less(t, some[1], all[1]*9/10, "but at the edges of tiles")
	require.InEpsilon(t, whole[1].Mean(film.Direct).Y, part[1].Mean(film.Direct).Y, 0.05)
}

// Layers whose first sample takes no paths have the same paths a sample later, and means of
// them by their number.
func TestLateLayersHaveTheSamePaths(t *testing.T) {
	w := furnished(t)
	pictures := func(late, samples int) (sums, mean []float32, y *film.Layers) {
		p := coveredPass(t, w, lamps(), Rays{Each: 4, Edges: 8})
		for _, l := range p.Layers {
			l.Late = late
		}
		require.NoError(t, p.Run(context.Background(), samples, 2))
		y = p.Layers[0]
		mean = make([]float32, 3*p.W*p.H)
		y.Average(film.Bounced, vec.Splat(1), mean)
		for _, half := range y.Sum[film.Bounced] {
			for _, tile := range half {
				sums = append(sums, tile...)
			}
		}
		return sums, mean, y
	}
	sums, mean, _ := pictures(0, 3)
	lateSums, lateMean, y := pictures(1, 4)
	require.NotEmpty(t, sums)
	require.Equal(t, sums, lateSums)
	require.Equal(t, mean, lateMean)
	require.True(t, y.Gaps())
	none, _, y := pictures(1, 1)
	require.Empty(t, none)
	require.True(t, y.Lacks(0, 0))
	require.True(t, y.Has(film.Direct))
}
