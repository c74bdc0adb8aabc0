package exr

import (
	"encoding/binary"
	"errors"
	"math"
	"strings"
)

// The ways in which DWA keeps a channel.
const (
	asIs byte = iota
	waves
	runLengths
)

// rule says how channels with a last name and a type are kept.
type rule struct {
	last    string
	scheme  byte
	kind    pixelType
	colour  int // 0, 1, 2 of a set of three that were turned into brightness and two differences, or -1
	anyCase bool
}

// oldRules are those of files that bring none.
var oldRules = []rule{
	{"r", waves, half, 0, true}, {"red", waves, half, 0, true}, {"g", waves, half, 1, true}, {"grn", waves, half, 1, true}, {"green", waves, half, 1, true},
	{"b", waves, half, 2, true}, {"blu", waves, half, 2, true}, {"blue", waves, half, 2, true}, {"y", waves, half, -1, true}, {"by", waves, half, -1, true},
	{"ry", waves, half, -1, true}, {"a", runLengths, half, -1, true}, {"r", waves, float, 0, true}, {"g", waves, float, 1, true}, {"b", waves, float, 2, true},
}

// dwaChannel is a channel of a block while it is unpacked.
type dwaChannel struct {
	*channel
	nx, ny int
	layer  string
	rule   rule
	plane  []byte
}

// dwa is a block's streams.
type dwa struct {
	plain, runs, first []byte
	rest               []uint16
}

// unpackDWA undoes DWAA and DWAB: squares of eight by eight as cosines, in a scale that
// is even to the eye; alpha in runs; everything else as it is.
func unpackDWA(b *block, data []byte) ([]byte, error) {
	r := &reader{data: data}
	var size [11]int
	for i := range size {
		v := binary.LittleEndian.Uint64(r.take(8))
		if v > 1<<31 {
			return nil, errShort
		}
		size[i] = int(v)
	}
	if size[0] > 2 {
		return nil, errors.New("its version is not known: save it with ZIP")
	}
	rules := oldRules
	if size[0] == 2 {
		var err error
		if rules, err = readRules(r); err != nil {
			return nil, err
		}
	}
	plain, rest, first, runned := r.take(size[2]), r.take(size[3]), r.take(size[4]), r.take(size[5])
	if r.short {
		return nil, errShort
	}
	most := 4*b.size + 64
	if size[1] > most || size[6] > 2*most || size[7] > most || size[8] > most || size[9] > most {
		return nil, errCodes
	}
	var d dwa
	var err error
	if len(plain) > 0 {
		if d.plain, err = inflate(plain, size[1]); err != nil {
			return nil, err
		}
	}
	if len(runned) > 0 {
		if runned, err = inflate(runned, size[6]); err != nil {
			return nil, err
		}
		if d.runs, err = runs(runned, size[7]); err != nil {
			return nil, err
		}
	}
	if len(first) > 0 {
		if first, err = inflate(first, 2*size[9]); err != nil {
			return nil, err
		}
		d.first = unshuffle(first)
	}
	if d.rest, err = restOf(rest, size[8], size[10] == 1); err != nil {
		return nil, err
	}
	return d.unpack(b, rules)
}

// restOf reads all but the first number of each square.
func restOf(data []byte, n int, deflated bool) ([]uint16, error) {
	if len(data) == 0 {
		return nil, nil
	}
	if !deflated {
		return unhuffman(data, n)
	}
	raw, err := inflate(data, 2*n)
	if err != nil {
		return nil, err
	}
	out := make([]uint16, len(raw)/2)
	for i := range out {
		out[i] = binary.LittleEndian.Uint16(raw[2*i:])
	}
	return out, nil
}

