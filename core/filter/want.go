package filter

import (
	"context"

	"willowherb/core/colour"
	"willowherb/core/film"
	"willowherb/core/spread"
	"willowherb/core/vec"
)

// visible is how much of the picture's mean a pixel's noise may be before the
// pixel gets more samples than others.
const visible = 0.15

// Want marks, in the layers of some lights, the pixels whose noise shows in the picture
// pic (RGB) as it is developed: those that path.Pass.Detail is for. What is filtered and
// what comes by other surfaces does not count: the one is soft, the other is not taken
// by Detail.
func Want(ctx context.Context, layers []*film.Layers, gains []vec.V3, widths []Widths, pic []float32, develop func(float64) float64, workers int) error {
	var mean float64
	for i := 0; i < len(pic); i += 3 {
		mean += develop(colour.LuminanceAt(pic, i))
	}
	mean /= float64(max(len(pic)/3, 1))
	if mean <= 0 {
		return nil
	}
	return spread.Over(ctx, len(layers), workers, func(i int) {
		var kinds []film.Kind
		for kind := range film.Kinds {
			if !kind.BySurfaces() && widths[i][kind] == 0 {
				kinds = append(kinds, kind)
			}
		}
		layers[i].Want(kinds, gains[i], pic, develop, visible*mean)
	})
}
