package setup

import (
	"cmp"
	"maps"
	"math"
	"slices"

	"willowherb/core/grade"
)

// Zone is a part of the level with an exposure of its own; one without a size is everywhere.
// Where several hold, those of higher precedence are laid over the others.
type Zone struct {
	Name       string     `json:"name"`
	Precedence float64    `json:"precedence"`
	Off        bool       `json:"off,omitempty"`
	Position   [3]float64 `json:"position"` // of its middle
	Size       [3]float64 `json:"size"`     // metres; 0: endless
	Blend      float64    `json:"blend"`    // metres round it over which it fades
	EV         float64    `json:"ev"`
	// Grade is what is done to the picture's colours there; left out, what is done everywhere.
	Grade *grade.Grade `json:"grade,omitempty"`
}

// MaxTargets bounds the devices of a setup's own.
const MaxTargets = 20

// MaxZones bounds the zones of a setup.
const MaxZones = 100

func (z *Zone) validate(c *checker, at, id string) {
	c.id(at, id)
	c.name(at+"/name", z.Name)
	c.num(at+"/precedence", z.Precedence, -1e6, 1e6)
	c.num(at+"/blend", z.Blend, 0, 1e4)
	c.num(at+"/ev", z.EV, -20, 30)
	if z.Grade != nil {
		err := z.Grade.Check()
		c.ok(err == nil, at+"/grade", "%v", err)
	}
	for k := range 3 {
		c.num(at+"/position", z.Position[k], -1e5, 1e5)
		c.num(at+"/size", z.Size[k], 0, 1e5)
	}
}

// Weight is how much the zone holds at a place: 1 inside, less over its blend, 0 beyond.
func (z *Zone) Weight(p [3]float64) float64 {
	if z.Off {
		return 0
	}
	var d2 float64
	for k := range 3 {
		if z.Size[k] == 0 {
			continue
		}
		if d := math.Abs(p[k]-z.Position[k]) - z.Size[k]/2; d > 0 {
			d2 += d * d
		}
	}
	switch d := math.Sqrt(d2); {
	case d == 0:
		return 1
	case d >= z.Blend:
		return 0
	default:
		return 1 - d/z.Blend
	}
}

// sortedZones are the ids of the zones, those that are laid over others last.
func (s *Setup) sortedZones() []string {
	ids := slices.Sorted(maps.Keys(s.Zones))
	slices.SortStableFunc(ids, func(a, b string) int { return cmp.Compare(s.Zones[a].Precedence, s.Zones[b].Precedence) })
	return ids
}

// InZones is the exposure at a place that is held at ev where no zone holds, and the id of the
// zone that has most of it; empty for none.
func (s *Setup) InZones(p [3]float64, ev float64) (float64, string) {
	first := ""
	for _, id := range s.sortedZones() {
		z := s.Zones[id]
		w := z.Weight(p)
		if w >= 0.5 {
			first = id
		}
		ev += w * (z.EV - ev)
	}
	return ev, first
}

// GradeAt is what is done to the colours of a picture that is seen from a place by its zones.
func (s *Setup) GradeAt(p [3]float64) *grade.Grade {
	g := s.Grade
	for _, id := range s.sortedZones() {
		if z := s.Zones[id]; z.Grade != nil {
			g = grade.Mix(g, z.Grade, z.Weight(p))
		}
	}
	return g
}

// InTheirZones is a setup whose views that go by zones have the exposure and the grade that
// their eyes stand in.
func (s *Setup) InTheirZones() *Setup {
	var views map[string]View
	for id, v := range s.Views {
		if !v.Zoned {
			continue
		}
		if views == nil {
			views = maps.Clone(s.Views)
		}
		v.EV, _ = s.InZones(v.Eye, v.EV)
		v.grade, v.Zoned = s.GradeAt(v.Eye), false
		v.graded = true
		views[id] = v
	}
	if views == nil {
		return s
	}
	out := *s
	out.Views = views
	return &out
}

// GradeOf is what is done to the colours of a view's picture: see InTheirZones.
func (s *Setup) GradeOf(view string) *grade.Grade {
	v := s.Views[view]
	return v.GradeIn(s)
}

// GradeIn is what is done to the colours of the view's picture in its setup.
func (v *View) GradeIn(s *Setup) *grade.Grade {
	if v.graded {
		return v.grade
	}
	return s.Grade
}
