// Package exposure turns scene-linear light (cd/m2) into the finished picture:
// exposure, tone curve, sRGB. The same numbers are computed by the browser's
// composite; a test there holds the two together.
package exposure

import (
	"image"
	"math"

	"willowherb/core/colour"
	"willowherb/core/photometry"
)

// Factor returns what luminance is multiplied by at an EV100: the metered
// luminance 0.125 * 2^EV becomes middle grey, 0.18.
func Factor(ev float64) float64 { return Middle / float64(photometry.NitAtEV(ev)) }

// Curve is a tone curve. Every curve keeps 0.18 at 0.18.
type Curve string

// The curves.
const (
	// Plain clips at 1.
	Plain Curve = "plain"
	// Shoulder is the identity up to middle grey; above it an extended Reinhard
	// curve (Reinhard et al. 2002, equation 4) with slope 1 at the join reaches 1
	// five stops above middle grey.
	Shoulder Curve = "shoulder"
)

// Middle is middle grey, and WhiteStops how far above it Shoulder reaches white.
const (
	Middle     = 0.18
	WhiteStops = 5
)

// Map applies the curve to one exposed value.
func (c Curve) Map(x float64) float64 {
	if !(x > 0) {
		return 0
	}
	if f := c.film(); f != nil {
		return f.mapped(x)
	}
	if c != Shoulder || x <= Middle {
		return min(x, 1)
	}
	const span = 1 - Middle
	w := (Middle*math.Exp2(WhiteStops) - Middle) / span
	t := (x - Middle) / span
	return min(Middle+span*t*(1+t/(w*w))/(1+t), 1)
}

// Unmap is the exposed value that the curve takes to y, 0 to 1: the inverse of Map, up to
// where that reaches 1.
func (c Curve) Unmap(y float64) float64 {
	y = min(max(y, 0), 1)
	if f := c.film(); f != nil {
		return f.unmapped(y)
	}
	if c != Shoulder || y <= Middle {
		return y
	}
	const span = 1 - Middle
	w := (Middle*math.Exp2(WhiteStops) - Middle) / span
	// y' (1 + t) = t (1 + t/w2), the positive root.
	k := (y - Middle) / span
	b, c2 := 1-k, 1/(w*w)
	t := (-b + math.Sqrt(b*b+4*c2*k)) / (2 * c2)
	return Middle + span*t
}

// Display returns how a luminance of the scene is shown, from 0 to 1: exposed at ev,
// through the curve, coded as sRGB. It is what errors are measured in.
func Display(c Curve, ev float64) func(luminance float64) float64 {
	f := Factor(ev)
	return func(l float64) float64 { return colour.EncodeSRGB(c.Map(l * f)) }
}

// Develop makes the finished picture of scene-linear RGB, w by h.
func Develop(rgb []float32, w, h int, ev float64, c Curve) *image.NRGBA {
	out := image.NewNRGBA(image.Rect(0, 0, w, h))
	f := Factor(ev)
	for i := range w * h {
		for k := range 3 {
			v := colour.EncodeSRGB(c.Map(float64(rgb[3*i+k]) * f))
			out.Pix[4*i+k] = uint8(math.Round(255 * v))
		}
		out.Pix[4*i+3] = 255
	}
	return out
}

// Metered returns the EV100 that puts the log-average luminance of the brighter
// part of the picture at middle grey: black surroundings do not count. A
// picture without light is metered as EV 0.
func Metered(rgb []float32) float64 {
	var s, n float64
	var top float64
	for i := 0; i+2 < len(rgb); i += 3 {
		top = max(top, colour.LuminanceAt(rgb, i))
	}
	for i := 0; i+2 < len(rgb); i += 3 {
		if y := colour.LuminanceAt(rgb, i); y > top*1e-5 {
			s += math.Log2(y)
			n++
		}
	}
	if n == 0 {
		return 0
	}
	return photometry.EVAtNit(photometry.Nit(math.Exp2(s / n)))
}
