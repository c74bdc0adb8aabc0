package exchange

import (
	"bytes"
	"encoding/json"
	"math"

	"willowherb/core/lamps"
	"willowherb/core/scene"
	"willowherb/core/setup"
	"willowherb/core/vec"
)

// ExtrasKey names the block that a light carries beside what
// KHR_lights_punctual can say.
const ExtrasKey = "willowherb"

// Carried is the block: the light as it is in the setup, and the groups it lies
// in, the nearest first.
type Carried struct {
	ID     string         `json:"id"`
	Light  setup.Light    `json:"light"`
	Groups []CarriedGroup `json:"groups,omitempty"`
}

// CarriedGroup is one of them.
type CarriedGroup struct {
	ID    string      `json:"id"`
	Group setup.Group `json:"group"`
}

// ToScene writes a state's lights as a file's: those that are a point, a spot or a
// sun as what they are, stops and trims in their intensity; panels and discs as
// the spot, and lines as the point, that comes nearest; the sky and shining
// surfaces as nodes without a light. Every one carries its block, from which it
// is read back as it was. A light that is off has intensity 0.
func ToScene(st *lamps.State, all []*lamps.Lamp) []scene.Light {
	var out []scene.Light
	for _, l := range all {
		doc := st.Setup.Lights[l.ID]
		c := Carried{ID: l.ID, Light: doc}
		for id := doc.Group; id != "" && len(c.Groups) < 20; id = st.Setup.Groups[id].Parent {
			c.Groups = append(c.Groups, CarriedGroup{id, st.Setup.Groups[id]})
		}
		b, err := json.Marshal(c)
		if err != nil {
			panic(err) // plain values always marshal
		}
		o := scene.Light{Name: l.Name, Position: vec.Of(l.Position), Aim: l.Source.Aim, Up: l.Source.V, Range: l.Range, Extras: map[string]any{ExtrasKey: json.RawMessage(b)}}
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
		case setup.Sun:
			o.Kind, o.Intensity, o.Range = scene.Sun, top, 0
		case setup.Spot:
			o.Kind, o.Intensity, o.Inner, o.Outer = scene.Spot, top*l.Source.AxisCandela(), l.Inner*math.Pi/180, l.Outer*math.Pi/180
			if o.Inner >= o.Outer {
				o.Inner = max(o.Outer-1e-4, 0)
			}
		case setup.Rect, setup.Disc:
			o.Kind, o.Intensity, o.Outer = scene.Spot, top*float64(l.Source.Area()), math.Pi/2
		case setup.Point, setup.Line:
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
	if d.Decode(&c) != nil || !setup.ValidID(c.ID) {
		return c, false
	}
	if c.Light.Check() != nil {
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
		if p := in.Position.Array(); !near(p, c.Light.Position) {
			c.Light.Position = p
		}
		if was := vec.Of(c.Light.Aim).Norm().Array(); c.Light.Aim != [3]float64{} && !near(in.Aim.Array(), was) {
			c.Light.Aim = in.Aim.Array()
		}
	}
	return c, true
}

// restore puts a carried light into a document with its groups; ok is false where
// it does not fit in.
func (c *Carried) restore(doc *setup.Setup) bool {
	if _, taken := doc.Lights[c.ID]; taken || len(doc.Lights) >= setup.MaxLights {
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
