package render

import (
	"math"
	"math/bits"
	"slices"

	"willowherb/core/colour"
	"willowherb/core/vec"
)

// Kind is a part of what a light gives to a view.
type Kind uint8

// Kinds of layer.
const (
	Direct    Kind = iota
	Bounced        // by way of at least one other surface
	Seen           // the shining thing itself: sky, emissive surface
	Reflected      // the environment in mirrors
	Kinds
)

// TileSize is the side of the square in which passes do their work.
const TileSize = 32

// Layers are the sums of one light's samples in one view, in two halves whose
// difference measures the noise.
type Layers struct {
	W, H  int
	Sum   [Kinds][2][]float32 // RGB, rows from the top; nil for a kind the light has not
	Count []uint16            // samples in each tile
	// Sparse layers take Bounced in one pixel of four at each sample, since it is
	// soft and dear, and is filtered widely: after four samples each pixel has one
	// of it. After the first four the other kinds are taken so too; where they are
	// noisy Detail takes more. Set it before the first sample.
	Sparse bool
	// Wanted are the pixels that the next Pass.Detail is for, and More the samples
	// beside Count that each has had of it, of all kinds but Bounced; nil for none.
	Wanted []bool
	More   []uint16
	detail []uint8 // how many Details each tile has had
}

// turn is the sample, of every four, at which a pixel is taken in sparse layers.
func turn(x, y int) int { return [4]int{0, 2, 3, 1}[y&1*2+x&1] }

// whole is the number of samples that sparse layers take of every pixel.
const whole = 4

// taken returns how many samples of kind k a pixel has after n passes, Detail
// apart.
func (l *Layers) taken(k Kind, x, y, n int) int {
	switch {
	case !l.Sparse || k != Bounced && n <= whole:
		return n
	case k == Bounced:
		return (n + 3 - turn(x, y)) / 4
	}
	return whole + (n-whole+3-turn(x, y))/4
}

// Gaps reports whether some pixels may still have no sample of Bounced.
func (l *Layers) Gaps() bool { return l.Sparse && l.Samples() < 4 }

// Lacks reports whether a pixel has no sample of Bounced.
func (l *Layers) Lacks(x, y int) bool {
	return l.taken(Bounced, x, y, int(l.Count[y/TileSize*tiles(l.W)+x/TileSize])) == 0
}

// half is the half that a sample belongs to: by the parity of the ones in its
// number (the Thue-Morse sequence). Even and odd numbers would not do: in a Sobol'
// sequence they lie in different halves of the pixel, and at an edge the two would
// never agree.
func half(sample int) int { return bits.OnesCount(uint(sample)) & 1 }

// halves counts the samples of each half among the first n.
func halves(n int) (a, b float32) {
	a, b = float32(n/2), float32(n/2)
	if n%2 == 1 {
		if half(n-1) == 0 {
			a++
		} else {
			b++
		}
	}
	return a, b
}

// NewLayers makes empty layers; shining lights have Seen and Reflected too.
func NewLayers(w, h int, shining bool) *Layers {
	l := &Layers{W: w, H: h, Count: make([]uint16, tiles(w)*tiles(h))}
	for k := range Kinds {
		if k < Seen || shining {
			for p := range 2 {
				l.Sum[k][p] = make([]float32, 3*w*h)
			}
		}
	}
	return l
}

func tiles(n int) int { return (n + TileSize - 1) / TileSize }

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
	for k := range l.Sum {
		for p := range l.Sum[k] {
			n += 4 * len(l.Sum[k][p])
		}
	}
	return n + 3*len(l.More)
}

// Want marks, for the next Pass.Detail, the pixels where the chance in the given
// kinds shows: where half the difference of the halves, at that gain, changes the
// developed picture by more than limit, and their neighbours.
func (l *Layers) Want(kinds []Kind, gain vec.V3, picture []float32, develop func(float64) float64, limit float64) {
	d := make([]float32, 3*l.W*l.H)
	for _, k := range kinds {
		l.HalfDifference(k, gain, d)
	}
	clear(l.Wanted)
	if l.Wanted == nil {
		l.Wanted = make([]bool, l.W*l.H)
	}
	for y := range l.H {
		for x := range l.W {
			i := 3 * (y*l.W + x)
			e := luminance(d[i:])
			if e == 0 {
				continue
			}
			if v := luminance(picture[i:]); math.Abs(develop(v+e)-develop(v-e)) < 2*limit {
				continue
			}
			for yy := max(y-1, 0); yy <= min(y+1, l.H-1); yy++ {
				for xx := max(x-1, 0); xx <= min(x+1, l.W-1); xx++ {
					l.Wanted[yy*l.W+xx] = true
				}
			}
		}
	}
}

// luminance of the first three numbers.
func luminance(p []float32) float64 {
	return colour.WeightR*float64(p[0]) + colour.WeightG*float64(p[1]) + colour.WeightB*float64(p[2])
}

// Details returns how many times Detail has been done over the whole picture.
func (l *Layers) Details() int {
	if l.detail == nil {
		return 0
	}
	return int(slices.Min(l.detail))
}

