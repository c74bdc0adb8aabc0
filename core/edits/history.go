package edits

import (
	"encoding/json"
	"slices"

	"willowherb/core/setup"
)

// Deed says what an entry of the journal was.
type Deed string

// Deeds.
const (
	Did   Deed = "edit"
	Undid Deed = "undo"
	Redid Deed = "redo"
)

// Entry is one line of a journal as undo needs it. Of is the revision that an
// undo takes back or a redo does again.
type Entry struct {
	Revision int64
	Deed     Deed
	Of       int64
}

// Stacks works out, from one person's entries in order, what can be undone and
// what can be done again; the last element is next. Both are revisions of the
// entries whose operations are to be reversed.
func Stacks(entries []Entry) (undo, redo []int64) {
	for _, e := range entries {
		switch e.Deed {
		case Undid:
			if len(undo) > 0 {
				undo = undo[:len(undo)-1]
			}
			redo = append(redo, e.Revision)
		case Redid:
			if len(redo) > 0 {
				redo = redo[:len(redo)-1]
			}
			undo = append(undo, e.Revision)
		case Did:
			undo = append(undo, e.Revision)
			redo = redo[:0]
		}
	}
	return undo, redo
}

// Reverse works out what takes an entry of the journal back. Where a value is no
// longer what the entry left there, somebody has changed it since, and it is left
// alone; what cannot stand without the rest (a group that has lights in it by now)
// too. kept lists those places. The change is nil where nothing is to be done.
func Reverse(s *setup.Setup, done, inverse []Op) (c *Change, kept []string) {
	left := map[string]Op{}
	for _, op := range done {
		left[op.Path] = op
	}
	var ops []Op
	for _, op := range inverse {
		now, found, err := Get(s, op.Path)
		was, ok := left[op.Path]
		same := err == nil && ok
		switch {
		case !same:
		case found:
			same = was.Op != "remove" && equalJSON(now, was.Value)
		default:
			same = was.Op == "remove" || zero(was.Value)
		}
		if same {
			ops = append(ops, op)
		} else {
			kept = append(kept, op.Path)
		}
	}
	if len(ops) == 0 {
		return nil, kept
	}
	// Journals of earlier versions name fields that stand at zero as if they were there.
	for i, op := range ops {
		if _, found, err := Get(s, op.Path); err == nil && !found && op.Op == "replace" {
			ops[i].Op = "add"
		}
	}
	ops = slices.DeleteFunc(ops, func(op Op) bool {
		_, found, err := Get(s, op.Path)
		return op.Op == "remove" && (err != nil || !found)
	})
	c, err := apply(s, ops)
	if err == nil {
		return c, kept
	}
	for _, op := range ops {
		kept = append(kept, op.Path)
	}
	return nil, kept
}

// zero tells the values that canonical form may leave out.
func zero(v json.RawMessage) bool {
	var x any
	return json.Unmarshal(v, &x) == nil && empty(x)
}

// empty reports whether a decoded value is at zero through and through.
func empty(x any) bool {
	switch x := x.(type) {
	case nil:
		return true
	case bool:
		return !x
	case float64:
		return x == 0
	case string:
		return x == ""
	case []any:
		return !slices.ContainsFunc(x, func(v any) bool { return !empty(v) })
	case map[string]any:
		for _, v := range x {
			if !empty(v) {
				return false
			}
		}
		return true
	}
	return false
}

func equalJSON(a, b json.RawMessage) bool {
	var x, y any
	if json.Unmarshal(a, &x) != nil || json.Unmarshal(b, &y) != nil {
		return false
	}
	return same(x, y)
}

// same reports whether two values say the same: what one does not name stands at zero.
func same(x, y any) bool {
	switch x := x.(type) {
	case map[string]any:
		y, ok := y.(map[string]any)
		if !ok {
			return false
		}
		for k, v := range x {
			if w, ok := y[k]; ok && !same(v, w) || !ok && !empty(v) {
				return false
			}
		}
		for k, w := range y {
			if _, ok := x[k]; !ok && !empty(w) {
				return false
			}
		}
		return true
	case []any:
		y, ok := y.([]any)
		if !ok || len(x) != len(y) {
			return false
		}
		for i := range x {
			if !same(x[i], y[i]) {
				return false
			}
		}
		return true
	}
	return x == y
}
