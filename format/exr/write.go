package exr

import (
	"bytes"
	"encoding/binary"
	"errors"
	"fmt"
	"io"
	"math"

	"github.com/klauspost/compress/zlib"
)

// Compression of an EXR file.
type Compression uint8

// Compressions, with the numbers of the format.
const (
	None Compression = 0
	ZIP  Compression = 3 // sixteen scanlines a block
)

// Write writes rgb (3*w*h) as a scanline OpenEXR 2 file with 32-bit float
// channels B, G, R ("The OpenEXR File Layout", ASWF). It is long because the
// header and its table are written where their sizes are known.
func Write(out io.Writer, rgb []float32, w, h int, c Compression) error {
	if w < 1 || h < 1 || len(rgb) != 3*w*h {
		return errors.New("exr: the picture's size does not fit its data")
	}
	if c != None && c != ZIP {
		return fmt.Errorf("exr: compression %d is not written", c)
	}
	var head bytes.Buffer
	le := binary.LittleEndian
	u32 := func(v uint32) { _ = binary.Write(&head, le, v) }
	u32(20000630)
	u32(2)
	attr := func(name, kind string, data []byte) {
		head.WriteString(name + "\x00" + kind + "\x00")
		u32(uint32(len(data)))
		head.Write(data)
	}
	var ch []byte
	for _, n := range []string{"B", "G", "R"} {
		ch = append(ch, n...)
		ch = append(ch, 0)
		for _, v := range []uint32{2, 0, 1, 1} { // FLOAT, not linear, sampled everywhere
			ch = le.AppendUint32(ch, v)
		}
	}
	box := func() (b []byte) {
		for _, v := range []uint32{0, 0, uint32(w - 1), uint32(h - 1)} {
			b = le.AppendUint32(b, v)
		}
		return b
	}
	floats := func(v ...float32) (b []byte) {
		for _, f := range v {
			b = le.AppendUint32(b, math.Float32bits(f))
		}
		return b
	}
	attr("channels", "chlist", append(ch, 0))
	attr("chromaticities", "chromaticities", floats(0.64, 0.33, 0.30, 0.60, 0.15, 0.06, 0.3127, 0.3290))
	attr("compression", "compression", []byte{byte(c)})
	attr("dataWindow", "box2i", box())
	attr("displayWindow", "box2i", box())
	attr("lineOrder", "lineOrder", []byte{0})
	attr("pixelAspectRatio", "float", floats(1))
	attr("screenWindowCenter", "v2f", floats(0, 0))
	attr("screenWindowWidth", "float", floats(1))
	attr("whiteLuminance", "float", floats(1)) // values are cd/m2
	head.WriteByte(0)

	rows := 1
	if c == ZIP {
		rows = 16
	}
	var blocks [][]byte
	for y0 := 0; y0 < h; y0 += rows {
		n := min(rows, h-y0)
		raw := make([]byte, 0, n*w*12)
		for y := y0; y < y0+n; y++ {
			for k := 2; k >= 0; k-- {
				for x := range w {
					raw = le.AppendUint32(raw, math.Float32bits(rgb[3*(y*w+x)+k]))
				}
			}
		}
		body := raw
		if c == ZIP {
			z, err := deflate(raw)
			if err != nil {
				return err
			}
			if len(z) < len(raw) {
				body = z
			}
		}
		b := le.AppendUint32(nil, uint32(y0))
		b = le.AppendUint32(b, uint32(len(body)))
		blocks = append(blocks, append(b, body...))
	}
	at := uint64(head.Len() + 8*len(blocks))
	for _, b := range blocks {
		_ = binary.Write(&head, le, at)
		at += uint64(len(b))
	}
	if _, err := out.Write(head.Bytes()); err != nil {
		return err
	}
	for _, b := range blocks {
		if _, err := out.Write(b); err != nil {
			return err
		}
	}
	return nil
}

// deflate is EXR's ZIP: bytes split into even and odd halves, differences, zlib.
func deflate(raw []byte) ([]byte, error) {
	t := make([]byte, len(raw))
	half := (len(raw) + 1) / 2
	for i, b := range raw {
		if i%2 == 0 {
			t[i/2] = b
		} else {
			t[half+i/2] = b
		}
	}
	prev := int(t[0])
	for i := 1; i < len(t); i++ {
		d := int(t[i]) - prev + 128 + 256
		prev = int(t[i])
		t[i] = byte(d)
	}
	var z bytes.Buffer
	w := zlib.NewWriter(&z)
	if _, err := w.Write(t); err != nil {
		return nil, err
	}
	if err := w.Close(); err != nil {
		return nil, err
	}
	return z.Bytes(), nil
}
