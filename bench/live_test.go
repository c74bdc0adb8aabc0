package bench

import (
	"context"
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"sync"
	"testing"
	"time"

	jsonpatch "github.com/evanphx/json-patch/v5"
	"github.com/stretchr/testify/require"
	"willowherb/core/setup"
	"willowherb/store"
)

func opened(t *testing.T, opt Options) (*Bench, *store.Store, *Session) {
	st := stored(t)
	b := New(st, opt)
	t.Cleanup(b.Close)
	s, err := b.Open(context.Background(), floor(t, st))
	require.NoError(t, err)
	return b, st, s
}

var small = Options{Width: 64, MaxSamples: 2, Workers: 2}

// last returns the newest message of a type.
func last[T any](w *window) (m T, ok bool) {
	w.mu.Lock()
	defer w.mu.Unlock()
	for i := len(w.news) - 1; i >= 0; i-- {
		if m, ok = w.news[i].(T); ok {
			return m, true
		}
	}
	return m, false
}

func (w *window) frames(sight string) (n int) {
	w.mu.Lock()
	defer w.mu.Unlock()
	for _, m := range w.news {
		if f, ok := m.(*FrameNews); ok && f.Sight == sight {
			n++
		}
	}
	return n
}

func TestAMovingCameraIsShownAtOnceThenRefined(t *testing.T) {
	_, _, s := opened(t, small)
	w := join(s, "a")
	wait(t, "the saved view", func() bool { return w.has(isFrame("a", full, 2)) })
	home, _ := last[Sighted](w)
	cam := s.doc.Views["a"]
	for i := range 5 {
		cam.Eye[0] += 0.1
		s.Look(w.Window, Gaze{N: int64(i + 1), View: "a", Camera: &cam, Moving: true})
		wait(t, "a picture in motion", func() bool {
			p, ok := last[Preview](w)
			return ok && p.N == int64(i+1) && len(p.Words) == 4*p.Width*p.Height
		})
	}
	s.Look(w.Window, Gaze{N: 9, View: "a", Camera: &cam})
	wait(t, "the new sight is named", func() bool { m, _ := last[Sighted](w); return m.N == 9 })
	away, _ := last[Sighted](w)
	require.NotEqual(t, home.Sight, away.Sight)
	wait(t, "and refined", func() bool {
		return w.has(func(m any) bool {
			f, ok := m.(*FrameNews)
			return ok && f.Sight == away.Sight && f.Level == full && f.Samples == 2
		})
	})
	// Back where it was, everything is there without any rendering.
	n := w.frames(home.Sight)
	s.Look(w.Window, Gaze{N: 10, View: "a"})
	m, _ := last[Sighted](w)
	require.Equal(t, home.Sight, m.Sight)
	require.Greater(t, w.frames(home.Sight), n, "told at once")
}

// A view that is saved where a free camera stands has that camera's pictures.
func TestSavingAViewFindsItsPicturesThere(t *testing.T) {
	_, st, s := opened(t, small)
	w := join(s, "a")
	cam := s.doc.Views["a"]
	cam.Eye[0] += 1
	s.Look(w.Window, Gaze{N: 1, View: "a", Camera: &cam})
	sighted, _ := last[Sighted](w)
	wait(t, "refined", func() bool {
		return w.has(func(m any) bool {
			f, ok := m.(*FrameNews)
			return ok && f.Sight == sighted.Sight && f.Level == full
		})
	})
	edit(t, st, s, 1, "/views/a", cam)
	require.Equal(t, sighted.Sight, s.keyOf("a"))
	s.mu.Lock()
	defer s.mu.Unlock()
	require.NotNil(t, s.sights[s.keyOf("a")].levels[full])
}

// A drag renders the one light that changes, under the key that the edit will have.
func TestADragPreviewsOnlyWhatChanges(t *testing.T) {
	_, st, s := opened(t, small)
	w, other := join(s, "a"), join(s, "a")
	wait(t, "the goal", func() bool { return w.has(isFrame("a", full, 2)) })
	before := s.finished("a")
	pos, _ := json.Marshal([3]float64{2, 2, 0})
	s.Draft(w.Window, []setup.Op{{Op: "replace", Path: "/lights/one/position", Value: pos}})
	d, ok := last[Drafted](w)
	require.True(t, ok)
	_, told := last[Drafted](other)
	require.False(t, told, "a drag is its own window's")
	require.NotEqual(t, s.facts(s.lamps)["one"].Key, d.Lamps["one"].Key)
	require.Equal(t, s.facts(s.lamps)["two"].Key, d.Lamps["two"].Key)
	wait(t, "its layer", func() bool {
		return w.has(func(m any) bool { f, ok := m.(*FrameNews); return ok && f.Layers[d.Lamps["one"].Key].Version == 2 })
	})
	require.Equal(t, before, s.finished("a"), "the layers as they were stay")
	edit(t, st, s, 1, "/lights/one/position", [3]float64{2, 2, 0})
	require.Equal(t, d.Lamps["one"].Key, s.facts(s.lamps)["one"].Key)
	require.Equal(t, 2, s.finished("a")["one"], "it is there when the drag ends")
	s.Draft(w.Window, []setup.Op{{Op: "replace", Path: "/lights/one/range", Value: json.RawMessage(`-5`)}})
	require.Nil(t, w.draft, "what makes no document is not shown")
}

