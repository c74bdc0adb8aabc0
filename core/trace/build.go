package trace

import (
	"fmt"
	"math"
	"sync"
	"unsafe"

	"willowherb/core/vec"
)

const (
	wide      = 8
	leafFlag  = 1 << 31
	bins      = 16
	splitSAH  = 40 // beyond this depth nodes are halved by count, which bounds the stack
	maxDepth  = splitSAH + 26
	stackSize = (wide-1)*maxDepth + wide
	// MaxTriangles bounds a tree: block numbers and byte offsets share 31 bits.
	MaxTriangles = 6_000_000

	costNode  = 1.0
	costBlock = 1.0
)

// node is four cache lines. hi lies at lo's byte offset xor 128, so a ray
// chooses its near and far planes once, from the signs of its direction.
type node struct {
	lo    [3][wide]float32
	child [wide]uint32 // leafFlag|block number, or the byte offset of a node
	hi    [3][wide]float32
	_     [wide]uint32
}

// block holds eight triangles, each as a corner and the two edges from it.
type block struct {
	a [3][wide]float32
	e [2][3][wide]float32
}

func (q *block) edge(i, k int) vec.V3 {
	return vec.V3{X: q.e[i][0][k], Y: q.e[i][1][k], Z: q.e[i][2][k]}
}

const (
	nodeBytes  = unsafe.Sizeof(node{})
	blockBytes = unsafe.Sizeof(block{})
)

// Tree is a built hierarchy; immutable, safe for concurrent use.
type Tree struct {
	nodes  []node
	blocks []block
	ids    [][wide]uint32 // triangle numbers of each block
	pos    []vec.V3
	idx    []uint32
	// Dropped counts the triangles left out for having no area or no finite position.
	Dropped int
	// Lo and Hi bound all triangles.
	Lo, Hi vec.V3
}

// Triangles returns the number of triangles in the tree.
func (t *Tree) Triangles() int { return len(t.idx)/3 - t.Dropped }

// Bytes returns the memory of nodes and leaves.
func (t *Tree) Bytes() int {
	return len(t.nodes)*int(nodeBytes) + len(t.blocks)*int(blockBytes) + len(t.ids)*wide*4
}

// lower and upper are componentwise extremes without the care for NaN and
// signed zero that the builtins take: the builder spends its time here.
func lower(a, b vec.V3) vec.V3 {
	if b.X < a.X {
		a.X = b.X
	}
	if b.Y < a.Y {
		a.Y = b.Y
	}
	if b.Z < a.Z {
		a.Z = b.Z
	}
	return a
}

func upper(a, b vec.V3) vec.V3 {
	if b.X > a.X {
		a.X = b.X
	}
	if b.Y > a.Y {
		a.Y = b.Y
	}
	if b.Z > a.Z {
		a.Z = b.Z
	}
	return a
}

type ref struct {
	lo, hi vec.V3
	id     uint32
}

type binary struct {
	lo, hi      vec.V3
	first, size int32 // range of refs
	left, right int32 // children; left < 0 for one triangle
	cost        [wide + 1]float32
	cut         [wide + 1]uint8 // roots given to the left child; 0: as with one root fewer
	leaf        bool
}

func halfArea(lo, hi vec.V3) float32 {
	d := hi.Sub(lo)
	return d.X*d.Y + d.Y*d.Z + d.Z*d.X
}

// Build makes a tree of the triangles idx[3i], idx[3i+1], idx[3i+2] of pos.
// pos and idx are kept and must not change. Zero or one worker builds on the
// calling goroutine alone; the tree is the same for any number of workers.
func Build(pos []vec.V3, idx []uint32, workers int) (*Tree, error) {
	if len(idx)%3 != 0 {
		return nil, fmt.Errorf("trace: %d indices are not whole triangles", len(idx))
	}
	if len(idx)/3 > MaxTriangles {
		return nil, fmt.Errorf("trace: %d triangles are over the limit of %d", len(idx)/3, MaxTriangles)
	}
	t := &Tree{pos: pos, idx: idx}
	refs := make([]ref, 0, len(idx)/3)
	inf := float32(math.Inf(1))
	t.Lo, t.Hi = vec.Splat(inf), vec.Splat(-inf)
	for i := 0; i < len(idx); i += 3 {
		for k := range 3 {
			if int(idx[i+k]) >= len(pos) {
				return nil, fmt.Errorf("trace: triangle %d asks for vertex %d of %d", i/3, idx[i+k], len(pos))
			}
		}
		a, b, c := pos[idx[i]], pos[idx[i+1]], pos[idx[i+2]]
		n := b.Sub(a).Cross(c.Sub(a))
		if l := n.Dot(n); !(l > 0) || math.IsInf(float64(l), 0) || !a.Finite() {
			t.Dropped++
			continue
		}
		r := ref{lower(lower(a, b), c), upper(upper(a, b), c), uint32(i / 3)}
		t.Lo, t.Hi = lower(t.Lo, r.lo), upper(t.Hi, r.hi)
		refs = append(refs, r)
	}
	if len(refs) == 0 {
		t.Lo, t.Hi = vec.V3{}, vec.V3{}
		return t, nil
	}
	b := &builder{refs: refs, nodes: make([]binary, 2*len(refs)-1), spare: max(workers, 1) - 1}
	b.split(0, 0, int32(len(refs)), 0)
	t.collapse(b, padOf(t.Lo, t.Hi))
	return t, nil
}

