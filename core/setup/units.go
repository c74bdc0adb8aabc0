package setup

import (
	"math"

	"willowherb/core/light"
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
	EV      Unit = "ev"    // incident EV100 at 1 m (sun: square to it); reflected EV100 of a sky or shining surface
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

// units lists the units that a light may be told in.
func (l *Light) units() []Unit {
	switch l.Kind {
	case Sun:
		return []Unit{Lux, EV}
	case Sky:
		return []Unit{Nit, EV}
	case Emissive:
		return []Unit{Nit, EV, Lumen}
	case Rect, Disc:
		return []Unit{Lumen, Candela, Lux, Nit, EV, Watt}
	}
	u := []Unit{Lumen, Candela, Lux, EV, Watt}
	if l.Radius > 0 && l.Profile == nil {
		u = append(u, Nit)
	}
	return u
}

// Nominal is the output as a linear quantity of its unit: an EV is brought to the
// lux or cd/m2 that a meter reads as it.
func (l *Light) Nominal() float64 {
	if l.OutputUnit() != EV {
		return l.Output
	}
	if l.Kind == Sky || l.Kind == Emissive {
		return float64(photometry.NitAtEV(l.Output))
	}
	return float64(photometry.LuxAtEV(l.Output))
}

// at is UnitAt with its defaults: one metre, 100 lumens a watt.
func (l *Light) at(u Unit) float64 {
	if l.UnitAt > 0 && l.OutputUnit() == u {
		return l.UnitAt
	}
	if u == Watt {
		return 100
	}
	return 1
}

// perUnit is how many units of the source one (linear) unit makes, for every
// unit that the light may be told in.
func (l *Light) perUnit(src *light.Light) map[Unit]float64 {
	lumen := src.UnitFromLumen(l.Inner*math.Pi/180, l.Outer*math.Pi/180)
	out := map[Unit]float64{}
	for _, u := range l.units() {
		k := 1.0
		switch u {
		case Lumen:
			k = lumen
		case Watt:
			k = lumen * l.at(Watt)
		case Candela:
			switch l.Kind {
			case Rect, Disc:
				k = 1 / float64(src.Area()) // far along the axis
			default:
				k = 1 / src.AxisCandela()
			}
		case Lux, EV:
			if l.Kind == Sun || l.Kind == Sky || l.Kind == Emissive {
				break
			}
			d := 1.0
			if u == Lux {
				d = l.at(Lux)
			}
			k = 1 / src.AxisLux(d)
		case Nit:
			switch {
			case l.Kind == Point && l.Length == 0 || l.Kind == Spot:
				k = math.Pi * l.Radius * l.Radius
			case l.Kind == Point || l.Kind == Line:
				k = 2*l.Radius*l.Length + math.Pi*l.Radius*l.Radius
			}
		}
		out[u] = k
	}
	return out
}
