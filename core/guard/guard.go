// Package guard holds a setup to its rules: what frames of its views and of its routes may
// cost on the target, and how readable the way must be. A build runs it (willowherb check).
package guard

import (
	"fmt"

	"willowherb/core/budget"
	"willowherb/core/route"
	"willowherb/core/setup"
	"willowherb/core/target"
)

// State is how a check came out.
type State string

// States.
const (
	Kept    State = "kept"
	Broken  State = "broken"
	Unknown State = "not known"
)

// Check is one rule that was looked at.
type Check struct {
	Of     string  `json:"of"`   // the view or route
	Rule   string  `json:"rule"` // what is held
	State  State   `json:"state"`
	Says   string  `json:"says"` // what was found
	Remedy string  `json:"remedy,omitempty"`
	Value  float64 `json:"value"`
	Limit  float64 `json:"limit"`
	// Steps are those of the route that are worst, a part each.
	Steps []int `json:"steps,omitempty"`
}

// View holds a view's frame to its target. name lights by their id.
func View(of string, t *target.Target, f *budget.Frame, name map[string]string) (out []Check) {
	add := func(rule string, value, limit float64, unit, remedy string) {
		if limit <= 0 {
			return
		}
		c := Check{Of: of, Rule: rule, State: Kept, Value: value, Limit: limit, Says: fmt.Sprintf("%.4g of %.4g%s", value, limit, unit)}
		if value > limit+1e-9 {
			c.State, c.Remedy = Broken, remedy
		}
		out = append(out, c)
	}
	worst, ms := "", 0.0
	for id, c := range f.Lights {
		if c.Ms > ms || c.Ms == ms && id < worst {
			worst, ms = id, c.Ms
		}
	}
	blame := "make the passes cheaper; willowherb savings proposes what"
	if worst != "" {
		blame = fmt.Sprintf("%s costs most, %.2f ms; willowherb savings proposes what to change", name[worst], ms)
	}
	add("frame time", f.Ms, t.Limits.Ms, " ms", blame)
	known := true
	for _, m := range f.Memory {
		known = known && m.Known != budget.Unknown
		if m.Limit > 0 {
			add("memory of "+m.Name, m.MB, m.Limit, " MB", "smaller maps, fewer of them, or fewer texels a metre")
			if m.Known == budget.Unknown {
				out[len(out)-1].State, out[len(out)-1].Says = Unknown, "nothing is baked; give --bake"
			}
		}
	}
	add("memory", f.MB, t.Limits.MB, " MB", "smaller shadow maps or lightmaps")
	if n := len(out) - 1; !known && t.Limits.MB > 0 && out[n].State == Kept {
		out[n].State, out[n].Says = Unknown, out[n].Says+" without what a bake keeps; give --bake"
	}
	add("lights that overlap", float64(f.Overlap), float64(t.Limits.Overlap), "", "shorten ranges, or bake some of the lights there")
	add("lights with shadow maps", float64(f.Shadows), float64(t.Limits.Shadows), "", "switch off the shadows that are least seen")
	return out
}

var ruleWords = []struct {
	kind  route.Trouble
	words string
	hold  func(r *setup.Rules) float64
	fix   string
}{
	{route.LostFigure, "figure apart from what is behind it", func(r *setup.Rules) float64 { return r.Figure }, "light the figure's way from behind, or what is behind it"},
	{route.LostPath, "path apart from the walls", func(r *setup.Rules) float64 { return r.Path }, "light the ground ahead, or darken the walls"},
	{route.LostExit, "exit apart from the wall about it", func(r *setup.Rules) float64 { return r.Exit }, "light what lies beyond the exit, or darken the wall about it"},
	{route.TooDark, "not too dark to see", func(r *setup.Rules) float64 { return r.Dark }, "more light there, or have exposure follow faster into the dark"},
	{route.TooDim, "light at the eye", func(r *setup.Rules) float64 { return r.Lux }, "more light there"},
	{route.TooBright, "nothing blinds", func(r *setup.Rules) float64 { return r.Bright }, "less contrast between the parts of the way"},
	{route.Swings, "exposure keeps up", func(r *setup.Rules) float64 { return r.Swing }, "a place between, of a brightness between"},
	{route.OverBudget, "frame time", func(*setup.Rules) float64 { return 1 }, "willowherb savings proposes what to change"},
}

// Route holds a walked route to its rules.
func Route(w *route.Walked, r *setup.Route) (out []Check) {
	for _, u := range ruleWords {
		if u.hold(&r.Rules) <= 0 || u.kind == route.OverBudget && w.LimitMs <= 0 {
			continue
		}
		c := Check{Of: w.Name, Rule: u.words, State: Kept, Says: fmt.Sprintf("on all %.0f m", w.Metres), Limit: u.hold(&r.Rules)}
		if u.kind == route.OverBudget {
			c.Limit, c.Value = w.LimitMs, w.Steps[w.Worst].Ms
			c.Says = fmt.Sprintf("%.2f of %.2f ms at most", c.Value, c.Limit)
		}
		metres := 0.0
		for _, f := range w.Found {
			if f.Kind != u.kind {
				continue
			}
			if c.State != Broken {
				c.State, c.Says, c.Remedy, c.Value = Broken, "", u.fix, f.Value
			}
			if len(c.Steps) < 6 {
				if c.Says != "" {
					c.Says += "; "
				}
				c.Says += fmt.Sprintf("%s, %s: %s", f.What, f.Where(), f.Number)
			}
			c.Steps = append(c.Steps, f.Step)
			metres += f.To - f.From
		}
		if n := len(c.Steps); n > 6 {
			c.Says += fmt.Sprintf("; and %d more parts, %.0f m in all", n-6, metres)
		}
		out = append(out, c)
	}
	return out
}

// Passed reports whether no rule is broken.
func Passed(all []Check) bool {
	for _, c := range all {
		if c.State == Broken {
			return false
		}
	}
	return true
}
