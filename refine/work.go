package refine

import (
	"context"
	"encoding/binary"
	"fmt"
	"math"
	"math/bits"
	"slices"
	"time"

	"github.com/cespare/xxhash/v2"
	"willowherb/core/cache"
	"willowherb/core/colour"
	"willowherb/core/exposure"
	"willowherb/core/film"
	"willowherb/core/filter"
	"willowherb/core/lamps"
	"willowherb/core/path"
	"willowherb/core/spread"
	"willowherb/core/vec"
	"willowherb/plan"
)

// task is a job under way: what its keys stand for.
type task struct {
	*Pictures
	plan.Job
	t     *sight
	f     *frame
	lamps []*lamps.Lamp
	sums  []*film.Layers
	own   []*layer // whose sums they are
	// half is what the finest smaller picture has of the lamps, nil for none, and of which
	// frame that is.
	half   []*Published
	halves []*frame
}

// run does a job, or nothing where its keys stand for nothing any more.
func (p *Pictures) run(ctx context.Context, j plan.Job) error {
	switch j.Kind {
	case plan.Motion:
		return p.motion(ctx, j.Eye)
	case plan.Figures:
		return p.makeFigures()
	case plan.Measure:
		return p.again(ctx, j)
	case plan.Sharpen:
		return p.sharpen(ctx, j)
	}
	k := p.begin(j)
	if k == nil {
		return nil
	}
	f := k.f
	began := time.Now()
	defer func() {
		f.spent += time.Since(began)
		k.count()
	}()
	pass := &path.Pass{World: k.t.stage.World, Camera: f.cam, W: f.w, H: f.h, Seed: 1, Guide: f.guide, Sight: f.see, Layers: k.sums}
	if f.level == plan.Coarse {
		pass.Bounces = 1
	}
	for _, l := range k.lamps {
		pass.Lights = append(pass.Lights, l.Source)
	}
	n := j.From
	if !j.Owed {
		n++
	}
	if f.covered() {
		if n == late && slices.Contains(k.half, nil) {
			n++ // nothing to show of what is bounced
		}
		if err := k.prepare(ctx, pass, n > late); err != nil {
			return err
		}
	}
	if !j.Owed {
		if err := pass.Run(ctx, n, p.studio.opt.Workers); err != nil {
			return err
		}
	}
	if !plan.Publishes(n, f.goal) {
		return nil
	}
	if f.level == plan.Full && n >= 4 && k.sums[0].Detailed < bits.Len(uint(n))-2 {
		if err := k.detail(ctx, pass); err != nil {
			return err
		}
	}
	return k.publish(ctx, n)
}

// count notes what the job's sums take, now that no pass writes to them: others ask for it
// at any time.
func (k *task) count() {
	k.mu.Lock()
	defer k.mu.Unlock()
	for i, y := range k.own {
		y.held = k.sums[i].Bytes()
	}
	if k.f.cover != nil {
		k.f.covers = k.f.cover.Bytes()
	}
}

// begin finds what the keys of a job stand for, and begins the layers that are new.
func (p *Pictures) begin(j plan.Job) *task {
	p.mu.Lock()
	defer p.mu.Unlock()
	t := p.sights[j.Sight]
	if t == nil || p.stage == nil {
		return nil
	}
	k := &task{Pictures: p, Job: j, t: t, f: p.frame(t, j.Level)}
	lamps := p.lamps
	if j.Level != plan.Thumb {
		lamps = p.wanted(t)
	}
	for _, l := range lamps {
		if !slices.Contains(j.Lamps, l.Key) {
			continue
		}
		y := k.f.layers[l.Key]
		if y == nil {
			y = &layer{used: p.studio.clock.Load()}
			k.f.layers[l.Key] = y
		}
		if y.sums == nil {
			y.sums = film.NewLayers(k.f.w, k.f.h)
			y.sums.Sparse = k.f.sparse()
			if k.f.covered() {
				y.sums.Late = late
			}
			if k.f.cover != nil {
				y.sums.On(k.f.cover)
			}
		}
		if y.sums.Samples() != j.From {
			continue // let go meanwhile
		}
		k.lamps, k.sums, k.own = append(k.lamps, l), append(k.sums, y.sums), append(k.own, y)
		var half *Published
		var of *frame
		for _, level := range []int{plan.Middle, plan.Coarse} {
			if m := t.levels[level]; half == nil && m != nil && m.layers[l.Key] != nil {
				half, of = m.layers[l.Key].pub, m
			}
		}
		k.half, k.halves = append(k.half, half), append(k.halves, of)
	}
	if len(k.lamps) == 0 {
		return nil
	}
	return k
}

