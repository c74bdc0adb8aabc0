package unwrap

import (
	"math"

	"willowherb/core/vec"
)

// Patch is a chart, or several pieces smaller than a texel, with its texels: W across and H
// down. A corner at (x, y) metres of its chart lies at (x Across, y Down) texels from the
// middle of its first texel.
type Patch struct {
	Chart
	W, H         int
	Across, Down float32 // texels a metre; 0 where the side is smaller than a texel
}

// Fit gives a chart its texels at a density in texels a metre, at most so many a side.
func Fit(c Chart, density float64, most int) Patch {
	p := Patch{Chart: c}
	if long := float64(max(c.W, c.H)) * density; long > float64(most-1) {
		density *= float64(most-1) / long
	}
	side := func(length float32) (int, float32) {
		steps := math.Round(float64(length) * density)
		if steps < 1 || length <= 0 {
			return 1, 0
		}
		return int(steps) + 1, float32(steps) / length
	}
	p.W, p.Across = side(c.W)
	p.H, p.Down = side(c.H)
	return p
}

// Tiny tells a patch of one texel.
func (p *Patch) Tiny() bool { return p.W == 1 && p.H == 1 }

// Corner is a corner of a triangle of the patch, in texels from the middle of the first.
func (p *Patch) Corner(tri, k int) vec.V2 {
	q := p.Flat[3*tri+k]
	return vec.V2{X: q.X * p.Across, Y: q.Y * p.Down}
}

// Stretch of a triangle's texels: how many times as wide in one direction as in another. 1
// for pieces smaller than a texel.
func (p *Patch) Stretch(m *Mesh, tri int) float64 {
	if p.Across == 0 || p.Down == 0 {
		return 1
	}
	t := int(p.Tris[tri])
	a := m.Pos[m.Index[3*t]]
	e, f := m.Pos[m.Index[3*t+1]].Sub(a), m.Pos[m.Index[3*t+2]].Sub(a)
	// The surface in a plane of its own, and what takes it to texels; its singular values.
	x := e.Norm()
	n := e.Cross(f).Norm()
	y := n.Cross(x)
	ex, fx, fy := float64(e.Dot(x)), float64(f.Dot(x)), float64(f.Dot(y))
	o := p.Corner(tri, 0)
	s, q := p.Corner(tri, 1), p.Corner(tri, 2)
	su, sv, qu, qv := float64(s.X-o.X), float64(s.Y-o.Y), float64(q.X-o.X), float64(q.Y-o.Y)
	if ex == 0 || fy == 0 {
		return 1
	}
	a11, a21 := su/ex, sv/ex
	a12, a22 := (qu-a11*fx)/fy, (qv-a21*fx)/fy
	sum, diff := a11*a11+a12*a12+a21*a21+a22*a22, a11*a22-a12*a21
	largest := (sum + math.Sqrt(max(sum*sum-4*diff*diff, 0))) / 2
	if diff == 0 {
		return math.Inf(1)
	}
	return largest / math.Abs(diff)
}

// Place is where a texel's light is asked for: a triangle of the patch, by its number in the
// mesh, and the place on it. Far is how far from the middle, in texels, it had to be moved to
// lie on the surface. A negative Tri is none.
type Place struct {
	Tri  int32
	U, V float32
	Far  float32
}

// Places finds the surface under each part of each texel: sub x sub parts a texel, row by row
// of parts, W sub across. Where nothing lies under a part, the nearest place stands for it, if
// the texel is one that a look-up between four texels can come to; else there is none.
func (p *Patch) Places(sub int) []Place {
	w, h := p.W*sub, p.H*sub
	out := make([]Place, w*h)
	for i := range out {
		out[i] = Place{Tri: -1, Far: inf}
	}
	if p.Tiny() {
		p.spots(out)
		return out
	}
	need := make([]float32, p.W*p.H) // how far the surface is from a texel's middle
	for i := range need {
		need[i] = inf
	}
	s := float32(sub)
	for i, t := range p.Tris {
		c := [3]vec.V2{p.spread(i, 0), p.spread(i, 1), p.spread(i, 2)}
		x0, x1 := min(c[0].X, c[1].X, c[2].X), max(c[0].X, c[1].X, c[2].X)
		y0, y1 := min(c[0].Y, c[1].Y, c[2].Y), max(c[0].Y, c[1].Y, c[2].Y)
		for y := max(int((y0-1)*s), 0); y < min(int((y1+1.5)*s)+1, h); y++ {
			for x := max(int((x0-1)*s), 0); x < min(int((x1+1.5)*s)+1, w); x++ {
				q := vec.V2{X: (float32(x)+0.5)/s - 0.5, Y: (float32(y)+0.5)/s - 0.5}
				u, v, far := nearest(c, q)
				if far > 0 {
					u, v = inwards(c, u, v)
				}
				if o := &out[y*w+x]; far < o.Far {
					*o = Place{t, u, v, far}
				}
			}
		}
		for y := max(int(y0)-1, 0); y < min(int(y1)+3, p.H); y++ {
			for x := max(int(x0)-1, 0); x < min(int(x1)+3, p.W); x++ {
				_, _, far := nearest(c, vec.V2{X: float32(x), Y: float32(y)})
				need[y*p.W+x] = min(need[y*p.W+x], far)
			}
		}
	}
	for i := range out {
		if need[i/w/sub*p.W+i%w/sub] >= reach {
			out[i] = Place{Tri: -1, Far: inf}
		}
	}
	return out
}

