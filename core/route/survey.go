package route

import (
	"context"
	"math"
	"slices"

	"willowherb/core/bake"
	"willowherb/core/budget"
	"willowherb/core/cache"
	"willowherb/core/colour"
	"willowherb/core/ground"
	"willowherb/core/light"
	"willowherb/core/path"
	"willowherb/core/plot"
	"willowherb/core/probes"
	"willowherb/core/setup"
	"willowherb/core/spread"
	"willowherb/core/vec"
	"willowherb/core/work"
	"willowherb/core/world"
)

// Standing is a place of the level where somebody can stand.
type Standing struct {
	At [3]float64 `json:"at"`
	// Floor falls on the ground from above, Eye on an upright surface at eye height, on average
	// over four sides, in lux.
	Floor float64 `json:"floor"`
	Eye   float64 `json:"eye"`
	// Lights is how many live lights reach it, Shadows how many of those have shadow maps.
	Lights  int `json:"lights"`
	Shadows int `json:"shadows"`
	// Ms is what the frame costs there, looking to the dearest of four sides.
	Ms float64 `json:"ms"`
	// Wrong is by how much probes are wrong at eye height: the mean difference over six sides as a
	// share of the baked light that arrives; -1 where it is not known.
	Wrong float64 `json:"wrong"`
}

// Level is the level seen from above, as far as it can be walked.
type Level struct {
	Cell    float64      `json:"cell"` // metres between spots
	Spots   []Standing   `json:"spots"`
	Walls   [][4]float64 `json:"walls"`
	LimitMs float64      `json:"limitMs"`
	Probes  bool         `json:"probes"` // whether there are any to be wrong
}

// Of a survey: how many spots at most, the least cell, how far round where it begins, and rays.
const (
	spotsMost  = 1500
	cellLeast  = 0.5
	around     = 6.0
	aboutViews = 15.0 // where there is no route yet
	surveyRays = 32
	surveyEach = 10 // tiles of the frame, for its cost
)

// Survey looks at the level from where a route's stops are, with the views' eyes where it has
// fewer than two, over all that can be walked from there. Error: ErrNoWay, ctx ended.
func Survey(ctx context.Context, o *Order) (*Level, error) {
	w := &walker{Order: o, device: o.Doc.Device()}
	if err := w.settle(); err != nil {
		return nil, err
	}
	spots, cell, lo, hi, err := w.spots(ctx)
	if err != nil {
		return nil, err
	}
	w.tell(0.1)
	for _, p := range spots {
		w.way.Places = append(w.way.Places, Place{Ground: p, Eye: p.Add(vec.V3{Y: float32(eyeHigh)}), Aim: vec.V3{Z: -1}, FovY: surveyFov})
	}
	for _, l := range w.Lamps {
		if l.Gain() != (vec.V3{}) {
			w.still = append(w.still, l)
			w.gains = append(w.gains, l.Gain())
		}
	}
	if err := w.fill(ctx, max(len(spots)/300, 1)); err != nil {
		return nil, err
	}
	out := &Level{Cell: cell, Spots: make([]Standing, len(spots)), LimitMs: w.device.Limits.Ms}
	out.Walls = plot.PlanAt(w.Scene, w.moves, lo, hi, w.middle(spots)+1.2)
	err = spread.With(ctx, len(spots), o.Workers, func() (func(int), func()) {
		h := &hand{probes.NewEye(w.rest, w.sources(), whole(len(w.still)), w.table), path.NewWalker(w.rest, w.sources()), w.rest.Tracer()}
		return func(i int) { w.survey(ctx, i, &out.Spots[i], h) }, h.release
	})
	if err == nil && o.Field != nil {
		out.Probes = true
		err = w.wrong(ctx, out.Spots)
	}
	w.tell(1)
	return out, err
}

// wrongRays are gathered at a place for what its probes are held against: their noise is some
// per cent of what is told.
const wrongRays = 512

// wrong tells how wrong the probes are where somebody can stand.
func (w *walker) wrong(ctx context.Context, spots []Standing) error {
	rules := w.Doc.Baking()
	po := &probes.Order{World: w.rest, Rules: &rules, Workers: w.Workers}
	baked := bake.Sources(w.Lamps, &rules, nil)
	var of []cache.Source
	for _, id := range w.Field.Lights { // a light that is gone since gives nothing
		s := bake.Source{ID: id, Light: &light.Light{Kind: light.Point}}
		if i := slices.IndexFunc(baked, func(b bake.Source) bool { return b.ID == id }); i >= 0 {
			s = baked[i]
		}
		po.IDs, po.Gains, po.Whole, po.Lights = append(po.IDs, id), append(po.Gains, s.Gain), append(po.Whole, s.Straight), append(po.Lights, s.Light)
		of = append(of, cache.Source{Key: s.Key, Light: s.Light})
	}
	var err error
	if po.Table, err = w.Known.cache.Light(ctx, w.reach, of, w.Workers); err != nil {
		return err
	}
	at := map[vec.V3]*Standing{}
	var eyes []vec.V3
	for i := range spots {
		p := w.way.Places[i].Eye
		at[p], eyes = &spots[i], append(eyes, p)
	}
	faults, err := po.Along(ctx, w.Field, eyes, wrongRays)
	if err != nil {
		return err
	}
	for _, f := range faults {
		at[f.Pos].Wrong = f.Share
	}
	return nil
}

