// Package film keeps what paths find: the sums of every light's samples in a view, by
// kind and in two halves, what the first hits say of the surfaces, and the packed form
// in which layers are sent.
//
// The halves are independent of each other: half their difference is an estimate of
// the error of their mean.
package film

import (
	"math"
	"slices"

	"willowherb/core/colour"
	"willowherb/core/vec"
)

// Kind is a part of what a light gives to a view.
type Kind uint8

// Kinds of layer. What smooth surfaces show is kept apart from what is soft, since it
// has edges of its own that the first hits know nothing of.
const (
	Direct       Kind = iota
	DirectSharp       // direct light of what shines, as smooth surfaces show it
	Bounced           // by way of at least one other surface
	BouncedSharp      // the same, as smooth surfaces show it: the lit room in them
	Met               // direct light that paths met by chance, where a cover has the rest
	Seen              // the shining thing itself: sky, emissive surface
	Reflected         // the sky in mirrors
	Air               // what the air before all that is seen sends on of it
	Kinds
)

// DirectKinds and BouncedKinds are what a light gives; Shown what is seen of itself.
var (
	DirectKinds  = []Kind{Direct, Met, DirectSharp}
	BouncedKinds = []Kind{Bounced, BouncedSharp}
	Shown        = []Kind{Seen, Reflected}
)

// BySurfaces reports whether the kind comes by way of other surfaces.
func (k Kind) BySurfaces() bool { return k == Bounced || k == BouncedSharp }

// Softly returns the kind that a kind of what smooth surfaces show belongs to.
func (k Kind) Softly() (soft Kind, ok bool) {
	switch k {
	case DirectSharp:
		return Direct, true
	case BouncedSharp:
		return Bounced, true
	}
	return k, false
}

// TileSize is the side of the square in which passes do their work.
const TileSize = 32

// tileFloats is how many numbers a tile of RGB has.
const tileFloats = 3 * TileSize * TileSize

// Plane is an RGB picture of W by H in tiles; those that are nil are black.
type Plane [][]float32

// Layers are the sums of one light's samples in one view.
type Layers struct {
	W, H  int
	Sum   [Kinds][2]Plane
	Count []uint16 // samples in each tile
	// Sparse layers take what is bounced in one pixel of four at each sample, since it is
	// soft and dear, and is filtered widely: after four samples each pixel has one
	// of it. After the first four the other kinds are taken so too. Set it before the
	// first sample.
	Sparse bool
	// Detailed is how many times path.Pass.Spend has asked for more of the light.
	Detailed int
	// Cover, if set, is what the pixels show: what comes straight from the light by asking
	// for it is then taken on its cells, in Lit, a tile each, and what is seen shining is
	// told once by the cover's rays, in Shown. The sums have the rest.
	Cover     *Cover
	Lit       []*Lit
	Shown     Plane
	ShownDone bool
	// Late, on a cover, is how many of the first samples have no paths, only what is asked of
	// lights. Set it before the first sample.
	Late int
	// More, on a cover, are the pairs of paths, one for each half, that the pixels of a tile
	// have beyond the tile's samples; nil: none.
	More []*[TileSize * TileSize]uint16
}

// Turn is the sample, of every four, at which a pixel is taken in sparse layers.
func Turn(x, y int) int { return [4]int{0, 2, 3, 1}[y&1*2+x&1] }

// Dense is the number of samples that sparse layers take of every pixel.
const Dense = 4

// Tiles returns how many tiles cover n pixels.
func Tiles(n int) int { return (n + TileSize - 1) / TileSize }

// NewLayers makes empty layers.
func NewLayers(w, h int) *Layers {
	l := &Layers{W: w, H: h, Count: make([]uint16, Tiles(w)*Tiles(h))}
	for k := range l.Sum {
		for p := range 2 {
			l.Sum[k][p] = make(Plane, len(l.Count))
		}
	}
	return l
}

