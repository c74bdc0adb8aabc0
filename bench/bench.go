// Package bench works on open setups: it keeps the compiled place, the views'
// first hits and light layers, decides what to render next, and tells windows
// what is new. All caches of the application are here.
//
// What makes an entry stale: a place is its blob's hash; a frame (first hits
// and guide) is place, camera and size; a layer is its frame and the light's
// own key (setup.Lamp.Key); thumbnails and budgets are the document's revision
// and the layers they were made of.
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
	"willowherb/core/setup"
	"willowherb/format/gltf"
	"willowherb/store"
)

// Options of a bench.
type Options struct {
	Width      int // of the finest picture, pixels
	MaxSamples int // where refinement ends
	Workers    int // 0: all cores
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

// Session is an open setup.
type Session struct {
	bench    *Bench
	ID       int64
	Project  string
	File     string
	Notes    []string
	place    *place
	hash     string
	mu       sync.Mutex // of what follows
	doc      *setup.Setup
	document []byte
	revision int64
	lamps    []*setup.Lamp
	windows  map[*Window]bool
	views    map[string]*view
	figures  bool // thumbnails and budgets are to be made again
	clock    int64
}

// Window is one browser window that looks at a session.
type Window struct {
	Name   string
	Person string
	View   string // id of the view it shows
	Send   func(any)
}

// Open returns the session of a setup, making its place ready if need be.
func (b *Bench) Open(ctx context.Context, id int64) (*Session, error) {
	b.mu.Lock()
	s := b.open[id]
	b.mu.Unlock()
	if s != nil {
		return s, nil
	}
	u, err := b.store.Get(ctx, id)
	if err != nil {
		return nil, err
	}
	doc, err := setup.Parse(u.Document)
	if err != nil {
		return nil, err
	}
	p, err := b.ready(ctx, u.Place, u.File)
	if err != nil {
		return nil, err
	}
	b.mu.Lock()
	defer b.mu.Unlock()
	if s := b.open[id]; s != nil {
		return s, nil
	}
	s = &Session{bench: b, ID: id, Project: u.Project, File: u.File, Notes: u.Notes, place: p, hash: u.Place, doc: doc, document: u.Document, revision: u.Revision,
		windows: map[*Window]bool{}, views: map[string]*view{}, figures: true}
	if err := s.resolve(); err != nil {
		return nil, err
	}
	b.open[id] = s
	return s, nil
}

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

// resolve works out the lamps of the document. Call with mu held or before use.
func (s *Session) resolve() error {
	st, err := setup.Resolve(s.doc, "")
	if err != nil {
		return err
	}
	s.lamps = st.Lamps(s.place.scene)
	return nil
}

// Join adds a window and greets it with the document and all that is known.
func (s *Session) Join(w *Window) {
	s.mu.Lock()
	s.windows[w] = true
	if _, ok := s.doc.Views[w.View]; !ok {
		w.View = s.doc.Opens
		if _, ok := s.doc.Views[w.View]; !ok {
			w.View = ""
			if ids := s.doc.SortedViews(); len(ids) > 0 {
				w.View = ids[0]
			}
		}
	}
	w.Send(s.hello(w))
	for id, v := range s.views {
		for _, f := range v.frames() {
			if m := f.message(id); m != nil {
				w.Send(m)
			}
		}
		if v.budget != nil {
			w.Send(v.figuresMessage(id))
		}
	}
	s.mu.Unlock()
	s.bench.poke(true)
}

// Leave removes a window.
func (s *Session) Leave(w *Window) {
	s.mu.Lock()
	delete(s.windows, w)
	s.mu.Unlock()
	s.bench.poke(true)
}

// Look says that a window now shows a view.
func (s *Session) Look(w *Window, id string) {
	s.mu.Lock()
	if _, ok := s.doc.Views[id]; ok {
		w.View = id
	}
	s.mu.Unlock()
	s.bench.poke(true)
}

// Changed takes in an edit that is in the journal, and tells every window: of
// the edit alone, or of the whole document where a revision was missed.
func (s *Session) Changed(d *store.Done) error {
	s.mu.Lock()
	defer s.mu.Unlock()
	if d.Repeat || d.Revision <= s.revision {
		return nil
	}
	doc, err := setup.Parse(d.Document)
	if err != nil {
		return err
	}
	before := map[[32]byte]bool{}
	for _, l := range s.lamps {
		before[l.Key] = true
	}
	cameras := s.doc.Views
	gap := d.Revision != s.revision+1
	s.doc, s.document, s.revision = doc, d.Document, d.Revision
	if err := s.resolve(); err != nil {
		return err
	}
	s.figures = true
	for w := range s.windows {
		if gap {
			w.Send(s.hello(w))
			continue
		}
		w.Send(Edited{Type: "edited", Revision: d.Revision, Ops: d.Edit.Ops, Label: d.Edit.Label, Deed: d.Deed, Person: d.Edit.Person, Window: d.Edit.Window, Seq: d.Edit.Seq, Lamps: s.lampFacts()})
	}
	stale := len(cameras) != len(doc.Views)
	for _, l := range s.lamps {
		stale = stale || !before[l.Key]
	}
	for id, v := range doc.Views {
		stale = stale || cameras[id] != v
	}
	// Thumbnails and budgets follow at once; the worker may be seconds deep in a pass.
	go func() {
		if err := s.makeFigures(); err != nil {
			slog.Error("figures failed", "setup", s.ID, "err", err)
		}
		s.bench.poke(stale)
	}()
	return nil
}

// Document returns the current document and its revision.
func (s *Session) Document() ([]byte, int64) {
	s.mu.Lock()
	defer s.mu.Unlock()
	return s.document, s.revision
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

// send tells all windows of the session; call with mu held.
func (s *Session) send(m any) {
	for w := range s.windows {
		w.Send(m)
	}
}

func keyName(k [32]byte) string { return hex.EncodeToString(k[:8]) }
