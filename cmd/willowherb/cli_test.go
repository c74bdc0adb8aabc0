package main

import (
	"bytes"
	"context"
	"encoding/json"
	"image/png"
	"io"
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/require"
	"willowherb/core/exchange"
	"willowherb/core/scene"
	"willowherb/core/vec"
	"willowherb/format/gltf"
)

// floor writes a plain floor without lights or cameras.
func floor(t *testing.T) string {
	m := &gltf.Model{Materials: []gltf.ModelMaterial{{Name: "floor", BaseColor: [4]float64{0.5, 0.5, 0.5, 1}, Roughness: 1, Specular: -1}}}
	up := vec.V3{Y: 1}
	m.Nodes = []gltf.ModelNode{{Name: "floor", Parts: []gltf.ModelPart{{Pos: []vec.V3{{X: -5, Z: 5}, {X: 5, Z: 5}, {X: 5, Z: -5}, {X: -5, Z: -5}}, Nrm: []vec.V3{up, up, up, up}, UV: make([]vec.V2, 4), Index: []uint32{0, 1, 2, 0, 2, 3}}}}}
	glb, err := gltf.Write(m)
	require.NoError(t, err)
	p := filepath.Join(t.TempDir(), "floor.glb")
	require.NoError(t, os.WriteFile(p, glb, 0o600))
	return p
}

// said runs f and returns what it prints.
func said(t *testing.T, f func() error) (string, error) {
	r, w, err := os.Pipe()
	require.NoError(t, err)
	old := os.Stdout
	os.Stdout = w
	done := make(chan []byte)
	go func() { b, _ := io.ReadAll(r); done <- b }()
	err = f()
	os.Stdout = old
	w.Close()
	return string(<-done), err
}

func base(t *testing.T) stillCmd {
	return stillCmd{File: floor(t), Size: "32x24", Samples: 16, Fov: 40, Out: filepath.Join(t.TempDir(), "a.png"), JSON: true, Layers: true}
}

// A floor of reflectance 0.5 under the dim sky of 100 cd/m2 that a file without
// lights gets has 50 cd/m2: looked at from above, that is EV 8.64.
func TestStillOfAFileWithoutLightsOrCameras(t *testing.T) {
	c := base(t)
	c.LookFrom, c.LookAt = "0,3,0.01", "0,0,0"
	out, err := said(t, func() error { return c.Run(context.Background()) })
	require.NoError(t, err)
	var r struct {
		EV     float64  `json:"ev100"`
		Notes  []string `json:"notes"`
		Lights []struct {
			Direct float64 `json:"directPercent"`
		} `json:"lights"`
	}
	require.NoError(t, json.Unmarshal([]byte(out), &r))
	require.InDelta(t, 8.644, r.EV, 0.03)
	require.InDelta(t, 100, r.Lights[0].Direct, 1e-6)
	require.Len(t, r.Notes, 2, "what was put in is said")
	data, err := os.ReadFile(c.Out)
	require.NoError(t, err)
	im, err := png.Decode(bytes.NewReader(data))
	require.NoError(t, err)
	g, _, _, _ := im.At(16, 12).RGBA()
	require.InDelta(t, 118, g>>8, 4, "metered light comes out as middle grey")
}

func TestSameSeedSamePicture(t *testing.T) {
	render := func(seed uint32) []byte {
		c := base(t)
		c.Seed, c.Samples, c.Raw, c.Out = seed, 2, true, filepath.Join(t.TempDir(), "a.exr")
		_, err := said(t, func() error { return c.Run(context.Background()) })
		require.NoError(t, err)
		b, err := os.ReadFile(c.Out)
		require.NoError(t, err)
		return b
	}
	require.Equal(t, render(1), render(1))
	require.NotEqual(t, render(1), render(2))
}

