package baking

import (
	"cmp"
	"context"
	"maps"
	"slices"
	"strings"
	"sync"
	"testing"

	"github.com/stretchr/testify/require"
	"willowherb/core/bake"
	"willowherb/core/lamps"
	"willowherb/core/mirrors"
	"willowherb/core/scene/scenetest"
	"willowherb/core/setup"
	"willowherb/core/staging"
	"willowherb/core/vec"
)

func place() *scenetest.Stage {
	g := scenetest.New()
	g.Floor(6)
	g.Box("crate", vec.V3{X: 2, Y: 0.5}, 0.5)
	return g
}

func document() *setup.Setup {
	lamp := setup.Light{Name: "Lamp", Kind: setup.Point, Output: 100, Unit: setup.Candela, Colour: setup.Colour{Kelvin: 3000}, Shadow: true, Carry: setup.Baked, Channels: 255, Position: [3]float64{0, 2, 1}}
	live := lamp
	live.Name, live.Carry, live.Order = "Live", setup.Live, 1
	b := setup.StandardBake()
	b.Density, b.Page = 8, 256
	b.Mirrors["m"] = setup.Mirror{Name: "Room", Position: [3]float64{0, 1, 0}, Middle: [3]float64{0, 1, 0}, Size: [3]float64{8, 2, 8}, Pixels: 16}
	return &setup.Setup{Version: 1, Target: "console-60", Lights: map[string]setup.Light{"lamp": lamp, "live": live}, Bake: &b, Objects: map[string]setup.Object{},
		Views: map[string]setup.View{"a": {Name: "A", Eye: [3]float64{-4, 1.6, 0}, Aim: [3]float64{1, 0, 0}}, "b": {Name: "B", Order: 1, Eye: [3]float64{5, 1.6, 0}, Aim: [3]float64{-1, 0, 0}}}}
}

func snapshot(t *testing.T, doc *setup.Setup) *Order {
	g := place()
	w := g.World(t)
	st, err := lamps.Resolve(doc, "")
	require.NoError(t, err)
	on := staging.Of(doc, "file", "level.glb")
	return &Order{Scene: g.S, World: w, Doc: doc, Lamps: st.Lamps(g.S, nil), Place: on.Still(staging.Movers(doc, g.S), g.S), Quality: setup.Quality{Density: 1, Least: 8, Most: 16, Noise: 0.1, Smooth: 1, Cell: 0.5, Rays: 64, Mirror: 2}, Workers: 2}
}

func (o *Order) shot() *Snapshot { return &Snapshot{o.Doc, o.Lamps, o.Place} }

func TestAWholeBake(t *testing.T) {
	o := snapshot(t, document())
	var stages []Stage
	o.Tell = func(p Progress) {
		if len(stages) == 0 || stages[len(stages)-1] != p.Stage {
			stages = append(stages, p.Stage)
		}
		require.LessOrEqual(t, p.Share, 1.0)
	}
	d, err := Run(context.Background(), o)
	require.NoError(t, err)
	require.Equal(t, Laying, stages[0])
	require.Equal(t, []Stage{Mapping, Probing, Mirroring}, stages[len(stages)-3:])
	require.Contains(t, stages, Preparing)
	require.Len(t, d.Result.Sources, 1, "a live light is not baked")
	require.Len(t, d.Mirrors[0].Lights, 2, "and is mirrored all the same")
	require.NotEmpty(t, d.Field.Probes)
	require.Greater(t, len(d.Route), 7, "from view to view, round the crate")
	require.Equal(t, len(d.Route), len(d.Faults))
	// One light alone has no probes, and the same layers.
	o.Only, o.Tell = "lamp", nil
	alone, err := Run(context.Background(), o)
	require.NoError(t, err)
	require.Nil(t, alone.Field)
	require.Equal(t, d.Result.Objects[0].Layers[0].Lux, alone.Result.Objects[0].Layers[0].Lux)
	ended, cancel := context.WithCancel(context.Background())
	cancel()
	_, err = Run(ended, o)
	require.ErrorIs(t, err, context.Canceled)
}

