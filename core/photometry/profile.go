package photometry

import (
	"errors"
	"fmt"
	"math"
	"sort"
)

// Geometry is how a luminaire's angles are measured (LM-63).
type Geometry int

// Geometries, by their numbers in LM-63 files.
const (
	TypeC Geometry = 1 // polar axis along the beam: vertical angles from it, horizontal ones round it
	TypeB Geometry = 2 // polar axis across the beam, level
	TypeA Geometry = 3 // polar axis across the beam, upright
)

// Profile is a luminaire's measured distribution: candela for each horizontal
// angle and, within it, each vertical angle, both rising, in degrees.
type Profile struct {
	Geometry   Geometry
	Vertical   []float64
	Horizontal []float64
	Values     [][]float64 // candela, [horizontal][vertical]
	// Lamps and LumensPerLamp are the bare lamps'; LumensPerLamp is negative where
	// the luminaire was measured as a whole.
	Lamps         float64
	LumensPerLamp float64
	Watts         float64
	// Tilt is how the lamp's output changes as the luminaire is tilted; nil where it does
	// not.
	Tilt       *Tilt
	flux, peak float64
}

// Tilt is a table of factors by which the whole distribution is multiplied where the
// luminaire is tilted by an angle, in degrees, from facing straight down (LM-63).
type Tilt struct {
	Lamp    int // how the lamp lies: 1 upright, 2 level and stays so, 3 level and tilts along
	Angles  []float64
	Factors []float64
}

// AtTilt is the factor of the table at an angle in degrees, straight between those that
// were measured and as the last ones beyond them; 1 without a table.
func (p *Profile) AtTilt(deg float64) float64 {
	t := p.Tilt
	if t == nil || len(t.Angles) == 0 {
		return 1
	}
	i := sort.SearchFloat64s(t.Angles, deg)
	switch {
	case i == 0:
		return t.Factors[0]
	case i == len(t.Angles):
		return t.Factors[i-1]
	}
	k := (deg - t.Angles[i-1]) / (t.Angles[i] - t.Angles[i-1])
	return t.Factors[i-1] + k*(t.Factors[i]-t.Factors[i-1])
}

// Prepare checks the angles and works out flux and peak. It must be called
// before the profile is used.
func (p *Profile) Prepare() error {
	rising := func(what string, a []float64) error {
		for i := 1; i < len(a); i++ {
			if !(a[i] > a[i-1]) {
				return fmt.Errorf("%s angle %g follows %g: they must rise", what, a[i], a[i-1])
			}
		}
		return nil
	}
	nv, nh := len(p.Vertical), len(p.Horizontal)
	if nv < 2 || nh < 1 {
		return fmt.Errorf("%d vertical and %d horizontal angles are too few", nv, nh)
	}
	if err := errors.Join(rising("vertical", p.Vertical), rising("horizontal", p.Horizontal)); err != nil {
		return err
	}
	v0, v1, h0, h1 := p.Vertical[0], p.Vertical[nv-1], p.Horizontal[0], p.Horizontal[nh-1]
	switch p.Geometry {
	case TypeC:
		if !(v0 == 0 && (v1 == 90 || v1 == 180) || v0 == 90 && v1 == 180) {
			return fmt.Errorf("vertical angles from %g to %g: type C has 0 to 90, 90 to 180 or 0 to 180", v0, v1)
		}
		if !(h0 == 0 && (nh == 1 || h1 == 90 || h1 == 180 || h1 > 180 && h1 <= 360) || h0 == 90 && h1 == 270) {
			return fmt.Errorf("horizontal angles from %g to %g: type C has 0, 0 to 90, 0 to 180, 90 to 270 or 0 to 360", h0, h1)
		}
	case TypeA, TypeB:
		if !((v0 == -90 || v0 == 0) && v1 == 90) || !((h0 == -90 || h0 == 0 || nh == 1) && (h1 == 90 || nh == 1)) {
			return fmt.Errorf("angles from %g to %g and %g to %g: types A and B have -90 or 0 to 90", v0, v1, h0, h1)
		}
	default:
		return fmt.Errorf("photometric type %d is not 1 (C), 2 (B) or 3 (A)", p.Geometry)
	}
	if len(p.Values) != nh {
		return fmt.Errorf("%d rows of candela for %d horizontal angles", len(p.Values), nh)
	}
	p.peak = 0
	for i, row := range p.Values {
		if len(row) != nv {
			return fmt.Errorf("%d candela at horizontal angle %g for %d vertical angles", len(row), p.Horizontal[i], nv)
		}
		for j, c := range row {
			if !(c >= 0) || math.IsInf(c, 0) {
				return fmt.Errorf("%g candela at %g, %g", c, p.Horizontal[i], p.Vertical[j])
			}
			p.peak = max(p.peak, c)
		}
	}
	if p.peak == 0 {
		return errors.New("it gives no light in any direction")
	}
	p.flux = p.integrate()
	if !(p.flux > 0) {
		return errors.New("it gives no light in any direction")
	}
	return nil
}

// Flux is the total flux in lumens: the candela integrated over the sphere.
func (p *Profile) Flux() float64 { return p.flux }

// Peak is the greatest intensity in candela.
func (p *Profile) Peak() float64 { return p.peak }

// Efficiency is the share of the bare lamps' flux that leaves the luminaire;
// ok is false where the lamps were not measured apart.
func (p *Profile) Efficiency() (share float64, ok bool) {
	if p.LumensPerLamp <= 0 || p.Lamps <= 0 {
		return 0, false
	}
	return p.flux / (p.LumensPerLamp * p.Lamps), true
}

