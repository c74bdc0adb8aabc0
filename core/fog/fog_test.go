package fog_test

import (
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"willowherb/core/fog"
	"willowherb/core/vec"
)

func marsh() *fog.Air {
	return &fog.Air{Density: fog.OfVisibility(180), Halves: 2.4, Base: 0.5, Begins: 1.5, Most: 0.9, Colour: vec.New(0.9, 0.95, 1), Forward: 0.5,
		Boxes: []fog.Box{{Lo: [3]float64{-3, 0, -20}, Hi: [3]float64{3, 2, -10}, Density: 0.05}}}
}

// numeric adds up the density along a ray.
func numeric(a *fog.Air, o, d vec.V3, t float64) (sum float64) {
	const n = 200000
	for i := range n {
		x := (float64(i) + 0.5) / n * t
		sum += a.At(vec.New(float64(o.X)+float64(d.X)*x, float64(o.Y)+float64(d.Y)*x, float64(o.Z)+float64(d.Z)*x)) * t / n
	}
	return sum
}

func TestVisibilityLeavesFivePerCent(t *testing.T) {
	a := &fog.Air{Density: fog.OfVisibility(180), Most: 1}
	assert.InDelta(t, 0.05, a.Through(vec.V3{}, vec.New(1, 0, 0), 180), 1e-9)
	assert.InDelta(t, 1-0.9*0.95, (&fog.Air{Density: a.Density, Most: 0.9}).Through(vec.V3{}, vec.New(1, 0, 0), 180), 1e-9)
}

// The closed form of the depth against adding it up in 200,000 steps: 1e-4 of it, which is
// what those steps are good for at the edges of a box.
func TestDepthIsTheIntegralOfTheDensity(t *testing.T) {
	a := marsh()
	for name, r := range map[string][2]vec.V3{
		"level above": {vec.New(0, 3, 5), vec.New(0, 0, -1)}, "level below": {vec.New(0, 0.2, 5), vec.New(0, 0, -1)},
		"rising through the base": {vec.New(0, -2, 5), vec.New(0, 0.2, -1).Norm()}, "falling through it": {vec.New(1, 4, 5), vec.New(0, -0.2, -1).Norm()},
		"straight up": {vec.New(0, -1, -15), vec.New(0, 1, 0)}, "straight down from inside the box": {vec.New(0, 1.5, -15), vec.New(0, -1, 0)},
		"nearly level": {vec.New(0, 3, 5), vec.New(0, 1e-7, -1)}, "along a side of the box": {vec.New(2.9, 1, 0), vec.New(0, 0, -1)},
	} {
		for _, far := range []float64{0.5, 9, 40} {
			want := numeric(a, r[0], r[1], far)
			assert.InDelta(t, want, a.Depth(r[0], r[1], far), 1e-4*want+1e-7, "%s, %g m", name, far)
		}
	}
	up := a.Depth(vec.New(50, 0.5, 0), vec.New(0, 1, 0), math.Inf(1))
	assert.InDelta(t, a.Density*a.Halves/math.Ln2, up, 1e-9, "a column of the whole air")
}

func TestFogBeginsWhereItIsToldTo(t *testing.T) {
	a := marsh()
	o, d := vec.New(0, 1, 5), vec.New(0, 0, -1)
	assert.Equal(t, 1.0, a.Through(o, d, 1.5))
	assert.Less(t, a.Through(o, d, 1.6), 1.0)
	assert.InDelta(t, 1-a.Most, a.Through(o, d, math.Inf(1)), 1e-9, "it never hides more")
	assert.True(t, (*fog.Air)(nil).Clear())
	assert.True(t, (&fog.Air{Most: 1}).Clear())
	assert.False(t, a.Clear())
}

// All that is turned away goes somewhere, and forward as told: the integrals of the phase.
func TestPhaseIsWholeAndLeansForward(t *testing.T) {
	for _, g := range []float64{-0.6, 0, 0.3, 0.9} {
		a := &fog.Air{Forward: g}
		var whole, mean float64
		const n = 100000
		for i := range n {
			c := 2*(float64(i)+0.5)/n - 1
			whole += a.Phase(c) * 2 * math.Pi * 2 / n
			mean += c * a.Phase(c) * 2 * math.Pi * 2 / n
		}
		assert.InDelta(t, 1, whole, 1e-4, "g %g", g)
		assert.InDelta(t, g, mean, 1e-4)
	}
}

