// Package finals makes final frames: of a view, of the way through several, or of a camera of
// the place that travels. A frame is made in passes, each a whole picture by its own chance,
// and is their mean: passes can be made anywhere and in any order, a frame that has some of them
// can be looked at already, and how they differ tells the error that is left.
package finals

import (
	"context"
	"fmt"
	"math"
	"slices"

	"github.com/x448/float16"

	"willowherb/core/bake"
	"willowherb/core/colour"
	"willowherb/core/exposure"
	"willowherb/core/grade"
	"willowherb/core/lamps"
	"willowherb/core/packed"
	"willowherb/core/scene"
	"willowherb/core/setup"
	"willowherb/core/staging"
	"willowherb/core/still"
	"willowherb/core/world"
)

// Order says which frames are wanted.
type Order struct {
	// Views are ids: one for a frame of it, several for the way through them. Camera is the name
	// of one of the place that travels, in their place; the place's animations go with it.
	Views  []string `json:"views"`
	Camera string   `json:"camera"`
	// Seconds the way takes, at so many frames a second; 0: a single frame.
	Seconds float64 `json:"seconds"`
	Rate    float64 `json:"rate"`
	Width   int     `json:"width"`
	Height  int     `json:"height"`
	// Samples of each pixel, over all passes.
	Samples int `json:"samples"`
	Passes  int `json:"passes"`
	// Adapts has automatic exposure follow the way; else it is held as the views hold it.
	Adapts bool `json:"adapts"`
}

// Limits of an order.
const (
	MostFrames  = 2000
	MostPixels  = 2560 * 1440
	MostPasses  = 64
	MostSamples = 4096
	leastSide   = 16
	mostSide    = 8192
)

// Count is how many frames are wanted.
func (o *Order) Count() int {
	if o.Seconds == 0 {
		return 1
	}
	return max(int(math.Round(o.Seconds*o.Rate)), 1)
}

// Check reports what is wrong with an order for a setup of a place.
func (o *Order) Check(doc *setup.Setup, s *scene.Scene) error {
	switch {
	case o.Camera == "" && len(o.Views) == 0:
		return fmt.Errorf("no view is named: choose one, several for a way, or a camera that travels")
	case o.Camera != "" && len(o.Views) > 0:
		return fmt.Errorf("views and a camera are named: choose one of them")
	case o.Camera != "" && !slices.Contains(still.Travelling(s), o.Camera):
		return fmt.Errorf("no camera %.80q of the place travels", o.Camera)
	case len(o.Views) > 50:
		return fmt.Errorf("%d views are named: at most 50 make a way", len(o.Views))
	case !(o.Seconds >= 0 && o.Seconds <= 3600):
		return fmt.Errorf("%g seconds: a way takes 0 to 3600", o.Seconds)
	case o.Seconds > 0 && !(o.Rate >= 0.1 && o.Rate <= 240):
		return fmt.Errorf("%g frames a second: choose 0.1 to 240", o.Rate)
	case o.Seconds > 0 && o.Count() > MostFrames:
		return fmt.Errorf("%d frames: at most %d are made at a time, so shorten the way or choose fewer a second", o.Count(), MostFrames)
	case min(o.Width, o.Height) < leastSide || max(o.Width, o.Height) > mostSide || o.Width*o.Height > MostPixels:
		return fmt.Errorf("%d by %d pixels: a side is %d to %d, and there are at most %d in all", o.Width, o.Height, leastSide, mostSide, MostPixels)
	case o.Passes < 1 || o.Passes > MostPasses:
		return fmt.Errorf("%d passes: choose 1 to %d", o.Passes, MostPasses)
	case o.Samples < o.Passes || o.Samples > MostSamples:
		return fmt.Errorf("%d samples: choose %d (one a pass) to %d", o.Samples, o.Passes, MostSamples)
	}
	for _, id := range o.Views {
		if _, ok := doc.Views[id]; !ok {
			return fmt.Errorf("view %.80q is not there", id)
		}
	}
	return nil
}

// walk is the order's way.
func (o *Order) walk(doc *setup.Setup, s *scene.Scene) still.Walk {
	return still.Walk{Setup: doc, World: &world.World{S: s}, Views: o.Views, Camera: o.Camera, Seconds: max(o.Seconds-o.step(), 0)}
}

