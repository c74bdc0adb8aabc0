package checks

import (
	"math"
	"testing"

	"github.com/stretchr/testify/require"
	"willowherb/core/exposure"
	"willowherb/core/film"
	"willowherb/core/lamps"
	"willowherb/core/light"
	"willowherb/core/scene/scenetest"
	"willowherb/core/setup"
	"willowherb/core/vec"
)

// windowed is a view whose right third is the open sky, with a lamp that lights one corner.
func windowed(t *testing.T, sky, room, corner float32) *Input {
	g := scenetest.New()
	g.Box("wall", vec.V3{Z: -3}, 1)
	const wide, high = 60, 40
	v := View{ID: "v", Name: "Hall", EV: 4, Curve: exposure.Plain, W: wide, H: high, Guide: film.NewGuide(wide, high)}
	a, b, shine := make([]float32, 3*wide*high), make([]float32, 3*wide*high), make([]float32, 3*wide*high)
	for px := range wide * high {
		for c := range 3 {
			switch {
			case px%wide >= 40:
				v.Guide.Tri[px] = math.MaxUint32
				shine[3*px+c], a[3*px+c] = sky, sky
			case px%wide < 6 && px/wide < 6:
				a[3*px+c], b[3*px+c] = room, corner
			default:
				a[3*px+c] = room
			}
		}
	}
	of := func(pic []float32) ([]uint32, vec.V3) {
		words, scale := film.Pack(pic)
		return words, vec.Splat(scale)
	}
	one, two := &Given{}, &Given{}
	one.Whole, one.WholeGain = of(a)
	one.Shine, one.ShineGain = of(shine)
	two.Whole, two.WholeGain = of(b)
	v.Given = []*Given{one, two}
	doc := &setup.Setup{Lights: map[string]setup.Light{"sky": {Name: "Sky", Kind: setup.Sky}, "spot": {Name: "Spot", Kind: setup.Spot, Stops: 0.5}}}
	lamp := func(k light.Kind, id string) *lamps.Lamp {
		return &lamps.Lamp{Resolved: lamps.Resolved{ID: id, Light: doc.Lights[id]}, Source: &light.Light{Kind: k}}
	}
	return &Input{Setup: doc, World: g.World(t), Views: []View{v}, Lamps: []*lamps.Lamp{lamp(light.Sky, "sky"), lamp(light.Spot, "spot")}}
}

// At EV 4, with a curve that clips, white begins at 2 / 0.18 cd/m2.
func TestHotSpotsNameTheirLight(t *testing.T) {
	white := White(4, exposure.Plain)
	require.InDelta(t, 2/0.18, white, 1e-9)
	in := windowed(t, float32(4*white), 1, float32(2*white))
	h := HotSpots(in, &in.Views[0])
	require.Len(t, h, 2)
	require.Equal(t, "sky", h[0].Light)
	require.True(t, h[0].Shines)
	require.InDelta(t, 1.0/3, h[0].Share, 1e-9)
	require.InDelta(t, 2, h[0].Stops, 0.02)
	require.InDelta(t, 50.0/60, h[0].X, 1e-9)
	require.Empty(t, h[0].Object)
	require.Equal(t, "spot", h[1].Light)
	require.False(t, h[1].Shines)
	require.Equal(t, "wall", h[1].Object)
	require.InDelta(t, 3.0/60, h[1].X, 1e-9)
	require.Greater(t, h[1].Part, 0.9)
	require.Empty(t, HotSpots(windowed(t, 1, 1, 1), &windowed(t, 1, 1, 1).Views[0]))
	// Five stops over middle grey with the soft shoulder.
	require.InDelta(t, 2*32, White(4, exposure.Shoulder), 1e-9)
}

func TestWindowOverTheRoom(t *testing.T) {
	in := windowed(t, 64, 0.5, 0)
	w := Windows(in, &in.Views[0])
	require.InDelta(t, 7, w.Stops, 0.05)
	require.InDelta(t, 1.0/3, w.Share, 1e-9)
	require.InDelta(t, math.Log2(1/0.18)+1, w.Limit, 1e-9)
	over := w.Stops - w.Limit
	require.Len(t, w.Balance, 3)
	require.Equal(t, "/lights/sky/behind", w.Balance[0].Ops[0].Path)
	require.Equal(t, "/lights/spot/stops", w.Balance[1].Ops[0].Path)
	require.Equal(t, "/views/v/ev", w.Balance[2].Ops[0].Path)
	require.Contains(t, w.Balance[0].Words, "Sky seen")
	require.InDelta(t, 3.5, over, 0.1)
	require.Empty(t, Windows(windowed(t, 1, 0.5, 0), &windowed(t, 1, 0.5, 0).Views[0]).Balance, "it is in balance")
	for px := range in.Views[0].Guide.Tri {
		in.Views[0].Guide.Tri[px] = 0
	}
	require.Nil(t, Windows(in, &in.Views[0]), "no window")
}
