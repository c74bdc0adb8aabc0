package main

import (
	"bytes"
	"context"
	"encoding/json"
	"math"
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/require"
	"willowherb/format/exr"
)

// lit renders the floor of reflectance 0.5 from above and returns its mean luminance.
func lit(t *testing.T, change func(c *stillCmd)) float64 {
	c := base(t)
	c.LookFrom, c.LookAt, c.Samples = "0,3,0.01", "0,0,0", 64
	c.Out = filepath.Join(t.TempDir(), "a.exr")
	change(&c)
	_, err := said(t, func() error { return c.Run(context.Background()) })
	require.NoError(t, err)
	data, err := os.ReadFile(c.Out)
	require.NoError(t, err)
	p, err := exr.Read(c.Out, data, "")
	require.NoError(t, err)
	var sum float64
	for _, v := range p.RGB {
		sum += float64(v)
	}
	return sum / float64(len(p.RGB))
}

// around writes an environment picture: dim, with a bright patch in the east.
func around(t *testing.T, patch float32) string {
	const w, h = 64, 32
	rgb := make([]float32, 3*w*h)
	for i := range rgb {
		rgb[i] = 10
		if x, y := i/3%w, i/3/w; x >= 46 && x < 50 && y >= 8 && y < 12 {
			rgb[i] = patch
		}
	}
	var b bytes.Buffer
	require.NoError(t, exr.Write(&b, rgb, w, h, exr.ZIP))
	p := filepath.Join(t.TempDir(), "around.exr")
	require.NoError(t, os.WriteFile(p, b.Bytes(), 0o600))
	return p
}

// A matt floor gives back 0.5 / pi of what measure says falls on it, at any turn and level;
// two per cent is what the few samples leave. (The floor's gloss is that of glTF's 4 %.)
func TestStillUnderAnEnvironment(t *testing.T) {
	for _, patch := range []float32{10, 4000} {
		file := around(t, patch)
		m := measureCmd{File: file, JSON: true}
		out, err := said(t, func() error { return m.Run(context.Background()) })
		require.NoError(t, err)
		var r struct{ HorizontalLux float64 }
		require.NoError(t, json.Unmarshal([]byte(out), &r))
		plain := lit(t, func(c *stillCmd) { c.Environment = file })
		require.InEpsilon(t, 0.5/math.Pi*r.HorizontalLux, plain, 0.06)
		require.InEpsilon(t, plain, lit(t, func(c *stillCmd) { c.Environment, c.Turn = file, 123 }), 0.02)
		require.InEpsilon(t, 4*plain, lit(t, func(c *stillCmd) { c.Environment, c.Level = file, 2 }), 0.01)
	}
}

func TestStillTellsABadEnvironment(t *testing.T) {
	c := base(t)
	c.Environment = c.File
	_, err := said(t, func() error { return c.Run(context.Background()) })
	require.ErrorContains(t, err, "is neither a Radiance HDR nor an OpenEXR file")
	c.Environment, c.Turn = around(t, 1), math.NaN()
	_, err = said(t, func() error { return c.Run(context.Background()) })
	require.ErrorContains(t, err, "--turn NaN")
	c.Turn = 0
	late := -1.0
	c.Time = &late
	_, err = said(t, func() error { return c.Run(context.Background()) })
	require.ErrorContains(t, err, "--time -1")
}

func TestSkyOnTheCommandLine(t *testing.T) {
	file := filepath.Join(t.TempDir(), "sky.exr")
	c := skyCmd{SunHeight: 30, SunAzimuth: 100, Turbidity: 2, Albedo: 0.2, Size: "256x128", Out: file, JSON: true}
	out, err := said(t, func() error { return c.Run(context.Background()) })
	require.NoError(t, err)
	var sky struct{ SunLux, SkyLux, SunKelvin, Zenith, Horizon float64 }
	require.NoError(t, json.Unmarshal([]byte(out), &sky))
	require.InDelta(t, 41000, sky.SunLux, 1500)
	require.InDelta(t, 5000, sky.SunKelvin, 200)
	m := measureCmd{File: file, JSON: true}
	out, err = said(t, func() error { return m.Run(context.Background()) })
	require.NoError(t, err)
	var r struct{ HorizontalLux, UpLux float64 }
	require.NoError(t, json.Unmarshal([]byte(out), &r))
	require.InEpsilon(t, sky.SkyLux, r.HorizontalLux, 0.005)
	require.InEpsilon(t, 0.2*(sky.SkyLux+sky.SunLux), r.UpLux, 0.005)

	c = skyCmd{At: "2003-10-17T12:30:30-07:00", Latitude: 39.742476, Longitude: -105.1786, Turbidity: 2, Size: "8x4", JSON: true}
	out, err = said(t, func() error { return c.Run(context.Background()) })
	require.NoError(t, err)
	require.Contains(t, out, `"sunAzimuth": 194.3`)
	c.At = "noon"
	_, err = said(t, func() error { return c.Run(context.Background()) })
	require.ErrorContains(t, err, "--at \"noon\" is no time with a zone")
	c.At, c.Clouds = "", 2
	_, err = said(t, func() error { return c.Run(context.Background()) })
	require.ErrorContains(t, err, "clouds is 2")
}

// A number below zero is a number, not a flag.
func TestNumbersBelowZeroOnTheCommandLine(t *testing.T) {
	require.Equal(t, []string{"sky", "--sun-height=-6", "--turn=-.5", "--json", "-h", "--raw", "a-b"}, joined([]string{"sky", "--sun-height", "-6", "--turn", "-.5", "--json", "-h", "--raw", "a-b"}))
}

// On an open floor the sun may stay where it is; under it no sun comes.
func TestBeamOnTheCommandLine(t *testing.T) {
	c := beamCmd{File: floor(t), At: "1,0,1", Normal: "0,1,0", SunHeight: 33, SunAzimuth: 77, JSON: true}
	out, err := said(t, func() error { return c.Run(context.Background()) })
	require.NoError(t, err)
	var r struct {
		Able            bool
		Height, Azimuth float64
	}
	require.NoError(t, json.Unmarshal([]byte(out), &r))
	require.True(t, r.Able)
	require.InDelta(t, 33, r.Height, 1)
	require.InDelta(t, 77, r.Azimuth, 1.2)
	c.Normal = "0,-1,0"
	out, err = said(t, func() error { return c.Run(context.Background()) })
	require.NoError(t, err)
	require.Contains(t, out, "false")
	c.Normal = "0,0,0"
	_, err = said(t, func() error { return c.Run(context.Background()) })
	require.ErrorContains(t, err, "is no direction")
}