// padOf is by how much boxes grow: distances to them are plane/d - o/d in float32, and
// may be off by that rounding.
func padOf(lo, hi vec.V3) float32 { return max(hi.Max(), -min(lo.X, lo.Y, lo.Z), 1e-3) * 4e-7 }

type builder struct {
	refs  []ref
	nodes []binary
	mu    sync.Mutex
	spare int // goroutines that may still be started
}

func (b *builder) borrow() bool {
	b.mu.Lock()
	defer b.mu.Unlock()
	if b.spare == 0 {
		return false
	}
	b.spare--
	return true
}

// split builds the subtree of refs[first:first+size] at nodes[at]. A subtree of
// n triangles takes exactly 2n-1 nodes, so places are known beforehand.
func (b *builder) split(at, first, size int32, depth int) {
	n := &b.nodes[at]
	n.first, n.size, n.left = first, size, -1
	rs := b.refs[first : first+size]
	if size == 1 {
		n.lo, n.hi = rs[0].lo, rs[0].hi
		b.weigh(n)
		return
	}
	mid := b.partition(rs, n, depth)
	n.left, n.right = at+1, at+int32(2*mid)
	if size > 4096 && b.borrow() {
		var wg sync.WaitGroup
		wg.Go(func() {
			b.split(n.left, first, int32(mid), depth+1)
			b.mu.Lock()
			b.spare++
			b.mu.Unlock()
		})
		b.split(n.right, first+int32(mid), size-int32(mid), depth+1)
		wg.Wait()
	} else {
		b.split(n.left, first, int32(mid), depth+1)
		b.split(n.right, first+int32(mid), size-int32(mid), depth+1)
	}
	b.weigh(n)
}

type bin struct {
	lo, hi vec.V3
	n      int32
}

// partition bounds the node, orders rs into two parts and returns the first's size. It
// is long because the builder spends its time here: its bins stay on the stack.
func (b *builder) partition(rs []ref, n *binary, depth int) int {
	inf := float32(math.Inf(1))
	lo, hi, clo, chi := vec.Splat(inf), vec.Splat(-inf), vec.Splat(inf), vec.Splat(-inf)
	for i := range rs {
		r := &rs[i]
		lo, hi = lower(lo, r.lo), upper(hi, r.hi)
		c := r.lo.Add(r.hi)
		clo, chi = lower(clo, c), upper(chi, c)
	}
	n.lo, n.hi = lo, hi
	if depth >= splitSAH || len(rs) == 2 {
		return len(rs) / 2
	}
	ext := chi.Sub(clo)
	var all [3][bins]bin
	nb := bins
	if len(rs) < bins {
		nb = max(len(rs), 4)
	}
	var scale vec.V3
	for a := range 3 {
		if e := ext.At(a); e > 0 {
			s := float32(nb) * 0.99999 / e
			switch a {
			case 0:
				scale.X = s
			case 1:
				scale.Y = s
			default:
				scale.Z = s
			}
		}
		for k := range nb {
			all[a][k] = bin{vec.Splat(inf), vec.Splat(-inf), 0}
		}
	}
	for i := range rs {
		r := &rs[i]
		c := r.lo.Add(r.hi).Sub(clo).Mul(scale)
		for a, k := range [3]int{int(c.X), int(c.Y), int(c.Z)} {
			q := &all[a][min(k, nb-1)]
			q.lo, q.hi = lower(q.lo, r.lo), upper(q.hi, r.hi)
			q.n++
		}
	}
	best, bestAxis, bestBin := inf, -1, 0
	for a := range 3 {
		if ext.At(a) <= 0 {
			continue
		}
		var right [bins]float32
		q := bin{vec.Splat(inf), vec.Splat(-inf), 0}
		for k := nb - 1; k > 0; k-- {
			e := &all[a][k]
			q.lo, q.hi, q.n = lower(q.lo, e.lo), upper(q.hi, e.hi), q.n+e.n
			if q.n > 0 {
				right[k] = halfArea(q.lo, q.hi) * float32(q.n)
			}
		}
		q = bin{vec.Splat(inf), vec.Splat(-inf), 0}
		for k := range nb - 1 {
			e := &all[a][k]
			q.lo, q.hi, q.n = lower(q.lo, e.lo), upper(q.hi, e.hi), q.n+e.n
			if q.n == 0 || int(q.n) == len(rs) {
				continue
			}
			if c := halfArea(q.lo, q.hi)*float32(q.n) + right[k+1]; c < best {
				best, bestAxis, bestBin = c, a, k
			}
		}
	}
	if bestAxis < 0 {
		return len(rs) / 2
	}
	o, s := clo.At(bestAxis), scale.At(bestAxis)
	i, j := 0, len(rs)-1
	for i <= j {
		c := rs[i].lo.At(bestAxis) + rs[i].hi.At(bestAxis)
		if min(int((c-o)*s), nb-1) <= bestBin {
			i++
		} else {
			rs[i], rs[j] = rs[j], rs[i]
			j--
		}
	}
	return i
}

