// Package contrast measures what an eye would make of pictures: how a figure stands out
// against what is behind it, and how much two pictures differ. Pictures are RGB in cd/m2,
// rows from the top; differences are CIEDE2000 of what is shown of them.
package contrast

import (
	"math"
	"slices"

	"willowherb/core/colour"
	"willowherb/core/exposure"
	"willowherb/core/photometry"
)

// Contrast is how a figure stands against what is behind it, along its outline.
type Contrast struct {
	Figure    string  `json:"figure"`
	Pixels    int     `json:"pixels"`   // of its outline
	Stops     float64 `json:"stops"`    // the figure's edge over what is behind it; negative: darker
	Colour    float64 `json:"colour"`   // CIEDE2000 between the two sides, as developed
	Weakest   float64 `json:"weakest"`  // stops that a quarter of the outline stays under
	Lost      float64 `json:"lost"`     // share of the outline with less than half a stop and a difference under 5
	InsideEV  float64 `json:"insideEV"` // EV100 of the figure's edge
	OutsideEV float64 `json:"outsideEV"`
}

// Outline measures the contrast of the figure (where inside is true) in a
// picture of w by h in cd/m2 RGB, exposed at ev with a curve. Both sides are read
// within reach pixels of the outline. ok is false where no outline is seen.
func Outline(inside []bool, rgb []float32, w, h, reach int, ev float64, curve exposure.Curve) (c Contrast, ok bool) {
	at := func(x, y int) bool { return inside[y*w+x] }
	var stops []float64
	var sumStops, sumDiff, sumIn, sumOut float64
	lost := 0
	f := exposure.Factor(ev)
	dev := func(v [3]float64) colour.Lab {
		return colour.LabOf(colour.RGB{curve.Map(v[0] * f), curve.Map(v[1] * f), curve.Map(v[2] * f)})
	}
	for y := range h {
		for x := range w {
			if !at(x, y) || x == 0 || y == 0 || x == w-1 || y == h-1 {
				continue // an outline on the picture's own edge is none
			}
			if at(x-1, y) && at(x+1, y) && at(x, y-1) && at(x, y+1) {
				continue
			}
			var in, out [3]float64
			var ni, no float64
			for dy := -reach; dy <= reach; dy++ {
				for dx := -reach; dx <= reach; dx++ {
					q, r := x+dx, y+dy
					if q < 0 || r < 0 || q >= w || r >= h || dx*dx+dy*dy > reach*reach {
						continue
					}
					i := r*w + q
					to, n := &out, &no
					if inside[i] {
						to, n = &in, &ni
					}
					*n++
					for k := range 3 {
						to[k] += float64(rgb[3*i+k])
					}
				}
			}
			if no == 0 {
				continue
			}
			for k := range 3 {
				in[k] /= ni
				out[k] /= no
			}
			li, lo := max(colour.Luminance(in), 1e-6), max(colour.Luminance(out), 1e-6)
			s := math.Log2(li / lo)
			d := colour.Difference(dev(in), dev(out))
			stops = append(stops, math.Abs(s))
			sumStops += s
			sumDiff += d
			sumIn += photometry.EVAtNit(photometry.Nit(li))
			sumOut += photometry.EVAtNit(photometry.Nit(lo))
			if math.Abs(s) < 0.5 && d < 5 {
				lost++
			}
		}
	}
	if len(stops) < 8 {
		return c, false
	}
	n := float64(len(stops))
	slices.Sort(stops)
	return Contrast{Pixels: len(stops), Stops: sumStops / n, Colour: sumDiff / n, Weakest: stops[len(stops)/4], Lost: float64(lost) / n, InsideEV: sumIn / n, OutsideEV: sumOut / n}, true
}

// Notice is how much an eye would notice between two finished pictures: the mean
// and the 95th percentile of CIEDE2000 over the pixels, and the mean of the
// change in stops where both are lit.
type Notice struct {
	Mean  float64 `json:"mean"`
	P95   float64 `json:"p95"`
	Stops float64 `json:"stops"`
}

// Differing is the share of pixels that differ by more than limit (CIEDE2000)
// between two pictures in cd/m2 RGB, developed alike.
func Differing(a, b []float32, ev float64, curve exposure.Curve, limit float64) float64 {
	n := len(a) / 3
	if n == 0 || len(b) != len(a) {
		return 0
	}
	f, over := exposure.Factor(ev), 0
	for i := range n {
		var p, q colour.RGB
		for k := range 3 {
			p[k], q[k] = curve.Map(float64(a[3*i+k])*f), curve.Map(float64(b[3*i+k])*f)
		}
		if p != q && colour.Difference(colour.LabOf(p), colour.LabOf(q)) > limit {
			over++
		}
	}
	return float64(over) / float64(n)
}

// Compare measures two pictures in cd/m2 RGB, each developed at its own exposure.
func Compare(a, b []float32, evA, evB float64, curveA, curveB exposure.Curve) Notice {
	by := func(curve exposure.Curve, ev float64) func(int, [3]float64) colour.RGB {
		f := exposure.Factor(ev)
		return func(_ int, c [3]float64) colour.RGB {
			return colour.RGB{curve.Map(c[0] * f), curve.Map(c[1] * f), curve.Map(c[2] * f)}
		}
	}
	return CompareShown(a, b, by(curveA, evA), by(curveB, evB))
}

// CompareShown measures two pictures in cd/m2 RGB as they are shown: shown makes of a colour of a
// pixel what a screen gives of it, linear, white is 1.
func CompareShown(a, b []float32, shownA, shownB func(pixel int, c [3]float64) colour.RGB) Notice {
	n := len(a) / 3
	if n == 0 || len(b) != len(a) {
		return Notice{}
	}
	d := make([]float64, n)
	var sum, stops float64
	lit := 0
	for i := range n {
		p := shownA(i, [3]float64{float64(a[3*i]), float64(a[3*i+1]), float64(a[3*i+2])})
		q := shownB(i, [3]float64{float64(b[3*i]), float64(b[3*i+1]), float64(b[3*i+2])})
		if p != q {
			d[i] = colour.Difference(colour.LabOf(p), colour.LabOf(q))
		}
		sum += d[i]
		if x, y := colour.Luminance(p), colour.Luminance(q); x > 1e-3 && y > 1e-3 {
			stops += math.Log2(y / x)
			lit++
		}
	}
	slices.Sort(d)
	return Notice{sum / float64(n), d[min(n*95/100, n-1)], stops / float64(max(lit, 1))}
}
