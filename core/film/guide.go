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
	Pos    []vec.V3  // of the first sample
	Count  []uint16  // per tile
}

// NewGuide makes an empty guide.
func NewGuide(w, h int) *Guide {
	n := w * h
	return &Guide{w, h, make([]float32, 3*n), make([]float32, 3*n), make([]float32, n), make([]uint32, n), make([]vec.V3, n), make([]uint16, Tiles(w)*Tiles(h))}
}
