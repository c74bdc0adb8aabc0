// Package grade is what is done to a picture's colours between exposure and the tone curve:
// white balance, contrast, shadows, middles and lights, saturation. The browser does the
// same (picture/shaders.ts); a browser test holds the two together.
package grade

import (
	"fmt"
	"image"
	"math"

	"willowherb/core/colour"
	"willowherb/core/exposure"
)

// Grade is a grade. Its numbers are for linear light after exposure, in which middle grey
// is 0.18.
type Grade struct {
	// White is a linear colour that is to be neutral; left out, nothing is balanced.
	White *[3]float64 `json:"white,omitempty"`
	// Contrast is the slope at middle grey in stops for each stop: 1 leaves it.
	Contrast   float64 `json:"contrast"`
	Saturation float64 `json:"saturation"` // 1 leaves it, 0 is grey
	// Lift is added in the dark and fades towards white; Gain multiplies; Gamma bends about
	// middle grey: over 1 is brighter.
	Lift  [3]float64 `json:"lift"`
	Gamma [3]float64 `json:"gamma"`
	Gain  [3]float64 `json:"gain"`
	// Vignette is by how many stops the corners are darker than the middle; Grain how far
	// neighbouring pixels of middle brightness stray, as a share of white. Neither is in a
	// table of colour, nor is bloom.
	Vignette float64 `json:"vignette,omitempty"`
	Grain    float64 `json:"grain,omitempty"`
	// Bloom is the share of the light over BloomFrom (stops over middle grey) that spreads
	// round where it is; what spreads is taken from there.
	Bloom     float64 `json:"bloom,omitempty"`
	BloomFrom float64 `json:"bloomFrom,omitempty"`
	// Corners is how much light is taken out of corners, 0 to 1, which are looked for within
	// CornerReach metres (0: half a metre). They are in no table of colour.
	Corners     float64 `json:"corners,omitempty"`
	CornerReach float64 `json:"cornerReach,omitempty"`
	// Hues are what is done to the six ranges of hue, Ranges in their order; left out, nothing.
	Hues *[6]Hue `json:"hues,omitempty"`
	// Curves bend what is shown; left out, nothing.
	Curves *Curves `json:"curves,omitempty"`
	// Table is a table of colour that what is shown goes through last.
	Table *Table `json:"table,omitempty"`
}

// Table names a kept table of colour, and how far it holds: 0 not at all, 1 wholly.
type Table struct {
	Blob   string  `json:"blob"`
	File   string  `json:"file"`
	Amount float64 `json:"amount"`
}

// Neutral leaves everything as it is.
func Neutral() Grade {
	one := [3]float64{1, 1, 1}
	return Grade{Contrast: 1, Saturation: 1, Gamma: one, Gain: one}
}

// Check reports the first number that is out of its range.
func (g *Grade) Check() error {
	ask := func(name string, v, lo, hi float64) error {
		if !(v >= lo && v <= hi) {
			return fmt.Errorf("%s is %g: write a number from %g to %g", name, v, lo, hi)
		}
		return nil
	}
	list := []error{ask("contrast", g.Contrast, 0.1, 4), ask("saturation", g.Saturation, 0, 4), ask("the vignette", g.Vignette, 0, 8), ask("the grain", g.Grain, 0, 0.5), ask("the bloom", g.Bloom, 0, 1), ask("where bloom begins", g.BloomFrom, -10, 20), ask("corners", g.Corners, 0, 1), ask("the reach of corners", g.CornerReach, 0, 100)}
	if t := g.Table; t != nil {
		list = append(list, ask("the table's amount", t.Amount, 0, 1))
		if len(t.Blob) != 64 || t.File == "" || len(t.File) > 600 {
			list = append(list, fmt.Errorf("the table names no file that is kept"))
		}
	}
	if g.Hues != nil {
		for i, h := range g.Hues {
			list = append(list, ask("the turn of "+Ranges[i], h.Turn, -60, 60), ask("the saturation of "+Ranges[i], h.Saturation, 0, 4))
		}
	}
	if g.Curves != nil {
		list = append(list, g.Curves.check())
	}
	for k := range 3 {
		list = append(list, ask("lift", g.Lift[k], -0.5, 0.5), ask("gamma", g.Gamma[k], 0.2, 5), ask("gain", g.Gain[k], 0, 8))
		if g.White != nil {
			list = append(list, ask("the white", g.White[k], 0, 1e6))
		}
	}
	if g.White != nil && !(min(g.White[0], g.White[1], g.White[2]) > 0) {
		list = append(list, fmt.Errorf("the white %v has a primary without light: pick another place", *g.White))
	}
	for _, err := range list {
		if err != nil {
			return err
		}
	}
	return nil
}

