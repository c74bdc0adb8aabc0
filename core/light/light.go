// Package light samples every kind of light: given a point it yields a
// direction, a distance and what arrives, for a light that is white and of unit
// output. Colour, output and stops are applied to finished layers, never here.
//
// Unit output means: one candela (point, spot; tube, square to it), one lumen
// (with a profile), one cd/m2 (rect, disc, sky, emissive), one lux at normal
// incidence (sun). Conversions from lumens are in photometry.
package light

import (
	"math"
	"sort"

	"willowherb/core/photometry"
	"willowherb/core/sampling"
	"willowherb/core/scene"
	"willowherb/core/vec"
)

// Kind is a kind of light.
type Kind uint8

// Kinds of light.
const (
	Sun Kind = iota
	Point
	Spot
	Rect
	Disc
	Sky
	Emissive
	Tube
)

// Light is a light ready for sampling.
type Light struct {
	ID     uint32 // names its random dimensions, so that it draws the same numbers alone and in company
	Kind   Kind
	Pos    vec.V3
	Aim    vec.V3 // unit; where sun, spot, rect and disc shine to
	U, V   vec.V3 // unit axes across Aim: a rect's sides, a tube's length along U
	Radius float32
	W, H   float32 // metres, rect
	Length float32 // metres, tube
	// TwoSided makes a rect or disc shine to both sides.
	TwoSided bool
	// NoDiffuse and NoSpecular are the shares that matt and glossy reflection do
	// not show of it, 0 to 1.
	NoDiffuse, NoSpecular float32
	// OneMinusCos of the sun's angular radius.
	OneMinusCos        float32
	CosInner, CosOuter float32
	Range              float32
	Shadow             bool
	Channels           uint8
	Gradient           Gradient
	shine              float32 // radiance of the light's own surface at unit output; intensity where it has none
	tris               []uint32
	sums               []float32 // running sum of areas
	scene              *scene.Scene
	doors              *Doors
	gobo               *Gobo
	grid               float32 // tangent of the honeycomb's half-angle; 0: none
	profile            *photometry.Profile
	pu, pv             vec.V3  // the profile's axes
	perLumen           float64 // one over the profile's flux
}

// Gradient is a sky: linear colours multiplied by the light's colour and
// output. The zenith and the horizon blend by the sine of elevation to the
// power Falloff; below the horizon lies Ground.
type Gradient struct {
	Zenith, Horizon, Ground vec.V3
	Falloff                 float32
}

// Uniform is a sky of the same luminance everywhere.
var Uniform = Gradient{vec.Splat(1), vec.Splat(1), vec.Splat(1), 1}

// Radiance of the sky towards the unit direction d.
func (g *Gradient) Radiance(d vec.V3) vec.V3 {
	if d.Y < 0 {
		// A soft seam of about two degrees, as haze makes it.
		return vec.Lerp(g.Horizon, g.Ground, min(-d.Y*30, 1))
	}
	k := d.Y
	if g.Falloff != 1 {
		k = float32(math.Pow(float64(d.Y), float64(g.Falloff)))
	}
	return vec.Lerp(g.Horizon, g.Zenith, k)
}

// Prepare derives what sampling needs; call it once after filling the fields.
func (l *Light) Prepare() {
	l.Aim = l.Aim.Norm()
	switch l.Kind {
	case Sun:
		// E = pi L sin^2; sin^2 = h (2 - h) with h = 1 - cos.
		if l.OneMinusCos > 0 {
			l.shine = 1 / (math.Pi * l.OneMinusCos * (2 - l.OneMinusCos))
		} else {
			l.shine = 1
		}
	case Point, Spot:
		l.shine = 1
		if l.Radius > 0 {
			l.shine = 1 / (math.Pi * l.Radius * l.Radius)
		}
	case Tube:
		l.shine = 1
		if _, side := l.tubeArea(); side > 0 {
			l.shine = 1 / side
		}
	default:
		l.shine = 1
	}
	if l.U == (vec.V3{}) && l.Aim != (vec.V3{}) {
		l.U, l.V = vec.Basis(l.Aim)
	}
}

// SetTriangles makes l the light of the scene's triangles tris (of one emissive
// material).
func (l *Light) SetTriangles(s *scene.Scene, tris []uint32) {
	l.scene, l.tris = s, tris
	l.sums = make([]float32, len(tris))
	var sum float64
	for i, t := range tris {
		a, _ := s.Area(t)
		sum += float64(a)
		l.sums[i] = float32(sum)
	}
}

