package savings

import (
	"context"
	"fmt"
	"maps"
	"slices"

	"willowherb/core/colour"
	"willowherb/core/contrast"
	"willowherb/core/drawn"
	"willowherb/core/exposure"
	"willowherb/core/film"
	"willowherb/core/filter"
	"willowherb/core/grade"
	"willowherb/core/lamps"
	"willowherb/core/light"
	"willowherb/core/path"
	"willowherb/core/setup"
	"willowherb/core/vec"
	"willowherb/core/world"
)

// How losses are measured.
const (
	byLayers = "layers of the lights before and after"
	byMaps   = "the shadow as the target draws it, before and after"
	byFog    = "the fog as the target steps through it, before and after"
)

// Size of the pictures that are compared.
const (
	Wide = 192
	High = 108
)

// sheet is what a change makes of the picture of a view: what is added to it, RGB in cd/m2.
type sheet []float32

// look is a view's picture with what every change makes of it.
type look struct {
	list   []string // of the changes it has been made for
	shown  func(pixel int, c [3]float64) colour.RGB
	w, h   int
	base   []float32
	change []sheet // of each change; nil for nothing
}

// with is the picture with some changes made.
func (v *look) with(set []int) []float32 {
	out := slices.Clone(v.base)
	for _, i := range set {
		for k, d := range v.change[i] {
			out[k] += d
		}
	}
	for k := range out {
		out[k] = max(out[k], 0)
	}
	return out
}

// loss is what an eye notices of changes: contrast.Compare of the two pictures.
func (v *look) loss(set []int) contrast.Notice {
	if len(set) == 0 {
		return contrast.Notice{}
	}
	return contrast.CompareShown(v.base, v.with(set), v.shown, v.shown)
}

// finished is how a view's pictures are shown: its exposure, the curve, and what of its grade
// tells of a pixel by itself: colours and vignette.
func (r *run) finished(v *Eye, w, h int) func(pixel int, c [3]float64) colour.RGB {
	g := v.View.GradeIn(r.Doc)
	p := grade.Compile(g)
	if r.Graded != nil {
		p = r.Graded(g)
	}
	f, curve := exposure.Factor(v.View.EV), exposure.Curve(r.Doc.Curve)
	return func(pixel int, c [3]float64) (out colour.RGB) {
		e := f * p.Corner((float64(pixel%w)+0.5)/float64(w), (float64(pixel/w)+0.5)/float64(h))
		for k, x := range p.Shown([3]float64{c[0] * e, c[1] * e, c[2] * e}, curve) {
			out[k] = colour.DecodeSRGB(x)
		}
		return out
	}
}

// state is a document's light in its place.
type state struct {
	doc   *setup.Setup
	world *world.World
	lamps []*lamps.Lamp
}

// part is a lamp whose layer is wanted, in a world.
type part struct {
	lamp  *lamps.Lamp
	src   *light.Light
	layer []float32
}

// bounces bounds the paths of the small pictures that are compared.
const bounces = 4

// layersOf renders lamps' light in a view, each by itself; one path carries all, and the same
// lamp has the same chance before and after a change.
func layersOf(ctx context.Context, w *world.World, parts []*part, cam world.Camera, wide, high, samples, workers int) (*film.Guide, error) {
	p := &path.Pass{World: w, Camera: cam, W: wide, H: high, Seed: 7, Bounces: bounces, Guide: film.NewGuide(wide, high)}
	for _, q := range parts {
		p.Lights, p.Layers = append(p.Lights, q.src), append(p.Layers, film.NewLayers(wide, high))
	}
	if len(parts) == 0 {
		p.Lights, p.Layers = []*light.Light{{Kind: light.Point}}, []*film.Layers{film.NewLayers(wide, high)}
	}
	if err := p.Run(ctx, samples, workers); err != nil {
		return nil, err
	}
	var noisy []filter.Noisy
	for i, q := range parts {
		q.layer = make([]float32, 3*wide*high)
		for k := range film.Kinds {
			p.Layers[i].Average(k, q.lamp.Gain(), q.layer)
		}
		noisy = append(noisy, filter.Noisy{Pic: q.layer, Levels: 1})
	}
	return p.Guide, filter.New(p.Guide, cam, workers).Apply(ctx, noisy, workers)
}

