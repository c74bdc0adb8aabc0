package refine

import (
	"context"
	"encoding/json"
	"fmt"
	"maps"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
	"willowherb/blob"
	"willowherb/blob/blobtest"
	"willowherb/core/budget"
	"willowherb/core/edits"
	"willowherb/core/setup"
	"willowherb/core/staging"
	"willowherb/plan"
	"willowherb/stage"
	"willowherb/stage/stagetest"
	"willowherb/store"
)

var ctx = context.Background()

// hall is a room with eyes for tests: it collects what each eye is told.
type hall struct {
	t      *testing.T
	studio *Studio
	id     int64
	mu     sync.Mutex
	state  State
	eyes   map[int64]*Eye
	news   map[int64][]News
}

func (h *hall) State() *State {
	h.mu.Lock()
	defer h.mu.Unlock()
	s := h.state
	for _, id := range slices.Sorted(maps.Keys(h.eyes)) {
		e := *h.eyes[id]
		doc := s.Doc
		if e.Draft != nil {
			doc = e.Draft
		}
		if e.See.Camera.Name != "" { // a saved view, by its name
			e.See.Camera = doc.Views[e.See.Camera.Name]
			e.See.Camera.Name = ""
		}
		s.Eyes = append(s.Eyes, e)
	}
	return &s
}

func (h *hall) Tell(n News, eyes ...int64) {
	h.mu.Lock()
	defer h.mu.Unlock()
	if len(eyes) == 0 {
		eyes = slices.Collect(maps.Keys(h.eyes))
	}
	for _, id := range eyes {
		h.news[id] = append(h.news[id], n)
	}
}

// look changes how an eye looks, beginning it if it is new.
func (h *hall) look(id int64, change func(e *Eye)) {
	h.mu.Lock()
	e := h.eyes[id]
	if e == nil {
		e = &Eye{ID: id}
		h.eyes[id] = e
	}
	change(e)
	if e.Moving {
		e.Moves++
		e.Looked = time.Now()
	}
	h.mu.Unlock()
	h.studio.Changed(h.id)
}

func (h *hall) view(id int64, view string) { h.look(id, func(e *Eye) { e.See.Camera.Name = view }) }

// edit makes an edit and waits until it has been taken in.
func (h *hall) edit(p *Pictures, ops ...edits.Op) {
	h.mu.Lock()
	c, err := edits.Apply(h.state.Doc, ops)
	require.NoError(h.t, err)
	h.state.Doc = c.After
	h.state.Revision++
	for _, e := range h.eyes {
		e.Draft = nil
	}
	h.mu.Unlock()
	h.studio.Changed(h.id)
	_, err = p.Shot(ctx)
	require.NoError(h.t, err)
}

func (h *hall) drag(id int64, ops ...edits.Op) {
	h.look(id, func(e *Eye) {
		c, err := edits.Apply(h.state.Doc, ops)
		require.NoError(h.t, err)
		e.Draft = c.After
	})
}

// last returns the newest message of a type that an eye was told.
func last[T News](h *hall, eye int64) (m T, ok bool) {
	h.mu.Lock()
	defer h.mu.Unlock()
	for _, n := range slices.Backward(h.news[eye]) {
		if m, ok = n.(T); ok {
			return m, true
		}
	}
	return m, false
}

func (h *hall) has(eye int64, f func(News) bool) bool {
	h.mu.Lock()
	defer h.mu.Unlock()
	return slices.ContainsFunc(h.news[eye], f)
}

func (h *hall) wait(what string, f func() bool) {
	h.t.Helper()
	require.Eventually(h.t, f, 90*time.Second, 3*time.Millisecond, what)
}

// waitFor waits until an eye was told of its sight at a level.
func (h *hall) waitFor(eye int64, level, samples int) {
	h.t.Helper()
	h.wait(fmt.Sprintf("eye %d has level %d at %d samples", eye, level, samples), func() bool {
		s, ok := last[Sighted](h, eye)
		return ok && h.has(eye, func(n News) bool {
			f, ok := n.(*FrameNews)
			return ok && f.Sight == s.Sight && f.Level == level && f.Samples >= samples
		})
	})
}

