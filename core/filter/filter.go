// Package filter takes noise out of pictures, and says how much is left.
package filter

import (
	"context"
	"math"
	"slices"

	"willowherb/core/colour"
	"willowherb/core/film"
	"willowherb/core/spread"
	"willowherb/core/vec"
	"willowherb/core/world"
)

// Filter removes noise from pictures that share a guide. Its weights come from
// the first hits alone (normal, plane distance, albedo), so it is linear: the
// filter of a sum of layers is the sum of the filtered layers. It runs in
// a-trous levels (Dammertz et al. 2010, "Edge-Avoiding A-Trous Wavelet
// Transform for fast Global Illumination Filtering") on light without albedo.
type Filter struct {
	w, h   int
	albedo []float32
	grey   []float32 // the luminance of albedo
	depth  []float32
	// Normals (nought where nothing is seen) and positions, a row of numbers for
	// each axis, so that eight neighbours load at once.
	normal, pos [3][]float32
	// The object that is seen, as a number that eight of load at once; and the same as
	// neighbours ask for it, which find none in pixels where several surfaces meet.
	object, source []float32
	cover          *film.Cover
}

// New averages the guide for the view it was rendered with.
func New(g *film.Guide, v world.Camera, workers int) *Filter {
	n := g.W * g.H
	f := &Filter{w: g.W, h: g.H, albedo: make([]float32, 3*n), grey: make([]float32, n), depth: make([]float32, n), object: make([]float32, n), source: make([]float32, n), cover: g.Cover}
	for k := range 3 {
		f.normal[k], f.pos[k] = make([]float32, n), make([]float32, n)
	}
	const strip = 4096
	_ = spread.Over(context.Background(), (n+strip-1)/strip, workers, func(s int) { // which does not end early
		for i := s * strip; i < min((s+1)*strip, n); i++ {
			x, y := i%g.W, i/g.W
			f.object[i] = float32(g.Object[i])
			if f.source[i] = f.object[i]; f.mixed(x, y) {
				f.source[i] = -1
			}
			c := float32(max(g.Count[y/film.TileSize*film.Tiles(g.W)+x/film.TileSize], 1))
			for k := range 3 {
				f.albedo[3*i+k] = g.Albedo[3*i+k]/c + 0.01
			}
			f.grey[i] = float32(colour.LuminanceAt(f.albedo, 3*i))
			q := vec.V3{X: g.Normal[3*i], Y: g.Normal[3*i+1], Z: g.Normal[3*i+2]}.Norm()
			if d := g.Depth[i] / c; d > 0 && !math.IsInf(float64(d), 0) && q != (vec.V3{}) {
				f.depth[i] = d
				// Relative to the eye, which keeps the digits.
				p := v.Ray(float32(x)+0.5, float32(y)+0.5, g.W, g.H).Scale(d)
				f.normal[0][i], f.normal[1][i], f.normal[2][i] = q.X, q.Y, q.Z
				f.pos[0][i], f.pos[1][i], f.pos[2][i] = p.X, p.Y, p.Z
			}
		}
	})
	if slices.Min(g.Count) < film.Dense && g.Cover == nil {
		f.evenNormals()
	}
	return f
}

// evenNormals averages each normal with its neighbours' on about the same
// surface: few samples meet a normal map at few of its places, and a pixel that
// met an odd one would be alike to none.
func (f *Filter) evenNormals() {
	var out [3][]float32
	for k := range out {
		out[k] = slices.Clone(f.normal[k])
	}
	for y := range f.h {
		for x := range f.w {
			i := y*f.w + x
			d := f.depth[i]
			if d == 0 {
				continue
			}
			var sum vec.V3
			for yy := max(y-1, 0); yy <= min(y+1, f.h-1); yy++ {
				for xx := max(x-1, 0); xx <= min(x+1, f.w-1); xx++ {
					q := yy*f.w + xx
					if e := f.depth[q] - d; e < 0.05*d && e > -0.05*d {
						sum = sum.Add(vec.V3{X: f.normal[0][q], Y: f.normal[1][q], Z: f.normal[2][q]})
					}
				}
			}
			if n := sum.Norm(); n != (vec.V3{}) {
				out[0][i], out[1][i], out[2][i] = n.X, n.Y, n.Z
			}
		}
	}
	f.normal = out
}

// under is what is taken off a picture of so many channels before it is filtered, and given
// back after: the albedo of what is seen, but for what smooth surfaces show, which has none
// of theirs (nil).
func (f *Filter) under(channels int, sharp bool) []float32 {
	switch {
	case sharp:
		return nil
	case channels == 1:
		return f.grey
	}
	return f.albedo
}

// channels of a picture: three, or one for luminance.
func (f *Filter) channels(pic []float32) int { return len(pic) / (f.w * f.h) }

const kernelRadius = 2

var kernel = [kernelRadius + 1]float32{6.0 / 16, 4.0 / 16, 1.0 / 16} // B3 spline

