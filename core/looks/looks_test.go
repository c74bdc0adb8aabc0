package looks_test

import (
	"encoding/json"
	"os"
	"testing"

	"github.com/stretchr/testify/require"
	"willowherb/core/edits"
	"willowherb/core/grade"
	"willowherb/core/lamps"
	"willowherb/core/looks"
	"willowherb/core/setup"
)

func set(v any) setup.Override {
	b, _ := json.Marshal(v)
	return setup.Override{Set: b}
}

func num(v float64) *float64 { return &v }

func lamp(name string, k float64) setup.Light {
	return setup.Light{Name: name, Group: "g", Kind: setup.Point, Output: 800, Colour: setup.Colour{Kelvin: k}, Carry: setup.Live, Channels: 0xff, Aim: [3]float64{0, -1, 0}}
}

func evening() *setup.Setup {
	g := grade.Neutral()
	s, err := setup.Parse((&setup.Setup{Version: setup.Version, Name: "n", Curve: "plain", Base: "Ebb dusk", Grade: &g,
		Groups: map[string]setup.Group{"g": {Name: "Practicals"}, "out": {Name: "Outside"}},
		Lights: map[string]setup.Light{"sun": lamp("Sun", 3000), "sky": lamp("Sky", 8000), "lantern": lamp("Lantern", 2000)},
		Fog:    &setup.Fog{Visibility: 200, Most: 1, Colour: [3]float64{1, 1, 1}},
		Looks: map[string]setup.Look{
			"storm": {Name: "Storm", Overrides: map[string]setup.Override{"/lights/sun/off": set(true), "/lights/sun/stops": {Stops: num(-1)}, "/lights/sky/stops": {Stops: num(-1.3)},
				"/fog/visibility": {Times: num(0.5)}, "/grade/white": set([3]float64{0.8, 1, 1.4}), "/lights/gone/stops": set(1)}},
			"morning": {Name: "Morning", Overrides: map[string]setup.Override{"/lights/sun/colour": set(setup.Colour{Kelvin: 6000}), "/lights/sky/stops": set(1), "/groups/g/trim": {Stops: num(-2)}, "/fog": set(nil)}},
		}}).JSON())
	if err != nil {
		panic(err)
	}
	return s
}

func TestSentence(t *testing.T) {
	s := evening()
	say := looks.Sentence(s, "storm")
	require.Regexp(t, `^Sun off, Sky −1\.3 st, fog ×2, balance \d+ K$`, say)
	require.Equal(t, "Sky +1 st, Sun 6000 K, Practicals −2 st, no fog", looks.Sentence(s, "morning"))
	require.Empty(t, looks.Sentence(s, "none"))
}

// A look that the document says is worn is what is shown; showing it twice changes nothing,
// and one that is gone is none.
func TestShown(t *testing.T) {
	s := evening()
	require.Same(t, s, lamps.Shown(s))
	s.Look = "storm"
	d := lamps.Shown(s)
	require.Empty(t, d.Look)
	require.True(t, d.Lights["sun"].Off)
	require.Equal(t, -1.3, d.Lights["sky"].Stops)
	require.Equal(t, 100.0, d.Fog.Visibility)
	require.Equal(t, d, lamps.Shown(d))
	require.Equal(t, 0.0, s.Lights["sky"].Stops, "the document stays as it is")
	s.Look = "morning"
	require.Nil(t, lamps.Shown(s).Fog)
	s.Look = "gone"
	require.Equal(t, s.Lights, lamps.Shown(s).Lights)
}

// What one of nothing but a number that is left out can still be moved, and a grade or a fog
// that the setup has none of can be laid.
func TestOverridesOfWhatIsLeftOut(t *testing.T) {
	s := evening()
	s.Fog, s.Grade = nil, nil
	s.Looks["x"] = setup.Look{Name: "X", Overrides: map[string]setup.Override{"/groups/g/mired": {Stops: num(25)}, "/fog": set(setup.Fog{Visibility: 90, Most: 1}), "/lights/sun/noAir": set(true)}}
	st, err := lamps.Resolve(s, "x")
	require.NoError(t, err)
	require.Empty(t, st.Orphans)
	require.Equal(t, 25.0, st.Setup.Groups["g"].Mired)
	require.Equal(t, 90.0, st.Setup.Fog.Visibility)
	require.True(t, st.Setup.Lights["sun"].NoAir)
}

