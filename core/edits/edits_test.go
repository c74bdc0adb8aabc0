package edits

import (
	"encoding/json"
	"fmt"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
	"willowherb/core/light"
	"willowherb/core/setup"
	"willowherb/core/setup/setuptest"
)

// applied is a change that must be taken.
func applied(t require.TestingT, s *setup.Setup, ops ...Op) *Change {
	c, err := Apply(s, ops)
	require.NoError(t, err)
	return c
}

func TestApplyAndItsInverse(t *testing.T) {
	doc := setuptest.Sample()
	before := string(doc.JSON())
	c := applied(t, doc, Op{"replace", "/lights/lantern/stops", setuptest.Raw(-0.3)}, Op{"remove", "/lights/rim", nil}, Op{"add", "/groups/air", setuptest.Raw(setup.Group{Name: "Air"})})
	require.Equal(t, -0.3, c.After.Lights["lantern"].Stops)
	require.Len(t, c.After.Lights, 1)
	require.Equal(t, before, string(doc.JSON()), "the document itself stays")
	require.Equal(t, before, string(applied(t, c.After, c.Inverse...).After.JSON()))
}

func TestApplyRefusesAndChangesNothing(t *testing.T) {
	doc := setuptest.Sample()
	for _, c := range []struct {
		op   Op
		kind error
		says string
	}{
		{Op{"replace", "/lights/ghost/stops", setuptest.Raw(1)}, ErrPlace, "/lights/ghost/stops"},
		{Op{"replace", "/lights/lantern/stops", setuptest.Raw(99)}, setup.ErrInvalid, "/lights/lantern/stops: 99"},
		{Op{"remove", "/lights/ghost", nil}, ErrPlace, "ghost"},
		{Op{"move", "/lights/lantern", nil}, setup.ErrInvalid, "move"},
		{Op{"replace", "", setuptest.Raw(1)}, setup.ErrInvalid, "pointer"},
		{Op{"add", "/lights/lantern/wings", setuptest.Raw(2)}, setup.ErrInvalid, "/lights/lantern/wings"},
		{Op{"replace", "/lights/lantern/stops", json.RawMessage("{")}, setup.ErrInvalid, "no JSON"},
		{Op{"replace", "/lights/lantern/stops", setuptest.Raw("much")}, setup.ErrInvalid, "string"},
		{Op{"add", "/lights/lantern/STOPS", setuptest.Raw(2)}, setup.ErrInvalid, "/lights/lantern/STOPS"},
		{Op{"replace", "/lights/lantern", setuptest.Raw(map[string]any{"NAME": "x"})}, setup.ErrInvalid, "/lights/lantern/NAME"},
		{Op{"add", "/lights/lantern/colour/Kelvin", setuptest.Raw(3000)}, setup.ErrInvalid, "Kelvin"},
		{Op{"add", "/LIGHTS/lantern", setuptest.Raw(1)}, setup.ErrInvalid, "/LIGHTS"},
		{Op{"add", "/looks/a", json.RawMessage(`{"name":"A","order":0,"overrides":{"/lights/lantern/stops":{"Stops":1}}}`)}, setup.ErrInvalid, "Stops"},
		{Op{"replace", "/lights", setuptest.Raw(3)}, setup.ErrInvalid, "/lights"},
		{Op{"remove", "/groups/keeper", nil}, setup.ErrInvalid, "group \"keeper\" is not there"},
		{Op{"add", "/groups/keeper/parent", setuptest.Raw("keeper")}, setup.ErrInvalid, "lie in one another"},
		{Op{"replace", "/lights/rim/name", setuptest.Raw(" lantern")}, setup.ErrInvalid, "already the name"},
		{Op{"add", "/lights/rim/link", setuptest.Raw("a b")}, setup.ErrInvalid, "/lights/rim/link"},
		{Op{"remove", "/place", nil}, nil, ""},
	} {
		got, err := Apply(doc, []Op{c.op})
		if c.kind == nil {
			require.NoError(t, err)
			require.Empty(t, got.Ops, "%v changes nothing", c.op)
			continue
		}
		require.ErrorIs(t, err, c.kind, "%v", c.op)
		require.ErrorContains(t, err, c.says)
	}
	_, err := Apply(doc, nil)
	require.ErrorIs(t, err, setup.ErrInvalid)
	require.Equal(t, string(setuptest.Sample().JSON()), string(doc.JSON()))
}

