package proof

import (
	"context"
	"runtime"
	"testing"

	"github.com/stretchr/testify/require"
	"willowherb/core/colour"
	"willowherb/core/film"
	"willowherb/core/path"
)

// The light cache agrees with whole paths in the demo's views: 4 % of all light, which is
// mostly what 48 samples of paths leave to chance at this size. scripts/references tells
// it with more (docs/physics.md).
func TestCacheInTheDemo(t *testing.T) {
	for _, p := range places(t) {
		if p.name != "hall" && p.name != "culvert" {
			continue
		}
		mean := func(with bool, samples int) (direct, bounced float64) {
			pass := &path.Pass{World: p.world, Camera: p.camera, W: wide, H: high, Seed: 11, Lights: p.lights}
			for range p.lights {
				pass.Layers = append(pass.Layers, film.NewLayers(wide, high))
			}
			if with {
				p.cover(t, pass)
				for i, y := range pass.Layers {
					pass.Layers[i] = film.NewLayers(y.W, y.H) // paths alone are of interest here
				}
			}
			require.NoError(t, pass.Run(context.Background(), samples, runtime.GOMAXPROCS(0)))
			for i, y := range pass.Layers {
				direct += colour.LuminanceOf(y.Mean(film.DirectKinds...).Mul(p.gains[i]))
				bounced += colour.LuminanceOf(y.Mean(film.BouncedKinds...).Mul(p.gains[i]))
			}
			return direct, bounced
		}
		direct, want := mean(false, 48)
		_, got := mean(true, 16)
		t.Logf("%s: direct %.4f, bounced %.4f by paths, %.4f with the cache", p.name, direct, want, got)
		require.InDelta(t, want/(direct+want), got/(direct+want), 0.04, p.name)
	}
}
