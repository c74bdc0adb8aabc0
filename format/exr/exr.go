// Package exr reads OpenEXR pictures ("The OpenEXR File Layout", ASWF): scanlines and
// tiles, one part or several, layers, half, float and whole numbers, and every lossless
// and lossy compression of version 2 of the format.
package exr

import (
	"encoding/binary"
	"errors"
	"fmt"
	"math"
	"path/filepath"
	"slices"
	"strings"
)

// Limits of a file that is read.
const (
	MaxBytes    = 1 << 30
	maxSide     = 1 << 15
	maxPixels   = 1 << 25
	maxParts    = 64
	maxChannels = 256
	maxName     = 256
)

// Picture is linear light, three numbers a pixel, rows from the top.
type Picture struct {
	W, H int
	RGB  []float32
	// Layer is which layer was read, empty for the unnamed one; Layers are all that there are.
	Layer  string
	Layers []string
}

// Is reports whether data begins as an OpenEXR file does.
func Is(data []byte) bool { return len(data) >= 4 && binary.LittleEndian.Uint32(data) == magic }

const (
	magic      = 20000630
	tiledFlag  = 0x200
	deepFlag   = 0x800
	partsFlag  = 0x1000
	knownFlags = 0xff | tiledFlag | 0x400 | deepFlag | partsFlag
)

type pixelType int32

const (
	whole pixelType = iota
	half
	float
)

func (t pixelType) size() int {
	if t == half {
		return 2
	}
	return 4
}

type channel struct {
	name   string
	kind   pixelType
	linear bool // its values are no light: B44 and DWA leave them as they are
	sx, sy int
}

// part is a picture of the file.
type part struct {
	name        string
	kind        string
	channels    []channel
	compression byte
	x0, y0      int
	w, h        int
	tiled       bool
	tw, th      int
	mode, round byte
	chunks      int
}

// reader takes numbers off the front of what is left.
type reader struct {
	data  []byte
	short bool
}

func (r *reader) take(n int) []byte {
	if n < 0 || n > len(r.data) {
		r.short, r.data = true, nil
		return make([]byte, max(min(n, 64), 0))
	}
	b := r.data[:n]
	r.data = r.data[n:]
	return b
}

func (r *reader) u8() byte { return r.take(1)[0] }

func (r *reader) i32() int { return int(int32(binary.LittleEndian.Uint32(r.take(4)))) }

// word is text up to a zero.
func (r *reader) word() string {
	end := slices.Index(r.data[:min(len(r.data), maxName)], 0)
	if end < 0 {
		r.short, r.data = true, nil
		return ""
	}
	s := string(r.data[:end])
	r.data = r.data[end+1:]
	return s
}

// Read reads a layer of a file: empty for the one without a name, or the first that has
// colours. A file with brightness alone is grey.
func Read(name string, data []byte, layer string) (*Picture, error) {
	p, err := read(data, layer)
	if err != nil {
		return nil, fmt.Errorf("%s: %w", filepath.Base(name), err)
	}
	return p, nil
}

func read(data []byte, layer string) (*Picture, error) {
	if len(data) > MaxBytes {
		return nil, fmt.Errorf("has %d bytes, over the limit of %d: make it smaller", len(data), MaxBytes)
	}
	if !Is(data) {
		return nil, errors.New("is no OpenEXR file: its first bytes are others")
	}
	parts, rest, err := headers(data)
	if err != nil {
		return nil, err
	}
	at, picked, layers, err := pick(parts, layer)
	if err != nil {
		return nil, err
	}
	p := parts[at]
	if !p.holds(len(data)) {
		return nil, fmt.Errorf("says that it has %d by %d pixels, more than its %d bytes can hold: copy it again", p.w, p.h, len(data))
	}
	out := &Picture{W: p.w, H: p.h, Layer: picked.layer, Layers: layers, RGB: make([]float32, 3*p.w*p.h)}
	d := &decoder{part: p, out: out, slot: make([]int, len(p.channels))}
	for i := range d.slot {
		d.slot[i] = slices.Index(picked.channels[:], i)
	}
	d.grey = picked.grey
	if err := d.chunksOf(data, rest, parts, at); err != nil {
		return nil, err
	}
	if picked.grey {
		for i := 0; i < len(out.RGB); i += 3 {
			out.RGB[i+1], out.RGB[i+2] = out.RGB[i], out.RGB[i]
		}
	}
	return out, nil
}

