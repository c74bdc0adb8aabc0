package ask

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"image"
	imagecolor "image/color"
	"math"
	"slices"
	"sort"

	"willowherb/core/bake"
	"willowherb/core/baking"
	"willowherb/core/colour"
	"willowherb/core/drawn"
	"willowherb/core/exposure"
	"willowherb/core/frame"
	"willowherb/core/lamps"
	"willowherb/core/mirrors"
	"willowherb/core/probes"
	"willowherb/core/setup"
	"willowherb/core/spread"
	"willowherb/core/staging"
	"willowherb/core/vec"
	"willowherb/core/world"
	"willowherb/farm"
	"willowherb/format/picture"
	"willowherb/refine"
)

// ErrBake means that a bake cannot be had as it is asked for; the text says why.
var ErrBake = errors.New("bake")

// BakeState is how a setup's bake stands.
type BakeState struct {
	Bake      *farm.Status             `json:"bake"` // the newest; null where there is none
	Last      *LastBake                `json:"last"` // the newest that is done
	Changes   []baking.Change          `json:"changes"`
	Qualities map[string]setup.Quality `json:"qualities"`
	Rules     setup.Bake               `json:"rules"`
	Farm      farm.Overview            `json:"farm"`
}

// LastBake is a bake that is done.
type LastBake struct {
	ID      int64        `json:"id"`
	Summary farm.Summary `json:"summary"`
}

// qualities are those of every setup, and its own.
func qualities(doc *setup.Setup) map[string]setup.Quality {
	out := map[string]setup.Quality{}
	for k, q := range setup.Qualities {
		out[k] = q
	}
	if own := doc.Baking().Own; own != nil {
		out["own"] = *own
	}
	return out
}

// qualityOf is a quality by its name. Error: ErrBake.
func qualityOf(s *refine.Shot, name string) (setup.Quality, error) {
	q, ok := qualities(s.Doc)[name]
	if !ok {
		return q, fmt.Errorf("%w: %q is no quality of this setup: choose draft, review or final", ErrBake, name)
	}
	return q, nil
}

// bakeDoc is the document as it is baked: with the look that is shown.
func bakeDoc(s *refine.Shot) *setup.Setup { return lamps.Shown(s.Doc) }

// Bake tells how a setup's bake stands.
func (d *Desk) Bake(ctx context.Context, p *refine.Pictures, id int64) (*BakeState, error) {
	s, err := p.Shot(ctx)
	if err != nil {
		return nil, err
	}
	out := &BakeState{Changes: []baking.Change{}, Qualities: qualities(s.Doc), Rules: s.Doc.Baking()}
	if out.Bake, err = d.Farm.Status(ctx, id); err != nil {
		return nil, err
	}
	if out.Farm, err = d.Farm.Overview(ctx); err != nil {
		return nil, err
	}
	last, err := d.Farm.Last(ctx, id)
	if err != nil || last == nil {
		return out, err
	}
	out.Last = &LastBake{last.ID, last.Summary}
	p.Newest(last.ID)
	out.Changes, err = d.changes(ctx, s, last)
	return out, err
}

// changes are what differs since a bake.
func (d *Desk) changes(ctx context.Context, s *refine.Shot, last *farm.Made) ([]baking.Change, error) {
	now := bakeDoc(s)
	was, wasLamps, err := s.Staged(ctx, last.Doc)
	if err != nil {
		return nil, err
	}
	on, onLamps, err := s.Staged(ctx, now)
	if err != nil {
		return nil, err
	}
	a := baking.Snapshot{Doc: last.Doc, Lamps: wasLamps, Place: farm.Place(&was.Stage, last.Doc, was.Scene)}
	b := baking.Snapshot{Doc: now, Lamps: onLamps, Place: farm.Place(&on.Stage, now, on.Scene)}
	if c := baking.Changes(&a, &b); c != nil {
		return c, nil
	}
	return []baking.Change{}, nil
}

