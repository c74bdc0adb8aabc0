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
	out := make([][]float32, f.h)
	err := spread.Over(ctx, f.h, workers, func(y int) {
		for x := range f.w {
			cells := f.cells(x, y)
			if len(cells) < 2 {
				continue
			}
			var sum vec.V3
			i := 3 * (y*f.w + x)
			if !around {
				copy(filtered[i:i+3], raw[i:i+3])
				continue
			}
			for k := range cells {
				c := &cells[k]
				v, alone, ok := f.like(x, y, c, filtered, own)
				mine := vec.V3{X: raw[i], Y: raw[i+1], Z: raw[i+2]}
				if v = vec.Lerp(v.Mul(c.Albedo.Add(vec.Splat(0.01))), mine, alone); !ok {
					v = mine
				}
				sum = sum.Add(v.Scale(c.Share))
			}
			out[y] = append(out[y], float32(x), sum.X, sum.Y, sum.Z)
		}
	})
	for y, row := range out {
		for k := 0; k < len(row); k += 4 {
			copy(filtered[3*(y*f.w+int(row[k])):], row[k+1:k+4])
		}
	}
	return err
}

// like is the light, without albedo, that agrees best with the pixels around that a cell's
// surface fills (least squares): what looks black tells little of it. Alone is how far those
// are left as they are.
func (f *Filter) like(x, y int, c *film.Cell, pic, own []float32) (v vec.V3, alone float32, ok bool) {
	var weights float32
	var sum vec.V3
	const reach = 3
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
			w /= float32(1 + (xx-x)*(xx-x) + (yy-y)*(yy-y))
			if weights += w; own != nil {
				alone += w * own[q]
			}
			a := vec.V3{X: f.albedo[3*q], Y: f.albedo[3*q+1], Z: f.albedo[3*q+2]}
			sum = sum.Add(a.Mul(a).Scale(w))
			v = v.Add(vec.V3{X: pic[3*q], Y: pic[3*q+1], Z: pic[3*q+2]}.Mul(a).Scale(w))
		}
	}
	return vec.V3{X: v.X / max(sum.X, 1e-9), Y: v.Y / max(sum.Y, 1e-9), Z: v.Z / max(sum.Z, 1e-9)}, alone / max(weights, 1e-9), sum != vec.V3{}
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
