// Package staging makes of a document and its place what is lit: which objects are there
// and what they do, where movers stand, how materials look, what backdrops stand behind.
package staging

import (
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"maps"
	"slices"

	"willowherb/core/fog"
	"willowherb/core/scene"
	"willowherb/core/setup"
	"willowherb/core/vec"
	"willowherb/core/world"
)

// Stage is what the setup makes of its place: which objects are there and what
// they do, where movers stand, how materials look, what backdrops stand behind.
// Its keys say what has to be made anew when it changes.
type Stage struct {
	Blob, File string
	// Geometry changes when ray structures have to be built anew, Pose when movers
	// stand elsewhere, Bare when it looks otherwise, Key when its air does too.
	Geometry, Pose, Bare, Key string
	doc                       *setup.Setup
}

// Of reads the stage out of a document. A document that names no place lies
// in the one it came with.
func Of(s *setup.Setup, blob, file string) Stage {
	st := Stage{Blob: blob, File: file, doc: s}
	if s.Place != nil {
		st.Blob, st.File = s.Place.Blob, s.Place.File
	}
	type part struct {
		Path   string
		Part   setup.Part
		Hidden bool
	}
	var parts []part
	moves := map[string]scene.Move{}
	for _, id := range slices.Sorted(maps.Keys(s.Objects)) {
		o := s.Objects[id]
		p := part{o.Path, o.Part, o.Hidden}
		if moved(&o) {
			// What has been moved is kept apart from what has not: moving it again is quick.
			if moves[o.Path] = move(&o); p.Part != setup.Blocker {
				p.Part = setup.Mover
			}
		}
		if p.Part == setup.Static {
			p.Part = ""
		}
		if p.Part != "" || p.Hidden {
			parts = append(parts, p)
		}
	}
	channels := map[string]uint8{}
	for _, o := range s.Objects {
		if o.Channels != nil && *o.Channels != allChannels {
			channels[o.Path] = *o.Channels
		}
	}
	// Each key is that before it where nothing is added: the place as it came is its blob.
	st.Geometry = st.Blob
	if len(parts) > 0 || len(s.Backdrops) > 0 {
		st.Geometry = digest(st.Blob, parts, s.Backdrops)
	}
	st.Pose = st.Geometry
	if len(moves) > 0 || s.Time != 0 {
		st.Pose = digest(st.Geometry, moves, s.Time)
	}
	st.Bare = st.Pose
	if len(s.Materials) > 0 || len(channels) > 0 {
		st.Bare = digest(st.Pose, s.Materials, channels)
	}
	st.Key = st.Bare
	if a := s.Air(); a != nil {
		st.Key = digest(st.Bare, a)
	}
	return st
}

func moved(o *setup.Object) bool { return o.Offset != [3]float64{} || o.Turn != 0 }

func move(o *setup.Object) scene.Move {
	return scene.Move{Offset: o.Offset, Pivot: o.Pivot, Turn: o.Turn}
}

func digest(parts ...any) string {
	b, err := json.Marshal(parts)
	if err != nil {
		panic(err) // plain data always marshals
	}
	h := sha256.Sum256(b)
	return hex.EncodeToString(h[:])
}

// Build returns the scene with its backdrops, at rest, and what each object does:
// the input of world.CompileAs. cards are the pictures of Cards; those that are not there are
// white.
func (st *Stage) Build(file *scene.Scene, cards map[string]*scene.Texture) (*scene.Scene, []world.Duty) {
	s := file
	if len(st.doc.Backdrops) > 0 {
		s = withBackdrops(file, st.doc.Backdrops, cards)
	}
	parts := make([]world.Duty, len(s.Objects))
	for i, moving := range s.Animated() {
		if moving {
			parts[i] = world.Moving
		}
	}
	at := st.byPath()
	for i := range s.Objects {
		above(s.Objects[i].Path, func(path string) {
			switch a := at[path]; {
			case parts[i] == world.Gone: // what hangs from something hidden is hidden
			case a.hidden:
				parts[i] = world.Gone
			case a.blocks:
				parts[i] = world.Blocking
			case a.moves:
				parts[i] = world.Moving
			}
		})
	}
	return s, parts
}

// Air is what is seen of the place's air; nil for nothing.
func (st *Stage) Air() *fog.Air { return st.doc.Air() }

// Posed sets a place that was built and compiled (Build, world.CompileAs) as the setup
// has it, without its air.
func (st *Stage) Posed(built *scene.Scene, parts []world.Duty, w *world.World, workers int) (*scene.Scene, *world.World, error) {
	s := st.Set(built, parts)
	out := w.Painted(s)
	if st.Pose != st.Geometry {
		var err error
		if out, err = w.Posed(s, workers); err != nil {
			return nil, nil, err
		}
	}
	return s, out.WithChannels(st.Channels(s)), nil
}

// Compile makes all of the stage from its file.
func (st *Stage) Compile(file *scene.Scene, workers int) (*scene.Scene, *world.World, error) {
	built, parts := st.Build(file, nil)
	w, err := world.CompileAs(built, parts, workers)
	if err != nil {
		return nil, nil, err
	}
	s, w, err := st.Posed(built, parts, w, workers)
	if err != nil {
		return nil, nil, err
	}
	return s, w.WithAir(st.Air()), nil
}

// said is what the setup says of an object, all entries for its path together.
type said struct {
	hidden, blocks, moves bool
	channels              *uint8
}

