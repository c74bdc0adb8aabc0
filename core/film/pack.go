package film

import (
	"math"

	"willowherb/core/vec"
)

// Pack writes an RGB picture as RGB9_E5 (OpenGL ES 3.0, section 3.8.3.2), after
// division by the returned scale, which brings the brightest value to 32768.
func Pack(rgb []float32) (words []uint32, scale float32) {
	var top float32
	for _, v := range rgb {
		if v > top && !math.IsInf(float64(v), 0) {
			top = v
		}
	}
	scale = 1
	if top > 0 {
		scale = top / 32768
	}
	words = make([]uint32, len(rgb)/3)
	for i := range words {
		words[i] = packOne(rgb[3*i]/scale, rgb[3*i+1]/scale, rgb[3*i+2]/scale)
	}
	return words, scale
}

const (
	packBias = 15
	packMax  = 65408 // 511/512 * 2^16
)

func packOne(r, g, b float32) uint32 {
	r, g, b = clampPack(r), clampPack(g), clampPack(b)
	m := max(r, g, b)
	if m == 0 {
		return 0
	}
	// The exponent field of the float is the floor of its logarithm.
	e := max(-packBias-1, int(math.Float32bits(m)>>23)-127) + 1 + packBias
	if uint32(m*inverse2[e]+0.5) == 512 {
		e++
	}
	k := inverse2[e]
	return uint32(e)<<27 | uint32(b*k+0.5)<<18 | uint32(g*k+0.5)<<9 | uint32(r*k+0.5)
}

func clampPack(v float32) float32 {
	if !(v > 0) {
		return 0
	}
	return min(v, packMax)
}

// Word is the RGB of one packed value, before the scale of Pack.
func Word(w uint32) vec.V3 {
	s := exp2[w>>27]
	return vec.V3{X: float32(w&511) * s, Y: float32(w>>9&511) * s, Z: float32(w>>18&511) * s}
}

// Unpack adds gain times the packed picture to out (RGB), exactly as a graphics
// processor reads it.
func Unpack(words []uint32, gain vec.V3, out []float32) {
	for i, w := range words {
		c := Word(w)
		out[3*i] += c.X * gain.X
		out[3*i+1] += c.Y * gain.Y
		out[3*i+2] += c.Z * gain.Z
	}
}

var inverse2 = func() (t [33]float32) {
	for e := range t {
		t[e] = float32(math.Exp2(float64(packBias + 9 - e)))
	}
	return
}()

var exp2 = func() (t [32]float32) {
	for e := range t {
		t[e] = float32(math.Exp2(float64(e - packBias - 9)))
	}
	return
}()
