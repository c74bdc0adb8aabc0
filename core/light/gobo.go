package light

import (
	"math"
	"slices"

	"willowherb/core/vec"
)

// Gobo is a slide in a spot's beam: what share of each colour passes in each
// direction. It spans the cone's outer edge at scale 1.
type Gobo struct {
	size  int
	texel []vec.V3 // rows from the top
	// From the tangents of a direction to the slide: scaled and turned.
	cos, sin float32
}

// Patterns are the slides made by code.
var Patterns = []string{"blinds", "panes", "leaves", "ripples", "grating", "breakup", "dots"}

// gobo pictures are this wide and high; a pattern's finest part is a few of
// these, and no slide needs more at a lamp's distance.
const goboSize = 256

// Pattern draws a slide made by code: shares from 0 to 1, size by size, rows
// from the top. Unknown names are clear.
func Pattern(name string, size int) []vec.V3 {
	out := make([]vec.V3, size*size)
	for i := range out {
		x := 2*(float64(i%size)+0.5)/float64(size) - 1
		y := 1 - 2*(float64(i/size)+0.5)/float64(size)
		// Edges are softened over a texel so that slides have no stairs.
		out[i] = vec.Splat(float32(min(max(pattern(name, x, y)*float64(size)/2+0.5, 0), 1)))
	}
	return out
}

// pattern is a signed distance in half slide widths: positive where light passes.
func pattern(name string, x, y float64) float64 {
	wave := func(v, period float64) float64 { return math.Abs(v-period*math.Round(v/period)) - period/4 }
	switch name {
	case "blinds":
		return -wave(y, 0.22) * 0.9
	case "panes":
		// Six panes between bars, in a frame.
		bx := min(math.Abs(x), math.Abs(math.Abs(x)-0.8)) - 0.05
		by := min(math.Abs(y-0.27), math.Abs(y+0.27), math.Abs(math.Abs(y)-0.8)) - 0.04
		return min(bx, by, 0.8-math.Abs(x), 0.8-math.Abs(y))
	case "leaves":
		d := 1.0
		for k := range 46 {
			u, v, t := hash(k, 1)*2.2-1.1, hash(k, 2)*2.2-1.1, hash(k, 3)*2*math.Pi
			s, c := math.Sincos(t)
			a, b := (x-u)*c+(y-v)*s, (y-v)*c-(x-u)*s
			long := 0.1 + 0.09*hash(k, 4)
			// A leaf is the lens where two discs meet.
			r := long * 1.35
			h := math.Sqrt(r*r - long*long)
			d = min(d, max(math.Hypot(a, b-h), math.Hypot(a, b+h))-r)
		}
		return d
	case "ripples":
		// Folds of light as moving water casts them: where waves cross.
		v := 0.0
		for k := range 6 {
			s, c := math.Sincos(hash(k, 5) * 2 * math.Pi)
			v += math.Sin((x*c+y*s)*(7+5*hash(k, 6)) + 6*hash(k, 7))
		}
		return 0.055 - math.Abs(v)*0.045
	case "grating":
		return min(wave(x, 0.16), wave(y, 0.16))
	case "breakup":
		v := 0.0
		for o, f := range []float64{3, 6.5, 13} {
			v += noise(x*f, y*f, o) / float64(int(1)<<o)
		}
		return (v - 0.82) * 0.2
	case "dots":
		u, v := x/0.24, y/0.24
		return (0.32 - math.Hypot(u-math.Round(u), v-math.Round(v))) * 0.24
	}
	return 1
}

// hash is a number from 0 to 1 that belongs to i and k.
func hash(i, k int) float64 {
	v := math.Sin(float64(i)*127.1+float64(k)*311.7) * 43758.5453
	return v - math.Floor(v)
}

// noise is smooth value noise from 0 to 1.
func noise(x, y float64, seed int) float64 {
	i, j := math.Floor(x), math.Floor(y)
	u, v := x-i, y-j
	u, v = u*u*(3-2*u), v*v*(3-2*v)
	at := func(a, b float64) float64 { return hash(int(a)+57*int(b), seed+11) }
	return (at(i, j)*(1-u)+at(i+1, j)*u)*(1-v) + (at(i, j+1)*(1-u)+at(i+1, j+1)*u)*v
}

// SetGobo puts a slide (size by size shares, rows from the top) into the beam of
// a spot whose outer half-angle is outer: scaled, out of focus by blur (0 sharp
// to 1 all of it spread out), turned by turn radians.
func (l *Light) SetGobo(slide []vec.V3, size int, outer, scale, blur, turn float64) {
	if size < 2 || len(slide) != size*size || l.Kind != Spot {
		return
	}
	s, c := math.Sincos(-turn)
	k := 1 / (math.Tan(min(outer, 1.5)) * max(scale, 1e-3))
	l.gobo = &Gobo{size: size, texel: soften(slide, size, blur), cos: float32(c * k), sin: float32(s * k)}
}

// soften blurs a slide with three box filters, which together come near to a
// Gaussian; beyond the slide is dark. blur 1 is as wide as a quarter of it.
func soften(in []vec.V3, size int, blur float64) []vec.V3 {
	r := int(math.Round(min(max(blur, 0), 1) * float64(size) / 8))
	out := slices.Clone(in)
	if r == 0 {
		return out
	}
	line := make([]vec.V3, size)
	for range 3 {
		for _, step := range [][2]int{{1, size}, {size, 1}} {
			for j := range size {
				base := j * step[1]
				var sum vec.V3
				for i := range min(r, size) {
					sum = sum.Add(out[base+i*step[0]])
				}
				for i := range size {
					if i+r < size {
						sum = sum.Add(out[base+(i+r)*step[0]])
					}
					if i-r-1 >= 0 {
						sum = sum.Sub(out[base+(i-r-1)*step[0]])
					}
					line[i] = sum.Scale(1 / float32(2*r+1))
				}
				for i := range size {
					out[base+i*step[0]] = line[i]
				}
			}
		}
	}
	return out
}

// at is the share that passes in the direction with tangents x along U and y
// along V. Dark beyond the slide.
func (g *Gobo) at(x, y float32) vec.V3 {
	u := (x*g.cos-y*g.sin)*0.5 + 0.5
	v := 0.5 - (x*g.sin+y*g.cos)*0.5
	if !(u >= 0 && u < 1 && v >= 0 && v < 1) {
		return vec.V3{}
	}
	n := float32(g.size)
	u, v = u*n-0.5, v*n-0.5
	i, j := int(math.Floor(float64(u))), int(math.Floor(float64(v)))
	a, b := u-float32(i), v-float32(j)
	px := func(i, j int) vec.V3 {
		return g.texel[min(max(j, 0), g.size-1)*g.size+min(max(i, 0), g.size-1)]
	}
	return vec.Lerp(vec.Lerp(px(i, j), px(i+1, j), a), vec.Lerp(px(i, j+1), px(i+1, j+1), a), b)
}
