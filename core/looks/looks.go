// Package looks works with looks: what one says in a sentence, what lies between two, what
// becomes of the setup when one is merged into it.
package looks

import (
	"cmp"
	"encoding/json"
	"fmt"
	"maps"
	"math"
	"slices"
	"strconv"
	"strings"

	"willowherb/core/colour"
	"willowherb/core/edits"
	"willowherb/core/exact"
	"willowherb/core/lamps"
	"willowherb/core/setup"
)

// pieces are the keys of a pointer.
func pieces(pointer string) []string {
	p := strings.Split(strings.TrimPrefix(pointer, "/"), "/")
	for i := range p {
		p[i] = strings.NewReplacer("~1", "/", "~0", "~").Replace(p[i])
	}
	return p
}

// of decodes an override's value.
func of[V any](o setup.Override) (v V, ok bool) {
	return v, len(o.Set) > 0 && json.Unmarshal(o.Set, &v) == nil
}

// signed writes a change with its sign.
func signed(v float64, digits int) string {
	s := strconv.FormatFloat(math.Abs(v), 'f', digits, 64)
	if strings.Contains(s, ".") {
		s = strings.TrimRight(strings.TrimRight(s, "0"), ".")
	}
	if v < 0 {
		return "−" + s
	}
	return "+" + s
}

func times(v float64) string { return "×" + strconv.FormatFloat(v, 'g', 2, 64) }

func kelvin(k float64) string { return fmt.Sprintf("%.0f K", math.Round(k/10)*10) }

// Sentence says what a look changes: "Sun off, Sky −1.3 st, fog ×2, balance 7200 K". A look
// that changes nothing says nothing.
func Sentence(s *setup.Setup, id string) string {
	l, ok := s.Looks[id]
	if !ok {
		return ""
	}
	// What the day sets of its lights is told by the day.
	follows := map[string]bool{}
	if d, ok := of[setup.Day](l.Overrides["/day"]); ok {
		follows[d.Sun], follows[d.Dome], follows[d.Moon] = true, true, true
	}
	say := map[int][]string{}
	by := map[string][]string{} // what is said of each light
	weight := map[string]float64{}
	var order []string
	for _, p := range slices.Sorted(maps.Keys(l.Overrides)) {
		o, k := l.Overrides[p], pieces(p)
		switch k[0] {
		case "lights":
			light, ok := s.Lights[k[1]]
			if !ok || len(k) < 3 || follows[k[1]] && k[2] != "stops" && k[2] != "off" {
				continue
			}
			if by[light.Name] == nil {
				order = append(order, light.Name)
			}
			by[light.Name] = append(by[light.Name], lightWords(&light, k[2:], o))
			switch off, _ := of[bool](o); {
			case k[2] == "off" && off:
				weight[light.Name] = 100
			case o.Stops != nil:
				weight[light.Name] = max(weight[light.Name], math.Abs(*o.Stops))
			}
		case "groups":
			if g, ok := s.Groups[k[1]]; ok && len(k) > 2 {
				say[1] = append(say[1], g.Name+" "+groupWords(k[2], o))
			}
		case "views":
			if v, ok := s.Views[k[1]]; ok && len(k) > 2 && k[2] == "ev" {
				if ev, ok := of[float64](o); ok {
					say[4] = append(say[4], fmt.Sprintf("%s at EV %.1f", v.Name, ev))
				} else if o.Stops != nil {
					say[4] = append(say[4], fmt.Sprintf("%s EV %s", v.Name, signed(*o.Stops, 1)))
				}
			}
		case "day":
			if d, ok := of[setup.Day](o); ok {
				say[-1] = append(say[-1], fmt.Sprintf("sun %.0f° high", d.Sky.SunHeight))
				if d.Moonlit {
					say[-1] = append(say[-1], fmt.Sprintf("moon %.0f° high", d.Sky.MoonHeight))
				}
				if d.Sky.Clouds > 0 {
					say[-1] = append(say[-1], fmt.Sprintf("clouds %.0f %%", 100*d.Sky.Clouds))
				}
			}
		case "fog":
			say[2] = append(say[2], fogWords(s, k[1:], o)...)
		case "aerial":
			if on, _ := of[bool](o); on {
				say[2] = append(say[2], "the sky's air between")
			} else {
				say[2] = append(say[2], "no air between")
			}
		case "grade":
			say[3] = append(say[3], gradeWords(k[1:], o)...)
		case "curve":
			say[3] = append(say[3], "another curve")
		case "materials", "objects":
			say[5] = append(say[5], "other "+k[0])
		case "time":
			say[5] = append(say[5], "another moment")
		}
	}
	// What is off comes first, then what changes most.
	slices.SortStableFunc(order, func(a, b string) int { return cmp.Compare(weight[b], weight[a]) })
	for _, name := range order {
		words := by[name]
		slices.SortStableFunc(words, func(a, b string) int { return cmp.Compare(rank(a), rank(b)) })
		words = slices.Compact(words)
		if words[0] == "off" {
			words = words[:1]
		}
		if n := len(words); n > 1 && words[n-1] == changed {
			words = words[:n-1]
		}
		say[0] = append(say[0], name+" "+strings.Join(words, " "))
	}
	var out []string
	for _, k := range slices.Sorted(maps.Keys(say)) {
		for _, w := range say[k] {
			if !slices.Contains(out, w) {
				out = append(out, w)
			}
		}
	}
	return strings.Join(out, ", ")
}

