// Package baking makes a whole bake of a level: the layout of its lightmap, the map itself,
// the probe field over the ground that can be walked, and the reflection probes. It is the one
// place that says in which order, for the server and the command line alike.
package baking

import (
	"context"
	"maps"
	"slices"
	"time"

	"willowherb/core/bake"
	"willowherb/core/ground"
	"willowherb/core/lamps"
	"willowherb/core/light"
	"willowherb/core/mirrors"
	"willowherb/core/probes"
	"willowherb/core/scene"
	"willowherb/core/setup"
	"willowherb/core/staging"
	"willowherb/core/vec"
	"willowherb/core/world"
)

// Order is what is baked.
type Order struct {
	Scene   *scene.Scene
	World   *world.World
	Doc     *setup.Setup
	Lamps   []*lamps.Lamp
	Place   [32]byte // staging.Stage.Still
	Quality setup.Quality
	Kept    bake.Keeper
	Tell    func(Progress)
	Workers int
	// Only, if set, is the one light that is baked.
	Only string
}

// Stage of a bake.
type Stage string

// Stages, in their order.
const (
	Laying    Stage = "charts"
	Preparing Stage = "light cache"
	Mapping   Stage = "lightmap"
	Probing   Stage = "probes"
	Mirroring Stage = "reflection probes"
)

// Progress of a bake.
type Progress struct {
	Stage  Stage
	Object string  // that is worked on
	Share  float64 // of the whole, about
	Rate   float64 // texel samples a second
}

// Done is a bake.
type Done struct {
	Result *bake.Result
	Ended
	Took map[Stage]time.Duration
}

// Shares of the whole that the stages take, about.
const (
	mapFrom   = 0.3
	mapTo     = 0.85
	probesTo  = 0.96
	chestHigh = 1.2
)

// sources are the lights that are baked, and the others.
func (o *Order) sources(rules *setup.Bake) (sources, others []bake.Source) {
	sources = bake.Sources(o.Lamps, rules, func(id string) bool { return o.Only == "" || id == o.Only })
	for _, l := range o.Lamps {
		if !slices.ContainsFunc(sources, func(s bake.Source) bool { return s.ID == l.ID }) {
			others = append(others, bake.Source{ID: l.ID, Key: bake.Digest(l.Key, "whole"), Light: l.Source, Straight: true, Gain: l.Gain()})
		}
	}
	return sources, others
}

// Work is a bake that is laid out: its objects can be made one by one, by whoever has the same
// order, and then its end. Safe for concurrent use but for Baker.
type Work struct {
	*Order
	Plan            *bake.Plan
	Rest            *world.World // without movers
	Sources, Others []bake.Source
	baker           *bake.Baker
}

// Lay lays a bake out. Error: ctx ended.
func (o *Order) Lay(ctx context.Context) (*Work, error) {
	plan, err := bake.Lay(ctx, o.Scene, o.World, o.Doc, o.Quality, o.Workers)
	if err != nil {
		return nil, err
	}
	rest, err := o.World.Resting(staging.Movers(o.Doc, o.Scene), o.Workers)
	if err != nil {
		return nil, err
	}
	w := &Work{Order: o, Plan: plan, Rest: rest}
	w.Sources, w.Others = o.sources(&plan.Rules)
	return w, nil
}

// Baker makes the light cache ready, once. Error: ctx ended.
func (w *Work) Baker(ctx context.Context) (*bake.Baker, error) {
	if w.baker != nil {
		return w.baker, nil
	}
	b, err := bake.NewBaker(ctx, w.Rest, w.Plan, w.Sources, w.Others, w.Workers)
	if err != nil {
		return nil, err
	}
	w.baker = b
	return b, nil
}

// Job is the bake of the map, of what the keeper does not have.
func (w *Work) Job() *bake.Job { return &bake.Job{Place: w.Place, Plan: w.Plan, Kept: w.Kept} }

// Ended is what comes after the map.
type Ended struct {
	Field   *probes.Field
	Mirrors []*mirrors.Mirror
	// MirrorGains are of the lights of the mirrors.
	MirrorGains []vec.V3
	// MirrorFaults are how wrong each reflection probe is (mirrors.Mirror.Wrong).
	MirrorFaults []float64
	// Route is the way through the views on foot, at the height of a chest, and Faults how wrong
	// the probes are along it, the worst first.
	Route  []vec.V3
	Faults []probes.Fault
}

// End makes the probes and the reflection probes. Error: ctx ended.
func (w *Work) End(ctx context.Context) (*Ended, error) {
	b, err := w.Baker(ctx)
	if err != nil {
		return nil, err
	}
	var eyes []vec.V3
	for _, id := range w.Doc.SortedViews() {
		eyes = append(eyes, vec.Of(w.Doc.Views[id].Eye))
	}
	out := &Ended{}
	w.tell(Progress{Stage: Probing, Share: mapTo})
	if err := w.probes(ctx, out, b, eyes); err != nil {
		return nil, err
	}
	w.tell(Progress{Stage: Mirroring, Share: probesTo})
	if err := w.mirrors(ctx, out, b); err != nil {
		return nil, err
	}
	w.tell(Progress{Stage: Mirroring, Share: 1})
	return out, nil
}

