package edits

import (
	"bytes"
	"encoding/json"
	"maps"
	"reflect"
	"slices"

	"willowherb/core/exact"
	"willowherb/core/setup"
	"willowherb/core/target"
)

// kind is a field of the document that holds entries by their ids.
type kind interface {
	ids(s *setup.Setup) []string
	has(s *setup.Setup, id string) bool
	entry(s *setup.Setup, id string) (json.RawMessage, bool)
	// put gives the document a map of its own with what has changed.
	put(to *setup.Setup, name string, p *part) error
	// between are the operations that make an entry of one document into that of
	// another: field by field where it is in both.
	between(from, to *setup.Setup, name, id string) []Op
}

type entries[V any] func(*setup.Setup) *map[string]V

// kinds are the document's lists, by their names.
var kinds = map[string]kind{
	"groups":     entries[setup.Group](func(s *setup.Setup) *map[string]setup.Group { return &s.Groups }),
	"lights":     entries[setup.Light](func(s *setup.Setup) *map[string]setup.Light { return &s.Lights }),
	"views":      entries[setup.View](func(s *setup.Setup) *map[string]setup.View { return &s.Views }),
	"looks":      entries[setup.Look](func(s *setup.Setup) *map[string]setup.Look { return &s.Looks }),
	"objects":    entries[setup.Object](func(s *setup.Setup) *map[string]setup.Object { return &s.Objects }),
	"materials":  entries[setup.Material](func(s *setup.Setup) *map[string]setup.Material { return &s.Materials }),
	"backdrops":  entries[setup.Backdrop](func(s *setup.Setup) *map[string]setup.Backdrop { return &s.Backdrops }),
	"references": entries[setup.Reference](func(s *setup.Setup) *map[string]setup.Reference { return &s.References }),
	"zones":      entries[setup.Zone](func(s *setup.Setup) *map[string]setup.Zone { return &s.Zones }),
	"targets":    entries[target.Target](func(s *setup.Setup) *map[string]target.Target { return &s.Targets }),
	"routes":     entries[setup.Route](func(s *setup.Setup) *map[string]setup.Route { return &s.Routes }),
	"channels":   entries[setup.Channel](func(s *setup.Setup) *map[string]setup.Channel { return &s.Channels }),
}

func (of entries[V]) ids(s *setup.Setup) []string { return slices.Sorted(maps.Keys(*of(s))) }

func (of entries[V]) has(s *setup.Setup, id string) bool {
	_, ok := (*of(s))[id]
	return ok
}

func (of entries[V]) entry(s *setup.Setup, id string) (json.RawMessage, bool) {
	v, ok := (*of(s))[id]
	if !ok {
		return nil, false
	}
	return marshal(v), true
}

func (of entries[V]) put(to *setup.Setup, name string, p *part) error {
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
		if err := exact.Decode(n.json(), &v, "/"+name+"/"+exact.Escape(id)); err != nil {
			return err
		}
		m[id] = v
	}
	*of(to) = m
	return nil
}

func (of entries[V]) between(from, to *setup.Setup, name, id string) (ops []Op) {
	a, was := (*of(from))[id]
	b, is := (*of(to))[id]
	at := "/" + name + "/" + exact.Escape(id)
	switch {
	case !was && !is:
		return nil
	case !was:
		return []Op{{"add", at, marshal(b)}}
	case !is:
		return []Op{{"remove", at, nil}}
	}
	x, y := reflect.ValueOf(&a).Elem(), reflect.ValueOf(&b).Elem()
	fields := exact.Fields(x.Type())
	other := map[string]exact.Field{}
	for key, f := range fields {
		if !alike(x.Field(f.Index), y.Field(f.Index)) {
			other[key] = f
		}
	}
	for _, key := range slices.Sorted(maps.Keys(other)) {
		f := other[key]
		v, w := x.Field(f.Index), y.Field(f.Index)
		switch {
		case f.LeftOut(w):
			ops = append(ops, Op{"remove", at + "/" + exact.Escape(key), nil})
		case f.LeftOut(v):
			ops = append(ops, Op{"add", at + "/" + exact.Escape(key), marshal(w.Interface())})
		default:
			ops = append(ops, Op{"replace", at + "/" + exact.Escape(key), marshal(w.Interface())})
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
func plain(s *setup.Setup, name string) (value json.RawMessage, ok bool) {
	f, ok := fieldsOfSetup()[name]
	if !ok {
		return nil, false
	}
	v := reflect.ValueOf(s).Elem().Field(f.Index)
	if f.LeftOut(v) {
		return nil, true
	}
	return marshal(v.Interface()), true
}

// setPlain sets a field that is no list from JSON; null stands for zero.
func setPlain(s *setup.Setup, name string, raw json.RawMessage) error {
	f := fieldsOfSetup()[name]
	v := reflect.New(f.Is)
	if string(bytes.TrimSpace(raw)) != "null" {
		if err := exact.Decode(raw, v.Interface(), "/"+name); err != nil {
			return err
		}
	}
	reflect.ValueOf(s).Elem().Field(f.Index).Set(v.Elem())
	return nil
}

func fieldsOfSetup() map[string]exact.Field { return exact.Fields(reflect.TypeFor[setup.Setup]()) }