func readRules(r *reader) (rules []rule, err error) {
	in := &reader{data: r.take(int(binary.LittleEndian.Uint16(r.take(2))) - 2)}
	for len(in.data) > 0 && !r.short {
		u := rule{last: in.word()}
		how := in.u8()
		u.colour, u.scheme, u.anyCase, u.kind = int(how>>4)-1, how>>2&3, how&1 != 0, pixelType(in.u8())
		if in.short || u.colour > 2 || u.scheme > runLengths || u.kind > float {
			return nil, errCodes
		}
		rules = append(rules, u)
	}
	if r.short {
		return nil, errShort
	}
	return rules, nil
}

func (d *dwa) unpack(b *block, rules []rule) ([]byte, error) {
	var all []*dwaChannel
	_ = b.planes(func(c *channel, nx, ny int) error {
		layer, last := "", c.name
		if k := strings.LastIndexByte(c.name, '.'); k >= 0 {
			layer, last = c.name[:k], c.name[k+1:]
		}
		q := &dwaChannel{channel: c, nx: nx, ny: ny, layer: layer, rule: rule{colour: -1}, plane: make([]byte, nx*ny*c.kind.size())}
		for _, u := range rules {
			if u.kind == c.kind && (u.last == last || u.anyCase && strings.EqualFold(u.last, last)) {
				q.rule = u
				break
			}
		}
		all = append(all, q)
		return nil
	})
	if err := d.coloured(all); err != nil {
		return nil, err
	}
	planes := make([][]byte, len(all))
	for i, q := range all {
		var err error
		switch {
		case q.rule.scheme == asIs:
			err = take(&d.plain, q.plane)
		case q.rule.scheme == runLengths:
			err = d.apart(q)
		case q.rule.colour != done:
			err = d.squares([]*dwaChannel{q})
		}
		if err != nil {
			return nil, err
		}
		planes[i] = q.plane
	}
	return b.interleaved(planes), nil
}

// done marks a channel that came with its set.
const done = 3

// coloured unpacks the sets of three of each layer, which lie before the others.
func (d *dwa) coloured(all []*dwaChannel) error {
	var layers []string
	sets := map[string]*[3]*dwaChannel{}
	for _, q := range all {
		if q.rule.scheme != waves || q.rule.colour < 0 {
			continue
		}
		if sets[q.layer] == nil {
			sets[q.layer] = new([3]*dwaChannel)
			layers = append(layers, q.layer)
		}
		sets[q.layer][q.rule.colour] = q
	}
	for _, l := range layers {
		s := sets[l]
		if s[0] == nil || s[1] == nil || s[2] == nil || s[0].nx != s[1].nx || s[0].nx != s[2].nx || s[0].ny != s[1].ny || s[0].ny != s[2].ny {
			continue
		}
		if err := d.squares(s[:]); err != nil {
			return err
		}
		for _, q := range s {
			q.rule.colour = done
		}
	}
	return nil
}

func take(from *[]byte, into []byte) error {
	if len(*from) < len(into) {
		return errShort
	}
	copy(into, *from)
	*from = (*from)[len(into):]
	return nil
}

// apart unpacks a channel whose samples' bytes lie apart: all first ones, all second ones.
func (d *dwa) apart(q *dwaChannel) error {
	n, each := q.nx*q.ny, q.kind.size()
	if len(d.runs) < n*each {
		return errShort
	}
	for k := range each {
		for i := range n {
			q.plane[i*each+k] = d.runs[k*n+i]
		}
	}
	d.runs = d.runs[n*each:]
	return nil
}

// squares unpacks one channel, or three that were turned into brightness and differences.
func (d *dwa) squares(set []*dwaChannel) error {
	wide, high := (set[0].nx+7)/8, (set[0].ny+7)/8
	n := wide * high
	if len(d.first) < 2*n*len(set) {
		return errShort
	}
	var s [3][64]float32
	for at := range n {
		for k := range set {
			flat, ok := d.square(&s[k], binary.LittleEndian.Uint16(d.first[2*(k*n+at):]))
			if !ok {
				return errShort
			}
			uncosine(&s[k], flat)
		}
		if len(set) == 3 {
			for i := range 64 {
				y, b, r := s[0][i], s[1][i], s[2][i]
				s[0][i], s[1][i], s[2][i] = y+1.5747*r, y-0.1873*b-0.4682*r, y+1.8556*b
			}
		}
		for k, q := range set {
			q.put(&s[k], at%wide*8, at/wide*8)
		}
	}
	d.first = d.first[2*n*len(set):]
	return nil
}

