package main

import (
	"context"
	"encoding/json"
	"math"
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/require"
	"willowherb/core/exchange"
	"willowherb/core/scene"
	"willowherb/core/setup"
	"willowherb/format/gltf"
	"willowherb/format/lightmap"
)

// lampOver is a setup of one lamp, a candela of output 1, over the middle of the floor.
func lampOver(t *testing.T, height float64, carry setup.Carry) string {
	doc, _ := exchange.FromScene(&scene.Scene{}, "console-60")
	doc.Lights = map[string]setup.Light{"lamp": {Name: "Lamp", Kind: setup.Point, Output: 100, Unit: setup.Candela, Colour: setup.Colour{RGB: &[3]float64{1, 1, 1}}, Shadow: true, ShadowMap: 256, Carry: carry, Channels: 255, Position: [3]float64{0, height, 0}}}
	b := setup.StandardBake()
	b.Density, b.Page, b.Apart = 6, 256, 3
	b.Mirrors["one"] = setup.Mirror{Name: "One", Position: [3]float64{0, 1, 0}, Middle: [3]float64{0, 1, 0}, Size: [3]float64{10, 2, 10}, Pixels: 16}
	doc.Bake = &b
	doc.Views = map[string]setup.View{"all": {Name: "All", Eye: [3]float64{0, 1.7, 4}, Aim: [3]float64{0, -0.5, -1}, FovY: 50, Aspect: 1.5, EV: 5}}
	require.NoError(t, doc.Validate())
	p := filepath.Join(t.TempDir(), "setup.json")
	require.NoError(t, os.WriteFile(p, doc.JSON(), 0o600))
	return p
}

func answered(t *testing.T, f func() error, out any) {
	text, err := said(t, f)
	require.NoError(t, err)
	require.NoError(t, json.Unmarshal([]byte(text), out), text)
}

// TestABakeFromTheCommandLine: 100 cd at 2 m over a floor are 25 lx under the lamp, and less by
// the cube of the cosine beside it (E = I cos^3 / h^2).
func TestABakeFromTheCommandLine(t *testing.T) {
	ctx := context.Background()
	file, of := floor(t), lampOver(t, 2, setup.Baked)
	dir := filepath.Join(t.TempDir(), "bake")
	lit := litPlace{File: file, Setup: of}
	var r struct {
		Texels, Layers, Made int
		Noise, MB            float64
		Probes               struct{ Count int }
	}
	answered(t, func() error { return (&bakeCmd{litPlace: lit, Quality: "draft", Out: dir, JSON: true}).Run(ctx) }, &r)
	require.Greater(t, r.Texels, 500)
	require.Equal(t, 1, r.Made)
	require.Positive(t, r.Probes.Count)
	answered(t, func() error { return (&bakeCmd{litPlace: lit, Quality: "draft", Out: dir, JSON: true}).Run(ctx) }, &r)
	require.Equal(t, 0, r.Made, "nothing changed")
	var x struct {
		Lux, Texel, Away float64
		Object           string
		Lights           map[string]float64
	}
	for _, beside := range []float64{0, 1, 2.5} {
		answered(t, func() error {
			return (&texelCmd{File: file, Bake: dir, At: f3(beside, 0.1, 0.3), JSON: true}).Run(ctx)
		}, &x)
		d := math.Hypot(beside, 0.3)
		require.InEpsilon(t, 100*2/math.Pow(4+d*d, 1.5), x.Lux, 0.02)
		require.InEpsilon(t, x.Lux, x.Lights["lamp"], 1e-6)
		require.InDelta(t, 0.1, x.Away, 1e-3)
	}
	require.InDelta(t, 1.0/3, x.Texel, 0.02, "a draft has half of six texels a metre")
	require.Equal(t, "floor", x.Object)
	// The level with its second UV set: read back, a corner's place on the page is as in charts.bin.
	level, err := gltf.ReadFile(ctx, filepath.Join(dir, "level.glb"), gltf.DefaultLimits())
	require.NoError(t, err)
	require.Equal(t, 2, level.Triangles())
	d, err := lightmap.Read(dir)
	require.NoError(t, err)
	require.Equal(t, d.Charts[0].Corners[0], level.V.UV1[level.Index[0]])
	// A metre under the lamp 100 lx from above; from below what the floor sends back: half of a
	// matt floor's light.
	var p, q struct {
		Lux map[string]float64
		SH  [9][3]float64
	}
	answered(t, func() error { return (&probeCmd{litPlace: lit, At: "0,1,0", Samples: 4096, JSON: true}).Run(ctx) }, &p)
	require.InEpsilon(t, 100, p.Lux["+y"], 0.01)
	require.Greater(t, p.Lux["-y"], 4.0)
	require.Less(t, p.Lux["-y"], 12.5)
	answered(t, func() error {
		return (&probeCmd{litPlace: lit, At: "0,1,0", Samples: 16, Bake: dir, JSON: true}).Run(ctx)
	}, &q)
	require.Positive(t, q.Lux["+y"])
	require.NotZero(t, q.SH[0][0])
	// The run-time picture of the floor is the map's light on a reflectance of a half.
	c := base(t)
	c.File, c.Setup, c.Bake, c.LookFrom, c.LookAt, c.Out = file, of, dir, "0,3,0.01", "0,0,0", filepath.Join(t.TempDir(), "a.exr")
	var s struct{ Mean map[string]float64 }
	answered(t, func() error { return c.Run(ctx) }, &s)
	require.Zero(t, s.Mean["live"])
	require.InEpsilon(t, 0.5/math.Pi*18, s.Mean["lightmap"], 0.2)
	// A split light has nothing on a floor alone: there is no bounce.
	of = lampOver(t, 2, setup.Split)
	dir = filepath.Join(t.TempDir(), "split")
	answered(t, func() error {
		return (&bakeCmd{litPlace: litPlace{File: file, Setup: of}, Quality: "draft", Out: dir, JSON: true}).Run(ctx)
	}, &r)
	answered(t, func() error { return (&texelCmd{File: file, Bake: dir, At: "0,0,0", JSON: true}).Run(ctx) }, &x)
	require.Zero(t, x.Lux)
}

