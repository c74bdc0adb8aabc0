package place

import (
	"fmt"
	"math"

	"willowherb/core/colour"
	"willowherb/core/light"
	"willowherb/core/scene"
	"willowherb/core/vec"
	"willowherb/core/world"
)

// Picture is what is clicked in.
type Picture struct {
	World  *world.World
	View   world.Camera
	Aspect float64
	Rows   int // of the picture, so that "a pixel" means something
	Sight  world.Sight
}

// Placement is where a light goes. Fields that stay as they are are nil.
type Placement struct {
	Position *vec.V3
	Aim      *vec.V3 // unit
	Width    *float64
	Height   *float64
	Roll     *float64 // degrees
	Stops    *float64 // added to the light's own
	At       vec.V3   // the spot that it was placed by
	Note     string   // what was given up for it
}

// Cannot says why there is no placement.
type Cannot struct{ Reason string }

func (c *Cannot) Error() string { return c.Reason }

func cannot(format string, a ...any) error { return &Cannot{fmt.Sprintf(format, a...)} }

// nearest is how close to a surface a light may be put, in metres.
const nearest = 0.08

func (p *Picture) ray(x, y float64) vec.V3 {
	w := float64(p.Rows) * p.Aspect
	return p.View.Ray(float32(x*w), float32(y*float64(p.Rows)), int(math.Round(w)), p.Rows)
}

func (p *Picture) probe(x, y float64) (world.Probe, error) {
	q, ok := p.At(x, y)
	if !ok {
		return q, cannot("There is nothing to light there: the line of sight leaves the place.")
	}
	return q, nil
}

// At is what is seen at a picture position; ok is false where that is nothing.
func (p *Picture) At(x, y float64) (q world.Probe, ok bool) {
	return p.World.Probe(p.View.Eye, p.ray(x, y), p.Sight)
}

func (p *Picture) name(object int) string { return p.World.S.Objects[object].Name }

// sun tells the lights that have a direction and no place.
func sun(l *light.Light) bool { return l.Distant() }

func placed(l *light.Light) error {
	if !l.Placed() && l.Kind != light.Sun {
		return cannot("This light has no place of its own to move.")
	}
	return nil
}

// distance keeps a light as far from p as it is, within reason.
func distance(l *light.Light, p vec.V3) float32 {
	return min(max(l.Pos.Sub(p).Len(), 0.3), 500)
}

// free is how far from p, which lies on a surface with normal n, a light may
// stand along d, up to dist: to just before what is in the way. by is that
// object, -1 for none.
func (p *Picture) free(at, n, d vec.V3, dist float32) (free float32, by int) {
	hit, by := p.World.Stands(at, n, d, dist+nearest)
	if by < 0 {
		return dist, -1
	}
	return min(hit-nearest, dist), by
}

// Highlight puts l where the mirror direction of the clicked spot wants it: the
// eye sees the light's reflection there. Its distance from the spot is kept; where
// something stands nearer, it goes just before that. The surface's own form
// counts, not the grain of its texture.
func Highlight(p *Picture, l *light.Light, x, y float64) (*Placement, error) {
	if err := placed(l); err != nil {
		return nil, err
	}
	q, err := p.probe(x, y)
	if err != nil {
		return nil, err
	}
	e := p.View.Eye.Sub(q.Pos).Norm()
	c := e.Dot(q.Smooth)
	if c <= 0.01 {
		return nil, cannot("%s is seen edge on there: it mirrors nothing.", p.name(q.Object))
	}
	d := q.Smooth.Scale(2 * c).Sub(e).Norm()
	if d.Dot(q.N) <= 0.005 {
		return nil, cannot("The mirror direction goes into %s there.", p.name(q.Object))
	}
	out := &Placement{At: q.Pos}
	aim := d.Neg()
	if sun(l) {
		if _, by := p.free(q.Pos, q.N, d, 1e5); by >= 0 {
			return nil, cannot("%s stands between that spot and the sky.", p.name(by))
		}
		out.Aim = &aim
		return out, nil
	}
	want := distance(l, q.Pos)
	free, by := p.free(q.Pos, q.N, d, want)
	if free < 0.15 {
		return nil, cannot("%s stands in the way, %.2f m from the spot.", p.name(by), free+nearest)
	}
	if by >= 0 {
		out.Note = fmt.Sprintf("%s stands in the way: %.2f m from the spot instead of %.2f", p.name(by), free, want)
	}
	pos := q.Pos.Add(d.Scale(free))
	out.Position, out.Aim = &pos, &aim
	return out, nil
}