// AskBake puts a bake of the setup as it stands into the queue.
func (d *Desk) AskBake(ctx context.Context, p *refine.Pictures, id int64, quality string) (*farm.Status, error) {
	s, err := p.Shot(ctx)
	if err != nil {
		return nil, err
	}
	q, err := qualityOf(s, quality)
	if err != nil {
		return nil, err
	}
	doc := bakeDoc(s)
	_, err = d.Farm.Ask(ctx, &farm.Order{Setup: id, Revision: s.Revision, Doc: doc, Place: s.Stage.Blob, File: s.Stage.File, Quality: quality, Numbers: q})
	if err != nil {
		return nil, err
	}
	return d.Farm.Status(ctx, id)
}

// TurnBake pauses, resumes or stops a bake.
func (d *Desk) TurnBake(ctx context.Context, id int64, how string) (*farm.Status, error) {
	do, ok := map[string]func(context.Context, int64) error{"pause": d.Farm.Pause, "resume": d.Farm.Resume, "stop": d.Farm.Stop}[how]
	if !ok {
		return nil, fmt.Errorf("%w: nothing is called %q", ErrBake, how)
	}
	if err := do(ctx, id); errors.Is(err, farm.ErrState) {
		return nil, fmt.Errorf("%w: %w", ErrBake, err)
	} else if err != nil {
		return nil, err
	}
	return d.Farm.Status(ctx, id)
}

// EstimateBake tells what a bake of some quality would take.
func (d *Desk) EstimateBake(ctx context.Context, p *refine.Pictures, quality string) (*baking.Estimate, error) {
	s, err := p.Shot(ctx)
	if err != nil {
		return nil, err
	}
	q, err := qualityOf(s, quality)
	if err != nil {
		return nil, err
	}
	o := &baking.Order{Scene: s.Stage.Scene, World: s.Stage.World, Doc: bakeDoc(s), Lamps: s.Lamps, Quality: q, Workers: d.studio.Workers()}
	o.Place = farm.Place(&s.Stage.Stage, o.Doc, s.Stage.Scene)
	d.Farm.Share(o)
	key := fmt.Sprintf("%x", bake.Digest(s.Stage.Key, o.Doc.Bake, o.Doc.Objects, q, keysOf(s.Lamps)))
	return d.guesses.Get(ctx, key, func(ctx context.Context) (e *baking.Estimate, err error) {
		defer d.Farm.Hurry()()
		err = spread.Guard(func() error {
			g, _, err := o.Guess(ctx)
			e = &g
			return err
		})
		return e, err
	})
}

func keysOf(ls []*lamps.Lamp) (out []string) {
	for _, l := range ls {
		out = append(out, fmt.Sprintf("%x %s", l.Key[:8], l.Carry))
	}
	return out
}

// lastBake is the newest bake that is done, opened.
func (d *Desk) lastBake(ctx context.Context, id int64) (*farm.Opened, int64, error) {
	last, err := d.Farm.Last(ctx, id)
	if err != nil {
		return nil, 0, err
	}
	if last == nil {
		return nil, 0, fmt.Errorf("%w: nothing is baked yet: start a draft", ErrBake)
	}
	o, err := d.bakes.Get(ctx, fmt.Sprint(last.ID), func(ctx context.Context) (o *farm.Opened, err error) {
		err = spread.Guard(func() error {
			o, err = d.Farm.Open(ctx, last)
			return err
		})
		return o, err
	})
	return o, last.ID, err
}

// gainsOf are the gains of lights by their ids, as they are now.
func gainsOf(ids []string, ls []*lamps.Lamp) []vec.V3 {
	out := make([]vec.V3, len(ids))
	for i, id := range ids {
		if k := slices.IndexFunc(ls, func(l *lamps.Lamp) bool { return l.ID == id }); k >= 0 {
			out[i] = ls[k].Gain()
		}
	}
	return out
}

func idsOf(r *bake.Result) (out []string) {
	for i := range r.Sources {
		out = append(out, r.Sources[i].ID)
	}
	return out
}

// BakeShow is what of a bake is shown in the picture.
type BakeShow string

// What can be shown.
const (
	ShowRuntime    BakeShow = "runtime"
	ShowDifference BakeShow = "difference"
	ShowTexels     BakeShow = "texels"
	ShowCharts     BakeShow = "charts"
	ShowBaked      BakeShow = "baked"     // the baked light alone, on matt grey
	ShowOcclusion  BakeShow = "occlusion" // how open the sky is over each texel
)

