package unwrap

import (
	"container/heap"
	"math"
	"slices"

	"willowherb/core/vec"
)

// Mesh is a surface: positions in metres, three indices a triangle.
type Mesh struct {
	Pos   []vec.V3
	Index []uint32
}

// Chart is a part of a mesh laid flat.
type Chart struct {
	// Tris are its triangles, by their number in the mesh, and Flat the three corners of each,
	// in metres from the lower left; W is the longer side.
	Tris []int32
	Flat []vec.V2
	W, H float32
	// Axis is the unit direction that it faces.
	Axis vec.V3
	// Area of its surface, in square metres.
	Area float32
}

// What a chart is grown by: cosines of the angles to its axis.
const (
	grownWithin = 0.81 // while it grows: its axis still turns
	keptWithin  = 0.77 // in the end: 1/0.77 is the greatest stretch
)

// face is a triangle while charts are grown.
type face struct {
	n    vec.V3
	area float32
	next [3]int32 // across each edge, or -1
}

// farthest is how far from the middle of its first triangle a chart grows, in metres: what is
// larger is cut, so that its far parts can have fewer texels.
const farthest = 40

// Charts cuts a mesh. Triangles without area are in none.
func Charts(m *Mesh) []Chart {
	faces := facesOf(m)
	order := make([]int32, len(faces))
	for i := range order {
		order[i] = int32(i)
	}
	slices.SortStableFunc(order, func(a, b int32) int {
		switch {
		case faces[a].area > faces[b].area:
			return -1
		case faces[a].area < faces[b].area:
			return 1
		}
		return int(a - b)
	})
	g := &grower{m: m, faces: faces, chart: make([]int32, len(faces)), seen: make([]int32, len(faces))}
	for i := range g.chart {
		g.chart[i] = -1
	}
	var out []Chart
	for len(order) > 0 {
		var left []int32
		for _, seed := range order {
			if g.chart[seed] >= 0 || faces[seed].area == 0 {
				continue
			}
			tris, dropped := g.grow(seed, int32(len(out)))
			left = append(left, dropped...)
			out = append(out, *flat(m, faces, tris))
		}
		order = left
	}
	return out
}

// facesOf measures the triangles and finds their neighbours: across edges that exactly two
// share, by the places of their ends.
func facesOf(m *Mesh) []face {
	weld := make(map[vec.V3]uint32, len(m.Pos))
	at := make([]uint32, len(m.Pos))
	for i, p := range m.Pos {
		p = p.Add(vec.V3{}) // no negative zeros
		k, ok := weld[p]
		if !ok {
			k = uint32(len(weld))
			weld[p] = k
		}
		at[i] = k
	}
	n := len(m.Index) / 3
	out := make([]face, n)
	type side struct {
		edge uint64
		tri  int32
		k    int32
	}
	sides := make([]side, 0, 3*n)
	for t := range out {
		i := m.Index[3*t : 3*t+3]
		a := m.Pos[i[0]]
		x := m.Pos[i[1]].Sub(a).Cross(m.Pos[i[2]].Sub(a))
		f := &out[t]
		f.next = [3]int32{-1, -1, -1}
		if l := x.Len(); l > 0 && !math.IsInf(float64(l), 0) {
			f.n, f.area = x.Norm(), l/2
		}
		for k := range 3 {
			p, q := at[i[k]], at[i[(k+1)%3]]
			if p > q {
				p, q = q, p
			}
			if p != q && f.area > 0 {
				sides = append(sides, side{uint64(p)<<32 | uint64(q), int32(t), int32(k)})
			}
		}
	}
	slices.SortFunc(sides, func(a, b side) int {
		switch {
		case a.edge < b.edge:
			return -1
		case a.edge > b.edge:
			return 1
		}
		return int(a.tri - b.tri)
	})
	for i := 0; i < len(sides); {
		j := i
		for j < len(sides) && sides[j].edge == sides[i].edge {
			j++
		}
		if j == i+2 {
			a, b := sides[i], sides[i+1]
			out[a.tri].next[a.k], out[b.tri].next[b.k] = b.tri, a.tri
		}
		i = j
	}
	return out
}

// grower grows charts one after the other.
type grower struct {
	m     *Mesh
	faces []face
	chart []int32 // of each triangle; -1: none yet
	seen  []int32 // the chart, and one, that a triangle was last offered to
	queue offers
}

type offer struct {
	tri  int32
	cost float32
}

type offers []offer

func (q offers) Len() int { return len(q) }
func (q offers) Less(i, j int) bool {
	return q[i].cost < q[j].cost || q[i].cost == q[j].cost && q[i].tri < q[j].tri
}
func (q offers) Swap(i, j int) { q[i], q[j] = q[j], q[i] }

