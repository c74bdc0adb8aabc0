package light

import (
	"math"

	"willowherb/core/sampling"
	"willowherb/core/vec"
)

// Gradient is a sky: linear colours multiplied by the light's colour and
// output. The zenith and the horizon blend by the sine of elevation to the
// power Falloff; below the horizon lies Ground.
type Gradient struct {
	Zenith, Horizon, Ground vec.V3
	Falloff                 float32
}

// Uniform is a sky of the same luminance everywhere.
var Uniform = Gradient{vec.Splat(1), vec.Splat(1), vec.Splat(1), 1}

// Radiance of the sky towards the unit direction d.
func (g *Gradient) Radiance(d vec.V3) vec.V3 {
	if d.Y < 0 {
		// A soft seam of about two degrees, as haze makes it.
		return vec.Lerp(g.Horizon, g.Ground, min(-d.Y*30, 1))
	}
	k := d.Y
	if g.Falloff != 1 {
		k = float32(math.Pow(float64(d.Y), float64(g.Falloff)))
	}
	return vec.Lerp(g.Horizon, g.Zenith, k)
}

// sky is all directions.
type sky struct{}

func (sky) traits() traits                      { return traits{distant: true, shows: true} }
func (sky) shine(*Light) float32                { return 1 }
func (sky) reaches(*Light, vec.V3, vec.V3) bool { return true }
func (sky) area(*Light) float64                 { return 0 }
func (sky) perLumen(*Light) float64             { return 1 }
func (sky) lux(*Light, float64) float64         { return 1 }

func (sky) sample(l *Light, _, n vec.V3, u vec.V2) (s Sample, ok bool) {
	t, b := vec.Basis(n)
	c := sampling.CosineHemisphere(u)
	s.Dir = t.Scale(c.X).Add(b.Scale(c.Y)).Add(n.Scale(c.Z)).Norm()
	s.Dist, s.Clear = inf, inf
	s.Pdf = max(c.Z, 1e-6) / math.Pi
	s.Weight = l.Gradient.Radiance(s.Dir).Scale(1 / s.Pdf)
	return s, true
}

func (sky) meet(l *Light, _, n, d vec.V3) Met {
	return Met{Radiance: l.Gradient.Radiance(d), Pdf: max(d.Dot(n), 0) / math.Pi, Dist: inf}
}