var small = Options{Width: 64, MaxSamples: 2, Workers: 2}

func studio(t *testing.T, opt Options) (*Studio, *blobtest.Memory) {
	blobs := &blobtest.Memory{}
	s := New(stage.NewShop(blobs, opt.Workers), opt)
	t.Cleanup(s.Close)
	return s, blobs
}

func opened(t *testing.T, opt Options) (*hall, *Pictures) {
	s, blobs := studio(t, opt)
	return openedIn(t, s, blobs, 1)
}

func openedIn(t *testing.T, s *Studio, blobs *blobtest.Memory, id int64) (*hall, *Pictures) {
	hash, doc := stagetest.Floor(t, blobs)
	h := &hall{t: t, studio: s, id: id, state: State{Doc: doc, Place: hash, File: "floor.glb"}, eyes: map[int64]*Eye{}, news: map[int64][]News{}}
	p := s.Open(id, h)
	_, err := p.Shot(ctx)
	require.NoError(t, err)
	return h, p
}

func raw(v any) json.RawMessage { b, _ := json.Marshal(v); return b }

func replace(path string, v any) edits.Op { return edits.Op{Op: "replace", Path: path, Value: raw(v)} }

func add(path string, v any) edits.Op { return edits.Op{Op: "add", Path: path, Value: raw(v)} }

func TestVisibleViewComesFirstThenRefinesToItsGoal(t *testing.T) {
	h, p := opened(t, Options{Width: 64, MaxSamples: 4, Workers: 2})
	h.view(1, "b")
	h.waitFor(1, plan.Full, 4)
	h.wait("thumbnails of both views", func() bool { return p.Thumb("a") != nil && p.Thumb("b") != nil })
	h.mu.Lock()
	var order []int
	sights := map[string]bool{}
	for _, m := range h.news[1] {
		if f, ok := m.(*FrameNews); ok {
			order = append(order, f.Level)
			sights[f.Sight] = true
		}
	}
	h.mu.Unlock()
	// What is there when an eye comes may be told to it twice.
	require.Equal(t, []int{plan.Coarse, plan.Middle, plan.Full}, slices.Compact(order)[:3], "coarse before fine, and nothing of the other view before")
	require.Len(t, sights, 2)
	p.mu.Lock()
	require.Nil(t, p.sights[p.keyOf("a")].levels[plan.Full], "a view that nobody looks at gets a thumbnail only")
	p.mu.Unlock()
	// What has not been looked at is not counted, and not told as if it were.
	h.mu.Lock()
	first := slices.IndexFunc(h.news[1], func(m News) bool { f, ok := m.(Figures); return ok && f.View == "a" })
	require.GreaterOrEqual(t, first, 0)
	require.Nil(t, h.news[1][first].(Figures).Budget)
	h.mu.Unlock()
	h.wait("a measured budget", func() bool {
		return h.has(1, func(m News) bool {
			f, ok := m.(Figures)
			return ok && f.Budget != nil && f.Budget.Lights["one"].Ms > 0
		})
	})
}

// finished are the finest frame's layer versions by light.
func (p *Pictures) finished(view string) map[string]int {
	p.mu.Lock()
	defer p.mu.Unlock()
	out := map[string]int{}
	for _, l := range p.lamps {
		if f := p.sights[p.keyOf(view)].levels[plan.Full]; f != nil && f.layers[l.Key] != nil {
			out[l.ID] = f.layers[l.Key].version()
		}
	}
	return out
}

func (p *Pictures) key(view string) string {
	p.mu.Lock()
	defer p.mu.Unlock()
	return p.keyOf(view)
}

