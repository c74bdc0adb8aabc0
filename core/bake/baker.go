package bake

import (
	"context"
	"encoding/binary"
	"maps"
	"slices"
	"time"

	"willowherb/core/cache"
	"willowherb/core/colour"
	"willowherb/core/lamps"
	"willowherb/core/light"
	"willowherb/core/path"
	"willowherb/core/place"
	"willowherb/core/setup"
	"willowherb/core/spread"
	"willowherb/core/trace"
	"willowherb/core/unwrap"
	"willowherb/core/vec"
	"willowherb/core/world"
)

// Source is a light that is baked.
type Source struct {
	ID  string
	Key [32]byte // of all that its layers depend on, besides the place
	// Light for sampling; Straight has its direct light in the map too.
	Light    *light.Light
	Straight bool
	Bounces  int // 0: as many as there are
	Gain     vec.V3
	// Leans tells that it is baked how the light changes as surfaces tilt, too.
	Leans bool
}

// Sources are the lights that a setup bakes, those that are off too: they can be turned on
// without a new bake. only, if it is not nil, picks some by their ids.
func Sources(ls []*lamps.Lamp, rules *setup.Bake, only func(id string) bool) (out []Source) {
	for _, l := range ls {
		if l.Carry == setup.Live || only != nil && !only(l.ID) {
			continue
		}
		s := Source{ID: l.ID, Light: l.Source, Gain: l.Gain(), Straight: Whole(l)}
		if l.Kind == setup.Sky {
			s.Bounces = rules.SkyBounces
		}
		s.Key = Digest(algorithm, l.Key, s.Straight, s.Bounces)
		if s.Leans = rules.Directional; s.Leans {
			s.Key = Digest(s.Key, "leans")
		}
		out = append(out, s)
	}
	return out
}

// Whole reports whether a light's direct light is in the map: of baked lights, and of skies
// and what shines by itself, unless they are live.
func Whole(l *lamps.Lamp) bool {
	return l.Carry == setup.Baked || l.Carry == setup.Split && (l.Kind == setup.Sky || l.Kind == setup.Emissive)
}

// algorithm changes whenever the same inputs would give another layer, probe or panorama.
const algorithm = 10

// Lit names all that the light cache knows of some lights, besides their own keys.
func (p *Plan) Lit(place [32]byte) [32]byte {
	return Digest(algorithm, place, p.Key, p.Quality.Cell, p.Quality.Links)
}

// Baker works out layers. Safe for concurrent use once it is ready.
type Baker struct {
	W       *world.World // without movers
	Plan    *Plan
	Sources []Source
	// Others are lights that are not baked, and are mirrored all the same.
	Others  []Source
	Workers int

	cache   *cache.Cache
	reach   *cache.Reach
	table   *cache.Table
	around  *cache.Reach // of the texels and of the reflection probes
	portals []light.Portal
	lights  []*light.Light
	level   []float64 // what each light gives to the whole place, on average, in lux
	// Took is how long openings and light cache took.
	Took struct{ Cache time.Duration }
}

// NewBaker makes a baker ready: finds the openings, and fills the light cache as far as the
// map's texels need it. The world must be without movers. before is an earlier one, or nil: of
// the same world, texels and reflection probes, its openings and links, which know no light, are
// taken over. Error: ctx ended.
func NewBaker(ctx context.Context, w *world.World, p *Plan, sources, others []Source, workers int, before *Baker) (*Baker, error) {
	b := &Baker{W: w, Plan: p, Sources: sources, Others: others, Workers: workers}
	begin := time.Now()
	if before != nil && before.W == w && before.Plan.Key == p.Key && before.Plan.Quality.Cell == p.Quality.Cell && before.Plan.Quality.Links == p.Quality.Links {
		b.cache, b.reach, b.around, b.portals = before.cache, before.reach, before.around, before.portals
	}
	for _, s := range slices.Concat(sources, others) {
		l := *s.Light
		if l.Kind == light.Sky {
			if b.portals == nil {
				var err error
				if b.portals, err = place.Portals(ctx, w, workers); err != nil {
					return nil, err
				}
				if b.portals == nil {
					b.portals = []light.Portal{}
				}
			}
			l.Portals = place.Through(w, l.Portals, b.portals)
		}
		b.lights = append(b.lights, &l)
	}
	if b.cache == nil {
		b.cache = cache.New(w, workers)
		b.cache.Coarse(p.Quality.Cell)
		b.cache.Gather(p.Quality.Links)
		b.reach = b.cache.Reach()
		if err := b.touch(ctx); err != nil {
			return nil, err
		}
		if err := b.look(ctx); err != nil {
			return nil, err
		}
		// All of it at once: light is solved anew wherever something is added.
		if err := b.cache.Fill(ctx, b.around, workers); err != nil {
			return nil, err
		}
	}
	var err error
	b.table, err = b.light(ctx, b.reach)
	if err == nil {
		for i := range b.Sources {
			b.level = append(b.level, b.table.Mean(i))
		}
	}
	b.Took.Cache = time.Since(begin)
	return b, err
}

