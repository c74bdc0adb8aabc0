package lamps

import (
	"math"
	"testing"

	"github.com/stretchr/testify/require"
	"willowherb/core/colour"
	"willowherb/core/scene"
	"willowherb/core/setup"
	"willowherb/core/setup/setuptest"
)

func TestResolveAppliesLookThenTrim(t *testing.T) {
	s := setuptest.Sample()
	g := s.Groups["keeper"]
	g.Trim = 1
	s.Groups["keeper"] = g
	half, warm, twice := -1.0, 50.0, 2.0
	s.Looks["dusk"] = setup.Look{Name: "Ebb dusk", Overrides: map[string]setup.Override{
		"/lights/lantern/stops":         {Stops: &half},
		"/lights/lantern/colour/kelvin": {Mired: &warm},
		"/lights/lantern/output":        {Times: &twice},
		"/lights/rim/off":               {Set: setuptest.Raw(true)},
		"/lights/ghost/stops":           {Stops: &half},
	}}
	st, err := Resolve(s, "dusk")
	require.NoError(t, err)
	require.Equal(t, []string{"/lights/ghost/stops"}, st.Orphans)
	lamps := st.Lamps(&scene.Scene{}, nil)
	require.Equal(t, "lantern", lamps[0].ID)
	// 1280 lm, -1 st by the look, +1 st by the trim: as candela of a point.
	g0 := lamps[0].Gain()
	y := colour.Luminance(colour.RGB{float64(g0.X), float64(g0.Y), float64(g0.Z)})
	require.InEpsilon(t, 1280/(4*math.Pi), y, 1e-5)
	require.InDelta(t, 1e6/(1e6/2150+50), lamps[0].Colour.Kelvin, 1e-6)
	require.Zero(t, lamps[1].Gain())
	base, err := Resolve(s, "")
	require.NoError(t, err)
	require.Equal(t, 0.0, base.Setup.Lights["lantern"].Stops, "the setup itself is untouched")
}

func TestKeyIgnoresWhatNeedsNoRendering(t *testing.T) {
	s := setuptest.Sample()
	key := func() [32]byte {
		st, err := Resolve(s, "")
		require.NoError(t, err)
		return st.Lamps(&scene.Scene{}, nil)[0].Key
	}
	before := key()
	l := s.Lights["lantern"]
	l.Name, l.Stops, l.Output, l.Colour, l.Off, l.Carry = "Other", 2, 100, setup.Colour{Kelvin: 5000}, true, setup.Baked
	s.Lights["lantern"] = l
	require.Equal(t, before, key())
	l.Range = 5
	s.Lights["lantern"] = l
	require.NotEqual(t, before, key())
}

func TestGroupsNest(t *testing.T) {
	s := setuptest.Sample()
	s.Groups["all"] = setup.Group{Name: "All", Trim: 1}
	g := s.Groups["keeper"]
	g.Parent, g.Trim = "all", 0.5
	s.Groups["keeper"] = g
	require.NoError(t, s.Validate())
	st, err := Resolve(s, "")
	require.NoError(t, err)
	require.InEpsilon(t, 640*math.Exp2(1.5), st.Lights[0].level, 1e-12)
	a := s.Groups["all"]
	a.Parent = "keeper"
	s.Groups["all"] = a
	require.ErrorContains(t, s.Validate(), "lie in one another")
}
