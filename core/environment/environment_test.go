package environment

import (
	"math"
	"testing"

	"github.com/stretchr/testify/require"
	"willowherb/core/air"
	"willowherb/core/colour"
)

// filled is a picture whose light is a function of direction.
func filled(w, h int, f func(d [3]float64) colour.RGB) *Map {
	m := &Map{W: w, H: h, RGB: make([]float32, 3*w*h)}
	for y := range h {
		for x := range w {
			c := f(m.towards(x, y))
			for k := range c {
				m.RGB[3*(y*w+x)+k] = float32(c[k])
			}
		}
	}
	return m
}

func grey(v float64) colour.RGB { return colour.RGB{v, v, v} }

// Closed forms: an even dome gives pi L; one as the sine of the height 2 pi L / 3.
func TestMeasureAgainstClosedForms(t *testing.T) {
	for _, size := range [][2]int{{512, 256}, {90, 45}, {4, 2}} { // odd rows cross the horizon
		m := filled(size[0], size[1], func([3]float64) colour.RGB { return grey(100) }).Measure()
		require.InEpsilon(t, 100*math.Pi, m.HorizontalLux, 1e-6)
		require.InEpsilon(t, 100*math.Pi, m.UpLux, 1e-6)
		require.InEpsilon(t, 100, m.MeanLuminance, 1e-6)
		require.Nil(t, m.Sun)
	}
	m := filled(512, 256, func(d [3]float64) colour.RGB { return grey(90 * max(d[1], 0)) }).Measure()
	require.InEpsilon(t, 2*math.Pi/3*90, m.HorizontalLux, 0.001)
	require.Zero(t, m.UpLux)
	require.InEpsilon(t, 90.0/4, m.MeanLuminance, 0.001)
}

// A dome that is worked out, with a sun put in whose lux is known.
func withSun(w, h int, height, azimuth, radius, lux float64) (*Map, *air.Dome) {
	s := air.Clear()
	s.SunHeight, s.SunAzimuth = height, azimuth
	d := air.Make(s)
	m := &Map{W: w, H: h, RGB: d.Picture(w, h)}
	to := air.Direction(height, azimuth)
	cos := math.Cos(radius * math.Pi / 180)
	l := lux / (math.Pi * (1 - cos*cos))
	const n = 8 // a pixel at the edge is partly sun
	for y := range h {
		for x := range w {
			in := 0.0
			for i := range n * n {
				q := air.Direction(90-180*(float64(y)+(float64(i/n)+0.5)/n)/float64(h), 360*((float64(x)+(float64(i%n)+0.5)/n)/float64(w)-0.5))
				if dot(q, to) > cos {
					in++
				}
			}
			for k := range 3 {
				m.RGB[3*(y*w+x)+k] += float32(l * in / (n * n))
			}
		}
	}
	return m, d
}

func TestTheSunIsFound(t *testing.T) {
	for _, c := range []struct{ height, azimuth, radius float64 }{{40, 220, 1}, {12, 5, 0.8}, {70, 359, 1.5}, {25, 180, 1}} {
		m, d := withSun(720, 360, c.height, c.azimuth, c.radius, 60000)
		got := m.Measure()
		require.NotNil(t, got.Sun)
		require.InDelta(t, c.height, got.Sun.Height, 0.2)
		require.InDelta(t, 0, math.Remainder(c.azimuth-got.Sun.Azimuth, 360), 0.3)
		require.InEpsilon(t, 60000, got.Sun.Lux, 0.03)
		require.InDelta(t, c.radius, got.Sun.Radius, 0.3)
		require.InEpsilon(t, d.SkyLux()+60000*math.Sin(c.height*math.Pi/180), got.HorizontalLux, 0.01)
		require.InEpsilon(t, 1-d.SkyLux()/got.HorizontalLux, got.Sun.Share, 0.03)

		without := m.WithoutSun(got.Sun)
		after := without.Measure()
		require.Nil(t, after.Sun, "it is gone")
		require.InEpsilon(t, got.HorizontalLux, after.HorizontalLux+got.Sun.Lux*math.Sin(got.Sun.Height*math.Pi/180), 0.01, "and nothing else")
	}
	// Clouds and windows are no suns.
	require.Nil(t, filled(256, 128, func(d [3]float64) colour.RGB { return grey(50 + 200*max(d[0], 0)) }).FindSun())
	require.Nil(t, filled(64, 32, func(d [3]float64) colour.RGB {
		if d[0] > 0.8 && math.Abs(d[1]) < 0.4 {
			return grey(1000)
		}
		return grey(1)
	}).FindSun(), "a window")
	require.Nil(t, filled(64, 32, func([3]float64) colour.RGB { return colour.RGB{} }).FindSun())
}

func TestTurning(t *testing.T) {
	m, _ := withSun(360, 180, 30, 100, 2, 60000)
	s := m.Turned(75.5).FindSun()
	require.InDelta(t, 175.5, s.Azimuth, 0.3)
	require.InDelta(t, 30, s.Height, 0.2)
	require.InEpsilon(t, m.Measure().HorizontalLux, m.Turned(-400.3).Measure().HorizontalLux, 0.002)
}

func TestHalving(t *testing.T) {
	m, _ := withSun(360, 180, 30, 100, 3, 60000)
	half := m.Halved()
	require.Equal(t, [2]int{180, 90}, [2]int{half.W, half.H})
	require.InEpsilon(t, m.Measure().HorizontalLux, half.Measure().HorizontalLux, 0.002)
	odd := filled(5, 3, func([3]float64) colour.RGB { return grey(7) }).Halved()
	require.Equal(t, [2]int{2, 1}, [2]int{odd.W, odd.H})
	require.Equal(t, float32(7), odd.RGB[5])
}

func BenchmarkMeasure(b *testing.B) {
	m := filled(4096, 2048, func(d [3]float64) colour.RGB { return grey(1 + d[0]) })
	for b.Loop() {
		m.Measure()
	}
}

// The made-up ones are light all over, have their suns where their air has them, and are
// rounded at their seam.
func TestMadeEnvironments(t *testing.T) {
	for _, name := range MadeNames() {
		m, err := Made(name)
		require.NoError(t, err)
		got := m.Measure()
		require.Greater(t, got.HorizontalLux, 500.0, name)
		if name == "marsh overcast" {
			require.Nil(t, got.Sun)
		} else {
			require.NotNil(t, got.Sun, name)
		}
		for i, v := range m.RGB {
			require.True(t, v >= 0 && !math.IsInf(float64(v), 0), "%s, value %d: %g", name, i, v)
		}
	}
	m, err := Made("marsh dusk")
	require.NoError(t, err)
	var seam, beside float64 // over the seam it changes as it does elsewhere
	for y := range m.H {
		seam += math.Abs(m.luminance(m.W-1, y) - m.luminance(0, y))
		for x := 1; x < 9; x++ {
			beside += math.Abs(m.luminance(x-1, y)-m.luminance(x, y)) / 8
		}
	}
	require.Less(t, seam, 2*beside)
	s := m.FindSun()
	require.InDelta(t, 5, s.Height, 0.4)
	require.InDelta(t, 250, s.Azimuth, 0.4)
	_, err = Made("beach")
	require.ErrorContains(t, err, "there are: marsh dusk, marsh overcast, morning mist")
}
