package path

import (
	"context"
	"testing"

	"github.com/stretchr/testify/require"
	"willowherb/core/film"
	"willowherb/core/vec"
)

// steepness is how steeply a display whose curve is x / (1 + x) shows the pixels of a picture
// of W by H, by the mean of the pixel and those around it.
func steepness(p *Pass, gain float32) []float32 {
	pic := make([]float32, 3*p.W*p.H)
	for _, l := range p.Layers {
		for k := range film.Kinds {
			l.Average(k, vec.Splat(gain), pic)
		}
	}
	out := make([]float32, p.W*p.H)
	for y := range p.H {
		for x := range p.W {
			var sum, many float32
			for yy := max(y-1, 0); yy <= min(y+1, p.H-1); yy++ {
				for xx := max(x-1, 0); xx <= min(x+1, p.W-1); xx++ {
					sum, many = sum+pic[3*(yy*p.W+xx)+1], many+1
				}
			}
			l := 1 + sum/many
			out[y*p.W+x] = 1 / (l * l)
		}
	}
	return out
}

// More paths go where the error shows, about as many as asked for, in pairs, the same with
// any number of workers; none where nothing shows.
func TestDwell(t *testing.T) {
	made := func(workers int) (*Pass, int) {
		p := coveredPass(t, furnished(t), lamps(), Rays{Each: 4, Edges: 16})
		run(t, p, 2, workers)
		worth := Worth{Gains: []vec.V3{vec.Splat(1), vec.Splat(1), vec.Splat(1)}, Slope: make([]float32, p.W*p.H)}
		for i := range worth.Slope {
			if i%p.W >= p.W/2 {
				worth.Slope[i] = 1
			}
		}
		n, err := p.Dwell(context.Background(), worth, 4000, workers)
		require.NoError(t, err)
		return p, n
	}
	p, n := made(2)
	require.InDelta(t, 4000, n, 1500)
	before := coveredPass(t, p.World, lamps(), Rays{Each: 4, Edges: 16})
	run(t, before, 2, 2)
	sum, most := 0, 0
	for y := range p.H {
		for x := range p.W {
			more := p.Layers[1].Paths(x, y) - before.Layers[1].Paths(x, y)
			require.Zero(t, more%2)
			if x < p.W/2-judged {
				require.Zero(t, more, "nothing shows here")
			}
			sum, most = sum+more, max(most, more)
		}
	}
	require.Equal(t, n, sum)
	require.Greater(t, most, 4*n/(p.W*p.H))
	q, _ := made(3)
	for i := range p.Layers {
		require.Equal(t, p.Layers[i].Sum, q.Layers[i].Sum, "light %d", i)
	}
	ctx, cancel := context.WithCancel(context.Background())
	cancel()
	_, err := p.Dwell(ctx, Worth{Gains: make([]vec.V3, 3), Slope: make([]float32, p.W*p.H)}, 100, 2)
	require.ErrorIs(t, err, context.Canceled)
}

// What is rarely found keeps its mean, though more paths go where the picture, with what
// chance has found, shows errors most. 4 %: chance.
func TestDwellKeepsTheMean(t *testing.T) {
	w, cam, dome := holed(t)
	bounced := func(p *Pass) float32 { return p.Layers[0].Mean(film.Bounced, film.Met).Y }
	begin := func(seed uint32) *Pass {
		p := &Pass{World: w, Camera: cam, W: 48, H: 40, Seed: seed, Lights: dome, Layers: layers(1), Bounces: 1}
		_, err := p.MakeCover(context.Background(), Rays{Each: 4, Edges: 8}, 2)
		require.NoError(t, err)
		return p
	}
	plain := begin(1)
	run(t, plain, 256, 2)
	want := bounced(plain)
	var sum float32
	const seeds = 24
	for seed := range uint32(seeds) {
		p := begin(100 + seed)
		run(t, p, 4, 2)
		for range 3 {
			worth := Worth{Gains: []vec.V3{vec.Splat(1)}, Slope: steepness(p, 30/want)}
			_, err := p.Dwell(context.Background(), worth, 48*40*4, 2)
			require.NoError(t, err)
		}
		sum += bounced(p) / seeds
	}
	require.InEpsilon(t, want, sum, 0.04)
}
