package target

import (
	"encoding/json"
	"fmt"
)

// Count names a kind of work.
type Count uint8

// Kinds of work. Samples are of the target's pixels, each surface that is shaded in one.
const (
	Frames Count = iota // 1
	Pixels
	Draws      // objects drawn, one for each of their materials
	Triangles  // of them
	Fragments  // samples that passed the depth test as they were drawn, front to back
	Through    // samples of see-through surfaces before what is solid
	Tests      // lights held against cells of the list's grid, or objects
	Listed     // samples times the lights in their list
	Sun        // samples shaded by suns
	Point      // samples that a lamp of the kind reaches
	Spot       //
	Rect       //
	Disc       //
	Line       //
	ThroughLit // see-through samples times lights that reach them
	Profile    // samples whose light looks a profile up
	Gobo       // or a slide
	SunTaps    // look-ups in cascades
	Taps       // look-ups in maps of lamps
	Contact    // steps of contact shadows
	Traced     // rays
	Faces      // shadow maps drawn in this frame
	Casters    // objects drawn into them
	CasterTriangles
	Texels    // of the maps drawn
	Lightmap  // samples that look the lightmap up
	Probes    // samples that look probes up
	Mirrors   // look-ups of reflection probes, or of the sky
	SkySides  // samples lit by a sky that is worked out live
	FogPixels // pixels seen through fog
	FogCells
	FogLit      // cells times the lights that reach them
	FogShadowed // the same, of those with a shadow
	Bloom       // pixels
	Blur        // pixels of the lens's blur
	Corners     // pixels darkened in corners
	nCounts
)

// Feature is what a count belongs to, for people.
type Feature string

// Features.
const (
	Surfaces Feature = "surfaces"
	Lists    Feature = "light lists"
	Shading  Feature = "shading"
	Shadows  Feature = "shadows"
	Maps     Feature = "shadow maps"
	Ambient  Feature = "baked and around"
	Fog      Feature = "fog"
	Post     Feature = "post"
)

var kinds = [nCounts]struct {
	name    string
	feature Feature
	says    string
}{
	Frames:          {"frames", Surfaces, "once a frame"},
	Pixels:          {"pixels", Surfaces, "pixels of the target"},
	Draws:           {"draws", Surfaces, "objects in view, one for each of their materials"},
	Triangles:       {"triangles", Surfaces, "of the objects in view"},
	Fragments:       {"fragments", Surfaces, "samples that passed the depth test as they were drawn"},
	Through:         {"through", Surfaces, "samples of see-through surfaces before what is solid"},
	Tests:           {"tests", Lists, "lights held against tiles, clusters or objects"},
	Listed:          {"listed", Lists, "samples times the lights in their list"},
	Sun:             {"sun", Shading, "samples shaded by suns"},
	Point:           {"point", Shading, "samples that point lights reach"},
	Spot:            {"spot", Shading, "samples that spots reach"},
	Rect:            {"rect", Shading, "samples that rectangles reach"},
	Disc:            {"disc", Shading, "samples that discs reach"},
	Line:            {"line", Shading, "samples that lines reach"},
	ThroughLit:      {"throughLit", Shading, "see-through samples times lights that reach them"},
	Profile:         {"profile", Shading, "samples whose light looks a measured profile up"},
	Gobo:            {"gobo", Shading, "samples whose light looks a slide up"},
	SunTaps:         {"sunTaps", Shadows, "look-ups in the maps of suns"},
	Taps:            {"taps", Shadows, "look-ups in the maps of lamps"},
	Contact:         {"contact", Shadows, "steps of contact shadows"},
	Traced:          {"traced", Shadows, "rays of traced shadows"},
	Faces:           {"faces", Maps, "shadow maps drawn in this frame"},
	Casters:         {"casters", Maps, "objects drawn into them, one for each of their materials"},
	CasterTriangles: {"casterTriangles", Maps, "triangles drawn into them"},
	Texels:          {"texels", Maps, "texels of the maps drawn"},
	Lightmap:        {"lightmap", Ambient, "samples that look the lightmap up"},
	Probes:          {"probes", Ambient, "samples that look probes up"},
	Mirrors:         {"mirrors", Ambient, "look-ups of reflection probes, or of the sky"},
	SkySides:        {"sky", Ambient, "samples lit by a sky worked out live"},
	FogPixels:       {"fogPixels", Fog, "pixels seen through fog"},
	FogCells:        {"fogCells", Fog, "cells of the fog's grid"},
	FogLit:          {"fogLit", Fog, "cells times lights that reach them"},
	FogShadowed:     {"fogShadowed", Fog, "of them, of lights with a shadow"},
	Bloom:           {"bloom", Post, "pixels of the bloom"},
	Blur:            {"blur", Post, "pixels of the lens's blur"},
	Corners:         {"corners", Post, "pixels whose corners are darkened"},
}

// Kinds are the kinds of work.
func Kinds() []Count {
	out := make([]Count, nCounts)
	for i := range out {
		out[i] = Count(i)
	}
	return out
}

// String is the count's name in files.
func (c Count) String() string { return kinds[c].name }

// Says tells in words what is counted.
func (c Count) Says() string { return kinds[c].says }

// Feature is what the count belongs to.
func (c Count) Feature() Feature { return kinds[c].feature }

// Named finds a count by its name.
func Named(name string) (Count, bool) {
	for i := range kinds {
		if kinds[i].name == name {
			return Count(i), true
		}
	}
	return 0, false
}

// MarshalText writes the name.
func (c Count) MarshalText() ([]byte, error) { return []byte(kinds[c].name), nil }

// UnmarshalText reads the name.
func (c *Count) UnmarshalText(b []byte) error {
	k, ok := Named(string(b))
	if !ok {
		return fmt.Errorf("%.40q is no kind of work that is counted", b)
	}
	*c = k
	return nil
}

// Counts is an amount of each kind of work.
type Counts [nCounts]float64

// Add adds another amount.
func (c *Counts) Add(d *Counts) {
	for i, v := range d {
		c[i] += v
	}
}

// MarshalJSON writes what is not zero, by name.
func (c Counts) MarshalJSON() ([]byte, error) {
	out := map[string]float64{}
	for i, v := range c {
		if v != 0 {
			out[kinds[i].name] = v
		}
	}
	return json.Marshal(out)
}

// UnmarshalJSON reads it. Error: a name that is none.
func (c *Counts) UnmarshalJSON(b []byte) error {
	var in map[Count]float64
	if err := json.Unmarshal(b, &in); err != nil {
		return err
	}
	*c = Counts{}
	for k, v := range in {
		c[k] = v
	}
	return nil
}
