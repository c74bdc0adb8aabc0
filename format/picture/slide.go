package picture

import (
	"bytes"
	"errors"
	"fmt"
	"image"
	_ "image/jpeg"
	_ "image/png"

	"golang.org/x/image/draw"
	"willowherb/core/colour"
	"willowherb/core/vec"
)

// Limits of a picture that becomes a slide.
const (
	MaxSlideBytes = 32 << 20
	maxSlideSide  = 8192
)

// ReadFinished reads a PNG or JPEG as it is shown, no more than wide pixels wide or high.
func ReadFinished(name string, data []byte, wide int) (image.Image, error) {
	im, err := decode(name, data, "a reference")
	if err != nil {
		return nil, err
	}
	b := im.Bounds()
	side := max(b.Dx(), b.Dy())
	if side <= wide {
		return im, nil
	}
	small := image.NewNRGBA(image.Rect(0, 0, max(wide*b.Dx()/side, 1), max(wide*b.Dy()/side, 1)))
	draw.CatmullRom.Scale(small, small.Bounds(), im, b, draw.Src, nil)
	return small, nil
}

// decode reads a PNG or JPEG within the limits; what names it in errors.
func decode(name string, data []byte, what string) (image.Image, error) {
	if len(data) > MaxSlideBytes {
		return nil, fmt.Errorf("%s: has %d bytes, over the limit of %d: make it smaller", name, len(data), MaxSlideBytes)
	}
	c, kind, err := image.DecodeConfig(bytes.NewReader(data))
	if err != nil {
		return nil, fmt.Errorf("%s: is no picture that can be read: choose a PNG or JPEG", name)
	}
	if c.Width < 1 || c.Height < 1 || c.Width > maxSlideSide || c.Height > maxSlideSide {
		return nil, fmt.Errorf("%s: is %d by %d pixels: %s may be up to %d wide and high", name, c.Width, c.Height, what, maxSlideSide)
	}
	im, _, err := image.Decode(bytes.NewReader(data))
	if err != nil {
		return nil, fmt.Errorf("%s: the %s is damaged: save it again (%w)", name, kind, errors.Unwrap(err))
	}
	return im, nil
}

// ReadSlide reads a PNG or JPEG as a slide of size by size: linear shares of each
// primary, rows from the top, what lies beside a picture that is not square dark,
// what is see-through clear.
func ReadSlide(name string, data []byte, size int) ([]vec.V3, error) {
	im, err := decode(name, data, "a slide")
	if err != nil {
		return nil, err
	}
	c := im.Bounds().Size()
	side := max(c.X, c.Y)
	w, h := max(size*c.X/side, 1), max(size*c.Y/side, 1)
	small := image.NewNRGBA64(image.Rect(0, 0, size, size))
	x, y := (size-w)/2, (size-h)/2
	draw.CatmullRom.Scale(small, image.Rect(x, y, x+w, y+h), im, im.Bounds(), draw.Src, nil)
	out := make([]vec.V3, size*size)
	for i := range out {
		p := small.NRGBA64At(i%size, i/size)
		if i%size < x || i%size >= x+w || i/size < y || i/size >= y+h {
			continue
		}
		a := float64(p.A) / 65535
		v := func(u uint16) float64 { return 1 - a + a*colour.DecodeSRGB(float64(u)/65535) }
		out[i] = vec.New(v(p.R), v(p.G), v(p.B))
	}
	return out, nil
}
