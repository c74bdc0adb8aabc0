package environment

import (
	"math"

	"willowherb/core/colour"
)

// Spot is what a picture shows towards one direction.
type Spot struct {
	Luminance float64    `json:"luminance"` // cd/m2
	Colour    colour.RGB `json:"colour"`    // linear Rec. 709 of luminance 1
	Kelvin    float64    `json:"kelvin"`    // the nearest temperature
}

// SpotAt is the mean of a picture within reach (degrees) of a direction, by solid angle: at
// least the nearest pixel. Height and azimuth are in degrees.
func (m *Map) SpotAt(height, azimuth, reach float64) Spot {
	x := int(math.Floor((azimuth/360 + 0.5) * float64(m.W)))
	x = ((x % m.W) + m.W) % m.W
	y := min(max(int((90-height)/180*float64(m.H)), 0), m.H-1)
	middle, sum, all := m.towards(x, y), [3]float64{}, 0.0
	take := func(x, y int, _ [3]float64) {
		w := m.solidAngle(y)
		for k := range sum {
			sum[k] += w * float64(m.RGB[3*(y*m.W+x)+k])
		}
		all += w
	}
	if m.within(middle, reach, take); all == 0 {
		take(x, y, middle)
	}
	for k := range sum {
		sum[k] /= all
	}
	out := Spot{Luminance: colour.Luminance(sum), Colour: colour.RGB{1, 1, 1}}
	if out.Luminance > 0 {
		out.Colour = colour.Unit(sum)
	}
	out.Kelvin = colour.NearestKelvin(out.Colour)
	return out
}

// Seen is the picture with its saturation and its contrast (stops for each stop from its mean
// luminance) multiplied, 1 leaving them, and blurred by a Gaussian on the sphere, whose
// deviation is in degrees. A blur makes it smaller.
func (m *Map) Seen(saturation, contrast, blur float64) *Map {
	out := m.blurred(blur)
	if saturation == 1 && contrast == 1 {
		return out
	}
	mean := 0.0
	for y := range m.H {
		for x := range m.W {
			mean += m.luminance(x, y) * m.solidAngle(y) / (4 * math.Pi)
		}
	}
	rgb := make([]float32, len(out.RGB))
	for i := 0; i < len(rgb); i += 3 {
		l := colour.LuminanceAt(out.RGB, i)
		k := 1.0
		if l > 0 && mean > 0 {
			k = math.Pow(l/mean, contrast-1)
		}
		for c := range 3 {
			rgb[i+c] = float32(k * max(l+(float64(out.RGB[i+c])-l)*saturation, 0))
		}
	}
	return &Map{W: out.W, H: out.H, RGB: rgb}
}

// pixels are how many a blur's deviation has, where the picture had more; from wide degrees on
// what lies round the poles matters.
const (
	pixels = 3
	wide   = 1.0
)

// blurred is the picture blurred by a Gaussian of angular distance, as small as it may then
// be.
func (m *Map) blurred(deviation float64) *Map {
	if deviation <= 0 {
		return m
	}
	if h := max(int(math.Ceil(180*pixels/deviation)), 24); h < m.H {
		m = m.Resized(2*h, h)
	}
	if deviation < wide {
		return m.blurredByAxes(deviation)
	}
	out := &Map{m.W, m.H, make([]float32, len(m.RGB))}
	reach := 3.5 * deviation * math.Pi / 180
	sums, weights := make([]float64, 3*m.W), make([]float64, m.W/2+1)
	for y := range m.H {
		clear(sums)
		all, middle := 0.0, m.latitude(y)/2+m.latitude(y+1)/2
		sin, cos := math.Sincos(middle)
		for j := range m.H {
			h := m.latitude(j)/2 + m.latitude(j+1)/2
			if math.Abs(h-middle) > reach {
				continue
			}
			// The weights along a row are the same from each pixel of the other.
			up, flat := math.Sincos(h)
			far := 0
			for i := range weights {
				angle := math.Acos(min(max(sin*up+cos*flat*math.Cos(2*math.Pi*float64(i)/float64(m.W)), -1), 1))
				if angle > reach && i > 0 {
					break
				}
				weights[i] = math.Exp(-angle*angle*16200/(math.Pi*math.Pi*deviation*deviation)) * m.solidAngle(j)
				if far = i; i == 0 || 2*i == m.W {
					all += weights[i]
				} else {
					all += 2 * weights[i]
				}
			}
			m.spreadRow(sums, j, weights[:far+1])
		}
		for i, v := range sums {
			out.RGB[3*y*m.W+i] = float32(v / all)
		}
	}
	return out
}