func TestChangesSayWhatNeedsABake(t *testing.T) {
	was := snapshot(t, document()).shot()
	say := func(change func(doc *setup.Setup)) []Change {
		doc := document()
		change(doc)
		return Changes(was, snapshot(t, doc).shot())
	}
	light := func(f func(l *setup.Light)) func(*setup.Setup) {
		return func(doc *setup.Setup) {
			l := doc.Lights["lamp"]
			f(&l)
			doc.Lights["lamp"] = l
		}
	}
	require.Empty(t, say(func(*setup.Setup) {}))
	for want, c := range map[string]struct {
		live   bool
		change func(*setup.Setup)
	}{
		"+1.0 stops":           {true, light(func(l *setup.Light) { l.Stops = 1 })},
		"turned off":           {true, light(func(l *setup.Light) { l.Off = true })},
		"another colour":       {true, light(func(l *setup.Light) { l.Colour.Kelvin = 6000 })},
		"moved, turned":        {false, light(func(l *setup.Light) { l.Position[0] = 1 })},
		"is carried otherwise": {false, light(func(l *setup.Light) { l.Carry = setup.Split })},
		"baked no longer":      {true, light(func(l *setup.Light) { l.Carry = setup.Live })},
		"objects, materials":   {false, func(doc *setup.Setup) { doc.Objects["c"] = setup.Object{Path: "crate", Hidden: true} }},
		"density, pages":       {false, func(doc *setup.Setup) { doc.Bake.Density = 9 }},
		"pages, views": {false, func(doc *setup.Setup) {
			v := doc.Views["a"]
			v.Eye[0]++
			doc.Views["a"] = v
		}},
		"reflection probes stand": {false, func(doc *setup.Setup) { doc.Bake.Apart = 3 }},
	} {
		got := say(c.change)
		require.Len(t, got, 1, want)
		require.Contains(t, got[0].Why, want)
		require.Equal(t, c.live, got[0].Live, want)
	}
	// A mover may stand anywhere.
	mover := document()
	mover.Objects["c"] = setup.Object{Path: "crate", Part: setup.Mover}
	before := snapshot(t, mover).shot()
	elsewhere := document()
	elsewhere.Objects["c"] = setup.Object{Path: "crate", Part: setup.Mover, Turn: 30}
	require.Empty(t, Changes(before, snapshot(t, elsewhere).shot()))
}

func TestWhatIsWrongWithABakeIsFound(t *testing.T) {
	doc := document()
	dense := 40.0
	doc.Objects["c"] = setup.Object{Path: "crate", Density: &dense}
	doc.Bake.Probes = map[string]setup.Probe{"p": {Name: "In the crate", Position: [3]float64{2, 0.5, 0}}}
	o := snapshot(t, doc)
	d, err := Run(context.Background(), o)
	require.NoError(t, err)
	found := map[string]Finding{}
	for _, f := range Check(o.Scene, doc, d.Result, &d.Ended) {
		require.NotContains(t, found, f.Kind, "each kind once")
		require.NotEmpty(t, f.Remedy)
		require.True(t, slices.IsSortedFunc(f.Where, func(a, b Where) int { return cmp.Compare(b.Much, a.Much) }), "the worst first")
		found[f.Kind] = f
	}
	density := found["density"].Where[0]
	require.Contains(t, density.Object+density.How, "crate")
	d.Ended.Faults[0].Share = 0.9
	d.Ended.MirrorFaults[0] = 0.8
	d.Ended.Field.Dropped = []vec.V3{{}}
	y := &d.Result.Objects[0].Layers[0]
	y.Noise, y.Thin = y.Mean, 5000
	other := &d.Result.Objects[1].Layers[0]
	other.Noise = 3 * other.Mean
	var text []string
	for _, f := range Check(o.Scene, doc, d.Result, &d.Ended) {
		require.True(t, slices.IsSortedFunc(f.Where, func(a, b Where) int { return cmp.Compare(b.Much, a.Much) }), "the worst first")
		for _, w := range f.Where {
			text = append(text, f.Kind+" "+w.Object+" "+w.How)
		}
	}
	said := strings.Join(text, "\n")
	for _, want := range []string{"m by 90 %", "by 80 %", "dropped  1 of them", "100 % of its light", "leak "} {
		require.Contains(t, said, want)
	}
}