func headers(data []byte) (parts []*part, rest *reader, err error) {
	r := &reader{data: data[4:]}
	version := r.i32()
	if r.short {
		return nil, nil, errors.New("is cut off in its first bytes: copy it again")
	}
	if version&0xff != 2 || version&^knownFlags != 0 {
		return nil, nil, fmt.Errorf("is of a version of the format that is not known (%#x): save it as OpenEXR 2", version)
	}
	if version&deepFlag != 0 {
		return nil, nil, errors.New("holds deep data, which is not read: flatten it")
	}
	several := version&partsFlag != 0
	for {
		p := &part{tiled: version&tiledFlag != 0, tw: -1, chunks: -1, compression: 255, w: -1}
		any, err := p.header(r)
		if err != nil {
			return nil, nil, err
		}
		if !any {
			break // the empty header that ends them
		}
		if err := p.check(); err != nil {
			return nil, nil, err
		}
		if parts = append(parts, p); !several {
			break
		}
		if len(parts) > maxParts {
			return nil, nil, fmt.Errorf("has more than %d parts", maxParts)
		}
	}
	if len(parts) == 0 {
		return nil, nil, errors.New("has no picture in it")
	}
	return parts, r, nil
}

// header reads the attributes of a part; any is false where there are none.
func (p *part) header(r *reader) (any bool, err error) {
	for {
		name := r.word()
		if r.short {
			return false, errors.New("is cut off in its header: copy it again")
		}
		if name == "" {
			return any, nil
		}
		any = true
		r.word() // its type, which the name implies
		size := r.i32()
		a := &reader{data: r.take(size)}
		if r.short {
			return false, fmt.Errorf("is cut off in its header, in %q: copy it again", name)
		}
		switch name {
		case "channels":
			if err := p.readChannels(a); err != nil {
				return false, err
			}
		case "compression":
			p.compression = a.u8()
		case "dataWindow":
			x0, y0, x1, y1 := a.i32(), a.i32(), a.i32(), a.i32()
			p.x0, p.y0, p.w, p.h = x0, y0, x1-x0+1, y1-y0+1
		case "tiles":
			p.tw, p.th = a.i32(), a.i32()
			mode := a.u8()
			p.mode, p.round = mode&15, mode>>4
		case "type":
			p.kind = string(a.data)
			p.tiled = p.kind == "tiledimage"
		case "name":
			p.name = string(a.data)
		case "chunkCount":
			p.chunks = a.i32()
		}
		if a.short {
			return false, fmt.Errorf("its header is damaged in %q: save it again", name)
		}
	}
}

func (p *part) readChannels(r *reader) error {
	for {
		c := channel{name: r.word()}
		if r.short {
			return errors.New("its list of channels is damaged: save it again")
		}
		if c.name == "" {
			return nil
		}
		c.kind = pixelType(r.i32())
		c.linear = r.u8() != 0
		r.take(3)
		c.sx, c.sy = r.i32(), r.i32()
		if r.short || c.kind < whole || c.kind > float || c.sx < 1 || c.sy < 1 || c.sx > 64 || c.sy > 64 {
			return fmt.Errorf("its channel %q is damaged: save it again", c.name)
		}
		if p.channels = append(p.channels, c); len(p.channels) > maxChannels {
			return fmt.Errorf("has more than %d channels: save fewer", maxChannels)
		}
	}
}

func (p *part) check() error {
	switch {
	case strings.HasPrefix(p.kind, "deep"):
		return nil // told when it is picked
	case p.w < 1 || p.h < 1 || p.w > maxSide || p.h > maxSide || p.w*p.h > maxPixels || p.x0 < -1<<28 || p.x0 > 1<<28 || p.y0 < -1<<28 || p.y0 > 1<<28:
		return fmt.Errorf("is %d by %d pixels: up to %d a side and %d million are read: make it smaller", p.w, p.h, maxSide, maxPixels>>20)
	case len(p.channels) == 0:
		return errors.New("has no channels")
	case int(p.compression) >= len(schemes):
		return fmt.Errorf("its compression %d is not known: save it with ZIP", p.compression)
	case p.tiled && (p.tw < 1 || p.th < 1 || p.tw > maxSide || p.th > maxSide || p.mode > 2 || p.round > 1):
		return errors.New("its tiles are damaged: save it again")
	}
	return nil
}

