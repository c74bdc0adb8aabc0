package gltf

import (
	"bytes"
	"context"
	"encoding/base64"
	"encoding/binary"
	"encoding/json"
	"fmt"
	stdimage "image"
	"image/color"
	"image/png"
	"math"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
	"willowherb/core/scene"
	"willowherb/core/vec"
)

func pic(w, h int) []byte {
	im := stdimage.NewNRGBA(stdimage.Rect(0, 0, w, h))
	im.Set(0, 0, color.NRGBA{255, 128, 0, 255})
	var b bytes.Buffer
	_ = png.Encode(&b, im)
	return b.Bytes()
}

func model() *Model {
	m := vec.TRS([3]float64{1, 2, 3}, [4]float64{0, 0, 0, 1}, [3]float64{2, 2, 2})
	return &Model{
		Materials: []ModelMaterial{{Name: "brick", BaseColor: [4]float64{0.5, 0.4, 0.3, 1}, Roughness: 0.8, BasePic: pic(4, 4), TextureScale: 2},
			{Name: "glow", BaseColor: [4]float64{1, 1, 1, 1}, Emissive: [3]float64{1, 0.5, 0.25}, Strength: 400, Transmission: 0.5, Specular: 0.25, IOR: 1.33}},
		Nodes: []ModelNode{{Name: "hall", Place: &m, Children: []ModelNode{{Name: "wall", Parts: []ModelPart{{
			Material: 1, Pos: []vec.V3{{}, {X: 1}, {Y: 1}}, Nrm: []vec.V3{{Z: 1}, {Z: 1}, {Z: 1}}, UV: make([]vec.V2, 3), Index: []uint32{0, 1, 2}}}}}}},
		Cameras: []scene.Camera{{Name: "Hall", Eye: vec.V3{X: 1}, Aim: vec.V3{Z: -1}, Up: vec.V3{Y: 1}, FovY: 0.7, Aspect: 1.5}},
	}
}

func read(data []byte) (*scene.Scene, error) {
	return Read(context.Background(), "place.glb", data, nil, DefaultLimits())
}

func TestWrittenIsReadBackEqual(t *testing.T) {
	glb, err := Write(model())
	require.NoError(t, err)
	again, err := Write(model())
	require.NoError(t, err)
	require.Equal(t, glb, again)
	s, err := read(glb)
	require.NoError(t, err)
	require.Empty(t, s.Warnings)
	require.Equal(t, 1, s.Triangles())
	require.Equal(t, "hall/wall", s.Objects[0].Path)
	require.Equal(t, vec.V3{X: 3, Y: 2, Z: 3}, s.V.Pos[1])
	m := s.Materials[1]
	require.Equal(t, vec.V3{X: 400, Y: 200, Z: 100}, m.Emissive)
	require.InDelta(t, 0.25, m.Specular, 1e-6)
	require.InDelta(t, 1.33, m.IOR, 1e-6)
	require.InDelta(t, 0.5, m.Transmission, 1e-6)
	require.InDelta(t, 2, s.Materials[0].BaseTex.A[0], 1e-6)
	require.Equal(t, "Hall", s.Cameras[0].Name)
	require.InDelta(t, 0, s.Cameras[0].Aim.Sub(vec.V3{Z: -1}).Len(), 1e-6)
}

// doc builds a glTF JSON of one triangle whose parts a test may replace.
func doc(change func(m map[string]any)) []byte {
	var bin []byte
	for _, v := range []float32{0, 0, 0, 1, 0, 0, 0, 1, 0, 1, 1, 0} {
		bin = binary.LittleEndian.AppendUint32(bin, math.Float32bits(v))
	}
	m := map[string]any{
		"asset":       map[string]any{"version": "2.0"},
		"buffers":     []any{map[string]any{"byteLength": len(bin), "uri": "data:application/octet-stream;base64," + base64.StdEncoding.EncodeToString(bin)}},
		"bufferViews": []any{map[string]any{"buffer": 0, "byteLength": len(bin)}},
		"accessors":   []any{map[string]any{"bufferView": 0, "componentType": 5126, "count": 4, "type": "VEC3"}},
		"meshes":      []any{map[string]any{"primitives": []any{map[string]any{"attributes": map[string]any{"POSITION": 0}, "mode": 5}}}},
		"nodes":       []any{map[string]any{"mesh": 0}},
	}
	if change != nil {
		change(m)
	}
	b, _ := json.Marshal(m)
	return b
}

func first(m map[string]any, key string) map[string]any { return m[key].([]any)[0].(map[string]any) }

