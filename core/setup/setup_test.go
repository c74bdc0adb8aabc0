package setup

import (
	"encoding/json"
	"fmt"
	"math"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
	"willowherb/core/colour"
	"willowherb/core/scene"
	"willowherb/core/vec"
)

func sample() *Setup {
	lamp := Light{Name: "Lantern", Group: "keeper", Kind: Point, Output: 640, Colour: Colour{Kelvin: 2150}, Shadow: true, ShadowMap: 512, Carry: Live, Channels: 0xff, Range: 6, Radius: 0.05}
	rim := lamp
	rim.Name, rim.Kind, rim.Inner, rim.Outer, rim.Aim, rim.Order = "Rim", Spot, 10, 25, [3]float64{0, -1, 0}, 1
	return &Setup{Version: Version, Name: "Evening", Target: "console-60", Curve: "shoulder",
		Groups: map[string]Group{"keeper": {Name: "Keeper"}},
		Lights: map[string]Light{"lantern": lamp, "rim": rim},
		Views:  map[string]View{"hall": {Name: "Hall", Aim: [3]float64{0, 0, -1}, FovY: 40, Aspect: 16.0 / 9, EV: 6}},
		Looks:  map[string]Look{}}
}

func raw(v any) json.RawMessage {
	b, _ := json.Marshal(v)
	return b
}

func TestValidationNamesThePlace(t *testing.T) {
	for _, c := range []struct {
		break_ func(*Setup)
		want   string
	}{
		{func(s *Setup) { l := s.Lights["rim"]; l.Outer = 120; s.Lights["rim"] = l }, "/lights/rim/outer"},
		{func(s *Setup) { l := s.Lights["rim"]; l.Name = "lantern "; s.Lights["rim"] = l }, "/lights/rim/name"},
		{func(s *Setup) { l := s.Lights["rim"]; l.Group = "gone"; s.Lights["rim"] = l }, "group \"gone\" is not there"},
		{func(s *Setup) { l := s.Lights["lantern"]; l.Output = math.NaN(); s.Lights["lantern"] = l }, "/lights/lantern/output"},
		{func(s *Setup) { l := s.Lights["lantern"]; l.Colour = Colour{Kelvin: 10}; s.Lights["lantern"] = l }, "kelvin"},
		{func(s *Setup) { s.Curve = "wild" }, "/curve"},
		{func(s *Setup) { v := s.Views["hall"]; v.Aim = [3]float64{}; s.Views["hall"] = v }, "/views/hall/aim"},
		{func(s *Setup) { s.Version = 9 }, "/version"},
	} {
		s := sample()
		c.break_(s)
		require.ErrorContains(t, s.Validate(), c.want)
	}
	require.NoError(t, sample().Validate())
	_, err := Parse([]byte(`{"version":1,"lightz":{}}`))
	require.ErrorContains(t, err, "lightz")
}

func TestApplyAndItsInverse(t *testing.T) {
	doc := sample().JSON()
	after, inv, err := Apply(doc, []Op{
		{"replace", "/lights/lantern/stops", raw(-0.3)},
		{"remove", "/lights/rim", nil},
		{"add", "/groups/air", raw(Group{Name: "Air"})},
	})
	require.NoError(t, err)
	s, err := Parse(after)
	require.NoError(t, err)
	require.Equal(t, -0.3, s.Lights["lantern"].Stops)
	require.Len(t, s.Lights, 1)
	back, _, err := Apply(after, inv)
	require.NoError(t, err)
	require.Equal(t, string(doc), string(back))
}

func TestApplyRefusesAndChangesNothing(t *testing.T) {
	doc := sample().JSON()
	for _, ops := range [][]Op{
		{{"replace", "/lights/ghost/stops", raw(1)}},
		{{"replace", "/lights/lantern/stops", raw(99)}},
		{{"remove", "/lights/ghost", nil}},
		{{"move", "/lights/lantern", nil}},
		{{"replace", "", raw(1)}},
		{{"add", "/lights/lantern/wings", raw(2)}},
		{{"replace", "/lights/lantern/stops", json.RawMessage("{")}},
		{},
	} {
		_, _, err := Apply(doc, ops)
		require.Error(t, err, "%v", ops)
	}
}

