package refine

import (
	"context"
	"errors"
	"log/slog"
	"maps"
	"slices"
	"strings"
	"sync"
	"time"

	"willowherb/core/budget"
	"willowherb/core/film"
	"willowherb/core/lamps"
	"willowherb/core/setup"
	"willowherb/core/spread"
	"willowherb/core/staging"
	"willowherb/core/work"
	"willowherb/plan"
	"willowherb/stage"
	"willowherb/store"
)

// Pictures are all that is made for one open setup.
type Pictures struct {
	studio *Studio
	id     int64
	room   Room
	served int64 // nanoseconds of work it has had; the worker's own
	poked  chan struct{}
	stop   context.CancelFunc
	done   chan struct{}
	// sending keeps news in the order in which they were found.
	sending sync.Mutex
	drawing sync.Mutex // of figures
	// What has been seen of the views of a place, for their budgets. With drawing held.
	place   *work.Place
	seen    map[string]*work.Seen // by sight
	seenOf  string
	baked   *budget.Baked // what the newest bake keeps; nil: none is known
	bakedAt time.Time     // when that was asked for

	mu       sync.Mutex // of what follows
	doc      *setup.Setup
	revision int64 // that pictures are made for
	tried    int64 // the newest revision that was made ready, or could not be
	stage    *stage.Stage
	lamps    []*lamps.Lamp
	broken   error // why the newest document cannot be shown
	away     error // why it could not be made ready yet
	changed  chan struct{}
	eyes     map[int64]*eye
	sights   map[string]*sight
	views    map[string]*view
	bake     int64 // the newest; 0: none is known
	figures  bool  // thumbnails and budgets are to be made again
	out      []letter
}

type letter struct {
	news News
	eyes []int64
}

// view is what the shelf shows of a saved view.
type view struct {
	budget  *budget.Frame
	revised int64
	thumb   []byte
	version int64
}

func (v *view) news(id string) Figures {
	return Figures{"figures", id, v.revised, v.version, v.budget}
}

// eye is a window that looks, and what was made for it.
type eye struct {
	Eye
	moved, made int64  // steps that want a picture, and the one that has it
	rested      string // sight where it last stood still: it may well come back
	sight       string // that it was told it has
	greeted     int64  // for which gaze
	drafted     []*lamps.Lamp
	stage       *stage.Stage // where its drag changes the place
	aside       []*lamps.Lamp
}

// stageOf is the stage that an eye sees. Call with mu held.
func (p *Pictures) stageOf(e *eye) *stage.Stage {
	if e.stage != nil {
		return e.stage
	}
	return p.stage
}

// sees is the key of the sight that an eye has; empty while it sees nothing. Call
// with mu held.
func (p *Pictures) sees(e *eye) string {
	if on := p.stageOf(e); on != nil && !e.Blind {
		return e.See.Key(on.Key)
	}
	return ""
}

// viewSight is the sight of a saved view.
func viewSight(v setup.View) stage.Sight { return stage.Sight{Camera: v} }

// keyOf is the key of a saved view's sight. Call with mu held.
func (p *Pictures) keyOf(id string) string {
	see := viewSight(p.doc.Views[id])
	return see.Key(p.stage.Key)
}

// follow takes in what changes in the room, one state at a time and always the
// newest.
func (p *Pictures) follow(ctx context.Context) {
	defer close(p.done)
	for {
		select {
		case <-ctx.Done():
			return
		case <-p.poked:
		}
		if err := spread.Guard(func() error { return p.absorb(ctx) }); err != nil && ctx.Err() == nil {
			if store.Away(err) {
				p.mu.Lock()
				p.away = err // questions do not wait for it
				p.wake()
				p.mu.Unlock()
				time.AfterFunc(time.Second, p.poke)
				continue
			}
			slog.Error("what changed could not be taken in", "setup", p.id, "err", err)
		}
	}
}

func (p *Pictures) poke() {
	select {
	case p.poked <- struct{}{}:
	default:
	}
}

