package path

import (
	"context"
	"math"

	"willowherb/core/cache"
	"willowherb/core/colour"
	"willowherb/core/film"
	"willowherb/core/light"
	"willowherb/core/spread"
	"willowherb/core/trace"
	"willowherb/core/vec"
	"willowherb/core/world"
)

// Pass is a rendering of some lights' layers in one view.
type Pass struct {
	World  *world.World
	Camera world.Camera
	W, H   int
	Seed   uint32
	Lights []*light.Light
	Layers []*film.Layers // one for each light
	Guide  *film.Guide    // filled while its samples are fewer than GuideSamples; may be nil
	// Bounces bounds the bounces after the first surface; 0 leaves the end to
	// Russian roulette.
	Bounces int
	// Merged asks for a single picture instead of layers: every contribution is
	// multiplied by its light's gain and added to Layers[0], as Direct. It is
	// what previews use, and the yardstick that layers are held to.
	Merged []vec.V3
	// Only, for layers on a cover, leaves out a part of the work.
	Only Part
	// Most, with Merged, bounds what one path finds by way of other surfaces, as luminance; 0:
	// no bound. What is rare and far brighter than what is shown as white would need more
	// samples than there are.
	Most float32
	// Faint is, for each light, the luminance up to which what it gives to a pixel is not worth
	// a second look; nil: 0 for all.
	Faint []float32
	// Few, with Merged, bounds the shadow rays at each vertex: that many lights are
	// chosen by what they would give unshadowed (resampled importance sampling,
	// Talbot et al. 2005). Unbiased; 0 asks for all.
	Few int
	// Cached, if set, is the light of the pass's lights at the places that are seen by way of
	// others: paths end there instead of going on.
	Cached *cache.Table
	world.Sight
	by strategy
}

// Part is what of the samples on a cover is taken.
type Part uint8

// Parts.
const (
	Both  Part = iota
	Asks       // what is asked of lights, on cells
	Paths      // the rest; with Merged it goes to Layers[0] by its kinds
)

// GuideSamples is how many samples the guide averages.
const GuideSamples = 16

// Run brings every tile of the layers to at least `samples` samples. It stops
// within a tile's time of ctx's end, leaving whole tiles only; a later Run goes
// on from there. The result does not depend on workers.
func (p *Pass) Run(ctx context.Context, samples, workers int) error {
	n := film.Tiles(p.W) * film.Tiles(p.H)
	for {
		least := p.least()
		if least >= samples {
			return nil
		}
		err := spread.With(ctx, n, workers, func() (func(int), func()) {
			w := p.painter()
			return func(t int) {
				if w.behind(t, least) {
					w.tile(t, least)
				}
			}, w.tracer.Release
		})
		if err != nil {
			return err
		}
	}
}

// coverAsks is Walker.asks where a cover takes what is asked.
const coverAsks = 8

// covered reports whether the layers lie on a cover.
func (p *Pass) covered() bool { return len(p.Layers) > 0 && p.Layers[0].Cover != nil }

func (p *Pass) least() int {
	n := math.MaxInt
	for _, l := range p.Layers {
		n = min(n, l.Samples())
	}
	return n
}

// painter is one worker's state: a walker that fills the pass's layers.
type painter struct {
	*Pass
	Walker
	sparse bool
	seed   uint32
	lens   world.Lens
	firsts world.Firsts
	turn   turn
	alone  bool // the only camera ray of a pixel goes through its middle
	// Scratch of covers.
	sighted, rowMet []sighting
	row             []glance
}

func (p *Pass) painter() *painter {
	w := &painter{Pass: p, seed: p.Seed, sparse: len(p.Layers) > 0 && p.Layers[0].Sparse && (p.Merged == nil || p.covered())}
	w.Walker.init(p.World, p.Lights)
	w.Walker.by, w.Walker.table = p.by, p.Cached
	if p.covered() {
		w.asks = coverAsks
	}
	w.lens = p.Camera.Lens(p.W, p.H)
	if w.eye = p.Camera.Eye; p.Neutral == 0 && !p.World.Air.Clear() {
		w.air = p.World.Air
	}
	w.Walker.Bounces, w.Walker.few, w.Walker.gains, w.Walker.neutral, w.Walker.hidden = p.Bounces, p.Few, p.Merged, p.Neutral, p.Hidden
	return w
}

// behind asks for the lights whose layers have only so many samples of a tile: a
// pass that was stopped leaves some tiles ahead, and another light may join the
// layers that it left so.
func (w *painter) behind(t, samples int) (some bool) {
	if w.Merged != nil {
		return int(w.Layers[0].Count[t]) == samples
	}
	for i, l := range w.Layers {
		w.on[i] = int(l.Count[t]) == samples
		some = some || w.on[i]
	}
	return some
}

// pixels calls do for each pixel of a tile.
func (w *painter) pixels(t int, do func(x, y int)) {
	tx := film.Tiles(w.W)
	x0, y0 := t%tx*film.TileSize, t/tx*film.TileSize
	for y := y0; y < min(y0+film.TileSize, w.H); y++ {
		trace.Settle()
		for x := x0; x < min(x0+film.TileSize, w.W); x++ {
			do(x, y)
		}
	}
}

