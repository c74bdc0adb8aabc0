package calibrate

import (
	"fmt"
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/require"
	"gonum.org/v1/gonum/mat"
	"willowherb/core/device"
	"willowherb/core/target"
	"willowherb/core/work"
)

// Cameras with the work of frames of a made-up level: how much of each kind there is, by chance.
func frames(t *target.Target, seed uint64, n int) []*work.Done {
	r := rand.New(rand.NewPCG(seed, 9))
	usual := map[target.Count]float64{target.Draws: 90, target.Triangles: 4e5, target.Fragments: 2.4e6, target.Through: 4e4, target.Tests: 1.5e6, target.Listed: 9e6, target.Sun: 2e6, target.Point: 1.5e6, target.Spot: 3.5e6,
		target.SunTaps: 9e6, target.Taps: 7e7, target.Faces: 16, target.Casters: 1000, target.CasterTriangles: 5e6, target.Texels: 2.5e7, target.Lightmap: 1.8e6, target.Probes: 1.2e5, target.Mirrors: 2e6, target.SkySides: 2e6, target.ThroughLit: 1e5}
	var out []*work.Done
	for range n {
		d := &work.Done{Most: 8, Lights: []work.LightWork{{Maps: 10, Side: 1024}}}
		d.Own[target.Frames], d.Own[target.Pixels] = 1, float64(t.How.Width*t.How.Height)
		for k, v := range usual {
			d.Own[k] = v * math.Exp(0.5*r.NormFloat64())
		}
		out = append(out, d)
	}
	return out
}

func captured(t *target.Target, seed uint64, n int) (map[string]*target.Counts, []device.Timing, []*work.Done, *device.Device) {
	dev := device.New(t, seed)
	counts := map[string]*target.Counts{}
	var rows []device.Timing
	all := frames(t, seed, n)
	for i, d := range all {
		name := fmt.Sprintf("camera %d", i)
		counts[name] = d.All()
		rows = append(rows, dev.Capture(name, 24, d)...)
	}
	return counts, rows, all, dev
}

// The coefficients of many simulated devices lie within two of their stated deviations, as 95 % of
// what is normal does; and where the timings tell a coefficient, the deviation is small.
func TestFitRecoversTheHiddenCoefficients(t *testing.T) {
	for _, name := range []string{"console-60", "handheld-30", "browser-30"} {
		dev, _ := target.Find(name)
		within, all, told := 0, 0, 0
		for seed := range uint64(12) {
			counts, rows, _, d := captured(&dev, seed, 8)
			fit, err := Do(&dev, counts, rows)
			require.NoError(t, err)
			k := 0
			for i := range dev.Passes {
				for j := range dev.Passes[i].Terms {
					c := fit.Coefficients[k]
					k++
					hidden := d.Hidden(i, j)
					all++
					if math.Abs(c.Ns-hidden) <= 2*c.Error {
						within++
					}
					if c.Told > 0.99 {
						told++
						require.InEpsilon(t, hidden, c.Ns, 0.25, "%s %s of device %d", c.Pass, c.Count, seed)
					}
				}
			}
		}
		require.GreaterOrEqual(t, float64(within), 0.95*float64(all), name)
		require.Positive(t, told, name)
	}
}

// Cameras that were not seen are said within 10 %, by a target that was a quarter off before.
func TestFitSaysUnseenCameras(t *testing.T) {
	for _, name := range []string{"console-60", "handheld-30", "browser-30"} {
		dev, _ := target.Find(name)
		before := 0.0
		for seed := range uint64(12) {
			counts, rows, _, d := captured(&dev, 100+seed, 5)
			fit, err := Do(&dev, counts, rows)
			require.NoError(t, err)
			require.Less(t, fit.Most, 0.15, "device %d", seed)
			require.Less(t, fit.Off, 0.08, "device %d", seed)
			for _, w := range frames(&dev, 500+seed, 3) {
				truth, says, was := 0.0, 0.0, 0.0
				for _, r := range d.Capture("unseen", 200, w) {
					if r.Frame >= 2 {
						truth += r.Ms / 198
					}
				}
				for i := range fit.Target.Passes {
					says += says2(&fit.Target.Passes[i], w)
					was += says2(&dev.Passes[i], w)
				}
				// Some 10 % of frames are warm, by 18 %, and something else runs in some: that is in the mean.
				require.InEpsilon(t, truth, says*1.03, 0.10, "%s, device %d", name, seed)
				before = max(before, math.Abs(was-truth)/truth)
			}
		}
		require.Greater(t, before, 0.12, "the devices do differ from what was thought")
	}
}

