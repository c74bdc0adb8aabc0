package stage

import (
	"context"
	"sync"
	"sync/atomic"

	"willowherb/core/cache"
	"willowherb/core/light"
	"willowherb/core/place"
)

// glow is what is worked out of a stage for its light: begun when it is first asked for.
type glow struct {
	mu      sync.Mutex
	cache   atomic.Pointer[cache.Cache]
	portals []light.Portal
	found   bool
}

// Cache is the stage's light cache.
func (s *Stage) Cache(workers int) *cache.Cache {
	s.glow.mu.Lock()
	defer s.glow.mu.Unlock()
	if s.glow.cache.Load() == nil {
		s.glow.cache.Store(cache.New(s.World, workers))
	}
	return s.glow.cache.Load()
}

// CacheBytes is the memory that the light cache holds.
func (s *Stage) CacheBytes() int {
	if c := s.glow.cache.Load(); c != nil {
		return c.Bytes()
	}
	return 0
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
