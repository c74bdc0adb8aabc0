package bench

import (
	"bytes"
	"cmp"
	"context"
	"encoding/binary"
	"log/slog"
	"maps"
	"math"
	"math/bits"
	"slices"
	"strings"
	"time"

	"willowherb/core/budget"
	"willowherb/core/exposure"
	"willowherb/core/render"
	"willowherb/core/setup"
	"willowherb/core/spread"
	"willowherb/core/still"
	"willowherb/core/vec"
	"willowherb/format/picture"
)

// job is a piece of work: one more sample for the lights of a frame that have
// the fewest, a picture for a moving camera, or the figures of a session.
type job struct {
	s     *Session
	t     *sight
	f     *frame
	lamps []*setup.Lamp
	from  int // samples they have
	// owed says that they have had their samples, and only what follows them (more
	// for noisy pixels, publishing) is still to be done.
	owed bool
	eye  *Window
}

// next chooses the most useful piece of work there is. A camera in motion comes
// before all else; then the sights that windows show, coarse before fine and what
// is missing before what is there; thumbnails when every sight has a full picture
// of a few samples; then everything to its goal. Among equals the session that
// has had least of the worker's time comes first.
//
// While a camera has just moved, nothing else is begun: the next picture for it
// would have to wait, and the window needs the processor. restless says so.
func (b *Bench) next() (j *job, restless bool) {
	b.mu.Lock()
	open := slices.Collect(maps.Values(b.open))
	b.mu.Unlock()
	slices.SortFunc(open, func(a, c *Session) int { return cmp.Or(cmp.Compare(a.served, c.served), cmp.Compare(a.ID, c.ID)) })
	best, bestRank := (*job)(nil), math.MaxInt
	offer := func(s *Session, t *sight, level, rank int) {
		if rank >= bestRank {
			return
		}
		if j := s.piece(t, level); j != nil {
			r := rank
			// Less refined before more refined, and thumbnails, which are quick,
			// four samples at a time.
			switch level {
			case full:
				r += 2 * j.from
			case thumb:
				r += j.from / 4
			}
			if r < bestRank {
				best, bestRank = j, r
			}
		}
	}
	for _, s := range open {
		s.mu.Lock()
		if len(s.windows) > 0 {
			s.clock++
			if s.figures && bestRank > -1 {
				best, bestRank = &job{s: s}, -1
			}
			shown, kept := map[*sight]bool{}, map[*sight]bool{}
			for w := range s.windows {
				kept[w.rested] = true
				see, ok := s.see(w)
				switch {
				case !ok:
				case w.moved > w.made && (w.gaze.Moving || w.stage != nil):
					if bestRank > -2 {
						best, bestRank = &job{s: s, eye: w}, -2
					}
				case w.gaze.Moving && time.Since(w.looked) < glance:
					restless = true
				case !w.gaze.Moving:
					t := s.sight(see, s.stageOf(w))
					t.used, t.ev = s.clock, see.Camera.EV
					shown[t], kept[t] = true, true
					w.rested = t
				}
			}
			for t := range shown {
				offer(s, t, coarse, 0)
				offer(s, t, middle, 10)
				offer(s, t, full, 20)
			}
			for _, id := range s.doc.SortedViews() {
				t := s.sight(viewSight(s.doc.Views[id]), s.stage)
				if !shown[t] {
					t.ev = s.doc.Views[id].EV
				}
				offer(s, t, thumb, 21)
			}
			s.letGo(kept)
		}
		s.mu.Unlock()
	}
	if restless && bestRank >= 0 {
		return nil, true
	}
	return best, false
}

// glance is how long a camera in motion is waited for.
const glance = 120 * time.Millisecond