// What an edit says without changing anything is no edit; one that takes its own
// steps back is none either.
func TestAnEditThatChangesNothing(t *testing.T) {
	doc := setuptest.Sample()
	for _, ops := range [][]Op{
		{{"replace", "/lights/lantern/stops", setuptest.Raw(0)}},
		{{"add", "/lights/lantern/locked", setuptest.Raw(false)}},
		{{"add", "/lights/lantern/locked", setuptest.Raw(true)}, {"replace", "/lights/lantern/locked", setuptest.Raw(false)}},
		{{"add", "/lights/x", setuptest.Raw(doc.Lights["rim"])}, {"remove", "/lights/x", nil}},
		{{"add", "/objects", setuptest.Raw(map[string]any{})}},
		{{"replace", "/name", setuptest.Raw("Evening")}},
	} {
		c := applied(t, doc, ops...)
		require.Empty(t, c.Ops, "%v", ops)
		require.Empty(t, c.Inverse)
	}
	// A value that the document leaves out while it stands at zero is taken back all the same.
	c := applied(t, doc, Op{"add", "/lights/lantern/locked", setuptest.Raw(true)}, Op{"add", "/lights/lantern/locked", setuptest.Raw(false)}, Op{"add", "/lights/lantern/locked", setuptest.Raw(true)})
	require.Equal(t, string(doc.JSON()), string(applied(t, c.After, c.Inverse...).After.JSON()))
}

// Any sequence of edits followed by as many undos is the document of the start.
func TestUndoOfEverythingIsTheStart(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		start := setuptest.Sample()
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
			c, kept := Reverse(doc, done[of], inverse[of])
			require.Empty(t, kept)
			write(deed, of, c)
			return true
		}
		for range rapid.IntRange(1, 15).Draw(t, "n") {
			switch rapid.IntRange(0, 4).Draw(t, "what") {
			case 0:
				did(Op{"replace", "/lights/lantern/stops", setuptest.Raw(rapid.Float64Range(-5, 5).Draw(t, "stops"))})
			case 1:
				did(Op{"add", fmt.Sprintf("/groups/g%d", len(journal)), setuptest.Raw(setup.Group{Name: "x"})})
			case 2:
				did(Op{"replace", "/lights/rim/off", setuptest.Raw(rapid.Bool().Draw(t, "off"))}, Op{"replace", "/lights/rim/colour", setuptest.Raw(setup.Colour{Kelvin: 4000})}, Op{"add", "/lights/rim/locked", setuptest.Raw(rapid.Bool().Draw(t, "locked"))})
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
	mine := applied(t, setuptest.Sample(), Op{"replace", "/lights/lantern/stops", setuptest.Raw(1)}, Op{"replace", "/lights/rim/stops", setuptest.Raw(1)})
	theirs := applied(t, mine.After, Op{"replace", "/lights/rim/stops", setuptest.Raw(2)})
	c, kept := Reverse(theirs.After, mine.Ops, mine.Inverse)
	require.Equal(t, []string{"/lights/rim/stops"}, kept)
	require.Equal(t, 0.0, c.After.Lights["lantern"].Stops)
	require.Equal(t, 2.0, c.After.Lights["rim"].Stops)
}

// The document leaves a field at zero out, so an edit that empties one takes it away;
// journals of before may say it by writing the zero, and are undone all the same.
func TestEmptyingAFieldTakesItAway(t *testing.T) {
	named := applied(t, setuptest.Sample(), Op{"add", "/lights/rim/link", setuptest.Raw("pair")})
	emptied := applied(t, named.After, Op{"replace", "/lights/rim/link", setuptest.Raw("")})
	require.Equal(t, []Op{{"remove", "/lights/rim/link", nil}}, emptied.Ops)
	require.Equal(t, []Op{{"add", "/lights/rim/link", setuptest.Raw("pair")}}, emptied.Inverse)
	for _, done := range [][]Op{emptied.Ops, {{"replace", "/lights/rim/link", setuptest.Raw("")}}} {
		c, kept := Reverse(emptied.After, done, emptied.Inverse)
		require.Empty(t, kept)
		require.Equal(t, "pair", c.After.Lights["rim"].Link)
	}
}

// A light that somebody else has worked on since it was added stays, and so does a
// group that has lights in it by now; both are told.
func TestUndoOfAddingLeavesWhatOthersHaveDoneToIt(t *testing.T) {
	l := setuptest.Sample().Lights["rim"]
	l.Name = "New"
	added := applied(t, setuptest.Sample(), Op{"add", "/lights/new", setuptest.Raw(l)})
	for _, op := range []Op{
		{"replace", "/lights/new/stops", setuptest.Raw(1)},
		{"add", "/lights/new/locked", setuptest.Raw(true)},
		{"add", "/lights/new/gobo", setuptest.Raw(setup.Gobo{Pattern: light.Patterns[0], Scale: 1})},
		{"replace", "/lights/new/position", setuptest.Raw([3]float64{1, 0, 0})},
	} {
		doc := applied(t, added.After, op).After
		c, kept := Reverse(doc, added.Ops, added.Inverse)
		require.Nil(t, c, "%v", op)
		require.Equal(t, []string{"/lights/new"}, kept)
	}
	c, kept := Reverse(added.After, added.Ops, added.Inverse)
	require.Empty(t, kept)
	require.NotContains(t, c.After.Lights, "new")

	group := applied(t, setuptest.Sample(), Op{"add", "/groups/air", setuptest.Raw(setup.Group{Name: "Air"})})
	doc := applied(t, group.After, Op{"replace", "/lights/rim/group", setuptest.Raw("air")}).After
	c, kept = Reverse(doc, group.Ops, group.Inverse)
	require.Nil(t, c)
	require.Equal(t, []string{"/groups/air"}, kept)
}

// However an edit is drawn: checking what it touches finds what checking everything
// finds, its operations make the document after it, and its inverse the one before.
func TestCheckingWhatChangedIsCheckingEverything(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		doc, err := setup.Parse(setuptest.Sample().JSON())
		require.NoError(t, err)
		for range rapid.IntRange(1, 6).Draw(t, "edits") {
			var ops []Op
			for range rapid.IntRange(1, 4).Draw(t, "ops") {
				id := rapid.SampledFrom([]string{"lantern", "rim", "third"}).Draw(t, "light")
				group := rapid.SampledFrom([]string{"keeper", "air", "sea"}).Draw(t, "group")
				l := setuptest.Sample().Lights["rim"]
				l.Group, l.Name = group, id
				ops = append(ops, rapid.SampledFrom([]Op{
					{"add", "/lights/" + id, setuptest.Raw(l)},
					{"remove", "/lights/" + id, nil},
					{"replace", "/lights/" + id + "/group", setuptest.Raw(group)},
					{"replace", "/lights/" + id + "/name", setuptest.Raw("Lantern")},
					{"add", "/lights/" + id + "/link", setuptest.Raw("pair")},
					{"replace", "/lights/" + id + "/radius", setuptest.Raw(0.05)},
					{"replace", "/lights/" + id + "/stops", setuptest.Raw(rapid.SampledFrom([]int{0, 1, 30}).Draw(t, "stops"))},
					{"add", "/groups/" + group, setuptest.Raw(setup.Group{Name: group})},
					{"remove", "/groups/" + group, nil},
					{"add", "/groups/" + group + "/parent", setuptest.Raw("keeper")},
					{"replace", "/groups", setuptest.Raw(map[string]setup.Group{"keeper": {Name: "Keeper"}, group: {Name: "x", Parent: "keeper"}})},
					{"add", "/time", setuptest.Raw(2)},
					{"remove", "/time", nil},
				}).Draw(t, "op"))
			}
			c, err := Apply(doc, ops)
			if err != nil {
				continue
			}
			require.NoError(t, c.After.Validate())
			back, err := Replay(c.After, [][]Op{c.Inverse})
			require.NoError(t, err)
			require.Equal(t, string(doc.JSON()), string(back.JSON()))
			forth, err := Replay(doc, [][]Op{c.Ops})
			require.NoError(t, err)
			require.Equal(t, string(c.After.JSON()), string(forth.JSON()))
			doc = c.After
		}
	})
}

