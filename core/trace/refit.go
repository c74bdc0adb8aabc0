package trace

import (
	"math"

	"willowherb/core/vec"
)

// worse is how much larger the boxes of a refitted tree may be, against its whole, than
// those of the tree that was built.
const worse = 2

// Refit returns the tree of the same triangles with their corners at pos: boxes and
// planes are worked out anew, what hangs from what stays. ok is false where a new tree
// is better or needed: triangles have come to have an area or lost it, or the boxes
// overlap much more than they did.
func (t *Tree) Refit(pos []vec.V3) (out *Tree, ok bool) {
	if len(pos) != len(t.pos) || t.Dropped > 0 {
		return nil, false
	}
	inf := float32(math.Inf(1))
	out = &Tree{pos: pos, idx: t.idx, ids: t.ids, Lo: vec.Splat(inf), Hi: vec.Splat(-inf)}
	blocks := make([]block, len(t.blocks))
	boxes := make([][2]vec.V3, len(t.blocks))
	for b, ids := range t.ids {
		lo, hi := vec.Splat(inf), vec.Splat(-inf)
		for k, id := range ids {
			if id == math.MaxUint32 {
				continue
			}
			a, e1, e2 := out.corner(id)
			if n := e1.Cross(e2); !(n.Dot(n) > 0) || math.IsInf(float64(n.Dot(n)), 0) || !a.Finite() {
				return nil, false
			}
			blocks[b].set(k, a, e1, e2)
			p, q := pos[t.idx[3*id+1]], pos[t.idx[3*id+2]]
			lo, hi = lower(lower(lo, a), lower(p, q)), upper(upper(hi, a), upper(p, q))
		}
		boxes[b] = [2]vec.V3{lo, hi}
		out.Lo, out.Hi = lower(out.Lo, lo), upper(out.Hi, hi)
	}
	if len(t.blocks) == 0 {
		out.Lo, out.Hi = vec.V3{}, vec.V3{}
		return out, true
	}
	pad := vec.Splat(padOf(out.Lo, out.Hi))
	for b := range boxes {
		boxes[b][0], boxes[b][1] = boxes[b][0].Sub(pad), boxes[b][1].Add(pad)
	}
	nodes := append([]node(nil), t.nodes...)
	whole := make([][2]vec.V3, len(nodes))
	// Children come after their parents: from the last on, each finds its own done.
	for i := len(nodes) - 1; i >= 0; i-- {
		n := &nodes[i]
		lo, hi := vec.Splat(inf), vec.Splat(-inf)
		for k, c := range n.child {
			if n.lo[0][k] > n.hi[0][k] {
				continue // empty
			}
			var box *[2]vec.V3
			if c&leafFlag != 0 {
				box = &boxes[c&^leafFlag]
			} else {
				box = &whole[uintptr(c)/nodeBytes]
			}
			for a := range 3 {
				n.lo[a][k], n.hi[a][k] = box[0].At(a), box[1].At(a)
			}
			lo, hi = lower(lo, box[0]), upper(hi, box[1])
		}
		whole[i] = [2]vec.V3{lo, hi}
	}
	out.nodes, out.blocks = large(out, nodes), large(out, blocks)
	return out, out.spread() <= worse*t.spread()
}

// spread is the area of all boxes over that of the whole.
func (t *Tree) spread() float64 {
	var sum float64
	for i := range t.nodes {
		n := &t.nodes[i]
		for k := range wide {
			if n.lo[0][k] <= n.hi[0][k] {
				sum += float64(halfArea(vec.V3{X: n.lo[0][k], Y: n.lo[1][k], Z: n.lo[2][k]}, vec.V3{X: n.hi[0][k], Y: n.hi[1][k], Z: n.hi[2][k]}))
			}
		}
	}
	if whole := float64(halfArea(t.Lo, t.Hi)); whole > 0 {
		return sum / whole
	}
	return sum
}
