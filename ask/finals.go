package ask

import (
	"context"
	"errors"
	"fmt"

	"willowherb/core/finals"
	"willowherb/core/lamps"
	"willowherb/core/setup"
	"willowherb/core/still"
	"willowherb/farm"
	"willowherb/refine"
)

// ErrFinals means that final frames cannot be had as they are asked for; the text says why.
var ErrFinals = errors.New("frames")

// FinalState is how a setup's final frames stand, and what they can be of.
type FinalState struct {
	Orders  []farm.FinalStatus `json:"orders"`  // the newest first
	Cameras []string           `json:"cameras"` // of the place that travel
	Seconds float64            `json:"seconds"` // of the place's animations
}

// Finals tells how a setup's final frames stand.
func (d *Desk) Finals(ctx context.Context, p *refine.Pictures, id int64) (*FinalState, error) {
	s, err := p.Shot(ctx)
	if err != nil {
		return nil, err
	}
	out := &FinalState{Cameras: still.Travelling(s.Stage.Scene), Seconds: s.Stage.Scene.Duration()}
	all, err := d.Farm.Finals(ctx, id)
	out.Orders = append([]farm.FinalStatus{}, all...)
	return out, err
}

// AskFinals puts frames of a setup as it stands into the queue. doc is as it was edited, with its
// look and its zones, which each frame finds where it is.
func (d *Desk) AskFinals(ctx context.Context, p *refine.Pictures, id int64, doc *setup.Setup, revision int64, o finals.Order) (*FinalState, error) {
	s, err := p.Shot(ctx)
	if err != nil {
		return nil, err
	}
	if err := o.Check(doc, s.Stage.Scene); err != nil {
		return nil, fmt.Errorf("%w: %w", ErrFinals, err)
	}
	st, err := lamps.Resolve(doc, doc.Look)
	if err != nil {
		return nil, err
	}
	worn := *st.Setup
	worn.Look = ""
	if _, err = d.Farm.AskFinals(ctx, &farm.FinalOrder{Setup: id, Revision: revision, Doc: &worn, Place: s.Stage.Blob, File: s.Stage.File, Wanted: o}); err != nil {
		return nil, err
	}
	return d.Finals(ctx, p, id)
}

// TurnFinals pauses, resumes, stops or removes final frames.
func (d *Desk) TurnFinals(ctx context.Context, p *refine.Pictures, id, final int64, how string) (*FinalState, error) {
	to, ok := map[string]farm.State{"pause": farm.Paused, "resume": farm.Waiting, "stop": farm.Stopped}[how]
	var err error
	switch {
	case how == "remove":
		err = d.Farm.ForgetFinals(ctx, id, final)
	case ok:
		err = d.Farm.TurnFinals(ctx, id, final, to)
	default:
		return nil, fmt.Errorf("%w: nothing is called %q", ErrFinals, how)
	}
	if errors.Is(err, farm.ErrState) {
		return nil, fmt.Errorf("%w: they are over, or go on already", ErrFinals)
	}
	if err != nil {
		return nil, err
	}
	return d.Finals(ctx, p, id)
}