// layered measures the changes that lights' own layers tell, in a view.
func (r *run) layered(ctx context.Context, v *Eye, y *look) error {
	base := map[string]*part{}
	var parts, resting []*part
	for _, l := range v.lit(r.now.lamps, 0) {
		if l.Gain() != (vec.V3{}) {
			q := &part{lamp: l, src: l.Source}
			base[l.ID] = q
			parts = append(parts, q)
		}
	}
	type bakedPart struct{ still, moving *part }
	baked := map[int]bakedPart{}
	after := map[int][]*part{}
	for i := range r.changes {
		c := &r.changes[i]
		switch {
		case c.By == byMaps || c.By == byFog || c.Rebake:
		case slices.Contains(c.Kinds, Bake):
			l := base[c.Lights[0]]
			if l == nil {
				continue
			}
			// In a lightmap a lamp has no highlights, and nothing that moves takes its light away;
			// what moves is lit by probes, without its shadows.
			dull := *l.src
			dull.NoSpecular = 1
			free := dull
			free.Shadow = false
			b := bakedPart{&part{lamp: l.lamp, src: &dull}, &part{lamp: l.lamp, src: &free}}
			baked[i] = b
			resting, parts = append(resting, b.still), append(parts, b.moving)
		default:
			for _, l := range v.lit(r.after[i].lamps, 0) {
				if slices.Contains(c.Lights, l.ID) && l.Gain() != (vec.V3{}) {
					q := &part{lamp: l, src: l.Source}
					after[i] = append(after[i], q)
					parts = append(parts, q)
				}
			}
		}
	}
	guide, err := layersOf(ctx, r.now.world, parts, v.Camera, y.w, y.h, r.Samples, r.Workers)
	if err != nil {
		return err
	}
	if len(resting) > 0 {
		rest, err := r.now.world.Resting(r.moves, r.Workers)
		if err != nil {
			return err
		}
		if _, err := layersOf(ctx, rest, resting, v.Camera, y.w, y.h, r.Samples, r.Workers); err != nil {
			return err
		}
	}
	y.base = make([]float32, 3*y.w*y.h)
	for _, l := range r.now.lamps { // in their order, so that sums are rounded alike
		if q := base[l.ID]; q != nil {
			add(y.base, q.layer, 1)
		}
	}
	for i := range r.changes {
		c := &r.changes[i]
		if c.By == byMaps || c.By == byFog || c.Rebake {
			continue
		}
		s := make(sheet, len(y.base))
		for _, id := range c.Lights {
			if q := base[id]; q != nil {
				add(s, q.layer, -1)
			}
		}
		for _, q := range after[i] {
			add(s, q.layer, 1)
		}
		if b, ok := baked[i]; ok {
			for px := range guide.Tri {
				from := b.still.layer
				if o := guide.Object[px]; guide.Tri[px] != film.NoTri && r.moves != nil && r.moves[o] {
					from = b.moving.layer
				}
				for k := 3 * px; k < 3*px+3; k++ {
					s[k] += from[k]
				}
			}
		}
		y.change[i] = s
	}
	return nil
}

func add(to, from []float32, k float32) {
	for i, v := range from {
		to[i] += k * v
	}
}

// mapSamples is how many places of a pixel the drawn shadows are looked at.
const mapSamples = 4

