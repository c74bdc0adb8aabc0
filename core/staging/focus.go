package staging

import (
	"math"

	"willowherb/core/film"
	"willowherb/core/grade"
	"willowherb/core/scene"
	"willowherb/core/setup"
	"willowherb/core/vec"
	"willowherb/core/world"
)

// Focus is the distance along a view's axis that is sharp, in metres: that of the middle of
// the object that it follows, where there is one before the eye; 0: all is sharp.
func Focus(v *setup.View, s *scene.Scene) float64 {
	if v.FocusOn == "" {
		return v.Focus
	}
	inf := float32(math.Inf(1))
	lo, hi := vec.Splat(inf), vec.Splat(-inf)
	for i := range s.Objects {
		if o := &s.Objects[i]; scene.Under(o.Path, v.FocusOn) {
			lo, hi = vec.Min3(lo, o.Lo), vec.Max3(hi, o.Hi)
		}
	}
	if lo.X > hi.X {
		return v.Focus
	}
	if d := float64(vec.Lerp(lo, hi, 0.5).Sub(vec.Of(v.Eye)).Dot(vec.Of(v.Aim).Norm())); d > 0.01 {
		return d
	}
	return v.Focus
}

// standardAperture is that of a view that tells none.
const standardAperture = 2.8

// Lens is a picture's depth for a view's lens: inverse is one over how far off each pixel lies, 1/m,
// and focus how far off is sharp, in metres.
func Lens(v *setup.View, focus float64, inverse []float32, w, h int) *grade.Depth {
	d := &grade.Depth{W: w, H: h, Inverse: inverse, FovY: v.Camera().FovY, Focus: focus, Aperture: v.Aperture}
	if d.Aperture <= 0 {
		d.Aperture = standardAperture
	}
	return d
}

// DepthOf is how far off what a view's picture shows lies, for its lens and its corners; nil
// where neither is wanted.
func DepthOf(v *setup.View, graded *grade.Grade, s *scene.Scene, g *film.Guide, cam world.Camera) *grade.Depth {
	focus := Focus(v, s)
	if focus <= 0 && (graded == nil || graded.Corners <= 0) || g == nil {
		return nil
	}
	d := Lens(v, focus, make([]float32, g.W*g.H), g.W, g.H)
	for px := range d.Inverse {
		if g.Tri[px] == film.NoTri {
			continue
		}
		ray := cam.Ray(float32(px%g.W)+0.5, float32(px/g.W)+0.5, g.W, g.H)
		if far := g.Pos[px].Sub(cam.Eye).Len() * ray.Dot(cam.Aim); far > 1e-4 {
			d.Inverse[px] = 1 / far
		}
	}
	return d
}
