package cache

import (
	"cmp"
	"context"
	"math"
	"slices"

	"willowherb/core/light"
	"willowherb/core/spread"
	"willowherb/core/surface"
	"willowherb/core/trace"
	"willowherb/core/vec"
	"willowherb/core/world"
)

var inf = float32(math.Inf(1))

// column is one light's irradiance at the points that were worked out: straight, and by
// all ways.
type column struct {
	straight, all []flux
	more          []vec.V3 // what links bring straight from a lamp beside what they met, more than from its point
	linked        int      // for how many of Cache.linked that is so far
	used          int64
}

// sweeps is how many bounces are followed from point to point; what is left after so many
// is under a hundredth even in a white room.
const sweeps = 8

// mostColumns is how many lights' columns are kept.
const mostColumns = 64

// Source is a light with the name of all that its column depends on.
type Source struct {
	Key   [32]byte
	Light *light.Light
	// Bounces bounds how many surfaces send its light on; 0: as many as do.
	Bounces int
}

// Table is the light of some sources at the points of a reach. It never changes.
type Table struct {
	r    *Reach
	slot []int32
	n    int
	// For each slot, the irradiance of each source at unit output, by all ways and straight.
	rows, straight []flux
	sums           []flux // for each slot, of a merged table
}

// Known is what a table knows of a spot.
type Known struct {
	all, straight []flux // of each source at unit output
	sum           flux   // of a merged table
	even, glance  vec.V3
}

// For has what is known told as the radiance that a surface sends on.
func (k *Known) For(f *surface.Surface) {
	k.even, k.glance = f.Shares()
	k.even, k.glance = k.even.Scale(1/math.Pi), k.glance.Scale(1/math.Pi)
}

func (k *Known) sent(f *flux) vec.V3 { return k.even.Mul(f.even).Add(k.glance.Mul(f.glancing)) }

// Of is what comes by all ways from a source of unit output, in cd/m2.
func (k *Known) Of(source int) vec.V3 { return k.sent(&k.all[source]) }

// Straight is the part of Of without bounces before the surface.
func (k *Known) Straight(source int) vec.V3 { return k.sent(&k.straight[source]) }

// Lit is the irradiance, in green, that comes straight from a source of unit output, in lux.
func (k *Known) Lit(source int) float32 { return k.straight[source].even.Y }

// Glancing is the part of Straight that the surface is taken to mirror all round.
func (k *Known) Glancing(source int) vec.V3 { return k.glance.Mul(k.straight[source].glancing) }

// Sum is what a merged table has of all sources.
func (k *Known) Sum() vec.V3 { return k.sent(&k.sum) }

// Light returns the table of some sources: their columns, made where they are not there.
// What was touched must have been filled.
func (c *Cache) Light(ctx context.Context, r *Reach, sources []Source, workers int) (*Table, error) {
	c.mu.Lock()
	defer c.mu.Unlock()
	c.clock++
	tb := &Table{r: r, slot: slices.Clone(c.slot), n: len(sources), rows: make([]flux, len(c.sites)*len(sources)), straight: make([]flux, len(c.sites)*len(sources))}
	columns, due := make([]*column, len(sources)), []int{}
	for i, s := range sources {
		k := c.columns[s.Key]
		if k == nil {
			k = &column{}
			c.columns[s.Key] = k
		}
		if k.used != c.clock && (len(k.all) != len(c.sites) || k.linked != len(c.linked)) {
			due = append(due, i)
		}
		columns[i], k.used = k, c.clock
	}
	// Lights side by side; where they are fewer than workers, each has several.
	each, errs := max(workers/max(len(due), 1), 1), make([]error, len(due))
	err := spread.Over(ctx, len(due), workers, func(d int) {
		errs[d] = c.solve(ctx, columns[due[d]], &sources[due[d]], each)
	})
	if err = cmp.Or(append(errs, err)...); err != nil {
		return nil, err
	}
	for some := range slices.Chunk(due, lanes) {
		var of []*column
		var rounds []int
		for _, d := range some {
			of = append(of, columns[d])
			r := sweeps
			if b := sources[d].Bounces; b > 0 {
				r = min(b-1, sweeps)
			}
			rounds = append(rounds, r)
		}
		if err := c.settle(ctx, of, rounds, workers); err != nil {
			return nil, err
		}
	}
	const batch = 1024
	err = spread.Over(ctx, (len(c.sites)+batch-1)/batch, workers, func(b int) {
		for p := b * batch; p < min((b+1)*batch, len(c.sites)); p++ {
			for i, k := range columns {
				tb.rows[p*len(sources)+i], tb.straight[p*len(sources)+i] = k.all[p], k.straight[p]
			}
		}
	})
	if err != nil {
		return nil, err
	}
	for len(c.columns) > max(mostColumns, len(sources)) {
		var oldest [32]byte
		least := int64(math.MaxInt64)
		for key, k := range c.columns {
			if k.used < least {
				oldest, least = key, k.used
			}
		}
		delete(c.columns, oldest)
	}
	return tb, nil
}

