package path

import (
	"context"
	"math"
	"slices"

	"willowherb/core/colour"
	"willowherb/core/film"
	"willowherb/core/sampling"
	"willowherb/core/spread"
	"willowherb/core/surface"
	"willowherb/core/trace"
	"willowherb/core/vec"
)

// Rays says how many camera rays tell what a pixel shows.
type Rays struct {
	Each  int // of every pixel
	Edges int // of pixels in which several surfaces meet; where it is 1, the ray through the middle
}

// sighting is what a camera ray came to.
type sighting struct {
	hit     film.Hit
	through vec.V3
	n       vec.V3
	dist    float32
	object  uint32
	mat     uint16
	pane    bool // what a clear pane mirrors
	cell    int
}

// coverSeed keeps the cover's rays apart from those of paths.
const coverSeed = 0x3c6ef372

// MakeCover finds what the pass's pixels show, with the guide that belongs to it, and gives
// it to the pass's layers, which must be empty.
func (p *Pass) MakeCover(ctx context.Context, rays Rays, workers int) (*film.Cover, error) {
	c := &film.Cover{W: p.W, H: p.H, Tiles: make([]*film.CoverTile, film.Tiles(p.W)*film.Tiles(p.H))}
	for _, l := range p.Layers {
		l.On(c)
	}
	if p.Guide != nil {
		*p.Guide = *film.NewGuide(p.W, p.H)
		p.Guide.Cover = c
	}
	err := spread.With(ctx, len(c.Tiles), workers, func() (func(int), func()) {
		w := p.painter()
		w.coverers()
		w.alone = rays.Edges <= 1
		return func(t int) { c.Tiles[t] = w.cover(t, rays) }, w.tracer.Release
	})
	if err != nil {
		return nil, err
	}
	for _, l := range p.Layers {
		l.ShownDone = true
	}
	return c, nil
}

// Show works out where the lights of layers that were put on a cover later are seen shining.
func (p *Pass) Show(ctx context.Context, workers int) error {
	owed := false
	for i, l := range p.Layers {
		owed = owed || p.Lights[i].Shows() && !l.ShownDone
	}
	if owed {
		err := spread.With(ctx, film.Tiles(p.W)*film.Tiles(p.H), workers, func() (func(int), func()) {
			w := p.painter()
			w.coverers()
			for i, l := range p.Layers {
				w.on[i] = w.on[i] && !l.ShownDone
			}
			return w.reshow, w.tracer.Release
		})
		if err != nil {
			return err
		}
	}
	for _, l := range p.Layers {
		l.ShownDone = true
	}
	return nil
}

// coverers leaves on the lights that the camera sees shine.
func (w *painter) coverers() {
	w.only = everything
	for i, l := range w.lights {
		w.on[i] = l.Shows()
	}
}

// glance is a camera ray to be followed: number k of a pixel.
type glance struct {
	x, y, k int
	rim     bool // of a pixel beside the tile: what shines there is another's
}

// together is how many camera rays are followed at a time.
const together = 8

// sights follows camera rays to what they show, and books what shines there.
func (w *painter) sights(t int, some []glance, out []sighting) {
	f := &w.firsts
	for from := 0; from < len(some); from += together {
		now := some[from:min(from+together, len(some))]
		f.N = len(now)
		for i, g := range now {
			w.renew(w.seed^coverSeed, uint32(g.y*w.W+g.x), uint32(g.k))
			j := w.src.Pair(w.use(useLens, 0, 0))
			if w.alone {
				j = vec.V2{X: 0.5, Y: 0.5}
			}
			f.Rays[i] = trace.Ray{O: w.eye, D: w.lens.Ray(float32(g.x)+j.X, float32(g.y)+j.Y), Min: w.Cut, Max: inf}
			f.Rolls[i] = w.src.Bits(w.use(useBlend, 0, 0))
		}
		w.tracer.FirstOf(f)
		for i, g := range now {
			w.Begin(w.seed^coverSeed, uint32(g.y*w.W+g.x), uint32(g.k))
			w.turn = turn{uint32(g.y*w.W+g.x) + w.seed*0x9e3779b1, g.k, w.alone}
			w.sight(i, &out[from+i])
			if !g.rim {
				w.shown(t, g.x, g.y)
			}
		}
	}
}

// mostThrough is the most of a pixel's camera rays that pass a clear pane: what it mirrors is
// faint, and may be bright enough to be seen all the same; the few rays of a chance as
// small as its share would be specks.
const mostThrough = 0.75

