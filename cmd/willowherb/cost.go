package main

import (
	"cmp"
	"context"
	"fmt"
	"maps"
	"math"
	"os"
	"path/filepath"
	"runtime"
	"slices"
	"strings"

	"willowherb/core/budget"
	"willowherb/core/lamps"
	"willowherb/core/mirrors"
	"willowherb/core/probes"
	"willowherb/core/route"
	"willowherb/core/setup"
	"willowherb/core/target"
	"willowherb/core/work"
	"willowherb/format/lightmap"
)

// onTarget is a lit place with the device that its frames are for.
type onTarget struct {
	litPlace
	Target string `help:"Id or name of a target that ships or that the setup has, or a target file; without it the setup's."`
	Bake   string `help:"Folder of a bake, whose memory is counted." type:"existingdir"`
}

// targeted is opened, with what is counted of it.
type targeted struct {
	*opened
	target *target.Target
	place  *work.Place
	bake   *budget.Baked
	field  *probes.Field // of its probes; nil: none
}

// targetOf is a target by its id or name, or of a file.
func targetOf(doc *setup.Setup, name string) (*target.Target, error) {
	if name == "" {
		return doc.Device(), nil
	}
	for _, id := range slices.Sorted(maps.Keys(doc.Targets)) {
		if t := doc.Targets[id]; id == name || strings.EqualFold(t.Name, name) {
			return &t, nil
		}
	}
	if t, ok := target.Find(name); ok {
		return &t, nil
	}
	data, err := os.ReadFile(name)
	if err != nil {
		var known []string
		for _, t := range target.All() {
			known = append(known, t.ID)
		}
		return nil, usage("--target %q is neither a target nor a file that can be read; there are: %s", name, strings.Join(append(known, slices.Sorted(maps.Keys(doc.Targets))...), ", "))
	}
	return target.Parse(filepath.Base(name), data)
}

func (c *onTarget) ready(ctx context.Context) (*targeted, error) {
	o, err := c.open(ctx)
	if err != nil {
		return nil, err
	}
	t, err := targetOf(o.doc, c.Target)
	if err != nil {
		return nil, err
	}
	doc := *o.doc
	doc.Targets = maps.Clone(doc.Targets)
	if doc.Targets == nil {
		doc.Targets = map[string]target.Target{}
	}
	doc.Target, doc.Targets[t.ID] = t.ID, *t
	o.doc = &doc
	out := &targeted{opened: o, target: t}
	if c.Bake != "" {
		if out.bake, out.field, err = keptBy(c.Bake); err != nil {
			return nil, err
		}
	}
	out.place = budget.Place(&doc, o.s, o.w, out.bake)
	return out, nil
}

// keptBy is what a bake's folder keeps on a target, and its probes.
func keptBy(dir string) (*budget.Baked, *probes.Field, error) {
	d, err := lightmap.Read(dir)
	if err != nil {
		return nil, nil, err
	}
	b := &budget.Baked{MB: d.Bake.MB}
	for _, p := range d.Bake.Pages {
		b.Directional = b.Directional || p.Lean != ""
	}
	for _, m := range d.Bake.Mirrors {
		b.MirrorMB += float64((&mirrors.Mirror{Mirror: m.Mirror}).Bytes()) / (1 << 20)
	}
	for _, l := range d.Bake.Left {
		b.Left = append(b.Left, l.Path)
	}
	if d.Field != nil {
		b.Probes = len(d.Field.Probes)
	}
	return b, d.Field, nil
}

type costCmd struct {
	onTarget
	View  string  `help:"Name or id of a view; without it the first."`
	Route string  `help:"Name or id of a route: the frame of a step of it, with the lamps that who walks carries."`
	At    float64 `help:"How far along the route, in metres."`
	Every int     `help:"Look at every so many tiles of the picture, across and down; 1 is exact." default:"1"`
	JSON  bool    `help:"Report as JSON." name:"json"`
}

type costedLight struct {
	ID   string `json:"id"`
	Name string `json:"name"`
	budget.Cost
}

