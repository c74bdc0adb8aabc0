package environment

import (
	"math"
	"testing"

	"github.com/stretchr/testify/require"
	"willowherb/core/air"
	"willowherb/core/colour"
)

// A small spot blurred is a Gaussian on the sphere: as much light as before, about where it
// was, and the mean square distance that a Gaussian of that deviation has (2 of its squares:
// small angles, so 3 %). Near the poles too.
func TestABlurSpreadsASpot(t *testing.T) {
	for _, height := range []float64{0, 45, 80, 90} {
		for _, blur := range []float64{0.9, 3, 8} {
			if blur < wide && height > 70 {
				continue // a few degrees round the poles are blurred by axes alone
			}
			to := air.Direction(height, 30)
			m := filled(360, 180, func(d [3]float64) colour.RGB {
				if dot(d, to) > math.Cos(1.2*math.Pi/180) {
					return colour.RGB{1000, 500, 100}
				}
				return colour.RGB{}
			})
			sum := func(m *Map) (lux, away float64, towards [3]float64) {
				for y := range m.H {
					for x := range m.W {
						e, d := m.luminance(x, y)*m.solidAngle(y), m.towards(x, y)
						lux += e
						a := math.Acos(min(dot(d, to), 1)) * 180 / math.Pi
						away += e * a * a
						for k := range d {
							towards[k] += e * d[k]
						}
					}
				}
				return lux, away / lux, towards
			}
			before, own, _ := sum(m)
			after, away, towards := sum(m.Seen(1, 1, blur))
			require.InEpsilon(t, before, after, 0.02, "%v %v", height, blur)
			require.InEpsilon(t, 2*blur*blur+own, away, 0.06, "%v %v", height, blur)
			n := math.Sqrt(dot(towards, towards))
			require.Greater(t, dot(towards, to)/n, math.Cos(0.4*math.Pi/180))
		}
	}
	even := filled(64, 32, func([3]float64) colour.RGB { return grey(7) }).Seen(1, 1, 9)
	for _, v := range even.RGB {
		require.InDelta(t, 7, v, 1e-4)
	}
}

// Contrast is stops for each stop from the mean luminance; without saturation all is grey.
func TestContrastAndSaturationOfWhatIsSeen(t *testing.T) {
	m := filled(64, 32, func(d [3]float64) colour.RGB {
		if d[1] > 0 {
			return colour.RGB{3, 6, 12}
		}
		return colour.RGB{1, 1, 1}
	})
	mean := m.Measure().MeanLuminance
	out := m.Seen(1, 2, 0)
	for y := range m.H {
		require.InEpsilon(t, 2*math.Log2(m.luminance(3, y)/mean), math.Log2(out.luminance(3, y)/mean), 1e-5)
	}
	require.InDelta(t, 4, float64(out.RGB[2]/out.RGB[0]), 1e-5, "colours are kept")
	flat := m.Seen(0, 1, 0)
	require.InDelta(t, m.luminance(0, 0), float64(flat.RGB[0]), 1e-5)
	require.InDelta(t, float64(flat.RGB[0]), float64(flat.RGB[2]), 1e-5)
	require.Same(t, m, m.Seen(1, 1, 0))
}

func TestASpotOfAPicture(t *testing.T) {
	to := air.Direction(35, 120)
	warm := colour.Temperature(3200)
	m := filled(360, 180, func(d [3]float64) colour.RGB {
		if dot(d, to) > math.Cos(5*math.Pi/180) {
			return colour.RGB{400 * warm[0], 400 * warm[1], 400 * warm[2]}
		}
		return grey(50)
	})
	for _, azimuth := range []float64{120, 480, -240} {
		s := m.SpotAt(35, azimuth, 2)
		require.InEpsilon(t, 400, s.Luminance, 1e-3)
		require.InDelta(t, 3200, s.Kelvin, 20)
	}
	require.InEpsilon(t, 50, m.SpotAt(-90, 0, 0).Luminance, 1e-6)
	require.InEpsilon(t, 50, m.SpotAt(90, 179.999, 0).Luminance, 1e-6)
	half := m.SpotAt(40, 120, 4).Luminance
	require.Greater(t, half, 100.0)
	require.Less(t, half, 390.0)
}

func TestResizing(t *testing.T) {
	m := filled(90, 45, func(d [3]float64) colour.RGB { return colour.RGB{1 + d[0], 1 + d[1], 1 + d[2]} })
	out := m.Resized(32, 16)
	require.Equal(t, [2]int{32, 16}, [2]int{out.W, out.H})
	for y := range out.H {
		for x := range out.W {
			d := out.towards(x, y)
			for k := range d {
				require.InDelta(t, 1+d[k], out.RGB[3*(y*out.W+x)+k], 0.04)
			}
		}
	}
}

func BenchmarkSeen(b *testing.B) {
	m := filled(4096, 2048, func(d [3]float64) colour.RGB { return colour.RGB{1 + d[0], 1 + d[1], 1 + d[2]} })
	for name, blur := range map[string]float64{"0.3 degrees": 0.3, "3 degrees": 3} {
		b.Run(name, func(b *testing.B) {
			for b.Loop() {
				m.Seen(1.2, 1.1, blur)
			}
		})
	}
}