func TestLightAloneAndHiddenThingsAreSightsOfTheirOwn(t *testing.T) {
	_, _, s := opened(t, small)
	w := join(s, "a")
	keys := map[string]bool{}
	for i, g := range []Gaze{{View: "a"}, {View: "a", Neutral: true}, {View: "a", Hidden: []string{"floor"}}, {View: "a", Cut: 1}} {
		g.N = int64(i + 1)
		s.Look(w.Window, g)
		m, _ := last[Sighted](w)
		require.Equal(t, g.N, m.N)
		keys[m.Sight] = true
	}
	require.Len(t, keys, 4)
	bad := s.doc.Views["a"]
	bad.FovY = 0
	s.Look(w.Window, Gaze{N: 99, View: "a", Camera: &bad})
	m, _ := last[Sighted](w)
	require.NotEqual(t, int64(99), m.N, "a camera gone astray is not followed")
}

// A mover that is moved makes another stage; what was there before is found again.
func TestMovingAThingMakesAnotherStage(t *testing.T) {
	_, st, s := opened(t, small)
	w := join(s, "a")
	wait(t, "the goal", func() bool { return w.has(isFrame("a", full, 2)) })
	home := s.keyOf("a")
	o := setup.Object{Path: "floor", Part: setup.Mover}
	add := func(seq int64, path string, v any) {
		raw, _ := json.Marshal(v)
		d, err := st.Apply(context.Background(), s.ID, setup.Edit{Person: "p", Window: "w", Seq: seq, Target: "base", Label: "x", Ops: []setup.Op{{Op: "add", Path: path, Value: raw}}})
		require.NoError(t, err)
		require.NoError(t, s.Changed(d))
	}
	add(1, "/objects", map[string]setup.Object{"f": o})
	require.NotEqual(t, home, s.keyOf("a"))
	there := s.keyOf("a")
	// While it is dragged, pictures in motion follow.
	raw, _ := json.Marshal([3]float64{0, -1, 0})
	s.Draft(w.Window, []setup.Op{{Op: "replace", Path: "/objects/f/offset", Value: raw}})
	wait(t, "a picture of the drag", func() bool { _, ok := last[Preview](w); return ok })
	add(2, "/objects/f/offset", [3]float64{0, -1, 0})
	require.NotEqual(t, there, s.keyOf("a"))
	m, _ := last[Sighted](w)
	require.Equal(t, s.keyOf("a"), m.Sight)
	add(3, "/objects/f/offset", [3]float64{})
	require.Equal(t, there, s.keyOf("a"))
	d, err := st.Apply(context.Background(), s.ID, setup.Edit{Person: "p", Window: "w", Seq: 4, Target: "base", Label: "x", Ops: []setup.Op{{Op: "remove", Path: "/objects"}}})
	require.NoError(t, err)
	require.NoError(t, s.Changed(d))
	require.Equal(t, home, s.keyOf("a"))
	require.Equal(t, 2, s.finished("a")["one"], "undone, its pictures are there")
}

// Memory is bounded: the sights that are not shown are let go, the shown one stays.
func TestMemoryIsBounded(t *testing.T) {
	_, _, s := opened(t, Options{Width: 96, MaxSamples: 1, Workers: 2, Memory: 1 << 20})
	w := join(s, "a")
	cam := s.doc.Views["a"]
	for i := range 12 {
		cam.Eye[0] = float64(i) * 0.2
		s.Look(w.Window, Gaze{N: int64(i + 1), View: "a", Camera: &cam})
		m, _ := last[Sighted](w)
		wait(t, "refined", func() bool {
			return w.has(func(n any) bool { f, ok := n.(*FrameNews); return ok && f.Sight == m.Sight && f.Level == full })
		})
	}
	total := func() (n, sights int) {
		s.mu.Lock()
		defer s.mu.Unlock()
		for _, t := range s.sights {
			for _, f := range t.frames() {
				n += f.bytes()
			}
		}
		return n, len(s.sights)
	}
	// Twelve sights of full size would be over 30 MB.
	wait(t, "one sight and the thumbnails", func() bool {
		n, sights := total()
		return n < 6<<20 && sights <= 3
	})
	// An eye that moves off keeps the pictures of where it stood: it may come back.
	at, _ := last[Sighted](w)
	cam.Eye[1] += 0.1
	s.Look(w.Window, Gaze{N: 100, View: "a", Camera: &cam, Moving: true})
	wait(t, "a picture in motion", func() bool { p, ok := last[Preview](w); return ok && p.N == 100 })
	s.bench.next()
	s.mu.Lock()
	defer s.mu.Unlock()
	require.NotNil(t, s.sights[at.Sight].levels[full])
}

