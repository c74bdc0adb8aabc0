package scene

import (
	"math"

	"willowherb/core/colour"
	"willowherb/core/vec"
)

// Wrap says how a texture continues outside 0..1.
type Wrap uint8

// Wrap modes of glTF 2.0.
const (
	Repeat Wrap = iota
	Clamp
	Mirror
)

// Texture is an RGBA picture, rows from the top; colours are not multiplied by alpha.
type Texture struct {
	Name string
	W, H int
	// Pix has 8 bits a channel; Deep, if not nil, 16 instead.
	Pix          []uint8
	Deep         []uint16
	WrapS, WrapT Wrap
	Nearest      bool
}

var linear = func() (t [256]float32) {
	for i := range t {
		t[i] = float32(colour.DecodeSRGB(float64(i) / 255))
	}
	return
}()

var asIs = func() (t [256]float32) {
	for i := range t {
		t[i] = float32(i) / 255
	}
	return
}()

func (w Wrap) texel(i, n int) int {
	switch w {
	case Clamp:
		return min(max(i, 0), n-1)
	case Mirror:
		i %= 2 * n
		if i < 0 {
			i += 2 * n
		}
		if i >= n {
			i = 2*n - 1 - i
		}
		return i
	}
	if n&(n-1) == 0 {
		return i & (n - 1)
	}
	if i %= n; i < 0 {
		i += n
	}
	return i
}

// floor is the greatest whole number not above x.
func floor(x float32) int {
	i := int(x)
	if float32(i) > x {
		i--
	}
	return i
}

// Sample returns the texel at uv, bilinear, RGB decoded from sRGB when srgb is
// set; alpha is always linear.
func (t *Texture) Sample(uv vec.V2, srgb bool) [4]float32 {
	x, y := uv.X*float32(t.W)-0.5, uv.Y*float32(t.H)-0.5
	if !(x > -1e7 && x < 1e7 && y > -1e7 && y < 1e7) {
		x, y = 0, 0
	}
	ix, iy := floor(x), floor(y)
	ax, ay := x-float32(ix), y-float32(iy)
	if t.Nearest {
		ax, ay = float32(math.Round(float64(ax))), float32(math.Round(float64(ay)))
	}
	x0, x1 := t.WrapS.texel(ix, t.W), t.WrapS.texel(ix+1, t.W)
	y0, y1 := t.WrapT.texel(iy, t.H)*t.W, t.WrapT.texel(iy+1, t.H)*t.W
	w00, w10, w01, w11 := (1-ax)*(1-ay), ax*(1-ay), (1-ax)*ay, ax*ay
	if t.Deep != nil {
		return t.deep([4]int{y0 + x0, y0 + x1, y1 + x0, y1 + x1}, [4]float32{w00, w10, w01, w11}, srgb)
	}
	as := &linear
	if !srgb {
		as = &asIs
	}
	p, q := t.Pix[4*(y0+x0):][:4:4], t.Pix[4*(y0+x1):][:4:4]
	r, s := t.Pix[4*(y1+x0):][:4:4], t.Pix[4*(y1+x1):][:4:4]
	return [4]float32{
		w00*as[p[0]] + w10*as[q[0]] + w01*as[r[0]] + w11*as[s[0]],
		w00*as[p[1]] + w10*as[q[1]] + w01*as[r[1]] + w11*as[s[1]],
		w00*as[p[2]] + w10*as[q[2]] + w01*as[r[2]] + w11*as[s[2]],
		w00*asIs[p[3]] + w10*asIs[q[3]] + w01*asIs[r[3]] + w11*asIs[s[3]],
	}
}

// deep is Sample of 16 bits a channel.
func (t *Texture) deep(at [4]int, weights [4]float32, srgb bool) (out [4]float32) {
	for i, w := range weights {
		p := t.Deep[4*at[i]:][:4:4]
		const s = 1.0 / 65535
		for k := range 4 {
			v := s * float32(p[k])
			if srgb && k < 3 {
				v = float32(colour.DecodeSRGB(float64(v)))
			}
			out[k] += w * v
		}
	}
	return out
}

// SurfacePoint is a place on a triangle with what its vertices say there.
type SurfacePoint struct {
	Tri      uint32
	U, V     float32
	Pos      vec.V3
	Ng       vec.V3 // geometric normal, as the triangle winds
	Ns       vec.V3 // interpolated vertex normal, unit, not yet bent by a texture
	UV0, UV1 vec.V2
	Color    [4]float32
}

// PointAt interpolates the vertices of triangle t at barycentric u, v.
func (s *Scene) PointAt(t uint32, u, v float32) (p SurfacePoint) {
	i, j, k := s.Corner(t)
	w := 1 - u - v
	mix := func(a, b, c vec.V3) vec.V3 {
		return vec.V3{X: w*a.X + u*b.X + v*c.X, Y: w*a.Y + u*b.Y + v*c.Y, Z: w*a.Z + u*b.Z + v*c.Z}
	}
	mix2 := func(a, b, c vec.V2) vec.V2 { return vec.V2{X: w*a.X + u*b.X + v*c.X, Y: w*a.Y + u*b.Y + v*c.Y} }
	p.Tri, p.U, p.V = t, u, v
	a, b, c := s.V.Pos[i], s.V.Pos[j], s.V.Pos[k]
	p.Pos = mix(a, b, c)
	p.Ng = b.Sub(a).Cross(c.Sub(a)).Norm()
	p.Ns = mix(s.V.Nrm[i], s.V.Nrm[j], s.V.Nrm[k]).Norm()
	if p.Ns == (vec.V3{}) {
		p.Ns = p.Ng
	}
	p.UV0 = mix2(s.V.UV0[i], s.V.UV0[j], s.V.UV0[k])
	if len(s.V.UV1) > 0 {
		p.UV1 = mix2(s.V.UV1[i], s.V.UV1[j], s.V.UV1[k])
	}
	p.Color = [4]float32{1, 1, 1, 1}
	if len(s.V.Color) > 0 {
		for q := range 4 {
			p.Color[q] = w*s.V.Color[i][q] + u*s.V.Color[j][q] + v*s.V.Color[k][q]
		}
	}
	return p
}

