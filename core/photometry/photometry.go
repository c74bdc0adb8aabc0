// Package photometry holds the units of light and the closed forms that join
// them: what a lamp of so many lumens is in candela, what a candela gives at a
// distance, what an exposure value means. Angles are in radians unless the
// name says degrees.
package photometry

import "math"

// Units of light. Candela per square metre is called a nit for short.
type (
	Lumen   float64
	Candela float64
	Lux     float64
	Nit     float64
)

// PointCandela returns the intensity of an even point source: I = F / 4 pi.
func PointCandela(f Lumen) Candela { return Candela(float64(f) / (4 * math.Pi)) }

// PointLumen inverts PointCandela.
func PointLumen(i Candela) Lumen { return Lumen(float64(i) * 4 * math.Pi) }

// AreaNit returns the luminance of a one-sided diffuse area: F = pi L A.
func AreaNit(f Lumen, area float64) Nit { return Nit(float64(f) / (math.Pi * area)) }

// coneFalloff is the soft edge of a spot: 1 inside inner, 0 outside outer, and
// the square of the linear ramp of the cosine between (KHR_lights_punctual,
// "Inner and Outer Cone Angles").
func coneFalloff(cosAngle, cosInner, cosOuter float64) float64 {
	if cosAngle >= cosInner {
		return 1
	}
	if cosAngle <= cosOuter {
		return 0
	}
	a := (cosAngle - cosOuter) / (cosInner - cosOuter)
	return a * a
}

// ConeSolidAngle integrates coneFalloff over the sphere: 2 pi times the flat
// inner cap plus the integral of a^2 over the ramp, which is a third of its
// width. With inner = outer it is the hard cone, 2 pi (1 - cos t). 1 - cos is taken
// from the half-angle, which keeps the digits of narrow cones.
func ConeSolidAngle(inner, outer float64) float64 {
	cap := func(a float64) float64 { s := math.Sin(a / 2); return 2 * s * s }
	in, out := cap(min(inner, outer)), cap(outer)
	return 2 * math.Pi * (in + (out-in)/3)
}

// SpotCandela returns the axial intensity of a spot of f lumens.
func SpotCandela(f Lumen, inner, outer float64) Candela {
	return Candela(float64(f) / ConeSolidAngle(inner, outer))
}

// SpotLumen inverts SpotCandela.
func SpotLumen(i Candela, inner, outer float64) Lumen {
	return Lumen(float64(i) * ConeSolidAngle(inner, outer))
}

// RectIlluminance is the illuminance below the corner of a parallel rectangle
// a by b at distance c with luminance l (form factor of a parallel rectangle
// over a differential element; Howell, configuration factor B-3).
func RectIlluminance(l Nit, a, b, c float64) Lux {
	x, y := a/c, b/c
	sx, sy := math.Sqrt(1+x*x), math.Sqrt(1+y*y)
	f := (x/sx*math.Atan(y/sx) + y/sy*math.Atan(x/sy)) / (2 * math.Pi)
	return Lux(math.Pi * float64(l) * f)
}

// DiscIlluminance is the illuminance on the axis of a parallel disc of radius r
// at distance d: E = pi L r^2 / (r^2 + d^2).
func DiscIlluminance(l Nit, r, d float64) Lux {
	return Lux(math.Pi * float64(l) * r * r / (r*r + d*d))
}

// EV100 of a camera: log2(N^2/t * 100/S) (ISO 2720, reflected light K = 12.5).
func EV100(fNumber, seconds, iso float64) float64 {
	return math.Log2(fNumber * fNumber / seconds * 100 / iso)
}

// NitAtEV is the luminance a meter reads as this EV100: 0.125 * 2^EV.
func NitAtEV(ev float64) Nit { return Nit(0.125 * math.Exp2(ev)) }

// EVAtNit inverts NitAtEV.
func EVAtNit(l Nit) float64 { return math.Log2(float64(l) / 0.125) }

// LuxAtEV is the illuminance an incident meter reads as this EV100: 2.5 * 2^EV
// (ISO 2720, C = 250).
func LuxAtEV(ev float64) Lux { return Lux(2.5 * math.Exp2(ev)) }

// Gain returns the factor of a change in stops: 2^stops.
func Gain(stops float64) float64 { return math.Exp2(stops) }
