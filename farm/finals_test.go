package farm

import (
	"archive/zip"
	"bytes"
	"context"
	"image/png"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
	"willowherb/blob"
	"willowherb/core/finals"
	"willowherb/core/lamps"
	"willowherb/core/setup"
	"willowherb/core/staging"
	"willowherb/core/world"
	"willowherb/format/exr"
	"willowherb/stage"
	"willowherb/store/storetest"
)

// way is a sequence of three frames from one view to another.
func way() (*setup.Setup, finals.Order) {
	doc := document()
	doc.Views["end"] = setup.View{Name: "End", Order: 1, Eye: [3]float64{2, 1.7, 4}, Aim: [3]float64{-0.3, -0.2, -1}, FovY: 40, Aspect: 1.5, EV: 6}
	return doc, finals.Order{Views: []string{"all", "end"}, Seconds: 1, Rate: 3, Width: 48, Height: 32, Samples: 4, Passes: 2}
}

func (h *house) frames(f *Farm, doc *setup.Setup, o finals.Order) int64 {
	id, err := f.AskFinals(context.Background(), &FinalOrder{Setup: h.setup, Revision: 3, Doc: doc, Place: h.place, File: "boards.glb", Wanted: o})
	require.NoError(h.t, err)
	return id
}

func (h *house) untilFinals(f *Farm, what string, id int64, ok func(s *FinalStatus) bool) (last FinalStatus) {
	require.Eventually(h.t, func() bool {
		all, err := f.Finals(context.Background(), h.setup)
		for i := range all {
			if all[i].ID == id {
				last = all[i]
				return err == nil && ok(&last)
			}
		}
		return false
	}, 90*time.Second, 30*time.Millisecond, "%s: %+v", what, &last)
	return last
}

// plainly is a frame made at once, without a queue.
func (h *house) plainly(doc *setup.Setup, o finals.Order, frame int) []float32 {
	shop := stage.NewShop(blob.Postgres{DB: h.db}, 2)
	on, err := shop.Ready(context.Background(), staging.Of(doc, h.place, "boards.glb"))
	require.NoError(h.t, err)
	st, err := lamps.Resolve(doc, "")
	require.NoError(h.t, err)
	w, err := world.Compile(on.Scene, 1)
	require.NoError(h.t, err)
	at := o.Frame(doc, on.Scene, frame, nil)
	var pieces []*finals.Piece
	for k := range o.Pieces() {
		p, err := o.Make(context.Background(), &finals.Place{Scene: on.Scene, World: w, Lamps: st.Lamps(on.Scene, nil)}, &at, k, 1)
		require.NoError(h.t, err)
		pieces = append(pieces, p)
	}
	j, err := o.Join(&at, pieces, func(l float64) float64 { return l })
	require.NoError(h.t, err)
	return j.RGB
}

// A sequence is made by two processes, one of which is lost in the middle: the same light as
// without a queue, each frame as a file, all of them in one.
func TestASequenceIsMadeAndAWorkerIsLost(t *testing.T) {
	h := houseAt(t, storetest.Database(t))
	doc, o := way()
	a := h.farm()
	require.NoError(t, a.client.Start(context.Background()))
	tending, stop := context.WithCancel(context.Background())
	go a.tend(tending)
	id := h.frames(a, doc, o)
	b := h.farm()
	h.untilFinals(b, "it is worked at", id, func(s *FinalStatus) bool { return s.State == Working })
	stop()
	a.db.Pool.Close()
	h.works(b)
	s := h.untilFinals(b, "all frames", id, func(s *FinalStatus) bool { return s.State == Done })
	require.Equal(t, []int{3, 6, 6, 3}, []int{s.Frames, s.Tiles, s.Ready, len(s.Made)})
	require.Equal(t, 5.0, s.Made[0].EV)
	require.Equal(t, 6.0, s.Made[2].EV)
	require.Positive(t, s.Made[1].Error)
	require.Equal(t, o, s.Wanted)
	ctx := context.Background()
	for k := range 3 {
		data, err := b.Frame(ctx, h.setup, id, k, "exr")
		require.NoError(t, err)
		got, err := exr.Read("frame", data, "")
		require.NoError(t, err)
		want := h.plainly(doc, o, k)
		require.Len(t, got.RGB, len(want))
		for i := range want {
			require.InDelta(t, want[i], got.RGB[i], 1e-3*float64(want[i])+1e-6, "halves of the file")
		}
	}
	data, err := b.Frame(ctx, h.setup, id, 2, "png")
	require.NoError(t, err)
	im, err := png.Decode(bytes.NewReader(data))
	require.NoError(t, err)
	require.Equal(t, 48, im.Bounds().Dx())
	var all bytes.Buffer
	require.NoError(t, b.Zip(ctx, &all, h.setup, id, s.Made, "png"))
	z, err := zip.NewReader(bytes.NewReader(all.Bytes()), int64(all.Len()))
	require.NoError(t, err)
	require.Len(t, z.File, 3)
	require.Equal(t, "0001.png", z.File[0].Name)
	none, err := b.Frame(ctx, h.setup+1, id, 0, "png")
	require.NoError(t, err)
	require.Nil(t, none, "of another setup")
	none, err = b.Frame(ctx, h.setup, id, 0, "document")
	require.NoError(t, err)
	require.Nil(t, none)

	// Asked for again with more passes, it goes on from what there is.
	o.Samples, o.Passes = 6, 3
	more := h.frames(b, doc, o)
	h.untilFinals(b, "three passes each", more, func(s *FinalStatus) bool { return s.State == Done })
	var quick int
	require.NoError(t, h.db.Pool.QueryRow(ctx, "SELECT count(*) FROM final_pieces WHERE final = $1 AND seconds < 0.001", more).Scan(&quick))
	require.Equal(t, 6, quick, "two of three passes of each frame are there already")
	require.NoError(t, b.ForgetFinals(ctx, h.setup, id))
	require.ErrorIs(t, b.ForgetFinals(ctx, h.setup, id), ErrState)
}