// PointAtPos is PointAt for a place on the triangle, in metres.
func (s *Scene) PointAtPos(t uint32, pos vec.V3) SurfacePoint {
	i, j, k := s.Corner(t)
	a := s.V.Pos[i]
	e, f, d := s.V.Pos[j].Sub(a), s.V.Pos[k].Sub(a), pos.Sub(a)
	ee, ef, ff, de, df := e.Dot(e), e.Dot(f), f.Dot(f), d.Dot(e), d.Dot(f)
	det := ee*ff - ef*ef
	if det == 0 {
		return s.PointAt(t, 0, 0)
	}
	return s.PointAt(t, (ff*de-ef*df)/det, (ee*df-ef*de)/det)
}

// Texel samples the reference at p; white where there is no texture.
func (s *Scene) Texel(r *TextureRef, p *SurfacePoint, srgb bool) [4]float32 {
	if r.Texture < 0 {
		return [4]float32{1, 1, 1, 1}
	}
	uv := p.UV0
	if r.Set == 1 {
		uv = p.UV1
	}
	uv = vec.V2{X: r.A[0]*uv.X + r.A[1]*uv.Y + r.B[0], Y: r.A[2]*uv.X + r.A[3]*uv.Y + r.B[1]}
	return s.Textures[r.Texture].Sample(uv, srgb)
}

// Alpha returns the coverage at p: 0 or 1 for masks.
func (s *Scene) Alpha(m *Material, p *SurfacePoint) float32 {
	if m.Alpha == Opaque {
		return 1
	}
	a := m.BaseColor[3] * p.Color[3] * s.Texel(&m.BaseTex, p, true)[3]
	if m.Alpha == Mask {
		if a < m.Cutoff {
			return 0
		}
		return 1
	}
	return min(max(a, 0), 1)
}

// Emission returns the luminance per channel, cd/m2, that the surface sends out
// at p before its light's colour and output: the texture alone, as the factor
// is the light's.
func (s *Scene) Emission(m *Material, p *SurfacePoint) vec.V3 {
	e := s.Texel(&m.EmissiveTex, p, true)
	return vec.V3{X: e[0], Y: e[1], Z: e[2]}
}

// ShadingNormal returns the vertex normal bent by the normal texture. The
// tangent frame is the file's where it has one, else it comes from the texture
// coordinates of the triangle.
func (s *Scene) ShadingNormal(m *Material, p *SurfacePoint) vec.V3 {
	if m.NormalTex.Texture < 0 {
		return p.Ns
	}
	i, j, k := s.Corner(p.Tri)
	if len(s.V.Tan) > 0 {
		if t, b, ok := s.tangents(p); ok {
			return s.bent(m, p, t, b)
		}
	}
	uv := s.V.UV0
	if m.NormalTex.Set == 1 && len(s.V.UV1) > 0 {
		uv = s.V.UV1
	}
	e1, e2 := s.V.Pos[j].Sub(s.V.Pos[i]), s.V.Pos[k].Sub(s.V.Pos[i])
	r := &m.NormalTex.A
	map2 := func(a, b vec.V2) (x, y float32) {
		x, y = b.X-a.X, b.Y-a.Y
		return r[0]*x + r[1]*y, r[2]*x + r[3]*y
	}
	x1, y1 := map2(uv[i], uv[j])
	x2, y2 := map2(uv[i], uv[k])
	det := x1*y2 - x2*y1
	if det == 0 {
		return p.Ns
	}
	t := e1.Scale(y2).Sub(e2.Scale(y1)).Scale(1 / det)
	n := p.Ns
	t = t.Sub(n.Scale(n.Dot(t))).Norm()
	if t == (vec.V3{}) {
		return n
	}
	// Texture v grows downwards and green points up: an unmirrored chart has a
	// negative determinant.
	b := n.Cross(t)
	if det > 0 {
		b = b.Neg()
	}
	return s.bent(m, p, t, b)
}

// tangents is the frame that the vertices of p's triangle bring along (glTF 2.0, section
// 3.7.2.1: the bitangent is the cross product of normal and tangent, times a sign).
func (s *Scene) tangents(p *SurfacePoint) (t, b vec.V3, ok bool) {
	i, j, k := s.Corner(p.Tri)
	w := 1 - p.U - p.V
	x, y, z := &s.V.Tan[i], &s.V.Tan[j], &s.V.Tan[k]
	at := func(q int) float32 { return w*x[q] + p.U*y[q] + p.V*z[q] }
	t = vec.V3{X: at(0), Y: at(1), Z: at(2)}
	t = t.Sub(p.Ns.Scale(p.Ns.Dot(t))).Norm()
	if t == (vec.V3{}) || x[3] == 0 {
		return t, b, false
	}
	b = p.Ns.Cross(t)
	if x[3] < 0 {
		b = b.Neg()
	}
	return t, b, true
}

// bent is the shading normal that the normal texture says in the frame t, b.
func (s *Scene) bent(m *Material, p *SurfacePoint, t, b vec.V3) vec.V3 {
	c := s.Texel(&m.NormalTex, p, false)
	x, y, z := (2*c[0]-1)*m.NormalScale, (2*c[1]-1)*m.NormalScale, 2*c[2]-1
	return t.Scale(x).Add(b.Scale(y)).Add(p.Ns.Scale(max(z, 1e-3))).Norm()
}
