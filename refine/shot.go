package refine

import (
	"context"
	"fmt"
	"strings"

	"willowherb/core/lamps"
	"willowherb/core/setup"
	"willowherb/core/staging"
	"willowherb/stage"
	"willowherb/store"
)

// Shot is a setup at one moment, for questions: nothing in it changes.
type Shot struct {
	Doc      *setup.Setup
	Revision int64
	Stage    *stage.Stage
	Lamps    []*lamps.Lamp
	pictures *Pictures
}

// Shot waits until the newest edit has been taken in, and returns how things stand.
// Errors: stage.ErrPlace where the place cannot be shown, store.ErrAway where it
// cannot be read yet, store.ErrNotFound where the setup was closed meanwhile.
func (p *Pictures) Shot(ctx context.Context) (*Shot, error) {
	newest := p.room.State().Revision
	for {
		p.mu.Lock()
		s := &Shot{p.doc, p.revision, p.stage, p.lamps, p}
		tried, broken, away, changed := p.tried, p.broken, p.away, p.changed
		p.mu.Unlock()
		switch {
		case broken == errClosed:
			return nil, fmt.Errorf("%w: %w", store.ErrNotFound, broken)
		case tried >= newest && broken != nil:
			return nil, broken
		case tried >= newest:
			return s, nil
		case away != nil:
			return nil, away
		}
		select {
		case <-ctx.Done():
			return nil, context.Cause(ctx)
		case <-changed:
		}
	}
}

// Lay works out the lamps of another document on the shot's stage.
func (s *Shot) Lay(ctx context.Context, doc *setup.Setup) ([]*lamps.Lamp, error) {
	return s.pictures.studio.shop.Lamps(ctx, lamps.Shown(doc), s.Stage)
}

// Staged makes a document's own stage ready, with its lamps on it.
func (s *Shot) Staged(ctx context.Context, doc *setup.Setup) (on *stage.Stage, l []*lamps.Lamp, err error) {
	doc = lamps.Shown(doc)
	st := s.pictures.room.State()
	if on, err = s.pictures.studio.shop.Ready(ctx, staging.Of(doc, st.Place, st.File)); err != nil {
		return nil, nil, err
	}
	l, err = s.pictures.studio.shop.Lamps(ctx, doc, on)
	return on, l, err
}

// Seen is the picture of a camera on a stage at the first of the levels that has a layer of
// every lamp; nil where none has.
func (s *Shot) Seen(v setup.View, on *stage.Stage, lamps []*lamps.Lamp, levels ...int) *Frame {
	see := viewSight(v)
	return s.pictures.Frame(see.Key(on.Key), lamps, levels...)
}

// View is the picture of a saved view at the first of the levels that has a layer of
// every lamp; nil where none has.
func (s *Shot) View(id string, lamps []*lamps.Lamp, levels ...int) *Frame {
	v, ok := s.Doc.Views[id]
	if !ok {
		return nil
	}
	see := viewSight(v)
	return s.pictures.Frame(see.Key(s.Stage.Key), lamps, levels...)
}

// Frame is the picture of a sight at the first of the levels that has a layer of
// every lamp; nil where none has.
func (p *Pictures) Frame(sight string, lamps []*lamps.Lamp, levels ...int) *Frame {
	p.mu.Lock()
	defer p.mu.Unlock()
	t := p.sights[sight]
	if t == nil {
		return nil
	}
	for _, l := range levels {
		if f := t.levels[l]; f != nil && f.complete(lamps) {
			return f.shot(t, lamps)
		}
	}
	return nil
}

// Sees reports whether anything is known of a sight.
func (p *Pictures) Sees(sight string) bool {
	p.mu.Lock()
	defer p.mu.Unlock()
	return p.sights[sight] != nil
}

// Lit are the lamps that an eye sees: those of its drag where one is under way, on
// the stage that the drag makes. ok is false for an eye that is not known or drags
// nothing.
func (p *Pictures) Lit(eye int64) (doc *setup.Setup, lamps []*lamps.Lamp, on *stage.Stage, ok bool) {
	p.mu.Lock()
	defer p.mu.Unlock()
	e := p.eyes[eye]
	if e == nil || e.drafted == nil {
		return nil, nil, nil, false
	}
	return e.Draft, e.drafted, p.stageOf(e), true
}

// ByKey is a frame by its key, with the lamps that are wanted of it: those of a drag
// where an eye that has its sight drags something. nil while nothing of it is
// published.
func (p *Pictures) ByKey(key string) (f *Frame, lamps []*lamps.Lamp) {
	sight, level, ok := strings.Cut(key, "-")
	if !ok || len(level) != 1 {
		return nil, nil
	}
	p.mu.Lock()
	defer p.mu.Unlock()
	t := p.sights[sight]
	n := int(level[0]) - '0'
	if t == nil || n < 0 || n >= len(t.levels) || t.levels[n] == nil || t.levels[n].news(t) == nil {
		return nil, nil
	}
	lamps = p.lamps
	for _, e := range p.eyes {
		if e.drafted != nil && p.sees(e) == t.key {
			lamps = e.drafted
		}
	}
	return t.levels[n].shot(t, lamps), lamps
}

// Layer returns a part of a layer, packed, by its address; nil when it is no longer
// the present one.
func (p *Pictures) Layer(frame, layer, address string) []uint32 {
	sight, level, ok := strings.Cut(frame, "-")
	if !ok || len(level) != 1 {
		return nil
	}
	p.mu.Lock()
	defer p.mu.Unlock()
	t := p.sights[sight]
	n := int(level[0]) - '0'
	if t != nil && layer == SharpLayer {
		if t.sharp != nil && t.sharp.news.Address == address {
			return t.sharp.words
		}
		return nil
	}
	if t == nil || n < 0 || n >= len(t.levels) || t.levels[n] == nil {
		return nil
	}
	for k, y := range t.levels[n].layers {
		if y.pub == nil || stage.KeyName(k) != layer {
			continue
		}
		for part, a := range y.pub.News.Parts {
			if a == address {
				return y.pub.Parts[part]
			}
		}
	}
	return nil
}
