package colour

import "math"

// Tinted returns the luminance-1 colour of temperature kelvin moved by duv off
// the black-body curve, at right angles to it in the CIE 1960 (u, v) diagram:
// positive towards green, negative towards magenta (the sign of ANSI C78.377).
func Tinted(kelvin, duv float64) RGB {
	if duv == 0 {
		return Temperature(kelvin)
	}
	kelvin = min(max(kelvin, MinKelvin), MaxKelvin)
	uv := func(k float64) (u, v float64) {
		c := BlackBodyXYZ(k)
		d := c[0] + 15*c[1] + 3*c[2]
		return 4 * c[0] / d, 6 * c[1] / d
	}
	u, v := uv(kelvin)
	a, b := uv(kelvin * 1.001)
	// Square to the curve, on the side of greater v.
	du, dv := b-v, u-a
	if dv < 0 {
		du, dv = -du, -dv
	}
	n := math.Hypot(du, dv)
	u, v = u+duv*du/n, v+duv*dv/n
	// X/Y and Z/Y from (u, v).
	return Unit(FromXYZ([3]float64{1.5 * u / v, 1, (4 - u - 10*v) / (2 * v)}))
}

// Gel is a sheet of colour before a lamp: the share of each primary that passes.
type Gel struct {
	ID   string `json:"id"`
	Name string `json:"name"`
	RGB  RGB    `json:"rgb"`
}

// Gels are the sheets there are. Correction is given by its shift in mired, with
// the share of a 3,200 K lamp's light that such sheets usually pass; the others
// by what they pass.
func Gels() []Gel {
	shift := func(id, name string, mired, passes float64) Gel {
		from, to := Temperature(3200), Temperature(1e6/(1e6/3200+mired))
		g := Gel{id, name, RGB{}}
		for k := range g.RGB {
			g.RGB[k] = passes * to[k] / from[k]
		}
		return g
	}
	tint := func(id, name string, duv, passes float64) Gel {
		from, to := Temperature(3200), Tinted(3200, duv)
		g := Gel{id, name, RGB{}}
		for k := range g.RGB {
			g.RGB[k] = passes * to[k] / from[k]
		}
		return g
	}
	return []Gel{
		shift("blue-1", "Full blue", -137, 0.36), shift("blue-2", "Half blue", -68, 0.55), shift("blue-4", "Quarter blue", -35, 0.69), shift("blue-8", "Eighth blue", -18, 0.81),
		shift("orange-1", "Full orange", 159, 0.55), shift("orange-2", "Half orange", 81, 0.71), shift("orange-4", "Quarter orange", 42, 0.81), shift("orange-8", "Eighth orange", 20, 0.88),
		tint("green-1", "Full green", 0.018, 0.76), tint("green-2", "Half green", 0.009, 0.86), tint("magenta-1", "Full magenta", -0.018, 0.58), tint("magenta-2", "Half magenta", -0.009, 0.71),
		{"grey-1", "Grey, 1 stop", RGB{0.5, 0.5, 0.5}}, {"grey-2", "Grey, 2 stops", RGB{0.25, 0.25, 0.25}}, {"grey-3", "Grey, 3 stops", RGB{0.125, 0.125, 0.125}},
		{"ember", "Ember red", RGB{0.75, 0.12, 0.04}}, {"reed", "Reed green", RGB{0.28, 0.62, 0.22}}, {"tide", "Tide blue", RGB{0.07, 0.24, 0.62}}, {"heather", "Heather", RGB{0.62, 0.24, 0.58}}, {"straw", "Straw", RGB{0.95, 0.8, 0.42}},
	}
}

// GelOf finds a gel by its id.
func GelOf(id string) (Gel, bool) {
	for _, g := range gels {
		if g.ID == id {
			return g, true
		}
	}
	return Gel{}, false
}

var gels = Gels()

// Through is c after a gel, with what the gel takes away.
func (g *Gel) Through(c RGB) RGB {
	for k := range c {
		c[k] *= max(g.RGB[k], 0)
	}
	return c
}

// Oklab is a linear colour in Oklab (Ottosson 2020, "A perceptual color space for image
// processing"): lightness, and two axes whose angle is the hue.
func Oklab(c RGB) (lightness, a, b float64) {
	l := math.Cbrt(0.4122214708*c[0] + 0.5363325363*c[1] + 0.0514459929*c[2])
	m := math.Cbrt(0.2119034982*c[0] + 0.6806995451*c[1] + 0.1073969566*c[2])
	s := math.Cbrt(0.0883024619*c[0] + 0.2817188376*c[1] + 0.6299787005*c[2])
	return 0.2104542553*l + 0.7936177850*m - 0.0040720468*s, 1.9779984951*l - 2.4285922050*m + 0.4505937099*s, 0.0259040371*l + 0.7827717662*m - 0.8086757660*s
}

// FromOklab is the linear colour of one in Oklab; outside the gamut it has negative parts.
func FromOklab(lightness, a, b float64) RGB {
	l, m, s := lightness+0.3963377774*a+0.2158037573*b, lightness-0.1055613458*a-0.0638541728*b, lightness-0.0894841775*a-1.2914855480*b
	l, m, s = l*l*l, m*m*m, s*s*s
	return RGB{4.0767416621*l - 3.3077115913*m + 0.2309699292*s, -1.2684380046*l + 2.6097574011*m - 0.3413193965*s, -0.0041960863*l - 0.7034186147*m + 1.7076147010*s}
}

// Turned turns the hue of c by degrees in Oklab, luminance kept.
func Turned(c RGB, degrees float64) RGB {
	y := Luminance(c)
	if degrees == 0 || !(y > 0) {
		return c
	}
	l, a, b := Oklab(c)
	sin, cos := math.Sincos(degrees * math.Pi / 180)
	out := Unit(FromOklab(l, a*cos-b*sin, a*sin+b*cos))
	for k := range out {
		out[k] *= y
	}
	return out
}
