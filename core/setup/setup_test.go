package setup

import (
	"encoding/json"
	"fmt"
	"math"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
	"willowherb/core/colour"
	"willowherb/core/light"
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

// applied is a change that must be taken.
func applied(t require.TestingT, s *Setup, ops ...Op) *Change {
	c, err := s.Apply(ops)
	require.NoError(t, err)
	return c
}

func TestApplyAndItsInverse(t *testing.T) {
	doc := sample()
	before := string(doc.JSON())
	c := applied(t, doc, Op{"replace", "/lights/lantern/stops", raw(-0.3)}, Op{"remove", "/lights/rim", nil}, Op{"add", "/groups/air", raw(Group{Name: "Air"})})
	require.Equal(t, -0.3, c.After.Lights["lantern"].Stops)
	require.Len(t, c.After.Lights, 1)
	require.Equal(t, before, string(doc.JSON()), "the document itself stays")
	require.Equal(t, before, string(applied(t, c.After, c.Inverse...).After.JSON()))
}

func TestApplyRefusesAndChangesNothing(t *testing.T) {
	doc := sample()
	for _, c := range []struct {
		op   Op
		kind error
		says string
	}{
		{Op{"replace", "/lights/ghost/stops", raw(1)}, ErrPlace, "/lights/ghost/stops"},
		{Op{"replace", "/lights/lantern/stops", raw(99)}, ErrInvalid, "/lights/lantern/stops: 99"},
		{Op{"remove", "/lights/ghost", nil}, ErrPlace, "ghost"},
		{Op{"move", "/lights/lantern", nil}, ErrInvalid, "move"},
		{Op{"replace", "", raw(1)}, ErrInvalid, "pointer"},
		{Op{"add", "/lights/lantern/wings", raw(2)}, ErrInvalid, "/lights/lantern/wings"},
		{Op{"replace", "/lights/lantern/stops", json.RawMessage("{")}, ErrInvalid, "no JSON"},
		{Op{"replace", "/lights/lantern/stops", raw("much")}, ErrInvalid, "string"},
		{Op{"add", "/lights/lantern/STOPS", raw(2)}, ErrInvalid, "/lights/lantern/STOPS"},
		{Op{"replace", "/lights/lantern", raw(map[string]any{"NAME": "x"})}, ErrInvalid, "/lights/lantern/NAME"},
		{Op{"add", "/lights/lantern/colour/Kelvin", raw(3000)}, ErrInvalid, "Kelvin"},
		{Op{"add", "/LIGHTS/lantern", raw(1)}, ErrInvalid, "/LIGHTS"},
		{Op{"add", "/looks/a", json.RawMessage(`{"name":"A","order":0,"overrides":{"/lights/lantern/stops":{"Stops":1}}}`)}, ErrInvalid, "Stops"},
		{Op{"replace", "/lights", raw(3)}, ErrInvalid, "/lights"},
		{Op{"remove", "/groups/keeper", nil}, ErrInvalid, "group \"keeper\" is not there"},
		{Op{"add", "/groups/keeper/parent", raw("keeper")}, ErrInvalid, "lie in one another"},
		{Op{"replace", "/lights/rim/name", raw(" lantern")}, ErrInvalid, "already the name"},
		{Op{"add", "/lights/rim/link", raw("a b")}, ErrInvalid, "/lights/rim/link"},
		{Op{"remove", "/place", nil}, nil, ""},
	} {
		got, err := doc.Apply([]Op{c.op})
		if c.kind == nil {
			require.NoError(t, err)
			require.Empty(t, got.Ops, "%v changes nothing", c.op)
			continue
		}
		require.ErrorIs(t, err, c.kind, "%v", c.op)
		require.ErrorContains(t, err, c.says)
	}
	_, err := doc.Apply(nil)
	require.ErrorIs(t, err, ErrInvalid)
	require.Equal(t, string(sample().JSON()), string(doc.JSON()))
}

// What an edit says without changing anything is no edit; one that takes its own
// steps back is none either.
func TestAnEditThatChangesNothing(t *testing.T) {
	doc := sample()
	for _, ops := range [][]Op{
		{{"replace", "/lights/lantern/stops", raw(0)}},
		{{"add", "/lights/lantern/locked", raw(false)}},
		{{"add", "/lights/lantern/locked", raw(true)}, {"replace", "/lights/lantern/locked", raw(false)}},
		{{"add", "/lights/x", raw(doc.Lights["rim"])}, {"remove", "/lights/x", nil}},
		{{"add", "/objects", raw(map[string]any{})}},
		{{"replace", "/name", raw("Evening")}},
	} {
		c := applied(t, doc, ops...)
		require.Empty(t, c.Ops, "%v", ops)
		require.Empty(t, c.Inverse)
	}
	// A value that the document leaves out while it stands at zero is taken back all the same.
	c := applied(t, doc, Op{"add", "/lights/lantern/locked", raw(true)}, Op{"add", "/lights/lantern/locked", raw(false)}, Op{"add", "/lights/lantern/locked", raw(true)})
	require.Equal(t, string(doc.JSON()), string(applied(t, c.After, c.Inverse...).After.JSON()))
}

func TestDocumentsAreBoundedAndReadToTheEnd(t *testing.T) {
	_, err := Parse(append(sample().JSON(), " {}"...))
	require.ErrorContains(t, err, "after its end")
	_, err = Parse(make([]byte, MaxBytes+1))
	require.ErrorContains(t, err, "may take")
	s := sample()
	for i := range MaxGroups + 1 {
		s.Groups[fmt.Sprint("g", i)] = Group{Name: "x"}
	}
	require.ErrorContains(t, s.Validate(), "/groups: 502 are over")
	s = sample()
	l := s.Lights["rim"]
	l.Role = strings.Repeat("x", 1000)
	s.Lights["rim"] = l
	require.ErrorContains(t, s.Validate(), "/lights/rim/role")
	for i := range 100 {
		s.Views[fmt.Sprint("v", i)] = View{}
	}
	require.Less(t, len(s.Validate().Error()), 4000, "a refusal does not list everything")
	bare, err := Parse([]byte(`{"version":1,"name":"a","target":"","curve":"plain"}`))
	require.NoError(t, err)
	require.Contains(t, string(bare.JSON()), `"objects":{}`, "every list is there")
}

// Any sequence of edits followed by as many undos is the document of the start.
func TestUndoOfEverythingIsTheStart(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		start := sample()
		doc := start
		var journal []Entry
		done, inverse := map[int64][]Op{}, map[int64][]Op{}
		write := func(deed Deed, of int64, c *Change) {
			rev := int64(len(journal) + 1)
			journal = append(journal, Entry{rev, deed, of})
			done[rev], inverse[rev] = c.Ops, c.Inverse
			doc = c.After
		}
		did := func(ops ...Op) {
			if c := applied(t, doc, ops...); len(c.Ops) > 0 {
				write(Did, 0, c)
			}
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
			c, kept := doc.Reverse(done[of], inverse[of])
			require.Empty(t, kept)
			write(deed, of, c)
			return true
		}
		for range rapid.IntRange(1, 15).Draw(t, "n") {
			switch rapid.IntRange(0, 4).Draw(t, "what") {
			case 0:
				did(Op{"replace", "/lights/lantern/stops", raw(rapid.Float64Range(-5, 5).Draw(t, "stops"))})
			case 1:
				did(Op{"add", fmt.Sprintf("/groups/g%d", len(journal)), raw(Group{Name: "x"})})
			case 2:
				did(Op{"replace", "/lights/rim/off", raw(rapid.Bool().Draw(t, "off"))}, Op{"replace", "/lights/rim/colour", raw(Colour{Kelvin: 4000})}, Op{"add", "/lights/rim/locked", raw(rapid.Bool().Draw(t, "locked"))})
			case 3:
				step(true)
			case 4:
				step(false)
			}
		}
		for step(true) {
		}
		require.Equal(t, string(start.JSON()), string(doc.JSON()))
	})
}

