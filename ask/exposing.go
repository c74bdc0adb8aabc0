package ask

import (
	"context"
	"fmt"
	"slices"

	"willowherb/core/checks"
	"willowherb/core/exposure"
	"willowherb/core/spread"
	"willowherb/core/still"
	"willowherb/refine"
)

// Exposed is what the exposure of a view is told by: what is shown as white, the window over
// the room, and what automatic exposure would take.
type Exposed struct {
	Ready  bool               `json:"ready"` // false while the view is still to come
	Hot    []checks.HotSpot   `json:"hot"`
	Window *checks.WindowOver `json:"window,omitempty"`
	Wanted float64            `json:"wanted"` // EV100
	Zone   string             `json:"zone"`   // that the eye stands in; empty: none
	InZone float64            `json:"inZone"` // what is held there
}

// Exposed answers it.
func (d *Desk) Exposed(ctx context.Context, p *refine.Pictures, view string) (*Exposed, error) {
	in, s, _, err := d.measured(ctx, p)
	if err != nil {
		return nil, err
	}
	doc, ok := s.Doc.Views[view]
	if !ok {
		return nil, fmt.Errorf("view %.80q: %w", view, ErrUnknown)
	}
	out := &Exposed{Hot: []checks.HotSpot{}}
	out.InZone, out.Zone = s.Doc.InZones(doc.Eye, doc.EV)
	at := slices.IndexFunc(in.Views, func(v checks.View) bool { return v.ID == view })
	if at < 0 {
		return out, nil
	}
	v := &in.Views[at]
	a := auto(s)
	out.Ready, out.Hot, out.Window, out.Wanted = true, checks.HotSpots(in, v), checks.Windows(in, v), a.Meter(v.Whole(), v.W, v.H, still.Showing(s.Stage.Scene, v.Guide, a.Named))
	return out, nil
}

// auto is the setup's automatic exposure.
func auto(s *refine.Shot) exposure.Auto {
	if s.Doc.Auto != nil {
		return *s.Doc.Auto
	}
	return exposure.StandardAuto()
}

// WalkAsk asks what automatic exposure would do on a way through views.
type WalkAsk struct {
	Views   []string `json:"views"`
	Seconds float64  `json:"seconds"`
	// Camera is one of the place that travels, in the place of views.
	Camera string `json:"camera,omitempty"`
}

// WalkAnswer answers it.
type WalkAnswer struct {
	Moments []exposure.Instant `json:"moments"`
	Swing   float64            `json:"swing"` // stops that it strays from what is held, at most
	At      int                `json:"at"`    // the moment of that
}

// ErrWalk means that a way cannot be gone.
var ErrWalk = fmt.Errorf("no way to walk")

// Walk answers a WalkAsk.
func (d *Desk) Walk(ctx context.Context, p *refine.Pictures, q WalkAsk) (*WalkAnswer, error) {
	s, err := p.Shot(ctx)
	if err != nil {
		return nil, err
	}
	for _, id := range q.Views {
		if _, ok := s.Doc.Views[id]; !ok {
			return nil, fmt.Errorf("view %.80q: %w", id, ErrUnknown)
		}
	}
	if q.Camera != "" && !slices.Contains(still.Travelling(s.Stage.Scene), q.Camera) {
		return nil, fmt.Errorf("camera %.80q that travels: %w", q.Camera, ErrUnknown)
	}
	if len(q.Views) == 0 && q.Camera == "" || len(q.Views) > 50 || !(q.Seconds >= 0.1 && q.Seconds <= 3600) {
		return nil, fmt.Errorf("%w: name one to fifty views and a time of 0.1 to 3600 seconds", ErrWalk)
	}
	out := &WalkAnswer{}
	err = spread.Guard(func() (err error) {
		out.Moments, err = still.Along(ctx, still.Walk{Setup: s.Doc, World: s.Stage.World, Lamps: s.Lamps, Views: q.Views, Camera: q.Camera, Seconds: q.Seconds, Auto: auto(s), Workers: d.studio.Workers()})
		return err
	})
	if err != nil {
		return nil, err
	}
	out.Swing, out.At = exposure.Swing(out.Moments)
	return out, nil
}
