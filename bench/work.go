package bench

import (
	"bytes"
	"context"
	"log/slog"
	"maps"
	"math"
	"slices"
	"sync"

	"willowherb/core/budget"
	"willowherb/core/exposure"
	"willowherb/core/render"
	"willowherb/core/setup"
	"willowherb/core/still"
	"willowherb/core/vec"
	"willowherb/format/picture"
)

// Levels of a view's picture: a quarter, a half, the full width, and thumbnails.
const (
	coarse = iota
	middle
	full
	thumb
	levels
)

const (
	thumbWidth   = 192
	thumbSamples = 32
	// spareLayers are kept beyond those in use, so that undo finds them again.
	spareLayers = 4
	// keptViews keep their large layers after the window has gone to another view.
	keptViews = 2
)

// view is what is known of one view.
type view struct {
	levels  [levels]*frame
	used    int64 // when a window last showed it
	budget  *budget.Frame
	revised int64
	thumb   []byte
	version int64
}

func (v *view) frames() []*frame {
	var out []*frame
	for _, f := range v.levels {
		if f != nil {
			out = append(out, f)
		}
	}
	return out
}

// frame is one view at one size. Sums and guide belong to the worker; what is
// published is guarded by the session's mutex.
type frame struct {
	key    string
	level  int
	cam    render.View
	w, h   int
	goal   int
	guide  *render.Guide
	layers map[[32]byte]*layer

	samples int // of the least refined layer in use, as published
	noise   float64
}

type layer struct {
	sums *render.Layers
	used int64
	// Published.
	version int // samples
	words   []uint32
	news    LayerNews
}

func (f *frame) message(viewID string) *FrameNews {
	if f.samples == 0 {
		return nil
	}
	m := &FrameNews{Type: "frame", View: viewID, Frame: f.key, Width: f.w, Height: f.h, Level: f.level, Samples: f.samples, Goal: f.goal, Noise: f.noise, Layers: map[string]LayerNews{}}
	for k, l := range f.layers {
		if l.version > 0 {
			m.Layers[keyName(k)] = l.news
		}
	}
	return m
}

func (v *view) figuresMessage(id string) Figures {
	return Figures{"figures", id, v.revised, v.version, *v.budget}
}

// size of a view's picture at a level.
func (b *Bench) size(v setup.View, level int) (w, h int) {
	w = b.opt.Width
	switch level {
	case coarse:
		w /= 4
	case middle:
		w /= 2
	case thumb:
		w = min(thumbWidth, w)
	}
	if v.Aspect < 1 {
		w = int(float64(w) * v.Aspect)
	}
	w = max(w, 2)
	return w, min(max(int(math.Round(float64(w)/v.Aspect)), 2), 4096)
}

// frame returns the frame of a view at a level, made anew when its camera or
// size has changed. Call with mu held.
func (s *Session) frame(id string, level int) *frame {
	doc := s.doc.Views[id]
	v := s.views[id]
	if v == nil {
		v = &view{}
		s.views[id] = v
	}
	w, h := s.bench.size(doc, level)
	key := keyName(doc.Key(s.hash, w, h))
	f := v.levels[level]
	if f == nil || f.key != key {
		goal := []int{1, 1, s.bench.opt.MaxSamples, min(thumbSamples, s.bench.opt.MaxSamples)}[level]
		f = &frame{key: key, level: level, cam: doc.Camera(), w: w, h: h, goal: goal, guide: render.NewGuide(w, h), layers: map[[32]byte]*layer{}}
		v.levels[level] = f
	}
	for _, l := range s.lamps {
		y := f.layers[l.Key]
		if y == nil {
			y = &layer{}
			f.layers[l.Key] = y
		}
		y.used = s.clock
	}
	return f
}

// job is a piece of work: one more sample for the lights of a frame that have
// the fewest, or the figures of a session.
type job struct {
	s     *Session
	view  string
	f     *frame
	lamps []*setup.Lamp
	from  int // samples they have
}

