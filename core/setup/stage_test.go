package setup

import (
	"math"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
	"willowherb/core/scene"
	"willowherb/core/vec"
	"willowherb/core/world"
)

// level is a floor and two things that stand on it.
func level(t testing.TB, paths ...string) *scene.Scene {
	m := scene.DefaultMaterial()
	m.Name = "brick"
	s := &scene.Scene{Materials: []scene.Material{m}}
	for i, p := range paths {
		x := float32(i)
		at := uint32(len(s.V.Pos))
		s.V.Pos = append(s.V.Pos, vec.V3{X: x}, vec.V3{X: x + 1}, vec.V3{X: x, Y: 1})
		for range 3 {
			s.V.Nrm, s.V.UV0 = append(s.V.Nrm, vec.V3{Z: 1}), append(s.V.UV0, vec.V2{})
		}
		s.Index = append(s.Index, at, at+1, at+2)
		s.Mat, s.Obj = append(s.Mat, 0), append(s.Obj, uint32(i))
		s.Objects = append(s.Objects, scene.Object{Name: p[strings.LastIndexByte(p, '/')+1:], Path: p, First: i, Count: 1, Node: scene.None})
	}
	require.NoError(t, s.Finish())
	return s
}

func TestStageKeysChangeWithWhatHasToBeMadeAnew(t *testing.T) {
	base := StageOf(sample(), "blob", "f.glb")
	require.Equal(t, "blob", base.Key, "a place as it came needs nothing of its own")
	keys := func(change func(*Setup)) Stage {
		s := sample()
		s.Objects = map[string]Object{"keeper": {Path: "keeper", Part: Mover}}
		s.Materials, s.Backdrops = map[string]Material{}, map[string]Backdrop{}
		change(s)
		return StageOf(s, "blob", "f.glb")
	}
	from := keys(func(*Setup) {})
	for name, c := range map[string]struct {
		change          func(*Setup)
		geometry, poses bool
		key             bool
	}{
		"a light":         {func(s *Setup) { l := s.Lights["rim"]; l.Range = 2; s.Lights["rim"] = l }, false, false, false},
		"a name":          {func(s *Setup) { o := s.Objects["keeper"]; o.Name = "Figure"; s.Objects["keeper"] = o }, false, false, false},
		"a mover's place": {func(s *Setup) { o := s.Objects["keeper"]; o.Offset[0] = 1; s.Objects["keeper"] = o }, false, true, true},
		"time":            {func(s *Setup) { s.Time = 1 }, false, true, true},
		"a material":      {func(s *Setup) { v := 0.5; s.Materials["b"] = Material{Name: "brick", Roughness: &v} }, false, false, true},
		"a new mover":     {func(s *Setup) { s.Objects["drone"] = Object{Path: "drone", Part: Mover} }, true, true, true},
		"a thing out":     {func(s *Setup) { s.Objects["drone"] = Object{Path: "drone", Hidden: true} }, true, true, true},
		"a sweep":         {func(s *Setup) { s.Backdrops["b"] = Backdrop{Name: "b", Width: 1, Depth: 1, Height: 1} }, true, true, true},
		"another file":    {func(s *Setup) { s.Place = &Place{Blob: strings.Repeat("a", 64), File: "g.glb"} }, true, true, true},
	} {
		got := keys(c.change)
		require.Equal(t, c.geometry, got.Geometry != from.Geometry, "%s: geometry", name)
		require.Equal(t, c.poses, got.Pose != from.Pose, "%s: pose", name)
		require.Equal(t, c.key, got.Key != from.Key, "%s: key", name)
	}
}

func TestStagePlacesAndPaints(t *testing.T) {
	file := level(t, "floor", "keeper/coat", "keeper/lantern")
	s := sample()
	rough := 0.25
	s.Objects = map[string]Object{"k": {Path: "keeper", Offset: [3]float64{0, 0, 5}}, "l": {Path: "keeper/lantern", Part: Blocker}, "f": {Path: "floor", Hidden: true}}
	s.Materials = map[string]Material{"m": {Name: "brick", Roughness: &rough, Colour: &[3]float64{0.1, 0.2, 0.3}}}
	require.NoError(t, s.Validate())
	st := StageOf(s, "blob", "f.glb")
	built, parts := st.Build(file)
	require.Equal(t, []world.Part{world.Gone, world.Moving, world.Blocking}, parts, "the nearest node says what a thing does")
	out := st.Set(built, parts)
	require.InDelta(t, 5, out.V.Pos[3].Z, 1e-6)
	require.InDelta(t, 5, out.V.Pos[6].Z, 1e-6, "what hangs from a node moves with it")
	require.InDelta(t, 0, out.V.Pos[0].Z, 1e-6)
	require.Equal(t, float32(0.25), out.Materials[0].Roughness)
	require.Equal(t, float32(1), file.Materials[0].Roughness, "the file stays as it is")
	require.Equal(t, []bool{true, false, true}, out.Absent)
}