// Fill gives each pixel that lacks a value that of its neighbours, weighed as the
// filter weighs them. Every pixel must have a neighbour that lacks none, among the
// eight around it, or it stays as it is.
func (f *Filter) Fill(ctx context.Context, pictures [][]float32, lacks func(x, y int) bool, workers int) error {
	return spread.Over(ctx, f.h, workers, func(y int) {
		var w [kernelTaps][8]float32
		for x := range f.w {
			if !lacks(x, y) {
				continue
			}
			i := y*f.w + x
			var near [8]tap
			n, sum := 0, float32(0)
			if f.depth[i] > 0 {
				f.weigh1(x, y, 1, &w)
			}
			for dy := -1; dy <= 1; dy++ {
				for dx := -1; dx <= 1; dx++ {
					xx, yy := x+dx, y+dy
					if xx < 0 || yy < 0 || xx >= f.w || yy >= f.h || lacks(xx, yy) {
						continue
					}
					k := float32(1e-6) // better a neighbour of another surface than none
					if f.depth[i] > 0 {
						k += w[(dy+kernelRadius)*(2*kernelRadius+1)+dx+kernelRadius][0]
					}
					near[n] = tap{yy*f.w + xx, k}
					sum += k
					n++
				}
			}
			for _, p := range pictures {
				ch := f.channels(p)
				under := f.under(ch, false)
				for c := range ch {
					var v float32
					for _, t := range near[:n] {
						v += t.w * p[ch*t.at+c] / under[ch*t.at+c]
					}
					if n > 0 {
						p[ch*i+c] = v / sum * under[ch*i+c]
					}
				}
			}
		}
	})
}

// Noisy is a picture to filter, and in how many levels of doubling step.
type Noisy struct {
	Pic    []float32 // RGB, or luminance alone: one number a pixel
	Levels int
	By     *Blend // if set, blends the picture's levels instead, pixel by pixel
	Sharp  bool   // it is what smooth surfaces show
	// Weight, the same for all pictures that have one, says how many samples each pixel is
	// the mean of: it counts for as much (Knutsson and Westin 1993, "Normalized and
	// Differential Convolution"). nil: all alike.
	Weight []float32
}

// Apply filters the pictures in place, all with the same weights. The weights are
// most of the work: filter many at once.
func (f *Filter) Apply(ctx context.Context, pictures []Noisy, workers int) error {
	pictures = slices.DeleteFunc(slices.Clone(pictures), func(p Noisy) bool { return p.Levels <= 0 })
	// Those that are filtered widest come first, so that what is done drops out.
	slices.SortStableFunc(pictures, func(a, b Noisy) int { return b.Levels - a.Levels })
	return f.levels(ctx, pictures, workers, func(level, y int, p *Noisy, c []float32, ch, at int) {
		n := f.channels(p.Pic)
		from, to, under := y*f.w, (y+1)*f.w, f.under(n, p.Sharp)
		switch {
		case p.By != nil && level == 0:
			w := p.By.weights[0]
			for i := from; i < to; i++ {
				for k := n * i; k < n*i+n; k++ {
					p.Pic[k] *= w[i]
				}
			}
		case p.By != nil && level < len(p.By.weights):
			w := p.By.weights[level]
			for i := from; i < to; i++ {
				s := w[i] * p.per(c[i*ch])
				for k := range n {
					p.Pic[n*i+k] += s * with(under, n*i+k, c[i*ch+at+k])
				}
			}
		case p.By == nil && level == p.Levels && level > 0:
			for i := from; i < to; i++ {
				s := p.per(c[i*ch])
				for k := range n {
					p.Pic[n*i+k] = s * with(under, n*i+k, c[i*ch+at+k])
				}
			}
		}
	})
}

// per is what the first of a pixel's channels makes of the others where they are weighed: their
// sums are means times their weights, which it has.
func (p *Noisy) per(weight float32) float32 {
	switch {
	case p.Weight == nil:
		return 1
	case weight > 0:
		return 1 / weight
	}
	return 0
}

// with gives a number back what was taken off it.
func with(under []float32, i int, v float32) float32 {
	if under == nil {
		return v
	}
	return v * under[i]
}

