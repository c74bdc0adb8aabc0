package gltf

import (
	"bytes"
	"encoding/base64"
	stdimage "image"
	"image/color"
	"image/png"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
	"willowherb/core/scene"
	"willowherb/core/vec"
)

// one reads a document of one mesh with one primitive, in one node.
func one(t *testing.T, p *parts, primitive, mesh, node, rest obj) *scene.Scene {
	t.Helper()
	m := obj{"primitives": list{primitive}}
	for k, v := range mesh {
		m[k] = v
	}
	n := obj{"mesh": 0, "name": "thing"}
	for k, v := range node {
		n[k] = v
	}
	d := obj{"meshes": list{m}, "nodes": list{n}}
	for k, v := range rest {
		d[k] = v
	}
	s, err := read(p.document(d))
	require.NoError(t, err)
	return s
}

// A file's own tangents count, not what the texture coordinates would give: here they
// are turned by a quarter, and mirrored.
func TestTangentsAsGiven(t *testing.T) {
	for _, sign := range []float32{1, -1} {
		var p parts
		pos := triangle(&p)
		a := obj{"POSITION": pos, "NORMAL": p.floats("VEC3", 3, 0, 0, 1, 0, 0, 1, 0, 0, 1), "TEXCOORD_0": p.floats("VEC2", 2, 0, 1, 1, 1, 0, 0),
			"TANGENT": p.floats("VEC4", 4, 0, 1, 0, sign, 0, 1, 0, sign, 0, 1, 0, sign)}
		s := one(t, &p, obj{"attributes": a, "material": 0}, nil, nil, obj{"materials": list{obj{"normalTexture": obj{"index": 0}}}, "textures": list{obj{"source": 0}}, "images": list{obj{"uri": webp}}})
		lean := func(r, g uint8) vec.V3 {
			s.Textures[0] = &scene.Texture{W: 1, H: 1, Pix: []uint8{r, g, 200, 255}}
			q := s.PointAt(0, 0.3, 0.3)
			return s.ShadingNormal(&s.Materials[0], &q)
		}
		require.Greater(t, lean(220, 128).Y, float32(0.5), "red leans along the tangent")
		require.Less(t, sign*lean(128, 220).X, float32(-0.5), "green along normal x tangent, times the sign")
		turned := s.Pose(0, map[string]scene.Move{"thing": {Turn: 90}})
		q := turned.PointAt(0, 0.3, 0.3)
		s.Textures[0] = &scene.Texture{W: 1, H: 1, Pix: []uint8{128, 220, 200, 255}}
		require.Greater(t, sign*turned.ShadingNormal(&s.Materials[0], &q).Z, float32(0.5), "they turn with the object")
	}
}

// Morph targets count by the mesh's default weights, and a node's own before those.
func TestMorphTargetsAtTheirDefaultWeights(t *testing.T) {
	var p parts
	primitive := obj{"attributes": obj{"POSITION": triangle(&p), "NORMAL": p.floats("VEC3", 3, 0, 0, 1, 0, 0, 1, 0, 0, 1)},
		"targets": list{obj{"POSITION": p.floats("VEC3", 3, 0, 0, 2, 0, 0, 2, 0, 0, 2)}, obj{"POSITION": p.floats("VEC3", 3, 0, 0, 0, 4, 0, 0, 0, 0, 0), "NORMAL": p.floats("VEC3", 3, 0, 1, 0, 0, 1, 0, 0, 1, 0)}}}
	s := one(t, &p, primitive, obj{"weights": list{0.5, 0.25}}, nil, nil)
	require.Equal(t, vec.V3{X: 2, Z: 1}, s.V.Pos[1])
	require.InDelta(t, 0.25, s.V.Nrm[0].Y/s.V.Nrm[0].Z, 1e-6)
	s = one(t, &p, primitive, obj{"weights": list{0.5, 0.25}}, obj{"weights": list{0, 1}}, nil)
	require.Equal(t, vec.V3{X: 5}, s.V.Pos[1])
	s = one(t, &p, primitive, nil, nil, nil)
	require.Equal(t, vec.V3{X: 1}, s.V.Pos[1], "without weights they count nothing")
}