// Area returns the shining area in square metres (rect, disc, emissive).
func (l *Light) Area() float32 {
	switch l.Kind {
	case Rect:
		return l.W * l.H
	case Disc:
		return math.Pi * l.Radius * l.Radius
	case Emissive:
		if len(l.sums) > 0 {
			return l.sums[len(l.sums)-1]
		}
	}
	return 0
}

// Sample is one chosen direction.
type Sample struct {
	Dir  vec.V3
	Dist float32 // to the light; +Inf for sky and sun
	// Weight is radiance over density: times reflectance and cosine it estimates
	// what the light gives.
	Weight vec.V3
	// Pdf per steradian; 0 for a light without extent, which no other strategy finds.
	Pdf float32
}

var inf = float32(math.Inf(1))

// Reaches reports cheaply whether anything of l can arrive at p with normal n.
func (l *Light) Reaches(p, n vec.V3) bool {
	switch l.Kind {
	case Sun:
		return l.Aim.Dot(n) < l.OneMinusCos*40+0.02
	case Sky:
		return true
	case Emissive:
		return len(l.tris) > 0
	}
	d := p.Sub(l.Pos)
	d2 := d.Dot(d)
	if l.Range > 0 && d2 >= l.Range*l.Range {
		return false
	}
	reach := l.Radius
	switch l.Kind {
	case Rect:
		reach = l.W + l.H
	case Tube:
		reach += l.Length / 2
	}
	// The whole light lies below the surface.
	if n.Dot(d) > reach {
		return false
	}
	switch l.Kind {
	case Spot:
		return d.Dot(l.Aim) > 0 && d.Dot(l.Aim) >= l.CosOuter*d.Len()*0.9999
	case Rect, Disc:
		return l.TwoSided || d.Dot(l.Aim) > 0
	}
	return true
}

// window is the range factor without its inverse square.
func (l *Light) window(d2 float32) float32 {
	if l.Range <= 0 {
		return 1
	}
	q := d2 / (l.Range * l.Range)
	return min(max(1-q*q, 0), 1)
}

// capHeight is 1 - cos of the angle whose squared sine is given: of the cone
// under which a sphere is seen. Small angles by series, to keep their digits.
func capHeight(sin2 float32) float32 {
	if sin2 < 1e-3 {
		return sin2/2 + sin2*sin2/8
	}
	return 1 - float32(math.Sqrt(float64(1-sin2)))
}

// Sample chooses a direction from p (normal n) towards the light. ok is false
// where nothing arrives.
func (l *Light) Sample(p, n vec.V3, u vec.V2) (s Sample, ok bool) {
	switch l.Kind {
	case Sun:
		s.Dist = inf
		if l.OneMinusCos == 0 {
			s.Dir, s.Weight = l.Aim.Neg(), vec.Splat(1)
			return s, true
		}
		w := l.Aim.Neg()
		t, b := vec.Basis(w)
		c := sampling.Cone(u, l.OneMinusCos)
		s.Dir = t.Scale(c.X).Add(b.Scale(c.Y)).Add(w.Scale(c.Z))
		s.Pdf = 1 / (2 * math.Pi * l.OneMinusCos)
		s.Weight = vec.Splat(l.shine / s.Pdf)
	case Sky:
		t, b := vec.Basis(n)
		c := sampling.CosineHemisphere(u)
		s.Dir = t.Scale(c.X).Add(b.Scale(c.Y)).Add(n.Scale(c.Z)).Norm()
		s.Dist = inf
		s.Pdf = max(c.Z, 1e-6) / math.Pi
		s.Weight = l.Gradient.Radiance(s.Dir).Scale(1 / s.Pdf)
	case Point, Spot:
		d := l.Pos.Sub(p)
		d2 := d.Dot(d)
		if l.Radius <= 0 {
			k := l.filter(l.Pos, p)
			if k == (vec.V3{}) {
				return s, false
			}
			dist := float32(math.Sqrt(float64(d2)))
			s.Dir, s.Dist, s.Weight = d.Scale(1/dist), dist, k.Scale(1/d2)
			return s, true
		}
		r2 := l.Radius * l.Radius
		if d2 <= r2 {
			return s, false
		}
		h := capHeight(r2 / d2)
		s.Dir = towardsSphere(d, l.Radius, u)
		// Distance to the near side of the sphere along the direction.
		cos := s.Dir.Dot(d)
		s.Dist = cos - float32(math.Sqrt(float64(max(0, r2-(d2-cos*cos)))))
		s.Pdf = 1 / (2 * math.Pi * h)
		s.Weight = l.filter(p.Add(s.Dir.Scale(s.Dist)), p).Scale(l.shine / s.Pdf)
		return s, s.Weight != (vec.V3{})
	case Tube:
		return l.sampleTube(p, u)
	case Rect:
		q := l.Pos.Add(l.U.Scale((u.X - 0.5) * l.W)).Add(l.V.Scale((u.Y - 0.5) * l.H))
		return l.area(p, q, l.W*l.H)
	case Disc:
		x, y := sampling.ConcentricDisc(u)
		t, b := vec.Basis(l.Aim)
		q := l.Pos.Add(t.Scale(x * l.Radius)).Add(b.Scale(y * l.Radius))
		return l.area(p, q, math.Pi*l.Radius*l.Radius)
	case Emissive:
		return l.sampleTriangle(p, u)
	}
	return s, s.Pdf > 0
}

