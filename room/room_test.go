package room

import (
	"context"
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"strings"
	"sync"
	"testing"
	"time"

	jsonpatch "github.com/evanphx/json-patch/v5"
	"github.com/stretchr/testify/require"
	"willowherb/blob"
	"willowherb/core/edits"
	"willowherb/core/setup"
	"willowherb/journal"
	"willowherb/refine"
	"willowherb/stage"
	"willowherb/stage/stagetest"
	"willowherb/store"
	"willowherb/store/storetest"
)

var ctx = context.Background()

func texts(b *Box) (out []string) {
	all, _ := b.Take()
	for _, t := range all {
		out = append(out, string(t))
	}
	return out
}

func TestABoxKeepsOrderAndTheNewestOfEachTopic(t *testing.T) {
	b := newBox()
	put := func(topic, text string) { b.put(topic, []byte(text)) }
	put("frame", "f1")
	put("", "e1")
	put("frame", "f2")
	put("thumb", "t1")
	put("", "e2")
	put("frame", "f3")
	<-b.Ready()
	require.Equal(t, []string{"e1", "t1", "e2", "f3"}, texts(b))
	put("frame", "f4")
	require.Equal(t, []string{"f4"}, texts(b), "what was taken is not replaced any more")
	// A slow window is spared what is out of date, however much of it there was.
	for i := range 100_000 {
		put("frame", fmt.Sprint("f", i))
		put("thumb", fmt.Sprint("t", i))
	}
	require.Equal(t, []string{"f99999", "t99999"}, texts(b))
	require.LessOrEqual(t, cap(b.letters), 4*maxLetters)
}

func TestABoxThatFallsFarBehindIsClosed(t *testing.T) {
	b := newBox()
	for i := range 100_000 {
		b.put("", fmt.Append(nil, i))
	}
	_, ok := b.Take()
	require.False(t, ok)
	b = newBox()
	large := make([]byte, 1<<20)
	for i := range 100 {
		b.put(fmt.Sprint(i), large)
	}
	_, ok = b.Take()
	require.False(t, ok)
	require.Zero(t, b.bytes, "and holds nothing any more")
}

type house struct {
	*Hall
	j     *journal.Journal
	blobs blob.Postgres
	url   string
}

func hallAt(t testing.TB, url string, linger time.Duration) house {
	db, err := store.Open(ctx, url)
	require.NoError(t, err)
	t.Cleanup(db.Close)
	blobs := blob.Postgres{DB: db}
	j := journal.New(db, blobs)
	studio := refine.New(stage.NewShop(blobs, 1), refine.Options{Width: 16, MaxSamples: 1, Workers: 1})
	t.Cleanup(studio.Close)
	h := NewHall(j, studio, linger)
	t.Cleanup(h.Close)
	return house{h, j, blobs, url}
}

func hall(t testing.TB) house { return hallAt(t, storetest.Database(t), time.Minute) }

func (h house) create(t testing.TB) int64 {
	hash, doc := stagetest.Floor(t, h.blobs)
	id, err := h.j.Create(ctx, journal.Setup{Project: "p", Place: hash, File: "floor.glb", Doc: doc})
	require.NoError(t, err)
	return id
}

func (h house) join(t testing.TB, id int64, person string) (*Room, *Window, *reader) {
	r, err := h.Open(ctx, id)
	require.NoError(t, err)
	w := r.Join(person, person+".w", strings.ToUpper(person), "")
	return r, w, &reader{box: w.Box}
}

// reader takes what comes into a box, as a window's socket does.
type reader struct {
	box  *Box
	news []map[string]any
}

func (r *reader) take(t testing.TB) {
	all, ok := r.box.Take()
	require.True(t, ok)
	for _, text := range all {
		var m map[string]any
		require.NoError(t, json.Unmarshal(text, &m))
		r.news = append(r.news, m)
	}
}