func TestUndoKeepsWhatSomebodyElseChanged(t *testing.T) {
	mine := applied(t, sample(), Op{"replace", "/lights/lantern/stops", raw(1)}, Op{"replace", "/lights/rim/stops", raw(1)})
	theirs := applied(t, mine.After, Op{"replace", "/lights/rim/stops", raw(2)})
	c, kept := theirs.After.Reverse(mine.Ops, mine.Inverse)
	require.Equal(t, []string{"/lights/rim/stops"}, kept)
	require.Equal(t, 0.0, c.After.Lights["lantern"].Stops)
	require.Equal(t, 2.0, c.After.Lights["rim"].Stops)
}

// The document leaves a field at zero out, so an edit that empties one takes it away;
// journals of before may say it by writing the zero, and are undone all the same.
func TestEmptyingAFieldTakesItAway(t *testing.T) {
	named := applied(t, sample(), Op{"add", "/lights/rim/link", raw("pair")})
	emptied := applied(t, named.After, Op{"replace", "/lights/rim/link", raw("")})
	require.Equal(t, []Op{{"remove", "/lights/rim/link", nil}}, emptied.Ops)
	require.Equal(t, []Op{{"add", "/lights/rim/link", raw("pair")}}, emptied.Inverse)
	for _, done := range [][]Op{emptied.Ops, {{"replace", "/lights/rim/link", raw("")}}} {
		c, kept := emptied.After.Reverse(done, emptied.Inverse)
		require.Empty(t, kept)
		require.Equal(t, "pair", c.After.Lights["rim"].Link)
	}
}

