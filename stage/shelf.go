package stage

import (
	"context"
	"errors"
	"sync"
)

var errUnmade = errors.New("it could not be made")

// Shelf keeps the last Keep of things that are dear to make, each made once however
// many ask for it at a time. What fails is tried again by the next who asks; what
// fails because whoever asked first has gone is made again for those who wait.
type Shelf[T any] struct {
	Keep  int
	mu    sync.Mutex
	items map[string]*item[T]
	clock int64
}

type item[T any] struct {
	done chan struct{} // closed once v or err stands
	v    T
	err  error
	gone bool // it failed since whoever asked first has gone
	used int64
}

// Get returns the thing of that key, made if need be.
func (s *Shelf[T]) Get(ctx context.Context, key string, make_ func(context.Context) (T, error)) (v T, err error) {
	for {
		i, mine := s.item(key)
		if mine {
			i.err = errUnmade
			defer func() { // after a panic too: nobody waits for ever
				i.gone = i.err != nil && ctx.Err() != nil
				s.settle(key, i)
			}()
			i.v, i.err = make_(ctx)
			return i.v, i.err
		}
		select {
		case <-ctx.Done():
			return v, context.Cause(ctx)
		case <-i.done:
		}
		if i.err == nil || ctx.Err() != nil || !i.gone {
			return i.v, i.err
		}
	}
}

// item finds a thing, or begins it: mine says that the caller has to make it.
func (s *Shelf[T]) item(key string) (i *item[T], mine bool) {
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.items == nil {
		s.items = map[string]*item[T]{}
	}
	i = s.items[key]
	if i == nil {
		i = &item[T]{done: make(chan struct{})}
		s.items[key], mine = i, true
	}
	s.clock++
	i.used = s.clock
	for len(s.items) > max(s.Keep, 1) {
		oldest := ""
		for k, o := range s.items {
			if oldest == "" || o.used < s.items[oldest].used {
				oldest = k
			}
		}
		delete(s.items, oldest)
	}
	return i, mine
}

func (s *Shelf[T]) settle(key string, i *item[T]) {
	s.mu.Lock()
	if i.err != nil && s.items[key] == i {
		delete(s.items, key)
	}
	s.mu.Unlock()
	close(i.done)
}