// absorb brings everything to the room's present state.
func (p *Pictures) absorb(ctx context.Context) error {
	st := p.room.State()
	p.mu.Lock()
	fresh := st.Revision > p.tried || p.tried < 0
	p.mu.Unlock()
	stale := false
	if fresh {
		on, err := p.studio.shop.Ready(ctx, staging.Of(st.Doc, st.Place, st.File))
		var lamps []*lamps.Lamp
		if err == nil {
			lamps, err = p.studio.shop.Lamps(ctx, st.Doc, on)
		}
		if ctx.Err() != nil || store.Away(err) {
			return err
		}
		stale = p.take(st, on, lamps, err)
	}
	looked, err := p.look(ctx, st)
	p.flush()
	if fresh {
		if err := spread.Guard(func() error { return p.resharpen(ctx) }); err != nil && ctx.Err() == nil {
			slog.Error("sharp pictures failed", "setup", p.id, "err", err)
		}
		p.flush()
		// Thumbnails and budgets follow at once; the worker may be seconds deep in a pass.
		if err := spread.Guard(p.makeFigures); err != nil {
			slog.Error("figures failed", "setup", p.id, "err", err)
		}
		p.flush()
	}
	p.studio.poke(stale || looked)
	return err
}

// unshown says why a setup has no pictures.
func unshown(err error) Failed {
	text, _, _ := strings.Cut(err.Error(), "\n")
	return Failed{"fault", "This setup can be edited, but not shown: " + text + ".", "Undo what made it so, or bring the place in again."}
}

// take puts a document and what it makes of the place in the place of the last one.
// It reports whether work in hand may have become stale.
func (p *Pictures) take(st *State, on *stage.Stage, lamps []*lamps.Lamp, err error) (stale bool) {
	p.mu.Lock()
	defer p.mu.Unlock()
	defer p.wake()
	p.tried, p.broken, p.away = st.Revision, err, nil
	if err != nil {
		p.post(unshown(err))
		return false
	}
	elsewhere := p.stage == nil || on.Key != p.stage.Key
	stale = elsewhere || hasMore(p.lamps, lamps) || p.doc == nil || !maps.Equal(p.doc.Views, st.Doc.Views)
	p.doc, p.revision, p.lamps, p.stage = st.Doc, st.Revision, lamps, on
	p.figures = true
	for _, t := range p.sights {
		t.fault = nil
	}
	if elsewhere {
		for _, e := range p.eyes {
			// A drag goes on with its next step; what is compared with is resolved again.
			e.Draft, e.drafted, e.stage, e.Asides, e.aside = nil, nil, nil, nil, nil
		}
	}
	p.post(Lamps{"lamps", st.Revision, Facts(lamps)})
	p.recount()
	return stale
}

// recount tells of pictures that are more, or less, refined by the lamps of now: an
// edit that is taken back finds its layers finished. Call with mu held.
func (p *Pictures) recount() {
	for _, t := range p.sights {
		if t.stage.Key != p.stage.Key {
			continue
		}
		for _, f := range t.frames() {
			if n := f.least(t, p.lamps, f.goal); f.complete(p.lamps) && n != f.samples {
				f.samples = n
				p.tell(t, f)
			}
		}
	}
}

// wake lets those look again who wait for something to change. Call with mu held.
func (p *Pictures) wake() {
	close(p.changed)
	p.changed = make(chan struct{})
}

// hasMore reports whether after has a layer that before has not.
func hasMore(before, after []*lamps.Lamp) bool {
	known := map[[32]byte]bool{}
	for _, l := range before {
		known[l.Key] = true
	}
	return slices.ContainsFunc(after, func(l *lamps.Lamp) bool { return !known[l.Key] })
}

