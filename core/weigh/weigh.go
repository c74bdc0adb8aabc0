// Package weigh answers what lights a point of a picture: every light's share
// there, direct and bounced, the illuminance it makes, and why a light gives
// nothing. Positions in
// the picture run from 0 to 1 from its top left corner; light is in cd/m2 and
// lux.
package weigh

import (
	"context"
	"math"
	"slices"

	"willowherb/core/colour"
	"willowherb/core/film"
	"willowherb/core/lamps"
	"willowherb/core/light"
	"willowherb/core/path"
	"willowherb/core/setup"
	"willowherb/core/vec"
	"willowherb/core/world"
)

// Question is a point of a view.
type Question struct {
	World  *world.World
	Lamps  []*lamps.Lamp
	View   world.Camera
	Aspect float64
	Sight  world.Sight
	X, Y   float64
	// Rows of the picture that the point is a pixel of.
	Rows    int
	Samples int // paths for each of 64 places in the pixel
	Workers int
}

// Share is what one light gives at the point.
type Share struct {
	Light    string       `json:"light"`
	Direct   float64      `json:"direct"` // cd/m2 to the eye
	Bounced  float64      `json:"bounced"`
	Seen     float64      `json:"seen"`     // the shining thing itself, and the sky in mirrors
	Air      float64      `json:"air"`      // what the air before it sends on
	Share    float64      `json:"share"`    // of the point's luminance
	Lux      float64      `json:"lux"`      // all it makes there
	Straight float64      `json:"straight"` // lux without bounces
	Reason   world.Reason `json:"reason"`   // why it gives nothing directly; "off" if it is off
	By       string       `json:"by"`       // the object in its way
}

// Off is the reason of a light that is off.
const Off world.Reason = "off"

// Reading is what is known of a point.
type Reading struct {
	Hit       bool       `json:"hit"` // false: the ray leaves the place
	Object    string     `json:"object"`
	Path      string     `json:"path"`
	Material  string     `json:"material"`
	Position  [3]float64 `json:"position"`
	Normal    [3]float64 `json:"normal"`
	Distance  float64    `json:"distance"`
	Luminance float64    `json:"luminance"`
	Colour    [3]float64 `json:"colour"` // scene-linear, cd/m2 in each primary
	Lux       float64    `json:"lux"`
	Shares    []Share    `json:"shares"` // the strongest first
}

// grid is the side of the little picture that stands for the pixel.
const grid = 8

// Ask renders the pixel by itself, as seen and as matt grey, and sorts out who
// lights it. The figures are estimates: with 24 samples their error is a few per
// cent of the point's light.
func Ask(ctx context.Context, q Question) (*Reading, error) {
	rows := max(q.Rows, 1)
	w := float64(rows) * q.Aspect
	aim := q.View.Ray(float32(q.X*w), float32(q.Y*float64(rows)), int(math.Round(w)), rows)
	small := q.View
	small.Aim = aim
	// One row's angle at the picture's middle; the pixel is the same for every place in it.
	small.FovY = 2 * math.Atan(math.Tan(q.View.FovY/2)/float64(rows))
	a := &Reading{Shares: []Share{}}
	p, hit := q.World.Probe(q.View.Eye, aim, q.Sight)
	if a.Hit = hit; hit {
		o := &q.World.S.Objects[p.Object]
		a.Object, a.Path, a.Material = o.Name, o.Path, q.World.S.Materials[p.Material].Name
		a.Position, a.Normal, a.Distance = p.Pos.Array(), p.N.Array(), float64(p.Dist)
	}
	seen, err := q.layers(ctx, small, 0)
	if err != nil {
		return nil, err
	}
	lit, err := q.layers(ctx, small, 1)
	if err != nil {
		return nil, err
	}
	var sum vec.V3
	for i, l := range q.Lamps {
		g := l.Gain()
		m := func(y *film.Layers, k []film.Kind) float64 { return colour.LuminanceOf(y.Mean(k...).Mul(g)) }
		s := Share{Light: l.ID, Direct: m(seen[i], film.DirectKinds), Bounced: m(seen[i], film.BouncedKinds), Seen: m(seen[i], film.Shown), Air: m(seen[i], []film.Kind{film.Air})}
		for k := range film.Kinds {
			sum = sum.Add(seen[i].Mean(k).Mul(g))
		}
		s.Straight = math.Pi * m(lit[i], film.DirectKinds)
		s.Lux = s.Straight + math.Pi*m(lit[i], film.BouncedKinds)
		s.Reason, s.By = world.Lit, ""
		switch {
		case l.Off:
			s.Reason = Off
		case hit && s.Straight == 0:
			r, by := q.World.Why(l.Source, &p)
			if s.Reason = r; by >= 0 {
				s.By = q.World.S.Objects[by].Name
			}
			if r == world.Lit { // what reaches it at the very centre misses the pixel's places
				s.Reason = world.Away
			}
		}
		a.Lux += s.Lux
		a.Luminance += s.Direct + s.Bounced + s.Seen + s.Air
		a.Shares = append(a.Shares, s)
	}
	a.Colour = sum.Array()
	for i := range a.Shares {
		if s := &a.Shares[i]; a.Luminance > 0 {
			s.Share = (s.Direct + s.Bounced + s.Seen + s.Air) / a.Luminance
		}
	}
	slices.SortStableFunc(a.Shares, func(x, y Share) int {
		switch {
		case x.Share > y.Share:
			return -1
		case x.Share < y.Share:
			return 1
		}
		return 0
	})
	return a, nil
}