func TestStillWithASetup(t *testing.T) {
	doc, _ := exchange.FromScene(&scene.Scene{Name: "x", Hi: vec.Splat(1)}, "console-60")
	l := doc.Lights["dim-sky"]
	l.Off = true
	doc.Lights["dim-sky"] = l
	p := filepath.Join(t.TempDir(), "dark.json")
	require.NoError(t, os.WriteFile(p, doc.JSON(), 0o600))
	c := base(t)
	c.Setup = p
	_, err := said(t, func() error { return c.Run(context.Background()) })
	require.NoError(t, err, "a place with every light off is a black picture, not an error")
	require.NoError(t, os.WriteFile(p, []byte(`{"version":1,"name":""}`), 0o600))
	require.ErrorContains(t, c.Run(context.Background()), "dark.json: not a valid setup: /name")
}

// A picture is told with its seconds, samples and error; who gives what is told only where
// it is known by light.
func TestWhatAStillTells(t *testing.T) {
	for _, x := range []struct {
		change func(*stillCmd)
		lights int
	}{
		{func(*stillCmd) {}, 1},
		{func(c *stillCmd) { c.Layers = false }, 0},
		{func(c *stillCmd) { c.Reference = true }, 0},
		{func(c *stillCmd) { c.Seconds, c.Layers = 0.3, false }, 0},
		{func(c *stillCmd) { c.Seconds, c.Layers, c.After = 0.3, false, "whole place" }, 0},
	} {
		c := base(t)
		x.change(&c)
		out, err := said(t, func() error { return c.Run(context.Background()) })
		require.NoError(t, err)
		var r struct {
			Seconds, Error float64
			Samples        int
			Lights         []any
		}
		require.NoError(t, json.Unmarshal([]byte(out), &r))
		require.Len(t, r.Lights, x.lights)
		require.Positive(t, r.Seconds)
		require.Positive(t, r.Samples)
		require.Less(t, r.Error, 0.2)
	}
}

func TestMistakesAreExplained(t *testing.T) {
	for _, c := range []struct {
		change func(*stillCmd)
		want   string
	}{
		{func(c *stillCmd) { c.Size = "big" }, "write for instance 960x540"},
		{func(c *stillCmd) { c.Size = "99999x99999" }, "at most 16384"},
		{func(c *stillCmd) { c.Samples = 0 }, "--samples 0"},
		{func(c *stillCmd) { c.Seconds = -1 }, "--seconds -1"},
		{func(c *stillCmd) { c.Seconds, c.Reference = 1, true }, "takes --samples"},
		{func(c *stillCmd) { c.Reference, c.After = true, "Whole place" }, "leave out --after"},
		{func(c *stillCmd) { c.After = "Attic" }, "there are: Whole place"},
		{func(c *stillCmd) { c.Out = "a.bmp" }, ".png, .exr or .hdr"},
		{func(c *stillCmd) { c.View = "Attic" }, "there are: Whole place"},
		{func(c *stillCmd) { c.LookFrom = "1,2,3" }, "together"},
		{func(c *stillCmd) { c.LookFrom, c.LookAt = "1,2,x", "0,0,0" }, "write x,y,z"},
		{func(c *stillCmd) { c.LookFrom, c.LookAt = "1,2,3", "1,2,3" }, "same point"},
		{func(c *stillCmd) {
			b, _ := os.ReadFile(c.File)
			_ = os.WriteFile(c.File, b[:len(b)-4], 0o600)
		}, "cut short"},
	} {
		x := base(t)
		c.change(&x)
		require.ErrorContains(t, x.Run(context.Background()), c.want)
		_, err := os.Stat(x.Out)
		require.Error(t, err, "no half picture is left")
	}
}

func TestInspect(t *testing.T) {
	c := inspectCmd{File: floor(t)}
	out, err := said(t, func() error { return c.Run(context.Background()) })
	require.NoError(t, err)
	require.Contains(t, out, "2 triangles")
	require.Contains(t, out, "no lights: a dim even sky")
	c.JSON = true
	out, err = said(t, func() error { return c.Run(context.Background()) })
	require.NoError(t, err)
	require.True(t, json.Valid([]byte(out)))
}
