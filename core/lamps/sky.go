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
	order []air.Sky
	of    map[air.Sky]*light.Dome
}

const mostSkies = 8

// skyOf is a sky as a dome: of the shape and colours it has, and so bright that flat ground
// gets pi of each colour, as from an even sky of 1 cd/m2; the light's own output and colour
// say how bright it is.
func skyOf(s air.Sky) *light.Dome {
	skies.Lock()
	defer skies.Unlock()
	if d := skies.of[s]; d != nil {
		return d
	}
	d := air.Make(s)
	rgb := d.Picture(skyWide, skyHigh)
	for i := range rgb {
		if v := d.Lux[i%3]; v > 0 {
			rgb[i] *= float32(math.Pi / v)
		}
	}
	if skies.of == nil {
		skies.of = map[air.Sky]*light.Dome{}
	}
	if len(skies.order) == mostSkies {
		delete(skies.of, skies.order[0])
		skies.order = skies.order[1:]
	}
	out := light.NewDome(skyWide, skyHigh, rgb)
	skies.of[s] = out
	skies.order = append(skies.order, s)
	return out
}
