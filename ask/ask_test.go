package ask

import (
	"context"
	"math"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
	"willowherb/blob/blobtest"
	"willowherb/core/edits"
	"willowherb/core/setup"
	"willowherb/plan"
	"willowherb/refine"
	"willowherb/room"
	"willowherb/stage"
	"willowherb/stage/stagetest"
)

var ctx = context.Background()

// quiet is a room in which one eye looks at view a.
type quiet struct{ state refine.State }

func (s *quiet) State() *refine.State           { return &s.state }
func (s *quiet) Tell(_ refine.News, _ ...int64) {}

func opened(t *testing.T, change func(*setup.Setup)) (*Desk, *refine.Pictures) {
	blobs := &blobtest.Memory{}
	studio := refine.New(stage.NewShop(blobs, 2), refine.Options{Width: 64, MaxSamples: 2, Workers: 2})
	t.Cleanup(studio.Close)
	hash, doc := stagetest.Floor(t, blobs)
	if change != nil {
		change(doc)
	}
	p := studio.Open(1, &quiet{refine.State{Doc: doc, Place: hash, File: "floor.glb", Eyes: []refine.Eye{{ID: 1, See: stage.Sight{Camera: doc.Views["a"]}}}}})
	s, err := p.Shot(ctx)
	require.NoError(t, err)
	require.Eventually(t, func() bool {
		return s.View("a", s.Lamps, plan.Full) != nil && s.View("a", s.Lamps, plan.Thumb) != nil && s.View("b", s.Lamps, plan.Thumb) != nil
	}, 30*time.Second, 5*time.Millisecond)
	return NewDesk(studio), p
}

func sightOf(t *testing.T, p *refine.Pictures, view string) string {
	s, err := p.Shot(ctx)
	require.NoError(t, err)
	return s.View(view, s.Lamps, plan.Full, plan.Thumb).Sight
}

func TestWeighNoticeContrastAndCompare(t *testing.T) {
	d, p := opened(t, nil)
	a, err := d.Weigh(ctx, p, Point{Gaze: room.Gaze{View: "a"}, X: 0.5, Y: 0.5})
	require.NoError(t, err)
	require.Equal(t, "floor", a.Object)
	require.Len(t, a.Shares, 2)
	require.InDelta(t, 1, a.Shares[0].Share+a.Shares[1].Share, 1e-9)
	_, err = d.Weigh(ctx, p, Point{Gaze: room.Gaze{View: "gone"}, X: 0.5, Y: 0.5})
	require.ErrorIs(t, err, ErrUnknown)
	_, err = d.Weigh(ctx, p, Point{Gaze: room.Gaze{View: "a", Cut: -1}, X: 0.5, Y: 0.5})
	require.ErrorIs(t, err, ErrUnknown)
	n, err := d.Notice(ctx, p)
	require.NoError(t, err)
	require.Greater(t, n["a"]["one"].Mean, 0.0)
	require.GreaterOrEqual(t, n["a"]["one"].P95, n["a"]["one"].Mean)
	sight := sightOf(t, p, "a")
	_, ok, err := d.Contrast(ctx, p, sight, 0, 5)
	require.NoError(t, err)
	require.False(t, ok, "a floor of ten metres is no figure")
	_, _, err = d.Contrast(ctx, p, "none", 0, 5)
	require.ErrorIs(t, err, ErrUnknown)
	_, _, err = d.Contrast(ctx, p, sight, 7, 5)
	require.ErrorIs(t, err, ErrUnknown)
	s, err := p.Shot(ctx)
	require.NoError(t, err)
	brighter, err := edits.Apply(s.Doc, []edits.Op{{Op: "replace", Path: "/lights/one/stops", Value: []byte("1")}})
	require.NoError(t, err)
	c, ok, err := d.Compare(ctx, p, sight, "a", nil, brighter.After)
	require.NoError(t, err)
	require.True(t, ok, "stops need no layer")
	require.Greater(t, c.Stops, 0.1)
	moved, err := edits.Apply(s.Doc, []edits.Op{{Op: "replace", Path: "/lights/one/range", Value: []byte("3")}})
	require.NoError(t, err)
	_, ok, err = d.Compare(ctx, p, sight, "a", nil, moved.After)
	require.NoError(t, err)
	require.False(t, ok, "another shape needs one that is not there")
}