const rad = math.Pi / 180

// Candela is the intensity towards the unit direction with components x along
// the 0 degree plane, y along the 90 degree plane, z along the beam axis (type
// C), or x to the right, y up, z along the beam (types A and B).
func (p *Profile) Candela(x, y, z float64) float64 {
	x, y, z = min(max(x, -1), 1), min(max(y, -1), 1), min(max(z, -1), 1)
	var v, h float64
	switch p.Geometry {
	case TypeC:
		v, h = math.Acos(z)/rad, math.Atan2(y, x)/rad
		if h < 0 {
			h += 360
		}
	case TypeA:
		v, h = math.Asin(y)/rad, math.Atan2(x, z)/rad
	default:
		v, h = math.Atan2(y, z)/rad, math.Asin(x)/rad
	}
	return p.At(v, h)
}

// At is the intensity at vertical angle v and horizontal angle h in degrees,
// what symmetry stands for filled in, interpolated linearly in the angles.
func (p *Profile) At(v, h float64) float64 {
	nv, nh := len(p.Vertical), len(p.Horizontal)
	if p.Geometry != TypeC {
		if p.Vertical[0] == 0 {
			v = math.Abs(v)
		}
		if p.Horizontal[0] == 0 {
			h = math.Abs(h)
		}
		if nh > 1 && (h < p.Horizontal[0] || h > 90) {
			return 0
		}
	}
	if v < p.Vertical[0] || v > p.Vertical[nv-1] {
		return 0
	}
	j, b := between(p.Vertical, v)
	row := func(i int) float64 { return p.Values[i][j]*(1-b) + p.Values[i][j+1]*b }
	if nh == 1 {
		return row(0)
	}
	if p.Geometry == TypeC {
		switch last := p.Horizontal[nh-1]; {
		case p.Horizontal[0] == 90: // the same on both sides of the 90 degree plane
			if h < 90 {
				h = 180 - h
			} else if h > 270 {
				h = 540 - h
			}
		case last == 90:
			if h > 180 {
				h = 360 - h
			}
			if h > 90 {
				h = 180 - h
			}
		case last == 180:
			if h > 180 {
				h = 360 - h
			}
		default:
			if h > last { // from the last plane on to the first
				t := (h - last) / (360 - last)
				return row(nh-1)*(1-t) + row(0)*t
			}
		}
	}
	i, a := between(p.Horizontal, h)
	return row(i)*(1-a) + row(i+1)*a
}

// between finds the part of a rising list that holds x, and how far in it lies.
func between(a []float64, x float64) (i int, t float64) {
	i = min(max(sort.SearchFloat64s(a, x)-1, 0), len(a)-2)
	return i, min(max((x-a[i])/(a[i+1]-a[i]), 0), 1)
}

// integrate sums candela over solid angle. In type C that is sin v dv dh, in
// type A cos v dv dh, in type B cos h dv dh; along the weighted angle each linear
// piece is integrated in closed form, along the other by the trapezoid, which
// for linear pieces is exact too.
func (p *Profile) integrate() float64 {
	nv, nh := len(p.Vertical), len(p.Horizontal)
	// piece integrates the line from (a, ca) to (b, cb), in degrees, times the
	// weight sin(t + phase).
	piece := func(a, b, ca, cb, phase float64) float64 {
		x, y := a*rad+phase, b*rad+phase
		k := (cb - ca) / (y - x)
		// d/dt [-c cos t + k sin t] = c sin t
		return -cb*math.Cos(y) + k*math.Sin(y) + ca*math.Cos(x) - k*math.Sin(x)
	}
	line := func(at []float64, c func(i int) float64, phase float64) (sum float64) {
		for i := 1; i < len(at); i++ {
			sum += piece(at[i-1], at[i], c(i-1), c(i), phase)
		}
		return sum
	}
	around := func(at, c []float64) (sum float64) {
		for i := 1; i < len(at); i++ {
			sum += (at[i] - at[i-1]) * rad * (c[i] + c[i-1]) / 2
		}
		return sum
	}
	if p.Geometry == TypeB {
		cols := make([]float64, nv) // for each vertical angle the integral along horizontal
		for j := range cols {
			if nh == 1 {
				cols[j] = 2 * p.Values[0][j]
				continue
			}
			cols[j] = line(p.Horizontal, func(i int) float64 { return p.Values[i][j] }, math.Pi/2)
			if p.Horizontal[0] == 0 {
				cols[j] *= 2
			}
		}
		sum := around(p.Vertical, cols)
		if p.Vertical[0] == 0 {
			sum *= 2
		}
		return sum
	}
	rows := make([]float64, nh)
	phase := 0.0
	if p.Geometry == TypeA {
		phase = math.Pi / 2
	}
	for i := range rows {
		rows[i] = line(p.Vertical, func(j int) float64 { return p.Values[i][j] }, phase)
		if p.Geometry == TypeA && p.Vertical[0] == 0 {
			rows[i] *= 2
		}
	}
	if nh == 1 {
		if p.Geometry == TypeA {
			return math.Pi * 2 * rows[0]
		}
		return 2 * math.Pi * rows[0]
	}
	sum := around(p.Horizontal, rows)
	h0, h1 := p.Horizontal[0], p.Horizontal[nh-1]
	if p.Geometry == TypeA {
		if h0 == 0 {
			sum *= 2
		}
		return sum
	}
	switch {
	case h0 == 90:
		return 2 * sum
	case h1 == 90:
		return 4 * sum
	case h1 == 180:
		return 2 * sum
	}
	return sum + (360-h1)*rad*(rows[nh-1]+rows[0])/2
}
