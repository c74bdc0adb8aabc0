package drawn

import (
	"context"
	"math"

	"willowherb/core/light"
	"willowherb/core/scene"
	"willowherb/core/spread"
	"willowherb/core/vec"
	"willowherb/core/world"
)

// Settings are how a light's shadow is drawn.
type Settings struct {
	Size      int     // side of a map in texels
	Bias      float64 // metres along the light's ray
	Normal    float64 // texels along the surface's normal
	Filter    float64 // width of the filter in texels; 0: hard texels
	Cascades  int     // of a sun
	Distance  float64 // from the eye, where a sun's shadows end
	Contact   float64 // length of contact shadows; 0: none
	Thickness float64 // that contact shadows take things to have
	Traced    int     // rays to the light instead of a map; 0: the map
	Every     int     // frames in which the maps are drawn once; 0 and 1: in each
}

// near is where maps of lamps begin.
const near = 0.02

// Face is one depth map with its projection.
type Face struct {
	pos, x, y, z vec.V3
	ortho        bool
	half         float32 // tangent of the half-angle, or half the width in metres
	size         int
	depth        []float32 // along z, metres; +Inf where nothing is
	reach        float32   // of a lamp's light
	end          float32   // of a cascade: how far from the eye it serves
}

// Maps are a light's depth maps.
type Maps struct {
	Faces []Face
	sun   bool
	eye   vec.V3
	aim   vec.V3
}

// Draw draws a light's maps; the view places a sun's cascades.
func Draw(ctx context.Context, w *world.World, l *light.Light, s Settings, v world.Camera, aspect float64, workers int) (*Maps, error) {
	m := Plan(l, s, v, aspect)
	err := spread.Over(ctx, len(m.Faces), workers, func(i int) { m.Faces[i].draw(w) })
	return m, err
}

// Plan says which maps a light has, with nothing drawn into them yet.
func Plan(l *light.Light, s Settings, v world.Camera, aspect float64) *Maps {
	m := &Maps{sun: l.Distant(), eye: v.Eye, aim: v.Aim.Norm()}
	size := min(max(s.Size, 1), 8192)
	// Room at the border for the filter.
	border := 1 + float32(2*(s.Filter+2)/float64(size))
	reach := float32(math.Inf(1))
	if l.Range > 0 {
		reach = l.Range
	}
	add := func(z, up vec.V3, half float32) {
		x := z.Cross(up).Norm()
		if x == (vec.V3{}) {
			x, _ = vec.Basis(z)
		}
		m.Faces = append(m.Faces, Face{pos: l.Pos, x: x, y: x.Cross(z), z: z, half: half, size: size, reach: reach})
	}
	up := vec.V3{Y: 1}
	switch plan, maps, half := l.Plan(); plan {
	case light.Cascades:
		m.cascades(l, s, v, aspect, size)
	case light.Forward:
		t := float32(math.Tan(half)) * border
		add(l.Aim, up, t)
		if maps > 1 {
			add(l.Aim.Neg(), up, t)
		}
	case light.Around:
		for _, z := range []vec.V3{{X: 1}, {X: -1}, {Y: 1}, {Y: -1}, {Z: 1}, {Z: -1}} {
			u := up
			if z.Y != 0 {
				u = vec.V3{Z: 1}
			}
			add(z, u, border)
		}
	}
	return m
}

