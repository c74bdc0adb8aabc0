package stage_test

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"strings"
	"sync"
	"sync/atomic"
	"testing"

	"github.com/stretchr/testify/require"
	"willowherb/blob"
	"willowherb/blob/blobtest"
	"willowherb/core/edits"
	"willowherb/core/setup"
	"willowherb/core/staging"
	"willowherb/stage"
	"willowherb/stage/stagetest"
	"willowherb/store"
)

var ctx = context.Background()

func TestShelfMakesThingsOnceAndTriesFailuresAgain(t *testing.T) {
	s := stage.Shelf[int]{Keep: 2}
	made, fail := 0, true
	get := func(key string) (int, error) {
		return s.Get(ctx, key, func(context.Context) (int, error) {
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

// Whoever asked first may go: those who wait have it made again, by one of them.
func TestShelfOutlivesWhoAskedFirst(t *testing.T) {
	s := stage.Shelf[int]{Keep: 2}
	first, cancel := context.WithCancel(ctx)
	begun := make(chan struct{})
	var made atomic.Int32
	var wg sync.WaitGroup
	wg.Go(func() {
		_, err := s.Get(first, "a", func(ctx context.Context) (int, error) {
			close(begun)
			<-ctx.Done()
			return 0, ctx.Err()
		})
		require.ErrorIs(t, err, context.Canceled)
	})
	<-begun
	for range 4 {
		wg.Go(func() {
			v, err := s.Get(ctx, "a", func(context.Context) (int, error) { return int(made.Add(1)), nil })
			require.NoError(t, err)
			require.Equal(t, 1, v)
		})
	}
	cancel()
	wg.Wait()
	// One who waits and goes is let go at once.
	hold := make(chan struct{})
	wg.Go(func() {
		_, _ = s.Get(ctx, "slow", func(context.Context) (int, error) { <-hold; return 1, nil })
	})
	short, end := context.WithCancel(ctx)
	end()
	require.Eventually(t, func() bool {
		_, err := s.Get(short, "slow", func(context.Context) (int, error) { return 0, errors.New("twice") })
		return errors.Is(err, context.Canceled)
	}, testWait, testTick)
	close(hold)
	wg.Wait()
	require.Panics(t, func() { _, _ = s.Get(ctx, "p", func(context.Context) (int, error) { panic("x") }) })
	v, err := s.Get(ctx, "p", func(context.Context) (int, error) { return 7, nil })
	require.NoError(t, err, "a panic leaves nobody waiting")
	require.Equal(t, 7, v)
}

func TestStagesAreSharedByContent(t *testing.T) {
	blobs := &blobtest.Memory{}
	hash, doc := stagetest.Floor(t, blobs)
	shop := stage.NewShop(blobs, 2)
	a, err := shop.Ready(ctx, staging.Of(doc, hash, "floor.glb"))
	require.NoError(t, err)
	b, err := shop.Ready(ctx, staging.Of(doc, hash, "floor.glb"))
	require.NoError(t, err)
	require.True(t, a == b)
	c, err := edits.Apply(doc, []edits.Op{{Op: "add", Path: "/materials/m", Value: []byte(`{"name":"floor","roughness":0.2}`)}})
	require.NoError(t, err)
	painted, err := shop.Ready(ctx, staging.Of(c.After, hash, "floor.glb"))
	require.NoError(t, err)
	require.NotEqual(t, a.Key, painted.Key)
	require.Equal(t, a.Geometry, painted.Geometry, "the geometry is the same")
	lamps, err := shop.Lamps(ctx, doc, a)
	require.NoError(t, err)
	require.Len(t, lamps, 2)
}

func TestWhatCannotBeShownIsToldFromWhatIsAway(t *testing.T) {
	blobs := &blobtest.Memory{}
	hash, doc := stagetest.Floor(t, blobs)
	shop := stage.NewShop(blobs, 2)
	bad, err := blobs.Put(ctx, blob.Place, strings.NewReader("no glb"))
	require.NoError(t, err)
	_, err = shop.Ready(ctx, staging.Of(doc, bad, "bad.glb"))
	require.ErrorIs(t, err, stage.ErrPlace)
	require.ErrorContains(t, err, "bad.glb")
	require.False(t, store.Away(err))
	blobs.SetAway(store.ErrAway)
	_, err = shop.Ready(ctx, staging.Of(doc, hash, "floor.glb"))
	require.True(t, store.Away(err))
	blobs.SetAway(nil)
	on, err := shop.Ready(ctx, staging.Of(doc, hash, "floor.glb"))
	require.NoError(t, err, "it is asked again")
	// A profile that cannot be read leaves the light as it is; one that is away does not.
	junk, err := blobs.Put(ctx, blob.Profile, bytes.NewReader([]byte("junk")))
	require.NoError(t, err)
	l := doc.Lights["one"]
	l.Profile = &setup.Profile{Blob: junk, File: "x.ies", Scaled: true}
	doc.Lights["one"] = l
	lamps, err := shop.Lamps(ctx, doc, on)
	require.NoError(t, err)
	require.Len(t, lamps, 2)
	blobs.SetAway(store.ErrAway)
	_, err = shop.Lamps(ctx, doc, on)
	require.True(t, store.Away(err))
}
