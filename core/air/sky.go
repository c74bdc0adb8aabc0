package air

import (
	"fmt"
	"math"
	"sync"

	"willowherb/core/colour"
)

// Sky is what the artist sets. Heights and azimuths are in degrees; azimuths run
// clockwise, seen from above, from the north, which is where -Z points; east is +X.
type Sky struct {
	SunHeight  float64 `json:"sunHeight"`
	SunAzimuth float64 `json:"sunAzimuth"`
	// Turbidity is how much thicker air with haze is than air alone: 1 none, 2 clear,
	// 4 hazy, 10 thick.
	Turbidity float64 `json:"turbidity"`
	// Clouds is the cover of an even layer: 0 none, 0.5 the sun is weak, 1 overcast.
	Clouds float64 `json:"clouds"`
	// Albedo is the share of light that the ground around gives back.
	Albedo float64 `json:"albedo"`
	// The moon; Lit is the lit share of its disc, 0 for none.
	MoonHeight  float64 `json:"moonHeight,omitempty"`
	MoonAzimuth float64 `json:"moonAzimuth,omitempty"`
	MoonLit     float64 `json:"moonLit,omitempty"`
}

// Clear is an afternoon without clouds.
func Clear() Sky { return Sky{SunHeight: 40, SunAzimuth: 220, Turbidity: 2, Albedo: 0.2} }

// Check reports the first value that is out of its range, with the range.
func (s Sky) Check() error {
	for _, f := range []struct {
		name   string
		v      float64
		lo, hi float64
	}{
		{"the sun's height", s.SunHeight, -90, 90}, {"the sun's azimuth", s.SunAzimuth, -360, 360}, {"turbidity", s.Turbidity, 1, 10}, {"clouds", s.Clouds, 0, 1},
		{"albedo", s.Albedo, 0, 1}, {"the moon's height", s.MoonHeight, -90, 90}, {"the moon's azimuth", s.MoonAzimuth, -360, 360}, {"the moon's lit share", s.MoonLit, 0, 1},
	} {
		if !(f.v >= f.lo && f.v <= f.hi) {
			return fmt.Errorf("%s is %g: write a number from %g to %g", f.name, f.v, f.lo, f.hi)
		}
	}
	return nil
}

// grain is how finely a dome is worked out: rows close together at the horizon, columns
// close together at the sun, and steps along each way.
type grain struct{ rows, columns, steps int }

var (
	fine   = grain{96, 72, 40}
	coarse = grain{20, 14, 20}
)

// nightFloor is the luminance of a moonless sky far from towns, cd/m2: 22 magnitudes for
// each square second of arc.
const nightFloor = 1.7e-4

// fullMoon is the illuminance of the full moon outside the air, lux: magnitude -12.74.
const fullMoon = 0.317

// Dome is a sky worked out. Luminance is in cd/m2, illuminance in lux, colours are linear
// Rec. 709 of that luminance.
type Dome struct {
	Sky Sky
	// Sun is the illuminance square to the sun's beam, and Moon to the moon's.
	Sun, Moon colour.RGB
	// Lux is what the sky alone gives to flat ground.
	Lux colour.RGB
	// Ground is the luminance of the ground around.
	Ground colour.RGB

	clear, moonlit *veil
	cloud          colour.RGB // luminance of the layer, by its shape
	aureole        float64    // share of the layer's light that lies about the sun
}

// veil is the clear sky's luminance under one light, by height and by azimuth from that light.
type veil struct {
	grain
	light []colour.RGB
}

// Make works a sky out. The sky must be one that Check takes.
func Make(s Sky) *Dome { return worked(s, fine) }

// Glance works a sky out roughly, in a twentieth of the time: what it gives is within
// 3 per cent, but it is no picture.
func Glance(s Sky) *Dome { return worked(s, coarse) }

func worked(s Sky, g grain) *Dome {
	d := &Dome{Sky: s}
	m := mediumOf(s.Turbidity)
	d.clear = m.veil(g, s.Albedo, s.SunHeight, 1)
	d.Sun = m.beam(s.SunHeight)
	if s.MoonLit > 0 && s.SunHeight < 5 {
		k := moonlight(s.MoonLit) / colour.Luminance(sunlight.rgb())
		d.moonlit = m.veil(g, s.Albedo, s.MoonHeight, k)
		d.Moon = m.beam(s.MoonHeight)
		for i := range d.Moon {
			d.Moon[i] *= k
		}
	}
	d.cover()
	return d
}

// moonlight is the illuminance outside the air by the lit share (Allen 1976: 0.026 magnitudes
// a degree of phase, and its fourth power), lux.
func moonlight(lit float64) float64 {
	phase := math.Acos(2*lit-1) * 180 / math.Pi
	return fullMoon * math.Pow(10, -0.4*(0.026*phase+4e-9*math.Pow(phase, 4)))
}

// beam is a light's illuminance square to it, on the ground: sunlight through the air.
func (m medium) beam(height float64) (c colour.RGB) {
	mu := math.Sin(height * math.Pi / 180)
	lit, open := columns().toSun(groundRadius+eye, mu)
	if !open {
		return c
	}
	through := m.through(lit)
	for i := range through {
		through[i] *= sunlight[i]
	}
	c = through.rgb()
	for i := range c {
		c[i] = max(c[i], 0) // what lies outside the primaries
	}
	return c
}

