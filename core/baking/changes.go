package baking

import (
	"encoding/json"
	"fmt"
	"math"

	"willowherb/core/bake"
	"willowherb/core/colour"
	"willowherb/core/lamps"
	"willowherb/core/setup"
)

// Snapshot is what a bake depends on of a setup.
type Snapshot struct {
	Doc   *setup.Setup
	Lamps []*lamps.Lamp
	Place [32]byte // staging.Stage.Still
}

// Change is what differs between a bake and the setup as it is now.
type Change struct {
	Light string `json:"light"` // its id; empty for the place and the rules
	Name  string `json:"name"`
	Why   string `json:"why"`
	// Live changes need no bake: layers are multiplied by them.
	Live bool `json:"live"`
}

// Changes tells why a bake of some snapshot would be made anew, and what needs no bake.
func Changes(was, now *Snapshot) (out []Change) {
	if was.Place != now.Place {
		out = append(out, Change{Name: "The place", Why: "objects, materials, channels or its file changed: all is baked again"})
	}
	a, b := was.Doc.Baking(), now.Doc.Baking()
	if rules(was.Doc) != rules(now.Doc) || densities(was.Doc) != densities(now.Doc) {
		out = append(out, Change{Name: "Texels", Why: "density, pages, views or what is in the map changed: all is baked again"})
	}
	if standing(&a) != standing(&b) {
		out = append(out, Change{Name: "Probes", Why: "where probes or reflection probes stand changed: they are made again"})
	}
	if a.Occlusion != b.Occlusion {
		out = append(out, Change{Name: "Occlusion", Why: "is baked otherwise: it is made again"})
	}
	before := map[string]bake.Source{}
	for _, s := range bake.Sources(was.Lamps, &a, nil) {
		before[s.ID] = s
	}
	for _, s := range bake.Sources(now.Lamps, &b, nil) {
		name := named(now.Lamps, s.ID)
		o, ok := before[s.ID]
		delete(before, s.ID)
		switch {
		case !ok:
			out = append(out, Change{Light: s.ID, Name: name, Why: "is baked now, and was not"})
		case o.Straight != s.Straight:
			out = append(out, Change{Light: s.ID, Name: name, Why: "is carried otherwise"})
		case o.Bounces != s.Bounces:
			out = append(out, Change{Light: s.ID, Name: name, Why: "bounces otherwise"})
		case o.Leans != s.Leans:
			out = append(out, Change{Light: s.ID, Name: name, Why: "keeps its directions now, or no longer"})
		case o.Key != s.Key:
			out = append(out, Change{Light: s.ID, Name: name, Why: "was moved, turned or shaped"})
		case o.Gain != s.Gain:
			out = append(out, Change{Light: s.ID, Name: name, Why: level(lumOf(o), lumOf(s)), Live: true})
		}
	}
	for _, l := range was.Lamps {
		if _, ok := before[l.ID]; ok {
			out = append(out, Change{Light: l.ID, Name: l.Name, Why: "is baked no longer: its layers are left out", Live: true})
		}
	}
	return out
}

func named(ls []*lamps.Lamp, id string) string {
	for _, l := range ls {
		if l.ID == id {
			return l.Name
		}
	}
	return id
}

func lumOf(s bake.Source) float64 { return colour.LuminanceOf(s.Gain) }

// level says how a light's level changed, in stops.
func level(was, now float64) string {
	switch {
	case now == 0:
		return "was turned off"
	case was == 0:
		return "was turned on"
	}
	if st := math.Log2(now / was); st > 0.005 || st < -0.005 {
		return fmt.Sprintf("%+.1f stops since the bake", st)
	}
	return "has another colour"
}

// rules are what the layout depends on.
func rules(doc *setup.Setup) string {
	b := doc.Baking()
	var eyes [][3]float64
	if b.Seen {
		for _, id := range doc.SortedViews() {
			eyes = append(eyes, doc.Views[id].Eye)
		}
	}
	return text(b.Density, b.Seen, b.Page, b.Padding, b.Bounds, b.SkyBounces, eyes)
}

// standing is what probes and reflection probes depend on besides light.
func standing(b *setup.Bake) string { return text(b.Apart, b.Heights, b.Fill, b.Probes, b.Mirrors) }

func text(parts ...any) string {
	t, err := json.Marshal(parts)
	if err != nil {
		panic(err) // plain data always marshals
	}
	return string(t)
}

func densities(doc *setup.Setup) string {
	type said struct {
		Density float64
		By, In  bool
	}
	out := map[string]said{}
	for _, o := range doc.Objects {
		s := said{By: o.ByProbes, In: o.InMap}
		if o.Density != nil {
			s.Density = *o.Density
		}
		if s != (said{}) {
			out[o.Path] = s
		}
	}
	return text(out)
}