// holds reports whether so many bytes can hold the part at all: zlib packs a thousandfold
// at most, and DWA puts 64 samples into one before that.
func (p *part) holds(n int) bool {
	ratio := 1200
	if p.compression >= 8 {
		ratio *= 64
	}
	bytesEach := 0
	for _, c := range p.channels {
		bytesEach += c.kind.size()
	}
	return p.w*p.h*bytesEach/64 <= ratio*n/64+1024
}

// picked is the layer that is read: the channels of red, green and blue in its part.
type picked struct {
	layer    string
	channels [3]int
	grey     bool
}

// pick finds the layer that is asked for among the parts.
func pick(parts []*part, asked string) (at int, best picked, layers []string, err error) {
	at = -1
	for i, p := range parts {
		if strings.HasPrefix(p.kind, "deep") {
			continue
		}
		for _, l := range p.layers() {
			name := l.layer
			if p.name != "" && len(parts) > 1 {
				name = strings.TrimSuffix(p.name+"."+l.layer, ".")
			}
			layers = append(layers, name)
			if at < 0 && (asked == "" || asked == name || asked == l.layer) {
				at, best = i, l
				best.layer = name
			}
		}
	}
	if at >= 0 {
		return at, best, layers, nil
	}
	if asked != "" {
		return 0, best, nil, fmt.Errorf("has no layer %q; it has: %s", asked, strings.Join(quoted(layers), ", "))
	}
	return 0, best, nil, errors.New("has no channels R, G and B, nor Y: save it with colours")
}

func quoted(list []string) (out []string) {
	for _, s := range list {
		out = append(out, fmt.Sprintf("%q", s))
	}
	return out
}

// layers are the sets of channels that make a colour, the one without a name first.
func (p *part) layers() (out []picked) {
	sets := map[string]map[string]int{}
	var names []string
	for i, c := range p.channels {
		layer, last := "", c.name
		if k := strings.LastIndexByte(c.name, '.'); k >= 0 {
			layer, last = c.name[:k], c.name[k+1:]
		}
		if sets[layer] == nil {
			sets[layer] = map[string]int{}
			names = append(names, layer)
		}
		sets[layer][strings.ToUpper(last)] = i
	}
	slices.Sort(names)
	for _, n := range names {
		s := sets[n]
		r, hasR := s["R"]
		g, hasG := s["G"]
		b, hasB := s["B"]
		y, hasY := s["Y"]
		_, chroma := s["RY"]
		switch {
		case hasR && hasG && hasB:
			out = append(out, picked{n, [3]int{r, g, b}, false})
		case hasY && !chroma:
			out = append(out, picked{n, [3]int{y, -1, -1}, true})
		}
	}
	return out
}

// toFloat is every half as a float.
var toFloat = func() (t [65536]float32) {
	for i := range t {
		sign, exp, man := uint32(i>>15)<<31, uint32(i>>10&31), uint32(i&1023)
		switch exp {
		case 0:
			v := float32(man) / (1 << 24)
			t[i] = math.Float32frombits(math.Float32bits(v) | sign)
		case 31:
			t[i] = math.Float32frombits(sign | 0x7f800000 | man<<13)
		default:
			t[i] = math.Float32frombits(sign | (exp+112)<<23 | man<<13)
		}
	}
	return t
}()

// fromFloat is the half nearest to a float.
func fromFloat(f float32) uint16 {
	b := math.Float32bits(f)
	sign := uint16(b >> 16 & 0x8000)
	exp := int(b>>23&255) - 112
	man := b & 0x7fffff
	switch {
	case b&0x7fffffff > 0x7f800000:
		return sign | 0x7e00
	case exp >= 31:
		return sign | 0x7c00
	case exp <= 0:
		if exp < -10 {
			return sign
		}
		man |= 0x800000
		shift := uint(14 - exp)
		return sign | uint16((man+1<<(shift-1)-1+man>>shift&1)>>shift)
	}
	return sign | uint16((uint32(exp)<<23|man+0xfff+man>>13&1)>>13)
}
