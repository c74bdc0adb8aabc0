package proof

import (
	"context"
	"encoding/json"
	"fmt"
	"os"
	"runtime"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
	"willowherb/core/cache"
	"willowherb/core/colour"
	"willowherb/core/film"
	"willowherb/core/path"
)

// layers renders a place's layers at a size, with the light cache or without.
func (p *place) layers(t testing.TB, w, h, samples int, seed uint32, cached bool) []*film.Layers {
	pass := &path.Pass{World: p.world, Camera: p.camera, W: w, H: h, Seed: seed, Lights: p.lights}
	for range p.lights {
		pass.Layers = append(pass.Layers, film.NewLayers(w, h))
	}
	ctx, workers := context.Background(), runtime.GOMAXPROCS(0)
	if cached {
		began := time.Now()
		c := cache.New(p.world, workers)
		made := time.Since(began)
		r := c.Reach()
		require.NoError(t, pass.Touch(ctx, r, 1, workers))
		touched := time.Since(began) - made
		require.NoError(t, c.Fill(ctx, r, workers))
		filled := time.Since(began) - made - touched
		var sources []cache.Source
		for i, l := range p.lights {
			sources = append(sources, cache.Source{Key: [32]byte{byte(i)}, Light: l})
		}
		var err error
		pass.Cached, err = c.Light(ctx, r, sources, workers)
		require.NoError(t, err)
		if os.Getenv("WILLOWHERB_COVER") != "" {
			pass.Guide = film.NewGuide(w, h)
			_, err = pass.MakeCover(ctx, path.Rays{Each: 8, Edges: 32}, workers)
			require.NoError(t, err)
		}
		fmt.Printf("%s: cache made in %v, touched %v, filled %v, lit %v, %d points, %d MB\n", p.name, made, touched, filled, time.Since(began)-made-touched-filled, c.Points(), c.Bytes()>>20)
	}
	began := time.Now()
	require.NoError(t, pass.Run(ctx, samples, workers))
	fmt.Println(p.name, cached, time.Since(began))
	return pass.Layers
}

func TestCacheTry(t *testing.T) {
	n, _ := strconv.Atoi(os.Getenv("WILLOWHERB_TRY"))
	if n == 0 {
		t.Skip()
	}
	views := os.Getenv("WILLOWHERB_VIEWS")
	for _, p := range places(t) {
		if views != "" && !strings.Contains(views, p.name) {
			continue
		}
		lum := func(y *film.Layers, i int, k []film.Kind) float64 {
			return colour.LuminanceOf(y.Mean(k...).Mul(p.gains[i]))
		}
		file := "/tmp/x/" + p.name + ".means"
		var a [][2]float64
		if data, err := os.ReadFile(file); err == nil {
			require.NoError(t, json.Unmarshal(data, &a))
		} else {
			m, _ := strconv.Atoi(os.Getenv("WILLOWHERB_PATHS"))
			y := p.layers(t, 240, 135, m, 5, false)
			for i := range y {
				a = append(a, [2]float64{lum(y[i], i, film.DirectKinds), lum(y[i], i, film.BouncedKinds)})
			}
			data, err := json.Marshal(a)
			require.NoError(t, err)
			require.NoError(t, os.WriteFile(file, data, 0o644))
		}
		b := p.layers(t, 240, 135, n, 6, true)
		var sa, sb, da, db float64
		for i := range a {
			x, y := a[i][1], lum(b[i], i, film.BouncedKinds)
			dx, dy := a[i][0], lum(b[i], i, film.DirectKinds)
			sa, sb, da, db = sa+x, sb+y, da+dx, db+dy
			fmt.Printf("  light %2d: bounced %.5f cached %.5f  %+.1f %%   direct %.5f %.5f\n", i, x, y, 100*(y/x-1), dx, dy)
		}
		fmt.Printf("%s: bounced %.5f cached %.5f %+.2f %%; direct %.5f %.5f; of all %+.2f %%\n", p.name, sa, sb, 100*(sb/sa-1), da, db, 100*(sb-sa)/(sa+da))
	}
}
