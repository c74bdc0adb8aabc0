// Package budget says what the work of a frame (core/work) costs on a target: milliseconds
// by pass, by light and by feature, and megabytes by what they are kept for. Every pass is
// a sum of counts times coefficients, which are the target's (core/target); so what the
// lights cost and what the frame costs without any add up to the whole.
// docs/cost-model.md writes the formulas out.
package budget

import (
	"willowherb/core/lamps"
	"willowherb/core/target"
	"willowherb/core/work"
)

// Cost of one light in one view.
type Cost struct {
	ShadeMs  float64 `json:"shadeMs"`
	ShadowMs float64 `json:"shadowMs"` // its maps, and looking them up
	AirMs    float64 `json:"airMs"`    // in fog
	Ms       float64 `json:"ms"`
	MB       float64 `json:"mb"` // of its shadow maps
	// Passes is what of it is spent in which.
	Passes map[string]float64 `json:"passes"`
	// Work is what is counted; Maps, Kept and Side are its shadow maps: see work.LightWork.
	Work target.Counts `json:"counts"`
	Maps int           `json:"maps"`
	Kept int           `json:"kept"`
	Side int           `json:"side"`
}

// PassCost is a part of the frame.
type PassCost struct {
	Name  string     `json:"name"`
	Ms    float64    `json:"ms"`
	Error float64    `json:"error"` // standard deviation, where the target's coefficients tell one
	Terms []TermCost `json:"terms"`
}

// TermCost is one count of a pass with what it costs.
type TermCost struct {
	Count  string  `json:"count"`
	Says   string  `json:"says"`
	N      float64 `json:"n"`
	Ns     float64 `json:"ns"`
	Ms     float64 `json:"ms"`
	Source string  `json:"source"`
}

// Kept is memory that is kept for something. Known is how its size is known: counted, from
// the bake, estimated, or not known.
type Kept struct {
	Name  string  `json:"name"`
	MB    float64 `json:"mb"`
	Known string  `json:"known"`
	Limit float64 `json:"limit"` // 0: none of its own
}

// Frame is the budget of one view.
type Frame struct {
	Ms      float64 `json:"ms"`
	MB      float64 `json:"mb"`
	LimitMs float64 `json:"limitMs"`
	LimitMB float64 `json:"limitMB"`
	// OwnMs is what it costs without any light.
	OwnMs  float64         `json:"ownMs"`
	Passes []PassCost      `json:"passes"`
	Lights map[string]Cost `json:"lights"` // by light id
	// Features are milliseconds by what they are spent on.
	Features map[target.Feature]float64 `json:"features"`
	Memory   []Kept                     `json:"memory"`
	Counts   target.Counts              `json:"counts"` // of all
	// Overlap is the longest list of lights of what is seen, Shadows how many lights with maps.
	Overlap int `json:"overlap"`
	Shadows int `json:"shadows"`
	// Unknown is what is not known of it, in words.
	Unknown []string `json:"unknown"`
}

// Baked is what a bake keeps on a target; nil: there is none yet.
type Baked struct {
	MB          float64 // lightmap pages
	MirrorMB    float64 // reflection probes
	Probes      int
	Directional bool
	// Left are the paths of the objects that probes light instead.
	Left []string
}

// Price turns the work of a frame into what it costs. bake is what is kept of baked light.
func Price(t *target.Target, lit []*lamps.Lamp, d *work.Done, bake *Baked) Frame {
	f := Frame{LimitMs: t.Limits.Ms, LimitMB: t.Limits.MB, Lights: map[string]Cost{}, Features: map[target.Feature]float64{}, Overlap: d.Most, Shadows: d.Shadows, Memory: []Kept{}, Unknown: []string{}}
	f.Counts = d.Own
	costs := make([]Cost, len(lit))
	for i := range lit {
		w := &d.Lights[i]
		f.Counts.Add(&w.Counts)
		costs[i] = Cost{Passes: map[string]float64{}, Work: w.Counts, Maps: w.Maps, Kept: w.Kept, Side: w.Side, MB: float64(w.Maps) * float64(w.Side) * float64(w.Side) * t.Bytes.Texel / (1 << 20)}
	}
	for i := range t.Passes {
		p := &t.Passes[i]
		out := PassCost{Name: p.Name, Terms: []TermCost{}}
		for _, m := range p.Terms {
			k, _ := target.Named(m.Count)
			n := f.Counts[k]
			ms := n * m.Ns / 1e6
			out.Terms = append(out.Terms, TermCost{m.Count, k.Says(), n, m.Ns, ms, m.Source})
			out.Ms += ms
			out.Error += n * m.Error / 1e6
			f.Features[k.Feature()] += ms
			f.OwnMs += d.Own[k] * m.Ns / 1e6
			for j := range costs {
				costs[j].add(p.Name, k, d.Lights[j].Counts[k]*m.Ns/1e6)
			}
		}
		f.Ms += out.Ms
		f.Passes = append(f.Passes, out)
	}
	shadow := 0.0
	for i, l := range lit {
		f.Lights[l.ID] = costs[i]
		shadow += costs[i].MB
	}
	f.memory(t, d, shadow, bake)
	return f
}

func (c *Cost) add(pass string, k target.Count, ms float64) {
	if ms == 0 {
		return
	}
	c.Ms += ms
	c.Passes[pass] += ms
	switch k.Feature() {
	case target.Shadows, target.Maps:
		c.ShadowMs += ms
	case target.Fog:
		c.AirMs += ms
	default:
		c.ShadeMs += ms
	}
}

func (f *Frame) memory(t *target.Target, d *work.Done, shadow float64, bake *Baked) {
	add := func(name string, mb float64, known string, limit float64) {
		if mb > 0 || known == Unknown {
			f.Memory = append(f.Memory, Kept{name, mb, known, limit})
			f.MB += mb
		}
	}
	const mega = 1 << 20
	add("shadow maps", shadow, Counted, t.Limits.ShadowMB)
	add("what lighting draws into", f.Counts[target.Pixels]*t.Bytes.Pixel/mega, Counted, 0)
	// A list has room for as many lights as the target lets overlap, and for a few more.
	add("light lists", d.Cells*float64(max(2*t.Limits.Overlap, 8))*t.Bytes.Entry/mega, Counted, 0)
	add("fog", f.Counts[target.FogCells]*t.Bytes.Cell/mega, Counted, 0)
	switch {
	case bake != nil:
		add("lightmap", bake.MB, FromBake, t.Limits.LightmapMB)
		add("reflection probes", bake.MirrorMB, FromBake, 0)
		add("probes", float64(bake.Probes)*t.Bytes.Probe/mega, FromBake, 0)
	case f.Counts[target.Lightmap]+f.Counts[target.Probes] > 0:
		add("lightmap", 0, Unknown, t.Limits.LightmapMB)
		f.Unknown = append(f.Unknown, "memory of lightmap and probes: nothing is baked yet")
	}
}

// How sizes are known.
const (
	Counted  = "counted"
	FromBake = "from the bake"
	Unknown  = "not known"
)
