package path

import (
	"math"

	"willowherb/core/cache"
	"willowherb/core/colour"
	"willowherb/core/film"
	"willowherb/core/vec"
)

// Gathered is what a path from a texel or a point in space found of the place itself.
type Gathered struct {
	// Dist is how far its first segment went, in metres; +Inf where it left the place.
	Dist float32
	// D is the direction of that segment.
	D vec.V3
	// Back tells that it met the back of a surface that has only a front: it began inside
	// something solid.
	Back bool
}

// With has paths end at what a light cache knows of the walker's lights, by the points of one
// half (0 or 1); nil for whole paths.
func (w *Walker) With(table *cache.Table, half int) { w.table, w.half = table, half }

// Touching has the walker only ask a cache for the places where its paths would end: nothing
// is found then.
func (w *Walker) Touching(r *cache.Reach) {
	w.reach, w.only = r, byWay
	for i := range w.on {
		w.on[i] = false
	}
}

// Ask says which lights are followed, and which of them are asked for at the first surface
// (nil: all).
func (w *Walker) Ask(on, straight []bool) {
	copy(w.on, on)
	w.unasked = nil
	for i, s := range straight {
		if !s {
			if w.unasked == nil {
				w.unasked = make([]bool, len(w.on))
			}
			w.unasked[i] = true
		}
	}
}

// Gather follows one path from a texel or, where v is nil, along s. What it finds is added to
// what Found tells.
func (w *Walker) Gather(v *Vertex, s Segment) Gathered {
	w.seen = Gathered{Dist: inf}
	if v == nil || w.From(v, &s) {
		w.seen.D = s.D
		w.Follow(s)
	}
	return w.seen
}

// lean is where the light of a lamp comes from at a path's first surface.
type lean struct {
	asked  float64 // luminance of what was asked for there
	moment vec.V3  // luminance times direction over its cosine
}

// flattest is the cosine under which directions count as if it were theirs: one over the
// cosine has no bound.
const flattest = 0.15

func (l *lean) take(v, d, n vec.V3) {
	y := colour.LuminanceOf(v)
	l.asked += y
	l.moment = l.moment.Add(d.Scale(float32(y) / max(d.Dot(n), flattest)))
}

// Leaning has the walker tell, too, how irradiance changes as the surface tilts.
func (w *Walker) Leaning() { w.leans = make([]lean, len(w.lights)) }

// Lean is the slope of what Irradiance tells of light i, by luminance, as the surface tilts from
// its normal n towards a direction: the light from each direction over its cosine, its part
// along the surface. E(n + d) is about E(n) + d . Lean for a small d along the surface.
func (w *Walker) Lean(i int, n vec.V3) vec.V3 {
	straight, bounced := w.Irradiance(i)
	l := w.leans[i]
	if rest := colour.LuminanceOf(straight.Add(bounced))/math.Pi - l.asked; rest > 0 {
		// The rest came along the path's first segment.
		l.moment = l.moment.Add(w.seen.D.Scale(float32(rest) / max(w.seen.D.Dot(n), flattest)))
	}
	return l.moment.Sub(n.Scale(n.Dot(l.moment))).Scale(math.Pi)
}

// Irradiance is what the last path from a texel found of light i, in lux for unit output:
// straight, and by way of other surfaces.
func (w *Walker) Irradiance(i int) (straight, bounced vec.V3) {
	const pi = 3.14159265
	f := &w.found[i]
	for _, k := range film.DirectKinds {
		straight = straight.Add(f[k])
	}
	return straight.Add(f[film.Reflected]).Scale(pi), f[film.Bounced].Add(f[film.BouncedSharp]).Scale(pi)
}
