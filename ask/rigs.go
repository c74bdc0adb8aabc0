package ask

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"math"

	"willowherb/core/exposure"
	"willowherb/core/film"
	"willowherb/core/filter"
	"willowherb/core/lamps"
	"willowherb/core/path"
	"willowherb/core/photometry"
	"willowherb/core/rig"
	"willowherb/core/scene"
	"willowherb/core/setup"
	"willowherb/core/spread"
	"willowherb/core/vec"
	"willowherb/core/world"
	"willowherb/format/picture"
	"willowherb/refine"
	"willowherb/room"
)

// ErrRig means that a rig cannot be read or put there; its text says why.
var ErrRig = errors.New("rig")

// RigAsk asks for a rig on a figure, as a window sees it.
type RigAsk struct {
	Gaze    room.Gaze `json:"gaze"`
	Subject string    `json:"subject"` // path of the figure; empty: the mover in the middle of the view
	Mood    string    `json:"mood"`    // one of the moods that ship, or
	// Template is a template file's text.
	Template string `json:"template"`
}

// RigAnswer is a rig on its figure, ready to be put into the document.
type RigAnswer struct {
	Figure string        `json:"figure"`
	Group  setup.Group   `json:"group"`
	Lights []setup.Light `json:"lights"`
}

// MoodPicture is a mood as it would look on a figure.
type MoodPicture struct {
	Name string `json:"name"`
	Says string `json:"says"`
	PNG  []byte `json:"png"`
}

// figure is the figure that a rig is asked for, as it stands and at rest.
type figure struct {
	rig.Figure
	name string
	now  vec.V3 // its pivot where it stands
	cam  world.Camera
	ev   float64
	doc  *setup.Setup
	s    *refine.Shot
}

func (d *Desk) figure(ctx context.Context, p *refine.Pictures, q RigAsk) (*figure, error) {
	s, see, err := d.looking(ctx, p, &q.Gaze)
	if err != nil {
		return nil, err
	}
	f := &figure{cam: see.Camera.Camera(), ev: see.Camera.EV, s: s}
	i := subjectOf(s.Stage, s.Doc, f.cam, q.Subject)
	if i < 0 {
		return nil, fmt.Errorf("%w: no figure is chosen, and the view shows no mover: click a figure", ErrRig)
	}
	sc := s.Stage.Scene
	name, _ := scene.Figure(sc, i)
	lo, hi := scene.Extent(sc, i)
	if hi.Sub(lo).Len() > scene.FigureSize*2 {
		return nil, fmt.Errorf("%w: %s is %.0f m across and no figure: click one", ErrRig, name, hi.Sub(lo).Len())
	}
	f.name, f.Path = name, sc.Objects[i].Path
	if _, part := scene.Figure(sc, i); name != sc.Objects[i].Name && part[i] {
		f.Path = name
	}
	f.Height = max(float64(hi.Y-lo.Y), 0.05)
	f.now = vec.V3{X: (lo.X + hi.X) / 2, Y: lo.Y + 0.9*(hi.Y-lo.Y), Z: (lo.Z + hi.Z) / 2}
	front := f.cam.Eye.Sub(f.now)
	pivot := f.now
	if m := sc.MovedAt(f.Path); m != nil {
		if back, ok := m.Inverse(); ok {
			pivot, front = back.Point(pivot), back.Dir(front)
		}
	}
	f.Pivot = pivot.Array()
	f.Facing = math.Atan2(float64(front.X), float64(front.Z)) * 180 / math.Pi
	return f, nil
}

// level brings a mood's key to what the view's exposure shows as it is.
func (f *figure) level() float64 {
	return float64(photometry.LuxAtEV(f.ev)) / rig.KeyLux
}

// Rig puts a mood or a template on a figure.
func (d *Desk) Rig(ctx context.Context, p *refine.Pictures, q RigAsk) (*RigAnswer, error) {
	f, err := d.figure(ctx, p, q)
	if err != nil {
		return nil, err
	}
	level := f.level()
	t, ok := rig.Mood(q.Mood)
	if q.Template != "" {
		own, err := rig.Parse("the rig", []byte(q.Template))
		if err != nil {
			return nil, fmt.Errorf("%w: %w", ErrRig, err)
		}
		t, level = *own, 1
	} else if !ok {
		return nil, fmt.Errorf("%w: there is no mood %q", ErrRig, q.Mood)
	}
	a := &RigAnswer{Figure: f.name}
	a.Group, a.Lights = t.On(f.Figure, level)
	return a, nil
}

