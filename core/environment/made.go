package environment

import (
	"fmt"
	"math"
	"strings"
	"sync"

	"willowherb/core/air"
	"willowherb/core/colour"
)

// Size of the environments that are made by code.
const (
	madeWide = 1024
	madeHigh = 512
)

// made are skies over a marsh: what the air is like, how broken the clouds are, and how
// high the far tree line stands, in degrees.
var made = []struct {
	name   string
	sky    air.Sky
	broken float64
	trees  float64
	mist   float64
}{
	{"marsh dusk", air.Sky{SunHeight: 5, SunAzimuth: 250, Turbidity: 3, Clouds: 0.12, Albedo: 0.15}, 0.7, 2.5, 0.1},
	{"marsh overcast", air.Sky{SunHeight: 32, SunAzimuth: 200, Turbidity: 4, Clouds: 0.95, Albedo: 0.15}, 0.35, 2.5, 0.3},
	{"morning mist", air.Sky{SunHeight: 14, SunAzimuth: 110, Turbidity: 6, Clouds: 0.1, Albedo: 0.2}, 0.2, 3, 0.85},
}

// MadeNames are the environments that are made by code.
func MadeNames() (names []string) {
	for _, m := range made {
		names = append(names, m.name)
	}
	return names
}

// Made makes an environment by its name. Error: there is none of that name.
func Made(name string) (*Map, error) {
	for _, m := range made {
		if m.name != name {
			continue
		}
		d := air.Make(m.sky)
		out := &Map{W: madeWide, H: madeHigh, RGB: make([]float32, 3*madeWide*madeHigh)}
		var wait sync.WaitGroup
		for y := range out.H {
			wait.Go(func() {
				for x := range out.W {
					height := 90 - 180*(float64(y)+0.5)/madeHigh
					azimuth := 360 * ((float64(x)+0.5)/madeWide - 0.5)
					c := marsh(d, height, azimuth, m.broken, m.trees, m.mist)
					for k := range c {
						out.RGB[3*(y*out.W+x)+k] = float32(c[k])
					}
				}
			})
		}
		wait.Wait()
		out.shineIn(d)
		return out, nil
	}
	return nil, fmt.Errorf("there is no environment %q; there are: %s", name, strings.Join(MadeNames(), ", "))
}

// marsh is what is seen over and on it: clouds in streaks, a far tree line in mist, reeds,
// and water that mirrors the sky between them.
func marsh(d *air.Dome, height, azimuth, broken, trees, mist float64) colour.RGB {
	if height >= 0 {
		sky := clouded(d, height, azimuth, broken)
		line := trees * (0.45 + 0.55*ring(azimuth, 0.35, 1) + 0.25*ring(azimuth, 2.3, 2))
		if height > line {
			return sky
		}
		return mixed(scaled(d.Ground, 0.25), d.Towards(0.5, azimuth), 0.35+0.6*mist)
	}
	near := 1 - math.Exp(height/14) // 0 at the horizon, 1 below
	water := scaled(clouded(d, -height, azimuth, broken), 0.06+0.5*math.Exp(height/7))
	reeds := scaled(colour.RGB{d.Ground[0] * 1.15, d.Ground[1], d.Ground[2] * 0.6}, 0.5+0.7*ring(azimuth, 1.7, 3+height*0.05))
	dry := min(max(2.2*ring(azimuth, 0.22, 5+height*0.06)-0.55, 0), 1)
	return mixed(mixed(water, reeds, dry), d.Towards(0.5, azimuth), mist*(1-near))
}

func clouded(d *air.Dome, height, azimuth, broken float64) colour.RGB {
	n := Streaks(air.Direction(height, azimuth))
	return scaled(d.Towards(height, azimuth), math.Exp(broken*(n-0.75)))
}

// Streaks is how thick clouds are towards a direction above the horizon, 0 to 1.5 and 0.75 in
// the mean: they lie flat and come together at the horizon.
func Streaks(d [3]float64) float64 {
	far := 1 / (max(d[1], 0) + 0.12) / max(math.Hypot(d[0], d[2]), 1e-6)
	x, y := d[0]*far, -d[2]*far
	return noise(x*3.1+40, y*1.3+7) + 0.5*noise(x*7.3+9, y*3.1+3)
}

// shineIn puts the sun's disc in, a degree wide, with all of its lux.
func (m *Map) shineIn(d *air.Dome) {
	if d.SunLux() <= 0 {
		return
	}
	middle := air.Direction(d.Sky.SunHeight, d.Sky.SunAzimuth)
	var angle float64
	m.within(middle, 0.5, func(_, y int, _ [3]float64) { angle += m.solidAngle(y) })
	m.within(middle, 0.5, func(x, y int, _ [3]float64) {
		for k := range 3 {
			m.RGB[3*(y*m.W+x)+k] += float32(d.Sun[k] / angle)
		}
	})
}

func scaled(c colour.RGB, k float64) colour.RGB { return colour.RGB{c[0] * k, c[1] * k, c[2] * k} }

func mixed(a, b colour.RGB, k float64) colour.RGB {
	k = min(max(k, 0), 1)
	return colour.RGB{a[0] + (b[0]-a[0])*k, a[1] + (b[1]-a[1])*k, a[2] + (b[2]-a[2])*k}
}

// ring is noise round the horizon, so many changes a degree; the seam is like everywhere.
func ring(azimuth, often, seed float64) float64 {
	sin, cos := math.Sincos(azimuth * math.Pi / 180)
	r := often * 180 / math.Pi
	return noise(r*sin+17*seed, r*cos+31*seed)
}

// noise is smooth and 0 to 1: values at whole places, blended between.
func noise(x, y float64) float64 {
	i, j := math.Floor(x), math.Floor(y)
	u, v := x-i, y-j
	u, v = u*u*(3-2*u), v*v*(3-2*v)
	at := func(a, b float64) float64 {
		h := math.Sin(a*127.1+b*311.7) * 43758.5453
		return h - math.Floor(h)
	}
	return (1-v)*((1-u)*at(i, j)+u*at(i+1, j)) + v*((1-u)*at(i, j+1)+u*at(i+1, j+1))
}
