package refine

import (
	"bytes"
	"context"

	"willowherb/core/budget"
	"willowherb/core/exposure"
	"willowherb/core/film"
	"willowherb/core/world"
	"willowherb/format/picture"
	"willowherb/plan"
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
		cam   world.Camera
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
		q := part{id: id, ev: v.EV, cam: v.Camera()}
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
	target := budget.Find(doc.Target)
	for _, q := range parts {
		var b *budget.Frame
		if q.guide != nil {
			c := budget.Count(target, on.Scene, lamps, q.guide, q.cam, on.World.Air)
			b = &c
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

// Thumb returns a view's thumbnail as PNG, or nil.
func (p *Pictures) Thumb(id string) []byte {
	p.mu.Lock()
	defer p.mu.Unlock()
	if v := p.views[id]; v != nil {
		return v.thumb
	}
	return nil
}
