package spread

import (
	"context"
	"errors"
	"sync/atomic"
	"testing"

	"github.com/stretchr/testify/require"
)

func TestEveryItemIsDoneOnce(t *testing.T) {
	for _, workers := range []int{0, 1, 3, 40} {
		done := make([]int32, 37)
		begun, ended := atomic.Int32{}, atomic.Int32{}
		require.NoError(t, With(context.Background(), len(done), workers, func() (func(int), func()) {
			begun.Add(1)
			return func(i int) { atomic.AddInt32(&done[i], 1) }, func() { ended.Add(1) }
		}))
		for i, n := range done {
			require.EqualValues(t, 1, n, "item %d", i)
		}
		require.EqualValues(t, max(workers, 1), begun.Load())
		require.Equal(t, begun.Load(), ended.Load())
	}
}

func TestTheContextsCauseComesBack(t *testing.T) {
	why := errors.New("the edit made it stale")
	ctx, cancel := context.WithCancelCause(context.Background())
	n := atomic.Int32{}
	err := Over(ctx, 1000, 1, func(int) {
		if n.Add(1) == 5 {
			cancel(why)
		}
	})
	require.ErrorIs(t, err, why)
	require.EqualValues(t, 5, n.Load())
}

func TestAFaultIsAnErrorAndStopsTheLoop(t *testing.T) {
	for _, workers := range []int{1, 3} {
		n, ended := atomic.Int32{}, atomic.Int32{}
		err := With(context.Background(), 1000, workers, func() (func(int), func()) {
			return func(i int) {
				if n.Add(1); i == 3 {
					var none []int
					_ = none[i]
				}
			}, func() { ended.Add(1) }
		})
		var f *Fault
		require.ErrorAs(t, err, &f)
		require.ErrorContains(t, err, "index out of range [3]")
		require.Contains(t, string(f.Stack), "spread_test.go")
		require.EqualValues(t, workers, ended.Load())
		if workers == 1 {
			require.EqualValues(t, 4, n.Load())
		}
	}
}
