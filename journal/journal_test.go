package journal_test

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
	"willowherb/blob"
	"willowherb/core/edits"
	"willowherb/core/setup"
	"willowherb/journal"
	"willowherb/store"
	"willowherb/store/storetest"
)

var ctx = context.Background()

type kept struct {
	*journal.Journal
	db    *store.DB
	blobs blob.Postgres
	url   string
}

func at(t testing.TB, url string) kept {
	db, err := store.Open(ctx, url)
	require.NoError(t, err)
	t.Cleanup(db.Close)
	blobs := blob.Postgres{DB: db}
	return kept{journal.New(db, blobs), db, blobs, url}
}

func open(t testing.TB) kept { return at(t, storetest.Database(t)) }

func document() *setup.Setup {
	d, err := setup.Parse([]byte(`{"version":1,"name":"Evening","target":"console-60","curve":"plain"}`))
	if err != nil {
		panic(err)
	}
	d.Lights["lamp"] = setup.Light{Name: "Lamp", Kind: setup.Point, Output: 100, Colour: setup.Colour{Kelvin: 3000}, Carry: setup.Live}
	return d
}

func (k kept) create(t testing.TB) int64 {
	h, err := k.blobs.Put(ctx, blob.Place, strings.NewReader("place"))
	require.NoError(t, err)
	id, err := k.Create(ctx, journal.Setup{Project: "p", Place: h, File: "p.glb", Doc: document()})
	require.NoError(t, err)
	return id
}

func raw(v any) json.RawMessage { b, _ := json.Marshal(v); return b }

func edit(person string, seq int64, label string, ops ...edits.Op) edits.Edit {
	return edits.Edit{Person: person, Window: person + ".w", Seq: seq, Target: "base", Label: label, Ops: ops}
}

func stops(person string, seq int64, v float64) edits.Edit {
	return edit(person, seq, fmt.Sprintf("Lamp %+.1f st", v), edits.Op{Op: "replace", Path: "/lights/lamp/stops", Value: raw(v)})
}

func value(d *journal.Done) float64 { return d.Doc.Lights["lamp"].Stops }

func TestEditsUndoAndRedoAcrossConnections(t *testing.T) {
	j := open(t)
	id := j.create(t)
	for i, v := range []float64{1, 2, 3} {
		d, err := j.Apply(ctx, id, stops("ada", int64(i), v))
		require.NoError(t, err)
		require.EqualValues(t, i+1, d.Revision)
		require.Equal(t, fmt.Sprintf("Lamp %+.1f st", v), d.Undo)
		require.Empty(t, d.Redo)
	}
	j.db.Close()
	j = at(t, j.url)
	who := func(seq int64) edits.Edit { return edits.Edit{Person: "ada", Window: "other", Seq: seq} }
	d, err := j.Undo(ctx, id, who(1), false)
	require.NoError(t, err)
	require.Equal(t, 2.0, value(d))
	require.Equal(t, "Lamp +3.0 st", d.Edit.Label)
	d, err = j.Undo(ctx, id, who(2), false)
	require.NoError(t, err)
	require.Equal(t, "Lamp +1.0 st", d.Undo)
	require.Equal(t, "Lamp +2.0 st", d.Redo)
	undo, redo, err := j.Next(ctx, id, "ada")
	require.NoError(t, err)
	require.Equal(t, []string{d.Undo, d.Redo}, []string{undo, redo})
	d, err = j.Undo(ctx, id, who(3), true)
	require.NoError(t, err)
	require.Equal(t, 2.0, value(d))
	_, err = j.Undo(ctx, id, edits.Edit{Person: "bea", Window: "b", Seq: 1}, false)
	require.ErrorIs(t, err, journal.ErrNothing)
	// The document is what replaying the journal gives.
	kept, err := j.Since(ctx, id, 0, 100)
	require.NoError(t, err)
	var ops [][]edits.Op
	for _, e := range kept {
		ops = append(ops, e.Edit.Ops)
	}
	u, err := j.Get(ctx, id)
	require.NoError(t, err)
	require.Equal(t, string(storetest.Replay(t, document().JSON(), ops).JSON()), string(u.Doc.JSON()))
}

