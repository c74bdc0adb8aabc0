package still

import (
	"context"
	"math"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
	"willowherb/core/exposure"
	"willowherb/core/lamps"
	"willowherb/core/scene"
	"willowherb/core/setup"
	"willowherb/core/vec"
	"willowherb/core/world"
)

// floor is a big grey floor of pure Lambert.
func floor(t *testing.T) *scene.Scene {
	m := scene.DefaultMaterial()
	m.BaseColor, m.Metallic, m.Specular = [4]float32{0.5, 0.5, 0.5, 1}, 0, 0
	up := vec.V3{Y: 1}
	s := &scene.Scene{Materials: []scene.Material{m}, Objects: []scene.Object{{Name: "floor", Count: 2}}, Index: []uint32{0, 1, 2, 0, 2, 3}, Mat: []uint16{0, 0}, Obj: []uint32{0, 0}}
	s.V.Pos = []vec.V3{{X: -50, Z: 50}, {X: 50, Z: 50}, {X: 50, Z: -50}, {X: -50, Z: -50}}
	s.V.Nrm, s.V.UV0 = []vec.V3{up, up, up, up}, make([]vec.V2, 4)
	require.NoError(t, s.Finish())
	return s
}

func order(t *testing.T, lights map[string]setup.Light) Order {
	s := floor(t)
	w, err := world.Compile(s, 1)
	require.NoError(t, err)
	st, err := lamps.Resolve(&setup.Setup{Lights: lights}, "")
	require.NoError(t, err)
	return Order{World: w, Lamps: st.Lamps(s, nil), View: world.Camera{Eye: vec.V3{Y: 2}, Aim: vec.V3{Y: -1}, Up: vec.V3{Z: -1}, FovY: 0.02}, W: 16, H: 16, Samples: 16, Workers: 2}
}

// A lamp of 1000 lm two metres over a floor of reflectance 0.5: E = I/d2, and a
// Lambert surface shows L = r E / pi. The view is so narrow that the cosine is 1.
func TestLumensBecomeLuminance(t *testing.T) {
	lamp := setup.Light{Kind: setup.Point, Output: 1000, Stops: 1, Colour: setup.Colour{RGB: &[3]float64{1, 1, 1}}, Position: [3]float64{0, 2, 0}, Shadow: true, Channels: 1}
	p, err := Render(context.Background(), order(t, map[string]setup.Light{"lamp": lamp}))
	require.NoError(t, err)
	want := 2 * 1000 / (4 * math.Pi) / 4 * 0.5 / math.Pi
	require.InEpsilon(t, want, p.RGB[0], 0.005)
	require.InEpsilon(t, want, p.Gives[0].Direct.X, 0.005)
	require.Zero(t, p.Gives[0].Bounced.X, "there is nothing to bounce from")
}

// A sun of 10,000 lx straight down, warm: the picture has its colour and the
// luminance that follows from its lux.
func TestSunOfSoManyLux(t *testing.T) {
	sun := setup.Light{Kind: setup.Sun, Output: 10000, Colour: setup.Colour{Kelvin: 3000}, Aim: [3]float64{0, -1, 0}, Angle: 0.53, Shadow: true, Channels: 1}
	p, err := Render(context.Background(), order(t, map[string]setup.Light{"sun": sun}))
	require.NoError(t, err)
	y := 0.2126*float64(p.RGB[0]) + 0.7152*float64(p.RGB[1]) + 0.0722*float64(p.RGB[2])
	require.InEpsilon(t, 10000*0.5/math.Pi, y, 0.005)
	require.Greater(t, p.RGB[0], 3*p.RGB[2])
	require.Less(t, p.Noise(10, exposure.Plain), 0.01)
}

