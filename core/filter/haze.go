package filter

import (
	"context"
	"math"
	"math/bits"

	"willowherb/core/colour"
	"willowherb/core/film"
	"willowherb/core/spread"
)

// What the air sends on has nothing of the surface behind it but its distance: it changes
// slowly over the picture, and leaps only where the distance does.

// skyward is how far off, in metres, nothing counts as being.
const skyward = 300

// haze is the air of a picture at a size of its own: its pixels are the means of by x by.
type haze struct {
	w, h, by int
	z        []float32 // logarithm of the distance
	full     []float32 // the same of the picture's pixels
}

func (f *Filter) far(i int) float32 {
	if f.depth[i] == 0 {
		return float32(math.Log(skyward))
	}
	return float32(math.Log(float64(min(f.depth[i], skyward))))
}

// haze prepares to filter the air: about 320 pixels across are enough for it.
func (f *Filter) haze(ctx context.Context, workers int) (*haze, error) {
	by := max((f.w+160)/320, 1)
	z := &haze{w: (f.w + by - 1) / by, h: (f.h + by - 1) / by, by: by, full: make([]float32, f.w*f.h)}
	z.z = make([]float32, z.w*z.h)
	err := spread.Over(ctx, z.h, workers, func(y int) {
		for x := range z.w {
			var sum, n float32
			z.pixels(f, x, y, func(i int) {
				z.full[i] = f.far(i)
				sum, n = sum+z.full[i], n+1
			})
			z.z[y*z.w+x] = sum / n
		}
	})
	return z, err
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
	z, err := f.haze(ctx, workers)
	if err != nil {
		return err
	}
	// All channels of a pixel lie together, its weight last: what is alike is asked for once.
	from := []int{0}
	for _, p := range pictures {
		from = append(from, from[len(from)-1]+f.channels(p))
	}
	many := from[len(pictures)] + 1
	a, b := make([]float32, many*z.w*z.h), make([]float32, many*z.w*z.h)
	err = spread.Over(ctx, z.h, workers, func(y int) {
		for x := range z.w {
			sum := a[many*(y*z.w+x):][:many]
			z.pixels(f, x, y, func(i int) {
				w := float32(1)
				if weight != nil {
					w = weight[i]
				}
				for k, p := range pictures {
					n := from[k+1] - from[k]
					for c := range n {
						sum[from[k]+c] += w * p[n*i+c]
					}
				}
				sum[many-1] += w
			})
		}
	})
	// As far as the same levels reach at full size.
	for l := 0; l < max(levels-bits.Len(uint(z.by))+1, 1) && err == nil; l++ {
		if err = z.pass(ctx, a, b, many, 1<<l, 1, z.w, workers); err == nil {
			err = z.pass(ctx, b, a, many, 1<<l, z.w, z.h, workers)
		}
	}
	if err != nil {
		return err
	}
	return spread.Over(ctx, f.h, workers, func(y int) {
		for i := y * f.w; i < (y+1)*f.w; i++ {
			z.enlarge(f, a, many, i, pictures, from)
		}
	})
}

// pass smooths along one axis with the taps 1 4 6 4 1, a step apart. stride is from one pixel
// to the next along it, long how many there are.
func (z *haze) pass(ctx context.Context, src, dst []float32, many, step, stride, long, workers int) error {
	taps := [5]float32{1. / 16, 4. / 16, 6. / 16, 4. / 16, 1. / 16}
	return spread.Over(ctx, z.h, workers, func(y int) {
		for i := y * z.w; i < (y+1)*z.w; i++ {
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
	})
}

// enlarge gives pixel i of the pictures what those around it have that are as far off.
func (z *haze) enlarge(f *Filter, of []float32, many, i int, pictures [][]float32, from []int) {
	sx, sy := 1/float32(z.by), 1/float32(z.by)
	if z.by == 0 {
		sx, sy = float32(z.w)/float32(f.w), float32(z.h)/float32(f.h)
	}
	fx, fy := (float32(i%f.w)+0.5)*sx-0.5, (float32(i/f.w)+0.5)*sy-0.5
	x0, y0 := int(math.Floor(float64(fx))), int(math.Floor(float64(fy)))
	own := z.full[i]
	var at [4]int
	var part [4]float32
	var total float32
	for k := range 4 {
		xx, yy := x0+k%2, y0+k/2
		dx, dy := fx-float32(xx), fy-float32(yy)
		q := min(max(yy, 0), z.h-1)*z.w + min(max(xx, 0), z.w-1)
		w := (1 - max(dx, -dx)) * (1 - max(dy, -dy)) * (as(own, z.z[q]) + 1e-4)
		if d := of[many*q+many-1]; d > 0 && w > 0 {
			at[k], part[k] = many*q, w/d
			total += w
		}
	}
	if total == 0 {
		return
	}
	for p, pic := range pictures {
		n := from[p+1] - from[p]
		for c := range n {
			at0 := from[p] + c
			pic[n*i+c] = (part[0]*of[at[0]+at0] + part[1]*of[at[1]+at0] + part[2]*of[at[2]+at0] + part[3]*of[at[3]+at0]) / total
		}
	}
}

// EnlargeHaze makes a picture of f's size of a smaller one of what the air sends on.
func (f *Filter) EnlargeHaze(small *Filter, pic []float32) []float32 {
	z := &haze{w: small.w, h: small.h, z: make([]float32, small.w*small.h), full: make([]float32, f.w*f.h)}
	of := make([]float32, 4*len(z.z))
	for i := range z.z {
		z.z[i] = small.far(i)
		copy(of[4*i:], pic[3*i:3*i+3])
		of[4*i+3] = 1
	}
	out := make([]float32, 3*f.w*f.h)
	for i := range z.full {
		z.full[i] = f.far(i)
		z.enlarge(f, of, 4, i, [][]float32{out}, []int{0, 3})
	}
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