// BakePicture is a picture with what is to be said of it.
type BakePicture struct {
	PNG     []byte
	Differs *frame.Differs
}

// BakePicture makes a picture of a frame with the newest bake; nil while the frame is not known.
func (d *Desk) BakePicture(ctx context.Context, p *refine.Pictures, id int64, key string, show BakeShow) (*BakePicture, error) {
	s, err := p.Shot(ctx)
	if err != nil {
		return nil, err
	}
	f, ls := p.ByKey(key)
	if f == nil {
		return nil, nil
	}
	o, bakeID, err := d.lastBake(ctx, id)
	if err != nil {
		return nil, err
	}
	// What is made of a frame stays until a light, the view or the bake changes.
	gains := gainsOf(idsOf(o.Result), ls)
	name := fmt.Sprintf("%s %d %s %x", f.Key, bakeID, show, bake.Digest(gains, keysOf(ls), allGains(ls), s.Doc.Curve, f.EV, s.Doc.Grade, f.Samples))
	return d.bakePictures.Get(ctx, name, func(ctx context.Context) (b *BakePicture, err error) {
		err = spread.Guard(func() error {
			b, err = d.drawBake(ctx, s, f, ls, o, gains, show)
			return err
		})
		return b, err
	})
}

func allGains(ls []*lamps.Lamp) (out []vec.V3) {
	for _, l := range ls {
		out = append(out, l.Gain())
	}
	return out
}

func (d *Desk) drawBake(ctx context.Context, s *refine.Shot, f *refine.Frame, ls []*lamps.Lamp, o *farm.Opened, gains []vec.V3, show BakeShow) (*BakePicture, error) {
	var img image.Image
	out := &BakePicture{}
	var err error
	switch show {
	case ShowOcclusion:
		if o.Result.Open == nil {
			return nil, fmt.Errorf("%w: this bake has no occlusion: set how far it looks, and bake again", ErrBake)
		}
		img, err = d.drawTexels(ctx, f, o, show)
	case ShowTexels, ShowCharts:
		img, err = d.drawTexels(ctx, f, o, show)
	case ShowRuntime, ShowDifference, ShowBaked:
		var pic *frame.Picture
		if pic, err = d.runtimePicture(ctx, s, f, ls, o, gains, show == ShowBaked); err != nil {
			return nil, err
		}
		curve := exposure.Curve(s.Doc.Curve)
		if show != ShowDifference {
			img = d.studio.Shop().Graded(ctx, s.Doc.Grade).Develop(pic.RGB, f.W, f.H, f.EV, curve)
			break
		}
		live := map[string]bool{}
		for _, l := range ls {
			live[l.ID] = l.Carry != setup.Baked && !l.Source.Shows()
		}
		k := exposure.Factor(f.EV)
		toned := func(c colour.RGB) (out colour.RGB) {
			for i := range c {
				out[i] = curve.Map(c[i] * k)
			}
			return out
		}
		direct := make([]float32, len(pic.RGB))
		for _, l := range ls {
			if live[l.ID] {
				addDirect(f, direct, l)
			}
		}
		diff := pic.Compare(f.Compose(ls, nil), direct, toned)
		out.Differs = &diff
		img = scaled(diff.Each, f.W, f.H, 10)
	default:
		return nil, fmt.Errorf("%w: %q cannot be shown", ErrBake, show)
	}
	if err != nil {
		return nil, err
	}
	var b bytes.Buffer
	if err := picture.WritePNG(&b, img); err != nil {
		return nil, err
	}
	out.PNG = b.Bytes()
	return out, nil
}

// runtimePlaces are taken in a pixel.
const runtimePlaces = 1

