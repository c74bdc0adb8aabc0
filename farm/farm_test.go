package farm

import (
	"bytes"
	"context"
	"fmt"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
	"willowherb/blob"
	"willowherb/core/bake"
	"willowherb/core/baking"
	"willowherb/core/setup"
	"willowherb/core/staging"
	"willowherb/core/vec"
	"willowherb/format/gltf"
	"willowherb/journal"
	"willowherb/stage"
	"willowherb/store"
	"willowherb/store/storetest"
)

// boxes is a floor with boxes on it, an object each.
func boxes(t *testing.T) []byte {
	m := &gltf.Model{Materials: []gltf.ModelMaterial{{Name: "grey", BaseColor: [4]float64{0.5, 0.5, 0.5, 1}, Roughness: 1}}}
	quad := func(name string, p ...vec.V3) {
		n := p[1].Sub(p[0]).Cross(p[2].Sub(p[0])).Norm()
		m.Nodes = append(m.Nodes, gltf.ModelNode{Name: name, Parts: []gltf.ModelPart{{Pos: p, Nrm: []vec.V3{n, n, n, n}, UV: make([]vec.V2, 4), Index: []uint32{0, 1, 2, 0, 2, 3}}}})
	}
	quad("Floor", vec.V3{X: -6, Z: 6}, vec.V3{X: 6, Z: 6}, vec.V3{X: 6, Z: -6}, vec.V3{X: -6, Z: -6})
	for i := range 7 {
		x := float32(i)*1.5 - 4.5
		quad(fmt.Sprintf("Board %d", i), vec.V3{X: x, Z: -1}, vec.V3{X: x + 1, Z: -1}, vec.V3{X: x + 1, Y: 2, Z: -1}, vec.V3{X: x, Y: 2, Z: -1})
	}
	glb, err := gltf.Write(m)
	require.NoError(t, err)
	return glb
}

func document() *setup.Setup {
	lamp := setup.Light{Name: "Lamp", Kind: setup.Point, Output: 800, Unit: "lm", Colour: setup.Colour{Kelvin: 3000}, Shadow: true, ShadowMap: 256, Carry: setup.Baked, Channels: 255, Position: [3]float64{1, 2.5, 2}, Radius: 0.05}
	other := lamp
	other.Name, other.Position, other.Order = "Other", [3]float64{-3, 1.5, 1}, 1
	b := setup.StandardBake()
	b.Page, b.Density, b.Apart = 256, 5, 2
	return &setup.Setup{Version: setup.Version, Name: "Evening", Target: "console-60", Curve: "shoulder", Groups: map[string]setup.Group{}, Looks: map[string]setup.Look{},
		Lights: map[string]setup.Light{"lamp": lamp, "other": other}, Bake: &b,
		Views: map[string]setup.View{"all": {Name: "All", Eye: [3]float64{0, 1.7, 5}, Aim: [3]float64{0, -0.2, -1}, FovY: 50, Aspect: 1.5, EV: 5}}}
}

var quick = setup.Quality{Density: 1, Least: 8, Most: 32, Noise: 0.1, Smooth: 2, Cell: 0.5, Rays: 64, Mirror: 2}

// house is a database with a setup, for farms.
type house struct {
	t     *testing.T
	url   string
	db    *store.DB
	setup int64
	place string
}

func houseAt(t *testing.T, url string) *house {
	h := &house{t: t, url: url}
	h.db = h.open()
	blobs := blob.Postgres{DB: h.db}
	var err error
	h.place, err = blobs.Put(context.Background(), blob.Place, bytes.NewReader(boxes(t)))
	require.NoError(t, err)
	h.setup, err = journal.New(h.db, blobs).Create(context.Background(), journal.Setup{Project: "Boards", Place: h.place, File: "boards.glb", Doc: document()})
	require.NoError(t, err)
	return h
}

func (h *house) open() *store.DB {
	db, err := store.Open(context.Background(), h.url)
	require.NoError(h.t, err)
	h.t.Cleanup(db.Close)
	return db
}

// farm is one process's.
func (h *house) farm() *Farm {
	db := h.open()
	f, err := New(context.Background(), db, stage.NewShop(blob.Postgres{DB: db}, 2))
	require.NoError(h.t, err)
	f.Beat, f.Gone = 100*time.Millisecond, 700*time.Millisecond
	return f
}

// works has a farm work until the returned function ends it.
func (h *house) works(f *Farm) (end func()) {
	ctx, cancel := context.WithCancel(context.Background())
	done := make(chan struct{})
	go func() {
		_ = f.Work(ctx)
		close(done)
	}()
	end = func() { cancel(); <-done }
	h.t.Cleanup(end)
	return end
}

func (h *house) ask(f *Farm, doc *setup.Setup, quality string, q setup.Quality) {
	_, err := f.Ask(context.Background(), &Order{Setup: h.setup, Doc: doc, Place: h.place, File: "boards.glb", Quality: quality, Numbers: q})
	require.NoError(h.t, err)
}

