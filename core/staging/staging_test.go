package staging

import (
	"math"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
	"willowherb/core/air"
	"willowherb/core/scene"
	"willowherb/core/setup"
	"willowherb/core/setup/setuptest"
	"willowherb/core/vec"
	"willowherb/core/world"
)

func TestStageKeysChangeWithWhatHasToBeMadeAnew(t *testing.T) {
	base := Of(setuptest.Sample(), "blob", "f.glb")
	require.Equal(t, "blob", base.Key, "a place as it came needs nothing of its own")
	keys := func(change func(*setup.Setup)) Stage {
		s := setuptest.Sample()
		s.Objects = map[string]setup.Object{"keeper": {Path: "keeper", Part: setup.Mover}}
		s.Materials, s.Backdrops = map[string]setup.Material{}, map[string]setup.Backdrop{}
		change(s)
		return Of(s, "blob", "f.glb")
	}
	from := keys(func(*setup.Setup) {})
	for name, c := range map[string]struct {
		change          func(*setup.Setup)
		geometry, poses bool
		key             bool
	}{
		"a light":         {func(s *setup.Setup) { l := s.Lights["rim"]; l.Range = 2; s.Lights["rim"] = l }, false, false, false},
		"a name":          {func(s *setup.Setup) { o := s.Objects["keeper"]; o.Name = "Figure"; s.Objects["keeper"] = o }, false, false, false},
		"a mover's place": {func(s *setup.Setup) { o := s.Objects["keeper"]; o.Offset[0] = 1; s.Objects["keeper"] = o }, false, true, true},
		"time":            {func(s *setup.Setup) { s.Time = 1 }, false, true, true},
		"a material":      {func(s *setup.Setup) { v := 0.5; s.Materials["b"] = setup.Material{Name: "brick", Roughness: &v} }, false, false, true},
		"a new mover":     {func(s *setup.Setup) { s.Objects["drone"] = setup.Object{Path: "drone", Part: setup.Mover} }, true, true, true},
		"a thing out":     {func(s *setup.Setup) { s.Objects["drone"] = setup.Object{Path: "drone", Hidden: true} }, true, true, true},
		"a sweep":         {func(s *setup.Setup) { s.Backdrops["b"] = setup.Backdrop{Name: "b", Width: 1, Depth: 1, Height: 1} }, true, true, true},
		"air between": {func(s *setup.Setup) {
			s.Aerial = true
			s.Lights["sky"] = setup.Light{Kind: setup.Sky, Air: &air.Sky{Turbidity: 2}}
		}, false, false, true},
		"air of no sky": {func(s *setup.Setup) { s.Aerial = true }, false, false, false},
		"another file":  {func(s *setup.Setup) { s.Place = &setup.Place{Blob: strings.Repeat("a", 64), File: "g.glb"} }, true, true, true},
	} {
		got := keys(c.change)
		require.Equal(t, c.geometry, got.Geometry != from.Geometry, "%s: geometry", name)
		require.Equal(t, c.poses, got.Pose != from.Pose, "%s: pose", name)
		require.Equal(t, c.key, got.Key != from.Key, "%s: key", name)
	}
}

func TestStagePlacesAndPaints(t *testing.T) {
	file := setuptest.Level(t, "floor", "keeper/coat", "keeper/lantern")
	s := setuptest.Sample()
	rough := 0.25
	s.Objects = map[string]setup.Object{"k": {Path: "keeper", Offset: [3]float64{0, 0, 5}}, "l": {Path: "keeper/lantern", Part: setup.Blocker}, "f": {Path: "floor", Hidden: true}}
	s.Materials = map[string]setup.Material{"m": {Name: "brick", Roughness: &rough, Colour: &[3]float64{0.1, 0.2, 0.3}}}
	require.NoError(t, s.Validate())
	st := Of(s, "blob", "f.glb")
	built, parts := st.Build(file, nil)
	require.Equal(t, []world.Duty{world.Gone, world.Moving, world.Blocking}, parts, "the nearest node says what a thing does")
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
	file := setuptest.Level(t, "keeper/coat", "keeper/lantern/flame", "floor")
	for _, names := range [][2]string{{"a", "b"}, {"b", "a"}} {
		for _, o := range []setup.Object{{Path: "keeper/lantern", Part: setup.Mover}, {Path: "keeper/lantern", Part: setup.Blocker}, {Path: "keeper/lantern", Offset: [3]float64{1, 0, 0}}, {Path: "keeper/lantern"}} {
			s := setuptest.Sample()
			s.Objects = map[string]setup.Object{names[0]: {Path: "keeper", Hidden: true}, names[1]: o}
			require.NoError(t, s.Validate())
			st := Of(s, "blob", "f.glb")
			_, parts := st.Build(file, nil)
			require.Equal(t, []world.Duty{world.Gone, world.Gone, world.Fixed}, parts, "%v", names)
		}
	}
}

