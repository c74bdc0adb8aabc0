package light

import (
	"math"

	"willowherb/core/sampling"
	"willowherb/core/vec"
)

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

// Portal is an opening through which rooms see the sky: a rectangle of W along U by H
// along V, with its normal into the room before it. In Bounds, from which the sky is seen through
// it, the sky is looked for there more than elsewhere; what light comes is the same.
type Portal struct {
	Centre, N, U, V vec.V3
	W, H            float32
	Bounds          []Bounds // first those of the room before it, then of others behind that
}

// Bounds are a box along the axes.
type Bounds struct{ Lo, Hi vec.V3 }

// Holds reports whether p lies in the box.
func (b *Bounds) Holds(p vec.V3) bool {
	return p.X >= b.Lo.X && p.Y >= b.Lo.Y && p.Z >= b.Lo.Z && p.X <= b.Hi.X && p.Y <= b.Hi.Y && p.Z <= b.Hi.Z
}

// Holds reports whether p lies where the sky may be seen through the portal.
func (q *Portal) Holds(p vec.V3) bool {
	for i := range q.Bounds {
		if q.Bounds[i].Holds(p) {
			return true
		}
	}
	return false
}

// worth is about the share of a matt surface's light that a portal gives at p with normal
// n: 0 where it gives nothing.
func (q *Portal) worth(p, n vec.V3) float32 {
	if !q.Holds(p) {
		return 0
	}
	d := q.Centre.Sub(p)
	in := -d.Dot(q.N)
	if in <= 0 {
		return 0
	}
	d2 := d.Dot(d)
	size := (q.W + q.H) / 2
	// The cosine to its nearest part, which is never quite edge on; from the air, any.
	up := d.Dot(n) + size/2
	if n == (vec.V3{}) {
		up = float32(math.Sqrt(float64(d2)))
	}
	if up <= 0 {
		return 0
	}
	return q.W * q.H * in * up / (math.Pi * d2 * (d2 + q.W*q.H))
}

// pdf is the density, per steradian, with which an even choice on the portal takes the
// direction d from p.
func (q *Portal) pdf(p, d vec.V3) float32 {
	cos := -d.Dot(q.N)
	if cos <= 1e-4 {
		return 0
	}
	c := p.Sub(q.Centre)
	t := c.Dot(q.N) / cos
	at := c.Add(d.Scale(t))
	if x, y := at.Dot(q.U), at.Dot(q.V); t <= 0 || x > q.W/2 || x < -q.W/2 || y > q.H/2 || y < -q.H/2 {
		return 0
	}
	return t * t / (cos * q.W * q.H)
}

// Near reports whether a ray from o along d passes the portal, grown that many times.
func (q *Portal) Near(o, d vec.V3, grown float32) bool {
	g := *q
	g.W, g.H = q.W*grown, q.H*grown
	return g.pdf(o, d) > 0
}

// mostPortals bounds the portals through which a sky is looked for at one place.
const mostPortals = 24

// through is how a sky is looked for at a place: through some of its portals, with a share each
// that comes to all, and with what is left over all round.
type through struct {
	portals [mostPortals]*Portal
	share   [mostPortals]float32
	n       int
	all     float32
}

// look works out how the sky is looked for at p with normal n.
func (h *through) look(l *Light, p, n vec.V3) {
	h.n, h.all = 0, 0
	var sum float32
	for i := range l.Portals {
		if w := l.Portals[i].worth(p, n); w > 0 {
			h.portals[h.n], h.share[h.n] = &l.Portals[i], w
			sum += w
			if h.n++; h.n == mostPortals {
				break
			}
		}
	}
	if sum < 1e-6 {
		h.n = 0
		return
	}
	h.all = 0.85 * sum / (sum + 0.002)
	for i := range h.share[:h.n] {
		h.share[i] *= h.all / sum
	}
}

// sky is all directions.
type sky struct{}

