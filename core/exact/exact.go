// Package exact decodes JSON into Go types to the letter: names as they are written,
// nothing unknown, nothing after the end. Errors name the place as a JSON pointer.
package exact

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"reflect"
	"strings"
	"sync"
)

// ErrInvalid means that JSON is not what belongs there.
var ErrInvalid = errors.New("not a valid setup")

// Escape writes a name as a part of a JSON pointer (RFC 6901).
func Escape(k string) string {
	if !strings.ContainsAny(k, "~/") {
		return k
	}
	return strings.ReplaceAll(strings.ReplaceAll(k, "~", "~0"), "/", "~1")
}

// Decode decodes JSON into v: exact names only, nothing unField, nothing after it.
// at is the place that errors name.
func Decode(raw []byte, v any, at string) error {
	if err := names(raw, reflect.TypeOf(v).Elem(), at); err != nil {
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

// Field is a field of a type as JSON names it.
type Field struct {
	Index    int
	Is       reflect.Type
	Optional bool // left out while it stands at zero
}

// LeftOut reports whether the document does not write a field of this value.
func (f Field) LeftOut(v reflect.Value) bool {
	switch v.Kind() {
	case reflect.Map, reflect.Slice, reflect.String:
		return f.Optional && v.Len() == 0
	}
	return f.Optional && v.IsZero()
}

var fieldTables sync.Map // reflect.Type to map[string]Field

// Fields are those of a struct type, by the names that JSON knows them by.
func Fields(t reflect.Type) map[string]Field {
	if m, ok := fieldTables.Load(t); ok {
		return m.(map[string]Field)
	}
	m := map[string]Field{}
	for i := range t.NumField() {
		f := t.Field(i)
		name, rest, _ := strings.Cut(f.Tag.Get("json"), ",")
		if f.IsExported() && name != "" {
			m[name] = Field{i, f.Type, strings.Contains(rest, "omitempty")}
		}
	}
	fieldTables.Store(t, m)
	return m
}

// names refuses names that the type does not have to the letter: the standard
// decoder would take them whatever their case, and an edit of them could not be
// found again to be undone.
func names(raw []byte, t reflect.Type, at string) error {
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
			if err := names(v, t.Elem(), at+"/"+Escape(k)); err != nil {
				return err
			}
		}
		return nil
	}
	fields := Fields(t)
	for k, v := range m {
		f, ok := fields[k]
		if !ok {
			return fmt.Errorf("%s/%s: %w: there is no field of that name", at, Escape(k), ErrInvalid)
		}
		if err := names(v, f.Is, at+"/"+Escape(k)); err != nil {
			return err
		}
	}
	return nil
}
