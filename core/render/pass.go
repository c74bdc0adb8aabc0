package render

import (
	"context"
	"math"
	"slices"

	"willowherb/core/colour"
	"willowherb/core/light"
	"willowherb/core/sampling"
	"willowherb/core/scene"
	"willowherb/core/spread"
	"willowherb/core/surface"
	"willowherb/core/trace"
	"willowherb/core/vec"
)

// View is a pinhole camera. FovY is vertical, in radians.
type View struct {
	Eye, Aim, Up vec.V3
	FovY         float64
}

// Ray returns the direction through the picture position (x, y) in pixels of a
// picture of w by h, from its top left corner.
func (v *View) Ray(x, y float32, w, h int) vec.V3 {
	f := v.Aim.Norm()
	r := f.Cross(v.Up).Norm()
	if r == (vec.V3{}) {
		r, _ = vec.Basis(f)
	}
	u := r.Cross(f)
	t := float32(math.Tan(v.FovY / 2))
	return f.Add(r.Scale((2*x/float32(w) - 1) * t * float32(w) / float32(h))).Add(u.Scale((1 - 2*y/float32(h)) * t)).Norm()
}

// Pass is a rendering of some lights' layers in one view.
type Pass struct {
	World  *World
	View   View
	W, H   int
	Seed   uint32
	Lights []*light.Light
	Layers []*Layers // one for each light
	Guide  *Guide    // filled while its samples are fewer than GuideSamples; may be nil
	// Bounces bounds the bounces after the first surface; 0 leaves the end to
	// Russian roulette.
	Bounces int
	// Merged asks for a single picture instead of layers: every contribution is
	// multiplied by its light's gain and added to Layers[0].Sum[Direct]. It is
	// what previews use, and the yardstick that layers are held to.
	Merged []vec.V3
	// Few, with Merged, bounds the shadow rays at each vertex: that many lights are
	// chosen by what they would give unshadowed (resampled importance sampling,
	// Talbot et al. 2005). Unbiased; 0 asks for all.
	Few int
	Sight
}

// Sight is what the camera leaves out or sees otherwise; light is not changed by
// it: what the camera does not see still casts shadow and sends light on.
type Sight struct {
	// Hidden objects, by their number; nil hides none.
	Hidden []bool
	// Cut is how far from the eye, in metres, seeing begins.
	Cut float32
	// Neutral, if positive, makes every surface that is seen a matt grey of this
	// reflectance, and shows nothing shining: a picture of the light alone, whose
	// irradiance in lux is its luminance times pi / Neutral.
	Neutral float32
}

// GuideSamples is how many samples the guide averages.
const GuideSamples = 16

// Run brings every tile of the layers to at least `samples` samples. It stops
// within a tile's time of ctx's end, leaving whole tiles only; a later Run goes
// on from there. The result does not depend on workers.
func (p *Pass) Run(ctx context.Context, samples, workers int) error {
	tx, ty := tiles(p.W), tiles(p.H)
	for {
		least := p.least()
		if least >= samples {
			return nil
		}
		err := spread.With(ctx, tx*ty, workers, func() (func(int), func()) {
			w := newPath(p)
			return func(t int) {
				if w.behind(t, least) {
					w.tile(t, least)
				}
			}, w.tracer.release
		})
		if err != nil {
			return err
		}
	}
}

// Detail takes samples of what comes straight from lights in the pixels that each
// layer wants (Layers.Wanted), four for each that the picture has: at the edges
// of bright things and of shadows chance is greatest. It is done at most once for
// each number of samples that is a power of two, of which every tile must have
// the same; cancelled, it goes on where it stopped.
func (p *Pass) Detail(ctx context.Context, workers int) error {
	from := 4 * p.least()
	for _, l := range p.Layers {
		if l.More == nil {
			l.More, l.detail = make([]uint16, l.W*l.H), make([]uint8, len(l.Count))
		}
	}
	done := p.Layers[0].Details()
	return spread.With(ctx, len(p.Layers[0].Count), workers, func() (func(int), func()) {
		w := newPath(p)
		w.part = first
		w.seed ^= 0x5bd1e995
		return func(t int) {
			if int(p.Layers[0].detail[t]) == done {
				w.more(t, from, 2*from)
			}
		}, w.tracer.release
	})
}

