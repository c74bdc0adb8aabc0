// Package scenetest builds small places of flat quads for tests.
package scenetest

import (
	"testing"

	"github.com/stretchr/testify/require"
	"willowherb/core/render"
	"willowherb/core/scene"
	"willowherb/core/vec"
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

// World compiles the place.
func (g *Stage) World(t testing.TB) *render.World {
	require.NoError(t, g.S.Finish())
	w, err := render.Compile(g.S, 2)
	require.NoError(t, err)
	return w
}
