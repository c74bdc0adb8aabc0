package filter

import (
	"context"
	"math"

	"willowherb/core/spread"
)

// Enlarge makes pictures of f's size of smaller ones of the same view, which share the guide
// of small: each pixel takes the light, without albedo, of the nearest four whose surfaces are
// like its own, or of the nearest sixteen where those are not (Kopf et al. 2007, "Joint
// Bilateral Upsampling").
func (f *Filter) Enlarge(ctx context.Context, small *Filter, pictures [][]float32, workers int) ([][]float32, error) {
	out := make([][]float32, len(pictures))
	for k := range out {
		out[k] = make([]float32, 3*f.w*f.h)
	}
	sx, sy := float32(small.w)/float32(f.w), float32(small.h)/float32(f.h)
	err := spread.Over(ctx, f.h, workers, func(y int) {
		var room [16]tap
		for x := range f.w {
			i := y*f.w + x
			at := [2]float32{(float32(x)+0.5)*sx - 0.5, (float32(y)+0.5)*sy - 0.5}
			taps := f.near(i, small, at, 1, &room)
			var sum float32
			for _, t := range taps {
				sum += t.w
			}
			if sum < 0.1 {
				taps, sum = f.near(i, small, at, 2, &room), 0
				for _, t := range taps {
					sum += t.w
				}
			}
			for k, p := range pictures {
				for c := range 3 {
					var v float32
					for _, t := range taps {
						v += t.w * p[3*t.at+c] / small.albedo[3*t.at+c]
					}
					out[k][3*i+c] = v / sum * f.albedo[3*i+c]
				}
			}
		}
	})
	return out, err
}

// unlike is what a pixel of another surface weighs: better that than none.
const unlike = 1e-5

// near finds the pixels of small around a place, so many on each side of it, and how much
// they tell of pixel i.
func (f *Filter) near(i int, small *Filter, at [2]float32, reach int, room *[16]tap) []tap {
	x0, y0 := int(math.Floor(float64(at[0])))+1-reach, int(math.Floor(float64(at[1])))+1-reach
	taps := room[:0]
	for y := y0; y < y0+2*reach; y++ {
		for x := x0; x < x0+2*reach; x++ {
			q := min(max(y, 0), small.h-1)*small.w + min(max(x, 0), small.w-1)
			dx, dy := float32(x)-at[0], float32(y)-at[1]
			w := max(1-max(dx, -dx)/float32(reach), 0.02) * max(1-max(dy, -dy)/float32(reach), 0.02)
			taps = append(taps, tap{q, w * (unlike + f.like(i, small, q))})
		}
	}
	return taps
}

// like is how far pixel i shows the same surface as pixel q of another picture of the view.
func (f *Filter) like(i int, o *Filter, q int) float32 {
	if f.depth[i] == 0 || o.depth[q] == 0 {
		if f.depth[i] == o.depth[q] {
			return 1
		}
		return 0
	}
	var c, d float32
	for k := range 3 {
		c += f.normal[k][i] * o.normal[k][q]
		d += f.normal[k][i] * (o.pos[k][q] - f.pos[k][i])
	}
	d *= f.plane(i, 1)
	d *= d
	if c <= 0.5 || d > farOff || f.object[i] != o.object[q] {
		return 0
	}
	c *= c
	c *= c
	return c * c / (1 + d*d)
}
