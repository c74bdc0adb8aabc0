package stage

import (
	"context"
	"slices"
	"sync"

	"willowherb/core/cache"
	"willowherb/core/light"
	"willowherb/core/place"
)

// mostCaches is how many stages' light caches are kept.
const mostCaches = 3

// glows keeps the light caches of the stages that were used last. Whoever still works
// with one that is let go keeps it until then.
type glows struct {
	mu   sync.Mutex
	last []*glow
}

// glow is what is worked out of a stage for its light, begun when it is first asked for.
type glow struct {
	shelf   *glows
	mu      sync.Mutex
	cache   *cache.Cache
	portals []light.Portal
	found   bool
}

// Cache is the stage's light cache.
func (s *Stage) Cache(workers int) *cache.Cache {
	s.glow.mu.Lock()
	if s.glow.cache == nil {
		s.glow.cache = cache.New(s.World, workers)
	}
	c := s.glow.cache
	s.glow.mu.Unlock()
	s.glow.shelf.used(s.glow)
	return c
}

// used puts a stage's light first, and lets the caches of the least used go.
func (g *glows) used(s *glow) {
	g.mu.Lock()
	defer g.mu.Unlock()
	g.last = slices.DeleteFunc(g.last, func(o *glow) bool { return o == s })
	g.last = append(g.last, s)
	for len(g.last) > mostCaches {
		o := g.last[0]
		g.last = g.last[1:]
		o.mu.Lock()
		o.cache = nil
		o.mu.Unlock()
	}
}

// CacheBytes is the memory that the light caches of the shop's stages hold.
func (s *Shop) CacheBytes() (n int) {
	s.glows.mu.Lock()
	defer s.glows.mu.Unlock()
	for _, o := range s.glows.last {
		o.mu.Lock()
		if o.cache != nil {
			n += o.cache.Bytes()
		}
		o.mu.Unlock()
	}
	return n
}

// Through is a light as it is best looked for on the stage: a sky through the openings of
// its rooms.
func (s *Stage) Through(ctx context.Context, l *light.Light, workers int) (*light.Light, error) {
	if l.Kind != light.Sky {
		return l, nil
	}
	s.glow.mu.Lock()
	defer s.glow.mu.Unlock()
	if !s.glow.found {
		var err error
		if s.glow.portals, err = place.Portals(ctx, s.World, workers); err != nil {
			return nil, err
		}
		s.glow.found = true
	}
	with := *l
	with.Portals = s.glow.portals
	return &with, nil
}
