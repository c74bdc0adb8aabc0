// Package cache is a light cache of a place: the irradiance that every light gives, by
// all bounces, at points spread over its surfaces, shared by all views, lightmap texels
// and probes, which take it as what their gather rays meet.
//
// Points come from geometry alone: some are spread over every object, evenly by area
// and in an order of chance, and each side of the surface is a point of its own. Cells are
// cubes in four sizes, for each direction that surfaces face and each object; a cell's
// points are the first few of that order in it, so that the points of large cells are
// among those of the small ones. From each point a few rays tell which other points send
// it light, and how much of it: links, which know no light (compare direct-to-indirect
// transfer, Hasan et al. 2006). The light of all points is then solved for any light at
// once, E = D + T E, D the irradiance that comes straight.
//
// Only points that someone's rays came to (Reach), and those that their links lead to
// by as many links as light is followed, are worked out; what they are does not depend on who
// asked, or when: a value is the same bits with any number of workers, alone or in company.
package cache

import (
	"math"
	"slices"
	"sync"

	"willowherb/core/light"
	"willowherb/core/sampling"
	"willowherb/core/vec"
	"willowherb/core/world"
)

// Cells by size: the first is the smallest, and each is twice the one before.
const (
	smallest = 0.25 // metres
	levels   = 4
	perCell  = 4 // points of a cell, at most
	// nearness is the size of a cell over the length of the ray that comes to it.
	nearness = 0.2
)

// Points are spread by as many a square metre as make fairly many of them, within bounds:
// the most fill the smallest cells.
const (
	fewestEach = 16
	mostEach   = 64
	fairlyMany = 100_000
	mostPoints = 500_000
)

// Cache is the light cache of one world. Safe for concurrent use.
type Cache struct {
	w     *world.World
	pos   []vec.V3
	tri   []uint32
	cells [levels]table
	least int // the level of the smallest cells that are used
	// A bit for each side: it lies within something solid, where nobody looks.
	buried []uint64

	mu      sync.Mutex
	slot    []int32 // of each point's side, by its number: 2 point + side; -1: not worked out
	sites   []site
	links   []link // of each site in turn, fan of them
	fan     int
	ahead   []int8  // of each site, how many links are followed on from it
	linked  []int32 // the sites whose links were made, in that order
	columns map[[32]byte]*column
	clock   int64
}

// site is a point that is worked out. Where a link came to a surface on which no point
// lies open to it, the place that it met becomes a site of its own (stray).
type site struct {
	pos, n vec.V3
	object uint32
	name   uint32 // for chance
	stray  bool
}

// links from a point, unless more are asked for.
const fewLinks = 4

// link is what one gather ray met: a point, and the shares, per colour, of its irradiance
// and of its glancing irradiance that arrive; to is negative for nothing. glance is the
// ray's own weight in the glancing irradiance.
type link struct {
	to             int32
	material       uint16 // of what was met
	even, glancing vec.V3
	glance         float32
	// met is the place itself, and size that of the cells that served it: what a lamp beside
	// it gives is asked for there.
	met  site
	size float32
}

// flux is irradiance, and glancing irradiance (surface.Glancing).
type flux struct{ even, glancing vec.V3 }

func (a flux) plus(b flux) flux { return flux{a.even.Add(b.even), a.glancing.Add(b.glancing)} }

func (a flux) scaled(k vec.V3) flux { return flux{a.even.Mul(k), a.glancing.Mul(k)} }

// New spreads the points of a world.
func New(w *world.World, workers int) *Cache {
	c := &Cache{w: w, fan: fewLinks, columns: map[[32]byte]*column{}}
	c.spread()
	c.bury(workers)
	c.slot = make([]int32, 2*len(c.pos))
	for i := range c.slot {
		c.slot[i] = -1
	}
	var wg sync.WaitGroup
	for l := range c.cells {
		wg.Go(func() { c.cells[l] = c.cellsOf(l) })
		if l%max(workers, 1) == workers-1 {
			wg.Wait()
		}
	}
	wg.Wait()
	return c
}

// Coarse leaves out cells smaller than so many metres (up to 2): quicker, where there is no
// time to see the difference. Set it before any other use.
func (c *Cache) Coarse(size float64) {
	for c.least = 0; c.least < levels-1 && float64(sizeOf(c.least)) < size; {
		c.least++
	}
}

// Gather has each point gather by so many rays instead of a few: what lamps beside a room or a
// small bright patch send round by several bounces is told with less chance. Set it before any
// other use.
func (c *Cache) Gather(rays int) { c.fan = max(rays, fewLinks) }

// from are the links of a site.
func (c *Cache) from(site int) []link { return c.links[site*c.fan : (site+1)*c.fan] }

