package cache

import (
	"context"
	"math"
	"slices"

	"willowherb/core/light"
	"willowherb/core/spread"
	"willowherb/core/vec"
	"willowherb/core/world"
)

var inf = float32(math.Inf(1))

// column is one light's irradiance at the points that were worked out: straight, and by
// all ways.
type column struct {
	straight, all []vec.V3
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
}

// Table is the light of some sources at the points of a reach. It never changes.
type Table struct {
	r    *Reach
	slot []int32
	n    int
	rows []vec.V3 // for each slot, the irradiance of each source at unit output
}

// Light returns the table of some sources: their columns, made where they are not there.
// What was touched must have been filled.
func (c *Cache) Light(ctx context.Context, r *Reach, sources []Source, workers int) (*Table, error) {
	c.mu.Lock()
	defer c.mu.Unlock()
	c.clock++
	tb := &Table{r: r, slot: slices.Clone(c.slot), n: len(sources), rows: make([]vec.V3, len(c.sites)*len(sources))}
	for i, s := range sources {
		k := c.columns[s.Key]
		if k == nil {
			k = &column{}
		}
		if err := c.solve(ctx, k, s.Light, workers); err != nil {
			return nil, err
		}
		k.used = c.clock
		c.columns[s.Key] = k
		for p, e := range k.all {
			tb.rows[p*len(sources)+i] = e
		}
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

// solve brings a column to all points.
func (c *Cache) solve(ctx context.Context, k *column, l *light.Light, workers int) error {
	n := len(c.sites)
	if len(k.all) == n {
		return nil
	}
	from := len(k.straight)
	straight := append(slices.Clip(k.straight), make([]vec.V3, n-from)...)
	const batch = 256
	err := spread.With(ctx, (n-from+batch-1)/batch, workers, func() (func(int), func()) {
		t := c.w.Tracer()
		return func(i int) {
			for p := from + i*batch; p < min(from+(i+1)*batch, n); p++ {
				straight[p] = c.straight(t, l, &c.sites[p])
			}
		}, t.Release
	})
	if err != nil {
		return err
	}
	all, next := slices.Clone(straight), make([]vec.V3, n)
	const wide = 8192
	for range sweeps {
		err := spread.Over(ctx, (n+wide-1)/wide, workers, func(i int) {
			for p := i * wide; p < min((i+1)*wide, n); p++ {
				e := straight[p]
				for q := range c.links[p] {
					if l := &c.links[p][q]; l.to >= 0 {
						e = e.Add(l.share.Mul(all[l.to]))
					}
				}
				next[p] = e
			}
		})
		if err != nil {
			return err
		}
		all, next = next, all
	}
	k.straight, k.all = straight, all
	return nil
}

// Look returns what the sources send to a spot at unit output, as irradiance in the order
// of the table's sources; nil where the cache has no answer.
func (tb *Table) Look(t *world.Tracer, s *Spot) []vec.V3 {
	side, ok := tb.r.c.choose(t, s, 0, tb.r.has)
	if !ok {
		return nil
	}
	p := int(tb.slot[side]) * tb.n
	return tb.rows[p : p+tb.n : p+tb.n]
}
