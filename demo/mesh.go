package demo

import (
	"math"

	"willowherb/core/vec"
	"willowherb/format/gltf"
)

// shape gathers triangles by material for one node.
type shape struct {
	parts map[int]*gltf.ModelPart
	order []int
}

func newShape() *shape { return &shape{parts: map[int]*gltf.ModelPart{}} }

func (s *shape) part(mat int) *gltf.ModelPart {
	p := s.parts[mat]
	if p == nil {
		p = &gltf.ModelPart{Material: mat}
		s.parts[mat] = p
		s.order = append(s.order, mat)
	}
	return p
}

func (s *shape) node(name string) gltf.ModelNode {
	n := gltf.ModelNode{Name: name}
	for _, m := range s.order {
		wind(s.parts[m])
		n.Parts = append(n.Parts, *s.parts[m])
	}
	return n
}

// wind turns triangles to face as their vertex normals do, which the makers of
// shapes know, and drops those without area.
func wind(p *gltf.ModelPart) {
	keep := p.Index[:0]
	for i := 0; i < len(p.Index); i += 3 {
		a, b, c := p.Index[i], p.Index[i+1], p.Index[i+2]
		n := p.Pos[b].Sub(p.Pos[a]).Cross(p.Pos[c].Sub(p.Pos[a]))
		if n.Dot(n) < 1e-16 {
			continue
		}
		if p.Nrm[a].Add(p.Nrm[b]).Add(p.Nrm[c]).Dot(n) < 0 {
			b, c = c, b
		}
		keep = append(keep, a, b, c)
	}
	p.Index = keep
}

func v(x, y, z float64) vec.V3 { return vec.New(x, y, z) }

func put(p *gltf.ModelPart, pos, nrm vec.V3, uv vec.V2) uint32 {
	p.Pos, p.Nrm, p.UV = append(p.Pos, pos), append(p.Nrm, nrm), append(p.UV, uv)
	return uint32(len(p.Pos) - 1)
}

// planar gives texture coordinates in metres on the plane that n faces most.
func planar(p, n vec.V3) vec.V2 {
	x, y, z := abs(n.X), abs(n.Y), abs(n.Z)
	switch {
	case y >= x && y >= z:
		return vec.V2{X: p.X, Y: p.Z}
	case x >= z:
		return vec.V2{X: p.Z, Y: -p.Y}
	}
	return vec.V2{X: p.X, Y: -p.Y}
}

func abs(x float32) float32 { return max(x, -x) }

// quad adds a flat four-sided face that faces n's side, split into k by k.
func (s *shape) quad(mat int, a, b, c, d, n vec.V3, k int) {
	p := s.part(mat)
	if b.Sub(a).Cross(d.Sub(a)).Dot(n) < 0 {
		b, d = d, b
	}
	nn := b.Sub(a).Cross(d.Sub(a)).Norm()
	base := uint32(len(p.Pos))
	for j := 0; j <= k; j++ {
		for i := 0; i <= k; i++ {
			u, w := float32(i)/float32(k), float32(j)/float32(k)
			q := vec.Lerp(vec.Lerp(a, b, u), vec.Lerp(d, c, u), w)
			put(p, q, nn, planar(q, nn))
		}
	}
	for j := range uint32(k) {
		for i := range uint32(k) {
			q := base + j*uint32(k+1) + i
			r := q + uint32(k) + 1
			p.Index = append(p.Index, q, q+1, r+1, q, r+1, r)
		}
	}
}

// frame is a local coordinate frame.
type frame struct{ o, x, y, z vec.V3 }

var upright = frame{x: vec.V3{X: 1}, y: vec.V3{Y: 1}, z: vec.V3{Z: 1}}

func at(o vec.V3) frame { f := upright; f.o = o; return f }

// turned is a frame at o turned about +Y by degrees.
func turned(o vec.V3, deg float64) frame {
	s, c := math.Sincos(deg * math.Pi / 180)
	return frame{o, v(c, 0, -s), v(0, 1, 0), v(s, 0, c)}
}

// along is a frame at o whose y axis points to d.
func along(o, d vec.V3) frame {
	y := d.Norm()
	x, z := vec.Basis(y)
	return frame{o, x.Neg(), y, z.Neg()}
}

