package grade

import (
	"math"
	"testing"

	"github.com/stretchr/testify/require"
	"willowherb/core/exposure"
)

// flat is a depth that is the same everywhere.
func flat(w, h int, metres float64) *Depth {
	d := &Depth{W: w, H: h, Inverse: make([]float32, w*h), FovY: 0.4, Focus: 2, Aperture: 0.5}
	for i := range d.Inverse {
		d.Inverse[i] = float32(1 / metres)
	}
	return d
}

// The thin lens: f = 12 mm / tan(20 deg) = 32.97 mm; at f/2 in focus at 3 m a point without end
// is f^2 / (N (s - f)) = 0.1832 mm wide on 24 mm.
func TestTheBlurOfAThinLens(t *testing.T) {
	d := &Depth{FovY: 40 * math.Pi / 180, Focus: 3, Aperture: 2}
	require.InEpsilon(t, 0.1832/24/2, d.Blur(), 0.001)
	d.Focus = 0
	require.Zero(t, d.Blur())
}

// A spot out of focus is a disc of the radius that the lens says, with as much light as before
// (1 %: the disc's edge is cut in whole pixels); in focus it stays as it is.
func TestBlurKeepsEnergy(t *testing.T) {
	const w, h = 240, 160
	for _, metres := range []float64{1.2, 2, 3, 9} {
		d := flat(w, h, metres)
		p := (&Program{grade: Neutral()}).WithDepth(d)
		rgb := make([]float64, 3*w*h)
		for i := range rgb {
			rgb[i] = 0.1
		}
		for y := 80; y < 84; y++ {
			for x := 120; x < 124; x++ {
				for k := range 3 {
					rgb[3*(y*w+x)+k] = 500
				}
			}
		}
		before, spread := 0.0, 0.0
		for _, v := range rgb {
			before += v
		}
		p.defocus(rgb, w, h)
		after, most := 0.0, 0.0
		for y := range h {
			for x := range w {
				v := rgb[3*(y*w+x)+1]
				after += 3 * v
				most = max(most, v)
				dx, dy := float64(x)-121.5, float64(y)-81.5
				spread += (v - 0.1) * (dx*dx + dy*dy)
			}
		}
		require.InEpsilon(t, before, after, 0.01, "%g m", metres)
		r := math.Abs(d.Blur() * h * (1 - 2/metres))
		if r < 0.5 {
			require.InDelta(t, 500, most, 1e-6)
			continue
		}
		// A disc's mean square distance from its middle is half the square of its radius;
		// the pixels of the reduced picture, and what is read between them, add 8.
		require.InEpsilon(t, r*r/2+8, spread/(after-0.1*3*w*h)*3, 0.25, "%g m", metres)
	}
}

// What is sharp stays sharp beside what is blurred behind it, and what is blurred before it
// spreads over it.
func TestBlurAtAnEdge(t *testing.T) {
	const w, h = 240, 160
	shown := func(left, right float64) []float64 {
		d := flat(w, h, 2)
		rgb := make([]float64, 3*w*h)
		for i := range w * h {
			m := left
			if i%w >= w/2 {
				m = right
				rgb[3*i], rgb[3*i+1], rgb[3*i+2] = 10, 10, 10
			}
			d.Inverse[i] = float32(1 / m)
		}
		(&Program{grade: Neutral()}).WithDepth(d).defocus(rgb, w, h)
		row := make([]float64, w)
		for x := range row {
			row[x] = rgb[3*(80*w+x)]
		}
		return row
	}
	behind := shown(2, 40) // dark and sharp before, bright behind
	require.Less(t, behind[w/2-4], 0.2, "nothing leaks over what is sharp")
	soft := shown(2.4, 40) // a little soft before, bright behind
	require.Less(t, soft[w/2-9], 0.2, "nor over what is a little soft, farther than that is")
	before := shown(2, 0.9) // dark and sharp behind, bright before
	require.Greater(t, before[w/2-4], 0.5, "it spreads over what is sharp")
}

// Flat ground has no corners however it lies; where two walls meet there is one, the same at
// any distance; what stands far before a wall makes none on it.
func TestCorners(t *testing.T) {
	const w, h = 240, 160
	made := func(inverse func(x, y float64) float64) []float64 {
		d := &Depth{W: w, H: h, Inverse: make([]float32, w*h), FovY: 0.8}
		for i := range w * h {
			// Tangents of the angles from the axis.
			t := 2 * math.Tan(0.4) / h
			d.Inverse[i] = float32(inverse((float64(i%w)+0.5-w/2)*t, (float64(i/w)+0.5-h/2)*t))
		}
		inv, rw, rh := d.reducedDepth(w, h)
		return d.corners(inv, w, h, rw, rh, 0.5)
	}
	at := func(c []float64, x, y int) float64 { return c[y/4*(w/4)+x/4] }
	ground := made(func(_, y float64) float64 { return max(y, 0) / 1.6 }) // 1.6 m under the eye
	for y := 84; y < 150; y++ {
		require.InDelta(t, 0, at(ground, 100, y), 0.02, "row %d", y)
	}
	// Two walls at 45 degrees to the axis that meet d metres off: z = d - |x|.
	wall := func(d float64) []float64 {
		return made(func(x, _ float64) float64 { return (1 + math.Abs(x)) / d })
	}
	three := at(wall(3), 118, 80)
	require.Greater(t, three, 0.3)
	require.InDelta(t, three, at(wall(5), 118, 80), 0.1)
	require.Less(t, at(wall(3), 40, 80), 0.02, "away from it there is none")
	pole := made(func(x, _ float64) float64 {
		if math.Abs(x) < 0.02 {
			return 1 / 1.5
		}
		return 1.0 / 9
	})
	require.Less(t, at(pole, 130, 80), 0.05)

	g := Neutral()
	g.Corners = 0.8
	require.NoError(t, g.Check())
	rgb := make([]float32, 3*w*h)
	for i := range rgb {
		rgb[i] = 1
	}
	d := &Depth{W: w, H: h, Inverse: make([]float32, w*h), FovY: 0.8}
	for i := range w * h {
		d.Inverse[i] = float32((1 + math.Abs((float64(i%w)+0.5-w/2)*2*math.Tan(0.4)/h)) / 3)
	}
	im := Compile(&g).WithDepth(d).Develop(rgb, w, h, 3, exposure.Plain)
	require.Less(t, im.NRGBAAt(120, 80).G, im.NRGBAAt(40, 80).G)
	bare := Compile(&g).Develop(rgb, w, h, 3, exposure.Plain)
	require.Equal(t, bare.NRGBAAt(120, 80).G, bare.NRGBAAt(40, 80).G, "without distances there are none")
}

func BenchmarkLens(b *testing.B) {
	const w, h = 960, 540
	d := flat(w, h, 6)
	rgb := make([]float64, 3*w*h)
	g := Neutral()
	g.Corners = 0.5
	p := Compile(&g).WithDepth(d)
	b.Run("corners", func(b *testing.B) {
		for b.Loop() {
			p.darken(rgb, w, h)
		}
	})
	b.Run("blur", func(b *testing.B) {
		for b.Loop() {
			p.defocus(rgb, w, h)
		}
	})
}
