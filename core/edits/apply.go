// Package edits changes a lighting document: it works out what operations make of it
// and what takes them back, one person's undo among the edits of others, and the
// operations between two documents. Documents are never written to; each change makes
// a new one that shares what has not changed.
package edits

import (
	"encoding/json"
	"errors"
	"fmt"
	"maps"
	"slices"
	"strings"

	"willowherb/core/setup"
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

// Change is what an edit makes of a document: the document after it, and the exact
// operations between the two, field by field. Both are empty where the edit
// changes nothing.
type Change struct {
	After   *setup.Setup
	Ops     []Op
	Inverse []Op
}

// Apply works out what ops make of the document, which stays as it is; the result
// shares what has not changed, so that documents must not be written to once they
// are made. It costs what the operations touch, not what the document holds. The
// result is validated. Errors: ErrPlace, ErrInvalid.
func Apply(s *setup.Setup, ops []Op) (*Change, error) {
	if len(ops) == 0 || len(ops) > MaxOps {
		return nil, fmt.Errorf("%w: an edit has 1 to %d operations, this has %d", setup.ErrInvalid, MaxOps, len(ops))
	}
	return apply(s, ops)
}

func apply(s *setup.Setup, ops []Op) (*Change, error) {
	p := patch{from: s, parts: map[string]*part{}}
	for _, op := range ops {
		if err := p.do(op); err != nil {
			return nil, err
		}
	}
	after := *s
	c := &Change{After: &after}
	for _, name := range slices.Sorted(maps.Keys(p.parts)) {
		k := kinds[name]
		if k == nil {
			if err := p.field(&after, name, c); err != nil {
				return nil, err
			}
			continue
		}
		if err := k.put(&after, name, p.parts[name]); err != nil {
			return nil, err
		}
		for _, id := range p.parts[name].touched(k.ids(s)) {
			c.Ops = append(c.Ops, k.between(s, &after, name, id)...)
			c.Inverse = append(c.Inverse, k.between(&after, s, name, id)...)
		}
	}
	if err := after.ValidateChanged(func(section string) (ids []string, all bool) {
		if part := p.parts[section]; part != nil {
			return part.touched(kinds[section].ids(s)), false
		}
		return nil, false
	}, s); err != nil {
		return nil, err
	}
	return c, nil
}

// patch gathers what operations make of a document.
type patch struct {
	from  *setup.Setup
	parts map[string]*part // by the name of the document's field
}

// part is a field of the document under change: the whole of it, or some entries.
type part struct {
	whole bool
	items map[string]*node // nil: taken away. For a plain field the only one is under ""
}

// touched lists the entries that may have changed; had are those of before.
func (p *part) touched(had []string) []string {
	ids := slices.Sorted(maps.Keys(p.items))
	if p.whole {
		ids = append(ids, had...)
		slices.Sort(ids)
		ids = slices.Compact(ids)
	}
	return ids
}

// node is a JSON value that is taken apart only where an operation reaches into it.
type node struct {
	raw   json.RawMessage
	parts map[string]*node // where it was taken apart; raw is then stale
}

func (n *node) open() bool {
	if n.parts != nil {
		return true
	}
	var m map[string]json.RawMessage
	if json.Unmarshal(n.raw, &m) != nil || m == nil {
		return false
	}
	n.parts = make(map[string]*node, len(m))
	for k, v := range m {
		n.parts[k] = &node{raw: v}
	}
	return true
}

func (n *node) json() json.RawMessage {
	if n.parts == nil {
		return n.raw
	}
	m := make(map[string]json.RawMessage, len(n.parts))
	for k, v := range n.parts {
		m[k] = v.json()
	}
	b, err := json.Marshal(m)
	if err != nil {
		panic(err) // every value in it was valid
	}
	return b
}

// pointer splits a JSON pointer (RFC 6901).
func pointer(path string) ([]string, error) {
	if path == "" || path[0] != '/' || len(path) > setup.MaxPath {
		return nil, fmt.Errorf("%w: %.60q is no JSON pointer to a part of the setup", setup.ErrInvalid, path)
	}
	keys := strings.Split(path[1:], "/")
	for i, k := range keys {
		if strings.Contains(k, "~") {
			keys[i] = strings.ReplaceAll(strings.ReplaceAll(k, "~1", "/"), "~0", "~")
		}
	}
	return keys, nil
}

// part returns a field of the document to be changed.
func (p *patch) part(name string) (*part, error) {
	if q := p.parts[name]; q != nil {
		return q, nil
	}
	q := &part{items: map[string]*node{}}
	if kinds[name] == nil {
		v, ok := plain(p.from, name)
		if !ok {
			return nil, fmt.Errorf("/%s: %w: a setup has nothing of that name", name, setup.ErrInvalid)
		}
		q.items[""] = &node{raw: v}
	}
	p.parts[name] = q
	return q, nil
}

// item returns an entry of a part, from the document where it has not been changed yet.
func (p *patch) item(q *part, name, id string) *node {
	if n, ok := q.items[id]; ok || q.whole {
		return n
	}
	raw, ok := kinds[name].entry(p.from, id)
	if !ok {
		return nil
	}
	n := &node{raw: raw}
	q.items[id] = n
	return n
}

func (p *patch) do(op Op) error {
	keys, err := pointer(op.Path)
	if err != nil {
		return err
	}
	switch op.Op {
	case "add", "replace":
		if !json.Valid(op.Value) {
			return fmt.Errorf("%s: %w: the value is no JSON", op.Path, setup.ErrInvalid)
		}
	case "remove":
	default:
		return fmt.Errorf("%w: operation %.20q is not add, replace or remove", setup.ErrInvalid, op.Op)
	}
	gone := fmt.Errorf("%s: %w", op.Path, ErrPlace)
	name := keys[0]
	q, err := p.part(name)
	if err != nil {
		return err
	}
	value := &node{raw: op.Value}
	if kinds[name] == nil {
		if len(keys) == 1 {
			if op.Op == "remove" {
				value.raw = json.RawMessage("null")
			}
			q.items[""] = value
			return nil
		}
		return set(q.items[""], keys[1:], op.Op, value, gone)
	}
	switch len(keys) {
	case 1:
		q.whole, q.items = true, map[string]*node{}
		if op.Op == "remove" {
			return nil
		}
		if !value.open() {
			return fmt.Errorf("%s: %w: holds something else where a list by ids belongs", op.Path, setup.ErrInvalid)
		}
		q.items = value.parts
		return nil
	case 2:
		there := p.item(q, name, keys[1]) != nil
		switch {
		case op.Op != "add" && !there:
			return gone
		case op.Op == "remove":
			q.items[keys[1]] = nil
		default:
			q.items[keys[1]] = value
		}
		return nil
	}
	n := p.item(q, name, keys[1])
	if n == nil {
		return gone
	}
	return set(n, keys[2:], op.Op, value, gone)
}

// set changes what lies under a node.
func set(n *node, keys []string, op string, value *node, gone error) error {
	for ; len(keys) > 1; keys = keys[1:] {
		if !n.open() || n.parts[keys[0]] == nil {
			return gone
		}
		n = n.parts[keys[0]]
	}
	if !n.open() {
		return gone
	}
	_, there := n.parts[keys[0]]
	switch {
	case op != "add" && !there:
		return gone
	case op == "remove":
		delete(n.parts, keys[0])
	default:
		n.parts[keys[0]] = value
	}
	return nil
}

// field puts a plain field into the document and notes what has changed.
func (p *patch) field(to *setup.Setup, name string, c *Change) error {
	if err := setPlain(to, name, p.parts[name].items[""].json()); err != nil {
		return err
	}
	was, _ := plain(p.from, name)
	is, _ := plain(to, name)
	if string(was) == string(is) {
		return nil
	}
	c.Ops = append(c.Ops, plainOp(name, was, is))
	c.Inverse = append(c.Inverse, plainOp(name, is, was))
	return nil
}

// plainOp is the operation that makes a plain field into another; nil stands for
// none.
func plainOp(name string, from, to json.RawMessage) Op {
	switch {
	case to == nil:
		return Op{"remove", "/" + name, nil}
	case from == nil:
		return Op{"add", "/" + name, to}
	}
	return Op{"replace", "/" + name, to}
}

// Get returns the value at a JSON pointer into the document as it is written.
// Values inside arrays are not addressed: arrays are replaced whole.
func Get(s *setup.Setup, path string) (value json.RawMessage, found bool, err error) {
	keys, err := pointer(path)
	if err != nil {
		return nil, false, err
	}
	gone := fmt.Errorf("%s: %w", path, ErrPlace)
	var n *node
	if k := kinds[keys[0]]; k != nil {
		if len(keys) == 1 {
			m := map[string]json.RawMessage{}
			for _, id := range k.ids(s) {
				m[id], _ = k.entry(s, id)
			}
			b, err := json.Marshal(m)
			return b, true, err
		}
		raw, ok := k.entry(s, keys[1])
		if !ok {
			if len(keys) > 2 {
				return nil, false, gone
			}
			return nil, false, nil
		}
		n, keys = &node{raw: raw}, keys[2:]
	} else {
		raw, ok := plain(s, keys[0])
		if !ok {
			return nil, false, gone
		}
		if raw == nil {
			if len(keys) > 1 {
				return nil, false, gone
			}
			return nil, false, nil
		}
		n, keys = &node{raw: raw}, keys[1:]
	}
	for i, k := range keys {
		if !n.open() {
			return nil, false, gone
		}
		next := n.parts[k]
		if next == nil {
			if i < len(keys)-1 {
				return nil, false, gone
			}
			return nil, false, nil
		}
		n = next
	}
	return n.raw, true, nil
}
