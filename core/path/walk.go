package path

import (
	"math"

	"willowherb/core/cache"
	"willowherb/core/film"
	"willowherb/core/fog"
	"willowherb/core/light"
	"willowherb/core/sampling"
	"willowherb/core/scene"
	"willowherb/core/surface"
	"willowherb/core/trace"
	"willowherb/core/vec"
	"willowherb/core/world"
)

// Segment is a straight way along which light comes to what looks.
type Segment struct {
	O, D vec.V3
	// Min is how far from O it begins to see, in metres.
	Min float32
	// Depth is how many surfaces light that comes along it has still to leave; 0 for a
	// segment that begins at an eye, which sees lights shine.
	Depth int
	// Through is the share of the light, per colour, that arrives where the path began,
	// over the density with which it was chosen.
	Through vec.V3
	// Pdf is the density, per steradian, with which D was chosen at a surface that asked
	// lights too; 0 where lights can only be found by following, which then count whole.
	Pdf float32
	// N and Channels are of the surface that it was chosen at.
	N        vec.V3
	Channels uint8
	// Matt is the share of the last reflection that was matt.
	Matt vec.V3
	// Sharp is the share of the first reflection that a smooth surface showed; Mirror
	// tells that it shows more of that than of its own colour.
	Sharp  vec.V3
	Mirror bool
	// Soft is set once there was a diffuse bounce, Wide once there was a reflection that is
	// not smooth: what is seen along the segment is seen blurred.
	Soft, Wide bool
	// Smooth tells that it begins at a smooth surface.
	Smooth bool
}

// Vertex is a surface that a path has come to.
type Vertex struct {
	P        scene.SurfacePoint
	F        surface.Surface
	Tri      uint32 // MaxUint32 for none
	Dist     float32
	Channels uint8
	// From is the segment that led here, with Through as it is at its end.
	From Segment
}

// sought is the part of the light that a path looks for.
type sought uint8

const (
	everything sought = iota
	straight          // what comes straight from lights
	byWay             // what comes by way of other surfaces
	beyond            // all but what is asked for at the first surface and seen shining
)

// strategy is by which way a light that can be found by two is found.
type strategy uint8

const (
	balanced strategy = iota // by both, each weighed by how likely it was
	asked                    // by asking lights alone
	met                      // by following segments alone
)

// Walker is one worker's way of following paths. What they find is added up for each
// light until the next Begin.
type Walker struct {
	world  *world.World
	tracer *world.Tracer
	lights []*light.Light
	// Bounces bounds the bounces after the first surface; 0 leaves the end to Russian
	// roulette.
	Bounces int

	found   [][film.Kinds]vec.V3 // for each light
	even    *turn                // how a camera ray of a cover passes panes; nil: by chance
	first   Vertex
	gains   []vec.V3
	few     int
	neutral float32
	hidden  []bool
	only    sought
	by      strategy
	on      []bool // the lights that are asked for
	unasked []bool // those that are not asked for at the first surface; nil: none
	seen    Gathered
	touched []bool // those of which something was found
	leans   []lean // for each light; nil: it is not asked where light comes from

	air   *fog.Air // between an eye and what it sees; nil: nothing
	way   fog.Way
	table *cache.Table // the light cache, nil for none
	// asks is how many times as much a light is asked at the first surface as followed to: the
	// more, the less is left to chance.
	asks  float32
	half  int    // of the picture that the path is for
	small []int  // lamps that things may stand close to
	broad []bool // lights whose extent shows in their shadows
	eye   vec.V3
	reach *cache.Reach // not nil: places that the cache would be asked for are only touched

	// emitter gives, for each material, the index of its light or -1.
	emitter []int16
	lamps   []int // lights with a surface of their own that rays can meet
	distant []int // sky and sun
	offers  []offered
	owner   []uint32 // of each light's random numbers
	canMeet []bool   // lights that rays can find by chance
	unmet   bool     // no light can be met by chance
	partial bool     // some light is not shown whole by matt or glossy reflection
	src     sampling.Source
	v       Vertex  // where the path is
	o       offered // what is offered there
}

