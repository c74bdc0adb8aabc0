package exr

import (
	"bytes"
	"math"
	"os"
	"os/exec"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/require"
)

// scene is a picture with smooth parts, edges, darkness and a bright spot.
func scene(w, h int) []float32 {
	rgb := make([]float32, 3*w*h)
	for y := range h {
		for x := range w {
			p := rgb[3*(y*w+x):]
			p[0] = float32(0.2 + 0.5*float64(x)/float64(w))
			p[1] = float32(0.3 + 0.2*math.Sin(float64(x*y)/300))
			p[2] = float32(y) / float32(h)
			if x > w/2 && y > h/2 {
				p[0], p[1], p[2] = 0, 0.01, 0.02
			}
			if (x-w/4)*(x-w/4)+(y-h/4)*(y-h/4) < 9 {
				p[0], p[1], p[2] = 900, 800, 700
			}
		}
	}
	return rgb
}

// written is the scene as a file of plain lines, floats.
func written(t *testing.T, w, h int) []byte {
	t.Helper()
	var b bytes.Buffer
	require.NoError(t, Write(&b, scene(w, h), w, h, None))
	return b.Bytes()
}

// run runs a tool of OpenEXR's own on a file: IN and OUT among its arguments.
func run(t *testing.T, data []byte, tool string, args ...string) []byte {
	t.Helper()
	if _, err := exec.LookPath(tool); err != nil {
		t.Fatalf("%s is missing: scripts/test installs Debian's openexr", tool)
	}
	dir := t.TempDir()
	in, out := filepath.Join(dir, "in.exr"), filepath.Join(dir, "out.exr")
	require.NoError(t, os.WriteFile(in, data, 0o600))
	for i, a := range args {
		switch a {
		case "IN":
			args[i] = in
		case "OUT":
			args[i] = out
		}
	}
	said, err := exec.Command(tool, args...).CombinedOutput()
	require.NoError(t, err, string(said))
	data, err = os.ReadFile(out)
	require.NoError(t, err)
	return data
}

// near holds a picture to the scene: exactly, or within a share of each value.
func near(t *testing.T, p *Picture, w, h int, share, least float64) {
	t.Helper()
	require.Equal(t, [2]int{w, h}, [2]int{p.W, p.H})
	worst, at := 0.0, 0
	for i, v := range scene(w, h) {
		d := math.Abs(float64(p.RGB[i] - v))
		if d -= least + share*math.Abs(float64(v)); d > worst {
			worst, at = d, i
		}
	}
	require.Zero(t, worst, "value %d (line %d, column %d): %g for %g", at, at/3/w, at/3%w, p.RGB[at], scene(w, h)[at])
}

// Every compression as written by Debian's openexr tools: tiles and lines, floats.
// PXR24 keeps 24 bits of a float; B44 leaves floats as they are; DWA loses a little by
// intention (level 45), most beside sharp edges.
func TestEveryCompressionOfTheReferenceTools(t *testing.T) {
	const w, h = 131, 77
	for _, z := range []string{"none", "rle", "zip", "piz", "pxr24", "b44", "b44a"} {
		share := 0.0
		if z == "pxr24" {
			share = 1.0 / (1 << 15)
		}
		t.Run(z, func(t *testing.T) {
			p, err := Read("a.exr", run(t, written(t, w, h), "exrmaketiled", "-z", z, "-t", "40", "24", "IN", "OUT"), "")
			require.NoError(t, err)
			near(t, p, w, h, share, 0)
			p, err = Read("a.exr", run(t, written(t, w, h), "exrmultiview", "-z", z, "left", "IN", "right", "IN", "OUT"), "")
			require.NoError(t, err)
			near(t, p, w, h, share, 0)
		})
	}
}

