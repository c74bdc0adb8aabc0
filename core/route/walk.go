package route

import (
	"context"
	"math"
	"slices"

	"willowherb/core/budget"
	"willowherb/core/cache"
	"willowherb/core/colour"
	"willowherb/core/exposure"
	"willowherb/core/filter"
	"willowherb/core/lamps"
	"willowherb/core/light"
	"willowherb/core/path"
	"willowherb/core/plot"
	"willowherb/core/probes"
	"willowherb/core/scene"
	"willowherb/core/setup"
	"willowherb/core/spread"
	"willowherb/core/target"
	"willowherb/core/trace"
	"willowherb/core/vec"
	"willowherb/core/work"
	"willowherb/core/world"
)

// Distances at which a figure is looked for ahead, in metres.
var Distances = [3]float64{3, 5, 10}

// judged is the one of the Distances that the rule is for.
const judged = 1

// Size of the pictures that steps are judged by, and how many rays tell what light comes to
// the eye.
const (
	wide  = 48
	high  = 27
	rays  = 64
	every = 6 // tiles of the frame, for its cost
)

// Figure is somebody ahead on the way.
type Figure struct {
	Metres float64 `json:"metres"`
	Seen   bool    `json:"seen"` // nothing stands before it, and it is in the picture
	// Stops that it stands over what is behind it, as shown; Colour is CIEDE2000 between the two.
	Stops  float64 `json:"stops"`
	Colour float64 `json:"colour"`
}

// Step is what is found at a place of the way.
type Step struct {
	At     [3]float64 `json:"at"`
	Eye    [3]float64 `json:"eye"`
	Aim    [3]float64 `json:"aim"`
	Metres float64    `json:"metres"`
	Second float64    `json:"second"`
	Stop   string     `json:"stop"`
	// Ms is what the frame costs, Worst the id of the light that costs most of it.
	Ms      float64 `json:"ms"`
	Worst   string  `json:"worst"`
	WorstMs float64 `json:"worstMs"`
	// Lux falls on the eye from ahead; Floor on the ground, from above.
	Lux   float64 `json:"lux"`
	Floor float64 `json:"floor"`
	// Luminance is the mean, by its logarithm, of what is seen, in cd/m2.
	Luminance float64 `json:"luminance"`
	// EV is the exposure there, Wanted what is metered, Left how far it has still to go.
	EV     float64 `json:"ev"`
	Wanted float64 `json:"wanted"`
	Left   float64 `json:"left"`
	// Dark and Bright are the shares of the picture that are shown as black and as white; Over is
	// by how many stops the brightest hundredth lies over white.
	Dark   float64   `json:"dark"`
	Bright float64   `json:"bright"`
	Over   float64   `json:"over"`
	Figure [3]Figure `json:"figure"`
	// Path is by how many stops the path ahead stands over the walls, as shown; HasPath tells that
	// both are seen.
	Path    float64 `json:"path"`
	HasPath bool    `json:"hasPath"`
	// Exit is the next one that the way leads through.
	Exit Ahead `json:"exit"`
}

// Walked is a route with what was found on it.
type Walked struct {
	Name   string  `json:"name"`
	Metres float64 `json:"metres"`
	Second float64 `json:"seconds"`
	Steps  []Step  `json:"steps"`
	Found  []Found `json:"found"`
	// LimitMs is what a frame may take, Worst the step that costs most.
	LimitMs float64 `json:"limitMs"`
	Worst   int     `json:"worst"`
	Jumps   []int   `json:"jumps"`
	Exits   []Exit  `json:"exits"`
	// Walls are the level cut at the height of a chest over most of the way, as x, z, x, z.
	Walls [][4]float64 `json:"walls"`
}

// Order is what is to be walked.
type Order struct {
	Doc   *setup.Setup // resolved: of one look
	Scene *scene.Scene
	World *world.World
	Lamps []*lamps.Lamp
	Route setup.Route
	Each  float64 // metres between steps; 0: 0.5
	Baked *budget.Baked
	// Field, if not nil, is the probes of a bake, whose error a survey tells.
	Field *probes.Field
	// Known keeps the light cache of the place for the next walk; nil: nothing is kept.
	Known   *Known
	Workers int
	Tell    func(share float64)
}

