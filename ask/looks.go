package ask

import (
	"bytes"
	"context"
	"crypto/sha256"
	"fmt"

	"willowherb/core/edits"
	"willowherb/core/exposure"
	"willowherb/core/lamps"
	"willowherb/core/looks"
	"willowherb/core/setup"
	"willowherb/core/spread"
	"willowherb/core/still"
	"willowherb/format/picture"
	"willowherb/plan"
	"willowherb/refine"
	"willowherb/stage"
)

// LookLine is a look as it is told: what it changes in a sentence, what of it has no target any
// more, and a name for its pictures that is another one whenever they would be.
type LookLine struct {
	ID       string   `json:"id"` // empty: the setup without a look
	Sentence string   `json:"sentence"`
	Orphans  []string `json:"orphans"`
	Stamp    string   `json:"stamp"`
}

// Looks tells the setup's looks, the setup itself first.
func Looks(doc *setup.Setup) ([]LookLine, error) {
	out := []LookLine{}
	for _, id := range append([]string{""}, doc.SortedLooks()...) {
		st, err := lamps.Resolve(doc, id)
		if err != nil {
			return nil, err
		}
		l := LookLine{ID: id, Sentence: looks.Sentence(doc, id), Orphans: st.Orphans, Stamp: stamp(st.Setup)}
		if l.Orphans == nil {
			l.Orphans = []string{}
		}
		out = append(out, l)
	}
	return out, nil
}

// stamp names all that a document's pictures depend on.
func stamp(s *setup.Setup) string {
	c := *s
	c.Looks, c.Look, c.Base, c.Name = nil, "", "", ""
	sum := sha256.Sum256(c.JSON())
	return stage.KeyName(sum)[:16]
}

// Size of a look's picture, and how many samples it has where it is made for itself.
const (
	lookWide    = 192
	lookSamples = 12
)

// LookPicture is a small picture of a view with a look: from layers where all of them are
// there, else made for itself.
func (d *Desk) LookPicture(ctx context.Context, p *refine.Pictures, doc *setup.Setup, look, view string) ([]byte, error) {
	st, err := lamps.Resolve(doc, look)
	if err != nil {
		return nil, fmt.Errorf("%w: %w", ErrUnknown, err)
	}
	s := *st.Setup.InTheirZones()
	s.Look = ""
	v, ok := s.Views[view]
	if !ok {
		return nil, fmt.Errorf("view %.80q: %w", view, ErrUnknown)
	}
	key := stamp(&s) + "/" + view
	return d.looks.Get(ctx, key, func(ctx context.Context) ([]byte, error) {
		shot, err := p.Shot(ctx)
		if err != nil {
			return nil, err
		}
		on, lit, err := shot.Staged(ctx, &s)
		if err != nil {
			return nil, err
		}
		curve := exposure.Curve(s.Curve)
		develop := func(pic []float32, w, h int) ([]byte, error) {
			var b bytes.Buffer
			err := picture.WritePNG(&b, d.studio.Shop().Graded(ctx, s.GradeOf(view)).Develop(pic, w, h, v.EV, curve))
			return b.Bytes(), err
		}
		if f := shot.Seen(v, on, lit, plan.Thumb); f != nil {
			return develop(f.Compose(lit, nil), f.W, f.H)
		}
		w, h := lookWide, max(int(lookWide/v.Aspect+0.5), 2)
		var pic []float32
		err = spread.Guard(func() (err error) {
			pic, err = still.Glance(ctx, on.World, lit, v.Camera(), w, h, lookSamples, d.studio.Workers())
			return err
		})
		if err != nil {
			return nil, err
		}
		return develop(pic, w, h)
	})
}

// BlendAsk asks for what lies between two looks.
type BlendAsk struct {
	First  string  `json:"first"` // empty: the setup without a look
	Second string  `json:"second"`
	Share  float64 `json:"share"` // 0 the first, 1 the second
}

// Overrides are those of a look.
type Overrides struct {
	Overrides map[string]setup.Override `json:"overrides"`
}

// Blend answers it.
func Blend(doc *setup.Setup, q BlendAsk) (*Overrides, error) {
	o, err := looks.Blend(doc, q.First, q.Second, q.Share)
	if err != nil {
		return nil, fmt.Errorf("%w: %w", ErrUnknown, err)
	}
	return &Overrides{o}, nil
}

// LookAsk asks for what merging a look into the setup would edit or, with a group, for what it
// says of that alone.
type LookAsk struct {
	Look  string `json:"look"`
	Group string `json:"group"`
}

// LookAnswer answers it.
type LookAnswer struct {
	Ops       []edits.Op                `json:"ops"`
	Overrides map[string]setup.Override `json:"overrides"`
}

// Merge answers a LookAsk.
func Merge(doc *setup.Setup, q LookAsk) (*LookAnswer, error) {
	if _, ok := doc.Looks[q.Look]; !ok {
		return nil, fmt.Errorf("look %.80q: %w", q.Look, ErrUnknown)
	}
	if q.Group != "" {
		return &LookAnswer{Ops: []edits.Op{}, Overrides: looks.Only(doc, q.Look, q.Group)}, nil
	}
	ops, err := looks.Merge(doc, q.Look)
	if err != nil {
		return nil, err
	}
	if ops == nil {
		ops = []edits.Op{}
	}
	return &LookAnswer{Ops: ops, Overrides: map[string]setup.Override{}}, nil
}
