package ask

import (
	"context"
	"fmt"
	"math"

	placing "willowherb/core/place"
	"willowherb/core/spread"
	"willowherb/core/vec"
	"willowherb/refine"
	"willowherb/room"
)

// EyeRadius is how near a surface an eye comes that is stopped by surfaces, in metres.
const EyeRadius = 0.2

// StepAsk asks how far an eye can go from one place towards another, in metres.
type StepAsk struct {
	Gaze room.Gaze  `json:"gaze"` // what it hides is passed
	From [3]float64 `json:"from"`
	To   [3]float64 `json:"to"`
}

// Stepped answers it.
type Stepped struct {
	At [3]float64 `json:"at"`
	// Free is how far it may go on from there in any direction without asking again, metres.
	Free float64 `json:"free"`
	By   string  `json:"by"` // the object that stopped it, or that it slid along; empty for none
}

// farthest bounds the places that can be asked for, in metres.
const farthest = 1e6

// Step finds how far an eye can go.
func (d *Desk) Step(ctx context.Context, p *refine.Pictures, q StepAsk) (*Stepped, error) {
	for _, v := range append(q.From[:], q.To[:]...) {
		if !(math.Abs(v) <= farthest) {
			return nil, fmt.Errorf("a place beyond %g m: %w", farthest, ErrUnknown)
		}
	}
	s, see, err := d.looking(ctx, p, &q.Gaze)
	if err != nil {
		return nil, err
	}
	var out placing.Stepped
	err = spread.Guard(func() error {
		out = placing.Step(s.Stage.World, see.Pass(s.Stage), vec.New(q.From[0], q.From[1], q.From[2]), vec.New(q.To[0], q.To[1], q.To[2]), EyeRadius)
		return nil
	})
	if err != nil {
		return nil, err
	}
	a := &Stepped{At: out.At.Array(), Free: float64(out.Free)}
	if out.By >= 0 {
		a.By = s.Stage.World.S.Objects[out.By].Name
	}
	return a, nil
}
