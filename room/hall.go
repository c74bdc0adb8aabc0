package room

import (
	"context"
	"errors"
	"log/slog"
	"maps"
	"slices"
	"sync"
	"time"

	"willowherb/core/edits"
	"willowherb/journal"
	"willowherb/refine"
	"willowherb/store"
)

// Hall holds the rooms of the setups that are open here, and keeps them in step
// with the journals, whichever server writes them.
type Hall struct {
	journal *journal.Journal
	studio  *refine.Studio
	linger  time.Duration
	stop    context.CancelFunc
	done    sync.WaitGroup
	heard   chan struct{}

	mu     sync.Mutex
	rooms  map[int64]*Room
	behind map[int64]bool // rooms that may lack edits
}

// NewHall opens a hall whose rooms stay open so long with nobody in them.
func NewHall(j *journal.Journal, studio *refine.Studio, linger time.Duration) *Hall {
	ctx, stop := context.WithCancel(context.Background())
	h := &Hall{journal: j, studio: studio, linger: linger, stop: stop, rooms: map[int64]*Room{}, behind: map[int64]bool{}, heard: make(chan struct{}, 1)}
	h.done.Go(func() { j.Follow(ctx, h.hear) })
	h.done.Go(func() { h.keepStep(ctx) })
	return h
}

// Close ends what the hall does in the background.
func (h *Hall) Close() {
	h.stop()
	h.done.Wait()
}

// Open returns the room of a setup. It reads the document and nothing else: the
// place is made ready by the studio.
func (h *Hall) Open(ctx context.Context, id int64) (*Room, error) {
	h.mu.Lock()
	r := h.rooms[id]
	if r != nil {
		r.use() // under mu: it is not closed for a while from now
	}
	h.mu.Unlock()
	if r != nil {
		return r, nil
	}
	u, err := h.journal.Get(ctx, id)
	if err != nil {
		return nil, err
	}
	h.mu.Lock()
	if r := h.rooms[id]; r != nil {
		h.mu.Unlock()
		return r, nil
	}
	r = For(u, h.studio)
	h.rooms[id] = r
	h.mu.Unlock()
	h.studio.Open(id, r)
	// What was written between the reading and the opening.
	h.hear(id, 0)
	return r, nil
}

// Pictures are the pictures of a room.
func (h *Hall) Pictures(r *Room) *refine.Pictures { return h.studio.Open(r.ID, r) }

// Changed takes in an edit that this server has written. It does not fail: a room
// that lacks what came before catches up by itself.
func (h *Hall) Changed(id int64, d *journal.Done) {
	if d.Repeat {
		return
	}
	h.mu.Lock()
	r := h.rooms[id]
	h.mu.Unlock()
	if r != nil && !r.Changed([]journal.Done{*d}, d.Doc) {
		h.hear(id, d.Revision)
	}
}

// Rooms is how many rooms are open, and how many windows are in them.
func (h *Hall) Rooms() (rooms, windows int) {
	for _, r := range h.all() {
		rooms++
		r.mu.Lock()
		windows += len(r.windows)
		r.mu.Unlock()
	}
	return rooms, windows
}

func (h *Hall) all() []*Room {
	h.mu.Lock()
	defer h.mu.Unlock()
	return slices.Collect(maps.Values(h.rooms))
}

// hear notes that a setup may have gone on; 0 for all.
func (h *Hall) hear(id, revision int64) {
	h.mu.Lock()
	if id == 0 {
		for k := range h.rooms {
			h.behind[k] = true
		}
	} else if r := h.rooms[id]; r != nil {
		if _, at := r.Document(); revision == 0 || revision > at {
			h.behind[id] = true
		}
	}
	h.mu.Unlock()
	select {
	case h.heard <- struct{}{}:
	default:
	}
}

// keepStep brings rooms that are behind up to date, and closes those that nobody is
// in.
func (h *Hall) keepStep(ctx context.Context) {
	tick := time.NewTicker(2 * time.Second)
	defer tick.Stop()
	var again <-chan time.Time
	for {
		select {
		case <-ctx.Done():
			return
		case <-tick.C:
			h.closeIdle()
			h.askAway(ctx)
		case <-h.heard:
		case <-again:
		}
		again = nil
		h.mu.Lock()
		list := slices.Collect(maps.Keys(h.behind))
		clear(h.behind)
		h.mu.Unlock()
		for _, id := range list {
			h.mu.Lock()
			r := h.rooms[id]
			h.mu.Unlock()
			if r == nil {
				continue
			}
			err := h.catchUp(ctx, r)
			r.setAway(store.Away(err))
			if err != nil && ctx.Err() == nil {
				if !store.Away(err) {
					slog.Error("a room could not catch up", "setup", id, "err", err)
				}
				h.mu.Lock()
				h.behind[id] = true
				h.mu.Unlock()
				again = time.After(500 * time.Millisecond)
			}
		}
	}
}

// maxCaughtUp is how many edits are told one by one; beyond that windows begin anew.
const maxCaughtUp = 200

func (h *Hall) catchUp(ctx context.Context, r *Room) error {
	doc, revision := r.Document()
	missed, err := h.journal.Since(ctx, r.ID, revision, maxCaughtUp+1)
	if err != nil || len(missed) == 0 {
		return err
	}
	if len(missed) <= maxCaughtUp {
		for i := range missed {
			c, err := edits.Replay(doc, [][]edits.Op{missed[i].Edit.Ops})
			if err != nil {
				slog.Error("an edit of the journal does not fit", "setup", r.ID, "revision", missed[i].Revision, "err", err)
				doc = nil
				break
			}
			doc = c
		}
		if doc != nil && r.Changed(missed, doc) {
			return nil
		}
	}
	u, err := h.journal.Get(ctx, r.ID)
	if errors.Is(err, store.ErrNotFound) {
		return nil // removed; those who are in it may stay until they leave
	}
	if err != nil {
		return err
	}
	r.Restart(u.Doc, u.Revision)
	return nil
}

// askAway tells the rooms whether the database is there.
func (h *Hall) askAway(ctx context.Context) {
	rooms := h.all()
	if len(rooms) == 0 {
		return
	}
	away := h.journal.Ready(ctx) != nil
	for _, r := range rooms {
		r.setAway(away)
	}
}

func (h *Hall) closeIdle() {
	since := time.Now().Add(-h.linger)
	for _, r := range h.all() {
		if !r.idle(since) {
			continue
		}
		h.mu.Lock()
		idle := h.rooms[r.ID] == r && r.idle(since)
		if idle {
			delete(h.rooms, r.ID)
		}
		h.mu.Unlock()
		if idle {
			h.studio.Shut(r.ID, r)
		}
	}
}
