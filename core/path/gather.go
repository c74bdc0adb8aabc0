package path

import (
	"willowherb/core/colour"
	"willowherb/core/film"
	"willowherb/core/light"
	"willowherb/core/sampling"
	"willowherb/core/vec"
)

// chance is the probability with which a light is sampled at a vertex of a path:
// always at the first; later less, and less for lamps far away. It depends on
// nothing but the light and the place.
func chance(l *light.Light, vertex int, p vec.V3) float32 {
	if vertex == 0 {
		return 1
	}
	if l.Kind == light.Sky && len(l.Portals) == 0 {
		return 0 // found by the surface's own sampling, which follows the same cosine
	}
	base := float32(0.7)
	if vertex > 1 {
		base = 0.35
	}
	if !l.Placed() {
		return base
	}
	d := p.Sub(l.Pos)
	return base * min(max(9/d.Dot(d), 0.2), 1)
}

// shown is the share of a light's radiance that a reflection shows of which matt
// is the matt share.
func shown(l *light.Light, matt vec.V3) vec.V3 {
	if l.NoDiffuse == 0 && l.NoSpecular == 0 {
		return vec.Splat(1)
	}
	return vec.Splat(1 - l.NoSpecular).Add(matt.Scale(l.NoSpecular - l.NoDiffuse))
}

// gather samples the lights at a vertex.
func (w *Walker) gather(v *Vertex) {
	if w.few > 0 && w.gains != nil {
		w.gatherFew(v)
		return
	}
	for i, l := range w.lights {
		if w.on[i] && (w.unasked == nil || v.From.Depth > 0 || !w.unasked[i]) && w.offer(i, l, v, &w.o) {
			w.arrive(v, &w.o)
		}
	}
}

// offered is a light's sample at a vertex: what it would send to the viewer, by matt
// and by glossy reflection, if nothing stood between.
type offered struct {
	light        int
	matt, glossy vec.V3
	to           light.Sample
	worth        float32
}

// offer draws light l, number i, at a vertex with its chance.
func (w *Walker) offer(i int, l *light.Light, v *Vertex, o *offered) (ok bool) {
	if l.Channels&v.Channels == 0 || !l.Reaches(v.P.Pos, v.F.N) && (v.F.N == v.F.Ng || !l.Reaches(v.P.Pos, v.F.Ng)) {
		return false
	}
	depth := v.From.Depth
	c := chance(l, depth, v.P.Pos)
	if c < 1 && w.src.Loose(sampling.Dim(w.owner[i], uint32(useChance|depth<<4))).X >= c {
		return false
	}
	o.light = i
	if o.to, ok = l.Sample(v.P.Pos, v.F.N, w.pair(depth, sampling.Dim(w.owner[i], uint32(useLight|depth<<4)))); !ok {
		return false
	}
	matt, glossy, pdf := v.F.Parts(o.to.Dir)
	k := 1 / c
	if o.to.Pdf > 0 && w.canMeet[i] {
		switch w.by {
		case balanced:
			k = o.to.Pdf / (o.to.Pdf*c + pdf)
			if depth == 0 {
				n := w.asksOf(l, v.F.Smooth())
				k = n * o.to.Pdf / (n*o.to.Pdf + pdf)
			}
		case met:
			return false
		}
	}
	if depth > 0 {
		k *= l.Near(v.P.Pos)
	}
	o.matt = matt.Mul(o.to.Weight).Scale(k * (1 - l.NoDiffuse))
	o.glossy = glossy.Mul(o.to.Weight).Scale(k * (1 - l.NoSpecular))
	return pdf > 0 && (o.matt != (vec.V3{}) || o.glossy != (vec.V3{}))
}

// arrive books what is left of an offer after the way to the light.
func (w *Walker) arrive(v *Vertex, o *offered) {
	l, i := w.lights[o.light], o.light
	through := w.carried(v, o)
	if w.leans != nil && v.From.Depth == 0 {
		w.leans[i].take(through.Mul(o.matt.Add(o.glossy)), o.to.Dir, v.F.N)
	}
	switch {
	case through == vec.V3{}:
	case v.From.Depth > 0:
		w.split(i, film.Bounced, film.BouncedSharp, through.Mul(o.matt.Add(o.glossy)), v.From.Sharp)
	case l.Shows() && v.F.Smooth():
		w.put(i, film.Direct, through.Mul(o.matt))
		sharp := film.DirectSharp
		if l.Distant() && v.F.Mirror() {
			sharp = film.Reflected
		}
		w.put(i, sharp, through.Mul(o.glossy))
	default:
		w.put(i, film.Direct, through.Mul(o.matt.Add(o.glossy)))
	}
}

// carried is what is left of an offer after the way to the light, as a share of it.
func (w *Walker) carried(v *Vertex, o *offered) vec.V3 {
	if !w.lights[o.light].Shadow {
		return v.From.Through
	}
	return v.From.Through.Mul(w.tracer.Passes(v.P.Pos, v.F.Ng, o.to.Dir, o.to.Clear))
}

// gatherGlossy asks for the glossy light, at the first surface where that is smooth, of
// what is seen shining: cells of a cover leave that to paths.
func (w *Walker) gatherGlossy(v *Vertex) {
	if !v.F.Smooth() {
		return
	}
	for i, l := range w.lights {
		if l.Shows() && w.on[i] && w.offer(i, l, v, &w.o) {
			w.o.matt = vec.V3{}
			w.arrive(v, &w.o)
		}
	}
}

// gatherFew chooses few of the lights by what they offer, and follows only those.
func (w *Walker) gatherFew(v *Vertex) {
	w.offers = w.offers[:0]
	var sum float32
	for i, l := range w.lights {
		o := &w.o
		if w.on[i] && w.offer(i, l, v, o) {
			if o.worth = float32(colour.LuminanceOf(o.matt.Add(o.glossy).Mul(w.gains[i]))); o.worth > 0 {
				w.offers = append(w.offers, *o)
				sum += o.worth
			}
		}
	}
	n := w.few
	if v.From.Depth > 0 {
		n = 1
	}
	if len(w.offers) <= n {
		for k := range w.offers {
			w.arrive(v, &w.offers[k])
		}
		return
	}
	for k := range n {
		at := (w.src.Loose(w.use(useFew, v.From.Depth, k)).X + float32(k)) / float32(n) * sum
		for q := range w.offers {
			o := w.offers[q]
			if at -= o.worth; at < 0 || q == len(w.offers)-1 {
				s := sum / (o.worth * float32(n))
				o.matt, o.glossy = o.matt.Scale(s), o.glossy.Scale(s)
				w.arrive(v, &o)
				break
			}
		}
	}
}