// Known is what walks have found out of a place. Not safe for concurrent use.
type Known struct {
	rest  *world.World
	cache *cache.Cache
}

// walker has what all steps share.
type walker struct {
	*Order
	rest   *world.World
	device *target.Target
	place  *work.Place
	moves  []bool
	still  []*lamps.Lamp
	figure *Carrier
	reach  *cache.Reach
	table  *cache.Table
	gains  []vec.V3
	curve  exposure.Curve
	way    *Way
	exits  []Exit
	pics   []picture
}

// picture is what a step sees.
type picture struct {
	rgb []float32
	pos []vec.V3 // of each pixel; where nothing is met, infinitely far off
	n   []vec.V3
	six [6]vec.V3 // irradiance at the eye, of all lamps, towards +X, -X, +Y, -Y, +Z and -Z
	own []held
}

// at is the light of a pixel.
func (p *picture) at(px int) vec.V3 {
	return vec.V3{X: p.rgb[3*px], Y: p.rgb[3*px+1], Z: p.rgb[3*px+2]}
}

// held is a lamp that is carried; what it gives takes a while to work out.
type held struct {
	*lamps.Lamp
	gain vec.V3
}

// facing is the irradiance on a surface that faces n, between those of the axes by the squares of
// its parts: exact along them, and never below zero.
func (p *picture) facing(n vec.V3) vec.V3 {
	pick := func(v float32, up, down vec.V3) vec.V3 {
		if v < 0 {
			up = down
		}
		return up.Scale(v * v)
	}
	return pick(n.X, p.six[0], p.six[1]).Add(pick(n.Y, p.six[2], p.six[3])).Add(pick(n.Z, p.six[4], p.six[5]))
}

// Walk walks a route. Errors: ErrNoWay, ctx ended.
func Walk(ctx context.Context, o *Order) (*Walked, error) {
	if o.Each == 0 {
		o.Each = 0.5
	}
	w := &walker{Order: o, device: o.Doc.Device(), curve: exposure.Curve(o.Doc.Curve)}
	if err := w.ready(ctx); err != nil {
		return nil, err
	}
	steps := make([]Step, len(w.way.Places))
	w.pics = make([]picture, len(steps))
	err := spread.With(ctx, len(steps), o.Workers, func() (func(int), func()) {
		h := &hand{probes.NewEye(w.rest, w.sources(), whole(len(w.still)), w.table), path.NewWalker(w.rest, w.sources()), w.rest.Tracer()}
		return func(i int) { w.look(ctx, i, &steps[i], h) }, h.release
	})
	if err != nil {
		return nil, err
	}
	w.tell(0.8)
	w.expose(steps)
	err = spread.Over(ctx, len(steps), o.Workers, func(i int) { w.judge(i, steps) })
	if err != nil {
		return nil, err
	}
	if err := ctx.Err(); err != nil {
		return nil, context.Cause(ctx)
	}
	out := &Walked{Name: o.Route.Name, Metres: w.way.Metres, Steps: steps, LimitMs: w.limit(), Jumps: w.way.Jumps, Exits: w.exits}
	if out.Jumps == nil {
		out.Jumps = []int{}
	}
	for i, s := range steps {
		if s.Ms > steps[out.Worst].Ms {
			out.Worst = i
		}
		out.Second = max(out.Second, s.Second)
	}
	out.Walls = w.walls()
	out.Found = find(out, &o.Route, max(joins, 1.5*o.Each))
	w.tell(1)
	return out, nil
}

// walls cuts the level at 1.2 m over the height that most of the way lies at; what is shorter than
// a hand's breadth is left out.
func (w *walker) walls() [][4]float64 {
	lo, hi := vec.Splat(math.MaxFloat32), vec.Splat(-math.MaxFloat32)
	var heights []float32
	for _, p := range w.way.Places {
		lo, hi = vec.Min3(lo, p.Ground), vec.Max3(hi, p.Ground)
		heights = append(heights, p.Ground.Y)
	}
	slices.Sort(heights)
	all := plot.PlanAt(w.Scene, w.moves, lo.Sub(vec.Splat(margin)), hi.Add(vec.Splat(margin)), float64(heights[len(heights)/2])+1.2)
	out := [][4]float64{}
	for _, s := range all {
		if math.Hypot(s[2]-s[0], s[3]-s[1]) > 0.25 {
			for k, v := range s {
				s[k] = math.Round(v*100) / 100
			}
			out = append(out, s)
		}
	}
	return out
}

