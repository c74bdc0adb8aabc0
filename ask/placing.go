package ask

import (
	"context"
	"errors"
	"fmt"

	"willowherb/core/light"
	placing "willowherb/core/place"
	"willowherb/core/scene"
	"willowherb/core/setup"
	"willowherb/core/spread"
	"willowherb/core/vec"
	"willowherb/plan"
	"willowherb/refine"
	"willowherb/room"
)

// How is a way to place a light by its result.
type How string

// Ways to place a light.
const (
	Highlight How = "highlight"
	Shadow    How = "shadow"
	Graze     How = "graze"
	Aim       How = "aim"
	Fit       How = "fit"
	Mirror    How = "mirror"
	Hold      How = "hold"
	Beam      How = "beam"
)

// PlaceAsk asks where a light has to go. Positions in the picture run from 0 to 1.
type PlaceAsk struct {
	Gaze  room.Gaze `json:"gaze"`
	How   How       `json:"how"`
	Light string    `json:"light"`
	X     float64   `json:"x"`
	Y     float64   `json:"y"`
	// FromX and FromY are the first click, on what casts the shadow.
	FromX    float64 `json:"fromX"`
	FromY    float64 `json:"fromY"`
	Distance float64 `json:"distance"` // metres, to hold at
	// At is the place to hold at, where it is known without a click.
	At *[3]float64 `json:"at,omitempty"`
}

// Placed answers it: what the light's values become, or why it cannot be done.
type Placed struct {
	Able     bool        `json:"able"`
	Words    string      `json:"words"` // the reason, or what was given up
	Position *[3]float64 `json:"position,omitempty"`
	Aim      *[3]float64 `json:"aim,omitempty"`
	Width    *float64    `json:"width,omitempty"`
	Height   *float64    `json:"height,omitempty"`
	Roll     *float64    `json:"roll,omitempty"`
	Stops    *float64    `json:"stops,omitempty"` // to be added
	At       [3]float64  `json:"at"`
	Distance float64     `json:"distance"` // from the light to it, metres
}

// Place works out where a light has to go for its result to fall where it is
// wanted, from the place as the window sees it.
func (d *Desk) Place(ctx context.Context, p *refine.Pictures, q PlaceAsk) (out *Placed, err error) {
	s, see, err := d.looking(ctx, p, &q.Gaze)
	if err != nil {
		return nil, err
	}
	var l *light.Light
	var kind setup.Kind
	for _, k := range s.Lamps {
		if k.ID == q.Light {
			l, kind = k.Source, k.Kind
		}
	}
	if l == nil {
		return nil, fmt.Errorf("light %q: %w", q.Light, ErrUnknown)
	}
	_, rows := d.studio.Size(see.Camera.Aspect, plan.Full)
	at := &placing.Picture{World: s.Stage.World, View: see.Camera.Camera(), Aspect: see.Camera.Aspect, Rows: rows, Sight: see.Pass(s.Stage)}
	var got *placing.Placement
	err = spread.Guard(func() (err error) {
		switch q.How {
		case Highlight:
			got, err = placing.Highlight(at, l, q.X, q.Y)
		case Shadow:
			got, err = placing.Shadow(at, l, q.FromX, q.FromY, q.X, q.Y)
		case Graze:
			got, err = placing.Graze(at, l, q.X, q.Y)
		case Aim:
			got, err = placing.Aim(at, l, q.X, q.Y)
		case Fit:
			if kind != setup.Rect {
				return &placing.Cannot{Reason: "Only a panel fits an opening: choose one, or make one first."}
			}
			got, err = placing.Opening(at, q.X, q.Y)
		case Hold:
			if q.At != nil {
				got, err = placing.HoldAt(l, vec.New(q.At[0], q.At[1], q.At[2]), q.Distance)
			} else {
				got, err = placing.Hold(at, l, q.X, q.Y, q.Distance)
			}
		case Beam:
			got, err = placing.Beam(at, l, q.X, q.Y)
		case Mirror:
			var across vec.V3
			if across, err = subject(at, q.X, q.Y); err == nil {
				got, err = placing.Mirror(at, l, across)
			}
		default:
			err = fmt.Errorf("way %q: %w", q.How, ErrUnknown)
		}
		return err
	})
	var no *placing.Cannot
	if errors.As(err, &no) {
		return &Placed{Words: no.Reason}, nil
	}
	if err != nil {
		return nil, err
	}
	out = &Placed{Able: true, Words: got.Note, Width: got.Width, Height: got.Height, Roll: got.Roll, Stops: got.Stops, At: got.At.Array()}
	if got.Position != nil {
		v := (*got.Position).Array()
		out.Position, out.Distance = &v, float64(got.Position.Sub(got.At).Len())
	}
	if got.Aim != nil {
		v := (*got.Aim).Array()
		out.Aim = &v
	}
	return out, nil
}

// subject is the middle of the figure that is clicked, at three quarters of its
// height; of what is no figure, the clicked spot itself.
func subject(p *placing.Picture, x, y float64) (vec.V3, error) {
	q, ok := p.At(x, y)
	if !ok {
		return vec.V3{}, &placing.Cannot{Reason: "Click the subject to mirror across."}
	}
	sc := p.World.S
	lo, hi := scene.Extent(sc, q.Object)
	if hi.Sub(lo).Len() > scene.FigureSize {
		return q.Pos, nil
	}
	c := vec.Lerp(lo, hi, 0.5)
	c.Y = lo.Y + 0.75*(hi.Y-lo.Y)
	return c, nil
}