// more takes samples number from to below to in a tile's wanted pixels.
func (w *path) more(t, from, to int) {
	tx := tiles(w.W)
	x0, y0 := t%tx*TileSize, t/tx*TileSize
	for y := y0; y < min(y0+TileSize, w.H); y++ {
		for x := x0; x < min(x0+TileSize, w.W); x++ {
			px, wanted := y*w.W+x, false
			for i, l := range w.Layers {
				w.on[i] = l.Wanted != nil && l.Wanted[px]
				wanted = wanted || w.on[i]
			}
			if !wanted {
				continue
			}
			for n := from; n < to; n++ {
				w.trace(x, y, uint32(px), uint32(n))
				w.book(px, half(n), Direct, Seen, Reflected)
			}
			for i, l := range w.Layers {
				if w.on[i] {
					l.More[px] += uint16(to - from)
				}
			}
		}
	}
	for _, l := range w.Layers {
		l.detail[t]++
	}
}

func (p *Pass) least() int {
	n := math.MaxInt
	for _, l := range p.Layers {
		n = min(n, l.Samples())
	}
	return n
}

// path is one worker's state.
type path struct {
	*Pass
	tracer *tracer
	acc    [][Kinds]vec.V3
	merged vec.V3
	// emitter gives, for each material, the index of its light in Lights or -1.
	emitter []int16
	areas   []int // lights with a surface that rays can meet
	far     []int // sky and sun
	offers  []offered
	sparse  bool
	small   bool   // no light can be met by chance
	partial bool   // some light is not shown whole by matt or glossy reflection
	on      []bool // the lights that are asked for
	seed    uint32
	// state of the path
	part   part
	src    sampling.Source
	guided struct {
		albedo, normal, pos vec.V3
		depth               float32
		tri                 uint32
	}
}

// part of the light that a path looks for.
type part uint8

const (
	all   part = iota
	first      // what comes straight from lights
	later      // what comes by way of other surfaces
)

func newPath(p *Pass) *path {
	w := &path{Pass: p, tracer: p.World.tracer(), acc: make([][Kinds]vec.V3, len(p.Lights)), emitter: make([]int16, len(p.World.S.Materials)), seed: p.Seed, on: make([]bool, len(p.Lights)), sparse: len(p.Layers) > 0 && p.Layers[0].Sparse && p.Merged == nil}
	for i := range w.on {
		w.on[i] = true
	}
	for i := range w.emitter {
		w.emitter[i] = -1
	}
	for i, l := range p.Lights {
		w.partial = w.partial || l.NoDiffuse > 0 || l.NoSpecular > 0
		switch l.Kind {
		case light.Sun, light.Sky:
			w.far = append(w.far, i)
		case light.Emissive:
			for _, m := range l.Materials() {
				w.emitter[m] = int16(i)
			}
		default:
			if l.Shadow && (l.Area() > 0 || l.Radius > 0) {
				w.areas = append(w.areas, i)
			}
		}
	}
	w.small = len(w.areas)+len(w.far) == 0 && !slices.ContainsFunc(w.emitter, func(i int16) bool { return i >= 0 })
	return w
}

// behind asks for the lights whose layers have only so many samples of a tile: a
// pass that was stopped leaves some tiles ahead, and another light may join the
// layers that it left so.
func (w *path) behind(t, samples int) (some bool) {
	if w.Merged != nil {
		return int(w.Layers[0].Count[t]) == samples
	}
	for i, l := range w.Layers {
		w.on[i] = int(l.Count[t]) == samples
		some = some || w.on[i]
	}
	return some
}

