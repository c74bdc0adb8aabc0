package cache

import (
	"testing"

	"github.com/stretchr/testify/require"
	"willowherb/core/scene/scenetest"
	"willowherb/core/vec"
)

// Under a sheet that lies 2 cm above the floor, with a partition between: no line joins the
// two sides, close to the floor or above the sheet.
func TestNoLineThroughASheet(t *testing.T) {
	g := scenetest.New()
	g.Floor(1)
	v := func(x, y, z float32) vec.V3 { return vec.V3{X: x, Y: y, Z: z} }
	g.Add("sheet", 0, [4]vec.V3{v(-1, 0.02, 1), v(1, 0.02, 1), v(1, 0.02, -1), v(-1, 0.02, -1)})
	g.Add("partition", 0, [4]vec.V3{v(0, 0, 1), v(0, 0, -1), v(0, 0.02, -1), v(0, 0.02, 1)})
	w := g.World(t)
	c := New(w, 1)
	tr := w.Tracer()
	defer tr.Release()
	s := Spot{Pos: v(-0.2, 0, 0.1), N: v(0, 1, 0), Dist: 2}
	here, there := 0, 0
	for side := range uint32(2 * len(c.pos)) {
		p := c.pos[side/2]
		if c.w.S.Obj[c.tri[side/2]] != 0 || c.normal(side).Y < 0 || p.Sub(s.Pos).Len() > 0.6 {
			continue
		}
		if open := c.seen(tr, &s, side, 1); p.X < 0 {
			here++
			require.True(t, open)
		} else {
			there++
			require.False(t, open, "%v", p)
		}
	}
	require.Greater(t, min(here, there), 3)
}

// The inner sides of a box are buried, its outer ones and both of a sheet are not; the points
// of a cell that are buried come after those that are not.
func TestBuriedSides(t *testing.T) {
	g := scenetest.New()
	g.Floor(1)
	g.Box("block", vec.V3{Y: 1.25}, 0.2) // as high as a large cell, at most
	c := New(g.World(t), 2)
	inner, outer, floor := 0, 0, 0
	for side := range uint32(2 * len(c.pos)) {
		buried := c.buried[side/64]>>(side%64)&1 != 0
		switch in := c.normal(side).Dot(c.pos[side/2].Sub(vec.V3{Y: 1.25})) < 0; {
		case c.w.S.Obj[c.tri[side/2]] == 0:
			require.False(t, buried)
			floor++
		case in:
			require.True(t, buried)
			inner++
		default:
			require.False(t, buried)
			outer++
		}
	}
	require.Greater(t, min(inner, outer, floor), 20)
	// Opposite faces of the block share large cells: the top's outside, the bottom's inside.
	for l := range c.cells {
		for _, row := range c.cells[l].rows {
			after := false
			for _, side := range row {
				if side == none {
					continue
				}
				buried := c.buried[side/64]>>(side%64)&1 != 0
				require.False(t, after && !buried, "level %d", l)
				after = after || buried
			}
		}
	}
}