// Push is for container/heap.
func (q *offers) Push(x any) { *q = append(*q, x.(offer)) }

// Pop is for container/heap.
func (q *offers) Pop() any {
	v := (*q)[len(*q)-1]
	*q = (*q)[:len(*q)-1]
	return v
}

// middle of a triangle.
func (g *grower) middle(t int32) vec.V3 {
	i := g.m.Index[3*t : 3*t+3]
	return g.m.Pos[i[0]].Add(g.m.Pos[i[1]]).Add(g.m.Pos[i[2]]).Scale(1.0 / 3)
}

// grow makes one chart; dropped are triangles that were in it and do not fit in the end.
func (g *grower) grow(seed, id int32) (tris, dropped []int32) {
	g.queue = append(g.queue[:0], offer{seed, 0})
	from := g.middle(seed)
	var sum vec.V3
	for len(g.queue) > 0 {
		t := heap.Pop(&g.queue).(offer).tri
		f := &g.faces[t]
		if g.chart[t] >= 0 || len(tris) > 0 && f.n.Dot(sum.Norm()) < grownWithin {
			continue
		}
		g.chart[t] = id
		tris = append(tris, t)
		sum = sum.Add(f.n.Scale(f.area))
		axis := sum.Norm()
		for _, o := range f.next {
			if o < 0 || g.chart[o] >= 0 {
				continue
			}
			n := g.faces[o].n
			if near := n.Dot(axis); near >= grownWithin && g.middle(o).Sub(from).Len() < farthest {
				heap.Push(&g.queue, offer{o, 1 - near + (1-n.Dot(f.n))/2})
			}
		}
	}
	axis := sum.Norm()
	keep := tris[:0]
	for i, t := range tris {
		if i > 0 && g.faces[t].n.Dot(axis) < keptWithin {
			g.chart[t] = -1
			dropped = append(dropped, t)
			continue
		}
		keep = append(keep, t)
	}
	tris = keep
	for _, t := range folded(g.m, g.faces, tris, axis) {
		g.chart[t] = -1
		dropped = append(dropped, t)
		tris = slices.DeleteFunc(tris, func(o int32) bool { return o == t })
	}
	return tris, dropped
}

// folded returns the triangles that lie over others of the chart, the later ones: a stair
// that winds, or a fold.
func folded(m *Mesh, faces []face, tris []int32, axis vec.V3) []int32 {
	if len(tris) < 3 {
		return nil
	}
	u, v := vec.Basis(axis)
	at := func(i uint32) vec.V2 { return vec.V2{X: m.Pos[i].Dot(u), Y: m.Pos[i].Dot(v)} }
	lo, hi := vec.V2{X: inf, Y: inf}, vec.V2{X: -inf, Y: -inf}
	for _, t := range tris {
		for k := range 3 {
			p := at(m.Index[3*int(t)+k])
			lo, hi = vec.V2{X: min(lo.X, p.X), Y: min(lo.Y, p.Y)}, vec.V2{X: max(hi.X, p.X), Y: max(hi.Y, p.Y)}
		}
	}
	const most = 256
	n := min(int(4*math.Sqrt(float64(len(tris))))+4, most)
	size := max(hi.X-lo.X, hi.Y-lo.Y) / float32(n)
	if !(size > 0) {
		return nil
	}
	w, h := min(int((hi.X-lo.X)/size)+1, n), min(int((hi.Y-lo.Y)/size)+1, n)
	taken := make([]bool, w*h)
	var out []int32
	for _, t := range tris {
		p := [3]vec.V2{}
		for k := range p {
			q := at(m.Index[3*int(t)+k])
			p[k] = vec.V2{X: (q.X - lo.X) / size, Y: (q.Y - lo.Y) / size}
		}
		var mine []int
		over := false
		within(p, w, h, 0.5, func(x, y int) {
			// Strictly inside: neighbours share their edges.
			if depth(p, vec.V2{X: float32(x) + 0.5, Y: float32(y) + 0.5}) < 0.02 {
				return
			}
			i := y*w + x
			over = over || taken[i]
			mine = append(mine, i)
		})
		if over {
			out = append(out, t)
			continue
		}
		for _, i := range mine {
			taken[i] = true
		}
	}
	return out
}

var inf = float32(math.Inf(1))

// within calls do for the cells whose middles lie in the box of a triangle.
func within(p [3]vec.V2, w, h int, middle float32, do func(x, y int)) {
	x0, x1 := min(p[0].X, p[1].X, p[2].X), max(p[0].X, p[1].X, p[2].X)
	y0, y1 := min(p[0].Y, p[1].Y, p[2].Y), max(p[0].Y, p[1].Y, p[2].Y)
	for y := max(int(y0-middle), 0); y < min(int(y1-middle)+2, h); y++ {
		for x := max(int(x0-middle), 0); x < min(int(x1-middle)+2, w); x++ {
			do(x, y)
		}
	}
}