func (w *path) tile(t, sample int) {
	tx := tiles(w.W)
	x0, y0 := t%tx*TileSize, t/tx*TileSize
	guide := w.Guide != nil && int(w.Guide.Count[t]) == sample && sample < GuideSamples && (!w.sparse || sample < whole)
	for y := y0; y < min(y0+TileSize, w.H); y++ {
		for x := x0; x < min(x0+TileSize, w.W); x++ {
			px := y*w.W + x
			if w.sparse {
				mine, n := turn(x, y) == sample%4, sample
				if mine {
					w.part = later
					w.trace(x, y, uint32(px), uint32(sample/4))
					w.book(px, half(sample/4), Bounced)
				}
				if sample >= whole {
					n = whole + (sample-whole)/4
				}
				if mine || sample < whole {
					w.part = first
					w.trace(x, y, uint32(px), uint32(n))
					w.book(px, half(n), Direct, Seen, Reflected)
				}
			} else {
				w.trace(x, y, uint32(px), uint32(sample))
				if w.Merged != nil {
					add(w.Layers[0].Sum[Direct][half(sample)], px, w.merged)
				} else {
					w.book(px, half(sample), Direct, Bounced, Seen, Reflected)
				}
			}
			if guide {
				g := w.Guide
				add(g.Albedo, px, w.guided.albedo)
				add(g.Normal, px, w.guided.normal)
				g.Depth[px] += w.guided.depth
				if sample == 0 {
					g.Tri[px], g.Pos[px] = w.guided.tri, w.guided.pos
				}
			}
		}
	}
	for i, l := range w.Layers {
		if w.Merged != nil || w.on[i] {
			l.Count[t]++
		}
	}
	if guide {
		w.Guide.Count[t]++
	}
}

// book adds what the last path found of some kinds to the layers' sums.
func (w *path) book(px, half int, kinds ...Kind) {
	for i, l := range w.Layers {
		if !w.on[i] {
			continue
		}
		for _, k := range kinds {
			if sum := l.Sum[k][half]; sum != nil {
				add(sum, px, w.acc[i][k])
			}
		}
	}
}

func add(dst []float32, px int, v vec.V3) {
	d := dst[3*px : 3*px+3 : 3*px+3]
	d[0] += v.X
	d[1] += v.Y
	d[2] += v.Z
}

// put books a contribution of light i.
func (w *path) put(i int, k Kind, v vec.V3) {
	if !v.Finite() {
		return
	}
	if w.Merged != nil {
		w.merged = w.merged.Add(v.Mul(w.Merged[i]))
		return
	}
	w.acc[i][k] = w.acc[i][k].Add(v)
}

// chance is the probability with which a light is sampled at vertex v of a path:
// always at the first; later less, and less for lamps far away. It depends on
// nothing but the light and the place.
func chance(l *light.Light, v int, p vec.V3) float32 {
	if v == 0 {
		return 1
	}
	if l.Kind == light.Sky {
		return 0 // found by the surface's own sampling, which follows the same cosine
	}
	base := float32(0.7)
	if v > 1 {
		base = 0.35
	}
	if l.Kind == light.Sun || l.Kind == light.Emissive {
		return base
	}
	d := p.Sub(l.Pos)
	return base * min(max(9/d.Dot(d), 0.2), 1)
}

// nearest is how near to a lamp, in metres, a surface may be and still send its
// light on by the inverse square.
const nearest = 0.2

// near weakens what surfaces right beside a lamp (its own shade or cage) send
// on to others: it is as if they were `nearest` away. Paths find such places by
// chance alone, one in thousands, and each find would be a speckle that the
// denoiser spreads. What the camera sees of those surfaces is not touched.
func near(l *light.Light, p vec.V3) float32 {
	if l.Kind != light.Point && l.Kind != light.Spot && l.Kind != light.Tube {
		return 1
	}
	d := p.Sub(l.Pos)
	return min(d.Dot(d)/(nearest*nearest), 1)
}

// Dimensions of the random numbers: 8 for each vertex, lights apart.
const (
	dimSurface = iota
	dimLobe
	dimGlass
	dimEnd
	dimsPerVertex = 8
	dimLight      = 1 << 16
	dimChance     = 1 << 17
	dimFew        = 1 << 24
)