// NewWalker returns a walker among the lights of a world; Release it in the end.
func NewWalker(w *world.World, lights []*light.Light) *Walker {
	k := &Walker{}
	k.init(w, lights)
	return k
}

func (w *Walker) init(wd *world.World, lights []*light.Light) {
	w.world, w.tracer, w.lights = wd, wd.Tracer(), lights
	w.found, w.on = make([][film.Kinds]vec.V3, len(lights)), make([]bool, len(lights))
	w.owner, w.touched = make([]uint32, len(lights)), make([]bool, len(lights))
	w.asks, w.broad = 1, make([]bool, len(lights))
	w.canMeet = make([]bool, len(lights))
	w.emitter = make([]int16, len(wd.S.Materials))
	for i := range w.emitter {
		w.emitter[i] = -1
	}
	w.unmet = true
	for i, l := range lights {
		w.on[i], w.owner[i], w.canMeet[i] = true, sampling.Owner(l.ID), l.CanBeMet()
		if l.Small() {
			w.small = append(w.small, i)
		}
		w.broad[i] = w.canMeet[i] && !l.Small() && l.Kind != light.Sun
		w.partial = w.partial || l.NoDiffuse > 0 || l.NoSpecular > 0
		for _, m := range l.Materials() {
			w.emitter[m], w.unmet = int16(i), false
		}
		switch {
		case l.Distant():
			w.distant, w.unmet = append(w.distant, i), false
		case l.Placed() && w.canMeet[i]:
			w.lamps, w.unmet = append(w.lamps, i), false
		}
	}
}

// Release gives back what the walker holds of its world.
func (w *Walker) Release() { w.tracer.Release() }

// Begin forgets what was found, and names the random numbers of the next path.
func (w *Walker) Begin(seed, pixel, sample uint32) {
	for i := range w.found {
		if w.touched[i] {
			w.found[i], w.touched[i] = [film.Kinds]vec.V3{}, false
			if w.leans != nil {
				w.leans[i] = lean{}
			}
		}
	}
	w.renew(seed, pixel, sample)
	w.first = Vertex{Tri: math.MaxUint32}
}

func (w *Walker) renew(seed, pixel, sample uint32) { w.src = sampling.New(seed, pixel, sample) }

// Found is what the path has found of light i, by kind, for unit output.
func (w *Walker) Found(i int) [film.Kinds]vec.V3 { return w.found[i] }

// Uses of random numbers at a vertex.
const (
	useLens = iota
	useSurface
	useLobe
	useGlass
	useBlend
	useEnd
	useLight
	useChance
	useFew
	useCache
	useAir
	useAirFew
)

// use names the dimension of a use at a vertex; after names what it comes after there.
func (w *Walker) use(what, vertex, after int) uint32 {
	return sampling.Dim(0x68bc21eb, uint32(what|vertex<<4|after<<14))
}

// pair is two even numbers for a use: well spread over the samples near the eye, where
// that gains much.
func (w *Walker) pair(vertex int, dim uint32) vec.V2 {
	if vertex < 2 {
		return w.src.Pair(dim)
	}
	return w.src.Loose(dim)
}

// clearest bounds the panes of glass on one segment, longest the surfaces of a path.
const (
	clearest = 64
	longest  = 512
)

// Follow follows a segment, and the path on from where it ends.
func (w *Walker) Follow(s Segment) {
	for {
		if !w.extend(&s, &w.v) || !w.From(&w.v, &s) {
			return
		}
	}
}

// From asks for the lights at a vertex and makes the segment by which the path goes
// on; false where it ends.
func (w *Walker) From(v *Vertex, next *Segment) bool {
	depth := v.From.Depth
	if depth == 0 && w.first.Tri == math.MaxUint32 {
		w.first = *v
	}
	if depth > 0 && v.From.Wide && w.cached(v) {
		return false
	}
	switch {
	case depth > 0 || w.only <= straight:
		w.gather(v)
	case w.only == beyond:
		w.gatherGlossy(v)
	}
	if w.Bounces > 0 && depth >= w.Bounces || w.only == straight && (depth == 1 || w.unmet) || depth >= longest {
		return false
	}
	return w.scatter(v, next)
}

