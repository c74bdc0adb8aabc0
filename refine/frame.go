package refine

import (
	"math"
	"time"

	"willowherb/core/cache"
	"willowherb/core/exposure"
	"willowherb/core/film"
	"willowherb/core/grade"
	"willowherb/core/lamps"
	"willowherb/core/setup"
	"willowherb/core/staging"
	"willowherb/core/vec"
	"willowherb/core/world"
	"willowherb/plan"
	"willowherb/stage"
)

const (
	thumbWidth   = 192
	thumbSamples = 32
	// spareLayers are kept beyond those in use, so that undo finds them again.
	spareLayers = 4
)

// sight is what is known of one way to see the place.
type sight struct {
	key    string
	see    stage.Sight
	stage  *stage.Stage
	levels [plan.Levels]*frame
	sharp  *sharp  // nil: none yet, or no more
	used   int64   // when a window last showed it
	ev     float64 // at which it is shown
	fault  *Failed // why its pictures could not be made; tried again after an edit
}

func (t *sight) frames() []*frame {
	var out []*frame
	for _, f := range t.levels {
		if f != nil {
			out = append(out, f)
		}
	}
	return out
}

// finer reports whether a layer has been published at a larger size than level.
func (t *sight) finer(key [32]byte, level int) bool {
	for l := plan.Full; l > level; l-- {
		if f := t.levels[l]; f != nil && f.layers[key] != nil && f.layers[key].pub != nil {
			return true
		}
	}
	return false
}

// frame is a sight at one size. Sums and guide belong to the worker; what is
// published is guarded by the mutex of the Pictures. What the guide holds of its
// first sample does not change once the frame is published.
type frame struct {
	key    string
	level  int
	cam    world.Camera
	see    world.Sight
	w, h   int
	goal   int
	guide  *film.Guide
	layers map[[32]byte]*layer
	cover  *film.Cover  // what its pixels show; nil where paths tell it
	reach  *cache.Reach // the points of the light cache that it asks for
	table  *cache.Table // their light, of the lamps of tabled
	tabled [][32]byte

	samples int // of the least refined layer in use, as published
	// error of the displayed picture (filter.Finished.Error), 0 where it is not known, as the
	// picture was shown then; and about how many seconds it still needs to be clean.
	error   float64
	errorAs string
	settles float64
	spent   time.Duration // on its samples; the worker's own
	covers  int           // bytes of its cover when no pass wrote to it
}

type layer struct {
	sums *film.Layers
	held int // bytes of the sums when no pass wrote to them
	used int64
	// noise of the layer in the picture for unit gain, cd/m2: the mean of the halves' absolute difference; 0: not known.
	noise float64
	pub   *Published // nil: nothing yet
}

// version is how many samples are published.
func (y *layer) version() int {
	if y.pub == nil {
		return 0
	}
	return y.pub.News.Version
}

// Published is a layer as windows see it. It never changes.
type Published struct {
	Parts [Parts][]uint32
	News  LayerNews
}

// Parts of a layer as windows fetch them.
const (
	Whole   = iota
	Bounced // what comes by way of other surfaces
	Shine   // seen shining, or the sky in mirrors
	Air     // what the air sends on
	Parts
)

func (y *layer) bytes() int {
	n := 0
	if y.sums != nil {
		n = y.held
	}
	if y.pub != nil {
		for _, p := range y.pub.Parts {
			n += 4 * len(p)
		}
	}
	return n
}

func (f *frame) bytes() int {
	n := 48 * f.w * f.h // the guide
	if f.cover != nil {
		n += f.covers
	}
	for _, y := range f.layers {
		n += y.bytes()
	}
	return n
}

// clean reports whether what is left of a layer's noise cannot be seen in the
// finished picture: under half a per cent of middle grey.
func (y *layer) clean(l *lamps.Lamp, ev float64) bool {
	g := l.Gain()
	return y.version() >= plan.Enough && y.noise*float64(g.Max())*exposure.Factor(ev) < 0.005*exposure.Middle
}

func (f *frame) news(t *sight) *FrameNews {
	m := &FrameNews{Type: "frame", Sight: t.key, Frame: f.key, Width: f.w, Height: f.h, Level: f.level, Samples: f.samples, Goal: f.goal, Error: f.error, Clean: Clean, Settles: f.settles, Layers: map[string]LayerNews{}}
	for k, l := range f.layers {
		if l.pub != nil {
			m.Layers[stage.KeyName(k)] = l.pub.News
		}
	}
	if len(m.Layers) == 0 {
		return nil
	}
	return m
}

