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
// gains of a revision. Its RGB9_E5 words are fetched under their address as the layer
// SharpLayer of the full frame, and are cd/m2 times Scale.
type Sharp struct {
	Type     string  `json:"type"` // "sharp"
	Sight    string  `json:"sight"`
	Revision int64   `json:"revision"` // of the document whose gains it has
	Level    int     `json:"level"`    // of the picture whose light it is
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
	by    *filter.Filter            // what its pixels show
	seen  map[[32]byte]*film.Layers // and where lamps are seen shining there
	cover *film.Cover
	of    string // what it was made of
	words []uint32
	news  Sharp
}

// bytes is the memory that it takes.
func (s *sharp) bytes() int {
	n := 60*s.w*s.h + 4*len(s.words)
	for _, y := range s.seen {
		n += y.Bytes()
	}
	return n
}

// has reports whether it is known where those of the lamps that shine are seen.
func (s *sharp) has(lamps []*lamps.Lamp) bool {
	for _, l := range lamps {
		if l.Shines() && s.seen[l.Key] == nil {
			return false
		}
	}
	return true
}

// source is the smaller picture that the sharp one would be made of, and its name; nil where
// none is complete, or there is no need: a light has a layer at full size, or the picture is of
// the light alone. Call with mu held.
func (p *Pictures) source(t *sight) (*frame, string) {
	if p.stage == nil || t.stage.Key != p.stage.Key {
		return nil, ""
	}
	if f := t.levels[plan.Full]; f != nil && f.lacks(p.lamps) < len(p.lamps) {
		return nil, ""
	}
	for _, level := range []int{plan.Middle, plan.Coarse} {
		if f := t.levels[level]; f != nil && f.see.Neutral == 0 && f.complete(p.lamps) {
			return f, f.key + " " + strconv.FormatInt(p.revision, 10)
		}
	}
	return nil, ""
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

	if s == nil || !s.has(lamps) {
		var err error
		if s, err = p.surfaces(ctx, t, shot, lamps); err != nil {
			return err
		}
	}
	pic, err := s.lit(ctx, shot, lamps, p.studio.opt.Workers)
	if err != nil {
		return err
	}
	words, scale := film.Pack(pic)
	made := &sharp{w: s.w, h: s.h, by: s.by, seen: s.seen, cover: s.cover, of: of, words: words}
	made.news = Sharp{"sharp", t.key, revision, from.level, frameKey(t.key, plan.Full), s.w, s.h, float64(scale), address(words)}
	p.mu.Lock()
	defer p.mu.Unlock()
	t.sharp = made
	if eyes := p.eyesOn(t); len(eyes) > 0 {
		p.post(made.news, eyes...)
	}
	return nil
}

// resharpen makes those sharp pictures again that an edit has made stale, where their surfaces
// are known: the worker may be seconds deep in a pass.
func (p *Pictures) resharpen(ctx context.Context) error {
	var stale []string
	p.mu.Lock()
	for key, t := range p.sights {
		if t.sharp != nil && t.sharp.has(p.lamps) && p.dull(t) && len(p.eyesOn(t)) > 0 {
			stale = append(stale, key)
		}
	}
	p.mu.Unlock()
	for _, key := range stale {
		if err := p.sharpen(ctx, plan.Job{Sight: key}); err != nil {
			return err
		}
	}
	return nil
}

// surfaces finds what the pixels of a sight show at full size, and what of the lamps is seen
// shining there: by one ray each.
func (p *Pictures) surfaces(ctx context.Context, t *sight, small *Frame, lamps []*lamps.Lamp) (*sharp, error) {
	w, h := p.studio.Size(t.see.Camera.Aspect, plan.Full)
	pass := &path.Pass{World: small.Stage.World, Camera: small.Cam, W: w, H: h, Seed: 1, Guide: film.NewGuide(w, h), Sight: small.See}
	seen := map[[32]byte]*film.Layers{}
	for _, l := range lamps {
		if l.Shines() {
			seen[l.Key] = film.NewLayers(w, h)
			pass.Lights, pass.Layers = append(pass.Lights, l.Source), append(pass.Layers, seen[l.Key])
		}
	}
	if _, err := pass.MakeCover(ctx, path.Rays{Each: 1, Edges: 1}, p.studio.opt.Workers); err != nil {
		return nil, err
	}
	return &sharp{w: w, h: h, by: filter.New(pass.Guide, small.Cam, p.studio.opt.Workers), seen: seen, cover: pass.Guide.Cover}, nil
}

// lit is the light of a smaller picture on the surfaces, RGB in cd/m2. What is seen shining is
// not borrowed: it may be a thousand times as bright as what it borders on.
func (s *sharp) lit(ctx context.Context, from *Frame, lamps []*lamps.Lamp, workers int) ([]float32, error) {
	small := filter.New(from.Guide, from.Cam, workers)
	light, seen := from.Compose(lamps, nil), make([]float32, 3*s.w*s.h)
	var parts [Parts][]float32
	for _, l := range lamps {
		for _, part := range []int{Shine, Air} {
			words, gain := from.Packed(l, part)
			if words == nil || gain == black {
				continue
			}
			if parts[part] == nil {
				parts[part] = make([]float32, len(light))
			}
			film.Unpack(words, gain, parts[part])
		}
		if y := s.seen[l.Key]; y != nil {
			y.Average(film.Seen, l.Gain(), seen)
		}
	}
	for _, part := range parts {
		for i, v := range part {
			light[i] = max(light[i]-v, 0)
		}
	}
	borrowed := [][]float32{light}
	if parts[Shine] != nil {
		borrowed = append(borrowed, parts[Shine])
	}
	pics, err := s.by.Enlarge(ctx, small, borrowed, workers)
	if err != nil {
		return nil, err
	}
	if parts[Shine] != nil {
		unseen(s.cover, seen, pics[1])
		addTo(pics[0], pics[1])
	}
	if parts[Air] != nil {
		addTo(pics[0], s.by.EnlargeHaze(small, parts[Air]))
	}
	addTo(pics[0], seen)
	return pics[0], nil
}
