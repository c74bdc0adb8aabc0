package picture

import (
	"bytes"
	"errors"
	"fmt"
	"math"
	"path/filepath"
	"strconv"
	"strings"

	"willowherb/core/colour"
	"willowherb/format/exr"
)

// Limits of a linear picture that is read.
const (
	MaxLinearBytes = 1 << 30
	maxLinearSide  = 1 << 15
	maxLinear      = 1 << 25 // pixels
	maxHeaderLine  = 4096
	maxHeaderLines = 1000
)

// Linear is a picture of linear light: three numbers a pixel, rows from the top, Rec. 709
// primaries.
type Linear struct {
	W, H int
	RGB  []float32
	// Layer is which layer was read, and Layers all that there are; of EXR files only.
	Layer  string
	Layers []string
	// Cleaned is how many pixels had a value that is no number, infinite or negative, and
	// have nought there instead, or as much as the brightest other.
	Cleaned int
}

// ReadLinear reads a Radiance HDR or an OpenEXR file, whichever the bytes are, and cleans
// it. The layer counts for EXR files.
func ReadLinear(name string, data []byte, layer string) (*Linear, error) {
	var l *Linear
	switch {
	case exr.Is(data):
		p, err := exr.Read(name, data, layer)
		if err != nil {
			return nil, err
		}
		l = &Linear{W: p.W, H: p.H, RGB: p.RGB, Layer: p.Layer, Layers: p.Layers}
	case bytes.HasPrefix(data, []byte("#?")):
		var err error
		if l, err = readHDR(data); err != nil {
			return nil, fmt.Errorf("%s: %w", filepath.Base(name), err)
		}
	default:
		return nil, fmt.Errorf("%s: is neither a Radiance HDR nor an OpenEXR file: save it as one of them", filepath.Base(name))
	}
	l.clean()
	return l, nil
}

func (l *Linear) clean() {
	var most float32
	for _, v := range l.RGB {
		if v > most && !math.IsInf(float64(v), 0) {
			most = v
		}
	}
	for i := 0; i < len(l.RGB); i += 3 {
		bad := false
		for k := i; k < i+3; k++ {
			switch v := l.RGB[k]; {
			case math.IsInf(float64(v), 1):
				l.RGB[k], bad = most, true
			case !(v >= 0):
				l.RGB[k], bad = 0, true
			}
		}
		if bad {
			l.Cleaned++
		}
	}
}

// hdrHead is what the lines before the pixels say.
type hdrHead struct {
	xyz      bool
	exposure float64 // what the values were multiplied by
	w, h     int
	// Whether rows run upwards, columns to the left, and whether columns come first.
	up, left, columns bool
}

// readHDR reads a Radiance picture (Ward 1991, "Real Pixels"; the Radiance reference
// manual): flat, old and new run lengths, any way round.
func readHDR(data []byte) (*Linear, error) {
	if len(data) > MaxLinearBytes {
		return nil, fmt.Errorf("has %d bytes, over the limit of %d: make it smaller", len(data), MaxLinearBytes)
	}
	head, data, err := readHead(data)
	if err != nil {
		return nil, err
	}
	w, h := head.w, head.h
	if head.columns {
		w, h = h, w // of the lines as they lie in the file
	}
	// Run lengths shorten a line to four bytes for each 127 pixels at most.
	if w*h/64 > len(data)+1024 {
		return nil, fmt.Errorf("says that it has %d by %d pixels, more than its bytes can hold: copy it again", head.w, head.h)
	}
	l := &Linear{W: head.w, H: head.h, RGB: make([]float32, 3*w*h)}
	line := make([][4]byte, w)
	scale := 1 / head.exposure
	for y := range h {
		if data, err = readLine(line, data); err != nil {
			return nil, fmt.Errorf("line %d of %d %w: copy it again", y+1, h, err)
		}
		for x, q := range line {
			c := linearOf(q, scale, head.xyz)
			px, py := x, y
			if head.columns {
				px, py = y, x
			}
			if head.left {
				px = head.w - 1 - px
			}
			if head.up {
				py = head.h - 1 - py
			}
			copy(l.RGB[3*(py*head.w+px):], c[:])
		}
	}
	return l, nil
}

// linearOf is the light of a pixel; a mantissa stands for the middle of its step.
func linearOf(q [4]byte, scale float64, xyz bool) (c [3]float32) {
	if q[3] == 0 {
		return c
	}
	k := math.Ldexp(scale, int(q[3])-136)
	v := [3]float64{(float64(q[0]) + 0.5) * k, (float64(q[1]) + 0.5) * k, (float64(q[2]) + 0.5) * k}
	if xyz {
		v = colour.FromXYZ(v)
	}
	return [3]float32{float32(v[0]), float32(v[1]), float32(v[2])}
}

