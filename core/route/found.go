package route

import (
	"fmt"
	"math"

	"willowherb/core/setup"
)

// Trouble is a kind of finding.
type Trouble string

// Kinds of finding.
const (
	LostFigure Trouble = "figure"
	LostPath   Trouble = "path"
	LostExit   Trouble = "exit"
	TooDark    Trouble = "dark"
	TooDim     Trouble = "lux"
	TooBright  Trouble = "bright"
	Swings     Trouble = "swing"
	OverBudget Trouble = "cost"
)

// Troubles are all kinds of finding.
var Troubles = []Trouble{LostFigure, LostPath, LostExit, TooDark, TooDim, TooBright, Swings, OverBudget}

// Found is a part of the way that breaks a rule.
type Found struct {
	Kind  Trouble `json:"kind"`
	What  string  `json:"what"`
	From  float64 `json:"from"` // metres
	To    float64 `json:"to"`
	Step  int     `json:"step"` // the worst of them
	Value float64 `json:"value"`
	Limit float64 `json:"limit"`
	// Number is the value of the worst step in words, with its unit.
	Number string `json:"number"`
	Light  string `json:"light,omitempty"` // that costs most there
}

// Where is the part of the way in words.
func (f *Found) Where() string {
	if f.To-f.From < 0.5 {
		return fmt.Sprintf("at %.0f m", f.From)
	}
	return fmt.Sprintf("%.0f to %.0f m", f.From, f.To)
}

// tellsApart is the CIEDE2000 from which colour alone tells a figure from what is behind it.
const tellsApart = 5

// joins is how many metres of a way may keep a rule between two parts that break it alike.
const joins = 1.0

// rule is one that steps are held to.
type rule struct {
	kind   Trouble
	limit  float64
	bad    func(s *Step) (by float64, broken bool) // by how much it is broken: the worst is told
	words  func(worst *Step, seconds float64) string
	number func(s *Step) (float64, string)
}

func rules(w *Walked, r *setup.Route) (out []rule) {
	u := &r.Rules
	near := func(s *Step) string {
		if s.Stop == "" {
			return ""
		}
		return ", " + s.Stop
	}
	if u.Figure > 0 {
		out = append(out, rule{LostFigure, u.Figure, func(s *Step) (float64, bool) {
			f := s.Figure[judged]
			return u.Figure - math.Abs(f.Stops), f.Seen && math.Abs(f.Stops) < u.Figure && f.Colour < tellsApart
		}, func(a *Step, _ float64) string {
			return fmt.Sprintf("Figure lost at %g m%s", Distances[judged], near(a))
		},
			func(s *Step) (float64, string) {
				return s.Figure[judged].Stops, fmt.Sprintf("%.1f of %.1f st", math.Abs(s.Figure[judged].Stops), u.Figure)
			}})
	}
	if u.Path > 0 {
		out = append(out, rule{LostPath, u.Path, func(s *Step) (float64, bool) {
			return u.Path - math.Abs(s.Path), s.HasPath && math.Abs(s.Path) < u.Path
		}, func(a *Step, _ float64) string { return "Path like the walls" + near(a) },
			func(s *Step) (float64, string) {
				return s.Path, fmt.Sprintf("%.1f of %.1f st", math.Abs(s.Path), u.Path)
			}})
	}
	if u.Exit > 0 {
		out = append(out, rule{LostExit, u.Exit, func(s *Step) (float64, bool) {
			return u.Exit - math.Abs(s.Exit.Stops), s.Exit.Seen && math.Abs(s.Exit.Stops) < u.Exit && s.Exit.Colour < tellsApart
		}, func(a *Step, _ float64) string { return "Exit like its wall" + near(a) },
			func(s *Step) (float64, string) {
				return s.Exit.Stops, fmt.Sprintf("%.1f of %.1f st", math.Abs(s.Exit.Stops), u.Exit)
			}})
	}
	if u.Dark > 0 {
		out = append(out, rule{TooDark, u.Dark, func(s *Step) (float64, bool) { return s.Dark - u.Dark, s.Dark > u.Dark }, func(a *Step, seconds float64) string {
			return fmt.Sprintf("Too dark to see for %.1f s%s", seconds, near(a))
		}, func(s *Step) (float64, string) { return s.Dark, fmt.Sprintf("%.0f %% black", 100*s.Dark) }})
	}
	if u.Lux > 0 {
		out = append(out, rule{TooDim, u.Lux, func(s *Step) (float64, bool) { return u.Lux - s.Lux, s.Lux < u.Lux }, func(a *Step, _ float64) string { return "Hardly any light" + near(a) },
			func(s *Step) (float64, string) { return s.Lux, fmt.Sprintf("%.2g of %.2g lx", s.Lux, u.Lux) }})
	}
	if u.Bright > 0 {
		out = append(out, rule{TooBright, u.Bright, func(s *Step) (float64, bool) { return s.Bright - u.Bright, s.Bright > u.Bright }, func(a *Step, seconds float64) string {
			return fmt.Sprintf("Blinds for %.1f s%s", seconds, near(a))
		}, func(s *Step) (float64, string) {
			return s.Bright, fmt.Sprintf("%.0f %% white, %+.1f st", 100*s.Bright, s.Over)
		}})
	}
	if u.Swing > 0 {
		out = append(out, rule{Swings, u.Swing, func(s *Step) (float64, bool) {
			return math.Abs(s.Left) - u.Swing, math.Abs(s.Left) > u.Swing
		}, func(a *Step, seconds float64) string {
			return fmt.Sprintf("Exposure is behind for %.1f s%s", seconds, near(a))
		}, func(s *Step) (float64, string) { return s.Left, fmt.Sprintf("%+.1f st left", s.Left) }})
	}
	if w.LimitMs > 0 {
		out = append(out, rule{OverBudget, w.LimitMs, func(s *Step) (float64, bool) { return s.Ms - w.LimitMs, s.Ms > w.LimitMs }, func(a *Step, _ float64) string { return "Over budget" + near(a) },
			func(s *Step) (float64, string) { return s.Ms, fmt.Sprintf("%+.2f ms", s.Ms-w.LimitMs) }})
	}
	return out
}

// each is how long a step takes.
func each(steps []Step, i int) float64 {
	if i+1 < len(steps) {
		return steps[i+1].Second - steps[i].Second
	}
	return 0
}

// find gathers the steps that break each rule into parts of the way.
func find(w *Walked, r *setup.Route, joins float64) []Found {
	out := []Found{}
	for _, u := range rules(w, r) {
		for i := 0; i < len(w.Steps); i++ {
			if _, bad := u.bad(&w.Steps[i]); !bad {
				continue
			}
			first, last, worst, most := i, i, i, math.Inf(-1)
			for k := i; k < len(w.Steps) && w.Steps[k].Metres-w.Steps[last].Metres <= joins; k++ {
				by, bad := u.bad(&w.Steps[k])
				if !bad {
					continue
				}
				last = k
				if by > most {
					most, worst = by, k
				}
			}
			a, b := &w.Steps[first], &w.Steps[last]
			f := Found{Kind: u.kind, What: u.words(&w.Steps[worst], b.Second-a.Second+each(w.Steps, last)), From: a.Metres, To: b.Metres, Step: worst, Limit: u.limit}
			f.Value, f.Number = u.number(&w.Steps[worst])
			if u.kind == OverBudget {
				f.Light = w.Steps[worst].Worst
			}
			out = append(out, f)
			i = last
		}
	}
	return out
}
