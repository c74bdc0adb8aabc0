package lamps

import (
	"math"

	"willowherb/core/light"
	"willowherb/core/setup"
)

// perUnit is how many units of the source one (linear) unit makes, for every
// unit that the light may be told in.
func perUnit(l *setup.Light, src *light.Light) map[setup.Unit]float64 {
	lumen := src.UnitFromLumen()
	out := map[setup.Unit]float64{}
	for _, u := range l.Units() {
		k := 1.0
		switch u {
		case setup.Lumen:
			k = lumen
		case setup.Watt:
			k = lumen * l.At(setup.Watt)
		case setup.Candela:
			switch l.Kind {
			case setup.Rect, setup.Disc:
				k = 1 / src.Area() // far along the axis
			default:
				k = 1 / src.AxisCandela()
			}
		case setup.Lux:
			if l.Kind == setup.Sun || l.Kind == setup.Sky || l.Kind == setup.Emissive {
				break
			}
			k = 1 / src.AxisLux(l.At(setup.Lux))
		case setup.Nit:
			switch {
			case l.Kind == setup.Point && l.Length == 0 || l.Kind == setup.Spot:
				k = math.Pi * l.Radius * l.Radius
			case l.Kind == setup.Point || l.Kind == setup.Line:
				k = 2*l.Radius*l.Length + math.Pi*l.Radius*l.Radius
			}
		}
		out[u] = k
	}
	return out
}
