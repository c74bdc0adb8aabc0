package main

import (
	"cmp"
	"context"
	"fmt"
	"maps"
	"os"
	"runtime"
	"slices"
	"strings"

	"willowherb/core/route"
	"willowherb/core/setup"
)

// routeOf is a route of a setup by its id or name; the first where none is named.
func routeOf(doc *setup.Setup, name string) (setup.Route, error) {
	ids := slices.SortedFunc(maps.Keys(doc.Routes), func(a, b string) int {
		return cmp.Or(cmp.Compare(doc.Routes[a].Order, doc.Routes[b].Order), cmp.Compare(a, b))
	})
	var names []string
	for _, id := range ids {
		r := doc.Routes[id]
		if name == "" || id == name || strings.EqualFold(r.Name, name) {
			return r, nil
		}
		names = append(names, r.Name)
	}
	return setup.Route{}, usage("route %q is not there; there are: %s", name, cmp.Or(strings.Join(names, ", "), "none"))
}

type routeCmd struct {
	onTarget
	Route string  `help:"Name or id of a route of the setup; without it the first."`
	Each  float64 `help:"Metres between steps." default:"0.5"`
	JSON  bool    `help:"Report as JSON." name:"json"`
}

// walked walks a route of what was opened.
func (o *targeted) walked(ctx context.Context, name string, each float64, quiet bool) (*route.Walked, error) {
	if !(each >= 0.02 && each <= 100) {
		return nil, usage("--each %g is not between 0.02 and 100 metres", each)
	}
	r, err := routeOf(o.doc, name)
	if err != nil {
		return nil, err
	}
	order := &route.Order{Doc: o.doc, Scene: o.s, World: o.w, Lamps: o.lamps, Route: r, Each: each, Baked: o.bake, Workers: runtime.GOMAXPROCS(0)}
	if !quiet {
		order.Tell = func(share float64) { fmt.Fprintf(os.Stderr, "\r%3.0f %%", 100*share) }
		defer fmt.Fprint(os.Stderr, "\r     \r")
	}
	return route.Walk(ctx, order)
}

func (c *routeCmd) Run(ctx context.Context) error {
	o, err := c.ready(ctx)
	if err != nil {
		return err
	}
	w, err := o.walked(ctx, c.Route, c.Each, c.JSON)
	if err != nil {
		return err
	}
	if c.JSON {
		return writeJSON(w)
	}
	for _, s := range w.Steps {
		fmt.Printf("%6.1f m %5.1f s  %-11s %5.2f ms  %8.2f lx  EV %4.1f left %+4.1f  black %3.0f %% white %3.0f %%  path %+4.1f  figure %+4.1f %+4.1f %+4.1f st\n", s.Metres, s.Second, s.Stop, s.Ms, s.Lux, s.EV, s.Left, 100*s.Dark, 100*s.Bright, s.Path, s.Figure[0].Stops, s.Figure[1].Stops, s.Figure[2].Stops)
	}
	fmt.Printf("%s: %.0f m, %.0f s\n", w.Name, w.Metres, w.Second)
	for _, f := range w.Found {
		fmt.Printf("%-50s %5.1f to %5.1f m  %s\n", f.What, f.From, f.To, f.Number)
	}
	return nil
}

type surveyCmd struct {
	onTarget
	Route string `help:"Name or id of the route that it begins from; without it the first, or the views."`
	JSON  bool   `help:"Report as JSON." name:"json"`
}

func (c *surveyCmd) Run(ctx context.Context) error {
	o, err := c.ready(ctx)
	if err != nil {
		return err
	}
	var r setup.Route
	if c.Route != "" || len(o.doc.Routes) > 0 {
		if r, err = routeOf(o.doc, c.Route); err != nil {
			return err
		}
	}
	l, err := route.Survey(ctx, &route.Order{Doc: o.doc, Scene: o.s, World: o.w, Lamps: o.lamps, Route: r, Each: 1, Baked: o.bake, Field: o.field, Workers: runtime.GOMAXPROCS(0)})
	if err != nil {
		return err
	}
	if c.JSON {
		return writeJSON(l)
	}
	fmt.Printf("%d spots, %.2f m apart\n", len(l.Spots), l.Cell)
	for _, s := range l.Spots {
		fmt.Printf("%7.2f %6.2f %7.2f  floor %8.2f lx  eye %8.2f lx  %d lights, %d shadows  %.2f ms", s.At[0], s.At[1], s.At[2], s.Floor, s.Eye, s.Lights, s.Shadows, s.Ms)
		if l.Probes {
			fmt.Printf("  probes wrong by %.0f %%", 100*s.Wrong)
		}
		fmt.Println()
	}
	return nil
}
