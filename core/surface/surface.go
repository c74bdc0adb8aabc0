// Package surface is the reflectance of glTF 2.0's metallic-roughness material
// (specification, appendix B): a GGX microfacet lobe with height-correlated
// visibility and Schlick's Fresnel, over a matt part, mixed by metalness.
//
// The matt part lies under the dielectric lobe and gets what that lets through on
// the way in and on the way out (Kelemen and Szirmay-Kalos 2001; Kulla and Conty
// 2017): no direction ever gets back more light than came, and white gives all of
// it. glTF's own mix, one less the Fresnel of the half-way direction, gives up to 1.6
// times what it gets at grazing angles.
//
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
	Alpha   float32 // roughness squared
	Clear   float32 // share of the surface that passes light as thin glass does
	diel    dielectric
	pSpec   float32
	comp    vec.V3  // energy compensation of the microfacet lobe
	under   float32 // what the matt part sends out of what it gets, per unit of what comes in
	sheen   bool    // the dielectric face takes some of it
	wo      vec.V3  // outgoing, in the frame of N
}

// look is what a material's factors and textures say at a point.
type look struct {
	base         vec.V3
	metal, rough float32
	d0           vec.V3 // reflectance of the dielectric part, straight on
	spec         float32
	clear        float32
}

func lookAt(s *scene.Scene, m *scene.Material, p *scene.SurfacePoint) (k look) {
	base := s.Texel(&m.BaseTex, p, true)
	c := vec.V3{X: base[0] * m.BaseColor[0] * p.Color[0], Y: base[1] * m.BaseColor[1] * p.Color[1], Z: base[2] * m.BaseColor[2] * p.Color[2]}
	k.base = vec.Min3(c, vec.Splat(1))
	k.metal, k.rough = m.Metallic, m.Roughness
	if m.MetalRoughTex.Texture >= 0 {
		mr := s.Texel(&m.MetalRoughTex, p, false)
		k.metal, k.rough = k.metal*mr[2], k.rough*mr[1]
	}
	k.spec = m.Specular
	if m.SpecularTex.Texture >= 0 {
		k.spec *= s.Texel(&m.SpecularTex, p, false)[3]
	}
	f0 := (m.IOR - 1) / (m.IOR + 1)
	k.d0 = m.SpecularColor.Scale(f0 * f0)
	if m.SpecularColTex.Texture >= 0 {
		t := s.Texel(&m.SpecularColTex, p, true)
		k.d0 = k.d0.Mul(vec.V3{X: t[0], Y: t[1], Z: t[2]})
	}
	k.d0 = vec.Min3(k.d0, vec.Splat(1)).Scale(k.spec)
	k.clear = m.Transmission
	if m.TransmissionTex.Texture >= 0 {
		k.clear *= s.Texel(&m.TransmissionTex, p, false)[0]
	}
	k.clear *= 1 - k.metal
	return k
}

// At evaluates the material m of s at p, seen along the unit direction wo that
// points back to the viewer. ok is false where the point faces away from light
// altogether (a degenerate frame).
func At(s *scene.Scene, m *scene.Material, p *scene.SurfacePoint, wo vec.V3) (f Surface, ok bool) {
	ok = f.Set(s, m, p, wo)
	return f, ok
}

// Set is At in place.
func (f *Surface) Set(s *scene.Scene, m *scene.Material, p *scene.SurfacePoint, wo vec.V3) (ok bool) {
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
		return false
	}
	k := lookAt(s, m, p)
	f.setup(&k, wo)
	return true
}

// Passing is the share of light, per colour, that passes a thin clear surface
// straight on along the unit direction d: what its face does not send back, tinted
// (KHR_materials_transmission).
func Passing(s *scene.Scene, m *scene.Material, p *scene.SurfacePoint, d vec.V3) vec.V3 {
	k := lookAt(s, m, p)
	if k.clear == 0 {
		return vec.V3{}
	}
	l := dielectric{k.d0.Max(), k.spec, rowOf(alphaOf(k.rough)), table()}
	return k.base.Scale(k.clear * (1 - l.albedo(float32(math.Abs(float64(d.Dot(p.Ng)))))))
}

