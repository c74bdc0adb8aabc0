package light

import (
	"math"
	"sort"

	"willowherb/core/colour"
	"willowherb/core/vec"
)

// Dome is a sky as a latitude-longitude picture: the top row overhead, the north (-Z) in
// the middle, the east (+X) to the right. It is looked for where it is bright: in cells of
// a coarser grid, by what they give, evenly within each.
type Dome struct {
	w, h int
	rgb  []float32
	// Cells: the sums of what they give, row by row, and of the rows.
	cols, rows int
	cells      []float32
	sums       []float32
}

// Cells at most, across and down.
const (
	mostCellsAcross = 512
	mostCellsDown   = 256
)

// NewDome makes a dome of w x h pixels, three numbers each, rows from the top; it keeps
// rgb. The pixels must be finite and not negative.
func NewDome(w, h int, rgb []float32) *Dome {
	d := &Dome{w: w, h: h, rgb: rgb, cols: min(w, mostCellsAcross), rows: min(h, mostCellsDown)}
	cells := make([]float64, d.cols*d.rows)
	lum := averages(w, h, rgb)
	for y := range h {
		// By the solid angle of the row.
		share := math.Sin(math.Pi*(0.5-float64(y)/float64(h))) - math.Sin(math.Pi*(0.5-float64(y+1)/float64(h)))
		row := cells[y*d.rows/h*d.cols:]
		for x := range w {
			row[x*d.cols/w] += float64(lum[y*w+x]) * share
		}
	}
	// None is quite left out.
	var all float64
	for _, v := range cells {
		all += v
	}
	d.cells, d.sums = make([]float32, len(cells)), make([]float32, d.rows)
	var sum float64
	for j := range d.rows {
		var row float64
		for i := range d.cols {
			row += cells[j*d.cols+i] + 1e-3*all/float64(len(cells)) + 1e-30
			d.cells[j*d.cols+i] = float32(row)
		}
		for i := range d.cols {
			d.cells[j*d.cols+i] /= float32(row)
		}
		sum += row
		d.sums[j] = float32(sum)
	}
	for j := range d.sums {
		d.sums[j] /= float32(sum)
	}
	return d
}

// averages are the mean luminances of the pixels as they are read between their middles:
// an eighth of each neighbour's light comes in, which a sample must expect.
func averages(w, h int, rgb []float32) []float32 {
	across, down := make([]float32, w*h), make([]float32, w*h)
	at := func(x, y int) float32 { return float32(colour.LuminanceAt(rgb, 3*(y*w+x))) }
	for y := range h {
		for x := range w {
			across[y*w+x] = 0.75*at(x, y) + 0.125*(at((x+w-1)%w, y)+at((x+1)%w, y))
		}
	}
	for y := range h {
		for x := range w {
			down[y*w+x] = 0.75*across[y*w+x] + 0.125*(across[max(y-1, 0)*w+x]+across[min(y+1, h-1)*w+x])
		}
	}
	return down
}

// place is where a direction lies in the picture, 0 to 1 from the left and from the top.
func place(d vec.V3) (u, v float32) {
	u = float32(math.Atan2(float64(d.X), float64(-d.Z))/(2*math.Pi) + 0.5)
	v = float32(math.Acos(float64(min(max(d.Y, -1), 1))) / math.Pi)
	return min(u, 1-1e-7), min(v, 1-1e-7)
}

// Radiance of the dome towards the unit direction d.
func (m *Dome) Radiance(d vec.V3) vec.V3 {
	u, v := place(d)
	x, y := u*float32(m.w)-0.5, v*float32(m.h)-0.5
	if x < 0 {
		x += float32(m.w)
	}
	y = min(max(y, 0), float32(m.h-1))
	i, j := int(x), int(y)
	a, b := x-float32(i), y-float32(j)
	k, l := (i+1)%m.w, min(j+1, m.h-1)
	return vec.Lerp(vec.Lerp(m.pixel(i%m.w, j), m.pixel(k, j), a), vec.Lerp(m.pixel(i%m.w, l), m.pixel(k, l), a), b)
}

func (m *Dome) pixel(x, y int) vec.V3 {
	p := m.rgb[3*(y*m.w+x):]
	return vec.V3{X: p[0], Y: p[1], Z: p[2]}
}

// share is what a cell is of all, and band the sines of the heights of its row's edges.
func (m *Dome) share(i, j int) float32 {
	s, c := m.sums[j], m.cells[j*m.cols+i]
	if j > 0 {
		s -= m.sums[j-1]
	}
	if i > 0 {
		c -= m.cells[j*m.cols+i-1]
	}
	return s * c
}

func (m *Dome) band(j int) (top, bottom float64) {
	return math.Cos(math.Pi * float64(j) / float64(m.rows)), math.Cos(math.Pi * float64(j+1) / float64(m.rows))
}

// sample takes a direction by what the cells give.
func (m *Dome) sample(u vec.V2) (d vec.V3, pdf float32) {
	find := func(sums []float32, u float32) (int, float32) {
		k := min(sort.Search(len(sums), func(k int) bool { return sums[k] > u }), len(sums)-1)
		var before float32
		if k > 0 {
			before = sums[k-1]
		}
		if step := sums[k] - before; step > 0 {
			return k, min(max((u-before)/step, 0), 1-1e-6)
		}
		return k, 0.5
	}
	j, v := find(m.sums, u.Y)
	i, x := find(m.cells[j*m.cols:(j+1)*m.cols], u.X)
	top, bottom := m.band(j)
	up := top + (bottom-top)*float64(v)
	flat := math.Sqrt(max(1-up*up, 0))
	sin, cos := math.Sincos(2 * math.Pi * ((float64(i)+float64(x))/float64(m.cols) - 0.5))
	return vec.New(flat*sin, up, -flat*cos), m.cellPdf(i, j)
}

// cellPdf is the density in a cell, per steradian.
func (m *Dome) cellPdf(i, j int) float32 {
	top, bottom := m.band(j)
	return m.share(i, j) / float32(2*math.Pi/float64(m.cols)*(top-bottom))
}

// pdf is the density with which sample takes d.
func (m *Dome) pdf(d vec.V3) float32 {
	u, v := place(d)
	return m.cellPdf(min(int(u*float32(m.cols)), m.cols-1), min(int(v*float32(m.rows)), m.rows-1))
}