// depth is how far a place lies inside a triangle, from its nearest edge; negative outside.
func depth(p [3]vec.V2, q vec.V2) float32 {
	turn := (p[1].X-p[0].X)*(p[2].Y-p[0].Y) - (p[2].X-p[0].X)*(p[1].Y-p[0].Y)
	d := inf
	for k := range 3 {
		a, b := p[k], p[(k+1)%3]
		ex, ey := b.X-a.X, b.Y-a.Y
		l := float32(math.Hypot(float64(ex), float64(ey)))
		if l == 0 {
			return -inf
		}
		side := (ex*(q.Y-a.Y) - ey*(q.X-a.X)) / l
		if turn < 0 {
			side = -side
		}
		d = min(d, side)
	}
	return d
}

// flat projects a chart along its axis and turns it so that the box about it is smallest.
func flat(m *Mesh, faces []face, tris []int32) *Chart {
	c := &Chart{Tris: tris}
	var sum vec.V3
	for _, t := range tris {
		sum, c.Area = sum.Add(faces[t].n.Scale(faces[t].area)), c.Area+faces[t].area
	}
	c.Axis = sum.Norm()
	u, v := vec.Basis(c.Axis)
	o := m.Pos[m.Index[3*tris[0]]]
	for _, t := range tris {
		for k := range 3 {
			p := m.Pos[m.Index[3*int(t)+k]].Sub(o)
			c.Flat = append(c.Flat, vec.V2{X: p.Dot(u), Y: p.Dot(v)})
		}
	}
	c.settle()
	return c
}

// settle turns the chart so that its box is smallest, longer along x, and moves it to zero.
func (c *Chart) settle() {
	hull := hullOf(c.Flat)
	best, turn := math.Inf(1), [2]float64{1, 0}
	for i := range hull {
		a, b := hull[i], hull[(i+1)%len(hull)]
		x, y := float64(b.X)-float64(a.X), float64(b.Y)-float64(a.Y)
		l := math.Hypot(x, y)
		if l == 0 {
			continue
		}
		x, y = x/l, y/l
		x0, x1, y0, y1 := math.Inf(1), math.Inf(-1), math.Inf(1), math.Inf(-1)
		for _, p := range hull {
			s, t := float64(p.X)*x+float64(p.Y)*y, float64(p.Y)*x-float64(p.X)*y
			x0, x1, y0, y1 = min(x0, s), max(x1, s), min(y0, t), max(y1, t)
		}
		if area := (x1 - x0) * (y1 - y0); area < best*(1-1e-6) {
			best, turn = area, [2]float64{x, y}
			if y1-y0 > x1-x0 {
				turn = [2]float64{-y, x}
			}
		}
	}
	lo, hi := vec.V2{X: inf, Y: inf}, vec.V2{X: -inf, Y: -inf}
	for i, p := range c.Flat {
		x, y := float64(p.X), float64(p.Y)
		q := vec.V2{X: float32(x*turn[0] + y*turn[1]), Y: float32(y*turn[0] - x*turn[1])}
		c.Flat[i] = q
		lo, hi = vec.V2{X: min(lo.X, q.X), Y: min(lo.Y, q.Y)}, vec.V2{X: max(hi.X, q.X), Y: max(hi.Y, q.Y)}
	}
	for i := range c.Flat {
		c.Flat[i].X -= lo.X
		c.Flat[i].Y -= lo.Y
	}
	c.W, c.H = hi.X-lo.X, hi.Y-lo.Y
}

// hullOf is the convex hull, by monotone chains (Andrew 1979).
func hullOf(points []vec.V2) []vec.V2 {
	p := slices.Clone(points)
	slices.SortFunc(p, func(a, b vec.V2) int {
		switch {
		case a.X < b.X || a.X == b.X && a.Y < b.Y:
			return -1
		case a == b:
			return 0
		}
		return 1
	})
	p = slices.Compact(p)
	if len(p) < 3 {
		return p
	}
	half := func(in []vec.V2) (out []vec.V2) {
		for _, q := range in {
			for len(out) > 1 {
				a, b := out[len(out)-2], out[len(out)-1]
				if float64(b.X-a.X)*float64(q.Y-a.Y)-float64(b.Y-a.Y)*float64(q.X-a.X) > 0 {
					break
				}
				out = out[:len(out)-1]
			}
			out = append(out, q)
		}
		return out[:len(out)-1]
	}
	lower := half(p)
	slices.Reverse(p)
	return append(lower, half(p)...)
}