// next chooses the most useful piece of work there is. The visible views come
// first, coarse before fine; thumbnails when every visible view has a full
// picture of a few samples; then everything to its goal.
func (b *Bench) next() *job {
	b.mu.Lock()
	open := slices.Collect(maps.Values(b.open))
	b.mu.Unlock()
	slices.SortFunc(open, func(a, c *Session) int { return int(a.ID - c.ID) })
	best, bestRank := (*job)(nil), math.MaxInt
	offer := func(s *Session, id string, level, rank int) {
		if rank >= bestRank {
			return
		}
		if j := s.piece(id, level); j != nil {
			r := rank
			if level == full || level == thumb {
				// Less refined before more refined, among equals.
				r += j.from
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
			shown := map[string]bool{}
			for w := range s.windows {
				shown[w.View] = true
			}
			if s.figures {
				best, bestRank = &job{s: s}, -1
			}
			for _, id := range s.doc.SortedViews() {
				if !shown[id] {
					continue
				}
				offer(s, id, coarse, 0)
				if v := s.views[id]; v != nil {
					v.used = s.clock
				}
				offer(s, id, middle, 10)
				offer(s, id, full, 20)
			}
			for _, id := range s.doc.SortedViews() {
				offer(s, id, thumb, 22)
			}
			s.letGo(shown)
		}
		s.mu.Unlock()
	}
	return best
}

// piece returns work on a frame, or nil when it has reached its goal. Call with
// mu held.
func (s *Session) piece(id string, level int) *job {
	f := s.frame(id, level)
	if level == coarse || level == middle {
		// Once a finer picture has every light, coarser ones are of no use.
		for l := full; l > level; l-- {
			if g := s.views[id].levels[l]; g != nil && g.key == s.keyOf(id, l) && s.complete(g) {
				return nil
			}
		}
	}
	j := &job{s: s, view: id, f: f, from: math.MaxInt}
	for _, l := range s.lamps {
		n := 0
		if y := f.layers[l.Key]; y.sums != nil {
			n = y.sums.Samples()
		}
		if n < j.from {
			j.from, j.lamps = n, nil
		}
		if n == j.from {
			j.lamps = append(j.lamps, l)
		}
	}
	if len(j.lamps) == 0 || j.from >= f.goal {
		return nil
	}
	return j
}

func (s *Session) keyOf(id string, level int) string {
	v := s.doc.Views[id]
	w, h := s.bench.size(v, level)
	return keyName(v.Key(s.hash, w, h))
}

// complete reports whether every light has a published layer in f.
func (s *Session) complete(f *frame) bool {
	for _, l := range s.lamps {
		if y := f.layers[l.Key]; y == nil || y.version == 0 {
			return false
		}
	}
	return len(s.lamps) > 0
}

// letGo bounds memory: views that are gone, large frames of views not shown for
// long, layers of lights as they were some edits ago.
func (s *Session) letGo(shown map[string]bool) {
	type old struct {
		id   string
		used int64
	}
	var hidden []old
	for id, v := range s.views {
		if _, ok := s.doc.Views[id]; !ok {
			delete(s.views, id)
			continue
		}
		for _, f := range v.frames() {
			var spare []*layer
			keys := map[*layer][32]byte{}
			for k, y := range f.layers {
				if y.used < s.clock && !s.uses(k) {
					spare = append(spare, y)
					keys[y] = k
				}
			}
			slices.SortFunc(spare, func(a, b *layer) int { return int(b.used - a.used) })
			for i, y := range spare {
				if i >= spareLayers {
					delete(f.layers, keys[y])
				}
			}
		}
		if !shown[id] && (v.levels[full] != nil || v.levels[middle] != nil) {
			hidden = append(hidden, old{id, v.used})
		}
	}
	slices.SortFunc(hidden, func(a, b old) int { return int(b.used - a.used) })
	for i, o := range hidden {
		if i >= keptViews-1 {
			v := s.views[o.id]
			v.levels[coarse], v.levels[middle], v.levels[full] = nil, nil, nil
		}
	}
}

func (s *Session) uses(k [32]byte) bool {
	for _, l := range s.lamps {
		if l.Key == k {
			return true
		}
	}
	return false
}

// work is the worker's loop.
func (b *Bench) work(ctx context.Context) {
	defer close(b.done)
	for ctx.Err() == nil {
		work, cancel := context.WithCancel(ctx)
		b.mu.Lock()
		b.cancelWork = cancel
		b.mu.Unlock()
		j := b.next()
		if j == nil {
			select {
			case <-ctx.Done():
			case <-b.wake:
			}
		} else if err := j.run(work); err != nil && work.Err() == nil {
			slog.Error("rendering failed", "setup", j.s.ID, "view", j.view, "err", err)
		}
		cancel()
	}
}

func (j *job) run(ctx context.Context) error {
	if j.f == nil {
		return j.s.makeFigures()
	}
	f := j.f
	p := &render.Pass{World: j.s.place.world, View: f.cam, W: f.w, H: f.h, Seed: 1, Guide: f.guide}
	if f.level == coarse {
		p.Bounces = 1
	}
	for _, l := range j.lamps {
		j.s.mu.Lock()
		y := f.layers[l.Key]
		if y == nil {
			j.s.mu.Unlock()
			return nil // let go meanwhile
		}
		if y.sums == nil {
			y.sums = render.NewLayers(f.w, f.h, l.Shines())
		}
		p.Layers = append(p.Layers, y.sums)
		j.s.mu.Unlock()
		p.Lights = append(p.Lights, l.Source)
	}
	if err := p.Run(ctx, j.from+1, j.s.bench.opt.Workers); err != nil {
		return err
	}
	n := j.from + 1
	// Publishing costs about as much as a few samples: do it when they have doubled.
	if n&(n-1) == 0 || n == f.goal {
		return j.publish(ctx, n)
	}
	return nil
}

// softKinds are the layers of a lamp that are denoised.
func softKinds(l *setup.Lamp) []render.Kind {
	if still.FilteredDirect(l) {
		return []render.Kind{render.Direct, render.Bounced}
	}
	return []render.Kind{render.Bounced}
}

// publish denoises, packs and announces the layers of the job's lamps.
func (j *job) publish(ctx context.Context, samples int) error {
	f, s := j.f, j.s
	filter := render.NewFilter(f.guide, f.cam)
	n := 3 * f.w * f.h
	levels := still.Levels(samples)
	if f.level != full {
		levels = max(levels-f.levelSteps(), 2)
	}
	workers := s.bench.opt.Workers
	type made struct {
		words []uint32
		news  LayerNews
	}
	out := make([]made, len(j.lamps))
	for i0 := 0; i0 < len(j.lamps); i0 += 4 {
		group := j.lamps[i0:min(i0+4, len(j.lamps))]
		var soft, whole [][]float32
		for _, l := range group {
			y := f.sums(l)
			w := make([]float32, n)
			for k := range render.Kinds {
				if !slices.Contains(softKinds(l), k) {
					y.Average(k, w)
				}
			}
			whole = append(whole, w)
			q := make([]float32, n)
			for _, k := range softKinds(l) {
				y.Average(k, q)
			}
			soft = append(soft, q)
		}
		if err := filter.Apply(ctx, soft, levels, workers); err != nil {
			return err
		}
		var wg sync.WaitGroup
		for i, l := range group {
			wg.Go(func() {
				for q := range whole[i] {
					whole[i][q] += soft[i][q]
				}
				words, scale := render.Pack(whole[i])
				y := f.sums(l)
				m := func(k render.Kind) [3]float64 {
					c := y.Mean(k)
					return [3]float64{float64(c.X), float64(c.Y), float64(c.Z)}
				}
				out[i0+i] = made{words, LayerNews{samples, float64(scale), m(render.Direct), m(render.Bounced), m(render.Seen), m(render.Reflected)}}
			})
		}
		wg.Wait()
	}
	s.mu.Lock()
	for i, l := range j.lamps {
		if y := f.layers[l.Key]; y != nil {
			y.version, y.words, y.news = samples, out[i].words, out[i].news
		}
	}
	complete := s.complete(f)
	s.mu.Unlock()
	if complete && f.level != coarse {
		noise, err := j.noise(ctx, filter, levels)
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
		if y := f.layers[l.Key]; y != nil {
			f.samples = min(f.samples, y.version)
		}
	}
	if f.samples > 0 || complete {
		s.send(f.message(j.view))
	}
	if f.level == thumb || f.level == coarse && s.views[j.view] != nil && s.views[j.view].budget == nil {
		s.figures = true
	}
	return nil
}

// levelSteps is how many doublings smaller than full the frame is.
func (f *frame) levelSteps() int { return map[int]int{coarse: 2, middle: 1, thumb: 2}[f.level] }

func (f *frame) sums(l *setup.Lamp) *render.Layers { return f.layers[l.Key].sums }

// noise measures what is left of it in the composed picture as developed.
func (j *job) noise(ctx context.Context, filter *render.Filter, steps int) (float64, error) {
	s, f := j.s, j.f
	s.mu.Lock()
	lamps := s.lamps
	ev, curve := s.doc.Views[j.view].EV, exposure.Curve(s.doc.Curve)
	pic := s.compose(f, nil)
	var sums []*render.Layers
	for _, l := range lamps {
		y := f.layers[l.Key]
		if y == nil || y.sums == nil {
			s.mu.Unlock()
			return f.noise, nil
		}
		sums = append(sums, y.sums)
	}
	s.mu.Unlock()
	n := 3 * f.w * f.h
	hard, soft := make([]float32, n), make([]float32, n)
	for i, l := range lamps {
		g := l.Gain()
		if g == (vec.V3{}) || sums[i].Samples() < 2 {
			continue
		}
		for k := range render.Kinds {
			to := hard
			if slices.Contains(softKinds(l), k) {
				to = soft
			}
			sums[i].HalfDifference(k, g, to)
		}
	}
	if err := filter.Apply(ctx, [][]float32{soft}, steps, s.bench.opt.Workers); err != nil {
		return 0, err
	}
	for i := range hard {
		hard[i] += soft[i]
	}
	e := exposure.Factor(ev)
	return render.Noise(hard, pic, func(v float64) float64 { return curve.Map(v * e) }), nil
}

// compose adds up the published layers of a frame. alone, when not empty, names
// the only lights that count, on even if they are off. Call with mu held.
func (s *Session) compose(f *frame, alone map[string]bool) []float32 {
	out := make([]float32, 3*f.w*f.h)
	for _, l := range s.lamps {
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
			render.Unpack(y.words, g.Scale(float32(y.news.Scale)), out)
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
		for _, l := range []int{thumb, coarse} {
			if f := v.levels[l]; f != nil && f.samples > 0 && f.key == s.keyOf(id, l) {
				guide = f.guide
				break
			}
		}
		b := budget.Count(target, s.place.scene, s.lamps, guide)
		v.budget, v.revised = &b, s.revision
		if f := v.levels[thumb]; f != nil && s.complete(f) {
			var png bytes.Buffer
			if err := picture.WritePNG(&png, exposure.Develop(s.compose(f, nil), f.w, f.h, doc.EV, exposure.Curve(s.doc.Curve))); err != nil {
				return err
			}
			v.thumb = png.Bytes()
			v.version++
		}
		s.send(v.figuresMessage(id))
	}
	return nil
}

// Thumb returns a view's thumbnail as PNG, or nil.
func (s *Session) Thumb(id string) []byte {
	s.mu.Lock()
	defer s.mu.Unlock()
	if v := s.views[id]; v != nil {
		return v.thumb
	}
	return nil
}

// Layer returns the packed values of a layer version, or nil when it is no
// longer the current one.
func (s *Session) Layer(frameKey, layerKey string, version int) []uint32 {
	s.mu.Lock()
	defer s.mu.Unlock()
	for _, v := range s.views {
		for _, f := range v.frames() {
			if f.key != frameKey {
				continue
			}
			for k, y := range f.layers {
				if keyName(k) == layerKey && y.version == version {
					return y.words
				}
			}
		}
	}
	return nil
}

// Picture is the server's own composite: of the finest frame of a view in which
// every light has a layer. ok is false while there is none.
func (s *Session) Picture(id string, alone []string) (png []byte, level int, ok bool, err error) {
	s.mu.Lock()
	defer s.mu.Unlock()
	v, doc := s.views[id], s.doc.Views[id]
	if v == nil {
		return nil, 0, false, nil
	}
	only := map[string]bool{}
	for _, a := range alone {
		only[a] = true
	}
	for _, l := range []int{full, middle, coarse, thumb} {
		f := v.levels[l]
		if f == nil || f.key != s.keyOf(id, l) || !s.complete(f) {
			continue
		}
		var b bytes.Buffer
		err := picture.WritePNG(&b, exposure.Develop(s.compose(f, only), f.w, f.h, doc.EV, exposure.Curve(s.doc.Curve)))
		return b.Bytes(), l, true, err
	}
	return nil, 0, false, nil
}
