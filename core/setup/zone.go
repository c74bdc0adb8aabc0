package setup

import (
	"maps"
	"math"
	"slices"
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
}

// MaxZones bounds the zones of a setup.
const MaxZones = 100

func (z *Zone) validate(c *checker, at, id string) {
	c.id(at, id)
	c.name(at+"/name", z.Name)
	c.num(at+"/precedence", z.Precedence, -1e6, 1e6)
	c.num(at+"/blend", z.Blend, 0, 1e4)
	c.num(at+"/ev", z.EV, -20, 30)
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

// InZones is the exposure at a place that is held at ev where no zone holds, and the id of the
// zone that has most of it; empty for none.
func (s *Setup) InZones(p [3]float64, ev float64) (float64, string) {
	ids := slices.Sorted(maps.Keys(s.Zones))
	slices.SortStableFunc(ids, func(a, b string) int {
		switch x, y := s.Zones[a].Precedence, s.Zones[b].Precedence; {
		case x < y:
			return -1
		case x > y:
			return 1
		}
		return 0
	})
	first := ""
	for _, id := range ids {
		z := s.Zones[id]
		w := z.Weight(p)
		if w >= 0.5 {
			first = id
		}
		ev += w * (z.EV - ev)
	}
	return ev, first
}
