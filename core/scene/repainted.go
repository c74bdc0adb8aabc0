package scene

import "slices"

// Repainted tells which materials of b reflect otherwise than those of a. ok is false where the
// two differ in anything else: in shape, or in what shines or lets light pass.
func Repainted(a, b *Scene) (changed []bool, ok bool) {
	if len(a.Materials) != len(b.Materials) || len(a.Objects) != len(b.Objects) || !slices.Equal(a.Absent, b.Absent) ||
		!slices.Equal(a.Mat, b.Mat) || !slices.Equal(a.Obj, b.Obj) || !slices.Equal(a.Index, b.Index) ||
		!slices.Equal(a.V.Pos, b.V.Pos) || !slices.Equal(a.V.Nrm, b.V.Nrm) || !slices.Equal(a.V.Tan, b.V.Tan) || !slices.Equal(a.V.UV0, b.V.UV0) ||
		!slices.Equal(a.V.UV1, b.V.UV1) || !slices.Equal(a.V.Color, b.V.Color) || !slices.Equal(a.Textures, b.Textures) {
		return nil, false
	}
	changed = make([]bool, len(a.Materials))
	for i := range a.Materials {
		p, q := a.Materials[i], b.Materials[i]
		if p == q {
			continue
		}
		changed[i] = true
		copy(p.BaseColor[:3], q.BaseColor[:3])
		p.Metallic, p.Roughness, p.IOR, p.Specular, p.SpecularColor = q.Metallic, q.Roughness, q.IOR, q.Specular, q.SpecularColor
		if p != q || q.Transmission > 0 {
			return nil, false
		}
	}
	return changed, true
}