// Put adds a sample's light to pixel (x, y) of its tile. Different tiles may be
// filled at once.
func (l *Layers) Put(k Kind, half, tile, x, y int, v vec.V3) {
	p := &l.Sum[k][half][tile]
	if *p == nil {
		*p = make([]float32, tileFloats)
	}
	i := 3 * (y%TileSize*TileSize + x%TileSize)
	d := (*p)[i : i+3 : i+3]
	d[0] += v.X
	d[1] += v.Y
	d[2] += v.Z
}

// Has reports whether anything of a kind has been found.
func (l *Layers) Has(k Kind) bool {
	some := func(t []float32) bool { return t != nil }
	for _, p := range l.Sum[k] {
		if slices.ContainsFunc(p, some) {
			return true
		}
	}
	switch k {
	case Direct:
		return slices.ContainsFunc(l.Lit, func(t *Lit) bool { return t != nil && (t.Sum[0] != nil || t.Sum[1] != nil) })
	case Seen:
		return slices.ContainsFunc(l.Shown, some)
	}
	return false
}

// taken returns how many samples of kind k a pixel has after n passes.
func (l *Layers) taken(k Kind, x, y, n int) int {
	if l.More != nil {
		if m := l.More[y/TileSize*Tiles(l.W)+x/TileSize]; m != nil {
			return l.regular(k, x, y, n) + 2*int(m[y%TileSize*TileSize+x%TileSize])
		}
	}
	return l.regular(k, x, y, n)
}

// Paths is how many paths a pixel has.
func (l *Layers) Paths(x, y int) int {
	return l.taken(Bounced, x, y, int(l.Count[y/TileSize*Tiles(l.W)+x/TileSize]))
}

// regular is taken without More.
func (l *Layers) regular(k Kind, x, y, n int) int {
	n = max(n-l.Late, 0)
	switch {
	case !l.Sparse || l.Cover == nil && !k.BySurfaces() && n <= Dense:
		return n
	case l.Cover != nil && l.Cover.Tiles[y/TileSize*Tiles(l.W)+x/TileSize].IsSmooth(x, y):
		return n
	case l.Cover != nil:
		return 2 * ((n + 3 - Turn(x, y)) / 4) // one of each half
	case k.BySurfaces():
		return (n + 3 - Turn(x, y)) / 4
	}
	return Dense + (n-Dense+3-Turn(x, y))/4
}

// Gaps reports whether some pixels may still have no sample of what is bounced.
func (l *Layers) Gaps() bool { return l.Sparse && l.Samples()-l.Late < 4 }

// Lacks reports whether a pixel has no sample of what is bounced.
func (l *Layers) Lacks(x, y int) bool {
	return l.taken(Bounced, x, y, int(l.Count[y/TileSize*Tiles(l.W)+x/TileSize])) == 0
}

// Half is the half that a sample belongs to, and its number in it. The halves have
// random numbers of their own: those of one sequence would make up for each other's
// errors, and their difference would tell nothing.
func Half(sample int) (half, n int) { return sample & 1, sample >> 1 }

// halves counts the samples of each half among the first n.
func halves(n int) (a, b float32) { return float32((n + 1) / 2), float32(n / 2) }

// Samples returns the number of samples that every pixel has.
func (l *Layers) Samples() int {
	n := uint16(math.MaxUint16)
	for _, c := range l.Count {
		n = min(n, c)
	}
	return int(n)
}

// Bytes returns the memory of the sums.
func (l *Layers) Bytes() int {
	n := 0
	for _, t := range l.More {
		if t != nil {
			n += 2 * len(t)
		}
	}
	for _, t := range l.Lit {
		if t != nil {
			n += 2*len(t.Taken) + 4*len(t.Sum[0]) + 4*len(t.Sum[1])
		}
	}
	for _, t := range l.Shown {
		n += 24 + 4*len(t)
	}
	for k := range l.Sum {
		for _, p := range l.Sum[k] {
			for _, t := range p {
				n += 24 + 4*len(t)
			}
		}
	}
	return n
}