// Halves and lossy compressions against the reference's own reading of the same file: it
// unpacks it, and both are the same to the bit; for DWA, whose cosines are summed in
// another order, to one place of a half before its scale is undone and half a place after it, 1/340.
func TestHalvesAndLossyFilesAsTheReferenceReadsThem(t *testing.T) {
	const w, h = 200, 133
	floats := written(t, w, h)
	halves := run(t, written(t, w, h), "exr2aces", "IN", "OUT")
	for kind, from := range map[string][]byte{"half": halves, "float": floats} {
		for _, z := range []string{"rle", "zip", "piz", "pxr24", "b44", "b44a", "dwaa", "dwab"} {
			for _, form := range []string{"tiles", "lines"} {
				t.Run(kind+" "+z+" "+form, func(t *testing.T) {
					var packed, plain []byte
					if form == "tiles" {
						packed = run(t, from, "exrmaketiled", "-z", z, "-t", "80", "50", "IN", "OUT")
						plain = run(t, packed, "exrmaketiled", "-z", "none", "-t", "80", "50", "IN", "OUT")
					} else {
						packed = run(t, from, "exrmultiview", "-z", z, "left", "IN", "right", "IN", "OUT")
						plain = run(t, packed, "exrmaketiled", "-z", "none", "-t", "80", "50", "IN", "OUT")
					}
					got, err := Read("packed.exr", packed, "")
					require.NoError(t, err)
					want, err := Read("plain.exr", plain, "")
					require.NoError(t, err)
					require.Equal(t, len(want.RGB), len(got.RGB))
					share := 0.0
					if z[0] == 'd' {
						share = 1.0 / 340
					}
					bad := 0
					for i := range want.RGB {
						if d := math.Abs(float64(got.RGB[i] - want.RGB[i])); d > 1e-6+share*math.Abs(float64(want.RGB[i])) {
							if bad++; bad < 4 {
								t.Logf("value %d: %g, by the reference %g", i, got.RGB[i], want.RGB[i])
							}
						}
					}
					require.Zero(t, bad, "of %d values", len(want.RGB))
				})
			}
		}
	}
}

// A slow ramp has more values in a block than 14 bits tell apart, which PIZ keeps
// otherwise, and is not so noisy that it is stored as it is.
func TestARampOfManyValuesIsReadExactly(t *testing.T) {
	const w, h = 220, 150
	rgb := make([]float32, 3*w*h)
	for i := range rgb {
		rgb[i] = 1 + float32(i/3)/(1<<22)
	}
	var b bytes.Buffer
	require.NoError(t, Write(&b, rgb, w, h, None))
	packed := run(t, b.Bytes(), "exrmaketiled", "-z", "piz", "-t", "220", "150", "IN", "OUT")
	require.Less(t, len(packed), len(b.Bytes())/2)
	p, err := Read("ramp.exr", packed, "")
	require.NoError(t, err)
	require.Equal(t, rgb, p.RGB)
}

func TestLayersAndPartsArePicked(t *testing.T) {
	const w, h = 40, 30
	data := run(t, written(t, w, h), "exrmultiview", "-z", "zip", "left", "IN", "right", "IN", "OUT")
	p, err := Read("views.exr", data, "right")
	require.NoError(t, err)
	require.Equal(t, []string{"", "right"}, p.Layers)
	near(t, p, w, h, 0, 0)
	_, err = Read("views.exr", data, "middle")
	require.EqualError(t, err, `views.exr: has no layer "middle"; it has: "", "right"`)
}

