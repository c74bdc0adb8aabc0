package place

import (
	"math"
	"testing"

	"github.com/stretchr/testify/require"
	"willowherb/core/scene/scenetest"
	"willowherb/core/vec"
	"willowherb/core/world"
)

const ballRadius = 0.2

// A ball in a closed room of 4 m never leaves it, comes no nearer to its walls than its radius
// (15 % of it: its form is told by rays), and goes on along them.
func TestStepStaysInTheRoom(t *testing.T) {
	w := scenetest.Room(scenetest.Matt(0.5)).World(t)
	step := func(from, to vec.V3) Stepped { return Step(w, world.Sight{}, from, to, ballRadius) }
	inside := func(p vec.V3) {
		t.Helper()
		require.LessOrEqual(t, max(p.Max(), p.Neg().Max()), float32(2-0.85*ballRadius), "%v", p)
	}
	for i := range 400 {
		z := 1 - (2*float64(i)+1)/400
		r, a := math.Sqrt(1-z*z), float64(i)*2.4
		s := step(vec.V3{X: 0.3, Y: -0.2, Z: 0.9}, vec.New(9*r*math.Cos(a), 9*r*math.Sin(a), 9*z))
		inside(s.At)
		require.Equal(t, 0, s.By)
		// From where it stopped it can go back, and into no wall.
		inside(step(s.At, s.At.Scale(5)).At)
		require.Less(t, step(s.At, vec.V3{}).At.Len(), float32(1e-3))
	}
	s := step(vec.V3{}, vec.V3{X: 1, Y: 0.5})
	require.Equal(t, Stepped{At: vec.V3{X: 1, Y: 0.5}, Free: s.Free, By: -1}, s)
	require.InDelta(t, 1-ballRadius, s.Free, 0.03, "a metre to the nearest wall")
	// Aslant into a wall it slides along it.
	s = step(vec.V3{}, vec.V3{X: 5, Z: 1.5})
	require.InDelta(t, 1.5, s.At.Z, 1e-3)
	require.InDelta(t, 2-ballRadius, s.At.X, 0.03)
	require.Equal(t, s.At, step(s.At, s.At).At)
}

// Through a gap wider than itself a ball goes, through a narrower one it does not; nor through
// a pane of glass, and through what is hidden it does.
func TestStepThroughGaps(t *testing.T) {
	for _, c := range []struct {
		gap    float32
		passes bool
	}{{0.3, false}, {0.38, false}, {0.44, true}, {1, true}} {
		g := scenetest.New()
		g.Floor(5)
		for _, side := range []float32{-1, 1} {
			a, b := side*c.gap/2, side*3
			g.Add("wall", 0, [4]vec.V3{{X: a, Y: 0}, {X: b, Y: 0}, {X: b, Y: 3}, {X: a, Y: 3}})
		}
		w := g.World(t)
		from, to := vec.V3{Y: 1, Z: 1}, vec.V3{Y: 1, Z: -1}
		s := Step(w, world.Sight{}, from, to, ballRadius)
		require.Equal(t, c.passes, s.At.Z < 0, "a gap of %v m: %v", c.gap, s)
		hidden := make([]bool, len(w.S.Objects))
		hidden[1], hidden[2] = true, true
		s = Step(w, world.Sight{Hidden: hidden}, from, to, ballRadius)
		require.Equal(t, to, s.At)
		// A place that touches a wall already can be left.
		s = Step(w, world.Sight{}, vec.V3{X: 1, Y: 1, Z: 0.05}, vec.V3{X: 1, Y: 1, Z: 1}, ballRadius)
		require.InDelta(t, 1, s.At.Z, 1e-3)
		require.Zero(t, Step(w, world.Sight{}, vec.V3{X: 1, Y: 1, Z: 0.05}, vec.V3{X: 1, Y: 1, Z: 0.05}, ballRadius).Free)
	}
	g := scenetest.New()
	pane := scenetest.Glossy()
	pane.Transmission = 1
	g.S.Materials = append(g.S.Materials, pane)
	g.Floor(5)
	g.Add("pane", 1, [4]vec.V3{{X: -2}, {X: 2}, {X: 2, Y: 3}, {X: -2, Y: 3}})
	s := Step(g.World(t), world.Sight{}, vec.V3{Y: 1, Z: 1}, vec.V3{Y: 1, Z: -1}, ballRadius)
	require.InDelta(t, ballRadius, s.At.Z, 0.02)
	require.Equal(t, 1, s.By)
	require.Equal(t, s, Step(g.World(t), world.Sight{Cut: 3}, vec.V3{Y: 1, Z: 1}, vec.V3{Y: 1, Z: -1}, ballRadius), "what is cut away of the picture still stops it")
	// Where there is nothing at all, all of the way is free.
	s = Step(g.World(t), world.Sight{}, vec.V3{Y: 100}, vec.V3{Y: 120, X: 3}, ballRadius)
	require.Equal(t, Stepped{At: vec.V3{Y: 120, X: 3}, Free: reach, By: -1}, s)
}
