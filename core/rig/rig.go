// Package rig turns a group of lights round a figure into a template, and puts
// templates on other figures, scaled to their height; and it has the moods that
// ship. A template's places are in heights of the figure, from its pivot, as
// right (of somebody who looks at the figure's front), up, and front. Lights keep
// their balance: distances, sizes and ranges grow with the figure, and outputs
// with the square of it, so that what falls on the figure stays the same.
package rig

import (
	"bytes"
	"encoding/json"
	"fmt"
	"math"
	"slices"
	"strings"

	"willowherb/core/setup"
)

// Format names template files.
const Format = "willowherb-rig"

// Template is a rig without a figure.
type Template struct {
	Format  string `json:"format"`
	Version int    `json:"version"`
	Name    string `json:"name"`
	Says    string `json:"says,omitempty"`
	Lights  []Part `json:"lights"`
}

// Part is one light of a template: all its values but its place.
type Part struct {
	Light setup.Light `json:"light"`
	At    [3]float64  `json:"at"`
	Aim   [3]float64  `json:"aim"` // unit
}

// MaxLights of a template.
const MaxLights = 40

// Parse reads a template file; name stands in errors.
func Parse(name string, data []byte) (*Template, error) {
	fail := func(what, remedy string) error { return fmt.Errorf("%s: %s: %s", name, what, remedy) }
	if len(data) > 1<<20 {
		return nil, fail("is over 1 MB", "a rig is far smaller")
	}
	d := json.NewDecoder(bytes.NewReader(data))
	d.DisallowUnknownFields()
	var t Template
	if err := d.Decode(&t); err != nil {
		return nil, fail(err.Error(), "choose a rig that was saved from here")
	}
	if t.Format != Format || t.Version != 1 {
		return nil, fail(fmt.Sprintf("says it is %q, version %d", t.Format, t.Version), "choose a rig that was saved from here")
	}
	if strings.TrimSpace(t.Name) == "" || len(t.Name) > 80 {
		return nil, fail("has no name of up to 80 letters", "give it one")
	}
	if len(t.Lights) == 0 || len(t.Lights) > MaxLights {
		return nil, fail(fmt.Sprintf("has %d lights", len(t.Lights)), fmt.Sprintf("a rig has 1 to %d", MaxLights))
	}
	for i := range t.Lights {
		p := &t.Lights[i]
		for k := range 3 {
			if !(math.Abs(p.At[k]) < 1e4) || !(math.Abs(p.Aim[k]) <= 1.001) {
				return nil, fail(fmt.Sprintf("light %d stands nowhere", i+1), "correct its at and aim")
			}
		}
		if k := p.Light.Kind; k == setup.Sun || k == setup.Sky || k == setup.Emissive {
			return nil, fail(fmt.Sprintf("light %d is a %s", i+1, k), "a rig has lights that stand somewhere")
		}
	}
	// The lights are checked as those of a setup.
	g, lights := t.On(Figure{Height: 1.8}, 1)
	doc := &setup.Setup{Version: setup.Version, Name: "t", Curve: "plain", Groups: map[string]setup.Group{"rig": g}, Lights: map[string]setup.Light{}}
	for i, l := range lights {
		l.Group = "rig"
		doc.Lights[fmt.Sprintf("light-%d", i)] = l
	}
	if err := doc.Validate(); err != nil {
		first, _, _ := strings.Cut(err.Error(), "\n")
		return nil, fail(first, "correct it")
	}
	return &t, nil
}

// Figure is what a rig is put on.
type Figure struct {
	Path   string
	Pivot  [3]float64 // at eye height, while its node rests
	Height float64
	Facing float64 // heading of its front, degrees about +Y from +Z towards +X
}

// Rig is the group that holds a rig on the figure.
func (f *Figure) Rig() *setup.Rig {
	return &setup.Rig{Object: f.Path, Pivot: f.Pivot, Height: f.Height, Facing: f.Facing}
}

// toWorld turns a direction from right, up, front into the world.
func (f *Figure) toWorld(v [3]float64) [3]float64 {
	s, c := math.Sincos(f.Facing * math.Pi / 180)
	// Front is (s, 0, c); the right of who looks at it is the figure's left, (c, 0, -s).
	return [3]float64{v[0]*c + v[2]*s, v[1], -v[0]*s + v[2]*c}
}