// spread puts points on every object: at even steps of what it counts, at a place of the triangle
// that belongs to the step.
func (c *Cache) spread() {
	s := c.w.S
	var total float64
	usable := func(t int) bool { return s.Materials[s.Mat[t]].Transmission < 0.5 }
	areas := s.Counts(usable)
	for _, a := range areas {
		total += a
	}
	total = max(total, 1e-9)
	step := 1 / min(max(fewestEach, min(mostEach, fairlyMany/total)), mostPoints/total)
	for o := range s.Objects {
		ob := &s.Objects[o]
		if ob.Count == 0 || !c.w.Casts(o) {
			continue
		}
		// The first step begins by chance, so that small objects have their share.
		next := step * float64(sampling.Chance(0x51ed270b, uint32(o)))
		var sum float64
		for t := ob.First; t < ob.First+ob.Count; t++ {
			sum += areas[t]
			for k := uint32(0); next < sum; k++ {
				next += step
				u := sampling.New(0x2c1b3c6d, uint32(t), k).Pair(0)
				if u.X+u.Y > 1 {
					u.X, u.Y = 1-u.X, 1-u.Y
				}
				p := s.PointAt(uint32(t), u.X, u.Y)
				if m := &s.Materials[s.Mat[t]]; s.Alpha(m, &p) < 0.5 || !p.Pos.Finite() {
					continue
				}
				c.pos, c.tri = append(c.pos, p.Pos), append(c.tri, uint32(t))
			}
		}
	}
}

// normal of a point's side.
func (c *Cache) normal(side uint32) vec.V3 {
	_, n := c.w.S.Area(c.tri[side/2])
	if side&1 != 0 {
		return n.Neg()
	}
	return n
}

// sizeOf a level's cells, in metres.
func sizeOf(level int) float32 { return smallest * float32(int(1)<<level) }

// key names a cell: 0 names none.
func key(level int, p, n vec.V3, object uint32) uint64 {
	s := 1 / sizeOf(level)
	at := [3]float32{p.X * s, p.Y * s, p.Z * s}
	axis, along := 0, n.X
	if a := max(n.Y, -n.Y); a > max(along, -along) {
		axis, along = 1, n.Y
	}
	if a := max(n.Z, -n.Z); a > max(along, -along) {
		axis, along = 2, n.Z
	}
	face := uint64(2 * axis)
	if along < 0 {
		face++
	}
	at[axis] *= flatness
	floor := func(v float32) uint64 { return uint64(uint32(int32(math.Floor(float64(v))))) }
	h := stir(floor(at[0])|floor(at[1])<<32, 0x9e3779b97f4a7c15)
	h = stir(h^(floor(at[2])|uint64(object)<<32), 0xbf58476d1ce4e5b9)
	return stir(h^face, 0x94d049bb133111eb) | 1
}

// flatness is how many times a cell is wider than it is high over its surface: what stands on
// a floor, and faces up as well, has cells of its own.
const flatness = 4

// stir is the finisher of SplitMix64 (Steele et al. 2014) over a product.
func stir(x, k uint64) uint64 {
	x = (x ^ x>>30) * k
	x = (x ^ x>>27) * 0x94d049bb133111eb
	return x ^ x>>31
}

// table is a level's cells by their keys, with open addresses.
type table struct {
	keys []uint64
	rows [][perCell]uint32 // sides, in the order of chance; none for an empty place
}

const none = math.MaxUint32

func (t *table) at(k uint64) (i int, ok bool) {
	mask := uint64(len(t.keys) - 1)
	for i := k >> 8 & mask; ; i = (i + 1) & mask {
		switch t.keys[i] {
		case k:
			return int(i), true
		case 0:
			return int(i), false
		}
	}
}

// cellsOf sorts the points into the cells of a level.
func (c *Cache) cellsOf(level int) (t table) {
	size := 64
	for size < 4*len(c.pos)>>level {
		size *= 2
	}
	t.keys, t.rows = make([]uint64, size), make([][perCell]uint32, size)
	used := 0
	for side := range uint32(2 * len(c.pos)) {
		k := key(level, c.pos[side/2], c.normal(side), c.w.S.Obj[c.tri[side/2]])
		i, ok := t.at(k)
		if !ok {
			t.keys[i], t.rows[i] = k, [perCell]uint32{none, none, none, none}
			if used++; 4*used > 3*len(t.keys) {
				t.grow()
				i, _ = t.at(k)
			}
		}
		row := &t.rows[i]
		mine := c.rank(side)
		for j := range row {
			if row[j] == none || mine < c.rank(row[j]) {
				copy(row[j+1:], row[j:])
				row[j] = side
				break
			}
		}
	}
	return t
}

func (t *table) grow() {
	old := *t
	t.keys, t.rows = make([]uint64, 2*len(old.keys)), make([][perCell]uint32, 2*len(old.keys))
	for j, k := range old.keys {
		if k != 0 {
			i, _ := t.at(k)
			t.keys[i], t.rows[i] = k, old.rows[j]
		}
	}
}

// rank is a side's place among those of a cell: what is buried comes last.
func (c *Cache) rank(side uint32) uint64 {
	return order(side)>>1 | c.buried[side/64]>>(side%64)<<63
}

// halfOf is the half that a point answers.
func halfOf(side uint32) int { return int(order(side) >> 20 & 1) }

// order is a point's place in the order of chance.
func order(side uint32) uint64 { return stir(uint64(side)+0x2545f4914f6cdd1d, 0xd6e8feb86659fd93) }

