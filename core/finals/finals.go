// Package finals makes final frames: of a view, of the way through several, or of a camera of
// the place that travels. A frame is the mean of passes, each a whole picture by its own chance,
// and a pass is cut into tiles: these pieces can be made anywhere and in any order, none takes
// much memory, a frame that has some of its passes can be looked at already, and how they differ
// tells the error that is left.
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
	MostPasses  = 16
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
	View    setup.View   // with the exposure of its zones
	Grade   *grade.Grade // nil: none
	Seconds float64      // since the first
	Number  int          // from 0: each has its own chance
	Curve   exposure.Curve
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
	f := Frame{View: v, Grade: v.GradeIn(doc), Seconds: o.step() * float64(k), Number: k, Curve: exposure.Curve(doc.Curve)}
	f.View.Focus, f.View.FocusOn = staging.Focus(&v, s), ""
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

// Size of tiles, about, and how far a piece reaches beyond its own, for what is smoothed over its
// edge, in pixels.
const (
	tileWide, tileHigh = 640, 360
	margin             = 32
)

// Tiles is into how many a pass is cut, across and down.
func (o *Order) Tiles() (across, down int) {
	return max((o.Width+tileWide/2)/tileWide, 1), max((o.Height+tileHigh/2)/tileHigh, 1)
}

// Pieces is how many tiles all passes of a frame have. A piece's number is that of its tile, from
// the top left, row by row, and the tiles of all passes before.
func (o *Order) Pieces() int {
	a, d := o.Tiles()
	return a * d * o.Passes
}

// tile is the part of the picture that a piece is of.
func (o *Order) tile(piece int) (x, y, w, h int) {
	a, d := o.Tiles()
	i, j := piece%(a*d)%a, piece%(a*d)/a
	x, y = i*o.Width/a, j*o.Height/d
	return x, y, (i+1)*o.Width/a - x, (j+1)*o.Height/d - y
}

// PassOf is the pass of a piece.
func (o *Order) PassOf(piece int) int {
	a, d := o.Tiles()
	return piece / (a * d)
}

// Piece is a tile of a pass.
type Piece struct {
	W, H int
	// RGB are halves, three a pixel, of light in cd/m2 divided by Scale; little-endian.
	RGB   []byte
	Scale float32
	// Inverse is one over how far off what is seen lies along the camera's axis, 1/m, for the lens
	// and the corners; of the first pass, where either is wanted.
	Inverse []float32
}

// Key names all that a piece is: where and what lights it (place: the stage's key and the kind
// of processor), its camera, its chance, and the curve by which samples are spent. The grade is not.
func (o *Order) Key(place [32]byte, lit []*lamps.Lamp, f *Frame, piece int) [32]byte {
	const algorithm = 2
	var light []any
	for _, l := range lit {
		light = append(light, l.Key, l.Gain())
	}
	v, pass := f.View, o.PassOf(piece)
	return bake.Digest("final frame", algorithm, place, light, v.Eye, v.Aim, v.FovY, v.Roll, v.EV, f.Grade != nil && f.Grade.Corners > 0, v.Focus, v.Aperture, o.Width, o.Height, o.samples(pass), piece, f.Number, f.Curve)
}

// samples of a pass: together as many as are wanted.
func (o *Order) samples(pass int) int {
	return (pass+1)*o.Samples/o.Passes - pass*o.Samples/o.Passes
}

// Make makes a piece of a frame. Error: ctx ended.
func (o *Order) Make(ctx context.Context, on *Place, f *Frame, piece, workers int) (*Piece, error) {
	v := f.View
	x, y, w, h := o.tile(piece)
	// With its margin, as far as the picture goes.
	x0, y0 := max(x-margin, 0), max(y-margin, 0)
	wide, high := min(x+w+margin, o.Width)-x0, min(y+h+margin, o.Height)-y0
	cam := v.Camera()
	cam.Part = world.Part{X: x0, Y: y0, W: o.Width, H: o.Height}
	pass := o.PassOf(piece)
	pic, err := still.Render(ctx, still.Order{World: on.World, Lamps: on.Lamps, View: cam, W: wide, H: high, Samples: o.samples(pass), Seed: uint32(f.Number)*1000003 + uint32(piece) + 1,
		Display: exposure.Display(f.Curve, v.EV), Known: on.Known, Workers: workers})
	if err != nil {
		return nil, err
	}
	out := &Piece{W: w, H: h, Scale: 1, RGB: make([]byte, 0, 6*w*h)}
	const most = 65504
	if m := slices.Max(pic.RGB); m > most {
		out.Scale = m / most
	}
	var depth *grade.Depth
	if pass == 0 {
		depth = staging.DepthOf(&v, f.Grade, on.Scene, pic.Guide, cam)
	}
	for j := range h {
		at := (y-y0+j)*wide + x - x0
		for _, l := range pic.RGB[3*at : 3*(at+w)] {
			b := float16.Fromfloat32(max(l, 0) / out.Scale).Bits()
			out.RGB = append(out.RGB, byte(b), byte(b>>8))
		}
		if depth != nil {
			out.Inverse = append(out.Inverse, depth.Inverse[at:at+w]...)
		}
	}
	return out, nil
}