// zigzag is where each number of a square lies in it.
var zigzag = [64]byte{
	0, 1, 8, 16, 9, 2, 3, 10, 17, 24, 32, 25, 18, 11, 4, 5, 12, 19, 26, 33, 40, 48, 41, 34, 27, 20, 13, 6, 7, 14, 21, 28,
	35, 42, 49, 56, 57, 50, 43, 36, 29, 22, 15, 23, 30, 37, 44, 51, 58, 59, 52, 45, 38, 31, 39, 46, 53, 60, 61, 54, 47, 55, 62, 63,
}

// square reads the numbers of one: flat where all but the first are nought.
func (d *dwa) square(s *[64]float32, first uint16) (flat, ok bool) {
	*s = [64]float32{toFloat[first]}
	flat = true
	for i := 1; i < 64; {
		if len(d.rest) == 0 {
			return flat, false
		}
		v := d.rest[0]
		d.rest = d.rest[1:]
		switch {
		case v == 0xff00:
			return flat, true
		case v>>8 == 0xff:
			i += int(v & 0xff)
		default:
			s[zigzag[i]] = toFloat[v]
			flat = false
			i++
		}
	}
	return flat, true
}

// cosines are those of the eight waves at eight places, with their weights.
var cosines = func() (t [8][8]float32) {
	for u := range t {
		w := 0.5
		if u == 0 {
			w = math.Sqrt(0.125)
		}
		for x := range t[u] {
			t[u][x] = float32(w * math.Cos(float64((2*x+1)*u)*math.Pi/16))
		}
	}
	return t
}()

// uncosine undoes the cosine transform of a square.
func uncosine(s *[64]float32, flat bool) {
	if flat {
		v := s[0] / 8
		for i := range s {
			s[i] = v
		}
		return
	}
	var t [64]float32
	for y := range 8 {
		for x := range 8 {
			var sum float32
			for u := range 8 {
				sum += s[8*y+u] * cosines[u][x]
			}
			t[8*y+x] = sum
		}
	}
	for x := range 8 {
		for y := range 8 {
			var sum float32
			for v := range 8 {
				sum += t[8*v+x] * cosines[v][y]
			}
			s[8*y+x] = sum
		}
	}
}

// linearised takes DWA's scale, even to the eye, back to light.
var linearised = func() (t [65536]uint16) {
	base := math.Pow(2.7182818, 2.2)
	for i := range t {
		f := float64(toFloat[i])
		a := math.Abs(f)
		switch {
		case i&0x7c00 == 0x7c00:
			t[i] = 0
			continue
		case a <= 1:
			a = math.Pow(a, 2.2)
		default:
			a = math.Pow(base, a-1)
		}
		t[i] = fromFloat(float32(math.Copysign(a, f)))
	}
	return t
}()

// put writes a square into its channel, as far as that goes.
func (q *dwaChannel) put(s *[64]float32, x, y int) {
	for j := range min(8, q.ny-y) {
		for i := range min(8, q.nx-x) {
			v := fromFloat(s[8*j+i])
			if !q.linear || q.rule.colour >= 0 {
				v = linearised[v]
			}
			at := (y+j)*q.nx + x + i
			if q.kind == half {
				binary.LittleEndian.PutUint16(q.plane[2*at:], v)
			} else {
				binary.LittleEndian.PutUint32(q.plane[4*at:], math.Float32bits(toFloat[v]))
			}
		}
	}
}