// late is how many of a covered frame's first samples have no paths: the finest
// smaller picture lends what is bounced, so that what is at full size, the edges of shadows, is seen
// sooner.
const late = 1

// covered tells the frames whose pixels' surfaces are told once and for all, and whose
// bounced light comes of the light cache.
func (f *frame) covered() bool { return f.level == plan.Full }

// prepare makes ready what a covered frame's samples need: what its pixels show and, for
// paths, what they ask of the light cache, and the light of the job's lamps there.
func (k *task) prepare(ctx context.Context, pass *path.Pass, paths bool) error {
	f, workers := k.f, k.studio.opt.Workers
	on := k.t.stage
	for i, l := range pass.Lights {
		var err error
		if pass.Lights[i], err = on.Through(ctx, l, workers); err != nil {
			return err
		}
	}
	if f.cover == nil {
		c, err := pass.MakeCover(ctx, path.Rays{Each: 4, Edges: 32}, workers)
		if err != nil {
			return err
		}
		k.mu.Lock()
		f.cover = c
		k.mu.Unlock()
	}
	if err := pass.Show(ctx, workers); err != nil {
		return err
	}
	if !paths {
		return nil
	}
	if f.reach == nil {
		c := on.Cache(workers)
		r := c.Reach()
		if err := pass.Touch(ctx, r, 3, workers); err != nil {
			return err
		}
		if err := c.Fill(ctx, r, workers); err != nil {
			return err
		}
		f.reach = r
	}
	var keys [][32]byte
	for _, l := range k.lamps {
		keys = append(keys, l.Key)
	}
	if f.table == nil || !slices.Equal(f.tabled, keys) {
		var sources []cache.Source
		for i, key := range keys {
			sources = append(sources, cache.Source{Key: key, Light: pass.Lights[i]})
		}
		var err error
		if f.table, err = f.reach.Cache().Light(ctx, f.reach, sources, workers); err != nil {
			return err
		}
		f.tabled = keys
	}
	pass.Cached = f.table
	return nil
}

// composed is what is published of the picture.
func (k *task) composed() []float32 {
	k.mu.Lock()
	shot, lamps := k.f.shot(k.t, k.Pictures.lamps), k.Pictures.lamps
	k.mu.Unlock()
	return shot.Compose(lamps, nil)
}

// detail takes more samples where the picture is still noisy, once for every power
// of two that the samples reach.
func (k *task) detail(ctx context.Context, pass *path.Pass) error {
	pic := k.composed()
	var gains []vec.V3
	for _, l := range k.lamps {
		gains = append(gains, l.Gain())
	}
	display := exposure.Display(exposure.Curve(k.doc.Curve), k.t.ev)
	slope, err := filter.Slopes(ctx, pic, k.f.w, display, k.studio.opt.Workers)
	if err != nil {
		return err
	}
	_, err = pass.Spend(ctx, path.Worth{Gains: gains, Slope: slope}, k.f.w*k.f.h*k.sums[0].Samples()/4, k.studio.opt.Workers)
	return err
}

// Pictures for an eye in motion are as wide as they can be at ten a second, within
// bounds; the sending and drawing needs its share of the tenth.
const (
	previewNarrowest = 80
	previewWidest    = 240
	previewTime      = 80 * time.Millisecond
)

// pace fits the width of the next picture in motion to the time that one took.
func pace(width int, took time.Duration) int {
	k := math.Sqrt(float64(previewTime) / float64(max(took, time.Millisecond)))
	w := float64(width) * min(max(k, 0.75), 1.1)
	return min(max(int(w)&^7, previewNarrowest), previewWidest)
}

