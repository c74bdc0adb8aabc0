package setup

import (
	"maps"
	"slices"

	"willowherb/core/fog"
	"willowherb/core/vec"
)

// Fog is what hangs in the place's air.
type Fog struct {
	Off bool `json:"off,omitempty"`
	// Visibility is how far a light keeps 5 %, in metres, at the base and below.
	Visibility float64    `json:"visibility"`
	Halves     float64    `json:"halves"`  // over how many metres above the base it thins by half; 0: never
	Base       float64    `json:"base"`    // metres
	Begins     float64    `json:"begins"`  // metres from the eye
	Most       float64    `json:"most"`    // the share that it hides at most
	Colour     [3]float64 `json:"colour"`  // what it sends on of what it takes
	Forward    float64    `json:"forward"` // -0.95 to 0.95: mean cosine of the angle by which it turns light
	// Steps is into how many the target cuts the depth of the view for it; left out, as many as it
	// has of its own.
	Steps int `json:"steps,omitempty"`
	// Boxes are denser air in some places.
	Boxes map[string]FogBox `json:"boxes,omitempty"`
}

// FogBox is a box, or layer, of fog of even density, which adds to the rest.
type FogBox struct {
	Name       string     `json:"name"`
	Order      float64    `json:"order"`
	Off        bool       `json:"off,omitempty"`
	Position   [3]float64 `json:"position"` // of its middle
	Size       [3]float64 `json:"size"`     // metres; 0: endless
	Visibility float64    `json:"visibility"`
}

// MaxFogBoxes bounds the boxes of a setup's fog.
const MaxFogBoxes = 32

func (f *Fog) validate(c *checker, at string) {
	c.num(at+"/visibility", f.Visibility, 0.1, 1e6)
	c.num(at+"/halves", f.Halves, 0, 1e5)
	c.num(at+"/base", f.Base, -1e5, 1e5)
	c.num(at+"/begins", f.Begins, 0, 1e5)
	c.num(at+"/most", f.Most, 0, 1)
	c.num(at+"/steps", float64(f.Steps), 0, 512)
	c.unit(at+"/colour", f.Colour, 1)
	c.num(at+"/forward", f.Forward, -0.95, 0.95)
	c.count(at+"/boxes", len(f.Boxes), MaxFogBoxes)
	for _, id := range slices.Sorted(maps.Keys(f.Boxes)) {
		b, at := f.Boxes[id], at+"/boxes/"+id
		c.id(at, id)
		c.name(at+"/name", b.Name)
		c.num(at+"/visibility", b.Visibility, 0.1, 1e6)
		c.num(at+"/order", b.Order, -1e9, 1e9)
		for k := range 3 {
			c.num(at+"/position", b.Position[k], -1e5, 1e5)
			c.num(at+"/size", b.Size[k], 0, 1e5)
		}
	}
}

// Air is what is seen of the place's air as it is rendered: its fog, and the air of the first
// sky that is made of some; nil for nothing.
func (s *Setup) Air() *fog.Air {
	a := s.Fog.air()
	if !s.Aerial {
		return a
	}
	for _, id := range slices.Sorted(maps.Keys(s.Lights)) {
		if sky := s.Lights[id].Air; sky != nil {
			if a == nil {
				a = &fog.Air{}
			}
			a.Aerial = fog.AerialOf(sky.Turbidity)
			return a
		}
	}
	return a
}

// air is the fog alone; nil for none.
func (f *Fog) air() *fog.Air {
	if f == nil || f.Off {
		return nil
	}
	a := &fog.Air{Density: fog.OfVisibility(f.Visibility), Halves: f.Halves, Base: f.Base, Begins: f.Begins, Most: f.Most, Colour: vec.Of(f.Colour), Forward: f.Forward}
	for _, id := range slices.Sorted(maps.Keys(f.Boxes)) {
		b := f.Boxes[id]
		if b.Off {
			continue
		}
		box := fog.Box{Density: fog.OfVisibility(b.Visibility)}
		for k := range 3 {
			half := b.Size[k] / 2
			if half == 0 {
				half = 2 * fog.Endless
			}
			box.Lo[k], box.Hi[k] = b.Position[k]-half, b.Position[k]+half
		}
		a.Boxes = append(a.Boxes, box)
	}
	if a.Clear() {
		return nil
	}
	return a
}
