// Package scene holds a place as the light transport sees it: triangles in
// world space with their materials and textures, the objects they belong to,
// and what the file said of cameras and lights. Readers in format/ fill it;
// nothing here knows a file format or changes after New.
package scene

import (
	"cmp"
	"errors"
	"fmt"
	"math"
	"slices"

	"willowherb/core/vec"
)

// None marks a texture that is not there.
const None = -1

// TextureRef names a texture and how its coordinates are made:
// (u', v') = A (u, v) + b, from UV set Set (0 or 1).
type TextureRef struct {
	Texture int
	Set     int
	A       [4]float32 // row-major 2x2
	B       [2]float32
}

// NoTexture is a reference to nothing.
func NoTexture() TextureRef { return TextureRef{Texture: None, A: [4]float32{1, 0, 0, 1}} }

// AlphaMode says what a material's alpha does to light.
type AlphaMode uint8

// Alpha modes of glTF 2.0.
const (
	Opaque AlphaMode = iota
	Mask
	Blend
)

// Material is a glTF 2.0 metallic-roughness surface. Colours are linear.
type Material struct {
	Name            string
	BaseColor       [4]float32
	BaseTex         TextureRef
	Metallic        float32
	Roughness       float32
	MetalRoughTex   TextureRef
	NormalTex       TextureRef
	NormalScale     float32
	OcclusionTex    TextureRef // kept for the hand-over; transport works occlusion out itself
	Emissive        vec.V3     // times 1 cd/m2: emissive factor times strength
	EmissiveTex     TextureRef
	IOR             float32
	Specular        float32
	SpecularColor   vec.V3
	SpecularTex     TextureRef
	SpecularColTex  TextureRef
	Transmission    float32
	TransmissionTex TextureRef
	Alpha           AlphaMode
	Cutoff          float32
	DoubleSided     bool
}

// DefaultMaterial is glTF's material of a primitive that names none.
func DefaultMaterial() Material {
	n := NoTexture()
	return Material{
		BaseColor: [4]float32{1, 1, 1, 1}, Metallic: 1, Roughness: 1, NormalScale: 1, IOR: 1.5, Specular: 1,
		SpecularColor: vec.Splat(1), Cutoff: 0.5, BaseTex: n, MetalRoughTex: n, NormalTex: n, OcclusionTex: n,
		EmissiveTex: n, SpecularTex: n, SpecularColTex: n, TransmissionTex: n,
	}
}

// Special reports whether rays may pass the material: masks, blends, glass.
func (m *Material) Special() bool {
	return m.Transmission > 0 || m.Alpha != Opaque
}

// Emits reports whether the surface shines by itself.
func (m *Material) Emits() bool { return m.Emissive.Max() > 0 }

// Vertices are parallel arrays of attributes: positions in metres, unit normals,
// texture coordinates, linear colours. UV1, Color and Tan may be empty. A tangent is a
// unit vector and the sign of the bitangent (glTF 2.0); a vertex without one has zeros.
type Vertices struct {
	Pos   []vec.V3
	Nrm   []vec.V3
	Tan   [][4]float32
	UV0   []vec.V2
	UV1   []vec.V2
	Color [][4]float32
}

// Object is a mesh instance: one node's mesh.
type Object struct {
	Name  string
	Path  string // node names from the root, joined by /
	First int    // first triangle
	Count int
	Lo    vec.V3
	Hi    vec.V3
	Node  int // its node, or None
	// Mesh is its geometry in its own space, whose vertices begin at FirstVertex of the
	// scene's, and To takes it from there to its node; nil for an object that was made in
	// the place itself.
	Mesh        *Mesh
	FirstVertex int
	To          vec.Mat4
}

// Camera is a view that came with the file. FovY is vertical, in radians.
type Camera struct {
	Name   string
	Eye    vec.V3
	Aim    vec.V3 // unit
	Up     vec.V3 // unit
	FovY   float64
	Aspect float64 // 0: any
	// Hangs is one more than the number of the node that it hangs from; 0: none.
	Hangs int
}