// A directional bake tells what a normal map would get: the lamp's light by its cosine. Nothing
// stands over the floor.
func TestADirectionalBakeWithOcclusion(t *testing.T) {
	ctx := context.Background()
	file, of := floor(t), lampOver(t, 2, setup.Baked)
	dir := filepath.Join(t.TempDir(), "bake")
	lit := litPlace{File: file, Setup: of}
	answered(t, func() error {
		return (&bakeCmd{litPlace: lit, Quality: "draft", Out: dir, Directional: true, Occlusion: 2, JSON: true}).Run(ctx)
	}, &struct{}{})
	var x struct {
		Lux, BentLux, Openness float64
		Lean                   [3]float64
	}
	sin, cos := math.Sincos(20 * math.Pi / 180)
	for _, towards := range []float64{-1, 1} {
		answered(t, func() error {
			return (&texelCmd{File: file, Bake: dir, At: "1,0,0", Normal: f3(towards*sin, cos, 0), JSON: true}).Run(ctx)
		}, &x)
		require.InEpsilon(t, (-towards*sin+2*cos)/2, x.BentLux/x.Lux, 0.03)
		require.InDelta(t, -0.5, x.Lean[0], 0.03)
		require.InDelta(t, 0, x.Lean[1], 1e-6)
		require.InDelta(t, 1, x.Openness, 1e-6)
	}
	require.ErrorContains(t, (&texelCmd{File: file, Bake: dir, At: "1,0,0", Normal: "0,-1,0"}).Run(ctx), "into the surface")
	require.ErrorContains(t, (&bakeCmd{litPlace: lit, Quality: "draft", Out: dir, Occlusion: 1000}).Run(ctx), "--occlusion 1000")
	plain := filepath.Join(t.TempDir(), "plain")
	answered(t, func() error { return (&bakeCmd{litPlace: lit, Quality: "draft", Out: plain, JSON: true}).Run(ctx) }, &struct{}{})
	require.ErrorContains(t, (&texelCmd{File: file, Bake: plain, At: "1,0,0", Normal: "0,1,0"}).Run(ctx), "--directional")
	require.NoError(t, os.Remove(filepath.Join(dir, "lean-0.exr")))
	require.ErrorContains(t, (&texelCmd{File: file, Bake: dir, At: "1,0,0"}).Run(ctx), "lean-0.exr")
}