// shoot follows path number k of a half through a pixel.
func (w *painter) shoot(x, y, half, k int) {
	w.Begin(w.seed^uint32(half)*0x632be5ab, uint32(y*w.W+x), uint32(k))
	j := w.src.Pair(w.use(useLens, 0, 0))
	dir := w.lens.Ray(float32(x)+j.X, float32(y)+j.Y)
	w.Follow(Segment{O: w.Camera.Eye, D: dir, Through: vec.Splat(1), Min: w.Cut})
}

// leave follows path number k of a half from where one of the pixel's camera rays ended.
func (w *painter) leave(t, x, y, half, k int) {
	c := w.Layers[0].Cover.Tiles[t]
	from, to := c.Of(x, y)
	if from == to {
		return
	}
	w.Begin(w.seed^uint32(half)*0x632be5ab, uint32(y*w.W+x), uint32(k))
	first, last := int(c.Cells[from].First), &c.Cells[to-1]
	many := int(last.First) + int(last.Hits) - first
	hit := first + min(int(w.src.Pair(w.use(useLens, 0, 0)).X*float32(many)), many-1)
	var s Segment
	if w.air != nil {
		j := w.src.Pair(w.use(useLens, 0, 1))
		w.airAlong(Segment{O: w.eye, D: w.lens.Ray(float32(x)+j.X, float32(y)+j.Y), Min: w.Cut})
	}
	if w.at(c, hit, &w.v) && w.From(&w.v, &s) {
		w.Follow(s)
	}
}

// rare are the kinds that a path may find much of at once.
var rare = append([]film.Kind{film.Air}, film.BouncedKinds...)

// look follows sample number n of a pixel for some part of the light, and books it.
func (w *painter) look(t, x, y, n int, only sought) {
	half, k := film.Half(n)
	w.only, w.half = only, half
	if only == beyond {
		w.leave(t, x, y, half, k)
	} else {
		w.shoot(x, y, half, k)
	}
	if w.Merged != nil && w.only != beyond {
		var sum vec.V3
		for k := range w.found[0] {
			sum = sum.Add(w.found[0][k])
			w.found[0][k] = vec.V3{}
		}
		w.found[0][film.Direct] = sum
	}
	if w.Most > 0 {
		for _, k := range rare {
			if l := float32(colour.LuminanceOf(w.found[0][k])); l > w.Most {
				w.found[0][k] = w.found[0][k].Scale(w.Most / l)
			}
		}
	}
	for i, l := range w.Layers {
		if w.on[i] && w.touched[i] {
			for k, v := range w.found[i] {
				if v != (vec.V3{}) {
					l.Put(film.Kind(k), half, t, x, y, v)
				}
			}
		}
	}
}

func (w *painter) tile(t, sample int) {
	if w.covered() {
		w.beyond(t, sample)
		return
	}
	guide := w.Guide != nil && int(w.Guide.Count[t]) == sample && sample < GuideSamples && (!w.sparse || sample < film.Dense)
	w.pixels(t, func(x, y int) {
		if w.sparse {
			mine, n := film.Turn(x, y) == sample%4, sample
			if mine {
				w.look(t, x, y, sample/4, byWay)
			}
			if sample >= film.Dense {
				n = film.Dense + (sample-film.Dense)/4
			}
			if mine || sample < film.Dense {
				w.look(t, x, y, n, straight)
			}
		} else {
			w.look(t, x, y, sample, everything)
		}
		if guide {
			w.guide(x, y, sample == 0)
		}
	})
	for i, l := range w.Layers {
		if w.Merged != nil || w.on[i] {
			l.Count[t]++
		}
	}
	if guide {
		w.Guide.Count[t]++
	}
}

// beyond takes a tile's sample on its cover: one of each light on the cells for the first
// two, one of each half, and one path in the pixels whose turn it is, but for the first of
// layers that are late.
func (w *painter) beyond(t, sample int) {
	for i, l := range w.Layers {
		if w.on[i] && w.Only != Paths {
			l.Light(t)
		}
	}
	switch {
	case w.Only == Paths:
	case sample == 0:
		w.ask(t, func(i, c int) int { return 1 })
	case sample == 1:
		w.askAgain(t)
	}
	smooth := w.Layers[0].Cover.Tiles[t]
	if path := sample - w.Layers[0].Late; w.Only != Asks && path >= 0 {
		w.pixels(t, func(x, y int) {
			switch {
			case !w.sparse || smooth.IsSmooth(x, y):
				w.look(t, x, y, path, beyond)
			case film.Turn(x, y) == path%4:
				w.look(t, x, y, path/4*2, beyond)
				w.look(t, x, y, path/4*2+1, beyond)
			}
		})
	}
	for i, l := range w.Layers {
		if w.on[i] {
			l.Count[t]++
		}
	}
}

// guide adds what the last path met first to the guide.
func (w *painter) guide(x, y int, first bool) {
	g, px := w.Guide, y*w.W+x
	v := &w.first
	add := func(to []float32, c vec.V3) {
		to[3*px] += c.X
		to[3*px+1] += c.Y
		to[3*px+2] += c.Z
	}
	if v.Tri != math.MaxUint32 {
		add(g.Albedo, v.F.Diffuse.Add(v.F.F0))
		add(g.Normal, v.F.N)
		g.Depth[px] += v.Dist
	}
	if first {
		g.Tri[px], g.Pos[px] = v.Tri, v.P.Pos
		if v.Tri != math.MaxUint32 {
			g.Object[px] = w.world.S.Obj[v.Tri]
		}
	}
}