// each calls do for every run of pixels of a row that have the same number of
// samples of kind k: the first pixel, one past the last, the step, and the number
// in each half.
func (l *Layers) each(k Kind, do func(from, to, step int, a, b float32)) {
	for y := range l.H {
		for x0 := 0; x0 < l.W; x0 += TileSize {
			n := int(l.Count[y/TileSize*tiles(l.W)+x0/TileSize])
			from, end := y*l.W+x0, y*l.W+min(x0+TileSize, l.W)
			step := 1 // even pixels have as many as each other, and odd ones
			switch {
			case k != Bounced && l.More != nil:
				for p := from; p < end; p++ {
					a, b := halves(l.taken(k, x0+p-from, y, n))
					m := float32(l.More[p]) / 2
					do(p, p+1, 1, a+m, b+m)
				}
				continue
			case l.Sparse:
				step = 2
			}
			for p := from; p < min(from+step, end); p++ {
				a, b := halves(l.taken(k, x0+p-from, y, n))
				do(p, end, step, a, b)
			}
		}
	}
}

// Average adds the mean of kind k to out (RGB, 3*W*H); pixels without a sample
// stay as they are.
func (l *Layers) Average(k Kind, out []float32) {
	if l.Sum[k][0] == nil {
		return
	}
	a, b := l.Sum[k][0], l.Sum[k][1]
	l.each(k, func(from, to, step int, na, nb float32) {
		s := 1 / max(na+nb, 1)
		for p := from; p < to; p += step {
			for i := 3 * p; i < 3*p+3; i++ {
				out[i] += (a[i] + b[i]) * s
			}
		}
	})
}

// HalfDifference adds gain times half the difference of the two halves' means of
// kind k to out: an estimate of the error of their average.
func (l *Layers) HalfDifference(k Kind, gain vec.V3, out []float32) {
	if l.Sum[k][0] == nil {
		return
	}
	a, b := l.Sum[k][0], l.Sum[k][1]
	l.each(k, func(from, to, step int, na, nb float32) {
		if na == 0 || nb == 0 {
			return
		}
		ka, kb := 0.5/na, 0.5/nb
		for p := from; p < to; p += step {
			i := 3 * p
			out[i] += (a[i]*ka - b[i]*kb) * gain.X
			out[i+1] += (a[i+1]*ka - b[i+1]*kb) * gain.Y
			out[i+2] += (a[i+2]*ka - b[i+2]*kb) * gain.Z
		}
	})
}

// Mean returns the mean colour of kind k over the picture's pixels that have a
// sample of it.
func (l *Layers) Mean(k Kind) vec.V3 {
	if l.Sum[k][0] == nil {
		return vec.V3{}
	}
	var m [3]float64
	var pixels float64
	a, b := l.Sum[k][0], l.Sum[k][1]
	l.each(k, func(from, to, step int, na, nb float32) {
		if na+nb == 0 {
			return
		}
		s := 1 / float64(na+nb)
		for p := from; p < to; p += step {
			pixels++
			for c := range 3 {
				m[c] += float64(a[3*p+c]+b[3*p+c]) * s
			}
		}
	})
	if pixels == 0 {
		return vec.V3{}
	}
	return vec.New(m[0]/pixels, m[1]/pixels, m[2]/pixels)
}

// Guide is what the camera's first hits say of the surfaces: it steers the
// denoiser and answers what lies under a pixel.
type Guide struct {
	W, H   int
	Albedo []float32 // RGB sums
	Normal []float32 // XYZ sums
	Depth  []float32 // sums of distance; +Inf where the ray left the place
	Tri    []uint32  // of the first sample; MaxUint32 for none
	Pos    []vec.V3  // of the first sample
	Count  []uint16  // per tile
}

// NewGuide makes an empty guide.
func NewGuide(w, h int) *Guide {
	n := w * h
	return &Guide{w, h, make([]float32, 3*n), make([]float32, 3*n), make([]float32, n), make([]uint32, n), make([]vec.V3, n), make([]uint16, tiles(w)*tiles(h))}
}

// Noise returns how much of the finished picture is still chance: the RMS of the
// difference of its two halves over its mean, both after exposure and tone
// curve (the map develop), so that what clips anyway does not count. diff is half
// the difference of the halves, picture their mean (RGB).
func Noise(diff, picture []float32, develop func(float64) float64) float64 {
	var q, m float64
	for i := 0; i+2 < len(diff); i += 3 {
		l, d := luminance(picture[i:]), luminance(diff[i:])
		e := (develop(l+d) - develop(l-d)) / 2
		q += e * e
		m += develop(l)
	}
	n := float64(len(diff) / 3)
	if m <= 0 || n == 0 {
		return 0
	}
	return math.Sqrt(q/n) / (m / n)
}

// Add adds the samples of o, which must have the same size and kinds and an even
// number of samples, to l.
func (l *Layers) Add(o *Layers) {
	for k := range l.Sum {
		for h := range l.Sum[k] {
			for i, v := range o.Sum[k][h] {
				l.Sum[k][h][i] += v
			}
		}
	}
	for i, c := range o.Count {
		l.Count[i] += c
	}
}
