package bench

import (
	"context"
	"encoding/json"
	"fmt"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
	"willowherb/core/scene"
	"willowherb/core/setup"
	"willowherb/core/vec"
	"willowherb/format/gltf"
	"willowherb/store"
	"willowherb/store/storetest"
)

func stored(t *testing.T) *store.Store {
	s, err := store.Open(context.Background(), storetest.Database(t))
	require.NoError(t, err)
	t.Cleanup(s.Close)
	return s
}

// floor is a place of two triangles with two lamps over it and two views.
func floor(t *testing.T, s *store.Store) int64 {
	up := vec.V3{Y: 1}
	m := &gltf.Model{Materials: []gltf.ModelMaterial{{Name: "floor", BaseColor: [4]float64{0.5, 0.5, 0.5, 1}, Roughness: 1}}}
	m.Nodes = []gltf.ModelNode{{Name: "floor", Parts: []gltf.ModelPart{{Pos: []vec.V3{{X: -5, Z: 5}, {X: 5, Z: 5}, {X: 5, Z: -5}, {X: -5, Z: -5}}, Nrm: []vec.V3{up, up, up, up}, UV: make([]vec.V2, 4), Index: []uint32{0, 1, 2, 0, 2, 3}}}}}
	m.Cameras = []scene.Camera{{Name: "A", Eye: vec.V3{Y: 4, Z: 4}, Aim: vec.V3{Y: -1, Z: -1}, Up: up, FovY: 0.8, Aspect: 1}, {Name: "B", Eye: vec.V3{Y: 6, Z: 1}, Aim: vec.V3{Y: -1, Z: -0.1}, Up: up, FovY: 0.8, Aspect: 1}}
	glb, err := gltf.Write(m)
	require.NoError(t, err)
	hash, err := s.PutBlob(context.Background(), glb)
	require.NoError(t, err)
	place, err := gltf.Read(context.Background(), "floor.glb", glb, nil, gltf.DefaultLimits())
	require.NoError(t, err)
	doc, _ := setup.FromScene(place, "console-60")
	doc.Lights = map[string]setup.Light{}
	for i, id := range []string{"one", "two"} {
		doc.Lights[id] = setup.Light{Name: id, Kind: setup.Point, Output: 500, Colour: setup.Colour{Kelvin: 3000}, Position: [3]float64{float64(2*i - 1), 2, 0}, Shadow: true, ShadowMap: 512, Carry: setup.Live, Channels: 0xff, Range: 9}
	}
	id, err := s.Create(context.Background(), store.Setup{Project: "p", Place: hash, File: "floor.glb", Document: doc.JSON()})
	require.NoError(t, err)
	return id
}

// window collects what it is told.
type window struct {
	*Window
	mu   sync.Mutex
	news []any
}

func join(s *Session, view string) *window {
	w := &window{}
	w.Window = &Window{Name: "w", View: view, Send: func(m any) {
		w.mu.Lock()
		defer w.mu.Unlock()
		w.news = append(w.news, m)
	}}
	s.Join(w.Window)
	return w
}

func (w *window) has(f func(any) bool) bool {
	w.mu.Lock()
	defer w.mu.Unlock()
	for _, m := range w.news {
		if f(m) {
			return true
		}
	}
	return false
}

func wait(t *testing.T, what string, f func() bool) {
	require.Eventually(t, f, 30*time.Second, 5*time.Millisecond, what)
}

func isFrame(view string, level, samples int) func(any) bool {
	return func(m any) bool {
		f, ok := m.(*FrameNews)
		return ok && (f.Level != thumb || f.View == view) && f.Level == level && f.Samples >= samples
	}
}

func TestVisibleViewComesFirstThenRefinesToItsGoal(t *testing.T) {
	_, _, s := opened(t, Options{Width: 64, MaxSamples: 4, Workers: 2})
	w := join(s, "b")
	wait(t, "the goal", func() bool { return w.has(isFrame("b", full, 4)) })
	wait(t, "thumbnails of both views", func() bool { return s.Thumb("a") != nil && s.Thumb("b") != nil })
	w.mu.Lock()
	var order []string
	sights := map[string]bool{}
	for _, m := range w.news {
		if f, ok := m.(*FrameNews); ok {
			order = append(order, fmt.Sprint(f.View, f.Level))
			sights[f.Sight] = f.Level < thumb || sights[f.Sight]
		}
	}
	w.mu.Unlock()
	require.Equal(t, []string{"0", "1", "2"}, order[:3], "coarse before fine, and nothing of the other view before")
	require.Len(t, sights, 2)
	s.mu.Lock()
	require.Nil(t, s.sights[s.keyOf("a")].levels[full], "a view that nobody looks at gets a thumbnail only")
	s.mu.Unlock()
	require.True(t, w.has(func(m any) bool {
		f, ok := m.(Figures)
		return ok && f.Budget.Lights["one"].Ms > 0 && f.Budget.Measured
	}))
}

func edit(t *testing.T, st *store.Store, s *Session, seq int64, path string, v any) *store.Done {
	raw, err := json.Marshal(v)
	require.NoError(t, err)
	d, err := st.Apply(context.Background(), s.ID, setup.Edit{Person: "p", Window: "w", Seq: seq, Target: "base", Label: "x", Ops: []setup.Op{{Op: "replace", Path: path, Value: raw}}})
	require.NoError(t, err)
	require.NoError(t, s.Changed(d))
	return d
}

