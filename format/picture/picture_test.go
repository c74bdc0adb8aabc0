package picture

import (
	"bytes"
	"math"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
)

func ramp(w, h int) []float32 {
	p := make([]float32, 3*w*h)
	for i := range p {
		p[i] = float32(math.Exp2(float64(i%37)/3-4)) + float32(i%5)
	}
	return p
}

func TestHDRWithinItsPrecision(t *testing.T) {
	const w, h = 40, 3
	p := ramp(w, h)
	for i := range 60 { // a flat stretch, so that runs are written
		p[i] = 2
	}
	var b bytes.Buffer
	require.NoError(t, WriteHDR(&b, p, w, h))
	head, body, _ := strings.Cut(b.String(), "-Y 3 +X 40\n")
	require.Contains(t, head, "32-bit_rle_rgbe")
	d := []byte(body)
	for y := range h {
		require.Equal(t, []byte{2, 2, 0, w}, d[:4])
		d = d[4:]
		var line [4][]byte
		for k := range 4 {
			for len(line[k]) < w {
				if n := int(d[0]); n > 128 {
					line[k] = append(line[k], bytes.Repeat(d[1:2], n-128)...)
					d = d[2:]
				} else {
					line[k] = append(line[k], d[1:1+n]...)
					d = d[1+n:]
				}
			}
			require.Len(t, line[k], w)
		}
		for x := range w {
			s := math.Exp2(float64(line[3][x]) - 128 - 8)
			top := float64(max(p[3*(y*w+x)], p[3*(y*w+x)+1], p[3*(y*w+x)+2]))
			for k := range 3 {
				require.InDelta(t, p[3*(y*w+x)+k], (float64(line[k][x])+0.5)*s, top/128)
			}
		}
	}
	require.Empty(t, d)
}
