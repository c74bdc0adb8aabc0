package gltf

import (
	"encoding/base64"
	"encoding/binary"
	"encoding/json"
	"math"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
	"willowherb/core/scene"
	"willowherb/core/vec"
)

// parts collects accessors for a hand-written document.
type parts struct {
	bin       []byte
	views     []map[string]any
	accessors []map[string]any
}

func (p *parts) add(comp int, kind string, count int, normalized bool, data any) int {
	for len(p.bin)%4 != 0 {
		p.bin = append(p.bin, 0)
	}
	at := len(p.bin)
	b, err := binary.Append(nil, binary.LittleEndian, data)
	if err != nil {
		panic(err)
	}
	p.bin = append(p.bin, b...)
	p.views = append(p.views, map[string]any{"buffer": 0, "byteOffset": at, "byteLength": len(b)})
	p.accessors = append(p.accessors, map[string]any{"bufferView": len(p.views) - 1, "componentType": comp, "count": count, "type": kind, "normalized": normalized})
	return len(p.accessors) - 1
}

func (p *parts) floats(kind string, of int, v ...float32) int {
	return p.add(5126, kind, len(v)/of, false, v)
}

func (p *parts) document(rest map[string]any) []byte {
	d := map[string]any{"asset": map[string]any{"version": "2.0"}, "bufferViews": p.views, "accessors": p.accessors,
		"buffers": []any{map[string]any{"byteLength": len(p.bin), "uri": "data:;base64," + base64.StdEncoding.EncodeToString(p.bin)}}}
	for k, v := range rest {
		d[k] = v
	}
	out, _ := json.Marshal(d)
	return out
}

type obj = map[string]any
type list = []any

func triangle(p *parts) int { return p.floats("VEC3", 3, 0, 0, 0, 1, 0, 0, 0, 1, 0) }

func TestInstancesAreManyObjects(t *testing.T) {
	var p parts
	pos := triangle(&p)
	half := float32(math.Sqrt2 / 2)
	in := obj{"TRANSLATION": p.floats("VEC3", 3, 0, 0, 0, 5, 0, 0, 0, 0, 7), "ROTATION": p.floats("VEC4", 4, 0, 0, 0, 1, 0, half, 0, half, 0, 0, 0, 1), "SCALE": p.floats("VEC3", 3, 1, 1, 1, 1, 1, 1, 2, 2, 2)}
	doc := func(attributes obj) []byte {
		return p.document(obj{"meshes": list{obj{"primitives": list{obj{"attributes": obj{"POSITION": pos}}}}},
			"nodes": list{obj{"name": "reed", "mesh": 0, "translation": list{0, 1, 0}, "extensions": obj{"EXT_mesh_gpu_instancing": obj{"attributes": attributes}}}}, "extensionsRequired": list{"EXT_mesh_gpu_instancing"}, "extensionsUsed": list{"EXT_mesh_gpu_instancing"}})
	}
	s, err := read(doc(in))
	require.NoError(t, err)
	require.Len(t, s.Objects, 3)
	require.Equal(t, "reed 2", s.Objects[1].Name)
	require.Equal(t, "reed", s.Objects[1].Path)
	close := func(want, got vec.V3) {
		t.Helper()
		require.InDelta(t, 0, float64(want.Sub(got).Len()), 1e-5)
	}
	close(vec.V3{X: 1, Y: 1}, s.V.Pos[1])
	close(vec.V3{X: 5, Y: 1, Z: -1}, s.V.Pos[4])
	close(vec.V3{X: 2, Y: 1, Z: 7}, s.V.Pos[7])
	for what, bad := range map[string]obj{"names no": {}, "where the others have": {"TRANSLATION": in["TRANSLATION"], "SCALE": p.floats("VEC3", 3, 1, 1, 1)}, "is not a rotation": {"ROTATION": p.floats("VEC4", 4, 0, 0, 0, 0)}} {
		_, err := read(doc(bad))
		require.ErrorContains(t, err, what)
	}
}