// levels filters pictures, the widest first, and calls take for each level, row and
// picture with the picture's channels, without albedo: those from at of ch at each pixel, to
// be multiplied by per of the pixel's first.
func (f *Filter) levels(ctx context.Context, pictures []Noisy, workers int, take func(level, y int, p *Noisy, c []float32, ch, at int)) error {
	if len(pictures) == 0 {
		return nil
	}
	n := f.w * f.h
	ats := make([]int, len(pictures)+1)
	var weight []float32
	for k := range pictures {
		if w := pictures[k].Weight; w != nil {
			weight, ats[0] = w, 1
		}
	}
	for k := range pictures {
		ats[k+1] = ats[k] + f.channels(pictures[k].Pic)
	}
	ch := eights(ats[len(pictures)])
	a, b := make([]float32, n*ch), make([]float32, n*ch)
	err := spread.Over(ctx, f.h, workers, func(y int) {
		if weight != nil {
			for i := y * f.w; i < (y+1)*f.w; i++ {
				a[i*ch] = weight[i]
			}
		}
		for k := range pictures {
			p := &pictures[k]
			m := ats[k+1] - ats[k]
			under := f.under(m, p.Sharp)
			for i := y * f.w; i < (y+1)*f.w; i++ {
				to, from := a[i*ch+ats[k]:i*ch+ats[k]+m], p.Pic[m*i:m*i+m]
				s := float32(1)
				if p.Weight != nil {
					s = p.Weight[i]
				}
				if under == nil {
					for c := range to {
						to[c] = s * from[c]
					}
					continue
				}
				for c, u := range under[m*i : m*i+m] {
					to[c] = s * from[c] / u
				}
			}
		}
		for k := range pictures {
			take(0, y, &pictures[k], a, ch, ats[k])
		}
	})
	for l := 0; l < pictures[0].Levels && err == nil; l++ {
		more := 0 // pictures that need this level
		for more < len(pictures) && pictures[more].Levels > l {
			more++
		}
		err = spread.Over(ctx, f.h, workers, func(y int) { f.row(a, b, y, 1<<l, ch, eights(ats[more])) })
		if err != nil {
			break
		}
		a, b = b, a
		err = spread.Over(ctx, f.h, workers, func(y int) {
			for k := range pictures[:more] {
				take(l+1, y, &pictures[k], a, ch, ats[k])
			}
		})
	}
	return err
}

// eights rounds up to whole vectors.
func eights(n int) int { return (n + 7) &^ 7 }

// tap is a neighbour: where its channels begin, and its weight.
type tap struct {
	at int
	w  float32
}

func blendScalar(dst, src []float32, taps []tap) {
	clear(dst)
	for _, t := range taps {
		in := src[t.at : t.at+len(dst) : t.at+len(dst)]
		for k := range dst {
			dst[k] += t.w * in[k]
		}
	}
}

const kernelTaps = (2*kernelRadius + 1) * (2*kernelRadius + 1)

// row filters one row: the first used of each pixel's ch channels.
func (f *Filter) row(src, dst []float32, y, step, ch, used int) {
	var room [kernelTaps + 1]tap
	var offs [kernelTaps]int
	for t := range offs {
		offs[t] = (t/(2*kernelRadius+1)-kernelRadius)*step*f.w + (t%(2*kernelRadius+1)-kernelRadius)*step
	}
	var eight [kernelTaps][8]float32
	for x := 0; x < f.w; {
		many := 1
		if vectorised && x >= kernelRadius*step && x+8+kernelRadius*step <= f.w {
			many = 8
			f.weigh8(x, y, step, &eight)
		}
		for k := range many {
			i := y*f.w + x + k
			out := dst[i*ch : i*ch+used]
			if f.depth[i] == 0 {
				copy(out, src[i*ch:])
				continue
			}
			if many == 1 {
				f.weigh1(x, y, step, &eight)
			}
			n := 0
			var sum float32
			for t := range eight {
				w := eight[t][k]
				sum += w
				room[n] = tap{(i + offs[t]) * ch, w}
				n += int((math.Float32bits(w) + math.MaxInt32) >> 31) // 1 if w > 0, without a branch
			}
			if sum == 0 {
				copy(out, src[i*ch:])
				continue
			}
			taps := room[:n]
			s := 1 / sum
			for t := range taps {
				taps[t].w *= s
			}
			blend(out, src, taps)
		}
		x += many
	}
}

// plane is one over the distance from a surface's plane, in metres, within which
// neighbours are alike: about two pixels' footprint.
func (f *Filter) plane(i, step int) float32 { return 1 / (f.depth[i] * 0.004 * float32(step)) }

// farOff is the square of that distance, in those units, beyond which a neighbour
// counts for nothing: its weight would be under a thousandth.
const farOff = 40

// weigh1 fills the first lane of the taps' weights for one pixel.
func (f *Filter) weigh1(x, y, step int, out *[kernelTaps][8]float32) {
	i := y*f.w + x
	nx, ny, nz := f.normal[0][i], f.normal[1][i], f.normal[2][i]
	px, py, pz := f.pos[0][i], f.pos[1][i], f.pos[2][i]
	scale := f.plane(i, step)
	t := -1
	for dy := -kernelRadius; dy <= kernelRadius; dy++ {
		for dx := -kernelRadius; dx <= kernelRadius; dx++ {
			t++
			out[t][0] = 0
			yy, xx := y+dy*step, x+dx*step
			if yy < 0 || yy >= f.h || xx < 0 || xx >= f.w {
				continue
			}
			q := yy*f.w + xx
			c := nx*f.normal[0][q] + ny*f.normal[1][q] + nz*f.normal[2][q]
			d := (nx*(f.pos[0][q]-px) + ny*(f.pos[1][q]-py) + nz*(f.pos[2][q]-pz)) * scale
			d *= d
			if c <= 0.5 || d > farOff || f.source[q] != f.object[i] {
				continue
			}
			c *= c
			c *= c
			out[t][0] = kernel[max(dx, -dx)] * kernel[max(dy, -dy)] * c * c * c / (1 + d*d)
		}
	}
}
