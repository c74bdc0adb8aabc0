package picture

import (
	"bytes"
	"fmt"
	"math"
	"testing"

	"github.com/stretchr/testify/require"
	"willowherb/format/exr"
)

// What is written is read back, to the format's eight bits: half a step of the brightest.
func TestHDRIsReadBack(t *testing.T) {
	for _, size := range [][2]int{{40, 5}, {7, 3}, {600, 2}} {
		w, h := size[0], size[1]
		p := ramp(w, h)
		var b bytes.Buffer
		require.NoError(t, WriteHDR(&b, p, w, h))
		l, err := ReadLinear("a.hdr", b.Bytes(), "")
		require.NoError(t, err)
		require.Equal(t, [2]int{w, h}, [2]int{l.W, l.H})
		require.Zero(t, l.Cleaned)
		for i := 0; i < len(p); i += 3 {
			top := float64(max(p[i], p[i+1], p[i+2]))
			for k := range 3 {
				require.InDelta(t, p[i+k], l.RGB[i+k], top/255+1e-30)
			}
		}
	}
}

// Old files: flat pixels and runs of the pixel before, whose counts grow by bytes.
func TestOldHDRLines(t *testing.T) {
	px := func(r, e byte) []byte { return []byte{r, r, r, e} }
	var body []byte
	body = append(body, px(128, 129)...)
	body = append(body, 1, 1, 1, 44) // 0x12c = 300 more in two bytes
	body = append(body, 1, 1, 1, 1)
	body = append(body, px(64, 129)...)
	l, err := ReadLinear("a.hdr", append([]byte("#?RGBE\nFORMAT=32-bit_rle_rgbe\nEXPOSURE=2\nEXPOSURE= 0.25\n\n-Y 1 +X 302\n"), body...), "")
	require.NoError(t, err)
	require.InDelta(t, 128.5/128/0.5, l.RGB[0], 1e-6, "the exposures are taken out")
	require.Equal(t, l.RGB[0], l.RGB[3*300])
	require.InDelta(t, 64.5/128/0.5, l.RGB[3*301], 1e-6)
}

// The eight ways round, by the corner that is bright.
func TestHDRAnyWayRound(t *testing.T) {
	for line, at := range map[string]int{"-Y 2 +X 3": 0, "-Y 2 -X 3": 2, "+Y 2 +X 3": 3, "+Y 2 -X 3": 5, "+X 3 -Y 2": 0, "-X 3 -Y 2": 2, "+X 3 +Y 2": 3, "-X 3 +Y 2": 5} {
		body := append([]byte{200, 100, 50, 130}, make([]byte, 5*4)...)
		l, err := ReadLinear("a.hdr", append([]byte("#?RADIANCE\n\n"+line+"\n"), body...), "")
		require.NoError(t, err, line)
		require.Equal(t, [2]int{3, 2}, [2]int{l.W, l.H}, line)
		for i := range 6 {
			require.Equal(t, i == at, l.RGB[3*i] > 0, "%s, pixel %d", line, i)
		}
	}
}

func TestXYZBecomesRec709(t *testing.T) {
	// D65 white of luminance 1: X 0.9505, Y 1, Z 1.0891.
	body := []byte{121, 128, 139, 129}
	l, err := ReadLinear("a.hdr", append([]byte("#?RADIANCE\nFORMAT=32-bit_rle_xyze\n\n-Y 1 +X 1\n"), body...), "")
	require.NoError(t, err)
	for k := range 3 {
		require.InDelta(t, 1, l.RGB[k], 0.02)
	}
}

func TestWhatIsNoLightIsCleaned(t *testing.T) {
	inf, nan := float32(math.Inf(1)), float32(math.NaN())
	var b bytes.Buffer
	require.NoError(t, exr.Write(&b, []float32{1, 2, 3, inf, 1, 1, -4, nan, 5, 0, 0, 0}, 4, 1, exr.None))
	l, err := ReadLinear("a.exr", b.Bytes(), "")
	require.NoError(t, err)
	require.Equal(t, 2, l.Cleaned)
	require.Equal(t, []float32{1, 2, 3, 5, 1, 1, 0, 0, 5, 0, 0, 0}, l.RGB)
}

func TestBadHDRIsToldPlainly(t *testing.T) {
	head := "#?RADIANCE\nFORMAT=32-bit_rle_rgbe\n\n"
	for says, data := range map[string]string{
		"is neither a Radiance HDR nor an OpenEXR":        "GIF89a",
		"is cut off in its header":                        "#?RADIANCE\nFORMAT=32",
		"its format \"LAB\" is not known":                 "#?RADIANCE\nFORMAT=LAB\n\n-Y 1 +X 1\n",
		"its line of size \"wide\" is not understood":     head + "wide\n",
		"its line of size \"-Y 0 +X 4\"":                  head + "-Y 0 +X 4\n",
		"its line of size \"-Y 4 +Y 4\"":                  head + "-Y 4 +Y 4\n",
		"up to 32768 a side":                              head + "-Y 99999 +X 4\n",
		"more than its bytes can hold":                    head + "-Y 4000 +X 4000\n\x01",
		"line 1 of 2 is cut off: copy it again":           head + "-Y 2 +X 4\n\x01\x02",
		"line 1 of 1 has a run that is too long: copy it": head + "-Y 1 +X 9\n\x02\x02\x00\x09\xff\x01\x00",
	} {
		_, err := ReadLinear("/dir/a.hdr", []byte(data), "")
		require.ErrorContains(t, err, says)
		require.Contains(t, err.Error(), "a.hdr: ")
		require.NotContains(t, err.Error(), "/dir")
	}
}

func FuzzReadLinear(f *testing.F) {
	var b bytes.Buffer
	_ = WriteHDR(&b, ramp(40, 5), 40, 5)
	f.Add(b.Bytes())
	f.Add([]byte("#?RADIANCE\n\n-Y 2 +X 2\n" + fmt.Sprint(make([]byte, 16))))
	f.Fuzz(func(t *testing.T, data []byte) {
		l, err := ReadLinear("f", data, "")
		if err == nil {
			require.Len(t, l.RGB, 3*l.W*l.H)
		}
	})
}

func BenchmarkReadHDR(b *testing.B) {
	var f bytes.Buffer
	require.NoError(b, WriteHDR(&f, ramp(4096, 2048), 4096, 2048))
	for b.Loop() {
		_, err := ReadLinear("a.hdr", f.Bytes(), "")
		require.NoError(b, err)
	}
}