func TestAnEstimateIsOfTheBakeThatItTells(t *testing.T) {
	o := snapshot(t, document())
	e, w, err := o.Guess(context.Background())
	require.NoError(t, err)
	require.Greater(t, e.Ready, 0.0)
	require.Greater(t, e.Seconds, e.Ready)
	o.Before = w
	o.Quality.Most, o.Quality.Rays = 20, 32
	next, err := o.Lay(context.Background())
	require.NoError(t, err)
	require.Same(t, w, next.before, "fewer samples lie on the same charts, and gather from the same light cache")
	idle, err := next.Order.Lay(context.Background())
	require.NoError(t, err)
	require.Nil(t, idle.before, "without one before there is none")
	next.Order.Before = next
	third, err := next.Order.Lay(context.Background())
	require.NoError(t, err)
	require.Same(t, w, third.before, "who has none ready is passed over")
	require.Equal(t, 20, next.Plan.Quality.Most)
	b, err := next.Baker(context.Background())
	require.NoError(t, err)
	require.Equal(t, 20, b.Plan.Quality.Most)
	o.Quality.Most, o.Quality.Rays = 16, 64
	d, err := Run(context.Background(), o)
	require.NoError(t, err)
	require.Equal(t, d.Result.Plan.Texels(), e.Texels)
	require.InEpsilon(t, d.Result.Samples, e.Samples, 0.3)
	q := Within(setup.Qualities["final"], Estimate{Seconds: 1020, Ready: 20, Samples: 100_000, Texels: 1000}, 100)
	require.Equal(t, 10, q.Most)
	require.Equal(t, 1.0, Hasty(setup.Qualities["final"], 30).Cell)
	require.Equal(t, setup.Qualities["final"], Hasty(setup.Qualities["final"], 600))
	require.Equal(t, setup.Qualities["final"], Within(setup.Qualities["final"], Estimate{Seconds: 10}, 100))
}

// shelf keeps in memory, and counts what is new.
type shelf struct {
	mu     sync.Mutex
	layers map[string]bake.Layer
	data   map[string][]byte
	fresh  int
}

func (s *shelf) Layer(_ context.Context, key string) (bake.Layer, bool, error) {
	l, ok := s.layers[key]
	return l, ok, nil
}

func (s *shelf) Keep(_ context.Context, key string, l bake.Layer) error {
	s.layers[key] = l
	return nil
}

func (s *shelf) Data(_ context.Context, key string) ([]byte, bool, error) {
	d, ok := s.data[key]
	return d, ok, nil
}

func (s *shelf) KeepData(_ context.Context, key string, d []byte) error {
	s.mu.Lock()
	defer s.mu.Unlock()
	s.data[key] = d
	s.fresh++
	return nil
}