// motion makes one picture for an eye in motion: all lights by chance, one bounce,
// filtered.
func (p *Pictures) motion(ctx context.Context, id int64) error {
	began := time.Now()
	p.mu.Lock()
	e := p.eyes[id]
	if e == nil || e.Blind || p.stage == nil {
		p.mu.Unlock()
		return nil
	}
	see, moved, n, alone := e.See, e.moved, e.N, e.Alone
	lamps, on := p.lamps, p.stageOf(e)
	if e.drafted != nil {
		lamps = e.drafted
	}
	p.mu.Unlock()
	wide := p.studio.previewWidth
	width := wide
	if see.Camera.Aspect < 1 {
		width = max(int(float64(wide)*see.Camera.Aspect), 8)
	}
	height := min(max(int(math.Round(float64(width)/see.Camera.Aspect)), 2), 1024)
	pass := &path.Pass{World: on.World, Camera: see.Camera.Camera(), W: width, H: height, Seed: uint32(moved), Bounces: 1, Few: 2, Guide: film.NewGuide(width, height), Sight: see.Pass(on)}
	pass.Layers = []*film.Layers{film.NewLayers(width, height)}
	for _, l := range lamps {
		gain := l.Gain()
		if len(alone) > 0 {
			if gain = l.Full(); !slices.Contains(alone, l.ID) {
				continue
			}
		}
		if gain != black {
			pass.Lights, pass.Merged = append(pass.Lights, l.Source), append(pass.Merged, gain)
		}
	}
	if pass.Merged == nil {
		pass.Merged = []vec.V3{}
	}
	if err := pass.Run(ctx, 1, p.studio.opt.Workers); err != nil {
		return err
	}
	pic := make([]float32, 3*width*height)
	pass.Layers[0].Average(film.Direct, vec.Splat(1), pic)
	if err := filter.New(pass.Guide, pass.Camera, p.studio.opt.Workers).Apply(ctx, []filter.Noisy{{Pic: pic, Levels: 3}}, p.studio.opt.Workers); err != nil {
		return err
	}
	words, scale := film.Pack(pic)
	p.studio.previewWidth = pace(wide, time.Since(began))
	p.mu.Lock()
	defer p.mu.Unlock()
	e.made = moved
	p.post(Preview{"preview", n, width, height, float64(scale), littleEndian(words)}, id)
	return nil
}

func littleEndian(words []uint32) []byte {
	b := make([]byte, 0, 4*len(words))
	for _, v := range words {
		b = binary.LittleEndian.AppendUint32(b, v)
	}
	return b
}

// widths is how widely the kinds of a lamp's light are filtered in f after so many
// samples.
func (f *frame) widths(l *lamps.Lamp, samples int) filter.Widths {
	if f.covered() {
		return filter.Widest(l.Shines())
	}
	of := filter.Frame{Samples: samples, Sparse: f.sparse()}
	switch f.level {
	case plan.Coarse, plan.Thumb:
		of.Smaller = 2
	case plan.Middle:
		of.Smaller = 1
	}
	return of.Widths(l.Shines())
}

// together is how many lamps' layers are denoised at once: more is quicker and
// takes more memory.
const together = 8

// made is a layer to be published.
type made struct {
	pub   *Published
	noise float64
}

// publish denoises, packs and announces the layers of the job's lamps.
func (k *task) publish(ctx context.Context, samples int) error {
	f := k.f
	by := filter.New(f.guide, f.cam, k.studio.opt.Workers)
	out := make([]made, len(k.lamps))
	var pic *filter.Finished // of the job's lamps
	var choice *filter.Choice
	var err error
	switch {
	case f.covered() && samples <= late:
		choice = by.Even(filter.Widest(true), filter.Widest(false))
	case f.covered():
		if pic, err = k.finish(ctx, by, k.lamps, k.sums); err != nil {
			return err
		}
		choice = pic.Choice
	}
	for i0 := 0; i0 < len(k.lamps); i0 += together {
		i1 := min(i0+together, len(k.lamps))
		if err := k.denoised(ctx, by, i0, i1, samples, choice, out[i0:i1]); err != nil {
			return err
		}
	}
	k.mu.Lock()
	for i, l := range k.lamps {
		if y := f.layers[l.Key]; y != nil {
			y.pub, y.noise = out[i].pub, out[i].noise
		}
	}
	lamps := k.Pictures.lamps
	done := f.complete(lamps)
	if done && f.level == plan.Full {
		k.t.sharp = nil // what it was for
	}
	k.mu.Unlock()
	if done && f.level == plan.Full {
		if !slices.Equal(lamps, k.lamps) {
			pic = nil // not the picture that is shown
		}
		if err := k.measure(ctx, by, lamps, pic); err != nil {
			return err
		}
	}
	k.mu.Lock()
	defer k.mu.Unlock()
	if f.complete(k.Pictures.lamps) {
		samples = f.goal // the job's own may be of a drag, and what is kept further
	}
	f.samples = f.least(k.t, k.Pictures.lamps, samples)
	k.tell(k.t, f)
	if f.level == plan.Thumb || f.level == plan.Coarse {
		k.figures = k.figures || k.shows(k.t, f)
	}
	return nil
}

