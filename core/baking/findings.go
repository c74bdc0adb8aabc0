package baking

import (
	"cmp"
	"fmt"
	"math"
	"slices"

	"willowherb/core/bake"
	"willowherb/core/scene"
	"willowherb/core/setup"
	"willowherb/core/vec"
)

// Finding is one kind of thing that is wrong with a bake: what, where, and what to do.
type Finding struct {
	Kind   string  `json:"kind"`
	What   string  `json:"what"`
	Remedy string  `json:"remedy"`
	Where  []Where `json:"where"` // the worst first
}

// Where something is wrong, and how much.
type Where struct {
	Object string  `json:"object"` // its path, or the name of a reflection probe; empty for the bake as a whole
	How    string  `json:"how"`
	Much   float64 `json:"much"` // what it is sorted by
	// At is the place, where it is none of an object.
	At *[3]float64 `json:"at,omitempty"`
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

// kinds are what is looked for, in the order in which it is told.
var kinds = []Finding{
	{Kind: "noise", What: "Noise is left", Remedy: "Bake at a better quality, or have probes light it."},
	{Kind: "leak", What: "Something thinner than a texel stands on it: where one side is far brighter, texels beside it take the darker side’s light", Remedy: "Give it more texels a metre, or make what stands on it thicker."},
	{Kind: "shadow", What: "Texels are larger than the shadows’ detail: light changes within them", Remedy: "Give it more texels a metre, or split the lights whose shadows are sharp there."},
	{Kind: "charts", What: "The second UV set does not serve", Remedy: "Mend it, or leave it: charts are made."},
	{Kind: "density", What: "Objects that touch differ much in texels a metre", Remedy: "Bring their densities nearer to each other."},
	{Kind: "waste", What: "Pages are left empty", Remedy: "Choose smaller pages."},
	{Kind: "memory", What: "Lightmap and reflection probes take more than the target has for them", Remedy: "Fewer texels a metre, another format, or smaller reflection probes."},
	{Kind: "dropped", What: "Probes stood in something solid, with no way out, and were left out", Remedy: "Move the boxes that are filled, or the probes that were set, out of solids."},
	{Kind: "probes", What: "Probes are wrong on the way through the views", Remedy: "Set a probe there, or have them nearer to each other."},
	{Kind: "mirror", What: "Reflection probes are wrong, on average over their boxes", Remedy: "Fit the box to the room, or divide the room among several."},
}

// Check looks for what is wrong with a bake: each kind once, with the places.
func Check(s *scene.Scene, doc *setup.Setup, r *bake.Result, e *Ended) []Finding {
	where := map[string][]Where{}
	add := func(kind, object string, much float64, how string, a ...any) {
		where[kind] = append(where[kind], Where{Object: object, How: fmt.Sprintf(how, a...), Much: much})
	}
	gains := r.Gains()
	plan := r.Plan
	for i, l := range plan.Objects {
		if l.Used < worthTelling {
			continue
		}
		if n := r.Noise(i, gains); n > noisyFrom {
			add("noise", l.Path, n, "%.0f %% of its light", 100*n)
		}
		if _, thin := r.Buried(i); float64(thin) > thinFrom*float64(l.Used) {
			share := float64(thin) / float64(l.Used)
			add("leak", l.Path, share, "%.0f %% of its texels", 100*share)
		}
		if e := r.Edges(i, gains); e > edgesFrom {
			add("shadow", l.Path, e, "%.0f %% of its texels; %.3g a metre would do", 100*e, math.Ceil(2*l.Density/plan.Quality.Density))
		}
		if l.OwnUV != "" && l.OwnUV != "used" {
			add("charts", l.Path, 0, "%s", l.OwnUV)
		}
	}
	jumps(s, plan, add)
	if _, padded := plan.Filled(); padded < wasteFrom && len(plan.Pages) > 1 {
		add("waste", "", 1-padded, "%.0f %% of their texels", 100*(1-padded))
	}
	t := doc.Device()
	mb := plan.MB()
	for _, m := range e.Mirrors {
		mb += float64(m.Bytes()) / (1 << 20)
	}
	if t.Limits.LightmapMB > 0 && mb > t.Limits.LightmapMB {
		add("memory", "", mb, "%.0f MB; %s has %.0f MB", mb, t.Name, t.Limits.LightmapMB)
	}
	if e.Field != nil && len(e.Field.Dropped) > 0 {
		n := len(e.Field.Dropped)
		add("dropped", "", float64(n), "%d of them", n)
	}
	for i, f := range e.Faults {
		if f.Share > wrongFrom && i < 5 {
			at := f.Pos.Array()
			where["probes"] = append(where["probes"], Where{How: fmt.Sprintf("at %.1f %.1f %.1f m by %.0f %%", at[0], at[1], at[2], 100*f.Share), Much: f.Share, At: &at})
		}
	}
	for i, m := range e.Mirrors {
		if w := e.MirrorFaults[i]; w > mirrorFrom {
			add("mirror", m.Name, w, "by %.0f %%", 100*w)
		}
	}
	out := []Finding{}
	for _, k := range kinds {
		if k.Where = where[k.Kind]; len(k.Where) > 0 {
			slices.SortStableFunc(k.Where, func(a, b Where) int { return cmp.Compare(b.Much, a.Much) })
			out = append(out, k)
		}
	}
	return out
}

// jumps finds objects that touch and differ much in density.
func jumps(s *scene.Scene, plan *bake.Plan, add func(kind, object string, much float64, how string, a ...any)) {
	for i, l := range plan.Objects {
		for _, o := range plan.Objects[i+1:] {
			a, b := &s.Objects[l.Object], &s.Objects[o.Object]
			gap := vec.Max3(a.Lo, b.Lo).Sub(vec.Min3(a.Hi, b.Hi)).Max()
			k := max(l.Density/o.Density, o.Density/l.Density)
			if gap <= 0.02 && k >= jump && l.Used >= worthTelling && o.Used >= worthTelling {
				add("density", l.Path, k, "%.3g a metre, and %s beside it %.3g", l.Density, o.Path, o.Density)
			}
		}
	}
}
