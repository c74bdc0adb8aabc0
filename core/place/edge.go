package place

import (
	"fmt"
	"math"

	"willowherb/core/light"
	"willowherb/core/vec"
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
	part := p.figure(c.Object)
	if part[t.Object] {
		return nil, cannot("The shadow of %s is to fall on something else: click another surface.", p.name(c.Object))
	}
	to := c.Pos.Sub(t.Pos)
	dist := to.Len()
	if dist < 0.02 {
		return nil, cannot("Both clicks are on the same spot.")
	}
	axis := to.Scale(1 / dist)
	if axis.Dot(t.N) <= 0.01 {
		return nil, cannot("%s faces away from %s there: no shadow of it can fall on it.", p.name(t.Object), p.name(c.Object))
	}
	// casts tells what a ray from the second spot meets: the caster, nothing nearer
	// than the light, or something else in the way.
	type meets int
	const (
		nothing meets = iota
		caster
		other
	)
	reach := max(distance(l, t.Pos), dist+0.3)
	if sun(l) {
		reach = 1e5
	}
	blocker, hit := -1, float32(0)
	look := func(d vec.V3) meets {
		if d.Dot(t.N) <= 0.005 {
			return other
		}
		var by int
		hit, by = p.World.Stands(t.Pos, t.N, d, reach)
		switch {
		case by < 0:
			return nothing
		case part[by]:
			return caster
		case hit > dist && !sun(l) && hit > dist+0.2:
			// Beyond the caster: the light can stand before it.
			return nothing
		}
		blocker = by
		return other
	}
	start := axis
	if look(start) == other {
		return nil, cannot("%s stands between %s and that spot.", p.name(blocker), p.name(c.Object))
	}
	u, v := vec.Basis(axis)
	// The nearest way out of the caster's outline, by angle.
	const ways, widest = 48, 1.2
	best, bestAngle, edgeAt := vec.V3{}, float32(widest), float32(0)
	for i := range ways {
		s, k := math.Sincos(2 * math.Pi * float64(i) / ways)
		side := u.Scale(float32(k)).Add(v.Scale(float32(s)))
		turn := func(a float32) vec.V3 {
			sa, ca := math.Sincos(float64(a))
			return axis.Scale(float32(ca)).Add(side.Scale(float32(sa)))
		}
		inside := float32(0)
		for a := float32(0.004); a < bestAngle; a = a*1.35 + 0.002 {
			m := look(turn(a))
			if m == other {
				break
			}
			if m == caster {
				inside = a
				continue
			}
			lo, hi := inside, a
			for range 22 {
				mid := (lo + hi) / 2
				switch look(turn(mid)) {
				case caster:
					lo = mid
				default:
					hi = mid
				}
			}
			// An edge, and not where the caster goes on beyond the light's distance.
			look(turn(lo))
			at := hit
			if at > 0.9*reach {
				break
			}
			if hi < bestAngle && look(turn(hi)) == nothing {
				bestAngle, best, edgeAt = hi, turn(hi), at
			}
			break
		}
	}
	if best == (vec.V3{}) {
		return nil, cannot("From that spot no free edge of %s is to be seen.", p.name(c.Object))
	}
	out := &Placement{At: t.Pos}
	aim := best.Neg()
	out.Aim = &aim
	if sun(l) {
		return out, nil
	}
	free := reach
	if hit, by := p.World.Stands(t.Pos, t.N, best, reach+nearest); by >= 0 {
		if free = hit - nearest; free < edgeAt+0.05 {
			return nil, cannot("%s leaves no room for the light behind %s.", p.name(by), p.name(c.Object))
		}
		out.Note = fmt.Sprintf("%s stands in the way: %.2f m away instead of %.2f", p.name(by), free, reach)
	}
	pos := t.Pos.Add(best.Scale(free))
	out.Position = &pos
	return out, nil
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
	on := func(x, y float64) (vec.V3, bool) {
		h, ok := p.World.Probe(p.View.Eye, p.ray(x, y), p.Sight)
		return h.Pos, ok && part[h.Object]
	}
	// The nearest way off the figure, in pixels of the picture.
	px := 1 / float64(p.Rows)
	const ways, farthest = 40, 90
	bestR, ex, ey := float64(farthest), 0.0, 0.0
	edge := q.Pos
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