// lent makes of smaller pictures what the first samples of some of the job's lamps do not
// have: what is bounced and, of what shines, all but how it is seen.
func (k *task) lent(ctx context.Context, by *filter.Filter, from, to int) ([][film.Kinds][]float32, error) {
	out := make([][film.Kinds][]float32, to-from)
	done := map[*frame]bool{}
	for _, m := range k.halves[from:to] {
		if done[m] {
			continue
		}
		done[m] = true
		if err := k.lentBy(ctx, by, m, from, out); err != nil {
			return nil, err
		}
	}
	return out, nil
}

// lentBy is lent of the lamps whose smaller picture m is.
func (k *task) lentBy(ctx context.Context, by *filter.Filter, m *frame, from int, out [][film.Kinds][]float32) error {
	var small [][]float32
	var large []*[]float32
	half := filter.New(m.guide, m.cam, k.studio.opt.Workers)
	for i := range out {
		if k.halves[from+i] != m {
			continue
		}
		of := k.half[from+i]
		part := func(part int) []float32 {
			pic := make([]float32, 3*m.w*m.h)
			if of.Parts[part] != nil {
				film.Unpack(of.Parts[part], vec.Splat(float32(of.News.Scales[part])), pic)
			}
			return pic
		}
		bounced, sent := part(Bounced), part(Air)
		small, large = append(small, bounced), append(large, &out[i][film.Bounced])
		if of.Parts[Air] != nil {
			out[i][film.Air] = by.EnlargeHaze(half, sent)
		}
		if k.lamps[from+i].Shines() {
			shine, direct := part(Shine), part(Whole)
			for c := range direct {
				direct[c] = max(direct[c]-bounced[c]-shine[c]-sent[c], 0)
			}
			small, large = append(small, direct, shine), append(large, &out[i][film.Direct], &out[i][film.Reflected])
		}
	}
	pics, err := by.Enlarge(ctx, half, small, k.studio.opt.Workers)
	if err != nil {
		return err
	}
	for i, pic := range pics {
		*large[i] = pic
	}
	for i := range out {
		if mirrored := out[i][film.Reflected]; mirrored != nil && k.halves[from+i] == m {
			y := k.sums[from+i]
			seen := make([]float32, len(mirrored))
			y.Average(film.Seen, vec.Splat(1), seen)
			unseen(y.Cover, seen, mirrored)
		}
	}
	return nil
}

// unseen blackens the pixels of what shines in mirrors that do not mirror, or in which it is
// seen itself.
func unseen(c *film.Cover, seen, mirrored []float32) {
	for px := range len(mirrored) / 3 {
		x, row := px%c.W, px/c.W
		t := c.Tiles[row/film.TileSize*film.Tiles(c.W)+x/film.TileSize]
		if !t.IsSmooth(x, row) || colour.LuminanceAt(seen, 3*px) > 0 {
			clear(mirrored[3*px : 3*px+3])
		}
	}
}