func TestAnEditMakesStaleOnlyWhatItMust(t *testing.T) {
	h, p := opened(t, Options{Width: 64, MaxSamples: 4, Workers: 2})
	h.view(1, "a")
	h.waitFor(1, plan.Full, 4)

	h.edit(p, replace("/lights/one/stops", 1.5))
	require.Equal(t, map[string]int{"one": 4, "two": 4}, p.finished("a"), "stops need no rendering")
	h.wait("its lamps", func() bool { m, ok := last[Lamps](h, 1); return ok && m.Revision == 1 })

	h.edit(p, replace("/lights/one/range", 5))
	require.Equal(t, 4, p.finished("a")["two"], "the other light's layer stays")
	h.wait("the changed light is rendered again", func() bool { return p.finished("a")["one"] == 4 })

	p.mu.Lock()
	n := len(p.sights[p.keyOf("a")].levels[plan.Full].layers)
	p.mu.Unlock()
	require.Equal(t, 3, n, "the layer as it was is spared")
	h.edit(p, replace("/lights/one/range", 9))
	require.Equal(t, 4, p.finished("a")["one"], "so that undo finds it at once")
}

// An edit that is taken back half way finds its pictures as refined as they were, and
// says so.
func TestATakenBackEditFindsItsSamplesAgain(t *testing.T) {
	h, p := opened(t, Options{Width: 120, MaxSamples: 4, Workers: 1})
	h.view(1, "a")
	h.waitFor(1, plan.Full, 4)
	h.edit(p, replace("/lights/one/range", 5))
	h.wait("the first sample of the changed light", func() bool {
		return h.has(1, func(n News) bool {
			f, ok := n.(*FrameNews)
			return ok && f.Level == plan.Full && f.Samples < 4 && len(f.Layers) == 3
		})
	})
	h.mu.Lock()
	h.news = map[int64][]News{}
	h.mu.Unlock()
	h.edit(p, replace("/lights/one/range", 9))
	h.wait("told as refined as it is", func() bool {
		f, ok := last[*FrameNews](h, 1)
		return ok && h.has(1, func(n News) bool { f, ok = n.(*FrameNews); return ok && f.Level == plan.Full && f.Samples == 4 })
	})
}

// What is told of a picture's error is of the gains that it is shown with: after a light is
// turned down it is not known until the finished picture has been measured again.
func TestWhatIsToldIsOfWhatIsShown(t *testing.T) {
	h, p := opened(t, Options{Width: 48, MaxSamples: 8, Workers: 2})
	h.view(1, "a")
	whole := func(n News) (*FrameNews, bool) {
		f, ok := n.(*FrameNews)
		return f, ok && f.Level == plan.Full && f.Samples == 8
	}
	known := func() bool {
		return h.has(1, func(n News) bool { f, ok := whole(n); return ok && f.Error > 0 })
	}
	h.wait("its error", known)
	h.mu.Lock()
	h.news = map[int64][]News{}
	h.mu.Unlock()
	h.edit(p, replace("/lights/one/stops", -3))
	h.wait("that it is not known", func() bool {
		return h.has(1, func(n News) bool { f, ok := whole(n); return ok && f.Error == 0 })
	})
	h.wait("its error with the light turned down", known)
}

func TestLayersAreServedUnderAddressesThatNeverChange(t *testing.T) {
	h, p := opened(t, small)
	h.view(1, "a")
	h.waitFor(1, plan.Full, 2)
	h.wait("the frame's news", func() bool {
		f, ok := last[*FrameNews](h, 1)
		return ok && f.Level < plan.Thumb
	})
	f, lamps := p.ByKey(p.key("a") + "-2")
	require.NotNil(t, f)
	key := stage.KeyName(lamps[0].Key)
	y := f.layers[lamps[0].Key]
	for _, part := range []int{Whole, Bounced} {
		at := y.News.Parts[part]
		require.Len(t, at, 16)
		require.Equal(t, at, address(p.Layer(f.Key, key, at)))
	}
	require.Empty(t, y.News.Parts[Shine], "a lamp is not seen shining")
	require.NotEqual(t, y.News.Parts[Whole], y.News.Parts[Bounced])
	require.Nil(t, p.Layer(f.Key, key, ""))
	require.Nil(t, p.Layer(f.Key, key, "0000000000000000"))
	for _, bad := range []string{"", "-", "x-", "x-9", "x-2", f.Sight + "-z", f.Sight + "-22"} {
		require.Nil(t, p.Layer(bad, key, y.News.Parts[Whole]), bad)
		g, _ := p.ByKey(bad)
		require.Nil(t, g, bad)
	}
}

