package cache

import (
	"context"
	"slices"

	"willowherb/core/scene"
	"willowherb/core/spread"
	"willowherb/core/trace"
	"willowherb/core/world"
)

// Painted is the cache of a world that differs from the cache's own in what its materials
// reflect alone: points, links and what comes straight from lights are taken over, and only the
// links that meet such a material are followed once more. All values are those of a new cache,
// bit by bit. ok is false where the worlds differ in anything else, or ctx ended.
func (c *Cache) Painted(ctx context.Context, w *world.World, workers int) (out *Cache, ok bool) {
	changed, ok := scene.Repainted(c.w.S, w.S)
	if !ok {
		return nil, false
	}
	for o := range uint32(len(w.S.Objects)) {
		if c.w.Channels(o) != w.Channels(o) || c.w.Duty(int(o)) != w.Duty(int(o)) {
			return nil, false
		}
	}
	c.mu.Lock()
	out = &Cache{w: w, pos: c.pos, tri: c.tri, cells: c.cells, least: c.least, buried: c.buried, fan: c.fan,
		slot: slices.Clone(c.slot), sites: slices.Clip(c.sites), links: slices.Clone(c.links),
		ahead: c.ahead, linked: slices.Clip(c.linked), columns: map[[32]byte]*column{}, clock: c.clock}
	for key, k := range c.columns {
		out.columns[key] = &column{straight: slices.Clip(k.straight), used: k.used}
	}
	c.mu.Unlock()
	const batch = 256
	err := spread.With(ctx, (len(out.sites)+batch-1)/batch, workers, func() (func(int), func()) {
		t := w.Tracer()
		return func(i int) {
			trace.Settle()
			for p := i * batch; p < min((i+1)*batch, len(out.sites)); p++ {
				for k := range out.from(p) {
					if l := &out.from(p)[k]; l.to >= 0 && changed[l.material] {
						out.repaint(t, p, k, l)
					}
				}
			}
		}, t.Release
	})
	if err != nil {
		return nil, false
	}
	return out, true
}

// repaint follows a link once more, to where it goes, for what is sent on there.
func (c *Cache) repaint(t *world.Tracer, site, k int, l *link) {
	again, _ := c.gather(t, &c.sites[site], k)
	l.even, l.glancing = again.even, again.glancing
}
