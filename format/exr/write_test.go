package exr

import (
	"bytes"
	"encoding/binary"
	"io"
	"math"
	"os"
	"os/exec"
	"path/filepath"
	"testing"

	"github.com/klauspost/compress/zlib"
	"github.com/stretchr/testify/require"
)

func ramp(w, h int) []float32 {
	p := make([]float32, 3*w*h)
	for i := range p {
		p[i] = float32(math.Exp2(float64(i%37)/3-4)) + float32(i%5)
	}
	return p
}

// readEXR reads just what the layout says, to hold the writer to it.
func readEXR(t *testing.T, data []byte, w, h int) []float32 {
	le := binary.LittleEndian
	require.EqualValues(t, 20000630, le.Uint32(data))
	at := 8
	str := func() string {
		n := bytes.IndexByte(data[at:], 0)
		s := string(data[at : at+n])
		at += n + 1
		return s
	}
	var comp byte
	for data[at] != 0 {
		name := str()
		str()
		size := int(le.Uint32(data[at:]))
		at += 4
		if name == "compression" {
			comp = data[at]
		}
		at += size
	}
	at++
	rows := 1
	if comp == 3 {
		rows = 16
	}
	out := make([]float32, 3*w*h)
	for k := range (h + rows - 1) / rows {
		p := int(le.Uint64(data[at+8*k:]))
		y0, size := int(le.Uint32(data[p:])), int(le.Uint32(data[p+4:]))
		body := data[p+8 : p+8+size]
		n := min(rows, h-y0)
		if size < n*w*12 {
			z, err := zlib.NewReader(bytes.NewReader(body))
			require.NoError(t, err)
			d, err := io.ReadAll(z)
			require.NoError(t, err)
			for i := 1; i < len(d); i++ {
				d[i] = byte(int(d[i-1]) + int(d[i]) - 128)
			}
			body = make([]byte, len(d))
			half := (len(d) + 1) / 2
			for i := range body {
				body[i] = d[i/2+i%2*half]
			}
		}
		for y := range n {
			for c := range 3 {
				for x := range w {
					out[3*((y0+y)*w+x)+2-c] = math.Float32frombits(le.Uint32(body[4*((y*3+c)*w+x):]))
				}
			}
		}
	}
	return out
}

func TestEXRIsExact(t *testing.T) {
	for _, c := range []Compression{None, ZIP} {
		for _, size := range [][2]int{{1, 1}, {37, 35}, {64, 16}} {
			p := ramp(size[0], size[1])
			var b bytes.Buffer
			require.NoError(t, Write(&b, p, size[0], size[1], c))
			require.Equal(t, p, readEXR(t, b.Bytes(), size[0], size[1]))
		}
	}
	require.Error(t, Write(io.Discard, make([]float32, 5), 1, 2, ZIP))
}

// Debian's openexr tools read what we write, where they are installed.
func TestEXRIsReadByTheReferenceTools(t *testing.T) {
	tool, err := exec.LookPath("exrheader")
	if err != nil {
		t.Skip("exrheader is not installed")
	}
	f := filepath.Join(t.TempDir(), "a.exr")
	var b bytes.Buffer
	require.NoError(t, Write(&b, ramp(40, 20), 40, 20, ZIP))
	require.NoError(t, os.WriteFile(f, b.Bytes(), 0o600))
	out, err := exec.Command(tool, f).CombinedOutput()
	require.NoError(t, err, string(out))
	require.Contains(t, string(out), "R, 32-bit floating-point")
}