// turn deals a pixel's camera rays out evenly between what is seen through its panes and what
// they mirror.
type turn struct {
	pixel uint32
	k     int
	alone bool // it is the pixel's only ray: it goes through
}

// deal is how many of a pixel's rays pass a pane that lets a share of its light through, and
// a number from 0 to 1, evenly over them, that is under it for those.
func (t *turn) deal(share float32, pane int) (through, roll float32) {
	if t.alone {
		return 1, 0
	}
	steps := [4]float64{math.Phi - 1, math.Sqrt2 - 1, 0.7320508, 0.2360680}
	_, r := math.Modf(float64(sampling.Chance(t.pixel, 0x71c9+uint32(pane))) + float64(t.k)*steps[pane%len(steps)])
	return min(share, mostThrough), float32(r)
}

// sight tells what ray i of those that were followed shows.
func (w *painter) sight(i int, out *sighting) {
	f := &w.firsts
	s := Segment{O: w.eye, D: f.Rays[i].D, Through: vec.Splat(1), Min: w.Cut}
	*out = sighting{hit: film.Hit{Tri: film.NoTri}, through: s.Through}
	tri, hit, ok := f.Tri[i], f.Hit[i], f.OK[i]
	sc := w.world.S
	if ok && w.hidden != nil && w.hidden[sc.Obj[tri]] {
		tri, hit, ok = w.see(&s, s.O, hit.T+s.O.Add(s.D.Scale(hit.T)).Rounding(), f.Rolls[i])
	}
	if !ok {
		s.Through = s.Through.Mul(w.clearness(s.D, inf))
		w.escape(&s)
		return
	}
	if m := &sc.Materials[sc.Mat[tri]]; m.Transmission > 0 {
		w.even = &w.turn
		ok := w.extend(&s, &w.v)
		if w.even = nil; !ok {
			return
		}
		tri, hit.U, hit.V, hit.T = w.v.Tri, w.v.P.U, w.v.P.V, w.v.Dist
		out.pane = w.v.F.Clear > 0
		out.through = undone(w.v.From.Through, w.clearness(s.D, hit.T)) // the air is told when a hit is looked at
	} else if e := w.emitter[sc.Mat[tri]]; e >= 0 && w.on[e] {
		p := sc.PointAt(tri, hit.U, hit.V)
		s.Through = s.Through.Mul(w.clearness(s.D, hit.T))
		w.meetSurface(&s, &p, m, e, hit.T)
	}
	_, out.n = sc.Area(tri)
	if out.n.Dot(s.D) > 0 {
		out.n = out.n.Neg()
	}
	out.hit, out.dist, out.object, out.mat = film.HitAt(tri, hit.U, hit.V), hit.T, sc.Obj[tri], sc.Mat[tri]
}

// undone is v without what it was multiplied by.
func undone(v, by vec.V3) vec.V3 {
	return vec.V3{X: v.X / max(by.X, 1e-20), Y: v.Y / max(by.Y, 1e-20), Z: v.Z / max(by.Z, 1e-20)}
}

// alike reports whether two rays of a pixel came to the same surface.
func (a *sighting) alike(b *sighting) bool {
	if a.hit.Tri == film.NoTri || b.hit.Tri == film.NoTri {
		return a.hit.Tri == b.hit.Tri
	}
	one := vec.Splat(1)
	return a.object == b.object && a.mat == b.mat && a.pane == b.pane && a.n.Dot(b.n) > 0.9 && (a.through == one) == (b.through == one) &&
		a.dist-b.dist < 0.05*a.dist && b.dist-a.dist < 0.05*a.dist
}

// mostRays bounds the camera rays of a pixel.
const mostRays = 256

// around is a tile's size with a rim of a pixel.
const around = film.TileSize + 2

// glimpse is how many more rays a pixel has beside one in which surfaces meet: what is thinner
// than a pixel goes on there, and may have been missed.
const glimpse = 8

// bundle is the rays of a pixel so far, by the cells that they came to.
type bundle struct {
	met            [mostRays]sighting
	n, cells, meet int // rays, cells, and those of them that are no panes
	first          [film.MostCells]int
}

// tell sorts in all rays up to number n.
func (s *bundle) tell(n int) {
	for ; s.n < n; s.n++ {
		m := &s.met[s.n]
		m.cell = -1
		for c := range s.cells {
			if m.alike(&s.met[s.first[c]]) {
				m.cell = c
				break
			}
		}
		if m.cell < 0 {
			m.cell = min(s.cells, film.MostCells-1)
			if s.cells < film.MostCells {
				s.first[s.cells] = s.n
				s.cells++
				if !m.pane {
					s.meet++
				}
			}
		}
	}
}

