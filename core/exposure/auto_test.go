package exposure

import (
	"math"
	"testing"

	"github.com/stretchr/testify/require"
)

// f/1 and one second are EV 0; the bright-day rule of thumb, f/16 at one over the
// sensitivity, is log2(25600), EV 14.64.
func TestCameraNumbers(t *testing.T) {
	require.InDelta(t, 0, OfCamera(1, 1, 100), 1e-12)
	require.InDelta(t, 14.64, OfCamera(16, 1.0/100, 100), 0.01)
	require.InDelta(t, OfCamera(2.8, 1.0/60, 400), OfCamera(2.8, 1.0/60, 100)-2, 1e-12)
	require.InDelta(t, 640, ISO(OfCamera(4, 0.02, 640), 4, 0.02), 1e-9)
}

// half is a picture whose left half has one luminance and whose right another.
func half(w, h int, left, right float32) []float32 {
	out := make([]float32, 3*w*h)
	for i := range out {
		if out[i] = left; i/3%w >= w/2 {
			out[i] = right
		}
	}
	return out
}

func plain(where string) Auto {
	a := StandardAuto()
	a.Where, a.Dark, a.Bright, a.InDark, a.InBright, a.Least, a.Most = where, 0, 0, 0, 0, -10, 20
	return a
}

func TestWhatIsMetered(t *testing.T) {
	pic := half(64, 36, 0.125*16, 0.125*256) // EV 4 and EV 8
	meter := func(change func(*Auto)) float64 {
		a := plain("whole")
		change(&a)
		return a.Meter(pic, 64, 36, func(px int) bool { return px%64 >= 60 })
	}
	require.InDelta(t, 6, meter(func(*Auto) {}), 1e-6)
	require.InDelta(t, 6, meter(func(a *Auto) { a.Where = "centre" }), 1e-6)
	require.InDelta(t, 4, meter(func(a *Auto) { a.Where, a.Spot = "spot", [2]float64{0.2, 0.5} }), 1e-6)
	require.InDelta(t, 8, meter(func(a *Auto) { a.Where, a.Area = "area", [4]float64{0.6, 0, 1, 1} }), 1e-6)
	require.InDelta(t, 8, meter(func(a *Auto) { a.Where = "named" }), 1e-6, "what is named lies right")
	painted := make([]uint32, PaintedHigh)
	painted[3] = 1 << 2 // one place to the left
	require.InDelta(t, 4, meter(func(a *Auto) { a.Where, a.Painted = "painted", painted }), 1e-6)
	painted[17] = 1<<31 | 1<<30
	require.InDelta(t, 4+4*2.0/3, meter(func(a *Auto) { a.Where, a.Painted = "painted", painted }), 1e-6, "and two to the right")
	require.InDelta(t, 6, meter(func(a *Auto) { a.Where = "painted" }), 1e-6, "nothing painted: all of it")
	require.InDelta(t, 8, meter(func(a *Auto) { a.Dark = 0.5 }), 1e-6, "the darker half is left out")
	require.InDelta(t, 4, meter(func(a *Auto) { a.Bright = 0.5 }), 1e-6)
	require.InDelta(t, 4+4*0.5/0.75, meter(func(a *Auto) { a.Dark = 0.25 }), 1e-6, "a third of what is left is dark")
	require.InDelta(t, 7, meter(func(a *Auto) { a.Least = 7 }), 1e-6)
	require.InDelta(t, 5, meter(func(a *Auto) { a.Most = 5 }), 1e-6)
	require.InDelta(t, 6-1, meter(func(a *Auto) { a.InDark, a.InBright = 1, 1 }), 1e-6, "a stop more light")
	// Halfway between its bounds it adds half of each.
	require.InDelta(t, 6-0.5, meter(func(a *Auto) { a.Least, a.Most, a.InDark, a.InBright = 0, 12, -1, 2 }), 1e-6)
	a := plain("whole")
	a.Least = 1
	require.Equal(t, 1.0, a.Meter(make([]float32, 12), 2, 2, nil), "the dark")
	a.Where, a.Spot = "spot", [2]float64{0, 0}
	require.Equal(t, 1.0, a.Meter(make([]float32, 12), 2, 2, nil), "a spot without a pixel")
	a = plain("named")
	require.InDelta(t, 6, a.Meter(pic, 64, 36, func(int) bool { return false }), 1e-6, "not in the picture: the middle")
	require.InDelta(t, 6, a.Meter(pic, 64, 36, nil), 1e-6)
}

// After a step of light it follows evenly in stops, at its own rate each way, and stops where
// it is asked to be: four stops at two a second take two seconds.
func TestStepResponse(t *testing.T) {
	a := plain("whole")
	a.ToBright, a.ToDark = 2, 0.5
	ev, dt := 4.0, 1.0/30
	for k := range 60 {
		require.InDelta(t, 4+2*dt*float64(k), ev, 1e-9)
		ev = a.Follow(ev, 8, dt)
	}
	require.InDelta(t, 8, ev, 1e-9)
	require.InDelta(t, 8, a.Follow(ev, 8, dt), 1e-9)
	require.InDelta(t, 7, a.Follow(8, 4, 2), 1e-9)
	require.InDelta(t, 4, a.Follow(8, 4, 1000), 1e-9)
}

func TestAutoSaysWhatIsWrong(t *testing.T) {
	good := StandardAuto()
	require.NoError(t, good.Check())
	for says, change := range map[string]func(*Auto){
		"cannot meter": func(a *Auto) { a.Where = "moon" }, "stops a second": func(a *Auto) { a.ToDark = 0 }, "over the greatest": func(a *Auto) { a.Least = 14 },
		"too much": func(a *Auto) { a.Dark, a.Bright = 0.6, 0.5 }, "empty": func(a *Auto) { a.Area[2] = 0.1 }, "has 3 rows": func(a *Auto) { a.Painted = []uint32{1, 2, 3} }, "the least EV": func(a *Auto) { a.Least = math.NaN() },
	} {
		a := StandardAuto()
		change(&a)
		require.ErrorContains(t, a.Check(), says)
	}
}

// Out of the dark into the light and back: it lags behind by what its rates leave.
func TestAdaptingAlongAWay(t *testing.T) {
	a := plain("whole")
	a.ToBright, a.ToDark = 2, 1
	way := []Instant{{Seconds: 0, Wanted: 4, Held: 4}, {Seconds: 1, Wanted: 9, Held: 4}, {Seconds: 2, Wanted: 9, Held: 4}, {Seconds: 4, Wanted: 9, Held: 4}, {Seconds: 5, Wanted: 4, Held: 4}}
	a.Adapt(way)
	var got []float64
	for _, m := range way {
		got = append(got, m.Adapted)
	}
	require.Equal(t, []float64{4, 6, 8, 9, 8}, got)
	stops, at := Swing(way)
	require.Equal(t, 5.0, stops)
	require.Equal(t, 3, at)
}
