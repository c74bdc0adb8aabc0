package light

import (
	"math"
	"testing"

	"github.com/stretchr/testify/require"
	"willowherb/core/photometry"
	"willowherb/core/sampling"
	"willowherb/core/vec"
)

// illuminance estimates what l gives on a plane at p with normal n, with its
// standard error, from Sample alone.
func illuminance(l *Light, p, n vec.V3, count uint32) (e, se float64) {
	var s, q float64
	for k := range count {
		x, ok := l.Sample(p, n, sampling.New(5, 1, k).Pair(0))
		w := 0.0
		if ok {
			w = float64(x.Weight.X * max(x.Dir.Dot(n), 0))
		}
		s += w
		q += w * w
	}
	e = s / float64(count)
	return e, math.Sqrt(max(q/float64(count)-e*e, 0) / float64(count))
}

var up = vec.V3{Y: 1}

func TestClosedForms(t *testing.T) {
	down := vec.V3{Y: -1}
	sun := Light{Kind: Sun, Aim: down}
	sun.SetSunAngle(0.533)
	wide := Light{Kind: Sun, Aim: down}
	wide.SetSunAngle(20)
	spot := Light{Kind: Spot, Pos: vec.V3{Y: 3}, Aim: down}
	spot.SetCone(0.3, 0.5)
	edge := spot
	edge.Aim = vec.New(math.Sin(0.4), -math.Cos(0.4), 0)
	ramp := math.Pow((math.Cos(0.4)-math.Cos(0.5))/(math.Cos(0.3)-math.Cos(0.5)), 2)
	for _, c := range []struct {
		name string
		l    Light
		p    vec.V3
		want float64
	}{
		{"point, inverse square", Light{Kind: Point, Pos: vec.V3{Y: 2}}, vec.V3{}, 1.0 / 4},
		{"point, cosine", Light{Kind: Point, Pos: vec.V3{X: 2, Y: 2}}, vec.V3{}, math.Sqrt2 / 2 / 8},
		{"point with radius", Light{Kind: Point, Pos: vec.V3{Y: 2}, Radius: 0.5}, vec.V3{}, 1.0 / 4},
		{"point with range", Light{Kind: Point, Pos: vec.V3{Y: 2}, Range: 4}, vec.V3{}, (1 - 1.0/16) / 4},
		{"spot on its axis", spot, vec.V3{}, 1.0 / 9},
		{"spot on its ramp", edge, vec.V3{}, ramp / 9},
		{"sun", sun, vec.V3{}, 1},
		{"wide sun", wide, vec.V3{}, 1},
		{"uniform sky, E = pi L", Light{Kind: Sky, Gradient: Uniform}, vec.V3{}, math.Pi},
		{"disc", Light{Kind: Disc, Pos: vec.V3{Y: 1.5}, Aim: down, Radius: 0.8}, vec.V3{}, float64(photometry.DiscIlluminance(1, 0.8, 1.5))},
		{"rect over its corner", Light{Kind: Rect, Pos: vec.V3{X: 1, Y: 1, Z: 0.5}, Aim: down, U: vec.V3{X: 1}, V: vec.V3{Z: 1}, W: 2, H: 1}, vec.V3{}, float64(photometry.RectIlluminance(1, 2, 1, 1))},
		{"rect over its middle", Light{Kind: Rect, Pos: vec.V3{Y: 2}, Aim: down, U: vec.V3{X: 1}, V: vec.V3{Z: 1}, W: 3, H: 1}, vec.V3{}, 4 * float64(photometry.RectIlluminance(1, 1.5, 0.5, 2))},
	} {
		t.Run(c.name, func(t *testing.T) {
			c.l.Prepare()
			e, se := illuminance(&c.l, c.p, up, 1<<15)
			require.InDelta(t, c.want, e, max(4*se, c.want*0.005), "0.5 %% or four standard errors")
			require.True(t, c.l.Reaches(c.p, up))
		})
	}
}

// What lies out of reach must be told so, and what Reaches refuses must give nothing.
func TestReachesNeverRefusesLight(t *testing.T) {
	spot := Light{Kind: Spot, Pos: vec.V3{Y: 3}, Aim: vec.V3{Y: -1}, Range: 8, Radius: 0.1}
	spot.SetCone(0.3, 0.5)
	rect := Light{Kind: Rect, Pos: vec.V3{Y: 2}, Aim: vec.V3{X: 1}, W: 2, H: 1}
	sun := Light{Kind: Sun, Aim: vec.V3{X: 0.5, Y: -0.3}}
	sun.SetSunAngle(4)
	for _, l := range []*Light{&spot, &rect, &sun} {
		l.Prepare()
		refused := 0
		for k := range uint32(20000) {
			s := sampling.New(3, 8, k)
			a, b, c := s.Pair(0), s.Pair(1), s.Pair(2)
			p := vec.V3{X: a.X*16 - 8, Y: a.Y*6 - 1, Z: b.X*16 - 8}
			n := sampling.Cone(c, 2)
			if l.Reaches(p, n) {
				continue
			}
			refused++
			x, ok := l.Sample(p, n, s.Pair(3))
			if ok && x.Weight.X > 0 {
				require.LessOrEqual(t, x.Dir.Dot(n), float32(1e-4))
			}
		}
		require.Greater(t, refused, 1000)
	}
}

// A ray that meets the light's surface is told the density that Sample has there.
func TestMeetAgreesWithSample(t *testing.T) {
	for _, l := range []Light{
		{Kind: Point, Pos: vec.V3{Y: 2}, Radius: 0.5},
		{Kind: Rect, Pos: vec.V3{Y: 2}, Aim: vec.V3{Y: -1}, U: vec.V3{X: 1}, V: vec.V3{Z: 1}, W: 3, H: 1},
		{Kind: Disc, Pos: vec.V3{Y: 2}, Aim: vec.V3{Y: -1}, Radius: 1},
		{Kind: Disc, Pos: vec.V3{Y: 2}, Aim: vec.V3{Y: 1}, Radius: 1, TwoSided: true},
		{Kind: Tube, Pos: vec.V3{Y: 2}, Aim: vec.V3{Y: -1}, Radius: 0.2, Length: 1.5},
	} {
		l.Prepare()
		for k := range uint32(200) {
			s, ok := l.Sample(vec.V3{X: 0.3}, up, sampling.New(1, 1, k).Pair(0))
			require.True(t, ok)
			m := l.Meet(vec.V3{X: 0.3}, up, s.Dir)
			if m.Pdf == 0 {
				continue // on the very rim
			}
			require.InEpsilon(t, s.Pdf, m.Pdf, 1e-2)
			require.InEpsilon(t, s.Weight.X*s.Pdf, m.Radiance.X, 1e-2)
			require.InEpsilon(t, s.Dist, m.Dist, 1e-3)
			require.LessOrEqual(t, s.Clear, s.Dist)
		}
	}
}
