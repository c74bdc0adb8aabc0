package room

import (
	"encoding/json"
	"fmt"
	"log/slog"
	"slices"
	"sync"
	"sync/atomic"
	"time"

	"willowherb/core/edits"
	"willowherb/core/lamps"
	"willowherb/core/setup"
	"willowherb/journal"
	"willowherb/refine"
	"willowherb/stage"
	"willowherb/store"
)

// Window is one browser window that is in a room.
type Window struct {
	Name   string // "person.window": whose it is, by what the server knows
	Person string
	Box    *Box

	id     int64
	called string // what the person is called
	view   string // id of the view it shows
	gaze   Gaze
	moves  int64
	looked time.Time
	// What its drag would change, and what that makes of the document.
	drag   []edits.Op
	draft  *setup.Setup
	asides []*setup.Setup
}

// ID numbers the window among all that were ever open here.
func (w *Window) ID() int64 { return w.id }

var windows atomic.Int64

// Room is an open setup.
type Room struct {
	ID      int64
	Project string
	File    string
	Notes   []string
	Place   string // hash of the file that the setup came with
	studio  *refine.Studio

	mu       sync.Mutex // of what follows
	doc      *setup.Setup
	shown    *setup.Setup // with its look
	document []byte       // of it; made when it is asked for
	revision int64
	broken   string
	windows  map[int64]*Window
	away     bool
	used     time.Time // when something last asked for it
}

// For begins the room of a setup; a Hall does so for those it opens.
func For(u *journal.Setup, studio *refine.Studio) *Room {
	r := &Room{ID: u.ID, Project: u.Project, File: u.File, Notes: u.Notes, Place: u.Place, studio: studio, windows: map[int64]*Window{}, used: time.Now()}
	r.set(u.Doc, u.Revision)
	return r
}

// set takes in a document. Call with mu held, or before anybody knows the room.
func (r *Room) set(doc *setup.Setup, revision int64) {
	r.doc, r.revision, r.document, r.broken = doc, revision, nil, ""
	r.shown = lamps.Shown(doc)
	if err := doc.Validate(); err != nil {
		r.broken = err.Error()
	}
}

// State is the room as refine sees it.
func (r *Room) State() *refine.State {
	r.mu.Lock()
	defer r.mu.Unlock()
	s := &refine.State{Doc: r.shown, Revision: r.revision, Place: r.Place, File: r.File, Eyes: make([]refine.Eye, 0, len(r.windows))}
	for _, w := range r.windows {
		see, ok := w.sees(r.shown)
		s.Eyes = append(s.Eyes, refine.Eye{ID: w.id, N: w.gaze.N, See: see, Blind: !ok, Moving: w.gaze.Moving, Moves: w.moves, Looked: w.looked, Alone: w.gaze.Alone, Draft: w.draft, Asides: w.asides})
	}
	return s
}

// sees is how w sees now; ok is false while it has nothing to look at.
func (w *Window) sees(doc *setup.Setup) (see stage.Sight, ok bool) {
	if w.draft != nil {
		doc = w.draft
	}
	g := w.gaze
	g.View = w.view
	return g.Sight(doc)
}

// Sight is what a gaze sees of a document; ok is false where its view is not there.
func (g *Gaze) Sight(doc *setup.Setup) (see stage.Sight, ok bool) {
	v, ok := doc.Views[g.View]
	if g.Camera != nil {
		v, ok = *g.Camera, true
	}
	return stage.Sight{Camera: v, Neutral: g.Neutral, Hidden: g.Hidden, Cut: g.Cut}, ok
}

// Tell sends news to some windows, to all where none is named.
func (r *Room) Tell(news refine.News, to ...int64) {
	text, err := json.Marshal(news)
	if err != nil {
		slog.Error("news cannot be told", "setup", r.ID, "err", err)
		return
	}
	topic := news.Topic()
	r.mu.Lock()
	defer r.mu.Unlock()
	if len(to) == 0 {
		for _, w := range r.windows {
			w.Box.put(topic, text)
		}
		return
	}
	for _, id := range to {
		if w := r.windows[id]; w != nil {
			w.Box.put(topic, text)
		}
	}
}

// tell sends a message of the room's own. Call with mu held; it is small.
func (r *Room) tell(news refine.News, only *Window) {
	text, err := json.Marshal(news)
	if err != nil {
		slog.Error("news cannot be told", "setup", r.ID, "err", err)
		return
	}
	for _, w := range r.windows {
		if only == nil || w == only {
			w.Box.put(news.Topic(), text)
		}
	}
}

// hello greets a window with the document. Call with mu held.
func (r *Room) hello(w *Window) {
	if r.document == nil {
		r.document = r.doc.JSON()
	}
	r.tell(Hello{"hello", r.ID, r.Project, r.File, r.Notes, r.revision, r.document, w.view, w.Person, w.Name, r.broken}, w)
}

// Join lets a window in and greets it. view is what it wants to show, if it is there.
func (r *Room) Join(person, name, called, view string) *Window {
	w := &Window{Name: name, Person: person, called: called, view: view, Box: newBox(), id: windows.Add(1)}
	r.mu.Lock()
	r.windows[w.id] = w
	r.opens(w)
	r.hello(w)
	if r.away {
		r.tell(Away{"away", true}, w)
	}
	r.present()
	r.mu.Unlock()
	r.studio.Changed(r.ID)
	return w
}

