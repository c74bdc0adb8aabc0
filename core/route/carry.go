package route

import (
	"math"
	"slices"

	"willowherb/core/lamps"
	"willowherb/core/scene"
	"willowherb/core/setup"
	"willowherb/core/vec"
)

// Carrier is the figure that walks a route, with the lamps of its rigs.
type Carrier struct {
	// Tint is the reflectance of the figure, linear RGB.
	Tint   vec.V3
	foot   vec.V3  // where it stands at rest
	facing float64 // radians
	along  map[string]bool
}

// greyFigure is the reflectance of a figure that nothing is known of.
const greyFigure = 0.2

// NewCarrier finds where a route's figure stands at rest, its colour, and the groups of lights
// that go along with it.
func NewCarrier(doc *setup.Setup, s *scene.Scene, r *setup.Route) *Carrier {
	c := &Carrier{Tint: vec.Splat(greyFigure), along: map[string]bool{}}
	if r.Figure == "" {
		return c
	}
	for id := range doc.Groups {
		c.along[id] = goesAlong(doc, id, r.Figure)
	}
	lo, hi := vec.Splat(math.MaxFloat32), vec.Splat(-math.MaxFloat32)
	var sum vec.V3
	area := float32(0)
	for i := range s.Objects {
		o := &s.Objects[i]
		if !scene.Under(o.Path, r.Figure) || o.Count == 0 {
			continue
		}
		lo, hi = vec.Min3(lo, o.Lo), vec.Max3(hi, o.Hi)
		for k := o.First; k < o.First+o.Count; k += max(o.Count/500, 1) {
			a, _ := s.Area(uint32(k))
			m := &s.Materials[s.Mat[k]]
			p := s.PointAt(uint32(k), 1.0/3, 1.0/3)
			t := s.Texel(&m.BaseTex, &p, true)
			tint := vec.V3{X: m.BaseColor[0] * t[0], Y: m.BaseColor[1] * t[1], Z: m.BaseColor[2] * t[2]}
			sum, area = sum.Add(tint.Scale(a)), area+a
		}
	}
	if area == 0 {
		return c
	}
	c.Tint = sum.Scale(1 / area)
	c.foot = vec.V3{X: (lo.X + hi.X) / 2, Y: lo.Y, Z: (lo.Z + hi.Z) / 2}
	for _, g := range doc.Groups {
		if g.Rig != nil && scene.Under(g.Rig.Object, r.Figure) {
			c.facing = g.Rig.Facing * math.Pi / 180
		}
	}
	return c
}

// goesAlong tells whether the nearest rig that a group hangs from is on the figure.
func goesAlong(doc *setup.Setup, id, figure string) bool {
	for n := 0; id != "" && n < 64; n++ {
		g := doc.Groups[id]
		if g.Rig != nil {
			return scene.Under(g.Rig.Object, figure) || scene.Under(figure, g.Rig.Object)
		}
		id = g.Parent
	}
	return false
}

// GoesAlong tells the lamps of rigs on the figure that walks.
func (c *Carrier) GoesAlong(l *lamps.Lamp) bool { return c.along[l.Group] }

// At is the lamps where the figure is at a place of the route: those that go along are other
// lamps then, the rest the same.
func (c *Carrier) At(lit []*lamps.Lamp, p *Place) []*lamps.Lamp {
	out := slices.Clone(lit)
	for i, l := range lit {
		if c.GoesAlong(l) {
			out[i] = c.carried(l, p)
		}
	}
	return out
}

func (c *Carrier) carried(l *lamps.Lamp, p *Place) *lamps.Lamp {
	sin, cos := math.Sincos(math.Atan2(float64(p.Aim.X), float64(p.Aim.Z)) - c.facing)
	by := func(d vec.V3) vec.V3 {
		return vec.V3{X: d.X*float32(cos) + d.Z*float32(sin), Y: d.Y, Z: d.Z*float32(cos) - d.X*float32(sin)}
	}
	src := *l.Source
	src.Pos = p.Ground.Add(by(src.Pos.Sub(c.foot)))
	src.Aim, src.U, src.V = by(src.Aim), by(src.U), by(src.V)
	out := *l
	out.Source, out.Carried = &src, true
	return &out
}