func TestShelfMakesThingsOnceAndTriesFailuresAgain(t *testing.T) {
	var s shelf[int]
	made := 0
	fail := true
	get := func(key string) (int, error) {
		return s.get(key, 2, func() (int, error) {
			if made++; fail {
				return 0, fmt.Errorf("not now")
			}
			return made, nil
		})
	}
	_, err := get("a")
	require.Error(t, err)
	fail = false
	v, err := get("a")
	require.NoError(t, err)
	again, _ := get("a")
	require.Equal(t, v, again)
	_, _ = get("b")
	_, _ = get("c")
	gone, _ := get("a")
	require.NotEqual(t, v, gone, "the least used was let go")
}

// Any two concurrent sequences leave all windows with the same document: each
// window applies the operations it is told, and ends with the journal's state.
func TestConcurrentWindowsEndWithTheSameDocument(t *testing.T) {
	_, st, s := opened(t, Options{Width: 16, MaxSamples: 1, Workers: 1})
	windows := []*window{join(s, "a"), join(s, "a"), join(s, "b")}
	var wg sync.WaitGroup
	for k := range 2 {
		wg.Go(func() {
			rng := rand.New(rand.NewPCG(uint64(k), 3))
			for i := range 80 {
				light := []string{"one", "two"}[rng.IntN(2)]
				var d *store.Done
				var err error
				e := setup.Edit{Person: fmt.Sprint("p", k), Window: fmt.Sprint("w", k), Seq: int64(i + 1), Target: "base", Label: "x"}
				if rng.IntN(4) == 0 {
					d, err = st.Undo(context.Background(), s.ID, e, rng.IntN(3) == 0)
				} else {
					field := []string{"stops", "output", "range", "name"}[rng.IntN(4)]
					v, _ := json.Marshal(rng.IntN(5) + 1)
					if field == "name" {
						v, _ = json.Marshal(fmt.Sprint(light, " ", rng.IntN(9)))
					}
					e.Ops = []setup.Op{{Op: "replace", Path: "/lights/" + light + "/" + field, Value: v}}
					d, err = st.Apply(context.Background(), s.ID, e)
				}
				if err == nil {
					if err := s.Changed(d); err != nil {
						t.Error(err)
					}
				}
			}
		})
	}
	wg.Wait()
	want, revision := s.Document()
	u, err := st.Get(context.Background(), s.ID)
	require.NoError(t, err)
	require.Equal(t, u.Revision, revision)
	require.JSONEq(t, string(u.Document), string(want))
	for i, w := range windows {
		var doc []byte
		var at int64
		w.mu.Lock()
		for _, m := range w.news {
			switch m := m.(type) {
			case Hello:
				doc, at = m.Document, m.Revision
			case Edited:
				if m.Revision <= at {
					continue
				}
				require.Equal(t, at+1, m.Revision, "no edit is missed without a whole document after it")
				p, err := json.Marshal(m.Ops)
				require.NoError(t, err)
				patch, err := jsonpatch.DecodePatch(p)
				require.NoError(t, err)
				doc, err = patch.Apply(doc)
				require.NoError(t, err)
				at = m.Revision
			}
		}
		w.mu.Unlock()
		require.Equal(t, revision, at)
		got, err := setup.Parse(doc)
		require.NoError(t, err)
		require.JSONEq(t, string(want), string(got.JSON()), "window %d", i)
	}
}