func (f frame) point(p vec.V3) vec.V3 { return f.o.Add(f.dir(p)) }
func (f frame) dir(p vec.V3) vec.V3 {
	return f.x.Scale(p.X).Add(f.y.Scale(p.Y)).Add(f.z.Scale(p.Z))
}

// box adds a box with rounded edges: half sizes h, edge radius r, k steps around
// an edge.
func (s *shape) box(mat int, f frame, h vec.V3, r float32, k int) {
	p := s.part(mat)
	r = min(r, h.X, h.Y, h.Z)
	axis := func(h float32) []float32 {
		var out []float32
		for i := range k + 1 {
			out = append(out, -h+r*float32(i)/float32(k))
		}
		for i := range k + 1 {
			out = append(out, h-r+r*float32(i)/float32(k))
		}
		return out
	}
	ax := [3][]float32{axis(h.X), axis(h.Y), axis(h.Z)}
	hs := [3]float32{h.X, h.Y, h.Z}
	for a := range 3 {
		b, c := (a+1)%3, (a+2)%3
		for _, side := range []float32{-1, 1} {
			base := uint32(len(p.Pos))
			nb, nc := len(ax[b]), len(ax[c])
			for _, wc := range ax[c] {
				for _, wb := range ax[b] {
					var q, in [3]float32
					q[a], q[b], q[c] = side*hs[a], wb, wc
					for i := range 3 {
						in[i] = min(max(q[i], -(hs[i]-r)), hs[i]-r)
					}
					cq := vec.V3{X: in[0], Y: in[1], Z: in[2]}
					n := vec.V3{X: q[0], Y: q[1], Z: q[2]}.Sub(cq).Norm()
					if n == (vec.V3{}) { // a box without rounding
						var e [3]float32
						e[a] = side
						n = vec.V3{X: e[0], Y: e[1], Z: e[2]}
					}
					local := cq.Add(n.Scale(r))
					var face [3]float32
					face[a] = side
					uv := planar(local, vec.V3{X: face[0], Y: face[1], Z: face[2]})
					put(p, f.point(local), f.dir(n), uv)
				}
			}
			for j := range nc - 1 {
				for i := range nb - 1 {
					q := base + uint32(j*nb+i)
					t := q + uint32(nb)
					if side > 0 {
						p.Index = append(p.Index, q, q+1, t+1, q, t+1, t)
					} else {
						p.Index = append(p.Index, q, t+1, q+1, q, t, t+1)
					}
				}
			}
		}
	}
}

// lathe turns a profile of (radius, height) about f's y axis. Sharp corners of
// the profile are kept where a point is given twice.
func (s *shape) lathe(mat int, f frame, profile [][2]float64, seg int) {
	p := s.part(mat)
	var length float64
	normal := func(i int) (nr, ny float64) {
		grad := func(a, b int) (float64, float64) {
			dr, dy := profile[b][0]-profile[a][0], profile[b][1]-profile[a][1]
			l := math.Hypot(dr, dy)
			if l < 1e-9 {
				return 0, 0
			}
			return dy / l, -dr / l
		}
		if i > 0 {
			r, y := grad(i-1, i)
			nr, ny = nr+r, ny+y
		}
		if i+1 < len(profile) {
			r, y := grad(i, i+1)
			nr, ny = nr+r, ny+y
		}
		l := max(math.Hypot(nr, ny), 1e-9)
		return nr / l, ny / l
	}
	base := uint32(len(p.Pos))
	for i, q := range profile {
		if i > 0 {
			length += math.Hypot(q[0]-profile[i-1][0], q[1]-profile[i-1][1])
		}
		nr, ny := normal(i)
		for k := 0; k <= seg; k++ {
			a := 2 * math.Pi * float64(k) / float64(seg)
			sn, cs := math.Sincos(a)
			put(p, f.point(v(q[0]*cs, q[1], -q[0]*sn)), f.dir(v(nr*cs, ny, -nr*sn)).Norm(), vec.V2{X: float32(a * max(q[0], 0.05)), Y: float32(-length)})
		}
	}
	n := uint32(seg + 1)
	for i := range uint32(len(profile) - 1) {
		for k := range uint32(seg) {
			a := base + i*n + k
			b := a + n
			if profile[i][0] > 1e-9 {
				p.Index = append(p.Index, a, a+1, b)
			}
			if profile[i+1][0] > 1e-9 {
				p.Index = append(p.Index, a+1, b+1, b)
			}
		}
	}
}

