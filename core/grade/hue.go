package grade

import (
	"math"

	"willowherb/core/colour"
)

// Hue is what is done to a range of hues: turned by degrees in Oklab, saturation multiplied.
type Hue struct {
	Turn       float64 `json:"turn"`
	Saturation float64 `json:"saturation"` // 1 leaves it
}

// Ranges are the names of the ranges of hue, in their order round the circle.
var Ranges = [6]string{"reds", "yellows", "greens", "cyans", "blues", "magentas"}

// middles are the hues in Oklab, degrees, of the Rec. 709 primaries and of their mixtures by
// twos: each is the middle of its range.
var middles = func() (out [6]float64) {
	for i, c := range [6]colour.RGB{{1, 0, 0}, {1, 1, 0}, {0, 1, 0}, {0, 1, 1}, {0, 0, 1}, {1, 0, 1}} {
		_, a, b := colour.Oklab(c)
		out[i] = math.Mod(math.Atan2(b, a)*180/math.Pi+360, 360)
	}
	return out
}()

// between is in which range a hue lies, and how far on its way to the next, 0 to 1.
func between(hue float64) (at int, on float64) {
	for i, from := range middles {
		width := math.Mod(middles[(i+1)%6]-from+360, 360)
		if d := math.Mod(hue-from+360, 360); d < width {
			return i, d / width
		}
	}
	return 0, 0
}

// byHue changes a colour by its hue, luminance kept. A hue between the middles of two ranges
// gets what lies between what they say.
func byHue(h *[6]Hue, c [3]float64) [3]float64 {
	y := colour.Luminance(c)
	if !(y > 0) {
		return c
	}
	l, a, b := colour.Oklab(c)
	i, on := between(math.Mod(math.Atan2(b, a)*180/math.Pi+360, 360))
	p, q := h[i], h[(i+1)%6]
	sin, cos := math.Sincos((p.Turn + on*(q.Turn-p.Turn)) * math.Pi / 180)
	s := p.Saturation + on*(q.Saturation-p.Saturation)
	out := colour.FromOklab(l, s*(a*cos-b*sin), s*(a*sin+b*cos))
	for k := range out {
		out[k] = max(out[k], 0)
	}
	if now := colour.Luminance(out); now > 0 {
		for k := range out {
			out[k] *= y / now
		}
	}
	return out
}
