package light

import (
	"math"
	"testing"

	"github.com/stretchr/testify/require"
	"willowherb/core/photometry"
	"willowherb/core/vec"
)

// brute integrates what a flat light gives at p with normal n by summing over a
// grid of its parts, each by the inverse square and both cosines; hidden says
// what does not get through, pass what share does.
func brute(l *Light, p, n vec.V3, pass func(q vec.V3, cos float64) float64) float64 {
	const g = 300
	var sum float64
	for i := range g {
		for j := range g {
			x, y := (float64(i)+0.5)/g-0.5, (float64(j)+0.5)/g-0.5
			w, h, area := float64(l.W), float64(l.H), float64(l.W*l.H)
			if l.Kind == Disc {
				w, h = 2*float64(l.Radius), 2*float64(l.Radius)
				if area = w * h; x*x+y*y > 0.25 {
					continue
				}
			}
			q := l.Pos.Add(l.U.Scale(float32(x * w))).Add(l.V.Scale(float32(y * h)))
			d := q.Sub(p)
			r := float64(d.Len())
			c, e := -float64(d.Dot(l.Aim))/r, float64(d.Dot(n))/r
			if c > 0 && e > 0 {
				sum += pass(q, c) * c * e / (r * r) * area / (g * g)
			}
		}
	}
	return sum
}

// crosses tells whether the segment from a to b meets the plane quadrilateral c.
func crosses(a, b vec.V3, c [4]vec.V3) bool {
	in := func(t [3]vec.V3) bool {
		d, e1, e2 := b.Sub(a), t[1].Sub(t[0]), t[2].Sub(t[0])
		h := d.Cross(e2)
		k := e1.Dot(h)
		if k == 0 {
			return false
		}
		s := a.Sub(t[0])
		u := s.Dot(h) / k
		q := s.Cross(e1)
		v, x := d.Dot(q)/k, e2.Dot(q)/k
		return u >= 0 && v >= 0 && u+v <= 1 && x > 0 && x < 1
	}
	return in([3]vec.V3{c[0], c[1], c[2]}) || in([3]vec.V3{c[0], c[2], c[3]})
}

// Leaves shade a panel as four plates would: half the panel where a leaf hides
// half, all of it behind a closed one. 1 %: the grid's own steps at the edges.
func TestBarnDoors(t *testing.T) {
	for _, c := range []struct {
		name   string
		angles [4]float64
		p      vec.V3
	}{
		{"open, before it", [4]float64{0.8, 0.8, 0.8, 0.8}, vec.V3{}},
		{"straight out, to the side", [4]float64{0, 0, 0, 0}, vec.V3{X: 1.1, Z: 0.3}},
		{"one closed over half", [4]float64{-0.6, 0.9, 0.9, 0.9}, vec.V3{Z: 0.1}},
		{"a slit", [4]float64{-0.5, -0.5, 0.5, 0.5}, vec.V3{X: 0.2}},
		{"over the corner", [4]float64{0.4, 0.2, 0.1, 0.3}, vec.V3{X: -1.2, Z: -1.0}},
	} {
		t.Run(c.name, func(t *testing.T) {
			l := Light{Kind: Rect, Pos: vec.V3{Y: 2}, Aim: vec.V3{Y: -1}, U: vec.V3{X: 1}, V: vec.V3{Z: 1}, W: 0.8, H: 0.5}
			l.Prepare()
			bare := brute(&l, c.p, up, func(vec.V3, float64) float64 { return 1 })
			l.SetDoors(c.angles, 0.6)
			leaves := l.Doors().Corners()
			want := brute(&l, c.p, up, func(q vec.V3, _ float64) float64 {
				for _, f := range leaves {
					if crosses(q, c.p, f) {
						return 0
					}
				}
				return 1
			})
			require.Less(t, want, bare*1.0001)
			e, se := illuminance(&l, c.p, up, 1<<16)
			require.InDelta(t, want, e, max(4*se, bare*0.01))
		})
	}
	shut := Light{Kind: Spot, Pos: vec.V3{Y: 2}, Aim: vec.V3{Y: -1}, Radius: 0.05}
	shut.SetCone(0.2, 0.4)
	shut.Prepare()
	open, _ := illuminance(&shut, vec.V3{}, up, 1<<12)
	require.InEpsilon(t, 0.25, open, 0.005)
	shut.SetDoors([4]float64{-1.4, -1.4, 0, 0}, 0.2)
	e, _ := illuminance(&shut, vec.V3{}, up, 1<<12)
	require.Zero(t, e, "two leaves folded over the opening leave nothing")
}

