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

// taps are the products of the kernel's rows and columns.
var taps = func() (out [kernelTaps]float32) {
	const wide = 2*kernelRadius + 1
	for t := range out {
		dx, dy := t%wide-kernelRadius, t/wide-kernelRadius
		out[t] = kernel[max(dx, -dx)] * kernel[max(dy, -dy)]
	}
	return out
}()

// Fill gives each pixel that lacks a value that of its neighbours, weighed as the
// filter weighs them. Every pixel must have a neighbour that lacks none, among the
// eight around it, or it stays as it is.
func (f *Filter) Fill(ctx context.Context, pictures [][]float32, lacks func(x, y int) bool, workers int) error {
	return spread.Over(ctx, f.h, workers, func(y int) {
		var w [kernelTaps][block]float32
		for x := range f.w {
			if !lacks(x, y) {
				continue
			}
			i := y*f.w + x
			var near [8]tap
			n, sum := 0, float32(0)
			if f.depth[i] > 0 {
				f.weigh1(x, y, 1, 0, &w)
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
	return f.levels(ctx, pictures, workers, func(level, at int, p *Noisy, c *[3][]float32, per []float32) {
		first, last := level == 0, level == p.Levels
		if p.By == nil && !last {
			return
		}
		n := f.channels(p.Pic)
		under := f.under(n, p.Sharp)
		for k, row := range c[:n] {
			for x, v := range row {
				i := at + x
				if per != nil {
					v *= per[x]
				}
				if p.By != nil {
					v *= p.By.weights[level][i]
					if !first {
						v += p.Pic[n*i+k]
					}
				}
				if last && under != nil {
					v *= under[n*i+k]
				}
				p.Pic[n*i+k] = v
			}
		}
	})
}

// levels filters pictures, the widest first, and calls take for each level and block of
// pixels that is not black, with the first pixel's number, the block of the picture's channels,
// without albedo, and what they are to be multiplied by (nil: nothing). What is black at one
// level was black before.
func (f *Filter) levels(ctx context.Context, pictures []Noisy, workers int, take func(level, at int, p *Noisy, c *[3][]float32, per []float32)) error {
	if len(pictures) == 0 {
		return nil
	}
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
	a, b := f.planes(ats[len(pictures)], pictures[0].Levels), f.planes(ats[len(pictures)], pictures[0].Levels)
	// shown gives a row of some pictures to take.
	shown := func(level, y int, some []Noisy) {
		var room [block]float32
		for x := 0; x < f.w; x += block {
			many := min(block, f.w-x)
			if weight != nil {
				for i, w := range a.row(0, y)[x : x+many] {
					if room[i] = 0; w > 0 {
						room[i] = 1 / w
					}
				}
			}
			for k := range some {
				p, c, lit := &some[k], [3][]float32{}, false
				for q := ats[k]; q < ats[k+1]; q++ {
					lit = lit || a.lit[a.flag(q, y, x)]
					c[q-ats[k]] = a.row(q, y)[x : x+many]
				}
				var per []float32
				if p.Weight != nil {
					per = room[:many]
				}
				if lit {
					take(level, y*f.w+x, p, &c, per)
				}
			}
		}
	}
	err := spread.Over(ctx, f.h, workers, func(y int) {
		if weight != nil {
			copy(a.row(0, y), weight[y*f.w:])
			for x := 0; x < f.w; x += block {
				a.lit[a.flag(0, y, x)] = true
			}
		}
		for k := range pictures {
			p := &pictures[k]
			m := ats[k+1] - ats[k]
			under := f.under(m, p.Sharp)
			for x := 0; x < f.w; x += block {
				from, to := y*f.w+x, y*f.w+min(x+block, f.w)
				if black(p.Pic[m*from : m*to]) {
					continue
				}
				for q := range m {
					a.lit[a.flag(ats[k]+q, y, x)] = true
					out := a.row(ats[k]+q, y)[x:]
					for i := from; i < to; i++ {
						s := p.Pic[m*i+q]
						if p.Weight != nil {
							s *= p.Weight[i]
						}
						if under != nil {
							s /= under[m*i+q]
						}
						out[i-from] = s
					}
				}
			}
		}
		shown(0, y, pictures)
	})
	for l := 0; l < pictures[0].Levels && err == nil; l++ {
		more := 0 // pictures that need this level
		for more < len(pictures) && pictures[more].Levels > l {
			more++
		}
		step := 1 << l
		// Rows a step apart come one after the other: what they read is then mostly still at hand.
		const strip = 16
		strips := ((f.h+step-1)/step + strip - 1) / strip
		err = spread.With(ctx, step*strips, workers, func() (func(int), func()) {
			k := f.weights(step)
			return func(s int) {
				from := s/strips + s%strips*strip*step
				for y := from; y < min(from+strip*step, f.h); y += step {
					f.row(a, b, y, step, ats[more], k)
				}
			}, func() {}
		})
		if err != nil {
			break
		}
		a, b = b, a
		err = spread.Over(ctx, f.h, workers, func(y int) { shown(l+1, y, pictures[:more]) })
	}
	return err
}

// planes are some channels of a picture, one after the other, with room before and behind:
// what lies beside the picture is read, and weighs nothing.
type planes struct {
	of      []float32
	pad     int
	w, h, n int
	lit     []bool // the blocks of each channel's rows that are not black
}

func (f *Filter) planes(channels, levels int) planes {
	p := planes{pad: kernelRadius<<max(levels-1, 0) + block, w: f.w, h: f.h, n: f.w * f.h}
	p.of = make([]float32, channels*p.n+2*p.pad)
	p.lit = make([]bool, channels*f.h*p.blocks())
	return p
}

func (p *planes) blocks() int { return (p.w + block - 1) / block }

// flag is the place in lit of the block of a channel's row that x lies in.
func (p *planes) flag(channel, y, x int) int { return (channel*p.h+y)*p.blocks() + x/block }

// row is a row of a channel.
func (p *planes) row(channel, y int) []float32 {
	at := p.pad + channel*p.n + y*p.w
	return p.of[at : at+p.w : at+p.w]
}

// black tells whether all of a channel is that may reach some pixels of a row.
func (p *planes) black(channel, y, x, many, step int) bool {
	first, last := max(x-kernelRadius*step, 0), min(x+many-1+kernelRadius*step, p.w-1)
	for dy := -kernelRadius; dy <= kernelRadius; dy++ {
		if yy := y + dy*step; yy >= 0 && yy < p.h {
			if slices.Contains(p.lit[p.flag(channel, yy, first):p.flag(channel, yy, last)+1], true) {
				return false
			}
		}
	}
	return true
}

func black(values []float32) bool {
	for _, v := range values {
		if v != 0 {
			return false
		}
	}
	return true
}

// tap is a neighbour: where it is, and its weight.
type tap struct {
	at int
	w  float32
}

const kernelTaps = (2*kernelRadius + 1) * (2*kernelRadius + 1)

// block is how many pixels of a row are filtered at once: their weights and what they read of
// a channel lie in the nearest memory.
const block = 96

// weights are those of the neighbours of a block's pixels.
type weights struct {
	of   [kernelTaps][block]float32
	away [kernelTaps]int // how far each tap is from its pixel
	live [kernelTaps]int // the taps that any pixel has a weight for
	n    int             // how many those are
}

// row filters one row of the first channels. What is black stays as it is: dst has what
// src had a level before.
func (f *Filter) row(src, dst planes, y, step, channels int, k *weights) {
	for x := 0; x < f.w; x += block {
		at, many := x, min(block, f.w)
		if at+many > f.w {
			at = f.w - many // some once more: the same again
		}
		f.weigh(at, y, many, step, k)
		for c := range channels {
			if !src.black(c, y, at, many, step) {
				k.sum(src.of, dst.row(c, y)[at:at+many], src.pad+c*src.n+y*f.w+at)
				dst.lit[dst.flag(c, y, x)] = true
			}
		}
	}
}

// weights makes room for the weights of neighbours so many pixels apart.
func (f *Filter) weights(step int) *weights {
	k := &weights{}
	for t := range k.away {
		k.away[t] = ((t/(2*kernelRadius+1)-kernelRadius)*f.w + t%(2*kernelRadius+1) - kernelRadius) * step
	}
	return k
}

// weigh works out the weights for the neighbours of some pixels side by side; together they
// are 1. A pixel that has none keeps what it has.
func (f *Filter) weigh(x, y, many, step int, k *weights) {
	for at := 0; at < many; {
		if vectorised && at+8 <= many && x+at >= kernelRadius*step && x+at+8+kernelRadius*step <= f.w {
			f.weigh8(x+at, y, step, at, &k.of)
			at += 8
			continue
		}
		f.weigh1(x+at, y, step, at, &k.of)
		at++
	}
	k.whole(many)
}

// wholeScalar brings the weights of the first pixels to 1 together, and finds the taps that
// count.
func (k *weights) wholeScalar(many int) {
	var sums [block]float32
	k.n = 0
	for t := range k.of {
		w, some := &k.of[t], float32(0)
		for i := range sums[:many] {
			sums[i] += w[i]
			some += w[i]
		}
		if some > 0 || t == kernelTaps/2 {
			k.live[k.n] = t
			k.n++
		}
	}
	for i, s := range sums[:many] {
		if s == 0 {
			k.of[kernelTaps/2][i], sums[i] = 1, 1
			continue
		}
		sums[i] = 1 / s
	}
	for _, t := range k.live[:k.n] {
		w := &k.of[t]
		for i := range sums[:many] {
			w[i] *= sums[i]
		}
	}
}

// sumScalar writes the weighed sums of the taps to dst, for the pixels from `from` on of src.
func (k *weights) sumScalar(src, dst []float32, from int) {
	clear(dst)
	for _, t := range k.live[:k.n] {
		q := from + k.away[t]
		for i := range dst {
			if v := k.of[t][i]; v > 0 {
				dst[i] += v * src[q+i]
			}
		}
	}
}

// plane is one over the distance from a surface's plane, in metres, within which
// neighbours are alike: about two pixels' footprint.
func (f *Filter) plane(i, step int) float32 { return 1 / (f.depth[i] * 0.004 * float32(step)) }

// farOff is the square of that distance, in those units, beyond which a neighbour
// counts for nothing: its weight would be under a thousandth.
const farOff = 40

// weigh1 fills one lane of the taps' weights.
func (f *Filter) weigh1(x, y, step, lane int, out *[kernelTaps][block]float32) {
	i := y*f.w + x
	nx, ny, nz := f.normal[0][i], f.normal[1][i], f.normal[2][i]
	px, py, pz := f.pos[0][i], f.pos[1][i], f.pos[2][i]
	scale := f.plane(i, step)
	t := -1
	for dy := -kernelRadius; dy <= kernelRadius; dy++ {
		for dx := -kernelRadius; dx <= kernelRadius; dx++ {
			t++
			out[t][lane] = 0
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
			out[t][lane] = taps[t] * c * c * c / (1 + d*d)
		}
	}
}
