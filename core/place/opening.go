package place

import (
	"fmt"
	"math"
	"slices"

	"willowherb/core/vec"
	"willowherb/core/world"
)

// Sizes of the search for an opening, in metres.
const (
	cell     = 0.05 // of the grid over the wall
	half     = 5.0  // how far from the click an opening may reach
	bridge   = 3    // cells that bars may be wide
	inside   = 0.02 // before the wall's face, where the test begins
	thickest = 3    // of walls
	clear    = 0.05 // between the wall's outer face and the light
	smallest = 0.1  // width and height of what counts as an opening
)

// Opening gives a panel the size and place of the window or door that is clicked:
// just outside the wall, facing in. The wall is the plane that surrounds the
// click; the opening is what can be seen through it, bars and glass passed over.
func Opening(p *Picture, x, y float64) (*Placement, error) {
	dir := p.ray(x, y)
	far := float32(math.Inf(1))
	if q, ok := p.World.Probe(p.View.Eye, dir, p.Sight); ok {
		far = q.Dist
	}
	f, err := p.fit(dir, far)
	if err != nil {
		return nil, err
	}
	outer := f.centre.Sub(f.n.Scale(f.thick + clear))
	w, height, roll := float64(f.w), float64(f.h), 0.0
	out := &Placement{Position: &outer, Aim: &f.n, Width: &w, Height: &height, Roll: &roll, At: f.centre}
	if hit, by := p.World.Stands(f.centre, f.n, f.n, 0.6); by >= 0 {
		out.Note = fmt.Sprintf("%s stands %.2f m before it", p.name(by), hit)
	}
	return out, nil
}

// frame is an opening in a wall: a rectangle in its inner face, of w along u and h along
// v, with its normal into the room.
type frame struct {
	centre, n, u, v vec.V3
	w, h, thick     float32
}

// fit finds the opening through which the line of sight dir leaves; far is how far along
// it something stands.
func (p *Picture) fit(dir vec.V3, far float32) (*frame, error) {
	at, n, face, ok := p.wall(dir)
	if !ok {
		return nil, cannot("No wall surrounds that spot: click into a window or a door.")
	}
	if d := at.Sub(p.View.Eye).Len(); far < d-0.02 {
		q, _ := p.World.Probe(p.View.Eye, dir, p.Sight)
		return nil, cannot("%s stands before the wall there.", p.name(q.Object))
	}
	h := vec.V3{Y: 1}.Cross(n)
	if h.Len() < 0.1 {
		h = vec.V3{X: 1}
		h = h.Sub(n.Scale(h.Dot(n)))
	}
	h = h.Norm()
	v := n.Cross(h)
	thick := p.thickness(face, n)
	open := func(a, b float32) bool {
		c := at.Add(h.Scale(a)).Add(v.Scale(b)).Add(n.Scale(inside))
		return p.World.Passes(c, n.Neg(), inside+thick+clear) != (vec.V3{})
	}
	hole, err := grow(open)
	if err != nil {
		return nil, err
	}
	l, r, b, t := hole.edge(0, hole.lo[0]), hole.edge(0, hole.hi[0]), hole.edge(1, hole.lo[1]), hole.edge(1, hole.hi[1])
	if r-l < smallest || t-b < smallest {
		return nil, cannot("What is open there is only %.2f by %.2f m.", r-l, t-b)
	}
	centre := at.Add(h.Scale((l + r) / 2)).Add(v.Scale((b + t) / 2))
	return &frame{centre, n, h, v, r - l, t - b, thick}, nil
}

// wall finds the plane that surrounds the line of sight d: the one that most rays
// beside it meet, on at least three sides. It returns where d meets it, its normal
// on the viewer's side, and some points of its face.
func (p *Picture) wall(d vec.V3) (at, n vec.V3, face []vec.V3, ok bool) {
	u, v := vec.Basis(d)
	type plane struct {
		n       vec.V3
		offset  float32
		weight  float64
		sectors [8]bool
		face    []vec.V3
	}
	var planes []plane
	for ring := 1; ring <= 22; ring++ {
		angle := 0.006 * math.Pow(1.24, float64(ring))
		if angle > 0.6 {
			break
		}
		for i := range 32 {
			s, c := math.Sincos(2 * math.Pi * (float64(i) + 0.5) / 32)
			t := float32(math.Tan(angle))
			e := d.Add(u.Scale(float32(c) * t)).Add(v.Scale(float32(s) * t)).Norm()
			q, hit := p.World.Probe(p.View.Eye, e, world.Sight{Hidden: p.Sight.Hidden, Cut: p.Sight.Cut})
			if !hit || p.World.Clear(q.Tri) {
				continue
			}
			o := q.N.Dot(q.Pos)
			found := false
			for k := range planes {
				if planes[k].n.Dot(q.N) > 0.995 && math.Abs(float64(planes[k].offset-o)) < 0.12 {
					planes[k].weight += 1 / (1 + angle*4)
					planes[k].sectors[i/4] = true
					planes[k].face = append(planes[k].face, q.Pos)
					found = true
					break
				}
			}
			if !found {
				pl := plane{n: q.N, offset: o, weight: 1}
				pl.sectors[i/4] = true
				planes = append(planes, pl)
			}
		}
	}
	best := -1
	for k := range planes {
		sides := 0
		for _, s := range planes[k].sectors {
			if s {
				sides++
			}
		}
		if sides >= 5 && (best < 0 || planes[k].weight > planes[best].weight) {
			best = k
		}
	}
	if best < 0 {
		return at, n, nil, false
	}
	pl := &planes[best]
	c := pl.n.Dot(d)
	if c > -0.03 {
		return at, n, nil, false
	}
	t := (pl.offset - pl.n.Dot(p.View.Eye)) / c
	return p.View.Eye.Add(d.Scale(t)), pl.n, pl.face, t > 0
}

