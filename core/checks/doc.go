// Package checks finds what is wrong, wasteful or dark in a lighting setup, each
// with its place, the reason, a number, and where there is one a remedy that can
// be applied as an edit; and it measures who lights whom. It looks at small
// pictures of the views (light by light), at the place itself, and at what the
// target can do. Light is in cd/m2, distances in metres.
package checks

import (
	"math"

	"willowherb/core/exposure"
	"willowherb/core/film"
	"willowherb/core/lamps"
	"willowherb/core/setup"
	"willowherb/core/vec"
	"willowherb/core/world"
)

// View is a saved view with what each lamp gives to it.
type View struct {
	ID     string
	Name   string
	EV     float64
	Curve  exposure.Curve
	Camera world.Camera
	Guide  *film.Guide
	W, H   int
	// Given is each lamp's light in the picture; nil for a lamp that is off.
	Given []*Given
}

// Given is a lamp's light in a view's picture, packed as layers are kept
// (film.Pack): nothing has to be unpacked for views times lamps. nil stands for
// none.
type Given struct {
	Whole, Bounced, Shine, Air []uint32
	// Gains of each, RGB in cd/m2 for a packed one: the lamp's gain times the scale.
	WholeGain, BouncedGain, ShineGain, AirGain vec.V3
}

// At is what the lamp gives at a pixel's surfaces directly and by way of others, RGB
// in cd/m2.
func (g *Given) At(px int) (direct, bounced vec.V3) {
	bounced = read(g.Bounced, g.BouncedGain, px)
	d := read(g.Whole, g.WholeGain, px).Sub(read(g.Shine, g.ShineGain, px)).Sub(bounced).Sub(g.Sent(px))
	return vec.V3{X: max(d.X, 0), Y: max(d.Y, 0), Z: max(d.Z, 0)}, bounced
}

// Sent is what the air before a pixel sends on of the lamp, RGB in cd/m2.
func (g *Given) Sent(px int) vec.V3 { return read(g.Air, g.AirGain, px) }

func read(words []uint32, gain vec.V3, px int) vec.V3 {
	if words == nil {
		return vec.V3{}
	}
	return film.Word(words[px]).Mul(gain)
}

// Input is a setup as it is seen and carried.
type Input struct {
	Setup *setup.Setup
	World *world.World
	Lamps []*lamps.Lamp
	Views []View
	// Limits of the target; 0 for none.
	MaxOverlap, MaxShadows int
}

// seen tells the pixels of a view with a surface.
func (v *View) seen(px int) bool { return v.Guide.Tri[px] != math.MaxUint32 }

// total is the view's picture of what falls on surfaces, all lamps together.
func (v *View) total() []float32 {
	out := make([]float32, 3*v.W*v.H)
	for _, g := range v.Given {
		if g == nil {
			continue
		}
		for px := range v.W * v.H {
			d, b := g.At(px)
			out[3*px] += d.X + b.X
			out[3*px+1] += d.Y + b.Y
			out[3*px+2] += d.Z + b.Z
		}
	}
	return out
}
