// Package bench works on open setups: it keeps the compiled place, the views'
// first hits and light layers, decides what to render next, and tells windows
// what is new. All caches of the application are here.
//
// What makes an entry stale: a place is its blob's hash; a sight is place, camera
// and what is left out; a frame (first hits and guide) is a sight and a size; a
// layer is its frame and the light's own key (setup.Lamp.Key); thumbnails and
// budgets are the document's revision and the layers they were made of.
package bench

import (
	"context"
	"encoding/hex"
	"errors"
	"fmt"
	"log/slog"
	"runtime"
	"sync"
	"time"

	"willowherb/core/render"
	"willowherb/core/scene"
	"willowherb/format/gltf"
	"willowherb/store"
)

// Options of a bench.
type Options struct {
	Width      int // of the finest picture, pixels
	MaxSamples int // where refinement ends
	Workers    int // 0: all cores
	Memory     int // bytes for pictures; the least used are let go beyond it. 0: 3 GiB
}

// Bench holds the open setups and one worker that renders for all of them.
type Bench struct {
	store  *store.Store
	opt    Options
	mu     sync.Mutex
	open   map[int64]*Session
	places map[string]*place
	wake   chan struct{}
	stop   context.CancelFunc
	done   chan struct{}
	// The work in hand; cancelled when an edit makes it stale or less useful.
	cancelWork context.CancelFunc
	moving     bool // it is a picture for a moving camera
}

type place struct {
	once  sync.Once
	scene *scene.Scene
	world *render.World
	err   error
}

// New starts a bench over a store.
func New(st *store.Store, opt Options) *Bench {
	if opt.Width == 0 {
		opt.Width = 960
	}
	if opt.MaxSamples == 0 {
		opt.MaxSamples = 128
	}
	if opt.Workers == 0 {
		opt.Workers = runtime.GOMAXPROCS(0)
	}
	if opt.Memory == 0 {
		opt.Memory = 3 << 30
	}
	ctx, stop := context.WithCancel(context.Background())
	b := &Bench{store: st, opt: opt, open: map[int64]*Session{}, places: map[string]*place{}, wake: make(chan struct{}, 1), stop: stop, done: make(chan struct{})}
	go b.work(ctx)
	return b
}

// Close ends the work and waits for it.
func (b *Bench) Close() {
	b.stop()
	<-b.done
}

// ErrPlace means that a setup's place could not be made ready.
var ErrPlace = errors.New("the place cannot be shown")

// ready reads and compiles a place once.
func (b *Bench) ready(ctx context.Context, hash, file string) (*place, error) {
	b.mu.Lock()
	p := b.places[hash]
	if p == nil {
		p = &place{}
		b.places[hash] = p
	}
	b.mu.Unlock()
	p.once.Do(func() {
		start := time.Now()
		data, err := b.store.Blob(ctx, hash)
		if err == nil {
			p.scene, err = gltf.Read(context.WithoutCancel(ctx), file, data, nil, gltf.DefaultLimits())
		}
		if err == nil {
			p.world, err = render.Compile(p.scene, b.opt.Workers)
		}
		if p.err = err; err == nil {
			slog.Info("place ready", "file", file, "triangles", p.scene.Triangles(), "took", time.Since(start).Round(time.Millisecond))
		}
	})
	if p.err != nil {
		b.mu.Lock()
		if b.places[hash] == p {
			delete(b.places, hash) // a later try may find the database well again
		}
		b.mu.Unlock()
		return nil, fmt.Errorf("%w: %w", ErrPlace, p.err)
	}
	return p, nil
}

// poke wakes the worker; with stale it also ends what the worker is doing, which
// it takes up again if that is still the most useful work.
func (b *Bench) poke(stale bool) {
	if stale {
		b.mu.Lock()
		if b.cancelWork != nil {
			b.cancelWork()
		}
		b.mu.Unlock()
	}
	select {
	case b.wake <- struct{}{}:
	default:
	}
}

func keyName(k [32]byte) string { return hex.EncodeToString(k[:8]) }
