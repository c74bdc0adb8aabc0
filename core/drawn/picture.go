package drawn

import (
	"context"
	"math"

	"willowherb/core/light"
	"willowherb/core/sampling"
	"willowherb/core/spread"
	"willowherb/core/surface"
	"willowherb/core/vec"
	"willowherb/core/world"
)

// Picture is a light's direct light in a view as the target would draw it, for
// unit output.
type Picture struct {
	World   *world.World
	View    world.Camera
	W, H    int
	Sight   world.Sight
	Light   *light.Light
	Set     Settings
	Samples int // places in a pixel
	Workers int
	// Hits, if set, are what a Picture of the same view, size and samples found; they
	// serve all its lights.
	Hits *Hits
	// Maps, if set, are the light's, drawn before.
	Maps *Maps
}

// Hits are the first surfaces behind every place of every pixel.
type Hits struct {
	found []found
}

type found struct {
	world.Probe
	through vec.V3
	ok      bool
}

// Find looks for the picture's first surfaces.
func (p *Picture) Find(ctx context.Context) (*Hits, error) {
	n := max(p.Samples, 1)
	h := &Hits{make([]found, n*p.W*p.H)}
	err := spread.Over(ctx, p.H, p.Workers, func(y int) {
		for x := range p.W {
			px := y*p.W + x
			for k := range n {
				f := &h.found[px*n+k]
				j := p.inPixel(px, k)
				f.Probe, f.through, f.ok = p.hit(float32(x)+j.X, float32(y)+j.Y)
			}
		}
	})
	return h, err
}

// inPixel is where a place of a pixel lies in it.
func (p *Picture) inPixel(px, place int) vec.V2 {
	if p.Samples > 1 {
		return sampling.New(3, uint32(px), 0).Pair(uint32(place))
	}
	return vec.V2{X: 0.5, Y: 0.5}
}

// taps is at how many points of its source a light is shaded.
const taps = 4

// Render draws the light's maps and then the picture, RGB, rows from the top.
func (p *Picture) Render(ctx context.Context) ([]float32, error) {
	aspect := float64(p.W) / float64(p.H)
	maps := p.Maps
	var err error
	if p.Light.Shadow && p.Set.Traced == 0 && maps == nil {
		if maps, err = Draw(ctx, p.World, p.Light, p.Set, p.View, aspect, p.Workers); err != nil {
			return nil, err
		}
	}
	hits := p.Hits
	if hits == nil {
		if hits, err = p.Find(ctx); err != nil {
			return nil, err
		}
	}
	c := &contact{p: p}
	if p.Light.Shadow && p.Set.Contact > 0 {
		if err := c.fill(ctx); err != nil {
			return nil, err
		}
	}
	out := make([]float32, 3*p.W*p.H)
	n := max(p.Samples, 1)
	err = spread.Over(ctx, p.H, p.Workers, func(y int) {
		for x := range p.W {
			var sum vec.V3
			px := y*p.W + x
			for k := range n {
				sum = sum.Add(p.at(&hits.found[px*n+k], maps, c, sampling.New(5, uint32(px), uint32(k))))
			}
			i := 3 * (y*p.W + x)
			out[i], out[i+1], out[i+2] = sum.X/float32(n), sum.Y/float32(n), sum.Z/float32(n)
		}
	})
	return out, err
}

// hit is the first surface that is no clear glass, and what share of its light
// comes through the glass before it.
func (p *Picture) hit(x, y float32) (q world.Probe, through vec.V3, ok bool) {
	d := p.View.Ray(x, y, p.W, p.H)
	sight := p.Sight
	through = vec.Splat(1)
	for range 16 {
		q, ok = p.World.Probe(p.View.Eye, d, sight)
		if !ok || !p.World.Clear(q.Tri) {
			if a := p.World.Air; ok && !a.Clear() && p.Sight.Neutral == 0 {
				through = through.Mul(a.Passes(p.View.Eye, d, float64(q.Dist)))
			}
			return q, through, ok
		}
		from := sight.Cut
		sight.Cut = q.Dist * 1.00001
		through = through.Mul(p.World.Passes(p.View.Eye.Add(d.Scale(from)), d, sight.Cut-from))
		if through == (vec.V3{}) {
			return q, through, false
		}
	}
	return q, through, false
}