func (w *path) pair(v int, d uint32) vec.V2 {
	if v < 2 {
		return w.src.Pair(d)
	}
	return w.src.Loose(d)
}

func (w *path) trace(px, py int, pixel, sample uint32) {
	clear(w.acc)
	w.merged = vec.V3{}
	w.src = sampling.New(w.seed, pixel, sample)
	j := w.src.Pair(1 << 20)
	s := w.World.S
	dir := w.View.Ray(float32(px)+j.X, float32(py)+j.Y, w.W, w.H)
	o := w.View.Eye
	start := o // where the segment's density was chosen
	var travel, prevPdf float32
	prevN := dir
	var prevCh uint8 = 0xff
	matt := vec.Splat(1) // share of the last reflection that was matt
	thr := vec.Splat(1)
	soft, mirror := false, false
	w.guided.tri, w.guided.albedo, w.guided.normal, w.guided.depth = math.MaxUint32, vec.V3{}, vec.V3{}, 0
	passes := 0
	cut := w.Cut
	for v := 0; ; {
		dims := uint32(v*dimsPerVertex) + uint32(passes)*1024
		tri, hit, ok := w.tracer.first(trace.Ray{O: o, D: dir, Min: cut, Max: inf}, w.src.Loose(dims+7).X)
		if v == 0 {
			for n := 0; ok && w.Hidden != nil && w.Hidden[s.Obj[tri]] && n < 4096; n++ {
				cut = hit.T + offset(o.Add(dir.Scale(hit.T)))
				tri, hit, ok = w.tracer.first(trace.Ray{O: o, D: dir, Min: cut, Max: inf}, w.src.Loose(dims+7).X)
			}
			cut = 0
		}
		far := inf
		if ok {
			far = travel + hit.T
		}
		kind := Bounced
		if v == 1 {
			kind = Direct
		}
		if v > 1 || v == 1 && w.part != later {
			for _, i := range w.areas {
				l := w.Lights[i]
				if l.Channels&prevCh == 0 || !w.on[i] {
					continue
				}
				if rad, pdf := l.Meet(start, dir, travel, far); pdf > 0 && !w.tracer.blocked(start, dir, l.Pos.Sub(start).Len()) {
					m := prevPdf / (prevPdf + pdf*chance(l, v-1, start))
					if v > 1 {
						m *= near(l, start)
					}
					w.put(i, kind, thr.Mul(rad).Mul(shown(l, matt)).Scale(m))
				}
			}
		}
		if !ok {
			if v > 1 || w.part != later {
				w.escaped(v, kind, mirror, thr, matt, dir, prevN, prevPdf, start, prevCh)
			}
			return
		}
		p := s.PointAt(tri, hit.U, hit.V)
		mi := s.Mat[tri]
		m := &s.Materials[mi]
		if e := w.emitter[mi]; e >= 0 && (v > 1 || w.part != later) {
			cos := -dir.Dot(p.Ng)
			if m.DoubleSided && cos < 0 {
				cos = -cos
			}
			if l := w.Lights[e]; cos > 0 && l.Channels&prevCh != 0 && w.on[e] {
				rad := s.Emission(m, &p)
				if v == 0 {
					if w.Neutral <= 0 {
						w.put(int(e), Seen, thr.Mul(rad))
					}
				} else if !w.tracer.blocked(start, dir, far) {
					pdf := l.TrianglePdf(far, cos) * chance(l, v-1, start)
					w.put(int(e), kind, thr.Mul(rad).Mul(shown(l, matt)).Scale(prevPdf/(prevPdf+pdf)))
				}
			}
		}
		if v == 1 && w.part == first && m.Transmission == 0 {
			return
		}
		f, ok := surface.At(s, m, &p, dir.Neg())
		if !ok {
			return
		}
		if v == 0 && w.Neutral > 0 {
			f = surface.Matt(f.N, f.Ng, w.Neutral, dir.Neg())
		}
		if f.Clear > 0 {
			g := glass(s, m, &p, dir)
			q := min(g.Max(), 0.95)
			if w.src.Loose(dims+dimGlass).X < q {
				thr = thr.Mul(g).Scale(1 / q)
				o = leave(p.Pos, p.Ng, dir)
				travel = far
				if passes++; passes > 64 {
					return
				}
				continue
			}
			thr = thr.Scale(1 / (1 - q))
		}
		if soft {
			f.Roughen(0.2)
		}
		if v == 0 {
			w.guide(&f, &p, tri, far)
		}
		ch := w.World.channels[s.Obj[tri]]
		if v > 0 || w.part != later {
			w.lights(v, thr, &f, &p, ch)
		}
		if w.Bounces > 0 && v >= w.Bounces || w.part == first && (v == 1 || w.small) {
			return
		}
		wi, r, pdf, spec := f.Sample(w.pair(v, dims+dimSurface), w.src.Loose(dims+dimLobe).X)
		if pdf <= 0 {
			return
		}
		if w.partial {
			d, g, _ := f.Parts(wi)
			sum := d.Add(g)
			matt = vec.V3{X: d.X / max(sum.X, 1e-20), Y: d.Y / max(sum.Y, 1e-20), Z: d.Z / max(sum.Z, 1e-20)}
		}
		thr = thr.Mul(r).Scale(1 / pdf)
		if v >= 1 {
			q := min(thr.Max(), 0.97)
			if w.src.Loose(dims+dimEnd).X >= q {
				return
			}
			thr = thr.Scale(1 / q)
		}
		if v == 0 {
			mirror = f.Alpha <= 0.09 && f.Spec > 0 && mirrorLike(&f)
		}
		soft = soft || !spec
		start = leave(p.Pos, f.Ng, wi)
		o, dir, prevN, prevPdf, prevCh, travel = start, wi, f.N, pdf, ch, 0
		if v++; v > 512 {
			return
		}
	}
}