// step is the time between frames.
func (o *Order) step() float64 {
	if o.Seconds == 0 {
		return 0
	}
	return o.Seconds / float64(o.Count())
}

// Frame is what one frame is seen through.
type Frame struct {
	View    setup.View   // with the exposure and the grade of its zones
	Grade   *grade.Grade // nil: none
	Seconds float64      // since the first
}

// Frame returns the frame of a number from 0; evs, where they are given, are all frames'
// exposures (Adapting).
func (o *Order) Frame(doc *setup.Setup, s *scene.Scene, k int, evs []float64) Frame {
	n := o.Count()
	w := o.walk(doc, s)
	v, near := w.At(float64(k) / float64(max(n-1, 1)))
	v.Zoned, v.Aspect = near.Zoned, float64(o.Width)/float64(o.Height)
	if o.Camera != "" {
		v.EV = about(doc, v.Eye)
	}
	// As a view of its own, it finds the exposure and the grade of the zones that it stands in.
	one := *doc
	one.Views = map[string]setup.View{"frame": v}
	v = one.InTheirZones().Views["frame"]
	f := Frame{View: v, Grade: v.GradeIn(doc), Seconds: o.step() * float64(k)}
	if k < len(evs) {
		f.View.EV = evs[k]
	}
	return f
}

// about is the exposure at a place between views: the nearer one is, the more it counts.
func about(doc *setup.Setup, at [3]float64) float64 {
	var sum, weights float64
	for _, id := range doc.SortedViews() {
		v := doc.Views[id]
		d := 1e-6
		for k := range 3 {
			d += (v.Eye[k] - at[k]) * (v.Eye[k] - at[k])
		}
		sum, weights = sum+v.EV/(d*d), weights+1/(d*d)
	}
	return sum / max(weights, 1e-300)
}

// Adapting works out the exposure of all frames as it adapts along the way; nil where it is
// held. Error: ctx ended.
func (o *Order) Adapting(ctx context.Context, doc *setup.Setup, w *world.World, lit []*lamps.Lamp, workers int) ([]float64, error) {
	if !o.Adapts {
		return nil, nil
	}
	way := o.walk(doc, w.S)
	way.World, way.Lamps, way.Workers, way.Auto = w, lit, workers, exposure.StandardAuto()
	if doc.Auto != nil {
		way.Auto = *doc.Auto
	}
	if way.Seconds == 0 {
		way.Seconds = 1
	}
	steps, err := still.Along(ctx, way)
	if err != nil {
		return nil, err
	}
	out := make([]float64, o.Count())
	for k := range out {
		at := float64(k) / float64(max(len(out)-1, 1)) * float64(len(steps)-1)
		i := min(int(at), len(steps)-2)
		t := at - float64(i)
		out[k] = steps[i].Adapted*(1-t) + steps[i+1].Adapted*t
	}
	return out, nil
}

// At is a setup as a frame of the order sees it: the place's animations go with a camera.
func (o *Order) At(doc *setup.Setup, k int) *setup.Setup {
	if o.Camera == "" {
		return doc
	}
	out := *doc
	out.Time = o.step() * float64(k)
	return &out
}

// Place is a place ready to be seen.
type Place struct {
	Scene *scene.Scene
	World *world.World
	Lamps []*lamps.Lamp
	Known *still.Known // what is known of the world
}

// Pass is one of the pictures that make a frame.
type Pass struct {
	W, H int
	// RGB are halves, three a pixel, of light in cd/m2 divided by Scale; little-endian.
	RGB   []byte
	Scale float32
	// Depth is for the lens and the corners; nil where neither is wanted.
	Depth *grade.Depth
}

// Key names all that a pass is: where and what lights it (place: the stage's key and the kind
// of processor), its camera and its chance. Grade and curve are not of it.
func (o *Order) Key(place [32]byte, lit []*lamps.Lamp, f *Frame, pass int) [32]byte {
	const algorithm = 1
	var light []any
	for _, l := range lit {
		light = append(light, l.Key, l.Gain())
	}
	v := f.View
	return bake.Digest("final frame", algorithm, place, light, v.Eye, v.Aim, v.FovY, v.Roll, v.EV, f.Grade != nil && f.Grade.Corners > 0, v.Focus, v.FocusOn, v.Aperture, o.Width, o.Height, o.samples(pass), pass)
}

// samples of a pass: together as many as are wanted.
func (o *Order) samples(pass int) int {
	return (pass+1)*o.Samples/o.Passes - pass*o.Samples/o.Passes
}

