package store

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"sync"
	"testing"

	"github.com/stretchr/testify/require"
	"willowherb/core/setup"
	"willowherb/store/storetest"
)

func open(t *testing.T) (*Store, string) {
	url := storetest.Database(t)
	s, err := Open(context.Background(), url)
	require.NoError(t, err)
	t.Cleanup(s.Close)
	return s, url
}

func document() []byte {
	d := &setup.Setup{Version: setup.Version, Name: "Evening", Target: "console-60", Curve: "plain", Groups: map[string]setup.Group{},
		Lights: map[string]setup.Light{"lamp": {Name: "Lamp", Kind: setup.Point, Output: 100, Colour: setup.Colour{Kelvin: 3000}, Carry: setup.Live}},
		Views:  map[string]setup.View{}, Looks: map[string]setup.Look{}}
	return d.JSON()
}

func create(t *testing.T, s *Store) int64 {
	ctx := context.Background()
	h, err := s.PutBlob(ctx, []byte("place"))
	require.NoError(t, err)
	id, err := s.Create(ctx, Setup{Project: "p", Place: h, File: "p.glb", Document: document()})
	require.NoError(t, err)
	return id
}

func stops(person string, seq int64, v float64) setup.Edit {
	b, _ := json.Marshal(v)
	return setup.Edit{Person: person, Window: "w-" + person, Seq: seq, Target: "base", Label: fmt.Sprintf("Lamp %+.1f st", v), Ops: []setup.Op{{Op: "replace", Path: "/lights/lamp/stops", Value: b}}}
}

func TestBlobsAreKeptByContent(t *testing.T) {
	s, _ := open(t)
	ctx := context.Background()
	data := bytes.Repeat([]byte("saltmarsh"), 300_000) // over two chunks
	a, err := s.PutBlob(ctx, data)
	require.NoError(t, err)
	b, err := s.PutBlob(ctx, data)
	require.NoError(t, err)
	require.Equal(t, a, b)
	got, err := s.Blob(ctx, a)
	require.NoError(t, err)
	require.Equal(t, data, got)
	_, err = s.Blob(ctx, "00")
	require.ErrorIs(t, err, ErrNotFound)
	_, err = s.pool.Exec(ctx, `UPDATE blob_chunks SET data = 'x' WHERE hash = $1 AND n = 1`, a)
	require.NoError(t, err)
	_, err = s.Blob(ctx, a)
	require.ErrorContains(t, err, "damaged")
}

func TestEditsUndoAndRedoAcrossConnections(t *testing.T) {
	s, url := open(t)
	ctx := context.Background()
	id := create(t, s)
	for i, v := range []float64{1, 2, 3} {
		d, err := s.Apply(ctx, id, stops("ada", int64(i), v))
		require.NoError(t, err)
		require.EqualValues(t, i+1, d.Revision)
	}
	s.Close()
	s, err := Open(ctx, url)
	require.NoError(t, err)
	defer s.Close()
	who := func(seq int64) setup.Edit { return setup.Edit{Person: "ada", Window: "other", Seq: seq} }
	d, err := s.Undo(ctx, id, who(1), false)
	require.NoError(t, err)
	require.Contains(t, string(d.Document), `"stops":2`)
	require.Equal(t, "Lamp +3.0 st", d.Edit.Label)
	_, err = s.Undo(ctx, id, who(2), false)
	require.NoError(t, err)
	undo, redo, err := s.Next(ctx, id, "ada")
	require.NoError(t, err)
	require.Equal(t, "Lamp +1.0 st", undo)
	require.Equal(t, "Lamp +2.0 st", redo)
	d, err = s.Undo(ctx, id, who(3), true)
	require.NoError(t, err)
	require.Contains(t, string(d.Document), `"stops":2`)
	_, err = s.Undo(ctx, id, setup.Edit{Person: "bea", Window: "b", Seq: 1}, false)
	require.ErrorIs(t, err, ErrNothing)
	// The document is what replaying the journal gives.
	doc := document()
	journal, err := s.Journal(ctx, id, 0)
	require.NoError(t, err)
	for _, e := range journal {
		doc, _, err = setup.Apply(doc, e.Edit.Ops)
		require.NoError(t, err)
	}
	u, err := s.Get(ctx, id)
	require.NoError(t, err)
	require.Equal(t, string(doc), string(u.Document))
}

func TestRepeatIsHarmlessAndErrorsChangeNothing(t *testing.T) {
	s, _ := open(t)
	ctx := context.Background()
	id := create(t, s)
	_, err := s.Apply(ctx, id, stops("ada", 7, 1))
	require.NoError(t, err)
	d, err := s.Apply(ctx, id, stops("ada", 7, 1))
	require.NoError(t, err)
	require.True(t, d.Repeat)
	require.EqualValues(t, 1, d.Revision)
	_, err = s.Apply(ctx, id, stops("ada", 8, 99))
	require.ErrorContains(t, err, "/lights/lamp/stops")
	u, err := s.Get(ctx, id)
	require.NoError(t, err)
	require.EqualValues(t, 1, u.Revision)
	_, err = s.Apply(ctx, 999, stops("ada", 9, 1))
	require.ErrorIs(t, err, ErrNotFound)
}

func TestManyWindowsWriteOneJournal(t *testing.T) {
	s, _ := open(t)
	ctx := context.Background()
	id := create(t, s)
	var wg sync.WaitGroup
	for w := range 4 {
		wg.Go(func() {
			for i := range 10 {
				_, err := s.Apply(ctx, id, stops(fmt.Sprint("p", w), int64(i), float64(i)))
				require.NoError(t, err)
			}
		})
	}
	wg.Wait()
	j, err := s.Journal(ctx, id, 0)
	require.NoError(t, err)
	require.Len(t, j, 40)
	require.EqualValues(t, 40, j[39].Revision)
}