// piece returns work on a sight at a level, or nil when it has reached its goal.
// Call with mu held.
func (s *Session) piece(t *sight, level int) *job {
	if t.failed {
		return nil
	}
	lamps := s.wanted(t)
	if level == thumb {
		lamps = s.lamps
	}
	f := s.frame(t, level, lamps)
	j := &job{s: s, t: t, f: f, from: math.MaxInt}
	for _, l := range lamps {
		if level < full && t.finer(l.Key, level) {
			continue // of no use any more
		}
		n, owes := 0, false
		if y := f.layers[l.Key]; y.sums != nil {
			if n = y.sums.Samples(); n >= enough && y.clean(l, t.ev) {
				continue
			}
			owes = y.version < n && f.publishes(n)
		}
		if n >= f.goal && !owes {
			continue
		}
		if n < j.from || n == j.from && owes && !j.owed {
			j.from, j.owed, j.lamps = n, owes, nil
		}
		if n == j.from && owes == j.owed {
			j.lamps = append(j.lamps, l)
		}
	}
	if len(j.lamps) == 0 {
		return nil
	}
	return j
}

// finer reports whether a layer has been published at a larger size than level.
func (t *sight) finer(key [32]byte, level int) bool {
	for l := full; l > level; l-- {
		if f := t.levels[l]; f != nil && f.layers[key] != nil && f.layers[key].version > 0 {
			return true
		}
	}
	return false
}

// enough samples for a layer's own noise to be believed.
const enough = 8

// clean reports whether what is left of a layer's noise cannot be seen in the
// finished picture: under half a per cent of middle grey.
func (y *layer) clean(l *setup.Lamp, ev float64) bool {
	g := l.Gain()
	return y.version >= enough && y.noise*float64(g.Max())*exposure.Factor(ev) < 0.005*exposure.Middle
}

// letGo bounds memory: layers of lights as they were some edits ago, thumbnails of
// views that are gone, and, over the budget, the sights that were longest not shown, of those that no window
// shows or has just moved away from.
func (s *Session) letGo(kept map[*sight]bool) {
	views := map[string]bool{}
	for id := range s.doc.Views {
		views[s.keyOf(id)] = true
	}
	var hidden []*sight
	total := 0
	for _, t := range s.sights {
		// Keys do not depend on the stage: an earlier one keeps its pictures for undo.
		uses := map[[32]byte]bool{}
		for _, l := range slices.Concat(s.lamps, s.wanted(t)) {
			uses[l.Key] = true
		}
		for _, f := range t.frames() {
			type old struct {
				key  [32]byte
				used int64
			}
			var spare []old
			for k, y := range f.layers {
				if y.used < s.clock && !uses[k] {
					spare = append(spare, old{k, y.used})
				}
			}
			slices.SortFunc(spare, func(a, b old) int { return int(b.used - a.used) })
			for i, o := range spare {
				if i >= spareLayers {
					delete(f.layers, o.key)
				}
			}
			total += f.bytes()
		}
		if !kept[t] {
			hidden = append(hidden, t)
		}
	}
	for id := range s.views {
		if _, ok := s.doc.Views[id]; !ok {
			delete(s.views, id)
		}
	}
	slices.SortFunc(hidden, func(a, b *sight) int { return int(a.used - b.used) })
	for i, t := range hidden {
		if !views[t.key] && len(hidden)-i > keptSights {
			delete(s.sights, t.key)
			continue
		}
		if total <= s.bench.opt.Memory {
			continue
		}
		for _, l := range []int{coarse, middle, full} {
			if f := t.levels[l]; f != nil {
				total -= f.bytes()
				t.levels[l] = nil
			}
		}
		if !views[t.key] {
			delete(s.sights, t.key)
		}
	}
}

// keptSights is how many passing sights (of free cameras) are kept at most.
const keptSights = 24

// work is the worker's loop.
func (b *Bench) work(ctx context.Context) {
	defer close(b.done)
	for ctx.Err() == nil {
		work, cancel := context.WithCancel(ctx)
		b.mu.Lock()
		b.cancelWork, b.moving = cancel, false
		b.mu.Unlock()
		j, restless := b.next()
		if j == nil {
			var soon <-chan time.Time
			if restless {
				soon = time.After(glance)
			}
			select {
			case <-ctx.Done():
			case <-b.wake:
			case <-soon:
			}
			cancel()
			continue
		}
		if j.eye != nil {
			b.mu.Lock()
			b.moving = true
			b.mu.Unlock()
		}
		start := time.Now()
		if err := spread.Guard(func() error { return j.run(work) }); err != nil && work.Err() == nil {
			slog.Error("rendering failed", "setup", j.s.ID, "err", err)
			j.fail(err)
		}
		j.s.served += int64(time.Since(start))
		cancel()
	}
}

