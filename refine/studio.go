package refine

import (
	"context"
	"log/slog"
	"maps"
	"runtime"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"time"

	"willowherb/core/budget"
	"willowherb/core/lamps"
	"willowherb/core/spread"
	"willowherb/core/vec"
	"willowherb/plan"
	"willowherb/stage"
)

// Options of a studio.
type Options struct {
	Width      int // of the finest picture, pixels
	MaxSamples int // where refinement ends
	Workers    int // 0: all cores
	Memory     int // bytes for the pictures of all setups; the least used are let go beyond it. 0: 2 GiB
}

// Studio renders for all open setups with one worker.
type Studio struct {
	shop  *stage.Shop
	opt   Options
	clock atomic.Int64 // counts the worker's choices: when sights and layers were last of use
	wake  chan struct{}
	stop  context.CancelFunc
	done  chan struct{}

	mu   sync.Mutex
	open map[int64]*Pictures
	// The work in hand; cancelled when an edit makes it stale or less useful.
	cancelWork context.CancelFunc
	moving     bool // it is a picture for an eye in motion
	// busy reports whether something else on this machine is waited for more; pictures that have
	// their first sample rest then.
	busy func() bool
	// baked is what the newest bake of a setup keeps on the target.
	baked func(ctx context.Context, setup int64) (*budget.Baked, error)
	// How wide the next picture in motion will be; the worker's own.
	previewWidth int
}

// New starts a studio over a shop.
func New(shop *stage.Shop, opt Options) *Studio {
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
	s := &Studio{shop: shop, opt: opt, open: map[int64]*Pictures{}, wake: make(chan struct{}, 1), stop: stop, done: make(chan struct{}), previewWidth: 128}
	go s.work(ctx)
	return s
}

// Workers is on how many cores the studio renders.
func (s *Studio) Workers() int { return s.opt.Workers }

// Shop makes the studio's stages.
func (s *Studio) Shop() *stage.Shop { return s.shop }

// Close ends the work and waits for it.
func (s *Studio) Close() {
	s.mu.Lock()
	open := maps.Clone(s.open)
	s.mu.Unlock()
	for id, p := range open {
		s.Shut(id, p.room)
	}
	s.stop()
	<-s.done
}

// Open begins the pictures of a setup, or returns those that are there.
func (s *Studio) Open(id int64, room Room) *Pictures {
	s.mu.Lock()
	defer s.mu.Unlock()
	if p := s.open[id]; p != nil && p.room == room {
		return p
	}
	ctx, stop := context.WithCancel(context.Background())
	p := &Pictures{studio: s, id: id, room: room, poked: make(chan struct{}, 1), stop: stop, done: make(chan struct{}), tried: -1, changed: make(chan struct{}),
		eyes: map[int64]*eye{}, sights: map[string]*sight{}, views: map[string]*view{}}
	s.open[id] = p
	go p.follow(ctx)
	p.poke()
	return p
}

// Shut forgets the pictures that were begun for a room.
func (s *Studio) Shut(id int64, room Room) {
	s.mu.Lock()
	p := s.open[id]
	if p == nil || p.room != room {
		s.mu.Unlock()
		return
	}
	delete(s.open, id)
	s.mu.Unlock()
	p.stop()
	s.poke(true)
	<-p.done
	p.mu.Lock()
	defer p.mu.Unlock()
	p.broken = errClosed
	p.wake()
}

// Changed says that the state of a room is another one.
func (s *Studio) Changed(id int64) {
	s.mu.Lock()
	p := s.open[id]
	s.mu.Unlock()
	if p != nil {
		p.poke()
	}
}

// Held is how many setups are open and how many bytes their pictures take.
func (s *Studio) Held() (setups, bytes int) {
	for _, p := range s.all() {
		setups++
		p.mu.Lock()
		for _, t := range p.sights {
			for _, f := range t.frames() {
				bytes += f.bytes()
			}
		}
		p.mu.Unlock()
	}
	return setups, bytes
}

func (s *Studio) all() []*Pictures {
	s.mu.Lock()
	defer s.mu.Unlock()
	return slices.Collect(maps.Values(s.open))
}

// goal is where the samples of a level end.
func (s *Studio) goal(level int) int {
	return [plan.Levels]int{1, 1, s.opt.MaxSamples, min(thumbSamples, s.opt.MaxSamples)}[level]
}

// poke wakes the worker; with stale it also ends what the worker is doing, which
// it takes up again if that is still the most useful work.
func (s *Studio) poke(stale bool) {
	if stale {
		s.mu.Lock()
		if s.cancelWork != nil {
			s.cancelWork()
		}
		s.mu.Unlock()
	}
	select {
	case s.wake <- struct{}{}:
	default:
	}
}

// inMotion reports whether the worker is at a picture for an eye in motion, which is
// better finished than begun anew.
func (s *Studio) inMotion() bool {
	s.mu.Lock()
	defer s.mu.Unlock()
	return s.moving
}

// glance is how long an eye in motion is waited for.
const glance = 120 * time.Millisecond