func (b *Baker) light(ctx context.Context, reach *cache.Reach) (*cache.Table, error) {
	var from []cache.Source
	for i, s := range slices.Concat(b.Sources, b.Others) {
		from = append(from, cache.Source{Key: s.Key, Light: b.lights[i], Bounces: s.Bounces})
	}
	return b.cache.Light(ctx, reach, from, b.Workers)
}

// touched is of how many texels one is asked for where its paths end in the cache.
const touched = 5

func (b *Baker) touch(ctx context.Context) error {
	return spread.With(ctx, len(b.Plan.Objects), b.Workers, func() (func(int), func()) {
		k := path.NewWalker(b.W, nil)
		k.Touching(b.reach)
		return func(i int) {
			l := b.Plan.Objects[i]
			for p := range l.Patches {
				places := l.Patches[p].Places(1)
				for c := p % touched; c < len(places); c += touched {
					if places[c].Tri >= 0 {
						b.start(k, l, &places[c], l.Begin[p]+c, 0)
					}
				}
			}
		}, k.Release
	})
}

// seed of a bake's random numbers: the same always, so that what is baked anew alone is as
// it would be in company.
const seed = 0x62616b65

// start follows one sample of a texel, and tells what it met.
func (b *Baker) start(k *path.Walker, l *Laid, q *unwrap.Place, cell, sample int) path.Gathered {
	k.Begin(seed, binary.LittleEndian.Uint32(l.Key[:])+uint32(cell)*0x9e3779b9, uint32(sample))
	tri := uint32(l.First) + uint32(q.Tri)
	_, n := b.W.S.Area(tri)
	v := k.Texel(tri, q.U, q.V, n)
	return k.Gather(&v, path.Segment{})
}

// parts is into how many places a texel is cut, across and down.
const parts = 2

// Layer is what one light gives to an object's texels, in lux at unit output: three halves a
// cell. nil for nothing.
type Layer struct {
	Lux []uint16
	// Lean is the slope of its luminance as the surface tilts (path.Walker.Lean), a vector along
	// the surface in the place's axes: three halves a cell; nil where it is not asked for.
	Lean []uint16
	// Mean of its luminance over the object's texels, and of the deviation that is left as noise.
	Mean, Noise float64
	// Of the object's texels, the same in all of its layers: those that lie within something
	// solid, and those with something thinner than a texel between them and a neighbour.
	Buried, Thin int
}

// Baked is an object's layers, one for each source.
type Baked struct {
	Layers  []Layer
	Samples int64 // of texels
}

// texel is one worker's state for a texel.
type texel struct {
	sums [parts * parts][]taken
	n    [parts * parts]int
	back [parts * parts]int
}

// taken is what samples of one light found.
type taken struct {
	straight, bounced   vec.V3
	straight2, bounced2 float64 // sums of squares of luminance
	lean                vec.V3
	n                   int
}

// Object bakes an object for the sources that are wanted; nil: all. Error: ctx ended.
func (b *Baker) Object(ctx context.Context, l *Laid, want []bool) (*Baked, error) {
	w := b.work(l)
	w.want = want
	if err := b.each(ctx, w, (*hand).first); err != nil {
		return nil, err
	}
	if q := &b.Plan.Quality; q.Most > q.Least {
		if err := w.share(ctx, b.Workers); err != nil {
			return nil, err
		}
		if err := b.each(ctx, w, (*hand).more); err != nil {
			return nil, err
		}
	}
	return w.finish(ctx, b.Workers)
}

