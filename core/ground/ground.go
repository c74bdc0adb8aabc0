// Package ground finds where a level can be walked: from places where somebody stands, over
// everything that is no steeper than legs allow, as far as there is room for a body. It tells
// the way between two places too.
package ground

import (
	"container/heap"
	"context"
	"math"

	"willowherb/core/vec"
	"willowherb/core/world"
)

// Body is what walks.
type Body struct {
	Height float64 // metres of room it needs
	Step   float64 // metres that it climbs at once
	Slope  float64 // degrees
	Drop   float64 // metres that it goes down at once
}

// Grown is a person.
var Grown = Body{Height: 1.85, Step: 0.45, Slope: 46, Drop: 0.6}

// Ground is where can be walked: spots on a lattice, several over one another where floors
// are.
type Ground struct {
	Cell  float64
	Spots []Spot
	at    map[[2]int32][]int32
}

// Spot is a place to stand, with the spots that one step leads to.
type Spot struct {
	I, J int32
	Pos  vec.V3
	Next [4]int32 // towards +X, -X, +Z, -Z; -1: none
	// Walked is how far it is on foot from where the search began, in metres.
	Walked float64
}

var ways = [4][2]int32{{1, 0}, {-1, 0}, {0, 1}, {0, -1}}

// under is how far below a place the ground under it is looked for, in metres.
const under = 8

// mostSpots bounds a search.
const mostSpots = 200_000

// Find looks for the ground about some places, above which it lies, as far as reach metres on
// foot, on a lattice of cell metres. Error: ctx ended.
func Find(ctx context.Context, w *world.World, from []vec.V3, body Body, cell, reach float64) (*Ground, error) {
	return FindIn(ctx, w, from, body, cell, reach, nil)
}

// Box is a part of a level, along its axes.
type Box struct{ Lo, Hi vec.V3 }

func (b *Box) holds(p vec.V3) bool {
	return p.X >= b.Lo.X && p.Z >= b.Lo.Z && p.X <= b.Hi.X && p.Z <= b.Hi.Z
}

// FindIn is Find without what lies beside a box, seen from above; nil: nothing does.
func FindIn(ctx context.Context, w *world.World, from []vec.V3, body Body, cell, reach float64, box *Box) (*Ground, error) {
	g := &Ground{Cell: cell, at: map[[2]int32][]int32{}}
	t := w.Tracer()
	defer t.Release()
	s := &searcher{w: w, t: t, body: body, g: g}
	var queue []int32
	for _, p := range from {
		i, j := int32(math.Floor(float64(p.X)/cell)), int32(math.Floor(float64(p.Z)/cell))
		q := vec.V3{X: s.middle(i), Y: p.Y, Z: s.middle(j)}
		if y, ok := s.floor(q, under); ok {
			q.Y = y
			if s.stands(q) {
				if k, fresh := g.add(i, j, q, 0); fresh {
					queue = append(queue, k)
				}
			}
		}
	}
	for n := 0; n < len(queue) && len(g.Spots) < mostSpots; n++ {
		if n%1024 == 0 && ctx.Err() != nil {
			return nil, context.Cause(ctx)
		}
		k := queue[n]
		if g.Spots[k].Walked >= reach {
			continue
		}
		for way, d := range ways {
			i, j := g.Spots[k].I+d[0], g.Spots[k].J+d[1]
			q, ok := s.step(g.Spots[k].Pos, i, j)
			if !ok || box != nil && !box.holds(q) {
				continue
			}
			o, fresh := g.add(i, j, q, g.Spots[k].Walked+cell)
			g.Spots[k].Next[way] = o
			if fresh {
				queue = append(queue, o)
			}
		}
	}
	return g, nil
}

// add returns the spot of a column at about a height.
func (g *Ground) add(i, j int32, p vec.V3, walked float64) (int32, bool) {
	for _, k := range g.at[[2]int32{i, j}] {
		if d := g.Spots[k].Pos.Y - p.Y; d < 0.2 && d > -0.2 {
			return k, false
		}
	}
	k := int32(len(g.Spots))
	g.Spots = append(g.Spots, Spot{i, j, p, [4]int32{-1, -1, -1, -1}, walked})
	g.at[[2]int32{i, j}] = append(g.at[[2]int32{i, j}], k)
	return k, true
}

type searcher struct {
	w    *world.World
	t    *world.Tracer
	body Body
	g    *Ground
}

func (s *searcher) middle(i int32) float32 { return float32((float64(i) + 0.5) * s.g.Cell) }

// floor is the first surface under a place that is not too steep to stand on.
func (s *searcher) floor(p vec.V3, deep float32) (y float32, ok bool) {
	m, ok := s.w.Meets(p, vec.V3{Y: -1}, deep)
	if !ok || abs(m.N.Y) < float32(math.Cos(s.body.Slope*math.Pi/180)) {
		return 0, false
	}
	return p.Y - m.Dist, true
}