func (f *Figure) toLocal(v [3]float64) [3]float64 {
	s, c := math.Sincos(f.Facing * math.Pi / 180)
	return [3]float64{v[0]*c - v[2]*s, v[1], v[0]*s + v[2]*c}
}

// grow scales a light to a figure k times as tall: sizes and distances with it,
// output with its square, whatever unit tells it.
func grow(l *setup.Light, k float64) {
	l.Radius *= k
	l.Length *= k
	l.Width *= k
	l.Height *= k
	l.Range *= k
	if l.Doors != nil {
		d := *l.Doors
		d.Length *= k
		l.Doors = &d
	}
	stops := 2 * math.Log2(k)
	if l.OutputUnit() == setup.Nit { // of a surface that has grown already
		return
	}
	if l.Profile != nil && !l.Profile.Scaled {
		l.Stops += stops
		return
	}
	l.Output *= k * k
}

// Save makes a template of the lights of a rig, in the order given.
func Save(name string, r *setup.Rig, lights []setup.Light) *Template {
	f := Figure{Pivot: r.Pivot, Height: r.Height, Facing: r.Facing}
	t := &Template{Format: Format, Version: 1, Name: name}
	for _, l := range lights {
		if l.Kind == setup.Sun || l.Kind == setup.Sky || l.Kind == setup.Emissive {
			continue
		}
		p := Part{Light: l}
		var d [3]float64
		for k := range 3 {
			d[k] = (l.Position[k] - r.Pivot[k]) / r.Height
		}
		p.At, p.Aim = f.toLocal(d), f.toLocal(unit(l.Aim))
		grow(&p.Light, 1/r.Height)
		p.Light.Position, p.Light.Aim, p.Light.Group, p.Light.Link, p.Light.Order, p.Light.Locked, p.Light.Channels = [3]float64{}, [3]float64{}, "", "", 0, false, 0xff
		t.Lights = append(t.Lights, p)
	}
	return t
}

func unit(v [3]float64) [3]float64 {
	n := math.Sqrt(v[0]*v[0] + v[1]*v[1] + v[2]*v[2])
	if n == 0 {
		return [3]float64{0, -1, 0}
	}
	return [3]float64{v[0] / n, v[1] / n, v[2] / n}
}

// On puts a template on a figure: the group that makes it a rig, and its lights.
// level multiplies every output.
func (t *Template) On(f Figure, level float64) (setup.Group, []setup.Light) {
	g := setup.Group{Name: t.Name, Rig: f.Rig()}
	var out []setup.Light
	names := map[string]int{}
	for i, p := range t.Lights {
		l := p.Light
		grow(&l, f.Height)
		at, aim := f.toWorld(p.At), f.toWorld(unit(p.Aim))
		for k := range 3 {
			l.Position[k] = math.Round((f.Pivot[k]+at[k]*f.Height)*1e4) / 1e4
			l.Aim[k] = math.Round(aim[k]*1e6) / 1e6
		}
		l.Stops = math.Round((l.Stops+math.Log2(level))*1000) / 1000
		l.Order = float64(i)
		key := strings.ToLower(strings.TrimSpace(l.Name))
		if names[key]++; names[key] > 1 {
			l.Name = fmt.Sprintf("%s %d", l.Name, names[key])
		}
		if l.Channels == 0 {
			l.Channels = 0xff
		}
		out = append(out, l)
	}
	return g, out
}

// JSON writes the template.
func (t *Template) JSON() []byte {
	b, err := json.MarshalIndent(t, "", "  ")
	if err != nil {
		panic(err) // plain data always marshals
	}
	return append(b, '\n')
}

// KeyLux is what the key of every mood gives the figure at level 1, in lux: a
// picture exposed at EV100 7 shows grey as grey by it.
const KeyLux = 320

