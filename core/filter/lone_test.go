package filter

import (
	"context"
	"math"
	"testing"

	"github.com/stretchr/testify/require"
	"willowherb/core/film"
	"willowherb/core/vec"
)

// What one half alone has found in one pixel is bounded by what is around it, in the middle
// and in the corner, and told as lost; what both have found stays, and so does an edge.
func TestLonePixels(t *testing.T) {
	const w, h = 40, 30
	f := plain(w, h)
	mean, diff, lost := make([]float32, 3*w*h), make([]float32, w*h), make([]float32, w*h)
	put := func(x, y int, a, b float32) {
		for k := range 3 {
			mean[3*(y*w+x)+k] = (a + b) / 2
		}
		diff[y*w+x] = (a - b) / 2
	}
	for i := range w * h {
		put(i%w, i/w, 1, 1)
		if i%w >= 30 {
			put(i%w, i/w, 100, 90)
		}
	}
	put(10, 12, 4000, 0)
	put(0, 0, 0, 4000)
	put(10, 24, 4000, 3800)
	kept, finds, err := f.Lone(context.Background(), Noisy{Pic: mean}, diff, lost, 2)
	require.NoError(t, err)
	require.InDelta(t, 16*224.0/216/2000, kept[12*w+10], 1e-3)
	require.Equal(t, float32(1), kept[5*w+5])
	require.Len(t, finds, 3)
	require.Equal(t, 12*w+10, finds[1].at)
	require.InDelta(t, 2000-16*224.0/225, finds[1].rgb[2], 0.1)
	at := func(x, y int) float32 { return mean[3*(y*w+x)] }
	// The others in the 15 by 15 around have 1 each.
	require.InDelta(t, 16*224.0/225, at(10, 12), 0.1)
	require.InDelta(t, 16*63.0/64, at(0, 0), 0.1)
	require.InDelta(t, 3800, at(10, 24), 1, "both halves have it")
	require.Equal(t, float32(1), at(5, 5))
	require.Equal(t, float32(95), at(35, 5))
	require.InDelta(t, 2000-16, lost[12*w+10], 1)
	require.InDelta(t, 100, lost[24*w+10], 1)
	require.InDelta(t, at(10, 12), diff[12*w+10], 0.1, "it stays as uncertain as it was")
}

// What lone pixels have lost is part of the error that is told: spread over those around,
// and no more of a pixel than white.
func TestErrorTellsWhatIsMissing(t *testing.T) {
	const w, h = 64, 64
	n := 3 * w * h
	p := &Finished{make([]float32, n), make([]float32, n/3), make([]float32, n), make([]float32, n/3), w, make([]float32, w*h), nil, nil}
	for i := range p.RGB {
		p.RGB[i], p.narrow[i] = 0.2, 0.2
	}
	show := func(l float64) float64 { return min(l, 1) }
	require.Zero(t, p.Error(show))
	for i := range p.lost {
		if i%8 == 0 {
			p.lost[i] = 0.4
		}
	}
	// One pixel in eight lacks 0.4: 0.05 all over.
	require.InEpsilon(t, 0.05, p.Error(show), 0.02)
	for i := range p.lost {
		if i%8 == 0 {
			p.lost[i] = 4000
		}
	}
	require.InEpsilon(t, 1.0/8, p.Error(show), 0.2)
}

// A box mean is the mean of the pixels that there are.
func TestBox(t *testing.T) {
	pic := []float32{1, 2, 3, 4, 5, 6}
	require.NoError(t, box(context.Background(), pic, 3, 1, 2))
	require.InDeltaSlice(t, []float32{3, 3.5, 4, 3, 3.5, 4}, pic, 1e-6)
}

// Neighbours that look black tell little of what falls on an edge.
func TestBlackNeighboursTellLittle(t *testing.T) {
	const w, h = 16, 16
	f := plain(w, h)
	pic := make([]float32, 3*w*h)
	for i := range w * h {
		for k := range 3 {
			pic[3*i+k] = f.albedo[3*i+k] * 2
			if i%2 == 0 { // with a glint
				f.albedo[3*i+k], pic[3*i+k] = 0.01, 1
			}
		}
	}
	c := film.Cell{N: vec.V3{Z: 1}, Dist: f.depth[8*w+8]}
	e := edger{f: f}
	e.alike(8, 8, &c)
	v, ok := e.like(pic)
	require.True(t, ok)
	require.InEpsilon(t, 2, v[0], 0.05)
}

// A pixel of two surfaces, a quarter and three quarters of 32 rays: what is told of the error
// of its shares, times the contrast around it, is part of the error.
func TestErrorTellsUncertainShares(t *testing.T) {
	const w, h = 8, 8
	f := plain(w, h)
	tile := &film.CoverTile{}
	for i := range tile.First {
		tile.First[i] = uint16(len(tile.Cells))
		if x, y := i%film.TileSize, i/film.TileSize; x < w && y < h {
			tile.Cells = append(tile.Cells, film.Cell{Share: 0.25, Hits: 8}, film.Cell{Share: 0.75, Hits: 24})
		}
	}
	f.cover = &film.Cover{W: w, H: h, Tiles: []*film.CoverTile{tile}}
	shares := f.shares()
	want := math.Sqrt(0.25*0.75) / math.Pow(32, 0.75)
	require.InEpsilon(t, want, shares[0], 1e-4)
	n := 3 * w * h
	p := &Finished{make([]float32, n), make([]float32, n/3), make([]float32, n), make([]float32, n/3), w, make([]float32, w*h), shares, nil}
	for i := range p.RGB {
		if i/3%2 == 0 {
			p.RGB[i], p.narrow[i] = 0.6, 0.6
		}
	}
	require.InEpsilon(t, 0.6*want, p.Error(func(l float64) float64 { return l }), 1e-3)
}

// Where the filter has made the dark bright, the error is what the display shows between the
// two, not what its slope there would make of it.
func TestErrorBetweenDarkAndBright(t *testing.T) {
	const w, h = 8, 8
	n := 3 * w * h
	p := &Finished{make([]float32, n), make([]float32, n/3), make([]float32, n), make([]float32, n/3), w, make([]float32, w*h), make([]float32, w*h), nil}
	for i := range p.RGB {
		p.RGB[i], p.narrow[i] = 9, 1
	}
	show := func(l float64) float64 { return math.Sqrt(l) / 4 }
	require.InEpsilon(t, (3.0-1)/4, p.Error(show), 1e-3)
}
