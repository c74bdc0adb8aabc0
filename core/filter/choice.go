package filter

import (
	"cmp"
	"context"
	"slices"

	"willowherb/core/film"
	"willowherb/core/spread"
)

// Choice is how the parts of a picture were filtered, pixel by pixel. It is found from the
// sum of the picture's layers and then serves each of them alike, so that filtered layers
// still add up to the filtered picture, whatever they are multiplied by.
type Choice struct {
	of  map[part]*group
	air *group // how what the air sends on is filtered
}

// Even is the choice that filters each part as widely as it may be: of what is still too
// little known to choose by.
func (f *Filter) Even(widths ...Widths) *Choice {
	c := &Choice{of: map[part]*group{}}
	n := f.w * f.h
	for _, w := range widths {
		for k := range film.Kinds {
			is := w.part(k)
			if is.air {
				c.air = &group{last: is.width}
			}
			if is.width == 0 || is.air || c.of[is] != nil {
				continue
			}
			g := &group{Blend: Blend{make([][]float32, is.width+1)}}
			none := make([]float32, n)
			for l := range g.weights {
				g.weights[l] = none
			}
			g.weights[is.width] = slices.Repeat([]float32{1}, n)
			c.of[is] = g
		}
	}
	return c
}

// Layer is a kind of one light's layer, to be filtered by a choice.
type Layer struct {
	RGB    []float32
	Kind   film.Kind
	Widths Widths
}

// ApplyChoice filters layers in place as the picture that the choice is of was. A part that
// the picture had none of stays as it is.
func (f *Filter) ApplyChoice(ctx context.Context, c *Choice, layers []Layer, workers int) error {
	var pictures []Noisy
	var groups []*group
	var raw, air [][]float32
	for _, l := range layers {
		is := l.Widths.part(l.Kind)
		if is.air {
			if c.air != nil {
				air = append(air, l.RGB)
			}
			continue
		}
		g := c.of[is]
		if g == nil {
			continue
		}
		pictures = append(pictures, Noisy{Pic: l.RGB, Levels: is.width, By: &g.Blend, Sharp: is.sharp, Weight: g.weight})
		groups, raw = append(groups, g), append(raw, nil)
	}
	if c.air != nil {
		if err := f.Haze(ctx, air, c.air.weight, c.air.last, workers); err != nil {
			return err
		}
	}
	errs := make([]error, len(pictures))
	err := spread.Over(ctx, len(pictures), workers, func(k int) {
		pic, g := pictures[k].Pic, groups[k]
		finds := take(pic, g.kept)
		if g.back != nil {
			errs[k] = g.back.give(ctx, finds, pic, 1)
		}
		raw[k] = slices.Clone(pic)
	})
	if err = cmp.Or(append(errs, err)...); err != nil {
		return err
	}
	if err = f.Apply(ctx, pictures, workers); err != nil {
		return err
	}
	of := map[*group][2][][]float32{}
	for k, p := range pictures {
		q := of[groups[k]]
		of[groups[k]] = [2][][]float32{append(q[0], raw[k]), append(q[1], p.Pic)}
	}
	for is, g := range c.of {
		if q := of[g]; q[0] != nil {
			if err = f.Edges(ctx, q[0], q[1], g.weights[0], is.width > soft, workers); err != nil {
				return err
			}
		}
	}
	return nil
}