// fail sets the job's picture aside until something changes, so that a fault in
// one does not keep the worker from the others, and says so.
func (j *job) fail(err error) {
	s := j.s
	s.mu.Lock()
	defer s.mu.Unlock()
	if j.eye != nil {
		j.eye.made = j.eye.moved
		return
	}
	if j.t == nil {
		return // figures: they are made again with the next edit
	}
	j.t.failed = true
	text, _, _ := strings.Cut(err.Error(), "\n")
	for w := range s.windows {
		if see, ok := s.see(w); ok && see.key(s.stageOf(w).Key) == j.t.key {
			w.Send(Failed{"fault", "This picture could not be made: " + text + ".", "It is tried again with the next edit; other views go on."})
		}
	}
}

// previewing reports whether the worker is at a picture for a moving camera,
// which is better finished than begun anew.
func (b *Bench) previewing() bool {
	b.mu.Lock()
	defer b.mu.Unlock()
	return b.moving
}

func (j *job) run(ctx context.Context) error {
	switch {
	case j.eye != nil:
		return j.preview(ctx)
	case j.f == nil:
		return j.s.makeFigures()
	}
	f := j.f
	p := &render.Pass{World: j.t.stage.world, View: f.cam, W: f.w, H: f.h, Seed: 1, Guide: f.guide, Sight: f.see}
	if f.level == coarse {
		p.Bounces = 1
	}
	n := j.from
	for _, l := range j.lamps {
		j.s.mu.Lock()
		y := f.layers[l.Key]
		if y == nil {
			j.s.mu.Unlock()
			return nil // let go meanwhile
		}
		if y.sums == nil {
			y.sums = render.NewLayers(f.w, f.h, l.Shines())
			y.sums.Sparse = f.sparse()
		}
		p.Layers = append(p.Layers, y.sums)
		j.s.mu.Unlock()
		p.Lights = append(p.Lights, l.Source)
	}
	if !j.owed {
		n++
		if err := p.Run(ctx, n, j.s.bench.opt.Workers); err != nil {
			return err
		}
	}
	if !f.publishes(n) {
		return nil
	}
	if f.level == full && n >= 4 && p.Layers[0].Details() < bits.Len(uint(n))-2 {
		if err := j.refine(ctx, p); err != nil {
			return err
		}
	}
	return j.publish(ctx, n)
}

// publishes tells the numbers of samples at which layers are published: it costs
// about as much as a sample, and is done at the first and when they have doubled
// since; at two there is too little to see for that.
func (f *frame) publishes(n int) bool { return n&(n-1) == 0 && n != 2 || n == f.goal }

// developed composes what is published of the job's picture, and returns how a
// luminance of it is developed.
func (j *job) developed() (pic []float32, develop func(float64) float64) {
	j.s.mu.Lock()
	defer j.s.mu.Unlock()
	curve, e := exposure.Curve(j.s.doc.Curve), exposure.Factor(j.t.ev)
	return compose(j.f, j.s.lamps, nil), func(l float64) float64 { return curve.Map(l * e) }
}

// visible is how much of the picture's mean a pixel's noise may be before the
// pixel gets more samples than others.
const visible = 0.15

// refine takes more samples where the picture is still noisy, once for every
// power of two that the samples reach.
func (j *job) refine(ctx context.Context, p *render.Pass) error {
	s, f := j.s, j.f
	pic, develop := j.developed()
	var mean float64
	for i := 0; i < len(pic); i += 3 {
		mean += develop(float64(pic[i+1]))
	}
	mean /= float64(len(pic) / 3)
	if mean > 0 {
		err := spread.Over(ctx, len(j.lamps), s.bench.opt.Workers, func(i int) {
			l, y := j.lamps[i], p.Layers[i]
			var kinds []render.Kind
			for k := range render.Kinds {
				if k != render.Bounced && f.levels(l, k, y.Samples()) == 0 {
					kinds = append(kinds, k)
				}
			}
			y.Want(kinds, l.Gain(), pic, develop, visible*mean)
		})
		if err != nil {
			return err
		}
	}
	return p.Detail(ctx, s.bench.opt.Workers)
}