// A sparse accessor is what it is based on but for some elements; one without a buffer
// view is zeros.
func TestSparseAccessors(t *testing.T) {
	var p parts
	base := triangle(&p)
	values := p.floats("VEC3", 3, 9, 8, 7)
	where := p.add(5123, "SCALAR", 1, false, []uint16{1})
	change := func(d obj) {
		d["sparse"] = obj{"count": 1, "indices": obj{"bufferView": where, "componentType": 5123}, "values": obj{"bufferView": values}}
	}
	change(p.accessors[base])
	s := one(t, &p, obj{"attributes": obj{"POSITION": base}}, nil, nil, nil)
	require.Equal(t, []vec.V3{{}, {X: 9, Y: 8, Z: 7}, {Y: 1}}, s.V.Pos)

	p.accessors = append(p.accessors, obj{"componentType": 5126, "count": 3, "type": "VEC3"})
	zeros := len(p.accessors) - 1
	change(p.accessors[zeros])
	s = one(t, &p, obj{"attributes": obj{"POSITION": base}, "targets": list{obj{"POSITION": zeros}}}, obj{"weights": list{1}}, nil, nil)
	require.Equal(t, vec.V3{X: 18, Y: 16, Z: 14}, s.V.Pos[1])
	require.Equal(t, vec.V3{Y: 1}, s.V.Pos[2])

	for what, bad := range map[string]obj{
		"names element 5 of 3": {"count": 1, "indices": obj{"bufferView": p.add(5121, "SCALAR", 1, false, []uint8{5}) - 1, "componentType": 5121}, "values": obj{"bufferView": values}},
		"do not fit":           {"count": 3, "indices": obj{"bufferView": where, "componentType": 5123}, "values": obj{"bufferView": values}},
		"is not an index":      {"count": 1, "indices": obj{"bufferView": where, "componentType": 5126}, "values": obj{"bufferView": values}},
		"between 1 and 3":      {"count": 4, "indices": obj{"bufferView": where, "componentType": 5123}, "values": obj{"bufferView": values}},
		"buffer view 99":       {"count": 1, "indices": obj{"bufferView": 99, "componentType": 5123}, "values": obj{"bufferView": values}},
	} {
		p.accessors[zeros]["sparse"] = bad
		_, err := read(p.document(obj{"meshes": list{obj{"primitives": list{obj{"attributes": obj{"POSITION": zeros}}}}}, "nodes": list{obj{"mesh": 0}}}))
		require.ErrorContains(t, err, what)
	}
	p.accessors[zeros] = obj{"componentType": 5126, "count": 11_000_000, "type": "VEC3"}
	two := obj{"attributes": obj{"POSITION": zeros, "NORMAL": zeros, "COLOR_0": zeros}}
	_, err := read(p.document(obj{"meshes": list{obj{"primitives": list{two, two}}}, "nodes": list{obj{"mesh": 0}}}))
	require.ErrorContains(t, err, "stand for over 256 MB")
}

func uri(t *testing.T, im stdimage.Image) string {
	var b bytes.Buffer
	require.NoError(t, png.Encode(&b, im))
	return "data:image/png;base64," + base64.StdEncoding.EncodeToString(b.Bytes())
}