func (l *Light) area(p, q vec.V3, area float32) (s Sample, ok bool) {
	d := q.Sub(p)
	d2 := d.Dot(d)
	if d2 == 0 {
		return s, false
	}
	s.Dist = float32(math.Sqrt(float64(d2)))
	s.Dir = d.Scale(1 / s.Dist)
	cos := -s.Dir.Dot(l.Aim)
	if l.TwoSided && cos < 0 {
		cos = -cos
	}
	if cos <= 1e-6 {
		return s, false
	}
	k := l.filter(q, p)
	s.Pdf = d2 / (cos * area)
	s.Weight = k.Scale(l.shine / s.Pdf)
	return s, k != (vec.V3{})
}

// towardsSphere chooses a unit direction within the cone under which a sphere of
// radius r round the far point d (from the eye, farther than r) is seen.
func towardsSphere(d vec.V3, r float32, u vec.V2) vec.V3 {
	d2 := d.Dot(d)
	w := d.Scale(1 / float32(math.Sqrt(float64(d2))))
	t, b := vec.Basis(w)
	c := sampling.Cone(u, capHeight(r*r/d2))
	return t.Scale(c.X).Add(b.Scale(c.Y)).Add(w.Scale(c.Z))
}

func (l *Light) sampleTriangle(p vec.V3, u vec.V2) (s Sample, ok bool) {
	total := l.Area()
	if total <= 0 {
		return s, false
	}
	x := u.X * total
	i := min(sort.Search(len(l.sums), func(i int) bool { return l.sums[i] > x }), len(l.tris)-1)
	lo := float32(0)
	if i > 0 {
		lo = l.sums[i-1]
	}
	if w := l.sums[i] - lo; w > 0 {
		u.X = min(max((x-lo)/w, 0), 1)
	}
	r := float32(math.Sqrt(float64(u.X)))
	sp := l.scene.PointAt(l.tris[i], r*(1-u.Y), r*u.Y)
	m := &l.scene.Materials[l.scene.Mat[l.tris[i]]]
	d := sp.Pos.Sub(p)
	d2 := d.Dot(d)
	if d2 == 0 {
		return s, false
	}
	s.Dist = float32(math.Sqrt(float64(d2)))
	s.Dir = d.Scale(1 / s.Dist)
	cos := -s.Dir.Dot(sp.Ng)
	if m.DoubleSided && cos < 0 {
		cos = -cos
	}
	if cos <= 1e-6 {
		return s, false
	}
	s.Pdf = d2 / (cos * total)
	s.Weight = l.scene.Emission(m, &sp).Scale(1 / s.Pdf)
	// Stop short of the shining surface itself.
	s.Dist *= 1 - 2e-4
	return s, true
}

// TrianglePdf is the density with which Sample chooses a hit on one of l's
// triangles at distance dist under the cosine cos of its own normal.
func (l *Light) TrianglePdf(dist, cos float32) float32 {
	a := l.Area()
	if a <= 0 || cos <= 1e-6 {
		return 0
	}
	return dist * dist / (cos * a)
}