// opens makes sure that w shows a view that is there.
func (r *Room) opens(w *Window) {
	for _, id := range append([]string{w.view, r.doc.Opens}, r.doc.SortedViews()...) {
		if _, ok := r.doc.Views[id]; ok {
			w.view = id
			return
		}
	}
	w.view = ""
}

// present tells every window who is here. Call with mu held.
func (r *Room) present() {
	names := map[string]string{}
	for _, w := range r.windows {
		names[w.Person] = w.called
	}
	r.tell(Present{"present", names, len(r.windows)}, nil)
}

// Leave lets a window out. Nothing is put into its box afterwards.
func (r *Room) Leave(w *Window) {
	r.mu.Lock()
	delete(r.windows, w.id)
	r.used = time.Now()
	r.present()
	r.mu.Unlock()
	r.studio.Changed(r.ID)
}

// Call says what a window's person is called.
func (r *Room) Call(w *Window, name string) {
	r.mu.Lock()
	defer r.mu.Unlock()
	w.called = name
	r.present()
}

// Look takes in how a window looks; a gaze gone astray is not worth an answer.
func (r *Room) Look(w *Window, g Gaze) {
	if !g.Sound() {
		return
	}
	r.mu.Lock()
	if _, ok := r.doc.Views[g.View]; ok {
		w.view = g.View
	}
	w.gaze = g
	if g.Moving {
		w.moves++
		w.looked = time.Now()
	}
	r.mu.Unlock()
	r.studio.Changed(r.ID)
}

// Draft takes in what a drag under way would change; no ops end it. A drag that
// makes no valid document is passed over until it does.
func (r *Room) Draft(w *Window, ops []edits.Op) {
	r.mu.Lock()
	if len(ops) == 0 {
		w.drag, w.draft = nil, nil
	} else {
		c, err := edits.Apply(r.doc, ops)
		if err != nil {
			r.mu.Unlock()
			return
		}
		w.drag, w.draft = ops, lamps.Shown(c.After)
	}
	r.mu.Unlock()
	r.studio.Changed(r.ID)
}

// Aside says which other states' lamps a window wants beside the setup's own; none
// ends it.
func (r *Room) Aside(w *Window, docs []*setup.Setup) {
	docs = slices.Clone(docs)
	for i := range docs {
		docs[i] = lamps.Shown(docs[i])
	}
	r.mu.Lock()
	w.asides = docs
	r.mu.Unlock()
	r.studio.Changed(r.ID)
}

// Window finds a window by its name. Error: store.ErrNotFound.
func (r *Room) Window(name string) (*Window, error) {
	r.mu.Lock()
	defer r.mu.Unlock()
	for _, w := range r.windows {
		if w.Name == name {
			return w, nil
		}
	}
	return nil, fmt.Errorf("window: %w", store.ErrNotFound)
}

// Document returns the present document and its revision.
func (r *Room) Document() (*setup.Setup, int64) {
	r.mu.Lock()
	defer r.mu.Unlock()
	return r.doc, r.revision
}

// Changed takes in edits that are in the journal, in order, and doc as the last of
// them leaves it, and tells every window. It reports false where a revision is
// missing before them: nothing has changed then, and the room has to catch up.
func (r *Room) Changed(edits []journal.Done, doc *setup.Setup) bool {
	r.mu.Lock()
	edits = slices.DeleteFunc(slices.Clone(edits), func(d journal.Done) bool { return d.Revision <= r.revision })
	if len(edits) == 0 {
		r.mu.Unlock()
		return true
	}
	if edits[0].Revision != r.revision+1 {
		r.mu.Unlock()
		return false
	}
	r.set(doc, edits[len(edits)-1].Revision)
	for _, d := range edits {
		for _, w := range r.windows {
			if w.Name == d.Edit.Window {
				w.drag, w.draft = nil, nil
			}
		}
		r.tell(Edited{"edited", d.Revision, d.Edit.Ops, d.Edit.Label, d.Deed, d.Edit.Person, d.Edit.Window, d.Edit.Seq, d.Over}, nil)
	}
	r.settle()
	r.mu.Unlock()
	r.studio.Changed(r.ID)
	return true
}

// Restart takes in a document with what lies between left out, and greets every
// window anew.
func (r *Room) Restart(doc *setup.Setup, revision int64) {
	r.mu.Lock()
	if revision <= r.revision {
		r.mu.Unlock()
		return
	}
	r.set(doc, revision)
	r.settle()
	for _, w := range r.windows {
		r.hello(w)
	}
	r.mu.Unlock()
	r.studio.Changed(r.ID)
}

// settle brings windows' drags and views onto the present document. Call with mu held.
func (r *Room) settle() {
	for _, w := range r.windows {
		r.opens(w)
		if w.drag == nil {
			continue
		}
		if c, err := edits.Apply(r.doc, w.drag); err == nil {
			w.draft = lamps.Shown(c.After)
		} else {
			w.drag, w.draft = nil, nil
		}
	}
}

// setAway tells whether the database is away.
func (r *Room) setAway(away bool) {
	r.mu.Lock()
	defer r.mu.Unlock()
	if r.away != away {
		r.away = away
		r.tell(Away{"away", away}, nil)
	}
}

// idle reports whether nobody has been here since a while ago.
func (r *Room) idle(since time.Time) bool {
	r.mu.Lock()
	defer r.mu.Unlock()
	return len(r.windows) == 0 && r.used.Before(since)
}

func (r *Room) use() {
	r.mu.Lock()
	r.used = time.Now()
	r.mu.Unlock()
}