// A place that cannot be shown does not keep its setup from being edited: the next
// edit brings it back.
func TestABrokenPlaceIsToldAndGotOver(t *testing.T) {
	s, blobs := studio(t, small)
	bad, err := blobs.Put(ctx, blob.Place, strings.NewReader("no glb"))
	require.NoError(t, err)
	hash, doc := stagetest.Floor(t, blobs)
	doc.Place = &setup.Place{Blob: bad, File: "bad.glb"}
	h := &hall{t: t, studio: s, id: 5, state: State{Doc: doc, Place: hash, File: "floor.glb"}, eyes: map[int64]*Eye{}, news: map[int64][]News{}}
	p := s.Open(5, h)
	h.view(1, "a")
	_, err = p.Shot(ctx)
	require.ErrorIs(t, err, stage.ErrPlace)
	require.ErrorContains(t, err, "bad.glb")
	h.wait("the fault", func() bool {
		f, ok := last[Failed](h, 1)
		return ok && strings.Contains(f.What, "bad.glb")
	})
	h.edit(p, edits.Op{Op: "remove", Path: "/place"})
	h.waitFor(1, plan.Full, 2)
	h.view(2, "b")
	h.waitFor(2, plan.Full, 2)
	_, told := last[Failed](h, 2)
	require.False(t, told)
	h.mu.Lock()
	c, err := edits.Apply(h.state.Doc, []edits.Op{add("/place", setup.Place{Blob: bad, File: "bad.glb"})})
	require.NoError(t, err)
	h.state.Doc, h.state.Revision = c.After, h.state.Revision+1
	h.mu.Unlock()
	s.Changed(5)
	_, err = p.Shot(ctx)
	require.ErrorIs(t, err, stage.ErrPlace)
	h.view(3, "a")
	h.wait("who comes later is told, though pictures of before are there", func() bool { _, ok := last[Failed](h, 3); return ok })
}

// A database that is away while the place is made ready is waited for.
func TestMakingReadyWaitsForTheDatabase(t *testing.T) {
	s, blobs := studio(t, small)
	hash, doc := stagetest.Floor(t, blobs)
	blobs.SetAway(store.ErrAway)
	h := &hall{t: t, studio: s, id: 5, state: State{Doc: doc, Place: hash, File: "floor.glb"}, eyes: map[int64]*Eye{}, news: map[int64][]News{}}
	p := s.Open(5, h)
	h.view(1, "a")
	_, err := p.Shot(ctx)
	require.ErrorIs(t, err, store.ErrAway, "a question does not wait for it")
	blobs.SetAway(nil)
	h.waitFor(1, plan.Full, 2)
}

// What cannot be rendered is said and set aside; the studio lives on, and tries
// again after the next edit.
func TestAFaultInTheRenderingIsToldAndTriedAgain(t *testing.T) {
	s, blobs := studio(t, small)
	hash, doc := stagetest.Floor(t, blobs)
	on, err := s.shop.Ready(ctx, staging.Of(doc, hash, "floor.glb"))
	require.NoError(t, err)
	mat := on.Scene.Mat
	mat[0], mat[1] = 999, 999 // broken before the worker reads it
	h, p := openedIn(t, s, blobs, 1)
	require.Same(t, on.Scene, p.stage.Scene)
	told := func(eye int64) func() bool {
		return func() bool {
			f, ok := last[Failed](h, eye)
			return ok && strings.Contains(f.What, "out of range")
		}
	}
	h.view(1, "a")
	h.wait("the fault", told(1))
	h.wait("every picture set aside, so that nobody reads the place", func() bool {
		p.mu.Lock()
		defer p.mu.Unlock()
		for _, t := range p.sights {
			if t.fault == nil {
				return false
			}
		}
		return len(p.sights) == 2
	})
	h.view(2, "a")
	h.wait("who comes later is told too", told(2))
	p.mu.Lock()
	mat[0], mat[1] = 0, 0
	p.mu.Unlock()
	h.edit(p, replace("/lights/one/range", 5))
	h.waitFor(1, plan.Full, 2)
	h.waitFor(2, plan.Full, 2)
}