func (h *house) until(f *Farm, what string, ok func(s *Status) bool) *Status {
	var last *Status
	require.Eventually(h.t, func() bool {
		s, err := f.Status(context.Background(), h.setup)
		if err != nil {
			return false
		}
		last = s
		return ok(s)
	}, 90*time.Second, 30*time.Millisecond, "%s: %+v", what, &last)
	return last
}

func done(s *Status) bool { return s.State == Done }

// straight is the same bake, made at once and kept nowhere.
func (h *house) straight(doc *setup.Setup, q setup.Quality) *bake.Result {
	shop := stage.NewShop(blob.Postgres{DB: h.db}, 2)
	st := staging.Of(doc, h.place, "boards.glb")
	on, err := shop.Ready(context.Background(), st)
	require.NoError(h.t, err)
	lamps, err := shop.Lamps(context.Background(), doc, on)
	require.NoError(h.t, err)
	d, err := baking.Run(context.Background(), &baking.Order{Scene: on.Scene, World: on.World, Doc: doc, Lamps: lamps, Place: Place(&st, doc, on.Scene), Quality: q, Workers: 2})
	require.NoError(h.t, err)
	return d.Result
}

// same holds the newest bake that is done to one that nothing disturbed, to the bit.
func (h *house) same(f *Farm, want *bake.Result) {
	last, err := f.Last(context.Background(), h.setup)
	require.NoError(h.t, err)
	require.NotNil(h.t, last)
	o, err := f.Open(context.Background(), last)
	require.NoError(h.t, err)
	require.Len(h.t, o.Result.Objects, 8)
	for i := range want.Objects {
		require.Equal(h.t, want.Objects[i].Layers, o.Result.Objects[i].Layers, "object %d", i)
	}
	require.NotEmpty(h.t, o.Ended.Field.Probes)
	require.Len(h.t, last.Summary.Objects, 8)
}

func TestABakeIsMadeByOneProcessOrTwo(t *testing.T) {
	h := houseAt(t, storetest.Database(t))
	want := h.straight(document(), quick)
	a, b := h.farm(), h.farm()
	h.works(a)
	h.works(b)
	h.ask(a, document(), "draft", quick)
	h.until(a, "the bake is done", done)
	h.same(b, want)
	o, err := a.Overview(context.Background())
	require.NoError(t, err)
	require.Len(t, o.Workers, 2)
	require.Empty(t, o.Queue)
}

func TestOnlyWhatChangedIsMadeAgain(t *testing.T) {
	h := houseAt(t, storetest.Database(t))
	f := h.farm()
	h.works(f)
	h.ask(f, document(), "draft", quick)
	first := h.until(f, "the first bake", done)
	require.Equal(t, 8, first.Tiles)
	require.Equal(t, [2]int{16, 16}, [2]int{first.Made, first.Layers})
	require.InEpsilon(t, first.Seconds, first.Whole, 1e-6)
	h.ask(f, document(), "draft", quick)
	require.Equal(t, 0, h.until(f, "the same again", func(s *Status) bool { return done(s) && s.ID != first.ID }).Tiles, "nothing changed")
	moved := document()
	l := moved.Lights["other"]
	l.Position[0] += 0.5
	moved.Lights["other"] = l
	h.ask(f, moved, "draft", quick)
	again := h.until(f, "the moved lamp", func(s *Status) bool { return done(s) && s.ID > first.ID+1 })
	require.Equal(t, [2]int{8, 16}, [2]int{again.Made, again.Layers})
	require.InEpsilon(t, first.Seconds, again.Whole, 1e-6, "what the whole took")
	h.same(f, h.straight(moved, quick))
	var layers int
	require.NoError(t, h.db.Pool.QueryRow(context.Background(), "SELECT count(*) FROM bake_layers").Scan(&layers))
	require.Equal(t, 8*2+8+(1+2+1)+(1+1), layers, "one lamp's layers besides, and what eyes of probes saw: what no light changes, of each lamp, and the whole; of the moved one, and the whole")
}

func TestWhatTheLastBakeNeedsIsKept(t *testing.T) {
	h := houseAt(t, storetest.Database(t))
	f := h.farm()
	h.works(f)
	do := func(sql string) {
		_, err := h.db.Pool.Exec(context.Background(), sql)
		require.NoError(t, err)
	}
	h.ask(f, document(), "draft", quick)
	first := h.until(f, "the first bake", done)
	better := quick
	better.Most = 64
	h.ask(f, document(), "final", better)
	h.until(f, "the second bake", func(s *Status) bool { return done(s) && s.ID != first.ID })
	do("UPDATE bake_layers SET used = now() - interval '15 days'")
	do("UPDATE bakes SET asked = now() - interval '15 days'")
	do("INSERT INTO bake_layers (key, data) VALUES ('fresh', '')")
	require.NoError(t, f.Sweep(context.Background()))
	h.same(f, h.straight(document(), better))
	var layers, bakes int
	require.NoError(t, h.db.Pool.QueryRow(context.Background(), "SELECT (SELECT count(*) FROM bake_layers), (SELECT count(*) FROM bakes)").Scan(&layers, &bakes))
	require.Equal(t, []int{8*2 + 1, 1}, []int{layers, bakes}, "the older bake and its layers are forgotten, a fresh layer stays")
}