// tileRays are the first rays of a tile's pixels, and of those beside it, by rows of the tile with
// its rim.
type tileRays struct {
	each, most int // rays of a pixel: at first, and beside one in which surfaces meet
	met        []sighting
	closer     [around * around]bool // the most were followed
	meets      [around * around]bool
}

// tell tells a bundle the rays of pixel at.
func (f *tileRays) tell(s *bundle, at int) {
	n := f.each
	if f.closer[at] {
		n = f.most
	}
	s.n, s.cells, s.meet = 0, 0, 0
	copy(s.met[:n], f.met[at*f.most:])
	s.tell(n)
}

// early follows the first rays of a tile. Where surfaces meet in a pixel those beside it look
// closer, and so on: what is thinner than a pixel is followed along.
func (w *painter) early(t int, f *tileRays) {
	tx := film.Tiles(w.W)
	x0, y0, out := t%tx*film.TileSize-1, t/tx*film.TileSize-1, 0
	if f.most == f.each {
		out = 1
	}
	w.sighted = slices.Grow(w.sighted[:0], around*around*f.most)[:around*around*f.most]
	f.met = w.sighted
	f.closer, f.meets = [around * around]bool{}, [around * around]bool{}
	var s bundle
	var ends [around * around]int // the pixels whose neighbours look closer
	many := 0
	mark := func(at int) {
		f.tell(&s, at)
		if f.meets[at] = s.meet > 1; f.meets[at] {
			ends[many] = at
			many++
		}
	}
	rim := func(x, y int) bool { return x == x0 || y == y0 || x == x0+around-1 || y == y0+around-1 }
	for y := max(y0+out, 0); y < min(y0+around-out, w.H); y++ {
		trace.Settle()
		w.row = w.row[:0]
		from, to := max(x0+out, 0), min(x0+around-out, w.W)
		for x := from; x < to; x++ {
			for k := range f.each {
				w.row = append(w.row, glance{x, y, k, rim(x, y)})
			}
		}
		w.rowMet = slices.Grow(w.rowMet[:0], len(w.row))[:len(w.row)]
		w.sights(t, w.row, w.rowMet)
		for x := from; x < to; x++ {
			at := (y-y0)*around + x - x0
			copy(f.met[at*f.most:], w.rowMet[(x-from)*f.each:(x-from+1)*f.each])
			mark(at)
		}
	}
	if f.most == f.each {
		return
	}
	var some [glimpse]glance
	for i := 0; i < many; i++ {
		for _, d := range [8]int{-around - 1, -around, -around + 1, -1, 1, around - 1, around, around + 1} {
			at := ends[i] + d
			if at < 0 || at >= around*around || f.closer[at] || f.meets[at] {
				continue
			}
			if x, y := x0+at%around, y0+at/around; x < w.W && y < w.H && !rim(x, y) {
				w.sights(t, glances(some[:0], x, y, f.each, f.most), f.met[at*f.most+f.each:])
				f.closer[at] = true
				mark(at)
			}
		}
	}
}

// cover finds what a tile's pixels show.
func (w *painter) cover(t int, rays Rays) *film.CoverTile {
	out := &film.CoverTile{}
	var s bundle
	var some [mostRays]glance
	each, edges := min(max(rays.Each, 1), mostRays), min(max(rays.Edges, rays.Each), mostRays)
	f := &tileRays{each: each, most: min(each+glimpse, edges)}
	w.early(t, f)
	tinted := false
	i := 0
	w.pixels(t, func(x, y int) {
		for ; i <= y%film.TileSize*film.TileSize+x%film.TileSize; i++ {
			out.First[i] = uint16(len(out.Cells)) // pixels outside the picture have none
		}
		at := (y%film.TileSize+1)*around + x%film.TileSize + 1
		f.tell(&s, at)
		if s.meet > 1 && s.n < edges {
			w.sights(t, glances(some[:0], x, y, s.n, edges), s.met[s.n:])
			s.tell(edges)
		}
		met, first, n, cells, meet := &s.met, &s.first, s.n, s.cells, s.meet
		w.shownMean(t, x, y, n)
		if cells > 1 {
			out.MarkSmooth(x, y)
		}
		best, most := 0, 0
		for c := range cells {
			from := len(out.Hits)
			for k := range met[:n] {
				if met[k].cell == c {
					out.Hits = append(out.Hits, met[k].hit)
					out.Through = append(out.Through, met[k].through)
					tinted = tinted || met[k].through != vec.Splat(1)
				}
			}
			many := len(out.Hits) - from
			if many > most && (meet == 0 || !met[first[c]].pane) {
				best, most = c, many
			}
			out.Cells = append(out.Cells, film.Cell{First: uint32(from), Hits: uint16(many), Share: float32(many) / float32(n), Object: met[first[c]].object, Pane: met[first[c]].pane, Dist: met[first[c]].dist, N: met[first[c]].n})
		}
		if w.Guide != nil {
			w.guideBy(x, y, out.Cells[len(out.Cells)-cells:], best, out)
		}
	})
	for ; i < len(out.First); i++ {
		out.First[i] = uint16(len(out.Cells))
	}
	if !tinted {
		out.Through = nil
	}
	if w.Guide != nil {
		w.Guide.Count[t] = 1
	}
	return out
}

