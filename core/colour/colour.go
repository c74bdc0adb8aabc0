// Package colour turns colour temperatures and chromaticities into linear
// Rec. 709 (D65) colours and back. Light colours are kept with luminance 1, so
// that a change of colour never changes a light's output.
package colour

import (
	"math"

	"willowherb/core/vec"
)

// RGB is a linear Rec. 709 colour.
type RGB [3]float64

// Luminance weights of linear Rec. 709 primaries with white D65 (ITU-R BT.709-6).
const (
	WeightR = 0.2126
	WeightG = 0.7152
	WeightB = 0.0722
)

// Luminance returns Y of a linear Rec. 709 colour.
func Luminance(c RGB) float64 { return WeightR*c[0] + WeightG*c[1] + WeightB*c[2] }

// LuminanceOf is Luminance of a colour of the light transport.
func LuminanceOf(c vec.V3) float64 {
	return WeightR*float64(c.X) + WeightG*float64(c.Y) + WeightB*float64(c.Z)
}

// LuminanceAt is Luminance of the colour that begins at i in a picture's RGB.
func LuminanceAt(rgb []float32, i int) float64 {
	return WeightR*float64(rgb[i]) + WeightG*float64(rgb[i+1]) + WeightB*float64(rgb[i+2])
}

// Unit scales c to luminance 1, negative parts clipped first; black stays black.
func Unit(c RGB) RGB {
	for i := range c {
		c[i] = max(c[i], 0)
	}
	y := Luminance(c)
	if !(y > 0) || math.IsInf(y, 0) {
		return RGB{}
	}
	return RGB{c[0] / y, c[1] / y, c[2] / y}
}

// cie1931 is the CIE 1931 2-degree observer, 380 to 780 nm in steps of 10 nm
// (CIE 018:2019, table 1).
var cie1931 = [41][3]float64{
	{0.001368, 0.000039, 0.006450}, {0.004243, 0.000120, 0.020050}, {0.014310, 0.000396, 0.067850},
	{0.043510, 0.001210, 0.207400}, {0.134380, 0.004000, 0.645600}, {0.283900, 0.011600, 1.385600},
	{0.348280, 0.023000, 1.747060}, {0.336200, 0.038000, 1.772110}, {0.290800, 0.060000, 1.669200},
	{0.195360, 0.090980, 1.287640}, {0.095640, 0.139020, 0.812950}, {0.032010, 0.208020, 0.465180},
	{0.004900, 0.323000, 0.272000}, {0.009300, 0.503000, 0.158200}, {0.063270, 0.710000, 0.078250},
	{0.165500, 0.862000, 0.042160}, {0.290400, 0.954000, 0.020300}, {0.433450, 0.994950, 0.008750},
	{0.594500, 0.995000, 0.003900}, {0.762100, 0.952000, 0.002100}, {0.916300, 0.870000, 0.001650},
	{1.026300, 0.757000, 0.001100}, {1.062200, 0.631000, 0.000800}, {1.002600, 0.503000, 0.000340},
	{0.854450, 0.381000, 0.000190}, {0.642400, 0.265000, 0.000050}, {0.447900, 0.175000, 0.000020},
	{0.283500, 0.107000, 0}, {0.164900, 0.061000, 0}, {0.087400, 0.032000, 0}, {0.046770, 0.017000, 0},
	{0.022700, 0.008210, 0}, {0.011359, 0.004102, 0}, {0.005790, 0.002091, 0}, {0.002899, 0.001047, 0},
	{0.001440, 0.000520, 0}, {0.000690, 0.000249, 0}, {0.000332, 0.000120, 0}, {0.000166, 0.000060, 0},
	{0.000083, 0.000030, 0}, {0.000042, 0.000015, 0},
}

// MinKelvin and MaxKelvin bound the colour temperatures a light may have.
const (
	MinKelvin = 800
	MaxKelvin = 25000
)

