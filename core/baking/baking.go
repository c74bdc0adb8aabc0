// Package baking makes a whole bake of a level: the layout of its lightmap, the map itself,
// the probe field over the ground that can be walked, and the reflection probes. It is the one
// place that says in which order, for the server and the command line alike.
package baking

import (
	"context"
	"encoding/hex"
	"errors"
	"maps"
	"slices"
	"sync"
	"time"

	"willowherb/core/bake"
	"willowherb/core/ground"
	"willowherb/core/lamps"
	"willowherb/core/light"
	"willowherb/core/mirrors"
	"willowherb/core/packed"
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
	// Before is the work of an earlier bake, or nil: of the same place and quality, its layout and
	// the light cache's links, which know no light, are taken over.
	Before *Work
	// Laid, if set, is told the work as soon as it is laid out.
	Laid func(*Work)
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
// order, and then its end. Safe for concurrent use.
type Work struct {
	*Order
	Plan            *bake.Plan
	Rest            *world.World // without movers
	Sources, Others []bake.Source
	key             [32]byte // of all that the plan is made of

	making sync.Mutex // held while the baker is made
	mu     sync.Mutex
	busy   bool // the baker is made, or is being made
	baker  *bake.Baker
	before *Work // of the same layout, whose baker is gone on from
}

// Lay lays a bake out. Error: ctx ended.
func (o *Order) Lay(ctx context.Context) (*Work, error) {
	w := &Work{Order: o, key: bake.PlanKey(o.Place, o.Scene, o.Doc, o.Quality.Density)}
	before := o.Before
	o.Before = nil // bakes would hang on one another for ever
	if before != nil && before.key == w.key {
		w.Plan, w.Rest, w.before = before.Plan.At(o.Quality), before.Rest, before.root()
		w.Sources, w.Others = o.sources(&w.Plan.Rules)
		o.laid(w)
		return w, nil
	}
	plan, err := bake.Lay(ctx, o.Scene, o.World, o.Doc, o.Quality, o.Workers)
	if err != nil {
		return nil, err
	}
	rest, err := o.World.Resting(staging.Movers(o.Doc, o.Scene), o.Workers)
	if err != nil {
		return nil, err
	}
	w.Plan, w.Rest = plan, rest
	w.Sources, w.Others = o.sources(&plan.Rules)
	o.laid(w)
	return w, nil
}

func (o *Order) laid(w *Work) {
	if o.Laid != nil {
		o.Laid(w)
	}
}

// root is the work of this layout that has a baker, or makes one; itself where there is none.
func (w *Work) root() *Work {
	w.mu.Lock()
	defer w.mu.Unlock()
	if w.busy || w.before == nil {
		return w
	}
	return w.before.root()
}

// ready is the baker that there is, waited for where it is being made; nil where there is none.
func (w *Work) ready() *bake.Baker {
	w.making.Lock()
	defer w.making.Unlock()
	return w.baker
}

// Baker makes the light cache ready, once. Error: ctx ended.
func (w *Work) Baker(ctx context.Context) (*bake.Baker, error) {
	w.mu.Lock()
	w.busy = true
	w.mu.Unlock()
	w.making.Lock()
	defer w.making.Unlock()
	if w.baker != nil {
		return w.baker, nil
	}
	var old *bake.Baker
	if w.before != nil {
		old = w.before.ready()
	}
	b, err := bake.NewBaker(ctx, w.Rest, w.Plan, w.Sources, w.Others, w.Workers, old)
	if err != nil {
		return nil, err
	}
	w.baker = b
	w.mu.Lock()
	w.before = nil
	w.mu.Unlock()
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

// End makes the probes and the reflection probes, or takes those that are kept. Error: ctx ended,
// or the keeper's.
func (w *Work) End(ctx context.Context) (*Ended, error) {
	key := w.endKey()
	data, ok, err := w.data(ctx, key)
	if err != nil {
		return nil, err
	}
	if ok {
		if e, err := Unpack(data); err == nil {
			return e, nil
		}
	}
	e, err := w.end(ctx)
	if err == nil && w.Kept != nil {
		err = w.Kept.KeepData(ctx, key, e.Pack())
	}
	return e, err
}

// endKey names all that the probes and reflection probes are made from.
func (w *Work) endKey() string {
	var lit []any
	for _, s := range slices.Concat(w.Sources, w.Others) {
		lit = append(lit, s.ID, s.Key, s.Bounces, s.Gain)
	}
	return w.keyOf("end 2", w.key, w.Quality, len(w.Sources), lit)
}

// Pack makes bytes of it, for Unpack.
func (e *Ended) Pack() []byte { return packed.Of(e) }

// Unpack reads what Pack made. Error: it is something else, or a part does not fit.
func Unpack(data []byte) (*Ended, error) {
	e := &Ended{}
	if err := packed.Read(data, e); err != nil {
		return nil, err
	}
	if len(e.MirrorFaults) != len(e.Mirrors) {
		return nil, errors.New("the reflection probes and what is wrong with them do not fit")
	}
	for _, m := range e.Mirrors {
		fits := m != nil && m.Pixels > 0 && len(m.Layers) == len(m.Lights) && len(m.Lights) == len(e.MirrorGains)
		for i := 0; fits && i < len(m.Layers); i++ {
			fits = len(m.Layers[i]) == 0 || len(m.Layers[i]) == 3*2*m.Pixels*m.Pixels
		}
		if !fits {
			return nil, errors.New("a reflection probe does not fit its lights")
		}
	}
	if e.Field == nil {
		return e, nil
	}
	return e, e.Field.Index()
}

func (w *Work) end(ctx context.Context) (*Ended, error) {
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
	if out.Result.Open, err = job.Occlusion(ctx, w.Rest, o.Workers); err != nil {
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
func (w *Work) probes(ctx context.Context, out *Ended, b *bake.Baker, eyes []vec.V3) error {
	o, rules := w.Order, &w.Plan.Rules
	known, err := w.sights(ctx)
	if err != nil {
		return err
	}
	g, err := ground.Find(ctx, b.W, eyes, ground.Grown, max(rules.Apart/6, 0.25), 60)
	if err != nil {
		return err
	}
	po := ProbeOrder(b, o.Workers)
	po.Ground, po.Rays, po.Closer, po.Known = g, o.Quality.Rays, o.Quality.Closer, known
	if out.Field, err = probes.Make(ctx, po); err != nil {
		return err
	}
	out.Route = Route(g, eyes)
	if out.Faults, err = po.Along(ctx, out.Field, out.Route, min(max(8*o.Quality.Rays, 1024), routeRays)); err != nil {
		return err
	}
	return w.keepSights(ctx, known)
}

// keyOf names something that is kept, made of what the light cache knows.
func (w *Work) keyOf(parts ...any) string {
	k := bake.Digest(w.Plan.Lit(w.Place), parts)
	return hex.EncodeToString(k[:16])
}

func (w *Work) eyesKey() string { return w.keyOf("eyes") }

func (w *Work) lightKey(i int) string { return w.keyOf("sights", w.Sources[i].Key) }

// sights are what is known of earlier bakes. Error: the keeper's.
func (w *Work) sights(ctx context.Context) (*probes.Sights, error) {
	s := probes.NewSights(len(w.Sources))
	data, ok, err := w.data(ctx, w.eyesKey())
	if err != nil || !ok {
		return s, err
	}
	s.Eyes(data)
	for i := range w.Sources {
		if data, ok, err = w.data(ctx, w.lightKey(i)); err != nil {
			return nil, err
		}
		if ok {
			s.Light(i, data)
		}
	}
	return s, nil
}

func (w *Work) keepSights(ctx context.Context, s *probes.Sights) error {
	if w.Kept == nil {
		return nil
	}
	for i := range w.Sources {
		if data := s.PackedLight(i); data != nil {
			if err := w.Kept.KeepData(ctx, w.lightKey(i), data); err != nil {
				return err
			}
		}
	}
	if data := s.Packed(); data != nil {
		return w.Kept.KeepData(ctx, w.eyesKey(), data)
	}
	return nil
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

// routeRays are gathered at most at each place of the route: their own noise is about 4 % of the light of
// its six sides in the demo.
const routeRays = 8192

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
func (w *Work) mirrors(ctx context.Context, out *Ended, b *bake.Baker) error {
	ids := slices.Sorted(maps.Keys(w.Plan.Rules.Mirrors))
	if len(ids) == 0 {
		return nil
	}
	at := w.Plan.MirrorsAt()
	table, err := b.Around(ctx)
	if err != nil {
		return err
	}
	lights, _ := b.Lights()
	all := slices.Concat(w.Sources, w.Others)
	var names []string
	for _, s := range all {
		names = append(names, s.ID)
		out.MirrorGains = append(out.MirrorGains, s.Gain)
	}
	for _, id := range ids {
		rule := w.Plan.Rules.Mirrors[id]
		key := func(i int) string {
			return w.keyOf("mirror", at, rule.Position, rule.Pixels, w.Quality.Mirror, all[i].Key, all[i].Bounces)
		}
		have, want := make([][]float32, len(all)), make([]bool, len(all))
		for i := range all {
			data, ok, err := w.data(ctx, key(i))
			if err != nil {
				return err
			}
			want[i] = !ok || packed.Read(data, &have[i]) != nil || len(have[i]) != 0 && len(have[i]) != 3*2*rule.Pixels*rule.Pixels
		}
		m, err := mirrors.Capture(ctx, b.W, rule, append([]*light.Light(nil), lights...), want, table, w.Quality.Mirror, w.Workers)
		if err != nil {
			return err
		}
		for i := range all {
			switch {
			case !want[i] && len(have[i]) > 0:
				m.Layers[i] = have[i]
			case want[i] && w.Kept != nil:
				if err := w.Kept.KeepData(ctx, key(i), packed.Of(m.Layers[i])); err != nil {
					return err
				}
			}
		}
		m.ID, m.Lights = id, names
		wrong, err := m.Wrong(ctx, b.W, lights, table, out.MirrorGains, w.Workers)
		if err != nil {
			return err
		}
		out.Mirrors, out.MirrorFaults = append(out.Mirrors, m), append(out.MirrorFaults, wrong)
	}
	return nil
}

// data is what is kept by a key, if anything is.
func (w *Work) data(ctx context.Context, key string) ([]byte, bool, error) {
	if w.Kept == nil {
		return nil, false, nil
	}
	return w.Kept.Data(ctx, key)
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