// Pictures for a moving camera are as wide as they can be at ten a second, within
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

// preview makes one picture for a camera in motion: all lights by chance, one
// bounce, filtered.
func (j *job) preview(ctx context.Context) error {
	s, w := j.s, j.eye
	began := time.Now()
	s.mu.Lock()
	see, ok := s.see(w)
	moved, g := w.moved, w.gaze
	lamps := s.lamps
	if w.drafted != nil {
		lamps = w.drafted
	}
	place := s.stageOf(w).place
	s.mu.Unlock()
	if !ok {
		return nil
	}
	wide := s.bench.previewWidth
	width := wide
	if see.Camera.Aspect < 1 {
		width = max(int(float64(wide)*see.Camera.Aspect), 8)
	}
	height := max(int(math.Round(float64(width)/see.Camera.Aspect)), 2)
	p := &render.Pass{World: place.world, View: see.Camera.Camera(), W: width, H: height, Seed: uint32(moved), Bounces: 1, Few: 2, Guide: render.NewGuide(width, height), Sight: see.pass(place)}
	p.Layers = []*render.Layers{render.NewLayers(width, height, false)}
	for _, l := range lamps {
		gain := l.Gain()
		if len(g.Alone) > 0 {
			if gain = l.Full(); !slices.Contains(g.Alone, l.ID) {
				continue
			}
		}
		if gain != (vec.V3{}) {
			p.Lights, p.Merged = append(p.Lights, l.Source), append(p.Merged, gain)
		}
	}
	if p.Merged == nil {
		p.Merged = []vec.V3{}
	}
	if err := p.Run(ctx, 1, s.bench.opt.Workers); err != nil {
		return err
	}
	pic := make([]float32, 3*width*height)
	p.Layers[0].Average(render.Direct, pic)
	if err := render.NewFilter(p.Guide, p.View).Apply(ctx, []render.Noisy{{RGB: pic, Levels: 3}}, s.bench.opt.Workers); err != nil {
		return err
	}
	words, scale := render.Pack(pic)
	b := make([]byte, 0, 4*len(words))
	for _, v := range words {
		b = binary.LittleEndian.AppendUint32(b, v)
	}
	s.bench.previewWidth = pace(wide, time.Since(began))
	s.mu.Lock()
	defer s.mu.Unlock()
	w.made = moved
	w.Send(Preview{"preview", g.N, width, height, float64(scale), b})
	return nil
}

// sparse reports whether a frame is large enough for bounced light to be taken in
// some of its pixels only.
func (f *frame) sparse() bool { return f.level == middle || f.level == full }

// levels is how widely kind k of a lamp's light is denoised in f after so many
// samples; 0: not at all.
func (f *frame) levels(l *setup.Lamp, k render.Kind, samples int) int {
	switch {
	case k == render.Bounced && f.sparse():
		samples /= 4
	case k == render.Bounced, k == render.Direct && still.FilteredDirect(l):
	case k == render.Direct && samples < 4:
		// Better soft at first than speckled: the edges come with the samples.
		if f.level == full {
			return 2
		}
		return 1
	default:
		return 0
	}
	n := still.Levels(samples)
	if f.level != full {
		n = max(n-f.levelSteps(), 2)
	}
	return n
}

// together is how many lamps' layers are denoised at once: more is quicker and
// takes more memory.
const together = 16

