package bench

import (
	"context"
	"fmt"

	"willowherb/core/budget"
	"willowherb/core/drawn"
	"willowherb/core/render"
	"willowherb/core/setup"
	"willowherb/core/spread"
)

// drawnLayer is a light's direct light in a frame as the target draws it, packed.
type drawnLayer struct {
	words []uint32
	scale float32
}

// drawnSamples is how many places of a pixel the run-time picture looks at.
const drawnSamples = 2

// Runtime returns a light's direct light, for unit output, in a frame as the target
// would draw it; nil while the frame is not known.
func (s *Session) Runtime(ctx context.Context, frameKey, id string) (words []uint32, scale float64, err error) {
	s.mu.Lock()
	t, f := s.frameOf(frameKey)
	if f == nil {
		s.mu.Unlock()
		return nil, 0, nil
	}
	lamps := s.lamps
	for w := range s.windows {
		if see, ok := s.see(w); ok && w.drafted != nil && see.key(s.stageOf(w).Key) == t.key {
			lamps = w.drafted
		}
	}
	cascades := budget.Find(s.doc.Target).SunCascades
	p := &drawn.Picture{World: t.stage.world, View: f.cam, W: f.w, H: f.h, Sight: f.see, Samples: drawnSamples, Workers: s.bench.opt.Workers}
	s.mu.Unlock()
	var lamp *setup.Lamp
	for _, l := range lamps {
		if l.ID == id {
			lamp = l
		}
	}
	if lamp == nil || lamp.Kind == setup.Sky || lamp.Kind == setup.Emissive {
		return nil, 0, fmt.Errorf("light %q: %w", id, ErrUnknown)
	}
	p.Light, p.Set = lamp.Source, lamp.ShadowDrawn(cascades)
	y, err := s.bench.drawn.get(fmt.Sprintf("%s %x %+v", f.key, lamp.Key, p.Set), 48, func() (y *drawnLayer, err error) {
		err = spread.Guard(func() (err error) {
			if p.Hits, err = s.bench.hits.get(f.key, 1, func() (*drawn.Hits, error) { return p.Find(context.WithoutCancel(ctx)) }); err != nil {
				return err
			}
			rgb, err := p.Render(context.WithoutCancel(ctx))
			if err != nil {
				return err
			}
			y = &drawnLayer{}
			y.words, y.scale = render.Pack(rgb)
			return nil
		})
		return y, err
	})
	if err != nil {
		return nil, 0, err
	}
	return y.words, float64(y.scale), nil
}