// extend goes along a segment, finds what shines on it, and stops at a surface. Clear
// glass is passed or not by chance.
func (w *Walker) extend(s *Segment, v *Vertex) bool {
	sc := w.world.S
	o, travel, begin := s.O, float32(0), s.Min
	foggy, tint := s.Depth == 0 && w.air != nil, s.Through
	for pane := range clearest {
		roll := w.src.Bits(w.use(useBlend, s.Depth, pane))
		tri, hit, met := w.see(s, o, begin, roll)
		begin = 0
		far := inf
		if met {
			far = travel + hit.T
		}
		if foggy {
			if w.only != byWay {
				w.sendOn(s.O, s.D, travel, far, tint, pane)
			}
			s.Through = tint.Mul(w.air.Passes(s.O, s.D, float64(far)))
		}
		w.meetLamps(s, travel, far)
		if !met {
			w.escape(s)
			return false
		}
		v.P = sc.PointAt(tri, hit.U, hit.V)
		p := &v.P
		m := &sc.Materials[sc.Mat[tri]]
		if s.Depth == 1 && pane == 0 {
			w.seen.Dist, w.seen.Back = far, !m.DoubleSided && p.Ng.Dot(s.D) > 0
		}
		if e := w.emitter[sc.Mat[tri]]; e >= 0 {
			w.meetSurface(s, p, m, e, far)
		}
		if s.Depth == 1 && w.only == straight && m.Transmission == 0 {
			return false
		}
		f := &v.F
		if !f.Set(sc, m, p, s.D.Neg()) {
			return false
		}
		if s.Depth == 0 && w.neutral > 0 {
			*f = surface.Matt(f.N, f.Ng, w.neutral, s.D.Neg())
		}
		if f.Clear > 0 {
			g := surface.Passing(sc, m, p, s.D)
			q, roll := min(g.Max(), 0.95), w.src.Loose(w.use(useGlass, s.Depth, pane)).X
			if w.even != nil {
				q, roll = w.even.deal(q, pane)
			}
			if roll < q {
				s.Through, tint = s.Through.Mul(g).Scale(1/q), tint.Mul(g).Scale(1/q)
				o, travel = world.Leave(p.Pos, p.Ng, s.D), far
				continue
			}
			s.Through = s.Through.Scale(1 / (1 - q))
		}
		if s.Soft {
			f.Roughen(0.2)
		}
		v.Tri, v.Dist, v.Channels, v.From = tri, far, w.world.Channels(sc.Obj[tri]), *s
		return true
	}
	return false
}

var inf = float32(math.Inf(1))

// see finds the first surface on a way from its place begin on; what the camera leaves
// out is passed by segments that begin at it.
func (w *Walker) see(s *Segment, o vec.V3, begin float32, roll uint32) (tri uint32, hit trace.Hit, ok bool) {
	for range 4096 {
		tri, hit, ok = w.tracer.First(trace.Ray{O: o, D: s.D, Min: begin, Max: inf}, roll)
		if !ok || s.Depth > 0 || w.hidden == nil || !w.hidden[w.world.S.Obj[tri]] {
			break
		}
		begin = hit.T + o.Add(s.D.Scale(hit.T)).Rounding()
	}
	return tri, hit, ok
}

// looksAlong reports whether what is found straight along the segment is asked for.
func (w *Walker) looksAlong(s *Segment) bool { return s.Depth > 1 || w.only != byWay }

// asksOf is how many times as much a light is asked at the first surface as followed to.
// Where a cover has what is asked, lamps are found by that alone but for smooth surfaces:
// their shadows have edges, which what is followed to would lose in the filter.
func (w *Walker) asksOf(l *light.Light, smooth bool) float32 {
	if w.asks > 1 && l.Small() && !smooth {
		return 1e12
	}
	return w.asks
}

