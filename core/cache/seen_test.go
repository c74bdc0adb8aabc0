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
