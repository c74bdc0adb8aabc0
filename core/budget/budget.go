// Package budget counts what a target device would have to do for each light of
// a view, and turns the counts into milliseconds and megabytes by the target's
// coefficients. docs/cost-model.md says where the formula comes from and what it
// leaves out; the two targets that ship are made up.
//
// For a light that is split or live:
//
//	ms = pixels * (pixelNs[kind] + shadowed * shadowPixelNs) / 1e6
//	   + faces * faceMs + triangles * casterShare * triangleNs / 1e6
//	MB = faces * side^2 * bytesPerTexel / 2^20
//
// shadowPixelNs is for a filter three texels wide and grows with its area, as
// ((width + 1) / 4)^2. A contact shadow adds contactNs a pixel. A traced shadow has
// no faces and takes tracedNs a pixel for each ray instead.
//
// pixels: target pixels whose surface the light can reach; faces: shadow-map
// faces drawn (point and line 6; spot, rect and disc 1, or 2 where both sides
// shine; sun its cascades); triangles:
// those of the objects inside each face's reach, summed over the faces.
// Fog costs a pass over the picture and, where lights show in it, a grid of cells:
//
//	ms = pixels * pixelNs + cells * cellNs; each light: its cells * (lightNs + shadowed * shadowNs)
//
// A baked light costs nothing a frame beyond the lightmap that all share.
package budget

import (
	_ "embed"
	"encoding/json"
	"fmt"
	"math"

	"willowherb/core/film"
	"willowherb/core/fog"
	"willowherb/core/lamps"
	"willowherb/core/light"
	"willowherb/core/scene"
	"willowherb/core/setup"
	"willowherb/core/vec"
	"willowherb/core/world"
)

// Target is a device and its coefficients.
type Target struct {
	ID               string             `json:"id"`
	Name             string             `json:"name"`
	Width            int                `json:"width"`
	Height           int                `json:"height"`
	LimitMs          float64            `json:"limitMs"` // for lighting
	LimitMB          float64            `json:"limitMB"`
	BaseMs           float64            `json:"baseMs"` // what lighting costs without any light
	LightmapMs       float64            `json:"lightmapMs"`
	LightmapMB       float64            `json:"lightmapMB"`
	PixelNs          map[string]float64 `json:"pixelNs"`
	ShadowPixelNs    float64            `json:"shadowPixelNs"`
	SunShadowPixelNs float64            `json:"sunShadowPixelNs"`
	FaceMs           float64            `json:"faceMs"`
	TriangleNs       float64            `json:"triangleNs"`
	CasterShare      float64            `json:"casterShare"` // of the triangles near a light that are drawn into its map
	BytesPerTexel    float64            `json:"bytesPerTexel"`
	SunCascades      int                `json:"sunCascades"`
	ContactNs        float64            `json:"contactNs"`
	TracedNs         float64            `json:"tracedNs"`
	// MaxOverlap is how many split and live lights may reach one place, MaxShadows how
	// many of a view's lights may cast shadows.
	MaxOverlap int    `json:"maxOverlap"`
	MaxShadows int    `json:"maxShadows"`
	Fog        Volume `json:"fog"`
}

// Volume is how a target shows fog: a pass over the picture for what it hides and, where
// lights show in it, a grid of cells across, down and into the depth of the view.
type Volume struct {
	PixelNs  float64 `json:"pixelNs"`
	Across   int     `json:"across"`
	Down     int     `json:"down"`
	Steps    int     `json:"steps"` // into the depth
	Far      float64 `json:"far"`   // metres that the cells reach
	CellNs   float64 `json:"cellNs"`
	LightNs  float64 `json:"lightNs"`  // a cell, for each light that reaches it
	ShadowNs float64 `json:"shadowNs"` // the same, more for one with a shadow
	Bytes    float64 `json:"bytes"`    // a cell
}

//go:embed targets.json
var targetData []byte

// Targets returns the devices that ship.
func Targets() []Target {
	var t []Target
	if err := json.Unmarshal(targetData, &t); err != nil {
		panic(fmt.Sprintf("targets.json: %v", err)) // shipped data
	}
	return t
}

// Find returns the target of an id, or the first.
func Find(id string) Target {
	all := Targets()
	for _, t := range all {
		if t.ID == id {
			return t
		}
	}
	return all[0]
}

