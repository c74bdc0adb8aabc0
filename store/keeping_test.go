package store

import (
	"context"
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/require"
	"willowherb/core/setup"
	"willowherb/store/storetest"
)

func TestSnapshotsAreKeptNamedAndForgotten(t *testing.T) {
	s, _ := open(t)
	ctx := context.Background()
	id := create(t, s)
	p, err := s.Keep(ctx, id, Snapshot{Name: "before fog", Revision: 0, View: "hall", Person: "a", Document: document(), Picture: []byte("png")})
	require.NoError(t, err)
	_, err = s.Apply(ctx, id, stops("a", 1, 2))
	require.NoError(t, err)
	require.NoError(t, s.Rename(ctx, id, p.ID, "before the fog"))
	all, err := s.Snapshots(ctx, id)
	require.NoError(t, err)
	require.Len(t, all, 1)
	require.Equal(t, "before the fog", all[0].Name)
	got, err := s.Snapshot(ctx, id, p.ID)
	require.NoError(t, err)
	require.JSONEq(t, string(document()), string(got.Document))
	require.Equal(t, []byte("png"), got.Picture)
	// Bringing it back is an edit like any other.
	d, err := s.Revert(ctx, id, setup.Edit{Person: "a", Window: "w-a", Seq: 2, Label: "Back"}, 0, got.Document)
	require.NoError(t, err)
	require.JSONEq(t, string(document()), string(d.Document))
	d, err = s.Undo(ctx, id, setup.Edit{Person: "a", Window: "w-a", Seq: 3}, false)
	require.NoError(t, err)
	require.Contains(t, string(d.Document), `"stops":2`)
	require.NoError(t, s.Forget(ctx, id, p.ID))
	require.ErrorIs(t, s.Forget(ctx, id, p.ID), ErrNotFound)
	_, err = s.Snapshot(ctx, id, p.ID)
	require.ErrorIs(t, err, ErrNotFound)
}

func TestHistoryStepsBackToAnyRevision(t *testing.T) {
	s, _ := open(t)
	ctx := context.Background()
	id := create(t, s)
	var docs []string
	for i := range 5 {
		d, err := s.Apply(ctx, id, stops("a", int64(i+1), float64(i+1)))
		require.NoError(t, err)
		docs = append(docs, string(d.Document))
	}
	lines, err := s.History(ctx, id, 0, 3)
	require.NoError(t, err)
	require.Equal(t, []int64{5, 4, 3}, []int64{lines[0].Revision, lines[1].Revision, lines[2].Revision})
	require.Equal(t, "Lamp +5.0 st", lines[0].Label)
	older, err := s.History(ctx, id, 3, 10)
	require.NoError(t, err)
	require.Len(t, older, 2)
	for r, want := range docs {
		got, err := s.At(ctx, id, int64(r+1))
		require.NoError(t, err)
		require.JSONEq(t, want, string(got))
	}
	d, err := s.Revert(ctx, id, setup.Edit{Person: "b", Window: "w-b", Seq: 1, Label: "Back to “Lamp +2.0 st”"}, 2, nil)
	require.NoError(t, err)
	require.JSONEq(t, docs[1], string(d.Document))
	_, err = s.Revert(ctx, id, setup.Edit{Person: "b", Window: "w-b", Seq: 2}, d.Revision, nil)
	require.ErrorIs(t, err, ErrNothing, "it is there already")
	_, err = s.Revert(ctx, id, setup.Edit{Person: "b", Window: "w-b", Seq: 3}, 99, nil)
	require.ErrorIs(t, err, ErrNotFound)
}

// Who sets a field that another window has just set is told, and so is the other.
func TestOverwritingIsTold(t *testing.T) {
	s, _ := open(t)
	ctx := context.Background()
	id := create(t, s)
	d, err := s.Apply(ctx, id, stops("a", 1, 1))
	require.NoError(t, err)
	require.Empty(t, d.Over)
	b := stops("b", 1, 2) // made on revision 0: it does not know of a's
	d, err = s.Apply(ctx, id, b)
	require.NoError(t, err)
	require.Equal(t, []Over{{Path: "/lights/lamp/stops", Person: "a", Window: "w-a", Label: "Lamp +1.0 st"}}, d.Over)
	again := stops("a", 2, 3)
	again.Base = d.Revision
	d, err = s.Apply(ctx, id, again)
	require.NoError(t, err)
	require.Empty(t, d.Over, "who has seen it overwrites knowingly")
	whole := setup.Edit{Person: "b", Window: "w-b", Seq: 2, Base: 2, Target: "base", Label: "x", Ops: []setup.Op{{Op: "remove", Path: "/lights/lamp"}}}
	d, err = s.Apply(ctx, id, whole)
	require.NoError(t, err)
	require.Len(t, d.Over, 1, "taking a light away is over every field of it")
}

// Any random sequence of edits, undos and redos by two people equals the replay of
// the journal, and every revision can be found again.
func TestAnySequenceEqualsTheReplayOfTheJournal(t *testing.T) {
	s, _ := open(t)
	ctx := context.Background()
	for seed := range 6 {
		rng := rand.New(rand.NewPCG(uint64(seed), 7))
		id := create(t, s)
		seqs := map[string]int64{}
		seen := map[int64]string{0: string(document())}
		lights := map[string]bool{"lamp": true}
		var last *Done
		for range 60 {
			who := []string{"a", "b"}[rng.IntN(2)]
			seqs[who]++
			e := setup.Edit{Person: who, Window: "w-" + who, Seq: seqs[who], Target: "base", Label: "x"}
			var d *Done
			var err error
			switch k := rng.IntN(10); {
			case k < 2:
				d, err = s.Undo(ctx, id, e, false)
			case k < 3:
				d, err = s.Undo(ctx, id, e, true)
			case k < 5:
				name := fmt.Sprintf("l%d", rng.IntN(6))
				v, _ := json.Marshal(setup.Light{Name: name, Kind: setup.Point, Output: 1, Colour: setup.Colour{Kelvin: 4000}, Carry: setup.Live})
				e.Ops = []setup.Op{{Op: "add", Path: "/lights/" + name, Value: v}}
				if rng.IntN(2) == 0 && lights[name] {
					e.Ops = []setup.Op{{Op: "remove", Path: "/lights/" + name}}
				}
				lights[name] = true
				d, err = s.Apply(ctx, id, e)
			default:
				field := []string{"stops", "output", "range"}[rng.IntN(3)]
				v, _ := json.Marshal(rng.IntN(5))
				e.Ops = []setup.Op{{Op: "replace", Path: "/lights/lamp/" + field, Value: v}, {Op: "add", Path: "/lights/lamp/locked", Value: json.RawMessage([]string{"true", "false"}[rng.IntN(2)])}}
				d, err = s.Apply(ctx, id, e)
			}
			if err != nil {
				continue // nothing to undo, or a light that is not there: nothing has changed
			}
			seen[d.Revision] = string(d.Document)
			last = d
		}
		journal, err := s.Journal(ctx, id, 0)
		require.NoError(t, err)
		var edits [][]setup.Op
		for _, j := range journal {
			edits = append(edits, j.Edit.Ops)
		}
		replayed := storetest.Replay(t, document(), edits)
		require.JSONEq(t, string(last.Document), string(replayed.JSON()), "seed %d", seed)
		u, err := s.Get(ctx, id)
		require.NoError(t, err)
		require.JSONEq(t, string(last.Document), string(u.Document))
		for r, want := range seen {
			got, err := s.At(ctx, id, r)
			require.NoError(t, err)
			require.JSONEq(t, want, string(got), "seed %d, revision %d", seed, r)
		}
	}
}
