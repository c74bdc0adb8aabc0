package scene

import "willowherb/core/vec"

// Mesh is geometry in its object's own space, shared by the objects that are instances
// of it. It is where shapes change: what a pose makes of a mesh (morphs, skins) happens
// here, before its instances are put into the place.
type Mesh struct {
	V     Vertices
	Index []uint32
	Mat   []uint16 // of each triangle
}

// Instance puts a mesh into the scene as an object that hangs from a node: to takes it
// to the node, and world from its own space to the place at rest.
// Triangles that have no area there are left out, and counted, unless the object may yet
// grow.
func (s *Scene) Instance(m *Mesh, name, path string, node int, to, world vec.Mat4, grows bool) (flat int) {
	base := uint32(len(s.V.Pos))
	o := Object{Name: name, Path: path, First: len(s.Mat), Node: node, Mesh: m, FirstVertex: int(base), To: to}
	for i := range m.V.Pos {
		s.V.Pos = append(s.V.Pos, world.Point(m.V.Pos[i]))
		s.V.Nrm = append(s.V.Nrm, world.Normal(m.V.Nrm[i]).Norm())
	}
	s.V.UV0 = append(s.V.UV0, m.V.UV0...)
	s.V.UV1 = append(s.V.UV1, m.V.UV1...)
	s.V.Color = append(s.V.Color, m.V.Color...)
	for _, t := range m.V.Tan {
		s.V.Tan = append(s.V.Tan, turned(&world, t))
	}
	flip := world.Det3() < 0
	for i := 0; i < len(m.Index); i += 3 {
		a, b, c := base+m.Index[i], base+m.Index[i+1], base+m.Index[i+2]
		if flip {
			b, c = c, b
		}
		p := s.V.Pos[a]
		if n := s.V.Pos[b].Sub(p).Cross(s.V.Pos[c].Sub(p)); !grows && !(n.Dot(n) > 0) {
			flat++
			continue
		}
		s.Index = append(s.Index, a, b, c)
		s.Mat, s.Obj = append(s.Mat, m.Mat[i/3]), append(s.Obj, uint32(len(s.Objects)))
	}
	if o.Count = len(s.Mat) - o.First; o.Count > 0 {
		s.Objects = append(s.Objects, o)
	}
	return flat
}

// turned takes a tangent along; the sign of its bitangent changes in a mirror image.
func turned(m *vec.Mat4, t [4]float32) [4]float32 {
	d := m.Dir(vec.V3{X: t[0], Y: t[1], Z: t[2]}).Norm()
	if m.Det3() < 0 {
		t[3] = -t[3]
	}
	return [4]float32{d.X, d.Y, d.Z, t[3]}
}