// Frames from the command line: a way of two views, each frame in both files.
func TestFramesFromTheCommandLine(t *testing.T) {
	ctx := context.Background()
	file, of := floor(t), lampOver(t, 2, setup.Baked)
	var doc map[string]any
	data, err := os.ReadFile(of)
	require.NoError(t, err)
	require.NoError(t, json.Unmarshal(data, &doc))
	doc["views"] = map[string]any{
		"a": map[string]any{"name": "A", "order": 0, "eye": []float64{0, 3, 3}, "aim": []float64{0, -1, -1}, "fovY": 40, "aspect": 1.5, "ev": 3},
		"b": map[string]any{"name": "B", "order": 1, "eye": []float64{0, 3, 2}, "aim": []float64{0, -1, -1}, "fovY": 40, "aspect": 1.5, "ev": 5}}
	data, err = json.Marshal(doc)
	require.NoError(t, err)
	of = filepath.Join(t.TempDir(), "way.json")
	require.NoError(t, os.WriteFile(of, data, 0o644))
	out := filepath.Join(t.TempDir(), "frames")
	c := framesCmd{litPlace: litPlace{File: file, Setup: of}, Views: "A,b", Seconds: 1, Rate: 3, Size: "48x32", Samples: 4, Passes: 2, Out: out, JSON: true}
	var r struct{ Frames []frameReport }
	answered(t, func() error { return c.Run(ctx) }, &r)
	require.Len(t, r.Frames, 3)
	require.Equal(t, []float64{3, 4, 5}, []float64{r.Frames[0].EV, r.Frames[1].EV, r.Frames[2].EV})
	require.InDelta(t, 2.0/3, r.Frames[2].Seconds, 1e-9)
	for _, name := range []string{"0001.png", "0003.png", "0002.exr"} {
		require.FileExists(t, filepath.Join(out, name))
	}
	c.Views, c.Camera = "", "Crane"
	require.ErrorContains(t, c.Run(ctx), `no camera "Crane"`)
	c.Camera = ""
	require.ErrorContains(t, c.Run(ctx), "no view is named")
}

func f3(v ...float64) string {
	b, _ := json.Marshal(v)
	return string(b[1 : len(b)-1])
}

func TestBakesAreRefusedPlainly(t *testing.T) {
	ctx := context.Background()
	lit := litPlace{File: floor(t), Setup: lampOver(t, 2, setup.Baked)}
	for want, do := range map[string]func() error{
		"--out":                 (&bakeCmd{litPlace: lit, Quality: "draft"}).wrap(ctx),
		"no quality of its own": (&bakeCmd{litPlace: lit, Quality: "own", Out: t.TempDir()}).wrap(ctx),
		"there are: Lamp":       (&bakeCmd{litPlace: lit, Quality: "draft", Out: t.TempDir(), Light: "ghost"}).wrap(ctx),
		"bake.json":             func() error { return (&texelCmd{File: lit.File, Bake: t.TempDir(), At: "0,0,0"}).Run(ctx) },
		"x,y,z":                 func() error { return (&probeCmd{litPlace: lit, At: "here", Samples: 16}).Run(ctx) },
	} {
		require.ErrorContains(t, do(), want)
	}
}

func (c *bakeCmd) wrap(ctx context.Context) func() error { return func() error { return c.Run(ctx) } }

func TestSecondsBoundABake(t *testing.T) {
	lit := litPlace{File: floor(t), Setup: lampOver(t, 2, setup.Baked)}
	var e struct{ Seconds float64 }
	answered(t, func() error {
		return (&bakeCmd{litPlace: lit, Quality: "final", Estimate: true, JSON: true}).Run(context.Background())
	}, &e)
	require.Positive(t, e.Seconds)
	dir := t.TempDir()
	var r struct{ Numbers setup.Quality }
	answered(t, func() error {
		return (&bakeCmd{litPlace: lit, Quality: "final", Out: dir, Seconds: 0.2, JSON: true}).Run(context.Background())
	}, &r)
	require.Less(t, r.Numbers.Most, setup.Qualities["final"].Most)
	_, err := lightmap.Read(dir)
	require.NoError(t, err)
}
