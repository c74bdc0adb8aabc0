// Package environment looks at pictures of all that lies around a place: what they give to
// flat ground, how bright they are, and where the sun is in them.
//
// A picture is latitude-longitude: the top row overhead, the north (-Z) in the middle, the
// east (+X) to the right; a pixel is linear light in cd/m2.
package environment

import (
	"math"
	"slices"

	"willowherb/core/air"
	"willowherb/core/colour"
)

// Map is such a picture, three numbers a pixel, rows from the top.
type Map struct {
	W, H int
	RGB  []float32
}

// Sun is the sun as a picture has it. Height and azimuth are in degrees, the azimuth
// clockwise from the north, seen from above.
type Sun struct {
	Azimuth float64 `json:"azimuth"`
	Height  float64 `json:"height"`
	Lux     float64 `json:"lux"`   // square to it, over what the sky about it gives
	Share   float64 `json:"share"` // of the light on flat ground, 0 to 1
	// Colour is its light's, linear Rec. 709 of luminance 1, and Radius how far it
	// reaches in the picture, degrees.
	Colour colour.RGB `json:"colour"`
	Radius float64    `json:"radius"`
}

// Measure is what a picture gives.
type Measure struct {
	HorizontalLux float64 // to flat ground, from above
	UpLux         float64 // to what faces down, from below
	MeanLuminance float64 // over all directions, cd/m2
	Sun           *Sun    // nil where there is none
}

// latitude is the height over the horizon of the upper edge of a row, in radians.
func (m *Map) latitude(y int) float64 { return math.Pi * (0.5 - float64(y)/float64(m.H)) }

// solidAngle is that of a pixel of a row, in steradians.
func (m *Map) solidAngle(y int) float64 {
	return 2 * math.Pi / float64(m.W) * (math.Sin(m.latitude(y)) - math.Sin(m.latitude(y+1)))
}

// fall is the solid angle of a pixel of a row weighted by the sine of its height: what of
// its luminance falls on flat ground (positive) or on what faces down (negative).
func (m *Map) fall(y int) float64 {
	a, b := math.Sin(m.latitude(y)), math.Sin(m.latitude(y+1))
	return math.Pi / float64(m.W) * (a*a - b*b) * sign(a+b)
}

func sign(v float64) float64 {
	if v < 0 {
		return -1
	}
	return 1
}

func (m *Map) luminance(x, y int) float64 { return colour.LuminanceAt(m.RGB, 3*(y*m.W+x)) }

// towards is the unit vector to the middle of a pixel.
func (m *Map) towards(x, y int) [3]float64 {
	return air.Direction(90-180*(float64(y)+0.5)/float64(m.H), 360*((float64(x)+0.5)/float64(m.W)-0.5))
}

// Measure measures the picture.
func (m *Map) Measure() Measure {
	var out Measure
	for y := range m.H {
		var row float64
		for x := range m.W {
			row += m.luminance(x, y)
		}
		out.MeanLuminance += row * m.solidAngle(y) / (4 * math.Pi)
		a, b := m.latitude(y), m.latitude(y+1)
		switch {
		case b >= 0:
			out.HorizontalLux += row * m.fall(y)
		case a <= 0:
			out.UpLux += row * math.Abs(m.fall(y))
		default: // a row across the horizon, where there are odd rows
			half := math.Pi / float64(m.W)
			out.HorizontalLux += row * half * math.Sin(a) * math.Sin(a)
			out.UpLux += row * half * math.Sin(b) * math.Sin(b)
		}
	}
	out.Sun = m.FindSun()
	if out.Sun != nil && out.HorizontalLux > 0 {
		out.Sun.Share = min(out.Sun.Lux*max(math.Sin(out.Sun.Height*math.Pi/180), 0)/out.HorizontalLux, 1)
	}
	return out
}

// What a sun is: within so many degrees, so many times as bright as what is around it,
// and so much of all the light that a ball gets.
const (
	sunReach  = 3.0
	sunStands = 12.0
	sunCounts = 0.02
)