func (c *costCmd) Run(ctx context.Context) error {
	if c.Every < 1 || c.Every > 64 {
		return usage("--every %d is not between 1 and 64", c.Every)
	}
	o, err := c.ready(ctx)
	if err != nil {
		return err
	}
	v, name, lit, err := c.whose(ctx, o)
	if err != nil {
		return err
	}
	f, err := budget.View(ctx, o.doc, o.place, lit, &v, o.bake, c.Every, runtime.GOMAXPROCS(0))
	if err != nil {
		return err
	}
	var lights []costedLight
	for _, l := range o.lamps {
		lights = append(lights, costedLight{l.ID, l.Name, f.Lights[l.ID]})
	}
	if c.JSON {
		return writeJSON(map[string]any{"view": name, "target": o.target.ID, "targetName": o.target.Name, "ms": f.Ms, "mb": f.MB, "limitMs": f.LimitMs, "limitMB": f.LimitMB, "ownMs": f.OwnMs, "passes": withFormulas(f, o.target), "lights": lights,
			"counts": f.Counts, "features": f.Features, "memory": f.Memory, "overlap": f.Overlap, "shadows": f.Shadows, "unknown": f.Unknown, "notes": o.notes})
	}
	fmt.Printf("%s on %s: %.2f of %.2f ms, %.0f of %.0f MB\n", name, o.target.Name, f.Ms, f.LimitMs, f.MB, f.LimitMB)
	for _, p := range f.Passes {
		fmt.Printf("  %-18s %6.3f ms\n", p.Name, p.Ms)
	}
	slices.SortStableFunc(lights, func(a, b costedLight) int { return cmp.Compare(b.Ms, a.Ms) })
	for _, l := range lights {
		fmt.Printf("  %-24s %6.3f ms %6.1f MB  %d maps, %d of them kept\n", l.Name, l.Ms, l.MB, l.Maps, l.Kept)
	}
	for _, m := range f.Memory {
		fmt.Printf("  %-24s %6.1f MB  %s\n", m.Name, m.MB, m.Known)
	}
	for _, n := range append(o.notes, f.Unknown...) {
		fmt.Println("  note:", n)
	}
	return nil
}

// whose is the camera whose frame is asked for, with its name and the lamps as it has them.
func (c *costCmd) whose(ctx context.Context, o *targeted) (v setup.View, name string, lit []*lamps.Lamp, err error) {
	if c.Route == "" {
		ids := o.doc.SortedViews()
		if len(ids) == 0 {
			return v, "", nil, usage("the setup has no views to count")
		}
		v, name, err = viewOf(o.doc, cmp.Or(c.View, ids[0]))
		return v, name, o.lamps, err
	}
	r, err := routeOf(o.doc, c.Route)
	if err != nil {
		return v, "", nil, err
	}
	rest, err := o.w.Resting(o.moves, runtime.GOMAXPROCS(0))
	if err != nil {
		return v, "", nil, err
	}
	const each = 0.5
	way, err := route.Lay(ctx, rest, o.doc, &r, each)
	if err != nil {
		return v, "", nil, err
	}
	if !(c.At >= 0 && c.At <= way.Metres) {
		return v, "", nil, usage("--at %g is not between 0 and %.0f, the metres of the route", c.At, way.Metres)
	}
	p := &way.Places[0]
	for i := range way.Places {
		if math.Abs(way.Places[i].Metres-c.At) < math.Abs(p.Metres-c.At) {
			p = &way.Places[i]
		}
	}
	v = setup.View{Eye: p.Eye.Array(), Aim: p.Aim.Array(), FovY: r.FovY, Aspect: 16.0 / 9}
	return v, fmt.Sprintf("%s, %.1f m", r.Name, p.Metres), route.NewCarrier(o.doc, o.s, &r).At(o.lamps, p), nil
}

type formulaPass struct {
	budget.PassCost
	Formula string `json:"formula"`
}

func withFormulas(f *budget.Frame, t *target.Target) (out []formulaPass) {
	for i := range f.Passes {
		out = append(out, formulaPass{f.Passes[i], t.Passes[i].Formula()})
	}
	return out
}
