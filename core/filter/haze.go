package filter

import (
	"context"
	"math"

	"willowherb/core/colour"
	"willowherb/core/film"
	"willowherb/core/spread"
)

// What the air sends on has nothing of the surface behind it but its distance: it changes
// slowly over the picture, and leaps only where the distance does.

// skyward is how far off, in metres, nothing counts as being.
const skyward = 300

// reduced is from which width on the air is filtered at half the size.
const reduced = 400

// haze filters pictures of what the air sends on.
type haze struct {
	w, h, by int
	z        []float32 // logarithm of the distance
}

func (f *Filter) far(i int) float32 {
	if f.depth[i] == 0 {
		return float32(math.Log(skyward))
	}
	return float32(math.Log(float64(min(f.depth[i], skyward))))
}

// haze prepares to filter the air; its pixels are the means of by x by of f's.
func (f *Filter) haze() *haze {
	z := &haze{w: f.w, h: f.h, by: 1}
	if f.w >= reduced {
		z.by, z.w, z.h = 2, (f.w+1)/2, (f.h+1)/2
	}
	z.z = make([]float32, z.w*z.h)
	for y := range z.h {
		for x := range z.w {
			var sum, n float32
			z.pixels(f, x, y, func(i int) { sum, n = sum+f.far(i), n+1 })
			z.z[y*z.w+x] = sum / n
		}
	}
	return z
}

func (z *haze) pixels(f *Filter, x, y int, do func(i int)) {
	for yy := y * z.by; yy < min((y+1)*z.by, f.h); yy++ {
		for xx := x * z.by; xx < min((x+1)*z.by, f.w); xx++ {
			do(yy*f.w + xx)
		}
	}
}

// as is how much two distances are alike.
func as(a, b float32) float32 {
	q := (a - b) * 4
	q *= q
	return 1 / (1 + q*q)
}

// Haze filters pictures of what the air sends on, RGB or luminance, in place, in so many
// levels. weight says how many samples a pixel is the mean of; nil: all as many. Pixels
// without any take what their neighbours have.
func (f *Filter) Haze(ctx context.Context, pictures [][]float32, weight []float32, levels, workers int) error {
	if len(pictures) == 0 || levels <= 0 && weight == nil {
		return nil
	}
	z := f.haze()
	return spread.Over(ctx, len(pictures), workers, func(k int) { z.filter(f, pictures[k], weight, max(levels, 1)) })
}

func (z *haze) filter(f *Filter, pic, weight []float32, levels int) {
	channels := len(pic) / (f.w * f.h)
	n := z.w * z.h
	a, b := make([]float32, (channels+1)*n), make([]float32, (channels+1)*n)
	many := channels + 1
	for y := range z.h {
		for x := range z.w {
			at := many * (y*z.w + x)
			z.pixels(f, x, y, func(i int) {
				w := float32(1)
				if weight != nil {
					w = weight[i]
				}
				for c := range channels {
					a[at+c] += w * pic[channels*i+c]
				}
				a[at+channels] += w
			})
		}
	}
	if z.by > 1 {
		levels = max(levels-1, 1)
	}
	for l := range levels {
		z.pass(a, b, many, 1<<l, 1, z.w)
		z.pass(b, a, many, 1<<l, z.w, z.h)
	}
	z.enlarge(f, a, pic, channels)
}

// pass smooths along one axis with the taps 1 4 6 4 1, a step apart. stride is from one pixel
// to the next along it, long how many there are.
func (z *haze) pass(src, dst []float32, many, step, stride, long int) {
	taps := [5]float32{1. / 16, 4. / 16, 6. / 16, 4. / 16, 1. / 16}
	for i := range z.z {
		at := i / stride % long
		out := dst[many*i : many*i+many]
		clear(out)
		for t, h := range taps {
			d := (t - 2) * step
			if at+d < 0 || at+d >= long {
				continue
			}
			q := i + d*stride
			w := h
			if d != 0 {
				w *= as(z.z[i], z.z[q])
			}
			for c, v := range src[many*q : many*q+many] {
				out[c] += w * v
			}
		}
	}
}

// enlarge gives f's pixels what those around them have that are as far off.
func (z *haze) enlarge(f *Filter, of, out []float32, channels int) {
	sx, sy := 1/float32(z.by), 1/float32(z.by)
	if z.by == 0 {
		sx, sy = float32(z.w)/float32(f.w), float32(z.h)/float32(f.h)
	}
	many := channels + 1
	for i := range f.w * f.h {
		fx, fy := (float32(i%f.w)+0.5)*sx-0.5, (float32(i/f.w)+0.5)*sy-0.5
		x0, y0 := int(math.Floor(float64(fx))), int(math.Floor(float64(fy)))
		own := f.far(i)
		var sum [3]float32
		var total float32
		for k := range 4 {
			xx, yy := x0+k%2, y0+k/2
			dx, dy := fx-float32(xx), fy-float32(yy)
			q := min(max(yy, 0), z.h-1)*z.w + min(max(xx, 0), z.w-1)
			w := (1 - max(dx, -dx)) * (1 - max(dy, -dy)) * (as(own, z.z[q]) + 1e-4)
			p := of[many*q : many*q+many]
			if p[channels] <= 0 || w <= 0 {
				continue
			}
			for c := range channels {
				sum[c] += w * p[c] / p[channels]
			}
			total += w
		}
		for c := range channels {
			if total > 0 {
				out[channels*i+c] = sum[c] / total
			}
		}
	}
}

// EnlargeHaze makes a picture of f's size of a smaller one of what the air sends on.
func (f *Filter) EnlargeHaze(small *Filter, pic []float32) []float32 {
	z := &haze{w: small.w, h: small.h, z: make([]float32, small.w*small.h)}
	of := make([]float32, 4*len(z.z))
	for i := range z.z {
		z.z[i] = small.far(i)
		copy(of[4*i:], pic[3*i:3*i+3])
		of[4*i+3] = 1
	}
	out := make([]float32, 3*f.w*f.h)
	z.enlarge(f, of, out, 3)
	return out
}

// hazeLevels is in how many levels the air of a picture is filtered: in as few as leave no
// more noise than half a per cent of the picture's mean. diff is half the difference of the
// halves of the air alone.
func (f *Filter) hazeLevels(diff []float32, mean float64, most int) int {
	var sum float64
	for _, d := range diff {
		sum += float64(d) * float64(d)
	}
	noise := math.Sqrt(sum / float64(len(diff)))
	for l := range most {
		if noise <= 0.005*mean*1.5*float64(int(1)<<l) {
			return l
		}
	}
	return most
}

// meanOf is the mean luminance of pictures together.
func meanOf(parts map[part]*halves) (mean float64) {
	for _, p := range parts {
		var sum float64
		for i := 0; i < len(p.mean); i += 3 {
			sum += colour.LuminanceAt(p.mean, i)
		}
		mean += sum / float64(max(len(p.mean)/3, 1))
	}
	return mean
}

// isAir tells the kind that Haze is for.
func isAir(k film.Kind) bool { return k == film.Air }
