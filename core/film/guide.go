package film

import "willowherb/core/vec"

// Guide is what the camera's first hits say of the surfaces: it steers the
// filter and answers what lies under a pixel.
type Guide struct {
	W, H   int
	Albedo []float32 // RGB sums
	Normal []float32 // XYZ sums
	Depth  []float32 // sums of distance; +Inf where the ray left the place
	Tri    []uint32  // of the first sample; MaxUint32 for none
	Object []uint32  // of the first sample
	Pos    []vec.V3  // of the first sample
	Count  []uint16  // per tile
	// Cover, if set, tells the pixels in which several surfaces meet.
	Cover *Cover
}

// NewGuide makes an empty guide.
func NewGuide(w, h int) *Guide {
	n := w * h
	return &Guide{W: w, H: h, Albedo: make([]float32, 3*n), Normal: make([]float32, 3*n), Depth: make([]float32, n),
		Tri: make([]uint32, n), Object: make([]uint32, n), Pos: make([]vec.V3, n), Count: make([]uint16, Tiles(w)*Tiles(h))}
}