// solve brings what comes straight to a column to all points.
func (c *Cache) solve(ctx context.Context, k *column, source *Source, workers int) error {
	n, l := len(c.sites), source.Light
	from, due := len(k.straight), c.linked[k.linked:]
	straight := append(slices.Clip(k.straight), make([]flux, n-from)...)
	more := append(slices.Clone(k.more), make([]vec.V3, n-len(k.more))...)
	const batch = 256
	err := spread.With(ctx, (n-from+batch-1)/batch, workers, func() (func(int), func()) {
		t := c.w.Tracer()
		return func(i int) {
			trace.Settle()
			for p := from + i*batch; p < min(from+(i+1)*batch, n); p++ {
				straight[p] = c.straight(t, l, &c.sites[p])
			}
		}, t.Release
	})
	if err != nil {
		return err
	}
	err = spread.With(ctx, (len(due)+batch-1)/batch, workers, func() (func(int), func()) {
		t := c.w.Tracer()
		return func(i int) {
			trace.Settle()
			for _, p := range due[i*batch : min((i+1)*batch, len(due))] {
				more[p] = c.besides(t, l, c.from(int(p)), straight)
			}
		}, t.Release
	})
	if err != nil {
		return err
	}
	k.straight, k.more, k.linked = straight, more, len(c.linked)
	return nil
}

// Mean is the irradiance of a source at unit output over the points of the reach, in lux of
// green: what it gives to the place as a whole. It does not depend on what else was asked of the
// cache.
func (tb *Table) Mean(source int) float64 {
	var sum, n float64
	for side, slot := range tb.slot {
		if slot >= 0 && tb.r.has(uint32(side)) {
			sum += float64(tb.rows[int(slot)*tb.n+source].even.Y)
			n++
		}
	}
	return sum / max(n, 1)
}

// Merged is the table with the sum of all sources, each times its gain.
func (tb *Table) Merged(gains []vec.V3) *Table {
	out := *tb
	out.sums = make([]flux, len(tb.rows)/max(tb.n, 1))
	for p := range out.sums {
		for i, g := range gains {
			out.sums[p] = out.sums[p].plus(tb.rows[p*tb.n+i].scaled(g))
		}
	}
	return &out
}

// besides is what links bring straight from a lamp beside the places that they met, over
// what the points that stand for those places have of it.
func (c *Cache) besides(t *world.Tracer, l *light.Light, links []link, straight []flux) (v vec.V3) {
	for q := range links {
		k := &links[q]
		if k.to < 0 || !near(l, k.met.pos, k.size) {
			continue
		}
		there, point := c.straight(t, l, &k.met), &straight[k.to]
		v = v.Add(k.even.Mul(there.even.Sub(point.even))).Add(k.glancing.Mul(there.glancing.Sub(point.glancing)))
	}
	return v
}

// Look returns what is known of a spot; false where the cache has no answer.
func (tb *Table) Look(t *world.Tracer, s *Spot) (k Known, ok bool) {
	side, ok := tb.r.c.choose(t, s, 0, func(side uint32) bool { return tb.r.has(side) && halfOf(side) == s.Half })
	if !ok {
		return k, false
	}
	slot := int(tb.slot[side])
	from, to := slot*tb.n, (slot+1)*tb.n
	k.straight, k.all = tb.straight[from:to:to], tb.rows[from:to:to]
	if tb.sums != nil {
		k.sum = tb.sums[slot]
	}
	return k, true
}