// rod is a straight round bar with rounded ends.
func (s *shape) rod(mat int, a, b vec.V3, r float64, seg int) {
	d := b.Sub(a)
	l := float64(d.Len())
	e := min(r*0.3, l/4)
	s.lathe(mat, along(a, d), [][2]float64{{0, 0}, {r - e, 0}, {r, e}, {r, e}, {r, l - e}, {r, l - e}, {r - e, l}, {0, l}}, seg)
}

// tube sweeps a circle along a path.
func (s *shape) tube(mat int, path []vec.V3, r float64, seg int) {
	p := s.part(mat)
	base := uint32(len(p.Pos))
	t := path[1].Sub(path[0]).Norm()
	x, _ := vec.Basis(t)
	var length float32
	for i, q := range path {
		switch {
		case i == len(path)-1:
			t = q.Sub(path[i-1]).Norm()
		case i > 0:
			t = path[i+1].Sub(path[i-1]).Norm()
		}
		if i > 0 {
			length += q.Sub(path[i-1]).Len()
		}
		x = x.Sub(t.Scale(x.Dot(t))).Norm()
		y := t.Cross(x)
		for k := 0; k <= seg; k++ {
			sn, cs := math.Sincos(2 * math.Pi * float64(k) / float64(seg))
			n := x.Scale(float32(cs)).Add(y.Scale(float32(sn)))
			put(p, q.Add(n.Scale(float32(r))), n, vec.V2{X: float32(2 * math.Pi * r * float64(k) / float64(seg)), Y: length})
		}
	}
	n := uint32(seg + 1)
	for i := range uint32(len(path) - 1) {
		for k := range uint32(seg) {
			a := base + i*n + k
			p.Index = append(p.Index, a, a+1, a+n+1, a, a+n+1, a+n)
		}
	}
}

// bend rounds the corners of a path with arcs of radius r.
func bend(path []vec.V3, r float32, steps int) []vec.V3 {
	out := []vec.V3{path[0]}
	for i := 1; i < len(path)-1; i++ {
		a, b := path[i-1].Sub(path[i]), path[i+1].Sub(path[i])
		k := min(r, a.Len()*0.45, b.Len()*0.45)
		p, q := path[i].Add(a.Norm().Scale(k)), path[i].Add(b.Norm().Scale(k))
		for j := 0; j <= steps; j++ {
			t := float32(j) / float32(steps)
			out = append(out, vec.Lerp(vec.Lerp(p, path[i], t), vec.Lerp(path[i], q, t), t))
		}
	}
	return append(out, path[len(path)-1])
}

// flange is a bolted ring on a pipe.
func (s *shape) flange(mat int, o, d vec.V3, r float64, bolts int) {
	f := along(o.Sub(d.Norm().Scale(0.05)), d)
	e := 0.012
	s.lathe(mat, f, [][2]float64{{r, 0}, {r*1.35 - e, 0}, {r * 1.35, e}, {r * 1.35, e}, {r * 1.35, 0.1 - e}, {r * 1.35, 0.1 - e}, {r*1.35 - e, 0.1}, {r, 0.1}}, 32)
	for k := range bolts {
		sn, cs := math.Sincos(2 * math.Pi * float64(k) / float64(bolts))
		c := f.point(v(r*1.2*cs, -0.02, r*1.2*sn))
		s.rod(mat, c, c.Add(f.y.Scale(0.14)), 0.018, 6)
	}
}

// field is a signed distance (or anything that changes sign on the surface).
type field func(p vec.V3) float64