type matrix [3][3]float64

func (m *matrix) of(c [3]float64) (out [3]float64) {
	for i := range out {
		out[i] = m[i][0]*c[0] + m[i][1]*c[1] + m[i][2]*c[2]
	}
	return out
}

func (m *matrix) times(n *matrix) (out matrix) {
	for i := range out {
		for j := range out[i] {
			for k := range 3 {
				out[i][j] += m[i][k] * n[k][j]
			}
		}
	}
	return out
}

// cones is the Bradford transform (Lam 1985; ICC specification, annex E) of linear Rec. 709,
// and primaries its inverse.
var cones = func() matrix {
	bradford := matrix{{0.8951, 0.2664, -0.1614}, {-0.7502, 1.7135, 0.0367}, {0.0389, -0.0685, 1.0296}}
	rec709 := matrix{{0.4124564, 0.3575761, 0.1804375}, {0.2126729, 0.7151522, 0.0721750}, {0.0193339, 0.1191920, 0.9503041}}
	return bradford.times(&rec709)
}()

var primaries = inverse(cones)

func inverse(m matrix) (out matrix) {
	cofactor := func(i, j int) float64 {
		a, b, c, d := (i+1)%3, (i+2)%3, (j+1)%3, (j+2)%3
		return m[a][c]*m[b][d] - m[a][d]*m[b][c]
	}
	det := m[0][0]*cofactor(0, 0) + m[0][1]*cofactor(0, 1) + m[0][2]*cofactor(0, 2)
	for i := range out {
		for j := range out[i] {
			out[i][j] = cofactor(j, i) / det
		}
	}
	return out
}

// Balance takes a linear colour that is lit by white to what it would be by neutral light of
// the same luminance.
func Balance(white [3]float64) (m [3][3]float64) {
	w := colour.Unit(white)
	from, to := cones.of(w), cones.of([3]float64{1, 1, 1})
	scaled := cones
	for i := range scaled {
		for j := range scaled[i] {
			scaled[i][j] *= to[i] / from[i]
		}
	}
	return primaries.times(&scaled)
}

// Program is a grade made ready.
type Program struct {
	grade   Grade
	balance matrix
	plain   bool
	curves  *bends
	depth   *Depth
	table   func([3]float64) [3]float64
}

// WithDepth develops with a lens, and finds corners, by how far off what is shown lies.
func (p *Program) WithDepth(d *Depth) *Program {
	out := *p
	out.depth = d
	return &out
}

// cornerReach is within how many metres corners are looked for.
func (g *Grade) cornerReach() float64 {
	if g.CornerReach > 0 {
		return g.CornerReach
	}
	return 0.5
}

// WithTable has what is shown go through a table of colour, as far as the grade says.
func (p *Program) WithTable(at func(shown [3]float64) [3]float64) *Program {
	out := *p
	if p.grade.Table != nil {
		out.table = at
	}
	return &out
}

// Compile makes a grade ready; nil is neutral.
func Compile(g *Grade) *Program {
	if g == nil {
		return &Program{grade: Neutral(), plain: true}
	}
	p := &Program{grade: *g, balance: matrix{{1, 0, 0}, {0, 1, 0}, {0, 0, 1}}}
	if g.White != nil {
		p.balance = Balance(*g.White)
	}
	if g.Curves != nil {
		p.curves = g.Curves.bends()
	}
	return p
}

