package checks

import (
	"encoding/json"
	"testing"

	"github.com/stretchr/testify/require"
	"willowherb/core/film"
	"willowherb/core/fog"
	"willowherb/core/scene/scenetest"
	"willowherb/core/setup"
	"willowherb/core/vec"
	"willowherb/core/world"
)

// wall and figure are 2 and 20 m before an eye that looks along -Z, and what of their light
// comes through fog is as packed layers have it.
func foggyInput(t *testing.T, f *setup.Fog, figure, wall float32) *Input {
	g := scenetest.New()
	g.Box("keeper", vec.V3{Z: -10}, 0.7)
	g.Box("wall", vec.V3{Z: -40}, 12)
	w := g.World(t).WithAir((&setup.Setup{Fog: f}).Air())
	const wide, high = 64, 48
	v := View{ID: "v", Name: "Hall", EV: 4, Curve: "plain", W: wide, H: high, Guide: film.NewGuide(wide, high)}
	v.Camera = world.Camera{Aim: vec.V3{Z: -1}, Up: vec.V3{Y: 1}, FovY: 0.4}
	whole, air := make([]float32, 3*wide*high), make([]float32, 3*wide*high)
	for px := range wide * high {
		d := v.Camera.Ray(float32(px%wide)+0.5, float32(px/wide)+0.5, wide, high)
		p, ok := w.Probe(v.Camera.Eye, d, world.Sight{})
		require.True(t, ok)
		v.Guide.Tri[px], v.Guide.Object[px], v.Guide.Pos[px] = p.Tri, uint32(p.Object), p.Pos
		light := wall
		if w.S.Objects[p.Object].Path == "keeper" {
			light = figure
		}
		through := float32(1)
		if w.Air != nil {
			through = float32(w.Air.Through(v.Camera.Eye, d, float64(p.Dist)))
		}
		for c := range 3 {
			air[3*px+c] = 8 * (1 - through) // fog as bright as 8 cd/m2
			whole[3*px+c] = light*through + air[3*px+c]
		}
	}
	of := func(pic []float32) ([]uint32, vec.V3) {
		words, scale := film.Pack(pic)
		return words, vec.Splat(scale)
	}
	one := &Given{}
	one.Whole, one.WholeGain = of(whole)
	one.Air, one.AirGain = of(air)
	v.Given = []*Given{one}
	return &Input{Setup: &setup.Setup{Fog: f}, World: w, Views: []View{v}}
}

// A dark figure before a bright wall: thin fog leaves it, thick fog takes it, and what is
// offered leaves enough of it.
func TestFogThatTakesAFigure(t *testing.T) {
	f := func(visibility float64) *setup.Fog {
		return &setup.Fog{Visibility: visibility, Most: 1, Colour: [3]float64{1, 1, 1}}
	}
	require.Empty(t, foggedFigures(foggyInput(t, nil, 1, 16)))
	require.Empty(t, foggedFigures(foggyInput(t, f(2000), 1, 16)))
	in := foggyInput(t, f(40), 1, 16)
	s := foggedFigures(in)
	require.Len(t, s, 1)
	require.Equal(t, "fogged", s[0].Kind)
	require.Contains(t, s[0].What, "keeper")
	require.Contains(t, s[0].Why, "4.0 stops", "16 to 1, told without the fog")
	require.Equal(t, "/fog/visibility", s[0].Remedy.Ops[0].Path)
	var v float64
	require.NoError(t, json.Unmarshal(s[0].Remedy.Ops[0].Value, &v))
	require.Greater(t, v, 40.0)
	require.Empty(t, foggedFigures(foggyInput(t, f(v), 1, 16)), "the remedy helps")
	require.Empty(t, foggedFigures(foggyInput(t, f(40), 15, 16)), "nothing to take")
}

func TestPicturesAreSeenThroughAnotherFog(t *testing.T) {
	in := foggyInput(t, &setup.Fog{Visibility: 100, Most: 0.9, Colour: [3]float64{1, 1, 1}}, 1, 16)
	clear := in.Views[0].seenThrough(in.World.Air, nil)
	corner, middle := 0, 24*64+32
	require.InDelta(t, 16, clear[3*corner], 0.2)
	require.InDelta(t, 1, clear[3*middle], 0.1)
	same := in.Views[0].seenThrough(in.World.Air, in.World.Air)
	require.InDelta(t, float64(read(in.Views[0].Given[0].Whole, in.Views[0].Given[0].WholeGain, corner).X), same[0], 0.05)
	thin := in.Views[0].seenThrough(in.World.Air, &fog.Air{Density: in.World.Air.Density / 4, Most: 0.9, Colour: vec.Splat(1)})
	require.Greater(t, thin[0], same[0])
	require.Less(t, thin[0], clear[0])
}
