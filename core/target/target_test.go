package target

import (
	"encoding/json"
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
)

func TestShippedTargetsAreWhole(t *testing.T) {
	require.Len(t, All(), 3)
	for _, x := range All() {
		require.NoError(t, x.Check(), x.ID)
		priced := map[string]bool{}
		for _, p := range x.Passes {
			for _, m := range p.Terms {
				priced[m.Count] = true
				require.Equal(t, "made up", m.Source)
			}
		}
		for _, k := range Kinds() {
			require.True(t, priced[k.String()] || k == Fragments || k == Pixels, "%s does not say what %s costs", x.ID, k)
			require.NotEmpty(t, k.Says())
			require.NotEmpty(t, k.Feature())
		}
		again, err := Parse("x.json", x.JSON())
		require.NoError(t, err)
		require.Equal(t, x, *again)
	}
	_, ok := Find("handheld, 30 FRAMES")
	require.True(t, ok)
	_, ok = Find("")
	require.False(t, ok)
}

func TestBrokenFilesAreToldByLine(t *testing.T) {
	good := string(All()[0].JSON())
	for _, c := range []struct{ name, from, to, says string }{
		{"no JSON", "{\n  \"id\"", "{\n  id", "line 2"},
		{"cut off", good[len(good)/2:], "", "line"},
		{"a word for a number", `"rate": 60`, `"rate": "fast"`, "line 5: no target: rate holds a string; write a whole number"},
		{"an unknown name", `"rate": 60`, `"pace": 60`, `unknown field "pace"`},
		{"an unknown count", `"count": "tests"`, `"count": "texts"`, `pass "light lists": "texts" is no kind of work`},
		{"below zero", `"ns": 60000`, `"ns": -1`, `pass "surfaces": frames costs -1 ns`},
		{"endless", `"ns": 60000`, `"ns": 1e300`, "costs 1e+300 ns"},
		{"a picture without end", `"width": 1920`, `"width": 19200000`, "how.width"},
		{"no way of these", `"way": "clusters"`, `"way": "magic"`, "tiles, clusters or objects"},
		{"a term twice", `"count": "draws"`, `"count": "frames"`, "twice"},
		{"a pass twice", `"name": "fog"`, `"name": "post"`, "there twice"},
		{"something after it", "]\n}\n", "]\n}\n{}", "after its end"},
		{"no name", `"name": "Console, 60 frames"`, `"name": ""`, "name"},
		{"an id with a path", `"id": "console-60"`, `"id": "../console"`, "id"},
	} {
		t.Run(c.name, func(t *testing.T) {
			require.Contains(t, good, c.from)
			_, err := Parse("mine.json", []byte(strings.Replace(good, c.from, c.to, 1)))
			require.ErrorIs(t, err, ErrInvalid)
			require.ErrorContains(t, err, "mine.json")
			require.ErrorContains(t, err, c.says)
			if c.to != "" && strings.HasPrefix(c.from, `"count": "t`) {
				require.ErrorContains(t, err, fmt.Sprintf("line %d:", 1+strings.Count(good[:strings.Index(good, c.from)], "\n")))
			}
		})
	}
	_, err := Parse("x", make([]byte, MaxBytes+1))
	require.ErrorIs(t, err, ErrInvalid)
}

func TestCountsAreWrittenByName(t *testing.T) {
	var c Counts
	c[Draws], c[FogLit] = 3, 2.5
	b, err := json.Marshal(c)
	require.NoError(t, err)
	require.JSONEq(t, `{"draws": 3, "fogLit": 2.5}`, string(b))
	var d Counts
	require.NoError(t, json.Unmarshal(b, &d))
	require.Equal(t, c, d)
	require.Error(t, json.Unmarshal([]byte(`{"dreams": 3}`), &d))
}

func TestSlicesMeet(t *testing.T) {
	m := All()[0].How
	for k := range m.Slices {
		lo, hi := m.SliceAt(k), m.SliceAt(k+1)
		require.Less(t, lo, hi)
		require.Equal(t, k, m.Slice(lo+(hi-lo)/2), "a slice holds its middle")
	}
	require.Zero(t, m.Slice(0.001))
	require.Equal(t, m.Slices-1, m.Slice(1e7))
	require.InDelta(t, 0.1, m.SliceAt(0)+0.1, 1e-12)
	require.InEpsilon(t, m.SliceAt(12)*m.SliceAt(12), m.SliceAt(11)*m.SliceAt(13), 1e-9, "each farther by the same factor")
}

func FuzzParse(f *testing.F) {
	for _, t := range All() {
		f.Add(t.JSON())
	}
	f.Add([]byte(`{"id": "a", "passes": [{"name": "", "terms": null}]}`))
	f.Fuzz(func(t *testing.T, data []byte) {
		x, err := Parse("f", data)
		if err != nil {
			require.ErrorIs(t, err, ErrInvalid)
			return
		}
		_, err = Parse("f", x.JSON())
		require.NoError(t, err)
	})
}