// However edits, undos and redos of two people mix: what comes next is what the
// whole journal says, also for a journal from before there were hands.
func TestHandsAreWhatTheWholeJournalSays(t *testing.T) {
	j := open(t)
	id := j.create(t)
	rng := rand.New(rand.NewPCG(1, 9))
	entries := map[string][]edits.Entry{}
	labels := map[int64]string{}
	for i := range 120 {
		who := []string{"ada", "bea"}[rng.IntN(2)]
		var d *journal.Done
		var err error
		switch rng.IntN(5) {
		case 0, 1:
			d, err = j.Undo(ctx, id, edits.Edit{Person: who, Window: who, Seq: int64(i)}, rng.IntN(2) == 0)
		default:
			d, err = j.Apply(ctx, id, edit(who, int64(i), fmt.Sprint("edit ", i), edits.Op{Op: "add", Path: fmt.Sprintf("/groups/g%d", i), Value: raw(setup.Group{Name: "x"})}))
		}
		if err != nil {
			require.ErrorIs(t, err, journal.ErrNothing)
			continue
		}
		labels[d.Revision] = d.Edit.Label
		entries[who] = append(entries[who], edits.Entry{Revision: d.Revision, Deed: d.Deed, Of: d.Of})
		if i == 60 {
			_, err = j.db.Pool.Exec(ctx, `DELETE FROM hands`)
			require.NoError(t, err)
			_, err = j.db.Pool.Exec(ctx, `UPDATE edits SET below = 0`)
			require.NoError(t, err)
		}
		for _, who := range []string{"ada", "bea"} {
			undo, redo := edits.Stacks(entries[who])
			top := func(s []int64) string {
				if len(s) == 0 {
					return ""
				}
				return labels[s[len(s)-1]]
			}
			u, r, err := j.Next(ctx, id, who)
			require.NoError(t, err)
			require.Equal(t, []string{top(undo), top(redo)}, []string{u, r}, "%d", i)
		}
	}
}

func TestRepeatIsHarmlessAndErrorsChangeNothing(t *testing.T) {
	j := open(t)
	id := j.create(t)
	_, err := j.Apply(ctx, id, stops("ada", 7, 1))
	require.NoError(t, err)
	d, err := j.Apply(ctx, id, stops("ada", 7, 1))
	require.NoError(t, err)
	require.True(t, d.Repeat)
	require.EqualValues(t, 1, d.Revision)
	require.Equal(t, "Lamp +1.0 st", d.Undo, "a repeat answers as the first would have")
	d, err = j.Apply(ctx, id, stops("ada", 8, 1))
	require.NoError(t, err)
	require.True(t, d.Repeat && d.Nothing, "an edit that changes nothing is none")
	_, err = j.Apply(ctx, id, stops("ada", 9, 99))
	require.ErrorIs(t, err, setup.ErrInvalid)
	require.ErrorContains(t, err, "/lights/lamp/stops")
	for _, hash := range []string{strings.Repeat("ab", 32), ""} {
		if hash == "" { // kept, but as a place
			hash, err = j.blobs.Put(ctx, blob.Place, strings.NewReader("place"))
			require.NoError(t, err)
		}
		_, err = j.Apply(ctx, id, edit("ada", 10, "x", edits.Op{Op: "add", Path: "/lights/lamp/profile", Value: raw(setup.Profile{Blob: hash, File: "x.ies"})}))
		require.ErrorIs(t, err, journal.ErrMissing)
	}
	_, err = j.Apply(ctx, id, edit("ada", 11, "x", edits.Op{Op: "add", Path: "/place", Value: raw(setup.Place{Blob: strings.Repeat("cd", 32), File: "x.glb"})}))
	require.ErrorIs(t, err, journal.ErrMissing)
	u, err := j.Get(ctx, id)
	require.NoError(t, err)
	require.EqualValues(t, 1, u.Revision)
	_, err = j.Apply(ctx, 999, stops("ada", 9, 1))
	require.ErrorIs(t, err, store.ErrNotFound)
	var n int
	require.NoError(t, j.db.Pool.QueryRow(ctx, `SELECT count(*) FROM edits`).Scan(&n))
	require.Equal(t, 1, n)
}

