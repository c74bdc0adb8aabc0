// Package surface is the reflectance of glTF 2.0's metallic-roughness material
// (specification, appendix B): Lambert under a GGX microfacet layer with
// height-correlated visibility and Schlick's Fresnel, mixed by metalness.
// Directions point away from the surface and have unit length; reflectances
// carry the cosine of the incoming direction.
package surface

import (
	"math"
	"sync"

	"willowherb/core/sampling"
	"willowherb/core/scene"
	"willowherb/core/vec"
)

// minAlpha keeps the microfacet density finite; it is a roughness of about 0.03.
const minAlpha = 1e-3

// Surface is a material at one point, seen from the outgoing side.
type Surface struct {
	N       vec.V3 // shading normal on the viewer's side
	Ng      vec.V3 // geometric normal on the viewer's side
	T, B    vec.V3 // tangent frame of N
	Diffuse vec.V3 // base colour of the part that is neither metal nor clear
	F0      vec.V3
	F90     float32
	DielF0  float32 // largest component of the dielectric part's F0, for the layer under it
	Spec    float32 // dielectric specular weight
	Alpha   float32 // roughness squared
	Clear   float32 // share of light that passes thin glass
	Tint    vec.V3  // colour of what passes
	pSpec   float32
	comp    vec.V3 // energy compensation of the microfacet lobe
	wo      vec.V3 // outgoing, in the frame of N
}

// At evaluates the material m of s at p, seen along the unit direction wo that
// points back to the viewer. ok is false where the point faces away from light
// altogether (a degenerate frame).
func At(s *scene.Scene, m *scene.Material, p *scene.SurfacePoint, wo vec.V3) (f Surface, ok bool) {
	f.N, f.Ng = s.ShadingNormal(m, p), p.Ng
	if wo.Dot(f.Ng) < 0 {
		f.Ng, f.N = f.Ng.Neg(), f.N.Neg()
	}
	// A bent normal that turns its back to the viewer is brought to the horizon.
	if c := wo.Dot(f.N); c < 0.02 {
		f.N = f.N.Add(wo.Scale(0.02 - c)).Norm()
		if wo.Dot(f.N) <= 0 || f.N.Dot(f.Ng) <= 0 {
			f.N = f.Ng
		}
	}
	if f.N == (vec.V3{}) {
		return f, false
	}
	base := s.Texel(&m.BaseTex, p, true)
	c := vec.V3{X: base[0] * m.BaseColor[0] * p.Color[0], Y: base[1] * m.BaseColor[1] * p.Color[1], Z: base[2] * m.BaseColor[2] * p.Color[2]}
	c = vec.Min3(c, vec.Splat(1))
	metal, rough := m.Metallic, m.Roughness
	if m.MetalRoughTex.Texture >= 0 {
		mr := s.Texel(&m.MetalRoughTex, p, false)
		metal, rough = metal*mr[2], rough*mr[1]
	}
	spec := m.Specular
	if m.SpecularTex.Texture >= 0 {
		spec *= s.Texel(&m.SpecularTex, p, false)[3]
	}
	f0 := (m.IOR - 1) / (m.IOR + 1)
	d0 := m.SpecularColor.Scale(f0 * f0)
	if m.SpecularColTex.Texture >= 0 {
		t := s.Texel(&m.SpecularColTex, p, true)
		d0 = d0.Mul(vec.V3{X: t[0], Y: t[1], Z: t[2]})
	}
	d0 = vec.Min3(d0, vec.Splat(1)).Scale(spec)
	f.Clear = m.Transmission
	if m.TransmissionTex.Texture >= 0 {
		f.Clear *= s.Texel(&m.TransmissionTex, p, false)[0]
	}
	f.Clear *= 1 - metal
	f.Tint = c
	f.setup(c, metal, rough, d0, spec, wo)
	return f, true
}

// New makes a surface from its numbers, for tests and previews.
func New(n, base vec.V3, metal, rough, specular float32, wo vec.V3) Surface {
	f := Surface{N: n, Ng: n}
	f.setup(base, metal, rough, vec.Splat(0.04*specular), specular, wo)
	return f
}

