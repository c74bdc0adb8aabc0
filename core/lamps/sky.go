package lamps

import (
	"math"
	"sync"

	"willowherb/core/air"
	"willowherb/core/light"
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
	by   air.Sky
	dome *light.Dome
}

const mostSkies = 8

// domeOf is a sky as a dome: of the shape and colours it has, and so bright that flat ground
// gets pi of each colour, as from an even sky of 1 cd/m2; the light's own output and colour
// say how bright it is.
func domeOf(s air.Sky) (dome *light.Dome) {
	skies.Lock()
	defer skies.Unlock()
	for _, m := range skies.last {
		if m.by == s {
			return m.dome
		}
	}
	d := air.Make(s)
	rgb := d.Picture(skyWide, skyHigh)
	for i := range rgb {
		if v := d.Lux[i%3]; v > 0 {
			rgb[i] *= float32(math.Pi / v)
		}
	}
	if len(skies.last) == mostSkies {
		skies.last = skies.last[1:]
	}
	dome = light.NewDome(skyWide, skyHigh, rgb)
	skies.last = append(skies.last, madeSky{s, dome})
	return dome
}
