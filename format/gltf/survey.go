package gltf

import "fmt"

// Limits of the JSON of a file, held before it is decoded: a few bytes of it may
// stand for kilobytes in memory.
const (
	maxJSON    = 64 << 20
	maxObjects = 1_000_000 // of any kind, wherever they lie
	maxNested  = 256
)

// maxListed is how many of each kind a file may list; of what is not named here,
// as many as there may be objects.
var maxListed = map[string]int{
	"materials": 20_000, "textures": 20_000, "images": 20_000, "samplers": 20_000, "meshes": 200_000, "accessors": 400_000,
	"bufferViews": 400_000, "buffers": 1_000, "cameras": 1_000, "animations": 10_000, "skins": 10_000, "scenes": 1_000,
}

// survey counts what the JSON lists without decoding any of it.
func (r *reader) survey(text []byte) error {
	if len(text) > maxJSON {
		return r.fail("JSON", "split the level", "has %d MB, over the limit of %d", len(text)>>20, maxJSON>>20)
	}
	listed := map[string]int{}
	key, list := "", "" // the last string on the first level, and the list that is being counted
	depth, objects, empty := 0, 0, false
	for i := 0; i < len(text); i++ {
		c := text[i]
		switch c {
		case ' ', '\t', '\r', '\n':
			continue
		case '"':
			from := i + 1
			for i++; i < len(text) && text[i] != '"'; i++ {
				if text[i] == '\\' {
					i++
				}
			}
			if depth == 1 && i <= len(text) && i-from < 64 {
				key = string(text[from:min(i, len(text))])
			}
		case '{', '[':
			if c == '{' {
				if objects++; objects > maxObjects {
					return r.fail("JSON", "split the level", "holds over %d objects", maxObjects)
				}
			}
			if depth++; depth > maxNested {
				return r.fail(fmt.Sprintf("byte %d of the JSON", i), again, "is nested deeper than %d", maxNested)
			}
			if depth == 2 {
				list, empty = "", true
				if c == '[' {
					list = key
				}
				continue
			}
		case '}', ']':
			if depth == 2 && list != "" && !empty {
				listed[list]++
			}
			depth--
		case ',':
			if depth == 2 && list != "" {
				listed[list]++
			}
		}
		if depth >= 2 {
			empty = false
		}
		if most, ok := maxListed[list]; ok && listed[list] > most {
			return r.fail(list, "merge what is alike", "are over the limit of %d", most)
		}
		if depth < 2 {
			list = ""
		}
	}
	return nil
}