func TestManyWindowsWriteOneJournal(t *testing.T) {
	j := open(t)
	id := j.create(t)
	var wg sync.WaitGroup
	for w := range 4 {
		wg.Go(func() {
			for i := range 10 {
				_, err := j.Apply(ctx, id, stops(fmt.Sprint("p", w), int64(i), float64(10*w+i+1)/10))
				if err != nil {
					t.Error(err)
				}
			}
		})
	}
	wg.Wait()
	kept, err := j.Since(ctx, id, 0, 100)
	require.NoError(t, err)
	require.Len(t, kept, 40)
	require.EqualValues(t, 40, kept[39].Revision)
}

// Edits that name new files ask after them without holding on to a connection: with
// two in all, eight at once come through.
func TestEditsDoNotWaitForEachOthersConnections(t *testing.T) {
	j := at(t, storetest.Database(t)+"?pool_max_conns=2")
	var hashes []string
	for i := range 8 {
		h, err := j.blobs.Put(ctx, blob.Profile, strings.NewReader(fmt.Sprint("profile ", i)))
		require.NoError(t, err)
		hashes = append(hashes, h)
	}
	ids := []int64{j.create(t), j.create(t), j.create(t), j.create(t)}
	soon, cancel := context.WithTimeout(ctx, 20*time.Second)
	defer cancel()
	var wg sync.WaitGroup
	for i, h := range hashes {
		wg.Go(func() {
			_, err := j.Apply(soon, ids[i%4], edit(fmt.Sprint("p", i), 1, "x", edits.Op{Op: "add", Path: "/lights/lamp/profile", Value: raw(setup.Profile{Blob: h, File: "x.ies"})}))
			if err != nil {
				t.Error(err)
			}
		})
	}
	wg.Wait()
}

// A document that makes no sense any more can be looked at, and what made it so taken
// back.
func TestADocumentThatMakesNoSenseCanBeTakenBack(t *testing.T) {
	j := open(t)
	id := j.create(t)
	_, err := j.Apply(ctx, id, stops("ada", 1, 2))
	require.NoError(t, err)
	for _, sql := range []string{
		`UPDATE setups SET document = jsonb_set(document, '{lights,lamp,stops}', '99')`,
		`UPDATE edits SET ops = '[{"op":"replace","path":"/lights/lamp/stops","value":99}]'`,
	} {
		_, err = j.db.Pool.Exec(ctx, sql)
		require.NoError(t, err)
	}
	j = at(t, j.url)
	u, err := j.Get(ctx, id)
	require.NoError(t, err)
	require.Error(t, u.Doc.Validate())
	d, err := j.Undo(ctx, id, edits.Edit{Person: "ada", Window: "ada.w", Seq: 2}, false)
	require.NoError(t, err)
	require.NoError(t, d.Doc.Validate())
	require.Equal(t, 0.0, value(d))
}

func TestSnapshotsAreKeptNamedAndForgotten(t *testing.T) {
	j := open(t)
	id := j.create(t)
	p, err := j.Keep(ctx, id, journal.Snapshot{Name: "before fog", View: "hall", Person: "a", Doc: document(), Picture: []byte("png")})
	require.NoError(t, err)
	_, err = j.Apply(ctx, id, stops("a", 1, 2))
	require.NoError(t, err)
	require.NoError(t, j.NameSnapshot(ctx, id, p.ID, "before the fog"))
	all, err := j.Snapshots(ctx, id)
	require.NoError(t, err)
	require.Len(t, all, 1)
	require.Equal(t, "before the fog", all[0].Name)
	got, err := j.Snapshot(ctx, id, p.ID)
	require.NoError(t, err)
	require.Equal(t, string(document().JSON()), string(got.Doc.JSON()))
	require.Equal(t, []byte("png"), got.Picture)
	// Bringing it back is an edit like any other.
	d, err := j.Revert(ctx, id, edit("a", 2, "Back"), 0, got.Doc)
	require.NoError(t, err)
	require.Equal(t, string(document().JSON()), string(d.Doc.JSON()))
	d, err = j.Undo(ctx, id, edit("a", 3, ""), false)
	require.NoError(t, err)
	require.Equal(t, 2.0, value(d))
	require.NoError(t, j.ForgetSnapshot(ctx, id, p.ID))
	require.ErrorIs(t, j.ForgetSnapshot(ctx, id, p.ID), store.ErrNotFound)
	_, err = j.Snapshot(ctx, id, p.ID)
	require.ErrorIs(t, err, store.ErrNotFound)
}

