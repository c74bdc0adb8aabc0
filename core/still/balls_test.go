package still

import (
	"context"
	"math"
	"testing"

	"github.com/stretchr/testify/require"
	"willowherb/core/setup"
	"willowherb/core/vec"
)

// Over a dark floor: a sun of 10,000 lx comes from where it stands, gives as much to what faces
// it and nothing to what does not, of its colour; the grey ball is lit on that side, the chrome
// one shows an even sky all round.
func TestBallsSayWhatArrives(t *testing.T) {
	from := vec.New(0.6, 0.8, 0)
	white := setup.Colour{RGB: &[3]float64{1, 1, 1}}
	sun := setup.Light{Kind: setup.Sun, Output: 10000, Colour: setup.Colour{Kelvin: 3000}, Aim: from.Neg().Array(), Angle: 0.53, Shadow: true, Channels: 1}
	o := order(t, map[string]setup.Light{"sun": sun})
	o.World.S.Materials[0].BaseColor = [4]float32{0, 0, 0, 1}
	at, eye := vec.New(0, 3, 0), vec.New(0, 3, 9)
	b, err := MakeBalls(context.Background(), o.World, o.Lamps, at, eye, 32, 4, 2)
	require.NoError(t, err)
	require.Greater(t, b.From.Dot(from), float32(0.99))
	require.InEpsilon(t, 10000, b.Lux, 0.02)
	require.InDelta(t, 0, b.Behind, 1)
	require.InEpsilon(t, 3000, b.Kelvin, 0.02)
	grey := func(x, y int) float64 { return float64(b.Grey[3*(y*32+x)+1]) }
	require.Greater(t, grey(24, 8), 10*grey(5, 22), "lit from the right, above")
	require.Zero(t, grey(0, 0), "beside the ball")

	sky := setup.Light{Kind: setup.Sky, Output: 500, Colour: white, Gradient: &setup.Gradient{Zenith: [3]float64{1, 1, 1}, Horizon: [3]float64{1, 1, 1}, Ground: [3]float64{1, 1, 1}, Falloff: 1}, Channels: 1}
	o = order(t, map[string]setup.Light{"sky": sky})
	b, err = MakeBalls(context.Background(), o.World, o.Lamps, at, eye, 32, 4, 2)
	require.NoError(t, err)
	up := 3*(6*32+16) + 1
	require.InEpsilon(t, 500, b.Chrome[up], 0.01, "the sky in the chrome ball's top")
	require.InEpsilon(t, 500*math.Pi, b.Lux, 0.05, "half of a sphere of 500 cd/m2")
	dark, err := MakeBalls(context.Background(), o.World, nil, at, eye, 16, 2, 2)
	require.NoError(t, err)
	require.Zero(t, dark.Lux)
}