// large is a document at its limit of lights.
func large(tb testing.TB) *setup.Setup {
	s := setuptest.Sample()
	for i := range setup.MaxLights - 2 {
		l := s.Lights["rim"]
		l.Name = fmt.Sprint("Light ", i)
		s.Lights[fmt.Sprint("l", i)] = l
	}
	require.NoError(tb, s.Validate())
	return s
}

func changes(n int) (ops []Op) {
	for i := range n {
		ops = append(ops, Op{"replace", fmt.Sprintf("/lights/l%d/%s", i%(setup.MaxLights-2), []string{"stops", "output", "range", "radius"}[i/(setup.MaxLights-2)%4]), setuptest.Raw(1 + i%7)})
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

func FuzzApply(f *testing.F) {
	f.Add([]byte(`[{"op":"replace","path":"/lights/lantern/stops","value":1}]`))
	f.Add([]byte(`[{"op":"add","path":"/lights/a~1b/x","value":{}},{"op":"remove","path":"/groups"}]`))
	f.Add([]byte(`[{"op":"add","path":"/place/blob","value":null},{"op":"remove","path":"/lights/rim"}]`))
	f.Fuzz(func(t *testing.T, data []byte) {
		var ops []Op
		if json.Unmarshal(data, &ops) != nil {
			return
		}
		doc := setuptest.Sample()
		before := string(doc.JSON())
		c, err := Apply(doc, ops)
		require.Equal(t, before, string(doc.JSON()))
		if err != nil {
			return
		}
		require.NoError(t, c.After.Validate())
		back, err := Replay(c.After, [][]Op{c.Inverse})
		require.NoError(t, err)
		require.Equal(t, before, string(back.JSON()))
	})
}