// Pack makes bytes of a piece.
func (p *Piece) Pack() []byte { return packed.Of(p) }

// Unpack reads a packed piece. Error: it is broken.
func Unpack(data []byte) (*Piece, error) {
	p := &Piece{}
	if err := packed.Read(data, p); err != nil {
		return nil, fmt.Errorf("a piece that was kept is broken: %w", err)
	}
	if p.W < 1 || p.H < 1 || p.W > mostSide || p.H > mostSide || len(p.RGB) != 6*p.W*p.H || !(p.Scale >= 1) || math.IsInf(float64(p.Scale), 0) || len(p.Inverse) != 0 && len(p.Inverse) != p.W*p.H {
		return nil, fmt.Errorf("a piece that was kept is broken: its parts do not fit")
	}
	return p, nil
}

// Joined is a frame of the passes that are whole.
type Joined struct {
	W, H   int
	Passes int
	RGB    []float32 // light in cd/m2, rows from the top
	Depth  *grade.Depth
	// Error is that of the displayed luminance which is left, as a share of its mean, found from
	// how passes differ; 0 for a single pass, which tells none.
	Error float64
}

// Join takes the mean of the passes of a frame of which all pieces are there: nil stands for one
// that is not, and what is beyond the last is not either. Error: no pass is whole, or a piece is
// of another order.
func (o *Order) Join(f *Frame, pieces []*Piece, show func(luminance float64) float64) (*Joined, error) {
	a, d := o.Tiles()
	out := &Joined{W: o.Width, H: o.Height}
	var passes [][]float32
	inverse := make([]float32, o.Width*o.Height)
	for from := 0; from+a*d <= len(pieces); from += a * d {
		if slices.Contains(pieces[from:from+a*d], nil) {
			continue
		}
		rgb := make([]float32, 3*o.Width*o.Height)
		for k, p := range pieces[from : from+a*d] {
			x, y, w, h := o.tile(k)
			if p.W != w || p.H != h {
				return nil, fmt.Errorf("a piece of %d by %d pixels is none of this frame: its tile has %d by %d", p.W, p.H, w, h)
			}
			for j := range h {
				at := (y+j)*o.Width + x
				for i := range 3 * w {
					rgb[3*at+i] = p.at(3*w*j + i)
				}
				if p.Inverse != nil {
					copy(inverse[at:at+w], p.Inverse[w*j:])
					out.Depth = &grade.Depth{}
				}
			}
		}
		passes = append(passes, rgb)
	}
	if out.Passes = len(passes); out.Passes == 0 {
		return nil, fmt.Errorf("no pass of the frame is made yet")
	}
	out.RGB = make([]float32, len(passes[0]))
	for i := range out.RGB {
		for _, p := range passes {
			out.RGB[i] += p[i] / float32(len(passes))
		}
	}
	if out.Depth != nil {
		out.Depth = staging.Lens(&f.View, f.View.Focus, inverse, o.Width, o.Height)
	}
	if len(passes) > 1 {
		out.Error = spreadOf(passes, out.RGB, show)
	}
	return out, nil
}

func (p *Piece) at(i int) float32 {
	return float16.Frombits(uint16(p.RGB[2*i])|uint16(p.RGB[2*i+1])<<8).Float32() * p.Scale
}

// spreadOf is the standard error of the mean of what is displayed, over the picture, as a share
// of its mean.
func spreadOf(passes [][]float32, mean []float32, show func(float64) float64) float64 {
	var whole, squares float64
	n := float64(len(passes))
	for px := range len(mean) / 3 {
		m := show(colour.LuminanceAt(mean, 3*px))
		whole += m
		for _, p := range passes {
			d := show(colour.LuminanceAt(p, 3*px)) - m
			squares += d * d
		}
	}
	pixels := float64(len(mean) / 3)
	return math.Sqrt(squares/(n*(n-1)*pixels)) / max(whole/pixels, 1e-9)
}