// spreadRow adds to sums, a row, what a row of the picture gives by weights from the middle
// outwards.
func (m *Map) spreadRow(sums []float64, row int, weights []float64) {
	from := m.RGB[3*row*m.W : 3*(row+1)*m.W]
	add := func(by int, w float64) {
		at := 3 * (((by % m.W) + m.W) % m.W)
		for i, v := range from[at:] {
			sums[i] += w * float64(v)
		}
		for i, v := range from[:at] {
			sums[len(from)-at+i] += w * float64(v)
		}
	}
	for i, w := range weights {
		if add(i, w); i > 0 && 2*i != m.W {
			add(-i, w)
		}
	}
}

// Resized is the picture in another size: each pixel the mean of what it covers, by solid
// angle.
func (m *Map) Resized(w, h int) *Map {
	even := func(at float64) float64 { return at }
	falls := func(at float64) float64 { return -math.Cos(math.Pi * at) }
	along := resized(m.RGB, m.W, w, m.H, 3, 3*m.W, 3*w, even)
	return &Map{w, h, resized(along, m.H, h, w, 3*w, 3, 3, falls)}
}

// resized makes lines of n into lines of to, each the mean of what it covers. step is from one
// pixel of a line to the next, and line from one line to the next, before and after; upTo is
// how much of the whole lies before a place from 0 to 1.
func resized(rgb []float32, n, to, lines, step, line, lineAfter int, upTo func(float64) float64) []float32 {
	out := make([]float32, 3*to*lines)
	size := func(lo, hi float64) float64 { return upTo(hi/float64(n)) - upTo(lo/float64(n)) }
	for k := range to {
		lo, hi := float64(k)*float64(n)/float64(to), float64(k+1)*float64(n)/float64(to)
		for i := int(lo); i < n && float64(i) < hi; i++ {
			share := float32(size(max(lo, float64(i)), min(hi, float64(i+1))) / size(lo, hi))
			for l := range lines {
				from, at := l*line+i*step, l*lineAfter+k*step
				for c := range 3 {
					out[at+c] += share * rgb[from+c]
				}
			}
		}
	}
	return out
}

// blurredByAxes blurs each row along itself, the wider the nearer to the poles, and then the
// columns across the poles: a Gaussian on the sphere but for a few degrees round the poles.
func (m *Map) blurredByAxes(deviation float64) *Map {
	across, out := &Map{m.W, m.H, make([]float32, len(m.RGB))}, &Map{m.W, m.H, make([]float32, len(m.RGB))}
	for y := range m.H {
		flat := max(math.Cos(m.latitude(y)/2+m.latitude(y+1)/2), 1e-6)
		weights := tails(deviation/360*float64(m.W)/flat, m.W/2)
		for x := range m.W {
			m.gather(across, x, y, weights, func(d int) (int, int) { return ((x+d)%m.W + m.W) % m.W, y })
		}
	}
	weights := tails(deviation/180*float64(m.H), m.H-1)
	for y := range m.H {
		for x := range m.W {
			across.gather(out, x, y, weights, func(d int) (int, int) {
				switch at := y + d; {
				case at < 0:
					return (x + m.W/2) % m.W, -1 - at
				case at >= m.H:
					return (x + m.W/2) % m.W, 2*m.H - 1 - at
				default:
					return x, at
				}
			})
		}
	}
	return out
}

// tails are the weights of a Gaussian of that deviation in pixels from the middle outwards,
// at most so many.
func tails(deviation float64, most int) []float64 {
	out := make([]float64, min(int(math.Ceil(3.5*deviation)), most)+1)
	for i := range out {
		out[i] = math.Exp(-float64(i*i) / (2 * deviation * deviation))
	}
	return out
}

// gather puts into a pixel of out the mean of those that at names, by their weights and their
// solid angles.
func (m *Map) gather(out *Map, x, y int, weights []float64, at func(d int) (x, y int)) {
	var sum [3]float64
	all := 0.0
	take := func(d int, w float64) {
		i, j := at(d)
		w *= m.solidAngle(j)
		for k := range sum {
			sum[k] += w * float64(m.RGB[3*(j*m.W+i)+k])
		}
		all += w
	}
	for d, w := range weights {
		if take(d, w); d > 0 {
			take(-d, w)
		}
	}
	for k := range sum {
		out.RGB[3*(y*out.W+x)+k] = float32(sum[k] / all)
	}
}
