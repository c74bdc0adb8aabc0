package unwrap

import (
	"math"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
	"willowherb/core/vec"
)

// cylinder is an open tube, smooth or of n flat sides.
func cylinder(n int, r, h float64) *Mesh {
	m := &Mesh{}
	for i := range n {
		s, c := math.Sincos(2 * math.Pi * float64(i) / float64(n))
		m.Pos = append(m.Pos, vec.New(r*c, 0, r*s), vec.New(r*c, h, r*s))
	}
	for i := range n {
		a, b := uint32(2*i), uint32(2*((i+1)%n))
		m.Index = append(m.Index, a, a+1, b, b, a+1, b+1)
	}
	return m
}

// ball is a sphere of rows and columns.
func ball(n int, r float64) *Mesh {
	m := &Mesh{}
	for j := range n + 1 {
		sp, cp := math.Sincos(math.Pi * float64(j) / float64(n))
		for i := range 2 * n {
			s, c := math.Sincos(math.Pi * float64(i) / float64(n))
			m.Pos = append(m.Pos, vec.New(r*sp*c, r*cp, r*sp*s))
		}
	}
	for j := range n {
		for i := range 2 * n {
			a, b := uint32(j*2*n+i), uint32(j*2*n+(i+1)%(2*n))
			c, d := a+uint32(2*n), b+uint32(2*n)
			m.Index = append(m.Index, a, b, c, b, d, c)
		}
	}
	return m
}

// stair winds upwards, over itself after one turn.
func stair(turns float64) *Mesh {
	m := &Mesh{}
	n := int(24 * turns)
	for i := range n + 1 {
		s, c := math.Sincos(2 * math.Pi * float64(i) / 24)
		y := 0.02 * float64(i)
		m.Pos = append(m.Pos, vec.New(0.3*c, y, 0.3*s), vec.New(1.5*c, y, 1.5*s))
	}
	for i := range n {
		a := uint32(2 * i)
		m.Index = append(m.Index, a, a+2, a+1, a+1, a+2, a+3)
	}
	return m
}

// cube has each face of its own vertices.
func cube(r float32) *Mesh {
	m := &Mesh{}
	for axis := range 3 {
		for _, side := range []float32{-r, r} {
			base := uint32(len(m.Pos))
			for _, q := range [4][2]float32{{-r, -r}, {r, -r}, {r, r}, {-r, r}} {
				p := [3]float32{}
				p[axis], p[(axis+1)%3], p[(axis+2)%3] = side, q[0], q[1]
				m.Pos = append(m.Pos, vec.V3{X: p[0], Y: p[1], Z: p[2]})
			}
			i := []uint32{0, 1, 2, 0, 2, 3}
			if side < 0 {
				i = []uint32{0, 2, 1, 0, 3, 2}
			}
			for _, k := range i {
				m.Index = append(m.Index, base+k)
			}
		}
	}
	return m
}

func areaOf(m *Mesh) (all float64) {
	for t := range len(m.Index) / 3 {
		a := m.Pos[m.Index[3*t]]
		all += float64(m.Pos[m.Index[3*t+1]].Sub(a).Cross(m.Pos[m.Index[3*t+2]].Sub(a)).Len()) / 2
	}
	return all
}

// TestEveryTriangleIsInOneChartAndHardlyStretched: texels of 95 % of the surface by less than
// 1.3; sides are fitted to whole texels besides.
func TestEveryTriangleIsInOneChartAndHardlyStretched(t *testing.T) {
	for name, m := range map[string]*Mesh{"tube": cylinder(48, 0.5, 3), "ball": ball(24, 1), "stair": stair(2.5), "cube": cube(1)} {
		seen := make([]int, len(m.Index)/3)
		var all, bad float64
		charts := Charts(m)
		for _, c := range charts {
			p := Fit(c, 64, 1024)
			for i, k := range c.Tris {
				seen[k]++
				a := m.Pos[m.Index[3*k]]
				if m.Pos[m.Index[3*k+1]].Sub(a).Cross(m.Pos[m.Index[3*k+2]].Sub(a)).Len() < 1e-9 {
					continue // a pole's, of rounding alone
				}
				stretch := p.Stretch(m, i)
				require.Less(t, stretch, 1.7, "%s: triangle %d", name, k)
				if area := float64(m.Pos[m.Index[3*k+1]].Sub(a).Cross(m.Pos[m.Index[3*k+2]].Sub(a)).Len()) / 2; stretch > 1.3 {
					bad += area
				}
			}
			all += float64(c.Area)
		}
		for k, n := range seen {
			a := m.Pos[m.Index[3*k]]
			if m.Pos[m.Index[3*k+1]].Sub(a).Cross(m.Pos[m.Index[3*k+2]].Sub(a)).Len() > 0 {
				require.Equal(t, 1, n, "%s: triangle %d", name, k)
			}
		}
		require.InEpsilon(t, areaOf(m), all, 1e-4, name)
		require.Less(t, bad, 0.05*all, name)
	}
	require.Len(t, Charts(cube(1)), 6)
	require.LessOrEqual(t, len(Charts(cylinder(48, 0.5, 3))), 8)
}

