package exr

import (
	"encoding/binary"
	"math"
)

// unpackB44 undoes B44 and B44A: halves in squares of four by four, 14 bytes each or 3
// where all are the same; what is no half lies there as it is.
func unpackB44(b *block, data []byte) ([]byte, error) {
	planes := make([][]byte, 0, len(b.part.channels))
	err := b.planes(func(c *channel, nx, ny int) (err error) {
		plane := make([]byte, nx*ny*c.kind.size())
		if c.kind != half {
			if len(data) < len(plane) {
				return errShort
			}
			copy(plane, data)
			data = data[len(plane):]
		} else if data, err = squares(plane, data, nx, ny, c.linear); err != nil {
			return err
		}
		planes = append(planes, plane)
		return nil
	})
	if err != nil {
		return nil, err
	}
	return b.interleaved(planes), nil
}

// interleaved puts planes of channels into lines, as a file without compression has them.
func (b *block) interleaved(planes [][]byte) []byte {
	out := make([]byte, 0, b.size)
	b.rows(func(i, row, nx int) {
		n := nx * b.part.channels[i].kind.size()
		out = append(out, planes[i][row*n:(row+1)*n]...)
	})
	return out
}

func squares(plane, data []byte, nx, ny int, logarithmic bool) ([]byte, error) {
	var s [16]uint16
	for y := 0; y < ny; y += 4 {
		for x := 0; x < nx; x += 4 {
			n := 14
			if len(data) >= 3 && data[2] >= 13<<2 {
				n = 3
			}
			if len(data) < n {
				return nil, errShort
			}
			if n == 3 {
				flatSquare(data, &s)
			} else {
				square(data, &s)
			}
			data = data[n:]
			for j := range min(4, ny-y) {
				for i := range min(4, nx-x) {
					v := s[4*j+i]
					if logarithmic {
						v = logarithm(v)
					}
					binary.LittleEndian.PutUint16(plane[2*((y+j)*nx+x+i):], v)
				}
			}
		}
	}
	return data, nil
}

// ordered turns halves in an order that compares as numbers back into halves.
func ordered(v uint16) uint16 {
	if v&0x8000 != 0 {
		return v & 0x7fff
	}
	return ^v
}

func flatSquare(d []byte, s *[16]uint16) {
	v := ordered(uint16(d[0])<<8 | uint16(d[1]))
	for i := range s {
		s[i] = v
	}
}

// square: a first value of 16 bits, and 15 differences of six bits, shifted: three down
// the first column, then each from its left neighbour.
func square(d []byte, s *[16]uint16) {
	shift := uint(d[2] >> 2)
	bias := uint16(0x20) << shift
	var bits uint64
	have, at := uint(2), 3 // two bits of the third byte are left
	bits = uint64(d[2] & 3)
	next := func() uint16 {
		for have < 6 {
			bits, have, at = bits<<8|uint64(d[at]), have+8, at+1
		}
		have -= 6
		v := uint16(bits>>have) & 0x3f
		return v<<shift - bias
	}
	s[0] = uint16(d[0])<<8 | uint16(d[1])
	for j := 1; j < 4; j++ {
		s[4*j] = s[4*j-4] + next()
	}
	for i := 1; i < 4; i++ {
		for j := range 4 {
			s[4*j+i] = s[4*j+i-1] + next()
		}
	}
	for i := range s {
		s[i] = ordered(s[i])
	}
}

// logarithm is how B44 keeps a channel that is already linear to the eye.
func logarithm(v uint16) uint16 {
	f := float64(toFloat[v])
	if !(f > 0) || math.IsInf(f, 0) {
		return 0
	}
	return fromFloat(float32(8 * math.Log(f)))
}