// cascades cuts the view into slices, between even and logarithmic steps (Zhang
// et al. 2006, "Parallel-split shadow maps"), and fits a map round each one's
// sphere, moved by whole texels so that it does not crawl.
func (m *Maps) cascades(l *light.Light, s Settings, v world.Camera, aspect float64, size int) {
	n := max(s.Cascades, 1)
	const first = 0.1
	last := max(s.Distance, 1)
	z := l.Aim
	x := z.Cross(vec.V3{Y: 1}).Norm()
	if x == (vec.V3{}) {
		x, _ = vec.Basis(z)
	}
	y := x.Cross(z)
	t := math.Tan(v.FovY / 2)
	diag := math.Sqrt(1 + t*t*(1+aspect*aspect))
	from := first
	for i := 1; i <= n; i++ {
		k := float64(i) / float64(n)
		to := 0.75*first*math.Pow(last/first, k) + 0.25*(first+(last-first)*k)
		// The sphere through the slice's near and far corners.
		c := min((from+to)/2*(1+t*t*(1+aspect*aspect)), to)
		r := math.Sqrt(math.Pow(to-c, 2) + math.Pow(to*math.Sqrt(diag*diag-1), 2))
		centre := v.Eye.Add(m.aim.Scale(float32(c)))
		texel := float32(2 * r / float64(size))
		snap := func(d vec.V3) vec.V3 {
			p := centre.Dot(d)
			return d.Scale(float32(math.Round(float64(p/texel)))*texel - p)
		}
		centre = centre.Add(snap(x)).Add(snap(y))
		m.Faces = append(m.Faces, Face{pos: centre, x: x, y: y, z: z, ortho: true, half: float32(r), size: size, end: float32(to)})
		from = to
	}
}

// draw rasterises all casters into the map.
func (f *Face) draw(w *world.World) {
	f.depth = make([]float32, f.size*f.size)
	for i := range f.depth {
		f.depth[i] = float32(math.Inf(1))
	}
	s := w.S
	var skip []bool
	for i := range s.Objects {
		o := &s.Objects[i]
		skip = append(skip, !w.Casts(i) || f.Misses(o.Lo, o.Hi))
	}
	for t := range s.Mat {
		if skip[s.Obj[t]] {
			continue
		}
		m := &s.Materials[s.Mat[t]]
		if m.Transmission > 0.5 {
			continue
		}
		a, b, c := s.Corner(uint32(t))
		if p := [3]vec.V3{f.local(s.V.Pos[a]), f.local(s.V.Pos[b]), f.local(s.V.Pos[c])}; !f.beyond(&p) {
			f.triangle(w.S, m, uint32(t), p)
		}
	}
}

// beyond tells triangles that lie wholly behind the map, or off one of its sides.
func (f *Face) beyond(p *[3]vec.V3) bool {
	a, b, c := f.half, f.half, f.half
	if !f.ortho {
		if p[0].Z < near && p[1].Z < near && p[2].Z < near {
			return true
		}
		a, b, c = a*p[0].Z, b*p[1].Z, c*p[2].Z
	}
	return p[0].X > a && p[1].X > b && p[2].X > c || p[0].X < -a && p[1].X < -b && p[2].X < -c ||
		p[0].Y > a && p[1].Y > b && p[2].Y > c || p[0].Y < -a && p[1].Y < -b && p[2].Y < -c
}

func (f *Face) local(p vec.V3) vec.V3 {
	d := p.Sub(f.pos)
	return vec.V3{X: d.Dot(f.x), Y: d.Dot(f.y), Z: d.Dot(f.z)}
}

// Misses tells boxes that lie wholly outside the map, by the sphere about each.
func (f *Face) Misses(lo, hi vec.V3) bool {
	c := f.local(vec.Lerp(lo, hi, 0.5))
	r := hi.Sub(lo).Len() / 2
	if f.ortho {
		return c.X > f.half+r || c.X < -f.half-r || c.Y > f.half+r || c.Y < -f.half-r
	}
	if c.Z < -r || c.Len() > f.reach+r {
		return true
	}
	n := float32(math.Sqrt(float64(1 + f.half*f.half)))
	for _, k := range []float32{c.X, -c.X, c.Y, -c.Y} {
		if (k-f.half*c.Z)/n > r {
			return true
		}
	}
	return false
}

// corner is a vertex in texels, with what is linear on the screen: 1/z for a lamp,
// z for a sun; u and v are barycentric, times the same. A floor that passes close
// under a lamp has corners a million texels away: they need every digit.
type corner struct{ x, y, w, u, v float64 }

