package exr

import "encoding/binary"

// unpackPIZ undoes PIZ: codes, then wavelets over each channel, then the table of the
// values that occur.
func unpackPIZ(b *block, data []byte) ([]byte, error) {
	r := &reader{data: data}
	lo, hi := int(binary.LittleEndian.Uint16(r.take(2))), int(binary.LittleEndian.Uint16(r.take(2)))
	var occur [8192]byte
	if lo <= hi {
		if hi >= len(occur) {
			return nil, errCodes
		}
		copy(occur[lo:], r.take(hi-lo+1))
	}
	packed := r.take(r.i32())
	if r.short {
		return nil, errShort
	}
	values := make([]uint16, 0, 1<<16)
	for i := range 1 << 16 {
		if i == 0 || occur[i>>3]&(1<<(i&7)) != 0 {
			values = append(values, uint16(i))
		}
	}
	most := len(values) - 1
	v, err := unhuffman(packed, b.size/2)
	if err != nil {
		return nil, err
	}
	planes := make([][]byte, 0, len(b.part.channels))
	_ = b.planes(func(c *channel, nx, ny int) error {
		words := c.kind.size() / 2
		plane := v[:nx*ny*words]
		v = v[len(plane):]
		for j := range words {
			unwave(plane[j:], nx, words, ny, nx*words, most)
		}
		out := make([]byte, 2*len(plane))
		for i, w := range plane {
			if int(w) < len(values) {
				w = values[w]
			} else {
				w = 0
			}
			binary.LittleEndian.PutUint16(out[2*i:], w)
		}
		planes = append(planes, out)
		return nil
	})
	return b.interleaved(planes), nil
}

// unwave undoes the wavelets of a plane, nx by ny, with steps of ox and oy between
// neighbours.
func unwave(v []uint16, nx, ox, ny, oy, most int) {
	undo := undo16
	if most < 1<<14 {
		undo = undo14
	}
	p := 1
	for p <= min(nx, ny) {
		p <<= 1
	}
	p >>= 1
	p2 := p
	for p >>= 1; p >= 1; p >>= 1 {
		across := func(row int) (x int) {
			for x = 0; x+p2 <= nx; x += p2 {
				at := row + x*ox
				a, b, c, d := at, at+p*ox, at+p*oy, at+p*ox+p*oy
				i00, i10 := undo(v[a], v[c])
				i01, i11 := undo(v[b], v[d])
				v[a], v[b] = undo(i00, i01)
				v[c], v[d] = undo(i10, i11)
			}
			return x
		}
		y := 0
		for ; y+p2 <= ny; y += p2 {
			x := across(y * oy)
			if nx&p != 0 {
				a := y*oy + x*ox
				v[a], v[a+p*oy] = undo(v[a], v[a+p*oy])
			}
		}
		if ny&p != 0 {
			for x := 0; x+p2 <= nx; x += p2 {
				a := y*oy + x*ox
				v[a], v[a+p*ox] = undo(v[a], v[a+p*ox])
			}
		}
		p2 = p
	}
}

func undo14(l, h uint16) (a, b uint16) {
	d := int(int16(h))
	s := int(int16(l)) + d&1 + d>>1
	return uint16(s), uint16(s - d)
}

func undo16(l, h uint16) (a, b uint16) {
	m, d := int(l), int(h)
	bb := (m - d>>1) & 0xffff
	return uint16(d + bb - 0x8000), uint16(bb)
}
