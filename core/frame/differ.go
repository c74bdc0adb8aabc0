package frame

import (
	"willowherb/core/colour"
)

// Reason says what makes a run-time picture differ from the reference.
type Reason string

// Reasons.
const (
	TexelTooLarge Reason = "texel"  // in the lightmap: its texels, or what they left out
	ProbeTooFar   Reason = "probe"  // on what probes light
	ShadowCoarse  Reason = "shadow" // in the direct light that comes through shadow maps
	MirrorWrong   Reason = "mirror" // in what is mirrored
)

// Differs is how a run-time picture differs from the reference, as both are shown.
type Differs struct {
	// Mean and Worst (19 of 20 pixels differ less) are CIEDE2000 differences: about 1 is just
	// seen side by side.
	Mean  float64 `json:"mean"`
	Worst float64 `json:"worst"`
	// By are the parts of the mean by their reasons.
	By map[Reason]float64 `json:"by"`
	// Each is the difference at each pixel.
	Each []float32 `json:"-"`
}

// Compare tells how a run-time picture differs from the reference of the same view. show is
// what makes linear light what is displayed, linear, white 1; live is the reference's direct
// light of the lights that the target works out itself.
func (p *Picture) Compare(reference, live []float32, show func(rgb colour.RGB) colour.RGB) Differs {
	n := p.W * p.H
	d := Differs{By: map[Reason]float64{}, Each: make([]float32, n)}
	counts := make([]int, 1001)
	at := func(rgb []float32, i int) colour.RGB {
		return colour.RGB{float64(rgb[3*i]), float64(rgb[3*i+1]), float64(rgb[3*i+2])}
	}
	for i := range n {
		a, b := colour.LabOf(show(at(reference, i))), colour.LabOf(show(at(p.RGB, i)))
		e := colour.Difference(a, b)
		d.Each[i] = float32(e)
		d.Mean += e / float64(n)
		d.By[p.reason(reference, live, i)] += e / float64(n)
		counts[min(int(e*10), 1000)]++
	}
	left := n / 20
	for k := len(counts) - 1; k >= 0; k-- {
		if left -= counts[k]; left < 0 {
			d.Worst = float64(k) / 10
			break
		}
	}
	return d
}

// reason is the part of a pixel that differs most.
func (p *Picture) reason(reference, live []float32, i int) Reason {
	lum := func(rgb []float32) float64 { return colour.LuminanceAt(rgb, 3*i) }
	shadow := lum(p.Live) - lum(live)
	rest := lum(p.RGB) - lum(reference) - shadow
	if abs(shadow) >= abs(rest) {
		return ShadowCoarse
	}
	soft := lum(p.Mapped) + lum(p.Probed)
	switch {
	case lum(p.Mirrored) > soft:
		return MirrorWrong
	case p.By[i] == ByMap:
		return TexelTooLarge
	default:
		return ProbeTooFar
	}
}

func abs(x float64) float64 { return max(x, -x) }
