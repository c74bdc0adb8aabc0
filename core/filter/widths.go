package filter

import "willowherb/core/film"

// Widths is in how many levels each kind of a layer is filtered; 0: not at all.
type Widths [film.Kinds]int

// Sharp reports whether a kind is filtered as what smooth surfaces show, which has none of
// their albedo; what is filtered as widely as the soft kind that it belongs to goes with that.
func (w Widths) Sharp(k film.Kind) bool {
	switch k {
	case film.Reflected, film.Air:
		return true
	case film.DirectSharp, film.BouncedSharp:
		soft, _ := k.Softly()
		return w[k] != w[soft]
	}
	return false
}

// part is what a kind is filtered with.
func (w Widths) part(k film.Kind) part { return part{w[k], w.Sharp(k), isAir(k)} }

// few is the number of samples under which everything is filtered.
const few = 4

// Frame says how a picture was sampled, as far as filtering goes.
type Frame struct {
	Samples int
	Sparse  bool // what is bounced has a quarter of the samples (film.Layers.Sparse)
	// Smaller is how many times the picture is halved against the size that it is made
	// for: small pictures are filtered less widely.
	Smaller int
}

// levels is how many times the filter doubles its step at a number of samples:
// noisier pictures are filtered wider.
func levels(samples int) int {
	switch {
	case samples < 4:
		return 5
	case samples < 32:
		return 4
	case samples < 256:
		return 3
	}
	return 2
}

// Widths returns how widely the kinds of a light's layer are filtered. What a light
// gives by bounces is soft; so is the direct light of what shines itself (sky, emissive
// surfaces). Lamps' direct light keeps the edges of its shadows, and what smooth
// surfaces show keeps its own, but for the first samples: better soft at first than
// speckled. What smooth surfaces show is then filtered as the rest is, so that the two can
// be added up before.
func (f Frame) Widths(shows bool) (w Widths) {
	wide := func(samples int) int {
		n := levels(samples)
		if f.Smaller > 0 {
			n = max(n-f.Smaller, 2)
		}
		return n
	}
	first := func(samples int) int {
		switch {
		case samples >= few:
			return 0
		case f.Smaller > 0:
			return 1
		}
		return 2
	}
	bounced := f.Samples
	if f.Sparse {
		bounced /= 4
	}
	w[film.Bounced] = wide(bounced)
	if w[film.Direct] = first(f.Samples); shows {
		w[film.Direct] = wide(f.Samples)
	}
	w[film.Air] = wide(f.Samples)
	if bounced < few {
		w[film.BouncedSharp] = w[film.Bounced]
	}
	if f.Samples < few {
		w[film.DirectSharp] = w[film.Direct]
	}
	return w
}

// soft is the width up to which light keeps its own edges: what is filtered wider comes by
// way of matt surfaces, and changes little from pixel to pixel.
const soft = 3

// Widest returns how widely the kinds of a light's layer on a cover are filtered at most,
// where the levels are chosen pixel by pixel: lamps' direct light as little as serves its
// penumbras while samples are few.
func Widest(shows bool) (w Widths) {
	w[film.Bounced], w[film.Met], w[film.Air] = 5, 5, 5
	w[film.Direct] = 1
	if shows {
		w[film.Direct] = 3
	}
	w[film.BouncedSharp], w[film.DirectSharp], w[film.Reflected] = 2, 2, 2
	return w
}
