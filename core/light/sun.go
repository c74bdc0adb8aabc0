package light

import (
	"math"

	"willowherb/core/sampling"
	"willowherb/core/vec"
)

// sun is a disc in the sky, so far off that it is the same everywhere.
type sun struct{}

func (sun) traits() traits { return traits{distant: true, plan: Cascades} }

// E = pi L sin^2; sin^2 = h (2 - h) with h = 1 - cos.
func (sun) shine(l *Light) float32 {
	if l.OneMinusCos > 0 {
		return 1 / (math.Pi * l.OneMinusCos * (2 - l.OneMinusCos))
	}
	return 1
}

func (sun) reaches(l *Light, _, n vec.V3) bool {
	return l.Aim.Dot(n) < float32(math.Sqrt(float64(2*l.OneMinusCos)))+0.001
}

func (sun) sample(l *Light, _, _ vec.V3, u vec.V2) (Sample, bool) {
	s := Sample{Dir: l.Aim.Neg(), Dist: inf, Clear: inf, Weight: vec.Splat(1)}
	if l.OneMinusCos == 0 {
		return s, true
	}
	w := l.Aim.Neg()
	t, b := vec.Basis(w)
	c := sampling.Cone(u, l.OneMinusCos)
	s.Dir = t.Scale(c.X).Add(b.Scale(c.Y)).Add(w.Scale(c.Z))
	s.Pdf = 1 / (2 * math.Pi * l.OneMinusCos)
	s.Weight = vec.Splat(l.shine / s.Pdf)
	return s, true
}

func (sun) meet(l *Light, _, _, d vec.V3) (m Met) {
	// One minus the cosine as half the square of the chord, which keeps its digits.
	e := d.Add(l.Aim)
	if l.OneMinusCos == 0 || e.Dot(e)/2 > l.OneMinusCos {
		return m
	}
	return Met{Radiance: vec.Splat(l.shine), Pdf: 1 / (2 * math.Pi * l.OneMinusCos), Dist: inf}
}

func (sun) area(*Light) float64         { return 0 }
func (sun) perLumen(*Light) float64     { return 1 }
func (sun) lux(*Light, float64) float64 { return 1 }

// SetSunAngle fills the sun's size from its angular diameter in degrees.
func (l *Light) SetSunAngle(diameterDeg float64) {
	l.OneMinusCos = float32(versine(diameterDeg * math.Pi / 360))
}