// denoised makes what is published of some of the job's layers: each lamp's light by kind;
// what is soft is filtered, all of it at once.
func (k *task) denoised(ctx context.Context, by *filter.Filter, from, to, samples int, choice *filter.Choice, out []made) error {
	f, workers := k.f, k.studio.opt.Workers
	lamps, sums := k.lamps[from:to], k.sums[from:to]
	var lent [][film.Kinds][]float32
	if f.covered() && samples <= late {
		var err error
		if lent, err = k.lent(ctx, by, from, to); err != nil {
			return err
		}
	}
	n := 3 * f.w * f.h
	var soft []filter.Noisy
	var layers []filter.Layer
	var gaps, airs [][]float32
	airLevels := 0
	light := make([][film.Kinds][]float32, len(lamps))
	with := make([][film.Kinds]film.Kind, len(lamps)) // the kind whose picture each goes to
	for i, l := range lamps {
		widths := f.widths(l, samples)
		for kind := range film.Kinds {
			with[i][kind] = kind
			if soft, ok := kind.Softly(); ok && widths[soft] == widths[kind] && light[i][soft] != nil {
				with[i][kind] = soft // filtered alike: added up before
				continue
			}
			if lent != nil && lent[i][kind] != nil {
				light[i][kind], with[i][kind] = lent[i][kind], film.Kinds // nothing is added
				continue
			}
			if kind != film.Direct && kind != film.Bounced && !sums[i].Has(kind) {
				continue // black
			}
			pic := make([]float32, n)
			light[i][kind] = pic
			layers = append(layers, filter.Layer{RGB: pic, Kind: kind, Widths: widths})
			if kind == film.Air {
				airs, airLevels = append(airs, pic), widths[kind]
			} else if widths[kind] > 0 {
				soft = append(soft, filter.Noisy{Pic: pic, Levels: widths[kind], Sharp: widths.Sharp(kind)})
			}
			if kind.BySurfaces() {
				gaps = append(gaps, pic)
			}
		}
	}
	err := spread.Over(ctx, len(lamps), workers, func(i int) {
		for kind, to := range with[i] {
			if to < film.Kinds && light[i][to] != nil {
				sums[i].Average(film.Kind(kind), vec.Splat(1), light[i][to])
			}
		}
	})
	if err != nil {
		return err
	}
	if choice != nil {
		err = by.ApplyChoice(ctx, choice, layers, workers)
	} else {
		if y := sums[0]; y.Gaps() {
			err = by.Fill(ctx, gaps, y.Lacks, workers)
		}
		if err == nil {
			err = by.Apply(ctx, soft, workers)
		}
		if err == nil {
			err = by.Haze(ctx, airs, nil, airLevels, workers)
		}
	}
	if err != nil {
		return err
	}
	return spread.Over(ctx, len(lamps), workers, func(i int) {
		y, all, pub := sums[i], light[i], &Published{}
		mean := func(kinds ...film.Kind) [3]float64 {
			c := y.Mean(kinds...)
			return [3]float64{float64(c.X), float64(c.Y), float64(c.Z)}
		}
		pub.News = LayerNews{Version: samples, Direct: mean(film.DirectKinds...), Bounced: mean(film.BouncedKinds...), Seen: mean(film.Seen), Reflected: mean(film.Reflected), Air: mean(film.Air)}
		if lent != nil {
			of := &k.half[from+i].News
			if pub.News.Bounced, pub.News.Air = of.Bounced, of.Air; lamps[i].Shines() {
				pub.News.Direct, pub.News.Reflected = of.Direct, of.Reflected
			}
		}
		if samples >= plan.Enough {
			out[i].noise = f.leftOver(lamps[i], y, samples)
		}
		// pack keeps the sum of some kinds as a part, and adds it to the whole.
		pack := func(part int, kinds ...film.Kind) {
			sum := make([]float32, n)
			for _, kind := range kinds {
				addTo(sum, all[kind])
			}
			words, scale := film.Pack(sum)
			pub.Parts[part], pub.News.Scales[part], pub.News.Parts[part] = words, float64(scale), address(words)
			if part != Whole {
				addTo(all[film.Direct], sum)
			}
		}
		pack(Bounced, film.BouncedKinds...)
		if lamps[i].Shines() {
			pack(Shine, film.Shown...)
		}
		if all[film.Air] != nil {
			pack(Air, film.Air)
		}
		pack(Whole, film.DirectKinds...)
		out[i].pub = pub
	})
}

// address names packed values by what is in them, so that what is fetched under an
// address never changes.
func address(words []uint32) string {
	h := xxhash.New()
	var buf [4096]byte
	for len(words) > 0 {
		n := min(len(words), len(buf)/4)
		for i, w := range words[:n] {
			binary.LittleEndian.PutUint32(buf[4*i:], w)
		}
		_, _ = h.Write(buf[:4*n])
		words = words[n:]
	}
	return fmt.Sprintf("%016x", h.Sum64())
}

func addTo(a, b []float32) {
	for i, v := range b {
		a[i] += v
	}
}

// softest is the least width of what is soft on a covered frame (filter.Widest).
const softest = 3