func (f *Face) triangle(s *scene.Scene, m *scene.Material, t uint32, p [3]vec.V3) {
	// The front is seen where the winding runs against the light's way; the map's axes
	// are left-handed, which turns the sign.
	n := p[1].Sub(p[0]).Cross(p[2].Sub(p[0]))
	facing := n.Z
	if !f.ortho {
		facing = n.Dot(p[0])
	}
	if facing <= 0 && !m.DoubleSided {
		return
	}
	type clip struct {
		p    vec.V3
		u, v float32
	}
	poly := []clip{{p[0], 0, 0}, {p[1], 1, 0}, {p[2], 0, 1}}
	if !f.ortho && (p[0].Z < near || p[1].Z < near || p[2].Z < near) {
		var out []clip
		for i := range poly {
			a, b := poly[i], poly[(i+1)%3]
			if a.p.Z >= near {
				out = append(out, a)
			}
			if (a.p.Z >= near) != (b.p.Z >= near) {
				k := (near - a.p.Z) / (b.p.Z - a.p.Z)
				out = append(out, clip{vec.Lerp(a.p, b.p, k), a.u + (b.u-a.u)*k, a.v + (b.v-a.v)*k})
			}
		}
		if poly = out; len(poly) < 3 {
			return
		}
	}
	h := float64(f.size) / 2
	k := h / float64(f.half)
	at := func(c clip) corner {
		x, y, z, u, v := float64(c.p.X), float64(c.p.Y), float64(c.p.Z), float64(c.u), float64(c.v)
		if f.ortho {
			return corner{h + k*x, h - k*y, z, u, v}
		}
		w := 1 / z
		return corner{h + k*x*w, h - k*y*w, w, u * w, v * w}
	}
	first := at(poly[0])
	for i := 2; i < len(poly); i++ {
		f.fill(s, m, t, first, at(poly[i-1]), at(poly[i]))
	}
}

// middles are the first and the last texel of a row whose middles lie between the least and the
// most of three places; the first is over the last where there is none.
func middles(p, q, r float64, size int) (first, last int) {
	if q < p {
		p, q = q, p
	}
	if r < p {
		p = r
	} else if r > q {
		q = r
	}
	if q < 0.5 || p > float64(size)-0.5 {
		return 1, 0
	}
	return int(math.Ceil(math.Max(p-0.5, 0))), int(math.Floor(math.Min(q-0.5, float64(size-1))))
}

// fill draws the texels whose middles lie in a triangle.
func (f *Face) fill(s *scene.Scene, m *scene.Material, t uint32, a, b, c corner) {
	area := (b.x-a.x)*(c.y-a.y) - (c.x-a.x)*(b.y-a.y)
	if area == 0 || area != area {
		return
	}
	x0, x1 := middles(a.x, b.x, c.x, f.size)
	y0, y1 := middles(a.y, b.y, c.y, f.size)
	if x0 > x1 || y0 > y1 {
		return // most are smaller than a texel
	}
	k := 1 / area
	// How u, v and w grow along a row.
	du, dv := (c.y-a.y)*k, -(b.y-a.y)*k
	dw := du*(b.w-a.w) + dv*(c.w-a.w)
	for y := y0; y <= y1; y++ {
		px, py := float64(x0)+0.5-a.x, float64(y)+0.5-a.y
		u := (px*(c.y-a.y) - (c.x-a.x)*py) * k
		v := ((b.x-a.x)*py - px*(b.y-a.y)) * k
		w := a.w + u*(b.w-a.w) + v*(c.w-a.w)
		// The part of the row that lies in the triangle: u, v and 1-u-v are not negative.
		from, to := 0.0, float64(x1-x0)
		for _, e := range [3][2]float64{{u, du}, {v, dv}, {1 - u - v, -du - dv}} {
			switch {
			case e[1] > 0:
				from = max(from, -e[0]/e[1])
			case e[1] < 0:
				to = min(to, -e[0]/e[1])
			case e[0] < 0:
				to = -1
			}
		}
		first := math.Ceil(from)
		if first > to {
			continue
		}
		u, v, w = u+first*du, v+first*dv, w+first*dw
		row := f.depth[y*f.size : (y+1)*f.size]
		last := x0 + int(math.Floor(to))
		for x := x0 + int(first); x <= last; x, u, v, w = x+1, u+du, v+dv, w+dw {
			z := float32(w)
			if !f.ortho {
				z = float32(1 / w)
			}
			if z >= row[x] {
				continue
			}
			if m.Alpha != scene.Opaque {
				bu, bv := a.u+u*(b.u-a.u)+v*(c.u-a.u), a.v+u*(b.v-a.v)+v*(c.v-a.v)
				if !f.ortho {
					bu, bv = bu/w, bv/w
				}
				p := s.PointAt(t, float32(bu), float32(bv))
				if s.Alpha(m, &p) < 0.5 {
					continue
				}
			}
			row[x] = z
		}
	}
}