func (m medium) veil(g grain, albedo, height, k float64) *veil {
	v := &veil{g, make([]colour.RGB, g.rows*g.columns)}
	more := scatteredOf(m, albedo)
	sin, cos := math.Sincos(height * math.Pi / 180)
	var wait sync.WaitGroup
	for j := range g.rows {
		wait.Go(func() {
			mu, up := math.Sincos(squared(j, g.rows) * math.Pi / 2)
			for i := range g.columns {
				turn := mu*sin + up*cos*math.Cos(squared(i, g.columns)*math.Pi)
				l := m.towards(more, groundRadius+eye, mu, turn, sin, g.steps)
				for b := range l {
					l[b] *= sunlight[b] * k
				}
				c := l.rgb()
				for k := range c {
					c[k] = max(c[k], 0)
				}
				v.light[j*g.columns+i] = c
			}
		})
	}
	wait.Wait()
	return v
}

// squared spreads n places over 0 to 1, close together at 0.
func squared(i, n int) float64 {
	x := float64(i) / float64(n-1)
	return x * x
}

// towards is the light from a direction above the ground, for each unit of sunlight
// (Hillaire 2020, equations 1 and 11).
func (m medium) towards(more *scattered, r, mu, turn, sun float64, steps int) (light spectrum) {
	t := columns()
	length := toTop(r, mu)
	air, haze := CleanPhase(turn), HazePhase(turn)
	var before column
	for i := range steps {
		from, to := step(i, steps, length)
		d, q, here := m.place(r, mu, (from+to)/2)
		mine := d.times(to - from)
		through := m.through(before.plus(mine.times(0.5)))
		before = before.plus(mine)
		up := here(turn, sun)
		lit, open := t.toSun(q, up)
		var sunlit spectrum
		if open {
			sunlit = m.through(lit)
		}
		again := more.at(q, up)
		for k := range light {
			a, h := rayleigh[k]*d.air, HazeAlbedo*m.haze*d.haze
			light[k] += (to - from) * through[k] * ((a*air+h*haze)*sunlit[k] + (a+h)*again[k])
		}
	}
	return light
}

// at reads a veil towards a height and an azimuth from its light, in radians.
func (v *veil) at(height, azimuth float64) (c colour.RGB) {
	y := math.Sqrt(max(height, 0)/(math.Pi/2)) * float64(v.rows-1)
	x := math.Sqrt(min(math.Abs(azimuth)/math.Pi, 1)) * float64(v.columns-1)
	i, j := min(int(x), v.columns-2), min(int(y), v.rows-2)
	a, b := x-float64(i), y-float64(j)
	low, high := v.light[j*v.columns+i:], v.light[(j+1)*v.columns+i:]
	for k := range c {
		c[k] = (1-b)*((1-a)*low[0][k]+a*low[1][k]) + b*((1-a)*high[0][k]+a*high[1][k])
	}
	return c
}

// away is the angle between two azimuths in degrees, in radians, 0 to pi.
func away(a, b float64) float64 { return math.Abs(math.Remainder(a-b, 360)) * math.Pi / 180 }

// Towards is the luminance of the sky, without the discs of sun and moon, or of the ground,
// towards a height and an azimuth in degrees.
func (d *Dome) Towards(height, azimuth float64) (c colour.RGB) {
	if height < 0 {
		return d.Ground
	}
	h := height * math.Pi / 180
	c = d.bare(h, azimuth)
	shape := d.shape(h, azimuth)
	for k := range c {
		c[k] = (1-d.Sky.Clouds)*c[k] + d.cloud[k]*shape
	}
	return c
}

// bare is the sky without clouds.
func (d *Dome) bare(h, azimuth float64) colour.RGB {
	c := d.clear.at(h, away(azimuth, d.Sky.SunAzimuth))
	if d.moonlit != nil {
		m := d.moonlit.at(h, away(azimuth, d.Sky.MoonAzimuth))
		for k := range c {
			c[k] += m[k]
		}
	}
	for k := range c {
		c[k] += nightFloor
	}
	return c
}

// SunLux is what the sun gives to flat ground, lux.
func (d *Dome) SunLux() float64 {
	return colour.Luminance(d.Sun) * max(math.Sin(d.Sky.SunHeight*math.Pi/180), 0)
}

// MoonLux is what the moon gives to flat ground, lux.
func (d *Dome) MoonLux() float64 {
	return colour.Luminance(d.Moon) * max(math.Sin(d.Sky.MoonHeight*math.Pi/180), 0)
}

// SkyLux is what the sky gives to flat ground, lux.
func (d *Dome) SkyLux() float64 { return colour.Luminance(d.Lux) }

// Zenith is the luminance overhead, and Horizon its mean one degree over the horizon.
func (d *Dome) Zenith() float64 { return colour.Luminance(d.Towards(90, d.Sky.SunAzimuth)) }

// Horizon is the mean luminance one degree over the horizon, cd/m2.
func (d *Dome) Horizon() (l float64) {
	const n = 72
	for i := range n {
		l += colour.Luminance(d.Towards(1, 360*float64(i)/n)) / n
	}
	return l
}