func TestHistoryStepsBackToAnyRevision(t *testing.T) {
	j := open(t)
	id := j.create(t)
	const many = 200 // over the states that are kept
	docs := []string{string(document().JSON())}
	for i := range many {
		d, err := j.Apply(ctx, id, stops("a", int64(i+1), float64(i%30+1)/3))
		require.NoError(t, err)
		docs = append(docs, string(d.Doc.JSON()))
	}
	lines, err := j.History(ctx, id, 0, 3)
	require.NoError(t, err)
	require.Equal(t, []int64{200, 199, 198}, []int64{lines[0].Revision, lines[1].Revision, lines[2].Revision})
	older, err := j.History(ctx, id, 3, 10)
	require.NoError(t, err)
	require.Len(t, older, 2)
	j = at(t, j.url)
	for _, r := range []int{0, 1, 63, 64, 65, 127, 128, 150, 192, 199, 200} {
		got, err := j.At(ctx, id, int64(r))
		require.NoError(t, err)
		require.Equal(t, docs[r], string(got.JSON()), "revision %d", r)
	}
	// A state that is kept is used: what lies after it is not read.
	_, err = j.db.Pool.Exec(ctx, `UPDATE edits SET inverse = '[{"op":"remove","path":"/lights/none"}]' WHERE revision > 64`)
	require.NoError(t, err)
	got, err := j.At(ctx, id, 30)
	require.NoError(t, err)
	require.Equal(t, docs[30], string(got.JSON()))
	d, err := j.Revert(ctx, id, edit("b", 1, "Back"), 2, nil)
	require.NoError(t, err)
	require.Equal(t, docs[2], string(d.Doc.JSON()))
	_, err = j.Revert(ctx, id, edit("b", 2, ""), d.Revision, nil)
	require.ErrorIs(t, err, journal.ErrNothing, "it is there already")
	_, err = j.Revert(ctx, id, edit("b", 3, ""), 999, nil)
	require.ErrorIs(t, err, store.ErrNotFound)
}

// Who sets a field that another window has just set is told, and so is the other.
func TestOverwritingIsTold(t *testing.T) {
	j := open(t)
	id := j.create(t)
	_, err := j.Apply(ctx, id, stops("ada", 1, 1))
	require.NoError(t, err)
	e := stops("bea", 1, 2)
	d, err := j.Apply(ctx, id, e)
	require.NoError(t, err)
	require.Equal(t, []journal.Over{{Path: "/lights/lamp/stops", Person: "ada", Window: "ada.w", Label: "Lamp +1.0 st"}}, d.Over)
	e = stops("bea", 2, 3)
	e.Base = 2
	d, err = j.Apply(ctx, id, e)
	require.NoError(t, err)
	require.Empty(t, d.Over, "it was seen")
	// The whole light is over a part of it, and beside others nothing.
	l := document().Lights["lamp"]
	l.Stops = 4
	d, err = j.Apply(ctx, id, edit("cleo", 1, "All", edits.Op{Op: "replace", Path: "/lights/lamp", Value: raw(l)}))
	require.NoError(t, err)
	require.NotEmpty(t, d.Over)
	d, err = j.Apply(ctx, id, edit("dora", 1, "Name", edits.Op{Op: "replace", Path: "/name", Value: raw("Night")}))
	require.NoError(t, err)
	require.Empty(t, d.Over)
}

func TestSetupsArePutAwayRemovedAndBroughtBack(t *testing.T) {
	j := open(t)
	id, other := j.create(t), j.create(t)
	require.NoError(t, j.Archive(ctx, id, true))
	require.NoError(t, j.Remove(ctx, other))
	_, err := j.Get(ctx, other)
	require.ErrorIs(t, err, store.ErrNotFound)
	_, err = j.Apply(ctx, other, stops("a", 1, 1))
	require.ErrorIs(t, err, store.ErrNotFound)
	list, err := j.List(ctx)
	require.NoError(t, err)
	require.Len(t, list, 2)
	require.True(t, list[0].Archived)
	require.Equal(t, "Evening", list[0].Name)
	require.Equal(t, 1, list[0].Lights)
	require.NotNil(t, list[1].Removed)
	require.NoError(t, j.BringBack(ctx, other))
	_, err = j.Get(ctx, other)
	require.NoError(t, err)
	require.ErrorIs(t, j.BringBack(ctx, other), store.ErrNotFound)
	require.ErrorIs(t, j.Remove(ctx, 999), store.ErrNotFound)
}

