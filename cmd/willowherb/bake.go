package main

import (
	"context"
	"fmt"
	"math"
	"os"
	"path/filepath"
	"runtime"
	"strings"
	"time"

	"willowherb/core/baking"
	"willowherb/core/probes"
	"willowherb/core/setup"
	"willowherb/format/lightmap"
)

type bakeCmd struct {
	litPlace
	Quality string  `help:"draft, review, final, or own: as the setup has it." default:"draft" enum:"draft,review,final,own"`
	Out     string  `help:"Folder for the bake. What it has of the same lights and place is not made again." type:"path"`
	Seconds float64 `help:"Take fewer samples, so that the bake takes about so many seconds."`
	Light   string  `help:"Only the light of this id or name, without probes."`
	// What is baked besides, over what the setup says.
	Directional bool    `help:"Bake how light changes as surfaces tilt, too, for normal maps."`
	Occlusion   float64 `help:"Bake how much of the sky over each texel is free of what lies nearer than so many metres, too."`
	Estimate    bool    `help:"Only say what the bake would take."`
	JSON        bool    `help:"Report as JSON." name:"json"`
}

func (c *bakeCmd) Run(ctx context.Context) error {
	if c.Seconds < 0 || c.Seconds > 86400*7 || math.IsNaN(c.Seconds) {
		return usage("--seconds %g is not between 0 and 604800", c.Seconds)
	}
	if c.Out == "" && !c.Estimate {
		return usage("give --out, the folder for the bake, or --estimate")
	}
	begin := time.Now()
	o, err := c.open(ctx)
	if err != nil {
		return err
	}
	if c.Occlusion < 0 || c.Occlusion > setup.MaxOcclusion || math.IsNaN(c.Occlusion) {
		return usage("--occlusion %g is not between 0 and %g metres", c.Occlusion, float64(setup.MaxOcclusion))
	}
	if c.Directional || c.Occlusion > 0 {
		doc, rules := *o.doc, o.doc.Baking()
		rules.Directional = rules.Directional || c.Directional
		if c.Occlusion > 0 {
			rules.Occlusion = c.Occlusion
		}
		doc.Bake, o.doc = &rules, &doc
	}
	order, err := c.order(o)
	if err != nil {
		return err
	}
	if c.Estimate || c.Seconds > 0 {
		if c.Seconds > 0 && !c.Estimate {
			order.Quality = baking.Hasty(order.Quality, c.Seconds)
		}
		e, work, err := order.Guess(ctx)
		if err != nil {
			return err
		}
		if c.Estimate {
			return c.told(e)
		}
		order.Before = work
		order.Quality = baking.Within(order.Quality, e, c.Seconds-time.Since(begin).Seconds())
	}
	order.Kept = lightmap.Folder(filepath.Join(c.Out, "layers"))
	if !c.JSON {
		order.Tell = func(p baking.Progress) {
			fmt.Fprintf(os.Stderr, "\r%3.0f %%  %s %-40.40s", 100*p.Share, p.Stage, p.Object)
		}
	}
	done, err := baking.Run(ctx, order)
	if err != nil {
		return err
	}
	names := map[string]string{}
	for _, l := range o.lamps {
		names[l.ID] = l.Name
	}
	parts := &lightmap.Parts{Scene: o.s, Result: done.Result, Names: names, Field: done.Field, Mirrors: done.Mirrors, MirrorGains: done.MirrorGains, Workers: order.Workers,
		Bake: lightmap.Bake{File: filepath.Base(c.File), Setup: o.doc.Name, Look: c.Look, Place: fmt.Sprintf("%x", o.still[:16]), Quality: c.Quality, Seconds: time.Since(begin).Seconds()}}
	b, err := lightmap.Write(c.Out, parts)
	if err != nil {
		return err
	}
	return c.report(o, b, done, time.Since(begin))
}