// next gathers how far everything is, lets go what is too much, and asks for the
// next job.
func (s *Studio) next() (j plan.Job, restless bool) {
	s.clock.Add(1)
	var setups []plan.Setup
	var held []plan.Held
	for _, p := range s.all() {
		p.mu.Lock()
		if p.stage != nil {
			u := p.plan()
			if len(p.eyes) > 0 {
				setups = append(setups, u)
			}
			held = append(held, p.held()...)
		}
		p.mu.Unlock()
	}
	for _, d := range plan.LetGo(held, max(s.opt.Memory-s.shop.CacheBytes(), s.opt.Memory/2)) {
		s.mu.Lock()
		p := s.open[d.Setup]
		s.mu.Unlock()
		if p != nil {
			p.drop(d.Sight)
		}
	}
	return plan.Next(setups)
}

// plan tells how far the setup's pictures are. Call with mu held.
func (p *Pictures) plan() plan.Setup {
	now := p.studio.clock.Load()
	u := plan.Setup{ID: p.id, Served: p.served, Figures: p.figures}
	shown := map[*sight]bool{}
	for id, e := range p.eyes {
		if e.Blind {
			continue
		}
		u.Eyes = append(u.Eyes, plan.Eye{ID: id, Waiting: e.moved > e.made && (e.Moving || e.stage != nil), Glancing: e.Moving && time.Since(e.Looked) < glance})
		if !e.Moving {
			t := p.sight(e.See, p.stageOf(e))
			t.used, t.ev = now, e.See.Camera.EV
			shown[t] = true
			e.rested = t.key
		}
	}
	saved := map[*sight]bool{}
	for _, id := range p.doc.SortedViews() {
		t := p.sight(viewSight(p.doc.Views[id]), p.stage)
		if !shown[t] {
			t.ev = p.doc.Views[id].EV
		}
		saved[t] = true
	}
	for _, t := range p.sights {
		if !shown[t] && !saved[t] {
			continue
		}
		v := plan.Sight{Key: t.key, Shown: shown[t], Saved: saved[t], Failed: t.fault != nil}
		if v.Shown {
			v.Dull = p.dull(t)
			lamps := p.wanted(t)
			for _, level := range []int{plan.Coarse, plan.Middle, plan.Full} {
				v.Frames[level] = p.progress(t, level, lamps)
			}
			if f := t.levels[plan.Full]; f != nil && t.stage.Key == p.stage.Key && f.complete(p.lamps) {
				as := p.shownAs(t)
				if f.error > 0 && f.errorAs != as {
					f.error, f.settles = 0, 0
					p.tell(t, f)
				}
				v.Frames[plan.Full].Stale = f.errorAs != "" && f.errorAs != as
			}
		}
		if v.Saved {
			v.Frames[plan.Thumb] = p.progress(t, plan.Thumb, p.lamps)
		}
		u.Sights = append(u.Sights, v)
	}
	// The order of a map is no order: what is equal comes by its key.
	slices.SortFunc(u.Sights, func(a, b plan.Sight) int { return strings.Compare(a.Key, b.Key) })
	return u
}

// progress tells how far the layers of a frame are. Call with mu held.
func (p *Pictures) progress(t *sight, level int, lamps []*lamps.Lamp) plan.Frame {
	now := p.studio.clock.Load()
	f := plan.Frame{Goal: p.studio.goal(level), Layers: make([]plan.Layer, len(lamps))}
	direct := level == plan.Middle && t.soonFull(lamps)
	for i, l := range lamps {
		f.Layers[i] = plan.Layer{Key: l.Key, Finer: level < plan.Full && t.finer(l.Key, level) || direct}
		if t.levels[level] == nil {
			continue
		}
		y := t.levels[level].layers[l.Key]
		if y == nil {
			continue
		}
		y.used = now
		f.Layers[i].Version, f.Layers[i].Clean = y.version(), y.clean(l, t.ev)
		if y.sums != nil {
			f.Layers[i].Samples = y.sums.Samples()
		}
	}
	return f
}

// soon is how many lights are at full size in about the time that half of it would take.
const soon = 2

// soonFull reports whether what the lamps still lack at full size is best made at once: it is
// known what the pixels show, and few lamps lack anything, as after one was moved.
func (t *sight) soonFull(lamps []*lamps.Lamp) bool {
	f := t.levels[plan.Full]
	if f == nil || f.cover == nil {
		return false
	}
	lack := f.lacks(lamps)
	return lack <= soon && lack < len(lamps)
}

// held tells what fills memory, and forgets layers of lights as they were some edits
// ago, and what was known of views that are gone. Call with mu held.
func (p *Pictures) held() (out []plan.Held) {
	now := p.studio.clock.Load()
	saved, kept := map[string]bool{}, map[string]bool{}
	for id := range p.doc.Views {
		saved[p.keyOf(id)] = true
	}
	for _, e := range p.eyes {
		kept[e.rested], kept[p.sees(e)] = true, true
	}
	for id := range p.views {
		if _, ok := p.doc.Views[id]; !ok {
			delete(p.views, id)
		}
	}
	uses := map[[32]byte]bool{}
	for _, l := range p.lamps {
		uses[l.Key] = true // keys do not depend on the stage: an earlier one keeps its pictures for undo
	}
	for _, t := range p.sights {
		h := plan.Held{Setup: p.id, Sight: t.key, Saved: saved[t.key], Kept: kept[t.key], Used: t.used}
		for _, f := range t.frames() {
			f.spare(now, uses)
			if f.level == plan.Thumb {
				h.Thumb += f.bytes()
			} else {
				h.Bytes += f.bytes()
			}
		}
		if t.sharp != nil {
			h.Bytes += t.sharp.bytes()
		}
		out = append(out, h)
	}
	return out
}

