package staging

import (
	"maps"
	"math"
	"slices"

	"willowherb/core/scene"
	"willowherb/core/setup"
	"willowherb/core/vec"
)

// Cards lists the kept pictures of the cards that stand in the place.
func (st *Stage) Cards() (blobs []string) {
	for _, id := range slices.Sorted(maps.Keys(st.doc.Backdrops)) {
		if c := st.doc.Backdrops[id].Card; c != nil && !slices.Contains(blobs, c.Blob) {
			blobs = append(blobs, c.Blob)
		}
	}
	return blobs
}

// step is a line across a backdrop: its height, how far back it lies, and the normal there.
type step struct{ y, z, ny, nz float64 }

// profile is a backdrop from its front edge to its top: floor, bend, wall; a card's is its
// wall alone.
func profile(b *setup.Backdrop) []step {
	if b.Card != nil {
		return []step{{0, 0, 0, 1}, {b.Height, 0, 0, 1}}
	}
	const bend = 24
	r := b.Curve
	out := []step{{0, 0, 1, 0}}
	for i := range bend + 1 {
		s, c := math.Sincos(float64(i) / bend * math.Pi / 2)
		out = append(out, step{r * (1 - c), -(b.Depth - r) - r*s, c, s})
	}
	return append(out, step{b.Height, -b.Depth, 0, 1})
}

// surfaceOf is what a backdrop is made of; picture is a card's, nil where it is not to be had.
func surfaceOf(b *setup.Backdrop, s *scene.Scene, picture *scene.Texture) scene.Material {
	m := scene.DefaultMaterial()
	m.Name, m.Metallic, m.Roughness, m.DoubleSided = b.Name, 0, float32(b.Roughness), true
	for k := range 3 {
		m.BaseColor[k] = float32(b.Colour[k])
	}
	if b.Card == nil {
		return m
	}
	m.BaseColor, m.Specular, m.Emissive, m.DoubleSided = [4]float32{0, 0, 0, 1}, 0, vec.Splat(1), false
	if picture != nil {
		m.EmissiveTex.Texture, m.BaseTex.Texture = len(s.Textures), len(s.Textures)
		s.Textures = append(s.Textures, picture)
		for i := 3; i < len(picture.Pix); i += 4 {
			if picture.Pix[i] < 128 {
				m.Alpha = scene.Mask
				break
			}
		}
	}
	return m
}

// withBackdrops adds the sweeps and cards to a copy of the scene.
func withBackdrops(file *scene.Scene, all map[string]setup.Backdrop, cards map[string]*scene.Texture) *scene.Scene {
	s := *file
	clone := func() {
		s.V.Pos, s.V.Nrm, s.V.UV0 = append([]vec.V3(nil), s.V.Pos...), append([]vec.V3(nil), s.V.Nrm...), append([]vec.V2(nil), s.V.UV0...)
		s.V.UV1, s.V.Color = append([]vec.V2(nil), s.V.UV1...), append([][4]float32(nil), s.V.Color...)
		s.Index, s.Mat, s.Obj = append([]uint32(nil), s.Index...), append([]uint16(nil), s.Mat...), append([]uint32(nil), s.Obj...)
		s.Materials, s.Objects = append([]scene.Material(nil), s.Materials...), append([]scene.Object(nil), s.Objects...)
		s.Textures = append([]*scene.Texture(nil), s.Textures...)
	}
	clone()
	for _, id := range slices.Sorted(maps.Keys(all)) {
		b := all[id]
		var picture *scene.Texture
		if b.Card != nil {
			picture = cards[b.Card.Blob]
		}
		m := surfaceOf(&b, &s, picture)
		s.Materials = append(s.Materials, m)
		o := scene.Object{Name: b.Name, Path: "Backdrop " + b.Name, First: len(s.Mat), Node: scene.None}
		sin, cos := math.Sincos(b.Facing * math.Pi / 180)
		at := func(x, y, z float64) vec.V3 {
			return vec.New(b.Position[0]+x*cos+z*sin, b.Position[1]+y, b.Position[2]-x*sin+z*cos)
		}
		dir := func(y, z float64) vec.V3 { return vec.New(z*sin, y, z*cos) }
		profile := profile(&b)
		base := uint32(len(s.V.Pos))
		for _, p := range profile {
			for _, x := range []float64{-b.Width / 2, b.Width / 2} {
				// A hair above the ground, so that it does not fight with a floor.
				s.V.Pos = append(s.V.Pos, at(x, p.y+0.003, p.z))
				s.V.Nrm = append(s.V.Nrm, dir(p.ny, p.nz).Norm())
				s.V.UV0 = append(s.V.UV0, vec.V2{X: float32(x/b.Width + 0.5), Y: float32(1 - p.y/b.Height)})
				if len(s.V.UV1) > 0 {
					s.V.UV1 = append(s.V.UV1, vec.V2{})
				}
				if len(s.V.Color) > 0 {
					s.V.Color = append(s.V.Color, [4]float32{1, 1, 1, 1})
				}
			}
		}
		for i := range uint32(len(profile) - 1) {
			a := base + 2*i
			for _, t := range [][3]uint32{{a, a + 1, a + 3}, {a, a + 3, a + 2}} {
				p, q, w := s.V.Pos[t[0]], s.V.Pos[t[1]], s.V.Pos[t[2]]
				if c := q.Sub(p).Cross(w.Sub(p)); !(c.Dot(c) > 0) {
					continue
				}
				s.Index = append(s.Index, t[0], t[1], t[2])
				s.Mat = append(s.Mat, uint16(len(s.Materials)-1))
				s.Obj = append(s.Obj, uint32(len(s.Objects)))
			}
		}
		o.Count = len(s.Mat) - o.First
		s.Objects = append(s.Objects, o)
	}
	if err := s.Finish(); err != nil {
		return file // cannot be: the parts fit one another
	}
	return &s
}
