package setup

import (
	"willowherb/core/photometry"
)

// Unit is what a light's output is told in.
type Unit string

// Units of output.
const (
	Lumen   Unit = "lm"
	Candela Unit = "cd"    // along its axis
	Lux     Unit = "lx"    // at UnitAt metres along its axis; of a sun square to it
	Nit     Unit = "cd/m2" // of its shining surface
	Watt    Unit = "W"     // of power drawn, at UnitAt lumens for each
)

// DefaultUnit is a kind's own unit.
func (k Kind) DefaultUnit() Unit {
	switch k {
	case Sun:
		return Lux
	case Sky, Emissive:
		return Nit
	}
	return Lumen
}

// OutputUnit is the unit that the light's Output is in.
func (l *Light) OutputUnit() Unit {
	if l.Unit == "" {
		return l.Kind.DefaultUnit()
	}
	return l.Unit
}

// Units lists the units that a light may be told in.
func (l *Light) Units() []Unit {
	switch l.Kind {
	case Sun:
		return []Unit{Lux}
	case Sky:
		return []Unit{Nit}
	case Emissive:
		return []Unit{Nit, Lumen}
	case Rect, Disc:
		return []Unit{Lumen, Candela, Lux, Nit, Watt}
	}
	u := []Unit{Lumen, Candela, Lux, Watt}
	if l.Radius > 0 && l.Profile == nil {
		u = append(u, Nit)
	}
	return u
}

// formerEV is a unit that documents had once: the EV100 that a meter reads a metre
// away (square to a sun), or of a sky or shining surface. Exposure alone is told so now.
const formerEV Unit = "ev"

// Renew brings lights of earlier documents to the units of now, as bright as they
// were.
func (s *Setup) Renew() {
	for id, l := range s.Lights {
		if l.Unit != formerEV {
			continue
		}
		if l.Kind == Sky || l.Kind == Emissive {
			l.Unit, l.Output, l.UnitAt = Nit, float64(photometry.NitAtEV(l.Output)), 0
		} else {
			l.Unit, l.Output, l.UnitAt = Lux, float64(photometry.LuxAtEV(l.Output)), 1
		}
		s.Lights[id] = l
	}
}

// At is UnitAt with its defaults: one metre, 100 lumens a watt.
func (l *Light) At(u Unit) float64 {
	if l.UnitAt > 0 && l.OutputUnit() == u {
		return l.UnitAt
	}
	if u == Watt {
		return 100
	}
	return 1
}
