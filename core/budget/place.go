package budget

import (
	"context"

	"willowherb/core/lamps"
	"willowherb/core/scene"
	"willowherb/core/setup"
	"willowherb/core/staging"
	"willowherb/core/vec"
	"willowherb/core/work"
	"willowherb/core/world"
)

// Place is a setup's place as its frames are counted; bake is what is known of baked light,
// nil for nothing.
func Place(doc *setup.Setup, s *scene.Scene, w *world.World, bake *Baked) *work.Place {
	left := map[string]bool{}
	if bake != nil {
		for _, path := range bake.Left {
			left[path] = true
		}
	}
	said := staging.Baked(doc, s)
	byProbes := make([]bool, len(said))
	for i, b := range said {
		byProbes[i] = b.ByProbes || left[s.Objects[i].Path]
	}
	return work.NewPlace(w, staging.Movers(doc, s), byProbes)
}

// State is what lights a setup's place, as a camera with a grade sees it.
func State(doc *setup.Setup, p *work.Place, lit []*lamps.Lamp, v *setup.View) *work.State {
	g := v.GradeIn(doc)
	st := &work.State{Lamps: lit, Moving: moving(doc, p, lit), Air: p.World.Air, Directional: doc.Baking().Directional, Blur: v.Focus > 0 || v.FocusOn != ""}
	if doc.Fog != nil {
		st.FogSteps = doc.Fog.Steps
	}
	if g != nil {
		st.Bloom, st.Corners = g.Bloom > 0, g.Corners > 0
	}
	if doc.Bake != nil {
		for _, m := range doc.Bake.Mirrors {
			size := m.Size
			if m.Sphere {
				size = [3]float64{m.Size[0], m.Size[0], m.Size[0]}
			}
			mid, half := vec.Of(m.Middle), vec.Of(size).Scale(0.5)
			st.Reflections = append(st.Reflections, [2]vec.V3{mid.Sub(half), mid.Add(half)})
		}
	}
	return st
}

// moving tells the lamps that travel with something that moves.
func moving(doc *setup.Setup, p *work.Place, lit []*lamps.Lamp) []bool {
	out := make([]bool, len(lit))
	rigs := map[string]bool{}
	moves := func(path string) bool {
		if m, ok := rigs[path]; ok {
			return m
		}
		for i, o := range p.World.S.Objects {
			if p.Moves != nil && p.Moves[i] && (scene.Under(o.Path, path) || scene.Under(path, o.Path)) {
				rigs[path] = true
				return true
			}
		}
		rigs[path] = false
		return false
	}
	for i, l := range lit {
		out[i] = l.Carried
		for id, n := l.Group, 0; id != "" && n < 64; n++ {
			g, ok := doc.Groups[id]
			if !ok {
				break
			}
			if g.Rig != nil && g.Rig.Object != "" && moves(g.Rig.Object) {
				out[i] = true
				break
			}
			id = g.Parent
		}
	}
	return out
}

// Every is how many tiles across and down there are for each that a view's budget is counted
// by: what is counted so is within a few per cent of all (docs/cost-model.md).
const Every = 2

// View counts and prices a view of a setup on its target. bake is what is kept of baked
// light, nil for none. Error: ctx ended.
func View(ctx context.Context, doc *setup.Setup, p *work.Place, lit []*lamps.Lamp, v *setup.View, bake *Baked, every, workers int) (*Frame, error) {
	t := doc.Device()
	s, err := p.See(ctx, v.Camera(), t.How, every, workers)
	if err != nil {
		return nil, err
	}
	d, err := s.Count(ctx, State(doc, p, lit, v), workers)
	if err != nil {
		return nil, err
	}
	f := Price(t, lit, d, bake)
	return &f, nil
}
