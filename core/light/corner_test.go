package light

import (
	"math"
	"testing"

	"github.com/stretchr/testify/require"
	"willowherb/core/photometry"
	"willowherb/core/sampling"
	"willowherb/core/vec"
)

// A spot keeps its candela however narrow it is, and its lumens are what falls on a
// screen: for a hard cone 2 pi (1 - cos), for a soft one the same integral by sums.
func TestNarrowSpotsKeepTheirCandela(t *testing.T) {
	for _, degrees := range []float64{0.05, 0.2, 1, 2.6, 10, 60} {
		for _, inner := range []float64{0, 0.5, 1} {
			outer := degrees * math.Pi / 180
			l := Light{Kind: Spot, Pos: vec.V3{Y: 5}, Aim: vec.V3{Y: -1}}
			l.SetCone(inner*outer, outer)
			l.Prepare()
			e, _ := illuminance(&l, vec.V3{}, up, 1)
			require.InEpsilon(t, 1.0/25, e, 0.002, "%g degrees", degrees)
			// The falloff summed over rings.
			var flux float64
			const n = 4000
			for i := range n {
				a := (float64(i) + 0.5) / n * outer
				w := vec.New(math.Sin(a), -math.Cos(a), 0)
				flux += 2 * math.Pi * math.Sin(a) * outer / n * float64(l.cone.falloff(w, l.Aim))
			}
			require.InEpsilon(t, 1, flux*l.UnitFromLumen(), 0.02, "%g degrees, inner %g", degrees, inner)
			require.InEpsilon(t, photometry.ConeSolidAngle(inner*outer, outer), flux, 0.02)
			out := vec.New(5*math.Tan(outer*1.05), 0, 0)
			e, _ = illuminance(&l, out, up, 1)
			require.Zero(t, e, "nothing outside")
			require.True(t, l.Reaches(vec.New(5*math.Tan(outer*0.98), 0, 0), up))
		}
	}
	require.InEpsilon(t, 2*math.Pi*(1-math.Cos(0.4)), photometry.ConeSolidAngle(0.4, 0.4), 1e-12)
}

// The lux told for a tube are those that it gives, whatever its radius: against an
// estimate of its own samples, and for a ball against the inverse square.
func TestTubesInLuxKnowTheirRadius(t *testing.T) {
	for _, c := range []struct{ radius, length, d float64 }{{0.1, 1, 0.5}, {0.25, 2, 1.5}, {0.4, 0.5, 0.6}, {0.02, 3, 0.2}, {0.3, 1, 6}} {
		l := Light{Kind: Tube, Pos: vec.New(0, c.d, 0), Aim: vec.V3{Y: -1}, U: vec.V3{X: 1}, V: vec.V3{Z: 1}, Radius: float32(c.radius), Length: float32(c.length)}
		l.Prepare()
		e, se := illuminance(&l, vec.V3{}, up, 1<<16)
		require.InDelta(t, e, l.AxisLux(c.d), max(4*se, 0.003*e), "%+v", c)
	}
	ball := Light{Kind: Tube, Aim: vec.V3{Y: -1}, U: vec.V3{X: 1}, V: vec.V3{Z: 1}, Radius: 0.2}
	ball.Prepare()
	require.InEpsilon(t, 1.0/9, ball.AxisLux(3), 0.002)
	require.InEpsilon(t, math.Pi*float64(ball.shine), ball.AxisLux(0.1), 1e-6, "inside, all round")
}

// Small and far, a ball still gives by the inverse square, and its samples meet it.
func TestFarSmallBalls(t *testing.T) {
	for _, c := range []struct{ radius, d float64 }{{0.01, 50}, {0.02, 300}, {0.01, 1000}, {0.5, 5000}, {0.001, 1e5}} {
		l := Light{Kind: Point, Pos: vec.New(0.6*c.d, 0.8*c.d, 0), Radius: float32(c.radius)}
		l.Prepare()
		e, _ := illuminance(&l, vec.V3{}, up, 1<<10)
		require.InEpsilon(t, 0.8/(c.d*c.d), e, 0.005, "%+v", c)
		met := 0
		for k := range uint32(1000) {
			s, ok := l.Sample(vec.V3{}, up, sampling.New(2, 1, k).Pair(0))
			require.True(t, ok)
			require.InDelta(t, c.d, s.Dist, c.radius+1e-5*c.d)
			m := l.Meet(vec.V3{}, up, s.Dir)
			if s.Pdf == 0 { // too small for float32: a place, which no ray finds
				require.Zero(t, m.Pdf)
				met++
			} else if m.Pdf > 0 {
				require.InEpsilon(t, s.Pdf, m.Pdf, 1e-3)
				met++
			}
		}
		require.Greater(t, met, 850, "%+v", c)
	}
}

