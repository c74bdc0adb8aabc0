package setup

import (
	"bytes"
	"encoding/json"
	"fmt"
	"strings"

	jsonpatch "github.com/evanphx/json-patch/v5"
)

// Diff returns the operations that make a document into another: field by field
// where a light, group, view or look is in both, whole where it is in one.
func Diff(from, to []byte) ([]Op, error) {
	var a, b map[string]json.RawMessage
	if err := json.Unmarshal(from, &a); err != nil {
		return nil, err
	}
	if err := json.Unmarshal(to, &b); err != nil {
		return nil, err
	}
	return diff("", a, b, 0), nil
}

// depth 0 is the document, 1 its maps, 2 what they hold.
func diff(at string, a, b map[string]json.RawMessage, depth int) (ops []Op) {
	esc := func(k string) string {
		return at + "/" + strings.ReplaceAll(strings.ReplaceAll(k, "~", "~0"), "/", "~1")
	}
	for _, k := range sorted(b) {
		old, ok := a[k]
		switch {
		case !ok:
			ops = append(ops, Op{"add", esc(k), b[k]})
		case bytes.Equal(old, b[k]):
		default:
			var x, y map[string]json.RawMessage
			if depth < 2 && json.Unmarshal(old, &x) == nil && json.Unmarshal(b[k], &y) == nil && x != nil && y != nil {
				ops = append(ops, diff(esc(k), x, y, depth+1)...)
			} else {
				ops = append(ops, Op{"replace", esc(k), b[k]})
			}
		}
	}
	for _, k := range sorted(a) {
		if _, ok := b[k]; !ok {
			ops = append(ops, Op{"remove", esc(k), nil})
		}
	}
	return ops
}

// TakeBack applies the inverses of edits, newest first, to a document.
func TakeBack(doc []byte, inverses [][]Op) ([]byte, error) {
	for _, ops := range inverses {
		if len(ops) == 0 {
			continue
		}
		p, err := json.Marshal(ops)
		if err != nil {
			return nil, err
		}
		patch, err := jsonpatch.DecodePatch(p)
		if err != nil {
			return nil, err
		}
		if doc, err = patch.Apply(doc); err != nil {
			return nil, fmt.Errorf("taking back an edit: %w", err)
		}
		s, err := Parse(doc)
		if err != nil {
			return nil, fmt.Errorf("taking back an edit: %w", err)
		}
		doc = s.JSON()
	}
	return doc, nil
}