func (r *reader) wait(t testing.TB, what string, f func(m map[string]any) bool) map[string]any {
	t.Helper()
	var found map[string]any
	require.Eventually(t, func() bool {
		r.take(t)
		for _, m := range r.news {
			if f(m) {
				found = m
				return true
			}
		}
		return false
	}, 20*time.Second, 3*time.Millisecond, what)
	return found
}

func raw(v any) json.RawMessage { b, _ := json.Marshal(v); return b }

func (h house) edit(t testing.TB, id int64, person string, seq int64, ops ...edits.Op) *journal.Done {
	d, err := h.j.Apply(ctx, id, edits.Edit{Person: person, Window: person + ".w", Seq: seq, Target: "base", Label: "x", Ops: ops})
	require.NoError(t, err)
	h.Changed(id, d)
	return d
}

func replace(path string, v any) edits.Op { return edits.Op{Op: "replace", Path: path, Value: raw(v)} }

func TestAWindowIsGreetedAndHearsOfEdits(t *testing.T) {
	h := hall(t)
	id := h.create(t)
	_, _, ada := h.join(t, id, "ada")
	hello := ada.wait(t, "hello", func(m map[string]any) bool { return m["type"] == "hello" })
	require.Equal(t, "ada", hello["you"])
	require.Equal(t, "ada.w", hello["mine"])
	require.Equal(t, "a", hello["view"])
	r, bea, beas := h.join(t, id, "bea")
	ada.wait(t, "who is here", func(m map[string]any) bool { return m["type"] == "present" && m["windows"] == 2.0 })
	h.edit(t, id, "ada", 1, replace("/lights/one/stops", 1))
	for _, w := range []*reader{ada, beas} {
		m := w.wait(t, "the edit", func(m map[string]any) bool { return m["type"] == "edited" })
		require.Equal(t, 1.0, m["revision"])
		w.wait(t, "its lamps", func(m map[string]any) bool { return m["type"] == "lamps" && m["revision"] == 1.0 })
	}
	r.Leave(bea)
	ada.wait(t, "who is left", func(m map[string]any) bool { return m["type"] == "present" && m["windows"] == 1.0 })
	beas.take(t)
	n := len(beas.news)
	h.edit(t, id, "ada", 2, replace("/lights/one/stops", 2))
	beas.take(t)
	require.Len(t, beas.news, n, "who has left is told nothing")
}

// The way of an edit is short: it is there before, and whether or not, its place can
// be shown.
func TestAnEditDoesNotWaitForItsPlace(t *testing.T) {
	h := hall(t)
	hash, err := h.blobs.Put(ctx, blob.Place, strings.NewReader("no glb"))
	require.NoError(t, err)
	_, doc := stagetest.Floor(t, h.blobs)
	id, err := h.j.Create(ctx, journal.Setup{Project: "p", Place: hash, File: "bad.glb", Doc: doc})
	require.NoError(t, err)
	_, _, w := h.join(t, id, "ada")
	w.wait(t, "hello", func(m map[string]any) bool { return m["type"] == "hello" })
	h.edit(t, id, "ada", 1, replace("/lights/one/stops", 1))
	w.wait(t, "the edit", func(m map[string]any) bool { return m["type"] == "edited" })
	w.wait(t, "why it is not shown", func(m map[string]any) bool {
		return m["type"] == "fault" && strings.Contains(m["what"].(string), "bad.glb")
	})
}