// LightKind is a kind of imported light.
type LightKind string

// Kinds that KHR_lights_punctual knows.
const (
	Sun   LightKind = "sun"
	Point LightKind = "point"
	Spot  LightKind = "spot"
	// Unsaid is what the extension has no words for: only extras tell of it.
	Unsaid LightKind = ""
)

// Light is a light that came with the file: intensity in candela (point, spot)
// or lux (sun) per colour channel.
type Light struct {
	Name         string
	Kind         LightKind
	Position     vec.V3
	Aim          vec.V3
	Up           vec.V3 // for writing: the light's own upright; zero: any
	Intensity    float64
	Color        [3]float64
	Range        float64 // metres, 0: none
	Inner, Outer float64 // radians
	Extras       map[string]any
}

// Scene is a whole place. Triangle t has the vertices Index[3t..3t+2], material
// Mat[t] and object Obj[t].
type Scene struct {
	Name      string
	V         Vertices
	Index     []uint32
	Mat       []uint16
	Obj       []uint32
	Materials []Material
	Textures  []*Texture
	Objects   []Object
	Cameras   []Camera
	Lights    []Light
	// Moved is, for each object of a posed scene, what took it there from rest; nil for
	// those that rest. Empty in a scene at rest.
	Moved    []*vec.Mat4
	Lo, Hi   vec.V3
	Warnings []string
	// Nodes and animations, to pose the place; vertices are as at rest.
	Nodes      []Node
	Animations []Animation
	// Absent objects are listed but neither seen nor shining; nil for none.
	Absent []bool
}

// Triangles returns their number.
func (s *Scene) Triangles() int { return len(s.Mat) }

// Finish bounds the scene and checks that its parts fit one another.
func (s *Scene) Finish() error {
	n := len(s.V.Pos)
	if len(s.V.Nrm) != n || len(s.V.UV0) != n || len(s.V.UV1) != 0 && len(s.V.UV1) != n || len(s.V.Color) != 0 && len(s.V.Color) != n || len(s.V.Tan) != 0 && len(s.V.Tan) != n {
		return errors.New("scene: vertex attributes differ in length")
	}
	if len(s.Index) != 3*len(s.Mat) || len(s.Obj) != len(s.Mat) {
		return errors.New("scene: triangles without material or object")
	}
	inf := float32(math.Inf(1))
	s.Lo, s.Hi = vec.Splat(inf), vec.Splat(-inf)
	for oi := range s.Objects {
		o := &s.Objects[oi]
		o.Lo, o.Hi = vec.Splat(inf), vec.Splat(-inf)
		for t := o.First; t < o.First+o.Count; t++ {
			for k := range 3 {
				p := s.V.Pos[s.Index[3*t+k]]
				o.Lo, o.Hi = vec.Min3(o.Lo, p), vec.Max3(o.Hi, p)
			}
		}
		if o.Count > 0 {
			s.Lo, s.Hi = vec.Min3(s.Lo, o.Lo), vec.Max3(s.Hi, o.Hi)
		}
	}
	if s.Lo.X > s.Hi.X {
		s.Lo, s.Hi = vec.V3{}, vec.V3{}
	}
	for t, m := range s.Mat {
		if int(m) >= len(s.Materials) {
			return fmt.Errorf("scene: triangle %d has material %d of %d", t, m, len(s.Materials))
		}
	}
	return nil
}

// FrameAll returns a view that shows the whole scene from a corner above.
func (s *Scene) FrameAll(aspect float64) Camera {
	c := vec.Lerp(s.Lo, s.Hi, 0.5)
	r := max(float64(s.Hi.Sub(s.Lo).Len())/2, 0.1)
	fov := 40 * math.Pi / 180
	half := math.Min(fov/2, math.Atan(math.Tan(fov/2)*aspect))
	dir := vec.New(0.55, 0.38, 0.75).Norm()
	return Camera{Name: "Whole place", Eye: c.Add(dir.Scale(float32(1.02 * r / math.Sin(half)))), Aim: dir.Neg(), Up: vec.V3{Y: 1}, FovY: fov}
}