// weigh fills n's table: the least cost of standing for this subtree with k roots.
func (b *builder) weigh(n *binary) {
	area := halfArea(n.lo, n.hi)
	leaf := float32(math.Inf(1))
	if n.size <= wide {
		leaf = area * costBlock
	}
	if n.left < 0 {
		for k := 1; k <= wide; k++ {
			n.cost[k] = leaf
		}
		n.leaf = true
		return
	}
	l, r := &b.nodes[n.left], &b.nodes[n.right]
	for k := 2; k <= wide; k++ {
		best, cut := float32(math.Inf(1)), 1
		for i := 1; i < k; i++ {
			if c := l.cost[i] + r.cost[k-i]; c < best {
				best, cut = c, i
			}
		}
		n.cost[k], n.cut[k] = best, uint8(cut)
	}
	inner := n.cost[wide] + area*costNode
	n.leaf = leaf <= inner
	n.cost[1] = min(leaf, inner)
	// The split over all eight is needed to open this node, even where fewer
	// roots would be cheaper for its parent: it is kept in cut[1].
	n.cut[1] = n.cut[wide]
	for k := 2; k <= wide; k++ {
		if n.cost[k-1] <= n.cost[k] {
			n.cost[k], n.cut[k] = n.cost[k-1], 0
		}
	}
}

func (t *Tree) collapse(b *builder, pad float32) {
	t.nodes = make([]node, 0, len(b.refs)/3+1)
	t.blocks = make([]block, 0, len(b.refs)/5+1)
	t.ids = make([][wide]uint32, 0, len(b.refs)/5+1)
	t.emit(b, 0, pad)
	t.nodes, t.blocks = large(t, t.nodes), large(t, t.blocks)
}

// roots lists the subtrees that stand for n when it may use k roots.
func (b *builder) roots(at int32, k int, out []int32) []int32 {
	n := &b.nodes[at]
	for k > 1 && n.left >= 0 && n.cut[k] == 0 {
		k--
	}
	if k == 1 || n.left < 0 {
		return append(out, at)
	}
	c := int(n.cut[k])
	return b.roots(n.right, k-c, b.roots(n.left, c, out))
}

func (t *Tree) emit(b *builder, at int32, pad float32) uint32 {
	self := len(t.nodes)
	t.nodes = append(t.nodes, node{})
	var buf [wide]int32
	kids := append(buf[:0], at)
	if n := &b.nodes[at]; n.left >= 0 && !(n.leaf && at == 0) {
		c := int(n.cut[1])
		kids = b.roots(n.right, wide-c, b.roots(n.left, c, buf[:0]))
	}
	inf := float32(math.Inf(1))
	for k := range wide {
		for a := range 3 {
			t.nodes[self].lo[a][k], t.nodes[self].hi[a][k] = inf, -inf
		}
	}
	for k, kid := range kids {
		n := &b.nodes[kid]
		for a := range 3 {
			t.nodes[self].lo[a][k] = n.lo.At(a) - pad
			t.nodes[self].hi[a][k] = n.hi.At(a) + pad
		}
		var c uint32
		if n.leaf {
			c = leafFlag | uint32(t.leaf(b.refs[n.first:n.first+n.size]))
		} else {
			c = t.emit(b, kid, pad)
		}
		t.nodes[self].child[k] = c
	}
	return uint32(self) * uint32(nodeBytes)
}

func (t *Tree) leaf(rs []ref) int {
	var q block
	var ids [wide]uint32
	for k := range wide {
		if k >= len(rs) {
			// No edges: t is NaN and fails every comparison.
			ids[k] = math.MaxUint32
			continue
		}
		ids[k] = rs[k].id
		a, e1, e2 := t.corner(rs[k].id)
		q.set(k, a, e1, e2)
	}
	t.blocks = append(t.blocks, q)
	t.ids = append(t.ids, ids)
	return len(t.blocks) - 1
}

func (t *Tree) corner(id uint32) (a, e1, e2 vec.V3) {
	a = t.pos[t.idx[3*id]]
	return a, t.pos[t.idx[3*id+1]].Sub(a), t.pos[t.idx[3*id+2]].Sub(a)
}

func (q *block) set(k int, a, e1, e2 vec.V3) {
	for i := range 3 {
		q.a[i][k], q.e[0][i][k], q.e[1][i][k] = a.At(i), e1.At(i), e2.At(i)
	}
}
