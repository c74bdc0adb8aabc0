// Package lamps makes of a document's lights what renders: it resolves looks, groups and
// linked lights into a State, and a state with its place into Lamps, each with its light
// for sampling, its gain, and the key of its layers.
package lamps

import (
	"cmp"
	"encoding/json"
	"fmt"
	"maps"
	"math"
	"slices"
	"strings"

	"willowherb/core/colour"
	"willowherb/core/edits"
	"willowherb/core/setup"
)

// State is a document resolved for one look: what rendering, budget and checks
// take. Lights are in the Ledger's order.
type State struct {
	Setup  *setup.Setup
	Lights []Resolved
	// Orphans are overrides whose target is gone: kept, and told.
	Orphans []string
}

// Resolved is a light with its group's trim.
type Resolved struct {
	ID string
	setup.Light
	level float64 // output with stops and trim, linear, in its unit
	// Of its groups.
	hue, mired float64
}

// Resolve applies a look ("" for none) and the groups to the document. It is the
// only code that interprets overrides.
func Resolve(s *setup.Setup, look string) (*State, error) {
	st := &State{Setup: s}
	if look != "" {
		l, ok := s.Looks[look]
		if !ok {
			return nil, fmt.Errorf("look %q is not in the setup", look)
		}
		st.Setup, st.Orphans = wearing(s, &l)
	}
	for _, id := range slices.Sorted(maps.Keys(st.Setup.Lights)) {
		l := st.Setup.Lights[id]
		if l.Gobo != nil && l.Gobo.Speed != 0 {
			g := *l.Gobo
			g.Turn, g.Speed = math.Mod(g.Turn+g.Speed*st.Setup.Time, 360), 0
			l.Gobo = &g
		}
		if l.Profile != nil && !l.Profile.Scaled {
			l.Output, l.Unit = l.Profile.Flux, setup.Lumen
		}
		r := Resolved{ID: id, Light: l, level: l.Output * math.Exp2(l.Stops)}
		for g, ok := st.Setup.Groups[l.Group]; ok; g, ok = st.Setup.Groups[g.Parent] {
			r.level *= math.Exp2(g.Trim)
			r.Off = r.Off || g.Off
			r.hue += g.Hue
			r.mired += g.Mired
		}
		st.Lights = append(st.Lights, r)
	}
	slices.SortStableFunc(st.Lights, func(a, b Resolved) int {
		ga, gb := st.Setup.Groups[a.Group], st.Setup.Groups[b.Group]
		return cmp.Or(cmp.Compare(ga.Order, gb.Order), strings.Compare(a.Group, b.Group), cmp.Compare(a.Order, b.Order), strings.Compare(a.ID, b.ID))
	})
	return st, nil
}

// wearing is a setup with a look's overrides, and those whose target is gone.
func wearing(s *setup.Setup, l *setup.Look) (out *setup.Setup, orphans []string) {
	out = s
	for _, p := range slices.Sorted(maps.Keys(l.Overrides)) {
		next, err := overridden(l.Overrides[p], out, p, twins(s, p))
		if err != nil {
			orphans = append(orphans, p)
			continue
		}
		out = next
	}
	return out, orphans
}

// Shown is a document as it is to be shown: with the look that it says, if that is there, and
// the exposure of zones where a view takes it from them. It says no look itself.
func Shown(s *setup.Setup) *setup.Setup {
	if s == nil {
		return s
	}
	out := s
	if s.Look != "" {
		if l, ok := s.Looks[s.Look]; ok {
			out, _ = wearing(s, &l)
		}
		c := *out
		c.Look, out = "", &c
	}
	return out.InTheirZones()
}

// overridden changes the value at pointer, and that at its twins with it.
func overridden(o setup.Override, doc *setup.Setup, pointer string, twins []string) (*setup.Setup, error) {
	value := o.Set
	if len(value) == 0 {
		now, found, err := edits.Get(doc, pointer)
		if err != nil {
			return nil, edits.ErrPlace
		}
		if !found { // a number that is left out
			now = json.RawMessage("0")
		}
		var v float64
		if err := json.Unmarshal(now, &v); err != nil {
			return nil, fmt.Errorf("%s is no number", pointer)
		}
		switch {
		case o.Stops != nil:
			v += *o.Stops
		case o.Times != nil:
			v *= *o.Times
		case o.Mired != nil && v > 0:
			v = 1e6 / max(1e6/v+*o.Mired, 1e6/colour.MaxKelvin)
		}
		if value, err = json.Marshal(v); err != nil {
			return nil, err
		}
	}
	ops := []edits.Op{{Op: "add", Path: pointer, Value: value}}
	for _, t := range twins {
		ops = append(ops, edits.Op{Op: "add", Path: t, Value: value})
	}
	c, err := edits.Apply(doc, ops)
	if err != nil {
		return nil, err
	}
	return c.After, nil
}

// twins are the places of a light's value in the lights that it is linked with,
// where linked lights share that value.
func twins(s *setup.Setup, pointer string) (out []string) {
	part := strings.SplitN(pointer, "/", 4)
	if len(part) < 4 || part[1] != "lights" || s.Lights[part[2]].Link == "" {
		return nil
	}
	switch field, _, _ := strings.Cut(part[3], "/"); field {
	case "name", "group", "order", "off", "locked", "position", "aim", "roll":
		return nil
	}
	for _, id := range slices.Sorted(maps.Keys(s.Lights)) {
		if id != part[2] && s.Lights[id].Link == s.Lights[part[2]].Link {
			out = append(out, "/lights/"+id+"/"+part[3])
		}
	}
	return out
}
