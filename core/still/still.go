// Package still renders one finished picture of a lighting state: all lamps of
// a view to a number of samples, denoised and added up, in cd/m2.
package still

import (
	"context"
	"math"
	"runtime"
	"time"

	"willowherb/core/cache"
	"willowherb/core/colour"
	"willowherb/core/exposure"
	"willowherb/core/film"
	"willowherb/core/filter"
	"willowherb/core/lamps"
	"willowherb/core/light"
	"willowherb/core/path"
	"willowherb/core/place"
	"willowherb/core/spread"
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
	// Layers keeps each light's bounced light by itself, so that Gives tells it.
	Layers bool
	// Display is how a luminance is shown, from 0 to 1: errors are judged by it. nil: as
	// metered.
	Display func(luminance float64) float64
	// Paths asks for whole paths instead of the light cache.
	Paths   bool
	Workers int // 0: all cores
	// Left, if set, is how much time there still is: samples are taken as long as the
	// next, and the finishing, fit into it. Samples then bounds them.
	Left func() time.Duration
	// Known, if set, keeps what is found out of the place for its next pictures.
	Known *Known
	// Progress, if set, is told the samples that are done.
	Progress func(done int)

	rest    *film.Layers // what is not kept by light
	passing bool         // what becomes known is not kept
}

// Known is what pictures have found out of one world that others of it can use: its openings
// and its light cache. The zero value knows nothing yet. Not safe for concurrent use.
type Known struct {
	portals []light.Portal
	looked  bool
	cache   *cache.Cache
}

// Picture is scene-linear light, RGB in cd/m2, rows from the top.
type Picture struct {
	*filter.Finished
	Gives   []Gives // a lamp each
	Samples int     // that were taken of each pixel: of what comes by other surfaces, on average
	Layers  bool    // Gives tells bounced light too
	Guide   *film.Guide
}

// Gives is what a lamp adds to the picture's mean, in cd/m2.
type Gives struct{ Direct, Bounced, Seen, Reflected, Air vec.V3 }

// Render makes the picture. Cancelling ctx ends it with ctx's error.
func Render(ctx context.Context, o Order) (*Picture, error) {
	if o.Workers == 0 {
		o.Workers = runtime.GOMAXPROCS(0)
	}
	if o.Known == nil {
		o.Known, o.passing = &Known{}, true
	}
	p := &path.Pass{World: o.World, Camera: o.View, W: o.W, H: o.H, Seed: o.Seed, Guide: film.NewGuide(o.W, o.H)}
	var shining []*lamps.Lamp
	gives := make([]Gives, len(o.Lamps))
	for _, l := range o.Lamps {
		if l.Gain() == (vec.V3{}) {
			continue
		}
		shining = append(shining, l)
		src := *l.Source
		if src.Kind == light.Sky && !o.Paths {
			if !o.Known.looked {
				var err error
				if o.Known.portals, err = place.Portals(ctx, o.World, o.Workers); err != nil {
					return nil, err
				}
				o.Known.looked = true
			}
			src.Portals = place.Through(o.World, src.Portals, o.Known.portals)
		}
		p.Lights = append(p.Lights, &src)
		p.Layers = append(p.Layers, film.NewLayers(o.W, o.H))
	}
	if len(shining) == 0 {
		// The guide still wants its pass; a light that gives nothing carries it.
		dark := &light.Light{Kind: light.Point}
		p.Lights, p.Layers = []*light.Light{dark}, []*film.Layers{film.NewLayers(o.W, o.H)}
	}
	taken, err := o.settle(ctx, p, shining)
	if err != nil {
		return nil, err
	}
	at := map[*lamps.Lamp]int{}
	for i, l := range o.Lamps {
		at[l] = i
	}
	sums := filter.NewSums(o.W, o.H)
	sums.Chosen = !o.Paths
	paths := o.rest
	if paths == nil {
		paths = p.Layers[0]
	}
	if paths.Cover != nil {
		sums.Paths = paths.Paths
	}
	err = sums.AddAll(ctx, len(shining), o.Workers, func(to *filter.Sums, i int) {
		l := shining[i]
		g, y := l.Gain(), p.Layers[i]
		m := func(k ...film.Kind) vec.V3 { return y.Mean(k...).Mul(g) }
		gives[at[l]] = Gives{m(film.DirectKinds...), m(film.BouncedKinds...), m(film.Seen), m(film.Reflected), m(film.Air)}
		to.Add(y, g, o.widths(l.Shines(), taken))
	})
	if err != nil {
		return nil, err
	}
	if o.rest != nil {
		sums.Add(o.rest, vec.Splat(1), filter.Widest(true))
	}
	var f *filter.Filter
	if !o.Raw {
		f = filter.New(p.Guide, o.View, o.Workers)
	}
	pic, err := sums.Finish(ctx, f, o.Workers)
	if err != nil {
		return nil, err
	}
	return &Picture{pic, gives, o.taken(taken), o.rest == nil, p.Guide}, nil
}