// leftOver estimates a layer's noise in the picture for unit gain: the mean of
// what its halves differ, with what the filter takes off the soft kinds allowed for.
func (f *frame) leftOver(l *lamps.Lamp, y *film.Layers, samples int) float64 {
	widths := f.widths(l, samples)
	d := make([]float32, 3*y.W*y.H)
	var out float64
	for k := range film.Kinds {
		clear(d)
		y.HalfDifference(k, vec.Splat(1), d)
		var sum float64
		for i := 0; i < len(d); i += 3 {
			sum += math.Abs(colour.LuminanceAt(d, i))
		}
		sum /= float64(len(d) / 3)
		// Where levels are chosen, those few of lamps and mirrors may all be passed over.
		if widths[k] > 0 && (!f.covered() || widths[k] >= softest) {
			sum *= 0.2
		}
		out += sum
	}
	return out
}

// finish adds up the layers of some lamps at their gains, and filters the sum.
func (k *task) finish(ctx context.Context, by *filter.Filter, lamps []*lamps.Lamp, layers []*film.Layers) (*filter.Finished, error) {
	f := k.f
	sums := filter.NewSums(f.w, f.h)
	if sums.Chosen = f.covered(); sums.Chosen {
		sums.Paths = layers[0].Paths
	}
	workers := k.studio.opt.Workers
	err := sums.AddAll(ctx, len(lamps), workers, func(to *filter.Sums, i int) {
		to.Add(layers[i], lamps[i].Gain(), f.widths(lamps[i], layers[i].Samples()))
	})
	if err != nil {
		return nil, err
	}
	return sums.Finish(ctx, by, workers)
}

// measure tells how far the composed picture is from the truth, as it is shown, once every
// lamp has halves of bounced light to compare. pic is that picture, nil where it is still to
// be filtered.
func (k *task) measure(ctx context.Context, by *filter.Filter, lamps []*lamps.Lamp, pic *filter.Finished) error {
	f := k.f
	k.mu.Lock()
	display, as := exposure.Display(exposure.Curve(k.doc.Curve), k.t.ev), k.shownAs(k.t)
	var layers []*film.Layers
	for _, l := range lamps {
		y := f.layers[l.Key]
		if y == nil || y.sums == nil || y.sums.Samples() < plan.Enough {
			f.error, f.errorAs, f.settles = 0, as, 0
			k.mu.Unlock()
			return nil
		}
		layers = append(layers, y.sums)
	}
	k.mu.Unlock()
	if pic == nil {
		var err error
		if pic, err = k.finish(ctx, by, lamps, layers); err != nil {
			return err
		}
	}
	e := pic.Error(display)
	k.mu.Lock()
	defer k.mu.Unlock()
	f.error, f.errorAs, f.settles = e, as, f.toSettle(e)
	return nil
}

// again measures a finished picture that is shown otherwise than when it was.
func (p *Pictures) again(ctx context.Context, j plan.Job) error {
	p.mu.Lock()
	t := p.sights[j.Sight]
	if t == nil || p.stage == nil || t.levels[j.Level] == nil {
		p.mu.Unlock()
		return nil
	}
	k, lamps := &task{Pictures: p, Job: j, t: t, f: t.levels[j.Level]}, p.lamps
	p.mu.Unlock()
	if err := k.measure(ctx, filter.New(k.f.guide, k.f.cam, p.studio.opt.Workers), lamps, nil); err != nil {
		return err
	}
	p.mu.Lock()
	defer p.mu.Unlock()
	p.tell(t, k.f)
	return nil
}

// shownAs names all that a picture's error depends on besides its layers: gains, exposure
// and curve. Call with mu held.
func (p *Pictures) shownAs(t *sight) string {
	var gains []vec.V3
	for _, l := range p.lamps {
		gains = append(gains, l.Gain())
	}
	return fmt.Sprint(gains, t.ev, p.doc.Curve)
}

// Clean is the error of the displayed picture (root of the mean square, white being 1)
// from which on it counts as clean: 36 dB.
const Clean = 0.016

// toSettle is about how many seconds of work a picture of that error still needs to be
// clean: errors fall with the root of the time. 0: none, or not known.
func (f *frame) toSettle(e float64) float64 {
	if e <= Clean || f.spent == 0 {
		return 0
	}
	return f.spent.Seconds() * ((e/Clean)*(e/Clean) - 1)
}
