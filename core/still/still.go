// Package still renders one finished picture of a lighting state: all lamps of
// a view to a number of samples, denoised and added up, in cd/m2.
package still

import (
	"context"
	"runtime"

	"willowherb/core/exposure"
	"willowherb/core/light"
	"willowherb/core/render"
	"willowherb/core/setup"
	"willowherb/core/vec"
)

// Order is what to render.
type Order struct {
	World   *render.World
	Lamps   []*setup.Lamp
	View    render.View
	W, H    int
	Samples int
	Seed    uint32
	Raw     bool // leave the noise in
	Workers int  // 0: all cores
	// Progress, if set, is told the samples that are done.
	Progress func(done int)
}

// Picture is scene-linear light, RGB in cd/m2, rows from the top.
type Picture struct {
	RGB   []float32
	Error []float32 // half the difference of two halves: the noise left in RGB
	Gives []Gives   // a lamp each
}

// Gives is what a lamp adds to the picture's mean, in cd/m2.
type Gives struct{ Direct, Bounced, Seen, Reflected vec.V3 }

// Levels is how many times the denoiser doubles its step at a number of samples:
// noisier pictures are filtered wider.
func Levels(samples int) int {
	switch {
	case samples < 4:
		return 5
	case samples < 32:
		return 4
	case samples < 256:
		return 3
	}
	return 2
}

// FilteredDirect tells the lights whose direct layer is soft enough to be
// denoised like bounced light; the others keep their shadow edges.
func FilteredDirect(l *setup.Lamp) bool { return l.Kind == setup.Sky || l.Kind == setup.Emissive }

// Render makes the picture. Cancelling ctx ends it with ctx's error.
func Render(ctx context.Context, o Order) (*Picture, error) {
	if o.Workers == 0 {
		o.Workers = runtime.GOMAXPROCS(0)
	}
	p := &render.Pass{World: o.World, View: o.View, W: o.W, H: o.H, Seed: o.Seed, Guide: render.NewGuide(o.W, o.H)}
	var lamps []*setup.Lamp
	gives := make([]Gives, len(o.Lamps))
	for _, l := range o.Lamps {
		if l.Gain() == (vec.V3{}) {
			continue
		}
		lamps = append(lamps, l)
		p.Lights = append(p.Lights, l.Source)
		p.Layers = append(p.Layers, render.NewLayers(o.W, o.H, l.Shines()))
	}
	if len(lamps) == 0 {
		// The guide still wants its pass; a light that gives nothing carries it.
		dark := &light.Light{Kind: light.Point}
		p.Lights, p.Layers = []*light.Light{dark}, []*render.Layers{render.NewLayers(o.W, o.H, false)}
	}
	for n := 1; n <= o.Samples; n++ {
		if err := p.Run(ctx, n, o.Workers); err != nil {
			return nil, err
		}
		if o.Progress != nil {
			o.Progress(n)
		}
	}
	n := 3 * o.W * o.H
	hard, soft := make([]float32, n), make([]float32, n)
	hardErr, softErr := make([]float32, n), make([]float32, n)
	at := map[*setup.Lamp]int{}
	for i, l := range o.Lamps {
		at[l] = i
	}
	tmp := make([]float32, n)
	for i, l := range lamps {
		g := l.Gain()
		y := p.Layers[i]
		m := func(k render.Kind) vec.V3 { return y.Mean(k).Mul(g) }
		gives[at[l]] = Gives{m(render.Direct), m(render.Bounced), m(render.Seen), m(render.Reflected)}
		for k := range render.Kinds {
			sum, diff := hard, hardErr
			if k == render.Bounced || k == render.Direct && FilteredDirect(l) {
				sum, diff = soft, softErr
			}
			clear(tmp)
			y.Average(k, tmp)
			c := [3]float32{g.X, g.Y, g.Z}
			for q := range tmp {
				sum[q] += tmp[q] * c[q%3]
			}
			y.HalfDifference(k, g, diff)
		}
	}
	if !o.Raw {
		f := render.NewFilter(p.Guide, o.View)
		if err := f.Apply(ctx, []render.Noisy{{RGB: soft, Levels: Levels(o.Samples)}, {RGB: softErr, Levels: Levels(o.Samples)}}, o.Workers); err != nil {
			return nil, err
		}
	}
	for i := range hard {
		hard[i] += soft[i]
		hardErr[i] += softErr[i]
	}
	return &Picture{RGB: hard, Error: hardErr, Gives: gives}, nil
}

// Noise is the share of the developed picture that is still chance.
func (p *Picture) Noise(ev float64, c exposure.Curve) float64 {
	f := exposure.Factor(ev)
	return render.Noise(p.Error, p.RGB, func(l float64) float64 { return c.Map(l * f) })
}
