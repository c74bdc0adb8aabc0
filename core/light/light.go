// Package light samples every kind of light: given a point it yields a
// direction, a distance and what arrives, for a light that is white and of unit
// output. Colour, output and stops are applied to finished layers, never here.
//
// Unit output means: one candela (point, spot; tube, square to it), one lumen
// (with a profile), one cd/m2 (rect, disc, sky, emissive), one lux at normal
// incidence (sun). Conversions from lumens are in photometry.
//
// A kind of light is a source, in a file of its own; what shapes a beam (cone,
// profile, gobo, doors, honeycomb, range) is the same for all of them (beam.go).
package light

import (
	"math"

	"willowherb/core/photometry"
	"willowherb/core/scene"
	"willowherb/core/vec"
)

// Kind is a kind of light.
type Kind uint8

// Kinds of light.
const (
	Sun Kind = iota
	Point
	Spot
	Rect
	Disc
	Sky
	Emissive
	Tube
)

// Light is a light ready for sampling.
type Light struct {
	ID     uint64 // names its random dimensions, so that it draws the same numbers alone and in company
	Kind   Kind
	Pos    vec.V3
	Aim    vec.V3 // unit; where sun, spot, rect and disc shine to
	U, V   vec.V3 // unit axes across Aim: a rect's sides, a tube's length along U
	Radius float32
	W, H   float32 // metres, rect
	Length float32 // metres, tube
	// TwoSided makes a rect or disc shine to both sides.
	TwoSided bool
	// NoDiffuse and NoSpecular are the shares that matt and glossy reflection do
	// not show of it, 0 to 1.
	NoDiffuse, NoSpecular float32
	// More and Mirrored are by how much more than it lights the light is seen behind
	// everything, and in mirrors, as a share: 0 as much, -1 not at all.
	More, Mirrored float32
	// OneMinusCos of the sun's angular radius.
	OneMinusCos float32
	Range       float32
	Shadow      bool
	NoAir       bool // fog does not show it
	Channels    uint8
	Gradient    Gradient
	// Dome is a sky's picture, in the place of the gradient; Turn is by how much it is turned
	// clockwise, seen from above: its sine and cosine, both 0 for not at all.
	Dome     *Dome
	Turn     [2]float32
	Seen     *Dome    // seen behind everything, turned as it is; nil: the same
	Portals  []Portal // through which rooms see a sky
	shine    float32  // radiance of the light's own surface at unit output; intensity where it has none
	cone     cone
	lit      surfaces
	doors    *Doors
	gobo     *Gobo
	grid     float32 // tangent of the honeycomb's half-angle; 0: none
	profile  *photometry.Profile
	pu, pv   vec.V3  // the profile's axes
	perLumen float64 // one over the profile's flux
}

// source is what a kind of light is. Its methods take the light, so that a source
// has no state and a Light stays one plain value.
type source interface {
	// shine is the radiance of the light's surface at unit output; 1 where it has none.
	shine(l *Light) float32
	// reaches reports cheaply whether anything can arrive at p with normal n; the zero
	// normal asks for any side.
	reaches(l *Light, p, n vec.V3) bool
	// sample chooses a direction from p (normal n); ok is false where nothing arrives.
	sample(l *Light, p, n vec.V3, u vec.V2) (Sample, bool)
	// meet is what a ray from o (normal n) along d finds of the light itself.
	meet(l *Light, o, n, d vec.V3) Met
	// area is what shines, in square metres; 0 for what has no flat surface.
	area(l *Light) float64
	// perLumen is how many of the light's own units one lumen makes.
	perLumen(l *Light) float64
	// lux is what one unit gives square to the axis at distance d, bare of its beam's shape.
	lux(l *Light, d float64) float64
	traits() traits
}

// traits tell what a kind of light has and has not.
type traits struct {
	placed  bool // it stands somewhere
	distant bool // it shines from beyond everything
	shows   bool // the camera sees it shine
	small   bool // surfaces right beside it are lit by leaps (path)
	plan    Plan // how its shadow is mapped
}

var sources = [...]source{Sun: sun{}, Point: point{}, Spot: spot{}, Rect: rect{}, Disc: disc{}, Sky: sky{}, Emissive: emissive{}, Tube: tube{}}

var traitsOf = func() (t [len(sources)]traits) {
	for k, s := range sources {
		t[k] = s.traits()
	}
	return t
}()

// Placed reports whether the light stands somewhere, and can be moved.
func (l *Light) Placed() bool { return traitsOf[l.Kind].placed }

// Distant reports whether the light shines from beyond everything.
func (l *Light) Distant() bool { return traitsOf[l.Kind].distant }

// Shows reports whether the camera sees the light itself: sky, shining surfaces.
func (l *Light) Shows() bool { return traitsOf[l.Kind].shows }

// Small reports whether the light is a lamp that things may stand close to.
func (l *Light) Small() bool { return traitsOf[l.Kind].small }

// Plan is how shadow maps look out from a light.
type Plan uint8

// Plans.
const (
	NoMap    Plan = iota
	Cascades      // slices of the view, along Aim
	Forward       // one map along Aim, two where both sides shine
	Around        // six maps
)

