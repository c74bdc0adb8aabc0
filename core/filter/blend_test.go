package filter

import (
	"context"
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/require"
	"willowherb/core/film"
	"willowherb/core/scene/scenetest"
	"willowherb/core/world"
)

// plain is the filter of one even wall.
func plain(w, h int) *Filter {
	g := film.NewGuide(w, h)
	for i := range w * h {
		g.Normal[3*i+2], g.Depth[i] = 1, 5
		g.Albedo[3*i], g.Albedo[3*i+1], g.Albedo[3*i+2] = 0.5, 0.5, 0.5
	}
	for i := range g.Count {
		g.Count[i] = 1
	}
	return New(g, world.Camera{Aim: scenetest.Inside.Aim, Up: scenetest.Inside.Up, FovY: 0.3}, 2)
}

// halvesOf are the mean and half the difference of two noisy halves of a picture.
func halvesOf(truth func(x, y int) float32, noise float64, w, h int) (mean, diff []float32) {
	rng := rand.New(rand.NewPCG(1, 2))
	mean, diff = make([]float32, 3*w*h), make([]float32, w*h)
	for i := range w * h {
		a, b := truth(i%w, i/w)+float32(noise*rng.NormFloat64()), truth(i%w, i/w)+float32(noise*rng.NormFloat64())
		for k := range 3 {
			mean[3*i+k] = (a + b) / 2
		}
		diff[i] = (a - b) / 2
	}
	return mean, diff
}

// chosenError is the root mean square error of a picture after its levels were chosen.
func chosenError(t *testing.T, truth func(x, y int) float32, noise float64) float64 {
	const w, h = 96, 64
	mean, diff := halvesOf(truth, noise, w, h)
	f := plain(w, h)
	g := &group{mean: mean, diff: diff, last: 4}
	require.NoError(t, f.choose(context.Background(), []*group{g}, 2))
	require.NoError(t, f.Apply(context.Background(), []Noisy{{Pic: mean, Levels: 4, By: &g.Blend}}, 2))
	var sum float64
	for i := range w * h {
		d := float64(mean[3*i] - truth(i%w, i/w))
		sum += d * d
	}
	return math.Sqrt(sum / (w * h))
}

// Noise on an even wall is nearly taken away; an edge of light on it, far above the noise,
// is kept: of two halves with noise 0.2 each, 0.14 is left unfiltered.
func TestLevelsAreChosenPixelByPixel(t *testing.T) {
	even := func(int, int) float32 { return 1 }
	edge := func(x, _ int) float32 {
		if x < 48 {
			return 0.5
		}
		return 20
	}
	require.Less(t, chosenError(t, even, 0.2), 0.04)
	require.Less(t, chosenError(t, edge, 0.2), 0.12)
	require.InDelta(t, 0, chosenError(t, edge, 0), 1e-4)
}

// Where several surfaces meet, each has what it has beside, in proportion to its share.
func TestEdgesComeFromWholePixels(t *testing.T) {
	const w, h = 32, 32
	f := plain(w, h)
	c := &film.Cover{W: w, H: h, Tiles: []*film.CoverTile{{}}}
	tile := c.Tiles[0]
	white := f.albedo[0] - 0.01
	for i := range w * h {
		tile.First[i] = uint16(len(tile.Cells))
		object := uint32(0)
		if i%w > 16 {
			object = 1
		}
		cell := film.Cell{Share: 1, Object: object, Dist: f.depth[i]}
		cell.N.Z, cell.Albedo.X, cell.Albedo.Y, cell.Albedo.Z = 1, white, white, white
		f.object[i], f.source[i] = float32(object), float32(object)
		if i%w == 16 {
			other := cell
			cell.Share, other.Share, other.Object = 0.25, 0.75, 1
			tile.Cells = append(tile.Cells, other)
			f.source[i] = -1
		}
		tile.Cells = append(tile.Cells, cell)
	}
	tile.First[w*h] = uint16(len(tile.Cells))
	f.cover = c
	pic := make([]float32, 3*w*h)
	for i := range w * h {
		for k := range 3 {
			pic[3*i+k] = 2
			if i%w > 16 {
				pic[3*i+k] = 10
			}
			if i%w == 16 {
				pic[3*i+k] = 77 // a speck
			}
		}
	}
	require.NoError(t, f.Edges(context.Background(), [][]float32{pic}, [][]float32{pic}, nil, true, 2))
	for y := range h {
		require.InDelta(t, 0.25*2+0.75*10, pic[3*(y*w+16)], 1e-3)
		require.Equal(t, float32(2), pic[3*(y*w+15)])
	}
}

// A speck is brought down to twice what is beside it; an edge and an even wall stay.
func TestSpecks(t *testing.T) {
	const w, h = 32, 32
	f := plain(w, h)
	pic := make([]float32, 3*w*h)
	for i := range w * h {
		for k := range 3 {
			pic[3*i+k] = 1
			if i%w >= 16 {
				pic[3*i+k] = 50
			}
		}
	}
	speck := 3 * (10*w + 5)
	pic[speck], pic[speck+1], pic[speck+2] = 80, 80, 80
	want := append([]float32(nil), pic...)
	want[speck], want[speck+1], want[speck+2] = 2, 2, 2
	require.NoError(t, f.Specks(context.Background(), pic, 2))
	require.InDeltaSlice(t, want, pic, 1e-4)
}
