package air

import (
	"math"

	"willowherb/core/colour"
)

// Daylight by the formulas of IES RP-21 (Calculation of Daylight Availability), by the
// sine of the sun's height, lux on flat ground: a clear, a partly cloudy and an overcast sky.
func clearDaylight(sin float64) float64    { return 800 + 15500*math.Sqrt(max(sin, 0)) }
func partlyDaylight(sin float64) float64   { return 300 + 45000*max(sin, 0) }
func overcastDaylight(sin float64) float64 { return 300 + 21000*max(sin, 0) }

// partlyMore is by how much more a partly cloudy sky weakens the sun than a clear one, for
// each mass of air: 0.80 and 0.21 in the same source.
const partlyMore = 0.80 - 0.21

// airMass is how much more air a slant way has than an upright one (Kasten and Young 1989).
func airMass(height float64) float64 {
	h := max(height, 0)
	return 1 / (math.Sin(h*math.Pi/180) + 0.50572*math.Pow(h+6.07995, -1.6364))
}

// cover lays the clouds before the clear sky: the sun weakens as the same source has it for
// a partly cloudy sky at a half and goes out at 1; the sky gives as much more or less than a
// clear one as there; what the layer gives is white as the daylight over it, about the sun
// while it is thin and as the CIE standard overcast sky when it is thick.
func (d *Dome) cover() {
	s := &d.Sky
	bare := flat(func(h, az float64) colour.RGB { return d.bare(h, az) })
	sin := math.Sin(s.SunHeight * math.Pi / 180)
	over := bare // all daylight there is, whose colour the layer has
	for k := range over {
		over[k] += d.Sun[k] * max(sin, 0)
	}
	d.Lux = bare
	if c := s.Clouds; c > 0 {
		much := partlyDaylight(sin) / clearDaylight(sin)
		if c <= 0.5 {
			much = 1 + (much-1)*2*c
		} else {
			much += (overcastDaylight(sin)/clearDaylight(sin) - much) * (2*c - 1)
		}
		give := max(much-(1-c), 0) * colour.Luminance(bare)
		d.aureole = (1 - c) * (1 - c) * min(max(s.SunHeight/6+1, 0), 1)
		shape := colour.Luminance(flat(func(h, az float64) colour.RGB {
			v := d.shape(h, az)
			return colour.RGB{v, v, v}
		}))
		tone := colour.Unit(over)
		for k := range d.Lux {
			d.cloud[k] = tone[k] * give / shape
			d.Lux[k] = (1-c)*bare[k] + tone[k]*give
		}
		weak := 0.0
		if c < 1 {
			weak = math.Exp(-partlyMore * 2 * c * c / (1 - c) * airMass(s.SunHeight))
		}
		for k := range d.Sun {
			d.Sun[k] *= weak
			d.Moon[k] *= weak
		}
	}
	for k := range d.Ground {
		d.Ground[k] = s.Albedo / math.Pi * (d.Lux[k] + d.Sun[k]*max(sin, 0))
	}
}

// shape is how the layer's luminance lies over the dome: about the sun, and as the CIE
// standard overcast sky (ISO 15469, type 1: three times as bright overhead as at the horizon).
func (d *Dome) shape(h, azimuth float64) float64 {
	v := (1 - d.aureole) * (1 + 2*math.Sin(h)) / 3
	if d.aureole > 0 {
		sin, cos := math.Sincos(d.Sky.SunHeight * math.Pi / 180)
		up, flat := math.Sincos(h)
		v += d.aureole * HazePhase(up*sin+flat*cos*math.Cos(away(azimuth, d.Sky.SunAzimuth)))
	}
	return v
}

// flat is the illuminance of flat ground under a dome.
func flat(of func(h, azimuth float64) colour.RGB) (e colour.RGB) {
	const rows, cols = 90, 120
	for j := range rows {
		// Even steps of the sine squared are even shares of the illuminance.
		h := math.Asin(math.Sqrt((float64(j) + 0.5) / rows))
		for i := range cols {
			l := of(h, 360*(float64(i)+0.5)/cols)
			for k := range e {
				e[k] += l[k] * math.Pi / (rows * cols)
			}
		}
	}
	return e
}
