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
func (f *Filter) mixed(x, y int) bool { return len(f.cells(x, y)) > 1 }

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
		if len(cells) < 2 {
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
// around that they fill: raw is the picture before it was filtered, which serves for
// surfaces that fill none, and as far as those pixels are left as they are (own, from 0 to
// 1): what changes from pixel to pixel cannot be had from others. Without around it serves
// for all.
func (f *Filter) Edges(ctx context.Context, raw, filtered, own []float32, around bool, workers int) error {
	if f.cover == nil {
		return nil
	}
	ch := f.channels(filtered)
	out := make([][]float32, f.h)
	err := spread.Over(ctx, f.h, workers, func(y int) {
		for x := range f.w {
			cells := f.cells(x, y)
			if len(cells) < 2 {
				continue
			}
			i := ch * (y*f.w + x)
			if !around {
				copy(filtered[i:i+ch], raw[i:i+ch])
				continue
			}
			var sum [3]float32
			for k := range cells {
				c := &cells[k]
				v, alone, ok := f.like(x, y, c, filtered, own)
				albedo := [3]float32{c.Albedo.X + 0.01, c.Albedo.Y + 0.01, c.Albedo.Z + 0.01}
				if ch == 1 {
					albedo[0] = float32(colour.LuminanceOf(c.Albedo)) + 0.01
				}
				for q := range ch {
					mine := raw[i+q]
					if ok {
						mine = v[q]*albedo[q]*(1-alone) + mine*alone
					}
					sum[q] += mine * c.Share
				}
			}
			out[y] = append(append(out[y], float32(x)), sum[:ch]...)
		}
	})
	for y, row := range out {
		for k := 0; k < len(row); k += ch + 1 {
			copy(filtered[ch*(y*f.w+int(row[k])):], row[k+1:k+1+ch])
		}
	}
	return err
}

// like is the light, without albedo, that agrees best with the pixels around that a cell's
// surface fills (least squares): what looks black tells little of it. Alone is how far those
// are left as they are.
func (f *Filter) like(x, y int, c *film.Cell, pic, own []float32) (v [3]float32, alone float32, ok bool) {
	var weights float32
	var sum [3]float32
	const reach = 3
	ch := f.channels(pic)
	under := f.under(ch, false)
	i := y*f.w + x
	apart := f.plane(i, 1)
	here := vec.V3{X: f.pos[0][i], Y: f.pos[1][i], Z: f.pos[2][i]}.Scale(c.Dist / max(f.depth[i], 1e-9))
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
			if weights += w; own != nil {
				alone += w * own[q]
			}
			for k := range ch {
				a := under[ch*q+k]
				sum[k] += w * a * a
				v[k] += w * a * pic[ch*q+k]
			}
		}
	}
	for k := range v {
		v[k] /= max(sum[k], 1e-9)
	}
	return v, alone / max(weights, 1e-9), weights > 0
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