// mood builds a light of a mood: at an azimuth and height in degrees and a
// distance in figure heights, aimed at the pivot, giving so many stops more or
// less than the key's 320 lux there.
func mood(name, role string, kind setup.Kind, azimuth, height, distance, stops, kelvin float64, more func(l *setup.Light)) Part {
	l := setup.Light{Name: name, Role: role, Kind: kind, Colour: setup.Colour{Kelvin: kelvin}, Carry: setup.Live, Shadow: true, ShadowMap: 1024, Channels: 0xff, Unit: setup.Candela}
	switch kind {
	case setup.Spot:
		l.Inner, l.Outer, l.Radius = 14, 26, 0.03
	case setup.Rect:
		l.Width, l.Height = 0.6, 0.6
	}
	if more != nil {
		more(&l)
	}
	a, h := azimuth*math.Pi/180, height*math.Pi/180
	p := Part{Light: l, At: [3]float64{distance * math.Cos(h) * math.Sin(a), distance * math.Sin(h), distance * math.Cos(h) * math.Cos(a)}}
	for k := range 3 {
		p.Aim[k] = -p.At[k] / distance
	}
	// Candela at a figure of one metre: the inverse square, which for panels this far
	// off is near enough.
	p.Light.Output = KeyLux * math.Exp2(stops) * distance * distance
	p.Light.Range = math.Round(distance*3*100) / 100
	return p
}

// Moods are the templates that ship.
func Moods() []Template {
	spot, rect := setup.Spot, setup.Rect
	wide := func(w, h float64) func(l *setup.Light) {
		return func(l *setup.Light) { l.Width, l.Height = w, h }
	}
	soft := func(w, h float64) func(l *setup.Light) {
		return func(l *setup.Light) { l.Width, l.Height, l.Shadow, l.ShadowMap = w, h, false, 0 }
	}
	t := func(name, says string, p ...Part) Template { return Template{Format, 1, name, says, p} }
	return []Template{
		t("Clear three", "key from the side and above, fill two stops under it, rim from behind",
			mood("Key", "key", spot, 42, 32, 1.7, 0, 4300, nil), mood("Fill", "fill", rect, -48, 8, 1.8, -2, 5200, soft(0.8, 0.8)), mood("Rim", "rim", spot, 150, 38, 1.6, 0.3, 5600, nil)),
		t("High key", "bright and open: little between light and shadow",
			mood("Key", "key", rect, 25, 25, 1.6, 0, 5400, wide(0.9, 0.9)), mood("Fill", "fill", rect, -35, 5, 1.6, -0.9, 5600, soft(1, 1)), mood("Low fill", "fill", rect, 0, -28, 1.5, -1.6, 5600, soft(0.8, 0.5)), mood("Rim", "rim", rect, 165, 40, 1.7, 0.2, 6000, wide(0.7, 0.3))),
		t("Low key", "one hard light from high at the side, hardly any fill",
			mood("Key", "key", spot, 68, 42, 1.7, 0, 3600, nil), mood("Fill", "fill", rect, -60, 0, 2, -4.3, 6200, soft(0.7, 0.7)), mood("Rim", "rim", spot, -155, 35, 1.7, -0.8, 5200, nil)),
		t("Side split", "half the face in light, half in the dark",
			mood("Key", "key", spot, 90, 8, 1.6, 0, 4600, nil), mood("Rim", "rim", spot, -125, 20, 1.8, -1.6, 6800, nil)),
		t("Under light", "from below, as by a fire or a lantern on the ground",
			mood("Key", "key", spot, 12, -48, 1.2, 0, 2100, func(l *setup.Light) { l.Inner, l.Outer = 20, 48 }), mood("Sky fill", "fill", rect, -20, 60, 1.9, -3.6, 9000, soft(0.9, 0.9))),
		t("Cool night, warm rim", "moonlight from the front side, a warm edge from behind",
			mood("Moon", "key", spot, -38, 45, 2, -1.6, 9500, nil), mood("Night fill", "fill", rect, 30, 10, 2, -4.2, 12000, soft(0.9, 0.9)), mood("Warm rim", "rim", spot, 145, 22, 1.5, -0.2, 2300, nil)),
		t("Window", "a large soft light from one side, as beside a window",
			mood("Window", "key", rect, 75, 15, 1.3, 0, 7200, wide(0.9, 1.2)), mood("Room", "fill", rect, -70, 5, 1.8, -2.6, 4200, soft(0.9, 0.9))),
		t("Against the light", "strong from behind, the face held by a little bounce",
			mood("Back", "rim", spot, 172, 35, 1.9, 1.2, 4800, func(l *setup.Light) { l.Outer, l.Inner = 34, 20 }), mood("Bounce", "key", rect, 20, -12, 1.4, -1.6, 4300, soft(0.9, 0.6))),
	}
}

// Mood finds one by its name.
func Mood(name string) (Template, bool) {
	all := Moods()
	i := slices.IndexFunc(all, func(t Template) bool { return t.Name == name })
	if i < 0 {
		return Template{}, false
	}
	return all[i], true
}