// changed is said of what has no better words.
const changed = "changed"

// rank is where words stand in what is said of a light.
func rank(words string) int {
	switch {
	case words == "off" || words == "on":
		return 0
	case strings.HasSuffix(words, " st"):
		return 1
	case strings.HasSuffix(words, " K"):
		return 2
	case words == changed:
		return 9
	}
	return 3
}

func lightWords(l *setup.Light, k []string, o setup.Override) string {
	switch k[0] {
	case "off":
		if off, _ := of[bool](o); off {
			return "off"
		}
		return "on"
	case "stops":
		if o.Stops != nil {
			return signed(*o.Stops, 2) + " st"
		}
		if v, ok := of[float64](o); ok {
			return signed(v-l.Stops, 2) + " st"
		}
	case "output":
		if o.Times != nil {
			return times(*o.Times)
		}
		if v, ok := of[float64](o); ok {
			return fmt.Sprintf("%.3g %s", v, l.OutputUnit())
		}
	case "colour":
		if c, ok := of[setup.Colour](o); ok && len(k) == 1 && c.RGB == nil && c.Kelvin > 0 {
			return kelvin(c.Kelvin)
		}
		if v, ok := of[float64](o); ok && len(k) == 2 && k[1] == "kelvin" {
			return kelvin(v)
		}
		return "in another colour"
	case "position":
		return "elsewhere"
	case "aim", "roll":
		return "turned"
	case "noAir":
		return "otherwise in fog"
	}
	return changed
}

func groupWords(field string, o setup.Override) string {
	v, set := of[float64](o)
	switch field {
	case "off":
		if off, _ := of[bool](o); off {
			return "off"
		}
		return "on"
	case "trim":
		if o.Stops != nil {
			v, set = *o.Stops, true
		}
		if set {
			return signed(v, 2) + " st"
		}
	case "mired":
		if o.Stops != nil {
			v = *o.Stops
		}
		if v < 0 {
			return fmt.Sprintf("%.0f mired cooler", -v)
		}
		return fmt.Sprintf("%.0f mired warmer", v)
	case "hue":
		return fmt.Sprintf("%.0f° round", v)
	}
	return changed
}

func fogWords(s *setup.Setup, k []string, o setup.Override) []string {
	if len(k) == 0 {
		if f, ok := of[*setup.Fog](o); ok && f != nil && !f.Off {
			return []string{fmt.Sprintf("fog %.0f m", f.Visibility)}
		}
		return []string{"no fog"}
	}
	switch k[0] {
	case "off":
		if off, _ := of[bool](o); off {
			return []string{"no fog"}
		}
		return []string{"fog"}
	case "visibility":
		if o.Times != nil && *o.Times > 0 {
			return []string{"fog " + times(1 / *o.Times)}
		}
		if v, ok := of[float64](o); ok && s.Fog != nil && v > 0 {
			return []string{"fog " + times(s.Fog.Visibility/v)}
		}
	}
	return []string{"another fog"}
}

func gradeWords(k []string, o setup.Override) []string {
	white := func(w [3]float64) string {
		return "balance " + kelvin(colour.NearestKelvin(colour.Unit(w)))
	}
	if len(k) == 0 {
		var g struct {
			White *[3]float64 `json:"white"`
		}
		if len(o.Set) > 0 && json.Unmarshal(o.Set, &g) == nil && g.White != nil {
			return []string{white(*g.White), "graded"}
		}
		if string(o.Set) == "null" {
			return []string{"ungraded"}
		}
		return []string{"graded"}
	}
	v, ok := of[float64](o)
	switch {
	case k[0] == "white":
		if w, ok := of[*[3]float64](o); ok && w != nil && len(k) == 1 {
			return []string{white(*w)}
		}
		return []string{"another balance"}
	case k[0] == "saturation" && ok:
		return []string{fmt.Sprintf("saturation %.2g", v)}
	case k[0] == "contrast" && ok:
		return []string{fmt.Sprintf("contrast %.2g", v)}
	}
	return []string{"graded"}
}

// value is what a document has at a pointer; nil where nothing is.
func value(s *setup.Setup, pointer string) json.RawMessage {
	v, found, err := edits.Get(s, pointer)
	if err != nil || !found {
		return nil
	}
	return v
}

