package proof

import (
	"context"
	"math"
	"os"
	"runtime"
	"slices"
	"strconv"
	"testing"

	"github.com/stretchr/testify/require"
	"willowherb/core/cache"
	"willowherb/core/colour"
	"willowherb/core/film"
	"willowherb/core/filter"
	"willowherb/core/light"
	"willowherb/core/path"
	"willowherb/core/photometry"
	placing "willowherb/core/place"
)

// finish renders a place's layers, as the picture in the window does, and filters them.
func (p *place) finish(t testing.TB, samples int, sparse bool, seed uint32) *filter.Finished {
	pass := &path.Pass{World: p.world, Camera: p.camera, W: wide, H: high, Seed: seed, Lights: p.lights, Guide: film.NewGuide(wide, high)}
	for range p.lights {
		y := film.NewLayers(wide, high)
		y.Sparse = sparse
		pass.Layers = append(pass.Layers, y)
	}
	ctx, workers := context.Background(), runtime.GOMAXPROCS(0)
	if sparse { // windows get light on a cover and from the light cache
		p.cover(t, pass)
	}
	finished := func(n int) *filter.Finished {
		sums := filter.NewSums(wide, high)
		if sums.Chosen = sparse; sparse {
			sums.Paths = pass.Layers[0].Paths
		}
		for i, l := range p.lights {
			widths := filter.Widest(l.Shows())
			if !sparse {
				widths = filter.Frame{Samples: n}.Widths(l.Shows())
			}
			sums.Add(pass.Layers[i], p.gains[i], widths)
		}
		f, err := sums.Finish(ctx, filter.New(pass.Guide, p.camera, workers), workers)
		require.NoError(t, err)
		return f
	}
	for n := 4; sparse && n <= samples; n *= 2 { // and more of it where it is noisy
		require.NoError(t, pass.Run(ctx, n, workers))
		slope, err := filter.Slopes(t.Context(), finished(n).RGB, wide, p.develop(), workers)
		require.NoError(t, err)
		worth := path.Worth{Gains: p.gains, Slope: slope}
		_, err = pass.Spend(ctx, worth, wide*high*n/4, workers)
		require.NoError(t, err)
	}
	require.NoError(t, pass.Run(ctx, samples, workers))
	return finished(samples)
}

// cover puts a pass's empty layers on a cover, and gives it the light cache.
func (p *place) cover(t testing.TB, pass *path.Pass) {
	ctx, workers := context.Background(), runtime.GOMAXPROCS(0)
	portals, err := placing.Portals(ctx, p.world, workers)
	require.NoError(t, err)
	if p.name == "window" || p.name == "hall" {
		require.NotEmpty(t, portals, p.name)
	}
	pass.Lights = slices.Clone(pass.Lights)
	for i, l := range pass.Lights {
		if l.Kind == light.Sky {
			with := *l
			with.Portals = portals
			pass.Lights[i] = &with
		}
	}
	_, err = pass.MakeCover(ctx, path.Rays{Each: 8, Edges: 32}, workers)
	require.NoError(t, err)
	c := cache.New(p.world, workers)
	r := c.Reach()
	require.NoError(t, pass.Touch(ctx, r, 1, workers))
	require.NoError(t, c.Fill(ctx, r, workers))
	var sources []cache.Source
	for i, l := range pass.Lights {
		sources = append(sources, cache.Source{Key: [32]byte{byte(i)}, Light: l})
	}
	pass.Cached, err = c.Light(ctx, r, sources, workers)
	require.NoError(t, err)
}

// The error that is told of a picture is the true one, within a factor of 1.3, on every
// place: of pictures as windows get them and as stills are made.
func TestToldErrorIsTheTrueError(t *testing.T) {
	samples, sparsely := []int{16}, []bool{true, false}
	if n, _ := strconv.Atoi(os.Getenv("WILLOWHERB_PROOF")); n > 0 { // for docs/physics.md
		samples = []int{8, 16, 32, 64}
	}
	if testing.Short() {
		sparsely = sparsely[:1]
	}
	for _, p := range places(t) {
		ref, develop := p.reference(t), p.develop()
		for _, sparse := range sparsely {
			for _, n := range samples {
				f := p.finish(t, n, sparse, 77)
				if sparse && n == 16 {
					sameMean(t, p, &ref, f)
				}
				told, truth := f.Error(develop), math.Sqrt(max(0, ref.squareError(f.RGB, develop)))
				t.Logf("%-11s sparse %-5v %2d samples: told %.4f, true %.4f, ratio %.2f", p.name, sparse, n, told, truth, told/truth)
				if n == 16 {
					require.Less(t, told, 1.45*truth, "%s, sparse %v", p.name, sparse)
					require.Greater(t, told, truth/1.3, "%s, sparse %v", p.name, sparse)
				}
			}
		}
	}
}

// The filter takes away more than it spoils, and what smooth surfaces show is not spoiled
// at any number of samples: the error of the wet floor's picture goes on falling.
func TestFilterHelps(t *testing.T) {
	for _, p := range places(t) {
		if p.name != "wet-floor" && (p.name != "window" || testing.Short()) {
			continue
		}
		ref, develop := p.reference(t), p.develop()
		at := func(n int) float64 { return math.Sqrt(max(0, ref.squareError(p.finish(t, n, false, 5).RGB, develop))) }
		raw, err := p.render(context.Background(), 5, 8)
		require.NoError(t, err)
		few := at(8)
		require.Less(t, few, 0.8*math.Sqrt(ref.squareError(raw, develop)), p.name)
		if p.name == "wet-floor" {
			require.Less(t, at(128), 0.5*few)
		}
	}
}

// sameMean holds the mean of a picture to that of its reference: no light is lost or
// found in the way that layers are taken, put together and filtered. 8 %: what 16 samples
// leave to chance in the darkest.
func sameMean(t *testing.T, p *place, ref *reference, f *filter.Finished) {
	var got, want float64
	// Clamped at what is white, so that a few bright pixels do not decide.
	white := float64(photometry.NitAtEV(p.ev + 3))
	for i := 0; i < len(f.RGB); i += 3 {
		got += min(colour.LuminanceAt(f.RGB, i), white)
		want += (min(colour.LuminanceAt(ref.a, i), white) + min(colour.LuminanceAt(ref.b, i), white)) / 2
	}
	require.InEpsilon(t, want, got, 0.09, p.name)
}
