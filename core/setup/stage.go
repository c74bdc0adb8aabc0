package setup

import (
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"math"

	"willowherb/core/scene"
	"willowherb/core/vec"
	"willowherb/core/world"
)

// Stage is what the setup makes of its place: which objects are there and what
// they do, where movers stand, how materials look, what backdrops stand behind.
// Its keys say what has to be made anew when it changes.
type Stage struct {
	Blob, File string
	// Geometry changes when ray structures have to be built anew, Pose when movers
	// stand elsewhere, Key when anything about the place is different.
	Geometry, Pose, Key string
	setup               *Setup
}

// StageOf reads the stage out of a document. A document that names no place lies
// in the one it came with.
func StageOf(s *Setup, blob, file string) Stage {
	st := Stage{Blob: blob, File: file, setup: s}
	if s.Place != nil {
		st.Blob, st.File = s.Place.Blob, s.Place.File
	}
	type part struct {
		Path   string
		Part   Part
		Hidden bool
	}
	var parts []part
	moves := map[string]scene.Move{}
	for _, id := range sorted(s.Objects) {
		o := s.Objects[id]
		p := part{o.Path, o.Part, o.Hidden}
		if o.moved() {
			// What has been moved is kept apart from what has not: moving it again is quick.
			if moves[o.Path] = o.move(); p.Part != Blocker {
				p.Part = Mover
			}
		}
		if p.Part == Static {
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
	st.Key = st.Pose
	if len(s.Materials) > 0 || len(channels) > 0 {
		st.Key = digest(st.Pose, s.Materials, channels)
	}
	return st
}

func (o *Object) moved() bool { return o.Offset != [3]float64{} || o.Turn != 0 }

func (o *Object) move() scene.Move { return scene.Move{Offset: o.Offset, Pivot: o.Pivot, Turn: o.Turn} }

func digest(parts ...any) string {
	b, err := json.Marshal(parts)
	if err != nil {
		panic(err) // plain data always marshals
	}
	h := sha256.Sum256(b)
	return hex.EncodeToString(h[:])
}

// Build returns the scene with its backdrops, at rest, and what each object does:
// the input of world.CompileParts.
func (st *Stage) Build(file *scene.Scene) (*scene.Scene, []world.Part) {
	s := file
	if len(st.setup.Backdrops) > 0 {
		s = withBackdrops(file, st.setup.Backdrops)
	}
	parts := make([]world.Part, len(s.Objects))
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

// Posed sets a place that was built and compiled (Build, world.CompileParts) as the setup
// has it.
func (st *Stage) Posed(built *scene.Scene, parts []world.Part, w *world.World, workers int) (*scene.Scene, *world.World, error) {
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
	built, parts := st.Build(file)
	w, err := world.CompileParts(built, parts, workers)
	if err != nil {
		return nil, nil, err
	}
	return st.Posed(built, parts, w, workers)
}

// said is what the setup says of an object, all entries for its path together.
type said struct {
	hidden, blocks, moves bool
	channels              *uint8
}

// byPath is what the setup says of objects, by their paths.
func (st *Stage) byPath() map[string]said {
	out := make(map[string]said, len(st.setup.Objects))
	for _, o := range st.setup.Objects {
		a := out[o.Path]
		a.hidden, a.blocks, a.moves = a.hidden || o.Hidden, a.blocks || o.Part == Blocker, a.moves || o.Part == Mover || o.moved()
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
func (st *Stage) Set(built *scene.Scene, parts []world.Part) *scene.Scene {
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
	for _, o := range st.setup.Objects {
		if o.moved() {
			moves[o.Path] = o.move()
		}
	}
	if len(moves) > 0 || st.setup.Time > 0 && len(built.Animations) > 0 {
		out = out.Pose(st.setup.Time, moves)
	}
	if len(st.setup.Materials) > 0 {
		out.Materials = append([]scene.Material(nil), out.Materials...)
		for _, m := range st.setup.Materials {
			for i := range out.Materials {
				if out.Materials[i].Name == m.Name {
					m.paint(&out.Materials[i])
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
func (m *Material) paint(to *scene.Material) {
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
		to.Emissive = v3(*m.Emission)
	}
}

// withBackdrops adds the sweeps to a copy of the scene.
func withBackdrops(file *scene.Scene, all map[string]Backdrop) *scene.Scene {
	s := *file
	clone := func() {
		s.V.Pos, s.V.Nrm, s.V.UV0 = append([]vec.V3(nil), s.V.Pos...), append([]vec.V3(nil), s.V.Nrm...), append([]vec.V2(nil), s.V.UV0...)
		s.V.UV1, s.V.Color = append([]vec.V2(nil), s.V.UV1...), append([][4]float32(nil), s.V.Color...)
		s.Index, s.Mat, s.Obj = append([]uint32(nil), s.Index...), append([]uint16(nil), s.Mat...), append([]uint32(nil), s.Obj...)
		s.Materials, s.Objects = append([]scene.Material(nil), s.Materials...), append([]scene.Object(nil), s.Objects...)
	}
	clone()
	for _, id := range sorted(all) {
		b := all[id]
		m := scene.DefaultMaterial()
		m.Name, m.Metallic, m.Roughness, m.DoubleSided = b.Name, 0, float32(b.Roughness), true
		for k := range 3 {
			m.BaseColor[k] = float32(b.Colour[k])
		}
		s.Materials = append(s.Materials, m)
		o := scene.Object{Name: b.Name, Path: "Backdrop " + b.Name, First: len(s.Mat), Node: scene.None}
		sin, cos := math.Sincos(b.Facing * math.Pi / 180)
		at := func(x, y, z float64) vec.V3 {
			return vec.New(b.Position[0]+x*cos+z*sin, b.Position[1]+y, b.Position[2]-x*sin+z*cos)
		}
		dir := func(y, z float64) vec.V3 { return vec.New(z*sin, y, z*cos) }
		// The profile from the front edge to the top: floor, bend, wall.
		type step struct{ y, z, ny, nz float64 }
		const bend = 24
		r := b.Curve
		profile := []step{{0, 0, 1, 0}}
		for i := range bend + 1 {
			s, c := math.Sincos(float64(i) / bend * math.Pi / 2)
			profile = append(profile, step{r * (1 - c), -(b.Depth - r) - r*s, c, s})
		}
		profile = append(profile, step{b.Height, -b.Depth, 0, 1})
		base := uint32(len(s.V.Pos))
		for _, p := range profile {
			for _, x := range []float64{-b.Width / 2, b.Width / 2} {
				// A hair above the ground, so that it does not fight with a floor.
				s.V.Pos = append(s.V.Pos, at(x, p.y+0.003, p.z))
				s.V.Nrm = append(s.V.Nrm, dir(p.ny, p.nz).Norm())
				s.V.UV0 = append(s.V.UV0, vec.V2{})
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
