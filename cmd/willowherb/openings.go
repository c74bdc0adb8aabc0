package main

import (
	"context"
	"fmt"
	"runtime"

	"willowherb/core/light"
	"willowherb/core/place"
	"willowherb/core/setup"
	"willowherb/core/vec"
)

type openingsCmd struct {
	litPlace
	At   string `help:"Only those through which the sky may be seen from about there, x,y,z in metres."`
	JSON bool   `help:"Report as JSON." name:"json"`
}

// openingReport is an opening by which rooms see the sky.
type openingReport struct {
	Centre [3]float64 `json:"centre"`
	Inward [3]float64 `json:"inward"` // its normal, into the room
	Width  float64    `json:"width"`
	Height float64    `json:"height"`
	Marked bool       `json:"marked"` // by a rect of the setup, and not found
	// Bounds are boxes from which the sky may be seen through it: lowest and highest corner.
	Bounds [][2][3]float64 `json:"bounds"`
}

func (c *openingsCmd) Run(ctx context.Context) error {
	var at vec.V3
	var err error
	if c.At != "" {
		if at, err = parsePoint(c.At); err != nil {
			return err
		}
	}
	o, err := c.open(ctx)
	if err != nil {
		return err
	}
	found, err := place.Portals(ctx, o.w, runtime.GOMAXPROCS(0))
	if err != nil {
		return err
	}
	var marked []light.Portal
	for _, l := range o.lamps {
		if l.Kind == setup.Sky && len(l.Source.Portals) > 0 {
			marked = l.Source.Portals
		}
	}
	out := []openingReport{}
	for i, q := range place.Through(o.w, marked, found) {
		if c.At != "" && !q.Holds(at) {
			continue
		}
		r := openingReport{Centre: q.Centre.Array(), Inward: q.N.Array(), Width: float64(q.W), Height: float64(q.H), Marked: i < len(marked)}
		for _, b := range q.Bounds {
			r.Bounds = append(r.Bounds, [2][3]float64{b.Lo.Array(), b.Hi.Array()})
		}
		out = append(out, r)
	}
	if c.JSON {
		return writeJSON(map[string]any{"file": c.File, "openings": out, "notes": o.notes})
	}
	for _, r := range out {
		how := "found"
		if r.Marked {
			how = "marked"
		}
		fmt.Printf("%s at %.2f %.2f %.2f, %.2f by %.2f m, inwards %.2f %.2f %.2f\n", how, r.Centre[0], r.Centre[1], r.Centre[2], r.Width, r.Height, r.Inward[0], r.Inward[1], r.Inward[2])
	}
	fmt.Printf("%d openings by which rooms see the sky\n", len(out))
	return nil
}