// A file of two parts, written here by the letter of the format: one of brightness alone,
// one with whole numbers in every second column and line.
func TestPartsGreyAndSparseChannels(t *testing.T) {
	var b bytes.Buffer
	le := func(v ...int) {
		for _, x := range v {
			b.Write([]byte{byte(x), byte(x >> 8), byte(x >> 16), byte(x >> 24)})
		}
	}
	attr := func(name, kind string, f func()) {
		b.WriteString(name + "\x00" + kind + "\x00")
		at := b.Len()
		le(0)
		f()
		n := b.Len() - at - 4
		copy(b.Bytes()[at:], []byte{byte(n), byte(n >> 8), 0, 0})
	}
	text := func(s string) func() { return func() { b.WriteString(s) } }
	header := func(name string, chunks int, channels func()) {
		attr("channels", "chlist", func() { channels(); b.WriteByte(0) })
		attr("compression", "compression", func() { b.WriteByte(0) })
		attr("dataWindow", "box2i", func() { le(-2, 4, 1, 5) }) // 4 wide, 2 high
		attr("name", "string", text(name))
		attr("type", "string", text("scanlineimage"))
		attr("chunkCount", "int", func() { le(chunks) })
		b.WriteByte(0)
	}
	one := func(name string, kind, s int) { b.WriteString(name + "\x00"); le(kind, 0, s, s) }
	le(magic, 2|partsFlag)
	header("bright", 2, func() { one("Y", 2, 1) })
	header("sparse", 2, func() { one("B", 0, 2); one("G", 2, 1); one("R", 2, 1) })
	b.WriteByte(0)
	table := b.Len()
	b.Write(make([]byte, 8*4))
	floats := func(v ...float32) {
		for _, x := range v {
			le(int(math.Float32bits(x)))
		}
	}
	at := []int{b.Len()}
	le(0, 4, 16)
	floats(1, 2, 3, 4)
	at = append(at, b.Len())
	le(0, 5, 16)
	floats(5, 6, 7, 8)
	at = append(at, b.Len())
	le(1, 4, 40)
	le(7, 9) // blue in columns -2 and 0 of line 4
	floats(1, 1, 1, 1, 2, 2, 2, 2)
	at = append(at, b.Len())
	le(1, 5, 32)
	floats(3, 3, 3, 3, 4, 4, 4, 4)
	for i, a := range at {
		copy(b.Bytes()[table+8*i:], []byte{byte(a), byte(a >> 8)})
	}
	p, err := Read("parts.exr", b.Bytes(), "")
	require.NoError(t, err)
	require.Equal(t, []string{"bright", "sparse"}, p.Layers)
	require.Equal(t, []float32{1, 1, 1, 2, 2, 2, 3, 3, 3, 4, 4, 4, 5, 5, 5, 6, 6, 6, 7, 7, 7, 8, 8, 8}, p.RGB)
	p, err = Read("parts.exr", b.Bytes(), "sparse")
	require.NoError(t, err)
	require.Equal(t, []float32{2, 1, 7, 2, 1, 7, 2, 1, 9, 2, 1, 9, 4, 3, 7, 4, 3, 7, 4, 3, 9, 4, 3, 9}, p.RGB)
}

func TestBadFilesAreToldPlainly(t *testing.T) {
	whole := run(t, written(t, 60, 40), "exrmaketiled", "-z", "piz", "-t", "32", "32", "IN", "OUT")
	damaged := run(t, written(t, 60, 40), "exrmaketiled", "-z", "zip", "IN", "OUT")
	copy(damaged[len(damaged)-300:], make([]byte, 300))
	change := func(f func(d []byte) []byte) []byte { return f(bytes.Clone(whole)) }
	for says, data := range map[string][]byte{
		"a.exr: is no OpenEXR file":    []byte("PNG"),
		"version of the format":        change(func(d []byte) []byte { d[4] = 9; return d }),
		"deep data":                    change(func(d []byte) []byte { d[5] |= 8; return d }),
		"is cut off in its header":     whole[:60],
		"is cut off: copy it again":    whole[:len(whole)-2000],
		"its channel \"B\" is damaged": change(func(d []byte) []byte { d[bytes.Index(d, []byte("B\x00"))+2] = 7; return d }),
		"pixels: up to":                change(func(d []byte) []byte { d[bytes.Index(d, []byte("dataWindow"))+11+6+4+10] = 200; return d }),
		"compression 77 is not known":  change(func(d []byte) []byte { d[bytes.Index(d, []byte("compression\x00c"))+12+12+4] = 77; return d }),
		"its tiles are damaged":        change(func(d []byte) []byte { d[bytes.Index(d, []byte("tiledesc"))+9+4+3] = 99; return d }),
		"(ZIP) is damaged":             damaged,
	} {
		_, err := Read("/somewhere/a.exr", data, "")
		require.ErrorContains(t, err, says)
		require.NotContains(t, err.Error(), "somewhere")
	}
}

func FuzzRead(f *testing.F) {
	var b bytes.Buffer
	_ = Write(&b, scene(20, 40), 20, 40, ZIP)
	f.Add(b.Bytes())
	// The same bytes said to be of each compression.
	at := bytes.Index(b.Bytes(), []byte("compression\x00compression\x00")) + 24 + 4
	for z := range len(schemes) {
		d := bytes.Clone(b.Bytes())
		d[at] = byte(z)
		f.Add(d)
	}
	f.Fuzz(func(t *testing.T, data []byte) {
		p, err := Read("f.exr", data, "")
		require.True(t, err == nil || p == nil)
	})
}

func BenchmarkRead(b *testing.B) {
	var f bytes.Buffer
	require.NoError(b, Write(&f, scene(4096, 2048), 4096, 2048, ZIP))
	for b.Loop() {
		_, err := Read("a.exr", f.Bytes(), "")
		require.NoError(b, err)
	}
}