func TestQuantisedMeshes(t *testing.T) {
	var p parts
	pos := p.add(5122, "VEC3", 3, false, []int16{0, 0, 0, 1000, 0, 0, 0, 1000, 0})
	uv := p.add(5123, "VEC2", 3, true, []uint16{0, 0, 65535, 0, 0, 65535})
	doc := func(used list) []byte {
		return p.document(obj{"meshes": list{obj{"primitives": list{obj{"attributes": obj{"POSITION": pos, "TEXCOORD_0": uv}}}}}, "nodes": list{obj{"mesh": 0, "scale": list{0.001, 0.001, 0.001}}}, "extensionsUsed": used})
	}
	s, err := read(doc(list{"KHR_mesh_quantization"}))
	require.NoError(t, err)
	require.InDelta(t, 1, s.V.Pos[1].X, 1e-6)
	require.Equal(t, float32(1), s.V.UV0[1].X)
	_, err = read(doc(list{}))
	require.ErrorContains(t, err, "KHR_mesh_quantization")
}

func TestUnlitIsLitAsMattAndSaid(t *testing.T) {
	var p parts
	pos := triangle(&p)
	s, err := read(p.document(obj{"meshes": list{obj{"primitives": list{obj{"attributes": obj{"POSITION": pos}, "material": 0}}}}, "nodes": list{obj{"mesh": 0}},
		"materials": list{obj{"name": "sign", "extensions": obj{"KHR_materials_unlit": obj{}}}}, "extensionsUsed": list{"KHR_materials_unlit"}}))
	require.NoError(t, err)
	require.Zero(t, s.Materials[0].Metallic)
	require.Contains(t, strings.Join(s.Warnings, "\n"), "sign")
}

func TestAnimationsAreRead(t *testing.T) {
	var p parts
	pos := triangle(&p)
	times, moves := p.floats("SCALAR", 1, 0, 2), p.floats("VEC3", 3, 0, 0, 0, 4, 0, 0)
	back := p.floats("SCALAR", 1, 2, 1)
	doc := func(channel, sampler obj) []byte {
		return p.document(obj{"meshes": list{obj{"primitives": list{obj{"attributes": obj{"POSITION": pos}}}}}, "nodes": list{obj{"name": "body", "children": list{1}}, obj{"name": "drone", "mesh": 0}},
			"animations": list{obj{"name": "round", "channels": list{channel}, "samplers": list{sampler}}}})
	}
	good := obj{"input": times, "output": moves}
	channel := func(node int, path string) obj { return obj{"sampler": 0, "target": obj{"node": node, "path": path}} }
	s, err := read(doc(channel(0, "translation"), good))
	require.NoError(t, err)
	require.Equal(t, 2.0, s.Duration())
	require.Equal(t, []bool{true}, s.Animated(), "what hangs from an animated node moves")
	require.InDelta(t, 2, s.Pose(1, nil).V.Pos[0].X, 1e-6)
	for want, f := range map[string][]byte{
		"do not rise":       doc(channel(0, "translation"), obj{"input": back, "output": moves}),
		"is unknown":        doc(channel(0, "colour"), good),
		"names node 7":      doc(channel(7, "translation"), good),
		"names sampler":     doc(obj{"sampler": 3, "target": obj{"node": 0, "path": "scale"}}, good),
		"elements for 2":    doc(channel(0, "translation"), obj{"input": times, "output": moves, "interpolation": "CUBICSPLINE"}),
		"interpolation":     doc(channel(0, "translation"), obj{"input": times, "output": moves, "interpolation": "WOBBLE"}),
		"where VEC4 belong": doc(channel(0, "rotation"), good),
	} {
		_, err := read(f)
		require.ErrorContains(t, err, want)
	}
	s, err = read(doc(channel(0, "weights"), good))
	require.NoError(t, err)
	require.Empty(t, s.Animations)
	require.NotEmpty(t, s.Warnings)
}

func TestWrittenAnimationsAreReadBack(t *testing.T) {
	m := model()
	m.Nodes[0].Place = nil
	m.Animations = []ModelAnimation{{Name: "sway", Node: "wall", Times: []float32{0, 1}, Shifts: []vec.V3{{}, {Y: 2}}}}
	glb, err := Write(m)
	require.NoError(t, err)
	s, err := read(glb)
	require.NoError(t, err)
	require.Len(t, s.Animations, 1)
	require.Equal(t, scene.Translation, s.Animations[0].Channels[0].Target)
	require.InDelta(t, float64(s.V.Pos[0].Y)+1, float64(s.Pose(0.5, nil).V.Pos[0].Y), 1e-6)
	m.Animations[0].Node = "nobody"
	_, err = Write(m)
	require.ErrorContains(t, err, "nobody")
}