// keys returns the finest frame's layer versions by light.
func (s *Session) finished(view string) map[string]int {
	s.mu.Lock()
	defer s.mu.Unlock()
	out := map[string]int{}
	for _, l := range s.lamps {
		if f := s.sights[s.keyOf(view)].levels[full]; f != nil && f.layers[l.Key] != nil {
			out[l.ID] = f.layers[l.Key].version
		}
	}
	return out
}

func TestAnEditMakesStaleOnlyWhatItMust(t *testing.T) {
	_, st, s := opened(t, Options{Width: 64, MaxSamples: 4, Workers: 2})
	w := join(s, "a")
	wait(t, "the goal", func() bool { return w.has(isFrame("a", full, 4)) })

	edit(t, st, s, 1, "/lights/one/stops", 1.5)
	require.Equal(t, map[string]int{"one": 4, "two": 4}, s.finished("a"), "stops need no rendering")

	edit(t, st, s, 2, "/lights/one/range", 5)
	require.Equal(t, 4, s.finished("a")["two"], "the other light's layer stays")
	require.Less(t, s.finished("a")["one"], 4)
	wait(t, "the changed light is rendered again", func() bool { return s.finished("a")["one"] == 4 })

	s.mu.Lock()
	n := len(s.sights[s.keyOf("a")].levels[full].layers)
	s.mu.Unlock()
	require.Equal(t, 3, n, "the layer as it was is spared")
	edit(t, st, s, 3, "/lights/one/range", 9)
	require.Equal(t, 4, s.finished("a")["one"], "so that undo finds it at once")
}

func TestPictureAndLayersAreServedByVersion(t *testing.T) {
	_, _, s := opened(t, Options{Width: 64, MaxSamples: 2, Workers: 2})
	_, _, ok, err := s.Picture("a", nil)
	require.NoError(t, err)
	require.False(t, ok, "nothing before the first layers")
	w := join(s, "a")
	var news *FrameNews
	wait(t, "the goal", func() bool {
		return w.has(func(m any) bool {
			if isFrame("a", full, 2)(m) {
				news = m.(*FrameNews)
				return true
			}
			return false
		})
	})
	key := keyName(s.lamps[0].Key)
	require.Len(t, s.Layer(news.Frame, key, news.Layers[key].Version, whole), 64*64)
	require.Len(t, s.Layer(news.Frame, key, news.Layers[key].Version, bounced), 64*64)
	require.Nil(t, s.Layer(news.Frame, key, 99, whole))
	m := s.Map(news.Frame)
	require.Len(t, m, 2*64*64)
	require.Equal(t, uint32(0), m[2*(32*64+32)], "the floor is under the middle of the picture")
	both, _, ok, err := s.Picture("a", nil)
	require.NoError(t, err)
	require.True(t, ok)
	alone, _, _, err := s.Picture("a", []string{"one"})
	require.NoError(t, err)
	require.NotEqual(t, both, alone)
}

func TestBrokenPlaceIsAnErrorNotACrash(t *testing.T) {
	st := stored(t)
	b := New(st, Options{Width: 64, MaxSamples: 2})
	defer b.Close()
	hash, err := st.PutBlob(context.Background(), []byte("no glb"))
	require.NoError(t, err)
	d, _ := setup.FromScene(&scene.Scene{Name: "x", Hi: vec.Splat(1)}, "console-60")
	id, err := st.Create(context.Background(), store.Setup{Project: "p", Place: hash, File: "bad.glb", Document: d.JSON()})
	require.NoError(t, err)
	_, err = b.Open(context.Background(), id)
	require.ErrorIs(t, err, ErrPlace)
	require.ErrorContains(t, err, "bad.glb")
}

// What cannot be rendered is said and set aside; the bench lives on, and tries
// again after the next edit.
func TestAFaultInTheRenderingIsToldAndTriedAgain(t *testing.T) {
	_, st, s := opened(t, Options{Width: 64, MaxSamples: 2, Workers: 2})
	place := s.stage.place.scene
	place.Mat[0], place.Mat[1] = 999, 999
	w := join(s, "a")
	wait(t, "the fault", func() bool {
		return w.has(func(m any) bool {
			f, ok := m.(Failed)
			return ok && strings.Contains(f.What, "out of range")
		})
	})
	s.mu.Lock()
	place.Mat[0], place.Mat[1] = 0, 0
	s.mu.Unlock()
	edit(t, st, s, 1, "/lights/one/range", 5)
	wait(t, "the goal", func() bool { return w.has(isFrame("a", full, 2)) })
}

// Budgets follow an edit at once, however deep in a pass the worker is.
func TestBudgetFollowsAnEditAtOnce(t *testing.T) {
	_, st, s := opened(t, Options{Width: 1600, MaxSamples: 4000, Workers: 1})
	w := join(s, "a")
	wait(t, "the first layers", func() bool { return w.has(isFrame("a", coarse, 1)) })
	d := edit(t, st, s, 1, "/target", "handheld-30")
	wait(t, "the other device's limit", func() bool {
		return w.has(func(m any) bool {
			f, ok := m.(Figures)
			return ok && f.Revision == d.Revision && f.Budget.LimitMB == 128
		})
	})
}
