package scene

import (
	"math"
	"testing"

	"github.com/stretchr/testify/require"
	"willowherb/core/vec"
)

// arm is a triangle that hangs from a node 1 m up, which hangs from a node that turns.
func arm(how Interpolation, times, values []float32) *Scene {
	s := &Scene{Materials: []Material{DefaultMaterial()}, Index: []uint32{0, 1, 2, 3, 4, 5}, Mat: []uint16{0, 0}, Obj: []uint32{0, 1},
		V:       Vertices{Pos: []vec.V3{{X: 1, Y: 1}, {X: 2, Y: 1}, {X: 1, Y: 2}, {X: 5}, {X: 6}, {X: 5, Y: 1}}, Nrm: []vec.V3{{Z: 1}, {Z: 1}, {Z: 1}, {Z: 1}, {Z: 1}, {Z: 1}}, UV0: make([]vec.V2, 6)},
		Objects: []Object{{Name: "hand", Path: "body/arm/hand", Count: 1, Node: 1}, {Name: "wall", Path: "wall", First: 1, Count: 1, Node: None}},
		Nodes:   []Node{{Parent: None, R: [4]float64{0, 0, 0, 1}, S: [3]float64{1, 1, 1}}, {Parent: 0, T: [3]float64{0, 1, 0}, R: [4]float64{0, 0, 0, 1}, S: [3]float64{1, 1, 1}}}}
	s.Animations = []Animation{{Name: "turn", Channels: []Channel{{Node: 0, Target: Rotation, How: how, Times: times, Values: values}}}}
	if err := s.Finish(); err != nil {
		panic(err)
	}
	return s
}

func near(t *testing.T, want, got vec.V3) {
	t.Helper()
	require.InDelta(t, 0, float64(want.Sub(got).Len()), 1e-5, "%v is not %v", got, want)
}

// A quarter turn about the upright axis in two seconds.
var quarter = []float32{0, 0, 0, 1, 0, float32(math.Sqrt2 / 2), 0, float32(math.Sqrt2 / 2)}

func TestPoseFollowsTheHierarchy(t *testing.T) {
	s := arm(Linear, []float32{0, 2}, quarter)
	require.Equal(t, []bool{true, false}, s.Animated())
	require.Equal(t, 2.0, s.Duration())
	p := s.Pose(2, nil)
	near(t, vec.V3{Y: 1, Z: -1}, p.V.Pos[0])
	near(t, vec.V3{X: 1}, p.V.Nrm[0])
	near(t, vec.V3{X: 5}, p.V.Pos[3])
	half := s.Pose(1, nil)
	near(t, vec.New(math.Sqrt2/2, 1, -math.Sqrt2/2), half.V.Pos[0])
	near(t, vec.V3{X: 1, Y: 1}, s.V.Pos[0])
	require.InDelta(t, -2, p.Objects[0].Lo.Z, 1e-5, "its bounds follow")
	near(t, p.V.Pos[0], s.Pose(99, nil).V.Pos[0])
}

func TestStepsHold(t *testing.T) {
	s := arm(Step, []float32{0, 2}, quarter)
	near(t, vec.V3{X: 1, Y: 1}, s.Pose(1.9, nil).V.Pos[0])
	near(t, vec.V3{Y: 1, Z: -1}, s.Pose(2, nil).V.Pos[0])
}

// A cubic spline with level tangents is at 1/2 half way, and at 5/32 after a quarter: 3u^2 - 2u^3.
func TestCubicSplines(t *testing.T) {
	c := Channel{Target: Translation, How: Cubic, Times: []float32{0, 4}, Values: []float32{0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 1, 2, 3, 0, 0, 0}}
	v := c.at(1)
	require.InDelta(t, 5.0/32, v[0], 1e-9)
	require.InDelta(t, 10.0/32, v[1], 1e-9)
	require.InDelta(t, 0.5, c.at(2)[0], 1e-9)
	// Tangents are per second, times the gap: u^3 - 2u^2 + u at a quarter is 9/64, times 4.
	c.Values[6] = 1
	require.InDelta(t, 5.0/32+4*9.0/64, c.at(1)[0], 1e-9)
}