// each calls do for all cells of an object.
func (b *Baker) each(ctx context.Context, w *work, do func(h *hand, w *work, cell int)) error {
	const batch = 256
	return spread.With(ctx, (w.l.Cells+batch-1)/batch, b.Workers, func() (func(int), func()) {
		t := b.hand()
		return func(i int) {
			trace.Settle()
			for c := i * batch; c < min((i+1)*batch, w.l.Cells); c++ {
				do(t, w, c)
			}
		}, t.done
	})
}

// work is an object while it is baked.
type work struct {
	b      *Baker
	l      *Laid
	want   []bool         // the sources; nil: all
	parted [][2]int32     // neighbouring cells with something thin between them
	places []unwrap.Place // parts x parts for each cell
	state  []state        // of each cell
	pos    []vec.V3
	n      []vec.V3
	// Of each source, of each cell.
	straight, bounced [][]float32 // RGB
	straightVar       [][]float32
	bouncedVar        [][]float32
	lean              [][]float32 // three a cell; nil where it is not asked for
	samples           []int64     // of each cell
	use               []uint8     // of each cell, the places that count, a bit each
	extra             [][]uint16  // of each source and cell, samples that it still wants
	weights           [][]float32 // of each round of smoothing, of each cell, of its taps
	along             [][2]Taps   // the two sides of seams, place by place
}

// state of a cell.
type state uint8

const (
	nothing state = iota // no surface
	lit
	buried // within something solid
	filled // from its neighbours
)

func (b *Baker) work(l *Laid) *work {
	w := &work{b: b, l: l, places: make([]unwrap.Place, 0, l.Cells*parts*parts), state: make([]state, l.Cells), pos: make([]vec.V3, l.Cells), n: make([]vec.V3, l.Cells)}
	for p := range l.Patches {
		q := l.Patches[p].Places(parts)
		wide := l.Patches[p].W * parts
		for c := range l.Patches[p].W * l.Patches[p].H {
			x, y := c%l.Patches[p].W*parts, c/l.Patches[p].W*parts
			for k := range parts * parts {
				w.places = append(w.places, q[(y+k/parts)*wide+x+k%parts])
			}
		}
	}
	for range b.Sources {
		w.straight, w.bounced = append(w.straight, make([]float32, 3*l.Cells)), append(w.bounced, make([]float32, 3*l.Cells))
		w.straightVar, w.bouncedVar = append(w.straightVar, make([]float32, l.Cells)), append(w.bouncedVar, make([]float32, l.Cells))
	}
	if slices.ContainsFunc(b.Sources, func(s Source) bool { return s.Leans }) {
		for range b.Sources {
			w.lean = append(w.lean, make([]float32, 3*l.Cells))
		}
	}
	w.samples, w.use = make([]int64, l.Cells), make([]uint8, l.Cells)
	return w
}

// hand is one worker.
type hand struct {
	b        *Baker
	k        *path.Walker
	on       []bool
	straight []bool
	leans    bool
	t        texel
	w        *world.Tracer
}

func (b *Baker) hand() *hand {
	h := &hand{b: b, w: b.W.Tracer(), k: path.NewWalker(b.W, b.lights), on: make([]bool, len(b.lights)), straight: make([]bool, len(b.lights))}
	for i := range h.t.sums {
		h.t.sums[i] = make([]taken, len(b.Sources))
	}
	for i, s := range b.Sources {
		h.straight[i] = s.Straight
		h.leans = h.leans || s.Leans
	}
	if h.leans {
		h.k.Leaning()
	}
	return h
}

func (h *hand) done() {
	h.k.Release()
	h.w.Release()
}

