package refine

import (
	"context"
	"strconv"

	"willowherb/core/film"
	"willowherb/core/filter"
	"willowherb/core/lamps"
	"willowherb/core/path"
	"willowherb/plan"
)

// Sharp tells a window of a picture at full size before any light has a layer of that size:
// the light of the finest smaller picture on the surfaces that the full one shows, at the
// gains of a revision. It is fetched as the layer SharpLayer of the full frame.
type Sharp struct {
	Type     string  `json:"type"` // "sharp"
	Sight    string  `json:"sight"`
	Revision int64   `json:"revision"`
	Level    int     `json:"level"` // of the picture whose light it is
	Frame    string  `json:"frame"`
	Width    int     `json:"width"`
	Height   int     `json:"height"`
	Scale    float64 `json:"scale"`
	Address  string  `json:"address"`
}

// Topic implements News.
func (s Sharp) Topic() string { return "sharp " + s.Sight }

// SharpLayer names the sharp picture among a frame's layers.
const SharpLayer = "sharp"

// sharp is a sight's picture at full size before it has layers of that size.
type sharp struct {
	w, h  int
	by    *filter.Filter // what its pixels show
	of    string         // what it was made of
	words []uint32
	news  Sharp
}

// bytes is the memory that it takes.
func (s *sharp) bytes() int { return 60*s.w*s.h + 4*len(s.words) }

// source is the smaller picture that the sharp one would be made of, and its name; nil where
// none is complete, or there is no need: a light has a layer at full size. Call with mu held.
func (p *Pictures) source(t *sight) (*frame, string) {
	if p.stage == nil || t.stage.Key != p.stage.Key {
		return nil, ""
	}
	if f := t.levels[plan.Full]; f != nil && f.some(p.lamps) {
		return nil, ""
	}
	for _, level := range []int{plan.Middle, plan.Coarse} {
		if f := t.levels[level]; f != nil && f.complete(p.lamps) {
			return f, f.key + " " + strconv.FormatInt(p.revision, 10)
		}
	}
	return nil, ""
}

// some reports whether any of the lamps has a published layer in f.
func (f *frame) some(lamps []*lamps.Lamp) bool {
	for _, l := range lamps {
		if y := f.layers[l.Key]; y != nil && y.pub != nil {
			return true
		}
	}
	return false
}

// dull reports whether a sight wants a sharp picture that it has not. Call with mu held.
func (p *Pictures) dull(t *sight) bool {
	f, of := p.source(t)
	return f != nil && (t.sharp == nil || t.sharp.of != of)
}

// sharpen makes a sight's sharp picture.
func (p *Pictures) sharpen(ctx context.Context, j plan.Job) error {
	p.mu.Lock()
	t := p.sights[j.Sight]
	if t == nil {
		p.mu.Unlock()
		return nil
	}
	from, of := p.source(t)
	if from == nil {
		p.mu.Unlock()
		return nil
	}
	shot, lamps, revision := from.shot(t, p.lamps), p.lamps, p.revision
	s := t.sharp
	p.mu.Unlock()

	if s == nil {
		var err error
		if s, err = p.surfaces(ctx, t, shot); err != nil {
			return err
		}
	}
	pic, err := s.lit(ctx, shot, lamps, p.studio.opt.Workers)
	if err != nil {
		return err
	}
	words, scale := film.Pack(pic)
	made := &sharp{w: s.w, h: s.h, by: s.by, of: of, words: words}
	made.news = Sharp{"sharp", t.key, revision, from.level, frameKey(t.key, plan.Full), s.w, s.h, float64(scale), address(words)}
	p.mu.Lock()
	defer p.mu.Unlock()
	t.sharp = made
	if eyes := p.eyesOn(t); len(eyes) > 0 {
		p.post(made.news, eyes...)
	}
	return nil
}

// surfaces finds what the pixels of a sight show at full size: by one ray each.
func (p *Pictures) surfaces(ctx context.Context, t *sight, small *Frame) (*sharp, error) {
	w, h := p.studio.Size(t.see.Camera.Aspect, plan.Full)
	pass := &path.Pass{World: small.Stage.World, Camera: small.Cam, W: w, H: h, Seed: 1, Guide: film.NewGuide(w, h), Sight: small.See}
	if _, err := pass.MakeCover(ctx, path.Rays{Each: 1, Edges: 1}, p.studio.opt.Workers); err != nil {
		return nil, err
	}
	return &sharp{w: w, h: h, by: filter.New(pass.Guide, small.Cam, p.studio.opt.Workers)}, nil
}

// lit is the light of a smaller picture on the surfaces, RGB in cd/m2.
func (s *sharp) lit(ctx context.Context, from *Frame, lamps []*lamps.Lamp, workers int) ([]float32, error) {
	small := filter.New(from.Guide, from.Cam, workers)
	light, air := from.Compose(lamps, nil), make([]float32, 3*from.W*from.H)
	foggy := false
	for _, l := range lamps {
		if words, gain := from.Packed(l, Air); words != nil && gain != black {
			film.Unpack(words, gain, air)
			foggy = true
		}
	}
	if foggy {
		for i, v := range air {
			light[i] = max(light[i]-v, 0)
		}
	}
	pics, err := s.by.Enlarge(ctx, small, [][]float32{light}, workers)
	if err != nil {
		return nil, err
	}
	if foggy {
		addTo(pics[0], s.by.EnlargeHaze(small, air))
	}
	return pics[0], nil
}