// A drag is the window's own, keeps what others do meanwhile, and ends with its edit.
func TestADragStandsOnTheNewestDocument(t *testing.T) {
	h := hall(t)
	id := h.create(t)
	r, ada, _ := h.join(t, id, "ada")
	h.join(t, id, "bea")
	drafts := func() map[int64]*setup.Setup {
		out := map[int64]*setup.Setup{}
		for _, e := range r.State().Eyes {
			out[e.ID] = e.Draft
		}
		return out
	}
	r.Draft(ada, []edits.Op{replace("/lights/one/range", 5)})
	require.Equal(t, 5.0, drafts()[ada.ID()].Lights["one"].Range)
	h.edit(t, id, "bea", 1, replace("/lights/two/range", 7))
	d := drafts()[ada.ID()]
	require.Equal(t, []float64{5, 7}, []float64{d.Lights["one"].Range, d.Lights["two"].Range})
	r.Draft(ada, []edits.Op{replace("/lights/one/range", -5)})
	require.Equal(t, 5.0, drafts()[ada.ID()].Lights["one"].Range, "what makes no document is passed over")
	h.edit(t, id, "bea", 2, edits.Op{Op: "remove", Path: "/lights/one"})
	require.Nil(t, drafts()[ada.ID()], "what is dragged is gone")
	r.Draft(ada, []edits.Op{replace("/lights/two/range", 3)})
	h.edit(t, id, "ada", 1, replace("/lights/two/range", 3))
	require.Nil(t, drafts()[ada.ID()])
	r.Draft(ada, []edits.Op{replace("/lights/two/range", 3)})
	r.Draft(ada, nil)
	require.Nil(t, drafts()[ada.ID()])
}

func TestAGazeGoneAstrayIsNotFollowed(t *testing.T) {
	h := hall(t)
	id := h.create(t)
	r, w, _ := h.join(t, id, "ada")
	doc, _ := r.Document()
	bad := doc.Views["a"]
	bad.FovY = 0
	for _, g := range []Gaze{{N: 9, View: "a", Camera: &bad}, {N: 9, Cut: -1}, {N: 9, Hidden: make([]string, maxNamed+1)}, {N: 9, Alone: []string{strings.Repeat("x", maxPath+1)}}} {
		r.Look(w, g)
		require.Zero(t, r.State().Eyes[0].N)
	}
	r.Look(w, Gaze{N: 1, View: "gone", Moving: true})
	e := r.State().Eyes[0]
	require.EqualValues(t, 1, e.N)
	require.EqualValues(t, 1, e.Moves)
	require.False(t, e.Blind, "a view that is not there leaves the one before")
}

// Any concurrent sequences leave all windows with the same document, also those of
// another server on the same database: each window applies the operations it is
// told, and ends with the journal's state.
func TestConcurrentWindowsOfTwoServersEndWithTheSameDocument(t *testing.T) {
	one := hall(t)
	two := hallAt(t, one.url, time.Minute)
	id := one.create(t)
	var readers []*reader
	for i, h := range []house{one, two, one, two} {
		_, _, r := h.join(t, id, fmt.Sprint("window", i))
		readers = append(readers, r)
	}
	var wg sync.WaitGroup
	for k, h := range []house{one, two, one} {
		wg.Go(func() {
			rng := rand.New(rand.NewPCG(uint64(k), 3))
			for i := range 80 {
				light := []string{"one", "two"}[rng.IntN(2)]
				var d *journal.Done
				var err error
				e := edits.Edit{Person: fmt.Sprint("p", k), Window: fmt.Sprint("w", k), Seq: int64(i + 1), Target: "base", Label: "x"}
				if rng.IntN(4) == 0 {
					d, err = h.j.Undo(ctx, id, e, rng.IntN(3) == 0)
				} else {
					field := []string{"stops", "output", "range", "name"}[rng.IntN(4)]
					v := raw(rng.IntN(5) + 1)
					if field == "name" {
						v = raw(fmt.Sprint(light, " ", rng.IntN(9)))
					}
					e.Ops = []edits.Op{{Op: "replace", Path: "/lights/" + light + "/" + field, Value: v}}
					d, err = h.j.Apply(ctx, id, e)
				}
				if err == nil {
					h.Changed(id, d)
				}
			}
		})
	}
	wg.Wait()
	u, err := one.j.Get(ctx, id)
	require.NoError(t, err)
	for i, w := range readers {
		w.wait(t, "the last edit", func(m map[string]any) bool {
			return m["revision"] == float64(u.Revision) && (m["type"] == "edited" || m["type"] == "hello")
		})
		var doc []byte
		at := 0.0
		for _, m := range w.news {
			switch m["type"] {
			case "hello":
				doc, at = raw(m["document"]), m["revision"].(float64)
			case "edited":
				if m["revision"].(float64) <= at {
					continue
				}
				require.Equal(t, at+1, m["revision"], "no edit is missed without a whole document after it")
				patch, err := jsonpatch.DecodePatch(raw(m["ops"]))
				require.NoError(t, err)
				doc, err = patch.Apply(doc)
				require.NoError(t, err)
				at = m["revision"].(float64)
			}
		}
		got, err := setup.Parse(doc)
		require.NoError(t, err)
		require.Equal(t, string(u.Doc.JSON()), string(got.JSON()), "window %d", i)
	}
}