// weight is the share of what was met on a segment that counts, where lights were asked
// for too: the balance heuristic.
func (w *Walker) weight(s *Segment, l *light.Light, pdf float32) float32 {
	switch {
	case s.Pdf == 0 || w.by == met:
		return 1
	case w.by == asked:
		return 0
	case s.Depth == 1:
		return s.Pdf / (s.Pdf + w.asksOf(l, s.Smooth)*pdf)
	}
	return s.Pdf / (s.Pdf + pdf*chance(l, s.Depth-1, s.O))
}

// book adds what was found straight along a segment of light i: it comes from the
// segment's own beginning, directly if that is the first surface.
func (w *Walker) book(s *Segment, i int, v vec.V3) {
	l := w.lights[i]
	if s.Depth == 0 {
		w.put(i, film.Seen, v)
		return
	}
	v = v.Mul(shown(l, s.Matt))
	if s.Depth > 1 {
		w.split(i, film.Bounced, film.BouncedSharp, v, s.Sharp)
		return
	}
	soft, sharp := film.Direct, film.DirectSharp
	if w.only == beyond {
		soft = film.Met
	}
	if s.Mirror && l.Distant() {
		sharp = film.Reflected
	}
	if !l.Shows() {
		sharp = soft // lamps' own light keeps its edges anyway
	}
	w.split(i, soft, sharp, v, s.Sharp)
}

// split books a contribution by the share of it that smooth surfaces show.
func (w *Walker) split(i int, soft, sharp film.Kind, v, share vec.V3) {
	if share == (vec.V3{}) || soft == sharp {
		w.put(i, soft, v)
		return
	}
	w.put(i, soft, v.Mul(vec.Splat(1).Sub(share)))
	w.put(i, sharp, v.Mul(share))
}

func (w *Walker) put(i int, k film.Kind, v vec.V3) {
	if !v.Finite() {
		return
	}
	switch k {
	case film.Seen:
		v = v.Scale(1 + w.lights[i].More)
	case film.Reflected:
		v = v.Scale(1 + w.lights[i].Mirrored)
	}
	if w.gains != nil {
		i, v = 0, v.Mul(w.gains[i])
	}
	w.add(i, k, v)
}

func (w *Walker) add(i int, k film.Kind, v vec.V3) {
	w.found[i][k], w.touched[i] = w.found[i][k].Add(v), true
}

// meetLamps finds the lamps whose own surface lies on a segment, from travel to far
// along it.
func (w *Walker) meetLamps(s *Segment, travel, far float32) {
	if s.Depth == 0 || !w.looksAlong(s) {
		return
	}
	for _, i := range w.lamps {
		l := w.lights[i]
		if l.Channels&s.Channels == 0 || !w.on[i] {
			continue
		}
		m := l.Meet(s.O, s.N, s.D)
		if m.Pdf <= 0 || m.Dist <= travel || m.Dist > far+m.Slack || w.tracer.Blocked(s.O, s.D, m.Dist-m.Slack) {
			continue
		}
		k := w.weight(s, l, m.Pdf)
		if s.Depth > 1 {
			k *= l.Near(s.O)
		}
		w.book(s, i, s.Through.Mul(m.Radiance).Scale(k))
	}
}

// escape finds the sky and the sun at the end of a segment that leaves the place.
func (w *Walker) escape(s *Segment) {
	if !w.looksAlong(s) || s.Depth == 0 && w.only == beyond {
		return
	}
	for _, i := range w.distant {
		l := w.lights[i]
		if !w.on[i] || !w.canMeet[i] || s.Depth == 0 && (!l.Shows() || w.neutral > 0) || s.Depth > 0 && l.Channels&s.Channels == 0 {
			continue
		}
		m := l.Meet(s.O, s.N, s.D)
		if m.Radiance == (vec.V3{}) || s.Depth > 0 && w.tracer.Blocked(s.O, s.D, inf) {
			continue
		}
		k, shown := float32(1), m.Radiance
		if s.Depth > 0 {
			k = w.weight(s, l, m.Pdf)
		} else {
			shown = l.Behind(s.D, shown)
		}
		w.book(s, i, s.Through.Mul(shown).Scale(k))
	}
}

