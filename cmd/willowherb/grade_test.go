package main

import (
	"bytes"
	"context"
	"image/png"
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/require"
	"willowherb/core/exposure"
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
