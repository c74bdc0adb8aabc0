package demo

import (
	"encoding/json"

	"willowherb/core/grade"
	"willowherb/core/setup"
)

// looks are the other moods of the evening's setup.
func looks() map[string]setup.Look {
	set := func(v any) setup.Override {
		b, err := json.Marshal(v)
		if err != nil {
			panic(err) // plain data always marshals
		}
		return setup.Override{Set: b}
	}
	stops := func(by float64) setup.Override { return setup.Override{Stops: &by} }
	kelvin := func(k float64) setup.Override { return set(setup.Colour{Kelvin: k}) }
	graded := func(contrast, saturation float64, white *[3]float64) setup.Override {
		g := grade.Neutral()
		g.Contrast, g.Saturation, g.White = contrast, saturation, white
		return set(g)
	}
	// Rain is on its way: no sun, a low lid of cloud, air that one can see, lamps that matter.
	storm := map[string]setup.Override{
		"/lights/low-sun/off":             set(true),
		"/lights/sky-dome/stops":          stops(-1.3),
		"/lights/sky-dome/colour":         kelvin(7800),
		"/lights/sky-dome/gradient":       set(setup.Gradient{Zenith: [3]float64{0.36, 0.4, 0.47}, Horizon: [3]float64{0.92, 0.95, 1}, Ground: [3]float64{0.12, 0.12, 0.12}, Falloff: 0.7}),
		"/lights/marsh-bounce/stops":      stops(-1.6),
		"/lights/marsh-bounce/colour":     kelvin(7500),
		"/lights/window-fill-west/stops":  stops(-1),
		"/lights/window-fill-east/stops":  stops(-1),
		"/lights/window-fill-west/colour": kelvin(9000),
		"/lights/window-fill-east/colour": kelvin(9000),
		"/lights/lantern/stops":           stops(0.4),
		"/fog":                            set(setup.Fog{Visibility: 200, Halves: 14, Base: 0, Begins: 1.5, Most: 0.85, Colour: [3]float64{0.92, 0.96, 1}, Forward: 0.3}),
		"/grade":                          graded(1.08, 0.82, &[3]float64{1.02, 1, 0.94}),
		"/views/boardwalk/ev":             set(5.6),
		"/views/hall/ev":                  set(3.5),
		"/views/keeper/ev":                set(4.2),
		"/views/gauge-room/ev":            set(3.5),
	}
	// The lamps are out, the sun stands higher and nearly white, mist lies on the water.
	morning := map[string]setup.Override{
		"/lights/low-sun/colour":         kelvin(4700),
		"/lights/low-sun/aim":            set(aim(v(-4.5, 9, -15), v(0, 0, 0))),
		"/lights/low-sun/stops":          stops(1.4),
		"/lights/sky-dome/stops":         stops(0.9),
		"/lights/sky-dome/colour":        kelvin(11500),
		"/lights/sky-dome/gradient":      set(setup.Gradient{Zenith: [3]float64{0.34, 0.5, 0.86}, Horizon: [3]float64{1.2, 1.18, 1.08}, Ground: [3]float64{0.16, 0.15, 0.13}, Falloff: 0.36}),
		"/lights/marsh-bounce/stops":     stops(0.8),
		"/lights/marsh-bounce/colour":    kelvin(5600),
		"/lights/window-fill-west/stops": stops(0.8),
		"/lights/window-fill-east/stops": stops(0.8),
		"/groups/lamps/trim":             stops(-1.5),
		"/lights/lantern/stops":          stops(-1),
		"/fog":                           set(setup.Fog{Visibility: 900, Halves: 3, Base: 0.4, Begins: 2, Most: 0.8, Colour: [3]float64{1, 1, 1}, Forward: 0.5}),
		"/grade":                         graded(1, 1.06, &[3]float64{1, 1, 1.02}),
		"/views/boardwalk/ev":            set(8.6),
		"/views/hall/ev":                 set(4.9),
		"/views/keeper/ev":               set(5.4),
		"/views/gauge-room/ev":           set(5.3),
	}
	return map[string]setup.Look{
		"storm":         {Name: "Storm", Order: 1, Overrides: storm},
		"clear-morning": {Name: "Clear morning", Order: 2, Overrides: morning},
	}
}