// FindSun finds the small bright spot that gives most, or nil.
func (m *Map) FindSun() *Sun {
	at, most := -1, 0.0
	for y := range m.H {
		for x := range m.W {
			if l := m.luminance(x, y); l > most {
				at, most = y*m.W+x, l
			}
		}
	}
	if at < 0 {
		return nil
	}
	reach := max(sunReach, 2.5*360/float64(m.W))
	if reach > 20 {
		return nil // pixels as large as a quarter of the sky
	}
	// The brightest pixel may be at the spot's edge: its middle is found twice.
	middle := m.towards(at%m.W, at/m.W)
	around := m.around(middle, reach, 2*reach)
	for range 3 {
		var sum [3]float64
		m.within(middle, reach, func(x, y int, d [3]float64) {
			if over := m.luminance(x, y) - around; over > 0 {
				for k := range sum {
					sum[k] += over * m.solidAngle(y) * d[k]
				}
			}
		})
		n := math.Sqrt(dot(sum, sum))
		if n == 0 {
			return nil
		}
		for k := range sum {
			middle[k] = sum[k] / n
		}
	}
	s := &Sun{}
	s.Height, s.Azimuth = air.Bearing(middle)
	var spread, tone [3]float64
	m.within(middle, reach, func(x, y int, d [3]float64) {
		over := m.luminance(x, y) - around
		if over <= 0 {
			return
		}
		e := over * m.solidAngle(y)
		c := dot(d, middle)
		s.Lux += e * c
		spread[0] += e * math.Acos(min(c, 1))
		spread[1] += e
		for k := range tone {
			tone[k] += float64(m.RGB[3*(y*m.W+x)+k]) * m.solidAngle(y)
		}
	})
	// A disc's mean distance from its middle is two thirds of its radius.
	if spread[1] > 0 {
		s.Radius = 1.5 * spread[0] / spread[1] * 180 / math.Pi
	}
	s.Colour = colour.Unit(tone)
	var all float64
	for y := range m.H {
		for x := range m.W {
			all += m.luminance(x, y) * m.solidAngle(y) / 4
		}
	}
	// What goes on beyond it is a window or a bright cloud.
	var beyond float64
	m.within(middle, 2*reach, func(x, y int, d [3]float64) {
		if over := m.luminance(x, y) - around; over > 0 {
			beyond += over * m.solidAngle(y)
		}
	})
	if most < sunStands*around || s.Lux < sunCounts*all || beyond > 1.4*spread[1] {
		return nil
	}
	return s
}

func dot(a, b [3]float64) float64 { return a[0]*b[0] + a[1]*b[1] + a[2]*b[2] }

// within goes through the pixels within so many degrees of a direction.
func (m *Map) within(middle [3]float64, reach float64, f func(x, y int, d [3]float64)) {
	cos := math.Cos(reach * math.Pi / 180)
	height, _ := air.Bearing(middle)
	lo := int(float64(m.H) * (90 - height - reach) / 180)
	hi := int(float64(m.H) * (90 - height + reach) / 180)
	for y := max(lo-1, 0); y <= min(hi+1, m.H-1); y++ {
		for x := range m.W {
			if d := m.towards(x, y); dot(d, middle) >= cos {
				f(x, y, d)
			}
		}
	}
}

// around is the median luminance between two distances from a direction, in degrees.
func (m *Map) around(middle [3]float64, from, to float64) float64 {
	var all []float64
	cos := math.Cos(from * math.Pi / 180)
	m.within(middle, to, func(x, y int, d [3]float64) {
		if dot(d, middle) < cos {
			all = append(all, m.luminance(x, y))
		}
	})
	if len(all) == 0 {
		return 0
	}
	slices.Sort(all)
	return all[len(all)/2]
}

// WithoutSun is the picture with its sun taken out: what stands over the sky about it is
// cut down to that.
func (m *Map) WithoutSun(s *Sun) *Map {
	out := &Map{W: m.W, H: m.H, RGB: slices.Clone(m.RGB)}
	reach := max(sunReach, 2.5*360/float64(m.W))
	middle := air.Direction(s.Height, s.Azimuth)
	around := m.around(middle, reach, 2*reach)
	m.within(middle, reach, func(x, y int, _ [3]float64) {
		if l := m.luminance(x, y); l > around {
			for k := range 3 {
				out.RGB[3*(y*m.W+x)+k] *= float32(around / l)
			}
		}
	})
	return out
}

// Turned is the picture turned clockwise, seen from above, by so many degrees.
func (m *Map) Turned(degrees float64) *Map {
	out := &Map{W: m.W, H: m.H, RGB: make([]float32, len(m.RGB))}
	shift := math.Mod(degrees/360*float64(m.W), float64(m.W))
	for y := range m.H {
		for x := range m.W {
			from := float64(x) - shift
			i := math.Floor(from)
			k := float32(from - i)
			a := ((int(i) % m.W) + m.W) % m.W
			b := (a + 1) % m.W
			for c := range 3 {
				out.RGB[3*(y*m.W+x)+c] = (1-k)*m.RGB[3*(y*m.W+a)+c] + k*m.RGB[3*(y*m.W+b)+c]
			}
		}
	}
	return out
}

// Halved is the picture at half its size: each pixel the mean of four.
func (m *Map) Halved() *Map {
	out := &Map{W: max(m.W/2, 1), H: max(m.H/2, 1)}
	out.RGB = make([]float32, 3*out.W*out.H)
	for y := range out.H {
		for x := range out.W {
			for k := range 3 {
				var sum float32
				for i := range 4 {
					sum += m.RGB[3*(min(2*y+i/2, m.H-1)*m.W+min(2*x+i%2, m.W-1))+k]
				}
				out.RGB[3*(y*out.W+x)+k] = sum / 4
			}
		}
	}
	return out
}