// New makes a surface from its numbers, for tests and previews.
func New(n, base vec.V3, metal, rough, specular float32, wo vec.V3) Surface {
	f := Surface{N: n, Ng: n}
	f.setup(&look{base: base, metal: metal, rough: rough, d0: vec.Splat(0.04 * specular), spec: specular}, wo)
	return f
}

// Matt makes a diffuse surface of one reflectance with the normals n and ng.
func Matt(n, ng vec.V3, reflectance float32, wo vec.V3) Surface {
	f := Surface{N: n, Ng: ng}
	f.setup(&look{base: vec.Splat(reflectance), rough: 1}, wo)
	return f
}

func alphaOf(rough float32) float32 { return max(rough*rough, minAlpha) }

func (f *Surface) setup(k *look, wo vec.V3) {
	f.T, f.B = vec.Basis(f.N)
	f.wo = f.local(wo)
	f.wo.Z = max(f.wo.Z, 1e-4)
	f.Clear = k.clear
	f.Diffuse = k.base.Scale((1 - k.metal) * (1 - k.clear))
	f.F0 = vec.Lerp(k.d0, k.base, k.metal)
	f.F90 = k.spec + k.metal*(1-k.spec)
	f.diel = dielectric{f0: k.d0.Max(), f90: k.spec}
	f.polish(alphaOf(k.rough))
}

// polish gives the surface a roughness and works out what follows from it.
func (f *Surface) polish(alpha float32) {
	f.Alpha, f.diel.row = alpha, rowOf(alpha)
	if f.F90 == 0 && f.F0 == (vec.V3{}) {
		f.pSpec, f.under, f.sheen = 0, 1, false
		return
	}
	t := table()
	f.diel.t = t
	a, b := t.at(columnOf(f.wo.Z), f.diel.row)
	f.comp = vec.Splat(1).Add(f.F0.Scale(1/(a+b) - 1))
	fr := f.F0.Scale(a).Add(vec.Splat(f.F90 * b)).Mul(f.comp).Max()
	d := f.Diffuse.Max()
	f.under, f.sheen = 1, d > 0 && (f.diel.f90 > 0 || f.diel.f0 > 0)
	if f.sheen {
		f.under = (1 - f.diel.of(a, b)) / (1 - f.diel.mean(t))
		d *= f.under
	}
	switch {
	case fr <= 0:
		f.pSpec = 0
	case d <= 0:
		f.pSpec = 1
	default:
		f.pSpec = min(max(fr/(fr+d), 0.1), 0.9)
	}
}

// Shares are what the surface sends to the viewer of light that comes from all round: of
// the irradiance, and of the glancing irradiance, that is, of what comes weighed by
// Glancing. Times those, over pi, they make the radiance. What a clear face sends back it
// sends back of glancing light above all, as if in two steps that do not know of each
// other; metals make no such difference.
func (f *Surface) Shares() (even, glancing vec.V3) {
	if f.F90 == 0 && f.F0 == (vec.V3{}) {
		return f.Diffuse, vec.V3{}
	}
	a, b := f.diel.t.at(columnOf(f.wo.Z), f.diel.row)
	gloss := f.F0.Scale(a).Add(vec.Splat(f.F90 * b)).Mul(f.comp)
	metal := min(max((f.F0.Max()-0.08)/0.3, 0), 1)
	even, glancing = f.Diffuse.Scale(f.under).Add(gloss.Scale(metal)), gloss.Scale(1-metal)
	if f.sheen {
		glancing = glancing.Sub(f.Diffuse.Scale(f.under * f.diel.mean(f.diel.t)))
	}
	return even, glancing
}

