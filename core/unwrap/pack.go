package unwrap

import (
	"cmp"
	"math/bits"
	"slices"
)

// Shape is what a patch takes of a page: rows of texels that it needs.
type Shape struct {
	W, H int
	Rows []uint64 // (W+63)/64 words a row, the first texel lowest
	// The row with the longest run of texels, and that run.
	broad, run int
}

// ShapeOf is the shape of a patch, of the texels that Places(1) has places for.
func ShapeOf(p *Patch) Shape {
	n := words(p.W)
	s := Shape{W: p.W, H: p.H, Rows: make([]uint64, n*p.H)}
	for i, q := range p.Places(1) {
		if q.Tri >= 0 {
			x, y := i%p.W, i/p.W
			s.Rows[y*n+x/64] |= 1 << (x % 64)
		}
	}
	s.measure()
	return s
}

// measure finds the broadest row.
func (s *Shape) measure() {
	n := words(s.W)
	for y := range s.H {
		if r := longest(s.Rows[y*n:y*n+n], s.W, 1); r > s.run {
			s.broad, s.run = y, r
		}
	}
}

// longest is the longest run of a bit, 0 or 1, in a row of so many.
func longest(row []uint64, n int, bit uint64) (most int) {
	run := 0
	for x := 0; x < n; x++ {
		if x%64 == 0 && x+64 <= n {
			switch row[x/64] ^ -bit {
			case 0: // all of them
				run += 64
				most = max(most, run)
				x += 63
				continue
			case ^uint64(0):
				run = 0
				x += 63
				continue
			}
		}
		if row[x/64]>>(x%64)&1 == bit {
			run++
			most = max(most, run)
		} else {
			run = 0
		}
	}
	return most
}

func words(w int) int { return (w + 63) / 64 }

// Texels is how many the shape needs.
func (s *Shape) Texels() (n int) {
	for _, r := range s.Rows {
		n += bits.OnesCount64(r)
	}
	return n
}

// Mask appends, for each of the shape's W x H texels, whether it is needed.
func (s *Shape) Mask(to []bool) []bool {
	n := words(s.W)
	for y := range s.H {
		for x := range s.W {
			to = append(to, s.Rows[y*n+x/64]>>(x%64)&1 != 0)
		}
	}
	return to
}

// turned is the shape with its rows as columns.
func (s *Shape) turned() Shape {
	n, m := words(s.W), words(s.H)
	t := Shape{W: s.H, H: s.W, Rows: make([]uint64, m*s.W)}
	for y := range s.H {
		for x := range s.W {
			if s.Rows[y*n+x/64]>>(x%64)&1 != 0 {
				t.Rows[x*m+y/64] |= 1 << (y % 64)
			}
		}
	}
	t.measure()
	return t
}

// Spot is where a shape lies: its first texel, and whether it is turned (its rows are
// columns of the page).
type Spot struct {
	Page, X, Y int
	Turned     bool
}

// Page is how large a page is, in texels, and how many of them shapes fill.
type Page struct{ W, H, Filled, Padding int }

// Pack lays shapes into pages of size x size texels with so many texels free between any two.
// The last page is smaller where what is left fits into less. Every shape must fit into a page.
func Pack(shapes []Shape, size, padding int) ([]Spot, []Page) {
	order := make([]int, len(shapes))
	for i := range order {
		order[i] = i
	}
	slices.SortStableFunc(order, func(a, b int) int {
		s, t := &shapes[a], &shapes[b]
		return cmp.Or(cmp.Compare(max(t.W, t.H), max(s.W, s.H)), cmp.Compare(t.W*t.H, s.W*s.H), cmp.Compare(a, b))
	})
	spots := make([]Spot, len(shapes))
	var pages []Page
	for len(order) > 0 {
		n := len(pages)
		s := newSheet(size, size, padding)
		left := s.take(shapes, order, spots, n)
		if len(left) == 0 {
			s = smaller(shapes, order, spots, n, s)
		}
		pages = append(pages, s.page())
		order = left
	}
	return spots, pages
}

// smaller packs what fits into one sheet into the smallest that holds it.
func smaller(shapes []Shape, order []int, spots []Spot, n int, s *sheet) *sheet {
	for {
		w, h := s.w, s.h
		if h >= w {
			h /= 2
		} else {
			w /= 2
		}
		if w < 64 || h < 64 {
			return s
		}
		try := newSheet(w, h, s.padding)
		trial := slices.Clone(spots)
		if len(try.take(shapes, order, trial, n)) > 0 {
			return s
		}
		copy(spots, trial)
		s = try
	}
}

