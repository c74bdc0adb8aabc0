package exr

import (
	"encoding/binary"
	"fmt"
	"math"
	"runtime"
	"sync"
)

// scheme is a compression: how many lines a block of it has, and how it is undone. unpack
// gives the block's bytes as they lie in a file without compression.
type scheme struct {
	name   string
	lines  int
	unpack func(b *block, data []byte) ([]byte, error)
}

// schemes by the numbers of the format.
var schemes = [...]scheme{
	{"none", 1, func(_ *block, data []byte) ([]byte, error) { return data, nil }},
	{"RLE", 1, unpackRLE},
	{"ZIPS", 1, unpackZIP},
	{"ZIP", 16, unpackZIP},
	{"PIZ", 32, unpackPIZ},
	{"PXR24", 16, unpackPXR24},
	{"B44", 32, unpackB44},
	{"B44A", 32, unpackB44},
	{"DWAA", 32, unpackDWA},
	{"DWAB", 256, unpackDWA},
}

// block is a rectangle of a part, in the file's own coordinates.
type block struct {
	part       *part
	x, y, w, h int
	size       int // of its bytes without compression
}

// samples are how many of n pixels from a on have one of a channel that has one in s.
func samples(a, n, s int) int {
	if s == 1 {
		return n
	}
	return floorDiv(a+n-1, s) - floorDiv(a-1, s)
}

func floorDiv(a, b int) int {
	q := a / b
	if a%b < 0 {
		q--
	}
	return q
}

func (b *block) measured() *block {
	for _, c := range b.part.channels {
		b.size += samples(b.x, b.w, c.sx) * samples(b.y, b.h, c.sy) * c.kind.size()
	}
	return b
}

// planes tells of each channel in turn how many samples it has across and down.
func (b *block) planes(f func(c *channel, nx, ny int) error) error {
	for i := range b.part.channels {
		c := &b.part.channels[i]
		if err := f(c, samples(b.x, b.w, c.sx), samples(b.y, b.h, c.sy)); err != nil {
			return err
		}
	}
	return nil
}

// rows tells, line by line and channel by channel, which row of a channel's plane comes
// next in a file without compression.
func (b *block) rows(f func(channel, row, nx int)) {
	at := make([]int, len(b.part.channels))
	for y := b.y; y < b.y+b.h; y++ {
		for i, c := range b.part.channels {
			if c.sy != 1 && floorDiv(y, c.sy)*c.sy != y {
				continue
			}
			f(i, at[i], samples(b.x, b.w, c.sx))
			at[i]++
		}
	}
}

// decoder fills a picture from the blocks of its part.
type decoder struct {
	part *part
	out  *Picture
	slot []int // for each channel: which of red, green and blue it is, or -1
	grey bool
}

// chunksOf finds the blocks of the picture and reads them, on all cores.
func (d *decoder) chunksOf(data []byte, rest *reader, parts []*part, want int) error {
	for i, p := range parts {
		n, err := p.count(len(parts) > 1)
		if err != nil {
			return err
		}
		table := rest.take(8 * n)
		if rest.short {
			return fmt.Errorf("is cut off in its table of %d blocks: copy it again", n)
		}
		if i != want {
			continue
		}
		if err := d.all(data, table, len(parts) > 1, i); err != nil {
			return err
		}
	}
	return nil
}

func (d *decoder) all(data, table []byte, several bool, index int) error {
	var wait sync.WaitGroup
	var once sync.Once
	var first error
	work := make(chan int)
	for range min(runtime.GOMAXPROCS(0), len(table)/8) {
		wait.Go(func() {
			for i := range work {
				if err := d.chunk(data, binary.LittleEndian.Uint64(table[8*i:]), several, index); err != nil {
					once.Do(func() { first = fmt.Errorf("block %d of %d: %w", i+1, len(table)/8, err) })
				}
			}
		})
	}
	for i := range len(table) / 8 {
		work <- i
	}
	close(work)
	wait.Wait()
	return first
}