func (d *Desk) runtimePicture(ctx context.Context, s *refine.Shot, f *refine.Frame, ls []*lamps.Lamp, o *farm.Opened, gains []vec.V3, bakedOnly bool) (*frame.Picture, error) {
	workers := d.studio.Workers()
	rest, err := f.Stage.World.Resting(staging.Movers(s.Doc, f.Stage.Scene), workers)
	if err != nil {
		return nil, err
	}
	cascades := s.Doc.Device().How.Cascades
	fo := &frame.Order{World: f.Stage.World, Rest: rest, Lamps: ls, View: f.Cam, W: f.W, H: f.H, Samples: runtimePlaces, Cascades: cascades, Workers: workers,
		Map: o.Result.Show(gains), Field: o.Ended.Field, Mirrors: shownMirrors(o.Ended, ls, workers)}
	if fo.Field != nil {
		fo.Gains = gainsOf(fo.Field.Lights, ls)
	}
	fo.Hits = func(ctx context.Context, find func(context.Context) (*drawn.Hits, error)) (*drawn.Hits, error) {
		return d.hits.Get(ctx, f.Key+" bake", find)
	}
	fo.Layer = func(ctx context.Context, l *lamps.Lamp, draw func(context.Context) ([]float32, error)) ([]float32, error) {
		return d.live.Get(ctx, fmt.Sprintf("%s %x %+v", f.Key, l.Key, l.ShadowDrawn(cascades)), draw)
	}
	if bakedOnly {
		// What is baked alone.
		fo.Layer = func(context.Context, *lamps.Lamp, func(context.Context) ([]float32, error)) ([]float32, error) {
			return make([]float32, 3*f.W*f.H), nil
		}
	}
	return frame.Render(ctx, fo)
}

func shownMirrors(e *baking.Ended, ls []*lamps.Lamp, workers int) (out []*mirrors.Shown) {
	for _, m := range e.Mirrors {
		out = append(out, m.Sum(gainsOf(m.Lights, ls), workers))
	}
	return out
}

// Densities of the scale, in texels a metre.
const (
	leastDensity = 1.0
	mostDensity  = 32.0
)

// drawTexels draws the map's texels on what is seen, by their density or their charts.
func (d *Desk) drawTexels(ctx context.Context, f *refine.Frame, o *farm.Opened, show BakeShow) (image.Image, error) {
	img := image.NewNRGBA(image.Rect(0, 0, f.W, f.H))
	err := spread.Over(ctx, f.H, d.studio.Workers(), func(y int) {
		for x := range f.W {
			dir := f.Cam.Ray(float32(x)+0.5, float32(y)+0.5, f.W, f.H)
			c := imagecolor.NRGBA{34, 34, 34, 255}
			if q, ok := f.Stage.World.Probe(f.Cam.Eye, dir, f.See); ok {
				c = texelColour(f, o, &q, show)
			}
			img.SetNRGBA(x, y, c)
		}
	})
	return img, err
}

func texelColour(f *refine.Frame, o *farm.Opened, q *world.Probe, show BakeShow) imagecolor.NRGBA {
	l := o.Result.Plan.Of(q.Object)
	grey := imagecolor.NRGBA{52, 52, 52, 255}
	if l == nil || q.Object >= len(f.Stage.Scene.Objects) || f.Stage.Scene.Objects[q.Object].Path != l.Path {
		return grey
	}
	sp := f.Stage.Scene.PointAtPos(q.Tri, q.Pos)
	patch, at, ok := l.Where(q.Tri, sp.U, sp.V)
	if !ok {
		return grey
	}
	if show == ShowOcclusion {
		return openColour(o.Result, l, q.Tri, sp.U, sp.V)
	}
	even := (int(math.Floor(float64(at.X)+0.5))+int(math.Floor(float64(at.Y)+0.5)))&1 == 0
	var c [3]float64
	if show == ShowCharts {
		// Neighbouring charts in tones that differ, of one scale.
		c = colour.Scale(math.Mod(float64(patch)*0.618034, 1))
	} else {
		t := l.Texel(q.Tri)
		if t == 0 {
			return imagecolor.NRGBA{90, 90, 90, 255}
		}
		c = colour.Scale(math.Log2(1/t/leastDensity) / math.Log2(mostDensity/leastDensity))
	}
	k := 1.0
	if even {
		k = 0.72
	}
	return imagecolor.NRGBA{uint8(255 * c[0] * k), uint8(255 * c[1] * k), uint8(255 * c[2] * k), 255}
}

