// Package target describes devices that frames are made for: how they do a frame, what
// they can afford, and what each piece of work costs them, pass by pass. Files are JSON;
// the devices that ship are made up. Costs are in nanoseconds and bytes a piece.
package target

import (
	"bytes"
	_ "embed"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"math"
	"reflect"
	"slices"
	"strings"
	"sync"
)

// Target is a device and its coefficients.
type Target struct {
	ID   string `json:"id"`
	Name string `json:"name"`
	// Says tells where its numbers come from.
	Says   string `json:"says"`
	Rate   int    `json:"rate"` // frames a second
	How    Method `json:"how"`
	Limits Limits `json:"limits"`
	Bytes  Bytes  `json:"bytes"`
	Passes []Pass `json:"passes"`
}

// Limits are what lighting may take of a frame; 0: no limit.
type Limits struct {
	Ms         float64 `json:"ms"`
	MB         float64 `json:"mb"`
	ShadowMB   float64 `json:"shadowMB"`
	LightmapMB float64 `json:"lightmapMB"` // with reflection probes
	// Overlap is how many live lights may reach one place, Shadows how many of a view's may
	// have shadow maps.
	Overlap int `json:"overlap"`
	Shadows int `json:"shadows"`
}

// Bytes are what is kept for a piece.
type Bytes struct {
	Texel float64 `json:"texel"` // of a shadow map
	Pixel float64 `json:"pixel"` // of what lighting draws into
	Cell  float64 `json:"cell"`  // of the fog's grid
	Entry float64 `json:"entry"` // of a list of lights
	Probe float64 `json:"probe"`
}

// Pass is a part of the frame that the device times by itself: the sum of its terms.
type Pass struct {
	Name  string `json:"name"`
	Terms []Term `json:"terms"`
}

// Term is what a kind of work costs in a pass.
type Term struct {
	Count string  `json:"count"`
	Ns    float64 `json:"ns"`
	// Error is by how much Ns may be off, as one standard deviation, where that is known.
	Error  float64 `json:"error,omitempty"`
	Source string  `json:"source"` // where it is from, or "made up"
}

// Formula writes a pass out.
func (p *Pass) Formula() string {
	var b strings.Builder
	for i, t := range p.Terms {
		if i > 0 {
			b.WriteString(" + ")
		}
		fmt.Fprintf(&b, "%s * %.4g ns", t.Count, t.Ns)
	}
	return b.String()
}

// Limits of a file.
const (
	MaxBytes  = 1 << 20
	maxPasses = 40
	maxTerms  = 60
	maxName   = 80
)

// ErrInvalid means that a file is no target; the text says where and why.
var ErrInvalid = errors.New("no target")

//go:embed targets.json
var shipped []byte

var all = sync.OnceValue(func() []Target {
	var t []Target
	if err := json.Unmarshal(shipped, &t); err != nil {
		panic(fmt.Sprintf("targets.json: %v", err)) // shipped data
	}
	return t
})

// All returns the devices that ship.
func All() []Target { return slices.Clone(all()) }

// Find returns the device of an id or name that ships.
func Find(id string) (Target, bool) {
	for _, t := range all() {
		if t.ID == id || strings.EqualFold(t.Name, id) {
			return t, true
		}
	}
	return Target{}, false
}

// Parse reads a target file; name stands in errors. Error: ErrInvalid, with line and remedy.
func Parse(name string, data []byte) (*Target, error) {
	if len(data) > MaxBytes {
		return nil, fmt.Errorf("%s: %w: it has more than %d bytes", name, ErrInvalid, MaxBytes)
	}
	d := json.NewDecoder(bytes.NewReader(data))
	d.DisallowUnknownFields()
	var t Target
	if err := d.Decode(&t); err != nil {
		at := d.InputOffset()
		var se *json.SyntaxError
		var te *json.UnmarshalTypeError
		if errors.As(err, &se) {
			at = se.Offset
		} else if errors.As(err, &te) {
			return nil, fmt.Errorf("%s, line %d: %w: %s holds a %s; write %s", name, line(data, te.Offset), ErrInvalid, te.Field, te.Value, wordOf(te.Type.Kind()))
		}
		return nil, fmt.Errorf("%s, line %d: %w: %w", name, line(data, at), ErrInvalid, err)
	}
	if _, err := d.Token(); !errors.Is(err, io.EOF) {
		return nil, fmt.Errorf("%s, line %d: %w: something stands after its end; remove it", name, line(data, d.InputOffset()), ErrInvalid)
	}
	if err := t.Check(); err != nil {
		return nil, fmt.Errorf("%s%s: %w: %w", name, lineOf(data, err), ErrInvalid, err)
	}
	return &t, nil
}

