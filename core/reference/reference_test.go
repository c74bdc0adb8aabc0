package reference

import (
	"image"
	"image/color"
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/require"
	"willowherb/core/colour"
	"willowherb/core/edits"
	"willowherb/core/exposure"
	"willowherb/core/grade"
	"willowherb/core/setup"
)

// even is a picture of one linear colour.
func even(c colour.RGB) *image.NRGBA {
	im := image.NewNRGBA(image.Rect(0, 0, 40, 30))
	for i := range 40 * 30 {
		im.SetNRGBA(i%40, i/40, coded(c))
	}
	return im
}

func coded(c colour.RGB) color.NRGBA {
	v := func(x float64) uint8 { return uint8(math.Round(255 * colour.EncodeSRGB(x))) }
	return color.NRGBA{v(c[0]), v(c[1]), v(c[2]), 255}
}

func TestMeasuresOfPlainPictures(t *testing.T) {
	m := Of(even(colour.RGB{0.18, 0.18, 0.18}))
	require.InDelta(t, 0.18, m.Key, 0.002)
	require.InDelta(t, 0, m.Contrast, 1e-9)
	require.InDelta(t, 0, m.Saturation, 0.1)
	require.InDelta(t, 6500, m.Lights, 150)
	require.Equal(t, "from nowhere in particular", m.FromWords)
	require.InDelta(t, 1, m.Histogram[Bins-3], 1e-9, "two to three stops under white")
	require.Equal(t, "#767676", m.Palette[0].Hex)
	require.InDelta(t, 1, m.Palette[0].Share, 1e-9)

	warm := colour.Temperature(3000)
	for k := range warm {
		warm[k] *= 0.3
	}
	require.InEpsilon(t, 3000, Of(even(warm)).Lights, 0.03)
	require.Zero(t, Of(image.NewNRGBA(image.Rect(0, 0, 0, 0))).Key, "an empty picture")
	require.InDelta(t, floor, Of(even(colour.RGB{})).Key, 1e-9)
}

// A lit patch at the upper right on a dark ground; its temperature is that of the lights, the
// ground's that of the shadows, each is a colour of the palette.
func TestWhereLightComesFrom(t *testing.T) {
	im := even(colour.RGB{0.01, 0.012, 0.02})
	w := colour.Temperature(2700)
	for y := range 9 {
		for x := 28; x < 40; x++ {
			im.SetNRGBA(x, y, coded(colour.RGB{0.4 * w[0], 0.4 * w[1], 0.4 * w[2]}))
		}
	}
	m := Of(im)
	require.Equal(t, "from the right, above", m.FromWords)
	require.Less(t, m.Lights, 4500.0)
	require.Greater(t, m.Shadows, 9000.0)
	require.InDelta(t, 1-12*9/1200.0, m.Palette[0].Share, 0.01)
	require.Equal(t, []string{"from the left", "from above", "from below", "from the left, below"}, []string{fromWords([2]float64{-0.5, 0.1}), fromWords([2]float64{0.1, 0.5}), fromWords([2]float64{0, -0.5}), fromWords([2]float64{-0.5, -0.5})})
}

// scene is light of many levels and colours, warm where it is bright, developed as a setup says.
func developed(s *setup.Setup) *image.NRGBA {
	r := rand.New(rand.NewPCG(7, 8))
	rgb := make([]float32, 3*80*60)
	warm, cool := colour.Temperature(s.Lights["key"].Colour.Kelvin), colour.Temperature(9000)
	for i := range 80 * 60 {
		level := math.Exp2(r.NormFloat64()*2) * 2
		t := 1 / (1 + math.Exp(-2*math.Log2(level/2)))
		for c := range 3 {
			rgb[3*i+c] = float32(level * ((1-t)*cool[c] + t*warm[c]))
		}
	}
	return grade.Compile(s.Grade).Develop(rgb, 80, 60, s.Views["hall"].EV, exposure.Curve(s.Curve))
}

// Following the proposals one by one brings the measures together, each time nearer: the key
// to a tenth of a stop, the contrast to a tenth, temperatures to 15 mired.
func TestProposalsBringPicturesTogether(t *testing.T) {
	base := func() *setup.Setup {
		return &setup.Setup{Version: setup.Version, Name: "n", Curve: "shoulder", Views: map[string]setup.View{"hall": {Name: "Hall", Aim: [3]float64{0, 0, -1}, FovY: 40, Aspect: 1.5, EV: 4}},
			Groups: map[string]setup.Group{"g": {Name: "G"}}, Lights: map[string]setup.Light{"key": {Name: "Key", Group: "g", Kind: setup.Point, Colour: setup.Colour{Kelvin: 4000}, Carry: setup.Live, Channels: 0xff}}}
	}
	then := base()
	g := grade.Neutral()
	g.Contrast, g.Saturation = 1.25, 0.8
	white := [3]float64(colour.Temperature(8200))
	g.White, then.Grade = &white, &g
	v := then.Views["hall"]
	v.EV = 3
	then.Views["hall"] = v
	want := Of(developed(then))

	now := base()
	taken := 0
	for range 12 {
		list := Towards(Picture{Setup: now, View: "hall", Key: "key"}, Of(developed(now)), want)
		if len(list) == 0 {
			break
		}
		c, err := edits.Apply(now, list[0].Ops)
		require.NoError(t, err, list[0].What)
		now = c.After
		taken++
	}
	require.Greater(t, taken, 2)
	got := Of(developed(now))
	require.InDelta(t, 0, math.Log2(got.Key/want.Key), 0.15)
	require.InEpsilon(t, want.Contrast, got.Contrast, 0.1)
	require.InDelta(t, mired(want.Lights), mired(got.Lights), 15)
	require.InDelta(t, mired(want.Shadows), mired(got.Shadows), 25)
	require.InDelta(t, want.Saturation, got.Saturation, 3)
	require.Empty(t, Towards(Picture{Setup: then, View: "hall", Key: "key"}, want, want), "what is there needs nothing")
}

func TestALightTakesWhatBalanceCannot(t *testing.T) {
	s := &setup.Setup{Views: map[string]setup.View{}, Lights: map[string]setup.Light{"sun": {Name: "Low sun", Colour: setup.Colour{Kelvin: 5000}}, "red": {Name: "Red", Colour: setup.Colour{RGB: &[3]float64{1, 0, 0}}}}}
	now, then := Measure{Key: 0.2, Contrast: 3, Lights: 5000, Shadows: 7000, Saturation: 10}, Measure{Key: 0.2, Contrast: 3, Lights: 4000, Shadows: 7000, Saturation: 10}
	list := Towards(Picture{s, "hall", "sun"}, now, then)
	require.Len(t, list, 2)
	require.Equal(t, "balance", list[0].What)
	require.Equal(t, "Low sun", list[1].What)
	require.Equal(t, "warmer, +50 mired", list[1].By)
	require.Contains(t, list[1].Would, "5000 to 4000 K")
	require.Len(t, Towards(Picture{s, "hall", "red"}, now, then), 1, "a plain colour has no temperature")
}