// Files that an edit named stay, also after it is undone: the undo can be undone.
// What nothing names goes, and so does a setup that was removed long ago.
func TestSweepKeepsWhatAJournalNames(t *testing.T) {
	j := open(t)
	id, other := j.create(t), j.create(t)
	put := func(s string) string {
		h, err := j.blobs.Put(ctx, blob.Profile, strings.NewReader(s))
		require.NoError(t, err)
		return h
	}
	named, loose, theirs := put("named"), put("loose"), put("theirs")
	profile := func(to int64, h string) {
		_, err := j.Apply(ctx, to, edit("a", 1, "x", edits.Op{Op: "add", Path: "/lights/lamp/profile", Value: raw(setup.Profile{Blob: h, File: "x.ies"})}))
		require.NoError(t, err)
	}
	profile(id, named)
	profile(other, theirs)
	_, err := j.Undo(ctx, id, edit("a", 2, ""), false)
	require.NoError(t, err)
	require.NoError(t, j.Remove(ctx, other))
	n, files, err := j.Sweep(ctx, time.Hour, 0)
	require.NoError(t, err)
	require.Zero(t, n, "it may be brought back")
	require.Equal(t, 1, files)
	_, err = blob.Read(ctx, j.blobs, loose)
	require.ErrorIs(t, err, store.ErrNotFound)
	for _, h := range []string{named, theirs} {
		_, err = blob.Read(ctx, j.blobs, h)
		require.NoError(t, err)
	}
	n, files, err = j.Sweep(ctx, 0, 0)
	require.NoError(t, err)
	require.Equal(t, []int{1, 1}, []int{n, files})
	_, err = j.Undo(ctx, id, edit("a", 3, ""), true)
	require.NoError(t, err)
}

// A database of the version before is brought over with all that is in it.
func TestOlderDatabasesAreBroughtOver(t *testing.T) {
	j := open(t)
	id := j.create(t)
	_, err := j.Apply(ctx, id, stops("a", 1, 2))
	require.NoError(t, err)
	down(t, j.url)
	old := bytes.Repeat([]byte("x"), 1_500_000)
	_, err = j.db.Pool.Exec(ctx, `INSERT INTO blobs (hash, size) VALUES ('old', 3)`)
	require.NoError(t, err)
	_ = old
	_, err = j.db.Pool.Exec(ctx, `UPDATE setups SET document = document - 'objects' - 'channels' - 'materials' - 'backdrops'`)
	require.NoError(t, err)
	j.db.Close()
	j = at(t, j.url)
	u, err := j.Get(ctx, id)
	require.NoError(t, err)
	require.Equal(t, 2.0, u.Doc.Lights["lamp"].Stops)
	data, err := blob.Read(ctx, j.blobs, u.Place)
	require.NoError(t, err)
	require.Equal(t, "place", string(data))
	d, err := j.Undo(ctx, id, edit("a", 2, ""), false)
	require.NoError(t, err)
	require.Equal(t, 0.0, value(d))
	is, err := j.Named(ctx, u.Place)
	require.NoError(t, err)
	require.True(t, is)
}

// Two servers on one database stay together: each hears what the other writes, and
// not what it wrote itself.
func TestServersHearOfEachOther(t *testing.T) {
	a := open(t)
	id := a.create(t)
	b := at(t, a.url)
	type news struct{ id, revision int64 }
	hear := func(k kept) chan news {
		c := make(chan news, 100)
		following, stop := context.WithCancel(ctx)
		t.Cleanup(stop)
		go k.Follow(following, func(id, revision int64) { c <- news{id, revision} })
		require.Equal(t, news{}, <-c, "at first everything may have changed")
		return c
	}
	atA, atB := hear(a), hear(b)
	_, err := a.Apply(ctx, id, stops("ada", 1, 1))
	require.NoError(t, err)
	require.Equal(t, news{id, 1}, <-atB)
	d, err := b.Apply(ctx, id, stops("bea", 1, 2))
	require.NoError(t, err)
	require.EqualValues(t, 2, d.Revision, "what the other wrote is seen")
	require.Equal(t, news{id, 2}, <-atA)
	select {
	case n := <-atB:
		t.Fatalf("heard of its own: %v", n)
	default:
	}
}