// Matt makes a diffuse surface of one reflectance with the normals n and ng.
func Matt(n, ng vec.V3, reflectance float32, wo vec.V3) Surface {
	f := Surface{N: n, Ng: ng}
	f.setup(vec.Splat(reflectance), 0, 1, vec.V3{}, 0, wo)
	return f
}

func (f *Surface) setup(base vec.V3, metal, rough float32, d0 vec.V3, spec float32, wo vec.V3) {
	f.T, f.B = vec.Basis(f.N)
	f.wo = f.local(wo)
	f.wo.Z = max(f.wo.Z, 1e-4)
	f.Alpha = max(rough*rough, minAlpha)
	f.DielF0, f.Spec = d0.Max(), spec
	f.Diffuse = base.Scale((1 - metal) * (1 - f.Clear))
	f.F0 = vec.Lerp(d0, base, metal)
	f.F90 = spec + metal*(1-spec)
	e := Albedo(f.wo.Z, f.Alpha)
	f.comp = vec.Splat(1).Add(f.F0.Scale(1/e - 1))
	fr := vec.Lerp(f.F0, vec.Splat(f.F90), schlick(f.wo.Z)).Max()
	d := f.Diffuse.Max()
	switch {
	case fr <= 0:
		f.pSpec = 0
	case d <= 0:
		f.pSpec = 1
	default:
		f.pSpec = min(max(fr/(fr+d), 0.1), 0.9)
	}
}

// Roughen raises the microfacet roughness to at least alpha. Done after a
// diffuse bounce it trades caustics that unguided paths cannot find for a
// picture without fireflies.
func (f *Surface) Roughen(alpha float32) {
	if f.Alpha < alpha {
		f.Alpha = alpha
		f.comp = vec.Splat(1).Add(f.F0.Scale(1/Albedo(f.wo.Z, alpha) - 1))
	}
}

func schlick(c float32) float32 {
	m := min(max(1-c, 0), 1)
	m2 := m * m
	return m2 * m2 * m
}

func (f *Surface) local(w vec.V3) vec.V3 {
	return vec.V3{X: w.Dot(f.T), Y: w.Dot(f.B), Z: w.Dot(f.N)}
}

func (f *Surface) world(w vec.V3) vec.V3 {
	return f.T.Scale(w.X).Add(f.B.Scale(w.Y)).Add(f.N.Scale(w.Z))
}

func lambda(c, a2 float32) float32 { // sqrt(a2 + (1-a2) c2)
	return float32(math.Sqrt(float64(a2 + (1-a2)*c*c)))
}

// Eval returns reflectance times cosine for light from wi, and the density with
// which Sample would have chosen wi, per steradian.
func (f *Surface) Eval(wi vec.V3) (r vec.V3, pdf float32) {
	d, s, pdf := f.Parts(wi)
	return d.Add(s), pdf
}

// Parts is Eval with matt and glossy reflection apart.
func (f *Surface) Parts(wi vec.V3) (matt, glossy vec.V3, pdf float32) {
	if wi.Dot(f.Ng) <= 0 {
		return
	}
	i := f.local(wi)
	if i.Z <= 0 {
		return
	}
	o := f.wo
	h := i.Add(o).Norm()
	voh := max(o.Dot(h), 0)
	s5 := schlick(voh)
	if f.Diffuse != (vec.V3{}) {
		fd := f.DielF0 + (f.Spec-f.DielF0)*s5
		k := i.Z / math.Pi
		matt = f.Diffuse.Scale(k * (1 - fd))
		pdf = (1 - f.pSpec) * k
	}
	if f.pSpec > 0 {
		a2 := f.Alpha * f.Alpha
		// 1 - h.z^2 from the tangential parts, which keeps narrow lobes exact.
		q := a2*h.Z*h.Z + h.X*h.X + h.Y*h.Y
		d := a2 / (math.Pi * q * q)
		lo, li := lambda(o.Z, a2), lambda(i.Z, a2)
		vis := 0.5 / (i.Z*lo + o.Z*li)
		fr := vec.Lerp(f.F0, vec.Splat(f.F90), s5)
		glossy = fr.Mul(f.comp).Scale(d * vis * i.Z)
		// Visible-normal density over 4 voh: D G1 / (4 o.z), G1 = 2 o.z/(o.z + lo).
		pdf += f.pSpec * d / (2 * (o.Z + lo))
	}
	return matt, glossy, pdf
}

