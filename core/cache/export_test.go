package cache

import "slices"

// Links are all links so far.
func (c *Cache) Links() any { return slices.Clone(c.links) }
