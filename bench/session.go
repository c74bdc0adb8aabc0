package bench

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"maps"
	"slices"
	"sync"
	"time"

	"willowherb/core/budget"
	"willowherb/core/setup"
	"willowherb/core/spread"
	"willowherb/store"
)

// Session is an open setup.
type Session struct {
	bench    *Bench
	ID       int64
	Project  string
	File     string
	Notes    []string
	blob     string     // of the file that the setup came with
	served   int64      // nanoseconds of work it has had, guarded by the worker alone
	mu       sync.Mutex // of what follows
	doc      *setup.Setup
	document []byte
	revision int64
	stage    *stage
	lamps    []*setup.Lamp
	windows  map[*Window]bool
	sights   map[string]*sight
	views    map[string]*view
	figures  bool // thumbnails and budgets are to be made again
	clock    int64
}

// view is what the shelf shows of a saved view.
type view struct {
	budget  *budget.Frame
	revised int64
	thumb   []byte
	version int64
}

func (v *view) message(id string) Figures {
	return Figures{"figures", id, v.revised, v.version, *v.budget}
}

// Window is one browser window that looks at a session. Its unexported fields are
// guarded by the session's mutex.
type Window struct {
	Name   string
	Person string
	Called string // what the person is called
	View   string // id of the view it shows
	Send   func(any)

	gaze Gaze
	// While the camera moves, pictures are made for it as it goes; made counts those.
	moved, made int64
	looked      time.Time // when it last moved
	rested      *sight    // where it last stood still: it may well come back
	// What a drag under way would make of the document: lamps as they would be.
	draft   *setup.Setup
	drafted []*setup.Lamp
	stage   *stage // where the drag changes the place
	// Other states, to compare with, and their lamps on the session's stage.
	asides []*setup.Setup
	aside  []*setup.Lamp
}

// Gaze is how a window looks: at a saved view, or with a camera of its own.
type Gaze struct {
	N       int64       `json:"n"` // counts up; answers name it
	View    string      `json:"view"`
	Camera  *setup.View `json:"camera,omitempty"`
	Moving  bool        `json:"moving"`
	Neutral bool        `json:"neutral"`
	Hidden  []string    `json:"hidden,omitempty"`
	Cut     float64     `json:"cut"`
	Alone   []string    `json:"alone,omitempty"` // for the pictures of a moving camera
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
	st, err := b.ready(ctx, setup.StageOf(doc, u.Place, u.File))
	if err != nil {
		return nil, err
	}
	b.mu.Lock()
	defer b.mu.Unlock()
	if s := b.open[id]; s != nil {
		return s, nil
	}
	s = &Session{bench: b, ID: id, Project: u.Project, File: u.File, Notes: u.Notes, blob: u.Place, stage: st, doc: doc, document: u.Document, revision: u.Revision,
		windows: map[*Window]bool{}, sights: map[string]*sight{}, views: map[string]*view{}, figures: true}
	if s.lamps, err = b.resolve(doc, st); err != nil {
		return nil, err
	}
	b.open[id] = s
	return s, nil
}

// Join adds a window and greets it with the document and all that is known.
func (s *Session) Join(w *Window) {
	s.mu.Lock()
	s.windows[w] = true
	s.opens(w)
	w.Send(s.hello(w))
	s.greet(w)
	for id, v := range s.views {
		if v.budget != nil {
			w.Send(v.message(id))
		}
	}
	for _, id := range s.doc.SortedViews() {
		if t := s.sights[s.keyOf(id)]; t != nil && t.levels[thumb] != nil {
			s.sendThumb(w, id, t)
		}
	}
	s.present()
	s.mu.Unlock()
	s.bench.poke(true)
}

// opens makes sure that w shows a view that is there.
func (s *Session) opens(w *Window) {
	for _, id := range append([]string{w.View, s.doc.Opens}, s.doc.SortedViews()...) {
		if _, ok := s.doc.Views[id]; ok {
			w.View = id
			return
		}
	}
	w.View = ""
}

// see is how w sees now; ok is false while it has nothing to look at.
func (s *Session) see(w *Window) (see Sight, ok bool) {
	doc := s.doc
	if w.draft != nil {
		doc = w.draft
	}
	v, ok := doc.Views[w.View]
	if w.gaze.Camera != nil {
		v, ok = *w.gaze.Camera, true
	}
	return Sight{Camera: v, Neutral: w.gaze.Neutral, Hidden: w.gaze.Hidden, Cut: w.gaze.Cut}, ok
}

// stageOf is the stage that w sees. Call with mu held.
func (s *Session) stageOf(w *Window) *stage {
	if w.stage != nil {
		return w.stage
	}
	return s.stage
}