func (p *Picture) at(q *found, maps *Maps, c *contact, src sampling.Source) vec.V3 {
	l := p.Light
	if !q.ok || l.Channels&p.World.Channels(uint32(q.Object)) == 0 {
		return vec.V3{}
	}
	s := p.World.S
	sp := s.PointAtPos(q.Tri, q.Pos)
	back := p.View.Eye.Sub(q.Pos).Norm()
	f, ok := surface.At(s, &s.Materials[q.Material], &sp, back)
	if !ok {
		return vec.V3{}
	}
	if p.Sight.Neutral > 0 {
		f = surface.Matt(f.N, f.Ng, p.Sight.Neutral, back)
	}
	if !l.Reaches(q.Pos, f.N) && !l.Reaches(q.Pos, f.Ng) {
		return vec.V3{}
	}
	var sum vec.V3
	n := taps
	if l.Small() && l.Radius == 0 && l.Length == 0 {
		n = 1 // it is a place
	}
	for i := range n {
		u := vec.V2{X: (float32(i) + 0.5) / float32(n), Y: [4]float32{0.125, 0.625, 0.375, 0.875}[i%4]}
		e, ok := l.Sample(q.Pos, f.N, u)
		if !ok {
			continue
		}
		matt, glossy, _ := f.Parts(e.Dir)
		r := matt.Scale(1 - l.NoDiffuse).Add(glossy.Scale(1 - l.NoSpecular))
		sum = sum.Add(r.Mul(e.Weight).Scale(1 / float32(n)))
	}
	if sum == (vec.V3{}) {
		return sum
	}
	if l.Shadow {
		sum = sum.Scale(p.lit(q.Pos, f.Ng, maps, c, src))
	}
	return sum.Mul(q.through)
}

// lit is how much of the light is let through to a point with normal n.
func (p *Picture) lit(at, n vec.V3, maps *Maps, c *contact, src sampling.Source) float32 {
	if p.Set.Traced > 0 {
		var sum float32
		for i := range p.Set.Traced {
			e, ok := p.Light.Sample(at, n, src.Pair(uint32(64+i)))
			if ok && p.World.PassesFrom(at, n, e.Dir, e.Clear) != (vec.V3{}) {
				sum++
			}
		}
		return sum / float32(p.Set.Traced)
	}
	k := maps.Lit(at, n, &p.Set)
	if k > 0 && p.Set.Contact > 0 {
		to := p.Light.Aim.Neg()
		length := float32(p.Set.Contact)
		if !p.Light.Distant() {
			to = p.Light.Pos.Sub(at)
			length = min(length, to.Len())
			to = to.Norm()
		}
		if c.hidden(at, to, length) {
			return 0
		}
	}
	return k
}

// contact is the picture's own depth, in which contact shadows are looked for.
type contact struct {
	p     *Picture
	dist  []float32
	right vec.V3
	up    vec.V3
	fwd   vec.V3
	t     float32
}

func (c *contact) fill(ctx context.Context) error {
	p := c.p
	c.dist = make([]float32, p.W*p.H)
	c.fwd = p.View.Aim.Norm()
	c.right = c.fwd.Cross(p.View.Up).Norm()
	c.up = c.right.Cross(c.fwd)
	c.t = float32(math.Tan(p.View.FovY / 2))
	return spread.Over(ctx, p.H, p.Workers, func(y int) {
		for x := range p.W {
			c.dist[y*p.W+x] = float32(math.Inf(1))
			if q, _, ok := p.hit(float32(x)+0.5, float32(y)+0.5); ok {
				c.dist[y*p.W+x] = q.Pos.Sub(p.View.Eye).Dot(c.fwd)
			}
		}
	})
}

// steps of a contact shadow's march.
const steps = 16

// hidden marches towards the light: what lies behind something that is no thicker
// than the settings say is in its shadow.
func (c *contact) hidden(at, to vec.V3, length float32) bool {
	p := c.p
	for i := 1; i <= steps; i++ {
		q := at.Add(to.Scale(length * float32(i) / steps)).Sub(p.View.Eye)
		z := q.Dot(c.fwd)
		if z <= 0 {
			return false
		}
		x := (q.Dot(c.right)/(z*c.t)*float32(p.H)/float32(p.W)*0.5 + 0.5) * float32(p.W)
		y := (0.5 - 0.5*q.Dot(c.up)/(z*c.t)) * float32(p.H)
		if x < 0 || y < 0 || x >= float32(p.W) || y >= float32(p.H) {
			return false
		}
		d := c.dist[int(y)*p.W+int(x)]
		// A hair's breadth, so that a surface does not shade itself.
		if behind := z - d; behind > 0.002*z && behind < float32(p.Set.Thickness) {
			return true
		}
	}
	return false
}

// At is the first surface behind a place of a pixel, and what share of its light comes
// through the glass and the air before it; false where there is none.
func (h *Hits) At(pixel, place, samples int) (p world.Probe, through vec.V3, ok bool) {
	f := &h.found[pixel*samples+place]
	return f.Probe, f.through, f.ok
}

// Towards is the direction in which a place of a pixel is seen.
func (p *Picture) Towards(x, y, place int) vec.V3 {
	j := p.inPixel(y*p.W+x, place)
	return p.View.Ray(float32(x)+j.X, float32(y)+j.Y, p.W, p.H)
}