// spread is Corner with a side that is smaller than a texel as wide as one: what lies on it is
// spread over the texel.
func (p *Patch) spread(tri, k int) vec.V2 {
	q := p.Corner(tri, k)
	f := p.Flat[3*tri+k]
	if p.Across == 0 && p.Chart.W > 0 {
		q.X = f.X/p.Chart.W - 0.5
	}
	if p.Down == 0 && p.Chart.H > 0 {
		q.Y = f.Y/p.Chart.H - 0.5
	}
	return q
}

// reach is how far from a texel's middle, in texels, a look-up may come to it and tell.
const reach = 1.35

// spots are places of pieces that share one texel: spread over their area.
func (p *Patch) spots(out []Place) {
	var all float32
	area := make([]float32, len(p.Tris))
	for i := range p.Tris {
		a, b, c := p.Flat[3*i], p.Flat[3*i+1], p.Flat[3*i+2]
		area[i] = max(((b.X-a.X)*(c.Y-a.Y)-(c.X-a.X)*(b.Y-a.Y))/2, -((b.X-a.X)*(c.Y-a.Y)-(c.X-a.X)*(b.Y-a.Y))/2, 1e-12)
		all += area[i]
	}
	i, sum := 0, area[0]
	for k := range out {
		for at := all * (float32(k) + 0.5) / float32(len(out)); sum < at && i < len(area)-1; {
			i++
			sum += area[i]
		}
		out[k] = Place{Tri: p.Tris[i], U: 1.0 / 3, V: 1.0 / 3}
	}
}

// inside is how far from the border of a triangle, in texels, a place is taken that would lie
// on it: on the very edge, where surfaces meet, nothing can be asked.
const inside = 0.08

// inwards moves a place on a triangle's border a little towards its middle.
func inwards(c [3]vec.V2, u, v float32) (float32, float32) {
	du, dv := 1.0/3-u, 1.0/3-v
	dx := du*(c[1].X-c[0].X) + dv*(c[2].X-c[0].X)
	dy := du*(c[1].Y-c[0].Y) + dv*(c[2].Y-c[0].Y)
	k := min(inside/max(float32(math.Hypot(float64(dx), float64(dy))), 1e-6), 0.5)
	return u + k*du, v + k*dv
}

// nearest is the place of a triangle nearest to q, as shares of its second and third corner,
// and how far that is.
func nearest(c [3]vec.V2, q vec.V2) (u, v, far float32) {
	ex, ey, fx, fy := c[1].X-c[0].X, c[1].Y-c[0].Y, c[2].X-c[0].X, c[2].Y-c[0].Y
	dx, dy := q.X-c[0].X, q.Y-c[0].Y
	if det := ex*fy - fx*ey; det > 1e-9 || det < -1e-9 {
		u, v = (dx*fy-fx*dy)/det, (ex*dy-dx*ey)/det
		if u >= 0 && v >= 0 && u+v <= 1 {
			return u, v, 0
		}
	}
	far = inf
	for k := range 3 {
		a, b := c[k], c[(k+1)%3]
		gx, gy := b.X-a.X, b.Y-a.Y
		l := gx*gx + gy*gy
		var t float32
		if l > 0 {
			t = min(max(((q.X-a.X)*gx+(q.Y-a.Y)*gy)/l, 0), 1)
		}
		ox, oy := a.X+t*gx-q.X, a.Y+t*gy-q.Y
		if d := ox*ox + oy*oy; d < far {
			far = d
			switch k {
			case 0:
				u, v = t, 0
			case 1:
				u, v = 1-t, t
			default:
				u, v = 0, 1-t
			}
		}
	}
	return u, v, float32(math.Sqrt(float64(far)))
}

// Together makes of pieces smaller than a texel that lie in one cell of space, a texel wide,
// and face the same way, one patch. The others stay as they are, in their order.
func Together(m *Mesh, patches []Patch, density float64) []Patch {
	type cell struct {
		x, y, z int32
		face    int8
	}
	at := map[cell]int{}
	out := patches[:0:0]
	for _, p := range patches {
		if !p.Tiny() {
			out = append(out, p)
			continue
		}
		o := m.Pos[m.Index[3*p.Tris[0]]].Scale(float32(density))
		floor := func(v float32) int32 { return int32(math.Floor(float64(v))) }
		k := cell{floor(o.X), floor(o.Y), floor(o.Z), faceOf(p.Axis)}
		if i, ok := at[k]; ok {
			q := &out[i]
			q.Tris, q.Flat, q.Area = append(q.Tris, p.Tris...), append(q.Flat, p.Flat...), q.Area+p.Area
			continue
		}
		at[k] = len(out)
		p.Tris, p.Flat = append([]int32(nil), p.Tris...), append([]vec.V2(nil), p.Flat...)
		out = append(out, p)
	}
	return out
}

// faceOf is which of six ways a direction goes most.
func faceOf(n vec.V3) int8 {
	a, b, c := max(n.X, -n.X), max(n.Y, -n.Y), max(n.Z, -n.Z)
	f, v := int8(4), n.Z
	if a >= b && a >= c {
		f, v = 0, n.X
	} else if b >= c {
		f, v = 2, n.Y
	}
	if v < 0 {
		f++
	}
	return f
}