// BlackBodyXYZ integrates Planck's law (c2 = 0.014387769 m K, CODATA 2018)
// against the CIE 1931 observer and returns XYZ with Y = 1.
func BlackBodyXYZ(kelvin float64) [3]float64 {
	const c2 = 0.014387769
	var s [3]float64
	for i, w := range cie1931 {
		l := (380 + 10*float64(i)) * 1e-9
		// The exponent is taken relative to 560 nm so that cold bodies do not underflow.
		m := math.Pow(560e-9/l, 5) * math.Expm1(c2/(560e-9*kelvin)) / math.Expm1(c2/(l*kelvin))
		for k := range s {
			s[k] += m * w[k]
		}
	}
	return [3]float64{s[0] / s[1], 1, s[2] / s[1]}
}

// blackBodyXY returns the CIE 1931 chromaticity of a black body.
func blackBodyXY(kelvin float64) (x, y float64) {
	c := BlackBodyXYZ(kelvin)
	s := c[0] + c[1] + c[2]
	return c[0] / s, c[1] / s
}

// FromXYZ converts to linear Rec. 709; components outside the primaries come
// out negative (matrix of IEC 61966-2-1, D65).
func FromXYZ(c [3]float64) RGB {
	return RGB{
		3.2404542*c[0] - 1.5371385*c[1] - 0.4985314*c[2],
		-0.9692660*c[0] + 1.8760108*c[1] + 0.0415560*c[2],
		0.0556434*c[0] - 0.2040259*c[1] + 1.0572252*c[2],
	}
}

// ToXY returns the CIE 1931 chromaticity of a linear Rec. 709 colour.
func ToXY(c RGB) (x, y float64) {
	X := 0.4124564*c[0] + 0.3575761*c[1] + 0.1804375*c[2]
	Y := 0.2126729*c[0] + 0.7151522*c[1] + 0.0721750*c[2]
	Z := 0.0193339*c[0] + 0.1191920*c[1] + 0.9503041*c[2]
	s := X + Y + Z
	if s == 0 {
		return 0.3127, 0.3290
	}
	return X / s, Y / s
}

// Temperature returns the luminance-1 colour of a black body. Below about
// 1,900 K it lies outside the primaries: the negative part is clipped and the
// rest brought back to luminance 1.
func Temperature(kelvin float64) RGB {
	return Unit(FromXYZ(BlackBodyXYZ(min(max(kelvin, MinKelvin), MaxKelvin))))
}

// NearestKelvin returns the correlated colour temperature by McCamy's cubic
// (1992, "Correlated color temperature as an explicit function of chromaticity
// coordinates"), good to a few kelvin from 2,000 to 12,500 K.
func NearestKelvin(c RGB) float64 {
	x, y := ToXY(c)
	n := (x - 0.3320) / (0.1858 - y)
	return min(max(449*n*n*n+3525*n*n+6823.3*n+5520.33, MinKelvin), MaxKelvin)
}

// EncodeSRGB applies the sRGB transfer function (IEC 61966-2-1) to a linear
// value; inputs are clipped to 0..1.
func EncodeSRGB(v float64) float64 {
	switch {
	case !(v > 0):
		return 0
	case v >= 1:
		return 1
	case v <= 0.0031308:
		return 12.92 * v
	}
	return 1.055*math.Pow(v, 1/2.4) - 0.055
}

// DecodeSRGB inverts EncodeSRGB.
func DecodeSRGB(v float64) float64 {
	if v <= 0.04045 {
		return v / 12.92
	}
	return math.Pow((v+0.055)/1.055, 2.4)
}

// Observer returns the CIE 1931 2-degree observer at a wavelength in nm, from 380 to 780;
// between the table's steps of 10 nm it is interpolated.
func Observer(nm float64) [3]float64 {
	at := min(max((nm-380)/10, 0), float64(len(cie1931)-1))
	i := min(int(at), len(cie1931)-2)
	k := at - float64(i)
	var w [3]float64
	for c := range w {
		w[c] = (1-k)*cie1931[i][c] + k*cie1931[i+1][c]
	}
	return w
}