// Cost of one light in one view.
type Cost struct {
	Pixels    int     `json:"pixels"` // of the target, that it reaches
	Faces     int     `json:"faces"`
	Triangles int     `json:"triangles"` // over all faces
	ShadeMs   float64 `json:"shadeMs"`
	ShadowMs  float64 `json:"shadowMs"`
	Cells     int     `json:"cells"` // of the fog's grid, that it reaches
	AirMs     float64 `json:"airMs"` // in fog
	Ms        float64 `json:"ms"`
	MB        float64 `json:"mb"`
}

// Frame is the budget of one view.
type Frame struct {
	Lights  map[string]Cost `json:"lights"` // by light id
	BaseMs  float64         `json:"baseMs"` // with the lightmap's look-up, where something is baked
	Ms      float64         `json:"ms"`
	MB      float64         `json:"mb"`
	LimitMs float64         `json:"limitMs"`
	LimitMB float64         `json:"limitMB"`
	Baked   bool            `json:"baked"`
	// Fog is what the view's fog costs beside what each light costs in it.
	Fog FogCost `json:"fog"`
}

// FogCost is what fog costs a frame.
type FogCost struct {
	Steps int     `json:"steps"`
	Cells int     `json:"cells"`
	Ms    float64 `json:"ms"`
	MB    float64 `json:"mb"`
}

// Count works out the budget of a view from its first hits. A nil guide counts
// every pixel as reached by everything. The fog, nil for none, is seen by the camera.
func Count(t Target, s *scene.Scene, lamps []*lamps.Lamp, g *film.Guide, v world.Camera, air *fog.Air) Frame {
	f := Frame{Lights: map[string]Cost{}, BaseMs: t.BaseMs, LimitMs: t.LimitMs, LimitMB: t.LimitMB}
	for _, l := range lamps {
		if l.Off {
			f.Lights[l.ID] = Cost{}
			continue
		}
		if l.Carry != setup.Live && l.Kind != setup.Sky {
			f.Baked = true
		}
		c := t.cost(s, l, g)
		if air.Foggy() && showsInFog(l) {
			t.inFog(&c, l, v)
			f.Fog.Steps, f.Fog.Cells = t.Fog.Steps, t.Fog.cells()
		}
		f.Lights[l.ID] = c
		f.Ms += c.Ms
		f.MB += c.MB
	}
	if f.Baked {
		f.BaseMs += t.LightmapMs
		f.MB += t.LightmapMB
	}
	if !air.Clear() {
		f.Fog.Ms = float64(t.Width*t.Height)*t.Fog.PixelNs/1e6 + float64(f.Fog.Cells)*t.Fog.CellNs/1e6
		f.Fog.MB = float64(f.Fog.Cells) * t.Fog.Bytes / (1 << 20)
	}
	f.Ms += f.BaseMs + f.Fog.Ms
	f.MB += f.Fog.MB
	return f
}

// showsInFog tells the lights that the target works out in fog, cell by cell: a sky lights it
// evenly, which the cells cost anyway, and what is baked or shines from surfaces does not.
func showsInFog(l *lamps.Lamp) bool {
	return !l.NoAir && l.Carry != setup.Baked && l.Kind != setup.Sky && l.Kind != setup.Emissive
}

func (v *Volume) cells() int { return v.Across * v.Down * v.Steps }

// fogStride is of how many cells, across and down, one is asked for all.
const fogStride = 8

// inFog adds what a light costs in the cells of the fog's grid that it reaches. They grow
// with the distance, from 0.1 m on.
func (t *Target) inFog(c *Cost, l *lamps.Lamp, v world.Camera) {
	w, h := max(t.Fog.Across/fogStride, 1), max(t.Fog.Down/fogStride, 1)
	reached := 0
	for y := range h {
		for x := range w {
			d := v.Ray(float32(x)+0.5, float32(y)+0.5, w, h)
			for k := range t.Fog.Steps {
				at := 0.1 * math.Pow(t.Fog.Far/0.1, (float64(k)+0.5)/float64(t.Fog.Steps))
				if l.Source.Reaches(v.Eye.Add(d.Scale(float32(at))), vec.V3{}) {
					reached++
				}
			}
		}
	}
	c.Cells = int(math.Round(float64(t.Fog.cells()) * float64(reached) / float64(w*h*t.Fog.Steps)))
	ns := t.Fog.LightNs
	if plan, _, _ := l.Source.Plan(); l.Shadow && plan != light.NoMap {
		ns += t.Fog.ShadowNs
	}
	c.AirMs = float64(c.Cells) * ns / 1e6
	c.Ms += c.AirMs
}

