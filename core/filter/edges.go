package filter

import (
	"context"
	"math"
	"slices"

	"willowherb/core/colour"
	"willowherb/core/film"
	"willowherb/core/spread"
	"willowherb/core/vec"
)

// cells are those of a pixel; nil where no cover is known.
func (f *Filter) cells(x, y int) []film.Cell {
	if f.cover == nil {
		return nil
	}
	t := f.cover.Tiles[y/film.TileSize*film.Tiles(f.w)+x/film.TileSize]
	from, to := t.Of(x, y)
	return t.Cells[from:to]
}

// mixed tells the pixels in which several surfaces meet.
func (f *Filter) mixed(x, y int) bool { return film.Meet(f.cells(x, y)) > 1 }

// shares is, for pixels in which several surfaces meet, the standard error of the share of
// the largest; nil where no cover is known. Rays are spread evenly: across a straight edge
// their error falls as n^(-3/4) (Mitchell 1996, "Consequences of Stratified Sampling in
// Graphics").
func (f *Filter) shares() []float32 {
	if f.cover == nil {
		return nil
	}
	out := make([]float32, f.w*f.h)
	for i := range out {
		cells := f.cells(i%f.w, i/f.w)
		if film.Meet(cells) < 2 {
			continue
		}
		n, most := 0, float32(0)
		for k := range cells {
			n, most = n+int(cells[k].Hits), max(most, cells[k].Share)
		}
		out[i] = float32(math.Sqrt(float64(most*(1-most))) / math.Pow(float64(n), 0.75))
	}
	return out
}

// Edges gives pixels in which several surfaces meet what those surfaces have in the pixels
// around that they fill: raw are pictures before they were filtered, which serve for
// surfaces that fill none, and as far as those pixels are left as they are (own, from 0 to
// 1): what changes from pixel to pixel cannot be had from others. Without around they serve
// for all.
func (f *Filter) Edges(ctx context.Context, raw, filtered [][]float32, own []float32, around bool, workers int) error {
	if f.cover == nil {
		return nil
	}
	return spread.With(ctx, f.h, workers, func() (func(int), func()) {
		e := edger{f: f, own: own, out: make([]float32, 0, f.w)}
		return func(y int) {
			for x := range f.w {
				if cells := f.cells(x, y); film.Meet(cells) > 1 {
					e.pixel(x, y, cells, raw, filtered, around)
				}
			}
		}, func() {}
	})
}

// edger is one worker's way of working out edges. It reads pixels of one surface and writes
// those of several, so that the order does not matter.
type edger struct {
	f    *Filter
	own  []float32
	taps []tap
	out  []float32
}

func (e *edger) pixel(x, y int, cells []film.Cell, raw, filtered [][]float32, around bool) {
	f := e.f
	i := y*f.w + x
	e.out = e.out[:0]
	for k, pic := range filtered {
		ch := f.channels(pic)
		e.out = append(e.out, raw[k][ch*i:ch*i+ch]...)
	}
	if around {
		clear(e.out)
		for k := range cells {
			c := &cells[k]
			alone := e.alike(x, y, c)
			at := 0
			for p, pic := range filtered {
				ch := f.channels(pic)
				v, ok := e.like(pic)
				albedo := [3]float32{c.Albedo.X + 0.01, c.Albedo.Y + 0.01, c.Albedo.Z + 0.01}
				if ch == 1 {
					albedo[0] = float32(colour.LuminanceOf(c.Albedo)) + 0.01
				}
				for q := range ch {
					mine := raw[p][ch*i+q]
					if ok {
						mine = v[q]*albedo[q]*(1-alone) + mine*alone
					}
					e.out[at+q] += mine * c.Share
				}
				at += ch
			}
		}
	}
	at := 0
	for _, pic := range filtered {
		ch := f.channels(pic)
		copy(pic[ch*i:ch*i+ch], e.out[at:])
		at += ch
	}
}

// alike finds the pixels around that a cell's surface fills, and their weights; it returns
// how far those are left as they are.
func (e *edger) alike(x, y int, c *film.Cell) (alone float32) {
	f := e.f
	const reach = 3
	i := y*f.w + x
	apart := f.plane(i, 1)
	here := vec.V3{X: f.pos[0][i], Y: f.pos[1][i], Z: f.pos[2][i]}.Scale(c.Dist / max(f.depth[i], 1e-9))
	var weights float32
	e.taps = e.taps[:0]
	for yy := max(y-reach, 0); yy <= min(y+reach, f.h-1); yy++ {
		for xx := max(x-reach, 0); xx <= min(x+reach, f.w-1); xx++ {
			q := yy*f.w + xx
			if f.source[q] != float32(c.Object) || f.depth[q] == 0 {
				continue
			}
			w := c.N.X*f.normal[0][q] + c.N.Y*f.normal[1][q] + c.N.Z*f.normal[2][q]
			if w < 0.5 {
				continue
			}
			// The other side of a thin post may be lit otherwise.
			w *= w * w
			w *= w
			d := c.N.Dot(vec.V3{X: f.pos[0][q], Y: f.pos[1][q], Z: f.pos[2][q]}.Sub(here)) * apart
			w /= float32(1+(xx-x)*(xx-x)+(yy-y)*(yy-y)) * (1 + d*d)
			e.taps = append(e.taps, tap{q, w})
			if weights += w; e.own != nil {
				alone += w * e.own[q]
			}
		}
	}
	return alone / max(weights, 1e-9)
}

// like is the light, without albedo, that agrees best with the pixels that alike has found
// (least squares): what looks black tells little of it.
func (e *edger) like(pic []float32) (v [3]float32, ok bool) {
	ch := e.f.channels(pic)
	under := e.f.under(ch, false)
	var sum [3]float32
	for _, t := range e.taps {
		for k := range ch {
			a := under[ch*t.at+k]
			sum[k] += t.w * a * a
			v[k] += t.w * a * pic[ch*t.at+k]
		}
	}
	for k := range v {
		v[k] /= max(sum[k], 1e-9)
	}
	return v, len(e.taps) > 0
}

// far is how many times as bright as the brightest pixel beside it a pixel may be before
// it is taken for a speck: what chance found once and too few samples have averaged.
const far = 2

// Specks brings single pixels that are far brighter than all around them down to that.
func (f *Filter) Specks(ctx context.Context, pic []float32, workers int) error {
	from := slices.Clone(pic)
	return spread.Over(ctx, f.h, workers, func(y int) {
		for x := range f.w {
			i := 3 * (y*f.w + x)
			l := colour.LuminanceAt(from, i)
			if l <= 0 {
				continue
			}
			var most float64
			for yy := max(y-1, 0); yy <= min(y+1, f.h-1); yy++ {
				for xx := max(x-1, 0); xx <= min(x+1, f.w-1); xx++ {
					if xx != x || yy != y {
						most = max(most, colour.LuminanceAt(from, 3*(yy*f.w+xx)))
					}
				}
			}
			if l > far*most {
				for k := i; k < i+3; k++ {
					pic[k] *= float32(far * most / l)
				}
			}
		}
	})
}