// A honeycomb takes away by the angle of each ray, and both sides of a panel may shine.
func TestGridAndSides(t *testing.T) {
	for _, kind := range []Kind{Rect, Disc} {
		l := Light{Kind: kind, Pos: vec.V3{Y: 1.2}, Aim: vec.V3{Y: -1}, U: vec.V3{X: 1}, V: vec.V3{Z: 1}, W: 1, H: 0.6, Radius: 0.4}
		l.Prepare()
		l.SetGrid(0.6)
		p := vec.V3{X: 0.5}
		want := brute(&l, p, up, func(_ vec.V3, c float64) float64 {
			return math.Max(0, 1-math.Tan(math.Acos(c))/math.Tan(0.6))
		})
		e, se := illuminance(&l, p, up, 1<<16)
		require.InDelta(t, want, e, max(4*se, want*0.005))
		far, _ := illuminance(&l, vec.V3{X: 2.5}, up, 1<<10)
		require.Zero(t, far, "nothing beyond the half-angle")
	}
	two := Light{Kind: Rect, Pos: vec.V3{Y: -2}, Aim: vec.V3{Y: -1}, U: vec.V3{X: 1}, V: vec.V3{Z: 1}, W: 3, H: 1}
	two.Prepare()
	require.False(t, two.Reaches(vec.V3{}, up.Neg()))
	two.TwoSided = true
	require.True(t, two.Reaches(vec.V3{}, up.Neg()))
	e, se := illuminance(&two, vec.V3{}, up.Neg(), 1<<15)
	want := 4 * float64(photometry.RectIlluminance(1, 1.5, 0.5, 2))
	require.InDelta(t, want, e, max(4*se, want*0.005))
}

// A line gives by the integral along it, a tube by that over its surface; and the
// flux told for it is what a sphere round it receives.
func TestTube(t *testing.T) {
	line := Light{Kind: Tube, Pos: vec.V3{Y: 1.5}, Aim: vec.V3{Y: -1}, U: vec.V3{X: 1}, V: vec.V3{Z: 1}, Length: 2}
	line.Prepare()
	e, se := illuminance(&line, vec.V3{}, up, 1<<15)
	d, h := 1.5, 1.0
	want := (h/(d*d+h*h) + math.Atan(h/d)/d) / (2 * h)
	require.InDelta(t, want, e, max(4*se, want*0.005))
	require.InEpsilon(t, want, line.AxisLux(d), 1e-9)
	for _, p := range []vec.V3{{}, {X: 1.4, Z: 0.6}, {X: 3, Y: 1.2}} {
		tube := line
		tube.Radius = 0.25
		tube.Prepare()
		// The capsule's surface in parts: its side and its two ends.
		const g = 400
		var want float64
		add := func(q, n vec.V3, area float64) {
			d := q.Sub(p)
			r := float64(d.Len())
			c, e := -float64(d.Dot(n))/r, float64(d.Y)/r
			if c > 0 && e > 0 {
				want += float64(tube.shine) * c * e / (r * r) * area
			}
		}
		r, n := float64(tube.Radius), float64(tube.Length)
		for i := range g {
			for j := range g {
				s, c := math.Sincos(2 * math.Pi * (float64(j) + 0.5) / g)
				side := vec.New(0, c, s)
				add(tube.Pos.Add(vec.New(((float64(i)+0.5)/g-0.5)*n, 0, 0)).Add(side.Scale(float32(r))), side, 2*math.Pi*r*n/(g*g))
				z := 2*(float64(i)+0.5)/g - 1
				ring := math.Sqrt(1 - z*z)
				end := vec.New(z, ring*c, ring*s)
				x := math.Copysign(n/2, z)
				add(tube.Pos.Add(vec.New(x, 0, 0)).Add(end.Scale(float32(r))), end, 4*math.Pi*r*r/(g*g))
			}
		}
		e, se := illuminance(&tube, p, up, 1<<16)
		require.InDelta(t, want, e, max(4*se, want*0.01), "at %v", p)
	}
	for _, radius := range []float32{0, 0.25} {
		tube := line
		tube.Radius = radius
		tube.Prepare()
		// What arrives on a large sphere round it is what it sends out.
		const n = 3000
		var flux, r float64
		r = 40
		for i := range n {
			z := 1 - (2*float64(i)+1)/n
			s, c := math.Sincos(float64(i) * math.Pi * (3 - math.Sqrt(5)))
			ring := math.Sqrt(1 - z*z)
			out := vec.New(z, ring*c, ring*s)
			e, _ := illuminance(&tube, tube.Pos.Add(out.Scale(float32(r))), out.Neg(), 64)
			flux += e * 4 * math.Pi * r * r / n
		}
		require.InEpsilon(t, 1, flux*tube.UnitFromLumen(), 0.01)
	}
}

