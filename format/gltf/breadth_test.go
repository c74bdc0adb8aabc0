package gltf

import (
	"encoding/base64"
	"encoding/binary"
	"math"
	"testing"

	"github.com/stretchr/testify/require"
	"willowherb/core/scene"
	"willowherb/core/vec"
)

// rich is a fan of two triangles with colours of 16 bits, two UV sets and a material that
// uses what later exporters write.
func rich(t *testing.T, material map[string]any, images ...string) *scene.Scene {
	var bin []byte
	f32 := func(v ...float32) {
		for _, x := range v {
			bin = binary.LittleEndian.AppendUint32(bin, math.Float32bits(x))
		}
	}
	f32(0, 0, 0, 1, 0, 0, 1, 1, 0, 0, 1, 0) // positions, unit square
	f32(0, 1, 1, 1, 1, 0, 0, 0)             // first UV set, v downwards
	f32(0, 0, 2, 0, 2, 2, 0, 2)             // second
	for range 4 {
		bin = binary.LittleEndian.AppendUint16(bin, 65535)
		bin = binary.LittleEndian.AppendUint16(bin, 32768)
		bin = binary.LittleEndian.AppendUint16(bin, 0)
		bin = binary.LittleEndian.AppendUint16(bin, 65535)
	}
	view := func(off, n int) map[string]any {
		return map[string]any{"buffer": 0, "byteOffset": off, "byteLength": n}
	}
	acc := func(v, comp int, kind string, norm bool) map[string]any {
		return map[string]any{"bufferView": v, "componentType": comp, "count": 4, "type": kind, "normalized": norm}
	}
	s, err := read(doc(func(m map[string]any) {
		m["buffers"] = []any{map[string]any{"byteLength": len(bin), "uri": "data:;base64," + base64.StdEncoding.EncodeToString(bin)}}
		m["bufferViews"] = []any{view(0, 48), view(48, 32), view(80, 32), view(112, 32)}
		m["accessors"] = []any{acc(0, 5126, "VEC3", false), acc(1, 5126, "VEC2", false), acc(2, 5126, "VEC2", false), acc(3, 5123, "VEC4", true)}
		m["meshes"] = []any{map[string]any{"primitives": []any{map[string]any{"mode": 6, "material": 0, "attributes": map[string]any{"POSITION": 0, "TEXCOORD_0": 1, "TEXCOORD_1": 2, "COLOR_0": 3}}}}}
		m["materials"] = []any{material}
		var im, tex []any
		for i, x := range images {
			im = append(im, map[string]any{"uri": x})
			tex = append(tex, map[string]any{"source": i})
		}
		m["images"], m["textures"] = im, tex
	}))
	require.NoError(t, err)
	return s
}

func TestFansColoursAndSecondUV(t *testing.T) {
	s := rich(t, map[string]any{})
	require.Equal(t, 2, s.Triangles())
	for i := range 2 {
		a, n := s.Area(uint32(i))
		require.InDelta(t, 0.5, a, 1e-6)
		require.InDelta(t, 1, n.Z, 1e-6)
	}
	p := s.PointAt(0, 0.25, 0.5)
	require.InDelta(t, 32768.0/65535, p.Color[1], 1e-4)
	require.InDelta(t, 1, p.UV1.X, 1e-6) // a fan starts at its second vertex: 1, 2, 0
	require.InDelta(t, 0.5, p.UV1.Y, 1e-6)
}

// KHR_texture_transform: offset (0.5, 0), a quarter turn, scale (2, 3): by the extension's matrix
// (u, v) goes to (0.5 + 3 v, -2 u).
func TestTextureTransform(t *testing.T) {
	s := rich(t, map[string]any{"pbrMetallicRoughness": map[string]any{"baseColorTexture": map[string]any{"index": 0, "extensions": map[string]any{
		"KHR_texture_transform": map[string]any{"offset": []float64{0.5, 0}, "rotation": math.Pi / 2, "scale": []float64{2, 3}, "texCoord": 1}}}}},
		"data:image/png;base64,"+base64.StdEncoding.EncodeToString(pic(4, 4)))
	r := s.Materials[0].BaseTex
	require.Equal(t, 1, r.Set)
	u, v := float32(0.1), float32(0.2)
	require.InDelta(t, 0.5+3*v, r.A[0]*u+r.A[1]*v+r.B[0], 1e-6)
	require.InDelta(t, -2*u, r.A[2]*u+r.A[3]*v+r.B[1], 1e-6)
}

// A one-pixel lossless WebP, as EXT_texture_webp carries them.
const webp = "data:image/webp;base64,UklGRhoAAABXRUJQVlA4TA0AAAAvAAAAEAcQERGIiP4HAA=="

func TestWebPAndMasks(t *testing.T) {
	s := rich(t, map[string]any{"alphaMode": "MASK", "alphaCutoff": 0.3, "doubleSided": true, "pbrMetallicRoughness": map[string]any{"baseColorTexture": map[string]any{"index": 0}, "baseColorFactor": []float64{1, 1, 1, 0.25}},
		"extensions": map[string]any{"KHR_materials_ior": map[string]any{"ior": 1.33}, "KHR_materials_transmission": map[string]any{"transmissionFactor": 0.5}}}, webp)
	m := s.Materials[0]
	require.Equal(t, scene.Mask, m.Alpha)
	require.True(t, m.DoubleSided)
	require.InDelta(t, 1.33, m.IOR, 1e-6)
	require.Equal(t, 1, s.Textures[0].W)
	p := s.PointAt(0, 0.2, 0.2)
	require.Zero(t, s.Alpha(&m, &p), "0.25 lies under the cutoff of 0.3")
}

// A normal texture whose texels lean to +X (red) bends the normal along +u, and
// green along the picture's upwards, which is +Y here.
func TestNormalTextureLeansTheRightWay(t *testing.T) {
	lean := func(r, g uint8) vec.V3 {
		s := rich(t, map[string]any{"normalTexture": map[string]any{"index": 0}}, webp)
		s.Textures[0] = &scene.Texture{W: 1, H: 1, Pix: []uint8{r, g, 200, 255}}
		p := s.PointAt(0, 0.3, 0.3)
		return s.ShadingNormal(&s.Materials[0], &p)
	}
	require.Greater(t, lean(220, 128).X, float32(0.5))
	require.InDelta(t, 0, lean(220, 128).Y, 0.02)
	require.Greater(t, lean(128, 220).Y, float32(0.5))
	require.InDelta(t, 0, lean(128, 220).X, 0.02)
}