// Corner returns the three vertices of a triangle.
func (s *Scene) Corner(t uint32) (a, b, c uint32) {
	return s.Index[3*t], s.Index[3*t+1], s.Index[3*t+2]
}

// Area returns a triangle's area in square metres and its geometric normal.
func (s *Scene) Area(t uint32) (float32, vec.V3) {
	i, j, k := s.Corner(t)
	a := s.V.Pos[i]
	n := s.V.Pos[j].Sub(a).Cross(s.V.Pos[k].Sub(a))
	l := n.Len()
	if l == 0 {
		return 0, vec.V3{}
	}
	return l / 2, n.Scale(1 / l)
}

// What counts for less where points are spread over surfaces: triangles over plain, in square
// metres, and objects over modest that are larger than half of all smaller ones together.
const (
	plain  = 100.0
	modest = 3000.0
)

// Counts is how much each triangle counts where points are spread over surfaces: its area in
// square metres, but less where a plain, a water or a wood about a house would take all the
// points from its rooms. usable says which triangles count at all; nil: all.
func (s *Scene) Counts(usable func(t int) bool) []float64 {
	out := make([]float64, s.Triangles())
	sums := make([]float64, len(s.Objects))
	for t := range out {
		if usable != nil && !usable(t) {
			continue
		}
		a, _ := s.Area(uint32(t))
		if out[t] = float64(a); a > plain {
			out[t] = plain * math.Sqrt(math.Sqrt(float64(a)/plain))
		}
		sums[s.Obj[t]] += out[t]
	}
	order := make([]int, len(sums))
	for i := range order {
		order[i] = i
	}
	slices.SortStableFunc(order, func(a, b int) int { return cmp.Compare(sums[a], sums[b]) })
	share := make([]float64, len(sums))
	smaller := 0.0
	for _, o := range order {
		share[o] = 1
		if most := max(modest, smaller/2); smaller > 0 && sums[o] > most {
			share[o] = most / sums[o]
		}
		smaller += share[o] * sums[o]
	}
	for t := range out {
		out[t] *= share[s.Obj[t]]
	}
	return out
}

// Nearest is the place of a triangle that is nearest to a point, and the square of how far it
// is (Ericson 2005, "Real-Time Collision Detection", 5.1.5).
func (s *Scene) Nearest(t uint32, p vec.V3) (u, v, far2 float32) {
	i, j, k := s.Corner(t)
	a, b, c := s.V.Pos[i], s.V.Pos[j], s.V.Pos[k]
	ab, ac, ap := b.Sub(a), c.Sub(a), p.Sub(a)
	at := func(u, v float32) (float32, float32, float32) {
		d := ap.Sub(ab.Scale(u)).Sub(ac.Scale(v))
		return u, v, d.Dot(d)
	}
	d1, d2 := ab.Dot(ap), ac.Dot(ap)
	if d1 <= 0 && d2 <= 0 {
		return at(0, 0)
	}
	bp := p.Sub(b)
	d3, d4 := ab.Dot(bp), ac.Dot(bp)
	if d3 >= 0 && d4 <= d3 {
		return at(1, 0)
	}
	vc := d1*d4 - d3*d2
	if vc <= 0 && d1 >= 0 && d3 <= 0 {
		return at(d1/(d1-d3), 0)
	}
	cp := p.Sub(c)
	d5, d6 := ab.Dot(cp), ac.Dot(cp)
	if d6 >= 0 && d5 <= d6 {
		return at(0, 1)
	}
	vb := d5*d2 - d1*d6
	if vb <= 0 && d2 >= 0 && d6 <= 0 {
		return at(0, d2/(d2-d6))
	}
	va := d3*d6 - d5*d4
	if va <= 0 && d4-d3 >= 0 && d5-d6 >= 0 {
		w := (d4 - d3) / ((d4 - d3) + (d5 - d6))
		return at(1-w, w)
	}
	k0 := 1 / (va + vb + vc)
	return at(vb*k0, vc*k0)
}