func (w *walker) tell(share float64) {
	if w.Tell != nil {
		w.Tell(share)
	}
}

func (w *walker) limit() float64 {
	if w.Route.Rules.Ms > 0 {
		return w.Route.Rules.Ms
	}
	return w.device.Limits.Ms
}

func whole(n int) []bool {
	out := make([]bool, n)
	for i := range out {
		out[i] = true
	}
	return out
}

func (w *walker) sources() (out []*light.Light) {
	for _, l := range w.still {
		out = append(out, l.Source)
	}
	return out
}

// ready finds the way, and fills the light cache of what is seen along it.
func (w *walker) ready(ctx context.Context) error {
	if err := w.settle(); err != nil {
		return err
	}
	var err error
	if w.way, err = Lay(ctx, w.rest, w.Doc, &w.Route, w.Each); err != nil {
		return err
	}
	fine := w.way
	if w.Each > exitLay {
		if fine, err = Lay(ctx, w.rest, w.Doc, &w.Route, exitLay); err != nil {
			return err
		}
	}
	if w.exits, err = exits(ctx, w.rest, fine, w.Workers); err != nil {
		return err
	}
	w.tell(0.05)
	for _, l := range w.Lamps {
		switch {
		case l.Gain() == (vec.V3{}), w.figure.GoesAlong(l):
		default:
			w.still = append(w.still, l)
			w.gains = append(w.gains, l.Gain())
		}
	}
	return w.fill(ctx, max(int(1/w.Each), 1))
}

// settle makes the place ready, without what moves.
func (w *walker) settle() error {
	w.way = &Way{}
	w.place = budget.Place(w.Doc, w.Scene, w.World, w.Baked)
	w.moves = w.place.Moves
	w.figure = NewCarrier(w.Doc, w.Scene, &w.Route)
	if w.Known == nil {
		w.Known = &Known{}
	}
	k := w.Known
	var err error
	if k.rest == nil {
		if k.rest, err = w.World.Resting(w.moves, w.Workers); err != nil {
			return err
		}
	}
	w.rest = k.rest
	return nil
}

// pass only tells what the cache is asked for.
func (w *walker) pass(p *Place) *path.Pass {
	return &path.Pass{World: w.rest, Camera: p.Camera(), W: wide, H: high, Seed: uint32(p.Metres * 1000)}
}

// fill has the cache know what is seen along the way, asked for at every step-th place.
func (w *walker) fill(ctx context.Context, step int) error {
	k := w.Known
	if k.cache == nil {
		k.cache = cache.New(w.rest, w.Workers)
		k.cache.Coarse(0.5)
	}
	r := k.cache.Reach()
	w.reach = r
	sources := w.sources()
	for i := 0; i < len(w.way.Places); i += step {
		p := w.pass(&w.way.Places[i])
		p.Lights = sources
		if err := p.Touch(ctx, r, 4, w.Workers); err != nil {
			return err
		}
	}
	walk := path.NewWalker(w.rest, sources)
	walk.Touching(r)
	for i := 0; i < len(w.way.Places); i += step {
		for n := range 16 {
			walk.Begin(0x726f7574, uint32(i), uint32(n))
			walk.Gather(nil, walk.Around(w.way.Places[i].Eye))
		}
	}
	walk.Release()
	w.tell(0.15)
	if err := k.cache.Fill(ctx, r, w.Workers); err != nil {
		return err
	}
	var of []cache.Source
	for _, l := range w.still {
		of = append(of, cache.Source{Key: l.Key, Light: l.Source})
	}
	var err error
	if w.table, err = k.cache.Light(ctx, r, of, w.Workers); err != nil {
		return err
	}
	w.tell(0.3)
	return nil
}