// count is how many blocks a part has.
func (p *part) count(several bool) (int, error) {
	if several {
		if p.chunks < 0 || p.chunks > maxPixels {
			return 0, fmt.Errorf("does not say how many blocks its part %q has: save it again", p.name)
		}
		return p.chunks, nil
	}
	if !p.tiled {
		n := schemes[p.compression].lines
		return (p.h + n - 1) / n, nil
	}
	n, lw, lh := 0, p.levels(p.w), p.levels(p.h)
	tiles := func(lx, ly int) int {
		return ((p.level(p.w, lx) + p.tw - 1) / p.tw) * ((p.level(p.h, ly) + p.th - 1) / p.th)
	}
	switch p.mode {
	case 0:
		n = tiles(0, 0)
	case 1:
		for l := range p.levels(max(p.w, p.h)) {
			n += tiles(l, l)
		}
	default:
		for ly := range lh {
			for lx := range lw {
				n += tiles(lx, ly)
			}
		}
	}
	return n, nil
}

func (p *part) levels(size int) int {
	n := 1
	for size > 1 {
		size = (size + int(p.round)) / 2
		n++
	}
	return n
}

func (p *part) level(size, l int) int {
	return max(1, (size+int(p.round)*(1<<l-1))>>l)
}

// chunk reads the block at a place of the file.
func (d *decoder) chunk(data []byte, at uint64, several bool, index int) error {
	if at >= uint64(len(data)) {
		return fmt.Errorf("is said to be at byte %d of %d: the file is cut off, copy it again", at, len(data))
	}
	p := d.part
	r := &reader{data: data[at:]}
	if several {
		if n := r.i32(); n != index {
			return fmt.Errorf("belongs to part %d: save it again", n)
		}
	}
	b := &block{part: p, x: p.x0, w: p.w}
	if p.tiled {
		tx, ty, lx, ly := r.i32(), r.i32(), r.i32(), r.i32()
		if lx != 0 || ly != 0 {
			return nil // a smaller copy
		}
		if tx < 0 || ty < 0 || tx > (p.w-1)/p.tw || ty > (p.h-1)/p.th {
			return fmt.Errorf("is tile %d, %d, which is outside: save it again", tx, ty)
		}
		b.x, b.y = p.x0+tx*p.tw, p.y0+ty*p.th
		b.w, b.h = min(p.tw, p.x0+p.w-b.x), min(p.th, p.y0+p.h-b.y)
	} else {
		b.y = r.i32()
		if b.y < p.y0 || b.y >= p.y0+p.h {
			return fmt.Errorf("is said to be line %d, which is outside: save it again", b.y)
		}
		b.h = min(schemes[p.compression].lines, p.y0+p.h-b.y)
	}
	b.measured()
	packed := r.take(r.i32())
	if r.short {
		return fmt.Errorf("is cut off: copy it again")
	}
	raw := packed
	if len(packed) < b.size {
		var err error
		if raw, err = schemes[p.compression].unpack(b, packed); err != nil {
			return fmt.Errorf("(%s) is damaged: %w", schemes[p.compression].name, err)
		}
	}
	if len(raw) < b.size {
		return fmt.Errorf("has %d bytes for %d: save it again", len(raw), b.size)
	}
	d.place(b, raw)
	return nil
}

// place puts a block's samples into the picture; where a channel has fewer of them than
// the picture, each counts for its neighbours.
func (d *decoder) place(b *block, raw []byte) {
	p := d.part
	b.rows(func(i, row, nx int) {
		c := p.channels[i]
		line := raw[:nx*c.kind.size()]
		raw = raw[nx*c.kind.size():]
		k := d.slot[i]
		if k < 0 || nx == 0 {
			return
		}
		first := floorDiv(b.y+c.sy-1, c.sy) // of the channel's own rows
		y0 := (first+row)*c.sy - p.y0
		for y := y0; y < min(y0+c.sy, p.h); y++ {
			for x := range b.w {
				s := x
				if c.sx > 1 {
					s = min(max(floorDiv(b.x+x, c.sx)-floorDiv(b.x+c.sx-1, c.sx), 0), nx-1)
				}
				d.out.RGB[3*(y*p.w+b.x-p.x0+x)+k] = c.at(line, s)
			}
		}
	})
}

func (c *channel) at(line []byte, i int) float32 {
	switch c.kind {
	case half:
		return toFloat[binary.LittleEndian.Uint16(line[2*i:])]
	case float:
		return math.Float32frombits(binary.LittleEndian.Uint32(line[4*i:]))
	}
	return float32(binary.LittleEndian.Uint32(line[4*i:]))
}
