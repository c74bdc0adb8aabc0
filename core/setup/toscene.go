package setup

import (
	"bytes"
	"encoding/json"
	"math"

	"willowherb/core/scene"
)

// ExtrasKey names the block that a light carries beside what
// KHR_lights_punctual can say.
const ExtrasKey = "willowherb"

// Carried is the block: the light as it is in the setup, and the groups it lies
// in, the nearest first.
type Carried struct {
	ID     string         `json:"id"`
	Light  Light          `json:"light"`
	Groups []CarriedGroup `json:"groups,omitempty"`
}

// CarriedGroup is one of them.
type CarriedGroup struct {
	ID    string `json:"id"`
	Group Group  `json:"group"`
}

// ToScene writes a state's lights as a file's: those that are a point, a spot or a
// sun as what they are, stops and trims in their intensity; panels and discs as
// the spot, and lines as the point, that comes nearest; the sky and shining
// surfaces as nodes without a light. Every one carries its block, from which it
// is read back as it was. A light that is off has intensity 0.
func (st *State) ToScene(lamps []*Lamp) []scene.Light {
	var out []scene.Light
	for _, l := range lamps {
		doc := st.Setup.Lights[l.ID]
		c := Carried{ID: l.ID, Light: doc}
		for id := doc.Group; id != "" && len(c.Groups) < 20; id = st.Setup.Groups[id].Parent {
			c.Groups = append(c.Groups, CarriedGroup{id, st.Setup.Groups[id]})
		}
		b, err := json.Marshal(c)
		if err != nil {
			panic(err) // plain values always marshal
		}
		o := scene.Light{Name: l.Name, Position: v3(l.Position), Aim: l.Source.Aim, Up: l.Source.V, Range: l.Range, Extras: map[string]any{ExtrasKey: json.RawMessage(b)}}
		full := l.Full()
		// Colour at most 1 in each primary; the rest is intensity.
		top := float64(full.Max())
		if top > 0 {
			o.Color = [3]float64{float64(full.X) / top, float64(full.Y) / top, float64(full.Z) / top}
		} else {
			o.Color = [3]float64{1, 1, 1}
		}
		if l.Off {
			top = 0
		}
		switch l.Kind {
		case Sun:
			o.Kind, o.Intensity, o.Range = scene.Sun, top, 0
		case Spot:
			o.Kind, o.Intensity, o.Inner, o.Outer = scene.Spot, top*l.Source.AxisCandela(), l.Inner*math.Pi/180, l.Outer*math.Pi/180
			if o.Inner >= o.Outer {
				o.Inner = max(o.Outer-1e-4, 0)
			}
		case Rect, Disc:
			o.Kind, o.Intensity, o.Outer = scene.Spot, top*float64(l.Source.Area()), math.Pi/2
		case Point, Line:
			o.Kind = scene.Point
			// As many lumens, evenly all round.
			o.Intensity = top / l.Source.UnitFromLumen() / (4 * math.Pi)
		default:
			o.Kind = scene.Unsaid
		}
		out = append(out, o)
	}
	return out
}

// carried reads a light's block; ok is false where it has none that is valid.
func carried(in *scene.Light) (c Carried, ok bool) {
	raw, ok := in.Extras[ExtrasKey]
	if !ok {
		return c, false
	}
	b, err := json.Marshal(raw)
	if err != nil {
		return c, false
	}
	d := json.NewDecoder(bytes.NewReader(b))
	d.DisallowUnknownFields()
	if d.Decode(&c) != nil || !idShape.MatchString(c.ID) {
		return c, false
	}
	var k checker
	c.Light.validate(&k, "")
	if len(k.errs) > 0 {
		return c, false
	}
	// Where the file has moved it, the file counts.
	near := func(a, b [3]float64) bool {
		for i := range a {
			if math.Abs(a[i]-b[i]) > 1e-4*max(1, math.Abs(b[i])) {
				return false
			}
		}
		return true
	}
	if in.Kind != scene.Unsaid {
		if p := a3(in.Position); !near(p, c.Light.Position) {
			c.Light.Position = p
		}
		if was := a3(v3(c.Light.Aim).Norm()); length(c.Light.Aim) > 0 && !near(a3(in.Aim), was) {
			c.Light.Aim = a3(in.Aim)
		}
	}
	return c, true
}

// restore puts a carried light into a document with its groups; ok is false where
// it does not fit in.
func (c *Carried) restore(doc *Setup) bool {
	if _, taken := doc.Lights[c.ID]; taken || len(doc.Lights) >= MaxLights {
		return false
	}
	l := c.Light
	if l.Group != "" && (len(c.Groups) == 0 || c.Groups[0].ID != l.Group) {
		return false
	}
	added := []string{}
	for _, g := range c.Groups {
		if _, there := doc.Groups[g.ID]; !there {
			doc.Groups[g.ID] = g.Group
			added = append(added, g.ID)
		}
	}
	doc.Lights[c.ID] = l
	if doc.Validate() != nil {
		delete(doc.Lights, c.ID)
		for _, id := range added {
			delete(doc.Groups, id)
		}
		return false
	}
	return true
}