// meetSurface finds what the surface at the end of a segment shines by itself; e is its
// light.
func (w *Walker) meetSurface(s *Segment, p *scene.SurfacePoint, m *scene.Material, e int16, far float32) {
	if !w.on[e] || !w.looksAlong(s) || s.Depth == 0 && (w.neutral > 0 || w.only == beyond) {
		return
	}
	l := w.lights[e]
	cos := -s.D.Dot(p.Ng)
	if m.DoubleSided && cos < 0 {
		cos = -cos
	}
	if cos <= 0 || s.Depth > 0 && (l.Channels&s.Channels == 0 || w.tracer.Blocked(s.O, s.D, far)) {
		return
	}
	k := float32(1)
	if s.Depth > 0 {
		k = w.weight(s, l, l.SurfacePdf(far, cos))
	}
	w.book(s, int(e), s.Through.Mul(w.world.S.Emission(m, p)).Scale(k))
}

// scatter lets the surface choose how the path goes on.
func (w *Walker) scatter(v *Vertex, s *Segment) bool {
	depth := v.From.Depth
	wi, d, g, pdf, spec := v.F.Sample(w.pair(depth, w.use(useSurface, depth, 0)), w.src.Loose(w.use(useLobe, depth, 0)).X)
	if pdf <= 0 {
		return false
	}
	all := d.Add(g)
	*s = Segment{O: world.Leave(v.P.Pos, v.F.Ng, wi), D: wi, Depth: depth + 1, Pdf: pdf, N: v.F.N, Channels: v.Channels,
		Matt: vec.Splat(1), Sharp: v.From.Sharp, Mirror: v.From.Mirror, Soft: v.From.Soft || !spec, Smooth: v.F.Smooth(),
		Wide: v.From.Wide || !spec || !v.F.Smooth()}
	first := depth == 0 && v.F.Smooth()
	if w.partial || first {
		s.Matt = vec.V3{X: d.X / max(all.X, 1e-20), Y: d.Y / max(all.Y, 1e-20), Z: d.Z / max(all.Z, 1e-20)}
		if first {
			s.Sharp, s.Mirror = vec.Splat(1).Sub(s.Matt), v.F.Mirror()
		}
	}
	s.Through = v.From.Through.Mul(all).Scale(1 / pdf)
	if depth >= 1 {
		q := min(s.Through.Max(), 0.97)
		if w.src.Loose(w.use(useEnd, depth, 0)).X >= q {
			return false
		}
		s.Through = s.Through.Scale(1 / q)
	}
	return true
}

// Texel is a start at the place u, v of a triangle, on the side that n points to: a
// white matt surface there, whose radiance is the irradiance over pi.
func (w *Walker) Texel(tri uint32, u, v float32, n vec.V3) Vertex {
	s := w.world.S
	x := Vertex{P: s.PointAt(tri, u, v), Tri: tri, Channels: w.world.Channels(s.Obj[tri])}
	ng, ns := x.P.Ng, x.P.Ns
	if ng.Dot(n) < 0 {
		ng, ns = ng.Neg(), ns.Neg()
	}
	x.F = surface.Matt(ns, ng, 1, ns)
	x.From.Through = vec.Splat(1)
	return x
}

// Around is a start at a point in space, in a direction chosen evenly all round: the
// mean of what such paths find is the mean radiance there.
func (w *Walker) Around(p vec.V3) Segment {
	return Segment{O: p, D: sampling.Cone(w.src.Pair(w.use(useLens, 0, 1)), 2), Depth: 1, Through: vec.Splat(1), Channels: 0xff, Matt: vec.Splat(1), Soft: true, Wide: true}
}