func TestMovesTurnAboutTheirPivotAndNest(t *testing.T) {
	s := arm(Linear, []float32{0, 2}, quarter)
	p := s.Pose(0, map[string]Move{"body": {Pivot: [3]float64{1, 0, 0}, Turn: 90, Offset: [3]float64{0, 0, 2}}})
	near(t, vec.V3{X: 1, Y: 1, Z: 2}, p.V.Pos[0])
	near(t, vec.V3{X: 1, Y: 1, Z: 1}, p.V.Pos[1])
	both := s.Pose(0, map[string]Move{"body": {Offset: [3]float64{1, 0, 0}}, "body/arm": {Offset: [3]float64{0, 3, 0}}})
	near(t, vec.V3{X: 2, Y: 4}, both.V.Pos[0])
	require.False(t, Under("bodyguard", "body"))
	require.True(t, Under("body", "body"))
}

func TestFiguresAndWhatMovesThem(t *testing.T) {
	box := func(path string, lo, hi vec.V3) Object {
		return Object{Name: path[len(path)-1:], Path: path, Lo: lo, Hi: hi}
	}
	s := &Scene{Objects: []Object{box("F/a", vec.V3{}, vec.V3{X: 1, Y: 2, Z: 1}), box("F/b", vec.V3{X: -1}, vec.V3{Y: 1}), box("L/c", vec.V3{X: -9}, vec.V3{X: 9}), box("L/d", vec.V3{}, vec.V3{X: 1}), box("e", vec.V3{}, vec.V3{Y: 1})}}
	name, part := Figure(s, 1)
	require.Equal(t, "F", name)
	require.Equal(t, []bool{true, true, false, false, false}, part)
	name, part = Figure(s, 3)
	require.Equal(t, "d", name, "the level is no figure: of it the object alone counts")
	require.Equal(t, []bool{false, false, false, true, false}, part)
	lo, hi := Extent(s, 0)
	require.Equal(t, vec.V3{X: -1}, lo)
	require.Equal(t, vec.V3{X: 1, Y: 2, Z: 1}, hi)
	require.Nil(t, s.MovedAt("F"))
	posed := s.Pose(0, map[string]Move{"F": {Offset: [3]float64{5, 0, 0}}})
	require.Equal(t, vec.V3{X: 5}, posed.MovedAt("F").Point(vec.V3{}))
	require.Equal(t, vec.V3{X: 5}, posed.MovedAt("F/b").Point(vec.V3{}))
	require.Nil(t, posed.MovedAt("L"))
}

// A triangle counts by its area, but for the large ones: ten thousand times as large as a wall's
// counts ten times as much. A large object counts half as much as all smaller ones together;
// one that is alone counts whole.
func TestWhatCounts(t *testing.T) {
	s := &Scene{Materials: []Material{DefaultMaterial()}, Index: []uint32{0, 1, 2, 3, 4, 5, 6, 7, 8}, Mat: []uint16{0, 0, 0}, Obj: []uint32{0, 0, 0}, Objects: []Object{{Name: "a", Path: "a", Count: 3, Node: None}},
		V: Vertices{Pos: []vec.V3{{}, {X: 8}, {Y: 8}, {}, {X: 20}, {Y: 10}, {}, {X: 2000}, {Y: 1000}}, Nrm: make([]vec.V3, 9), UV0: make([]vec.V2, 9)}}
	require.InDeltaSlice(t, []float64{32, 100, 1000}, s.Counts(nil), 0.01)
	require.InDeltaSlice(t, []float64{32, 0, 0}, s.Counts(func(t int) bool { return t == 0 }), 0.01)
	// Three rooms of 2,000 square metres, and a wood of 60,000 in small pieces.
	big := &Scene{Materials: s.Materials, Objects: make([]Object, 4)}
	add := func(o uint32, many int) {
		for range many {
			k := uint32(len(big.V.Pos))
			big.V.Pos = append(big.V.Pos, vec.V3{}, vec.V3{X: 10}, vec.V3{Y: 10})
			big.Index, big.Mat, big.Obj = append(big.Index, k, k+1, k+2), append(big.Mat, 0), append(big.Obj, o)
		}
	}
	for o := range uint32(3) {
		add(o, 40)
	}
	add(3, 1200)
	var sums [4]float64
	for t, c := range big.Counts(nil) {
		sums[big.Obj[t]] += c
	}
	require.InDeltaSlice(t, []float64{2000, 2000, 2000, 3000}, sums[:], 0.1)
}
