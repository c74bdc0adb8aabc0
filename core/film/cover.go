package film

import (
	"math"

	"willowherb/core/vec"
)

// MostCells bounds the surfaces that a pixel is told apart by.
const MostCells = 6

// NoTri is the triangle of a ray that left the place.
const NoTri = math.MaxUint32

// Hit is where a camera ray met a surface: a triangle and the place on it, in units of
// 1/65536 of its sides.
type Hit struct {
	Tri  uint32
	U, V uint16
}

// At is the place on the triangle: the middle of what the numbers stand for, since a place
// on an edge lies on the neighbouring surface as well.
func (h Hit) At() (u, v float32) { return (float32(h.U) + 0.5) / 65536, (float32(h.V) + 0.5) / 65536 }

// HitAt is the hit at a place of a triangle.
func HitAt(tri uint32, u, v float32) Hit {
	q := func(x float32) uint16 { return uint16(min(max(x, 0), 1) * 65534) }
	return Hit{tri, q(u), q(v)}
}

// Cell is one surface in a pixel: some of the pixel's camera rays.
type Cell struct {
	First uint32 // its first hit, of its tile's
	Hits  uint16
	Share float32 // of the pixel's rays
	// Of its first hit: the object, the distance, and the geometric normal on the viewer's side.
	Object uint32
	// Pane tells what a clear pane mirrors: the pixel shows something else behind it.
	Pane   bool
	Dist   float32
	N      vec.V3
	Albedo vec.V3
}

// Meet is how many surfaces meet in a pixel of these cells: a pane and what is seen through it
// do not.
func Meet(cells []Cell) (n int) {
	for i := range cells {
		if !cells[i].Pane {
			n++
		}
	}
	return max(n, min(len(cells), 1))
}

// CoverTile is what the camera rays of a tile met, sorted by pixel and surface.
type CoverTile struct {
	// The cells of pixel i of the tile (row by row) are those from First[i] to First[i+1].
	First   [TileSize*TileSize + 1]uint16
	Cells   []Cell
	Hits    []Hit
	Through []vec.V3 // what clear glass left of each ray; nil: all of every one
	// Smooth are the pixels that show a picture of what they mirror: paths are taken there
	// at every sample of sparse layers. nil: none.
	Smooth []bool
}

// MarkSmooth makes a pixel one of the smooth.
func (t *CoverTile) MarkSmooth(x, y int) {
	if t.Smooth == nil {
		t.Smooth = make([]bool, TileSize*TileSize)
	}
	t.Smooth[y%TileSize*TileSize+x%TileSize] = true
}

// IsSmooth reports whether a pixel is smooth.
func (t *CoverTile) IsSmooth(x, y int) bool {
	return t.Smooth != nil && t.Smooth[y%TileSize*TileSize+x%TileSize]
}

// Of returns the range of a pixel's cells.
func (t *CoverTile) Of(x, y int) (from, to int) {
	i := y%TileSize*TileSize + x%TileSize
	return int(t.First[i]), int(t.First[i+1])
}

// Cover is which surfaces a picture's pixels show, and how much of each: edges are told
// by it once and for all, and light is then taken on surfaces, not on rays.
type Cover struct {
	W, H  int
	Tiles []*CoverTile
}

// Bytes is the memory that it takes.
func (c *Cover) Bytes() (n int) {
	for _, t := range c.Tiles {
		if t != nil {
			n += 2*len(t.First) + 48*len(t.Cells) + 8*len(t.Hits) + 12*len(t.Through)
		}
	}
	return n
}

// Lit is what one light gives straight to the cells of a tile: sums of its samples in two
// halves (sample n belongs to Half(n)), and their number.
type Lit struct {
	Sum   [2][]float32 // RGB; nil: black
	Taken []uint16
}

// Put adds sample number Taken of a cell.
func (l *Lit) Put(cell int, v vec.V3) {
	half, _ := Half(int(l.Taken[cell]))
	l.Taken[cell]++
	if v == (vec.V3{}) || !v.Finite() {
		return
	}
	s := &l.Sum[half]
	if *s == nil {
		*s = make([]float32, 3*len(l.Taken))
	}
	d := (*s)[3*cell : 3*cell+3 : 3*cell+3]
	d[0] += v.X
	d[1] += v.Y
	d[2] += v.Z
}

// Halves are the means of a cell's two halves.
func (l *Lit) Halves(cell int) (a, b vec.V3) {
	na, nb := halves(int(l.Taken[cell]))
	if s := l.Sum[0]; s != nil && na > 0 {
		a = vec.V3{X: s[3*cell] / na, Y: s[3*cell+1] / na, Z: s[3*cell+2] / na}
	}
	if s := l.Sum[1]; s != nil && nb > 0 {
		b = vec.V3{X: s[3*cell] / nb, Y: s[3*cell+1] / nb, Z: s[3*cell+2] / nb}
	}
	return a, b
}

// eachCell calls do for every pixel's cells that have light: the pixel, the mean over
// them, and half the difference of its halves.
func (l *Layers) eachCell(do func(px int, mean, diff vec.V3)) {
	if l.Cover == nil {
		return
	}
	tx := Tiles(l.W)
	for t, lit := range l.Lit {
		if lit == nil || lit.Sum[0] == nil && lit.Sum[1] == nil {
			continue
		}
		cover := l.Cover.Tiles[t]
		x0, y0 := t%tx*TileSize, t/tx*TileSize
		for y := y0; y < min(y0+TileSize, l.H); y++ {
			for x := x0; x < min(x0+TileSize, l.W); x++ {
				from, to := cover.Of(x, y)
				var mean, diff vec.V3
				for c := from; c < to; c++ {
					a, b := lit.Halves(c)
					n := lit.Taken[c]
					if n == 0 {
						continue
					}
					na, nb := halves(int(n))
					s := cover.Cells[c].Share
					mean = mean.Add(a.Scale(s * na / (na + nb))).Add(b.Scale(s * nb / (na + nb)))
					if nb > 0 {
						diff = diff.Add(a.Sub(b).Scale(s / 2))
					} else { // one sample tells nothing of its own chance: it may be all
						diff = diff.Add(a.Scale(s))
					}
				}
				do(y*l.W+x, mean, diff)
			}
		}
	}
}

// On puts empty layers on a cover.
func (l *Layers) On(c *Cover) {
	l.Cover, l.Lit, l.Shown = c, make([]*Lit, len(c.Tiles)), make(Plane, len(c.Tiles))
}

// Light makes the sums of a tile's cells ready.
func (l *Layers) Light(tile int) *Lit {
	if l.Lit[tile] == nil {
		l.Lit[tile] = &Lit{Taken: make([]uint16, len(l.Cover.Tiles[tile].Cells))}
	}
	return l.Lit[tile]
}

// PutShown adds what a camera ray saw shine in a pixel, and ScaleShown scales the pixel's
// sum of it.
func (l *Layers) PutShown(tile, x, y int, v vec.V3) {
	p := &l.Shown[tile]
	if *p == nil {
		*p = make([]float32, tileFloats)
	}
	i := 3 * (y%TileSize*TileSize + x%TileSize)
	(*p)[i] += v.X
	(*p)[i+1] += v.Y
	(*p)[i+2] += v.Z
}

// ScaleShown scales a pixel of what is seen shining.
func (l *Layers) ScaleShown(tile, x, y int, s float32) {
	if p := l.Shown[tile]; p != nil {
		i := 3 * (y%TileSize*TileSize + x%TileSize)
		p[i], p[i+1], p[i+2] = p[i]*s, p[i+1]*s, p[i+2]*s
	}
}