// stands reports whether there is room for the body at a place.
func (s *searcher) stands(p vec.V3) bool {
	o := p.Add(vec.V3{Y: 0.05})
	return s.t.Passes(o, vec.V3{}, vec.V3{Y: 1}, float32(s.body.Height)-0.05) != vec.V3{}
}

// step tries to go from a spot to a column beside it.
func (s *searcher) step(from vec.V3, i, j int32) (vec.V3, bool) {
	q := vec.V3{X: s.middle(i), Y: from.Y + float32(s.body.Step) + 0.05, Z: s.middle(j)}
	y, ok := s.floor(q, float32(s.body.Step+s.body.Drop)+0.05)
	if !ok {
		return q, false
	}
	q.Y = y
	if !s.stands(q) {
		return q, false
	}
	// Nothing in the way of knees and chest.
	for _, h := range [2]float32{float32(s.body.Step) + 0.1, float32(s.body.Height) * 0.7} {
		a, b := from.Add(vec.V3{Y: h}), vec.V3{X: q.X, Y: max(from.Y, q.Y) + h, Z: q.Z}
		d := b.Sub(a)
		l := d.Len()
		if s.t.Passes(a, vec.V3{}, d.Scale(1/l), l) == (vec.V3{}) {
			return q, false
		}
	}
	return q, true
}

func abs(x float32) float32 { return max(x, -x) }

// Near is the spot nearest to a place, and how far that is; -1 where there is none.
func (g *Ground) Near(p vec.V3) (spot int32, far float64) {
	spot, far = -1, math.Inf(1)
	for k := range g.Spots {
		if d := float64(g.Spots[k].Pos.Sub(p).Len()); d < far {
			spot, far = int32(k), d
		}
	}
	return spot, far
}

// fallen is how many metres of way somebody takes to spare a metre's fall.
const fallen = 10

// Way is the shortest way on foot between two spots, both of them in it; nil for none.
func (g *Ground) Way(from, to int32) []int32 {
	if from < 0 || to < 0 {
		return nil
	}
	came := make([]int32, len(g.Spots))
	dist := make([]float64, len(g.Spots))
	for i := range came {
		came[i], dist[i] = -1, math.Inf(1)
	}
	dist[from] = 0
	q := &tops{{from, 0}}
	for q.Len() > 0 {
		k := heap.Pop(q).(top)
		if k.spot == to {
			break
		}
		if k.dist > dist[k.spot] {
			continue
		}
		for _, o := range g.Spots[k.spot].Next {
			if o < 0 {
				continue
			}
			d := dist[k.spot] + float64(g.Spots[o].Pos.Sub(g.Spots[k.spot].Pos).Len())
			// Nobody jumps where a way leads down.
			d += fallen * max(float64(g.Spots[k.spot].Pos.Y-g.Spots[o].Pos.Y)-Grown.Drop, 0)
			if d < dist[o] {
				dist[o], came[o] = d, k.spot
				heap.Push(q, top{o, d})
			}
		}
	}
	if from != to && came[to] < 0 {
		return nil
	}
	way := []int32{to}
	for k := to; k != from; {
		k = came[k]
		way = append(way, k)
	}
	for i, j := 0, len(way)-1; i < j; i, j = i+1, j-1 {
		way[i], way[j] = way[j], way[i]
	}
	return way
}

// Straight reports whether one can walk straight from a spot to another, over spots that
// lead to one another without a fall.
func (g *Ground) Straight(from, to int32) bool {
	a, b := g.Spots[from].Pos, g.Spots[to].Pos
	d := b.Sub(a)
	n := int(float64(vec.V3{X: d.X, Z: d.Z}.Len())/(g.Cell/2)) + 1
	now := from
	for k := 1; k <= n; k++ {
		p := vec.Lerp(a, b, float32(k)/float32(n))
		i, j := int32(math.Floor(float64(p.X)/g.Cell)), int32(math.Floor(float64(p.Z)/g.Cell))
		for g.Spots[now].I != i || g.Spots[now].J != j {
			s := &g.Spots[now]
			// Across first, then along: over a corner both ways round have to be free.
			next := int32(-1)
			for way, w := range ways {
				o := s.Next[way]
				if o < 0 || (i-s.I)*w[0]+(j-s.J)*w[1] <= 0 {
					continue
				}
				if h := g.Spots[o].Pos.Y - s.Pos.Y; h < -float32(Grown.Drop) {
					continue
				}
				next = o
				break
			}
			if next < 0 {
				return false
			}
			now = next
		}
	}
	return now == to
}

type top struct {
	spot int32
	dist float64
}

type tops []top

func (q tops) Len() int { return len(q) }
func (q tops) Less(i, j int) bool {
	return q[i].dist < q[j].dist || q[i].dist == q[j].dist && q[i].spot < q[j].spot
}
func (q tops) Swap(i, j int) { q[i], q[j] = q[j], q[i] }

// Push is for container/heap.
func (q *tops) Push(x any) { *q = append(*q, x.(top)) }

// Pop is for container/heap.
func (q *tops) Pop() any {
	v := (*q)[len(*q)-1]
	*q = (*q)[:len(*q)-1]
	return v
}
