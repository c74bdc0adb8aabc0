// Package exchange carries a setup from and to scenes: the first setup of a place, the
// lights that a file brings or takes along, and a place that comes in again.
package exchange

import (
	"fmt"
	"maps"
	"math"
	"slices"
	"strings"

	"willowherb/core/colour"
	"willowherb/core/photometry"
	"willowherb/core/scene"
	"willowherb/core/setup"
	"willowherb/core/vec"
)

// FromScene makes a first setup for a place: the lights, shining surfaces and
// cameras that came with it. Where it has no lights it gets a dim sky, where it
// has no cameras a view that frames it; notes says so.
func FromScene(s *scene.Scene, target string) (doc *setup.Setup, notes []string) {
	doc = &setup.Setup{Version: setup.Version, Name: clip(s.Name), Target: target, Curve: "shoulder",
		Groups: map[string]setup.Group{}, Lights: map[string]setup.Light{}, Views: map[string]setup.View{}, Looks: map[string]setup.Look{}}
	used := map[string]bool{}
	add := func(group, name string, order float64, l setup.Light) {
		id := freeID(name, func(id string) bool { _, ok := doc.Lights[id]; return ok })
		l.Name, l.Group, l.Order = freeName(name, group, used), group, order
		doc.Lights[id] = l
	}
	base := setup.Light{Shadow: true, ShadowMap: 1024, Carry: setup.Split, Channels: 0xff, Aim: [3]float64{0, -1, 0}, Colour: setup.Colour{Kelvin: 6500}}
	for i, in := range s.Lights {
		if c, ok := carried(&in); ok && c.restore(doc) {
			used[c.Light.Group+"\x00"+strings.ToLower(c.Light.Name)] = true
			continue
		}
		if in.Kind == scene.Unsaid {
			notes = append(notes, fmt.Sprintf("%q carries no light that can be read", in.Name))
			continue
		}
		l := base
		l.Kind = setup.Kind(in.Kind)
		y := colour.Luminance(in.Color)
		if y <= 0 {
			notes = append(notes, fmt.Sprintf("light %q is black: brought in turned off", in.Name))
			l.Off, y = true, 1
			in.Color = [3]float64{1, 1, 1}
		}
		c := [3]float64(colour.Unit(in.Color))
		l.Colour = setup.Colour{RGB: &c}
		out := in.Intensity * y
		l.Position, l.Aim, l.Range = in.Position.Array(), in.Aim.Array(), in.Range
		switch in.Kind {
		case scene.Point:
			out = float64(photometry.PointLumen(photometry.Candela(out)))
		case scene.Spot:
			l.Inner, l.Outer = in.Inner*180/math.Pi, in.Outer*180/math.Pi
			out = float64(photometry.SpotLumen(photometry.Candela(out), in.Inner, in.Outer))
		case scene.Sun:
			l.Angle = 0.5332
			l.ShadowMap = 2048
		}
		l.Output = min(out, 1e9)
		if _, ok := doc.Groups["lamps"]; !ok {
			doc.Groups["lamps"] = setup.Group{Name: "From the file", Order: 2}
		}
		add("lamps", in.Name, float64(i), l)
	}
	seen := map[string]bool{}
	for i := range s.Materials {
		m := &s.Materials[i]
		if !m.Emits() || seen[m.Name] {
			continue
		}
		seen[m.Name] = true
		if slices.ContainsFunc(slices.Collect(maps.Values(doc.Lights)), func(l setup.Light) bool { return l.Kind == setup.Emissive && l.Material == m.Name }) {
			continue // it came with a light of its own
		}
		l := base
		c := [3]float64{float64(m.Emissive.X), float64(m.Emissive.Y), float64(m.Emissive.Z)}
		l.Output = colour.Luminance(c)
		c = colour.Unit(c)
		l.Kind, l.Material, l.Colour, l.Carry = setup.Emissive, m.Name, setup.Colour{RGB: &c}, setup.Baked
		doc.Groups["shining"] = setup.Group{Name: "Shining surfaces", Order: 3}
		add("shining", m.Name, float64(i), l)
	}
	if len(doc.Lights) == 0 {
		l := base
		l.Kind, l.Output = setup.Sky, 100
		doc.Groups["outside"] = setup.Group{Name: "Outside", Order: 1}
		add("outside", "Dim sky", 0, l)
		notes = append(notes, "the file has no lights: a dim even sky of 100 cd/m2 was put in")
	}
	return doc, append(notes, views(doc, s)...)
}

// views puts the cameras of a scene into a document.
func views(doc *setup.Setup, s *scene.Scene) (notes []string) {
	// A camera that travels is a way; it is a view too only where there is no other.
	var cams []scene.Camera
	for i, c := range s.Cameras {
		if !s.Travels(i) {
			cams = append(cams, c)
		}
	}
	if len(cams) == 0 {
		cams = s.Cameras
	}
	if len(cams) == 0 {
		cams = []scene.Camera{s.FrameAll(16.0 / 9)}
		notes = append(notes, "the file has no cameras: a view that frames the whole place was put in")
	}
	for i, c := range cams {
		if i >= setup.MaxViews {
			notes = append(notes, fmt.Sprintf("only the first %d of %d cameras were brought in", setup.MaxViews, len(cams)))
			break
		}
		id := freeID(c.Name, func(id string) bool { _, ok := doc.Views[id]; return ok })
		v := setup.View{Name: clip(c.Name), Order: float64(i), Eye: c.Eye.Array(), Aim: c.Aim.Array(), FovY: c.FovY * 180 / math.Pi, Aspect: c.Aspect, EV: 6}
		_, up := vec.Upright(c.Aim.Norm(), 0)
		v.Roll = math.Atan2(float64(c.Up.Dot(up.Cross(c.Aim.Norm()))), float64(c.Up.Dot(up))) * 180 / math.Pi
		if math.Abs(v.Roll) < 1e-4 {
			v.Roll = 0
		}
		if v.Aspect == 0 {
			v.Aspect = 16.0 / 9
		}
		doc.Views[id] = v
	}
	return notes
}

func clip(name string) string {
	name = strings.TrimSpace(strings.ToValidUTF8(name, "?"))
	for len(name) > setup.MaxName-4 {
		r := []rune(name)
		name = string(r[:len(r)-1])
	}
	if name == "" {
		return "Untitled"
	}
	return name
}

func freeName(name, group string, used map[string]bool) string {
	name = clip(name)
	out := name
	for n := 2; used[group+"\x00"+strings.ToLower(out)]; n++ {
		out = fmt.Sprintf("%s %d", name, n)
	}
	used[group+"\x00"+strings.ToLower(out)] = true
	return out
}

func freeID(name string, taken func(string) bool) string {
	var b strings.Builder
	for _, r := range strings.ToLower(name) {
		switch {
		case r >= 'a' && r <= 'z', r >= '0' && r <= '9':
			b.WriteRune(r)
		case b.Len() > 0 && b.String()[b.Len()-1] != '-':
			b.WriteByte('-')
		}
	}
	id := strings.Trim(b.String(), "-")
	if len(id) > 40 {
		id = strings.Trim(id[:40], "-")
	}
	if id == "" {
		id = "item"
	}
	out := id
	for n := 2; taken(out); n++ {
		out = fmt.Sprintf("%s-%d", id, n)
	}
	return out
}
