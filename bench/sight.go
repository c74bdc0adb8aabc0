package bench

import (
	"crypto/sha256"
	"encoding/binary"
	"math"
	"slices"
	"strings"

	"willowherb/core/render"
	"willowherb/core/setup"
)

// Sight is how a window sees the place: a camera, and what it leaves out. Two
// windows with the same sight share its pictures, and so do a saved view and a
// camera that stands where it does.
type Sight struct {
	Camera  setup.View // its name, order and exposure do not matter
	Neutral bool       // light alone, on matt grey
	Hidden  []string   // paths of objects that are not seen
	Cut     float64    // metres from the eye where seeing begins
}

// neutralGrey is the reflectance of the light-alone pictures.
const neutralGrey = 0.18

// key names everything a picture depends on besides the lights and its size.
func (g *Sight) key(place string) string {
	h := sha256.New()
	v := &g.Camera
	b := byte(0)
	if g.Neutral {
		b = 1
	}
	h.Write([]byte(place + "\x00" + strings.Join(slices.Sorted(slices.Values(g.Hidden)), "\x00")))
	h.Write([]byte{0, b})
	for _, f := range []float64{v.Eye[0], v.Eye[1], v.Eye[2], v.Aim[0], v.Aim[1], v.Aim[2], v.Roll, v.FovY, v.Aspect, g.Cut} {
		_ = binary.Write(h, binary.LittleEndian, f)
	}
	return keyName([32]byte(h.Sum(nil)))
}

// pass returns the sight as the renderer takes it.
func (g *Sight) pass(p *place) render.Sight {
	s := render.Sight{Cut: float32(g.Cut)}
	if g.Neutral {
		s.Neutral = neutralGrey
	}
	if len(g.Hidden) > 0 {
		s.Hidden = make([]bool, len(p.scene.Objects))
		for i := range p.scene.Objects {
			s.Hidden[i] = slices.Contains(g.Hidden, p.scene.Objects[i].Path)
		}
	}
	return s
}

// Levels of a sight's picture.
const (
	coarse = iota
	middle
	full
	thumb
	levels
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
	see    Sight
	stage  *stage
	levels [levels]*frame
	used   int64   // when a window last showed it
	ev     float64 // at which it is shown
	failed bool    // its pictures could not be made; tried again after an edit
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

// frame is a sight at one size. Sums and guide belong to the worker; what is
// published is guarded by the session's mutex. What the guide holds of its first
// sample does not change once the frame is published.
type frame struct {
	key    string
	level  int
	cam    render.View
	see    render.Sight
	w, h   int
	goal   int
	guide  *render.Guide
	layers map[[32]byte]*layer

	samples int // of the least refined layer in use, as published
	noise   float64
}

type layer struct {
	sums *render.Layers
	used int64
	// noise of the layer in the picture for unit gain, cd/m2: the mean of the halves' absolute difference; 0: not known.
	noise float64
	// Published.
	version int // samples
	parts   [parts][]uint32
	news    LayerNews
}

// Parts of a layer as windows fetch them.
const (
	whole   = iota
	bounced // what comes by way of other surfaces
	shine   // seen shining, or the sky in mirrors
	parts
)

func (y *layer) bytes() int {
	n := 0
	if y.sums != nil {
		n = y.sums.Bytes()
	}
	for _, p := range y.parts {
		n += 4 * len(p)
	}
	return n
}

func (f *frame) bytes() int {
	n := 48 * f.w * f.h // the guide
	for _, y := range f.layers {
		n += y.bytes()
	}
	return n
}

func (f *frame) message(t *sight) *FrameNews {
	m := &FrameNews{Type: "frame", Sight: t.key, Frame: f.key, Width: f.w, Height: f.h, Level: f.level, Samples: f.samples, Goal: f.goal, Noise: f.noise, Layers: map[string]LayerNews{}}
	for k, l := range f.layers {
		if l.version > 0 {
			m.Layers[keyName(k)] = l.news
		}
	}
	if len(m.Layers) == 0 {
		return nil
	}
	return m
}

// size of a picture at a level.
func (b *Bench) size(aspect float64, level int) (w, h int) {
	w = b.opt.Width
	switch level {
	case coarse:
		w /= 4
	case middle:
		w /= 2
	case thumb:
		w = min(thumbWidth, w)
	}
	if aspect < 1 {
		w = int(float64(w) * aspect)
	}
	w = max(w, 2)
	return w, min(max(int(math.Round(float64(w)/aspect)), 2), 4096)
}

// sight returns what is known of a way to see, beginning it if it is new. Call
// with mu held.
func (s *Session) sight(see Sight, on *stage) *sight {
	key := see.key(on.Key)
	t := s.sights[key]
	if t == nil {
		t = &sight{key: key, see: see, stage: on, used: s.clock}
		s.sights[key] = t
	}
	return t
}

// frame returns a sight at a level with a layer for each of the lamps. Call with
// mu held.
func (s *Session) frame(t *sight, level int, lamps []*setup.Lamp) *frame {
	f := t.levels[level]
	if f == nil {
		w, h := s.bench.size(t.see.Camera.Aspect, level)
		goal := []int{1, 1, s.bench.opt.MaxSamples, min(thumbSamples, s.bench.opt.MaxSamples)}[level]
		f = &frame{key: t.key + "-" + string(rune('0'+level)), level: level, cam: t.see.Camera.Camera(), see: t.see.pass(t.stage.place), w: w, h: h, goal: goal, guide: render.NewGuide(w, h), layers: map[[32]byte]*layer{}}
		t.levels[level] = f
	}
	for _, l := range lamps {
		y := f.layers[l.Key]
		if y == nil {
			y = &layer{}
			f.layers[l.Key] = y
		}
		y.used = s.clock
	}
	return f
}

// complete reports whether each of the lamps has a published layer in f.
func complete(f *frame, lamps []*setup.Lamp) bool {
	for _, l := range lamps {
		if y := f.layers[l.Key]; y == nil || y.version == 0 {
			return false
		}
	}
	return len(lamps) > 0
}

// viewSight is the sight of a saved view.
func viewSight(v setup.View) Sight { return Sight{Camera: v} }