// glances adds rays from to to of a pixel.
func glances(some []glance, x, y, from, to int) []glance {
	for k := from; k < to; k++ {
		some = append(some, glance{x, y, k, false})
	}
	return some
}

// shown adds what the last camera ray saw shine to the lights' pictures of it.
func (w *painter) shown(t, x, y int) {
	for i, l := range w.Layers {
		if w.on[i] && w.touched[i] {
			if v := w.found[i][film.Seen]; v != (vec.V3{}) {
				l.PutShown(t, x, y, v)
			}
		}
	}
}

// shownMean makes means of a pixel's sums of n rays.
func (w *painter) shownMean(t, x, y, n int) {
	for i, l := range w.Layers {
		if w.on[i] {
			l.ScaleShown(t, x, y, 1/float32(n))
		}
	}
}

// reshow follows the camera rays of a tile once more for what shines.
func (w *painter) reshow(t int) {
	var met [mostRays]sighting
	var some [mostRays]glance
	w.pixels(t, func(x, y int) {
		c := w.Layers[0].Cover.Tiles[t]
		from, to := c.Of(x, y)
		n := 0
		for ; from < to; from++ {
			n += int(c.Cells[from].Hits)
		}
		w.sights(t, glances(some[:0], x, y, 0, n), met[:])
		w.shownMean(t, x, y, n)
	})
}

// guideBy tells the guide what a pixel shows: the surface that has most of it.
func (w *painter) guideBy(x, y int, cells []film.Cell, best int, t *film.CoverTile) {
	g, px := w.Guide, y*w.W+x
	g.Tri[px] = film.NoTri
	for k := range cells {
		c := &cells[k]
		looks := 1 // of the largest surface, one more
		if k == best {
			looks = min(int(c.Hits), 2)
		}
		for h := range looks {
			v := &w.v
			if !w.at(t, int(c.First)+h, v) {
				continue
			}
			if v.F.Smooth() {
				t.MarkSmooth(x, y)
			}
			a := v.F.Diffuse.Add(v.F.F0).Scale(1 / float32(looks))
			c.Albedo = c.Albedo.Add(a)
			a = a.Scale(c.Share)
			g.Albedo[3*px] += a.X
			g.Albedo[3*px+1] += a.Y
			g.Albedo[3*px+2] += a.Z
			if k == best && h == 0 {
				g.Tri[px], g.Pos[px], g.Depth[px], g.Object[px] = v.Tri, v.P.Pos, v.Dist, w.world.S.Obj[v.Tri]
			}
			if k == best {
				g.Normal[3*px] += v.F.N.X
				g.Normal[3*px+1] += v.F.N.Y
				g.Normal[3*px+2] += v.F.N.Z
			}
		}
	}
}

// at sets v to where a camera ray of the cover ended; false where it left the place.
func (w *Walker) at(t *film.CoverTile, hit int, v *Vertex) bool {
	h := t.Hits[hit]
	if h.Tri == film.NoTri {
		return false
	}
	sc := w.world.S
	u, b := h.At()
	v.P = sc.PointAt(h.Tri, u, b)
	d := v.P.Pos.Sub(w.eye)
	v.Dist = d.Len()
	d = d.Scale(1 / v.Dist)
	if !v.F.Set(sc, &sc.Materials[sc.Mat[h.Tri]], &v.P, d.Neg()) {
		return false
	}
	if w.neutral > 0 {
		v.F = surface.Matt(v.F.N, v.F.Ng, w.neutral, d.Neg())
	}
	v.Tri, v.Channels = h.Tri, w.world.Channels(sc.Obj[h.Tri])
	v.From = Segment{O: w.eye, D: d, Through: vec.Splat(1)}
	if t.Through != nil {
		v.From.Through = t.Through[hit]
	}
	if w.air != nil {
		v.From.Through = v.From.Through.Mul(w.clearness(d, v.Dist))
	}
	return true
}

