package edits

import (
	"fmt"
	"maps"
	"slices"

	"willowherb/core/setup"
)

// Diff returns the operations that make the document into another: field by field
// where a light, group, view or look is in both, whole where it is in one.
func Diff(s, to *setup.Setup) (ops []Op) {
	for _, name := range slices.Sorted(maps.Keys(fieldsOfSetup())) {
		k := kinds[name]
		if k == nil {
			was, _ := plain(s, name)
			is, _ := plain(to, name)
			if string(was) != string(is) {
				ops = append(ops, plainOp(name, was, is))
			}
			continue
		}
		for _, id := range k.ids(to) {
			ops = append(ops, k.between(s, to, name, id)...)
		}
		for _, id := range k.ids(s) {
			if !k.has(to, id) {
				ops = append(ops, k.between(s, to, name, id)...)
			}
		}
	}
	return ops
}

// Replay applies the operations of edits, in order, without asking in between
// whether the document is valid: each of them was, once. The result is as it was
// then, to the letter.
func Replay(s *setup.Setup, edits [][]Op) (*setup.Setup, error) {
	p := patch{from: s, parts: map[string]*part{}}
	for _, ops := range edits {
		for _, op := range ops {
			if err := p.do(op); err != nil {
				return nil, fmt.Errorf("going through the journal: %w", err)
			}
		}
	}
	after := *s
	for name, q := range p.parts {
		var err error
		if k := kinds[name]; k != nil {
			err = k.put(&after, name, q)
		} else {
			err = setPlain(&after, name, q.items[""].json())
		}
		if err != nil {
			return nil, fmt.Errorf("going through the journal: %w", err)
		}
	}
	after.Renew() // the map is its own: an edit of units came through it
	return &after, nil
}
