package target

import (
	"fmt"
	"math"
)

// Way is how a target lights what it draws.
type Way string

// Ways.
const (
	Tiles    Way = "tiles"    // forward, with a list of lights for each tile of the picture
	Clusters Way = "clusters" // deferred, with a list for each slice in depth of each tile
	Objects  Way = "objects"  // forward, with a list for each object, and no depth drawn first
)

// Method is how a target does a frame.
type Method struct {
	Width  int `json:"width"`
	Height int `json:"height"`
	Way    Way `json:"way"`
	// Tile is a tile's side in pixels; Slices is into how many clusters a tile is cut in depth,
	// from 0.1 m to Far, each farther by the same factor.
	Tile   int     `json:"tile"`
	Slices int     `json:"slices"`
	Far    float64 `json:"far"`
	// Cascades of a sun that says none of its own.
	Cascades int `json:"cascades"`
	// Keeps tells that a shadow map in which nothing moves is kept from frame to frame.
	Keeps bool `json:"keeps"`
	Fog   Grid `json:"fog"`
}

// Grid is the fog's: cells across, down and into the depth of the view, which grow from
// 0.1 m on to Far.
type Grid struct {
	Across int     `json:"across"`
	Down   int     `json:"down"`
	Steps  int     `json:"steps"`
	Far    float64 `json:"far"`
}

// Cells is how many there are.
func (g *Grid) Cells() int { return g.Across * g.Down * g.Steps }

// Nearest is where clusters and cells of fog begin, in metres.
const Nearest = 0.1

// At is how far from the eye the middle of a step into the depth lies, in metres.
func (g *Grid) At(step int) float64 {
	return Nearest * math.Pow(g.Far/Nearest, (float64(step)+0.5)/float64(g.Steps))
}

// Slice is the cluster in depth that holds a distance along the camera's axis, in metres.
func (h *Method) Slice(z float64) int {
	return min(max(int(math.Floor(float64(h.Slices)*math.Log(z/Nearest)/math.Log(h.Far/Nearest))), 0), h.Slices-1)
}

// SliceAt is where a slice begins; the first begins at the eye, the last reaches beyond
// everything.
func (h *Method) SliceAt(k int) float64 {
	switch {
	case k <= 0:
		return 0
	case k >= h.Slices:
		return max(h.Far, 1e5)
	}
	return Nearest * math.Pow(h.Far/Nearest, float64(k)/float64(h.Slices))
}

// Check reports what cannot be.
func (h *Method) Check() error {
	whole := func(name string, v, lo, hi int) error {
		if v < lo || v > hi {
			return fmt.Errorf("%s: %d is not between %d and %d", name, v, lo, hi)
		}
		return nil
	}
	for _, e := range []error{
		whole("width", h.Width, 16, 16384), whole("height", h.Height, 16, 16384),
		whole("tile", h.Tile, 4, 512), whole("slices", h.Slices, 1, 256), whole("cascades", h.Cascades, 1, 8),
		whole("fog.across", h.Fog.Across, 1, 512), whole("fog.down", h.Fog.Down, 1, 512), whole("fog.steps", h.Fog.Steps, 1, 512),
	} {
		if e != nil {
			return e
		}
	}
	if h.Way != Tiles && h.Way != Clusters && h.Way != Objects {
		return fmt.Errorf("way: %.20q is none; write tiles, clusters or objects", h.Way)
	}
	if !(h.Far >= 1 && h.Far <= 1e5) || !(h.Fog.Far >= 1 && h.Fog.Far <= 1e5) {
		return fmt.Errorf("far: is not between 1 and 100000 m")
	}
	return nil
}
