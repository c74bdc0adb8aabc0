package edits

import (
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
	"willowherb/core/setup"
	"willowherb/core/setup/setuptest"
)

// The difference of two documents makes the one into the other, and its inverse back.
func TestDiffIsExact(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		draw := func(label string) *setup.Setup {
			s := setuptest.Sample()
			if rapid.Bool().Draw(t, label+" without rim") {
				delete(s.Lights, "rim")
			}
			l := s.Lights["lantern"]
			l.Stops = float64(rapid.IntRange(-5, 5).Draw(t, label+" stops"))
			l.Locked = rapid.Bool().Draw(t, label+" locked")
			if rapid.Bool().Draw(t, label+" rgb") {
				l.Colour = setup.Colour{RGB: &[3]float64{1, 0.5, 0.25}}
			}
			s.Lights["lantern"] = l
			if rapid.Bool().Draw(t, label+" objects") {
				s.Objects = map[string]setup.Object{"a-b": {Path: "a/b", Part: setup.Mover}}
			}
			return s
		}
		a, b := draw("a"), draw("b")
		ops := Diff(a, b)
		if len(ops) == 0 {
			require.Equal(t, string(a.JSON()), string(b.JSON()))
			return
		}
		c := applied(t, a, ops...)
		require.Equal(t, string(b.JSON()), string(c.After.JSON()))
		back, err := Replay(c.After, [][]Op{c.Inverse})
		require.NoError(t, err)
		require.Equal(t, string(a.JSON()), string(back.JSON()))
	})
}