// Bytes is the memory that the cache holds.
func (c *Cache) Bytes() int {
	c.mu.Lock()
	defer c.mu.Unlock()
	n := 16*len(c.pos) + 4*len(c.slot) + 45*len(c.sites) + len(c.links)*80
	for l := range c.cells {
		n += len(c.cells[l].keys) * (8 + 4*perCell)
	}
	for _, k := range c.columns {
		n += 24 * (len(k.straight) + len(k.all))
	}
	return n
}

// Points is how many points have been worked out.
func (c *Cache) Points() int {
	c.mu.Lock()
	defer c.mu.Unlock()
	return len(c.sites)
}

// World is the world whose light it is.
func (c *Cache) World() *world.World { return c.w }

// Spot is a place on a surface that a ray has met.
type Spot struct {
	Pos    vec.V3
	N      vec.V3 // geometric normal, on the side that the ray came from
	Object uint32
	// Dist is the length of the ray, in metres: what is far is told by larger cells.
	Dist float32
	// Roll is what chance has for the choice.
	Roll uint32
	// Half picks the points that may answer: each half has its own, so that what the two
	// halves of a picture differ tells the cache's error as well.
	Half int

	least float32 // the size of the smallest cells, once they were asked
}

// beside is how many sizes of a cell a lamp may be away from a place and still be asked for
// there: its light changes within the cell.
const beside = 2.5

// Beside reports whether a light is so close to a spot.
func (s *Spot) Beside(l *light.Light) bool { return near(l, s.Pos, s.Size()) }

func near(l *light.Light, p vec.V3, size float32) bool {
	if !l.Small() {
		return false
	}
	d := p.Sub(l.Pos)
	return d.Dot(d) < beside*beside*size*size
}

// Size is that of the cells that serve a spot, in metres.
func (s *Spot) Size() float32 { return min(max(nearness*s.Dist, smallest, s.least), sizeOf(levels-1)) }

// cell finds the points of the smallest cell that serves a spot.
func (c *Cache) cell(s *Spot, least int) (points [perCell]uint32, level int, ok bool) {
	want := float32(math.Log2(float64(max(s.Dist*nearness/smallest, 1e-3)))) + sampling.Chance(s.Roll, 1)
	s.least = sizeOf(c.least)
	level = min(max(int(math.Floor(float64(want))), least, c.least), levels-1)
	// The place is shaken by the cell's size, so that cells have no edges.
	t, b := vec.Basis(s.N)
	for ; level < levels; level++ {
		size := sizeOf(level)
		x, y := (sampling.Chance(s.Roll, 2)-0.5)*size, (sampling.Chance(s.Roll, 3)-0.5)*size
		if i, ok := c.cells[level].at(key(level, s.Pos.Add(t.Scale(x)).Add(b.Scale(y)), s.N, s.Object)); ok {
			return c.cells[level].rows[i], level, true
		}
		if i, ok := c.cells[level].at(key(level, s.Pos, s.N, s.Object)); ok {
			return c.cells[level].rows[i], level, true
		}
	}
	return points, level, false
}

// lifts are how far above both surfaces, in metres, the line runs that must be clear
// between a spot and a point: first close to them, then over what is rough on them.
var lifts = [2]float32{0.003, 0.04}

// seen reports whether a point lies open to a spot, and about in its plane.
func (c *Cache) seen(t *world.Tracer, s *Spot, side uint32, size float32) bool {
	p, n := c.pos[side/2], c.normal(side)
	d := p.Sub(s.Pos)
	if off := d.Dot(s.N); off > size/2 || off < -size/2 {
		return false
	}
	clear := func(a, b vec.V3) bool {
		d := b.Sub(a)
		dist := d.Len()
		return dist < 1e-4 || t.Passes(a, vec.V3{}, d.Scale(1/dist), dist) != vec.V3{}
	}
	a, b := s.Pos.Add(s.N.Scale(lifts[0])), p.Add(n.Scale(lifts[0]))
	if clear(a, b) {
		return true
	}
	// What lies that close above a surface is another one, beyond which is another room.
	high, low := s.Pos.Add(s.N.Scale(lifts[1])), p.Add(n.Scale(lifts[1]))
	return clear(high, low) && clear(a, high) && clear(b, low)
}

// choose picks one of the points of a spot's cell that may be used and that lie open to
// it.
func (c *Cache) choose(t *world.Tracer, s *Spot, least int, may func(side uint32) bool) (side uint32, ok bool) {
	points, level, ok := c.cell(s, least)
	for ; ok && level < levels; level++ {
		n := slices.Index(points[:], none)
		if n < 0 {
			n = perCell
		}
		first := int(sampling.Chance(s.Roll, 4) * float32(n))
		for k := range n {
			side := points[(first+k)%n]
			if may != nil && !may(side) {
				continue
			}
			if c.seen(t, s, side, sizeOf(level)) {
				return side, true
			}
		}
		points, _, ok = c.cell(s, level+1)
	}
	return 0, false
}
