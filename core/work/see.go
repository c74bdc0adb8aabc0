package work

import (
	"cmp"
	"context"
	"maps"
	"math"
	"slices"
	"willowherb/core/target"

	"willowherb/core/scene"
	"willowherb/core/spread"
	"willowherb/core/trace"
	"willowherb/core/vec"
	"willowherb/core/world"
)

// per is how many samples a tile has along each side.
const per = 2

// layersMost bounds how many surfaces are looked for behind one another.
const layersMost = 64

// Place is what a frame is made of, whatever lights it.
type Place struct {
	World *world.World
	// Moves tells the objects that move at run time, ByProbes those of the others that have no
	// lightmap; nil for none.
	Moves, ByProbes []bool
	draws           []int
}

// NewPlace prepares a place.
func NewPlace(w *world.World, moves, byProbes []bool) *Place {
	return &Place{World: w, Moves: moves, ByProbes: byProbes, draws: draws(w.S)}
}

func (p *Place) moves(object int) bool { return p.Moves != nil && p.Moves[object] }

func (p *Place) mapped(object int) bool {
	return !p.moves(object) && (p.ByProbes == nil || !p.ByProbes[object])
}

// Sample is a surface under a sample of the picture.
type Sample struct {
	Pos, N vec.V3 // N on the viewer's side
	Z      float32
	Object uint32
}

// cell is a part of the picture with one list of lights: a tile, or a cluster of one.
type cell struct {
	lo, hi  vec.V3 // in the camera's axes
	samples []Sample
	through []Sample
}

// Seen is what a camera sees of a place: what of the work does not depend on lights.
type Seen struct {
	How    target.Method
	Cam    world.Camera
	Aspect float64
	// Weight is how many of the target's samples each sample stands for.
	Weight           float64
	Own              target.Counts // without lights
	cells            []cell
	place            *Place
	inView           []int
	right, up, ahead vec.V3
}

// Samples are the solid surfaces that are shaded.
func (s *Seen) Samples(do func(*Sample)) {
	for i := range s.cells {
		for k := range s.cells[i].samples {
			do(&s.cells[i].samples[k])
		}
	}
}

// See looks at a place through a camera, at every tile, or at each every-th across and
// down of them: 1 is exact, 4 is sixteen times quicker. Error: ctx ended.
func (p *Place) See(ctx context.Context, cam world.Camera, how target.Method, every, workers int) (*Seen, error) {
	s := &Seen{How: how, Cam: cam, Aspect: float64(how.Width) / float64(how.Height), place: p}
	w := p.World
	s.axes()
	s.cull()
	order := s.order()
	across, down := (how.Width+how.Tile-1)/how.Tile, (how.Height+how.Tile-1)/how.Tile
	every = max(every, 1)
	wide, high := (across+every-1)/every, (down+every-1)/every
	type rows struct {
		own   target.Counts
		cells []cell
	}
	parts := make([]rows, high)
	err := spread.With(ctx, high, workers, func() (func(int), func()) {
		l := &looker{s: s, t: w.Tracer(), order: order}
		return func(j int) {
			p := &parts[j]
			for i := range wide {
				p.cells = append(p.cells, l.tile(tileOf(i, every, across), tileOf(j, every, down), &p.own)...)
			}
		}, l.t.Release
	})
	if err != nil {
		return nil, err
	}
	for i := range parts {
		s.Own.Add(&parts[i].own)
		s.cells = append(s.cells, parts[i].cells...)
	}
	s.Weight = float64(how.Width*how.Height) / s.Own[target.Pixels]
	for _, c := range []target.Count{target.Fragments, target.Through} {
		s.Own[c] *= s.Weight
	}
	s.Own[target.Frames], s.Own[target.Pixels] = 1, float64(how.Width*how.Height)
	s.Own[target.Draws], s.Own[target.Triangles] = 0, 0
	for _, i := range s.inView {
		s.Own[target.Draws] += float64(s.place.draws[i])
		s.Own[target.Triangles] += float64(w.S.Objects[i].Count)
	}
	return s, nil
}

// tileOf is the i-th tile that is asked for, in the middle of those it stands for.
func tileOf(i, every, all int) int { return min(i*every+every/2, all-1) }