// So does a thin tube far off.
func TestFarThinTubes(t *testing.T) {
	for _, c := range []struct{ radius, length, d float64 }{{0.01, 1, 30}, {0.01, 1.2, 200}, {0.005, 2, 500}} {
		l := Light{Kind: Tube, Pos: vec.New(0, c.d, 0), Aim: vec.V3{Y: -1}, U: vec.V3{X: 1}, V: vec.V3{Z: 1}, Radius: float32(c.radius), Length: float32(c.length)}
		l.Prepare()
		e, se := illuminance(&l, vec.V3{}, up, 1<<14)
		require.InDelta(t, 1/(c.d*c.d), e, max(4*se, 0.02/(c.d*c.d)), "%+v", c)
	}
}

// Densities are densities: over all directions they come to one, no more and no less.
func TestDensitiesComeToOne(t *testing.T) {
	spot := Light{Kind: Spot, Pos: vec.V3{Y: 2}, Aim: vec.V3{Y: -1}, Radius: 0.6}
	spot.SetCone(0.5, 1)
	sun := Light{Kind: Sun, Aim: vec.V3{X: 0.3, Y: -1}}
	sun.SetSunAngle(40)
	for name, l := range map[string]*Light{
		"ball": {Kind: Point, Pos: vec.V3{Y: 2}, Radius: 0.7}, "spot": &spot, "sun": &sun,
		"rect":      {Kind: Rect, Pos: vec.V3{Y: 1}, Aim: vec.V3{Y: -1}, U: vec.V3{X: 1}, V: vec.V3{Z: 1}, W: 3, H: 1},
		"disc":      {Kind: Disc, Pos: vec.V3{Y: 1}, Aim: vec.V3{X: 0.2, Y: -1}, Radius: 0.8},
		"two sides": {Kind: Disc, Pos: vec.V3{Y: 1}, Aim: vec.V3{Y: 1}, Radius: 0.8, TwoSided: true},
		"tube":      {Kind: Tube, Pos: vec.V3{Y: 1}, Aim: vec.V3{Y: -1}, U: vec.V3{X: 1}, V: vec.V3{Z: 1}, Radius: 0.3, Length: 1.5},
		"sky":       {Kind: Sky, Gradient: Uniform},
	} {
		l.Prepare()
		var mass float64
		const n = 1 << 18
		for k := range uint32(n) {
			mass += float64(l.Meet(vec.V3{X: 0.2, Z: 0.1}, up, sampling.Cone(sampling.New(4, 2, k).Pair(0), 2)).Pdf) * 4 * math.Pi / n
		}
		require.InDelta(t, 1, mass, 0.02, name)
	}
}

// A light that lies in a plane reaches as far as it can be seen, and the way to it ends
// before what it is flush with.
func TestClearEndsBeforeTheLight(t *testing.T) {
	for _, at := range []float32{0, 1000} {
		l := Light{Kind: Rect, Pos: vec.V3{X: at, Y: 3}, Aim: vec.V3{Y: -1}, U: vec.V3{X: 1}, V: vec.V3{Z: 1}, W: 1, H: 1}
		l.Prepare()
		for _, x := range []float32{0, 1, 5, 30} {
			s, ok := l.Sample(vec.V3{X: at + x}, up, vec.V2{X: 0.5, Y: 0.5})
			require.True(t, ok)
			short := s.Dist - s.Clear
			height := short * -s.Dir.Dot(l.Aim)
			require.Greater(t, height, l.Pos.Rounding(), "so far before the plane")
			require.Less(t, height, 3*l.Pos.Rounding())
			m := l.Meet(vec.V3{X: at + x}, up, s.Dir)
			require.InEpsilon(t, short, m.Slack, 0.01)
		}
	}
}