// face finds the map that serves a point; nil where none does.
func (m *Maps) face(p vec.V3) *Face {
	if m.sun {
		d := p.Sub(m.eye).Dot(m.aim)
		for i := range m.Faces {
			if d <= m.Faces[i].end {
				return &m.Faces[i]
			}
		}
		return nil
	}
	if len(m.Faces) <= 2 {
		for i := range m.Faces {
			if q := m.Faces[i].local(p); q.Z > near {
				return &m.Faces[i]
			}
		}
		return nil
	}
	d := p.Sub(m.Faces[0].pos)
	x, y, z := abs(d.X), abs(d.Y), abs(d.Z)
	k := 4
	v := d.Z
	if x >= y && x >= z {
		k, v = 0, d.X
	} else if y >= z {
		k, v = 2, d.Y
	}
	if v < 0 {
		k++
	}
	return &m.Faces[k]
}

func abs(x float32) float32 { return max(x, -x) }

// Texel is how wide a texel is at p, in metres; 0 where no map serves.
func (m *Maps) Texel(p vec.V3) float32 {
	f := m.face(p)
	if f == nil {
		return 0
	}
	w := 2 * f.half / float32(f.size)
	if !f.ortho {
		w *= max(f.local(p).Z, 0)
	}
	return w
}

// Lit is the share of the light that the maps let through to p on a surface with
// normal n.
func (m *Maps) Lit(p, n vec.V3, s *Settings) float32 {
	f := m.face(p)
	if f == nil {
		return 1
	}
	q := f.local(p.Add(n.Scale(m.Texel(p) * float32(s.Normal))))
	h := float32(f.size) / 2
	var x, y float32
	if f.ortho {
		x, y = h+h*q.X/f.half, h-h*q.Y/f.half
	} else {
		if q.Z < near {
			return 1
		}
		x, y = h+h*q.X/(q.Z*f.half), h-h*q.Y/(q.Z*f.half)
	}
	limit := q.Z - float32(s.Bias)
	if s.Filter <= 0 {
		i, j := int(math.Floor(float64(x))), int(math.Floor(float64(y)))
		if i < 0 || j < 0 || i >= f.size || j >= f.size || f.depth[j*f.size+i] >= limit {
			return 1
		}
		return 0
	}
	// The filter's square over the texels, each by how much of it lies there.
	w := float32(s.Filter)
	x0, y0, x1, y1 := x-w/2, y-w/2, x+w/2, y+w/2
	var lit float32
	for j := int(math.Floor(float64(y0))); float32(j) < y1; j++ {
		ky := min(y1, float32(j+1)) - max(y0, float32(j))
		for i := int(math.Floor(float64(x0))); float32(i) < x1; i++ {
			kx := min(x1, float32(i+1)) - max(x0, float32(i))
			if i < 0 || j < 0 || i >= f.size || j >= f.size || f.depth[j*f.size+i] >= limit {
				lit += kx * ky
			}
		}
	}
	return min(lit/(w*w), 1)
}
