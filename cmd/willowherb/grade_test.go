package main

import (
	"bytes"
	"context"
	"encoding/json"
	"image/png"
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/require"
	"willowherb/core/exposure"
	"willowherb/core/grade"
	"willowherb/core/setup"
	"willowherb/format/cube"
	"willowherb/format/exr"
)

// A picture through the table that changes nothing is the developed one, and through one
// that swaps red and blue it is that, swapped.
func TestGrade(t *testing.T) {
	dir := t.TempDir()
	const w, h = 40, 20
	rgb := make([]float32, 3*w*h)
	for i := range rgb {
		rgb[i] = float32(i%61) * float32(i%7)
	}
	var b bytes.Buffer
	require.NoError(t, exr.Write(&b, rgb, w, h, exr.ZIP))
	in := filepath.Join(dir, "a.exr")
	require.NoError(t, os.WriteFile(in, b.Bytes(), 0o600))
	table := func(c *cube.Table) string {
		var b bytes.Buffer
		require.NoError(t, c.Write(&b))
		name := filepath.Join(dir, "t.cube")
		require.NoError(t, os.WriteFile(name, b.Bytes(), 0o600))
		return name
	}
	ev := 6.0
	graded := func(c *cube.Table) []byte {
		out := filepath.Join(dir, "a.png")
		g := gradeCmd{File: in, Cube: table(c), EV: &ev, Curve: "shoulder", Out: out, JSON: true}
		_, err := said(t, func() error { return g.Run(context.Background()) })
		require.NoError(t, err)
		data, err := os.ReadFile(out)
		require.NoError(t, err)
		im, err := png.Decode(bytes.NewReader(data))
		require.NoError(t, err)
		var pix []byte
		for y := range h {
			for x := range w {
				r, g, b, _ := im.At(x, y).RGBA()
				pix = append(pix, byte(r>>8), byte(g>>8), byte(b>>8))
			}
		}
		return pix
	}
	plain := exposure.Develop(rgb, w, h, ev, exposure.Shoulder).Pix
	same := graded(cube.Identity(9))
	swapped := cube.Identity(9)
	for i, r := range swapped.Rows {
		swapped.Rows[i] = [3]float32{r[2], r[1], r[0]}
	}
	other := graded(swapped)
	for i := range w * h {
		for k := range 3 {
			require.InDelta(t, plain[4*i+k], same[3*i+k], 1, "pixel %d", i)
			require.InDelta(t, plain[4*i+k], other[3*i+2-k], 1, "pixel %d", i)
		}
	}
	g := gradeCmd{File: in, Cube: in, Curve: "plain", Out: filepath.Join(dir, "a.jpg")}
	require.ErrorContains(t, g.Run(context.Background()), "end its name in .png")
	g.Out = filepath.Join(dir, "b.png")
	require.ErrorContains(t, g.Run(context.Background()), "a.exr, line 1")
}

// A picture developed by a setup with a grade, and the same picture developed without it and
// taken through the setup's table, are the same to two steps of the screen.
func TestASetupsTableIsItsGrade(t *testing.T) {
	dir := t.TempDir()
	doc := &setup.Setup{Version: 1, Name: "Evening", Target: "console-60", Curve: "shoulder", Groups: map[string]setup.Group{}, Lights: map[string]setup.Light{}, Views: map[string]setup.View{"v": {Name: "v", Aim: [3]float64{0, 0, -1}, FovY: 40, Aspect: 1.5, EV: 6}},
		Looks: map[string]setup.Look{"storm": {Name: "Storm", Overrides: map[string]setup.Override{"/grade/saturation": {Set: json.RawMessage("0.2")}}}}, Objects: map[string]setup.Object{}, Materials: map[string]setup.Material{}, Backdrops: map[string]setup.Backdrop{}, Channels: map[string]setup.Channel{}}
	g := grade.Neutral()
	g.White, g.Contrast, g.Gamma = &[3]float64{1.3, 1, 0.7}, 1.1, [3]float64{1.1, 1, 1}
	doc.Grade = &g
	data, err := json.Marshal(doc)
	require.NoError(t, err)
	file, out := filepath.Join(dir, "evening.json"), filepath.Join(dir, "evening.cube")
	require.NoError(t, os.WriteFile(file, data, 0o600))
	for look, saturation := range map[string]float64{"": 1, "storm": 0.2, "STORM": 0.2} {
		c := cubeCmd{Setup: file, Look: look, Side: 33, Out: out, JSON: true}
		_, err = said(t, func() error { return c.Run(context.Background()) })
		require.NoError(t, err)
		f, err := os.Open(out)
		require.NoError(t, err)
		table, err := cube.Read(out, f)
		_ = f.Close()
		require.NoError(t, err)
		want := g
		want.Saturation = saturation
		p := grade.Compile(&want)
		for _, v := range [][3]float64{{0.1, 0.2, 0.3}, {0.5, 0.4, 0.45}, {0.7, 0.75, 0.6}, {0.25, 0.6, 0.33}} {
			a, b := p.Between(v, exposure.Shoulder), table.At(v)
			require.InDeltaSlice(t, a[:], b[:], 2.0/255, "look %q", look)
		}
	}
	c := cubeCmd{Setup: file, Look: "none", Side: 33, Out: out}
	require.ErrorContains(t, c.Run(context.Background()), "there are: Storm")
	c = cubeCmd{Setup: file, Side: 1, Out: out}
	require.ErrorContains(t, c.Run(context.Background()), "--side 1")
}

// A still goes through a table that is given: one that turns everything red.
func TestAStillThroughATable(t *testing.T) {
	var b bytes.Buffer
	require.NoError(t, cube.Made("red", 5, func(c [3]float64) [3]float64 { return [3]float64{1, 0, 0} }).Write(&b))
	c := base(t)
	c.Table, c.Out = filepath.Join(t.TempDir(), "red.cube"), filepath.Join(t.TempDir(), "a.png")
	require.NoError(t, os.WriteFile(c.Table, b.Bytes(), 0o600))
	_, err := said(t, func() error { return c.Run(context.Background()) })
	require.NoError(t, err)
	data, err := os.ReadFile(c.Out)
	require.NoError(t, err)
	im, err := png.Decode(bytes.NewReader(data))
	require.NoError(t, err)
	r, g, _, _ := im.At(3, 3).RGBA()
	require.Equal(t, uint32(0xffff), r)
	require.Zero(t, g)
	require.NoError(t, os.WriteFile(c.Table, []byte("LUT_3D_SIZE 2\n0"), 0o600))
	require.ErrorContains(t, c.Run(context.Background()), "red.cube")
}

// One spot of an environment is told; a place that is none says how one is written.
func TestMeasureASpot(t *testing.T) {
	m := measureCmd{File: around(t, 4000), At: "90,30", JSON: true}
	out, err := said(t, func() error { return m.Run(context.Background()) })
	require.NoError(t, err)
	var r struct {
		Spot struct{ Luminance, Kelvin float64 }
	}
	require.NoError(t, json.Unmarshal([]byte(out), &r))
	require.InEpsilon(t, 4000, r.Spot.Luminance, 0.01)
	m.At = "east"
	require.ErrorContains(t, m.Run(context.Background()), "as 120,35")
}