func (s *Seen) axes() {
	s.ahead = s.Cam.Aim.Norm()
	s.right = s.ahead.Cross(s.Cam.Up).Norm()
	if s.right == (vec.V3{}) {
		s.right, _ = vec.Basis(s.ahead)
	}
	s.up = s.right.Cross(s.ahead)
}

// local takes a place into the camera's axes: right, up, ahead.
func (s *Seen) local(p vec.V3) vec.V3 {
	d := p.Sub(s.Cam.Eye)
	return vec.V3{X: d.Dot(s.right), Y: d.Dot(s.up), Z: d.Dot(s.ahead)}
}

// cull finds the objects whose boxes lie in the view, and how often each is drawn.
func (s *Seen) cull() {
	sc := s.place.World.S
	for i := range sc.Objects {
		if d := s.place.World.Duty(i); d != world.Fixed && d != world.Moving || sc.Objects[i].Count == 0 {
			continue
		}
		if s.sees(sc.Objects[i].Lo, sc.Objects[i].Hi) {
			s.inView = append(s.inView, i)
		}
	}
}

// sees reports whether no side of the view has all of a box beyond it.
func (s *Seen) sees(lo, hi vec.V3) bool {
	t := math.Tan(s.Cam.FovY / 2)
	tx, ty := float32(t*s.Aspect), float32(t)
	var out [5]int
	for k := range 8 {
		p := lo
		if k&1 > 0 {
			p.X = hi.X
		}
		if k&2 > 0 {
			p.Y = hi.Y
		}
		if k&4 > 0 {
			p.Z = hi.Z
		}
		c := s.local(p)
		for f, beyond := range [5]bool{c.Z < 0, c.X > tx*c.Z, -c.X > tx*c.Z, c.Y > ty*c.Z, -c.Y > ty*c.Z} {
			if beyond {
				out[f]++
			}
		}
	}
	return !slices.Contains(out[:], 8)
}

// draws is how many draws each object of a scene takes: one for each of its materials.
func draws(sc *scene.Scene) []int {
	out := make([]int, len(sc.Objects))
	for i := range sc.Objects {
		o := &sc.Objects[i]
		var seen []uint16
		for k := o.First; k < o.First+o.Count && k < len(sc.Mat); k++ {
			if m := sc.Mat[k]; len(seen) == 0 || seen[len(seen)-1] != m && !slices.Contains(seen, m) {
				seen = append(seen, m)
			}
		}
		out[i] = len(seen)
	}
	return out
}

// order is the place of each object when they are drawn by how near their middles are.
func (s *Seen) order() []int32 {
	sc := s.place.World.S
	by := make([]int, len(sc.Objects))
	far := make([]float32, len(by))
	for i := range by {
		by[i], far[i] = i, s.local(vec.Lerp(sc.Objects[i].Lo, sc.Objects[i].Hi, 0.5)).Len()
	}
	slices.SortStableFunc(by, func(a, b int) int { return cmp.Compare(far[a], far[b]) })
	out := make([]int32, len(by))
	for k, i := range by {
		out[i] = int32(k)
	}
	return out
}

// looker is one worker's look.
type looker struct {
	s      *Seen
	t      *world.Tracer
	order  []int32
	layers []layer
}

type layer struct {
	Sample
	at    float32
	order int32
}