var inf = float32(math.Inf(1))

// shown is the share of a light's radiance that a reflection shows of which matt
// is the matt share.
func shown(l *light.Light, matt vec.V3) vec.V3 {
	if l.NoDiffuse == 0 && l.NoSpecular == 0 {
		return vec.Splat(1)
	}
	return vec.Splat(1 - l.NoSpecular).Add(matt.Scale(l.NoSpecular - l.NoDiffuse))
}

// mirrorLike tells the surfaces whose sky goes to the Reflected layer: smooth,
// and brighter by reflection than by their own colour.
func mirrorLike(f *surface.Surface) bool { return f.F0.Max() > f.Diffuse.Max() }

func (w *path) escaped(v int, kind Kind, mirror bool, thr, matt, dir, n vec.V3, pdf float32, from vec.V3, ch uint8) {
	for _, i := range w.far {
		l := w.Lights[i]
		if l.Channels&ch == 0 || !w.on[i] || !l.Shadow && l.Kind == light.Sun {
			continue
		}
		rad, lp := l.Escape(n, dir)
		if rad == (vec.V3{}) {
			continue
		}
		if v == 0 {
			if l.Kind == light.Sky && w.Neutral <= 0 {
				w.put(i, Seen, thr.Mul(rad))
			}
			continue
		}
		if w.tracer.blocked(from, dir, inf) {
			continue
		}
		k := kind
		if v == 1 && mirror && l.Kind == light.Sky {
			k = Reflected
		}
		w.put(i, k, thr.Mul(rad).Mul(shown(l, matt)).Scale(pdf/(pdf+lp*chance(l, v-1, from))))
	}
}

func (w *path) guide(f *surface.Surface, p *scene.SurfacePoint, tri uint32, far float32) {
	w.guided.albedo = f.Diffuse.Add(f.F0)
	w.guided.normal = f.N
	w.guided.depth = far
	w.guided.tri = tri
	w.guided.pos = p.Pos
}

