package baking

import (
	"fmt"
	"math"
	"slices"

	"willowherb/core/bake"
	"willowherb/core/budget"
	"willowherb/core/scene"
	"willowherb/core/setup"
	"willowherb/core/vec"
)

// Finding is something that is wrong with a bake: where, how much, and what to do.
type Finding struct {
	Kind   string `json:"kind"`
	Object string `json:"object"` // its path; empty for the bake as a whole
	What   string `json:"what"`
	Remedy string `json:"remedy"`
}

// Limits of the checks.
const (
	noisyFrom    = 0.15 // noise left in an object, as a share of its light
	thinFrom     = 0.1  // share of an object's texels beside something thinner
	jump         = 2.5  // densities of neighbours, one over the other
	edgesFrom    = 0.04 // share of an object's texels within which shadows have their edges
	wasteFrom    = 0.5  // of the pages, with padding
	wrongFrom    = 0.5  // of the probes along the route, at a place
	mirrorFrom   = 0.35
	worthTelling = 200 // texels of an object
)

// Check looks for what is wrong with a bake.
func Check(s *scene.Scene, doc *setup.Setup, r *bake.Result, e *Ended) []Finding {
	out := []Finding{}
	add := func(kind, object, remedy, what string, a ...any) {
		out = append(out, Finding{kind, object, fmt.Sprintf(what, a...), remedy})
	}
	gains := r.Gains()
	plan := r.Plan
	for i, l := range plan.Objects {
		if l.Used < worthTelling {
			continue
		}
		if n := r.Noise(i, gains); n > noisyFrom {
			add("noise", l.Path, "Bake at a better quality, or have probes light it.", "%.0f %% of its light is noise", 100*n)
		}
		if _, thin := r.Buried(i); float64(thin) > thinFrom*float64(l.Used) {
			add("leak", l.Path, "Give it more texels a metre, or make what stands on it thicker.", "%.0f %% of its texels lie beside something thinner than a texel: where one side is far brighter, they take the darker side's light", 100*float64(thin)/float64(l.Used))
		}
		if e := r.Edges(i, gains); e > edgesFrom {
			add("shadow", l.Path, fmt.Sprintf("Give it %.3g texels a metre, or split the lights whose shadows are sharp there.", math.Ceil(2*l.Density/plan.Quality.Density)), "at %.0f %% of its texels light changes within a texel: they are larger than the shadows' detail", 100*e)
		}
		if l.OwnUV != "" && l.OwnUV != "used" {
			add("charts", l.Path, "Mend its second UV set, or leave it: charts are made for it.", "its second UV set does not serve: %s", l.OwnUV)
		}
	}
	jumps(s, plan, add)
	if _, padded := plan.Filled(); padded < wasteFrom && len(plan.Pages) > 1 {
		add("waste", "", "Choose smaller pages.", "%.0f %% of the pages are empty", 100*(1-padded))
	}
	t := budget.Find(doc.Target)
	mb := plan.MB()
	for _, m := range e.Mirrors {
		mb += float64(m.Bytes()) / (1 << 20)
	}
	if t.LightmapMB > 0 && mb > t.LightmapMB {
		add("memory", "", "Fewer texels a metre, another format, or smaller reflection probes.", "lightmap and reflection probes take %.0f MB; %s has %.0f MB for them", mb, t.Name, t.LightmapMB)
	}
	if e.Field != nil && len(e.Field.Dropped) > 0 {
		add("probes", "", "Move the boxes that are filled, or the probes that were set, out of solids.", "%d probes stood in something solid, with no way out, and were left out", len(e.Field.Dropped))
	}
	if len(e.Faults) > 0 && e.Faults[0].Share > wrongFrom {
		p := e.Faults[0].Pos
		add("probes", "", "Set a probe there, or have them nearer to each other.", "at %.1f %.1f %.1f m on the way through the views probes are wrong by %.0f %%", p.X, p.Y, p.Z, 100*e.Faults[0].Share)
	}
	for i, m := range e.Mirrors {
		if e.MirrorFaults[i] > mirrorFrom {
			add("mirror", "", "Fit its box to the room, or divide the room among several.", "%s is wrong by %.0f %% on average over its box", m.Name, 100*e.MirrorFaults[i])
		}
	}
	return out
}

// jumps finds objects that touch and differ much in density.
func jumps(s *scene.Scene, plan *bake.Plan, add func(kind, object, remedy, what string, a ...any)) {
	type pair struct{ a, b string }
	var told []pair
	for i, l := range plan.Objects {
		for _, o := range plan.Objects[i+1:] {
			a, b := &s.Objects[l.Object], &s.Objects[o.Object]
			gap := vec.Max3(a.Lo, b.Lo).Sub(vec.Min3(a.Hi, b.Hi)).Max()
			k := max(l.Density/o.Density, o.Density/l.Density)
			if gap > 0.02 || k < jump || l.Used < worthTelling || o.Used < worthTelling || slices.Contains(told, pair{l.Path, o.Path}) {
				continue
			}
			told = append(told, pair{l.Path, o.Path})
			add("density", l.Path, "Bring their densities nearer to each other.", "it has %.3g texels a metre, and %s beside it %.3g", l.Density, o.Path, math.Round(o.Density*100)/100)
		}
	}
}
