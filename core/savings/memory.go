package savings

import (
	"context"
	"fmt"
	"math"

	"willowherb/core/bake"
	"willowherb/core/edits"
	"willowherb/core/frame"
	"willowherb/core/lamps"
	"willowherb/core/probes"
	"willowherb/core/setup"
	"willowherb/core/vec"
	"willowherb/core/world"
)

// LastBake is a bake of the order's place, whose memory could be made less.
type LastBake struct {
	Quality setup.Quality // of which it is
	Result  *bake.Result
	Field   *probes.Field // nil: none
	Rest    *world.World  // without movers
}

// Kinds of change that save memory, and need a new bake.
const (
	Pages  Means = "smaller lightmap pages"
	Probes Means = "coarser probes"
)

const (
	byMapped = "the run-time picture with the map at fewer texels, before and after"
	byProbed = "the run-time picture with fewer probes, before and after"
)

// wider are the texels that are tried, as times the side of one now.
var wider = []int{2, 3}

// The least that is proposed, in texels a metre, and the most, in metres between probes.
const (
	leastDensity = 0.25
	mostApart    = 20.0
)

// bakeOp sets a number of how is baked.
func bakeOp(doc *setup.Setup, field string, v float64, change func(*setup.Bake)) edits.Op {
	if doc.Bake != nil {
		return op("/bake/"+field, v)
	}
	rules := doc.Baking()
	change(&rules)
	o := op("/bake", rules)
	o.Op = "add"
	return o
}

// smaller adds the changes that make what is baked take less memory.
func (r *run) smaller(ctx context.Context) error {
	b := r.Order.Bake
	if b == nil || r.Baked == nil {
		return nil
	}
	rules := r.Doc.Baking()
	if was := &b.Result.Plan.Rules; was.Density != rules.Density || was.Apart != rules.Apart || was.Page != rules.Page || was.Format != rules.Format {
		return nil // what is baked is by other rules: it has to be baked again first
	}
	add := func(k Means, what, by string, plan *bake.Plan, saved float64, o edits.Op) {
		if saved <= 0 {
			return
		}
		c := Saving{Kinds: []Means{k}, What: what, Lights: []string{"/bake/" + string(k)}, Ops: []edits.Op{o}, SavedMB: saved, SavedMs: make([]float64, len(r.Eyes)), By: by, Rebake: true, plan: plan}
		if r.Doc.Bake == nil {
			c.Lights = []string{"/bake"} // both are one edit
		}
		r.changes = append(r.changes, c)
		r.after = append(r.after, r.now)
	}
	for _, k := range wider {
		density := math.Round(100*rules.Density/float64(k)) / 100
		if density < leastDensity {
			break
		}
		o := bakeOp(r.Doc, "density", density, func(b *setup.Bake) { b.Density = density })
		e, err := edits.Apply(r.Doc, []edits.Op{o})
		if err != nil {
			return err
		}
		p, err := bake.Lay(ctx, r.Scene, r.World, e.After, b.Quality, r.Workers)
		if err != nil {
			return err
		}
		add(Pages, fmt.Sprintf("Lightmap: %g texels a metre", density), byMapped, p, r.Baked.MB-p.MB(), o)
	}
	if apart := 2 * rules.Apart; b.Field != nil && apart <= mostApart {
		n := len(b.Field.Probes) - len(b.Field.Thinned().Probes)
		add(Probes, fmt.Sprintf("Probes: %g m apart", apart), byProbed, nil, float64(n)*r.device.Bytes.Probe/(1<<20), bakeOp(r.Doc, "apart", apart, func(b *setup.Bake) { b.Apart = apart }))
	}
	return nil
}

// baked measures the changes of what is baked, in a view.
func (r *run) baked(ctx context.Context, v *Eye, y *look) error {
	var before *frame.Picture
	for i := range r.changes {
		c := &r.changes[i]
		if !c.Rebake {
			continue
		}
		if before == nil {
			var err error
			if before, err = r.runTime(ctx, v, y, nil); err != nil {
				return err
			}
		}
		after, err := r.runTime(ctx, v, y, c)
		if err != nil {
			return err
		}
		add(after.RGB, before.RGB, -1)
		y.change[i] = after.RGB
	}
	return nil
}

// runTime is what the target shows of baked light, with a change or none.
func (r *run) runTime(ctx context.Context, v *Eye, y *look, c *Saving) (*frame.Picture, error) {
	b, lit := r.Order.Bake, v.lit(r.now.lamps, 0)
	shown := b.Result.Show(gainsOf(b.Result.Sources, lit))
	field := b.Field
	switch {
	case c == nil:
	case c.plan != nil:
		shown = shown.Coarser(c.plan)
	default:
		field = field.Thinned()
	}
	o := &frame.Order{World: r.now.world, Rest: b.Rest, Lamps: lit, View: v.Camera, W: y.w, H: y.h, Samples: mapSamples, Cascades: r.device.How.Cascades, Map: shown, Field: field, AirSamples: 1, Workers: r.Workers}
	if field != nil {
		for _, id := range field.Lights {
			o.Gains = append(o.Gains, gainOf(id, lit))
		}
	}
	// Direct light of lights that are not baked is the same in both.
	o.Layer = func(context.Context, *lamps.Lamp, func(context.Context) ([]float32, error)) ([]float32, error) {
		return make([]float32, 3*y.w*y.h), nil
	}
	return frame.Render(ctx, o)
}

func gainOf(id string, lit []*lamps.Lamp) vec.V3 {
	if l := lampOf(lit, id); l != nil {
		return l.Gain()
	}
	return vec.V3{}
}

func gainsOf(of []bake.Source, lit []*lamps.Lamp) []vec.V3 {
	out := make([]vec.V3, len(of))
	for i := range of {
		out[i] = gainOf(of[i].ID, lit)
	}
	return out
}

// overMap is by how many megabytes the lightmap is over its own limit.
func (r *run) overMap() float64 {
	if most := r.device.Limits.LightmapMB; most > 0 && r.Baked != nil {
		return r.Baked.MB - most
	}
	return 0
}

// remember chooses of the changes that save memory those that are enough and lose the least: over
// is by how many megabytes all, and the lightmap alone, are too large. Where none are enough it
// is those that save the most. There are so few that all sets are looked at.
func remember(changes []Saving, over, overMap float64) (set []int, short float64) {
	best := math.Inf(1)
	short = math.Inf(1)
	var kinds [2][]int // of changes; -1: none of this kind
	kinds[0], kinds[1] = []int{-1}, []int{-1}
	for i := range changes {
		switch changes[i].Kinds[0] {
		case Pages:
			kinds[0] = append(kinds[0], i)
		case Probes:
			kinds[1] = append(kinds[1], i)
		}
	}
	for _, p := range kinds[0] {
		for _, q := range kinds[1] {
			left, leftMap, loss := over, overMap, 0.0
			var now []int
			for _, i := range []int{p, q} {
				if i < 0 {
					continue
				}
				now = append(now, i)
				left -= changes[i].SavedMB
				loss += mean(changes[i].Loss)
				if i == p {
					leftMap -= changes[i].SavedMB
				}
			}
			if p >= 0 && q >= 0 && changes[p].Lights[0] == changes[q].Lights[0] {
				continue
			}
			s := max(left, leftMap, 0)
			if s < short-1e-9 || s <= short+1e-9 && loss < best {
				set, short, best = now, s, loss
			}
		}
	}
	return set, short
}