// look finds what does not depend on other steps. What ends with ctx is told by Walk.
func (w *walker) look(ctx context.Context, i int, s *Step, hand *hand) {
	p := &w.way.Places[i]
	*s = Step{At: p.Ground.Array(), Eye: p.Eye.Array(), Aim: p.Aim.Array(), Metres: p.Metres, Second: p.Second, Stop: p.Stop}
	pic := &w.pics[i]
	own := w.figure.At(w.Lamps, p)
	for k, l := range own {
		if l == w.Lamps[k] {
			continue
		}
		if g := l.Gain(); g != (vec.V3{}) {
			pic.own = append(pic.own, held{l, g})
		}
	}
	w.glimpse(p, pic, hand)
	sight := hand.eye.At(p.Eye, rays, uint32(i), w.table)
	for k, g := range w.gains {
		for a := range pic.six {
			pic.six[a] = pic.six[a].Add(sight.Six[k][a].Mul(g))
		}
	}
	s.Floor = colour.LuminanceOf(pic.six[2])
	s.Lux = colour.LuminanceOf(pic.facing(p.Aim))
	sum := 0.0
	for px := 0; px < 3*wide*high; px += 3 {
		sum += math.Log2(max(colour.LuminanceAt(pic.rgb, px), 1e-6))
	}
	s.Luminance = math.Exp2(sum / (wide * high))
	w.cost(ctx, p, s, own)
}

// hand is one worker's.
type hand struct {
	eye  *probes.Eye
	walk *path.Walker
	t    *world.Tracer
}

func (h *hand) release() {
	h.eye.Release()
	h.walk.Release()
	h.t.Release()
}

// glimpse looks from a place: the light cache tells what surfaces send on, and lamps that are
// carried are asked for.
func (w *walker) glimpse(p *Place, pic *picture, h *hand) {
	pic.rgb, pic.pos, pic.n = make([]float32, 3*wide*high), make([]vec.V3, wide*high), make([]vec.V3, wide*high)
	cam := p.Camera()
	s := w.rest.S
	for y := range high {
		for x := range wide {
			px := y*wide + x
			d := cam.Ray(float32(x)+0.5, float32(y)+0.5, wide, high)
			h.walk.With(w.table, px&1)
			h.walk.Begin(0x676c696d, uint32(p.Metres*1000), uint32(px))
			// Soft has the first surface told by the cache, as the ones after it are.
			h.walk.Follow(path.Segment{O: p.Eye, D: d, Depth: 1, Through: vec.Splat(1), Channels: 0xff, Matt: vec.Splat(1), Soft: true, Wide: true})
			var c vec.V3
			for k, g := range w.gains {
				for _, v := range h.walk.Found(k) {
					c = c.Add(v.Mul(g))
				}
			}
			pic.pos[px] = vec.Splat(float32(math.Inf(1)))
			if tri, hit, ok := h.t.First(trace.Ray{O: p.Eye, D: d, Min: p.Eye.Rounding(), Max: float32(math.Inf(1))}, world.Even); ok {
				_, n := s.Area(tri)
				if n.Dot(d) > 0 {
					n = n.Neg()
				}
				at := p.Eye.Add(d.Scale(hit.T))
				pic.pos[px], pic.n[px] = at, n
				if e := w.carriedTo(at, n, pic, h.t); e != (vec.V3{}) {
					m := &s.Materials[s.Mat[tri]]
					sp := s.PointAt(tri, hit.U, hit.V)
					t := s.Texel(&m.BaseTex, &sp, true)
					c = c.Add(e.Mul(vec.V3{X: m.BaseColor[0] * t[0], Y: m.BaseColor[1] * t[1], Z: m.BaseColor[2] * t[2]}).Scale(1 / math.Pi))
				}
			}
			pic.rgb[3*px], pic.rgb[3*px+1], pic.rgb[3*px+2] = c.X, c.Y, c.Z
		}
	}
}

// carriedTo is the irradiance of the lamps that are carried on a surface.
func (w *walker) carriedTo(at, n vec.V3, pic *picture, t *world.Tracer) (e vec.V3) {
	for _, l := range pic.own {
		if !l.Source.Reaches(at, n) {
			continue
		}
		s, ok := l.Source.Sample(at, n, vec.V2{X: 0.5, Y: 0.5})
		c := s.Dir.Dot(n)
		if !ok || c <= 0 {
			continue
		}
		v := s.Weight.Scale(c).Mul(l.gain)
		if l.Shadow {
			v = v.Mul(t.Passes(at, n, s.Dir, s.Clear))
		}
		e = e.Add(v)
	}
	return e
}

