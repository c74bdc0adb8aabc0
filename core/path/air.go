package path

import (
	"willowherb/core/colour"
	"willowherb/core/film"
	"willowherb/core/sampling"
	"willowherb/core/surface"
	"willowherb/core/vec"
	"willowherb/core/world"
)

// clearness is the share of light, for each colour, that comes to the eye through the air,
// from dist metres off along d.
func (w *Walker) clearness(d vec.V3, dist float32) vec.V3 {
	if w.air == nil {
		return vec.Splat(1)
	}
	return w.air.Passes(w.eye, d, float64(dist))
}

// sendOn finds what the air sends to an eye at o of every light, from travel to far along d:
// one place a light, by what the fog there sends on or by how near the lamp is, and its
// shadow. tint is the share that what stands before lets through.
func (w *Walker) sendOn(o, d vec.V3, travel, far float32, tint vec.V3, pane int) {
	if !w.way.Set(w.air, o, d, float64(far)) {
		return
	}
	if w.few > 0 && w.gains != nil {
		looks := 1
		if w.only == beyond {
			looks = 4 // the path that goes with it is dear
		}
		for k := range looks {
			w.sendFew(travel, tint.Scale(1/float32(looks)), pane+clearest*k)
		}
		return
	}
	for i := range w.lights {
		if !w.on[i] {
			continue
		}
		if p, to, v := w.fromAir(i, travel, pane); v != (vec.V3{}) {
			w.put(i, film.Air, v.Mul(tint).Mul(w.shadowed(i, p, to)))
		}
	}
}

// airAlong is sendOn for all that an eye sees along a segment, through panes of glass.
func (w *Walker) airAlong(s Segment) {
	sc := w.world.S
	o, travel, begin, tint := s.O, float32(0), s.Min, vec.Splat(1)
	for pane := range clearest {
		tri, hit, met := w.see(&s, o, begin, w.src.Bits(w.use(useBlend, 0, pane)))
		begin = 0
		far := inf
		if met {
			far = travel + hit.T
		}
		w.sendOn(s.O, s.D, travel, far, tint, pane)
		if !met {
			return
		}
		m := &sc.Materials[sc.Mat[tri]]
		if m.Transmission == 0 {
			return
		}
		p := sc.PointAt(tri, hit.U, hit.V)
		if tint = tint.Mul(surface.Passing(sc, m, &p, s.D)); tint.Max() < 1e-4 {
			return
		}
		o, travel = world.Leave(p.Pos, p.Ng, s.D), far
	}
}

// fromAir chooses a place on the way for light i, and what it would send on from there if
// nothing stood between: along to.
func (w *Walker) fromAir(i int, travel float32, pane int) (p vec.V3, to airward, v vec.V3) {
	l := w.lights[i]
	if l.NoAir {
		return p, to, v
	}
	u := w.src.Pair(sampling.Dim(w.owner[i], uint32(useAir|pane<<4)))
	var t, pdf float64
	if l.Placed() {
		near := u.X < 0.5
		if x := float64(u.X) * 2; near {
			t, _ = w.way.SampleNear(l.Pos, x)
		} else {
			t, _ = w.way.Sample(x - 1)
		}
		pdf = (w.way.PdfNear(l.Pos, t) + w.way.Pdf(t)) / 2
	} else {
		t, pdf = w.way.Sample(float64(u.X))
	}
	if !(pdf > 0) || t < float64(travel) {
		return p, to, v
	}
	p = w.way.O.Add(w.way.D.Scale(float32(t)))
	if !l.Reaches(p, vec.V3{}) {
		return p, to, v
	}
	s, ok := l.Sample(p, vec.V3{}, w.src.Pair(sampling.Dim(w.owner[i], uint32(useAir|pane<<4|1<<13))))
	if !ok {
		return p, to, v
	}
	return p, airward{s.Dir, s.Clear}, w.way.Sends(t, float64(s.Dir.Dot(w.way.D))).Mul(s.Weight).Scale(float32(1 / pdf))
}

// airward is the way from a place in the air to a light.
type airward struct {
	dir   vec.V3
	clear float32
}

// shadowed is the share of light i that comes to a place in the air.
func (w *Walker) shadowed(i int, p vec.V3, to airward) vec.V3 {
	if !w.lights[i].Shadow {
		return vec.Splat(1)
	}
	return w.tracer.Passes(p, vec.V3{}, to.dir, to.clear)
}

// sendFew is sendOn for one of the lights, chosen by what they would send.
func (w *Walker) sendFew(travel float32, tint vec.V3, pane int) {
	var sum, worth float32
	var best int
	var from, light vec.V3
	var way airward
	for i := range w.lights {
		if !w.on[i] {
			continue
		}
		p, to, v := w.fromAir(i, travel, pane)
		k := float32(colour.LuminanceOf(v.Mul(w.gains[i])))
		if !(k > 0) {
			continue
		}
		if sum += k; w.src.Loose(w.use(useAirFew, pane, i)).X*sum < k {
			best, worth, from, way, light = i, k, p, to, v
		}
	}
	if worth > 0 {
		w.put(best, film.Air, light.Scale(sum/worth).Mul(tint).Mul(w.shadowed(best, from, way)))
	}
}
