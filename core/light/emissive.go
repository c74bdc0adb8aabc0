package light

import (
	"math"
	"sort"

	"willowherb/core/colour"
	"willowherb/core/photometry"
	"willowherb/core/sampling"
	"willowherb/core/scene"
	"willowherb/core/vec"
)

// emissive is the shining triangles of one material. Where a mask or a blend leaves
// nothing of the surface, nothing shines.
type emissive struct{}

func (emissive) traits() traits              { return traits{shows: true} }
func (emissive) shine(*Light) float32        { return 1 }
func (emissive) area(l *Light) float64       { return l.lit.even }
func (emissive) lux(*Light, float64) float64 { return 1 }

// reaches tells whether a part of the box about all triangles lies before the plane of p.
func (emissive) reaches(l *Light, p, n vec.V3) bool {
	if len(l.lit.tris) == 0 || n == (vec.V3{}) {
		return len(l.lit.tris) > 0
	}
	far := l.lit.lo
	if n.X > 0 {
		far.X = l.lit.hi.X
	}
	if n.Y > 0 {
		far.Y = l.lit.hi.Y
	}
	if n.Z > 0 {
		far.Z = l.lit.hi.Z
	}
	return far.Sub(p).Dot(n) > 0
}

// Far reports whether a shining surface is so far from p, for its size, that a ray which is sent out
// by the cosine of a matt surface hardly meets it: of what both ways of looking find, asking
// finds 99 %.
func (l *Light) Far(p vec.V3) bool {
	d := p.Sub(vec.Max3(l.lit.lo, vec.Min3(p, l.lit.hi)))
	return d.Dot(d) > 32*l.surface()
}

func (emissive) perLumen(l *Light) float64 {
	if l.lit.even <= 0 {
		return 1
	}
	return float64(photometry.AreaNit(1, l.lit.even))
}

// lookups is at how many places in all the light of textured triangles is looked up for
// the area that would give as much.
const lookups = 1 << 16

// SetTriangles makes l the light of the scene's triangles tris (of one emissive
// material).
func (l *Light) SetTriangles(s *scene.Scene, tris []uint32) {
	l.lit = surfaces{scene: s, tris: tris, sums: make([]float32, len(tris))}
	l.lit.of = make([]bool, len(s.Materials))
	for _, t := range tris {
		l.lit.of[s.Mat[t]] = true
	}
	var sum float64
	places := uint32(min(max(lookups/max(len(tris), 1), 16), 4096))
	l.lit.lo, l.lit.hi = vec.Splat(inf), vec.Splat(-inf)
	for i, t := range tris {
		for k := range uint32(3) {
			p := s.V.Pos[s.Index[3*t+k]]
			l.lit.lo, l.lit.hi = vec.Min3(l.lit.lo, p), vec.Max3(l.lit.hi, p)
		}
		a, _ := s.Area(t)
		sum += float64(a)
		l.lit.sums[i] = float32(sum)
		m := &s.Materials[s.Mat[t]]
		sides := 1.0
		if m.DoubleSided {
			sides = 2
		}
		if m.EmissiveTex.Texture < 0 && m.Alpha == scene.Opaque {
			l.lit.even += sides * float64(a)
			continue
		}
		for k := range places {
			u, v := inTriangle(sampling.New(13, uint32(i), k).Pair(0))
			p := s.PointAt(t, u, v)
			e := s.Emission(m, &p).Scale(s.Alpha(m, &p))
			l.lit.even += sides * float64(a) * colour.LuminanceOf(e) / float64(places)
		}
	}
}

// inTriangle is an even place in a triangle, as weights of its second and third corner.
func inTriangle(u vec.V2) (b, c float32) {
	r := float32(math.Sqrt(float64(u.X)))
	return r * (1 - u.Y), r * u.Y
}

// surface is all that rays can meet, in square metres.
func (l *Light) surface() float32 {
	if n := len(l.lit.sums); n > 0 {
		return l.lit.sums[n-1]
	}
	return 0
}

func (emissive) sample(l *Light, p, _ vec.V3, u vec.V2) (s Sample, ok bool) {
	total := l.surface()
	if total <= 0 {
		return s, false
	}
	sums := l.lit.sums
	x := u.X * total
	i := min(sort.Search(len(sums), func(i int) bool { return sums[i] > x }), len(sums)-1)
	lo := float32(0)
	if i > 0 {
		lo = sums[i-1]
	}
	if w := sums[i] - lo; w > 0 {
		u.X = min(max((x-lo)/w, 0), 1)
	}
	t := l.lit.tris[i]
	b, c := inTriangle(u)
	sp := l.lit.scene.PointAt(t, b, c)
	m := &l.lit.scene.Materials[l.lit.scene.Mat[t]]
	if s, ok = facing(p, sp.Pos, sp.Ng, m.DoubleSided, total); !ok {
		return s, false
	}
	s.Weight = l.lit.scene.Emission(m, &sp).Scale(l.lit.scene.Alpha(m, &sp) / s.Pdf)
	return s, s.Weight != (vec.V3{})
}

// Rays meet a shining surface as they meet the place; SurfacePdf says how likely it was.
func (emissive) meet(*Light, vec.V3, vec.V3, vec.V3) Met { return Met{} }

// SurfacePdf is the density with which Sample chooses a hit on one of l's
// triangles at distance dist under the cosine cos of its own normal.
func (l *Light) SurfacePdf(dist, cos float32) float32 {
	a := l.surface()
	if a <= 0 || cos <= 1e-6 {
		return 0
	}
	return dist * dist / (cos * a)
}

// Materials lists the material numbers of an emissive light's triangles.
func (l *Light) Materials() []uint16 {
	if len(l.lit.tris) == 0 {
		return nil
	}
	var out []uint16
	seen := map[uint16]bool{}
	for _, t := range l.lit.tris {
		if m := l.lit.scene.Mat[t]; !seen[m] {
			seen[m] = true
			out = append(out, m)
		}
	}
	return out
}

// Has reports whether a material's surfaces are this light.
func (l *Light) Has(material uint16) bool { return int(material) < len(l.lit.of) && l.lit.of[material] }