// mean of a light over the places that count, each alike, and the variances of the means:
// what differs from place to place is no noise.
func (h *hand) mean(i int, use []int) (out means) {
	var straight, bounced, lean vec.V3
	m, single := 0, true
	var sa, sc float64
	for _, k := range use {
		s := &h.t.sums[k][i]
		if s.n == 0 {
			continue
		}
		m++
		single = single && s.n == 1
		inv := 1 / float32(s.n)
		a, c := s.straight.Scale(inv), s.bounced.Scale(inv)
		straight, bounced, lean = straight.Add(a), bounced.Add(c), lean.Add(s.lean.Scale(inv))
		n := float64(s.n)
		ya, yc := colour.LuminanceOf(a), colour.LuminanceOf(c)
		d := max(n-1, 1) * n
		sa += max(s.straight2-n*ya*ya, 0) / d
		sc += max(s.bounced2-n*yc*yc, 0) / d
	}
	if m == 0 {
		return out
	}
	if single && m > 1 {
		// One sample a place: what differs from place to place is all that is known.
		sa, sc = 0, 0
		ma, mc := colour.LuminanceOf(straight)/float64(m), colour.LuminanceOf(bounced)/float64(m)
		for _, k := range use {
			if s := &h.t.sums[k][i]; s.n > 0 {
				da, dc := colour.LuminanceOf(s.straight)-ma, colour.LuminanceOf(s.bounced)-mc
				sa, sc = sa+da*da, sc+dc*dc
			}
		}
		k := float64(m) / float64(m-1)
		sa, sc = sa*k, sc*k
	}
	inv := 1 / float32(m)
	return means{straight.Scale(inv), bounced.Scale(inv), lean.Scale(inv), float32(sa) * inv * inv, float32(sc) * inv * inv}
}

// largest are those of a texel's places that the most of them can be come to from over the
// surface: what stands between them, a thin wall, parts them. By how many, not by their light:
// the darkest of a few samples would be too dark.
func (h *hand) largest(w *work, places []unwrap.Place, use []int) (best []int) {
	var groups [][]int
next:
	for _, p := range use {
		b, nb := w.spot(&places[p])
		for i, g := range groups {
			for _, q := range g {
				if a, na := w.spot(&places[q]); open(h.w, a, na, b, nb) {
					groups[i] = append(g, p)
					continue next
				}
			}
		}
		groups = append(groups, []int{p})
	}
	for _, g := range groups {
		if len(g) > len(best) {
			best = g
		}
	}
	return best
}

// spot is where a place lies, and the surface's normal there.
func (w *work) spot(p *unwrap.Place) (at, n vec.V3) {
	s := w.b.W.S
	t := uint32(w.l.First) + uint32(p.Tri)
	i, j, k := s.Corner(t)
	a, b, c := s.V.Pos[i], s.V.Pos[j], s.V.Pos[k]
	_, n = s.Area(t)
	return a.Scale(1 - p.U - p.V).Add(b.Scale(p.U)).Add(c.Scale(p.V)), n
}

// open reports whether a way leads from one place on a surface to another close by: over what
// is rough on it, but not through what stands on it.
func open(t *world.Tracer, a, na, b, nb vec.V3) bool {
	d := b.Sub(a)
	dist := d.Len()
	if dist < 1e-4 {
		return true
	}
	const lift = 0.004
	from, to := a.Add(na.Scale(lift)), b.Add(nb.Scale(lift))
	over := vec.Lerp(a, b, 0.5).Add(na.Add(nb).Norm().Scale(0.25*dist + lift))
	clear := func(p, q vec.V3) bool {
		d := q.Sub(p)
		l := d.Len()
		return t.Passes(p, vec.V3{}, d.Scale(1/l), l) != vec.V3{}
	}
	return clear(from, over) && clear(over, to)
}

// Lights are the sources, then the others, ready for sampling, and Table what the light cache
// knows of them where the map's texels asked.
func (b *Baker) Lights() ([]*light.Light, *cache.Table) { return b.lights, b.table }

// Around is what the light cache knows where paths from the reflection probes end too. Error:
// ctx ended.
func (b *Baker) Around(ctx context.Context) (*cache.Table, error) { return b.light(ctx, b.around) }

// look asks for what paths from the reflection probes meet.
func (b *Baker) look(ctx context.Context) error {
	const rays = 64
	b.around = b.reach.Clone()
	at := b.Plan.MirrorsAt()
	return spread.With(ctx, len(at), b.Workers, func() (func(int), func()) {
		k := path.NewWalker(b.W, nil)
		k.Touching(b.around)
		return func(i int) {
			for n := range rays {
				k.Begin(seed, uint32(i), uint32(n))
				k.Gather(nil, k.Around(at[i]))
			}
		}, k.Release
	})
}

// MirrorsAt are the places of the reflection probes, by their ids.
func (p *Plan) MirrorsAt() (at []vec.V3) {
	for _, id := range slices.Sorted(maps.Keys(p.Rules.Mirrors)) {
		at = append(at, vec.Of(p.Rules.Mirrors[id].Position))
	}
	return at
}