func says2(p *target.Pass, w *work.Done) float64 { return says(p, nsOf(p), w.All()) }

func TestWhatIsNotTimedStays(t *testing.T) {
	dev, _ := target.Find("console-60")
	counts, rows, _, _ := captured(&dev, 3, 4)
	var some []device.Timing
	for _, r := range rows {
		if r.Pass == "post" {
			continue
		}
		if r.Pass == "fog" {
			r.Pass = "Mist"
		}
		some = append(some, r)
	}
	fit, err := Do(&dev, counts, append(some, device.Timing{Camera: "nowhere", Pass: "surfaces", Ms: 3}))
	require.NoError(t, err)
	require.Equal(t, []string{"fog", "post"}, fit.Untimed)
	require.Len(t, fit.Notes, 1)
	require.Contains(t, fit.Notes[0], `no pass "Mist"`)
	require.Equal(t, dev.Passes[7], fit.Target.Passes[7])
	require.Len(t, fit.Cameras, 4)
	require.NoError(t, fit.Target.Check())
	_, err = Do(&dev, counts, []device.Timing{{Camera: "nowhere", Pass: "surfaces", Ms: 3}})
	require.ErrorIs(t, err, ErrNothing)

	fit.rename()
	fit.rename()
	require.Equal(t, "console-60-measured", fit.Target.ID)
}

// Warm frames and what else ran are left out; of one frame nothing can be.
func TestSlowFramesAreLeftOut(t *testing.T) {
	var rows []device.Timing
	for f := range 20 {
		k := 1.0
		if f%3 == 0 {
			k = 1.2
		}
		rows = append(rows, device.Timing{Frame: f, Pass: "a", Ms: 2 * k}, device.Timing{Frame: f, Pass: "b", Ms: 1 * k}, device.Timing{Frame: f, Pass: "c", Ms: 0.5 * k})
	}
	s := gather("x", nil, rows)
	require.Equal(t, 13, s.frames)
	require.Equal(t, 7, s.left)
	require.InDelta(t, 2, s.ms["a"], 1e-9)
	s = gather("x", nil, rows[:3])
	require.Equal(t, 1, s.frames)
	require.InDelta(t, 2.4, s.ms["a"], 1e-9)
}

// Against looking everywhere: the best of all sets of unknowns that are held at zero.
func TestNonNegativeIsTheLeast(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 2))
	for range 300 {
		n := 1 + r.IntN(6)
		root := mat.NewDense(n+2, n, nil)
		b := make([]float64, n)
		for i := range n + 2 {
			for j := range n {
				root.Set(i, j, r.NormFloat64())
			}
		}
		for j := range b {
			b[j] = 3 * r.NormFloat64()
		}
		a := mat.NewSymDense(n, nil)
		a.SymOuterK(1, root.T())
		for j := range n {
			a.SetSym(j, j, a.At(j, j)+0.1)
		}
		value := func(x []float64) (v float64) {
			for i := range n {
				for j := range n {
					v += x[i] * a.At(i, j) * x[j] / 2
				}
				v -= b[i] * x[i]
			}
			return v
		}
		best := math.Inf(1)
		for set := range 1 << n {
			free := make([]bool, n)
			for k := range n {
				free[k] = set>>k&1 > 0
			}
			x := solveFree(a, b, free)
			low := false
			for _, v := range x {
				low = low || v < 0
			}
			if !low {
				best = min(best, value(x))
			}
		}
		x := NonNegative(a, b)
		for _, v := range x {
			require.GreaterOrEqual(t, v, 0.0)
		}
		require.InDelta(t, best, value(x), 1e-9*(1+math.Abs(best)))
	}
}
