package path

import (
	"willowherb/core/cache"
	"willowherb/core/film"
	"willowherb/core/vec"
)

// Gathered is what a path from a texel or a point in space found of the place itself.
type Gathered struct {
	// Dist is how far its first segment went, in metres; +Inf where it left the place.
	Dist float32
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
		w.Follow(s)
	}
	return w.seen
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