// What hangs from a hidden thing is hidden, whatever it does itself and whatever the
// entries are called.
func TestChildrenOfHiddenObjectsAreHidden(t *testing.T) {
	file := level(t, "keeper/coat", "keeper/lantern/flame", "floor")
	for _, names := range [][2]string{{"a", "b"}, {"b", "a"}} {
		for _, o := range []Object{{Path: "keeper/lantern", Part: Mover}, {Path: "keeper/lantern", Part: Blocker}, {Path: "keeper/lantern", Offset: [3]float64{1, 0, 0}}, {Path: "keeper/lantern"}} {
			s := sample()
			s.Objects = map[string]Object{names[0]: {Path: "keeper", Hidden: true}, names[1]: o}
			require.NoError(t, s.Validate())
			st := StageOf(s, "blob", "f.glb")
			_, parts := st.Build(file)
			require.Equal(t, []world.Part{world.Gone, world.Gone, world.Fixed}, parts, "%v", names)
		}
	}
}

// A sweep is a floor that curves up into a wall: smooth normals, as large as it says,
// open to where it faces.
func TestBackdropIsASweep(t *testing.T) {
	s := sample()
	s.Backdrops = map[string]Backdrop{"b": {Name: "Grey", Position: [3]float64{10, 1, 0}, Facing: 90, Width: 4, Depth: 3, Height: 2.5, Curve: 1, Colour: [3]float64{0.18, 0.18, 0.18}, Roughness: 0.9}}
	require.NoError(t, s.Validate())
	st := StageOf(s, "blob", "f.glb")
	out, parts := st.Build(level(t, "floor"))
	require.Len(t, parts, 2)
	o := out.Objects[1]
	require.InDelta(t, 7, o.Lo.X, 1e-4, "facing +X, it goes back three metres")
	require.InDelta(t, 10, o.Hi.X, 1e-4)
	require.InDelta(t, 4, o.Hi.Z-o.Lo.Z, 1e-4)
	require.InDelta(t, 2.5, o.Hi.Y-o.Lo.Y, 1e-4)
	for k := o.First; k < o.First+o.Count; k++ {
		a, b, c := out.Corner(uint32(k))
		_, n := out.Area(uint32(k))
		for _, v := range []uint32{a, b, c} {
			require.Greater(t, math.Abs(float64(n.Dot(out.V.Nrm[v]))), 0.99, "shading and shape agree")
			require.GreaterOrEqual(t, out.V.Nrm[v].Y+out.V.Nrm[v].X, float32(0.99), "towards the eye and up")
		}
	}
}

func TestRematchFollowsPathsAndNames(t *testing.T) {
	s := sample()
	s.Objects = map[string]Object{"lantern": {Path: "keeper/lantern", Part: Mover}, "drone": {Path: "drone", Hidden: true}}
	s.Materials = map[string]Material{"t": {Name: "tar"}}
	old := level(t, "floor", "keeper/lantern", "drone", "wall")
	now := level(t, "floor", "figure/lantern", "crate", "wall")
	now.V.Pos[9].Y = 3
	require.NoError(t, now.Finish())
	ops, r := Rematch(s, old, now)
	require.Equal(t, []Op{{"replace", "/objects/lantern/path", raw("figure/lantern")}}, ops)
	require.Equal(t, []string{"keeper/lantern to figure/lantern"}, r.Moved)
	require.Equal(t, []string{"crate"}, r.New)
	require.Equal(t, []string{"drone"}, r.Gone)
	require.Equal(t, []string{"wall"}, r.Changed)
	require.Equal(t, 1, r.Kept)
	require.Equal(t, []string{"drone", "material tar"}, r.Idle)
}

// The difference of two documents makes the one into the other, and its inverse back.
func TestDiffIsExact(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		draw := func(label string) *Setup {
			s := sample()
			if rapid.Bool().Draw(t, label+" without rim") {
				delete(s.Lights, "rim")
			}
			l := s.Lights["lantern"]
			l.Stops = float64(rapid.IntRange(-5, 5).Draw(t, label+" stops"))
			l.Locked = rapid.Bool().Draw(t, label+" locked")
			if rapid.Bool().Draw(t, label+" rgb") {
				l.Colour = Colour{RGB: &[3]float64{1, 0.5, 0.25}}
			}
			s.Lights["lantern"] = l
			if rapid.Bool().Draw(t, label+" objects") {
				s.Objects = map[string]Object{"a-b": {Path: "a/b", Part: Mover}}
			}
			return s
		}
		a, b := draw("a"), draw("b")
		ops := a.Diff(b)
		if len(ops) == 0 {
			require.Equal(t, string(a.JSON()), string(b.JSON()))
			return
		}
		c := applied(t, a, ops...)
		require.Equal(t, string(b.JSON()), string(c.After.JSON()))
		back, err := c.After.Replay([][]Op{c.Inverse})
		require.NoError(t, err)
		require.Equal(t, string(a.JSON()), string(back.JSON()))
	})
}

func TestGroupsNest(t *testing.T) {
	s := sample()
	s.Groups["all"] = Group{Name: "All", Trim: 1}
	g := s.Groups["keeper"]
	g.Parent, g.Trim = "all", 0.5
	s.Groups["keeper"] = g
	require.NoError(t, s.Validate())
	st, err := Resolve(s, "")
	require.NoError(t, err)
	require.InEpsilon(t, 640*math.Exp2(1.5), st.Lights[0].level, 1e-12)
	a := s.Groups["all"]
	a.Parent = "keeper"
	s.Groups["all"] = a
	require.ErrorContains(t, s.Validate(), "lie in one another")
}