func readHead(data []byte) (head hdrHead, rest []byte, err error) {
	head.exposure = 1
	next := func() (string, error) {
		end := bytes.IndexByte(data[:min(len(data), maxHeaderLine)], '\n')
		if end < 0 {
			return "", errors.New("is cut off in its header: copy it again")
		}
		s := strings.TrimRight(string(data[:end]), "\r")
		data = data[end+1:]
		return s, nil
	}
	for n := 0; ; n++ {
		line, err := next()
		if err != nil {
			return head, nil, err
		}
		if line == "" {
			break
		}
		if n > maxHeaderLines {
			return head, nil, fmt.Errorf("has more than %d lines in its header", maxHeaderLines)
		}
		key, value, _ := strings.Cut(line, "=")
		switch strings.TrimSpace(key) {
		case "FORMAT":
			switch strings.TrimSpace(value) {
			case "32-bit_rle_rgbe":
			case "32-bit_rle_xyze":
				head.xyz = true
			default:
				return head, nil, fmt.Errorf("its format %q is not known: save it as 32-bit_rle_rgbe", strings.TrimSpace(value))
			}
		case "EXPOSURE":
			if e, err := strconv.ParseFloat(strings.TrimSpace(value), 64); err == nil && e > 0 && !math.IsInf(e, 0) {
				head.exposure *= e
			}
		}
	}
	if head.exposure = min(max(head.exposure, 1e-20), 1e20); head.exposure <= 0 {
		head.exposure = 1
	}
	line, err := next()
	if err != nil {
		return head, nil, err
	}
	return head, data, head.size(line)
}

// size reads the line before the pixels: "-Y 1024 +X 2048" and its seven kin.
func (h *hdrHead) size(line string) error {
	f := strings.Fields(line)
	bad := fmt.Errorf("its line of size %q is not understood: write for instance -Y 1024 +X 2048", line[:min(len(line), 60)])
	if len(f) != 4 || len(f[0]) != 2 || len(f[2]) != 2 {
		return bad
	}
	for _, p := range [2][2]string{{f[0], f[1]}, {f[2], f[3]}} {
		n, err := strconv.Atoi(p[1])
		if err != nil || n < 1 {
			return bad
		}
		switch p[0] {
		case "-Y", "+Y":
			h.h, h.up = n, p[0] == "+Y"
		case "+X", "-X":
			h.w, h.left = n, p[0] == "-X"
		default:
			return bad
		}
	}
	if h.w == 0 || h.h == 0 {
		return bad
	}
	h.columns = f[0][1] == 'X'
	if h.w > maxLinearSide || h.h > maxLinearSide || h.w*h.h > maxLinear {
		return fmt.Errorf("is %d by %d pixels: up to %d a side and %d million are read: make it smaller", h.w, h.h, maxLinearSide, maxLinear>>20)
	}
	return nil
}

var errCut = errors.New("is cut off")

// readLine reads one line of pixels.
func readLine(line [][4]byte, data []byte) ([]byte, error) {
	if len(data) < 4 {
		return nil, errCut
	}
	if w := len(line); w >= 8 && w <= 32767 && data[0] == 2 && data[1] == 2 && int(data[2])<<8|int(data[3]) == w {
		return readPlanes(line, data[4:])
	}
	// Flat, or old runs: three ones and how often the pixel before comes again.
	shift := uint(0)
	for x := 0; x < len(line); {
		if len(data) < 4 {
			return nil, errCut
		}
		q := [4]byte(data[:4])
		data = data[4:]
		if q[0] != 1 || q[1] != 1 || q[2] != 1 {
			line[x], shift = q, 0
			x++
			continue
		}
		n := int(q[3]) << shift
		if shift += 8; x == 0 || n > len(line)-x || shift > 24 {
			return nil, errors.New("has a run that is too long")
		}
		for ; n > 0; n-- {
			line[x] = line[x-1]
			x++
		}
	}
	return data, nil
}

// readPlanes reads new runs: the four bytes of the pixels one after the other.
func readPlanes(line [][4]byte, data []byte) ([]byte, error) {
	for k := range 4 {
		for x := 0; x < len(line); {
			if len(data) < 2 {
				return nil, errCut
			}
			n := int(data[0])
			if n > 128 {
				n -= 128
				if x+n > len(line) {
					return nil, errors.New("has a run that is too long")
				}
				for ; n > 0; n-- {
					line[x][k] = data[1]
					x++
				}
				data = data[2:]
				continue
			}
			if data = data[1:]; n == 0 || x+n > len(line) || n > len(data) {
				return nil, errors.New("has a run that is too long")
			}
			for _, v := range data[:n] {
				line[x][k] = v
				x++
			}
			data = data[n:]
		}
	}
	return data, nil
}