// Escape returns what a ray that leaves the place along d finds of l, and the
// density with which Sample from a point with normal n would have chosen d.
func (l *Light) Escape(n, d vec.V3) (radiance vec.V3, pdf float32) {
	switch l.Kind {
	case Sky:
		return l.Gradient.Radiance(d), max(d.Dot(n), 0) / math.Pi
	case Sun:
		if l.OneMinusCos > 0 && 1+d.Dot(l.Aim) <= l.OneMinusCos {
			return vec.Splat(l.shine), 1 / (2 * math.Pi * l.OneMinusCos)
		}
	}
	return
}

// Meet returns what a ray from o along d finds of l's own surface between near
// and far, with the density of Sample for that direction.
func (l *Light) Meet(o, d vec.V3, near, far float32) (radiance vec.V3, pdf float32) {
	switch l.Kind {
	case Point, Spot:
		if l.Radius <= 0 {
			return
		}
		c := l.Pos.Sub(o)
		b := c.Dot(d)
		c2 := c.Dot(c)
		r2 := l.Radius * l.Radius
		q := r2 - (c2 - b*b)
		if q <= 0 || b <= 0 || c2 <= r2 {
			return
		}
		t := b - float32(math.Sqrt(float64(q)))
		if t > far || t <= near {
			return
		}
		h := capHeight(r2 / c2)
		return l.filter(o.Add(d.Scale(t)), o).Scale(l.shine), 1 / (2 * math.Pi * h)
	case Tube:
		if l.Radius <= 0 || l.insideTube(o) {
			return
		}
		pdf, t := l.tubePdf(o, d)
		if pdf <= 0 || t > far || t <= near {
			return radiance, 0
		}
		return l.filter(o.Add(d.Scale(t)), o).Scale(l.shine), pdf
	case Rect, Disc:
		cos := -d.Dot(l.Aim)
		c := l.Pos.Sub(o)
		t := -c.Dot(l.Aim) / cos
		if l.TwoSided && cos < 0 {
			cos = -cos
		}
		if cos <= 1e-6 {
			return
		}
		if t <= near || t > far {
			return
		}
		q := d.Scale(t).Sub(c)
		area := l.W * l.H
		if l.Kind == Rect {
			if x, y := q.Dot(l.U), q.Dot(l.V); x > l.W/2 || x < -l.W/2 || y > l.H/2 || y < -l.H/2 {
				return
			}
		} else {
			if q.Dot(q) > l.Radius*l.Radius {
				return
			}
			area = math.Pi * l.Radius * l.Radius
		}
		return l.filter(o.Add(d.Scale(t)), o).Scale(l.shine), t * t / (cos * area)
	}
	return
}

// SetCone fills the cosines of a spot's cone from half-angles in radians.
func (l *Light) SetCone(inner, outer float64) {
	l.CosInner, l.CosOuter = float32(math.Cos(inner)), float32(math.Cos(outer))
}

// SetSunAngle fills the sun's size from its angular diameter in degrees.
func (l *Light) SetSunAngle(diameterDeg float64) {
	s := math.Sin(diameterDeg * math.Pi / 720)
	l.OneMinusCos = float32(2 * s * s)
}

// UnitFromLumen returns how many of the kind's own units one lumen makes.
func (l *Light) UnitFromLumen(inner, outer float64) float64 {
	if l.profile != nil {
		return 1
	}
	switch l.Kind {
	case Point:
		return float64(photometry.PointCandela(1))
	case Spot:
		return float64(photometry.SpotCandela(1, inner, outer))
	case Tube:
		surface, side := l.tubeArea()
		if surface <= 0 {
			return 1 / (math.Pi * math.Pi) // F = I times the integral of the sine over the sphere
		}
		return float64(side) / (math.Pi * float64(surface))
	case Rect, Disc, Emissive:
		if a := float64(l.Area()); a > 0 {
			if l.TwoSided {
				a *= 2
			}
			return float64(photometry.AreaNit(1, a))
		}
	}
	return 1
}

// Materials lists the material numbers of an emissive light's triangles.
func (l *Light) Materials() []uint16 {
	var out []uint16
	seen := map[uint16]bool{}
	for _, t := range l.tris {
		if m := l.scene.Mat[t]; !seen[m] {
			seen[m] = true
			out = append(out, m)
		}
	}
	return out
}