// openColour is how open a place of the map is, from black to white.
func openColour(r *bake.Result, l *bake.Laid, tri uint32, u, v float32) imagecolor.NRGBA {
	t, ok := l.At(tri, u, v)
	if !ok {
		return imagecolor.NRGBA{90, 90, 90, 255}
	}
	open := r.Open[slices.Index(r.Plan.Objects, l)]
	var sum float32
	for k, w := range t.W {
		sum += w * open[t.Cell[k]]
	}
	c := uint8(255 * min(max(sum, 0), 1))
	return imagecolor.NRGBA{c, c, c, 255}
}

// scaled draws values from 0 to most by the scale.
func scaled(v []float32, w, h int, most float64) image.Image {
	img := image.NewNRGBA(image.Rect(0, 0, w, h))
	for i, x := range v {
		c := colour.Scale(float64(x) / most)
		img.SetNRGBA(i%w, i/w, imagecolor.NRGBA{uint8(255 * c[0]), uint8(255 * c[1]), uint8(255 * c[2]), 255})
	}
	return img
}

// BakePage draws a page of the newest bake's map as it is shown at an exposure, small.
func (d *Desk) BakePage(ctx context.Context, p *refine.Pictures, id int64, page int) ([]byte, error) {
	s, err := p.Shot(ctx)
	if err != nil {
		return nil, err
	}
	o, bakeID, err := d.lastBake(ctx, id)
	if err != nil {
		return nil, err
	}
	if page < 0 || page >= len(o.Result.Plan.Pages) {
		return nil, fmt.Errorf("page %d: %w", page, ErrUnknown)
	}
	gains := gainsOf(idsOf(o.Result), s.Lamps)
	return d.looks.Get(ctx, fmt.Sprintf("page %d %d %x", bakeID, page, bake.Digest(gains)), func(context.Context) ([]byte, error) {
		g := o.Result.Plan.Pages[page]
		rgb := o.Result.Plan.Page(page, func(k int) []float32 { return o.Result.Lux(k, gains) })
		// Half of a grey card's light, so that what is bright keeps its tones.
		var lum []float64
		for i := 0; i < len(rgb); i += 3 * 97 {
			if y := colour.LuminanceAt(rgb, i-i%3); y > 0 {
				lum = append(lum, y)
			}
		}
		sort.Float64s(lum)
		ev := 0.0
		if len(lum) > 0 {
			ev = math.Log2(max(lum[len(lum)*3/4], 1e-6) * 0.5 / math.Pi / 0.125)
		}
		for i := range rgb {
			rgb[i] *= 0.5 / math.Pi
		}
		var b bytes.Buffer
		err := picture.WritePNG(&b, d.studio.Shop().Graded(context.Background(), nil).Develop(rgb, g.W, g.H, ev, exposure.Shoulder))
		return b.Bytes(), err
	})
}

// BakedAt is what the newest bake has at a place, beside what is true there.
type BakedAt struct {
	At [3]float64 `json:"at"`
	// Lux are what arrives from +X, -X, +Y, -Y, +Z and -Z by the probes, Reference by gathering
	// there.
	Lux       [6][3]float64 `json:"lux"`
	Reference [6][3]float64 `json:"reference"`
	Differs   float64       `json:"differs"` // the mean of the six, as a share
	Probes    int           `json:"probes"`  // that tell
}

var sideAxes = [6]vec.V3{{X: 1}, {X: -1}, {Y: 1}, {Y: -1}, {Z: 1}, {Z: -1}}

// referenceRays are gathered at a place for the reference.
const referenceRays = 2048

