package filter

import (
	"context"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/require"
	"willowherb/core/film"
	"willowherb/core/scene/scenetest"
	"willowherb/core/vec"
)

// A pixel counts for as much as it has samples: one with none has what its neighbours have,
// and one with many is hardly changed by one with few.
func TestSamplesWeighPixels(t *testing.T) {
	const w, h = 48, 48
	f := plain(w, h)
	mean, lum, weight := make([]float32, 3*w*h), make([]float32, w*h), make([]float32, w*h)
	for i := range w * h {
		// Every second pixel has 30 samples of 1; the others one, of 32, or none, of nothing.
		v := float32(1)
		switch weight[i] = 30; i % 4 {
		case 1:
			weight[i], v = 1, 32
		case 3:
			weight[i], v = 0, 7e6
		}
		mean[3*i], mean[3*i+1], mean[3*i+2], lum[i] = v, v, v, v
	}
	pictures := []Noisy{{Pic: mean, Levels: 4, Weight: weight}, {Pic: lum, Levels: 4, Weight: weight}}
	require.NoError(t, f.Apply(context.Background(), pictures, 2))
	for x := 20; x < 28; x++ {
		i := 24*w + x
		// Of 61 samples 60 have 1.
		require.InEpsilon(t, (60*1+32)/61.0, mean[3*i+1], 0.1)
		require.InEpsilon(t, mean[3*i+1], lum[i], 1e-4, "luminance as colours")
	}
}

// While some pixels have no sample yet, that they are black is no reason to leave the others
// unfiltered, or themselves: a plain wall comes out plain.
func TestPixelsWithoutSamplesTakeTheirNeighbours(t *testing.T) {
	const w, h = 64, 64
	f := plain(w, h)
	rng := rand.New(rand.NewPCG(8, 8))
	for _, every := range []int{2, 4} {
		mean, diff := make([]float32, 3*w*h), make([]float32, w*h)
		for i := range w * h {
			if (i%w+i/w)%every != 0 {
				continue
			}
			a, b := 1+0.4*float32(rng.NormFloat64()), 1+0.4*float32(rng.NormFloat64())
			v := (a + b) / 2
			mean[3*i], mean[3*i+1], mean[3*i+2], diff[i] = v, v, v, (a-b)/2
		}
		s := NewSums(w, h)
		s.Chosen = true
		s.Paths = func(x, y int) int {
			if (x+y)%every == 0 {
				return 2
			}
			return 0
		}
		s.parts[part{width: 5}] = &halves{mean, diff}
		pic, err := s.Finish(t.Context(), f, 2)
		require.NoError(t, err)
		for i := range w * h {
			require.InDelta(t, 1, pic.RGB[3*i], 0.25, "pixel %d, %d of samples in every %d", i%w, i/w, every)
		}
		again := make([]float32, 3*w*h) // a layer of it is filtered alike
		for i := range again {
			if (i/3%w+i/3/w)%every == 0 {
				again[i] = 2
			}
		}
		require.NoError(t, f.ApplyChoice(t.Context(), pic.Choice, []Layer{{RGB: again, Kind: film.Bounced, Widths: Widest(true)}}, 2))
		for i := range again {
			require.InDelta(t, 2, again[i], 1e-3)
		}
	}
}

// What smooth surfaces show has none of their albedo: it does not change with it.
func TestSharpHasNoAlbedo(t *testing.T) {
	const w, h = 32, 32
	f := plain(w, h)
	for i := range w * h {
		if i%2 == 0 {
			f.albedo[3*i], f.albedo[3*i+1], f.albedo[3*i+2] = 0.02, 0.02, 0.02
		}
	}
	pic, soft := make([]float32, 3*w*h), make([]float32, 3*w*h)
	for i := range pic {
		pic[i], soft[i] = 5, 5
	}
	require.NoError(t, f.Apply(context.Background(), []Noisy{{Pic: pic, Levels: 3, Sharp: true}, {Pic: soft, Levels: 3}}, 2))
	for i := range pic {
		require.InDelta(t, 5, pic[i], 1e-4)
	}
	require.Greater(t, soft[3*(16*w+17)], float32(20), "else it would be bright beside dark")
}

