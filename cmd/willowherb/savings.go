package main

import (
	"cmp"
	"context"
	"fmt"
	"os"
	"path/filepath"
	"runtime"
	"slices"

	"willowherb/core/bake"
	"willowherb/core/baking"
	"willowherb/core/lamps"
	"willowherb/core/savings"
	"willowherb/core/setup"
	"willowherb/core/staging"
	"willowherb/core/world"
	"willowherb/format/lightmap"
)

type savingsCmd struct {
	onTarget
	Views   string  `help:"Names or ids of views, with commas between; without it all of them, or none where a route is named."`
	Route   string  `help:"Name or id of a route: its steps are to be under the limit, too."`
	Each    float64 `help:"Metres between its steps." default:"0.5"`
	Limit   float64 `help:"Milliseconds that each view may take; without it the target's."`
	LimitMB float64 `help:"Megabytes that lighting may take; without it the target's." name:"limit-mb"`
	Samples int     `help:"Samples for each pixel of the pictures that are compared." default:"12"`
	JSON    bool    `help:"Report as JSON." name:"json"`
}

func (c *savingsCmd) Run(ctx context.Context) error {
	if !(c.Limit >= 0 && c.Limit <= 1e5) {
		return usage("--limit %g is not between 0 and 100000 ms", c.Limit)
	}
	if !(c.LimitMB >= 0 && c.LimitMB <= 1e6) {
		return usage("--limit-mb %g is not between 0 and 1000000 MB", c.LimitMB)
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
	order := &savings.Order{Doc: o.doc, Scene: o.s, World: o.w, Baked: o.bake, Limit: c.Limit, LimitMB: c.LimitMB, Samples: c.Samples, Every: 1, Workers: runtime.GOMAXPROCS(0),
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
	if c.Bake != "" {
		if order.Bake, err = o.lastBake(ctx, c.Bake); err != nil {
			return err
		}
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
		eyes, others := savings.Along(o.doc, o.s, &r, w, cmp.Or(c.Limit, o.doc.Device().Limits.Ms))
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
		saved := fmt.Sprintf("%6.3f ms", slices.Max(x.SavedMs))
		if x.Rebake {
			saved = fmt.Sprintf("%6.1f MB with a new bake", x.SavedMB)
		}
		fmt.Printf("%s %-48s saves %s, seen %.3f\n", mark, x.What, saved, loss)
	}
	for _, v := range r.Views {
		fmt.Printf("%-16s %.2f -> %.2f ms, seen %.2f (a twentieth by %.2f and more)\n", v.Name, v.Before, v.After, v.Loss, v.P95)
	}
	fmt.Printf("memory %.0f -> %.0f of %.0f MB\n", r.BeforeMB, r.AfterMB, r.LimitMB)
	if r.ShortMB > 0 {
		fmt.Printf("not enough: memory stays %.1f MB over its limits\n", r.ShortMB)
	}
	if r.Others > 0 {
		fmt.Printf("%d more frames were counted with these changes\n", r.Others)
	}
	if !r.Reached {
		fmt.Printf("not enough: the worst view stays %.2f ms over %.2f\n", r.ShortMs, r.LimitMs)
	} else if r.Added > r.Bound+1e-9 {
		fmt.Printf("no set under %.2f ms loses less by more than %.3f\n", r.LimitMs, r.Added-r.Bound)
	}
	return nil
}

// lastBake reads the bake of a folder as one of what was opened.
func (o *targeted) lastBake(ctx context.Context, dir string) (*savings.LastBake, error) {
	d, err := lightmap.Read(dir)
	if err != nil {
		return nil, err
	}
	workers := runtime.GOMAXPROCS(0)
	order := &baking.Order{Scene: o.s, World: o.w, Doc: o.doc, Lamps: o.lamps, Place: o.still, Quality: d.Bake.Numbers, Kept: lightmap.Folder(filepath.Join(dir, "layers")), Workers: workers}
	work, err := order.Lay(ctx)
	if err != nil {
		return nil, err
	}
	other := usage("%s is a bake of another place, of other lights or of other rules than the setup has: bake again, or leave --bake out", dir)
	if !slices.EqualFunc(work.Sources, d.Lights, func(s bake.Source, l lightmap.Light) bool { return s.ID == l.ID }) {
		return nil, other
	}
	job := work.Job()
	job.Needed = func() (*bake.Baker, error) { return nil, other }
	result, err := job.Run(ctx, work.Sources)
	if err != nil {
		return nil, err
	}
	rest, err := o.w.Resting(staging.Movers(o.doc, o.s), workers)
	return &savings.LastBake{Quality: d.Bake.Numbers, Result: result, Field: d.Field, Rest: rest}, err
}
