package demo

import (
	"context"
	"testing"

	"github.com/stretchr/testify/require"
	"willowherb/core/lamps"
	"willowherb/core/savings"
	"willowherb/core/setup"
	"willowherb/core/staging"
	"willowherb/core/world"
)

// All changes of the demo's lights measured in one view, and the best set.
func BenchmarkSavings(b *testing.B) {
	bare := place(b)
	doc := Setup()
	at := func(doc *setup.Setup) (*world.World, []*lamps.Lamp) {
		on := staging.Of(doc, "file", "pump-house.glb")
		s, w, err := on.Compile(bare, 2)
		require.NoError(b, err)
		st, err := lamps.Resolve(doc, "")
		require.NoError(b, err)
		return w, st.Lamps(s, nil)
	}
	w, _ := at(doc)
	o := &savings.Order{Doc: doc, Scene: w.S, World: w, Eyes: []savings.Eye{savings.EyeOf(doc, "keeper")}, Samples: 8, Every: 1, Workers: 2,
		Relit: func(doc *setup.Setup) ([]*lamps.Lamp, error) {
			st, err := lamps.Resolve(doc, "")
			if err != nil {
				return nil, err
			}
			return st.Lamps(w.S, nil), nil
		},
		Staged: func(doc *setup.Setup) (*world.World, []*lamps.Lamp, error) {
			w, lit := at(doc)
			return w, lit, nil
		}}
	for b.Loop() {
		_, err := savings.Find(context.Background(), o)
		require.NoError(b, err)
	}
}