// Plan returns how the light's shadow is mapped, by how many maps (for cascades it is
// the caller's choice: 0), and what half-angle each covers, in radians.
func (l *Light) Plan() (p Plan, maps int, half float64) {
	switch p = traitsOf[l.Kind].plan; p {
	case Forward:
		if l.Kind == Spot {
			return p, 1, min(l.cone.outer, 84*math.Pi/180)
		}
		if maps = 1; l.TwoSided {
			maps = 2
		}
		return p, maps, 80 * math.Pi / 180
	case Around:
		return p, 6, math.Pi / 4
	}
	return p, 0, 0
}

// Prepare derives what sampling needs; call it once after filling the fields.
func (l *Light) Prepare() {
	l.Aim = l.Aim.Norm()
	l.shine = sources[l.Kind].shine(l)
	if l.U == (vec.V3{}) && l.Aim != (vec.V3{}) {
		l.U, l.V = vec.Basis(l.Aim)
	}
}

// Area returns the shining area in square metres (rect, disc, emissive): of a panel one
// side; of an emissive light all sides that shine, each part by how brightly it does.
func (l *Light) Area() float64 { return sources[l.Kind].area(l) }

// Sample is one chosen direction.
type Sample struct {
	Dir  vec.V3
	Dist float32 // to the light; +Inf for sky and sun
	// Clear is how far along Dir nothing may stand for the light to arrive: a little
	// less than Dist, so that a light flush with a surface is not hidden by it.
	Clear float32
	// Weight is radiance over density: times reflectance and cosine it estimates
	// what the light gives.
	Weight vec.V3
	// Pdf per steradian; 0 for a light without extent, which no other strategy finds.
	Pdf float32
}

// Met is what a ray finds of a light itself.
type Met struct {
	Radiance vec.V3
	// Pdf is the density with which Sample would have chosen the ray's direction; 0
	// where the ray misses.
	Pdf  float32
	Dist float32 // to the light's surface; +Inf for sky and sun
	// Slack is how far behind what it is flush with the light may seem to lie.
	Slack float32
}

var inf = float32(math.Inf(1))

// Reaches reports cheaply whether anything of l can arrive at p with normal n, or
// with any normal where n is zero.
func (l *Light) Reaches(p, n vec.V3) bool { return sources[l.Kind].reaches(l, p, n) }

// Sample chooses a direction from p (normal n) towards the light. ok is false
// where nothing arrives.
func (l *Light) Sample(p, n vec.V3, u vec.V2) (s Sample, ok bool) {
	return sources[l.Kind].sample(l, p, n, u)
}

// Meet returns what a ray from o, on a surface with normal n, finds along d of the
// light's own surface, or of what lies beyond everything.
func (l *Light) Meet(o, n, d vec.V3) Met { return sources[l.Kind].meet(l, o, n, d) }

// CanBeMet reports whether rays can find the light by chance.
func (l *Light) CanBeMet() bool {
	return l.Shadow && (l.Radius > 0 || l.OneMinusCos > 0 || l.Shows() || l.Area() > 0)
}

// slack is how far along a ray the place q of a flat light may seem to lie from what
// the light is flush with, where the ray meets it under the cosine cos.
func slack(q vec.V3, cos, dist float32) float32 { return min(2*q.Rounding()/cos, dist/2) }

// window is the range factor without its inverse square.
func (l *Light) window(d2 float32) float32 {
	if l.Range <= 0 {
		return 1
	}
	q := d2 / (l.Range * l.Range)
	return min(max(1-q*q, 0), 1)
}

// within reports whether p lies in the light's range, and not so deep under the
// surface with normal n that all of a light of that extent lies below it.
func (l *Light) within(p, n vec.V3, extent float32) (d vec.V3, ok bool) {
	d = p.Sub(l.Pos)
	if l.Range > 0 && d.Dot(d) >= l.Range*l.Range {
		return d, false
	}
	return d, n.Dot(d) <= extent
}

// UnitFromLumen returns how many of the kind's own units one lumen makes.
func (l *Light) UnitFromLumen() float64 {
	if l.profile != nil {
		return 1
	}
	return sources[l.Kind].perLumen(l)
}

// AxisLux is what one unit of the light gives, in lux, square to its axis at
// distance d, without range, leaves, gobo or honeycomb.
func (l *Light) AxisLux(d float64) float64 { return sources[l.Kind].lux(l, d) }

// AxisCandela is the intensity of one unit along the axis; of a luminaire that
// sends nothing there, its greatest.
func (l *Light) AxisCandela() float64 {
	if l.profile == nil {
		return 1
	}
	if c := l.profile.Candela(0, 0, 1); c > 0.01*l.profile.Peak() {
		return c * l.perLumen
	}
	return l.profile.Peak() * l.perLumen
}

// surfaces are triangles of a scene that shine.
type surfaces struct {
	scene *scene.Scene
	tris  []uint32
	sums  []float32 // running sum of their areas
	of    []bool    // the materials that shine
	// lo and hi bound them all.
	lo, hi vec.V3
	even   float64 // area, of all sides, that would give as much if it shone at 1
}

// nearest is how near to a lamp, in metres, a surface may be and still send its
// light on by the inverse square.
const nearest = 0.2

// Near weakens what surfaces right beside a lamp (its own shade or cage) send
// on to others: it is as if they were `nearest` away. Paths find such places by
// chance alone, one in thousands, and each find would be a speckle that the
// filter spreads. What the camera sees of those surfaces is not touched.
func (l *Light) Near(p vec.V3) float32 {
	if !l.Small() {
		return 1
	}
	d := p.Sub(l.Pos)
	return min(d.Dot(d)/(nearest*nearest), 1)
}
