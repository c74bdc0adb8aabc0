package lamps

import (
	"math"
	"sync"

	"willowherb/core/air"
	"willowherb/core/environment"
	"willowherb/core/light"
	"willowherb/core/setup"
	"willowherb/core/vec"
)

// Size of the picture that a worked-out sky is kept as: a third of a degree at the horizon.
const (
	skyWide = 1024
	skyHigh = 512
)

// skies keeps those last made: every view of every setup asks for the same, and dragging
// the hour comes back to where it was.
var skies struct {
	sync.Mutex
	last []madeSky // the oldest first
}

type madeSky struct {
	by   any // an air.Sky, or a setup.Gradient
	dome *light.Dome
}

const mostSkies = 8

// domeOf is a sky as a dome: of the shape and colours it has, and so bright that flat ground
// gets pi of each colour, as from an even sky of 1 cd/m2; the light's own output and colour
// say how bright it is.
func domeOf(s air.Sky) (dome *light.Dome) {
	return made(s, func() []float32 {
		d := air.Make(s)
		rgb := d.Picture(skyWide, skyHigh)
		for i := range rgb {
			if v := d.Lux[i%3]; v > 0 {
				rgb[i] *= float32(math.Pi / v)
			}
		}
		return rgb
	})
}

// clouded is a gradient with streaks of cloud as a dome: lit at their edges by the horizon's
// light, darker where they are thick.
func clouded(g setup.Gradient) *light.Dome {
	return made(g, func() []float32 {
		bare := gradientOf(&g)
		rgb := make([]float32, 3*skyWide*skyHigh)
		for y := range skyHigh {
			for x := range skyWide {
				d := air.Direction(90-180*(float64(y)+0.5)/skyHigh, 360*((float64(x)+0.5)/skyWide-0.5))
				c := bare.Radiance(vec.Of(d))
				if d[1] > 0 {
					n := environment.Streaks(d)/1.5 - (0.72 - 0.5*g.Clouds)
					over := min(max(n*4, 0), 1) * min(d[1]*12, 1)
					thick := float32(min(max(n*3-0.3, 0), 1))
					edge := bare.Horizon.Scale(1.08)
					heart := bare.Zenith.Scale(0.55).Add(bare.Horizon.Scale(0.25))
					c = vec.Lerp(c, vec.Lerp(edge, heart, thick), float32(over))
				}
				at := 3 * (y*skyWide + x)
				rgb[at], rgb[at+1], rgb[at+2] = c.X, c.Y, c.Z
			}
		}
		return rgb
	})
}

// made keeps the dome of a picture that is made of by, a value.
func made(by any, picture func() []float32) (dome *light.Dome) {
	skies.Lock()
	defer skies.Unlock()
	for _, m := range skies.last {
		if m.by == by {
			return m.dome
		}
	}
	if len(skies.last) == mostSkies {
		skies.last = skies.last[1:]
	}
	dome = light.NewDome(skyWide, skyHigh, picture())
	skies.last = append(skies.last, madeSky{by, dome})
	return dome
}

// gradientOf is a gradient as it lights.
func gradientOf(g *setup.Gradient) light.Gradient {
	return light.Gradient{Zenith: vec.Of(g.Zenith), Horizon: vec.Of(g.Horizon), Ground: vec.Of(g.Ground), Falloff: float32(max(g.Falloff, 0.05))}
}