// least is how many samples the least refined of the lamps' layers has, of those whose
// noise can be seen; most where none has less.
func (f *frame) least(t *sight, lamps []*lamps.Lamp, most int) int {
	for _, l := range lamps {
		if y := f.layers[l.Key]; y != nil && !(y.version() >= plan.Enough && y.clean(l, t.ev)) {
			most = min(most, y.version())
		}
	}
	return most
}

// complete reports whether each of the lamps has a published layer in f.
func (f *frame) complete(lamps []*lamps.Lamp) bool {
	return len(lamps) > 0 && f.lacks(lamps) == 0
}

// lacks counts the lamps that have no published layer in f.
func (f *frame) lacks(lamps []*lamps.Lamp) (n int) {
	for _, l := range lamps {
		if y := f.layers[l.Key]; y == nil || y.pub == nil {
			n++
		}
	}
	return n
}

// sparse reports whether a frame is large enough for bounced light to be taken in
// some of its pixels only.
func (f *frame) sparse() bool { return f.level == plan.Middle || f.level == plan.Full }

// Size of a picture at a level.
func (s *Studio) Size(aspect float64, level int) (w, h int) {
	w = s.opt.Width
	switch level {
	case plan.Coarse:
		w /= 4
	case plan.Middle:
		w /= 2
	case plan.Thumb:
		w = min(thumbWidth, w)
	}
	if aspect < 1 {
		w = int(float64(w) * aspect)
	}
	w = max(w, 2)
	return w, min(max(int(math.Round(float64(w)/aspect)), 2), 4096)
}

// Frame is a picture at one moment: its first hits, and the layers that are
// published of it. Nothing in it changes.
type Frame struct {
	Key   string
	Sight string
	Level int
	Cam   world.Camera
	See   world.Sight
	W, H  int
	EV    float64 // at which its sight is shown
	Guide *film.Guide
	Stage *stage.Stage
	// Samples of the least refined layer in use.
	Samples int
	layers  map[[32]byte]*Published
}

// shot copies what is published of a frame for some lamps. Call with mu held.
func (f *frame) shot(t *sight, lamps []*lamps.Lamp) *Frame {
	out := &Frame{Key: f.key, Sight: t.key, Level: f.level, Cam: f.cam, See: f.see, W: f.w, H: f.h, EV: t.ev, Guide: f.guide, Stage: t.stage, Samples: f.samples, layers: make(map[[32]byte]*Published, len(lamps))}
	for _, l := range lamps {
		if y := f.layers[l.Key]; y != nil && y.pub != nil {
			out.layers[l.Key] = y.pub
		}
	}
	return out
}

// Depth is how far off lies what a view's picture shows, for its lens and its corners; nil where
// neither is wanted.
func (f *Frame) Depth(v setup.View, g *grade.Grade) *grade.Depth {
	return staging.DepthOf(&v, g, f.Stage.Scene, f.Guide, f.Cam)
}

// Compose adds up the layers of the lamps, in cd/m2. only, when not empty, names the
// only lights that count, on even if they are off.
func (f *Frame) Compose(lamps []*lamps.Lamp, only map[string]bool) []float32 {
	out := make([]float32, 3*f.W*f.H)
	for _, l := range lamps {
		g := l.Gain()
		if len(only) > 0 {
			if g = l.Full(); !only[l.ID] {
				continue
			}
		}
		f.add(out, l, Whole, g)
	}
	return out
}

// Add adds a part of a lamp's light to a picture, times scale.
func (f *Frame) Add(pic []float32, l *lamps.Lamp, part int, scale float32) {
	f.add(pic, l, part, l.Gain().Scale(scale))
}

func (f *Frame) add(pic []float32, l *lamps.Lamp, part int, gain vec.V3) {
	y := f.layers[l.Key]
	if y == nil || gain == (vec.V3{}) || y.Parts[part] == nil {
		return
	}
	film.Unpack(y.Parts[part], gain.Scale(float32(y.News.Scales[part])), pic)
}

// Packed is a part of a lamp's light as it is packed, and what a packed one of it is
// in the picture, RGB in cd/m2.
func (f *Frame) Packed(l *lamps.Lamp, part int) (words []uint32, gain vec.V3) {
	y := f.layers[l.Key]
	if y == nil {
		return nil, gain
	}
	return y.Parts[part], l.Gain().Scale(float32(y.News.Scales[part]))
}
