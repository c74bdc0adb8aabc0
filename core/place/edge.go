package place

import (
	"fmt"
	"math"

	"willowherb/core/light"
	"willowherb/core/vec"
	"willowherb/core/world"
)

// Shadow puts l so that the edge of the shadow of what is clicked first falls on
// what is clicked second. The edge is that of the caster's outline, as the second
// spot sees it, that is nearest to the first click; the light goes on the line
// that just passes it, as far from the second spot as it was, but always beyond
// the caster.
func Shadow(p *Picture, l *light.Light, fromX, fromY, x, y float64) (*Placement, error) {
	if err := placed(l); err != nil {
		return nil, err
	}
	if !l.Shadow {
		return nil, cannot("This light casts no shadow: switch its shadow on first.")
	}
	c, err := p.probe(fromX, fromY)
	if err != nil {
		return nil, err
	}
	t, err := p.probe(x, y)
	if err != nil {
		return nil, err
	}
	w := &way{Picture: p, part: p.figure(c.Object), from: t, endless: sun(l)}
	if w.part[t.Object] {
		return nil, cannot("The shadow of %s is to fall on something else: click another surface.", p.name(c.Object))
	}
	to := c.Pos.Sub(t.Pos)
	w.dist = to.Len()
	if w.dist < 0.02 {
		return nil, cannot("Both clicks are on the same spot.")
	}
	axis := to.Scale(1 / w.dist)
	if axis.Dot(t.N) <= 0.01 {
		return nil, cannot("%s faces away from %s there: no shadow of it can fall on it.", p.name(t.Object), p.name(c.Object))
	}
	w.reach = max(distance(l, t.Pos), w.dist+0.3)
	if sun(l) {
		w.reach = 1e5
	}
	if w.look(axis) == other {
		return nil, cannot("%s stands between %s and that spot.", p.name(w.blocker), p.name(c.Object))
	}
	best, edgeAt := w.edge(axis)
	if best == (vec.V3{}) {
		return nil, cannot("From that spot no free edge of %s is to be seen.", p.name(c.Object))
	}
	out := &Placement{At: t.Pos}
	aim := best.Neg()
	out.Aim = &aim
	if sun(l) {
		return out, nil
	}
	free := w.reach
	if hit, by := p.World.Stands(t.Pos, t.N, best, w.reach+nearest); by >= 0 {
		if free = hit - nearest; free < edgeAt+0.05 {
			return nil, cannot("%s leaves no room for the light behind %s.", p.name(by), p.name(c.Object))
		}
		out.Note = fmt.Sprintf("%s stands in the way: %.2f m away instead of %.2f", p.name(by), free, w.reach)
	}
	pos := t.Pos.Add(best.Scale(free))
	out.Position = &pos
	return out, nil
}

// way looks from a spot towards what is to cast a shadow on it.
type way struct {
	*Picture
	part    []bool // the caster's objects
	from    world.Probe
	dist    float32 // to the caster
	reach   float32 // to the light
	endless bool    // the light is beyond everything
	// Of the last look.
	hit     float32
	blocker int
}

// meets tells what a ray from the spot meets: the caster, nothing nearer than the light,
// or something else in the way.
type meets int

const (
	nothing meets = iota
	caster
	other
)

func (w *way) look(d vec.V3) meets {
	if d.Dot(w.from.N) <= 0.005 {
		return other
	}
	var by int
	w.hit, by = w.World.Stands(w.from.Pos, w.from.N, d, w.reach)
	switch {
	case by < 0:
		return nothing
	case w.part[by]:
		return caster
	case !w.endless && w.hit > w.dist+0.2:
		// Beyond the caster: the light can stand before it.
		return nothing
	}
	w.blocker = by
	return other
}

// edge finds the nearest way out of the caster's outline from the direction axis, by
// angle, and how far off the outline is there; the zero vector where there is none.
func (w *way) edge(axis vec.V3) (best vec.V3, at float32) {
	const ways, widest = 48, 1.2
	u, v := vec.Basis(axis)
	bestAngle := float32(widest)
	for i := range ways {
		s, k := math.Sincos(2 * math.Pi * float64(i) / ways)
		side := u.Scale(float32(k)).Add(v.Scale(float32(s)))
		turn := func(a float32) vec.V3 {
			sa, ca := math.Sincos(float64(a))
			return axis.Scale(float32(ca)).Add(side.Scale(float32(sa)))
		}
		lo, hi, ok := w.leaves(turn, bestAngle)
		if !ok {
			continue
		}
		// An edge, and not where the caster goes on beyond the light's distance.
		w.look(turn(lo))
		far := w.hit
		if far <= 0.9*w.reach && hi < bestAngle && w.look(turn(hi)) == nothing {
			bestAngle, best, at = hi, turn(hi), far
		}
	}
	return best, at
}

