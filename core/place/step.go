package place

import (
	"math"

	"willowherb/core/vec"
	"willowherb/core/world"
)

// Stepped is where an eye came to.
type Stepped struct {
	At vec.V3
	// Free is how far it may go on from there, in any direction, before it may touch something,
	// as far as rays in all directions tell; at most reach.
	Free float32
	By   int // the object that it was stopped by, or slid along; -1 for none
}

// reach bounds how far Free is looked for, in metres.
const reach = 8

// skin is what is left between the ball and a surface, in metres: what rays tell is rounded.
const skin = 0.005

// Step moves a ball from one place towards another in a straight line; surfaces stop it, and it
// slides along them as far as that leads on. Clear glass is a surface. What sight hides is
// passed. A ball that touches something already may always leave it.
func Step(w *world.World, sight world.Sight, from, to vec.V3, radius float32) Stepped {
	sight.Cut = 0
	b := ball{w, sight, radius}
	out := Stepped{At: from, By: -1}
	var met []vec.V3
	for range 4 {
		way := to.Sub(out.At)
		for range 2 { // along one surface may be into another
			for _, n := range met {
				if d := way.Dot(n); d < 0 {
					way = way.Sub(n.Scale(d))
				}
			}
		}
		dist := way.Len()
		if dist < 1e-4 {
			break
		}
		d := way.Scale(1 / dist)
		if into(d, met) {
			break // a corner
		}
		free, n, by := b.along(out.At, d, dist)
		out.At = out.At.Add(d.Scale(free))
		if by < 0 {
			break
		}
		out.By = by
		met = append(met, n)
	}
	out.Free = b.free(out.At)
	return out
}

// into tells whether a way leads into one of some surfaces.
func into(d vec.V3, met []vec.V3) bool {
	for _, n := range met {
		if d.Dot(n) < -1e-3 {
			return true
		}
	}
	return false
}

// ball is what moves.
type ball struct {
	w      *world.World
	sight  world.Sight
	radius float32
}

// along is how far the ball can go along d, up to dist, and the normal and object of what stops
// it: its middle, and its rim as seen along the way.
func (b *ball) along(o, d vec.V3, dist float32) (free float32, n vec.V3, by int) {
	free, by = dist, -1
	try := func(from vec.V3, room float32) {
		p, ok := b.w.Probe(from, d, b.sight)
		if !ok {
			return
		}
		if at := max(p.Dist-room, 0); at < free && p.N.Dot(d) < 0 {
			free, n, by = at, p.N, p.Object
		}
	}
	try(o, b.radius+skin)
	u, v := vec.Basis(d)
	const rim = 12
	for _, share := range [2]float32{1, 0.5} {
		for k := range rim {
			s, c := math.Sincos(2 * math.Pi * float64(k) / rim)
			off := u.Scale(float32(c)).Add(v.Scale(float32(s)))
			r := b.radius * share
			// What stands between the middle and the rim is touched already.
			if p, ok := b.w.Probe(o, off, b.sight); ok && p.Dist < r {
				continue
			}
			// The ball is round: its rim is as far ahead as its middle less than this.
			ahead := float32(math.Sqrt(float64(1-share*share))) * b.radius
			try(o.Add(off.Scale(r)), ahead+skin)
		}
	}
	return free, n, by
}

// free is how far the ball can go from o in any direction.
func (b *ball) free(o vec.V3) float32 {
	const many = 96
	least := float32(reach)
	for i := range many { // a spiral over the sphere, by the golden angle
		z := 1 - (2*float64(i)+1)/many
		r, a := math.Sqrt(1-z*z), float64(i)*2.399963229728653
		if p, ok := b.w.Probe(o, vec.New(r*math.Cos(a), r*math.Sin(a), z), b.sight); ok {
			least = min(least, p.Dist-b.radius-skin)
		}
	}
	return max(least, 0)
}