// thickness is how far behind its inner face a wall ends, as rays find it that
// come from outside to points of the face.
func (p *Picture) thickness(face []vec.V3, n vec.V3) float32 {
	var found []float32
	for i := 0; i < len(face); i += max(len(face)/24, 1) {
		if hit, by := p.World.Stands(face[i].Sub(n.Scale(thickest)), n, n, thickest-0.001); by >= 0 {
			found = append(found, thickest-hit)
		}
	}
	if len(found) == 0 {
		return 0.1
	}
	slices.Sort(found)
	return max(found[len(found)/2], 0)
}

// side is how many cells the grid over a wall has each way.
const side = int(2 * half / cell)

// place is where a cell's middle lies on the wall, from the click.
func place(i int) float32 { return (float32(i-side/2) + 0.5) * cell }

// hole is what is open of the grid around a click.
type hole struct {
	open   func(a, b float32) bool
	seen   []bool
	lo, hi [2]int // the cells that it reaches
}

// grow finds the cells that hang together with the click, bars passed over.
func grow(open func(a, b float32) bool) (*hole, error) {
	o := &hole{open: open, seen: make([]bool, side*side)}
	const mid = side / 2
	var todo [][2]int
	for r := 0; r <= bridge && len(todo) == 0; r++ { // the click may be on a bar
		for i := -r; i <= r; i++ {
			for j := -r; j <= r; j++ {
				if len(todo) == 0 && open(place(mid+i), place(mid+j)) {
					todo = append(todo, [2]int{mid + i, mid + j})
				}
			}
		}
	}
	if len(todo) == 0 {
		return nil, cannot("The wall is closed there: click into a window or a door.")
	}
	o.seen[todo[0][1]*side+todo[0][0]] = true
	o.lo, o.hi = todo[0], todo[0]
	for len(todo) > 0 {
		c := todo[len(todo)-1]
		todo = todo[:len(todo)-1]
		for k := range 2 {
			o.lo[k], o.hi[k] = min(o.lo[k], c[k]), max(o.hi[k], c[k])
		}
		if o.lo[0] < bridge || o.lo[1] < bridge || o.hi[0] >= side-bridge || o.hi[1] >= side-bridge {
			return nil, cannot("What is open there reaches farther than %.0f m: it is no window.", half)
		}
		for _, d := range [][2]int{{1, 0}, {-1, 0}, {0, 1}, {0, -1}} {
			for step := 1; step <= bridge; step++ {
				e := [2]int{c[0] + d[0]*step, c[1] + d[1]*step}
				if s := &o.seen[e[1]*side+e[0]]; *s {
					break
				} else if open(place(e[0]), place(e[1])) {
					*s = true
					todo = append(todo, e)
					break
				}
			}
		}
	}
	return o, nil
}

// edge finds where the hole ends, between cells by halves, on the side of axis k whose
// last cell is end: where it reaches farthest.
func (o *hole) edge(k int, end int) float32 {
	sign := 1
	if end == o.lo[k] {
		sign = -1
	}
	best := float32(0)
	for q := range side {
		i := [2]int{q, q}
		i[k] = end
		if !o.seen[i[1]*side+i[0]] {
			continue
		}
		a := [2]float32{place(i[0]), place(i[1])}
		in, out := a[k], a[k]+float32(sign)*cell
		for range 6 {
			m := (in + out) / 2
			if a[k] = m; o.open(a[0], a[1]) {
				in = m
			} else {
				out = m
			}
		}
		if best == 0 || float32(sign)*in > float32(sign)*best {
			best = in
		}
	}
	return best
}
