// Package reference measures finished pictures as an eye would judge them, and says what would
// bring one nearer to another: exposure, contrast, balance, colours, one line each.
package reference

import (
	"cmp"
	"fmt"
	"image"
	"math"
	"slices"

	"willowherb/core/colour"
)

// Measure is what a finished picture is judged by. Luminance is that of the screen, white
// being 1.
type Measure struct {
	Key       float64   `json:"key"`       // the mean of the logarithm, as luminance
	Contrast  float64   `json:"contrast"`  // stops between its tenth and its nine tenths
	Histogram []float64 `json:"histogram"` // shares, a stop each, from Bins stops under white up to it
	Palette   []Tone    `json:"palette"`   // the largest first
	// Lights and Shadows are the temperatures nearest to the colours of the brightest fifth that
	// is not white, and of the dark quarter.
	Lights     float64 `json:"lights"`
	Shadows    float64 `json:"shadows"`
	Saturation float64 `json:"saturation"` // mean chroma, CIELAB
	// From is where its light comes from by eye: from the middle to where most of it lies, right
	// and up, -1 to 1; FromWords says it.
	From      [2]float64 `json:"from"`
	FromWords string     `json:"fromWords"`
}

// Tone is a colour of a palette.
type Tone struct {
	Hex   string  `json:"hex"`
	Share float64 `json:"share"`
}

// Bins is how many stops under white a histogram tells.
const Bins = 10

// tones is how many colours a palette has.
const tones = 5

type pixel struct {
	rgb colour.RGB // linear, 0 to 1
	lab colour.Lab
	l   float64
	at  [2]float64
}

// Of measures a picture coded as sRGB. Pixels that are see-through count as if black lay
// behind.
func Of(im image.Image) Measure {
	b := im.Bounds()
	var list []pixel
	step := max(b.Dx()*b.Dy()/20000, 1) // every so many pixels, over all rows
	n := 0
	for y := b.Min.Y; y < b.Max.Y; y++ {
		for x := b.Min.X; x < b.Max.X; x++ {
			if n++; n%step != 0 {
				continue
			}
			r, g, bl, _ := im.At(x, y).RGBA()
			d := func(v uint32) float64 { return colour.DecodeSRGB(float64(v) / 65535) }
			p := pixel{rgb: colour.RGB{d(r), d(g), d(bl)}}
			p.l, p.lab = colour.Luminance(p.rgb), colour.LabOf(p.rgb)
			p.at = [2]float64{2*(float64(x-b.Min.X)+0.5)/float64(b.Dx()) - 1, 1 - 2*(float64(y-b.Min.Y)+0.5)/float64(b.Dy())}
			list = append(list, p)
		}
	}
	m := Measure{Histogram: make([]float64, Bins), Palette: []Tone{}}
	if len(list) == 0 {
		return m
	}
	k := float64(len(list))
	var logs, sum, mean float64
	var towards [2]float64
	for _, p := range list {
		logs += math.Log2(max(p.l, floor))
		m.Histogram[min(int(-math.Log2(max(p.l, floor))), Bins-1)] += 1 / k
		m.Saturation += math.Hypot(p.lab.A, p.lab.B) / k
		mean += p.l / k
	}
	slices.Reverse(m.Histogram)
	m.Key = math.Exp2(logs / k)
	for _, p := range list {
		w := max(p.l-mean, 0) // what stands out is what is seen to be lit
		sum += w
		towards[0] += w * p.at[0]
		towards[1] += w * p.at[1]
	}
	if sum > 0 {
		m.From = [2]float64{towards[0] / sum, towards[1] / sum}
	}
	m.FromWords = fromWords(m.From)
	m.Palette = palette(list)
	slices.SortFunc(list, func(a, b pixel) int { return cmp.Compare(a.l, b.l) })
	at := func(share float64) float64 { return max(list[min(int(share*k), len(list)-1)].l, floor) }
	m.Contrast = math.Log2(at(0.9) / at(0.1))
	m.Lights, m.Shadows = kelvin(list[len(list)*8/10:]), kelvin(list[len(list)/20:max(len(list)*3/10, len(list)/20+1)])
	return m
}

// floor is the least luminance that is told apart from black.
const floor = 1.0 / 1024

// kelvin is the temperature nearest to the colour of some pixels that are neither white nor
// black.
func kelvin(list []pixel) float64 {
	var sum colour.RGB
	for _, p := range list {
		if max(p.rgb[0], p.rgb[1], p.rgb[2]) > 0.97 || p.l < floor/4 {
			continue
		}
		for c := range sum {
			sum[c] += p.rgb[c]
		}
	}
	if colour.Luminance(sum) <= 0 {
		return 6500
	}
	return colour.NearestKelvin(sum)
}

func fromWords(d [2]float64) string {
	if math.Hypot(d[0], d[1]) < 0.08 {
		return "from nowhere in particular"
	}
	side, up := "", ""
	if math.Abs(d[0]) > 0.4*math.Abs(d[1]) {
		side = "right"
		if d[0] < 0 {
			side = "left"
		}
	}
	if math.Abs(d[1]) > 0.4*math.Abs(d[0]) {
		up = "above"
		if d[1] < 0 {
			up = "below"
		}
	}
	switch {
	case side == "":
		return "from " + up
	case up == "":
		return "from the " + side
	}
	return "from the " + side + ", " + up
}

// palette groups the pixels into a few colours (k-means in CIELAB), begun from their order of
// lightness so that it is the same each time.
func palette(list []pixel) []Tone {
	sorted := slices.Clone(list)
	slices.SortStableFunc(sorted, func(a, b pixel) int { return cmp.Compare(a.lab.L, b.lab.L) })
	var centre [tones]colour.Lab
	for k := range centre {
		centre[k] = sorted[len(sorted)*(2*k+1)/(2*tones)].lab
	}
	var sum [tones]colour.RGB
	var many [tones]float64
	for range 12 {
		var lab [tones]colour.Lab
		sum, many = [tones]colour.RGB{}, [tones]float64{}
		for _, p := range list {
			best, least := 0, math.Inf(1)
			for k, c := range centre {
				// Hue tells colours apart sooner than lightness does.
				d := 0.5*sq(p.lab.L-c.L) + sq(p.lab.A-c.A) + sq(p.lab.B-c.B)
				if d < least {
					best, least = k, d
				}
			}
			many[best]++
			lab[best] = colour.Lab{L: lab[best].L + p.lab.L, A: lab[best].A + p.lab.A, B: lab[best].B + p.lab.B}
			for c := range p.rgb {
				sum[best][c] += p.rgb[c]
			}
		}
		for k, n := range many {
			if n > 0 {
				centre[k] = colour.Lab{L: lab[k].L / n, A: lab[k].A / n, B: lab[k].B / n}
			}
		}
	}
	out := []Tone{}
	for k, n := range many {
		if n == 0 {
			continue
		}
		v := func(c int) int { return int(math.Round(255 * colour.EncodeSRGB(min(sum[k][c]/n, 1)))) }
		out = append(out, Tone{fmt.Sprintf("#%02x%02x%02x", v(0), v(1), v(2)), n / float64(len(list))})
	}
	slices.SortStableFunc(out, func(a, b Tone) int { return cmp.Compare(b.Share, a.Share) })
	return out
}

func sq(v float64) float64 { return v * v }
