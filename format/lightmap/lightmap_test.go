package lightmap

import (
	"bytes"
	"encoding/json"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
	"willowherb/core/bake"
	"willowherb/core/probes"
	"willowherb/core/vec"
	"willowherb/format/exr"
)

func small() Bake {
	return Bake{Version: Version, Pages: []Page{{W: 4, H: 2, File: "lightmap-0.exr"}}, Lights: []Light{{ID: "lamp", Gain: [3]float64{2, 1, 0}, Files: []string{"light-lamp-0.exr"}}, {ID: "dark", Files: []string{}}}}
}

// folder is a small bake as files.
func folder(t *testing.T, b Bake) string {
	dir := t.TempDir()
	put := func(name string, data []byte) {
		require.NoError(t, os.WriteFile(filepath.Join(dir, name), data, 0o600))
	}
	text, err := json.Marshal(b)
	require.NoError(t, err)
	put("bake.json", text)
	var c, p bytes.Buffer
	require.NoError(t, writeCharts(&c, []Charts{{Path: "a/b", Page: []int16{0, -1}, Corners: []vec.V2{{X: 0.125, Y: 0.25}, {X: 0.875, Y: 0.25}, {X: 0.125, Y: 0.75}, {}, {}, {}}}}))
	put("charts.bin", c.Bytes())
	rgb := make([]float32, 3*8)
	for i := range 8 {
		rgb[3*i], rgb[3*i+1], rgb[3*i+2] = float32(i), 1, 3
	}
	require.NoError(t, exr.Write(&p, rgb, 4, 2, exr.ZIP))
	put("light-lamp-0.exr", p.Bytes())
	return dir
}

func TestABakeIsReadAsItWasWritten(t *testing.T) {
	d, err := Read(folder(t, small()))
	require.NoError(t, err)
	c := d.Of("a/b")
	lux, page, x, y, ok := d.At(c, 0, 0, 0)
	require.True(t, ok)
	require.Equal(t, 0, page)
	require.InDelta(t, 0, x, 1e-6)
	require.InDelta(t, 0, y, 1e-6)
	require.Equal(t, vec.V3{X: 0, Y: 1, Z: 3}, lux[0])
	require.Zero(t, lux[1])
	// Half way between the first corner's texel (0) and the second's (3).
	lux, _, x, _, _ = d.At(c, 0, 0.5, 0)
	require.InDelta(t, 1.5, x, 1e-5)
	require.InDelta(t, 1.5, lux[0].X, 1e-5)
	// And down to the second row, 4 more.
	lux, _, _, _, _ = d.At(c, 0, 0, 1)
	require.InDelta(t, 4, lux[0].X, 1e-5)
	_, _, _, _, ok = d.At(c, 1, 0, 0)
	require.False(t, ok, "a triangle without a chart")
	sum := d.Sum(d.Gains())
	e, ok := d.Summed(sum, c, 0, 0.5, 0)
	require.True(t, ok)
	require.InDelta(t, 3, e.X, 1e-5)
	require.InDelta(t, 0, e.Z, 1e-5)
	require.Nil(t, d.Of("elsewhere"))
}

func TestBrokenBakesAreToldPlainly(t *testing.T) {
	change := func(f func(dir string)) error {
		dir := folder(t, small())
		f(dir)
		_, err := Read(dir)
		return err
	}
	write := func(name, text string) func(string) {
		return func(dir string) { require.NoError(t, os.WriteFile(filepath.Join(dir, name), []byte(text), 0o600)) }
	}
	with := func(f func(b *Bake)) func(string) {
		return func(dir string) {
			b := small()
			f(&b)
			text, err := json.Marshal(b)
			require.NoError(t, err)
			write("bake.json", string(text))(dir)
		}
	}
	for want, f := range map[string]func(string){
		"no description":       write("bake.json", "hello"),
		"version 9":            with(func(b *Bake) { b.Version = 9 }),
		"pages are up to":      with(func(b *Bake) { b.Pages[0].W = 1 << 20 }),
		"2 pages of 1":         with(func(b *Bake) { b.Lights[0].Files = []string{"a.exr", "b.exr"} }),
		"no gain":              with(func(b *Bake) { b.Lights[0].Gain[1] = -1 }),
		"only files beside it": with(func(b *Bake) { b.Lights[0].Files = []string{"../secret.exr"} }),
		"is not in the bake":   with(func(b *Bake) { b.Lights[0].Files = []string{"gone.exr"} }),
		"where bake.json says": with(func(b *Bake) { b.Pages[0].W = 8 }),
		"no table of charts":   write("charts.bin", "no"),
		"ends in the middle":   write("charts.bin", string(chartsMagic[:])+"\x01\x00\x00\x00\x01\x00\x00\x00a\xff\xff\x00\x00"),
	} {
		require.ErrorContains(t, change(f), want)
	}
	_, err := Read(t.TempDir())
	require.ErrorContains(t, err, "bake.json")
}

