// Package still renders one finished picture of a lighting state: all lamps of
// a view to a number of samples, denoised and added up, in cd/m2.
package still

import (
	"context"
	"runtime"
	"time"

	"willowherb/core/cache"
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
	// Cache of the world, where there is one already.
	Cache *cache.Cache
	// Paths asks for whole paths instead of the light cache.
	Paths bool
	Workers int  // 0: all cores
	// Left, if set, is how much time there still is: samples are taken as long as the
	// next, and the finishing, fit into it. Samples then bounds them.
	Left func() time.Duration
	// Progress, if set, is told the samples that are done.
	Progress func(done int)
}

// Picture is scene-linear light, RGB in cd/m2, rows from the top.
type Picture struct {
	*filter.Finished
	Gives   []Gives // a lamp each
	Samples int     // that were taken of each pixel
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
	if !o.Paths && len(shining) > 0 {
		if err := o.prepare(ctx, p); err != nil {
			return nil, err
		}
	}
	taken, err := o.sample(ctx, p)
	if err != nil {
		return nil, err
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
	return &Picture{pic, gives, taken}, nil
}

// prepare fills the light cache as far as the pass needs it.
func (o *Order) prepare(ctx context.Context, p *path.Pass) error {
	c := o.Cache
	if c == nil {
		c = cache.New(o.World, o.Workers)
	}
	r := c.Reach()
	if err := p.Touch(ctx, r, 2, o.Workers); err != nil {
		return err
	}
	if err := c.Fill(ctx, r, o.Workers); err != nil {
		return err
	}
	var sources []cache.Source
	for _, l := range o.Lamps {
		if l.Gain() != (vec.V3{}) {
			sources = append(sources, cache.Source{Key: l.Key, Light: l.Source})
		}
	}
	var err error
	p.Cached, err = c.Light(ctx, r, sources, o.Workers)
	return err
}

// sample takes the samples of a pass, and returns their number.
func (o *Order) sample(ctx context.Context, p *path.Pass) (n int, err error) {
	var left, took time.Duration
	for n < o.Samples {
		if o.Left != nil {
			// What finishing takes is about as much as two samples.
			if now := o.Left(); n > 0 {
				took, left = max(left-now, took*3/4), now
				if now < 3*took {
					return n, nil
				}
			} else {
				left = now
			}
		}
		if err := p.Run(ctx, n+1, o.Workers); err != nil {
			return n, err
		}
		if n++; o.Progress != nil {
			o.Progress(n)
		}
	}
	return n, nil
}

// Reference makes the picture by plain path tracing of all lamps at once: no filter, no
// layers, nothing that is known of the place beforehand.
func Reference(ctx context.Context, o Order) (*Picture, error) {
	if o.Workers == 0 {
		o.Workers = runtime.GOMAXPROCS(0)
	}
	sum := film.NewLayers(o.W, o.H)
	p := &path.Pass{World: o.World, Camera: o.View, W: o.W, H: o.H, Seed: o.Seed, Layers: []*film.Layers{sum}}
	for _, l := range o.Lamps {
		if g := l.Gain(); g != (vec.V3{}) {
			p.Lights, p.Merged = append(p.Lights, l.Source), append(p.Merged, g)
		}
	}
	sums, n := filter.NewSums(o.W, o.H), 0
	if len(p.Lights) > 0 {
		p.Few = len(p.Lights) // all of them at the first surface, one after
		var err error
		if n, err = o.sample(ctx, p); err != nil {
			return nil, err
		}
		sums.Add(sum, vec.Splat(1), filter.Widths{})
	}
	pic, err := sums.Finish(ctx, nil, o.Workers)
	if err != nil {
		return nil, err
	}
	return &Picture{Finished: pic, Samples: n}, nil
}

// Noise is the estimated error of the picture as it is shown, as a share of its mean.
func (p *Picture) Noise(ev float64, c exposure.Curve) float64 {
	return p.Finished.Noise(exposure.Display(c, ev))
}
