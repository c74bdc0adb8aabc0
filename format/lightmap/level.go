package lightmap

import (
	"willowherb/core/bake"
	"willowherb/core/scene"
	"willowherb/core/vec"
	"willowherb/format/gltf"
)

// level is the map's objects with their places on its pages as a second UV set: a node for each,
// a primitive for each of its materials and pages, which says the page in its extras.
func level(plan *bake.Plan, s *scene.Scene, pages []Page) *gltf.Model {
	m := &gltf.Model{}
	for i := range s.Materials {
		t := &s.Materials[i]
		out := gltf.ModelMaterial{Name: t.Name, Metallic: float64(t.Metallic), Roughness: float64(t.Roughness), IOR: float64(t.IOR), DoubleSided: t.DoubleSided}
		for k := range 4 {
			out.BaseColor[k] = float64(min(max(t.BaseColor[k], 0), 1))
		}
		m.Materials = append(m.Materials, out)
	}
	for _, l := range plan.Objects {
		if n := node(plan, s, l, pages); len(n.Parts) > 0 {
			m.Nodes = append(m.Nodes, n)
		}
	}
	return m
}

// vertex is one of a part's: a vertex of the scene at a place of a page.
type vertex struct {
	of uint32
	uv vec.V2
}

func node(plan *bake.Plan, s *scene.Scene, l *bake.Laid, pages []Page) gltf.ModelNode {
	n := gltf.ModelNode{Name: l.Path}
	type key struct{ material, page int }
	parts, at := map[key]int{}, map[key]map[vertex]uint32{}
	o := &s.Objects[l.Object]
	for t := o.First; t < o.First+o.Count; t++ {
		page, _, ok := plan.OnPage(l, uint32(t), 0)
		if !ok {
			continue
		}
		k := key{int(s.Mat[t]), page}
		i, there := parts[k]
		if !there {
			i = len(n.Parts)
			parts[k], at[k] = i, map[vertex]uint32{}
			n.Parts = append(n.Parts, gltf.ModelPart{Material: k.material, Extras: map[string]any{"willowherb": map[string]any{"lightmap": map[string]any{"page": page, "file": pages[page].File}}}})
		}
		p := &n.Parts[i]
		for c := range 3 {
			_, uv, _ := plan.OnPage(l, uint32(t), c)
			v := vertex{s.Index[3*t+c], uv}
			j, known := at[k][v]
			if !known {
				j = uint32(len(p.Pos))
				at[k][v] = j
				normal := s.V.Nrm[v.of]
				if normal == (vec.V3{}) {
					_, normal = s.Area(uint32(t))
				}
				p.Pos, p.Nrm, p.UV, p.UV1 = append(p.Pos, s.V.Pos[v.of]), append(p.Nrm, normal.Norm()), append(p.UV, s.V.UV0[v.of]), append(p.UV1, uv)
			}
			p.Index = append(p.Index, j)
		}
	}
	return n
}