// leaves finds the angle at which a turning ray leaves the caster, from both sides.
func (w *way) leaves(turn func(float32) vec.V3, widest float32) (lo, hi float32, ok bool) {
	inside := float32(0)
	for a := float32(0.004); a < widest; a = a*1.35 + 0.002 {
		switch w.look(turn(a)) {
		case other:
			return 0, 0, false
		case caster:
			inside = a
			continue
		}
		lo, hi = inside, a
		for range 22 {
			if mid := (lo + hi) / 2; w.look(turn(mid)) == caster {
				lo = mid
			} else {
				hi = mid
			}
		}
		return lo, hi, true
	}
	return 0, 0, false
}

// wrap is how far round the outline, in degrees, a grazing light reaches.
const wrap = 22

// Graze puts l behind the clicked figure so that it just wraps the outline
// nearest to the click: the lit band ends 22 degrees round from the outline. Its
// distance is kept where there is room; where a wall is behind, it comes nearer
// and then further round, and says so.
func Graze(p *Picture, l *light.Light, x, y float64) (*Placement, error) {
	if err := placed(l); err != nil {
		return nil, err
	}
	q, err := p.probe(x, y)
	if err != nil {
		return nil, err
	}
	part := p.figure(q.Object)
	edge, ex, ey := p.nearestEdge(part, q.Pos, x, y)
	if ex == 0 && ey == 0 {
		return nil, cannot("%s has no outline near there: click nearer to its edge.", p.name(q.Object))
	}
	// Outwards across the line of sight.
	v := edge.Sub(p.View.Eye).Norm()
	f := p.View.Aim.Norm()
	right := f.Cross(p.View.Up).Norm()
	up := right.Cross(f)
	out := right.Scale(float32(ex)).Add(up.Scale(float32(-ey)))
	out = out.Sub(v.Scale(out.Dot(v))).Norm()
	start := edge.Add(out.Scale(0.02))
	place := &Placement{At: edge}
	dist := distance(l, edge)
	if sun(l) {
		dist = 1e5
	}
	var wall int
	for _, angle := range []float64{wrap, 35, 50, 65} {
		s, c := math.Sincos(angle * math.Pi / 180)
		d := v.Scale(float32(c)).Add(out.Scale(float32(s))).Norm()
		free, by := p.free(start, d, d, dist)
		if by >= 0 {
			wall = by
		}
		if sun(l) && by >= 0 || free < min(dist, 0.45) {
			continue
		}
		aim := d.Neg()
		place.Aim = &aim
		if !sun(l) {
			pos := edge.Add(d.Scale(free))
			place.Position = &pos
		}
		switch {
		case angle > wrap:
			place.Note = fmt.Sprintf("%s is close behind: the light comes %.0f° round instead of %d", p.name(wall), angle, wrap)
		case by >= 0:
			place.Note = fmt.Sprintf("%s is behind: %.2f m away instead of %.2f", p.name(by), free, dist)
		}
		return place, nil
	}
	return nil, cannot("%s stands right behind: there is no room for a rim light.", p.name(wall))
}

// nearestEdge finds the nearest way off a figure from a place on it in the picture: the
// last place on the figure, and the direction in the picture, (0, 0) for none.
func (p *Picture) nearestEdge(part []bool, at0 vec.V3, x, y float64) (edge vec.V3, ex, ey float64) {
	on := func(x, y float64) (vec.V3, bool) {
		h, ok := p.World.Probe(p.View.Eye, p.ray(x, y), p.Sight)
		return h.Pos, ok && part[h.Object]
	}
	// The nearest way off the figure, in pixels of the picture.
	px := 1 / float64(p.Rows)
	const ways, farthest = 40, 90
	bestR := float64(farthest)
	edge = at0
	for i := range ways {
		s, c := math.Sincos(2 * math.Pi * float64(i) / ways)
		at := func(r float64) (float64, float64) { return x + r*c*px/p.Aspect, y + r*s*px }
		inside := 0.0
		for r := 1.0; r < bestR; r += max(1, r*0.1) {
			sx, sy := at(r)
			if _, ok := on(sx, sy); ok {
				inside = r
				continue
			}
			lo, hi := inside, r
			for range 12 {
				mid := (lo + hi) / 2
				mx, my := at(mid)
				if _, ok := on(mx, my); ok {
					lo = mid
				} else {
					hi = mid
				}
			}
			if hi < bestR {
				bestR, ex, ey = hi, c, s
				lx, ly := at(lo)
				if pos, ok := on(lx, ly); ok {
					edge = pos
				}
			}
			break
		}
	}
	return edge, ex, ey
}