// TestNothingLiesOverAnother: in a winding stair, whose steps lie over one another.
func TestNothingLiesOverAnother(t *testing.T) {
	m := stair(2.5)
	charts := Charts(m)
	require.Greater(t, len(charts), 2)
	for _, c := range charts {
		p := Fit(c, 40, 1024)
		owner := map[[2]int]int32{}
		for i, k := range c.Tris {
			tri := [3]vec.V2{p.Corner(i, 0), p.Corner(i, 1), p.Corner(i, 2)}
			within(tri, p.W, p.H, 0, func(x, y int) {
				if depth(tri, vec.V2{X: float32(x), Y: float32(y)}) < 0.05 {
					return
				}
				o, taken := owner[[2]int{x, y}]
				require.False(t, taken, "triangles %d and %d", o, k)
				owner[[2]int{x, y}] = k
			})
		}
	}
}

func TestTheSameMeshHasTheSameCharts(t *testing.T) {
	a, b := Charts(ball(16, 1)), Charts(ball(16, 1))
	require.Equal(t, a, b)
}

// TestEveryLookUpFindsATexel: whatever place of a patch is looked up, the four texels about it
// have places, where they count.
func TestEveryLookUpFindsATexel(t *testing.T) {
	rapid.Check(t, func(r *rapid.T) {
		m := []*Mesh{cylinder(20, 0.5, 3), ball(12, 1), stair(1.2), cube(0.7)}[rapid.IntRange(0, 3).Draw(r, "mesh")]
		density := rapid.Float64Range(0.3, 30).Draw(r, "density")
		for _, c := range Charts(m) {
			p := Fit(c, density, 512)
			places := p.Places(1)
			for i := range c.Tris {
				u := rapid.Float32Range(0, 1).Draw(r, "u")
				v := rapid.Float32Range(0, 1).Draw(r, "v")
				if u+v > 1 {
					u, v = 1-u, 1-v
				}
				a, b, d := p.Corner(i, 0), p.Corner(i, 1), p.Corner(i, 2)
				x := (1-u-v)*a.X + u*b.X + v*d.X
				y := (1-u-v)*a.Y + u*b.Y + v*d.Y
				for _, q := range [4][2]int{{0, 0}, {1, 0}, {0, 1}, {1, 1}} {
					i, j := min(int(x)+q[0], p.W-1), min(int(y)+q[1], p.H-1)
					w := (1 - abs(x-float32(i))) * (1 - abs(y-float32(j)))
					if w > 0.02 {
						require.GreaterOrEqual(r, places[j*p.W+i].Tri, int32(0), "texel %d %d of %d x %d has weight %g", i, j, p.W, p.H, w)
					}
				}
			}
		}
	})
}

func TestSmallPiecesShareATexel(t *testing.T) {
	m := &Mesh{}
	for i := range 20 {
		c := cube(0.005)
		base := uint32(len(m.Pos))
		for _, p := range c.Pos {
			m.Pos = append(m.Pos, p.Add(vec.V3{X: 0.1 + 0.04*float32(i), Y: 0.05, Z: 0.05}))
		}
		for _, k := range c.Index {
			m.Index = append(m.Index, base+k)
		}
	}
	var patches []Patch
	for _, c := range Charts(m) {
		patches = append(patches, Fit(c, 10, 512))
	}
	require.Len(t, patches, 120)
	joined := Together(m, patches, 10)
	// Ten texels along, six ways to face.
	require.LessOrEqual(t, len(joined), 60)
	n := 0
	for _, p := range joined {
		require.True(t, p.Tiny())
		n += len(p.Tris)
		for _, q := range p.Places(2) {
			require.Contains(t, p.Tris, q.Tri)
		}
	}
	require.Equal(t, 240, n)
}

