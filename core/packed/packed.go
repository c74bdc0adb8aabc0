// Package packed makes bytes of plain data that one build keeps for itself, and reads them again.
package packed

import (
	"bytes"
	"encoding/gob"
	"io"

	"github.com/klauspost/compress/zlib"
)

// Of is data as bytes: encoding/gob, deflated.
func Of(v any) []byte {
	var b bytes.Buffer
	z, err := zlib.NewWriterLevel(&b, zlib.BestSpeed)
	if err == nil {
		err = gob.NewEncoder(z).Encode(v)
	}
	if err == nil {
		err = z.Close()
	}
	if err != nil {
		panic(err) // plain data, to memory
	}
	return b.Bytes()
}

// most is how many bytes are read of deflated data.
const most = 1 << 30

// Read fills v with what Of made of the same type. Error: it is something else, or cut short.
func Read(data []byte, v any) error {
	z, err := zlib.NewReader(bytes.NewReader(data))
	if err != nil {
		return err
	}
	return gob.NewDecoder(io.LimitReader(z, most)).Decode(v)
}
