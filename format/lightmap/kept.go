package lightmap

import (
	"bytes"
	"context"
	"encoding/binary"
	"errors"
	"fmt"
	"io"
	"math"
	"os"
	"path/filepath"

	"github.com/klauspost/compress/zlib"

	"willowherb/core/bake"
	"willowherb/format/intact"
)

// leans, in the number of halves, tells that as many follow of how the light leans.
const leans = 1 << 31

// Pack makes bytes of a layer: its mean and noise (float64), its buried and thin texels, the
// number of halves (uint32 each), and the halves, deflated; all little-endian.
func Pack(l bake.Layer) []byte {
	var b bytes.Buffer
	le := binary.LittleEndian
	head := le.AppendUint64(le.AppendUint64(nil, math.Float64bits(l.Mean)), math.Float64bits(l.Noise))
	head = le.AppendUint32(le.AppendUint32(head, uint32(l.Buried)), uint32(l.Thin))
	many := uint32(len(l.Lux))
	if l.Lean != nil {
		many |= leans
	}
	b.Write(le.AppendUint32(head, many))
	if len(l.Lux) > 0 {
		z, err := zlib.NewWriterLevel(&b, zlib.BestSpeed)
		if err != nil {
			panic(err) // the level is one that there is
		}
		raw := make([]byte, 0, 2*len(l.Lux))
		for _, part := range [2][]uint16{l.Lux, l.Lean} {
			for _, v := range part {
				raw = le.AppendUint16(raw, v)
			}
		}
		_, _ = z.Write(raw) // to memory
		_ = z.Close()
	}
	return b.Bytes()
}

// Unpack reads a packed layer.
func Unpack(data []byte) (l bake.Layer, err error) {
	if len(data) < 28 {
		return l, errors.New("a kept layer is cut short")
	}
	le := binary.LittleEndian
	l.Mean, l.Noise = math.Float64frombits(le.Uint64(data)), math.Float64frombits(le.Uint64(data[8:]))
	l.Buried, l.Thin = int(le.Uint32(data[16:])), int(le.Uint32(data[20:]))
	n, parts := int(le.Uint32(data[24:])&^leans), 1
	if le.Uint32(data[24:])&leans != 0 {
		parts = 2
	}
	if n == 0 {
		return l, nil
	}
	if n > 3*maxSide*maxSide || n > 1100*len(data) { // deflate packs no tighter
		return l, fmt.Errorf("a kept layer says that it has %d numbers", n)
	}
	z, err := zlib.NewReader(bytes.NewReader(data[28:]))
	if err != nil {
		return l, fmt.Errorf("a kept layer is broken: %w", err)
	}
	raw := make([]byte, 2*n*parts)
	if _, err := io.ReadFull(z, raw); err != nil {
		return l, fmt.Errorf("a kept layer is broken: %w", err)
	}
	if _, err := z.Read(make([]byte, 1)); err != io.EOF {
		return l, errors.New("a kept layer is broken: it does not end where it says")
	}
	l.Lux = make([]uint16, n*parts)
	for i := range l.Lux {
		l.Lux[i] = le.Uint16(raw[2*i:])
	}
	if parts == 2 {
		l.Lux, l.Lean = l.Lux[:n:n], l.Lux[n:]
	}
	return l, nil
}

// Folder keeps layers as files, so that a bake into the same folder makes what has changed.
type Folder string

// Layer is for bake.Keeper. What is broken is not there.
func (f Folder) Layer(ctx context.Context, key string) (bake.Layer, bool, error) {
	data, ok, err := f.Data(ctx, key)
	if !ok || err != nil {
		return bake.Layer{}, false, err
	}
	l, err := Unpack(data)
	return l, err == nil, nil
}

// Keep is for bake.Keeper.
func (f Folder) Keep(ctx context.Context, key string, l bake.Layer) error {
	return f.KeepData(ctx, key, Pack(l))
}

// Data is for bake.Keeper.
func (f Folder) Data(_ context.Context, key string) ([]byte, bool, error) {
	data, err := os.ReadFile(filepath.Join(string(f), key))
	return data, err == nil, nil
}

// KeepData is for bake.Keeper.
func (f Folder) KeepData(_ context.Context, key string, data []byte) error {
	if err := os.MkdirAll(string(f), 0o755); err != nil {
		return err
	}
	return intact.Write(filepath.Join(string(f), key), func(w io.Writer) error {
		_, err := w.Write(data)
		return err
	})
}
