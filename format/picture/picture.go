// Package picture writes finished pictures as PNG (8-bit sRGB) and reads and writes
// scene-linear ones as Radiance HDR (shared exponent, run-length coded); OpenEXR is in exr.
// Linear pictures hold RGB in cd/m2, rows from the top, Rec. 709 primaries.
package picture

import (
	"bufio"
	"errors"
	"fmt"
	"image"
	"image/png"
	"io"
	"math"
)

// WritePNG writes an 8-bit sRGB picture.
func WritePNG(w io.Writer, im image.Image) error {
	e := png.Encoder{CompressionLevel: png.BestSpeed}
	return e.Encode(w, im)
}

// WriteHDR writes a Radiance RGBE picture with run-length coded scanlines (Ward
// 1991, "Real Pixels"). A value of 1 in the file is 1 cd/m2.
func WriteHDR(out io.Writer, rgb []float32, w, h int) error {
	if w < 1 || h < 1 || len(rgb) != 3*w*h {
		return errors.New("hdr: the picture's size does not fit its data")
	}
	b := bufio.NewWriter(out)
	fmt.Fprintf(b, "#?RADIANCE\nFORMAT=32-bit_rle_rgbe\nPRIMARIES=0.64 0.33 0.30 0.60 0.15 0.06 0.3127 0.3290\n\n-Y %d +X %d\n", h, w)
	line := make([][4]byte, w)
	for y := range h {
		for x := range w {
			p := rgb[3*(y*w+x):]
			line[x] = rgbe(p[0], p[1], p[2])
		}
		if w < 8 || w > 32767 {
			for _, q := range line {
				b.Write(q[:])
			}
			continue
		}
		b.Write([]byte{2, 2, byte(w >> 8), byte(w)})
		for k := range 4 {
			for x := 0; x < w; {
				run := 1
				for x+run < w && run < 127 && line[x+run][k] == line[x][k] {
					run++
				}
				if run >= 4 {
					b.Write([]byte{byte(128 + run), line[x][k]})
					x += run
					continue
				}
				n := 1
				for x+n < w && n < 128 && !(x+n+3 < w && line[x+n][k] == line[x+n+1][k] && line[x+n][k] == line[x+n+2][k] && line[x+n][k] == line[x+n+3][k]) {
					n++
				}
				b.WriteByte(byte(n))
				for i := range n {
					b.WriteByte(line[x+i][k])
				}
				x += n
			}
		}
	}
	return b.Flush()
}

func rgbe(r, g, b float32) [4]byte {
	m := float64(max(r, g, b))
	if !(m > 1e-32) || math.IsInf(m, 0) {
		return [4]byte{}
	}
	f, e := math.Frexp(m)
	s := f * 256 / m
	q := func(v float32) byte { return byte(max(float64(v)*s, 0)) }
	return [4]byte{q(r), q(g), q(b), byte(e + 128)}
}