// What both ways of choosing estimate is the integral: here of what the fog hides, which has
// a closed form. 60,000 samples are good to 0.5 %.
func TestChosenPlacesGiveTheIntegral(t *testing.T) {
	a := marsh()
	r := rand.New(rand.NewPCG(1, 2))
	for _, far := range []float64{4, 30, math.Inf(1)} {
		o, d := vec.New(0, 1, 5), vec.New(0.05, 0.02, -1).Norm()
		var w fog.Way
		assert.True(t, w.Set(a, o, d, far))
		lamp := vec.New(1, 2, -4)
		var even, near, both float64
		const n = 60000
		for range n {
			x, pdf := w.Sample(r.Float64())
			assert.InEpsilon(t, pdf, w.Pdf(x), 1e-6)
			even += float64(w.Sends(x, 0).Z) / a.Phase(0) / pdf / n
			y, q := w.SampleNear(lamp, r.Float64())
			assert.InEpsilon(t, q, w.PdfNear(lamp, y), 1e-6)
			if !math.IsInf(far, 1) { // far off, the angle tells nothing
				near += float64(w.Sends(y, 0).Z) / a.Phase(0) / q / n
			}
			both += float64(w.Sends(x, 0).Z) / a.Phase(0) / (pdf + w.PdfNear(lamp, x)) / n
			both += float64(w.Sends(y, 0).Z) / a.Phase(0) / (w.Pdf(y) + q) / n
		}
		want := 1 - a.Through(o, d, far)
		assert.InEpsilon(t, want, even, 0.005, "%g m", far)
		assert.InEpsilon(t, want, both, 0.005, "%g m", far)
		if !math.IsInf(far, 1) {
			assert.InEpsilon(t, want, near, 0.03, "%g m", far)
		}
	}
	var w fog.Way
	assert.False(t, w.Set(a, vec.New(0, 1, 5), vec.New(0, 0, -1), 1), "before it begins")
	assert.False(t, w.Set(a, vec.New(0, 900, 5), vec.New(0, 1, 0), math.Inf(1)), "above it")
}

func BenchmarkWay(b *testing.B) {
	a := marsh()
	var w fog.Way
	for b.Loop() {
		w.Set(a, vec.New(0, 1, 5), vec.New(0.05, 0.02, -1).Norm(), 30)
	}
}

// The sky's own air: its depth is the integral of its density (air thins by e over 8 km, haze
// over 1.2 km), its two phases are whole, and what it sends of light from all round is what it
// scatters of what it hides. The sky has its air already.
func TestTheSkysOwnAir(t *testing.T) {
	a := &fog.Air{Aerial: fog.AerialOf(4)}
	assert.False(t, a.Clear())
	assert.False(t, a.Foggy())
	// Published at 680, 550 and 440 nm (Bruneton 2017): 5.8, 13.6 and 33.1 per 1,000 km.
	assert.InDeltaSlice(t, []float64{5.8e-6, 13.558e-6, 33.1e-6}, []float64{float64(a.Aerial.Clean.X), float64(a.Aerial.Clean.Y), float64(a.Aerial.Clean.Z)}, 0.1e-6)
	// A turbidity of 4 is haze three times as thick as air, looking up.
	assert.InEpsilon(t, 3*13.558e-6*8000, a.Aerial.Haze*1200, 1e-6)
	for _, d := range []vec.V3{vec.New(0, 0, -1), vec.New(0, 0.3, -1).Norm(), vec.New(0, 1, 0)} {
		const n = 20000
		o, far := vec.New(3, 12, 5), 6000.0
		var sum [3]float64
		for i := range n {
			h := 12 + float64(d.Y)*far*(float64(i)+0.5)/n
			for k := range sum {
				sum[k] += far / n * (float64(a.Aerial.Clean.At(k))*math.Exp(-h/8000) + a.Aerial.Haze*math.Exp(-h/1200))
			}
		}
		got := a.Passes(o, d, far)
		for k := range sum {
			assert.InEpsilon(t, math.Exp(-sum[k]), float64(got.At(k)), 1e-5)
		}
	}
	assert.Equal(t, vec.Splat(1), a.Passes(vec.V3{}, vec.New(0, 0, -1), math.Inf(1)))
	var w fog.Way
	assert.False(t, w.Set(a, vec.V3{}, vec.New(0, 0, -1), math.Inf(1)))
	assert.True(t, w.Set(a, vec.V3{}, vec.New(0, 0, -1), 3000))
	var sent [3]float64
	const turns, steps = 400, 400
	for i := range turns {
		c := -1 + 2*(float64(i)+0.5)/turns
		for j := range steps {
			v := w.Sends(3000*(float64(j)+0.5)/steps, c)
			for k := range sent {
				sent[k] += float64(v.At(k)) * 2 * math.Pi * 2 / turns * 3000 / steps
			}
		}
	}
	for k := range sent {
		clean := float64(a.Aerial.Clean.At(k))
		share := (clean + 0.9*a.Aerial.Haze) / (clean + a.Aerial.Haze)
		assert.InEpsilon(t, share*(1-math.Exp(-3000*(clean+a.Aerial.Haze))), sent[k], 0.005)
	}
	assert.Greater(t, sent[2], sent[0], "blue")
}