// look takes in who looks how: drags, comparisons, moves. It reports whether work in
// hand may have become stale.
func (p *Pictures) look(ctx context.Context, st *State) (stale bool, err error) {
	for _, e := range st.Eyes {
		s, err := p.drags(ctx, st, e)
		if err != nil {
			return stale, err
		}
		stale = stale || s
	}
	p.mu.Lock()
	defer p.mu.Unlock()
	there := map[int64]bool{}
	for _, n := range st.Eyes {
		there[n.ID] = true
		e := p.eyes[n.ID]
		if n.Moving && n.Moves != e.Moves {
			e.moved++
			// A picture for the eye in motion is worth more than any other work, once.
			stale = stale || !e.Moving || !p.studio.inMotion()
		}
		e.ID, e.N, e.See, e.Blind, e.Moving, e.Moves, e.Looked, e.Alone = n.ID, n.N, n.See, n.Blind, n.Moving, n.Moves, n.Looked, n.Alone
		if key := p.sees(e); key != "" && !e.Moving && (key != e.sight || e.N != e.greeted) {
			stale = true
			p.greet(e, key)
		}
	}
	for id := range p.eyes {
		if !there[id] {
			delete(p.eyes, id)
			stale = true
		}
	}
	return stale, nil
}

// drags takes in what an eye's drag would make of the document, and what it compares
// with. A drag that would build the place anew is shown when it ends.
func (p *Pictures) drags(ctx context.Context, st *State, n Eye) (stale bool, err error) {
	p.mu.Lock()
	e, base := p.eyes[n.ID], p.stage
	if e == nil {
		e = &eye{Eye: Eye{ID: n.ID, Blind: true}, greeted: -1} // it sees nothing until it is known where it looks
		p.eyes[n.ID] = e
		for id, v := range p.views {
			p.post(v.news(id), n.ID)
		}
		if p.stage != nil {
			p.post(Lamps{"lamps", p.revision, Facts(p.lamps)}, n.ID)
			for _, id := range p.doc.SortedViews() {
				p.postThumb(id, n.ID)
			}
		}
		if p.broken != nil {
			p.post(unshown(p.broken), n.ID)
		}
	}
	draft, asides := n.Draft != e.Draft, !slices.Equal(n.Asides, e.Asides)
	p.mu.Unlock()
	if base == nil || !draft && !asides {
		return false, nil
	}
	var lamps, aside []*lamps.Lamp
	on := base
	if n.Draft != nil && draft {
		if sd := staging.Of(n.Draft, st.Place, st.File); sd.Geometry == base.Geometry {
			if sd.Key != base.Key {
				if on, err = p.studio.shop.Ready(ctx, sd); err != nil {
					return false, err
				}
			}
			if lamps, err = p.studio.shop.Lamps(ctx, n.Draft, on); err != nil {
				return false, err
			}
		}
	}
	if asides {
		for _, d := range n.Asides {
			more, err := p.studio.shop.Lamps(ctx, d, base)
			if err != nil {
				return false, err
			}
			aside = append(aside, more...)
		}
	}
	p.mu.Lock()
	defer p.mu.Unlock()
	if draft {
		before := e.drafted
		e.Draft, e.drafted, e.stage = n.Draft, lamps, nil
		if lamps != nil {
			if on.Key != base.Key {
				e.stage = on
				e.moved++ // shown by pictures in motion until it is there
			}
			p.post(Drafted{"drafted", Facts(lamps)}, n.ID)
		}
		stale = (hasMore(before, lamps) || e.stage != nil) && !p.studio.inMotion()
	}
	if asides {
		e.Asides, e.aside = slices.Clone(n.Asides), aside
		stale = true
	}
	return stale, nil
}

// greet tells an eye which sight is its own, and what is known of it. Call with mu
// held.
func (p *Pictures) greet(e *eye, key string) {
	e.sight, e.greeted = key, e.N
	t := p.sight(e.See, p.stageOf(e))
	p.post(Sighted{"sighted", e.N, t.key}, e.ID)
	if t.fault != nil {
		p.post(*t.fault, e.ID)
	}
	for _, f := range t.frames() {
		if m := f.news(t); m != nil && f.level != plan.Thumb {
			p.post(m, e.ID)
		}
	}
	if t.sharp != nil {
		p.post(t.sharp.news, e.ID)
	}
}

