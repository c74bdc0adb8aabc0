package grade

import (
	"math"

	"willowherb/core/colour"
	"willowherb/core/exposure"
)

// Bloom is worked out on a picture reduced by reduced each way, blurred by a Gaussian whose
// deviation is a share of the picture's height.
const (
	reduced    = 4
	bloomShare = 0.02
)

// excess is the part of an exposed colour that blooms.
func (g *Grade) excess(c [3]float64) (out [3]float64) {
	l := colour.Luminance(c)
	over := l - exposure.Middle*math.Exp2(g.BloomFrom)
	if over <= 0 {
		return out
	}
	for k := range c {
		out[k] = g.Bloom * over / l * c[k]
	}
	return out
}

// spread takes what blooms from an exposed picture and spreads it round where it was: what is
// taken comes back elsewhere. rgb is changed in place.
func (p *Program) spread(rgb []float64, w, h int) {
	g := &p.grade
	if g.Bloom <= 0 || w < 1 || h < 1 {
		return
	}
	rw, rh := (w+reduced-1)/reduced, (h+reduced-1)/reduced
	a, b := make([]float64, 3*rw*rh), make([]float64, 3*rw*rh)
	for y := range rh {
		for x := range rw {
			n := 0.0
			var sum [3]float64
			for yy := y * reduced; yy < min((y+1)*reduced, h); yy++ {
				for xx := x * reduced; xx < min((x+1)*reduced, w); xx++ {
					i := 3 * (yy*w + xx)
					e := g.excess([3]float64{rgb[i], rgb[i+1], rgb[i+2]})
					for k := range sum {
						sum[k] += e[k]
					}
					n++
				}
			}
			for k := range sum {
				a[3*(y*rw+x)+k] = sum[k] / n
			}
		}
	}
	weights := gaussian(bloomShare * float64(h) / reduced)
	blur(a, b, rw, rh, 1, rw, weights)
	blur(b, a, rw, rh, rw, rh, weights)
	for i := range w * h {
		x, y := (float64(i%w)+0.5)/reduced-0.5, (float64(i/w)+0.5)/reduced-0.5
		x0, y0 := int(math.Floor(x)), int(math.Floor(y))
		fx, fy := x-float64(x0), y-float64(y0)
		at := func(xx, yy, k int) float64 {
			return a[3*(min(max(yy, 0), rh-1)*rw+min(max(xx, 0), rw-1))+k]
		}
		e := g.excess([3]float64{rgb[3*i], rgb[3*i+1], rgb[3*i+2]})
		for k := range 3 {
			top := at(x0, y0, k)*(1-fx) + at(x0+1, y0, k)*fx
			foot := at(x0, y0+1, k)*(1-fx) + at(x0+1, y0+1, k)*fx
			rgb[3*i+k] += top*(1-fy) + foot*fy - e[k]
		}
	}
}

// gaussian are the weights from the middle outwards of a blur with that deviation, in pixels;
// both sides together are 1.
func gaussian(sigma float64) []float64 {
	sigma = max(sigma, 0.3)
	out := make([]float64, int(math.Ceil(3*sigma))+1)
	sum := 0.0
	for i := range out {
		out[i] = math.Exp(-float64(i*i) / (2 * sigma * sigma))
		sum += out[i]
		if i > 0 {
			sum += out[i]
		}
	}
	for i := range out {
		out[i] /= sum
	}
	return out
}

// mirrored is the place in a row of n that a place beside it stands for: what would leave the
// picture stays in it.
func mirrored(i, n int) int {
	i %= 2 * n
	if i < 0 {
		i += 2 * n
	}
	if i >= n {
		return 2*n - 1 - i
	}
	return i
}

// blur blurs along one axis; stride is from one pixel to the next along it, long how many.
func blur(src, dst []float64, w, h, stride, long int, weights []float64) {
	for i := range w * h {
		at := i / stride % long
		line := i - at*stride
		var sum [3]float64
		for d, k := range weights {
			q := 3 * (line + mirrored(at+d, long)*stride)
			r := 3 * (line + mirrored(at-d, long)*stride)
			for c := range sum {
				if sum[c] += k * src[q+c]; d > 0 {
					sum[c] += k * src[r+c]
				}
			}
		}
		copy(dst[3*i:3*i+3], sum[:])
	}
}