// One unit of a light with a profile is one lumen, spread as the profile says,
// about the axis it is turned to.
func TestProfile(t *testing.T) {
	p := &photometry.Profile{Geometry: photometry.TypeC, Vertical: []float64{0, 45, 90}, Horizontal: []float64{0, 90}, Values: [][]float64{{200, 100, 0}, {200, 20, 0}}}
	require.NoError(t, p.Prepare())
	l := Light{Kind: Point, Pos: vec.V3{Y: 2}, Aim: vec.V3{Y: -1}, U: vec.V3{X: 1}, V: vec.V3{Z: 1}}
	l.Prepare()
	l.SetProfile(p, 0)
	e, _ := illuminance(&l, vec.V3{}, up, 1)
	require.InEpsilon(t, 200/p.Flux()/4, e, 1e-5)
	along, _ := illuminance(&l, vec.V3{X: 2}, up, 1)
	across, _ := illuminance(&l, vec.V3{Z: 2}, up, 1)
	require.InEpsilon(t, 5, along/across, 1e-4)
	l.SetProfile(p, math.Pi/2)
	turned, _ := illuminance(&l, vec.V3{Z: 2}, up, 1)
	require.InEpsilon(t, along, turned, 1e-4)
	require.InEpsilon(t, 1, l.UnitFromLumen(), 1e-12)
	require.InEpsilon(t, 200/p.Flux(), l.AxisCandela(), 1e-9)
}

// A slide lets pass what it shows: half for half a slide, upright as the light's
// own axes are, and no more than all of it when it is out of focus.
func TestGobo(t *testing.T) {
	const n = 64
	half := make([]vec.V3, n*n)
	for i := range half {
		if i%n >= n/2 {
			half[i] = vec.V3{X: 1, Y: 0.5, Z: 0.25}
		}
	}
	l := Light{Kind: Spot, Pos: vec.V3{Y: 1}, Aim: vec.V3{Y: -1}, U: vec.V3{X: 1}, V: vec.V3{Z: 1}}
	l.SetCone(0.5, 0.5)
	l.Prepare()
	l.SetGobo(half, n, 0.5, 1, 0, 0)
	s, ok := l.Sample(vec.V3{X: 0.2}, up, vec.V2{})
	require.True(t, ok)
	require.InEpsilon(t, 0.5, s.Weight.Y/s.Weight.X, 1e-5, "a coloured slide")
	_, ok = l.Sample(vec.V3{X: -0.2}, up, vec.V2{})
	require.False(t, ok, "the dark half")
	l.SetGobo(half, n, 0.5, 1, 0, math.Pi)
	_, ok = l.Sample(vec.V3{X: -0.2}, up, vec.V2{})
	require.True(t, ok, "turned by half a turn")
	for _, name := range Patterns {
		slide := Pattern(name, goboSize)
		mean := func(a []vec.V3) (m float64) {
			for _, v := range a {
				require.True(t, v.X >= 0 && v.X <= 1)
				m += float64(v.X) / float64(len(a))
			}
			return m
		}
		m := mean(slide)
		require.True(t, m > 0.1 && m < 0.9, "%s passes %.2f", name, m)
		soft := soften(slide, goboSize, 1)
		for i := range soft {
			soft[i] = vec.Max3(vec.V3{}, vec.Min3(soft[i], vec.Splat(1)))
		}
		require.InDelta(t, m, mean(soft), 0.25, "out of focus some of it spreads beyond the slide")
	}
}