func TestLayersAreKeptExactly(t *testing.T) {
	for _, l := range []bake.Layer{{}, {Mean: 1, Noise: 0.5}, {Mean: 3, Buried: 4, Thin: 9, Lux: []uint16{1, 2, 3, 65535, 0, 7}}, {Lux: []uint16{1, 2, 3}, Lean: []uint16{4, 0x8005, 6}}} {
		got, err := Unpack(Pack(l))
		require.NoError(t, err)
		require.Equal(t, l, got)
	}
	data := Pack(bake.Layer{Lux: make([]uint16, 300)})
	_, err := Unpack(data[:len(data)-4])
	require.ErrorContains(t, err, "broken")
	_, err = Unpack(data[:7])
	require.ErrorContains(t, err, "cut short")
	f := Folder(t.TempDir())
	require.NoError(t, f.Keep(t.Context(), "k", bake.Layer{Mean: 2}))
	l, ok, err := f.Layer(t.Context(), "k")
	require.NoError(t, err)
	require.True(t, ok)
	require.Equal(t, 2.0, l.Mean)
	_, ok, _ = f.Layer(t.Context(), "other")
	require.False(t, ok)
}

func TestProbesAreReadAsTheyWereWritten(t *testing.T) {
	f := &probes.Field{Lights: []string{"a", "b"}, Probes: []probes.Probe{{Pos: vec.V3{X: 1, Y: 2, Z: 3}, Kind: probes.Set, Name: "One", Reach: 4, SH: make([]probes.SH, 2)}}}
	f.Probes[0].SH[1][3] = vec.V3{X: 5, Y: -6, Z: 7}
	f.Probes[0].Near[5] = 9
	dir := t.TempDir()
	var text, rgb bytes.Buffer
	require.NoError(t, writeProbes(&text, f))
	require.NoError(t, writeHarmonics(&rgb, f))
	require.NoError(t, os.WriteFile(filepath.Join(dir, "probes.json"), text.Bytes(), 0o600))
	require.NoError(t, os.WriteFile(filepath.Join(dir, "probes.exr"), rgb.Bytes(), 0o600))
	got, err := readField(dir)
	require.NoError(t, err)
	require.Equal(t, f.Probes, got.Probes)
	_, err = ParseProbes([]byte(strings.Replace(text.String(), `"reach":4`, `"reach":-1`, 1)))
	require.ErrorContains(t, err, "not whole")
}

func FuzzParseCharts(f *testing.F) {
	var c bytes.Buffer
	_ = writeCharts(&c, []Charts{{Path: "a", Page: []int16{0}, Corners: make([]vec.V2, 3)}})
	f.Add(c.Bytes())
	f.Add([]byte("WHC1\xff\xff\xff\xff"))
	f.Fuzz(func(t *testing.T, data []byte) {
		all, err := ParseCharts(data, 3)
		if err == nil {
			for _, c := range all {
				require.Len(t, c.Corners, 3*len(c.Page))
			}
		}
	})
}

func FuzzParseBake(f *testing.F) {
	text, _ := json.Marshal(small())
	f.Add(text)
	f.Fuzz(func(t *testing.T, data []byte) {
		b, err := ParseBake(data)
		if err == nil {
			require.LessOrEqual(t, len(b.Pages), maxPages)
		}
		_, _ = ParseProbes(data)
		_, _ = Unpack(data)
	})
}