// lights samples the lights at a vertex.
func (w *path) lights(v int, thr vec.V3, f *surface.Surface, p *scene.SurfacePoint, ch uint8) {
	if w.Few > 0 && w.Merged != nil {
		w.fewLights(v, thr, f, p, ch)
		return
	}
	for i, l := range w.Lights {
		c := chance(l, v, p.Pos)
		if r, x, ok := w.offer(i, v, c, f, p, ch); ok {
			w.arrive(i, v, thr, r, &x, f, p)
		}
	}
}

// offer draws light i at a vertex with probability c: what its sample would send
// to the viewer if nothing stood between.
func (w *path) offer(i, v int, c float32, f *surface.Surface, p *scene.SurfacePoint, ch uint8) (r vec.V3, x light.Sample, ok bool) {
	l := w.Lights[i]
	if !w.on[i] || l.Channels&ch == 0 || !l.Reaches(p.Pos, f.N) && !l.Reaches(p.Pos, f.Ng) {
		return r, x, false
	}
	d := dimLight + l.ID*64 + uint32(min(v, 63))
	if c < 1 && w.src.Loose(dimChance+d).X >= c {
		return r, x, false
	}
	if x, ok = l.Sample(p.Pos, f.N, w.pair(v, d)); !ok {
		return r, x, false
	}
	matt, glossy, pdf := f.Parts(x.Dir)
	if r = matt.Scale(1 - l.NoDiffuse).Add(glossy.Scale(1 - l.NoSpecular)); pdf <= 0 || r == (vec.V3{}) {
		return r, x, false
	}
	k := float32(1)
	if x.Pdf > 0 && l.Shadow {
		k = x.Pdf * c / (x.Pdf*c + pdf)
	}
	r = r.Mul(x.Weight).Scale(k / c)
	if v > 0 {
		r = r.Scale(near(l, p.Pos))
	}
	return r, x, true
}

// arrive books what is left of r after the way to the light.
func (w *path) arrive(i, v int, thr, r vec.V3, x *light.Sample, f *surface.Surface, p *scene.SurfacePoint) {
	l := w.Lights[i]
	if l.Shadow {
		o := leave(p.Pos, f.Ng, x.Dir)
		r = r.Mul(w.tracer.passes(o, x.Dir, x.Dist))
	}
	if r == (vec.V3{}) {
		return
	}
	kind := Bounced
	if v == 0 {
		kind = Direct
		if l.Kind == light.Sky && f.Alpha <= 0.09 && f.Spec > 0 && mirrorLike(f) {
			kind = Reflected
		}
	}
	w.put(i, kind, thr.Mul(r))
}

// offered is a light's sample that waits to be chosen.
type offered struct {
	i int
	r vec.V3
	x light.Sample
	e float32
}

// fewLights chooses Few of the lights by what they offer, and follows only those.
func (w *path) fewLights(v int, thr vec.V3, f *surface.Surface, p *scene.SurfacePoint, ch uint8) {
	w.offers = w.offers[:0]
	var sum float32
	for i, l := range w.Lights {
		if r, x, ok := w.offer(i, v, chance(l, v, p.Pos), f, p, ch); ok {
			if e := r.Mul(w.Merged[i]).Dot(vec.V3{X: colour.WeightR, Y: colour.WeightG, Z: colour.WeightB}); e > 0 {
				w.offers = append(w.offers, offered{i, r, x, e})
				sum += e
			}
		}
	}
	n := w.Few
	if v > 0 {
		n = 1
	}
	if len(w.offers) <= n {
		for k := range w.offers {
			o := &w.offers[k]
			w.arrive(o.i, v, thr, o.r, &o.x, f, p)
		}
		return
	}
	for k := range n {
		at := (w.src.Loose(dimFew+uint32(v*8+k)).X + float32(k)) / float32(n) * sum
		for q := range w.offers {
			o := &w.offers[q]
			if at -= o.e; at < 0 || q == len(w.offers)-1 {
				w.arrive(o.i, v, thr, o.r.Scale(sum/(o.e*float32(n))), &o.x, f, p)
				break
			}
		}
	}
}