// A sweep is a floor that curves up into a wall: smooth normals, as large as it says,
// open to where it faces.
func TestBackdropIsASweep(t *testing.T) {
	s := setuptest.Sample()
	s.Backdrops = map[string]setup.Backdrop{"b": {Name: "Grey", Position: [3]float64{10, 1, 0}, Facing: 90, Width: 4, Depth: 3, Height: 2.5, Curve: 1, Colour: [3]float64{0.18, 0.18, 0.18}, Roughness: 0.9}}
	require.NoError(t, s.Validate())
	st := Of(s, "blob", "f.glb")
	out, parts := st.Build(setuptest.Level(t, "floor"), nil)
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

// A card is an upright picture with its foot where it stands: its upper left is the picture's,
// as one sees it who faces it; where the picture is see-through there is nothing. A card whose
// picture is not to be had is white.
func TestACardShowsItsPicture(t *testing.T) {
	s := setuptest.Sample()
	b := setup.Backdrop{Name: "Marsh", Position: [3]float64{1, 2, 3}, Facing: 90, Width: 4, Depth: 1, Height: 2.5, Card: &setup.Card{Blob: strings.Repeat("a", 64), File: "marsh.png"}}
	s.Backdrops = map[string]setup.Backdrop{"b": b}
	require.NoError(t, s.Validate())
	require.Equal(t, []string{b.Card.Blob}, s.Pictures())
	st := Of(s, "blob", "f.glb")
	require.Equal(t, []string{b.Card.Blob}, st.Cards())
	red, clear := [4]uint8{255, 0, 0, 255}, [4]uint8{0, 255, 0, 0}
	pix := slices.Concat(red[:], clear[:], clear[:], red[:]) // red upper left and lower right
	out, _ := st.Build(setuptest.Level(t, "floor"), map[string]*scene.Texture{b.Card.Blob: {W: 2, H: 2, Pix: pix, WrapS: scene.Clamp, WrapT: scene.Clamp, Nearest: true}})
	o := out.Objects[1]
	require.InDelta(t, 1, o.Lo.X, 1e-4)
	require.InDelta(t, 1, o.Hi.X, 1e-4, "flat")
	require.InDelta(t, 2.5, o.Hi.Y-o.Lo.Y, 1e-4)
	require.InDelta(t, 4, o.Hi.Z-o.Lo.Z, 1e-4)
	m := &out.Materials[out.Mat[o.First]]
	require.True(t, m.Emits())
	require.Equal(t, scene.Mask, m.Alpha)
	lit := 0
	for k := o.First; k < o.First+o.Count; k++ {
		_, n := out.Area(uint32(k))
		require.Greater(t, n.X, float32(0.99), "it faces +X")
		for _, uv := range [][2]float32{{0.2, 0.2}, {0.6, 0.2}, {0.2, 0.6}, {0.34, 0.33}} {
			p := out.PointAt(uint32(k), uv[0], uv[1])
			// Seen from +X with Y up, the left is +Z.
			upper, left := p.Pos.Y > 2+1.25, p.Pos.Z > 3
			want := float32(0)
			if upper == left {
				want = 1
				lit++
			}
			require.Equal(t, want, out.Alpha(m, &p), "%v", p.Pos)
			if want > 0 {
				require.Equal(t, vec.V3{X: 1}, out.Emission(m, &p))
			}
		}
	}
	require.Greater(t, lit, 2)
	bare, _ := st.Build(setuptest.Level(t, "floor"), nil)
	p := bare.PointAt(uint32(o.First), 0.3, 0.3)
	require.Equal(t, vec.Splat(1), bare.Emission(&bare.Materials[bare.Mat[o.First]], &p))
	b.Card.File = ""
	require.ErrorContains(t, s.Validate(), "/backdrops/b/card")
}
