package place

import (
	"math"
	"testing"

	"github.com/stretchr/testify/require"
	"willowherb/core/light"
	"willowherb/core/scene/scenetest"
	"willowherb/core/vec"
)

// A floor under a roof with one hole: the only sun that reaches a spot stands in the
// hole, seen from there.
func TestABeamComesThroughTheHole(t *testing.T) {
	g := scenetest.New()
	g.S.Materials[0].DoubleSided = true
	g.Floor(6)
	// A roof 3 m up and walls, with a hole of 1 m at x from 2 to 3, z from -0.5 to 0.5.
	strip := func(x0, x1, z0, z1 float32) {
		g.Add("roof", 0, [4]vec.V3{{X: x0, Y: 3, Z: z0}, {X: x1, Y: 3, Z: z0}, {X: x1, Y: 3, Z: z1}, {X: x0, Y: 3, Z: z1}})
	}
	strip(-400, 2, -400, 400)
	strip(3, 400, -400, 400)
	strip(2, 3, -400, -0.5)
	strip(2, 3, 0.5, 400)
	p := picture(t, g)
	l := &light.Light{Kind: light.Sun, Aim: vec.New(0.3, -1, 0.2).Norm()}
	l.Prepare()
	spot := vec.V3{X: 0.4, Z: 0.3}
	x, y := p.where(spot)
	out, err := Beam(p, l, x, y)
	require.NoError(t, err)
	// Where the beam comes through the roof.
	up := out.Aim.Neg()
	through := spot.Add(up.Scale(3 / up.Y))
	require.InDelta(t, 2.5, through.X, 0.42, "through the hole, not by its edge")
	require.InDelta(t, 0, through.Z, 0.42)
	require.InDelta(t, 1, out.Aim.Len(), 1e-5)

	// In the open the sun stays where it is, to a step.
	g = scenetest.New()
	g.Floor(6)
	p = picture(t, g)
	out, err = Beam(p, l, x, y)
	require.NoError(t, err)
	require.Greater(t, float64(out.Aim.Dot(l.Aim)), math.Cos(1.6*math.Pi/180))

	// Under a whole roof there is none.
	g = scenetest.New()
	g.S.Materials[0].DoubleSided = true
	g.Floor(6)
	strip(-4000, 4000, -4000, 4000)
	p = picture(t, g)
	_, err = Beam(p, l, x, y)
	require.ErrorContains(t, err, "No sky can be seen from floor")
	_, err = Beam(p, lamp(light.Spot, vec.V3{Y: 2}), x, y)
	require.ErrorContains(t, err, "choose the sun")
	dome := lamp(light.Sky, vec.V3{})
	_, err = Beam(p, dome, x, y)
	require.Error(t, err)
}