// order is the bake that is asked for.
func (c *bakeCmd) order(o *opened) (*baking.Order, error) {
	q, ok := setup.Qualities[c.Quality]
	if !ok {
		own := o.doc.Baking().Own
		if own == nil {
			return nil, usage("the setup has no quality of its own: choose draft, review or final")
		}
		q = *own
	}
	order := &baking.Order{Scene: o.s, World: o.w, Doc: o.doc, Lamps: o.lamps, Place: o.still, Quality: q, Workers: runtime.GOMAXPROCS(0)}
	if c.Light != "" {
		var baked []string
		for _, l := range o.lamps {
			if l.Carry != setup.Live {
				baked = append(baked, l.Name)
				if l.ID == c.Light || strings.EqualFold(l.Name, c.Light) {
					order.Only = l.ID
				}
			}
		}
		if order.Only == "" {
			return nil, usage("light %q is not baked; there are: %s", c.Light, strings.Join(baked, ", "))
		}
	}
	return order, nil
}

func (c *bakeCmd) told(e baking.Estimate) error {
	if c.JSON {
		return writeJSON(e)
	}
	fmt.Printf("%s: about %.0f s, %d texels on %d pages, %d samples (%.0f a second), noise about %.1f %%, %.1f MB on the target, %.0f MB of layers\n",
		c.Quality, e.Seconds, e.Texels, e.Pages, e.Samples, e.Rate, 100*e.Noise, e.MB, e.LayerMB)
	return nil
}

// alongRoute is how wrong probes are along the way through the views.
func alongRoute(faults []probes.Fault) (mean, worst float64) {
	for _, f := range faults {
		mean += f.Share / float64(len(faults))
		worst = max(worst, f.Share)
	}
	return mean, worst
}

func (c *bakeCmd) report(o *opened, b *lightmap.Bake, d *baking.Done, took time.Duration) error {
	mean, worst := alongRoute(d.Faults)
	took1 := map[string]float64{}
	for s, t := range d.Took {
		took1[string(s)] = t.Seconds()
	}
	findings := []baking.Finding{}
	if d.Field != nil {
		findings = baking.Check(o.s, o.doc, d.Result, &d.Ended)
	}
	if c.JSON {
		out := map[string]any{"findings": findings, "file": c.File, "out": c.Out, "quality": b.Quality, "numbers": b.Numbers, "texels": b.Texels, "pages": b.Pages, "samples": b.Samples, "noise": b.Noise,
			"seconds": took.Seconds(), "took": took1, "mb": b.MB, "layersMB": b.LayerMB, "filled": b.Filled, "padded": b.Padded, "lights": b.Lights, "objects": b.Objects, "left": b.Left,
			"layers": d.Result.Layers, "made": d.Result.Made, "notes": o.notes}
		if d.Field != nil {
			out["probes"] = map[string]any{"count": len(d.Field.Probes), "dropped": len(d.Field.Dropped), "spared": d.Field.Tried, "routeMetres": len(d.Route), "routeError": mean, "routeWorst": worst}
		}
		return writeJSON(out)
	}
	fmt.Fprintln(os.Stderr)
	for _, n := range o.notes {
		fmt.Println("note:", n)
	}
	fmt.Printf("%s: %s, %d texels on %d pages, %.0f %% filled (%.0f %% with padding), %.1f MB on the target, %.0f MB of layers\n", c.Out, b.Quality, b.Texels, len(b.Pages), 100*b.Filled, 100*b.Padded, b.MB, b.LayerMB)
	fmt.Printf("%d of %d layers made, %d samples, noise %.1f %%, %.1f s\n", d.Result.Made, d.Result.Layers, b.Samples, 100*b.Noise, took.Seconds())
	if d.Field != nil {
		fmt.Printf("%d probes, %d dropped; along %d m of the route wrong by %.1f %%, at worst %.0f %%\n", len(d.Field.Probes), len(d.Field.Dropped), len(d.Route), 100*mean, 100*worst)
	}
	for _, f := range findings {
		fmt.Printf("found: %s. %s\n", f.What, f.Remedy)
		for _, w := range f.Where {
			fmt.Printf("  %s %s\n", w.Object, w.How)
		}
	}
	for _, x := range b.Objects {
		fmt.Printf("  %-32s %6.1f texels a metre %8d texels %6d charts  noise %5.1f %%\n", x.Path, x.Density, x.Texels, x.Charts, 100*x.Noise)
	}
	for _, x := range b.Left {
		fmt.Printf("  %-32s not in the map: %s\n", x.Path, x.Why)
	}
	return nil
}