func (t *Target) cost(s *scene.Scene, l *lamps.Lamp, g *film.Guide) (c Cost) {
	if l.Carry == setup.Baked {
		return c
	}
	c.Pixels = int(math.Round(reached(l.Source, g) * float64(t.Width*t.Height)))
	ns := t.PixelNs[string(l.Kind)]
	if plan, _, _ := l.Source.Plan(); l.Shadow && plan != light.NoMap {
		set := l.ShadowDrawn(t.SunCascades)
		per := t.ShadowPixelNs
		if plan == light.Cascades {
			per = t.SunShadowPixelNs
		}
		per *= (set.Filter + 1) * (set.Filter + 1) / 16
		if set.Contact > 0 {
			per += t.ContactNs
		}
		if set.Traced > 0 {
			per = float64(set.Traced) * t.TracedNs
		} else {
			c.Faces, c.Triangles = t.casters(s, l, set.Cascades)
		}
		c.ShadowMs = float64(c.Pixels)*per/1e6 + float64(c.Faces)*t.FaceMs + float64(c.Triangles)*t.CasterShare*t.TriangleNs/1e6
		c.MB = float64(c.Faces) * float64(l.ShadowMap) * float64(l.ShadowMap) * t.BytesPerTexel / (1 << 20)
	}
	c.ShadeMs = float64(c.Pixels) * ns / 1e6
	c.Ms = c.ShadeMs + c.ShadowMs
	return c
}

// reached is the share of the picture whose surface the light can reach, by its
// range, cone and side alone: a deferred renderer shades those pixels whether
// shadow falls on them or not.
func reached(l *light.Light, g *film.Guide) float64 {
	if g == nil {
		return 1
	}
	n := 0
	for i, tri := range g.Tri {
		if tri == math.MaxUint32 {
			continue
		}
		if l.Reaches(g.Pos[i], vec.V3{}) {
			n++
		}
	}
	return float64(n) / float64(max(len(g.Tri), 1))
}

// casters counts shadow-map faces and the triangles drawn into them, object by
// object as an engine culls.
func (t *Target) casters(s *scene.Scene, l *lamps.Lamp, cascades int) (faces, triangles int) {
	src := l.Source
	plan, faces, angle := src.Plan()
	half := angle * 180 / math.Pi
	var axes []vec.V3
	switch plan {
	case light.Cascades:
		// Each cascade is taken to see twice the triangles of the one before; the last sees all.
		n := max(cascades, 1)
		for i := range n {
			triangles += s.Triangles() >> (n - 1 - i)
		}
		return n, triangles
	case light.Forward:
		if axes = []vec.V3{src.Aim}; faces > 1 {
			axes = append(axes, src.Aim.Neg())
		}
	case light.Around:
		axes = []vec.V3{{X: 1}, {X: -1}, {Y: 1}, {Y: -1}, {Z: 1}, {Z: -1}}
		half = 54.7356 // the corner of a cube's face
	}
	for i := range s.Objects {
		o := &s.Objects[i]
		if s.Absent != nil && s.Absent[i] {
			continue
		}
		c := vec.Lerp(o.Lo, o.Hi, 0.5)
		r := float64(o.Hi.Sub(o.Lo).Len()) / 2
		d := c.Sub(src.Pos)
		dist := float64(d.Len())
		if src.Range > 0 && boxDistance(src.Pos, o.Lo, o.Hi) > float64(src.Range) {
			continue
		}
		for _, a := range axes {
			if dist <= r {
				triangles += o.Count
				continue
			}
			angle := math.Acos(min(max(float64(d.Dot(a))/dist, -1), 1)) * 180 / math.Pi
			if angle-math.Asin(r/dist)*180/math.Pi <= half {
				triangles += o.Count
			}
		}
	}
	return faces, triangles
}

func boxDistance(p, lo, hi vec.V3) float64 {
	q := vec.Max3(lo, vec.Min3(hi, p))
	return float64(q.Sub(p).Len())
}
