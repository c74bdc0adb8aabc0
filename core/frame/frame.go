// Package frame makes the run-time picture of a view: what the target would show. Direct light
// of split and live lights comes through shadow maps (drawn); what is baked from the lightmap,
// on what moves and on what is too small for the map from the probe field; what is mirrored
// from reflection probes; then what is seen shining, and the air. It is what the target leaves
// out too: baked lights have no highlights of their own, and what is mirrored stands still.
package frame

import (
	"context"
	"math"

	"willowherb/core/drawn"
	"willowherb/core/film"
	"willowherb/core/lamps"
	"willowherb/core/light"
	"willowherb/core/mirrors"
	"willowherb/core/path"
	"willowherb/core/probes"
	"willowherb/core/setup"
	"willowherb/core/spread"
	"willowherb/core/surface"
	"willowherb/core/vec"
	"willowherb/core/world"
)

// Map is a lightmap with its lights at some levels.
type Map interface {
	// Lux is the irradiance at a place of a triangle of an object, on a surface of normal n that is
	// bent there, as far as the map knows of that; false where the object is not in the map.
	Lux(object int, tri uint32, u, v float32, n, bent vec.V3) (vec.V3, bool)
}

// Order is what a picture is made from.
type Order struct {
	World    *world.World
	Rest     *world.World // without movers, which do not stand between a probe and themselves
	Lamps    []*lamps.Lamp
	View     world.Camera
	W, H     int
	Samples  int // places in a pixel
	Cascades int // of a sun, where a light does not say
	Map      Map
	Field    *probes.Field // nil: none
	Gains    []vec.V3      // of the field's lights
	Mirrors  []*mirrors.Shown
	// AirSamples is how many are taken of what fog shows of lights; 0: as many as places.
	AirSamples int
	Workers    int
	// Hits and Layer, if set, keep what is found of the view for its next pictures: its first
	// surfaces, and the direct light of a light at unit output.
	Hits  func(ctx context.Context, find func(context.Context) (*drawn.Hits, error)) (*drawn.Hits, error)
	Layer func(ctx context.Context, l *lamps.Lamp, draw func(context.Context) ([]float32, error)) ([]float32, error)
}

// Picture is scene-linear light in cd/m2, RGB, rows from the top, and which part of each pixel
// is by what.
type Picture struct {
	W, H int
	RGB  []float32
	// Live is direct light through shadow maps; Mapped, Probed and Mirrored by what they say.
	Live, Mapped, Probed, Mirrored []float32
	// By is what the first surface's baked light is by.
	By []By
}

// By says what gives a pixel its baked light.
type By uint8

// By what.
const (
	Nothing By = iota
	ByMap
	ByProbe
)

// Render makes the picture. Error: ctx ended.
func Render(ctx context.Context, o *Order) (*Picture, error) {
	n := max(o.Samples, 1)
	out := &Picture{W: o.W, H: o.H, By: make([]By, o.W*o.H)}
	for _, to := range []*[]float32{&out.RGB, &out.Live, &out.Mapped, &out.Probed, &out.Mirrored} {
		*to = make([]float32, 3*o.W*o.H)
	}
	base := drawn.Picture{World: o.World, View: o.View, W: o.W, H: o.H, Samples: n, Workers: o.Workers}
	hits, err := o.find(ctx, &base)
	if err != nil {
		return nil, err
	}
	if err := o.live(ctx, out, base, hits); err != nil {
		return nil, err
	}
	err = spread.With(ctx, o.H, o.Workers, func() (func(int), func()) {
		t := o.Rest.Tracer()
		s := &shader{o: o, out: out, base: &base, hits: hits, n: n, open: probes.OpenIn(t)}
		return s.row, t.Release
	})
	if err != nil {
		return nil, err
	}
	for i := range out.RGB {
		out.RGB[i] += out.Live[i] + out.Mapped[i] + out.Probed[i] + out.Mirrored[i]
	}
	return out, o.air(ctx, out)
}

func (o *Order) find(ctx context.Context, base *drawn.Picture) (*drawn.Hits, error) {
	if o.Hits != nil {
		return o.Hits(ctx, base.Find)
	}
	return base.Find(ctx)
}

// live adds the direct light of lights that the target works out.
func (o *Order) live(ctx context.Context, out *Picture, base drawn.Picture, hits *drawn.Hits) error {
	for _, l := range o.Lamps {
		g := l.Gain()
		if g == (vec.V3{}) || l.Carry == setup.Baked || l.Source.Shows() {
			continue
		}
		p := base
		p.Light, p.Set, p.Hits = l.Source, l.ShadowDrawn(o.Cascades), hits
		draw := p.Render
		if o.Layer != nil {
			draw = func(ctx context.Context) ([]float32, error) { return o.Layer(ctx, l, p.Render) }
		}
		rgb, err := draw(ctx)
		if err != nil {
			return err
		}
		for i := 0; i < len(rgb); i += 3 {
			out.Live[i] += g.X * rgb[i]
			out.Live[i+1] += g.Y * rgb[i+1]
			out.Live[i+2] += g.Z * rgb[i+2]
		}
	}
	return nil
}

