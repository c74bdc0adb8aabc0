package refine

import (
	"bytes"
	"context"
	"fmt"
	"time"

	"willowherb/core/budget"
	"willowherb/core/exposure"
	"willowherb/core/film"
	"willowherb/core/lamps"
	"willowherb/core/setup"
	"willowherb/core/work"
	"willowherb/format/picture"
	"willowherb/plan"
	"willowherb/stage"
)

// shows reports whether a view's thumbnail or budget is made of f. Call with mu held.
func (p *Pictures) shows(t *sight, f *frame) bool {
	for id := range p.doc.Views {
		if p.keyOf(id) == t.key {
			return f.level == plan.Thumb || p.views[id] == nil || p.views[id].budget == nil
		}
	}
	return false
}

// makeFigures makes thumbnails and budgets for the present revision, unless
// somebody has done so already. It reads of a guide only what its first sample
// wrote, which does not change once the frame is published.
func (p *Pictures) makeFigures() error {
	p.drawing.Lock()
	defer p.drawing.Unlock()
	type part struct {
		id    string
		ev    float64
		guide *film.Guide
		thumb *Frame // nil: not whole yet
	}
	p.mu.Lock()
	if !p.figures || p.stage == nil {
		p.mu.Unlock()
		return nil
	}
	p.figures = false
	doc, revision, lamps, on := p.doc, p.revision, p.lamps, p.stage
	var parts []part
	for id, v := range doc.Views {
		q := part{id: id, ev: v.EV}
		t := p.sights[p.keyOf(id)]
		for _, l := range []int{plan.Thumb, plan.Coarse} {
			if t != nil && t.levels[l] != nil && t.levels[l].samples > 0 {
				q.guide = t.levels[l].guide
				break
			}
		}
		if t != nil && t.levels[plan.Thumb] != nil && t.levels[plan.Thumb].complete(lamps) {
			q.thumb = t.levels[plan.Thumb].shot(t, lamps)
		}
		parts = append(parts, q)
	}
	p.mu.Unlock()
	// What is baked changes seldom, and is asked for seldom.
	if time.Since(p.bakedAt) > bakedFor {
		if b, ok := p.studio.keptBy(context.Background(), p.id); ok {
			p.baked, p.bakedAt = b, time.Now()
		}
	}
	p.counted(doc, on)
	for _, q := range parts {
		var b *budget.Frame
		if q.guide != nil {
			var err error
			if b, err = p.count(q.id, doc, lamps, on); err != nil {
				return err
			}
		}
		var png bytes.Buffer
		if f := q.thumb; f != nil {
			if err := picture.WritePNG(&png, p.studio.shop.Graded(context.Background(), doc.GradeOf(q.id)).WithDepth(f.Depth(doc.Views[q.id], doc.GradeOf(q.id))).Develop(f.Compose(lamps, nil), f.W, f.H, q.ev, exposure.Curve(doc.Curve))); err != nil {
				return err
			}
		}
		p.mu.Lock()
		v := p.views[q.id]
		if v == nil {
			v = &view{}
			p.views[q.id] = v
		}
		v.budget, v.revised = b, revision
		if png.Len() > 0 {
			v.thumb = png.Bytes()
			v.version++
		}
		p.post(v.news(q.id))
		p.mu.Unlock()
	}
	return nil
}

// counted makes the place ready for what is counted of a document, and lets go what was seen
// of another. Call with drawing held.
func (p *Pictures) counted(doc *setup.Setup, on *stage.Stage) {
	key := fmt.Sprintf("%s %+v %v %d", on.Key, doc.Device().How, p.baked, everyTile(doc))
	if p.seenOf == key {
		return
	}
	p.seenOf, p.seen = key, map[string]*work.Seen{}
	p.place = budget.Place(doc, on.Scene, on.World, p.baked)
}

// Newest tells which bake is the newest: where it is another than before, budgets are made again.
func (p *Pictures) Newest(bake int64) {
	p.mu.Lock()
	same := p.bake == bake
	p.bake, p.figures = bake, p.figures || !same
	p.mu.Unlock()
	if same {
		return
	}
	p.drawing.Lock()
	p.bakedAt = time.Time{}
	p.drawing.Unlock()
	p.studio.poke(false)
}

// bakedFor is how long what is known of the newest bake is taken to hold.
const bakedFor = 5 * time.Second

// seenMost bounds the views whose surfaces are kept, 300 kB each; of setups with more than manyViews
// fewer tiles are looked at, and a quarter of that is kept.
const (
	seenMost  = 220
	manyViews = 40
)

// everyTile is of how many tiles of a view one is looked at, across and down.
func everyTile(doc *setup.Setup) int {
	if len(doc.Views) > manyViews {
		return 2 * budget.Every
	}
	return budget.Every
}

// count counts the budget of a view: surfaces are looked at once, lights as often as they
// change. Call with drawing held.
func (p *Pictures) count(id string, doc *setup.Setup, lit []*lamps.Lamp, on *stage.Stage) (*budget.Frame, error) {
	ctx := context.Background()
	v := doc.Views[id]
	see := viewSight(v)
	key := see.Key(on.Key)
	device := doc.Device()
	s := p.seen[key]
	if s == nil {
		var err error
		if s, err = p.place.See(ctx, v.Camera(), device.How, everyTile(doc), p.studio.Workers()); err != nil {
			return nil, err
		}
		if len(p.seen) >= seenMost {
			clear(p.seen)
		}
		p.seen[key] = s
	}
	d, err := s.Count(ctx, budget.State(doc, p.place, lit, &v), p.studio.Workers())
	if err != nil {
		return nil, err
	}
	f := budget.Price(device, lit, d, p.baked)
	return &f, nil
}

// Thumb returns a view's thumbnail as PNG, or nil.
func (p *Pictures) Thumb(id string) []byte {
	p.mu.Lock()
	defer p.mu.Unlock()
	if v := p.views[id]; v != nil {
		return v.thumb
	}
	return nil
}