// Between a window's coming and the first look of its eye, nothing is rendered for it.
func TestAnEyeThatHasNotLookedYetIsNoSight(t *testing.T) {
	h, p := opened(t, small)
	st := h.State()
	_, err := p.drags(ctx, st, Eye{ID: 7, See: stage.Sight{}})
	require.NoError(t, err)
	p.mu.Lock()
	defer p.mu.Unlock()
	require.Contains(t, p.eyes, int64(7))
	require.Empty(t, p.plan().Eyes)
	require.Empty(t, p.sees(p.eyes[7]))
}

// Budgets follow an edit at once, however deep in a pass the worker is.
func TestBudgetFollowsAnEditAtOnce(t *testing.T) {
	h, p := opened(t, Options{Width: 400, MaxSamples: 60000, Workers: 1})
	h.view(1, "a")
	h.waitFor(1, plan.Coarse, 1)
	h.edit(p, replace("/target", "handheld-30"))
	h.wait("the other device's limit", func() bool {
		return h.has(1, func(m News) bool {
			f, ok := m.(Figures)
			return ok && f.Revision == 1 && f.Budget != nil && f.Budget.LimitMB == 128
		})
	})
}

// A bake that has ended is in the budget's memory without an edit.
func TestBudgetKnowsANewBakeAtOnce(t *testing.T) {
	h, p := opened(t, small)
	var bakes atomic.Int64
	p.studio.KeptBy(func(context.Context, int64) (*budget.Baked, error) {
		if bakes.Load() == 0 {
			return nil, nil
		}
		return &budget.Baked{MB: 40}, nil
	})
	h.view(1, "a")
	h.waitFor(1, plan.Full, 2)
	mb := func(most float64) func() bool {
		return func() bool {
			f, ok := last[Figures](h, 1)
			return ok && f.Budget != nil && f.Budget.MB > most
		}
	}
	h.wait("counted", mb(0))
	f, _ := last[Figures](h, 1)
	bakes.Store(1)
	p.Newest(5)
	h.wait("with the lightmap", mb(f.Budget.MB+39))
	now, _ := last[Figures](h, 1)
	require.Equal(t, f.Revision, now.Revision)
}

func (h *hall) frames(eye int64, sight string) (n int) {
	h.mu.Lock()
	defer h.mu.Unlock()
	for _, m := range h.news[eye] {
		if f, ok := m.(*FrameNews); ok && f.Sight == sight {
			n++
		}
	}
	return n
}

func TestAMovingCameraIsShownAtOnceThenRefined(t *testing.T) {
	h, p := opened(t, small)
	h.view(1, "a")
	h.waitFor(1, plan.Full, 2)
	home, _ := last[Sighted](h, 1)
	cam := p.doc.Views["a"]
	cam.Name = ""
	for i := range 5 {
		cam.Eye[0] += 0.1
		h.look(1, func(e *Eye) { e.N, e.See.Camera, e.Moving = int64(i+1), cam, true })
		h.wait("a picture in motion", func() bool {
			m, ok := last[Preview](h, 1)
			return ok && m.N == int64(i+1) && len(m.Words) == 4*m.Width*m.Height
		})
	}
	h.look(1, func(e *Eye) { e.N, e.Moving = 9, false })
	h.wait("the new sight is named", func() bool { m, _ := last[Sighted](h, 1); return m.N == 9 })
	away, _ := last[Sighted](h, 1)
	require.NotEqual(t, home.Sight, away.Sight)
	h.waitFor(1, plan.Full, 2)
	// Back where it was, everything is there without any rendering.
	n := h.frames(1, home.Sight)
	h.look(1, func(e *Eye) { e.N = 10; e.See.Camera = setup.View{Name: "a"} })
	h.wait("the first sight is named", func() bool { m, _ := last[Sighted](h, 1); return m.N == 10 && m.Sight == home.Sight })
	h.wait("and its pictures are told", func() bool { return h.frames(1, home.Sight) > n })
}

