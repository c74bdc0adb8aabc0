package farm

import (
	"context"

	"willowherb/core/budget"
)

// Keeps is what a setup's newest bake keeps on a target; nil where there is none.
func (f *Farm) Keeps(ctx context.Context, setup int64) (*budget.Baked, error) {
	last, err := f.Last(ctx, setup)
	if err != nil || last == nil {
		return nil, err
	}
	s := &last.Summary
	b := &budget.Baked{MB: s.MB, MirrorMB: s.MirrorMB, Probes: s.Probes, Directional: s.Directional}
	for _, l := range s.Left {
		b.Left = append(b.Left, l.Path)
	}
	return b, nil
}