func TestABakePausesGoesOnAndStops(t *testing.T) {
	h := houseAt(t, storetest.Database(t))
	f := h.farm()
	h.works(f)
	long := quick
	long.Least, long.Most = 400, 400
	h.ask(f, document(), "final", long)
	h.until(f, "a tile is worked at", func(s *Status) bool { return len(s.Now) > 0 })
	ctx := context.Background()
	require.NoError(t, f.Pause(ctx, h.setup))
	require.ErrorIs(t, f.Pause(ctx, h.setup), ErrState)
	var was int
	require.Eventually(t, func() bool { // whoever works notices, and gives it up
		f.mu.Lock()
		defer f.mu.Unlock()
		return f.doing == 0
	}, 20*time.Second, 20*time.Millisecond)
	s, err := f.Status(ctx, h.setup)
	require.NoError(t, err)
	was = s.Ready
	require.Equal(t, Paused, s.State)
	require.NoError(t, f.Resume(ctx, h.setup))
	require.ErrorIs(t, f.Resume(ctx, h.setup), ErrState)
	h.until(f, "it goes on", func(s *Status) bool { return s.Ready > was || s.State == Done })
	if err := f.Stop(ctx, h.setup); err == nil {
		h.until(f, "it was stopped", func(s *Status) bool { return s.State == Stopped })
	}
	require.ErrorIs(t, f.Stop(ctx, h.setup), ErrState)
	// A new one is asked for, and is made.
	h.ask(f, document(), "draft", quick)
	h.until(f, "the draft", done)
	h.same(f, h.straight(document(), quick))
}

// A worker that dies gives no sign: its connections are cut and it is never heard of again.
func TestAWorkerIsLostInTheMiddle(t *testing.T) {
	h := houseAt(t, storetest.Database(t))
	long := quick
	long.Least, long.Most = 300, 300
	want := h.straight(document(), long)
	a := h.farm()
	ctx, cancel := context.WithCancel(context.Background())
	defer cancel()
	require.NoError(t, a.client.Start(ctx))
	tending, stop := context.WithCancel(ctx)
	go a.tend(tending)
	h.ask(a, document(), "draft", long)
	h.until(h.farm(), "a tile is worked at", func(s *Status) bool { return len(s.Now) > 0 })
	stop()
	a.db.Pool.Close()
	b := h.farm()
	h.works(b)
	h.until(b, "the other ends it", done)
	h.same(b, want)
}

func TestTheDatabaseIsKilledInTheMiddle(t *testing.T) {
	cluster := storetest.NewCluster(t)
	h := houseAt(t, cluster.URL())
	long := quick
	long.Least, long.Most = 150, 150
	want := h.straight(document(), long)
	f := h.farm()
	h.works(f)
	h.ask(f, document(), "draft", long)
	for range 3 {
		h.until(f, "a tile is worked at, or all are done", func(s *Status) bool { return len(s.Now) > 0 || s.State == Done })
		cluster.Bounce(200 * time.Millisecond)
	}
	h.until(f, "the bake is done", done)
	h.same(f, want)
}

func TestDraftsPassFinalBakes(t *testing.T) {
	h := houseAt(t, storetest.Database(t))
	other, err := journal.New(h.db, blob.Postgres{DB: h.db}).Create(context.Background(), journal.Setup{Project: "Boards", Place: h.place, File: "boards.glb", Doc: document()})
	require.NoError(t, err)
	f := h.farm()
	long := quick
	long.Least, long.Most = 200, 200
	_, err = f.Ask(context.Background(), &Order{Setup: other, Doc: document(), Place: h.place, File: "boards.glb", Quality: "final", Numbers: long})
	require.NoError(t, err)
	h.ask(f, document(), "draft", quick)
	h.works(f)
	h.until(f, "the draft", done)
	s, err := f.Status(context.Background(), other)
	require.NoError(t, err)
	require.NotEqual(t, Done, s.State, "the final one was asked for first, and waits")
	require.Less(t, s.Ready, 8)
}

func TestABakeOfABrokenPlaceSaysSo(t *testing.T) {
	h := houseAt(t, storetest.Database(t))
	h.place = fmt.Sprintf("%064d", 7)
	f := h.farm()
	h.works(f)
	h.ask(f, document(), "draft", quick)
	s := h.until(f, "it failed", func(s *Status) bool { return s.State == Failed })
	require.Contains(t, s.Error, "place")
}
