package savings

import (
	"fmt"
	"math"

	"willowherb/core/lamps"
	"willowherb/core/route"
	"willowherb/core/scene"
	"willowherb/core/setup"
)

// Of the steps of a route that are looked at closely: how many at most, and how many metres of
// it may keep the limit between two of one part.
const (
	mostSteps  = 5
	partsApart = 3.0
)

// Along is the steps of a walked route whose frames are to be made cheaper: the dearest of each
// part of it that is over the limit, at most five, or its dearest where none is; and all others.
// limit in ms.
func Along(doc *setup.Setup, s *scene.Scene, r *setup.Route, w *route.Walked, limit float64) (eyes, others []Eye) {
	c := route.NewCarrier(doc, s, r)
	dearest := map[int]bool{w.Worst: true}
	var parts []int // the dearest step of each
	last := math.Inf(-1)
	for i := range w.Steps {
		x := &w.Steps[i]
		if x.Ms <= limit {
			continue
		}
		if x.Metres-last > partsApart {
			parts = append(parts, i)
		} else if k := &parts[len(parts)-1]; x.Ms > w.Steps[*k].Ms {
			*k = i
		}
		last = x.Metres
	}
	for len(dearest) < mostSteps {
		next := -1
		for _, i := range parts {
			if !dearest[i] && (next < 0 || w.Steps[i].Ms > w.Steps[next].Ms) {
				next = i
			}
		}
		if next < 0 {
			break
		}
		dearest[next] = true
	}
	for i := range w.Steps {
		e := ofStep(c, r, w, i)
		if dearest[i] {
			eyes = append(eyes, e)
		} else {
			others = append(others, e)
		}
	}
	return eyes, others
}

// ofStep is what is seen from a step, at the exposure that it has there.
func ofStep(c *route.Carrier, r *setup.Route, w *route.Walked, i int) Eye {
	s := &w.Steps[i]
	p := route.PlaceOf(s, r.FovY)
	name := fmt.Sprintf("%.0f m", s.Metres)
	if s.Stop != "" {
		name += ", " + s.Stop
	}
	v := setup.View{Name: name, Eye: s.Eye, Aim: s.Aim, FovY: r.FovY, Aspect: 16.0 / 9, EV: s.EV}
	return Eye{ID: fmt.Sprintf("%s:%d", w.Name, i), Name: name, Step: i + 1, View: v, Camera: p.Camera(), Carry: func(lit []*lamps.Lamp, back float64) []*lamps.Lamp {
		at := p
		at.Ground = at.Ground.Sub(at.Aim.Scale(float32(back)))
		return c.At(lit, &at)
	}}
}
