package bench

import (
	"context"
	"fmt"

	"willowherb/core/budget"
	"willowherb/core/checks"
	"willowherb/core/exposure"
	"willowherb/core/plot"
	"willowherb/core/render"
	"willowherb/core/scene"
	"willowherb/core/setup"
	"willowherb/core/spread"
	"willowherb/core/vec"
)

// measured is what the checks look at: the setup, its place, and the views whose
// thumbnails are there. ready is false while some view has none.
func (s *Session) measured() (in *checks.Input, ready bool) {
	s.mu.Lock()
	defer s.mu.Unlock()
	t := budget.Find(s.doc.Target)
	in = &checks.Input{Setup: s.doc, World: s.stage.world, Lamps: s.lamps, MaxOverlap: t.MaxOverlap, MaxShadows: t.MaxShadows}
	ready = true
	for _, id := range s.doc.SortedViews() {
		doc := s.doc.Views[id]
		sight := s.sights[s.keyOf(id)]
		if sight == nil || sight.levels[thumb] == nil || !complete(sight.levels[thumb], s.lamps) {
			ready = false
			continue
		}
		f := sight.levels[thumb]
		v := checks.View{ID: id, Name: doc.Name, EV: doc.EV, Curve: exposure.Curve(s.doc.Curve), Camera: f.cam, Guide: f.guide, W: f.w, H: f.h}
		for _, l := range s.lamps {
			if l.Off {
				v.Direct, v.Bounced = append(v.Direct, nil), append(v.Bounced, nil)
				continue
			}
			all, soft := partsOf(f, l)
			for k := range all {
				all[k] = max(all[k]-soft[k], 0)
			}
			v.Direct, v.Bounced = append(v.Direct, all), append(v.Bounced, soft)
		}
		in.Views = append(in.Views, v)
	}
	return in, ready
}

// partsOf is what a lamp gives to the surfaces of a frame, and how much of it is
// bounced, in cd/m2.
func partsOf(f *frame, l *setup.Lamp) (all, soft []float32) {
	n := 3 * f.w * f.h
	all, soft = make([]float32, n), make([]float32, n)
	y := f.layers[l.Key]
	g := l.Gain()
	if y == nil || y.version == 0 || g == (vec.V3{}) {
		return all, soft
	}
	add := func(part int, sign float32, to []float32) {
		if y.parts[part] != nil {
			render.Unpack(y.parts[part], g.Scale(sign*float32(y.news.Scales[part])), to)
		}
	}
	add(whole, 1, all)
	add(shine, -1, all)
	add(bounced, 1, soft)
	return all, soft
}

// WhoAnswer is what lights the figures and objects of each view. Ready is false
// while some views are still to come.
type WhoAnswer struct {
	Ready bool                    `json:"ready"`
	Views map[string][]checks.Lit `json:"views"`
}

// Who measures who lights whom.
func (s *Session) Who() *WhoAnswer {
	in, ready := s.measured()
	return &WhoAnswer{ready, checks.Who(in)}
}

// SnagsAnswer is what the checks found at a revision.
type SnagsAnswer struct {
	Ready    bool          `json:"ready"`
	Revision int64         `json:"revision"`
	Snags    []checks.Snag `json:"snags"`
}

// Snags runs the checks.
func (s *Session) Snags(ctx context.Context) (*SnagsAnswer, error) {
	in, ready := s.measured()
	s.mu.Lock()
	a := &SnagsAnswer{Ready: ready, Revision: s.revision}
	s.mu.Unlock()
	err := spread.Guard(func() (err error) {
		a.Snags, err = checks.Find(ctx, in, s.bench.opt.Workers)
		return err
	})
	return a, err
}

// ShadowEffects measures what a lamp's shadow does to each view.
func (s *Session) ShadowEffects(ctx context.Context, id string) (map[string]checks.Effect, error) {
	in, _ := s.measured()
	out := map[string]checks.Effect{}
	for i, l := range in.Lamps {
		if l.ID != id {
			continue
		}
		for v := range in.Views {
			e, err := checks.ShadowEffect(ctx, in, &in.Views[v], i, s.bench.opt.Workers)
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
	Gaze Gaze `json:"gaze"`
	// Subject is the path of a node of the file: a figure. Empty: the mover nearest to
	// the middle of the view.
	Subject string `json:"subject"`
}

// Plot makes the lighting plot of a subject; nil where there is none. A drag under
// way counts.
func (s *Session) Plot(window string, q PlotAsk) (*plot.Plot, error) {
	s.mu.Lock()
	see, ok := s.see(&Window{View: q.Gaze.View, gaze: q.Gaze})
	lamps, on, doc := s.lamps, s.stage, s.doc
	if w, err := s.window(window); err == nil && w.drafted != nil {
		lamps, on, doc = w.drafted, s.stageOf(w), w.draft
	}
	s.mu.Unlock()
	if !ok || q.Gaze.Camera != nil && q.Gaze.Camera.Check() != nil {
		return nil, fmt.Errorf("view %q: %w", q.Gaze.View, ErrUnknown)
	}
	cam := see.Camera.Camera()
	subject := on.subject(doc, cam, q.Subject)
	if subject < 0 {
		return nil, nil
	}
	var p *plot.Plot
	err := spread.Guard(func() error {
		p = plot.Of(&plot.Input{World: on.world, Lamps: lamps, View: cam, Subject: subject})
		return nil
	})
	return p, err
}

// subject is an object of the figure at a path, or of the mover nearest to the
// middle of what cam sees; -1 for none.
func (on *stage) subject(doc *setup.Setup, cam render.View, path string) int {
	sc := on.scene
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
func (s *Session) LightsOut() (lights []scene.Light, name string, err error) {
	s.mu.Lock()
	defer s.mu.Unlock()
	st, err := setup.Resolve(s.doc, "")
	if err != nil {
		return nil, "", err
	}
	return st.ToScene(s.lamps), s.doc.Name, nil
}
