// Package probes tells what light arrives at points in space, for what moves: irradiance from
// every side as second-order spherical harmonics, one set for each light of unit output, so
// that levels and colours stay live. A Field places probes by rule over the ground that can be
// walked, in boxes, and where they are set by hand; keeps how far each sees in every
// direction, so that no light is looked up through a wall; and tells how wrong it is.
package probes

import (
	"math"

	"willowherb/core/vec"
)

// SH are the nine coefficients, per colour, of a function of direction in real spherical
// harmonics up to the second order, in the order (0,0), (1,-1), (1,0), (1,1), (2,-2) ...
// (2,2), with z upright in their formulas replaced by Y: the axes x, y, z of the formulas are
// Z, X, Y of the place. Of irradiance, they hold the cosine already: the irradiance in lux on a
// surface that faces n is the sum of each times its harmonic towards n.
type SH [9]vec.V3

// cosine are the weights by which radiance becomes irradiance, for each order (Ramamoorthi
// and Hanrahan 2001, equation 8).
var cosine = [9]float32{math.Pi, 2 * math.Pi / 3, 2 * math.Pi / 3, 2 * math.Pi / 3, math.Pi / 4, math.Pi / 4, math.Pi / 4, math.Pi / 4, math.Pi / 4}

// Harmonics are the nine towards the unit direction d (Ramamoorthi and Hanrahan 2001,
// equation 3).
func Harmonics(d vec.V3) [9]float32 {
	x, y, z := d.Z, d.X, d.Y
	return [9]float32{
		0.28209479,
		0.48860251 * y, 0.48860251 * z, 0.48860251 * x,
		1.0925484 * x * y, 1.0925484 * y * z, 0.31539157 * (3*z*z - 1), 1.0925484 * x * z, 0.54627422 * (x*x - y*y),
	}
}

// Take adds light that arrives from the unit direction d: radiance times solid angle.
func (s *SH) Take(d, light vec.V3) {
	for k, y := range Harmonics(d) {
		s[k] = s[k].Add(light.Scale(y * cosine[k]))
	}
}

// Add adds another, times a factor per colour.
func (s *SH) Add(o *SH, k vec.V3) {
	for i := range s {
		s[i] = s[i].Add(o[i].Mul(k))
	}
}

// Scale multiplies all by one number.
func (s *SH) Scale(k float32) {
	for i := range s {
		s[i] = s[i].Scale(k)
	}
}

// Lux is the irradiance on a surface that faces n; what the few harmonics make less than
// nothing is nothing.
func (s *SH) Lux(n vec.V3) vec.V3 {
	var e vec.V3
	for k, y := range Harmonics(n) {
		e = e.Add(s[k].Scale(y))
	}
	return vec.Max3(e, vec.V3{})
}