// Sample chooses a direction from u (two numbers for the direction, one for the
// lobe) and returns it with reflectance times cosine and its density. specular
// tells the lobe. pdf 0 means that the path ends.
func (f *Surface) Sample(u vec.V2, lobe float32) (wi, r vec.V3, pdf float32, specular bool) {
	var i vec.V3
	if lobe < f.pSpec {
		specular = true
		h := visibleNormal(f.wo, f.Alpha, u)
		i = h.Scale(2 * f.wo.Dot(h)).Sub(f.wo)
	} else {
		i = sampling.CosineHemisphere(u)
	}
	if i.Z <= 0 {
		return wi, r, 0, specular
	}
	wi = f.world(i).Norm()
	r, pdf = f.Eval(wi)
	return wi, r, pdf, specular
}

// visibleNormal samples the GGX normals seen from wo by a cap of the sphere
// (Dupuy and Benyoub 2023, "Sampling Visible GGX Normals with Spherical Caps").
func visibleNormal(wo vec.V3, alpha float32, u vec.V2) vec.V3 {
	w := vec.V3{X: wo.X * alpha, Y: wo.Y * alpha, Z: wo.Z}.Norm()
	s, c := math.Sincos(2 * math.Pi * float64(u.X))
	z := (1-u.Y)*(1+w.Z) - w.Z
	r := float32(math.Sqrt(float64(max(0, 1-z*z))))
	h := vec.V3{X: r*float32(c) + w.X, Y: r*float32(s) + w.Y, Z: z + w.Z}
	return vec.V3{X: h.X * alpha, Y: h.Y * alpha, Z: max(h.Z, 1e-7)}.Norm()
}

const tableSize = 32

var table = sync.OnceValue(func() *[tableSize][tableSize]float32 {
	var t [tableSize][tableSize]float32
	for j := range tableSize {
		alpha := alphaAt(j)
		for i := range tableSize {
			c := cosAt(i)
			o := vec.V3{X: float32(math.Sqrt(float64(1 - c*c))), Z: c}
			a2 := alpha * alpha
			lo := lambda(c, a2)
			var sum float64
			const n = 512
			for k := range uint32(n) {
				h := visibleNormal(o, alpha, sampling.New(1, 0, k).Pair(0))
				w := h.Scale(2 * o.Dot(h)).Sub(o)
				if w.Z <= 0 {
					continue
				}
				// Weight of a visible-normal sample with F = 1: G2/G1.
				li := lambda(w.Z, a2)
				sum += float64(w.Z * (c + lo) / (w.Z*lo + c*li))
			}
			t[j][i] = float32(sum / n)
		}
	}
	return &t
})

func alphaAt(j int) float32 {
	r := float32(j) / (tableSize - 1)
	return max(r*r, minAlpha)
}

// The table is finer towards grazing, where the albedo bends most.
func cosAt(i int) float32 {
	x := float32(i) / (tableSize - 1)
	return max(x*x, 2e-4)
}

// Albedo is the share of light that a white single-scatter GGX surface sends
// back to a direction of this cosine; what is missing from 1 left by more than
// one bounce between facets, and is given back by Turquin's compensation (2019,
// "Practical multiple scattering compensation for microfacet models").
func Albedo(cos, alpha float32) float32 {
	t := table()
	y := float32(math.Sqrt(float64(alpha))) * (tableSize - 1)
	x := float32(math.Sqrt(float64(max(cos, 0)))) * (tableSize - 1)
	x, y = min(max(x, 0), tableSize-1.001), min(max(y, 0), tableSize-1.001)
	i, j := int(x), int(y)
	a, b := x-float32(i), y-float32(j)
	return (t[j][i]*(1-a)+t[j][i+1]*a)*(1-b) + (t[j+1][i]*(1-a)+t[j+1][i+1]*a)*b
}
