// Package spread does the items of a loop on several workers at once. Work stops
// between two items when the context ends, and a fault in one item stops the
// loop and comes back as an error instead of ending the process.
package spread

import (
	"context"
	"fmt"
	"runtime/debug"
	"sync"
	"sync/atomic"
)

// Fault is what a worker panicked with, and where.
type Fault struct {
	Value any
	Stack []byte
}

// Error says what the fault was, and below it where.
func (f *Fault) Error() string { return fmt.Sprintf("fault while computing: %v\n%s", f.Value, f.Stack) }

// Guard calls do, and returns the Fault it panics with, if it does.
func Guard(do func() error) (err error) {
	defer func() {
		if v := recover(); v != nil {
			err = &Fault{v, debug.Stack()}
		}
	}()
	return do()
}

// Over calls do for each of the items 0 to n-1, in no order. It returns the
// context's cause if that ended first, or the first Fault.
func Over(ctx context.Context, n, workers int, do func(item int)) error {
	return With(ctx, n, workers, func() (func(int), func()) { return do, func() {} })
}

// With is Over for loops whose workers have a state of their own: begin is called
// once by each worker, and end when it has done its last item.
func With(ctx context.Context, n, workers int, begin func() (do func(item int), end func())) error {
	ctx, cancel := context.WithCancelCause(ctx)
	defer cancel(nil)
	var next atomic.Int64
	var wg sync.WaitGroup
	for range max(workers, 1) {
		wg.Go(func() {
			err := Guard(func() error {
				do, end := begin()
				defer end()
				for ctx.Err() == nil {
					i := int(next.Add(1)) - 1
					if i >= n {
						break
					}
					do(i)
				}
				return nil
			})
			if err != nil {
				cancel(err)
			}
		})
	}
	wg.Wait()
	if ctx.Err() != nil {
		return context.Cause(ctx)
	}
	return nil
}