// quota is how many samples of each light each cell of a tile is to get.
type quota func(light, cell int) int

// wideSamples is how many samples of a light with extent one evaluation of a surface
// serves.
const wideSamples = 4

// ask takes samples of what comes straight from lights on the cells of a tile.
func (w *painter) ask(t int, want quota) {
	cover := w.Layers[0].Cover.Tiles[t]
	w.only = straight
	left := make([]int, len(w.lights))
	w.pixels(t, func(x, y int) {
		from, to := cover.Of(x, y)
		for c := from; c < to; c++ {
			cell := &cover.Cells[c]
			if cover.Hits[cell.First].Tri == film.NoTri {
				continue
			}
			visits, begin := 0, math.MaxInt
			for i := range w.lights {
				if left[i] = 0; !w.on[i] {
					continue
				}
				if left[i] = want(i, c); left[i] > 0 {
					n := left[i]
					if w.broad[i] {
						n = (n + wideSamples - 1) / wideSamples
					}
					visits, begin = max(visits, n), min(begin, int(w.Layers[i].Lit[t].Taken[c]))
				}
			}
			id := uint32((y*w.W+x)*film.MostCells + c - from)
			for k := range visits {
				ok := w.at(cover, int(cell.First)+(begin+k)%int(cell.Hits), &w.v)
				for i := range w.lights {
					if left[i] <= 0 {
						continue
					}
					n := 1
					if w.broad[i] {
						n = min(wideSamples, left[i])
					}
					left[i] -= n
					lit := w.Layers[i].Lit[t]
					for range n {
						lit.Put(c, w.one(i, id, int(lit.Taken[c]), ok))
					}
				}
			}
		}
	})
}

// askAgain takes the second sample of the cells of a tile, where the first has found a
// light next to the pixel or in it: where it has not, it hardly ever comes. What it has found
// in the pixel itself does not count for what is rarely found, or the mean would be too dark.
func (w *painter) askAgain(t int) {
	cover := w.Layers[0].Cover.Tiles[t]
	const side = film.TileSize
	near := make([][]bool, len(w.Layers)) // for each cell
	for i, l := range w.Layers {
		lit := l.Lit[t]
		if !w.on[i] || lit == nil || lit.Sum[0] == nil {
			continue
		}
		faint := float32(0)
		if w.Faint != nil {
			faint = w.Faint[i]
		}
		var found [side * side]bool
		for p := range found {
			for c := int(cover.First[p]); c < int(cover.First[p+1]) && !found[p]; c++ {
				found[p] = float32(colour.LuminanceAt(lit.Sum[0], 3*c)) > faint
			}
		}
		near[i] = make([]bool, len(cover.Cells))
		rare := w.lights[i].Shows()
		for p := range found {
			x, y := p%side, p/side
			some := x == 0 || y == 0 || x == side-1 || y == side-1 // what is beyond is not known
			for yy := max(y-1, 0); yy <= min(y+1, side-1); yy++ {
				for xx := max(x-1, 0); xx <= min(x+1, side-1); xx++ {
					some = some || found[yy*side+xx] && (!rare || xx != x || yy != y)
				}
			}
			for c := int(cover.First[p]); c < int(cover.First[p+1]); c++ {
				near[i][c] = some
			}
		}
	}
	w.ask(t, func(i, c int) int {
		if near[i] != nil && near[i][c] {
			return 1
		}
		return 0
	})
}

// one is sample number n of a light at the vertex.
func (w *painter) one(i int, id uint32, n int, ok bool) vec.V3 {
	l := w.lights[i]
	if !ok {
		return vec.V3{}
	}
	half, k := film.Half(n)
	w.renew(w.seed^askSeed^uint32(half)*0x632be5ab, id, uint32(k))
	o := &w.o
	if !w.offer(i, l, &w.v, o) {
		return vec.V3{}
	}
	sum := o.matt
	if !(l.Shows() && w.v.F.Smooth()) {
		sum = sum.Add(o.glossy) // else paths take it
	}
	return w.carried(&w.v, o).Mul(sum)
}

// askSeed keeps the samples of cells apart from those of paths.
const askSeed = 0x1f83d9ab