// tile looks at a tile's samples and makes its cells.
func (l *looker) tile(x, y int, own *target.Counts) (out []cell) {
	how := &l.s.How
	deep := 1
	if how.Way == target.Clusters {
		deep = how.Slices
	}
	cells := map[int]*cell{}
	put := func(k int) *cell {
		c := cells[k]
		if c == nil {
			c = &cell{lo: vec.V3{Z: float32(math.Inf(1))}}
			cells[k] = c
		}
		return c
	}
	side := float32(how.Tile)
	left, top := float32(x)*side, float32(y)*side
	wide, high := min(side, float32(how.Width)-left), min(side, float32(how.Height)-top)
	for j := range per {
		for i := range per {
			px, py := left+side*(float32(i)+0.5)/per, top+side*(float32(j)+0.5)/per
			if px >= float32(how.Width) || py >= float32(how.Height) {
				continue // beyond the edge of the picture
			}
			own[target.Pixels]++
			d := l.s.Cam.Ray(px, py, how.Width, how.Height)
			l.look(d)
			l.pick(own, func(p Sample, through bool) {
				k := 0
				switch {
				case how.Way == target.Objects:
					k = int(p.Object)
				case deep > 1:
					k = how.Slice(float64(p.Z))
				}
				c := put(k)
				if through {
					c.through = append(c.through, p)
				} else {
					c.samples = append(c.samples, p)
				}
				c.lo.Z, c.hi.Z = min(c.lo.Z, p.Z), max(c.hi.Z, p.Z)
			})
		}
	}
	if len(cells) == 0 {
		return nil
	}
	t := float32(math.Tan(l.s.Cam.FovY / 2))
	tx := t * float32(l.s.Aspect)
	x0, x1 := (2*left/float32(how.Width)-1)*tx, (2*(left+wide)/float32(how.Width)-1)*tx
	y1, y0 := (1-2*top/float32(how.Height))*t, (1-2*(top+high)/float32(how.Height))*t
	for _, k := range slices.Sorted(maps.Keys(cells)) {
		c := cells[k]
		switch {
		case how.Way == target.Objects:
			o := &l.s.place.World.S.Objects[k]
			c.lo, c.hi = o.Lo, o.Hi
		default:
			if deep > 1 {
				c.lo.Z, c.hi.Z = float32(how.SliceAt(k)), float32(how.SliceAt(k+1))
			}
			c.lo.X, c.hi.X = min(x0*c.lo.Z, x0*c.hi.Z), max(x1*c.lo.Z, x1*c.hi.Z)
			c.lo.Y, c.hi.Y = min(y0*c.lo.Z, y0*c.hi.Z), max(y1*c.lo.Z, y1*c.hi.Z)
		}
		out = append(out, *c)
	}
	return out
}

// look finds all surfaces along a direction.
func (l *looker) look(d vec.V3) {
	l.layers = l.layers[:0]
	s := l.s
	eye := s.Cam.Eye
	r := trace.Ray{O: eye, D: d, Min: eye.Rounding(), Max: float32(math.Inf(1))}
	for range layersMost {
		tri, h, ok := l.t.First(r, world.Even)
		if !ok {
			return
		}
		pos := eye.Add(d.Scale(h.T))
		r.Min = h.T + pos.Rounding()
		sc := s.place.World.S
		_, n := sc.Area(tri)
		m := &sc.Materials[sc.Mat[tri]]
		if n.Dot(d) > 0 {
			if !m.DoubleSided {
				continue
			}
			n = n.Neg()
		}
		o := sc.Obj[tri]
		l.layers = append(l.layers, layer{Sample{pos, n, d.Dot(s.ahead) * h.T, o}, h.T, l.order[o]})
		if seeThrough(m) {
			l.layers[len(l.layers)-1].order = -1
		}
	}
}

// seeThrough tells the materials that are drawn over what is behind them.
func seeThrough(m *scene.Material) bool { return m.Alpha == scene.Blend || m.Transmission > 0 }

// pick draws what was found in the order in which a target does: solid things by how near
// their objects are, each sample that passes the depth test; then what is see-through.
func (l *looker) pick(own *target.Counts, put func(p Sample, through bool)) {
	depth := float32(math.Inf(1))
	solid := -1
	for i := range l.layers {
		if l.layers[i].order >= 0 {
			depth, solid = l.layers[i].at, i
			break
		}
	}
	for i := range l.layers {
		if l.layers[i].order < 0 && l.layers[i].at < depth {
			own[target.Through]++
			put(l.layers[i].Sample, true)
		}
	}
	if solid < 0 {
		return
	}
	// Along a ray they come from near to far: one passes if nothing that is drawn before it is nearer.
	least := int32(math.MaxInt32)
	for i := range l.layers {
		y := &l.layers[i]
		if y.order < 0 || y.order >= least {
			continue
		}
		least = y.order
		own[target.Fragments]++
		if i == solid || l.s.How.Way == target.Objects {
			put(y.Sample, false)
		}
	}
}
