// Package sampling makes the random numbers of the light transport and maps
// them to directions. Every number is a pure function of (seed, pixel, sample,
// dimension), so a picture is bit-equal whatever the number of workers and
// whichever other lights are rendered beside one.
package sampling

import (
	"math"
	"math/bits"

	"willowherb/core/vec"
)

// Source yields the numbers of one sample of one pixel.
type Source struct {
	pixel  uint32
	sample uint32
}

// Owner names whose random numbers dimensions are: the path's own (0), or a light's.
func Owner(id uint64) uint32 { return mix(uint32(id) ^ mix(uint32(id>>32)+0x7f4a7c15)) }

// Dim names a dimension of a sample's random numbers: a use of them (what is chosen,
// at which vertex) for an owner. Two different uses have the same name with a chance
// of one in 2^32.
func Dim(owner, use uint32) uint32 { return mix(owner + use*0x9e3779b1) }

// Chance is a number in [0, 1) that belongs to a dimension and a thing alone.
func Chance(d, thing uint32) float32 { return float32(mix(d^mix(thing+0x27d4eb2f))>>8) * ulp24 }

// New returns the source of sample number n of a pixel.
func New(seed, pixel, n uint32) Source { return Source{mix(pixel ^ mix(seed^0x9e3779b9)), n} }

// mix is the "lowbias32" integer hash of Wellons (2018).
func mix(x uint32) uint32 {
	x ^= x >> 16
	x *= 0x7feb352d
	x ^= x >> 15
	x *= 0x846ca68b
	return x ^ x>>16
}

// owen scrambles a reversed-bit index (Laine and Karras 2011 with the constants
// of Vegdahl 2021); in bit-reversed order it is a nested uniform scramble.
func owen(x, seed uint32) uint32 {
	x ^= x * 0x3d20adea
	x += seed
	x *= (seed >> 16) | 1
	x ^= x * 0x05526c56
	x ^= x * 0x53a22864
	return x
}

const ulp24 = 1.0 / (1 << 24)

// Pair returns two numbers in [0, 1) for dimension d. Over the samples of a
// pixel each dimension is a shuffled, Owen-scrambled Sobol' (0,2)-sequence
// (Burley 2020, "Practical Hash-based Owen Scrambling").
func (s Source) Pair(d uint32) vec.V2 {
	h := mix(s.pixel + d*0x9e3779b1)
	i := bits.Reverse32(owen(bits.Reverse32(s.sample), h))
	x := bits.Reverse32(i) // first Sobol' dimension, msb first
	y := sobol2(i)
	x = bits.Reverse32(owen(bits.Reverse32(x), mix(h^0x68bc21eb)))
	y = bits.Reverse32(owen(bits.Reverse32(y), mix(h^0x02e5be93)))
	return vec.V2{X: float32(x>>8) * ulp24, Y: float32(y>>8) * ulp24}
}

// sobol2 is the second Sobol' dimension: the Pascal matrix mod 2 applied to the
// reversed bits of i, by its factors.
func sobol2(i uint32) uint32 {
	v := bits.Reverse32(i)
	v ^= v << 16
	v ^= v & 0x00ff00ff << 8
	v ^= v & 0x0f0f0f0f << 4
	v ^= v & 0x33333333 << 2
	v ^= v & 0x55555555 << 1
	return v
}

// Loose returns a pair without stratification, for the deep dimensions where
// stratification gains nothing.
func (s Source) Loose(d uint32) vec.V2 {
	a := mix(s.pixel ^ mix(s.sample*0x9e3779b1+d*0x85ebca6b+0x2545f491))
	b := mix(a + 0x6d2b79f5)
	return vec.V2{X: float32(a>>8) * ulp24, Y: float32(b>>8) * ulp24}
}

// Bits returns 32 random bits for dimension d.
func (s Source) Bits(d uint32) uint32 {
	return mix(s.pixel ^ mix(s.sample*0x9e3779b1+d*0x85ebca6b+0x6c8e9cf5))
}

// ConcentricDisc maps the unit square to the unit disc (Shirley and Chiu 1997).
func ConcentricDisc(u vec.V2) (x, y float32) {
	a, b := 2*u.X-1, 2*u.Y-1
	if a == 0 && b == 0 {
		return 0, 0
	}
	var r, phi float64
	if a*a > b*b {
		r, phi = float64(a), math.Pi/4*float64(b/a)
	} else {
		r, phi = float64(b), math.Pi/2-math.Pi/4*float64(a/b)
	}
	s, c := math.Sincos(phi)
	return float32(r * c), float32(r * s)
}

// CosineHemisphere returns a unit direction about +Z with density cos/pi.
func CosineHemisphere(u vec.V2) vec.V3 {
	x, y := ConcentricDisc(u)
	return vec.V3{X: x, Y: y, Z: float32(math.Sqrt(float64(max(0, 1-x*x-y*y))))}
}

// Cone returns a unit direction about +Z, even over the cone's solid angle.
// oneMinusCos keeps its digits for narrow cones such as the sun's.
func Cone(u vec.V2, oneMinusCos float32) vec.V3 {
	x, y := ConcentricDisc(u)
	r2 := x*x + y*y
	h := r2 * oneMinusCos // 1 - cos of the direction
	k := float32(math.Sqrt(float64(oneMinusCos * (2 - h))))
	return vec.V3{X: x * k, Y: y * k, Z: 1 - h}
}