// cost counts the frame there.
func (w *walker) cost(ctx context.Context, p *Place, s *Step, lit []*lamps.Lamp) {
	seen, err := w.place.See(ctx, p.Camera(), w.device.How, every, 1)
	if err != nil {
		return
	}
	v := setup.View{Eye: p.Eye.Array(), Aim: p.Aim.Array(), FovY: p.FovY * 180 / math.Pi}
	st := budget.State(w.Doc, w.place, lit, &v)
	d, err := seen.Count(ctx, st, 1)
	if err != nil {
		return
	}
	f := budget.Price(w.device, lit, d, w.Baked)
	s.Ms = f.Ms
	for _, l := range lit {
		if c := f.Lights[l.ID]; c.Ms > s.WorstMs {
			s.Worst, s.WorstMs = l.ID, c.Ms
		}
	}
}

// expose works out what exposure does along the way.
func (w *walker) expose(steps []Step) {
	auto := exposure.StandardAuto()
	if w.Doc.Auto != nil {
		auto = *w.Doc.Auto
	}
	way := make([]exposure.Instant, len(steps))
	for i := range steps {
		s := &steps[i]
		near, least := 0.0, math.Inf(1)
		for _, id := range w.Doc.SortedViews() {
			v := w.Doc.Views[id]
			if d := float64(vec.Of(v.Eye).Sub(vec.Of(s.Eye)).Len()); d < least {
				near, least = v.EV, d
			}
		}
		way[i].Seconds = s.Second
		way[i].Held, _ = w.Doc.InZones(s.Eye, near)
		if w.pics[i].rgb != nil {
			way[i].Wanted = auto.Meter(w.pics[i].rgb, wide, high, nil)
		}
	}
	auto.Adapt(way)
	for i := range steps {
		s := &steps[i]
		s.Wanted, s.EV = way[i].Wanted, way[i].Held
		if w.Route.Adapts {
			s.EV = way[i].Adapted
		}
		s.Left = s.Wanted - s.EV
	}
}

const (
	asBlack = 0.03
	asWhite = 0.99
	// blackest is by how many stops under middle grey a target tells nothing apart any more.
	blackest = 6
)

// judge finds what depends on exposure, and on the steps ahead.
func (w *walker) judge(i int, steps []Step) {
	s, pic := &steps[i], &w.pics[i]
	if pic.rgb == nil {
		return
	}
	show := exposure.Display(w.curve, s.EV)
	var lum []float64
	for px := 0; px < 3*wide*high; px += 3 {
		y := colour.LuminanceAt(pic.rgb, px)
		lum = append(lum, y)
		switch v := show(y); {
		case v < asBlack:
			s.Dark += 1.0 / (wide * high)
		case v >= asWhite:
			s.Bright += 1.0 / (wide * high)
		}
	}
	slices.Sort(lum)
	r := shown{exposure.Middle / exposure.Factor(s.EV) * math.Exp2(-blackest), filter.White(show)}
	if !math.IsInf(r.most, 1) {
		s.Over = math.Log2(max(lum[len(lum)*99/100], 1e-9) / r.most)
	}
	w.paths(i, s, pic, r)
	s.Exit = w.nextExit(i, s, pic, r)
	for k, d := range Distances {
		s.Figure[k] = w.figureAt(i, d, s, pic, r)
	}
}

// shown are the luminances that are shown as black and as white.
type shown struct{ least, most float64 }

// log is a luminance in stops, as far as it is shown.
func (r shown) log(y float64) float64 { return math.Log2(min(max(y, r.least), r.most)) }

