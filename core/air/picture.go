package air

import (
	"math"
	"sync"
)

// Picture is the whole dome, without the discs of sun and moon, as a latitude-longitude
// picture of w x h pixels: linear Rec. 709 in cd/m2, three numbers a pixel, the top row
// overhead, the north (-Z) in the middle and the east to the right.
func (d *Dome) Picture(w, h int) []float32 {
	out := make([]float32, 3*w*h)
	var wait sync.WaitGroup
	for y := range h {
		wait.Go(func() {
			height := 90 - 180*(float64(y)+0.5)/float64(h)
			for x := range w {
				c := d.Towards(height, 360*((float64(x)+0.5)/float64(w)-0.5))
				for k := range c {
					out[3*(y*w+x)+k] = float32(c[k])
				}
			}
		})
	}
	wait.Wait()
	return out
}

// Direction is where a height and an azimuth in degrees lie: x, y and z of a unit vector.
func Direction(height, azimuth float64) [3]float64 {
	up, flat := math.Sincos(height * math.Pi / 180)
	east, north := math.Sincos(azimuth * math.Pi / 180)
	return [3]float64{flat * east, up, -flat * north}
}

// Bearing is the height and the azimuth, in degrees, of a unit vector.
func Bearing(d [3]float64) (height, azimuth float64) {
	height = math.Asin(min(max(d[1], -1), 1)) * 180 / math.Pi
	return height, math.Mod(math.Atan2(d[0], -d[2])*180/math.Pi+360, 360)
}