// taken is how many samples of a pixel so many rounds are.
func (o *Order) taken(rounds int) int {
	if o.Paths {
		return rounds
	}
	return rounds / 2
}

// widths says how widely the kinds of a lamp's light are filtered, at most.
func (o *Order) widths(shows bool, samples int) filter.Widths {
	if o.Paths {
		return filter.Frame{Samples: samples}.Widths(shows)
	}
	return filter.Widest(shows)
}

// short is how much time is too little for what only long ones gain by.
const short = 15 * time.Second

// prepare fills the light cache as far as the pass needs it.
func (o *Order) prepare(ctx context.Context, p *path.Pass, shining []*lamps.Lamp) error {
	c := o.Known.cache
	if c == nil {
		c = cache.New(o.World, o.Workers)
		if o.passing && o.Left != nil && o.Left() < short {
			c.Coarse(0.5)
		}
		o.Known.cache = c
	}
	r := c.Reach()
	if err := p.Touch(ctx, r, 3, o.Workers); err != nil {
		return err
	}
	if err := c.Fill(ctx, r, o.Workers); err != nil {
		return err
	}
	var sources []cache.Source
	for i, l := range shining {
		sources = append(sources, cache.Source{Key: l.Key, Light: p.Lights[i]})
	}
	var err error
	p.Cached, err = c.Light(ctx, r, sources, o.Workers)
	return err
}

// settle takes samples where the error shows, until there are enough or the time is up.
func (o *Order) settle(ctx context.Context, p *path.Pass, shining []*lamps.Lamp) (n int, err error) {
	if o.Paths || len(shining) == 0 {
		return o.sample(ctx, p)
	}
	for _, l := range p.Layers {
		l.Sparse = true
	}
	begin := o.left()
	rays := path.Rays{Each: 8, Edges: 64}
	switch {
	case o.Left == nil:
	case begin < short:
		rays = path.Rays{Each: 4, Edges: 40}
	case begin > 45*time.Second:
		rays = path.Rays{Each: 16, Edges: 96}
	}
	cover, err := p.MakeCover(ctx, rays, o.Workers)
	if err != nil {
		return 0, err
	}
	// Finishing takes about as long as five camera rays a pixel.
	finish := (begin - o.left()) * 5 / time.Duration(rays.Each+1)
	if err = o.prepare(ctx, p, shining); err != nil {
		return 0, err
	}
	p.Faint = o.faint(shining)
	paths := p
	if !o.Layers {
		// What is not asked for by light is not kept by light.
		q := *p
		q.Only, p.Only = path.Paths, path.Asks
		q.Merged, q.Few, q.Guide = nil, 1, nil
		for _, l := range shining {
			q.Merged = append(q.Merged, l.Gain())
		}
		q.Cached = p.Cached.Merged(q.Merged)
		q.Most = o.most()
		o.rest = film.NewLayers(o.W, o.H)
		o.rest.Sparse = true
		o.rest.On(cover)
		q.Layers = []*film.Layers{o.rest}
		paths = &q
	}
	at := o.left()
	if err = paths.Run(ctx, 2, o.Workers); err != nil {
		return 0, err
	}
	round := at - o.left()
	if paths != p {
		if err = p.Run(ctx, 2, o.Workers); err != nil {
			return 2, err
		}
	}
	// What comes straight from lights first: it is what gains most for its time.
	pixels := o.W * o.H
	more := []*pace{
		{least: pixels / 3, most: 2 * pixels, share: 2, take: func(w path.Worth, n int) (int, error) { return p.Spend(ctx, w, n, o.Workers) }},
		{least: pixels / 5, most: pixels / 2, share: 3, take: func(w path.Worth, n int) (int, error) {
			if paths != p {
				w.Gains = []vec.V3{vec.Splat(1)}
			}
			return paths.Dwell(ctx, w, n, o.Workers)
		}},
	}
	enough := min(2*o.Samples, math.MaxUint16-1) // films count so far
	for n = 2; ; n += 2 {
		for _, m := range more {
			m.each = max(m.each, round.Seconds()/float64(o.W*o.H)/4)
			many, ok := m.many(o, finish)
			if !ok {
				return n, nil
			}
			at := o.left()
			w, err := o.worth(ctx, p, shining)
			if err != nil {
				return n, err
			}
			if many, err = m.take(w, many); err != nil {
				return n, err
			}
			m.each = (at - o.left()).Seconds() / float64(max(many, 1))
		}
		if o.Progress != nil {
			o.Progress(n / 2)
		}
		if n >= enough || o.Left != nil && o.left() < finish+round {
			return n, nil
		}
		if err = paths.Run(ctx, n+2, o.Workers); err != nil {
			return n, err
		}
	}
}

