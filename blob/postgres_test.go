package blob_test

import (
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"io"
	"math/rand/v2"
	"sync"
	"testing"
	"testing/iotest"
	"time"

	"github.com/stretchr/testify/require"
	"willowherb/blob"
	"willowherb/store"
	"willowherb/store/storetest"
)

var ctx = context.Background()

func open(t *testing.T) blob.Postgres {
	db, err := store.Open(ctx, storetest.Database(t))
	require.NoError(t, err)
	t.Cleanup(db.Close)
	return blob.Postgres{DB: db}
}

func hashOf(data []byte) string {
	h := sha256.Sum256(data)
	return hex.EncodeToString(h[:])
}

func TestFilesAreKeptByContent(t *testing.T) {
	p := open(t)
	for _, n := range []int{0, 1, 1 << 20, 1<<20 + 1, 2_700_000} {
		data := make([]byte, n)
		rng := rand.NewChaCha8([32]byte{byte(n)})
		_, _ = rng.Read(data)
		// However the reader hands it out, and however often it comes.
		for _, r := range []io.Reader{bytes.NewReader(data), iotest.HalfReader(bytes.NewReader(data)), iotest.DataErrReader(bytes.NewReader(data))} {
			h, err := p.Put(ctx, blob.Place, r)
			require.NoError(t, err)
			require.Equal(t, hashOf(data), h)
		}
		got, err := blob.Read(ctx, p, hashOf(data))
		require.NoError(t, err)
		require.True(t, bytes.Equal(data, got))
	}
	_, err := blob.Read(ctx, p, "00")
	require.ErrorIs(t, err, store.ErrNotFound)
	var files, chunks int
	require.NoError(t, p.DB.Pool.QueryRow(ctx, `SELECT (SELECT count(*) FROM blobs), (SELECT count(*) FROM blob_chunks)`).Scan(&files, &chunks))
	require.Equal(t, 5, files, "what came again left nothing behind")
	require.Equal(t, 0+1+1+2+3, chunks)
}

func TestWhatEndsHalfWayLeavesNothing(t *testing.T) {
	p := open(t)
	broken := io.MultiReader(bytes.NewReader(make([]byte, 1_500_000)), iotest.ErrReader(errors.New("cable")))
	_, err := p.Put(ctx, blob.Place, broken)
	require.ErrorContains(t, err, "cable")
	var n int
	require.NoError(t, p.DB.Pool.QueryRow(ctx, `SELECT count(*) FROM blobs`).Scan(&n))
	require.Zero(t, n)
}

func TestDamageIsFound(t *testing.T) {
	p := open(t)
	data := bytes.Repeat([]byte("saltmarsh"), 300_000)
	h, err := p.Put(ctx, blob.Place, bytes.NewReader(data))
	require.NoError(t, err)
	for _, sql := range []string{
		`UPDATE blob_chunks SET data = set_byte(data, 5, 0) WHERE n = 1`,
		`UPDATE blob_chunks SET data = 'x' WHERE n = 1`,
		`DELETE FROM blob_chunks WHERE n = 2`,
	} {
		_, err = p.DB.Pool.Exec(ctx, sql)
		require.NoError(t, err)
		_, err = blob.Read(ctx, p, h)
		require.ErrorContains(t, err, "damaged", sql)
	}
}

func TestManyAtOnceKeepOne(t *testing.T) {
	p := open(t)
	var wg sync.WaitGroup
	for range 8 {
		wg.Go(func() {
			_, err := p.Put(ctx, blob.Slide, bytes.NewReader(make([]byte, 1_200_000)))
			if err != nil {
				t.Error(err)
			}
		})
	}
	wg.Wait()
	got, err := blob.Read(ctx, p, hashOf(make([]byte, 1_200_000)))
	require.NoError(t, err)
	require.Len(t, got, 1_200_000)
}

func TestWhatAFileIsTakenForHasToHold(t *testing.T) {
	p := open(t)
	h, err := p.Put(ctx, blob.Profile, bytes.NewReader([]byte("IESNA")))
	require.NoError(t, err)
	lacks, err := p.Lacks(ctx, blob.Profile, []string{h, "feed"})
	require.NoError(t, err)
	require.Equal(t, []string{"feed"}, lacks)
	lacks, err = p.Lacks(ctx, blob.Place, []string{h})
	require.NoError(t, err)
	require.Equal(t, []string{h}, lacks, "a profile is no place")
}

func TestSweepForgetsWhatNothingNames(t *testing.T) {
	p := open(t)
	var hashes []string
	for i := range 4 {
		h, err := p.Put(ctx, blob.Slide, bytes.NewReader([]byte{byte(i)}))
		require.NoError(t, err)
		hashes = append(hashes, h)
	}
	named := func(_ context.Context, h string) (bool, error) { return h == hashes[0], nil }
	n, err := p.Sweep(ctx, time.Hour, named)
	require.NoError(t, err)
	require.Zero(t, n, "all of them came just now")
	_, err = p.DB.Pool.Exec(ctx, `UPDATE blobs SET used = now() - interval '2 days'`)
	require.NoError(t, err)
	_, err = p.Lacks(ctx, blob.Slide, hashes[1:2]) // asked after
	require.NoError(t, err)
	_, err = p.Put(ctx, blob.Slide, bytes.NewReader([]byte{2})) // sent again
	require.NoError(t, err)
	n, err = p.Sweep(ctx, time.Hour, named)
	require.NoError(t, err)
	require.Equal(t, 1, n)
	_, err = blob.Read(ctx, p, hashes[3])
	require.ErrorIs(t, err, store.ErrNotFound)
	for _, h := range hashes[:3] {
		_, err = blob.Read(ctx, p, h)
		require.NoError(t, err)
	}
}