// greet tells w which sight is its own, and what is known of it.
func (s *Session) greet(w *Window) {
	see, ok := s.see(w)
	if !ok || w.gaze.Moving {
		return
	}
	t := s.sight(see, s.stageOf(w))
	w.Send(Sighted{"sighted", w.gaze.N, t.key})
	for _, f := range t.frames() {
		if m := f.message(t); m != nil && f.level != thumb {
			w.Send(m)
		}
	}
}

// present tells every window who else is here.
func (s *Session) present() {
	names := map[string]string{}
	for w := range s.windows {
		names[w.Person] = w.Called
	}
	s.send(Present{"present", names, len(s.windows)})
}

// Call says what a window's person is called.
func (s *Session) Call(w *Window, name string) {
	s.mu.Lock()
	defer s.mu.Unlock()
	w.Called = name
	s.present()
}

// Leave removes a window.
func (s *Session) Leave(w *Window) {
	s.mu.Lock()
	delete(s.windows, w)
	s.present()
	s.mu.Unlock()
	s.bench.poke(true)
}

// Look takes in how a window looks.
func (s *Session) Look(w *Window, g Gaze) {
	if g.Camera != nil {
		if err := g.Camera.Check(); err != nil {
			return // a camera gone astray is not worth an answer
		}
	}
	s.mu.Lock()
	was := w.gaze.Moving
	if _, ok := s.doc.Views[g.View]; ok {
		w.View = g.View
	}
	w.gaze = g
	if g.Moving {
		w.moved++
		w.looked = time.Now()
	} else {
		s.greet(w)
	}
	s.mu.Unlock()
	// A picture for the eye in motion is worth more than any other work, once.
	s.bench.poke(!g.Moving || !was || !s.bench.previewing())
}

// Draft takes in what a drag under way would change; no ops end it. A drag that
// makes no valid document is passed over until it does; one that would build the
// place anew is shown when it ends.
func (s *Session) Draft(w *Window, ops []setup.Op) {
	s.mu.Lock()
	document, base := s.document, s.stage
	s.mu.Unlock()
	var doc *setup.Setup
	var lamps []*setup.Lamp
	var on *stage
	if len(ops) > 0 {
		after, _, err := setup.Apply(document, ops)
		if err != nil {
			return
		}
		if doc, err = setup.Parse(after); err != nil {
			return
		}
		on = base
		st := setup.StageOf(doc, s.blob, s.File)
		if st.Geometry != on.Geometry {
			return
		}
		if st.Key != on.Key {
			if on, err = s.bench.ready(context.Background(), st); err != nil {
				return
			}
		}
		if lamps, err = s.bench.resolve(doc, on); err != nil {
			return
		}
	}
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.stage != base {
		return // the place has changed under the hand: the next step of the drag is made on it
	}
	before := w.drafted
	w.draft, w.drafted, w.stage = doc, lamps, nil
	if on != nil && on.Key != s.stage.Key {
		w.stage = on
		w.moved++ // shown by pictures in motion until it is there
	}
	if lamps != nil {
		w.Send(Drafted{"drafted", s.facts(lamps)})
	}
	s.greet(w)
	if fresh(before, lamps) || w.stage != nil {
		defer s.bench.poke(!s.bench.previewing())
	}
}

// Aside says which other states' lamps a window wants beside the setup's own;
// none ends it. It returns the facts of each.
func (s *Session) Aside(window string, docs []*setup.Setup) ([]map[string]LampFact, error) {
	s.mu.Lock()
	defer s.mu.Unlock()
	w, err := s.window(window)
	if err != nil {
		return nil, err
	}
	w.asides, w.aside = docs, nil
	var out []map[string]LampFact
	for _, d := range docs {
		lamps, err := s.bench.resolve(d, s.stage)
		if err != nil {
			return nil, err
		}
		w.aside = append(w.aside, lamps...)
		out = append(out, s.facts(lamps))
	}
	s.greet(w)
	s.bench.poke(true)
	return out, nil
}

// fresh reports whether after has a layer that before has not.
func fresh(before, after []*setup.Lamp) bool {
	known := map[[32]byte]bool{}
	for _, l := range before {
		known[l.Key] = true
	}
	return slices.ContainsFunc(after, func(l *setup.Lamp) bool { return !known[l.Key] })
}

// wanted are the lamps whose layers a sight's frames need: the setup's, and those
// of drags and comparisons in the windows that show it. All are made for the
// sight's own stage: a shining surface is where that stage has it. Call with mu held.
func (s *Session) wanted(t *sight) []*setup.Lamp {
	var out []*setup.Lamp
	known := map[[32]byte]bool{}
	add := func(lamps []*setup.Lamp) {
		for _, l := range lamps {
			if !known[l.Key] {
				known[l.Key] = true
				out = append(out, l)
			}
		}
	}
	here := t.stage.Key == s.stage.Key
	if here {
		add(s.lamps)
	}
	for w := range s.windows {
		if see, ok := s.see(w); !ok || see.key(s.stageOf(w).Key) != t.key {
			continue
		}
		add(w.drafted)
		if here {
			add(w.aside)
		}
	}
	return out
}

