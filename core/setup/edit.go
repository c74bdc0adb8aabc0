package setup

import (
	"encoding/json"
	"errors"
	"fmt"
	"reflect"
	"strings"

	jsonpatch "github.com/evanphx/json-patch/v5"
)

// Op is one RFC 6902 operation: add, replace or remove.
type Op struct {
	Op    string          `json:"op"`
	Path  string          `json:"path"`
	Value json.RawMessage `json:"value,omitempty"`
}

// Edit is one change by one person. Window and Seq together make a repeat
// harmless; Gesture joins the parts of a drag; Base is the revision it was made
// on; Target says what it goes to ("base", later a look or a shot).
type Edit struct {
	Person  string `json:"person"`
	Window  string `json:"window"`
	Seq     int64  `json:"seq"`
	Gesture string `json:"gesture,omitempty"`
	Base    int64  `json:"base"`
	Target  string `json:"target"`
	Ops     []Op   `json:"ops"`
	Label   string `json:"label"`
	Called  string `json:"called,omitempty"` // what the person is called
}

// MaxOps bounds one edit.
const MaxOps = 2000

// ErrPlace means that an operation names a place that is not there.
var ErrPlace = errors.New("that place is not in the setup any more")

// Apply returns the document after ops, and the operations that take it back.
// The result is validated; on an error nothing has changed.
func Apply(doc []byte, ops []Op) (after []byte, inverse []Op, err error) {
	if len(ops) == 0 || len(ops) > MaxOps {
		return nil, nil, fmt.Errorf("an edit has 1 to %d operations, this has %d", MaxOps, len(ops))
	}
	after = doc
	for _, op := range ops {
		old, found, err := Get(after, op.Path)
		if err != nil {
			return nil, nil, err
		}
		var back Op
		switch {
		case op.Op == "replace" && found:
			back = Op{"replace", op.Path, old}
		case op.Op == "add" && found:
			back = Op{"replace", op.Path, old}
		case op.Op == "add":
			back = Op{"remove", op.Path, nil}
		case op.Op == "remove" && found:
			back = Op{"add", op.Path, old}
		case op.Op == "replace" || op.Op == "remove":
			return nil, nil, fmt.Errorf("%s: %w", op.Path, ErrPlace)
		default:
			return nil, nil, fmt.Errorf("operation %q is not add, replace or remove", op.Op)
		}
		if op.Op != "remove" && !json.Valid(op.Value) {
			return nil, nil, fmt.Errorf("%s: the value is no JSON", op.Path)
		}
		one, err := json.Marshal([]Op{op})
		if err != nil {
			return nil, nil, err
		}
		patch, err := jsonpatch.DecodePatch(one)
		if err != nil {
			return nil, nil, fmt.Errorf("%s: %w", op.Path, err)
		}
		if after, err = patch.Apply(after); err != nil {
			return nil, nil, fmt.Errorf("%s: %w", op.Path, ErrPlace)
		}
		inverse = append([]Op{back}, inverse...)
	}
	s, err := Parse(after)
	if err != nil {
		return nil, nil, err
	}
	// In canonical form, so that equal documents are equal bytes. Fields at their zero
	// value may have left it: the inverse has to hold for the document as it is kept.
	after = s.JSON()
	kept := inverse[:0]
	for _, op := range inverse {
		if op.Op != "add" {
			if _, found, err := Get(after, op.Path); err != nil || !found {
				if op.Op == "remove" {
					continue
				}
				op.Op = "add"
			}
		}
		kept = append(kept, op)
	}
	return after, kept, nil
}

// Get returns the value at a JSON pointer. Values inside arrays are not
// addressed: arrays are replaced whole.
func Get(doc []byte, pointer string) (value json.RawMessage, found bool, err error) {
	if pointer == "" || pointer[0] != '/' {
		return nil, false, fmt.Errorf("%q is no JSON pointer to a part of the setup", pointer)
	}
	cur := json.RawMessage(doc)
	for part := range strings.SplitSeq(pointer[1:], "/") {
		var m map[string]json.RawMessage
		if json.Unmarshal(cur, &m) != nil || m == nil {
			return nil, false, fmt.Errorf("%s: %w", pointer, ErrPlace)
		}
		part = strings.ReplaceAll(strings.ReplaceAll(part, "~1", "/"), "~0", "~")
		v, ok := m[part]
		if !ok {
			if cur = nil; strings.HasSuffix(pointer, "/"+strings.ReplaceAll(strings.ReplaceAll(part, "~", "~0"), "/", "~1")) {
				return nil, false, nil
			}
			return nil, false, fmt.Errorf("%s: %w", pointer, ErrPlace)
		}
		cur = v
	}
	return cur, true, nil
}

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

// Reverse chooses from an entry's inverse the operations that may be applied to
// doc: where a value is no longer what the entry left there, somebody has
// changed it since, and it is kept. kept lists those places.
func Reverse(doc []byte, done, inverse []Op) (ops []Op, kept []string) {
	left := map[string]Op{}
	for _, op := range done {
		left[op.Path] = op
	}
	for _, op := range inverse {
		now, found, err := Get(doc, op.Path)
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
	return ops, kept
}

// zero tells the values that canonical form may leave out.
func zero(v json.RawMessage) bool {
	switch strings.TrimSpace(string(v)) {
	case "false", "0", `""`, "{}", "null":
		return true
	}
	return false
}

func equalJSON(a, b json.RawMessage) bool {
	var x, y any
	if json.Unmarshal(a, &x) != nil || json.Unmarshal(b, &y) != nil {
		return false
	}
	return contains(x, y)
}

// contains reports whether x has all that y has; canonical form may have added
// fields at their zero value.
func contains(x, y any) bool {
	ym, ok := y.(map[string]any)
	if !ok {
		return reflect.DeepEqual(x, y)
	}
	xm, ok := x.(map[string]any)
	if !ok {
		return false
	}
	for k, v := range ym {
		if !contains(xm[k], v) {
			return false
		}
	}
	return true
}