// TestAfterAMoveAllButTheMovedLightIsTaken: layers, probes and panoramas of what did not change
// are taken as they are, the light cache's links too, and the whole is the bits of a bake from
// nothing.
func TestAfterAMoveAllButTheMovedLightIsTaken(t *testing.T) {
	two := func(x float64) *setup.Setup {
		doc := document()
		other := doc.Lights["lamp"]
		other.Name, other.Order, other.Position = "Other", 2, [3]float64{x, 1.5, -2}
		doc.Lights["other"] = other
		return doc
	}
	ctx := context.Background()
	kept := &shelf{layers: map[string]bake.Layer{}, data: map[string][]byte{}}
	first := snapshot(t, two(-3))
	first.Kept = kept
	was, err := first.Lay(ctx)
	require.NoError(t, err)
	e, err := was.End(ctx)
	require.NoError(t, err)
	require.Equal(t, 1+2+3+1, kept.fresh, "what was seen, two lights' probes, three in the panorama, and the whole")

	same, err := first.Lay(ctx)
	require.NoError(t, err)
	again, err := same.End(ctx)
	require.NoError(t, err)
	require.Equal(t, e.Field.Probes, again.Field.Probes)
	require.Nil(t, same.ready(), "nothing was worked out")

	for name, before := range map[string]*Work{"by the same process": was, "by another": nil} {
		mine := &shelf{layers: kept.layers, data: maps.Clone(kept.data)}
		moved := snapshot(t, two(-2.5))
		moved.Kept, moved.Before = mine, before
		now, err := moved.Lay(ctx)
		require.NoError(t, err, name)
		require.Equal(t, before != nil, now.Plan == was.Plan, name)
		got, err := now.End(ctx)
		require.NoError(t, err, name)
		require.LessOrEqual(t, mine.fresh, 1+2+1+1, "%s: the moved light's, the whole, and the other's probes where some stand elsewhere", name)
		whole, err := snapshot(t, two(-2.5)).Lay(ctx)
		require.NoError(t, err)
		want, err := whole.End(ctx)
		require.NoError(t, err)
		require.Equal(t, want.Field.Probes, got.Field.Probes, name)
		require.Equal(t, want.Faults, got.Faults, name)
		require.Equal(t, want.Mirrors, got.Mirrors, name)
		require.Equal(t, want.MirrorFaults, got.MirrorFaults, name)
		require.NotEqual(t, e.Field.Probes[0].SH, got.Field.Probes[0].SH, "%s: the light was moved", name)
	}
	dense := snapshot(t, two(-3))
	dense.Doc.Bake.Density, dense.Before = 9, was
	other, err := dense.Lay(ctx)
	require.NoError(t, err)
	require.NotSame(t, was.Plan, other.Plan, "other texels")
	broken := &shelf{layers: kept.layers, data: map[string][]byte{}}
	for k := range kept.data {
		broken.data[k] = []byte("no data")
	}
	hurt := snapshot(t, two(-3))
	hurt.Kept = broken
	w, err := hurt.Lay(ctx)
	require.NoError(t, err)
	whole, err := w.End(ctx)
	require.NoError(t, err)
	require.Equal(t, e.Field.Probes, whole.Field.Probes, "what is broken is made again")
}

// FuzzUnpack: what is kept by others than this build is an error, and never more.
func FuzzUnpack(f *testing.F) {
	m := &mirrors.Mirror{Mirror: setup.Mirror{Pixels: 1}, Lights: []string{"a"}, Layers: [][]float32{make([]float32, 6)}}
	good := Ended{Mirrors: []*mirrors.Mirror{m}, MirrorFaults: []float64{0.5}, MirrorGains: []vec.V3{vec.Splat(1)}}
	f.Add(good.Pack())
	short := *m
	short.Layers = [][]float32{{1}}
	bad := good
	bad.Mirrors = []*mirrors.Mirror{&short}
	f.Add(bad.Pack())
	f.Add([]byte("no data"))
	f.Fuzz(func(t *testing.T, data []byte) {
		e, err := Unpack(data)
		if err != nil {
			return
		}
		for _, m := range e.Mirrors {
			if m.Pixels < 64 {
				m.Sum(e.MirrorGains, 1)
			}
		}
	})
}

func TestWhatDoesNotFitIsNotUnpacked(t *testing.T) {
	m := func(n int) *mirrors.Mirror {
		return &mirrors.Mirror{Mirror: setup.Mirror{Pixels: 1}, Lights: []string{"a"}, Layers: [][]float32{make([]float32, n)}}
	}
	e := Ended{Mirrors: []*mirrors.Mirror{m(6)}, MirrorFaults: []float64{0.5}, MirrorGains: []vec.V3{{}}}
	got, err := Unpack(e.Pack())
	require.NoError(t, err)
	require.Equal(t, e.Mirrors, got.Mirrors)
	e.Mirrors[0] = m(5)
	_, err = Unpack(e.Pack())
	require.ErrorContains(t, err, "does not fit")
	e.Mirrors[0], e.MirrorGains = m(6), nil
	_, err = Unpack(e.Pack())
	require.ErrorContains(t, err, "does not fit")
	_, err = Unpack(e.Pack()[:9])
	require.Error(t, err)
}