// A lone find in a pixel with many samples among such with few is bounded sooner: it would
// count for more.
func TestLonePixelsByTheirSamples(t *testing.T) {
	const w, h = 40, 40
	f := plain(w, h)
	left := func(n float32) float32 {
		mean, diff, weight := make([]float32, 3*w*h), make([]float32, w*h), make([]float32, w*h)
		for i := range w * h {
			weight[i] = 4
			mean[3*i], mean[3*i+1], mean[3*i+2] = 1, 1, 1
		}
		at := 20*w + 20
		mean[3*at], mean[3*at+1], mean[3*at+2], diff[at], weight[at] = 1000, 1000, 1000, 1000, n
		_, _, err := f.Lone(context.Background(), Noisy{Pic: mean, Weight: weight}, diff, nil, 2)
		require.NoError(t, err)
		return mean[3*at]
	}
	require.InEpsilon(t, lone*224.0/225, left(4), 0.01)
	require.InEpsilon(t, lone*224.0/225/4, left(16), 0.01)
	require.InEpsilon(t, lone*224.0/225*4, left(1), 0.01)
}

// The other side of a thin post, lit a hundred times as bright, does not shine on this one's edge.
func TestEdgesOfAThinPost(t *testing.T) {
	const w, h = 16, 16
	f := plain(w, h)
	pic := make([]float32, 3*w*h)
	for i := range w * h {
		v := float32(1)
		if i%w > 9 { // turned by 45 degrees
			f.normal[0][i], f.normal[2][i], v = 0.707, 0.707, 100
		}
		pic[3*i], pic[3*i+1], pic[3*i+2] = v, v, v
	}
	c := film.Cell{N: vec.V3{X: -0.05, Z: 0.9987}, Dist: f.depth[8*w+8]}
	e := edger{f: f}
	e.alike(8, 8, &c)
	got, ok := e.like(pic)
	require.True(t, ok)
	require.Less(t, got[0], 4/f.albedo[0], "and not a tenth of the other side")
	require.GreaterOrEqual(t, got[0], 0.99/f.albedo[0])
}

// Sums have what the layers' means and half differences are.
func TestSumsAreMeansAndHalfDifferences(t *testing.T) {
	p := passed(t, 8, true, scenetest.Lamps()...)
	y, gain := p.Layers[0], vec.V3{X: 1, Y: 2, Z: 0.5}
	s := NewSums(wide, high)
	s.Add(y, gain, Widths{})
	mean, diff := make([]float32, 3*wide*high), make([]float32, 3*wide*high)
	for k := range film.Kinds {
		y.Average(k, gain, mean)
		y.HalfDifference(k, gain, diff)
	}
	for is, got := range s.parts {
		if is.sharp {
			continue
		}
		require.InDeltaSlice(t, mean, got.mean, 1e-4*float64(mean[3*wide*high/2]))
		for i := range got.diff {
			require.InDelta(t, 0.2126*diff[3*i]+0.7152*diff[3*i+1]+0.0722*diff[3*i+2], got.diff[i], 1e-3*float64(max(mean[3*i+1], 1e-3)))
		}
	}
}

// Layers that are filtered as their sum was add up to it, whatever they are multiplied by.
func TestChoiceIsForAllLayersAlike(t *testing.T) {
	p := passed(t, 4, true, scenetest.Lamps()...)
	f := New(p.Guide, scenetest.Inside, 2)
	widths := Widest(false)
	sums := NewSums(wide, high)
	sums.Chosen = true
	for _, y := range p.Layers {
		sums.Add(y, vec.Splat(1), widths)
	}
	var layers []Layer
	for _, y := range p.Layers {
		for k := range film.Kinds {
			pic := make([]float32, 3*wide*high)
			y.Average(k, vec.Splat(1), pic)
			layers = append(layers, Layer{pic, k, widths})
		}
	}
	pic, err := sums.Finish(context.Background(), f, 2)
	require.NoError(t, err)
	require.NoError(t, f.ApplyChoice(context.Background(), pic.Choice, layers, 2))
	sum := make([]float32, 3*wide*high)
	for _, l := range layers {
		add(sum, l.RGB)
	}
	specks := 0
	for i := range sum {
		if d := sum[i] - pic.RGB[i]; d > 1e-3*sum[i]+1e-4 || -d > 1e-3*sum[i]+1e-4 {
			specks++ // which only the whole picture knows
		}
	}
	require.Less(t, specks, len(sum)/100)
}

// Pixels that have no sample yet make a picture no darker: they count for nothing in it. 15 %:
// chance.
func TestGapsCountForNothing(t *testing.T) {
	mean := func(samples int) float64 {
		p := passed(t, samples, true, scenetest.Lamps()[0])
		y := p.Layers[0]
		sums := NewSums(wide, high)
		sums.Chosen, sums.Paths = true, y.Paths
		sums.Add(y, vec.Splat(1), Widest(false))
		pic, err := sums.Finish(context.Background(), New(p.Guide, scenetest.Inside, 2), 2)
		require.NoError(t, err)
		var sum float64
		for i := 1; i < len(pic.RGB); i += 3 {
			sum += float64(pic.RGB[i])
		}
		return sum
	}
	require.InEpsilon(t, mean(64), mean(2), 0.15)
}