// Changed takes in an edit that is in the journal, and tells every window: of
// the edit alone, or of the whole document where a revision was missed.
func (s *Session) Changed(d *store.Done) error {
	if d.Repeat {
		return nil
	}
	doc, err := setup.Parse(d.Document)
	if err != nil {
		return err
	}
	// Made ready before anybody has to wait for the lock.
	on, err := s.bench.ready(context.Background(), setup.StageOf(doc, s.blob, s.File))
	if err != nil {
		return err
	}
	lamps, err := s.bench.resolve(doc, on)
	if err != nil {
		return err
	}
	s.mu.Lock()
	defer s.mu.Unlock()
	if d.Revision <= s.revision {
		return nil
	}
	elsewhere := on.Key != s.stage.Key
	stale := elsewhere || fresh(s.lamps, lamps) || !maps.Equal(s.doc.Views, doc.Views)
	gap := d.Revision != s.revision+1
	views := s.doc.Views
	s.doc, s.document, s.revision, s.lamps, s.stage = doc, d.Document, d.Revision, lamps, on
	s.figures = true
	for _, t := range s.sights {
		t.failed = false
	}
	for w := range s.windows {
		if w.Name == d.Edit.Window {
			w.draft, w.drafted, w.stage = nil, nil, nil
		}
		if elsewhere {
			s.restage(w)
		}
		before := w.View
		s.opens(w)
		if gap {
			w.Send(s.hello(w))
		} else {
			w.Send(Edited{Type: "edited", Revision: d.Revision, Ops: d.Edit.Ops, Label: d.Edit.Label, Deed: d.Deed, Person: d.Edit.Person, Window: d.Edit.Window, Seq: d.Edit.Seq, Lamps: s.facts(lamps), Over: d.Over})
		}
		if gap || elsewhere || before != w.View || views[w.View] != doc.Views[w.View] {
			s.greet(w)
		}
	}
	// Thumbnails and budgets follow at once; the worker may be seconds deep in a pass.
	go func() {
		if err := spread.Guard(s.makeFigures); err != nil {
			slog.Error("figures failed", "setup", s.ID, "err", err)
		}
		s.bench.poke(stale)
	}()
	return nil
}

// restage makes what a window has beside the document anew for another stage: a
// drag goes on with its next step, what is compared with is resolved again.
func (s *Session) restage(w *Window) {
	w.draft, w.drafted, w.stage, w.aside = nil, nil, nil, nil
	for _, d := range w.asides {
		lamps, err := s.bench.resolve(d, s.stage)
		if err != nil {
			slog.Error("a state to compare with cannot be resolved", "setup", s.ID, "err", err)
			continue
		}
		w.aside = append(w.aside, lamps...)
	}
}

// Document returns the current document and its revision.
func (s *Session) Document() ([]byte, int64) {
	s.mu.Lock()
	defer s.mu.Unlock()
	return s.document, s.revision
}

// send tells all windows of the session; call with mu held.
func (s *Session) send(m any) {
	for w := range s.windows {
		w.Send(m)
	}
}

// tell sends a frame's news to the windows that show its sight, and a
// thumbnail's to all, since the Ledger adds up what lights give in every view.
func (s *Session) tell(t *sight, f *frame) {
	if f.level == thumb {
		for _, id := range s.doc.SortedViews() {
			if s.keyOf(id) == t.key {
				for w := range s.windows {
					s.sendThumb(w, id, t)
				}
			}
		}
		return
	}
	m := f.message(t)
	if m == nil {
		return
	}
	for w := range s.windows {
		if see, ok := s.see(w); ok && see.key(s.stageOf(w).Key) == t.key {
			w.Send(m)
		}
	}
}

func (s *Session) sendThumb(w *Window, id string, t *sight) {
	if m := t.levels[thumb].message(t); m != nil {
		m.View = id
		w.Send(m)
	}
}

// keyOf is the key of a saved view's sight.
func (s *Session) keyOf(id string) string {
	see := viewSight(s.doc.Views[id])
	return see.key(s.stage.Key)
}

// ErrUnknown means that a sight, frame or view is not, or no longer, known.
var ErrUnknown = errors.New("not known here")

// window finds a window by its name. Call with mu held.
func (s *Session) window(name string) (*Window, error) {
	for w := range s.windows {
		if w.Name == name {
			return w, nil
		}
	}
	return nil, fmt.Errorf("window %q: %w", name, ErrUnknown)
}