// Gloss is the share of light from about the mirrored direction that the surface's face sends
// to the viewer, and Under the share of irradiance that its matt part does (Lambert's law
// under the face): what a target makes of a reflection probe and of a lightmap.
func (f *Surface) Gloss() (gloss, under vec.V3) {
	if f.F90 == 0 && f.F0 == (vec.V3{}) {
		return vec.V3{}, f.Diffuse
	}
	a, b := split(f.wo.Z, f.Alpha)
	return f.F0.Scale(a).Add(vec.Splat(f.F90 * b)).Mul(f.comp), f.Diffuse.Scale(f.under)
}

// Glancing is how much more a clear face sends back of light under this cosine than of
// light from all round: of the refractive index 1.5 and the roughness that bounced light
// sees.
func Glancing(cos float32) float32 {
	d := glancer()
	return d.albedo(cos) / d.mean(d.t)
}

var glancer = sync.OnceValue(func() *dielectric { return &dielectric{0.04, 1, rowOf(0.2), table()} })

// Smooth reports whether the surface shows a picture of what it mirrors: too sharp to
// be filtered as if it were soft.
func (f *Surface) Smooth() bool { return f.Alpha <= 0.09 && f.F90 > 0 }

// Mirror reports whether what it mirrors is more than its own colour.
func (f *Surface) Mirror() bool { return f.Smooth() && f.F0.Max() > f.Diffuse.Max() }

// Mirrors reports whether much of what the surface sends to the viewer, a third and more,
// comes from about one direction.
func (f *Surface) Mirrors() bool {
	if f.Alpha > 0.3 || f.pSpec == 0 {
		return false
	}
	a, b := f.diel.t.at(columnOf(f.wo.Z), f.diel.row)
	return f.F0.Scale(a).Add(vec.Splat(f.F90*b)).Max() > 0.5*f.Diffuse.Max()*f.under
}

