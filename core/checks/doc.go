// Package checks finds what is wrong, wasteful or dark in a lighting setup, each
// with its place, the reason, a number, and where there is one a remedy that can
// be applied as an edit; and it measures who lights whom. It looks at small
// pictures of the views (light by light), at the place itself, and at what the
// target can do. Light is in cd/m2, distances in metres.
package checks

import (
	"math"

	"willowherb/core/colour"
	"willowherb/core/exposure"
	"willowherb/core/render"
	"willowherb/core/setup"
	"willowherb/core/vec"
)

// View is a saved view with what each lamp gives to it.
type View struct {
	ID     string
	Name   string
	EV     float64
	Curve  exposure.Curve
	Camera render.View
	Guide  *render.Guide
	W, H   int
	// Direct and Bounced are each lamp's light in the picture, RGB in cd/m2, with its
	// gain; nil for a lamp that is off.
	Direct, Bounced [][]float32
}

// Input is a setup as it is seen and carried.
type Input struct {
	Setup *setup.Setup
	World *render.World
	Lamps []*setup.Lamp
	Views []View
	// Limits of the target; 0 for none.
	MaxOverlap, MaxShadows int
}

func lum(rgb []float32, px int) float64 {
	return colour.Luminance(colour.RGB{float64(rgb[3*px]), float64(rgb[3*px+1]), float64(rgb[3*px+2])})
}

// seen tells the pixels of a view with a surface.
func (v *View) seen(px int) bool { return v.Guide.Tri[px] != math.MaxUint32 }

// total is the view's picture of what falls on surfaces, all lamps together.
func (v *View) total() []float32 {
	out := make([]float32, 3*v.W*v.H)
	for i := range v.Direct {
		for _, p := range [][]float32{v.Direct[i], v.Bounced[i]} {
			for k, x := range p {
				out[k] += x
			}
		}
	}
	return out
}

func p3(v vec.V3) [3]float64 { return [3]float64{float64(v.X), float64(v.Y), float64(v.Z)} }