// Aim points l at the clicked spot, from where it stands.
func Aim(p *Picture, l *light.Light, x, y float64) (*Placement, error) {
	if err := placed(l); err != nil {
		return nil, err
	}
	if sun(l) {
		return nil, cannot("The sun shines the same way everywhere: land its highlight or its shadow instead.")
	}
	q, err := p.probe(x, y)
	if err != nil {
		return nil, err
	}
	d := q.Pos.Sub(l.Pos)
	if d.Len() < 0.02 {
		return nil, cannot("The light stands on that spot.")
	}
	aim := d.Norm()
	out := &Placement{Aim: &aim, At: q.Pos}
	toward := aim.Neg()
	if l.Range > 0 && d.Len() >= l.Range {
		out.Note = fmt.Sprintf("the spot is %.1f m away, beyond its range of %.1f m", d.Len(), l.Range)
	} else if toward.Dot(q.N) <= 0 {
		out.Note = "the surface faces away from the light there"
	} else if hit, by := p.World.Stands(q.Pos, q.N, toward, d.Len()); by >= 0 && l.Shadow {
		out.Note = fmt.Sprintf("%s stands between, %.2f m before the spot", p.name(by), hit)
	}
	return out, nil
}

// Hold moves l along the line from the clicked spot to a new distance from it,
// and changes its stops so that the spot is lit as before.
func Hold(p *Picture, l *light.Light, x, y, dist float64) (*Placement, error) {
	if err := placed(l); err != nil {
		return nil, err
	}
	q, err := p.probe(x, y)
	if err != nil {
		return nil, err
	}
	return HoldAt(l, q.Pos, dist)
}

// HoldAt is Hold for a known place.
func HoldAt(l *light.Light, at vec.V3, dist float64) (*Placement, error) {
	if err := placed(l); err != nil {
		return nil, err
	}
	if sun(l) {
		return nil, cannot("The sun is as strong at every distance.")
	}
	if !(dist >= nearest && dist < 1e4) {
		return nil, cannot("Choose a distance from %.2f m to 10 km.", nearest)
	}
	was := l.Pos.Sub(at)
	if was.Len() < 1e-3 {
		return nil, cannot("The light stands on that spot.")
	}
	d := was.Norm()
	pos := at.Add(d.Scale(float32(dist)))
	before := Reaching(l, at, l.Pos)
	after := Reaching(l, at, pos)
	if before <= 0 {
		return nil, cannot("Nothing of this light reaches that spot: it is beyond its range or outside its cone.")
	}
	if after <= 0 {
		return nil, cannot("%.2f m away the spot is beyond the light's range of %.1f m.", dist, l.Range)
	}
	stops := math.Log2(before / after)
	return &Placement{Position: &pos, Stops: &stops, At: at}, nil
}

// Reaching is what one unit of l gives at a point on a surface that faces it, in
// lux, if it stood at from with its aim as it is and nothing between.
func Reaching(l *light.Light, at, from vec.V3) float64 {
	moved := *l
	moved.Pos = from
	n := from.Sub(at).Norm()
	const samples = 1024
	var sum float64
	for i := range samples {
		s, ok := moved.Sample(at, n, spot(i, samples))
		if ok {
			sum += colour.LuminanceOf(s.Weight) * float64(max(s.Dir.Dot(n), 0))
		}
	}
	return sum / samples
}

// spot is number i of n points spread evenly over the unit square.
func spot(i, n int) vec.V2 {
	const g = 0.6180339887498949
	f := float64(i) * g
	return vec.V2{X: (float32(i) + 0.5) / float32(n), Y: float32(f - math.Floor(f))}
}

// Mirror puts l on the other side of a subject at pivot: across the upright plane
// through it that holds the view's direction.
func Mirror(p *Picture, l *light.Light, pivot vec.V3) (*Placement, error) {
	if err := placed(l); err != nil {
		return nil, err
	}
	f := pivot.Sub(p.View.Eye)
	f.Y = 0
	if f.Len() < 1e-4 {
		return nil, cannot("The view looks straight down on the subject: it has no left and right.")
	}
	side := f.Norm().Cross(vec.V3{Y: 1})
	flip := func(v vec.V3) vec.V3 { return v.Sub(side.Scale(2 * v.Dot(side))) }
	aim := flip(l.Aim)
	out := &Placement{Aim: &aim, At: pivot}
	if sun(l) {
		return out, nil
	}
	pos := pivot.Add(flip(l.Pos.Sub(pivot)))
	out.Position = &pos
	d := pos.Sub(pivot)
	if l.Shadow {
		// Leave the subject itself out: start a little way off.
		if n := d.Norm(); d.Len() > 0.8 {
			if hit, by := p.World.Stands(pivot.Add(n.Scale(0.6)), n, n, d.Len()-0.6); by >= 0 && hit < d.Len()-0.6 {
				out.Note = fmt.Sprintf("%s stands between the light and the subject", p.name(by))
			}
		}
	}
	return out, nil
}

// figure is the set of objects that belong to the one clicked.
func (p *Picture) figure(object int) []bool {
	_, part := scene.Figure(p.World.S, object)
	return part
}