// publish denoises, packs and announces the layers of the job's lamps.
func (j *job) publish(ctx context.Context, samples int) error {
	f, s := j.f, j.s
	filter := render.NewFilter(f.guide, f.cam)
	n := 3 * f.w * f.h
	workers := s.bench.opt.Workers
	type made struct {
		parts [parts][]uint32
		noise float64
		news  LayerNews
	}
	out := make([]made, len(j.lamps))
	sums := make([]*render.Layers, len(j.lamps))
	s.mu.Lock()
	for i, l := range j.lamps {
		y := f.layers[l.Key]
		if y == nil {
			s.mu.Unlock()
			return nil
		}
		sums[i] = y.sums
	}
	s.mu.Unlock()
	for i0 := 0; i0 < len(j.lamps); i0 += together {
		group := j.lamps[i0:min(i0+together, len(j.lamps))]
		// Each lamp's light by kind; what is soft is filtered, all of it at once.
		var soft []render.Noisy
		var gaps [][]float32
		light := make([][render.Kinds][]float32, len(group))
		for i, l := range group {
			for k := range render.Kinds {
				if sums[i0+i].Sum[k][0] == nil {
					continue
				}
				light[i][k] = make([]float32, n)
				if n := f.levels(l, k, samples); n > 0 {
					soft = append(soft, render.Noisy{RGB: light[i][k], Levels: n})
				}
			}
			gaps = append(gaps, light[i][render.Bounced])
		}
		err := spread.Over(ctx, len(group), workers, func(i int) {
			for k := range render.Kinds {
				if light[i][k] != nil {
					sums[i0+i].Average(k, light[i][k])
				}
			}
		})
		if err != nil {
			return err
		}
		if y := sums[i0]; y.Gaps() {
			if err := filter.Fill(ctx, gaps, y.Lacks, workers); err != nil {
				return err
			}
		}
		if err := filter.Apply(ctx, soft, workers); err != nil {
			return err
		}
		err = spread.Over(ctx, len(group), workers, func(i int) {
			l := group[i]
			m := &out[i0+i]
			y := sums[i0+i]
			mean := func(k render.Kind) [3]float64 {
				c := y.Mean(k)
				return [3]float64{float64(c.X), float64(c.Y), float64(c.Z)}
			}
			m.news = LayerNews{Version: samples, Direct: mean(render.Direct), Bounced: mean(render.Bounced), Seen: mean(render.Seen), Reflected: mean(render.Reflected)}
			all := light[i]
			if samples >= enough {
				m.noise = f.leftOver(l, y, samples)
			}
			var scale float32
			m.parts[bounced], scale = render.Pack(all[render.Bounced])
			m.news.Scales[bounced] = float64(scale)
			if all[render.Seen] != nil {
				addTo(all[render.Seen], all[render.Reflected])
				m.parts[shine], scale = render.Pack(all[render.Seen])
				m.news.Scales[shine] = float64(scale)
				addTo(all[render.Direct], all[render.Seen])
			}
			addTo(all[render.Direct], all[render.Bounced])
			m.parts[whole], scale = render.Pack(all[render.Direct])
			m.news.Scales[whole] = float64(scale)
		})
		if err != nil {
			return err
		}
	}
	s.mu.Lock()
	for i, l := range j.lamps {
		if y := f.layers[l.Key]; y != nil {
			y.version, y.parts, y.news, y.noise = samples, out[i].parts, out[i].news, out[i].noise
		}
	}
	lamps := s.lamps
	done := complete(f, lamps)
	s.mu.Unlock()
	// Noise is measured of whole pictures.
	if done && f.level == full {
		noise, err := j.noise(ctx, filter, lamps)
		if err != nil {
			return err
		}
		s.mu.Lock()
		f.noise = noise
		s.mu.Unlock()
	}
	s.mu.Lock()
	defer s.mu.Unlock()
	f.samples = samples
	for _, l := range s.lamps {
		if y := f.layers[l.Key]; y != nil && !(y.version >= enough && y.clean(l, j.t.ev)) {
			f.samples = min(f.samples, y.version)
		}
	}
	s.tell(j.t, f)
	if f.level == thumb || f.level == coarse {
		s.figures = s.figures || s.pictures(j.t, f)
	}
	return nil
}

// pictures reports whether a view's thumbnail or budget is made of f.
func (s *Session) pictures(t *sight, f *frame) bool {
	for id := range s.doc.Views {
		if s.keyOf(id) == t.key {
			return f.level == thumb || s.views[id] == nil || !s.views[id].budget.Measured
		}
	}
	return false
}

func addTo(a, b []float32) {
	for i, v := range b {
		a[i] += v
	}
}

