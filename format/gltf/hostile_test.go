package gltf

import (
	"encoding/base64"
	"encoding/binary"
	"fmt"
	"runtime"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
)

// allocated reads a file that must be refused, and returns the megabytes it took.
func allocated(t *testing.T, data, want string) uint64 {
	var before, after runtime.MemStats
	runtime.GC()
	runtime.ReadMemStats(&before)
	_, err := Read(t.Context(), "hostile.gltf", []byte(data), nil, DefaultLimits())
	runtime.ReadMemStats(&after)
	require.ErrorContains(t, err, want)
	return (after.TotalAlloc - before.TotalAlloc) >> 20
}

// A little JSON may stand for much memory: it is counted before it is decoded.
func TestWhatIsListedIsCountedBeforeItIsDecoded(t *testing.T) {
	many := func(what string, n int) string {
		return `{"asset":{"version":"2.0"},"` + what + `":[` + strings.TrimSuffix(strings.Repeat("{},", n), ",") + `]}`
	}
	require.Less(t, allocated(t, many("materials", 700_000), "materials: are over the limit of 20000"), uint64(40))
	for what, most := range maxListed {
		require.Less(t, allocated(t, many(what, most+1), what+": are over"), uint64(80), what)
	}
	require.Less(t, allocated(t, many("other", maxObjects+1), "objects"), uint64(40))
	require.Less(t, allocated(t, `{"asset":{"version":"2.0"},"extras":`+strings.Repeat("[", 1000)+strings.Repeat("]", 1000)+"}", "nested"), uint64(10))
	require.Less(t, allocated(t, `{"a":"`+strings.Repeat("x", maxJSON)+`"}`, "MB"), uint64(80))
	// What only looks like a list is none: in strings, deeper, or behind an escape.
	r := &reader{file: "x"}
	for _, text := range []string{`{"a":"[{},{}","materials":[]}`, `{"x":{"materials":[1,2]},"materials":[{"name":"a,b\",{"}]}`, `{"materials":[[1,2,3]]}`, `{"materials" : [ ] }`, `{`, `"`, `{"a\`, ``} {
		require.NoError(t, r.survey([]byte(text)), text)
	}
	defer func(n int) { maxListed["materials"] = n }(maxListed["materials"])
	maxListed["materials"] = 2
	for _, text := range []string{`{"materials":[1,2,3]}`, `{"scene":0,"materials":[{"a":[1,2]},{},{"b":","}]}`, "{\"materials\"\n:\n[\n{}\n,\n{}\n,\n{}\n]\n}"} {
		require.Error(t, r.survey([]byte(text)), text)
	}
	for _, text := range []string{`{"materials":[1,[2,3,4]]}`, `{"materials":[{"a":1,"b":2,"c":3},{}]}`} {
		require.NoError(t, r.survey([]byte(text)), text)
	}
}

// instanced is a file that draws a mesh of so many parts of a kind many times over.
func instanced(mode, parts, instances int, vertices int) string {
	var buf []byte
	for i := range 3 * vertices {
		buf = binary.LittleEndian.AppendUint32(buf, uint32(0x3f800000+i%2)) // no area
	}
	shifts := len(buf)
	buf = append(buf, make([]byte, 12*instances)...)
	part := fmt.Sprintf(`{"mode":%d,"attributes":{"POSITION":0}},`, mode)
	return fmt.Sprintf(`{"asset":{"version":"2.0"},"buffers":[{"byteLength":%d,"uri":"data:;base64,%s"}],
		"bufferViews":[{"buffer":0,"byteLength":%d},{"buffer":0,"byteOffset":%d,"byteLength":%d}],
		"accessors":[{"bufferView":0,"componentType":5126,"type":"VEC3","count":%d},{"bufferView":1,"componentType":5126,"type":"VEC3","count":%d}],
		"meshes":[{"primitives":[%s]}],"nodes":[{"name":"%s","mesh":0,"extensions":{"EXT_mesh_gpu_instancing":{"attributes":{"TRANSLATION":1}}}}]}`,
		len(buf), base64.StdEncoding.EncodeToString(buf), shifts, shifts, len(buf)-shifts, vertices, instances,
		strings.TrimSuffix(strings.Repeat(part, parts), ","), strings.Repeat("n", 5000))
}

// A small file may ask for a great many parts, of whatever kind: what is drawn is
// counted, also where nothing comes of it.
func TestWhatIsDrawnIsCounted(t *testing.T) {
	for _, mode := range []int{0, 4, 5} {
		require.Less(t, allocated(t, instanced(mode, 300, 20_000, 3), "the level draws over 400000 parts"), uint64(700), "mode %d", mode)
	}
	// Where something comes of it, the vertices are.
	many := strings.Replace(instanced(4, 50, 7_000, 3000), `"meshes"`, `"x":0,"meshes"`, 1)
	lim := DefaultLimits()
	lim.Vertices = 100_000
	_, err := Read(t.Context(), "hostile.gltf", []byte(many), nil, lim)
	require.ErrorContains(t, err, "accessors[0].count")
}