// A light that somebody else has worked on since it was added stays, and so does a
// group that has lights in it by now; both are told.
func TestUndoOfAddingLeavesWhatOthersHaveDoneToIt(t *testing.T) {
	l := sample().Lights["rim"]
	l.Name = "New"
	added := applied(t, sample(), Op{"add", "/lights/new", raw(l)})
	for _, op := range []Op{
		{"replace", "/lights/new/stops", raw(1)},
		{"add", "/lights/new/locked", raw(true)},
		{"add", "/lights/new/gobo", raw(Gobo{Pattern: light.Patterns[0], Scale: 1})},
		{"replace", "/lights/new/position", raw([3]float64{1, 0, 0})},
	} {
		doc := applied(t, added.After, op).After
		c, kept := doc.Reverse(added.Ops, added.Inverse)
		require.Nil(t, c, "%v", op)
		require.Equal(t, []string{"/lights/new"}, kept)
	}
	c, kept := added.After.Reverse(added.Ops, added.Inverse)
	require.Empty(t, kept)
	require.NotContains(t, c.After.Lights, "new")

	group := applied(t, sample(), Op{"add", "/groups/air", raw(Group{Name: "Air"})})
	doc := applied(t, group.After, Op{"replace", "/lights/rim/group", raw("air")}).After
	c, kept = doc.Reverse(group.Ops, group.Inverse)
	require.Nil(t, c)
	require.Equal(t, []string{"/groups/air"}, kept)
}

// However an edit is drawn: checking what it touches finds what checking everything
// finds, its operations make the document after it, and its inverse the one before.
func TestCheckingWhatChangedIsCheckingEverything(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		doc := sample()
		doc.fill()
		for range rapid.IntRange(1, 6).Draw(t, "edits") {
			var ops []Op
			for range rapid.IntRange(1, 4).Draw(t, "ops") {
				id := rapid.SampledFrom([]string{"lantern", "rim", "third"}).Draw(t, "light")
				group := rapid.SampledFrom([]string{"keeper", "air", "sea"}).Draw(t, "group")
				l := sample().Lights["rim"]
				l.Group, l.Name = group, id
				ops = append(ops, rapid.SampledFrom([]Op{
					{"add", "/lights/" + id, raw(l)},
					{"remove", "/lights/" + id, nil},
					{"replace", "/lights/" + id + "/group", raw(group)},
					{"replace", "/lights/" + id + "/name", raw("Lantern")},
					{"add", "/lights/" + id + "/link", raw("pair")},
					{"replace", "/lights/" + id + "/radius", raw(0.05)},
					{"replace", "/lights/" + id + "/stops", raw(rapid.SampledFrom([]int{0, 1, 30}).Draw(t, "stops"))},
					{"add", "/groups/" + group, raw(Group{Name: group})},
					{"remove", "/groups/" + group, nil},
					{"add", "/groups/" + group + "/parent", raw("keeper")},
					{"replace", "/groups", raw(map[string]Group{"keeper": {Name: "Keeper"}, group: {Name: "x", Parent: "keeper"}})},
					{"add", "/time", raw(2)},
					{"remove", "/time", nil},
				}).Draw(t, "op"))
			}
			c, err := doc.Apply(ops)
			if err != nil {
				continue
			}
			require.NoError(t, c.After.Validate())
			back, err := c.After.Replay([][]Op{c.Inverse})
			require.NoError(t, err)
			require.Equal(t, string(doc.JSON()), string(back.JSON()))
			forth, err := doc.Replay([][]Op{c.Ops})
			require.NoError(t, err)
			require.Equal(t, string(c.After.JSON()), string(forth.JSON()))
			doc = c.After
		}
	})
}