// leftOver estimates a layer's noise in the picture for unit gain: the mean of
// what its halves differ, with what the filter takes off the soft kinds allowed for.
func (f *frame) leftOver(l *setup.Lamp, y *render.Layers, samples int) float64 {
	d := make([]float32, 3*y.W*y.H)
	var out float64
	for k := range render.Kinds {
		clear(d)
		y.HalfDifference(k, vec.Splat(1), d)
		var sum float64
		for i := 0; i < len(d); i += 3 {
			sum += math.Abs(float64(d[i+1]))
		}
		sum /= float64(len(d) / 3)
		if f.levels(l, k, samples) > 0 {
			sum *= 0.2
		}
		out += sum
	}
	return out
}

// levelSteps is how many doublings smaller than full the frame is.
func (f *frame) levelSteps() int { return map[int]int{coarse: 2, middle: 1, thumb: 2}[f.level] }

// noise measures what is left of it in the composed picture as developed, once
// every lamp has halves of bounced light to compare.
func (j *job) noise(ctx context.Context, filter *render.Filter, lamps []*setup.Lamp) (float64, error) {
	s, f := j.s, j.f
	s.mu.Lock()
	var sums []*render.Layers
	for _, l := range lamps {
		y := f.layers[l.Key]
		if y == nil || y.sums == nil || y.sums.Samples() < 8 {
			s.mu.Unlock()
			return f.noise, nil
		}
		sums = append(sums, y.sums)
	}
	s.mu.Unlock()
	n := 3 * f.w * f.h
	// Filtering commutes with the sum: what is filtered alike is added up first.
	alike := map[int][]float32{}
	for i, l := range lamps {
		g := l.Gain()
		if g == (vec.V3{}) {
			continue
		}
		for k := range render.Kinds {
			levels := f.levels(l, k, sums[i].Samples())
			if alike[levels] == nil {
				alike[levels] = make([]float32, n)
			}
			sums[i].HalfDifference(k, g, alike[levels])
		}
	}
	var soft []render.Noisy
	for levels, p := range alike {
		soft = append(soft, render.Noisy{RGB: p, Levels: levels})
	}
	if err := filter.Apply(ctx, soft, s.bench.opt.Workers); err != nil {
		return 0, err
	}
	left := make([]float32, n)
	for _, p := range soft {
		addTo(left, p.RGB)
	}
	pic, develop := j.developed()
	return render.Noise(left, pic, develop), nil
}

// compose adds up the published layers of a frame. alone, when not empty, names
// the only lights that count, on even if they are off. Call with mu held.
func compose(f *frame, lamps []*setup.Lamp, alone map[string]bool) []float32 {
	out := make([]float32, 3*f.w*f.h)
	for _, l := range lamps {
		y := f.layers[l.Key]
		if y == nil || y.version == 0 {
			continue
		}
		g := l.Gain()
		if len(alone) > 0 {
			if g = l.Full(); !alone[l.ID] {
				continue
			}
		}
		if g != (vec.V3{}) {
			render.Unpack(y.parts[whole], g.Scale(float32(y.news.Scales[whole])), out)
		}
	}
	return out
}

// makeFigures makes thumbnails and budgets for the current revision, unless
// somebody has done so already. It reads of a guide only what its first sample
// wrote, which does not change once the frame is published.
func (s *Session) makeFigures() error {
	s.mu.Lock()
	defer s.mu.Unlock()
	if !s.figures {
		return nil
	}
	s.figures = false
	target := budget.Find(s.doc.Target)
	for id, doc := range s.doc.Views {
		v := s.views[id]
		if v == nil {
			v = &view{}
			s.views[id] = v
		}
		var guide *render.Guide
		t := s.sights[s.keyOf(id)]
		for _, l := range []int{thumb, coarse} {
			if t != nil && t.levels[l] != nil && t.levels[l].samples > 0 {
				guide = t.levels[l].guide
				break
			}
		}
		b := budget.Count(target, s.stage.scene, s.lamps, guide)
		v.budget, v.revised = &b, s.revision
		if t != nil && t.levels[thumb] != nil && complete(t.levels[thumb], s.lamps) {
			f := t.levels[thumb]
			var png bytes.Buffer
			if err := picture.WritePNG(&png, exposure.Develop(compose(f, s.lamps, nil), f.w, f.h, doc.EV, exposure.Curve(s.doc.Curve))); err != nil {
				return err
			}
			v.thumb = png.Bytes()
			v.version++
		}
		s.send(v.message(id))
	}
	return nil
}