func TestFinalFramesPauseGoOnAndStop(t *testing.T) {
	h := houseAt(t, storetest.Database(t))
	doc, o := way()
	o.Views, o.Seconds, o.Passes, o.Samples = []string{"all"}, 0, 16, 640
	f := h.farm()
	h.works(f)
	ctx := context.Background()
	id := h.frames(f, doc, o)
	first := h.untilFinals(f, "it can be looked at after its first pass", id, func(s *FinalStatus) bool { return len(s.Made) == 1 })
	require.Less(t, first.Made[0].Passes, 16)
	view, err := f.Overview(ctx)
	require.NoError(t, err)
	require.Len(t, view.Queue, 1)
	require.Equal(t, "frames", view.Queue[0].What)
	require.Equal(t, 16, view.Queue[0].Tiles)
	require.NoError(t, f.TurnFinals(ctx, h.setup, id, Paused))
	require.ErrorIs(t, f.TurnFinals(ctx, h.setup, id, Paused), ErrState)
	require.Eventually(t, func() bool {
		f.mu.Lock()
		defer f.mu.Unlock()
		return f.doing == 0
	}, 20*time.Second, 20*time.Millisecond)
	was := h.untilFinals(f, "it pauses", id, func(s *FinalStatus) bool { return s.State == Paused }).Ready
	require.Less(t, was, 16)
	require.NoError(t, f.TurnFinals(ctx, h.setup, id, Waiting))
	h.untilFinals(f, "it goes on", id, func(s *FinalStatus) bool { return s.Ready > was })
	require.NoError(t, f.TurnFinals(ctx, h.setup, id, Stopped))
	require.ErrorIs(t, f.TurnFinals(ctx, h.setup, id, Waiting), ErrState)
	require.ErrorIs(t, f.TurnFinals(ctx, h.setup+1, id, Stopped), ErrState, "of another setup")
}

// A draft that is asked for while a long pass is at work does not wait for its end; the frames
// are made all the same.
func TestADraftPassesFinalFrames(t *testing.T) {
	h := houseAt(t, storetest.Database(t))
	doc, o := way()
	o.Views, o.Seconds, o.Width, o.Height, o.Passes, o.Samples = []string{"all"}, 0, 320, 240, 1, 200
	f := h.farm()
	h.works(f)
	id := h.frames(f, doc, o)
	require.Eventually(t, func() bool {
		f.mu.Lock()
		defer f.mu.Unlock()
		return f.what == "frame 1, tile 1"
	}, 60*time.Second, 10*time.Millisecond)
	h.ask(f, document(), "draft", quick)
	h.until(f, "the draft", done)
	s := h.untilFinals(f, "the frame waits", id, func(s *FinalStatus) bool { return true })
	require.Zero(t, s.Ready)
	require.NoError(t, f.TurnFinals(context.Background(), h.setup, id, Stopped))
}

func TestFinalFramesOfABrokenPlaceSaySo(t *testing.T) {
	h := houseAt(t, storetest.Database(t))
	h.place = "00"
	f := h.farm()
	h.works(f)
	doc, o := way()
	s := h.untilFinals(f, "it failed", h.frames(f, doc, o), func(s *FinalStatus) bool { return s.State == Failed })
	require.Contains(t, s.Error, "place")
}