// A view that is saved where a free camera stands has that camera's pictures.
func TestSavingAViewFindsItsPicturesThere(t *testing.T) {
	h, p := opened(t, small)
	h.view(1, "a")
	cam := p.doc.Views["a"]
	cam.Eye[0]++
	free := cam
	free.Name = ""
	h.look(1, func(e *Eye) { e.N, e.See.Camera = 1, free })
	h.wait("the free camera's sight", func() bool { m, _ := last[Sighted](h, 1); return m.N == 1 })
	h.waitFor(1, plan.Full, 2)
	sighted, _ := last[Sighted](h, 1)
	h.edit(p, replace("/views/a", cam))
	require.Equal(t, sighted.Sight, p.key("a"))
	require.NotNil(t, p.Frame(p.key("a"), p.lamps, plan.Full))
}

// A drag renders the one light that changes, under the key that the edit will have.
func TestADragPreviewsOnlyWhatChanges(t *testing.T) {
	h, p := opened(t, small)
	h.view(1, "a")
	h.view(2, "a")
	h.waitFor(1, plan.Full, 2)
	before := p.finished("a")
	rest := Facts(p.lamps)
	h.mu.Lock()
	h.news = map[int64][]News{}
	h.mu.Unlock()
	h.drag(1, replace("/lights/one/position", [3]float64{2, 2, 0}))
	h.wait("the drag's lamps", func() bool { _, ok := last[Drafted](h, 1); return ok })
	d, _ := last[Drafted](h, 1)
	_, told := last[Drafted](h, 2)
	require.False(t, told, "a drag is its own window's")
	require.NotEqual(t, rest["one"].Key, d.Lamps["one"].Key)
	require.Equal(t, rest["two"].Key, d.Lamps["two"].Key)
	h.wait("its layer", func() bool {
		return h.has(1, func(m News) bool {
			f, ok := m.(*FrameNews)
			return ok && f.Layers[d.Lamps["one"].Key].Version == 2
		})
	})
	require.Equal(t, before, p.finished("a"), "the layers as they were stay")
	require.False(t, h.has(1, func(m News) bool {
		f, ok := m.(*FrameNews)
		return ok && f.Level == plan.Full && f.Samples < 2
	}), "what is kept is as refined as before")
	doc, lamps, _, ok := p.Lit(1)
	require.True(t, ok)
	require.Equal(t, [3]float64{2, 2, 0}, doc.Lights["one"].Position)
	require.Len(t, lamps, 2)
	_, _, _, ok = p.Lit(2)
	require.False(t, ok)
	h.edit(p, replace("/lights/one/position", [3]float64{2, 2, 0}))
	require.Equal(t, d.Lamps["one"].Key, Facts(p.lamps)["one"].Key)
	require.Equal(t, 2, p.finished("a")["one"], "it is there when the drag ends")
}

func TestLightAloneAndHiddenThingsAreSightsOfTheirOwn(t *testing.T) {
	h, _ := opened(t, small)
	keys := map[string]bool{}
	for i, change := range []func(*stage.Sight){func(*stage.Sight) {}, func(s *stage.Sight) { s.Neutral = true }, func(s *stage.Sight) { s.Hidden = []string{"floor"} }, func(s *stage.Sight) { s.Cut = 1 }} {
		h.look(1, func(e *Eye) {
			e.N, e.See = int64(i+1), stage.Sight{Camera: setup.View{Name: "a"}}
			change(&e.See)
		})
		h.wait("its sight", func() bool { m, _ := last[Sighted](h, 1); return m.N == int64(i+1) })
		m, _ := last[Sighted](h, 1)
		keys[m.Sight] = true
	}
	require.Len(t, keys, 4)
	h.waitFor(1, plan.Full, 2)
}

