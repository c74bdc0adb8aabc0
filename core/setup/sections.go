package setup

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"maps"
	"reflect"
	"strings"
	"sync"
)

// kind is a field of the document that holds entries by their ids.
type kind interface {
	ids(s *Setup) []string
	has(s *Setup, id string) bool
	entry(s *Setup, id string) (json.RawMessage, bool)
	// put gives the document a map of its own with what has changed.
	put(to *Setup, name string, p *part) error
	// between are the operations that make an entry of one document into that of
	// another: field by field where it is in both.
	between(from, to *Setup, name, id string) []Op
}

type entries[V any] func(*Setup) *map[string]V

// kinds are the document's lists, by their names.
var kinds = map[string]kind{
	"groups":    entries[Group](func(s *Setup) *map[string]Group { return &s.Groups }),
	"lights":    entries[Light](func(s *Setup) *map[string]Light { return &s.Lights }),
	"views":     entries[View](func(s *Setup) *map[string]View { return &s.Views }),
	"looks":     entries[Look](func(s *Setup) *map[string]Look { return &s.Looks }),
	"objects":   entries[Object](func(s *Setup) *map[string]Object { return &s.Objects }),
	"materials": entries[Material](func(s *Setup) *map[string]Material { return &s.Materials }),
	"backdrops": entries[Backdrop](func(s *Setup) *map[string]Backdrop { return &s.Backdrops }),
	"channels":  entries[Channel](func(s *Setup) *map[string]Channel { return &s.Channels }),
}

func (of entries[V]) ids(s *Setup) []string { return sorted(*of(s)) }

func (of entries[V]) has(s *Setup, id string) bool {
	_, ok := (*of(s))[id]
	return ok
}

func (of entries[V]) entry(s *Setup, id string) (json.RawMessage, bool) {
	v, ok := (*of(s))[id]
	if !ok {
		return nil, false
	}
	return marshal(v), true
}

func (of entries[V]) put(to *Setup, name string, p *part) error {
	m := maps.Clone(*of(to))
	if p.whole || m == nil {
		m = map[string]V{}
	}
	for id, n := range p.items {
		if n == nil {
			delete(m, id)
			continue
		}
		var v V
		if err := strict(n.json(), &v, "/"+name+"/"+escape(id)); err != nil {
			return err
		}
		m[id] = v
	}
	*of(to) = m
	return nil
}

func (of entries[V]) between(from, to *Setup, name, id string) (ops []Op) {
	a, was := (*of(from))[id]
	b, is := (*of(to))[id]
	at := "/" + name + "/" + escape(id)
	switch {
	case !was && !is:
		return nil
	case !was:
		return []Op{{"add", at, marshal(b)}}
	case !is:
		return []Op{{"remove", at, nil}}
	}
	x, y := reflect.ValueOf(&a).Elem(), reflect.ValueOf(&b).Elem()
	fields := fieldsOf(x.Type())
	other := map[string]known{}
	for key, f := range fields {
		if !alike(x.Field(f.index), y.Field(f.index)) {
			other[key] = f
		}
	}
	for _, key := range sorted(other) {
		f := other[key]
		v, w := x.Field(f.index), y.Field(f.index)
		switch {
		case f.leftOut(w):
			ops = append(ops, Op{"remove", at + "/" + escape(key), nil})
		case f.leftOut(v):
			ops = append(ops, Op{"add", at + "/" + escape(key), marshal(w.Interface())})
		default:
			ops = append(ops, Op{"replace", at + "/" + escape(key), marshal(w.Interface())})
		}
	}
	return ops
}

// alike reports whether two fields are written alike.
func alike(v, w reflect.Value) bool {
	switch v.Kind() {
	case reflect.Float64, reflect.String, reflect.Bool, reflect.Int, reflect.Uint8, reflect.Array:
		return v.Equal(w)
	}
	return reflect.DeepEqual(v.Interface(), w.Interface())
}

// marshal writes plain data, which always can be: validation refuses NaN.
func marshal(v any) json.RawMessage {
	b, err := json.Marshal(v)
	if err != nil {
		panic(err)
	}
	return b
}