func (q *Question) layers(ctx context.Context, v world.Camera, neutral float32) ([]*film.Layers, error) {
	p := &path.Pass{World: q.World, Camera: v, W: grid, H: grid, Seed: 7, Sight: q.Sight}
	p.Neutral = neutral
	out := make([]*film.Layers, len(q.Lamps))
	for i, l := range q.Lamps {
		out[i] = film.NewLayers(grid, grid)
		if l.Gain() != (vec.V3{}) {
			p.Lights, p.Layers = append(p.Lights, l.Source), append(p.Layers, out[i])
		}
	}
	if len(p.Lights) == 0 {
		return out, nil
	}
	// The little picture is one tile: samples are shared out among the workers by
	// seeds, each with sums of its own.
	n := max(q.Workers, 1)
	parts := make([]*path.Pass, n)
	errs := make(chan error, n)
	for k := range n {
		c := *p
		c.Seed = 7 + uint32(k)
		c.Layers = nil
		for range p.Layers {
			c.Layers = append(c.Layers, film.NewLayers(grid, grid))
		}
		parts[k] = &c
		go func() { errs <- c.Run(ctx, evenly(q.Samples, n), 1) }()
	}
	var first error
	for range n {
		if err := <-errs; err != nil && first == nil {
			first = err
		}
	}
	if first != nil {
		return nil, first
	}
	for i, y := range p.Layers {
		for _, c := range parts {
			y.Add(c.Layers[i])
		}
	}
	return out, nil
}

// evenly is how many of the samples each of n workers takes: an even number.
func evenly(samples, n int) int { return 2 * max((samples+2*n-1)/(2*n), 1) }

// Reach says, for each pixel of a guide, how a light reaches it: the reason, as
// its index in Reasons, and 255 where nothing is seen.
func Reach(w *world.World, l *light.Light, g *film.Guide, v world.Camera) []uint8 {
	out := make([]uint8, len(g.Tri))
	for i := range out {
		out[i] = 255
		if g.Tri[i] == math.MaxUint32 {
			continue
		}
		p := w.ProbeAt(g.Tri[i], g.Pos[i], v.Eye)
		r, _ := w.Why(l, &p)
		out[i] = uint8(slices.Index(Reasons, r))
	}
	return out
}

// Reasons in the order of Reach's codes.
var Reasons = []world.Reason{world.Lit, world.Shadowed, world.Away, world.OutCone, world.OutOf, world.OtherChan, world.Enclosed}

// Crowding counts, for each pixel of a guide, the lights that are split or live
// and reach it by range and cone; 255 where nothing is seen.
func Crowding(lamps []*lamps.Lamp, g *film.Guide) []uint8 {
	out := make([]uint8, len(g.Tri))
	for i := range out {
		if g.Tri[i] == math.MaxUint32 {
			out[i] = 255
			continue
		}
		for _, l := range lamps {
			if l.Off || l.Carry == setup.Baked || l.Shines() {
				continue
			}
			if l.Source.Reaches(g.Pos[i], vec.V3{}) {
				out[i]++
			}
		}
	}
	return out
}