// Run bakes. Error: ctx ended, or the keeper's.
func Run(ctx context.Context, o *Order) (*Done, error) {
	out := &Done{Took: map[Stage]time.Duration{}}
	at := time.Now()
	o.tell(Progress{Stage: Laying})
	w, err := o.Lay(ctx)
	if err != nil {
		return nil, err
	}
	out.Took[Laying] = time.Since(at)
	at = time.Now()
	job := w.Job()
	job.Needed = func() (*bake.Baker, error) {
		o.tell(Progress{Stage: Preparing, Share: 0.1})
		return w.Baker(ctx)
	}
	job.Tell = func(p bake.Progress) {
		share := mapTo
		if p.All > 0 {
			share = mapFrom + (mapTo-mapFrom)*float64(p.Done)/float64(p.All)
		}
		o.tell(Progress{Mapping, p.Object, share, float64(p.Samples) / max(time.Since(at).Seconds(), 1e-3)})
	}
	if out.Result, err = job.Run(ctx, w.Sources); err != nil {
		return nil, err
	}
	out.Took[Mapping] = time.Since(at)
	if w.baker != nil {
		out.Took[Preparing] = w.baker.Took.Cache
		out.Took[Mapping] -= out.Took[Preparing]
	}
	if o.Only != "" {
		return out, nil
	}
	at = time.Now()
	e, err := w.End(ctx)
	if err != nil {
		return nil, err
	}
	out.Ended = *e
	out.Took[Probing] = time.Since(at)
	return out, nil
}

func (o *Order) tell(p Progress) {
	if o.Tell != nil {
		o.Tell(p)
	}
}

// probes makes the field of the baked lights, and measures it along the way through the views.
func (o *Order) probes(ctx context.Context, out *Ended, b *bake.Baker, eyes []vec.V3) error {
	rules := &b.Plan.Rules
	g, err := ground.Find(ctx, b.W, eyes, ground.Grown, max(rules.Apart/3, 0.25), 60)
	if err != nil {
		return err
	}
	po := ProbeOrder(b, o.Workers)
	po.Ground, po.Rays = g, o.Quality.Rays
	if out.Field, err = probes.Make(ctx, po); err != nil {
		return err
	}
	out.Route = Route(g, eyes)
	out.Faults, err = po.Along(ctx, out.Field, out.Route, 1024)
	return err
}

// ProbeOrder is how probes are gathered among a baker's lights; its ground and rays are the
// caller's.
func ProbeOrder(b *bake.Baker, workers int) *probes.Order {
	lights, table := b.Lights()
	po := &probes.Order{World: b.W, Lights: lights, Table: table, Rules: &b.Plan.Rules, Workers: workers}
	po.Whole = make([]bool, len(lights))
	for i := range b.Sources {
		s := &b.Sources[i]
		po.IDs, po.Gains, po.Whole[i] = append(po.IDs, s.ID), append(po.Gains, s.Gain), s.Straight
	}
	// The others are live: a mover is lit by them without probes.
	po.Lights = po.Lights[:len(po.IDs)]
	po.Whole = po.Whole[:len(po.IDs)]
	return po
}

// every is how far apart the places are, in metres, at which a route is measured.
const every = 1.0

// Route is the way on foot from view to view, in their order, at the height of a chest, where
// there is one; a place each metre.
func Route(g *ground.Ground, eyes []vec.V3) (out []vec.V3) {
	last := int32(-1)
	step := max(int(every/g.Cell), 1)
	for _, e := range eyes {
		spot, far := g.Near(e.Sub(vec.V3{Y: 1.6}))
		if spot < 0 || far > 3 {
			continue
		}
		if last >= 0 {
			for i, k := range g.Way(last, spot) {
				if i%step == 0 {
					out = append(out, g.Spots[k].Pos.Add(vec.V3{Y: chestHigh}))
				}
			}
		}
		last = spot
	}
	return out
}

// mirrors captures the reflection probes, of all lights.
func (o *Order) mirrors(ctx context.Context, out *Ended, b *bake.Baker) error {
	ids := slices.Sorted(maps.Keys(b.Plan.Rules.Mirrors))
	if len(ids) == 0 {
		return nil
	}
	var at []vec.V3
	for _, id := range ids {
		at = append(at, vec.Of(b.Plan.Rules.Mirrors[id].Position))
	}
	if err := b.Touch(ctx, at); err != nil {
		return err
	}
	lights, table := b.Lights()
	var names []string
	for _, s := range slices.Concat(b.Sources, b.Others) {
		names = append(names, s.ID)
		out.MirrorGains = append(out.MirrorGains, s.Gain)
	}
	for _, id := range ids {
		m, err := mirrors.Capture(ctx, b.W, b.Plan.Rules.Mirrors[id], append([]*light.Light(nil), lights...), table, o.Quality.Mirror, o.Workers)
		if err != nil {
			return err
		}
		m.ID, m.Lights = id, names
		wrong, err := m.Wrong(ctx, b.W, lights, table, out.MirrorGains, o.Workers)
		if err != nil {
			return err
		}
		out.Mirrors, out.MirrorFaults = append(out.Mirrors, m), append(out.MirrorFaults, wrong)
	}
	return nil
}

// Gathering is how probes are gathered among a bake's lights. With the light cache it is made
// ready first; without, whole paths are followed. Error: ctx ended.
func Gathering(ctx context.Context, w *Work, cached bool) (*probes.Order, error) {
	if cached {
		b, err := w.Baker(ctx)
		if err != nil {
			return nil, err
		}
		return ProbeOrder(b, w.Workers), nil
	}
	po := &probes.Order{World: w.Rest, Rules: &w.Plan.Rules, Workers: w.Workers}
	for i := range w.Sources {
		s := &w.Sources[i]
		po.IDs, po.Gains, po.Whole, po.Lights = append(po.IDs, s.ID), append(po.Gains, s.Gain), append(po.Whole, s.Straight), append(po.Lights, s.Light)
	}
	return po, nil
}