// each calls do for every pixel that has light of kind k in one half or the other:
// its number in the picture, its sums in the halves (nil for none), where they begin
// in those, and the number of samples in each half.
func (l *Layers) each(k Kind, do func(px int, a, b []float32, i int, na, nb float32)) {
	tx := Tiles(l.W)
	for t, c := range l.Count {
		a, b := l.Sum[k][0][t], l.Sum[k][1][t]
		if a == nil && b == nil || c == 0 {
			continue
		}
		x0, y0 := t%tx*TileSize, t/tx*TileSize
		for y := y0; y < min(y0+TileSize, l.H); y++ {
			for x := x0; x < min(x0+TileSize, l.W); x++ {
				px := y*l.W + x
				na, nb := halves(l.taken(k, x, y, int(c)))
				do(px, a, b, 3*((y-y0)*TileSize+x-x0), na, nb)
			}
		}
	}
}

// Average adds gain times the mean of kind k to out (RGB, 3*W*H); pixels without a
// sample stay as they are.
func (l *Layers) Average(k Kind, gain vec.V3, out []float32) {
	l.each(k, func(px int, a, b []float32, i int, na, nb float32) {
		s := gain.Scale(1 / max(na+nb, 1))
		o := out[3*px : 3*px+3 : 3*px+3]
		for _, h := range [2][]float32{a, b} {
			if h != nil {
				o[0] += h[i] * s.X
				o[1] += h[i+1] * s.Y
				o[2] += h[i+2] * s.Z
			}
		}
	})
	add := func(px int, v vec.V3) {
		out[3*px] += v.X * gain.X
		out[3*px+1] += v.Y * gain.Y
		out[3*px+2] += v.Z * gain.Z
	}
	switch k {
	case Direct:
		l.eachCell(func(px int, mean, _ vec.V3) { add(px, mean) })
	case Seen:
		l.eachShown(add)
	}
}

// eachShown calls do for the pixels where the light is seen shining, by the cover's rays.
func (l *Layers) eachShown(do func(px int, v vec.V3)) {
	tx := Tiles(l.W)
	for t, p := range l.Shown {
		if p == nil {
			continue
		}
		x0, y0 := t%tx*TileSize, t/tx*TileSize
		for y := y0; y < min(y0+TileSize, l.H); y++ {
			for x := x0; x < min(x0+TileSize, l.W); x++ {
				i := 3 * ((y-y0)*TileSize + x - x0)
				do(y*l.W+x, vec.V3{X: p[i], Y: p[i+1], Z: p[i+2]})
			}
		}
	}
}

// HalfDifference adds gain times half the difference of the two halves' means of
// kind k to out: an estimate of the error of their average.
func (l *Layers) HalfDifference(k Kind, gain vec.V3, out []float32) {
	l.each(k, func(px int, a, b []float32, i int, na, nb float32) {
		if na == 0 || nb == 0 {
			return
		}
		o := out[3*px : 3*px+3 : 3*px+3]
		if a != nil {
			s := 0.5 / na
			o[0] += a[i] * s * gain.X
			o[1] += a[i+1] * s * gain.Y
			o[2] += a[i+2] * s * gain.Z
		}
		if b != nil {
			s := 0.5 / nb
			o[0] -= b[i] * s * gain.X
			o[1] -= b[i+1] * s * gain.Y
			o[2] -= b[i+2] * s * gain.Z
		}
	})
	if k == Direct {
		l.eachCell(func(px int, _, diff vec.V3) {
			out[3*px] += diff.X * gain.X
			out[3*px+1] += diff.Y * gain.Y
			out[3*px+2] += diff.Z * gain.Z
		})
	}
}