// Any sequence of edits followed by as many undos is the document of the start.
func TestUndoOfEverythingIsTheStart(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		start := sample().JSON()
		doc := start
		var journal []Entry
		done, inverse := map[int64][]Op{}, map[int64][]Op{}
		write := func(deed Deed, of int64, ops []Op) {
			after, inv, err := Apply(doc, ops)
			require.NoError(t, err)
			rev := int64(len(journal) + 1)
			journal = append(journal, Entry{rev, deed, of})
			done[rev], inverse[rev] = ops, inv
			doc = after
		}
		step := func(undo bool) bool {
			u, r := Stacks(journal)
			list, deed := u, Undid
			if !undo {
				list, deed = r, Redid
			}
			if len(list) == 0 {
				return false
			}
			of := list[len(list)-1]
			ops, kept := Reverse(doc, done[of], inverse[of])
			require.Empty(t, kept)
			write(deed, of, ops)
			return true
		}
		for range rapid.IntRange(1, 15).Draw(t, "n") {
			switch rapid.IntRange(0, 4).Draw(t, "what") {
			case 0:
				write(Did, 0, []Op{{"replace", "/lights/lantern/stops", raw(rapid.Float64Range(-5, 5).Draw(t, "stops"))}})
			case 1:
				id := fmt.Sprintf("/groups/g%d", len(journal))
				write(Did, 0, []Op{{"add", id, raw(Group{Name: "x"})}})
			case 2:
				write(Did, 0, []Op{{"replace", "/lights/rim/off", raw(rapid.Bool().Draw(t, "off"))}, {"replace", "/lights/rim/colour", raw(Colour{Kelvin: 4000})}})
			case 3:
				step(true)
			case 4:
				step(false)
			}
		}
		for step(true) {
		}
		require.Equal(t, string(start), string(doc))
	})
}

func TestUndoKeepsWhatSomebodyElseChanged(t *testing.T) {
	doc := sample().JSON()
	mine := []Op{{"replace", "/lights/lantern/stops", raw(1)}, {"replace", "/lights/rim/stops", raw(1)}}
	doc, inv, err := Apply(doc, mine)
	require.NoError(t, err)
	doc, _, err = Apply(doc, []Op{{"replace", "/lights/rim/stops", raw(2)}})
	require.NoError(t, err)
	ops, kept := Reverse(doc, mine, inv)
	require.Equal(t, []string{"/lights/rim/stops"}, kept)
	require.Len(t, ops, 1)
	require.Equal(t, "/lights/lantern/stops", ops[0].Path)
}

func TestResolveAppliesLookThenTrim(t *testing.T) {
	s := sample()
	g := s.Groups["keeper"]
	g.Trim = 1
	s.Groups["keeper"] = g
	half, warm, twice := -1.0, 50.0, 2.0
	s.Looks["dusk"] = Look{Name: "Ebb dusk", Overrides: map[string]Override{
		"/lights/lantern/stops":         {Stops: &half},
		"/lights/lantern/colour/kelvin": {Mired: &warm},
		"/lights/lantern/output":        {Times: &twice},
		"/lights/rim/off":               {Set: raw(true)},
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
	s := sample()
	key := func() [32]byte {
		st, err := Resolve(s, "")
		require.NoError(t, err)
		return st.Lamps(&scene.Scene{}, nil)[0].Key
	}
	before := key()
	l := s.Lights["lantern"]
	l.Name, l.Stops, l.Output, l.Colour, l.Off, l.Carry = "Other", 2, 100, Colour{Kelvin: 5000}, true, Baked
	s.Lights["lantern"] = l
	require.Equal(t, before, key())
	l.Range = 5
	s.Lights["lantern"] = l
	require.NotEqual(t, before, key())
}

func TestFromSceneBringsUnitsAndCameras(t *testing.T) {
	up := vec.V3{X: math.Sqrt2 / 2, Y: math.Sqrt2 / 2}
	s := &scene.Scene{Name: "place", Lights: []scene.Light{
		{Name: "A", Kind: scene.Point, Intensity: 10, Color: [3]float64{1, 1, 1}},
		{Name: "A", Kind: scene.Sun, Intensity: 50, Color: [3]float64{0.5, 0.5, 0.5}, Aim: vec.V3{Y: -1}},
	}, Cameras: []scene.Camera{{Name: "Rolled", Aim: vec.V3{Z: -1}, Up: up, FovY: 1}}}
	doc, notes := FromScene(s, "console-60")
	require.Empty(t, notes)
	require.NoError(t, doc.Validate())
	require.InDelta(t, 10*4*math.Pi, doc.Lights["a"].Output, 1e-9)
	require.InDelta(t, 25, doc.Lights["a-2"].Output, 1e-9, "intensity times the luminance of its colour")
	v := doc.Views["rolled"]
	cam := v.Camera()
	require.InDelta(t, 1, cam.Up.Dot(up), 1e-5, "the roll is kept")

	doc, notes = FromScene(&scene.Scene{Name: "bare", Hi: vec.Splat(1)}, "console-60")
	require.Len(t, notes, 2)
	require.NoError(t, doc.Validate())
	require.Len(t, doc.Views, 1)
}
