package demo

import (
	"context"
	"testing"

	"github.com/stretchr/testify/require"
	"willowherb/core/budget"
	"willowherb/core/lamps"
	"willowherb/core/route"
	"willowherb/core/staging"
)

// Looking at the hall for its budget, at all tiles, at every second and at every sixth across and down; counting its
// lights; and walking the keeper's round, the first time and again.
func BenchmarkFrame(b *testing.B) {
	s := place(b)
	doc := Setup()
	on := staging.Of(doc, "file", "pump-house.glb")
	s, w, err := on.Compile(s, 2)
	require.NoError(b, err)
	st, err := lamps.Resolve(doc, "")
	require.NoError(b, err)
	lit := st.Lamps(s, nil)
	place := budget.Place(doc, s, w, nil)
	v := doc.Views["hall"]
	t := doc.Device()
	for name, every := range map[string]int{"see all tiles": 1, "see every second": 2, "see every sixth": 6} {
		b.Run(name, func(b *testing.B) {
			for b.Loop() {
				_, err := place.See(context.Background(), v.Camera(), t.How, every, 2)
				require.NoError(b, err)
			}
		})
	}
	seen, err := place.See(context.Background(), v.Camera(), t.How, 1, 2)
	require.NoError(b, err)
	b.Run("count all tiles", func(b *testing.B) {
		for b.Loop() {
			_, err := seen.Count(context.Background(), budget.State(doc, place, lit, &v), 2)
			require.NoError(b, err)
		}
	})
	known := &route.Known{}
	for _, name := range []string{"walk", "walk again"} {
		b.Run(name, func(b *testing.B) {
			for b.Loop() {
				if name == "walk" {
					known = &route.Known{}
				}
				_, err := route.Walk(context.Background(), &route.Order{Doc: doc, Scene: s, World: w, Lamps: lit, Route: doc.Routes["round"], Known: known, Workers: 2})
				require.NoError(b, err)
			}
		})
	}
}