// wordOf says what belongs into a field.
func wordOf(k reflect.Kind) string {
	switch k {
	case reflect.Int:
		return "a whole number"
	case reflect.Float64:
		return "a number"
	case reflect.Bool:
		return "true or false"
	case reflect.Slice:
		return "a list"
	case reflect.Struct:
		return "an object"
	}
	return "text"
}

func line(data []byte, at int64) int {
	return 1 + bytes.Count(data[:min(max(at, 0), int64(len(data)))], []byte("\n"))
}

// at is an error of a value, with a text by which its line is found.
type at struct {
	key string
	err error
}

func (a *at) Error() string { return a.err.Error() }

func lineOf(data []byte, err error) string {
	var a *at
	if errors.As(err, &a) && a.key != "" {
		if i := bytes.Index(data, []byte(a.key)); i >= 0 {
			return fmt.Sprintf(", line %d", line(data, int64(i)))
		}
	}
	return ""
}

// Check reports the first value that cannot be.
func (t *Target) Check() error {
	bad := func(key, format string, a ...any) error { return &at{key, fmt.Errorf(format, a...)} }
	if t.ID == "" || len(t.ID) > maxName || strings.ContainsAny(t.ID, "/~ ") {
		return bad(`"id"`, "id: %.80q is none; write letters, digits and dashes", t.ID)
	}
	if t.Name == "" || len(t.Name) > maxName || len(t.Says) > 2000 {
		return bad(`"name"`, "name: write one to %d letters", maxName)
	}
	if t.Rate < 1 || t.Rate > 1000 {
		return bad(`"rate"`, "rate: %d is not between 1 and 1000 frames a second", t.Rate)
	}
	if err := t.How.Check(); err != nil {
		return bad(`"how"`, "how.%w", err)
	}
	for _, v := range []struct {
		name string
		v    float64
	}{{"ms", t.Limits.Ms}, {"mb", t.Limits.MB}, {"shadowMB", t.Limits.ShadowMB}, {"lightmapMB", t.Limits.LightmapMB}, {"overlap", float64(t.Limits.Overlap)}, {"shadows", float64(t.Limits.Shadows)},
		{"texel", t.Bytes.Texel}, {"pixel", t.Bytes.Pixel}, {"cell", t.Bytes.Cell}, {"entry", t.Bytes.Entry}, {"probe", t.Bytes.Probe}} {
		if !(v.v >= 0 && v.v <= 1e6) {
			return bad(`"`+v.name+`"`, "%s: %g is not between 0 and 1000000", v.name, v.v)
		}
	}
	if len(t.Passes) == 0 || len(t.Passes) > maxPasses {
		return bad(`"passes"`, "passes: there are %d; write 1 to %d", len(t.Passes), maxPasses)
	}
	seen := map[string]bool{}
	for i := range t.Passes {
		p := &t.Passes[i]
		if p.Name == "" || len(p.Name) > maxName || seen[p.Name] {
			return bad(fmt.Sprintf("%q", p.Name), "passes/%d: the name %.80q is empty, too long or there twice", i, p.Name)
		}
		seen[p.Name] = true
		if len(p.Terms) == 0 || len(p.Terms) > maxTerms {
			return bad(fmt.Sprintf("%q", p.Name), "pass %q: has %d terms; write 1 to %d", p.Name, len(p.Terms), maxTerms)
		}
		had := map[string]bool{}
		for _, m := range p.Terms {
			if _, ok := Named(m.Count); !ok {
				return bad(fmt.Sprintf("%q", m.Count), "pass %q: %.40q is no kind of work that is counted; docs/cost-model.md lists them", p.Name, m.Count)
			}
			if had[m.Count] {
				return bad(fmt.Sprintf("%q", p.Name), "pass %q: counts %q twice; add the two up", p.Name, m.Count)
			}
			had[m.Count] = true
			if !(m.Ns >= 0 && m.Ns <= 1e9) || !(m.Error >= 0 && m.Error <= math.MaxFloat32) {
				return bad(fmt.Sprintf("%q", p.Name), "pass %q: %s costs %g ns; write 0 to 1000000000", p.Name, m.Count, m.Ns)
			}
			if len(m.Source) > 400 {
				return bad(fmt.Sprintf("%q", p.Name), "pass %q: the source of %s is longer than 400 letters", p.Name, m.Count)
			}
		}
	}
	return nil
}

// JSON writes the target as a file.
func (t *Target) JSON() []byte {
	b, err := json.MarshalIndent(t, "", "  ")
	if err != nil {
		panic(err) // finite numbers and strings
	}
	return append(b, '\n')
}