// sheet is a page while it is filled.
type sheet struct {
	w, h, padding, words int
	taken                []uint64 // what shapes and the padding about them take
	free                 []int    // of each row, the longest run that is free
	filled               int
	// from is where shapes of a size may begin to look: a page only fills.
	from map[[2]int][2]int
}

func newSheet(w, h, padding int) *sheet {
	s := &sheet{w: w, h: h, padding: padding, words: words(w), from: map[[2]int][2]int{}}
	s.taken, s.free = make([]uint64, s.words*h), make([]int, h)
	for y := range s.free {
		s.free[y] = w
	}
	return s
}

func (s *sheet) page() Page {
	p := Page{W: s.w, H: s.h, Filled: s.filled}
	for _, r := range s.taken {
		p.Padding += bits.OnesCount64(r)
	}
	p.Padding -= s.filled
	return p
}

// take lays what fits of some shapes, in their order, and returns the others.
func (s *sheet) take(shapes []Shape, order []int, spots []Spot, n int) (left []int) {
	for _, i := range order {
		shape := &shapes[i]
		x, y, ok := s.find(shape)
		turned := false
		if shape.W != shape.H {
			// The way that ends lower.
			t := shape.turned()
			if tx, ty, too := s.find(&t); too && (!ok || ty+t.H < y+shape.H) {
				x, y, ok, turned, shape = tx, ty, true, true, &t
			}
		}
		if !ok {
			left = append(left, i)
			continue
		}
		s.put(shape, x, y)
		spots[i] = Spot{n, x, y, turned}
	}
	return left
}

// find looks for the lowest place, and there the leftmost, where a shape meets nothing.
func (s *sheet) find(a *Shape) (x, y int, ok bool) {
	class := [2]int{a.W, a.H}
	from := s.from[class]
	for y = from[1]; y+a.H <= s.h; y++ {
		if s.free[y+a.broad] < a.run {
			continue
		}
		x = 0
		if y == from[1] {
			x = from[0]
		}
		for x+a.W <= s.w {
			next := s.meets(a, x, y)
			if next == x {
				s.from[class] = [2]int{x, y}
				return x, y, true
			}
			x = next
		}
	}
	s.from[class] = [2]int{0, s.h}
	return 0, 0, false
}

// meets returns x where the shape at (x, y) meets nothing, else the next x that is worth a
// try: past what it meets.
func (s *sheet) meets(a *Shape, x, y int) int {
	n, shift, first := words(a.W), uint(x%64), x/64
	for k := range a.H {
		r := k + a.broad // that row first
		if r >= a.H {
			r -= a.H
		}
		row := s.taken[(y+r)*s.words : (y+r+1)*s.words]
		mask := a.Rows[r*n : r*n+n]
		for k, m := range mask {
			if m == 0 {
				continue
			}
			hit := -1
			if c := row[first+k] & (m << shift); c != 0 {
				hit = (first+k)*64 + 63 - bits.LeadingZeros64(c)
			}
			if shift > 0 && first+k+1 < s.words {
				if c := row[first+k+1] & (m >> (64 - shift)); c != 0 {
					hit = (first+k+1)*64 + 63 - bits.LeadingZeros64(c)
				}
			}
			if hit >= 0 {
				return max(x+1, hit+1-leftmost(mask))
			}
		}
	}
	return x
}

func leftmost(row []uint64) int {
	for k, m := range row {
		if m != 0 {
			return 64*k + bits.TrailingZeros64(m)
		}
	}
	return 0
}

// put marks a shape and the padding about it.
func (s *sheet) put(a *Shape, x, y int) {
	n := words(a.W)
	s.filled += a.Texels()
	// A row with its padding to both sides; then up and down.
	wide := make([]uint64, s.words)
	for r := range a.H {
		clear(wide)
		for k := range a.W {
			if a.Rows[r*n+k/64]>>(k%64)&1 == 0 {
				continue
			}
			for q := max(x+k-s.padding, 0); q <= min(x+k+s.padding, s.w-1); q++ {
				wide[q/64] |= 1 << (q % 64)
			}
		}
		for q := max(y+r-s.padding, 0); q <= min(y+r+s.padding, s.h-1); q++ {
			row := s.taken[q*s.words : (q+1)*s.words]
			for k := range wide {
				row[k] |= wide[k]
			}
		}
	}
	for q := max(y-s.padding, 0); q < min(y+a.H+s.padding, s.h); q++ {
		s.free[q] = longest(s.taken[q*s.words:(q+1)*s.words], s.w, 0)
	}
}