// Roughen raises the microfacet roughness to at least alpha. Done after a
// diffuse bounce it trades caustics that unguided paths cannot find for a
// picture without fireflies.
func (f *Surface) Roughen(alpha float32) {
	if f.Alpha < alpha {
		f.polish(alpha)
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
	if f.Diffuse != (vec.V3{}) {
		k := i.Z / math.Pi
		pdf = (1 - f.pSpec) * k
		k *= f.under
		if f.sheen {
			k *= 1 - f.diel.albedo(i.Z)
		}
		matt = f.Diffuse.Scale(k)
	}
	if f.pSpec > 0 {
		h := i.Add(o).Norm()
		s5 := schlick(max(o.Dot(h), 0))
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
// lobe) and returns it with what Parts says of it. specular
// tells the lobe. pdf 0 means that the path ends.
func (f *Surface) Sample(u vec.V2, lobe float32) (wi, matt, glossy vec.V3, pdf float32, specular bool) {
	var i vec.V3
	if lobe < f.pSpec {
		specular = true
		h := visibleNormal(f.wo, f.Alpha, u)
		i = h.Scale(2 * f.wo.Dot(h)).Sub(f.wo)
	} else {
		i = sampling.CosineHemisphere(u)
	}
	if i.Z <= 0 {
		return wi, matt, glossy, 0, specular
	}
	wi = f.world(i).Norm()
	matt, glossy, pdf = f.Parts(wi)
	return wi, matt, glossy, pdf, specular
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

// albedos are what a single-scatter GGX lobe sends back to a direction, for each
// roughness and cosine, in two parts: times F0, and times F90. mean holds their
// averages over the hemisphere, weighed by the cosine: of the parts, and of the parts
// times what compensation adds for each unit of F0.
type albedos struct {
	part [tableSize][tableSize][2]float32
	mean [tableSize][4]float32
}

var table = sync.OnceValue(func() *albedos {
	var t albedos
	for j := range tableSize {
		alpha := alphaAt(j)
		for i := range tableSize {
			c := cosAt(i)
			o := vec.V3{X: float32(math.Sqrt(float64(1 - c*c))), Z: c}
			a2 := alpha * alpha
			lo := lambda(c, a2)
			var sum [2]float64
			const n = 512
			for k := range uint32(n) {
				h := visibleNormal(o, alpha, sampling.New(1, 0, k).Pair(0))
				w := h.Scale(2 * o.Dot(h)).Sub(o)
				if w.Z <= 0 {
					continue
				}
				// Weight of a visible-normal sample with F = 1: G2/G1.
				li := lambda(w.Z, a2)
				g := float64(w.Z * (c + lo) / (w.Z*lo + c*li))
				s := float64(schlick(o.Dot(h)))
				sum[0] += g * (1 - s)
				sum[1] += g * s
			}
			t.part[j][i] = [2]float32{float32(sum[0] / n), float32(sum[1] / n)}
		}
		// The cosine is the square of the step, whose share is then 4 x^3.
		const n = 1024
		var sum [4]float64
		for k := range n {
			x := (float64(k) + 0.5) / n
			a, b := t.at(float32(x)*(tableSize-1), float32(j))
			more := 1/(a+b) - 1
			for q, v := range [4]float32{a, b, a * more, b * more} {
				sum[q] += 4 * x * x * x * float64(v) / n
			}
		}
		for q := range sum {
			t.mean[j][q] = float32(sum[q])
		}
	}
	return &t
})

// at interpolates between the table's columns x and rows y.
func (t *albedos) at(x, y float32) (a, b float32) {
	x, y = min(max(x, 0), tableSize-1.001), min(max(y, 0), tableSize-1.001)
	i, j := int(x), int(y)
	u, v := x-float32(i), y-float32(j)
	p, q, r, s := &t.part[j][i], &t.part[j][i+1], &t.part[j+1][i], &t.part[j+1][i+1]
	return (p[0]*(1-u)+q[0]*u)*(1-v) + (r[0]*(1-u)+s[0]*u)*v, (p[1]*(1-u)+q[1]*u)*(1-v) + (r[1]*(1-u)+s[1]*u)*v
}

func alphaAt(j int) float32 { return alphaOf(float32(j) / (tableSize - 1)) }

func rowOf(alpha float32) float32 { return float32(math.Sqrt(float64(alpha))) * (tableSize - 1) }

// The table is finer towards grazing, where the albedo bends most.
func cosAt(i int) float32 {
	x := float32(i) / (tableSize - 1)
	return max(x*x, 2e-4)
}

func columnOf(cos float32) float32 { return float32(math.Sqrt(float64(max(cos, 0)))) * (tableSize - 1) }

// split is the albedo of a lobe as its parts by F0 and by F90.
func split(cos, alpha float32) (a, b float32) {
	return table().at(columnOf(cos), rowOf(alpha))
}

// Albedo is the share of light that a white single-scatter GGX surface sends
// back to a direction of this cosine; what is missing from 1 left by more than
// one bounce between facets, and is given back by Turquin's compensation (2019,
// "Practical multiple scattering compensation for microfacet models").
func Albedo(cos, alpha float32) float32 {
	a, b := split(cos, alpha)
	return a + b
}

// dielectric is the clear face over a matt part; row is its roughness in the table.
type dielectric struct {
	f0, f90, row float32
	t            *albedos
}

// of is what the face sends back where a lobe's albedo has these parts.
func (d *dielectric) of(a, b float32) float32 {
	return (d.f0*a + d.f90*b) * (1 + d.f0*(1/(a+b)-1))
}

// albedo is what the face sends back of light that comes under this cosine.
func (d *dielectric) albedo(cos float32) float32 { return d.of(d.t.at(columnOf(cos), d.row)) }

// mean is what it sends back of light that comes evenly from everywhere.
func (d *dielectric) mean(t *albedos) float32 {
	y := min(d.row, tableSize-1.001)
	j := int(y)
	v := y - float32(j)
	p, q := &t.mean[j], &t.mean[j+1]
	m := func(k int) float32 { return p[k]*(1-v) + q[k]*v }
	return d.f0*m(0) + d.f90*m(1) + d.f0*(d.f0*m(2)+d.f90*m(3))
}
