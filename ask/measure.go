package ask

import (
	"context"

	"willowherb/core/checks"
	"willowherb/core/exchange"
	"willowherb/core/exposure"
	"willowherb/core/lamps"
	"willowherb/core/plot"
	"willowherb/core/scene"
	"willowherb/core/setup"
	"willowherb/core/spread"
	"willowherb/core/vec"
	"willowherb/core/world"
	"willowherb/plan"
	"willowherb/refine"
	"willowherb/room"
	"willowherb/stage"
)

// measured is what the checks look at: the setup, its place, and the views whose
// thumbnails are there. ready is false while some view has none.
func (d *Desk) measured(ctx context.Context, p *refine.Pictures) (in *checks.Input, s *refine.Shot, ready bool, err error) {
	if s, err = p.Shot(ctx); err != nil {
		return nil, nil, false, err
	}
	t := s.Doc.Device()
	in = &checks.Input{Setup: s.Doc, World: s.Stage.World, Lamps: s.Lamps, MaxOverlap: t.Limits.Overlap, MaxShadows: t.Limits.Shadows}
	ready = true
	for _, id := range s.Doc.SortedViews() {
		doc := s.Doc.Views[id]
		f := s.View(id, s.Lamps, plan.Thumb)
		if f == nil {
			ready = false
			continue
		}
		v := checks.View{ID: id, Name: doc.Name, EV: doc.EV, Curve: exposure.Curve(s.Doc.Curve), Camera: f.Cam, Guide: f.Guide, W: f.W, H: f.H}
		for _, l := range s.Lamps {
			if l.Off {
				v.Given = append(v.Given, nil)
				continue
			}
			g := &checks.Given{}
			g.Whole, g.WholeGain = f.Packed(l, refine.Whole)
			g.Bounced, g.BouncedGain = f.Packed(l, refine.Bounced)
			g.Shine, g.ShineGain = f.Packed(l, refine.Shine)
			g.Air, g.AirGain = f.Packed(l, refine.Air)
			v.Given = append(v.Given, g)
		}
		in.Views = append(in.Views, v)
	}
	return in, s, ready, nil
}

// WhoAnswer is what lights the figures and objects of each view. Ready is false
// while some views are still to come.
type WhoAnswer struct {
	Ready bool                    `json:"ready"`
	Views map[string][]checks.Lit `json:"views"`
}

// Who measures who lights whom.
func (d *Desk) Who(ctx context.Context, p *refine.Pictures) (*WhoAnswer, error) {
	in, _, ready, err := d.measured(ctx, p)
	if err != nil {
		return nil, err
	}
	return &WhoAnswer{ready, checks.Who(in)}, nil
}

// SnagsAnswer is what the checks found at a revision.
type SnagsAnswer struct {
	Ready    bool          `json:"ready"`
	Revision int64         `json:"revision"`
	Snags    []checks.Snag `json:"snags"`
}

// Snags runs the checks.
func (d *Desk) Snags(ctx context.Context, p *refine.Pictures) (*SnagsAnswer, error) {
	in, s, ready, err := d.measured(ctx, p)
	if err != nil {
		return nil, err
	}
	a := &SnagsAnswer{Ready: ready, Revision: s.Revision}
	err = spread.Guard(func() (err error) {
		a.Snags, err = checks.Find(ctx, in, d.studio.Workers())
		return err
	})
	return a, err
}

// ShadowEffects measures what a lamp's shadow does to each view.
func (d *Desk) ShadowEffects(ctx context.Context, p *refine.Pictures, id string) (map[string]checks.Effect, error) {
	in, _, _, err := d.measured(ctx, p)
	if err != nil {
		return nil, err
	}
	out := map[string]checks.Effect{}
	for i, l := range in.Lamps {
		if l.ID != id {
			continue
		}
		for v := range in.Views {
			e, err := checks.ShadowEffect(ctx, in, &in.Views[v], i, d.studio.Workers())
			if err != nil {
				return nil, err
			}
			out[in.Views[v].ID] = e
		}
	}
	return out, nil
}

// PlotAsk asks for the plot of a subject as a window sees it.
type PlotAsk struct {
	Gaze room.Gaze `json:"gaze"`
	// Subject is the path of a node of the file: a figure. Empty: the mover nearest to
	// the middle of the view.
	Subject string `json:"subject"`
}

// Plot makes the lighting plot of a subject; nil where there is none. A drag under
// way counts.
func (d *Desk) Plot(ctx context.Context, p *refine.Pictures, eye int64, q PlotAsk) (*plot.Plot, error) {
	s, see, err := d.looking(ctx, p, &q.Gaze)
	if err != nil {
		return nil, err
	}
	lamps, on, doc := s.Lamps, s.Stage, s.Doc
	if drag, dragged, at, ok := p.Lit(eye); ok {
		lamps, on, doc = dragged, at, drag
	}
	cam := see.Camera.Camera()
	subject := subjectOf(on, doc, cam, q.Subject)
	if subject < 0 {
		return nil, nil
	}
	var out *plot.Plot
	err = spread.Guard(func() error {
		out = plot.Of(&plot.Input{World: on.World, Lamps: lamps, View: cam, Subject: subject})
		return nil
	})
	return out, err
}

// subjectOf is an object of the figure at a path, or of the mover nearest to the
// middle of what cam sees; -1 for none.
func subjectOf(on *stage.Stage, doc *setup.Setup, cam world.Camera, path string) int {
	sc := on.Scene
	under := func(path string) int {
		for i := range sc.Objects {
			if scene.Under(sc.Objects[i].Path, path) {
				return i
			}
		}
		return -1
	}
	if path != "" {
		return under(path)
	}
	best, most := -1, float32(-1)
	for _, o := range doc.Objects {
		i := under(o.Path)
		if o.Part != setup.Mover || i < 0 {
			continue
		}
		lo, hi := scene.Extent(sc, i)
		d := vec.Lerp(lo, hi, 0.5).Sub(cam.Eye)
		// Near the middle of the view, and large in it.
		if c := d.Norm().Dot(cam.Aim.Norm()); c > 0.5 {
			if k := c * hi.Sub(lo).Len() / d.Len(); k > most {
				best, most = i, k
			}
		}
	}
	return best
}

// LightsOut writes the setup's lights as a file's.
func (d *Desk) LightsOut(ctx context.Context, p *refine.Pictures) (lights []scene.Light, name string, err error) {
	s, err := p.Shot(ctx)
	if err != nil {
		return nil, "", err
	}
	st, err := lamps.Resolve(s.Doc, "")
	if err != nil {
		return nil, "", err
	}
	return exchange.ToScene(st, s.Lamps), s.Doc.Name, nil
}