const (
	eyeHigh   = 1.6
	surveyFov = 46 * math.Pi / 180
)

// middle is the height that most spots lie at.
func (w *walker) middle(spots []vec.V3) float64 {
	n := map[int]int{}
	best := 0
	for _, p := range spots {
		k := int(math.Round(float64(p.Y) * 4))
		if n[k]++; n[k] > n[best] {
			best = k
		}
	}
	return float64(best) / 4
}

// spots are places to stand, evenly, so many at most.
func (w *walker) spots(ctx context.Context) (out []vec.V3, cell float64, lo, hi vec.V3, err error) {
	var from []vec.V3
	for _, s := range w.Route.Stops {
		from = append(from, vec.Of(s.At).Add(vec.V3{Y: 0.9}))
	}
	if len(from) < 2 { // a route that is only begun
		for _, id := range w.Doc.SortedViews() {
			from = append(from, vec.Of(w.Doc.Views[id].Eye))
		}
	}
	lo, hi = vec.Splat(math.MaxFloat32), vec.Splat(-math.MaxFloat32)
	for _, p := range from {
		lo, hi = vec.Min3(lo, p), vec.Max3(hi, p)
	}
	far := float32(around)
	if len(w.Route.Stops) < 2 {
		far = aboutViews
	}
	lo, hi = lo.Sub(vec.Splat(far)), hi.Add(vec.Splat(far))
	g, err := ground.FindIn(ctx, w.rest, from, ground.Grown, lattice, reach, &ground.Box{Lo: lo, Hi: hi})
	if err != nil {
		return nil, 0, lo, hi, err
	}
	for k := int(math.Ceil(cellLeast / lattice)); ; k++ {
		out = out[:0]
		for i := range g.Spots {
			if s := &g.Spots[i]; int(s.I)%k == 0 && int(s.J)%k == 0 {
				out = append(out, s.Pos)
			}
		}
		if cell = float64(k) * lattice; len(out) <= spotsMost {
			break
		}
	}
	if len(out) == 0 {
		return nil, 0, lo, hi, ErrNoWay
	}
	return out, cell, lo, hi, nil
}

// survey asks what a spot has.
func (w *walker) survey(ctx context.Context, i int, s *Standing, h *hand) {
	p := &w.way.Places[i]
	s.At, s.Wrong = p.Ground.Array(), -1
	floor := h.eye.At(p.Ground.Add(vec.V3{Y: 0.05}), surveyRays, uint32(2*i), w.table)
	eye := h.eye.At(p.Eye, surveyRays, uint32(2*i+1), w.table)
	for k, g := range w.gains {
		s.Floor += colour.LuminanceOf(floor.Six[k][2].Mul(g))
		for _, a := range [4]int{0, 1, 4, 5} {
			s.Eye += colour.LuminanceOf(eye.Six[k][a].Mul(g)) / 4
		}
	}
	chest := p.Ground.Add(vec.V3{Y: 1})
	for _, l := range w.Lamps {
		if !work.Live(l) || !l.Source.Reaches(chest, vec.V3{}) {
			continue
		}
		s.Lights++
		if plan, _, _ := l.Source.Plan(); l.Shadow && plan != light.NoMap {
			s.Shadows++
		}
	}
	for _, aim := range [4]vec.V3{{X: 1}, {X: -1}, {Z: 1}, {Z: -1}} {
		seen, err := w.place.See(ctx, world.Camera{Eye: p.Eye, Aim: aim, Up: vec.V3{Y: 1}, FovY: surveyFov}, w.device.How, surveyEach, 1)
		if err != nil {
			return
		}
		st := budget.State(w.Doc, w.place, w.Lamps, &setup.View{Eye: s.At})
		d, err := seen.Count(ctx, st, 1)
		if err != nil {
			return
		}
		f := budget.Price(w.device, w.Lamps, d, w.Baked)
		s.Ms = max(s.Ms, f.Ms)
	}
}