// mapped measures the changes of how shadows are drawn, in a view.
func (r *run) mapped(ctx context.Context, v *Eye, y *look) error {
	var hits *drawn.Hits
	before := map[string][]float32{}
	var late *ago
	own := map[string]*drawn.Maps{} // that other eyes cannot use
	lit := v.lit(r.now.lamps, 0)
	mapsOf := func(l *lamps.Lamp, set drawn.Settings, behind *ago) (*drawn.Maps, error) {
		src, w, keep := l.Source, r.now.world, r.maps
		if behind != nil {
			w, keep = behind.world, own
			if was := lampOf(behind.lamps, l.ID); was != nil {
				src = was.Source
			}
		}
		if src.Distant() || carried(lit, r.now.lamps, l.ID) {
			keep = own
		}
		// What filters and biases look up is drawn alike.
		key := fmt.Sprint(l.ID, set.Size, set.Cascades, set.Distance, behind != nil)
		if keep[key] == nil {
			m, err := drawn.Draw(ctx, w, src, set, v.Camera, float64(y.w)/float64(y.h), r.Workers)
			if err != nil {
				return nil, err
			}
			keep[key] = m
		}
		return keep[key], nil
	}
	picture := func(l *lamps.Lamp, behind *ago) ([]float32, error) {
		p := &drawn.Picture{World: r.now.world, View: v.Camera, W: y.w, H: y.h, Samples: mapSamples, Workers: r.Workers, Light: l.Source, Set: l.ShadowDrawn(r.device.How.Cascades), Hits: hits}
		if l.Shadow && p.Set.Traced == 0 {
			var err error
			if p.Maps, err = mapsOf(l, p.Set, behind); err != nil {
				return nil, err
			}
		}
		if hits == nil {
			var err error
			if hits, err = p.Find(ctx); err != nil {
				return nil, err
			}
			p.Hits = hits
		}
		rgb, err := p.Render(ctx)
		if err != nil {
			return nil, err
		}
		gain(rgb, l.Gain())
		return rgb, nil
	}
	for i := range r.changes {
		c := &r.changes[i]
		if c.By != byMaps {
			continue
		}
		id := c.Lights[0]
		was, now := lampOf(lit, id), lampOf(v.lit(r.after[i].lamps, 0), id)
		if was == nil || now == nil {
			continue
		}
		if before[id] == nil {
			var err error
			if before[id], err = picture(was, nil); err != nil {
				return err
			}
		}
		var behind *ago
		if slices.Contains(c.Kinds, HalfRate) {
			if late == nil {
				var err error
				if late, err = r.frameAgo(v); err != nil {
					return err
				}
			}
			behind = late
		}
		rgb, err := picture(now, behind)
		if err != nil {
			return err
		}
		add(rgb, before[id], -1)
		y.change[i] = rgb
	}
	return nil
}

// walking is how fast what moves is taken to go, in metres a second.
const walking = 1.4

// ago is the place as it stood a frame ago.
type ago struct {
	world *world.World
	lamps []*lamps.Lamp
}

// frameAgo is the place a frame ago if all that the setup says moves walks across the view,
// and animations go on.
func (r *run) frameAgo(v *Eye) (*ago, error) {
	doc := *r.Doc
	dt := 1 / float64(max(r.device.Rate, 1))
	doc.Time = max(doc.Time-dt, 0)
	right := v.Camera.Aim.Cross(v.Camera.Up).Norm().Scale(float32(walking * dt)).Array()
	doc.Objects = maps.Clone(doc.Objects)
	for id, o := range doc.Objects {
		if o.Part == setup.Mover {
			for k := range 3 {
				o.Offset[k] -= right[k]
			}
			doc.Objects[id] = o
		}
	}
	w, lit, err := r.Staged(&doc)
	if err != nil {
		return nil, err
	}
	return &ago{w, v.lit(lit, walking*dt)}, nil
}

// carried tells whether an eye has a lamp elsewhere than it rests.
func carried(own, all []*lamps.Lamp, id string) bool { return lampOf(own, id) != lampOf(all, id) }

func gain(rgb []float32, g vec.V3) {
	for i := 0; i+2 < len(rgb); i += 3 {
		rgb[i] *= g.X
		rgb[i+1] *= g.Y
		rgb[i+2] *= g.Z
	}
}

func lampOf(all []*lamps.Lamp, id string) *lamps.Lamp {
	for _, l := range all {
		if l.ID == id {
			return l
		}
	}
	return nil
}

// stepped measures fewer steps of fog, in a view.
func (r *run) stepped(ctx context.Context, v *Eye, y *look) error {
	sum := func(steps int) ([]float32, error) {
		out := make([]float32, 3*y.w*y.h)
		for _, l := range v.lit(r.now.lamps, 0) {
			if !r.inFog(l) {
				continue
			}
			f := &drawn.Fog{World: r.now.world, View: v.Camera, W: y.w, H: y.h, Light: l.Source, Steps: steps, Far: r.device.How.Fog.Far, Workers: r.Workers}
			rgb, err := f.Render(ctx)
			if err != nil {
				return nil, err
			}
			gain(rgb, l.Gain())
			add(out, rgb, 1)
		}
		return out, nil
	}
	var before []float32
	for i := range r.changes {
		c := &r.changes[i]
		if c.By != byFog {
			continue
		}
		if before == nil {
			var err error
			if before, err = sum(r.steps(r.now.doc)); err != nil {
				return err
			}
		}
		rgb, err := sum(r.steps(r.after[i].doc))
		if err != nil {
			return err
		}
		add(rgb, before, -1)
		y.change[i] = rgb
	}
	return nil
}
