package budget

import (
	"context"
	"fmt"
	"maps"

	"willowherb/core/lamps"
	"willowherb/core/setup"
	"willowherb/core/work"
)

// Lower is what a number of quality costs: the same frame with it a step lower.
type Lower struct {
	Name string  `json:"name"`
	Now  string  `json:"now"`
	Then string  `json:"then"`
	Ms   float64 `json:"ms"` // that it saves
	MB   float64 `json:"mb"`
}

// Steps says for the numbers of quality of a setup what a step lower would save in a view.
// relit makes the lamps of another document of the same place. Errors: relit's, ctx ended.
func Steps(ctx context.Context, doc *setup.Setup, s *work.Seen, p *work.Place, v *setup.View, relit func(*setup.Setup) ([]*lamps.Lamp, error), bake *Baked, workers int) ([]Lower, error) {
	t := doc.Device()
	price := func(d *setup.Setup, b *Baked) (*Frame, error) {
		lit, err := relit(d)
		if err != nil {
			return nil, err
		}
		done, err := s.Count(ctx, State(d, p, lit, v), workers)
		if err != nil {
			return nil, err
		}
		f := Price(t, lit, done, b)
		return &f, nil
	}
	before, err := price(doc, bake)
	if err != nil {
		return nil, err
	}
	out := []Lower{}
	add := func(name, now, then string, after *Frame) {
		if ms, mb := before.Ms-after.Ms, before.MB-after.MB; ms > 1e-6 || mb > 1e-6 {
			out = append(out, Lower{name, now, then, ms, mb})
		}
	}
	lights := func(change func(l *setup.Light)) (*Frame, error) {
		d := *doc
		d.Lights = maps.Clone(doc.Lights)
		for id, l := range d.Lights {
			if l.Shadow && l.Carry != setup.Baked && l.Kind != setup.Sky && l.Kind != setup.Emissive {
				change(&l)
				d.Lights[id] = l
			}
		}
		return price(&d, bake)
	}
	how := func(change func(l *setup.Light, d *setup.Drawn)) func(l *setup.Light) {
		return func(l *setup.Light) {
			d := setup.StandardDrawn
			if l.Drawn != nil {
				d = *l.Drawn
			}
			change(l, &d)
			l.Drawn = &d
		}
	}
	for _, k := range []struct {
		name, now, then string
		change          func(l *setup.Light)
	}{
		{"Sides of shadow maps", "as they are", "half", func(l *setup.Light) { l.ShadowMap = max(l.ShadowMap/2, 64) }},
		{"Filter of shadows", "as it is", "a texel narrower", how(func(_ *setup.Light, d *setup.Drawn) { d.Filter = max(d.Filter-1, 0) })},
		{"Cascades of the sun", fmt.Sprint(t.How.Cascades), "one fewer", how(func(l *setup.Light, d *setup.Drawn) {
			if d.Cascades == 0 {
				d.Cascades = t.How.Cascades
			}
			d.Cascades = max(d.Cascades-1, 1)
		})},
		{"Distance of the sun’s shadows", "as it is", "half", how(func(_ *setup.Light, d *setup.Drawn) { d.Distance /= 2 })},
		{"Shadow maps drawn", "each frame", "every other", how(func(_ *setup.Light, d *setup.Drawn) { d.Every = max(d.Every, 1) * 2 })},
		{"Contact shadows", "as they are", "none", how(func(_ *setup.Light, d *setup.Drawn) { d.Contact = 0 })},
	} {
		f, err := lights(k.change)
		if err != nil {
			return nil, err
		}
		add(k.name, k.now, k.then, f)
	}
	if doc.Fog != nil && !doc.Fog.Off {
		d, fog := *doc, *doc.Fog
		n := fog.Steps
		if n == 0 {
			n = t.How.Fog.Steps
		}
		fog.Steps = max(n*3/4, 1)
		d.Fog = &fog
		f, err := price(&d, bake)
		if err != nil {
			return nil, err
		}
		add("Steps of fog", fmt.Sprint(n), fmt.Sprint(fog.Steps), f)
	}
	if bake != nil && bake.MB > 0 {
		less := *bake
		less.MB /= 4
		f, err := price(doc, &less)
		if err != nil {
			return nil, err
		}
		add("Texels a metre of the lightmap", "as baked", "half", f)
	}
	return out, nil
}