// The ends of a blend are the looks; its middle is even in stops, in mired and in the
// fog's density.
func TestBlend(t *testing.T) {
	s := evening()
	at := func(a, b string, share float64) *setup.Setup {
		o, err := looks.Blend(s, a, b, share)
		require.NoError(t, err)
		q := *s
		q.Looks = map[string]setup.Look{"mix": {Name: "Mix", Overrides: o}}
		q.Look = "mix"
		return lamps.Shown(&q)
	}
	st, err := lamps.Resolve(s, "storm")
	require.NoError(t, err)
	require.Equal(t, st.Setup.Lights, at("storm", "morning", 0).Lights)
	st, err = lamps.Resolve(s, "morning")
	require.NoError(t, err)
	require.Equal(t, st.Setup.Lights, at("storm", "morning", 1).Lights)
	require.Nil(t, at("storm", "morning", 1).Fog)
	mid := at("storm", "morning", 0.5)
	require.InDelta(t, (-1.3+1)/2, mid.Lights["sky"].Stops, 1e-9)
	require.InDelta(t, -1, mid.Groups["g"].Trim, 1e-9)
	require.InDelta(t, 2e6/(1e6/3000+1e6/6000), mid.Lights["sun"].Colour.Kelvin, 1e-6)
	require.InDelta(t, 2/(1.0/200+1.0/100), at("", "storm", 0.5).Fog.Visibility, 1e-9)
	_, err = looks.Blend(s, "storm", "none", 0.5)
	require.Error(t, err)
}

// After a merge the setup is what the look was, the look is empty but for what it could not
// say, and taking it back gives what was.
func TestMerge(t *testing.T) {
	s := evening()
	st, err := lamps.Resolve(s, "storm")
	require.NoError(t, err)
	ops, err := looks.Merge(s, "storm")
	require.NoError(t, err)
	c, err := edits.Apply(s, ops)
	require.NoError(t, err)
	require.Equal(t, st.Setup.Lights, c.After.Lights)
	require.Equal(t, st.Setup.Fog, c.After.Fog)
	require.Equal(t, st.Setup.Grade, c.After.Grade)
	require.Len(t, c.After.Looks["storm"].Overrides, 1, "of a light that is gone")
	ops, err = looks.Merge(s, "morning")
	require.NoError(t, err)
	c, err = edits.Apply(s, ops)
	require.NoError(t, err)
	require.Nil(t, c.After.Fog)
}

func TestOnly(t *testing.T) {
	s := evening()
	l := s.Lights["sun"]
	l.Group = "out"
	s.Lights["sun"] = l
	require.Len(t, looks.Only(s, "storm", "g"), 1)
	require.Contains(t, looks.Only(s, "storm", "g"), "/lights/sky/stops")
	require.Len(t, looks.Only(s, "storm", "out"), 2)
	require.Contains(t, looks.Only(s, "morning", "g"), "/groups/g/trim")
}

// Two programs wear looks: this and the browser's (web/src/kernel/looks.ts). Both are held to
// one file, which has a setup in its look as it is to be shown.
func TestWornAsTheBrowserWearsIt(t *testing.T) {
	const file = "testdata/worn.json"
	s := evening()
	mired := 40.0
	s.Looks["storm"].Overrides["/lights/lantern/colour/kelvin"] = setup.Override{Mired: &mired}
	s.Looks["storm"].Overrides["/grade/saturation"] = set(0.5)
	s.Looks["storm"].Overrides["/groups/g/hue"] = setup.Override{Stops: num(12)}
	for _, id := range []string{"sun", "sky"} {
		l := s.Lights[id]
		l.Name, l.Link, l.Colour, l.Off, l.Stops = id, "pair", setup.Colour{Kelvin: 4000}, false, 0
		s.Lights[id] = l
	}
	s.Zones = map[string]setup.Zone{"all": {Name: "All", EV: 9}, "room": {Name: "Room", Precedence: 1, EV: 3, Size: [3]float64{4, 4, 4}, Blend: 3}}
	eye := setup.View{Name: "Door", Eye: [3]float64{3, 0, 0}, Aim: [3]float64{1, 0, 0}, FovY: 40, Aspect: 1.5, EV: 6}
	s.Views["door"] = eye
	eye.Name, eye.Zoned = "Door, zoned", true
	s.Views["zoned"] = eye
	s.Look = "storm"
	require.NoError(t, s.Validate())
	var is struct{ Before, After *setup.Setup }
	is.Before, is.After = s, lamps.Shown(s)
	text, err := json.MarshalIndent(is, "", " ")
	require.NoError(t, err)
	if os.Getenv("WILLOWHERB_WRITE") != "" {
		require.NoError(t, os.WriteFile(file, append(text, '\n'), 0o644))
	}
	kept, err := os.ReadFile(file)
	require.NoError(t, err)
	require.JSONEq(t, string(kept), string(text), "if this is meant: WILLOWHERB_WRITE=1 go test ./core/looks")
}