// spare forgets the layers that are not used, but for the last few.
func (f *frame) spare(now int64, uses map[[32]byte]bool) {
	type old struct {
		key  [32]byte
		used int64
	}
	var idle []old
	for k, y := range f.layers {
		if y.used < now && !uses[k] {
			idle = append(idle, old{k, y.used})
		}
	}
	slices.SortFunc(idle, func(a, b old) int { return int(b.used - a.used) })
	for i, o := range idle {
		if i >= spareLayers {
			delete(f.layers, o.key)
		}
	}
}

// drop lets a sight's pictures go; of a saved view's all but the thumbnail.
func (p *Pictures) drop(key string) {
	p.mu.Lock()
	defer p.mu.Unlock()
	t := p.sights[key]
	if t == nil || p.stage == nil {
		return
	}
	t.sharp = nil
	for _, l := range []int{plan.Coarse, plan.Middle, plan.Full} {
		t.levels[l] = nil
	}
	for id := range p.doc.Views {
		if p.keyOf(id) == key {
			return
		}
	}
	delete(p.sights, key)
}

// RestWhile has pictures that have their first sample rest while busy says so.
func (s *Studio) RestWhile(busy func() bool) {
	s.mu.Lock()
	defer s.mu.Unlock()
	s.busy = busy
}

// KeptBy has budgets count what a setup's newest bake keeps on the target.
func (s *Studio) KeptBy(baked func(ctx context.Context, setup int64) (*budget.Baked, error)) {
	s.mu.Lock()
	defer s.mu.Unlock()
	s.baked = baked
}

// keptBy is what a setup's newest bake keeps; ok is false where that cannot be told now.
func (s *Studio) keptBy(ctx context.Context, setup int64) (b *budget.Baked, ok bool) {
	s.mu.Lock()
	baked := s.baked
	s.mu.Unlock()
	if baked == nil {
		return nil, true
	}
	ctx, stop := context.WithTimeout(ctx, time.Second)
	defer stop()
	b, err := baked(ctx, setup)
	return b, err == nil
}

func (s *Studio) resting() bool {
	s.mu.Lock()
	busy := s.busy
	s.mu.Unlock()
	return busy != nil && busy()
}

// mayRest tells the work that others' waiting comes before: more samples. What has been
// sampled and not been published is finished; it may be the first that a window sees.
func mayRest(j plan.Job) bool { return j.Kind == plan.Samples && j.From > 0 && !j.Owed }

// work is the worker's loop.
func (s *Studio) work(ctx context.Context) {
	defer close(s.done)
	for ctx.Err() == nil {
		work, cancel := context.WithCancel(ctx)
		s.mu.Lock()
		s.cancelWork, s.moving = cancel, false
		s.mu.Unlock()
		var j plan.Job
		var restless bool
		if err := spread.Guard(func() error { j, restless = s.next(); return nil }); err != nil {
			slog.Error("choosing the next work failed", "err", err)
		}
		if mayRest(j) && s.resting() {
			j.Kind, restless = plan.Idle, true
		}
		if j.Kind == plan.Idle {
			var soon <-chan time.Time
			if restless {
				soon = time.After(glance)
			}
			select {
			case <-ctx.Done():
			case <-s.wake:
			case <-soon:
			}
			cancel()
			continue
		}
		s.mu.Lock()
		s.moving = j.Kind == plan.Motion
		p := s.open[j.Setup]
		s.mu.Unlock()
		if p != nil {
			start := time.Now()
			if err := spread.Guard(func() error { return p.run(work, j) }); err != nil && work.Err() == nil {
				slog.Error("rendering failed", "setup", j.Setup, "err", err)
				p.failed(j, err)
			}
			p.served += int64(time.Since(start))
			p.flush()
		}
		cancel()
	}
}

// failed sets the job's picture aside until something changes, so that a fault in
// one does not keep the worker from the others, and says so.
func (p *Pictures) failed(j plan.Job, err error) {
	p.mu.Lock()
	defer p.mu.Unlock()
	switch j.Kind {
	case plan.Motion:
		if e := p.eyes[j.Eye]; e != nil {
			e.made = e.moved
		}
	case plan.Samples, plan.Measure, plan.Sharpen:
		t := p.sights[j.Sight]
		if t == nil {
			return
		}
		text, _, _ := strings.Cut(err.Error(), "\n")
		t.fault = &Failed{"fault", "This picture could not be made: " + text + ".", "It is tried again with the next edit; other views go on."}
		if eyes := p.eyesOn(t); len(eyes) > 0 {
			p.post(*t.fault, eyes...)
		}
	}
}

var black = vec.V3{}