// air adds what fog shows of lights, as the reference picture has it.
func (o *Order) air(ctx context.Context, out *Picture) error {
	if o.World.Air.Clear() {
		return nil
	}
	n := o.AirSamples
	if n == 0 {
		n = max(o.Samples, 1)
	}
	p := &path.Pass{World: o.World, Camera: o.View, W: o.W, H: o.H, Bounces: 1}
	var gains []vec.V3
	for _, l := range o.Lamps {
		if g := l.Gain(); g != (vec.V3{}) {
			p.Lights, p.Layers, gains = append(p.Lights, l.Source), append(p.Layers, film.NewLayers(o.W, o.H)), append(gains, g)
		}
	}
	if len(p.Lights) == 0 {
		return nil
	}
	if err := p.Run(ctx, n, o.Workers); err != nil {
		return err
	}
	for i, y := range p.Layers {
		y.Average(film.Air, gains[i], out.RGB)
	}
	return nil
}

// shader is one worker's.
type shader struct {
	o    *Order
	out  *Picture
	base *drawn.Picture
	hits *drawn.Hits
	n    int
	room []probes.Weighed
	open probes.Open
}

func (s *shader) row(y int) {
	o := s.o
	inv := 1 / float32(s.n)
	for x := range o.W {
		px := y*o.W + x
		for k := range s.n {
			d := s.base.Towards(x, y, k)
			p, through, ok := s.hits.At(px, k, s.n)
			if !ok {
				add(s.out.RGB, px, o.behind(d).Scale(inv))
				continue
			}
			s.shade(px, &p, d, through.Scale(inv), k == 0)
		}
	}
}

func add(rgb []float32, px int, v vec.V3) {
	rgb[3*px] += v.X
	rgb[3*px+1] += v.Y
	rgb[3*px+2] += v.Z
}

// behind is what is seen beyond everything.
func (o *Order) behind(d vec.V3) (v vec.V3) {
	for _, l := range o.Lamps {
		if g := l.Gain(); g != (vec.V3{}) && l.Source.Kind == light.Sky {
			m := l.Source.Meet(o.View.Eye, vec.V3{}, d)
			v = v.Add(l.Source.Behind(d, m.Radiance).Mul(g).Scale(1 + l.Source.More))
		}
	}
	return v
}

func (s *shader) shade(px int, p *world.Probe, d, through vec.V3, first bool) {
	o := s.o
	sc := o.World.S
	sp := sc.PointAtPos(p.Tri, p.Pos)
	m := &sc.Materials[p.Material]
	f, ok := surface.At(sc, m, &sp, d.Neg())
	if !ok {
		return
	}
	if m.Emits() {
		add(s.out.RGB, px, o.shining(uint16(p.Material), sc.Emission(m, &sp)).Mul(through))
	}
	gloss, under := f.Gloss()
	to, by := s.out.Mapped, ByMap
	e, ok := vec.V3{}, false
	if o.Map != nil {
		e, ok = o.Map.Lux(p.Object, p.Tri, sp.U, sp.V, f.Ng, f.N)
	}
	if !ok {
		to, by = s.out.Probed, ByProbe
		if o.Field != nil {
			s.room = o.Field.Look(p.Pos, f.N, s.open, s.room)
			e, ok = s.field(f.N)
		}
	}
	if !ok {
		by = Nothing
	}
	if first {
		s.out.By[px] = by
	}
	add(to, px, e.Mul(under).Mul(through).Scale(1/math.Pi))
	if gloss == (vec.V3{}) {
		return
	}
	r := d.Sub(f.N.Scale(2 * d.Dot(f.N)))
	seen := e.Scale(1 / math.Pi)
	if q := mirrors.Chosen(o.Mirrors, p.Pos); q != nil {
		seen = q.Towards(p.Pos, r, f.Alpha)
	}
	add(s.out.Mirrored, px, seen.Mul(gloss).Mul(through))
}

// field is what the probes that were found tell.
func (s *shader) field(n vec.V3) (vec.V3, bool) {
	var sum probes.SH
	for _, w := range s.room {
		for l, g := range s.o.Gains {
			if g != (vec.V3{}) {
				sum.Add(&s.o.Field.Probes[w.Probe].SH[l], g.Scale(w.Share))
			}
		}
	}
	return sum.Lux(n), len(s.room) > 0
}

// shining is what a material is seen to shine with.
func (o *Order) shining(material uint16, emission vec.V3) (v vec.V3) {
	for _, l := range o.Lamps {
		if l.Source.Kind != light.Emissive {
			continue
		}
		if l.Source.Has(material) {
			v = v.Add(emission.Mul(l.Gain()).Scale(1 + l.Source.More))
		}
	}
	return v
}