func TestStripsGetFlatNormals(t *testing.T) {
	s, err := read(doc(nil))
	require.NoError(t, err)
	require.Equal(t, 2, s.Triangles())
	for i := range 2 {
		_, n := s.Area(uint32(i))
		require.InDelta(t, 1, n.Z, 1e-6, "both triangles of the strip face the same way")
	}
	require.InDelta(t, 1, s.V.Nrm[0].Z, 1e-6)
}

func TestLightsKeepTheirUnits(t *testing.T) {
	s, err := read(doc(func(m map[string]any) {
		m["extensionsUsed"] = []string{"KHR_lights_punctual"}
		m["extensions"] = map[string]any{"KHR_lights_punctual": map[string]any{"lights": []any{
			map[string]any{"type": "spot", "intensity": 100, "color": []float64{1, 0.5, 0.5}, "range": 8, "spot": map[string]any{"innerConeAngle": 0.1, "outerConeAngle": 0.4}},
			map[string]any{"type": "directional", "intensity": 3},
		}}}
		m["nodes"] = []any{map[string]any{"mesh": 0}, map[string]any{"name": "Key", "translation": []float64{0, 3, 0}, "rotation": []float64{-math.Sqrt2 / 2, 0, 0, math.Sqrt2 / 2},
			"extensions": map[string]any{"KHR_lights_punctual": map[string]any{"light": 0}}}}
	}))
	require.NoError(t, err)
	require.Len(t, s.Lights, 1)
	l := s.Lights[0]
	require.Equal(t, scene.Spot, l.Kind)
	require.Equal(t, "Key", l.Name)
	require.InDelta(t, -1, l.Aim.Y, 1e-6)
	require.Equal(t, 100.0, l.Intensity)
	require.Equal(t, 8.0, l.Range)
}

func hugePNG() []byte {
	b := pic(2, 2)
	binary.BigEndian.PutUint32(b[16:], 60000)
	binary.BigEndian.PutUint32(b[20:], 60000)
	// The header's checksum is not what stops it: DecodeConfig checks it first, so mend it.
	crc := crcPNG(b[12:29])
	binary.BigEndian.PutUint32(b[29:], crc)
	return b
}

func crcPNG(b []byte) uint32 {
	c := uint32(0xffffffff)
	for _, x := range b {
		c ^= uint32(x)
		for range 8 {
			if c&1 == 1 {
				c = c>>1 ^ 0xedb88320
			} else {
				c >>= 1
			}
		}
	}
	return ^c
}

func TestBadFilesSayWhereAndWhatToDo(t *testing.T) {
	glb, err := Write(model())
	require.NoError(t, err)
	cut := func(n int) []byte { return glb[:n] }
	for _, c := range []struct {
		name string
		data []byte
		want string
	}{
		{"nothing", nil, "neither GLB nor glTF"},
		{"a picture", pic(2, 2), "neither GLB nor glTF"},
		{"cut in the header", cut(10), "no room for its header"},
		{"cut in the data", cut(len(glb) - 9), "cut short"},
		{"broken JSON", []byte(`{"asset": {`), "JSON is broken"},
		{"wrong type", []byte(`{"asset": {"version": "2.0"}, "nodes": 7}`), "nodes: holds a number"},
		{"old version", doc(func(m map[string]any) { m["asset"] = map[string]any{"version": "1.0"} }), "asset.version"},
		{"required extension", doc(func(m map[string]any) { m["extensionsRequired"] = []string{"KHR_draco_mesh_compression"} }), "extensionsRequired[0]"},
		{"a billion vertices", doc(func(m map[string]any) { first(m, "accessors")["count"] = 1_000_000_000 }), "accessors[0].count"},
		{"too few bytes", doc(func(m map[string]any) { first(m, "accessors")["count"] = 400 }), "accessors[0]: 400 elements do not fit"},
		{"negative offset", doc(func(m map[string]any) { first(m, "accessors")["byteOffset"] = -4 }), "accessors[0]"},
		{"view outside", doc(func(m map[string]any) { first(m, "bufferViews")["byteOffset"] = 1 << 40 }), "bufferViews[0]"},
		{"cyclic nodes", doc(func(m map[string]any) {
			m["nodes"] = []any{map[string]any{"children": []int{1}}, map[string]any{"children": []int{0}}}
			m["scenes"] = []any{map[string]any{"nodes": []int{0}}}
		}), "nodes[0]: is reached twice"},
		{"child that is not there", doc(func(m map[string]any) { first(m, "nodes")["children"] = []int{9} }), "node 9 of 1"},
		{"NaN position", func() []byte {
			b, _ := Write(model())
			i := bytes.LastIndex(b, []byte("BIN\x00"))
			at := bytes.Index(b[i:], []byte{0, 0, 128, 63}) // the first 1.0
			copy(b[i+at:], []byte{0, 0, 192, 127})
			return b
		}(), "is no place"},
		{"side file above", doc(func(m map[string]any) { first(m, "buffers")["uri"] = "../secret.bin" }), "does not lie beside"},
		{"side file by URL", doc(func(m map[string]any) { first(m, "buffers")["uri"] = "http://127.0.0.1/x.bin" }), "does not lie beside"},
		{"side file missing", doc(func(m map[string]any) { first(m, "buffers")["uri"] = "x.bin" }), "export as one GLB"},
		{"60,000-pixel picture", doc(func(m map[string]any) {
			m["images"] = []any{map[string]any{"uri": "data:image/png;base64," + base64.StdEncoding.EncodeToString(hugePNG())}}
		}), "60000 x 60000 is over the limit"},
		{"broken picture", doc(func(m map[string]any) {
			m["images"] = []any{map[string]any{"uri": "data:image/png;base64," + base64.StdEncoding.EncodeToString(pic(8, 8)[:60])}}
		}), "images[0]"},
		{"texture index", doc(func(m map[string]any) {
			m["materials"] = []any{map[string]any{"normalTexture": map[string]any{"index": 3}}}
		}), "materials[0].normalTexture.index"},
		{"material index", doc(func(m map[string]any) {
			first(m, "meshes")["primitives"].([]any)[0].(map[string]any)["material"] = 5
		}), "names material 5"},
	} {
		t.Run(c.name, func(t *testing.T) {
			s, err := read(c.data)
			require.Nil(t, s)
			var e *Error
			require.ErrorAs(t, err, &e)
			require.ErrorContains(t, err, c.want)
			require.NotEmpty(t, e.Remedy)
			require.Equal(t, "place.glb", e.File)
		})
	}
}

