// Package savings looks for changes that make a frame cheaper: for each it measures what it
// saves on the target, by doing the work of the frame again, and what is lost of the
// finished picture, as an eye would see it (mean CIEDE2000 over the picture: 1 is just
// noticed where it is everywhere); and it chooses the set that brings all views under a
// limit and loses the least.
package savings

import (
	"encoding/json"
	"fmt"
	"math"
	"slices"

	"willowherb/core/bake"
	"willowherb/core/edits"
	"willowherb/core/lamps"
	"willowherb/core/light"
	"willowherb/core/setup"
	"willowherb/core/work"
)

// Means is a kind of change.
type Means string

// Kinds of change.
const (
	NoShadow Means = "no shadow"
	Bake     Means = "baked"
	Range    Means = "shorter range"
	Cone     Means = "narrower cone"
	Merge    Means = "one lamp for two"
	Map      Means = "smaller map"
	Cascades Means = "fewer cascades"
	HalfRate Means = "shadows at half the rate"
	Filter   Means = "narrower filter"
	Steps    Means = "fewer steps of fog"
)

// Saving is one that could be made.
type Saving struct {
	Kinds  []Means    `json:"kinds"`
	What   string     `json:"what"`
	Lights []string   `json:"lights"` // ids: two changes of one light are not made together
	Ops    []edits.Op `json:"ops"`
	// SavedMs and Loss are of each view: milliseconds, and mean CIEDE2000; P95 is what a
	// twentieth of the worst view's pixels differ by and more.
	SavedMs []float64 `json:"savedMs"`
	Loss    []float64 `json:"loss"`
	P95     float64   `json:"p95"`
	SavedMB float64   `json:"savedMB"`
	// By is how the loss was measured.
	By     string `json:"by"`
	Chosen bool   `json:"chosen"`
	// Rebake tells that it is there only after a new bake.
	Rebake bool `json:"rebake"`

	plan *bake.Plan           // of the smaller pages
	draw func(d *setup.Drawn) // what it changes of how the shadow is drawn
}

func op(path string, v any) edits.Op {
	raw, err := json.Marshal(v)
	if err != nil {
		panic(err) // numbers, words and plain structs
	}
	return edits.Op{Op: "replace", Path: path, Value: raw}
}

// drawnOp sets how a light's shadow is drawn.
func drawnOp(id string, l *setup.Light, change func(d *setup.Drawn)) edits.Op {
	d := setup.StandardDrawn
	kind := "add"
	if l.Drawn != nil {
		d, kind = *l.Drawn, "replace"
	}
	change(&d)
	o := op("/lights/"+id+"/drawn", d)
	o.Op = kind
	return o
}

// nearTogether is how near two lamps stand, as a share of their reach, that one may do for both.
const nearTogether = 0.35

// Candidates are the changes that may be tried of a setup's lights as they are resolved.
// moving tells the lamps that travel; cascades and steps are what the target has where the
// setup says none.
func Candidates(doc *setup.Setup, lit []*lamps.Lamp, moving []bool, cascades, steps int) (out []Saving) {
	for i, l := range lit {
		if !work.Live(l) {
			continue
		}
		own := ofLight(l, moving != nil && moving[i], cascades)
		out = append(out, own...)
		out = append(out, together(l, own)...)
	}
	out = append(out, merges(lit, moving)...)
	if doc.Fog != nil && !doc.Fog.Off {
		now := steps
		if doc.Fog.Steps > 0 {
			now = doc.Fog.Steps
		}
		for _, k := range []int{2, 4} {
			if n := now / k; n >= 8 {
				o := op("/fog/steps", n)
				if doc.Fog.Steps == 0 {
					o.Op = "add"
				}
				out = append(out, Saving{Kinds: []Means{Steps}, What: fmt.Sprintf("Fog: %d steps", n), Lights: []string{fogID}, Ops: []edits.Op{o}})
			}
		}
	}
	return out
}

// fogID stands for the fog among the lights of a change.
const fogID = "/fog"