// figureAt looks for somebody so many metres ahead on the way.
func (w *walker) figureAt(i int, metres float64, s *Step, pic *picture, r shown) (f Figure) {
	f.Metres = metres
	k := i
	for k < len(w.way.Places) && w.way.Places[k].Metres < s.Metres+metres {
		k++
	}
	if k == len(w.way.Places) || w.pics[k].rgb == nil {
		return f
	}
	p := &w.way.Places[i]
	foot := w.way.Places[k].Ground
	chest := foot.Add(vec.V3{Y: 1.2})
	to := chest.Sub(p.Eye)
	dist := to.Len()
	if dist < 0.5 {
		return f
	}
	if m, ok := w.rest.Meets(p.Eye, to.Scale(1/dist), dist); ok && m.Dist < dist-0.3 {
		return f
	}
	cam := p.Camera()
	x0, y0, ok0 := project(&cam, foot.Add(vec.V3{Y: 1.75}))
	x1, y1, ok1 := project(&cam, foot)
	if !ok0 || !ok1 {
		return f
	}
	half := max((y1-y0)*0.14, 0.5)
	mid := (x0 + x1) / 2
	// What is behind its outline: a rim as wide as itself, at least two pixels.
	rim := max(2*half, 2)
	var behind vec.V3
	n, log := 0, 0.0
	for y := max(int(y0-rim/2), 0); y < min(int(math.Ceil(y1)), high); y++ {
		for x := max(int(mid-half-rim), 0); x < min(int(math.Ceil(mid+half+rim)), wide); x++ {
			if math.Abs(float64(x)+0.5-mid) < half && float64(y)+0.5 > y0 {
				continue
			}
			px := y*wide + x
			behind = behind.Add(pic.at(px))
			log += r.log(colour.LuminanceAt(pic.rgb, 3*px))
			n++
		}
	}
	if n < 4 {
		return f
	}
	f.Seen = true
	n2 := to.Scale(-1 / dist)
	t := w.rest.Tracer()
	lux := w.pics[k].facing(n2).Add(w.carriedTo(chest, n2, pic, t))
	t.Release()
	own := lux.Mul(w.figure.Tint).Scale(1 / math.Pi)
	f.Stops = r.log(colour.LuminanceOf(own)) - log/float64(n)
	f.Colour = colour.Difference(w.lab(own, s.EV), w.lab(behind.Scale(1/float32(n)), s.EV))
	return f
}

func (w *walker) lab(v vec.V3, ev float64) colour.Lab {
	k := exposure.Factor(ev)
	return colour.LabOf(colour.RGB{w.curve.Map(float64(v.X) * k), w.curve.Map(float64(v.Y) * k), w.curve.Map(float64(v.Z) * k)})
}

// project is where a place lies in a step's picture, in pixels; false behind the eye.
func project(cam *world.Camera, p vec.V3) (x, y float64, ok bool) {
	ahead := cam.Aim.Norm()
	right := ahead.Cross(cam.Up).Norm()
	up := right.Cross(ahead)
	d := p.Sub(cam.Eye)
	z := float64(d.Dot(ahead))
	if z < 0.1 {
		return 0, 0, false
	}
	t := math.Tan(cam.FovY / 2)
	return (float64(d.Dot(right))/z/t*high/wide + 1) / 2 * wide, (1 - float64(d.Dot(up))/z/t) / 2 * high, true
}

// Of the path ahead: how far it is looked for, how wide it is, and how far off walls count.
const (
	pathFar  = 9.0
	pathWide = 0.7
	wallFar  = 14.0
)

// paths compares the ground of the way ahead with the walls.
func (w *walker) paths(i int, s *Step, pic *picture, r shown) {
	var on []vec.V3
	for k := i + 1; k < len(w.way.Places) && w.way.Places[k].Metres < s.Metres+pathFar; k++ {
		on = append(on, w.way.Places[k].Ground)
	}
	path, wall, np, nw := 0.0, 0.0, 0, 0
	eye := w.way.Places[i].Eye
	for px := range wide * high {
		p := pic.pos[px]
		if math.IsInf(float64(p.X), 1) {
			continue
		}
		y := r.log(colour.LuminanceAt(pic.rgb, 3*px))
		up := pic.n[px].Y
		switch {
		case up > 0.7 && slices.ContainsFunc(on, func(q vec.V3) bool { return p.Sub(q).Len() < pathWide }):
			path += y
			np++
		case up < 0.4 && up > -0.4 && p.Sub(eye).Len() < wallFar:
			wall += y
			nw++
		}
	}
	if s.HasPath = np >= 6 && nw >= 6; s.HasPath {
		s.Path = path/float64(np) - wall/float64(nw)
	}
}
