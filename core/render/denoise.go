package render

import (
	"context"
	"math"
	"sync"

	"willowherb/core/vec"
)

// Filter removes noise from pictures that share a guide. Its weights come from
// the first hits alone (normal, plane distance, albedo), so it is linear: the
// filter of a sum of layers is the sum of the filtered layers. It runs in
// a-trous levels (Dammertz et al. 2010, "Edge-Avoiding A-Trous Wavelet
// Transform for fast Global Illumination Filtering") on light without albedo.
type Filter struct {
	w, h   int
	albedo []float32
	normal []vec.V3
	depth  []float32
	pos    []vec.V3
}

// NewFilter averages the guide for the view it was rendered with.
func NewFilter(g *Guide, v View) *Filter {
	n := g.W * g.H
	f := &Filter{g.W, g.H, make([]float32, 3*n), make([]vec.V3, n), make([]float32, n), make([]vec.V3, n)}
	for i := range n {
		x, y := i%g.W, i/g.W
		c := float32(max(g.Count[y/TileSize*tiles(g.W)+x/TileSize], 1))
		for k := range 3 {
			f.albedo[3*i+k] = g.Albedo[3*i+k]/c + 0.01
		}
		f.normal[i] = vec.V3{X: g.Normal[3*i], Y: g.Normal[3*i+1], Z: g.Normal[3*i+2]}.Norm()
		if d := g.Depth[i] / c; d > 0 && f.normal[i] != (vec.V3{}) {
			f.depth[i] = d
			f.pos[i] = v.Eye.Add(v.Ray(float32(x)+0.5, float32(y)+0.5, g.W, g.H).Scale(d))
		}
	}
	return f
}

const kernelRadius = 2

var kernel = [kernelRadius + 1]float32{6.0 / 16, 4.0 / 16, 1.0 / 16} // B3 spline

// Apply filters the RGB pictures in place, all with the same weights, in levels
// of doubling step.
func (f *Filter) Apply(ctx context.Context, pictures [][]float32, levels, workers int) error {
	n := f.w * f.h
	if len(pictures) == 0 {
		return nil
	}
	ch := 3 * len(pictures)
	a, b := make([]float32, n*ch), make([]float32, n*ch)
	for i := range n {
		for k, p := range pictures {
			for c := range 3 {
				a[i*ch+3*k+c] = p[3*i+c] / f.albedo[3*i+c]
			}
		}
	}
	for l := range levels {
		step := 1 << l
		var wg sync.WaitGroup
		rows := make(chan int)
		for range max(workers, 1) {
			wg.Go(func() {
				for y := range rows {
					f.row(a, b, y, step, ch)
				}
			})
		}
		for y := range f.h {
			if ctx.Err() != nil {
				break
			}
			rows <- y
		}
		close(rows)
		wg.Wait()
		if ctx.Err() != nil {
			return context.Cause(ctx)
		}
		a, b = b, a
	}
	for i := range n {
		for k, p := range pictures {
			for c := range 3 {
				p[3*i+c] = a[i*ch+3*k+c] * f.albedo[3*i+c]
			}
		}
	}
	return nil
}

func (f *Filter) row(src, dst []float32, y, step, ch int) {
	for x := range f.w {
		i := y*f.w + x
		out := dst[i*ch : (i+1)*ch]
		if f.depth[i] == 0 {
			copy(out, src[i*ch:(i+1)*ch])
			continue
		}
		clear(out)
		n, p := f.normal[i], f.pos[i]
		// Neighbours on the same plane within about two pixels' footprint are alike.
		scale := 1 / (f.depth[i] * 0.004 * float32(step))
		var sum float32
		for dy := -kernelRadius; dy <= kernelRadius; dy++ {
			yy := y + dy*step
			if yy < 0 || yy >= f.h {
				continue
			}
			for dx := -kernelRadius; dx <= kernelRadius; dx++ {
				xx := x + dx*step
				if xx < 0 || xx >= f.w {
					continue
				}
				q := yy*f.w + xx
				if f.depth[q] == 0 {
					continue
				}
				c := n.Dot(f.normal[q])
				if c <= 0.5 {
					continue
				}
				d := n.Dot(f.pos[q].Sub(p)) * scale
				c2 := c * c
				c4 := c2 * c2
				w := kernel[max(dx, -dx)] * kernel[max(dy, -dy)] * c4 * c4 * c4 / (1 + d*d*d*d)
				sum += w
				in := src[q*ch : q*ch+ch : q*ch+ch]
				for k := range out {
					out[k] += w * in[k]
				}
			}
		}
		s := 1 / sum
		for k := range out {
			out[k] *= s
		}
	}
}

// Pack writes an RGB picture as RGB9_E5 (OpenGL ES 3.0, section 3.8.3.2), after
// division by the returned scale, which brings the brightest value to 32768.
func Pack(rgb []float32) (words []uint32, scale float32) {
	var top float32
	for _, v := range rgb {
		if v > top && !math.IsInf(float64(v), 0) {
			top = v
		}
	}
	scale = 1
	if top > 0 {
		scale = top / 32768
	}
	words = make([]uint32, len(rgb)/3)
	for i := range words {
		words[i] = packOne(rgb[3*i]/scale, rgb[3*i+1]/scale, rgb[3*i+2]/scale)
	}
	return words, scale
}

const (
	packBias = 15
	packMax  = 65408 // 511/512 * 2^16
)

func packOne(r, g, b float32) uint32 {
	c := func(v float32) float32 {
		if !(v > 0) {
			return 0
		}
		return min(v, packMax)
	}
	r, g, b = c(r), c(g), c(b)
	m := max(r, g, b)
	e := max(-packBias-1, int(math.Floor(math.Log2(float64(m))))) + 1 + packBias
	if m == 0 {
		e = 0
	}
	s := math.Exp2(float64(e - packBias - 9))
	if math.Floor(float64(m)/s+0.5) == 512 {
		s *= 2
		e++
	}
	q := func(v float32) uint32 { return uint32(math.Floor(float64(v)/s + 0.5)) }
	return uint32(e)<<27 | q(b)<<18 | q(g)<<9 | q(r)
}

// Unpack adds gain times the packed picture to out (RGB), exactly as a graphics
// processor reads it.
func Unpack(words []uint32, gain vec.V3, out []float32) {
	for i, w := range words {
		s := exp2[w>>27]
		out[3*i] += float32(w&511) * s * gain.X
		out[3*i+1] += float32(w>>9&511) * s * gain.Y
		out[3*i+2] += float32(w>>18&511) * s * gain.Z
	}
}

var exp2 = func() (t [32]float32) {
	for e := range t {
		t[e] = float32(math.Exp2(float64(e - packBias - 9)))
	}
	return
}()
