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

	"willowherb/core/drawn"
	"willowherb/core/render"
	"willowherb/core/scene"
	"willowherb/core/setup"
	"willowherb/core/vec"
	"willowherb/format/gltf"
	"willowherb/format/ies"
	"willowherb/store"
)

// Options of a bench.
type Options struct {
	Width      int // of the finest picture, pixels
	MaxSamples int // where refinement ends
	Workers    int // 0: all cores
	Memory     int // bytes for pictures; the least used are let go beyond it. 0: 2 GiB
}

// Bench holds the open setups and one worker that renders for all of them.
type Bench struct {
	store  *store.Store
	opt    Options
	mu     sync.Mutex
	open   map[int64]*Session
	files  shelf[*scene.Scene]
	built  shelf[*built]
	places shelf[*place]
	// Files that lights refer to.
	profiles shelf[*ies.File]
	slides   shelf[[]vec.V3]
	// Lights of frames as the target draws them: by frame, light and settings.
	drawn shelf[*drawnLayer]
	hits  shelf[*drawn.Hits]
	wake  chan struct{}
	stop  context.CancelFunc
	done  chan struct{}
	// The work in hand; cancelled when an edit makes it stale or less useful.
	cancelWork context.CancelFunc
	moving     bool // it is a picture for a moving camera
	// How wide the next picture in motion will be; the worker's own.
	previewWidth int
}

// place is a stage made ready: the scene as the setup has it, and its rays.
type place struct {
	scene *scene.Scene
	world *render.World
}

// stage is what a document makes of its place, with the place made ready.
type stage struct {
	setup.Stage
	*place
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
		opt.Memory = 2 << 30
	}
	ctx, stop := context.WithCancel(context.Background())
	b := &Bench{store: st, opt: opt, open: map[int64]*Session{}, wake: make(chan struct{}, 1), stop: stop, done: make(chan struct{}), previewWidth: 128}
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

// built is a file with its backdrops compiled, everything at rest.
type built struct {
	scene *scene.Scene
	parts []render.Part
	world *render.World
}

// ready makes a stage ready, each part of it once: the file, its geometry, and
// where movers stand and how materials look.
func (b *Bench) ready(ctx context.Context, st setup.Stage) (*stage, error) {
	p, err := b.places.get(st.Key, 12, func() (*place, error) {
		g, err := b.built.get(st.Geometry, 4, func() (*built, error) {
			start := time.Now()
			file, err := b.file(ctx, st)
			if err != nil {
				return nil, err
			}
			g := &built{}
			g.scene, g.parts = st.Build(file)
			if g.world, err = render.CompileParts(g.scene, g.parts, b.opt.Workers); err != nil {
				return nil, err
			}
			slog.Info("place ready", "file", st.File, "triangles", g.scene.Triangles(), "took", time.Since(start).Round(time.Millisecond))
			return g, nil
		})
		if err != nil {
			return nil, err
		}
		s := st.Set(g.scene, g.parts)
		w := g.world.Painted(s)
		if st.Pose != st.Geometry {
			if w, err = g.world.Posed(s, b.opt.Workers); err != nil {
				return nil, err
			}
		}
		return &place{s, w.WithChannels(st.Channels(s))}, nil
	})
	if err != nil {
		return nil, fmt.Errorf("%w: %w", ErrPlace, err)
	}
	return &stage{st, p}, nil
}

// file reads the stage's file once.
func (b *Bench) file(ctx context.Context, st setup.Stage) (*scene.Scene, error) {
	return b.files.get(st.Blob, 4, func() (*scene.Scene, error) {
		data, err := b.store.Blob(ctx, st.Blob)
		if err != nil {
			return nil, err
		}
		return gltf.Read(context.WithoutCancel(ctx), st.File, data, nil, gltf.DefaultLimits())
	})
}

// shelf keeps the last few of things that are dear to make, each made once however
// many ask for it at a time. What fails is tried again.
type shelf[T any] struct {
	mu    sync.Mutex
	items map[string]*item[T]
	clock int64
}

type item[T any] struct {
	once sync.Once
	v    T
	err  error
	used int64
}

func (s *shelf[T]) get(key string, keep int, make func() (T, error)) (T, error) {
	s.mu.Lock()
	if s.items == nil {
		s.items = map[string]*item[T]{}
	}
	i := s.items[key]
	if i == nil {
		i = &item[T]{}
		s.items[key] = i
	}
	s.clock++
	i.used = s.clock
	for len(s.items) > keep {
		oldest := ""
		for k, o := range s.items {
			if oldest == "" || o.used < s.items[oldest].used {
				oldest = k
			}
		}
		delete(s.items, oldest)
	}
	s.mu.Unlock()
	i.once.Do(func() { i.v, i.err = make() })
	if i.err != nil {
		s.mu.Lock()
		if s.items[key] == i {
			delete(s.items, key)
		}
		s.mu.Unlock()
	}
	return i.v, i.err
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