func TestCancelledAndDark(t *testing.T) {
	ctx, cancel := context.WithCancel(context.Background())
	cancel()
	off := setup.Light{Kind: setup.Point, Output: 1, Colour: setup.Colour{Kelvin: 3000}, Off: true}
	o := order(t, map[string]setup.Light{"off": off})
	_, err := Render(ctx, o)
	require.ErrorIs(t, err, context.Canceled)
	p, err := Render(context.Background(), o)
	require.NoError(t, err)
	for _, v := range p.RGB {
		require.Zero(t, v)
	}
}

// A picture in so many seconds takes no more samples than there is time for, whatever the
// clock does; with layers it tells each light's bounced light, without it does not; both
// are the same picture but for chance.
func TestSoManySeconds(t *testing.T) {
	lamp := setup.Light{Kind: setup.Point, Output: 1000, Colour: setup.Colour{RGB: &[3]float64{1, 1, 1}}, Position: [3]float64{0, 2, 0}, Radius: 0.05, Shadow: true, Channels: 1}
	lights := map[string]setup.Light{"lamp": lamp}
	left := func(seconds float64) func() time.Duration {
		now := seconds
		return func() time.Duration { now -= 0.5; return time.Duration(now * float64(time.Second)) }
	}
	o := order(t, lights)
	o.Samples, o.Left = 65535, left(4)
	short, err := Render(context.Background(), o)
	require.NoError(t, err)
	o = order(t, lights)
	o.Samples, o.Left = 65535, left(60)
	long, err := Render(context.Background(), o)
	require.NoError(t, err)
	require.Greater(t, long.Samples, 2*short.Samples)
	require.False(t, long.Layers)
	o = order(t, lights)
	o.Layers = true
	kept, err := Render(context.Background(), o)
	require.NoError(t, err)
	require.True(t, kept.Layers)
	for _, p := range []*Picture{short, long, kept} {
		require.InEpsilon(t, 1000/(4*math.Pi)/4*0.5/math.Pi, p.RGB[0], 0.01)
	}
	ref, err := Reference(context.Background(), order(t, lights))
	require.NoError(t, err)
	require.InEpsilon(t, kept.RGB[0], ref.RGB[0], 0.01)
	require.Nil(t, ref.Gives)
}

// The same seed makes the same picture, to the last bit, with one worker and with many.
func TestSameSeedSamePicture(t *testing.T) {
	lamp := setup.Light{Kind: setup.Point, Output: 1000, Colour: setup.Colour{Kelvin: 3000}, Position: [3]float64{0, 2, 0}, Radius: 0.1, Shadow: true, Channels: 1}
	picture := func(workers int, seed uint32) []float32 {
		o := order(t, map[string]setup.Light{"lamp": lamp})
		o.Workers, o.Seed = workers, seed
		p, err := Render(context.Background(), o)
		require.NoError(t, err)
		return p.RGB
	}
	require.Equal(t, picture(1, 5), picture(3, 5))
	require.NotEqual(t, picture(1, 5), picture(1, 6))
}

// What is taken at a time fits into the time there is, takes its share of a long one, and is
// not begun where there is no time for half of the least.
func TestPace(t *testing.T) {
	m := pace{least: 1000, most: 6000, share: 10, each: 0.001} // a second for the least
	many := func(seconds float64) (int, bool) {
		o := &Order{Left: func() time.Duration { return time.Duration(seconds * float64(time.Second)) }}
		return m.many(o, 2*time.Second)
	}
	n, ok := many(42)
	require.True(t, ok)
	require.InDelta(t, 4000, n, 1, "a tenth of forty seconds")
	n, ok = many(202)
	require.True(t, ok)
	require.Equal(t, 6000, n, "no more than the most before the error is looked at again")
	n, ok = many(7)
	require.True(t, ok)
	require.InDelta(t, 1000, n, 1, "no less than the least")
	n, ok = many(2.6)
	require.True(t, ok)
	require.InDelta(t, 600, n, 1, "what there is time for")
	_, ok = many(2.4)
	require.False(t, ok)
	n, ok = m.many(&Order{}, 0)
	require.True(t, ok)
	require.Equal(t, 2000, n)
}