func ofLight(l *lamps.Lamp, moves bool, cascades int) (out []Saving) {
	at := "/lights/" + l.ID + "/"
	add := func(k Means, words string, ops ...edits.Op) {
		out = append(out, Saving{Kinds: []Means{k}, What: l.Name + ": " + words, Lights: []string{l.ID}, Ops: ops})
	}
	plan, _, _ := l.Source.Plan()
	set := l.ShadowDrawn(cascades)
	if l.Shadow && plan != light.NoMap {
		add(NoShadow, "no shadow", op(at+"shadow", false))
		if set.Traced == 0 {
			for n := l.ShadowMap / 2; n >= 128 && n >= l.ShadowMap/4; n /= 2 {
				add(Map, fmt.Sprintf("map %d", n), op(at+"shadowMap", n))
			}
			draw := func(k Means, words string, change func(d *setup.Drawn)) {
				add(k, words, drawnOp(l.ID, &l.Light, change))
				out[len(out)-1].draw = change
			}
			if plan == light.Cascades {
				for n := set.Cascades - 1; n >= 1 && n >= set.Cascades-2; n-- {
					draw(Cascades, fmt.Sprintf("%d cascades", n), func(d *setup.Drawn) { d.Cascades = n })
				}
			}
			if set.Every < 2 {
				draw(HalfRate, "shadow at half the rate", func(d *setup.Drawn) { d.Every = 2 })
			}
			if set.Filter > 1 {
				draw(Filter, "filter of 1 texel", func(d *setup.Drawn) { d.Filter = 1 })
			}
		}
	}
	if !moves {
		add(Bake, "baked", op(at+"carry", setup.Baked))
	}
	if l.Range > 0 {
		for _, k := range []float64{0.8, 0.6} {
			r := math.Round(l.Range*k*10) / 10
			add(Range, fmt.Sprintf("range %.3g m", r), op(at+"range", r))
		}
	}
	if l.Kind == setup.Spot && l.Outer > 8 {
		outer := math.Round(l.Outer * 0.8)
		add(Cone, fmt.Sprintf("cone %g degrees", outer), op(at+"outer", outer), op(at+"inner", math.Min(l.Inner, outer)))
	}
	return out
}

// pairsOf are the kinds that are worth doing to one light at once.
var pairsOf = [][2]Means{{NoShadow, Range}, {NoShadow, Cone}, {HalfRate, Map}, {HalfRate, Filter}, {HalfRate, Cascades}, {Map, Filter}}

// together makes single changes of a light that go with one another, both at once.
func together(l *lamps.Lamp, own []Saving) (out []Saving) {
	first := func(k Means) *Saving {
		i := slices.IndexFunc(own, func(c Saving) bool { return c.Kinds[0] == k })
		if i < 0 {
			return nil
		}
		return &own[i]
	}
	for _, p := range pairsOf {
		a, b := first(p[0]), first(p[1])
		if a == nil || b == nil {
			continue
		}
		c := Saving{Kinds: []Means{p[0], p[1]}, What: a.What + ", " + b.What[len(nameOf(b)):], Lights: a.Lights, Ops: append(slices.Clone(a.Ops), b.Ops...)}
		if a.draw != nil && b.draw != nil {
			c.Ops = []edits.Op{drawnOp(l.ID, &l.Light, func(d *setup.Drawn) { a.draw(d); b.draw(d) })}
		}
		out = append(out, c)
	}
	return out
}

// nameOf is the light's name with the colon and blank after it, as What begins.
func nameOf(c *Saving) string {
	for i := range c.What {
		if c.What[i] == ':' && i+1 < len(c.What) && c.What[i+1] == ' ' {
			return c.What[:i+2]
		}
	}
	return ""
}

// merges puts one lamp in the place of two alike that stand close together.
func merges(lit []*lamps.Lamp, moving []bool) (out []Saving) {
	for i, a := range lit {
		for j, b := range lit[:i] {
			if !alike(a, b) || moving != nil && (moving[i] || moving[j]) {
				continue
			}
			// The later goes; the earlier stands between them, and gives what both gave.
			at := "/lights/" + b.ID + "/"
			wa, wb := a.Output*math.Exp2(a.Stops), b.Output*math.Exp2(b.Stops)
			var p [3]float64
			for k := range p {
				p[k] = (wa*a.Position[k] + wb*b.Position[k]) / (wa + wb)
			}
			out = append(out, Saving{Kinds: []Means{Merge}, What: fmt.Sprintf("%s and %s: one lamp", b.Name, a.Name), Lights: []string{b.ID, a.ID},
				Ops: []edits.Op{op("/lights/"+a.ID+"/off", true), op(at+"position", p), op(at+"output", (wa+wb)/math.Exp2(b.Stops)), op(at+"range", math.Max(a.Range, b.Range))}})
		}
	}
	return out
}

func alike(a, b *lamps.Lamp) bool {
	if !work.Live(a) || !work.Live(b) || a.Kind != b.Kind || a.Kind != setup.Point && a.Kind != setup.Spot || a.Group != b.Group || a.Unit != b.Unit || a.Output <= 0 || b.Output <= 0 || a.Frame != nil || b.Frame != nil {
		return false
	}
	reach := math.Min(a.Range, b.Range)
	d := a.Source.Pos.Sub(b.Source.Pos).Len()
	return reach > 0 && float64(d) < nearTogether*reach && a.Source.Aim.Dot(b.Source.Aim) > 0.9 && a.Colour == b.Colour
}