// Size of a mood's picture, and how many samples it has.
const (
	moodWide, moodHigh = 104, 128
	moodSamples        = 8
)

// Moods renders every mood on the figure, from where the window looks: its lights
// alone, with the sky as it is.
func (d *Desk) Moods(ctx context.Context, p *refine.Pictures, q RigAsk) ([]MoodPicture, error) {
	f, err := d.figure(ctx, p, q)
	if err != nil {
		return nil, err
	}
	// The head and shoulders, seen from where the eye is.
	cam := f.cam
	aim := f.now.Sub(vec.V3{Y: float32(0.13 * f.Height)})
	to := aim.Sub(cam.Eye)
	cam.Aim = to.Norm()
	cam.FovY = 2 * math.Atan(0.3*f.Height/max(float64(to.Len()), 0.1))
	guide := film.NewGuide(moodWide, moodHigh)
	out := []MoodPicture{}
	for _, m := range rig.Moods() {
		doc := *f.s.Doc
		doc.Lights, doc.Groups = map[string]setup.Light{}, map[string]setup.Group{}
		for id, l := range f.s.Doc.Lights {
			if l.Kind == setup.Sky {
				l.Group = ""
				doc.Lights[id] = l
			}
		}
		g, lights := m.On(f.Figure, f.level())
		doc.Groups["mood"] = g
		for i, l := range lights {
			l.Group = "mood"
			doc.Lights[fmt.Sprintf("mood-%d", i)] = l
		}
		lamps, err := f.s.Lay(ctx, &doc)
		if err != nil {
			return nil, err
		}
		pass := &path.Pass{World: f.s.Stage.World, Camera: cam, W: moodWide, H: moodHigh, Seed: 1, Bounces: 1, Guide: guide, Layers: []*film.Layers{film.NewLayers(moodWide, moodHigh)}}
		for _, l := range lamps {
			if gain := l.Gain(); gain != (vec.V3{}) {
				pass.Lights, pass.Merged = append(pass.Lights, l.Source), append(pass.Merged, gain)
			}
		}
		if err := pass.Run(ctx, moodSamples, d.studio.Workers()); err != nil {
			return nil, err
		}
		pic := make([]float32, 3*moodWide*moodHigh)
		pass.Layers[0].Average(film.Direct, vec.Splat(1), pic)
		err = spread.Guard(func() error {
			return filter.New(guide, cam, d.studio.Workers()).Apply(ctx, []filter.Noisy{{Pic: pic, Levels: 1}}, d.studio.Workers())
		})
		if err != nil {
			return nil, err
		}
		var b bytes.Buffer
		if err := picture.WritePNG(&b, d.studio.Shop().Graded(ctx, f.s.Doc.Grade).Develop(pic, moodWide, moodHigh, f.ev, exposure.Curve(f.s.Doc.Curve))); err != nil {
			return nil, err
		}
		out = append(out, MoodPicture{m.Name, m.Says, b.Bytes()})
	}
	return out, nil
}

// SaveRig makes a template of a group that is a rig.
func SaveRig(doc *setup.Setup, group string) (*rig.Template, error) {
	g, ok := doc.Groups[group]
	if !ok || g.Rig == nil {
		return nil, fmt.Errorf("%w: that group is no rig", ErrRig)
	}
	st, err := lamps.Resolve(doc, "")
	if err != nil {
		return nil, err
	}
	var lights []setup.Light
	for _, l := range st.Lights {
		if l.Light.Group == group {
			// As it is in the document: where it stands while its node rests, trimmed as the group is.
			own := doc.Lights[l.ID]
			own.Stops += g.Trim
			lights = append(lights, own)
		}
	}
	t := rig.Save(g.Name, g.Rig, lights)
	if len(t.Lights) == 0 {
		return nil, fmt.Errorf("%w: it has no lights that stand somewhere", ErrRig)
	}
	return t, nil
}
