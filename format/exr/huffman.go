package exr

import "errors"

// The codes of PIZ and of DWA's waves: canonical, over 65,537 symbols, the last of which
// repeats the value before it.
const (
	symbols     = 1<<16 + 1
	mostBits    = 58
	shortZeroes = 59 // lengths from here on are runs of symbols without a code
	longZeroes  = 63
	quickBits   = 14
)

var errCodes = errors.New("its codes are damaged: save it again")

// bits reads from the most significant on.
type bits struct {
	data []byte
	buf  uint64
	have uint
}

func (b *bits) need(n uint) bool {
	for b.have < n {
		if len(b.data) == 0 {
			return false
		}
		b.buf = b.buf<<8 | uint64(b.data[0])
		b.have += 8
		b.data = b.data[1:]
	}
	return true
}

func (b *bits) get(n uint) (uint64, bool) {
	if !b.need(n) {
		return 0, false
	}
	b.have -= n
	return b.buf >> b.have & (1<<n - 1), true
}

// codes are what decode looks symbols up in.
type codes struct {
	quick [1 << quickBits]struct {
		symbol uint32
		length uint8 // 0: a longer code, or none
	}
	// By length: the first code and where its symbols begin in order.
	first, from, count [mostBits + 1]uint64
	order              []uint32
}

// unhuffman undoes the codes into exactly n values.
func unhuffman(data []byte, n int) ([]uint16, error) {
	if n == 0 {
		return nil, nil
	}
	r := &reader{data: data}
	lo, hi := r.i32(), r.i32()
	r.take(4)
	total := r.i32()
	r.take(4)
	if r.short || lo < 0 || hi < lo || hi >= symbols || total < 0 {
		return nil, errCodes
	}
	in := &bits{data: r.data}
	lengths, err := codeLengths(in, lo, hi)
	if err != nil {
		return nil, err
	}
	if total > 8*len(in.data) {
		return nil, errShort
	}
	c, err := codesOf(lengths)
	if err != nil {
		return nil, err
	}
	return c.decode(in.data, total, uint32(hi), n)
}

// codeLengths reads how many bits each symbol's code has.
func codeLengths(in *bits, lo, hi int) ([]uint8, error) {
	lengths := make([]uint8, symbols)
	for i := lo; i <= hi; i++ {
		l, ok := in.get(6)
		if !ok {
			return nil, errShort
		}
		if l < shortZeroes {
			lengths[i] = uint8(l)
			continue
		}
		run := int(l) - shortZeroes + 2
		if l == longZeroes {
			more, ok := in.get(8)
			if !ok {
				return nil, errShort
			}
			run = int(more) + 6
		}
		if i+run > hi+1 {
			return nil, errCodes
		}
		i += run - 1
	}
	return lengths, nil
}

func codesOf(lengths []uint8) (*codes, error) {
	c := new(codes)
	for _, l := range lengths {
		c.count[l]++
	}
	c.count[0] = 0
	var code uint64
	for l := mostBits; l > 0; l-- {
		next := (code + c.count[l]) >> 1
		c.first[l] = code
		code = next
	}
	var at uint64
	for l := range c.count {
		c.from[l] = at
		at += c.count[l]
	}
	c.order = make([]uint32, at)
	var used [mostBits + 1]uint64
	for s, l := range lengths {
		if l == 0 {
			continue
		}
		mine := c.first[l] + used[l]
		if mine>>l != 0 {
			return nil, errCodes
		}
		c.order[c.from[l]+used[l]] = uint32(s)
		used[l]++
		if l <= quickBits {
			from := mine << (quickBits - l)
			for k := from; k < from+1<<(quickBits-l); k++ {
				c.quick[k].symbol, c.quick[k].length = uint32(s), l
			}
		}
	}
	return c, nil
}

func (c *codes) decode(data []byte, total int, repeat uint32, n int) ([]uint16, error) {
	out := make([]uint16, 0, n)
	in := &bits{data: data}
	left := total
	for len(out) < n {
		s, used, ok := c.symbol(in, left)
		if !ok {
			return nil, errShort
		}
		if left -= used; s != repeat {
			out = append(out, uint16(s))
			continue
		}
		run, ok := in.get(8)
		if left -= 8; !ok || left < 0 || len(out) == 0 || len(out)+int(run) > n {
			return nil, errCodes
		}
		for v := out[len(out)-1]; run > 0; run-- {
			out = append(out, v)
		}
	}
	return out, nil
}

// symbol reads one code from what is left of the bits.
func (c *codes) symbol(in *bits, left int) (symbol uint32, used int, ok bool) {
	// Behind the end there are noughts, which no code of the rest can need.
	if !in.need(min(quickBits, uint(max(left, 0)))) {
		return 0, 0, false
	}
	var ahead uint64
	if in.have >= quickBits {
		ahead = in.buf >> (in.have - quickBits)
	} else {
		ahead = in.buf << (quickBits - in.have)
	}
	if q := c.quick[ahead&(1<<quickBits-1)]; q.length > 0 && int(q.length) <= left {
		in.have -= uint(q.length)
		return q.symbol, int(q.length), true
	}
	var code uint64
	for l := uint(1); l <= mostBits && int(l) <= left; l++ {
		b, ok := in.get(1)
		if !ok {
			return 0, 0, false
		}
		code = code<<1 | b
		if c.count[l] > 0 && code >= c.first[l] && code-c.first[l] < c.count[l] {
			return c.order[c.from[l]+code-c.first[l]], int(l), true
		}
	}
	return 0, 0, false
}
