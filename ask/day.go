package ask

import (
	"context"
	"fmt"

	"willowherb/core/daylight"
	"willowherb/core/setup"
	"willowherb/core/spread"
	"willowherb/refine"
)

// DayAsk asks what a day makes of the setup; without one, what the setup's own does.
type DayAsk struct {
	Day *setup.Day `json:"day,omitempty"`
}

// Day works out what a day makes of the setup's sun and sky. Error: setup.ErrInvalid for a
// day that there is not.
func (d *Desk) Day(ctx context.Context, p *refine.Pictures, q DayAsk) (out *daylight.Plan, err error) {
	shot, err := p.Shot(ctx)
	if err != nil {
		return nil, err
	}
	doc, day := shot.Doc, q.Day
	if day == nil {
		day = doc.Day
	}
	if day == nil {
		standard := daylight.Standard(doc)
		day = &standard
	}
	err = spread.Guard(func() (err error) {
		if out, err = daylight.Make(doc, *day); err != nil {
			return fmt.Errorf("%w: %w", setup.ErrInvalid, err)
		}
		return nil
	})
	return out, err
}