// pace is how much of something is taken at a time.
type pace struct {
	least int     // samples
	most  int     // before the error is looked at again
	share int     // of the time that is left, one part of so many
	each  float64 // seconds that one sample took, with what decides on it
	take  func(w path.Worth, samples int) (int, error)
}

// many is how many samples to take now; false where there is no time for any.
func (m *pace) many(o *Order, finish time.Duration) (int, bool) {
	if o.Left == nil {
		return 2 * m.least, true
	}
	left := (o.left() - finish).Seconds()
	n := min(max(float64(m.least), left/float64(m.share)/m.each), float64(m.most), left/m.each)
	return int(n), n >= float64(m.least)/2
}

// faint is path.Pass.Faint: under what the display tells from black.
func (o *Order) faint(shining []*lamps.Lamp) (out []float32) {
	if o.Display == nil {
		return nil
	}
	least := 1e-9
	for o.Display(least) < o.Display(0)+0.01 && least < 1e9 {
		least *= 1.2
	}
	for _, l := range shining {
		out = append(out, float32(least/max(colour.LuminanceOf(l.Gain()), 1e-20)))
	}
	return out
}

// most is a luminance far beyond what is shown as white; 0 where that is not known.
func (o *Order) most() float32 {
	if o.Display == nil {
		return 0
	}
	if white := filter.White(o.Display); !math.IsInf(white, 1) {
		return float32(4 * white)
	}
	return 0
}

func (o *Order) left() time.Duration {
	if o.Left == nil {
		return 0
	}
	return o.Left()
}

// worth judges errors by the picture as it is.
func (o *Order) worth(ctx context.Context, p *path.Pass, shining []*lamps.Lamp) (w path.Worth, err error) {
	const parts = 4 // some lamps each, in the same order always: sums are rounded alike
	var some [parts][]float32
	err = spread.Over(ctx, parts, o.Workers, func(part int) {
		pic := make([]float32, 3*o.W*o.H)
		for i := part; i < len(shining); i += parts {
			for k := range film.Kinds {
				p.Layers[i].Average(k, shining[i].Gain(), pic)
			}
		}
		for k := range film.Kinds {
			if o.rest != nil && part == 0 {
				o.rest.Average(k, vec.Splat(1), pic)
			}
		}
		some[part] = pic
	})
	if err != nil {
		return w, err
	}
	pic := some[0]
	for _, more := range some[1:] {
		for i, v := range more {
			pic[i] += v
		}
	}
	for _, l := range shining {
		w.Gains = append(w.Gains, l.Gain())
	}
	show := o.Display
	if show == nil {
		show = exposure.Display(exposure.Shoulder, exposure.Metered(pic))
	}
	w.Slope, err = filter.Slopes(ctx, pic, o.W, show, o.Workers)
	return w, err
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