func TestSeamsAreWhereASmoothSurfaceIsCut(t *testing.T) {
	tube := cylinder(48, 0.5, 3)
	var patches []Patch
	for _, c := range Charts(tube) {
		patches = append(patches, Fit(c, 16, 512))
	}
	seams := Seams(tube, patches)
	require.Len(t, seams, len(patches))
	for _, s := range seams {
		require.InDelta(t, 48, s.Length, 2, "three metres at 16 a metre")
	}
	patches = nil
	c := cube(1)
	for _, c := range Charts(c) {
		patches = append(patches, Fit(c, 16, 512))
	}
	require.Empty(t, Seams(c, patches), "a cube's edges are no seams")
}

func TestAnOwnUVSetIsUsedWhereItServes(t *testing.T) {
	quad := &Mesh{Pos: []vec.V3{{}, {X: 2}, {X: 2, Z: -2}, {Z: -2}}, Index: []uint32{0, 1, 2, 0, 2, 3}}
	uv := func(p ...vec.V2) []vec.V2 { return []vec.V2{p[0], p[1], p[2], p[0], p[2], p[3]} }
	c, err := Own(quad, uv(vec.V2{}, vec.V2{X: 1}, vec.V2{X: 1, Y: 1}, vec.V2{Y: 1}), 8, 2)
	require.NoError(t, err)
	require.InDelta(t, 2, c.W, 1e-5, "scaled to metres")
	// Both triangles in one place.
	_, err = Own(quad, []vec.V2{{}, {X: 1}, {X: 1, Y: 1}, {}, {X: 1}, {X: 1, Y: 1}}, 8, 2)
	require.ErrorContains(t, err, "lies over another")
	// Two parts a hundredth of the set apart.
	two := &Mesh{Pos: append(append([]vec.V3{}, quad.Pos...), vec.V3{Y: 1}, vec.V3{X: 2, Y: 1}, vec.V3{X: 2, Y: 1, Z: -2}, vec.V3{Y: 1, Z: -2}), Index: []uint32{0, 1, 2, 0, 2, 3, 4, 5, 6, 4, 6, 7}}
	parts := append(uv(vec.V2{}, vec.V2{X: 0.495}, vec.V2{X: 0.495, Y: 1}, vec.V2{Y: 1}), uv(vec.V2{X: 0.505}, vec.V2{X: 1}, vec.V2{X: 1, Y: 1}, vec.V2{X: 0.505, Y: 1})...)
	_, err = Own(two, parts, 8, 2)
	require.ErrorContains(t, err, "nearer than 2 texels")
	_, err = Own(two, parts, 400, 2)
	require.NoError(t, err, "at a higher density they lie far enough apart")
	_, err = Own(quad, uv(vec.V2{}, vec.V2{}, vec.V2{}, vec.V2{}), 8, 2)
	require.ErrorContains(t, err, "no area")
	_, err = Own(quad, uv(vec.V2{X: float32(math.NaN())}, vec.V2{X: 1}, vec.V2{X: 1, Y: 1}, vec.V2{Y: 1}), 8, 2)
	require.ErrorContains(t, err, "no number")
}

func TestBrokenMeshes(t *testing.T) {
	require.Empty(t, Charts(&Mesh{}))
	require.Empty(t, Charts(&Mesh{Pos: []vec.V3{{}, {X: 1}, {X: 2}}, Index: []uint32{0, 1, 2}}), "no area")
	inf := float32(math.Inf(1))
	require.Empty(t, Charts(&Mesh{Pos: []vec.V3{{}, {X: inf}, {Y: 1}}, Index: []uint32{0, 1, 2}}))
	// The same triangle twice, and a fan of three on one edge.
	m := &Mesh{Pos: []vec.V3{{}, {X: 1}, {Y: 1}, {Z: 1}}, Index: []uint32{0, 1, 2, 0, 1, 2, 0, 1, 3}}
	n := 0
	for _, c := range Charts(m) {
		n += len(c.Tris)
	}
	require.Equal(t, 3, n)
}
