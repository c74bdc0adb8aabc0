package main

import (
	"bytes"
	"cmp"
	"context"
	"errors"
	"fmt"
	"io"
	"maps"
	"math"
	"runtime"
	"slices"
	"strings"

	"willowherb/core/budget"
	"willowherb/core/exposure"
	"willowherb/core/guard"
	"willowherb/core/route"
	"willowherb/core/setup"
	"willowherb/core/still"
	"willowherb/core/world"
	"willowherb/format/intact"
	"willowherb/format/junit"
	"willowherb/format/picture"
	"willowherb/format/report"
)

// errBroken ends the program with a status of its own.
var errBroken = errors.New("rules are broken")

type checkCmd struct {
	onTarget
	Views  string  `help:"Names or ids of views, with commas between; without it all of them."`
	Route  string  `help:"Name or id of a route; without it all of them; none for none."`
	Each   float64 `help:"Metres between the steps of a route." default:"0.5"`
	JUnit  string  `help:"XML file for a build server." name:"junit"`
	Report string  `help:"HTML file with pictures."`
	JSON   bool    `help:"Report as JSON." name:"json"`
}

func (c *checkCmd) Run(ctx context.Context) error {
	o, err := c.ready(ctx)
	if err != nil {
		return err
	}
	ids, err := o.viewsOf(c.Views)
	if err != nil && (c.Views != "" || len(o.doc.Views) > 0) {
		return err
	}
	names := map[string]string{}
	for _, l := range o.lamps {
		names[l.ID] = l.Name
	}
	var all []guard.Check
	rep := &report.Report{Title: cmp.Or(o.doc.Name, "Setup") + ": budget and readability", Target: o.target.Name, Notes: o.notes}
	frames := map[string]*budget.Frame{}
	for _, id := range ids {
		v := o.doc.Views[id]
		f, err := budget.View(ctx, o.doc, o.place, o.lamps, &v, o.bake, 1, runtime.GOMAXPROCS(0))
		if err != nil {
			return err
		}
		frames[id] = f
		all = append(all, guard.View(v.Name, o.target, f, names)...)
	}
	walked := map[string]*route.Walked{}
	routes, err := c.routes(o.doc)
	if err != nil {
		return err
	}
	for _, id := range routes {
		r := o.doc.Routes[id]
		w, err := o.walked(ctx, id, c.Each, c.JSON)
		if err != nil {
			return err
		}
		walked[id] = w
		all = append(all, guard.Route(w, &r)...)
	}
	rep.Checks, rep.Passed = all, guard.Passed(all)
	if c.JUnit != "" {
		if err := intact.Write(c.JUnit, func(w io.Writer) error { return junit.Write(w, rep.Title, all) }); err != nil {
			return err
		}
	}
	if c.Report != "" {
		if err := c.pictures(ctx, o, rep, ids, frames, routes, walked, names); err != nil {
			return err
		}
		if err := intact.Write(c.Report, func(w io.Writer) error { return report.Write(w, rep) }); err != nil {
			return err
		}
	}
	if c.JSON {
		if err := writeJSON(map[string]any{"passed": rep.Passed, "target": o.target.ID, "checks": all, "views": frames, "routes": walked, "notes": o.notes}); err != nil {
			return err
		}
	} else {
		for _, x := range all {
			fmt.Printf("%-9s  %-20s %-36s %s\n", x.State, x.Of, x.Rule, x.Says)
			if x.Remedy != "" {
				fmt.Printf("%-9s  %-20s %s\n", "", "", x.Remedy)
			}
		}
	}
	if !rep.Passed {
		return errBroken
	}
	return nil
}

// routes are the ids of those that are asked for.
func (c *checkCmd) routes(doc *setup.Setup) ([]string, error) {
	if c.Route == "none" {
		return nil, nil
	}
	all := slices.Sorted(maps.Keys(doc.Routes))
	if c.Route == "" {
		return all, nil
	}
	for _, id := range all {
		if id == c.Route || strings.EqualFold(doc.Routes[id].Name, c.Route) {
			return []string{id}, nil
		}
	}
	_, err := routeOf(doc, c.Route)
	return nil, err
}

// Pictures of the report.
const (
	reportWide, reportHigh = 320, 180
	reportSamples          = 8
	spotsMost              = 8
)

func (c *checkCmd) pictures(ctx context.Context, o *targeted, rep *report.Report, ids []string, frames map[string]*budget.Frame, routes []string, walked map[string]*route.Walked, names map[string]string) error {
	shoot := func(cam world.Camera, ev float64) ([]byte, error) {
		rgb, err := still.Glance(ctx, o.w, o.lamps, cam, reportWide, reportHigh, reportSamples, runtime.GOMAXPROCS(0))
		if err != nil {
			return nil, err
		}
		var b bytes.Buffer
		err = picture.WritePNG(&b, exposure.Develop(rgb, reportWide, reportHigh, ev, exposure.Curve(o.doc.Curve)))
		return b.Bytes(), err
	}
	for _, id := range ids {
		v, f := o.doc.Views[id], frames[id]
		r := report.View{Name: v.Name, Ms: f.Ms, MB: f.MB, LimitMs: f.LimitMs, LimitMB: f.LimitMB}
		var err error
		if r.PNG, err = shoot(v.Camera(), v.EV); err != nil {
			return err
		}
		for _, p := range f.Passes {
			r.Passes = append(r.Passes, report.Line{Name: p.Name, Ms: p.Ms})
		}
		for k, l := range f.Lights {
			if l.Ms > 0.005 {
				r.Lights = append(r.Lights, report.Line{Name: names[k], Ms: l.Ms})
			}
		}
		slices.SortFunc(r.Lights, func(a, b report.Line) int { return cmp.Or(cmp.Compare(b.Ms, a.Ms), cmp.Compare(a.Name, b.Name)) })
		rep.Views = append(rep.Views, r)
	}
	for _, id := range routes {
		w := walked[id]
		r := report.Route{Name: w.Name, Metres: w.Metres, Second: w.Second}
		r.Cost, r.Light, r.Limit = lines(w)
		for i, f := range w.Found {
			if i == spotsMost {
				break
			}
			s := &w.Steps[f.Step]
			p := route.PlaceOf(s, o.doc.Routes[id].FovY)
			png, err := shoot(p.Camera(), s.EV)
			if err != nil {
				return err
			}
			r.Spots = append(r.Spots, report.Spot{Says: f.What + ": " + f.Number, At: s.Metres, PNG: png})
		}
		rep.Routes = append(rep.Routes, r)
	}
	return nil
}

// lines are the curves of a route in a drawing of 1000 by 200.
func lines(w *route.Walked) (cost, light, limit string) {
	most := w.LimitMs * 1.2
	for _, s := range w.Steps {
		most = max(most, s.Ms*1.05)
	}
	var a, b strings.Builder
	for _, s := range w.Steps {
		x := 1000 * s.Metres / max(w.Metres, 1e-9)
		fmt.Fprintf(&a, "%.1f,%.1f ", x, 200-200*s.Ms/max(most, 1e-9))
		// From a hundredth of a lux to ten thousand.
		fmt.Fprintf(&b, "%.1f,%.1f ", x, 200-200*min(max((math.Log10(max(s.Lux, 1e-3))+2)/6, 0), 1))
	}
	y := 200 - 200*w.LimitMs/max(most, 1e-9)
	return a.String(), b.String(), fmt.Sprintf("0,%.1f 1000,%.1f", y, y)
}
