// Package still renders one finished picture of a lighting state: all lamps of
// a view to a number of samples, denoised and added up, in cd/m2.
package still

import (
	"context"
	"runtime"

	"willowherb/core/exposure"
	"willowherb/core/film"
	"willowherb/core/filter"
	"willowherb/core/lamps"
	"willowherb/core/light"
	"willowherb/core/path"
	"willowherb/core/vec"
	"willowherb/core/world"
)

// Order is what to render.
type Order struct {
	World   *world.World
	Lamps   []*lamps.Lamp
	View    world.Camera
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
	*filter.Finished
	Gives []Gives // a lamp each
}

// Gives is what a lamp adds to the picture's mean, in cd/m2.
type Gives struct{ Direct, Bounced, Seen, Reflected vec.V3 }

// Render makes the picture. Cancelling ctx ends it with ctx's error.
func Render(ctx context.Context, o Order) (*Picture, error) {
	if o.Workers == 0 {
		o.Workers = runtime.GOMAXPROCS(0)
	}
	p := &path.Pass{World: o.World, Camera: o.View, W: o.W, H: o.H, Seed: o.Seed, Guide: film.NewGuide(o.W, o.H)}
	var shining []*lamps.Lamp
	gives := make([]Gives, len(o.Lamps))
	for _, l := range o.Lamps {
		if l.Gain() == (vec.V3{}) {
			continue
		}
		shining = append(shining, l)
		p.Lights = append(p.Lights, l.Source)
		p.Layers = append(p.Layers, film.NewLayers(o.W, o.H))
	}
	if len(shining) == 0 {
		// The guide still wants its pass; a light that gives nothing carries it.
		dark := &light.Light{Kind: light.Point}
		p.Lights, p.Layers = []*light.Light{dark}, []*film.Layers{film.NewLayers(o.W, o.H)}
	}
	for n := 1; n <= o.Samples; n++ {
		if err := p.Run(ctx, n, o.Workers); err != nil {
			return nil, err
		}
		if o.Progress != nil {
			o.Progress(n)
		}
	}
	at := map[*lamps.Lamp]int{}
	for i, l := range o.Lamps {
		at[l] = i
	}
	sums := filter.NewSums(o.W, o.H)
	for i, l := range shining {
		g, y := l.Gain(), p.Layers[i]
		m := func(k ...film.Kind) vec.V3 { return y.Mean(k...).Mul(g) }
		gives[at[l]] = Gives{m(film.DirectKinds...), m(film.BouncedKinds...), m(film.Seen), m(film.Reflected)}
		sums.Add(y, g, filter.Frame{Samples: o.Samples}.Widths(l.Shines()))
	}
	var f *filter.Filter
	if !o.Raw {
		f = filter.New(p.Guide, o.View)
	}
	pic, err := sums.Finish(ctx, f, o.Workers)
	if err != nil {
		return nil, err
	}
	return &Picture{pic, gives}, nil
}

// Noise is the estimated error of the picture as it is shown, as a share of its mean.
func (p *Picture) Noise(ev float64, c exposure.Curve) float64 {
	return p.Finished.Noise(exposure.Display(c, ev))
}