// Edits that were missed are told one by one; where they are too many, or do not
// fit, windows begin anew.
func TestARoomCatchesUp(t *testing.T) {
	h := hall(t)
	id := h.create(t)
	r, _, w := h.join(t, id, "ada")
	w.wait(t, "hello", func(m map[string]any) bool { return m["type"] == "hello" })
	silent := func(n int) (revision int64) {
		for i := range n {
			d, err := h.j.Apply(ctx, id, edits.Edit{Person: "p", Window: fmt.Sprint("w", n), Seq: int64(i), Target: "base", Label: "x", Ops: []edits.Op{replace("/lights/one/stops", float64(i+1)/100)}})
			require.NoError(t, err)
			revision = d.Revision
		}
		return revision
	}
	last := silent(5)
	h.edit(t, id, "ada", 1, replace("/lights/one/stops", 9))
	w.wait(t, "all of them", func(m map[string]any) bool { return m["type"] == "edited" && m["revision"] == float64(last+1) })
	w.wait(t, "none left out", func(m map[string]any) bool { return m["type"] == "edited" && m["revision"] == 1.0 })
	last = silent(maxCaughtUp + 1)
	h.hear(id, last)
	w.wait(t, "a fresh start", func(m map[string]any) bool { return m["type"] == "hello" && m["revision"] == float64(last) })
	_, revision := r.Document()
	require.Equal(t, last, revision)
}

func TestRoomsThatNobodyIsInAreClosed(t *testing.T) {
	h := hallAt(t, storetest.Database(t), 10*time.Millisecond)
	id := h.create(t)
	r, w, _ := h.join(t, id, "ada")
	h.closeIdle()
	rooms, windows := h.Rooms()
	require.Equal(t, []int{1, 1}, []int{rooms, windows})
	r.Leave(w)
	require.Eventually(t, func() bool { n, _ := h.Rooms(); return n == 0 }, 10*time.Second, 5*time.Millisecond)
	n, bytes := h.studio.Held()
	require.Equal(t, []int{0, 0}, []int{n, bytes})
	again, _, news := h.join(t, id, "bea")
	require.True(t, again != r)
	news.wait(t, "a picture", func(m map[string]any) bool { return m["type"] == "frame" })
}

// Many windows come, edit and leave at once, while the room closes between them.
func TestManyWindowsComeEditAndLeave(t *testing.T) {
	h := hallAt(t, storetest.Database(t), time.Millisecond)
	id := h.create(t)
	var wg sync.WaitGroup
	for k := range 8 {
		wg.Go(func() {
			for i := range 25 {
				r, w, news := h.join(t, id, fmt.Sprint("p", k))
				h.edit(t, id, fmt.Sprint("p", k), int64(i+1), replace("/lights/one/stops", float64(i*8+k+1)/100)) // never the value that stands, or nothing would be written
				r.Look(w, Gaze{N: 1, View: "b", Moving: i%2 == 0})
				news.take(t)
				r.Leave(w)
				if i%8 == k {
					h.closeIdle()
				}
			}
		})
	}
	wg.Wait()
	edits, err := h.j.Since(ctx, id, 0, 1000)
	require.NoError(t, err)
	require.Equal(t, 200, len(edits))
}