// A mover that is moved makes another stage; what was there before is found again.
func TestMovingAThingMakesAnotherStage(t *testing.T) {
	h, p := opened(t, small)
	h.view(1, "a")
	h.waitFor(1, plan.Full, 2)
	home := p.key("a")
	h.edit(p, add("/objects/f", setup.Object{Path: "floor", Part: setup.Mover}))
	there := p.key("a")
	require.NotEqual(t, home, there)
	// While it is dragged, pictures in motion follow.
	h.drag(1, replace("/objects/f/offset", [3]float64{0, -1, 0}))
	h.wait("a picture of the drag", func() bool { _, ok := last[Preview](h, 1); return ok })
	h.edit(p, replace("/objects/f/offset", [3]float64{0, -1, 0}))
	require.NotEqual(t, there, p.key("a"))
	h.wait("the eye's new sight", func() bool { m, _ := last[Sighted](h, 1); return m.Sight == p.key("a") })
	h.edit(p, replace("/objects/f/offset", [3]float64{}))
	require.Equal(t, there, p.key("a"))
	h.edit(p, edits.Op{Op: "remove", Path: "/objects/f"})
	require.Equal(t, home, p.key("a"))
	require.Equal(t, 2, p.finished("a")["one"], "undone, its pictures are there")
}

// Memory has one budget for all setups: what no window shows is let go, whichever
// setup it belongs to; what is shown stays.
func TestMemoryIsBoundedOverAllSetups(t *testing.T) {
	s, blobs := studio(t, Options{Width: 48, MaxSamples: 1, Workers: 2, Memory: 1 << 18})
	one, p := openedIn(t, s, blobs, 1)
	two, q := openedIn(t, s, blobs, 2)
	cam := p.doc.Views["a"]
	cam.Name = ""
	for i := range 6 {
		for _, h := range []*hall{one, two} {
			cam.Eye[0] = float64(i) * 0.2
			h.look(1, func(e *Eye) { e.N, e.See.Camera = int64(i+1), cam })
			h.wait("its sight", func() bool { m, _ := last[Sighted](h, 1); return m.N == int64(i+1) })
			h.waitFor(1, plan.Full, 1)
		}
	}
	// Twelve sights of full size would be over 7 MB.
	one.wait("one sight of each, and the thumbnails", func() bool {
		s.poke(false) // only the worker may look at what it writes
		_, bytes := s.Held()
		p.mu.Lock()
		n := len(p.sights)
		p.mu.Unlock()
		q.mu.Lock()
		m := len(q.sights)
		q.mu.Unlock()
		return bytes < 3<<20 && n <= 3 && m <= 3
	})
	// An eye that moves off keeps the pictures of where it stood: it may come back.
	at, _ := last[Sighted](one, 1)
	cam.Eye[1] += 0.1
	one.look(1, func(e *Eye) { e.N, e.See.Camera, e.Moving = 100, cam, true })
	one.wait("a picture in motion", func() bool { m, ok := last[Preview](one, 1); return ok && m.N == 100 })
	require.NotNil(t, p.Frame(at.Sight, p.lamps, plan.Full))
	// A setup that is shut takes nothing, and questions about it end.
	s.Shut(2, two)
	n, _ := s.Held()
	require.Equal(t, 1, n)
	_, err := q.Shot(ctx)
	require.ErrorIs(t, err, store.ErrNotFound)
	require.True(t, s.Open(2, two) != q)
}

