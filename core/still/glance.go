package still

import (
	"context"
	"math"
	"slices"
	"strings"

	"willowherb/core/colour"
	"willowherb/core/exposure"
	"willowherb/core/film"
	"willowherb/core/filter"
	"willowherb/core/lamps"
	"willowherb/core/path"
	"willowherb/core/scene"
	"willowherb/core/setup"
	"willowherb/core/vec"
	"willowherb/core/world"
)

// Glance makes a small picture of all lamps at once, quickly: few lights at each place, two
// bounces, filtered. It is good enough to look at at its size, and to meter.
func Glance(ctx context.Context, w *world.World, lit []*lamps.Lamp, cam world.Camera, wide, high, samples, workers int) ([]float32, error) {
	pic, _, err := glance(ctx, w, lit, cam, wide, high, samples, workers)
	return pic, err
}

// glance gives what is seen at each place, too.
func glance(ctx context.Context, w *world.World, lit []*lamps.Lamp, cam world.Camera, wide, high, samples, workers int) ([]float32, *film.Guide, error) {
	guide := film.NewGuide(wide, high)
	pass := &path.Pass{World: w, Camera: cam, W: wide, H: high, Seed: 1, Bounces: 2, Few: 3, Guide: guide, Layers: []*film.Layers{film.NewLayers(wide, high)}, Merged: []vec.V3{}}
	for _, l := range lit {
		if gain := l.Gain(); gain != (vec.V3{}) {
			pass.Lights, pass.Merged = append(pass.Lights, l.Source), append(pass.Merged, gain)
		}
	}
	if err := pass.Run(ctx, samples, workers); err != nil {
		return nil, nil, err
	}
	pic := make([]float32, 3*wide*high)
	pass.Layers[0].Average(film.Direct, vec.Splat(1), pic)
	return pic, guide, filter.New(guide, cam, workers).Apply(ctx, []filter.Noisy{{Pic: pic, Levels: 2}}, workers)
}

// Walk is a way through views, from one to the next, evenly; or that of a camera of the place
// that travels.
type Walk struct {
	Setup   *setup.Setup
	World   *world.World
	Lamps   []*lamps.Lamp
	Views   []string // ids
	Seconds float64  // in all; a camera's own time, where it is shorter
	Camera  string   // name of a camera, in the place of views; empty: none
	Auto    exposure.Auto
	Workers int
}

// Steps is how many moments a walk is looked at.
const Steps = 48

// Size of the pictures that are metered, and their samples.
const (
	walkWide, walkHigh = 64, 36
	walkSamples        = 6
)

// Travelling are the names of the cameras of a place that travel.
func Travelling(s *scene.Scene) []string {
	names := []string{}
	for i, c := range s.Cameras {
		if s.Travels(i) {
			names = append(names, c.Name)
		}
	}
	return names
}

// At is the camera of the walk at a share of it, 0 to 1, and the view that is near: in time, or
// for a camera of the place in space.
func (w *Walk) At(share float64) (v, near setup.View) {
	s := w.World.S
	for i, c := range s.Cameras {
		if w.Camera == "" || c.Name != w.Camera {
			continue
		}
		c = s.CameraAt(i, share*w.Seconds)
		v = setup.View{Eye: c.Eye.Array(), Aim: c.Aim.Array(), FovY: c.FovY * 180 / math.Pi}
		least := math.Inf(1)
		for _, id := range w.Setup.SortedViews() {
			if d := vec.Of(w.Setup.Views[id].Eye).Sub(c.Eye).Len(); float64(d) < least {
				least, near = float64(d), w.Setup.Views[id]
			}
		}
		return v, near
	}
	at := share * float64(max(len(w.Views)-1, 1))
	if len(w.Views) == 1 {
		at = 0
	}
	i := min(int(at), max(len(w.Views)-2, 0))
	a, b := w.Setup.Views[w.Views[i]], w.Setup.Views[w.Views[min(i+1, len(w.Views)-1)]]
	t := at - float64(i)
	if near = a; t >= 0.5 {
		near = b
	}
	return between(a, b, t), near
}

// Along looks at the moments of a walk, meters each, and works out what automatic exposure
// does there. The exposure that is held is that of the view that is near, and of the zones.
// Things stand where they stand: only the camera goes.
func Along(ctx context.Context, w Walk) ([]exposure.Instant, error) {
	if d := w.World.S.Duration(); w.Camera != "" && d > 0 {
		w.Seconds = min(w.Seconds, d)
	}
	out := make([]exposure.Instant, Steps)
	for k := range out {
		v, near := w.At(float64(k) / (Steps - 1))
		pic, guide, err := glance(ctx, w.World, w.Lamps, v.Camera(), walkWide, walkHigh, walkSamples, w.Workers)
		if err != nil {
			return nil, err
		}
		m := &out[k]
		m.Seconds, m.Near = w.Seconds*float64(k)/(Steps-1), near.Name
		m.Held, _ = w.Setup.InZones(v.Eye, near.EV)
		m.Wanted = w.Auto.Meter(pic, walkWide, walkHigh, Showing(w.World.S, guide, w.Auto.Named))
		m.Dark, m.Bright = tenths(pic)
	}
	w.Auto.Adapt(out)
	return out, nil
}

// Showing tells the pixels that show an object of the place, or what hangs from it, by its
// path; nil where there is no such object.
func Showing(s *scene.Scene, g *film.Guide, path string) func(px int) bool {
	of := make([]bool, len(s.Objects))
	some := false
	for i, o := range s.Objects {
		of[i] = path != "" && (o.Path == path || strings.HasPrefix(o.Path, path+"/"))
		some = some || of[i]
	}
	if !some {
		return nil
	}
	return func(px int) bool {
		o := g.Object[px]
		return g.Tri[px] != film.NoTri && int(o) < len(of) && of[o]
	}
}

// between is a camera on the way from one view to another.
func between(a, b setup.View, t float64) setup.View {
	t = t * t * (3 - 2*t) // it stands at each
	v := a
	for k := range 3 {
		v.Eye[k] += t * (b.Eye[k] - a.Eye[k])
	}
	from, to := vec.Of(a.Aim).Norm(), vec.Of(b.Aim).Norm()
	d := from.Scale(float32(1 - t)).Add(to.Scale(float32(t)))
	if d.Len() < 0.05 { // about face: by the side
		side, _ := vec.Basis(from)
		d = d.Add(side)
	}
	v.Aim = d.Norm().Array()
	v.FovY += t * (b.FovY - a.FovY)
	v.EV += t * (b.EV - a.EV)
	v.Roll += t * (b.Roll - a.Roll)
	return v
}

// tenths are the EV under which a tenth, and nine tenths, of a picture lie.
func tenths(pic []float32) (dark, bright float64) {
	var evs []float64
	for i := 0; i+2 < len(pic); i += 3 {
		evs = append(evs, math.Log2(max(colour.LuminanceAt(pic, i), 1e-5)/0.125))
	}
	slices.Sort(evs)
	return evs[len(evs)/10], evs[len(evs)*9/10]
}
