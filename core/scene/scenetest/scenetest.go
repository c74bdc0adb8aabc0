// Package scenetest builds small places of flat quads for tests.
package scenetest

import (
	"testing"

	"github.com/stretchr/testify/require"
	"willowherb/core/light"
	"willowherb/core/scene"
	"willowherb/core/vec"
	"willowherb/core/world"
)

// Stage is a place under construction. Its material 0 is matt.
type Stage struct{ S *scene.Scene }

// New begins a place.
func New() *Stage {
	m := scene.DefaultMaterial()
	m.Name, m.Metallic, m.Roughness = "matt", 0, 0.9
	return &Stage{&scene.Scene{Materials: []scene.Material{m}}}
}

// Add puts in an object of quads, each wound against the clock as seen from its
// front.
func (g *Stage) Add(path string, material uint16, quads ...[4]vec.V3) {
	s := g.S
	o := scene.Object{Name: path, Path: path, First: len(s.Mat), Node: scene.None}
	for _, q := range quads {
		base := uint32(len(s.V.Pos))
		n := q[1].Sub(q[0]).Cross(q[2].Sub(q[0])).Norm()
		for _, p := range q {
			s.V.Pos, s.V.Nrm, s.V.UV0 = append(s.V.Pos, p), append(s.V.Nrm, n), append(s.V.UV0, vec.V2{})
		}
		s.Index = append(s.Index, base, base+1, base+2, base, base+2, base+3)
		s.Mat = append(s.Mat, material, material)
		s.Obj = append(s.Obj, uint32(len(s.Objects)), uint32(len(s.Objects)))
	}
	o.Count = len(s.Mat) - o.First
	s.Objects = append(s.Objects, o)
}

// Floor puts in a square at height 0, reaching r metres each way.
func (g *Stage) Floor(r float32) {
	g.Add("floor", 0, [4]vec.V3{{X: -r, Z: r}, {X: r, Z: r}, {X: r, Z: -r}, {X: -r, Z: -r}})
}

// Box puts in a closed cube about c, reaching r each way, fronts outwards.
func (g *Stage) Box(path string, c vec.V3, r float32) {
	p := func(x, y, z float32) vec.V3 { return c.Add(vec.V3{X: x * r, Y: y * r, Z: z * r}) }
	g.Add(path, 0,
		[4]vec.V3{p(-1, -1, 1), p(1, -1, 1), p(1, 1, 1), p(-1, 1, 1)}, [4]vec.V3{p(1, -1, -1), p(-1, -1, -1), p(-1, 1, -1), p(1, 1, -1)},
		[4]vec.V3{p(1, -1, 1), p(1, -1, -1), p(1, 1, -1), p(1, 1, 1)}, [4]vec.V3{p(-1, -1, -1), p(-1, -1, 1), p(-1, 1, 1), p(-1, 1, -1)},
		[4]vec.V3{p(-1, 1, 1), p(1, 1, 1), p(1, 1, -1), p(-1, 1, -1)}, [4]vec.V3{p(-1, -1, -1), p(1, -1, -1), p(1, -1, 1), p(-1, -1, 1)})
}

// Quad puts a rectangle of a material into a scene, as part of its first object; its
// front is on the side of n.
func Quad(s *scene.Scene, mat uint16, n, a, b, c, d vec.V3) {
	at := uint32(len(s.V.Pos))
	s.V.Pos = append(s.V.Pos, a, b, c, d)
	for range 4 {
		s.V.Nrm = append(s.V.Nrm, n)
		s.V.UV0 = append(s.V.UV0, vec.V2{})
	}
	i := []uint32{0, 1, 2, 0, 2, 3}
	if b.Sub(a).Cross(c.Sub(a)).Dot(n) < 0 {
		i = []uint32{0, 2, 1, 0, 3, 2}
	}
	for _, k := range i {
		s.Index = append(s.Index, at+k)
	}
	s.Mat = append(s.Mat, mat, mat)
	s.Obj = append(s.Obj, 0, 0)
}

// Room is a closed room, 4 m a side, of one material, fronts inwards.
func Room(m scene.Material) *Stage {
	s := &scene.Scene{Materials: []scene.Material{m}, Objects: []scene.Object{{Name: "room", Node: scene.None}}}
	for a := range 3 {
		for _, side := range []float32{-2, 2} {
			corner := func(u, v float32) vec.V3 {
				c := [3]float32{}
				c[a], c[(a+1)%3], c[(a+2)%3] = side, u, v
				return vec.V3{X: c[0], Y: c[1], Z: c[2]}
			}
			Quad(s, 0, corner(0, 0).Neg().Norm(), corner(-2, -2), corner(2, -2), corner(2, 2), corner(-2, 2))
		}
	}
	s.Objects[0].Count = len(s.Mat)
	return &Stage{s}
}

// Inside is a view of Room.
var Inside = world.Camera{Eye: vec.V3{X: 0.3, Y: 0.2, Z: 1.5}, Aim: vec.V3{X: 0.1, Y: -0.2, Z: -1}, Up: vec.V3{Y: 1}, FovY: 1.2}

// Matt is a grey without gloss.
func Matt(r float32) scene.Material {
	m := scene.DefaultMaterial()
	m.BaseColor = [4]float32{r, r, r, 1}
	m.Metallic, m.Specular = 0, 0
	return m
}

// Glossy is a grey with gloss.
func Glossy() scene.Material {
	m := Matt(0.6)
	m.Specular, m.Roughness = 1, 0.3
	return m
}

// Lamps are three lights for Room: a ball, a spot and a panel.
func Lamps() []*light.Light {
	out := []*light.Light{
		{ID: 3, Kind: light.Point, Pos: vec.V3{X: 1, Y: 1.5}, Radius: 0.05},
		{ID: 8, Kind: light.Spot, Pos: vec.V3{X: -1, Y: 1.8, Z: 1}, Aim: vec.V3{Y: -1}, Range: 6},
		{ID: 21, Kind: light.Rect, Pos: vec.V3{X: -1.9}, Aim: vec.V3{X: 1}, W: 1, H: 1},
	}
	out[1].SetCone(0.3, 0.6)
	for _, l := range out {
		l.Shadow, l.Channels = true, 0xff
		l.Prepare()
	}
	return out
}

// Shining is the emissive light of all a world's surfaces.
func Shining(w *world.World) *light.Light {
	l := &light.Light{ID: 1, Kind: light.Emissive, Shadow: true, Channels: 0xff}
	all := make([]uint32, w.S.Triangles())
	for i := range all {
		all[i] = uint32(i)
	}
	l.SetTriangles(w.S, all)
	l.Prepare()
	return l
}

// World compiles the place.
func (g *Stage) World(t testing.TB) *world.World {
	require.NoError(t, g.S.Finish())
	w, err := world.Compile(g.S, 2)
	require.NoError(t, err)
	return w
}