func (sky) traits() traits                      { return traits{distant: true, shows: true} }
func (sky) shine(*Light) float32                { return 1 }
func (sky) reaches(*Light, vec.V3, vec.V3) bool { return true }
func (sky) area(*Light) float64                 { return 0 }
func (sky) perLumen(*Light) float64             { return 1 }
func (sky) lux(*Light, float64) float64         { return 1 }

func (sky) sample(l *Light, p, n vec.V3, u vec.V2) (s Sample, ok bool) {
	var h through
	h.look(l, p, n)
	s.Dist, s.Clear = inf, inf
	if u.X < h.all {
		i, x := 0, u.X
		for i < h.n-1 && x >= h.share[i] {
			x -= h.share[i]
			i++
		}
		q := h.portals[i]
		at := q.Centre.Add(q.U.Scale((min(x/h.share[i], 1) - 0.5) * q.W)).Add(q.V.Scale((u.Y - 0.5) * q.H))
		s.Dir = at.Sub(p).Norm()
	} else {
		u.X = min((u.X-h.all)/(1-h.all), 1-1e-7)
		if u.X < domeShare && l.Dome != nil {
			u.X = min(u.X/domeShare, 1-1e-7)
			d, _ := l.Dome.sample(u)
			if s.Dir = l.turned(d, 1); n != (vec.V3{}) && s.Dir.Dot(n) <= 0 {
				return s, false
			}
		} else if n == (vec.V3{}) {
			if l.Dome != nil {
				u.X = min((u.X-domeShare)/(1-domeShare), 1-1e-7)
			}
			s.Dir = sampling.Cone(u, 2)
		} else {
			if l.Dome != nil {
				u.X = min((u.X-domeShare)/(1-domeShare), 1-1e-7)
			}
			t, b := vec.Basis(n)
			c := sampling.CosineHemisphere(u)
			s.Dir = t.Scale(c.X).Add(b.Scale(c.Y)).Add(n.Scale(c.Z)).Norm()
		}
	}
	s.Pdf = l.skyPdf(p, n, s.Dir, &h)
	s.Weight = l.skyRadiance(s.Dir).Scale(1 / s.Pdf)
	return s, s.Pdf > 0
}

// domeShare is how often a dome is looked for where it is bright, and not by the cosine.
const domeShare = 0.6

// turned turns a direction of the dome's picture to where it stands (1), or back (-1).
func (l *Light) turned(d vec.V3, way float32) vec.V3 {
	sin, cos := way*l.Turn[0], l.Turn[1]
	if sin == 0 && cos == 0 {
		return d
	}
	// Clockwise, seen from above: from -Z towards +X.
	return vec.V3{X: d.X*cos - d.Z*sin, Y: d.Y, Z: d.X*sin + d.Z*cos}
}

// skyRadiance is the sky towards the unit direction d.
func (l *Light) skyRadiance(d vec.V3) vec.V3 {
	if l.Dome != nil {
		return l.Dome.Radiance(l.turned(d, -1))
	}
	return l.Gradient.Radiance(d)
}

// Behind is what is seen of a light beyond everything towards d, where it is met with
// radiance m.
func (l *Light) Behind(d, m vec.V3) vec.V3 {
	if l.Seen != nil {
		return l.Seen.Radiance(l.turned(d, -1))
	}
	return m
}

// skyPdf is the density with which sample takes the direction d at p with normal n.
func (l *Light) skyPdf(p, n, d vec.V3, h *through) float32 {
	pdf := max(d.Dot(n), 0) / math.Pi
	if n == (vec.V3{}) {
		pdf = 1 / (4 * math.Pi)
	}
	if l.Dome != nil {
		pdf = (1-domeShare)*pdf + domeShare*l.Dome.pdf(l.turned(d, -1))
	}
	pdf *= 1 - h.all
	for i := range h.share[:h.n] {
		pdf += h.share[i] * h.portals[i].pdf(p, d)
	}
	return pdf
}

func (sky) meet(l *Light, o, n, d vec.V3) Met {
	var h through
	h.look(l, o, n)
	return Met{Radiance: l.skyRadiance(d), Pdf: l.skyPdf(o, n, d, &h), Dist: inf}
}
