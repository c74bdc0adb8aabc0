package gltf

import (
	stdimage "image"
	"image/color"

	"willowherb/core/scene"
)

// pixels takes a decoded picture as it is: colours under alpha 0 are kept, since a
// material may not use its alpha, and a filter between texels needs them; 16 bits a
// channel are kept where fine asks for them.
func pixels(im stdimage.Image, fine bool) *scene.Texture {
	b := im.Bounds()
	t := &scene.Texture{W: b.Dx(), H: b.Dy()}
	switch im.(type) {
	case *stdimage.NRGBA64, *stdimage.RGBA64, *stdimage.Gray16:
		if fine {
			t.Deep = make([]uint16, 0, 4*t.W*t.H)
			each(b, func(x, y int) {
				c := straight(im, x, y)
				t.Deep = append(t.Deep, c.R, c.G, c.B, c.A)
			})
			return t
		}
	}
	t.Pix = make([]uint8, 0, 4*t.W*t.H)
	if p, ok := im.(*stdimage.NRGBA); ok && p.Stride == 4*t.W {
		t.Pix = p.Pix[:4*t.W*t.H]
		return t
	}
	if p, ok := im.(*stdimage.YCbCr); ok { // what most pictures are: without a value for each pixel on the heap
		each(b, func(x, y int) {
			c := p.YCbCrAt(x, y)
			r, g, b := color.YCbCrToRGB(c.Y, c.Cb, c.Cr)
			t.Pix = append(t.Pix, r, g, b, 255)
		})
		return t
	}
	each(b, func(x, y int) {
		c := straight(im, x, y)
		t.Pix = append(t.Pix, uint8(c.R>>8), uint8(c.G>>8), uint8(c.B>>8), uint8(c.A>>8))
	})
	return t
}

func each(b stdimage.Rectangle, do func(x, y int)) {
	for y := b.Min.Y; y < b.Max.Y; y++ {
		for x := b.Min.X; x < b.Max.X; x++ {
			do(x, y)
		}
	}
}

// straight is a picture's colour before it is multiplied by its alpha. The standard
// conversion goes through the product, and loses what lies under alpha 0.
func straight(im stdimage.Image, x, y int) color.NRGBA64 {
	wide := func(r, g, b, a uint8) color.NRGBA64 {
		return color.NRGBA64{R: uint16(r) * 257, G: uint16(g) * 257, B: uint16(b) * 257, A: uint16(a) * 257}
	}
	switch c := im.At(x, y).(type) {
	case color.NRGBA:
		return wide(c.R, c.G, c.B, c.A)
	case color.NRGBA64:
		return c
	case color.YCbCr:
		r, g, b := color.YCbCrToRGB(c.Y, c.Cb, c.Cr)
		return wide(r, g, b, 255)
	case color.NYCbCrA:
		r, g, b := color.YCbCrToRGB(c.Y, c.Cb, c.Cr)
		return wide(r, g, b, c.A)
	case color.RGBA:
		if c.A == 255 {
			return wide(c.R, c.G, c.B, 255)
		}
	}
	return color.NRGBA64Model.Convert(im.At(x, y)).(color.NRGBA64)
}

// fine tells the pictures that are used for normals or roughness, where steps of 8 bits
// are seen in what a smooth surface mirrors.
func (r *reader) fine() map[int]bool {
	out := map[int]bool{}
	use := func(t *textureInfo) {
		if t == nil || t.Index < 0 || t.Index >= len(r.doc.Textures) {
			return
		}
		x := &r.doc.Textures[t.Index]
		if x.Source != nil {
			out[*x.Source] = true
		}
		if w := x.Extensions.WebP; w != nil && w.Source != nil {
			out[*w.Source] = true
		}
	}
	for i := range r.doc.Materials {
		m := &r.doc.Materials[i]
		use(m.NormalTex)
		use(m.PBR.MetalRoughTex)
	}
	return out
}
