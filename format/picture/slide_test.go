package picture

import (
	"bytes"
	"image"
	"image/color"
	"testing"

	"github.com/stretchr/testify/require"
	"willowherb/core/vec"
)

func TestReadSlide(t *testing.T) {
	im := image.NewNRGBA(image.Rect(0, 0, 40, 20))
	for i := range 800 {
		c := color.NRGBA{255, 0, 0, 255}
		if i%40 >= 20 {
			c = color.NRGBA{0, 0, 0, 0}
		}
		im.SetNRGBA(i%40, i/40, c)
	}
	var b bytes.Buffer
	require.NoError(t, WritePNG(&b, im))
	s, err := ReadSlide("red.png", b.Bytes(), 16)
	require.NoError(t, err)
	require.Equal(t, vec.V3{}, s[2*16+3], "beside the picture it is dark")
	require.InDelta(t, 1, s[8*16+2].X, 1e-3)
	require.InDelta(t, 0, s[8*16+2].Y, 1e-3)
	require.InDelta(t, 1, s[8*16+13].Y, 1e-3, "see-through is clear")
	_, err = ReadSlide("x.txt", []byte("no picture"), 16)
	require.ErrorContains(t, err, "PNG or JPEG")
	_, err = ReadSlide("cut.png", b.Bytes()[:60], 16)
	require.ErrorContains(t, err, "damaged")
}

func FuzzReadSlide(f *testing.F) {
	var b bytes.Buffer
	_ = WritePNG(&b, image.NewNRGBA(image.Rect(0, 0, 3, 3)))
	f.Add(b.Bytes())
	f.Fuzz(func(t *testing.T, data []byte) {
		if s, err := ReadSlide("fuzz", data, 8); err == nil {
			require.Len(t, s, 64)
		}
	})
}