// AddTo adds gain times the mean of kind k to mean (RGB, 3*W*H), and the luminance of gain
// times half the difference of its halves to diff (W*H), or of all of it where there is only
// one half: Average and HalfDifference at once.
func (l *Layers) AddTo(k Kind, gain vec.V3, mean, diff []float32) {
	grey := vec.V3{X: colour.WeightR, Y: colour.WeightG, Z: colour.WeightB}.Mul(gain)
	put := func(px int, m, d vec.V3) {
		o := mean[3*px : 3*px+3 : 3*px+3]
		o[0] += m.X * gain.X
		o[1] += m.Y * gain.Y
		o[2] += m.Z * gain.Z
		diff[px] += d.Dot(grey)
	}
	l.each(k, func(px int, a, b []float32, i int, na, nb float32) {
		var p, q vec.V3
		if a != nil {
			p = vec.V3{X: a[i], Y: a[i+1], Z: a[i+2]}
		}
		if b != nil {
			q = vec.V3{X: b[i], Y: b[i+1], Z: b[i+2]}
		}
		var d vec.V3
		switch {
		case na > 0 && nb > 0:
			d = p.Scale(0.5 / na).Sub(q.Scale(0.5 / nb))
		case na > 0: // one sample tells nothing of its own chance: it may be all
			d = p.Scale(1 / na)
		}
		put(px, p.Add(q).Scale(1/max(na+nb, 1)), d)
	})
	switch k {
	case Direct:
		l.eachCell(put)
	case Seen:
		l.eachShown(func(px int, v vec.V3) { put(px, v, vec.V3{}) })
	}
}

// Mean returns the mean colour of some kinds together over the picture's pixels that
// have a sample of each.
func (l *Layers) Mean(kinds ...Kind) vec.V3 {
	var all vec.V3
	for _, k := range kinds {
		var m [3]float64
		l.each(k, func(_ int, a, b []float32, i int, na, nb float32) {
			if na+nb == 0 {
				return
			}
			s := 1 / float64(na+nb)
			for c := range 3 {
				if a != nil {
					m[c] += float64(a[i+c]) * s
				}
				if b != nil {
					m[c] += float64(b[i+c]) * s
				}
			}
		})
		if m != [3]float64{} { // how many pixels are black is work to tell, and for nothing
			n := float64(l.sampled(k))
			all = all.Add(vec.New(m[0]/n, m[1]/n, m[2]/n))
		}
		m = [3]float64{}
		add := func(_ int, v vec.V3) { m[0], m[1], m[2] = m[0]+float64(v.X), m[1]+float64(v.Y), m[2]+float64(v.Z) }
		switch k {
		case Direct:
			l.eachCell(func(px int, mean, _ vec.V3) { add(px, mean) })
		case Seen:
			l.eachShown(add)
		}
		n := float64(l.W * l.H)
		all = all.Add(vec.New(m[0]/n, m[1]/n, m[2]/n))
	}
	return all
}

// sampled is how many pixels have a sample of kind k.
func (l *Layers) sampled(k Kind) (n int) {
	if least := l.Samples() - l.Late; least >= 4 || !l.Sparse && least > 0 {
		return l.W * l.H
	}
	for y := range l.H {
		for x := range l.W {
			if l.taken(k, x, y, int(l.Count[y/TileSize*Tiles(l.W)+x/TileSize])) > 0 {
				n++
			}
		}
	}
	return n
}

// Add adds the samples of o, which must have the same size and an even number of
// samples, to l.
func (l *Layers) Add(o *Layers) {
	for k := range l.Sum {
		for h := range l.Sum[k] {
			for t, from := range o.Sum[k][h] {
				if from == nil {
					continue
				}
				to := &l.Sum[k][h][t]
				if *to == nil {
					*to = make([]float32, tileFloats)
				}
				for i, v := range from {
					(*to)[i] += v
				}
			}
		}
	}
	for i, c := range o.Count {
		l.Count[i] += c
	}
}
