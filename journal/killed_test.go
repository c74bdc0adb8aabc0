package journal_test

import (
	"errors"
	"fmt"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
	"willowherb/core/edits"
	"willowherb/core/setup"
	"willowherb/store"
	"willowherb/store/storetest"
)

// PostgreSQL is killed again and again in a burst of edits of four people. Every
// edit comes through, once, whatever the moment; none is refused.
func TestNoEditIsLostWhenTheDatabaseIsKilled(t *testing.T) {
	cluster := storetest.NewCluster(t)
	j := at(t, cluster.URL())
	j.db.Patience = 60 * time.Millisecond // less than the database is away: the caller has to try again too
	id := j.create(t)
	const people, kills = 4, 4
	var stop atomic.Bool
	var wg sync.WaitGroup
	var away atomic.Int64
	made := make([]int64, people)
	for p := range people {
		wg.Go(func() {
			who := fmt.Sprint("p", p)
			for seq := int64(1); !stop.Load(); seq++ {
				for {
					_, err := j.Apply(ctx, id, edit(who, seq, "x", edits.Op{Op: "add", Path: fmt.Sprintf("/groups/%s-%d", who, seq%50), Value: raw(setup.Group{Name: fmt.Sprint(seq)})}))
					if err == nil {
						break
					}
					if !errors.Is(err, store.ErrAway) {
						t.Errorf("edit %d of %s was refused: %v", seq, who, err)
						return
					}
					away.Add(1) // as a window does: again, until it is there
				}
				made[p] = seq
			}
		})
	}
	for k := range kills {
		time.Sleep(250 * time.Millisecond)
		cluster.Bounce(time.Duration(k) * 60 * time.Millisecond)
	}
	time.Sleep(250 * time.Millisecond)
	stop.Store(true)
	wg.Wait()
	kept, err := j.Since(ctx, id, 0, 1_000_000)
	require.NoError(t, err)
	seen := map[string]int64{}
	var ops [][]edits.Op
	for i, e := range kept {
		require.EqualValues(t, i+1, e.Revision, "no gap")
		require.Equal(t, seen[e.Edit.Person]+1, e.Edit.Seq, "each once, in order")
		seen[e.Edit.Person] = e.Edit.Seq
		ops = append(ops, e.Edit.Ops)
	}
	for p := range people {
		require.GreaterOrEqual(t, seen[fmt.Sprint("p", p)], made[p], "acknowledged edits are there")
		require.Positive(t, made[p])
	}
	u, err := j.Get(ctx, id)
	require.NoError(t, err)
	require.Equal(t, string(storetest.Replay(t, document().JSON(), ops).JSON()), string(u.Doc.JSON()))
	t.Logf("%d kept, %d kills, %d times told to try again", len(kept), kills, away.Load())
}
