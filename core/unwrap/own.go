package unwrap

import (
	"errors"
	"fmt"
	"math"

	"willowherb/core/vec"
)

// Own is the chart that a mesh's own UV set makes: all of it, as it lies there, scaled so that
// its texels are as wide as asked on average. uv are three a triangle. The error says why the
// set does not serve: parts lie over each other, or nearer than the padding, in texels.
func Own(m *Mesh, uv []vec.V2, density float64, padding int) (*Chart, error) {
	c := &Chart{}
	var flatArea float64
	lo, hi := vec.V2{X: inf, Y: inf}, vec.V2{X: -inf, Y: -inf}
	var sum vec.V3
	for t := range len(m.Index) / 3 {
		a := m.Pos[m.Index[3*t]]
		n := m.Pos[m.Index[3*t+1]].Sub(a).Cross(m.Pos[m.Index[3*t+2]].Sub(a))
		if !(n.Len() > 0) {
			continue
		}
		p := uv[3*t : 3*t+3]
		for _, q := range p {
			if !(q.X > -1e4 && q.X < 1e4 && q.Y > -1e4 && q.Y < 1e4) {
				return nil, errors.New("a place of its second UV set is no number")
			}
			lo, hi = vec.V2{X: min(lo.X, q.X), Y: min(lo.Y, q.Y)}, vec.V2{X: max(hi.X, q.X), Y: max(hi.Y, q.Y)}
		}
		area := math.Abs(float64((p[1].X-p[0].X)*(p[2].Y-p[0].Y)-(p[2].X-p[0].X)*(p[1].Y-p[0].Y))) / 2
		if area == 0 {
			return nil, fmt.Errorf("triangle %d has no area in its second UV set", t)
		}
		flatArea += area
		c.Area += n.Len() / 2
		sum = sum.Add(n)
		c.Tris, c.Flat = append(c.Tris, int32(t)), append(c.Flat, p...)
	}
	if len(c.Tris) == 0 {
		return nil, errors.New("it has no area")
	}
	c.Axis = sum.Norm()
	k := float32(math.Sqrt(float64(c.Area) / flatArea))
	for i, q := range c.Flat {
		c.Flat[i] = vec.V2{X: (q.X - lo.X) * k, Y: (q.Y - lo.Y) * k}
	}
	c.W, c.H = (hi.X-lo.X)*k, (hi.Y-lo.Y)*k
	return c, c.apart(m, density, padding)
}

// apart reports where parts of a chart lie over each other, or too near.
func (c *Chart) apart(m *Mesh, density float64, padding int) error {
	p := Fit(*c, density, 4096)
	island := c.islands(m)
	owner := make([]int32, p.W*p.H) // one more than the part that lies over a texel's middle
	for i := range c.Tris {
		t := [3]vec.V2{p.Corner(i, 0), p.Corner(i, 1), p.Corner(i, 2)}
		over := false
		within(t, p.W, p.H, 0, func(x, y int) {
			if depth(t, vec.V2{X: float32(x), Y: float32(y)}) < 0.01 {
				return
			}
			o := &owner[y*p.W+x]
			over = over || *o != 0
			*o = island[i] + 1
		})
		if over {
			return fmt.Errorf("triangle %d lies over another in its second UV set", c.Tris[i])
		}
	}
	for y := range p.H {
		for x := range p.W {
			o := owner[y*p.W+x]
			for d := 1; o != 0 && d <= padding; d++ {
				for _, q := range [2][2]int{{x + d, y}, {x, y + d}} {
					if q[0] < p.W && q[1] < p.H {
						if v := owner[q[1]*p.W+q[0]]; v != 0 && v != o {
							return fmt.Errorf("parts of its second UV set lie nearer than %d texels at %.3g a metre", padding, density)
						}
					}
				}
			}
		}
	}
	return nil
}

// islands numbers the parts of a chart that hang together in it.
func (c *Chart) islands(m *Mesh) []int32 {
	type end struct {
		pos vec.V3
		uv  vec.V2
	}
	parent := make([]int32, len(c.Tris))
	for i := range parent {
		parent[i] = int32(i)
	}
	var root func(i int32) int32
	root = func(i int32) int32 {
		for parent[i] != i {
			parent[i] = parent[parent[i]]
			i = parent[i]
		}
		return i
	}
	at := map[end]int32{}
	for i, t := range c.Tris {
		for k := range 3 {
			e := end{m.Pos[m.Index[3*int(t)+k]], c.Flat[3*i+k]}
			if j, ok := at[e]; ok {
				a, b := root(int32(i)), root(j)
				parent[max(a, b)] = min(a, b)
			} else {
				at[e] = int32(i)
			}
		}
	}
	out := make([]int32, len(parent))
	for i := range out {
		out[i] = root(int32(i))
	}
	return out
}
