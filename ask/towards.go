package ask

import (
	"context"
	"fmt"

	"willowherb/core/colour"
	"willowherb/core/exposure"
	"willowherb/core/film"
	"willowherb/core/reference"
	"willowherb/core/setup"
	"willowherb/plan"
	"willowherb/refine"
)

// TowardsAsk asks how a view's picture measures, and what would bring it towards a reference
// (empty for none).
type TowardsAsk struct {
	View      string `json:"view"`
	Reference string `json:"reference"`
}

// TowardsAnswer answers it.
type TowardsAnswer struct {
	Ready     bool                 `json:"ready"` // false while the picture is still to come
	Now       reference.Measure    `json:"now"`
	Then      *reference.Measure   `json:"then,omitempty"`
	Proposals []reference.Proposal `json:"proposals"`
}

// Towards answers a TowardsAsk; measure reads a kept reference.
func (d *Desk) Towards(ctx context.Context, p *refine.Pictures, q TowardsAsk, measure func(ctx context.Context, r setup.Reference) (*reference.Measure, error)) (*TowardsAnswer, error) {
	s, err := p.Shot(ctx)
	if err != nil {
		return nil, err
	}
	v, ok := s.Doc.Views[q.View]
	if !ok {
		return nil, fmt.Errorf("view %.80q: %w", q.View, ErrUnknown)
	}
	out := &TowardsAnswer{Proposals: []reference.Proposal{}}
	// One that was taken down since the page asked is none.
	if r := s.Doc.References[q.Reference]; r.Blob != "" {
		if out.Then, err = measure(ctx, r); err != nil {
			return nil, err
		}
	}
	f := s.View(q.View, s.Lamps, plan.Thumb, plan.Coarse)
	if f == nil {
		return out, nil
	}
	out.Ready = true
	out.Now = reference.Of(d.studio.Shop().Graded(ctx, s.Doc.GradeOf(q.View)).WithDepth(f.Depth(v, s.Doc.GradeOf(q.View))).Develop(f.Compose(s.Lamps, nil), f.W, f.H, v.EV, exposure.Curve(s.Doc.Curve)))
	if out.Then != nil {
		out.Proposals = reference.Towards(reference.Picture{Setup: s.Doc, View: q.View, Key: brightest(f, s)}, out.Now, *out.Then)
	}
	return out, nil
}

// brightest is the light that gives most of what falls on surfaces in the brightest tenth of a
// picture.
func brightest(f *refine.Frame, s *refine.Shot) string {
	all := f.Compose(s.Lamps, nil)
	limit := 0.0
	for i := 0; i < len(all); i += 3 {
		limit += colour.LuminanceAt(all, i)
	}
	limit *= 3 / float64(max(len(all)/3, 1)) // three times the mean
	best, most := "", 0.0
	for _, l := range s.Lamps {
		if l.Off || l.Shines() {
			continue
		}
		words, gain := f.Packed(l, refine.Whole)
		var sum float64
		for px, w := range words {
			if colour.LuminanceAt(all, 3*px) >= limit {
				sum += colour.LuminanceOf(film.Word(w).Mul(gain))
			}
		}
		if sum > most {
			best, most = l.ID, sum
		}
	}
	return best
}
