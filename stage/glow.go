package stage

import (
	"context"
	"slices"
	"sync"

	"willowherb/core/cache"
	"willowherb/core/light"
	"willowherb/core/place"
	"willowherb/core/scene"
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
	shelf    *glows
	pose     string // of its stage: what has the same may go on from it
	mu       sync.Mutex
	cache    *cache.Cache
	openings *openings // nil: not looked for
}

// Cache is the stage's light cache. Where a stage that was used lately differs in its paint alone,
// it goes on from that one's.
func (s *Stage) Cache(workers int) *cache.Cache {
	s.glow.mu.Lock()
	c := s.glow.cache
	s.glow.mu.Unlock()
	if c == nil {
		for _, o := range s.glow.shelf.posedAs(s.glow) {
			if from := o.held(); from != nil {
				if c, _ = from.Painted(context.Background(), s.World, workers); c != nil {
					break
				}
			}
		}
		s.glow.mu.Lock()
		if s.glow.cache == nil {
			if s.glow.cache = c; c == nil {
				s.glow.cache = cache.New(s.World, workers)
			}
		}
		c = s.glow.cache
		s.glow.mu.Unlock()
	}
	s.glow.shelf.used(s.glow)
	return c
}

// held is its cache, if there is one.
func (g *glow) held() *cache.Cache {
	g.mu.Lock()
	defer g.mu.Unlock()
	return g.cache
}

// posedAs are the others of the same pose, those that were used last first.
func (g *glows) posedAs(s *glow) (out []*glow) {
	g.mu.Lock()
	defer g.mu.Unlock()
	for _, o := range slices.Backward(g.last) {
		if o != s && o.pose == s.pose {
			out = append(out, o)
		}
	}
	return out
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
	found, err := s.portals(ctx, workers)
	if err != nil {
		return nil, err
	}
	with := *l
	with.Portals = place.Through(s.World, l.Portals, found)
	return &with, nil
}

// openings are those of a stage's rooms.
type openings struct {
	portals []light.Portal
	in      *scene.Scene
}

// portals are the openings of the stage's rooms, those of a stage that differs in its paint alone
// where there is one.
func (s *Stage) portals(ctx context.Context, workers int) ([]light.Portal, error) {
	g := s.glow
	found := g.open()
	for _, o := range g.shelf.posedAs(g) {
		if of := o.open(); found == nil && of != nil {
			if _, ok := scene.Repainted(of.in, s.Scene); ok {
				found = &openings{of.portals, s.Scene}
			}
		}
	}
	g.mu.Lock()
	defer g.mu.Unlock()
	switch {
	case g.openings != nil:
	case found != nil:
		g.openings = found
	default:
		portals, err := place.Portals(ctx, s.World, workers)
		if err != nil {
			return nil, err
		}
		g.openings = &openings{portals, s.Scene}
	}
	return g.openings.portals, nil
}

// open are the openings that were found, if they were.
func (g *glow) open() *openings {
	g.mu.Lock()
	defer g.mu.Unlock()
	return g.openings
}