func TestWeighNoticeContrastAndCompare(t *testing.T) {
	_, _, s := opened(t, small)
	w := join(s, "a")
	wait(t, "thumbnails", func() bool { return s.Thumb("a") != nil && s.Thumb("b") != nil && w.has(isFrame("a", full, 2)) })
	a, err := s.Weigh(context.Background(), Point{Gaze: Gaze{View: "a"}, X: 0.5, Y: 0.5})
	require.NoError(t, err)
	require.Equal(t, "floor", a.Object)
	require.Len(t, a.Shares, 2)
	require.InDelta(t, 1, a.Shares[0].Share+a.Shares[1].Share, 1e-9)
	_, err = s.Weigh(context.Background(), Point{Gaze: Gaze{View: "gone"}, X: 0.5, Y: 0.5})
	require.ErrorIs(t, err, ErrUnknown)
	n := s.Notice()
	require.Greater(t, n["a"]["one"].Mean, 0.0)
	require.GreaterOrEqual(t, n["a"]["one"].P95, n["a"]["one"].Mean)
	_, ok, err := s.Contrast(s.keyOf("a"), 0, 5)
	require.NoError(t, err)
	require.False(t, ok, "a floor of ten metres is no figure")
	_, _, err = s.Contrast("none", 0, 5)
	require.ErrorIs(t, err, ErrUnknown)
	doc := *s.doc
	l := doc.Lights["one"]
	l.Stops++
	doc.Lights = map[string]setup.Light{"one": l, "two": doc.Lights["two"]}
	c, ok, err := s.Compare(s.keyOf("a"), "a", nil, &doc)
	require.NoError(t, err)
	require.True(t, ok, "stops need no layer")
	require.Greater(t, c.Stops, 0.1)
	for _, what := range []string{Albedo, Normals, Edges, Crowding} {
		data, _ := s.Drawn(s.keyOf("a")+"-2", what, "")
		require.NotEmpty(t, data, what)
	}
	data, _ := s.Drawn(s.keyOf("a")+"-2", Reaching, "one")
	require.Len(t, data, 64*64)
	f, err := s.Facts(context.Background())
	require.NoError(t, err)
	require.Equal(t, "floor", f.Things[0].Path)
	require.Equal(t, "floor", f.Surfaces[0].Name)
}

// While a drag poses the place, its lamps are made for that pose: a shining thing
// lights from where it is dragged to. What is compared with follows the place too.
func TestLampsBelongToTheStageTheyLight(t *testing.T) {
	_, st, s := opened(t, small)
	w := join(s, "a")
	raw := func(v any) json.RawMessage { b, _ := json.Marshal(v); return b }
	change := func(seq int64, ops ...setup.Op) {
		d, err := st.Apply(context.Background(), s.ID, setup.Edit{Person: "p", Window: "x", Seq: seq, Target: "base", Label: "x", Ops: ops})
		require.NoError(t, err)
		require.NoError(t, s.Changed(d))
	}
	l := s.doc.Lights["one"]
	l.Name, l.Kind, l.Material, l.Carry = "glow", setup.Emissive, "floor", setup.Baked
	change(1, setup.Op{Op: "add", Path: "/objects", Value: raw(map[string]setup.Object{"f": {Path: "floor", Part: setup.Mover}})},
		setup.Op{Op: "add", Path: "/materials", Value: raw(map[string]setup.Material{"m": {Name: "floor", Emission: &[3]float64{1, 1, 1}}})},
		setup.Op{Op: "add", Path: "/lights/glow", Value: raw(l)})
	_, err := s.Aside("w", []*setup.Setup{s.doc})
	require.NoError(t, err)
	s.Draft(w.Window, []setup.Op{{Op: "replace", Path: "/objects/f/offset", Value: raw([3]float64{0, -1, 0})}})
	s.mu.Lock()
	see, _ := s.see(w.Window)
	lamps := s.wanted(s.sight(see, s.stageOf(w.Window)))
	dragged := w.drafted
	s.mu.Unlock()
	require.NotEmpty(t, dragged)
	require.Len(t, lamps, len(dragged))
	for i := range lamps {
		require.True(t, dragged[i] == lamps[i], "%s is made for the place at rest", lamps[i].ID)
	}
	before := w.aside
	change(2, setup.Op{Op: "replace", Path: "/objects/f/offset", Value: raw([3]float64{0, -2, 0})})
	s.mu.Lock()
	defer s.mu.Unlock()
	require.Nil(t, w.drafted, "a drag begun on another place is taken up by its next step")
	require.Len(t, w.aside, len(before))
	require.False(t, before[0] == w.aside[0], "the other state is resolved on the place as it is")
}

func TestPicturesInMotionKeepTheirPace(t *testing.T) {
	require.Equal(t, 128, pace(128, previewTime))
	require.Equal(t, 96, pace(128, 4*previewTime), "a quarter at most at once: one slow picture is no rule")
	require.Equal(t, previewNarrowest, pace(80, time.Second))
	require.Equal(t, previewWidest, pace(240, time.Millisecond))
	// Where a picture costs in proportion to its pixels, the width settles at the time there is.
	for _, perPixel := range []time.Duration{3 * time.Microsecond, 9 * time.Microsecond, 15 * time.Microsecond} {
		w := 128
		for range 40 {
			w = pace(w, time.Duration(w*w*9/16)*perPixel)
		}
		require.Less(t, time.Duration(w*w*9/16)*perPixel, previewTime*5/4)
		if w < previewWidest {
			require.Greater(t, time.Duration((w+16)*(w+16)*9/16)*perPixel, previewTime)
		}
	}
}