// large is a document at its limit of lights.
func large(tb testing.TB) *Setup {
	s := sample()
	for i := range MaxLights - 2 {
		l := s.Lights["rim"]
		l.Name = fmt.Sprint("Light ", i)
		s.Lights[fmt.Sprint("l", i)] = l
	}
	require.NoError(tb, s.Validate())
	return s
}

func changes(n int) (ops []Op) {
	for i := range n {
		ops = append(ops, Op{"replace", fmt.Sprintf("/lights/l%d/%s", i%(MaxLights-2), []string{"stops", "output", "range", "radius"}[i/(MaxLights-2)%4]), raw(1 + i%7)})
	}
	return ops
}

// The work of an edit grows with its operations, not with operations times document:
// told by what it allocates, since the clock is no witness.
func TestApplyIsLinearInOperations(t *testing.T) {
	doc := large(t)
	allocs := func(n int) float64 {
		ops := changes(n)
		return testing.AllocsPerRun(2, func() { applied(t, doc, ops...) })
	}
	one, some, many := allocs(1), allocs(100), allocs(400)
	require.Less(t, (many-one)/399, 1.5*(some-one)/99)
	require.Less(t, one, 4000.0, "an edit of one light does not read the others")
}

func BenchmarkApply(b *testing.B) {
	doc := large(b)
	for _, n := range []int{1, 100, 500, 2000} {
		b.Run(fmt.Sprint(n), func(b *testing.B) {
			ops := changes(n)
			for b.Loop() {
				applied(b, doc, ops...)
			}
		})
	}
}

func FuzzParse(f *testing.F) {
	f.Add(sample().JSON())
	f.Add([]byte(`{"version":1,"lights":{"a":null},"place":{}}`))
	f.Fuzz(func(t *testing.T, data []byte) {
		s, err := Parse(data)
		if err != nil {
			return
		}
		again, err := Parse(s.JSON())
		require.NoError(t, err)
		require.Equal(t, string(s.JSON()), string(again.JSON()))
	})
}

func FuzzApply(f *testing.F) {
	f.Add([]byte(`[{"op":"replace","path":"/lights/lantern/stops","value":1}]`))
	f.Add([]byte(`[{"op":"add","path":"/lights/a~1b/x","value":{}},{"op":"remove","path":"/groups"}]`))
	f.Add([]byte(`[{"op":"add","path":"/place/blob","value":null},{"op":"remove","path":"/lights/rim"}]`))
	f.Fuzz(func(t *testing.T, data []byte) {
		var ops []Op
		if json.Unmarshal(data, &ops) != nil {
			return
		}
		doc := sample()
		before := string(doc.JSON())
		c, err := doc.Apply(ops)
		require.Equal(t, before, string(doc.JSON()))
		if err != nil {
			return
		}
		require.NoError(t, c.After.Validate())
		back, err := c.After.Replay([][]Op{c.Inverse})
		require.NoError(t, err)
		require.Equal(t, before, string(back.JSON()))
	})
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
