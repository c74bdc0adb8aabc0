package exr

import (
	"bytes"
	"encoding/binary"
	"errors"
	"io"

	"github.com/klauspost/compress/zlib"
)

var errShort = errors.New("it ends too soon: save it again")

// inflate undoes zlib into at most most bytes.
func inflate(data []byte, most int) ([]byte, error) {
	z, err := zlib.NewReader(bytes.NewReader(data))
	if err != nil {
		return nil, err
	}
	out := bytes.NewBuffer(make([]byte, 0, min(most, 64*len(data)+64)))
	if _, err := io.Copy(out, io.LimitReader(z, int64(most)+1)); err != nil {
		return nil, err
	}
	if out.Len() > most {
		return nil, errors.New("it holds more than it may: save it again")
	}
	return out.Bytes(), nil
}

// unshuffle undoes the differences and the two halves that ZIP and RLE put bytes into.
func unshuffle(t []byte) []byte {
	for i := 1; i < len(t); i++ {
		t[i] += t[i-1] - 128
	}
	out := make([]byte, len(t))
	n := (len(t) + 1) / 2
	for i := range out {
		out[i] = t[i/2+i%2*n]
	}
	return out
}

func unpackZIP(b *block, data []byte) ([]byte, error) {
	t, err := inflate(data, b.size)
	if err != nil {
		return nil, err
	}
	return unshuffle(t), nil
}

// runs undoes the lengths of runs: n < 0 copies -n bytes, else one byte n + 1 times.
func runs(data []byte, most int) ([]byte, error) {
	out := make([]byte, 0, most)
	for len(data) > 0 {
		n := int(int8(data[0]))
		data = data[1:]
		if n < 0 {
			if -n > len(data) || len(out)-n > most {
				return nil, errShort
			}
			out = append(out, data[:-n]...)
			data = data[-n:]
			continue
		}
		if len(data) == 0 || len(out)+n+1 > most {
			return nil, errShort
		}
		for range n + 1 {
			out = append(out, data[0])
		}
		data = data[1:]
	}
	return out, nil
}

func unpackRLE(b *block, data []byte) ([]byte, error) {
	t, err := runs(data, b.size)
	if err != nil {
		return nil, err
	}
	return unshuffle(t), nil
}

// unpackPXR24 undoes Pixar's 24-bit compression: zlib over the differences of samples,
// their bytes apart, floats without their last eight bits.
func unpackPXR24(b *block, data []byte) ([]byte, error) {
	t, err := inflate(data, b.size)
	if err != nil {
		return nil, err
	}
	out := make([]byte, 0, b.size)
	ok := true
	b.rows(func(i, _, nx int) {
		kind := b.part.channels[i].kind
		bytesEach, drop := kind.size(), 0
		if kind == float {
			bytesEach, drop = 3, 8
		}
		if !ok || len(t) < nx*bytesEach {
			ok = false
			return
		}
		var v uint32
		for x := range nx {
			var d uint32
			for k := range bytesEach {
				d = d<<8 | uint32(t[k*nx+x])
			}
			v += d << drop
			if kind == half {
				out = binary.LittleEndian.AppendUint16(out, uint16(v))
			} else {
				out = binary.LittleEndian.AppendUint32(out, v)
			}
		}
		t = t[nx*bytesEach:]
	})
	if !ok {
		return nil, errShort
	}
	return out, nil
}