// post puts news in the post; flush sends it. Call with mu held.
func (p *Pictures) post(n News, eyes ...int64) { p.out = append(p.out, letter{n, eyes}) }

// flush sends what was posted, in order. Call without mu.
func (p *Pictures) flush() {
	p.sending.Lock()
	defer p.sending.Unlock()
	p.mu.Lock()
	out := p.out
	p.out = nil
	p.mu.Unlock()
	for _, l := range out {
		p.room.Tell(l.news, l.eyes...)
	}
}

// tell posts a frame's news to the eyes that have its sight, and a thumbnail's to
// all, since the Ledger adds up what lights give in every view. Call with mu held.
func (p *Pictures) tell(t *sight, f *frame) {
	if f.level == plan.Thumb {
		for _, id := range p.doc.SortedViews() {
			if p.keyOf(id) == t.key {
				p.postThumb(id)
			}
		}
		return
	}
	if m := f.news(t); m != nil {
		if eyes := p.eyesOn(t); len(eyes) > 0 {
			p.post(m, eyes...)
		}
	}
}

// eyesOn are the eyes that have a sight. Call with mu held.
func (p *Pictures) eyesOn(t *sight) (eyes []int64) {
	for id, e := range p.eyes {
		if p.sees(e) == t.key {
			eyes = append(eyes, id)
		}
	}
	return eyes
}

func (p *Pictures) postThumb(view string, eyes ...int64) {
	t := p.sights[p.keyOf(view)]
	if t == nil || t.levels[plan.Thumb] == nil {
		return
	}
	if m := t.levels[plan.Thumb].news(t); m != nil {
		m.View = view
		p.post(m, eyes...)
	}
}

// wanted are the lamps whose layers a sight's frames need: the setup's, and those
// of drags and comparisons of the eyes that have it. All are made for the sight's
// own stage: a shining surface is where that stage has it. Call with mu held.
func (p *Pictures) wanted(t *sight) []*lamps.Lamp {
	var out []*lamps.Lamp
	known := map[[32]byte]bool{}
	add := func(lamps []*lamps.Lamp) {
		for _, l := range lamps {
			if !known[l.Key] {
				known[l.Key] = true
				out = append(out, l)
			}
		}
	}
	here := t.stage.Key == p.stage.Key
	if here {
		add(p.lamps)
	}
	for _, e := range p.eyes {
		if len(e.drafted) == 0 && len(e.aside) == 0 || p.sees(e) != t.key {
			continue
		}
		add(e.drafted)
		if here {
			add(e.aside)
		}
	}
	return out
}

// sight returns what is known of a way to see, beginning it if it is new. Call
// with mu held.
func (p *Pictures) sight(see stage.Sight, on *stage.Stage) *sight {
	key := see.Key(on.Key)
	t := p.sights[key]
	if t == nil {
		t = &sight{key: key, see: see, stage: on, used: p.studio.clock.Load(), ev: see.Camera.EV}
		p.sights[key] = t
	}
	return t
}

// frame returns a sight at a level, beginning it if it is new. Call with mu held.
func (p *Pictures) frame(t *sight, level int) *frame {
	f := t.levels[level]
	if f == nil {
		w, h := p.studio.Size(t.see.Camera.Aspect, level)
		f = &frame{key: frameKey(t.key, level), level: level, cam: t.see.Camera.Camera(), see: t.see.Pass(t.stage), w: w, h: h, goal: p.studio.goal(level), guide: film.NewGuide(w, h), layers: map[[32]byte]*layer{}}
		t.levels[level] = f
	}
	return f
}

func frameKey(sight string, level int) string { return sight + "-" + string(rune('0'+level)) }

// errClosed ends the waiting for a setup that was closed.
var errClosed = errors.New("the setup was closed")