// What lies under alpha 0 keeps its colour; 16 bits are kept for normals and roughness,
// and only for those.
func TestPicturesAsTheyAre(t *testing.T) {
	var p parts
	pos := triangle(&p)
	clear := stdimage.NewNRGBA(stdimage.Rect(0, 0, 2, 1))
	clear.SetNRGBA(0, 0, color.NRGBA{200, 100, 50, 0})
	clear.SetNRGBA(1, 0, color.NRGBA{10, 20, 30, 128})
	deep := stdimage.NewNRGBA64(stdimage.Rect(0, 0, 1, 1))
	deep.SetNRGBA64(0, 0, color.NRGBA64{0x1234, 0x5678, 0x9abc, 0})
	grey := stdimage.NewGray16(stdimage.Rect(0, 0, 1, 1))
	grey.SetGray16(0, 0, color.Gray16{0x8001})
	index := stdimage.NewPaletted(stdimage.Rect(0, 0, 1, 1), color.Palette{color.NRGBA{1, 2, 3, 0}})
	use := func(i int) obj { return obj{"index": i} }
	s := one(t, &p, obj{"attributes": obj{"POSITION": pos}, "material": 0}, nil, nil, obj{
		"images": list{obj{"uri": uri(t, clear)}, obj{"uri": uri(t, deep)}, obj{"uri": uri(t, grey)}, obj{"uri": uri(t, deep)}, obj{"uri": uri(t, index)}}, "textures": list{obj{"source": 0}, obj{"source": 1}, obj{"source": 2}, obj{"source": 3}, obj{"source": 4}},
		"materials": list{obj{"normalTexture": use(1), "pbrMetallicRoughness": obj{"metallicRoughnessTexture": use(2), "baseColorTexture": use(0)}, "emissiveTexture": use(3)}}})
	require.Equal(t, []uint8{200, 100, 50, 0, 10, 20, 30, 128}, s.Textures[0].Pix)
	require.Equal(t, []uint16{0x1234, 0x5678, 0x9abc, 0}, s.Textures[1].Deep)
	require.Equal(t, []uint16{0x8001, 0x8001, 0x8001, 0xffff}, s.Textures[2].Deep)
	require.Nil(t, s.Textures[3].Deep)
	require.Equal(t, []uint8{0x12, 0x56, 0x9a, 0}, s.Textures[3].Pix)
	require.Equal(t, []uint8{1, 2, 3, 0}, s.Textures[4].Pix)
	c := s.Textures[2].Sample(vec.V2{}, false)
	require.InDelta(t, float64(0x8001)/65535, c[1], 1e-6)
}

// A node that has no size at rest and grows is there when it has grown.
func TestWhatGrowsFromNothing(t *testing.T) {
	var p parts
	pos := triangle(&p)
	grow := obj{"name": "grow", "channels": list{obj{"sampler": 0, "target": obj{"node": 0, "path": "scale"}}}, "samplers": list{obj{"input": p.floats("SCALAR", 1, 0, 2), "output": p.floats("VEC3", 3, 0, 0, 0, 2, 2, 2)}}}
	s := one(t, &p, obj{"attributes": obj{"POSITION": pos}}, nil, obj{"scale": list{0, 0, 0}, "translation": list{1, 0, 0}}, obj{"animations": list{grow}})
	require.Equal(t, 1, s.Triangles())
	grown := s.Pose(1, nil)
	require.Equal(t, []vec.V3{{X: 1}, {X: 2}, {X: 1, Y: 1}}, grown.V.Pos)
	require.InDelta(t, 1, grown.V.Nrm[0].Z, 1e-6)
	still := one(t, &p, obj{"attributes": obj{"POSITION": pos}}, nil, obj{"scale": list{0, 0, 0}}, nil)
	require.Zero(t, still.Triangles())
	require.Contains(t, strings.Join(still.Warnings, "\n"), "without area")
}

// Whatever is left out is said, by its name.
func TestWhatIsLeftOutIsNamed(t *testing.T) {
	var p parts
	pos := triangle(&p)
	a := obj{"POSITION": pos, "JOINTS_0": pos, "TEXCOORD_2": pos, "_WEAR": pos, "COLOR_1": pos}
	s := one(t, &p, obj{"attributes": a}, nil, nil, obj{"extensionsUsed": list{"KHR_materials_clearcoat"}, "skins": list{obj{"joints": list{0}}}})
	all := strings.Join(s.Warnings, "\n")
	for _, name := range []string{"JOINTS_0", "TEXCOORD_2", "_WEAR", "COLOR_1", "KHR_materials_clearcoat", "skins"} {
		require.Contains(t, all, name)
	}
}