// Blend is what lies between two looks (empty: the setup as it is), as the overrides of one:
// share 0 is the first, 1 the second. Levels go evenly in stops, temperatures in mired, fog in
// its density, other numbers evenly; what has no between changes in the middle.
func Blend(s *setup.Setup, first, second string, share float64) (map[string]setup.Override, error) {
	var sides [2]*setup.Setup
	pointers := map[string]bool{}
	for i, id := range []string{first, second} {
		st, err := lamps.Resolve(s, id)
		if err != nil {
			return nil, err
		}
		sides[i] = st.Setup
		for p := range s.Looks[id].Overrides {
			pointers[p] = true
		}
	}
	out := map[string]setup.Override{}
	for _, p := range slices.Sorted(maps.Keys(pointers)) {
		a, b := value(sides[0], p), value(sides[1], p)
		v := between(pieces(p), a, b, min(max(share, 0), 1))
		if v == nil {
			v = json.RawMessage("null")
		}
		if base := value(s, p); string(base) != string(v) {
			out[p] = setup.Override{Set: v}
		}
	}
	return out, nil
}

// between is what lies between two values at a place.
func between(at []string, a, b json.RawMessage, share float64) json.RawMessage {
	nearer := a
	if share >= 0.5 {
		nearer = b
	}
	var x, y any
	if a == nil || b == nil || json.Unmarshal(a, &x) != nil || json.Unmarshal(b, &y) != nil {
		return nearer
	}
	out, err := json.Marshal(mixed(at, x, y, share))
	if err != nil {
		return nearer
	}
	return out
}

func mixed(at []string, x, y any, share float64) any {
	name := at[len(at)-1]
	switch a := x.(type) {
	case float64:
		b, ok := y.(float64)
		if !ok {
			break
		}
		switch {
		case name == "kelvin" && a > 0 && b > 0, name == "visibility" && a > 0 && b > 0:
			return 1 / ((1-share)/a + share/b)
		case name == "output" && a > 0 && b > 0:
			return math.Exp2((1-share)*math.Log2(a) + share*math.Log2(b))
		case name == "channels", name == "shadowMap":
		default:
			return (1-share)*a + share*b
		}
	case []any:
		b, ok := y.([]any)
		if !ok || len(a) != len(b) {
			break
		}
		out := make([]any, len(a))
		for i := range a {
			out[i] = mixed(at, a[i], b[i], share)
		}
		return out
	case map[string]any:
		b, ok := y.(map[string]any)
		if !ok {
			break
		}
		out := map[string]any{}
		for k := range a {
			if v, ok := b[k]; ok {
				out[k] = mixed(append(slices.Clone(at), k), a[k], v, share)
			} else if share < 0.5 {
				out[k] = a[k]
			}
		}
		for k := range b {
			if _, ok := a[k]; !ok && share >= 0.5 {
				out[k] = b[k]
			}
		}
		return out
	}
	if share < 0.5 {
		return x
	}
	return y
}

// place is the pointer of a look's override.
func place(look, pointer string) string {
	return "/looks/" + exact.Escape(look) + "/overrides/" + exact.Escape(pointer)
}

// Merge are the edits that make a look the setup's own: the setup takes its values, the look
// changes nothing any more, and other looks are as they were where they said a value; what they
// said as a change is a change from the new one. Error: there is no such look.
func Merge(s *setup.Setup, id string) ([]edits.Op, error) {
	st, err := lamps.Resolve(s, id)
	if err != nil {
		return nil, err
	}
	var ops []edits.Op
	for _, p := range slices.Sorted(maps.Keys(s.Looks[id].Overrides)) {
		if slices.Contains(st.Orphans, p) {
			continue
		}
		if v := value(st.Setup, p); v != nil {
			ops = append(ops, edits.Op{Op: "add", Path: p, Value: v})
		} else if value(s, p) != nil {
			ops = append(ops, edits.Op{Op: "remove", Path: p})
		}
		ops = append(ops, edits.Op{Op: "remove", Path: place(id, p)})
	}
	return ops, nil
}

// Only are the overrides of a look that are about the lights of a group, and of the groups in
// it.
func Only(s *setup.Setup, id, group string) map[string]setup.Override {
	within := func(g string) bool {
		for range 20 {
			if g == group {
				return true
			}
			if g = s.Groups[g].Parent; g == "" {
				return false
			}
		}
		return false
	}
	out := map[string]setup.Override{}
	for p, o := range s.Looks[id].Overrides {
		k := pieces(p)
		if len(k) > 2 && (k[0] == "lights" && within(s.Lights[k[1]].Group) || k[0] == "groups" && within(k[1])) {
			out[p] = o
		}
	}
	return out
}