// byPath is what the setup says of objects, by their paths.
func (st *Stage) byPath() map[string]said {
	out := make(map[string]said, len(st.doc.Objects))
	for _, o := range st.doc.Objects {
		a := out[o.Path]
		a.hidden, a.blocks, a.moves = a.hidden || o.Hidden, a.blocks || o.Part == setup.Blocker, a.moves || o.Part == setup.Mover || moved(&o)
		if o.Channels != nil {
			c := *o.Channels
			if a.channels != nil {
				c &= *a.channels
			}
			a.channels = &c
		}
		out[o.Path] = a
	}
	return out
}

// above calls do for all that a path hangs from, the top first, and for itself: the
// nearest has the last word.
func above(path string, do func(path string)) {
	for i := range path {
		if path[i] == '/' {
			do(path[:i])
		}
	}
	do(path)
}

// Set returns the built scene with movers where the setup has them and materials as
// it has them.
func (st *Stage) Set(built *scene.Scene, parts []world.Duty) *scene.Scene {
	c := *built
	out := &c
	for i, p := range parts {
		if p >= world.Blocking {
			if out.Absent == nil {
				out.Absent = make([]bool, len(parts))
			}
			out.Absent[i] = true
		}
	}
	moves := map[string]scene.Move{}
	for _, o := range st.doc.Objects {
		if moved(&o) {
			moves[o.Path] = move(&o)
		}
	}
	if len(moves) > 0 || st.doc.Time > 0 && len(built.Animations) > 0 {
		out = out.Pose(st.doc.Time, moves)
	}
	if len(st.doc.Materials) > 0 {
		out.Materials = append([]scene.Material(nil), out.Materials...)
		for _, m := range st.doc.Materials {
			for i := range out.Materials {
				if out.Materials[i].Name == m.Name {
					paint(&m, &out.Materials[i])
				}
			}
		}
	}
	return out
}

const allChannels = 0xff

// Channels returns which channels may light each object: what the setup says of
// it, or of the nearest thing that it hangs from.
func (st *Stage) Channels(s *scene.Scene) []uint8 {
	out, at := make([]uint8, len(s.Objects)), st.byPath()
	for i := range out {
		out[i] = allChannels
		above(s.Objects[i].Path, func(path string) {
			if a := at[path]; a.channels != nil {
				out[i] = *a.channels
			}
		})
	}
	return out
}

// paint changes a material of the file.
func paint(m *setup.Material, to *scene.Material) {
	if m.Colour != nil {
		for k := range 3 {
			to.BaseColor[k] = float32(m.Colour[k])
		}
	}
	if m.Roughness != nil {
		to.Roughness = float32(*m.Roughness)
	}
	if m.Metal != nil {
		to.Metallic = float32(*m.Metal)
	}
	if m.Emission != nil {
		to.Emissive = vec.Of(*m.Emission)
	}
}

// Bakes is what a setup says of an object in the lightmap.
type Bakes struct {
	Density         float64 // texels a metre; 0: the level's
	ByProbes, InMap bool
}

// Baked is what a setup says of each object's place in the lightmap: of it, or of the nearest
// thing that it hangs from.
func Baked(doc *setup.Setup, s *scene.Scene) []Bakes {
	at := map[string]Bakes{}
	for _, id := range slices.Sorted(maps.Keys(doc.Objects)) {
		o := doc.Objects[id]
		b := at[o.Path]
		if o.Density != nil {
			b.Density = *o.Density
		}
		b.ByProbes, b.InMap = b.ByProbes || o.ByProbes, b.InMap || o.InMap
		at[o.Path] = b
	}
	out := make([]Bakes, len(s.Objects))
	for i := range out {
		above(s.Objects[i].Path, func(path string) {
			if b, ok := at[path]; ok {
				if b.Density > 0 {
					out[i].Density = b.Density
				}
				out[i].ByProbes, out[i].InMap = out[i].ByProbes || b.ByProbes, out[i].InMap || b.InMap
			}
		})
	}
	return out
}

// Movers tells the objects that move at run time: those that the setup says so of, and those
// that the file moves. What only stands elsewhere than in the file does not.
func Movers(doc *setup.Setup, s *scene.Scene) []bool {
	said := map[string]bool{}
	for _, o := range doc.Objects {
		if o.Part == setup.Mover {
			said[o.Path] = true
		}
	}
	out := s.Animated()
	for i := range out {
		above(s.Objects[i].Path, func(path string) { out[i] = out[i] || said[path] })
	}
	return out
}

// Still names all that a bake depends on of the stage: what moves at run time is not in it,
// nor the air.
func (st *Stage) Still(moves []bool, s *scene.Scene) [32]byte {
	type thing struct {
		Path  string
		Duty  string
		Moved *vec.Mat4
	}
	var things []thing
	said := st.byPath()
	for i := range s.Objects {
		if moves[i] {
			continue
		}
		t := thing{Path: s.Objects[i].Path}
		above(t.Path, func(path string) {
			if a := said[path]; a.hidden {
				t.Duty = "hidden"
			} else if a.blocks {
				t.Duty = "blocker"
			}
		})
		if len(s.Moved) > 0 {
			t.Moved = s.Moved[i]
		}
		things = append(things, t)
	}
	return sha256.Sum256([]byte(digest(st.Blob, things, st.doc.Backdrops, st.doc.Materials, st.Channels(s))))
}
