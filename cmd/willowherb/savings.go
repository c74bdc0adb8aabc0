package main

import (
	"context"
	"fmt"
	"os"
	"runtime"
	"slices"

	"willowherb/core/lamps"
	"willowherb/core/savings"
	"willowherb/core/setup"
	"willowherb/core/world"
)

type savingsCmd struct {
	onTarget
	Views   string  `help:"Names or ids of views, with commas between; without it all of them, or none where a route is named."`
	Route   string  `help:"Name or id of a route: its steps are to be under the limit, too."`
	Each    float64 `help:"Metres between its steps." default:"0.5"`
	Limit   float64 `help:"Milliseconds that each view may take; without it the target's."`
	Samples int     `help:"Samples for each pixel of the pictures that are compared." default:"12"`
	JSON    bool    `help:"Report as JSON." name:"json"`
}

func (c *savingsCmd) Run(ctx context.Context) error {
	if !(c.Limit >= 0 && c.Limit <= 1e5) {
		return usage("--limit %g is not between 0 and 100000 ms", c.Limit)
	}
	if c.Samples < 1 || c.Samples > 4096 {
		return usage("--samples %d is not between 1 and 4096", c.Samples)
	}
	o, err := c.ready(ctx)
	if err != nil {
		return err
	}
	var ids []string
	if c.Views != "" || c.Route == "" {
		if ids, err = o.viewsOf(c.Views); err != nil {
			return err
		}
	}
	order := &savings.Order{Doc: o.doc, Scene: o.s, World: o.w, Baked: o.bake, Limit: c.Limit, Samples: c.Samples, Every: 1, Workers: runtime.GOMAXPROCS(0),
		Relit: func(doc *setup.Setup) ([]*lamps.Lamp, error) {
			st, err := lamps.Resolve(doc, "")
			if err != nil {
				return nil, err
			}
			return st.Lamps(o.s, nil), nil
		}}
	order.Staged = func(doc *setup.Setup) (*world.World, []*lamps.Lamp, error) {
		at, err := o.at(doc)
		if err != nil {
			return nil, nil, err
		}
		return at.w, at.lamps, nil
	}
	for _, id := range ids {
		order.Eyes = append(order.Eyes, savings.EyeOf(o.doc, id))
	}
	if c.Route != "" {
		w, err := o.walked(ctx, c.Route, c.Each, c.JSON)
		if err != nil {
			return err
		}
		r, err := routeOf(o.doc, c.Route)
		if err != nil {
			return err
		}
		limit := c.Limit
		if limit == 0 {
			limit = o.doc.Device().Limits.Ms
		}
		eyes, others := savings.Along(o.doc, o.s, &r, w, limit)
		order.Eyes, order.Others = append(order.Eyes, eyes...), others
	}
	if !c.JSON {
		order.Tell = func(share float64) { fmt.Fprintf(os.Stderr, "\r%3.0f %%", 100*share) }
	}
	r, err := savings.Find(ctx, order)
	if err != nil {
		return err
	}
	if c.JSON {
		return writeJSON(r)
	}
	fmt.Fprint(os.Stderr, "\r")
	for _, x := range r.Changes {
		mark := " "
		if x.Chosen {
			mark = "*"
		}
		loss := 0.0
		for _, l := range x.Loss {
			loss += l / float64(len(x.Loss))
		}
		fmt.Printf("%s %-48s saves %6.3f ms, seen %.3f\n", mark, x.What, slices.Max(x.SavedMs), loss)
	}
	for _, v := range r.Views {
		fmt.Printf("%-16s %.2f -> %.2f ms, seen %.2f (a twentieth by %.2f and more)\n", v.Name, v.Before, v.After, v.Loss, v.P95)
	}
	if r.Others > 0 {
		fmt.Printf("%d more steps of the route were counted with these changes\n", r.Others)
	}
	if !r.Reached {
		fmt.Printf("not enough: the worst view stays %.2f ms over %.2f\n", r.ShortMs, r.LimitMs)
	} else if r.Added > r.Bound+1e-9 {
		fmt.Printf("no set under %.2f ms loses less by more than %.3f\n", r.LimitMs, r.Added-r.Bound)
	}
	return nil
}