// While a drag poses the place, its lamps are made for that pose: a shining thing
// lights from where it is dragged to. What is compared with follows the place too.
func TestLampsBelongToTheStageTheyLight(t *testing.T) {
	h, p := opened(t, small)
	h.view(1, "a")
	l := p.doc.Lights["one"]
	l.Name, l.Kind, l.Material, l.Carry = "glow", setup.Emissive, "floor", setup.Baked
	h.edit(p, add("/objects/f", setup.Object{Path: "floor", Part: setup.Mover}),
		add("/materials/m", setup.Material{Name: "floor", Emission: &[3]float64{1, 1, 1}}), add("/lights/glow", l))
	h.look(1, func(e *Eye) { e.Asides = []*setup.Setup{h.state.Doc} })
	h.drag(1, replace("/objects/f/offset", [3]float64{0, -1, 0}))
	h.wait("the drag's lamps", func() bool { _, _, _, ok := p.Lit(1); return ok })
	p.mu.Lock()
	e := p.eyes[1]
	lamps := p.wanted(p.sight(e.See, p.stageOf(e)))
	dragged, before := e.drafted, e.aside
	p.mu.Unlock()
	require.NotEmpty(t, dragged)
	require.NotEmpty(t, before)
	require.Len(t, lamps, len(dragged))
	for i := range lamps {
		require.True(t, dragged[i] == lamps[i], "%s is made for the place at rest", lamps[i].ID)
	}
	h.edit(p, replace("/objects/f/offset", [3]float64{0, -2, 0}))
	h.wait("the other state is resolved on the place as it is", func() bool {
		p.mu.Lock()
		defer p.mu.Unlock()
		return p.eyes[1].drafted == nil && len(p.eyes[1].aside) == len(before) && p.eyes[1].aside[0] != before[0]
	})
}

// News come in the order in which they were found, however many find them.
func TestNewsKeepTheirOrder(t *testing.T) {
	h, p := opened(t, small)
	h.view(1, "a")
	var wg sync.WaitGroup
	for range 4 {
		wg.Go(func() {
			for range 100 {
				p.mu.Lock()
				p.post(Lamps{Revision: p.revision}, 9)
				p.revision++
				p.mu.Unlock()
				p.flush()
			}
		})
	}
	wg.Wait()
	h.mu.Lock()
	defer h.mu.Unlock()
	require.Len(t, h.news[9], 400)
	for i, n := range h.news[9] {
		require.EqualValues(t, i, n.(Lamps).Revision)
	}
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

// TestPicturesRestWhileSomethingElseIsWaitedFor: a first sample of each is made all the same, and
// they go on to their goal afterwards.
// A first picture that was stopped between its sample and its publishing does not rest: it is
// what the window waits for.
func TestWhatRests(t *testing.T) {
	for want, jobs := range map[bool][]plan.Job{
		true:  {{Kind: plan.Samples, From: 1}, {Kind: plan.Samples, From: 8}},
		false: {{Kind: plan.Samples}, {Kind: plan.Samples, From: 1, Owed: true}, {Kind: plan.Motion, From: 1}, {Kind: plan.Sharpen}},
	} {
		for _, j := range jobs {
			require.Equal(t, want, mayRest(j), "%+v", j)
		}
	}
}

func TestPicturesRestWhileSomethingElseIsWaitedFor(t *testing.T) {
	s, blobs := studio(t, Options{Width: 64, MaxSamples: 8, Workers: 2})
	var asked atomic.Int32
	var busy atomic.Bool
	busy.Store(true)
	s.RestWhile(func() bool {
		asked.Add(1)
		return busy.Load()
	})
	h, _ := openedIn(t, s, blobs, 1)
	h.view(1, "b")
	h.waitFor(1, plan.Full, 1)
	from := asked.Load()
	h.wait("it to rest", func() bool { return asked.Load() > from+3 })
	require.False(t, h.has(1, func(n News) bool {
		f, ok := n.(*FrameNews)
		return ok && f.Level == plan.Full && f.Samples > 1
	}), "no second sample")
	busy.Store(false)
	h.waitFor(1, plan.Full, 8)
}