func TestMapsAndPictures(t *testing.T) {
	d, p := opened(t, nil)
	sight := sightOf(t, p, "a")
	m := Map(p, sight+"-2")
	require.Len(t, m, 2*64*64)
	require.Equal(t, uint32(0), m[2*(32*64+32)], "the floor is under the middle of the picture")
	require.Nil(t, Map(p, "none-2"))
	for what, size := range map[string]int{Albedo: 4, Normals: 4, Edges: 4, Crowding: 1, Reaching: 1} {
		data, _, err := Drawn(p, sight+"-2", what, "one")
		require.NoError(t, err)
		require.Len(t, data, size*64*64, what)
	}
	data, _, err := Drawn(p, sight+"-2", "other", "")
	require.NoError(t, err)
	require.Nil(t, data)
	both, level, ok, err := d.Picture(ctx, p, "a", nil)
	require.NoError(t, err)
	require.True(t, ok)
	require.Equal(t, plan.Full, level)
	alone, _, _, err := d.Picture(ctx, p, "a", []string{"one"})
	require.NoError(t, err)
	require.NotEqual(t, both, alone)
	_, _, ok, err = d.Picture(ctx, p, "gone", nil)
	require.NoError(t, err)
	require.False(t, ok)
	f, err := d.Facts(ctx, p)
	require.NoError(t, err)
	require.Equal(t, "floor", f.Things[0].Path)
	require.Equal(t, "floor", f.Surfaces[0].Name)
	words, scale, err := d.Runtime(ctx, p, sight+"-2", "one")
	require.NoError(t, err)
	require.Len(t, words, 64*64)
	require.Positive(t, scale)
	_, _, err = d.Runtime(ctx, p, sight+"-2", "ghost")
	require.ErrorIs(t, err, ErrUnknown)
}

// Questions end with whoever asked.
func TestQuestionsEndWithTheirContext(t *testing.T) {
	d, p := opened(t, nil)
	gone, cancel := context.WithCancel(ctx)
	cancel()
	sight := sightOf(t, p, "a")
	for name, ask := range map[string]func() error{
		"weigh": func() error {
			_, err := d.Weigh(gone, p, Point{Gaze: room.Gaze{View: "a"}, X: 0.5, Y: 0.5})
			return err
		},
		"notice":  func() error { _, err := d.Notice(gone, p); return err },
		"snags":   func() error { _, err := d.Snags(gone, p); return err },
		"runtime": func() error { _, _, err := d.Runtime(gone, p, sight+"-2", "one"); return err },
	} {
		require.ErrorIs(t, ask(), context.Canceled, name)
	}
	words, _, err := d.Runtime(ctx, p, sight+"-2", "one")
	require.NoError(t, err, "the next who asks is answered")
	require.NotNil(t, words)
}

// What is measured of views and lights is read from the layers as they are packed:
// ten times the lights take no more memory than ten times the answer.
func TestMeasuringDoesNotUnpackViewsTimesLights(t *testing.T) {
	d, p := opened(t, func(doc *setup.Setup) {
		l := doc.Lights["one"]
		for _, id := range []string{"c", "d", "e", "f", "g", "h", "i", "j"} {
			l.Name = id
			doc.Lights[id] = l
		}
	})
	in, _, ready, err := d.measured(ctx, p)
	require.NoError(t, err)
	require.True(t, ready)
	bytes := testing.AllocsPerRun(1, func() { in, _, _, _ = d.measured(ctx, p) })
	require.Less(t, bytes, 400.0, "some headers for each view and light, no pictures")
	f := in.Views[0]
	var direct float64
	for px := range f.W * f.H {
		q, _ := f.Given[0].At(px)
		direct += float64(q.Y)
	}
	require.Positive(t, direct)
}

// An eye does not go through the floor, and says what stopped it; what is hidden it passes.
func TestStep(t *testing.T) {
	d, p := opened(t, nil)
	a, err := d.Step(ctx, p, StepAsk{Gaze: room.Gaze{View: "a"}, From: [3]float64{0, 2, 0}, To: [3]float64{1, -2, 0}})
	require.NoError(t, err)
	require.Equal(t, "floor", a.By)
	require.InDelta(t, EyeRadius, a.At[1], 0.02)
	require.InDelta(t, 1, a.At[0], 1e-3, "it slides along it")
	require.Zero(t, math.Round(10*a.Free))
	a, err = d.Step(ctx, p, StepAsk{Gaze: room.Gaze{View: "a", Hidden: []string{"floor"}}, From: [3]float64{0, 2, 0}, To: [3]float64{1, -2, 0}})
	require.NoError(t, err)
	require.Equal(t, Stepped{At: [3]float64{1, -2, 0}, Free: a.Free}, *a)
	require.Greater(t, a.Free, 7.0)
	for _, to := range [][3]float64{{math.NaN()}, {1e9}, {0, math.Inf(-1)}} {
		_, err = d.Step(ctx, p, StepAsk{Gaze: room.Gaze{View: "a"}, To: to})
		require.ErrorIs(t, err, ErrUnknown)
	}
}
