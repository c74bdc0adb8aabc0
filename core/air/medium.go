// Package air is the sky: sunlight that air, haze and clouds scatter, as luminance in
// every direction and illuminance on the ground, and where the sun stands.
//
// Light is followed in sixteen bands of wavelength, not in three colours: the sun's
// temperature at the horizon and the blue of the zenith then come out as a meter tells
// them, while at 680, 550 and 440 nm the coefficients are the published ones.
package air

import (
	"math"

	"willowherb/core/colour"
)

// bands are 400 to 700 nm in steps of 20 nm.
const (
	bands     = 16
	firstBand = 400.0 // nm
	bandWidth = 20.0  // nm
)

type spectrum [bands]float64

// The shell of air (Bruneton 2017, Hillaire 2020), in metres; HazeAlbedo is the share that haze
// scatters of what it takes.
const (
	groundRadius = 6360e3
	topRadius    = 6460e3
	CleanHeight  = 8000.0 // over which air thins by e
	HazeHeight   = 1200.0 // and haze
	ozoneMiddle  = 25000.0
	ozoneHalf    = 15000.0
	hazeForward  = 0.8 // asymmetry of haze
	HazeAlbedo   = 3.996 / 4.44
	eye          = 2.0 // height of who looks
)

// SunDiameter is the sun's angular diameter in degrees.
const SunDiameter = 2 * 0.2666

// rayleighAt550 is the scattering of sea-level air at 550 nm, per metre.
const rayleighAt550 = 13.558e-6

// ozone is its absorption at the densest, per metre (Serdyuchenko et al. 2014 by Bruneton
// 2017), 400 to 700 nm in steps of 20.
var ozone = spectrum{0.008e-6, 0.030e-6, 0.085e-6, 0.197e-6, 0.417e-6, 0.795e-6, 1.150e-6, 1.661e-6, 2.293e-6, 2.364e-6, 2.697e-6, 2.010e-6, 1.431e-6, 0.995e-6, 0.650e-6, 0.401e-6}

// sunlight is the irradiance outside the air, W/m2 for each nm (ASTM G173-03 by Bruneton
// 2017), in the same steps.
var sunlight = spectrum{1.72765, 1.6887, 1.91198, 2.02042, 1.93377, 1.91686, 1.8685, 1.85149, 1.8341, 1.8147, 1.7533, 1.68194, 1.6048, 1.55622, 1.474, 1.41018}

// rayleigh is sea-level scattering, per metre: by the fourth power of the wavelength.
var rayleigh = func() (s spectrum) {
	for i := range s {
		s[i] = rayleighAt550 * math.Pow(550/wavelength(i), 4)
	}
	return s
}()

func wavelength(i int) float64 { return firstBand + bandWidth*float64(i) }

// toRGB takes W/m2 for each nm (and steradian) to linear Rec. 709 in lux (or cd/m2).
var toRGB = func() (m [bands][3]float64) {
	const lumens = 683 // for each watt at 555 nm
	for i := range m {
		w := colour.Observer(wavelength(i))
		for k := range w {
			w[k] *= lumens * bandWidth
		}
		m[i] = colour.FromXYZ(w)
	}
	return m
}()

func (s *spectrum) rgb() (c colour.RGB) {
	for i, v := range s {
		for k := range c {
			c[k] += v * toRGB[i][k]
		}
	}
	return c
}

// column is how much air, haze and ozone lies along a way, as metres of each at its densest.
type column struct{ air, haze, ozone float64 }

func (c column) plus(d column) column {
	return column{c.air + d.air, c.haze + d.haze, c.ozone + d.ozone}
}

func (c column) times(k float64) column { return column{c.air * k, c.haze * k, c.ozone * k} }

// density is the share of each at a height above the ground in metres.
func density(h float64) column {
	h = max(h, 0)
	return column{math.Exp(-h / CleanHeight), math.Exp(-h / HazeHeight), max(0, 1-math.Abs(h-ozoneMiddle)/ozoneHalf)}
}

// medium is the air with so much haze in it.
type medium struct {
	haze float64 // extinction at the ground, per metre, at all wavelengths
}

// mediumOf has the haze of a turbidity: the thickness of air with haze to that of air
// alone, looking up, at 550 nm.
func mediumOf(turbidity float64) medium {
	return medium{haze: (turbidity - 1) * rayleighAt550 * CleanHeight / HazeHeight}
}

// through is the share of light that a column lets through.
func (m medium) through(c column) (s spectrum) {
	for i := range s {
		s[i] = math.Exp(-c.air*rayleigh[i] - c.haze*m.haze - c.ozone*ozone[i])
	}
	return s
}

// CleanPhase and HazePhase are how scattering spreads over directions, per steradian
// (haze: Cornette and Shanks 1992), by the cosine of the turn.
func CleanPhase(c float64) float64 { return 3 / (16 * math.Pi) * (1 + c*c) }

func HazePhase(c float64) float64 {
	const g = hazeForward
	return 3 / (8 * math.Pi) * (1 - g*g) * (1 + c*c) / ((2 + g*g) * math.Pow(1+g*g-2*g*c, 1.5))
}

// AtGround is what a metre of air scatters at the ground, 1/m, for red, green and blue (680, 550
// and 440 nm, as published), and what a metre of haze of that turbidity takes there.
func AtGround(turbidity float64) (clean [3]float64, haze float64) {
	for k, nm := range []float64{680, 550, 440} {
		clean[k] = rayleighAt550 * math.Pow(550/nm, 4)
	}
	return clean, mediumOf(turbidity).haze
}

// toTop is how far it is to the top of the air, and toGround to the ground (0: it is not
// met), from radius r along a way whose cosine to the vertical is mu.
func toTop(r, mu float64) float64 {
	return max(0, -r*mu+math.Sqrt(max(r*r*(mu*mu-1)+topRadius*topRadius, 0)))
}

func toGround(r, mu float64) float64 {
	d := r*r*(mu*mu-1) + groundRadius*groundRadius
	if mu >= 0 || d < 0 {
		return 0
	}
	return max(0, -r*mu-math.Sqrt(d))
}

// columnAlong counts the column from radius r along mu over a distance, in steps that
// grow with their distance.
func columnAlong(r, mu, length float64, steps int) (c column) {
	for i := range steps {
		a, b := step(i, steps, length)
		t := (a + b) / 2
		q := math.Sqrt(r*r + t*t + 2*r*mu*t)
		c = c.plus(density(q - groundRadius).times(b - a))
	}
	return c
}

// step is the i-th of n pieces of a way: short ones first.
func step(i, n int, length float64) (from, to float64) {
	a, b := float64(i)/float64(n), float64(i+1)/float64(n)
	return a * a * length, b * b * length
}