func TestFlatTrianglesAreAWarning(t *testing.T) {
	s, err := read(doc(func(m map[string]any) {
		first(m, "meshes")["primitives"].([]any)[0].(map[string]any)["mode"] = 6
		first(m, "accessors")["type"] = "VEC3"
		first(m, "nodes")["scale"] = []float64{1, 0, 0}
	}))
	require.NoError(t, err)
	require.Zero(t, s.Triangles())
	require.Contains(t, strings.Join(s.Warnings, "\n"), "without area")
}

func TestSideFilesComeFromBesideOnly(t *testing.T) {
	dir := t.TempDir()
	sub := filepath.Join(dir, "level")
	require.NoError(t, os.Mkdir(sub, 0o755))
	var bin []byte
	for _, v := range []float32{0, 0, 0, 1, 0, 0, 0, 1, 0, 1, 1, 0} {
		bin = binary.LittleEndian.AppendUint32(bin, math.Float32bits(v))
	}
	write := func(uri string) string {
		p := filepath.Join(sub, "a.gltf")
		require.NoError(t, os.WriteFile(p, doc(func(m map[string]any) { first(m, "buffers")["uri"] = uri }), 0o600))
		return p
	}
	require.NoError(t, os.WriteFile(filepath.Join(sub, "my data.bin"), bin, 0o600))
	require.NoError(t, os.WriteFile(filepath.Join(dir, "secret.bin"), bin, 0o600))
	require.NoError(t, os.Symlink("../secret.bin", filepath.Join(sub, "link.bin")))
	s, err := ReadFile(context.Background(), write("my%20data.bin"), DefaultLimits())
	require.NoError(t, err)
	require.Equal(t, 2, s.Triangles())
	_, err = ReadFile(context.Background(), write("..%2fsecret.bin"), DefaultLimits())
	require.Error(t, err)
	_, err = ReadFile(context.Background(), write("link.bin"), DefaultLimits())
	require.Error(t, err, "a link does not lead out of the folder")
}

func FuzzRead(f *testing.F) {
	glb, _ := Write(model())
	f.Add(glb)
	f.Add(doc(nil))
	f.Add([]byte("glTF\x02\x00\x00\x00"))
	lim := DefaultLimits()
	lim.FileBytes, lim.Triangles, lim.Vertices, lim.ImagePixels, lim.TotalPixels = 1<<20, 10000, 10000, 1<<16, 1<<18
	f.Fuzz(func(t *testing.T, data []byte) {
		s, err := Read(context.Background(), "f.glb", data, nil, lim)
		if err != nil {
			if s != nil {
				t.Fatal("half a place was returned")
			}
			return
		}
		for _, i := range s.Index {
			if int(i) >= len(s.V.Pos) {
				t.Fatal("index outside the vertices")
			}
		}
		for _, p := range s.V.Pos {
			if !p.Finite() {
				t.Fatal(fmt.Sprint("position ", p))
			}
		}
	})
}
