package filter

import (
	"context"
	"math"

	"willowherb/core/colour"
	"willowherb/core/spread"
)

const (
	// field is how many pixels a side what is rarely found is counted by.
	field = 8
	// enough is how many rare finds, alike in size, tell how much of such there is.
	enough = 8
)

// find is what was taken from a pixel.
type find struct {
	at  int
	rgb [3]float32
}

// take leaves of each pixel what is kept, and returns the rest.
func take(pic, kept []float32) (out []find) {
	for i, k := range kept {
		if k >= 1 {
			continue
		}
		q := find{at: i}
		for c := range q.rgb {
			v := pic[3*i+c]
			pic[3*i+c] = v * k
			q.rgb[c] = v - pic[3*i+c]
		}
		out = append(out, q)
	}
	return out
}

// regain gives back what Lone has taken: not to the pixels that had it by chance, but to all
// around them, in proportion to what those have found, over as much of the picture as it takes
// to tell how much of it there is. So a picture of few samples is no darker than the truth.
type regain struct {
	f      *Filter
	wide   int       // fields in a row
	shape  []float32 // what each pixel has kept, as luminance without albedo
	weight []float32 // samples of each pixel; nil: 1
	reach  []int     // for each field, how many fields on each side tell
	share  []float32 // for each field, what is given back, over what its reach has kept
	some   []float32 // for each field, how far what it gives back is to be believed: 1 wholly
}

// regaining works out how finds of a picture, given with what was kept, are given back.
func (f *Filter) regaining(mean []float32, weight []float32, finds []find) *regain {
	r := &regain{f: f, wide: (f.w + field - 1) / field, shape: make([]float32, f.w*f.h), weight: weight}
	high := (f.h + field - 1) / field
	kept, lost, square := newTable(r.wide, high), newTable(r.wide, high), newTable(r.wide, high)
	for i := range r.shape {
		r.shape[i] = max(float32(colour.LuminanceAt(mean, 3*i)), 0) / f.grey[i]
		*kept.at(f.fieldOf(i)) += float64(r.of(i) * r.shape[i])
	}
	for _, q := range finds {
		l := float64(r.of(q.at)) * float64(0.2126*q.rgb[0]+0.7152*q.rgb[1]+0.0722*q.rgb[2]) / float64(f.grey[q.at])
		*lost.at(f.fieldOf(q.at)) += l
		*square.at(f.fieldOf(q.at)) += l * l
	}
	kept.sum()
	lost.sum()
	square.sum()
	r.reach, r.share, r.some = make([]int, r.wide*high), make([]float32, r.wide*high), make([]float32, r.wide*high)
	for y := range high {
		for x := range r.wide {
			k := y*r.wide + x
			for reach := 1; ; reach *= 2 {
				l, s := lost.around(x, y, reach), square.around(x, y, reach)
				alike := l * l / max(s, 1e-300) // finds of one size would be so many
				if alike < enough && reach < max(r.wide, high) {
					continue
				}
				r.reach[k] = reach
				r.some[k] = float32(min(alike/enough, 1))
				if all := kept.around(x, y, reach); all > 0 {
					r.share[k] = r.some[k] / float32(all)
				}
				break
			}
		}
	}
	return r
}

// doubt is the share of what was taken from a pixel that is not known to be given back as it
// should: what was not given at all, and of the rest the chance of so few finds.
func (r *regain) doubt(px int) float32 {
	x, y := r.f.fieldOf(px)
	some := r.some[y*r.wide+x]
	return 1 - some + some/float32(math.Sqrt(enough))
}

// of is the weight of a pixel.
func (r *regain) of(px int) float32 {
	if r.weight == nil {
		return 1
	}
	return r.weight[px]
}

// fieldOf is the field that a pixel lies in.
func (f *Filter) fieldOf(px int) (x, y int) { return px % f.w / field, px / f.w / field }

// give adds finds to a picture. Between the middles of fields it goes evenly from what one says to
// what the next does.
func (r *regain) give(ctx context.Context, finds []find, to []float32, workers int) error {
	if len(finds) == 0 {
		return nil
	}
	high := len(r.reach) / r.wide
	var lost [3]*table
	for c := range lost {
		lost[c] = newTable(r.wide, high)
		for _, q := range finds {
			*lost[c].at(r.f.fieldOf(q.at)) += float64(r.of(q.at)*q.rgb[c]) / float64(r.f.albedo[3*q.at+c])
		}
		lost[c].sum()
	}
	rates := make([][3]float32, len(r.reach))
	for k := range rates {
		for c := range lost {
			rates[k][c] = float32(lost[c].around(k%r.wide, k/r.wide, r.reach[k])) * r.share[k]
		}
	}
	return spread.Over(ctx, r.f.h, workers, func(y int) {
		row, some := r.row(rates, y)
		if !some {
			return
		}
		for x := range r.f.w {
			i := y*r.f.w + x
			s := r.shape[i]
			if s <= 0 {
				continue
			}
			u := (float32(x)+0.5)/field + 0.5
			at := int(u)
			u -= float32(at)
			p, q := &row[at], &row[at+1]
			for c := range p {
				to[3*i+c] += (p[c] + u*(q[c]-p[c])) * s * r.f.albedo[3*i+c]
			}
		}
	})
}

// row is what the fields say at the height of a row of pixels, between those above and below: each
// field at its middle, and the first and the last once more beside the picture. some is false
// where they say nothing.
func (r *regain) row(rates [][3]float32, y int) (out [][3]float32, some bool) {
	high := len(rates) / r.wide
	v := (float32(y)+0.5)/field + 0.5
	below := int(v)
	v -= float32(below)
	a, b := r.wide*max(below-1, 0), r.wide*min(below, high-1)
	out = make([][3]float32, r.wide+2)
	for k := range r.wide {
		p, q := &rates[a+k], &rates[b+k]
		for c := range p {
			out[k+1][c] = p[c] + v*(q[c]-p[c])
			some = some || out[k+1][c] != 0
		}
	}
	out[0], out[r.wide+1] = out[1], out[r.wide]
	return out, some
}

// table is a summed-area table over fields (Crow 1984).
type table struct {
	w, h int
	sums []float64 // one more on each axis
}

func newTable(w, h int) *table { return &table{w, h, make([]float64, (w+1)*(h+1))} }

// at is a field's own value, before the table is summed.
func (t *table) at(x, y int) *float64 { return &t.sums[(y+1)*(t.w+1)+x+1] }

// sum makes sums over all fields above and to the left of the values.
func (t *table) sum() {
	for y := range t.h {
		row := 0.0
		for x := range t.w {
			row += *t.at(x, y)
			*t.at(x, y) = row + t.sums[y*(t.w+1)+x+1]
		}
	}
}

// around is the sum over the fields so far from one on each side, inside the picture.
func (t *table) around(x, y, reach int) float64 {
	x0, x1 := max(x-reach, 0), min(x+reach+1, t.w)
	y0, y1 := max(y-reach, 0), min(y+reach+1, t.h)
	at := func(x, y int) float64 { return t.sums[y*(t.w+1)+x] }
	return at(x1, y1) - at(x0, y1) - at(x1, y0) + at(x0, y0)
}