// BakedAt tells what a mover would get at a place.
func (d *Desk) BakedAt(ctx context.Context, p *refine.Pictures, id int64, at vec.V3) (*BakedAt, error) {
	s, err := p.Shot(ctx)
	if err != nil {
		return nil, err
	}
	o, _, err := d.lastBake(ctx, id)
	if err != nil {
		return nil, err
	}
	f := o.Ended.Field
	if f == nil {
		return nil, fmt.Errorf("%w: the bake has no probes", ErrBake)
	}
	gains := gainsOf(f.Lights, s.Lamps)
	t := o.Work.Rest.Tracer()
	defer t.Release()
	open := probes.OpenIn(t)
	out := &BakedAt{At: at.Array(), Probes: len(f.Look(at, vec.V3{Y: 1}, open, nil))}
	po, err := baking.Gathering(ctx, o.Work, false)
	if err != nil {
		return nil, err
	}
	e := probes.NewEye(po.World, po.Lights, po.Whole, nil)
	defer e.Release()
	is := e.At(at, referenceRays, 1, nil)
	byID := map[string]vec.V3{}
	for i, id := range f.Lights {
		byID[id] = gains[i]
	}
	var off, sum float64
	for i, n := range sideAxes {
		lux, _ := f.Lux(at, n, gains, open)
		var ref vec.V3
		for l, id := range po.IDs {
			ref = ref.Add(is.Six[l][i].Mul(byID[id]))
		}
		out.Lux[i], out.Reference[i] = lux.Array(), ref.Array()
		off += math.Abs(colour.LuminanceOf(lux) - colour.LuminanceOf(ref))
		sum += colour.LuminanceOf(ref)
	}
	out.Differs = off / max(sum, 1e-9)
	return out, nil
}

// ProbeDot is a probe to be drawn.
type ProbeDot struct {
	At    [3]float64 `json:"at"`
	Lux   [3]float64 `json:"lux"` // mean of what arrives
	Kind  string     `json:"kind"`
	Moved bool       `json:"moved"`
}

// Dots are the newest bake's probes, at the lights' levels.
func (d *Desk) Dots(ctx context.Context, p *refine.Pictures, id int64) ([]ProbeDot, error) {
	s, err := p.Shot(ctx)
	if err != nil {
		return nil, err
	}
	o, _, err := d.lastBake(ctx, id)
	if err != nil {
		return nil, err
	}
	out := []ProbeDot{}
	f := o.Ended.Field
	if f == nil {
		return out, nil
	}
	gains := gainsOf(f.Lights, s.Lamps)
	for i := range f.Probes {
		b := &f.Probes[i]
		var e vec.V3
		for l, g := range gains {
			// The first harmonic is the mean over all sides.
			e = e.Add(b.SH[l][0].Mul(g).Scale(0.28209479))
		}
		out = append(out, ProbeDot{b.Pos.Array(), e.Array(), string(b.Kind), b.Moved})
	}
	return out, nil
}

// GivesBaked is what lights give to a view after the bake, beside what they give without
// bounce: the same light looks weak before the bake, since bounce fills the room.
type GivesBaked struct {
	Light string `json:"light"`
	// Before is its direct light alone, After with what bounces, as shares of the whole after.
	Before float64 `json:"before"`
	After  float64 `json:"after"`
}

// addDirect adds what comes straight from a light to surfaces.
func addDirect(f *refine.Frame, to []float32, l *lamps.Lamp) {
	f.Add(to, l, refine.Whole, 1)
	for _, part := range []int{refine.Bounced, refine.Shine, refine.Air} {
		f.Add(to, l, part, -1)
	}
}

// Strengths tells what each light gives to a frame before and after the bake.
func (d *Desk) Strengths(ctx context.Context, p *refine.Pictures, key string) ([]GivesBaked, error) {
	if _, err := p.Shot(ctx); err != nil {
		return nil, err
	}
	f, ls := p.ByKey(key)
	if f == nil {
		return []GivesBaked{}, nil
	}
	out := make([]GivesBaked, 0, len(ls))
	var all float64
	mean := func(add func(rgb []float32)) float64 {
		rgb := make([]float32, 3*f.W*f.H)
		add(rgb)
		var sum float64
		for i := 0; i < len(rgb); i += 3 {
			sum += colour.LuminanceAt(rgb, i)
		}
		return sum / float64(f.W*f.H)
	}
	for _, l := range ls {
		before := mean(func(rgb []float32) { addDirect(f, rgb, l) })
		bounced := mean(func(rgb []float32) { f.Add(rgb, l, refine.Bounced, 1) })
		out = append(out, GivesBaked{l.ID, before, before + bounced})
		all += before + bounced
	}
	for i := range out {
		out[i].Before, out[i].After = out[i].Before/max(all, 1e-12), out[i].After/max(all, 1e-12)
	}
	return out, nil
}