// Make makes a pass of a frame. Error: ctx ended.
func (o *Order) Make(ctx context.Context, on *Place, doc *setup.Setup, f *Frame, pass, workers int) (*Pass, error) {
	v := f.View
	pic, err := still.Render(ctx, still.Order{World: on.World, Lamps: on.Lamps, View: v.Camera(), W: o.Width, H: o.Height, Samples: o.samples(pass), Seed: uint32(pass) + 1,
		Display: exposure.Display(exposure.Curve(doc.Curve), v.EV), Known: on.Known, Workers: workers})
	if err != nil {
		return nil, err
	}
	out := &Pass{W: o.Width, H: o.Height, Scale: 1}
	if pass == 0 {
		out.Depth = staging.DepthOf(&v, f.Grade, on.Scene, pic.Guide, v.Camera())
	}
	const most = 65504
	if m := slices.Max(pic.RGB); m > most {
		out.Scale = m / most
	}
	out.RGB = make([]byte, 0, 2*len(pic.RGB))
	for _, x := range pic.RGB {
		h := float16.Fromfloat32(max(x, 0) / out.Scale).Bits()
		out.RGB = append(out.RGB, byte(h), byte(h>>8))
	}
	return out, nil
}

// Pack makes bytes of a pass.
func (p *Pass) Pack() []byte { return packed.Of(p) }

// Unpack reads a packed pass. Error: it is broken.
func Unpack(data []byte) (*Pass, error) {
	p := &Pass{}
	if err := packed.Read(data, p); err != nil {
		return nil, fmt.Errorf("a pass that was kept is broken: %w", err)
	}
	if p.W < 1 || p.H < 1 || p.W > mostSide || p.H > mostSide || len(p.RGB) != 6*p.W*p.H || !(p.Scale >= 1) || math.IsInf(float64(p.Scale), 0) || p.Depth != nil && (p.Depth.W != p.W || p.Depth.H != p.H || len(p.Depth.Inverse) != p.W*p.H) {
		return nil, fmt.Errorf("a pass that was kept is broken: its parts do not fit")
	}
	return p, nil
}

// Joined is a frame of the passes that there are.
type Joined struct {
	W, H  int
	RGB   []float32 // light in cd/m2, rows from the top
	Depth *grade.Depth
	// Error is that of the displayed luminance which is left, as a share of its mean, found from
	// how passes differ; 0 for a single pass, which tells none.
	Error float64
}

// Join takes the mean of passes of one frame, in the order of their numbers.
func Join(passes []*Pass, show func(luminance float64) float64) (*Joined, error) {
	if len(passes) == 0 {
		return nil, fmt.Errorf("no pass of the frame is made yet")
	}
	first := passes[0]
	out := &Joined{W: first.W, H: first.H, RGB: make([]float32, 3*first.W*first.H)}
	n := float32(len(passes))
	for _, p := range passes {
		if p.W != out.W || p.H != out.H {
			return nil, fmt.Errorf("passes of %d by %d and of %d by %d pixels make no frame", out.W, out.H, p.W, p.H)
		}
		if p.Depth != nil {
			out.Depth = p.Depth
		}
		for i := range out.RGB {
			out.RGB[i] += p.at(i) / n
		}
	}
	if len(passes) > 1 {
		out.Error = spreadOf(passes, out.RGB, show)
	}
	return out, nil
}

func (p *Pass) at(i int) float32 {
	return float16.Frombits(uint16(p.RGB[2*i])|uint16(p.RGB[2*i+1])<<8).Float32() * p.Scale
}

// spreadOf is the standard error of the mean of what is displayed, over the picture, as a share
// of its mean.
func spreadOf(passes []*Pass, mean []float32, show func(float64) float64) float64 {
	var whole, squares float64
	n := float64(len(passes))
	for px := range len(mean) / 3 {
		m := show(colour.LuminanceAt(mean, 3*px))
		whole += m
		for _, p := range passes {
			d := show(colour.LuminanceAt([]float32{p.at(3 * px), p.at(3*px + 1), p.at(3*px + 2)}, 0)) - m
			squares += d * d
		}
	}
	pixels := float64(len(mean) / 3)
	return math.Sqrt(squares/(n*(n-1)*pixels)) / max(whole/pixels, 1e-9)
}