// plain returns the JSON of one of the fields that are no lists; nil while it
// stands at zero and the document leaves it out. ok is false for an unknown name.
func (s *Setup) plain(name string) (value json.RawMessage, ok bool) {
	f, ok := fieldsOfSetup()[name]
	if !ok {
		return nil, false
	}
	v := reflect.ValueOf(s).Elem().Field(f.index)
	if f.leftOut(v) {
		return nil, true
	}
	return marshal(v.Interface()), true
}

// setPlain sets a field that is no list from JSON; null stands for zero.
func (s *Setup) setPlain(name string, raw json.RawMessage) error {
	f := fieldsOfSetup()[name]
	v := reflect.New(f.is)
	if string(bytes.TrimSpace(raw)) != "null" {
		if err := strict(raw, v.Interface(), "/"+name); err != nil {
			return err
		}
	}
	reflect.ValueOf(s).Elem().Field(f.index).Set(v.Elem())
	return nil
}

// strict decodes JSON into v: exact names only, nothing unknown, nothing after it.
// at is the place that errors name.
func strict(raw []byte, v any, at string) error {
	if err := exact(raw, reflect.TypeOf(v).Elem(), at); err != nil {
		return err
	}
	d := json.NewDecoder(bytes.NewReader(raw))
	d.DisallowUnknownFields()
	if err := d.Decode(v); err != nil {
		var te *json.UnmarshalTypeError
		if errors.As(err, &te) {
			if te.Field != "" {
				at += "/" + strings.ReplaceAll(te.Field, ".", "/")
			}
			return fmt.Errorf("%s: %w: holds a %s where a %s belongs", at, ErrInvalid, te.Value, te.Type)
		}
		return fmt.Errorf("%s: %w: %w", at, ErrInvalid, err)
	}
	if _, err := d.Token(); !errors.Is(err, io.EOF) {
		return fmt.Errorf("%s: %w: something stands after its end", at, ErrInvalid)
	}
	return nil
}

// known is a field of a type as JSON names it.
type known struct {
	index    int
	is       reflect.Type
	optional bool
}

// leftOut reports whether the document does not write a field of this value.
func (f known) leftOut(v reflect.Value) bool {
	switch v.Kind() {
	case reflect.Map, reflect.Slice, reflect.String:
		return f.optional && v.Len() == 0
	}
	return f.optional && v.IsZero()
}

func fieldsOfSetup() map[string]known { return fieldsOf(reflect.TypeFor[Setup]()) }

var fieldTables sync.Map // reflect.Type to map[string]known

func fieldsOf(t reflect.Type) map[string]known {
	if m, ok := fieldTables.Load(t); ok {
		return m.(map[string]known)
	}
	m := map[string]known{}
	for i := range t.NumField() {
		f := t.Field(i)
		name, rest, _ := strings.Cut(f.Tag.Get("json"), ",")
		if f.IsExported() && name != "" {
			m[name] = known{i, f.Type, strings.Contains(rest, "omitempty")}
		}
	}
	fieldTables.Store(t, m)
	return m
}

// exact refuses names that the type does not have to the letter: the standard
// decoder would take them whatever their case, and an edit of them could not be
// found again to be undone.
func exact(raw []byte, t reflect.Type, at string) error {
	for t.Kind() == reflect.Pointer {
		t = t.Elem()
	}
	entry := t.Kind() == reflect.Map
	if entry {
		if e := t.Elem(); e.Kind() != reflect.Struct && e.Kind() != reflect.Map {
			return nil
		}
	} else if t.Kind() != reflect.Struct {
		return nil
	}
	var m map[string]json.RawMessage
	if json.Unmarshal(raw, &m) != nil {
		return nil // the decoder says what is wrong
	}
	if entry {
		for k, v := range m {
			if err := exact(v, t.Elem(), at+"/"+escape(k)); err != nil {
				return err
			}
		}
		return nil
	}
	fields := fieldsOf(t)
	for k, v := range m {
		f, ok := fields[k]
		if !ok {
			return fmt.Errorf("%s/%s: %w: there is no field of that name", at, escape(k), ErrInvalid)
		}
		if err := exact(v, f.is, at+"/"+escape(k)); err != nil {
			return err
		}
	}
	return nil
}