// solid turns the zero of a field into a smooth mesh by surface nets (Gibson
// 1998, "Constrained Elastic Surface Nets") on a grid of the given cell.
func (s *shape) solid(mat int, f frame, d field, lo, hi vec.V3, cell float64) {
	p := s.part(mat)
	size := hi.Sub(lo)
	nx, ny, nz := int(float64(size.X)/cell)+2, int(float64(size.Y)/cell)+2, int(float64(size.Z)/cell)+2
	val := make([]float32, (nx+1)*(ny+1)*(nz+1))
	id := func(x, y, z int) int { return (z*(ny+1)+y)*(nx+1) + x }
	spot := func(x, y, z float64) vec.V3 { return lo.Add(v(x*cell, y*cell, z*cell)) }
	for z := 0; z <= nz; z++ {
		for y := 0; y <= ny; y++ {
			for x := 0; x <= nx; x++ {
				val[id(x, y, z)] = float32(d(spot(float64(x), float64(y), float64(z))))
			}
		}
	}
	vert := make(map[int]uint32)
	edges := [12][2]int{{0, 1}, {2, 3}, {4, 5}, {6, 7}, {0, 2}, {1, 3}, {4, 6}, {5, 7}, {0, 4}, {1, 5}, {2, 6}, {3, 7}}
	for z := range nz {
		for y := range ny {
			for x := range nx {
				var c [8]float32
				neg := 0
				for k := range 8 {
					c[k] = val[id(x+k&1, y+k>>1&1, z+k>>2)]
					if c[k] < 0 {
						neg++
					}
				}
				if neg == 0 || neg == 8 {
					continue
				}
				var sx, sy, sz, n float64
				for _, e := range edges {
					a, b := c[e[0]], c[e[1]]
					if (a < 0) == (b < 0) {
						continue
					}
					t := float64(a / (a - b))
					mix := func(sh int) float64 {
						return float64(e[0]>>sh&1)*(1-t) + float64(e[1]>>sh&1)*t
					}
					sx, sy, sz, n = sx+mix(0), sy+mix(1), sz+mix(2), n+1
				}
				q := spot(float64(x)+sx/n, float64(y)+sy/n, float64(z)+sz/n)
				h := cell * 0.5
				g := v(d(q.Add(v(h, 0, 0)))-d(q.Add(v(-h, 0, 0))), d(q.Add(v(0, h, 0)))-d(q.Add(v(0, -h, 0))), d(q.Add(v(0, 0, h)))-d(q.Add(v(0, 0, -h)))).Norm()
				vert[id(x, y, z)] = put(p, f.point(q), f.dir(g), vec.V2{X: q.X + q.Z, Y: -q.Y})
			}
		}
	}
	face := func(a, b, c, e int, flip bool) {
		i, j, k, l := vert[a], vert[b], vert[c], vert[e]
		if flip {
			j, l = l, j
		}
		p.Index = append(p.Index, i, j, k, i, k, l)
	}
	for z := 1; z < nz; z++ {
		for y := 1; y < ny; y++ {
			for x := 1; x < nx; x++ {
				here := val[id(x, y, z)] < 0
				if o := val[id(x+1, y, z)] < 0; here != o {
					face(id(x, y-1, z-1), id(x, y, z-1), id(x, y, z), id(x, y-1, z), !here)
				}
				if o := val[id(x, y+1, z)] < 0; here != o {
					face(id(x-1, y, z-1), id(x-1, y, z), id(x, y, z), id(x, y, z-1), !here)
				}
				if o := val[id(x, y, z+1)] < 0; here != o {
					face(id(x-1, y-1, z), id(x, y-1, z), id(x, y, z), id(x-1, y, z), !here)
				}
			}
		}
	}
}

func capsule(p, a, b vec.V3, ra, rb float64) float64 {
	pa, ba := p.Sub(a), b.Sub(a)
	h := min(max(float64(pa.Dot(ba)/ba.Dot(ba)), 0), 1)
	return float64(pa.Sub(ba.Scale(float32(h))).Len()) - (ra + (rb-ra)*h)
}

func ellipsoid(p, c vec.V3, x, y, z float64) float64 {
	q := p.Sub(c)
	a := v(float64(q.X)/x, float64(q.Y)/y, float64(q.Z)/z)
	b := v(float64(q.X)/(x*x), float64(q.Y)/(y*y), float64(q.Z)/(z*z))
	k := float64(a.Len())
	if l := float64(b.Len()); l > 1e-9 {
		return k * (k - 1) / l
	}
	return -min(x, y, z)
}

// blend is a smooth union with a seam of width k.
func blend(k float64, ds ...float64) float64 {
	d := ds[0]
	for _, e := range ds[1:] {
		h := max(k-math.Abs(d-e), 0) / k
		d = min(d, e) - h*h*k/4
	}
	return d
}

// carve is a smooth difference.
func carve(k, d, e float64) float64 { return -blend(k, -d, e) }