// Apply grades a colour of linear light after exposure.
func (p *Program) Apply(c [3]float64) [3]float64 {
	if p.plain {
		return c
	}
	g := &p.grade
	c = p.balance.of(c)
	for k := range c {
		x := max(c[k], 0) * g.Gain[k]
		x = max(x+g.Lift[k]*(1-min(x, 1)), 0)
		c[k] = exposure.Middle * math.Pow(x/exposure.Middle, g.Contrast/g.Gamma[k])
	}
	l := colour.Luminance(c)
	for k := range c {
		c[k] = max(l+(c[k]-l)*g.Saturation, 0)
	}
	if g.Hues != nil {
		c = byHue(g.Hues, c)
	}
	return c
}

// Shown is a colour of linear light after exposure as a screen shows it, 0 to 1.
func (p *Program) Shown(c [3]float64, curve exposure.Curve) (out [3]float64) {
	for k, v := range p.Apply(c) {
		out[k] = colour.EncodeSRGB(curve.Map(v))
	}
	if p.curves != nil {
		out = p.curves.of(out)
	}
	if p.table != nil {
		a := p.grade.Table.Amount
		for k, v := range p.table(out) {
			out[k] += a * (min(max(v, 0), 1) - out[k])
		}
	}
	return out
}

// Develop makes the finished picture of scene-linear RGB, w by h.
func (p *Program) Develop(rgb []float32, w, h int, ev float64, curve exposure.Curve) *image.NRGBA {
	if p.plain && (p.depth == nil || p.depth.Blur() == 0) {
		return exposure.Develop(rgb, w, h, ev, curve)
	}
	out := image.NewNRGBA(image.Rect(0, 0, w, h))
	f := exposure.Factor(ev)
	exposed := make([]float64, 3*w*h)
	for i := range exposed {
		exposed[i] = float64(rgb[i]) * f
	}
	p.darken(exposed, w, h)
	p.defocus(exposed, w, h)
	p.spread(exposed, w, h)
	for i := range w * h {
		x, y := i%w, i/w
		e := p.Corner((float64(x)+0.5)/float64(w), (float64(y)+0.5)/float64(h))
		c := p.Shown([3]float64{exposed[3*i] * e, exposed[3*i+1] * e, exposed[3*i+2] * e}, curve)
		n := p.grade.Grain * stray(uint32(x), uint32(y))
		for k, v := range c {
			v = min(max(v+n*4*v*(1-v), 0), 1)
			out.Pix[4*i+k] = uint8(math.Round(255 * v))
		}
		out.Pix[4*i+3] = 255
	}
	return out
}

// Corner is how much light a place of the picture keeps, 0 to 1 across and down: it falls by
// the square of the distance from the middle, in stops.
func (p *Program) Corner(x, y float64) float64 {
	if p.grade.Vignette == 0 {
		return 1
	}
	x, y = x-0.5, y-0.5
	return math.Exp2(-p.grade.Vignette * (x*x + y*y) / 0.5)
}

// hash mixes the bits of a number (O'Neill 2014, PCG-RXS-M-XS).
func hash(v uint32) uint32 {
	s := v*747796405 + 2891336453
	w := (s>>(s>>28+4) ^ s) * 277803737
	return w>>22 ^ w
}

// stray is a number from -1 to 1 for a pixel, mostly near 0: always the same for the same one.
func stray(x, y uint32) float64 {
	a := hash(x + hash(y))
	b := hash(a)
	return float64(a>>8)/(1<<24) + float64(b>>8)/(1<<24) - 1
}

// Between is what the grade makes of what a screen shows without it, each primary from 0
// to 1: exposure and curve are undone before, and done again after. It is what a table of
// colour holds.
func (p *Program) Between(shown [3]float64, curve exposure.Curve) [3]float64 {
	var c [3]float64
	for k, v := range shown {
		c[k] = curve.Unmap(colour.DecodeSRGB(v))
	}
	return p.Shown(c, curve)
}
