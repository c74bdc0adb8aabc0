package probes

import (
	"cmp"
	"context"
	"fmt"
	"maps"
	"math"
	"slices"

	"willowherb/core/cache"
	"willowherb/core/colour"
	"willowherb/core/ground"
	"willowherb/core/light"
	"willowherb/core/setup"
	"willowherb/core/spread"
	"willowherb/core/vec"
	"willowherb/core/world"
)

// Kind says why a probe is there.
type Kind string

// Kinds of probe.
const (
	ByRule Kind = "rule" // over walkable ground
	Filled Kind = "box"  // in a box that is filled
	Set    Kind = "set"  // by hand
)

// Probe is a point of the field.
type Probe struct {
	Pos  vec.V3
	Kind Kind
	Name string // of its box, or its own
	// Reach is how far it is looked up from, in metres.
	Reach float64
	// Moved tells that it stood in something solid and was moved out.
	Moved bool
	SH    []SH // of each light, at unit output
	Near  [sides * sides]float32
	// Spread is the mean square of the distances of which Near is the mean.
	Spread [sides * sides]float32
}

// Field is the probes of a level.
type Field struct {
	Lights []string // ids, in the order of each probe's SH
	Probes []Probe
	// Dropped stood in something solid and could not be moved out of it.
	Dropped []vec.V3
	// Tried is how many places were tried for a denser probe, and were well enough told
	// without.
	Tried int

	cells map[[3]int32][]int32
	size  float64
}

// Order is what a field is made from.
type Order struct {
	World  *world.World // without movers
	Lights []*light.Light
	IDs    []string
	Whole  []bool
	Gains  []vec.V3 // by which what changes is judged
	Table  *cache.Table
	Rules  *setup.Bake
	Ground *ground.Ground
	Rays   int
	// Closer is by how much closer than is asked probes may stand where light changes; 0: 1.
	Closer int
	Known  *Sights // nil: nothing is
	// Workers: see spread.
	Workers int
}

// Rules of the field.
const (
	trialRays = 256
	coarse    = 4    // the widest spacing is so many times the asked
	changes   = 0.2  // by which share light must differ from what the others tell for a denser probe
	buried    = 0.25 // of the rays that meet backs, from which a probe lies in a solid
	mostOf    = 6000 // probes
	far       = 25.0 // metres on foot beyond which the widest spacing stays
	fills     = 2.0  // the same in boxes
	reaches   = 1.2  // how far a probe is looked up from, over how far they are apart
)

// Make places the probes and gathers them. Error: ctx ended.
func Make(ctx context.Context, o *Order) (*Field, error) {
	f := &Field{Lights: o.IDs, size: max(o.Rules.Apart*coarse*reaches, 1)}
	for step := float64(coarse); step >= 1/float64(max(o.Closer, 1)); step /= 2 {
		apart := o.Rules.Apart * step
		want := o.lattice(apart)
		if step < coarse {
			var err error
			if want, err = o.worth(ctx, f, want); err != nil {
				return nil, err
			}
		}
		for i := range want {
			want[i].Reach = apart * reaches
		}
		if err := o.gather(ctx, f, want); err != nil {
			return nil, err
		}
	}
	var more []Probe
	for _, id := range slices.Sorted(maps.Keys(o.Rules.Fill)) {
		b := o.Rules.Fill[id]
		more = append(more, o.fill(&b)...)
	}
	for _, id := range slices.Sorted(maps.Keys(o.Rules.Probes)) {
		p := o.Rules.Probes[id]
		more = append(more, Probe{Pos: vec.Of(p.Position), Kind: Set, Name: p.Name, Reach: o.Rules.Apart * 2})
	}
	return f, o.gather(ctx, f, more)
}

// lattice are the places over the ground that lie on a wider lattice, at each height.
func (o *Order) lattice(apart float64) (out []Probe) {
	if o.Ground == nil {
		return nil
	}
	step := max(int32(math.Round(apart/o.Ground.Cell)), 1)
	for i := range o.Ground.Spots {
		s := &o.Ground.Spots[i]
		if mod(s.I, step) != step/2 || mod(s.J, step) != step/2 {
			continue
		}
		if s.Walked > far && apart < o.Rules.Apart*coarse {
			continue
		}
		for _, h := range o.Rules.Heights {
			if h > 0 {
				out = append(out, Probe{Pos: s.Pos.Add(vec.V3{Y: float32(h)}), Kind: ByRule})
			}
		}
	}
	return out
}

func mod(a, b int32) int32 { return (a%b + b) % b }

// fill are the places in a box, as far apart as the field's.
func (o *Order) fill(b *setup.Box) (out []Probe) {
	var n [3]int
	for k := range n {
		n[k] = max(int(math.Round(b.Size[k]/o.Rules.Apart)), 1)
	}
	for n[0]*n[1]*n[2] > mostOf {
		for k := range n {
			n[k] = max(n[k]/2, 1)
		}
	}
	for i := range n[0] * n[1] * n[2] {
		at := [3]int{i % n[0], i / n[0] % n[1], i / n[0] / n[1]}
		var p [3]float64
		for k := range p {
			p[k] = b.Position[k] + b.Size[k]*((float64(at[k])+0.5)/float64(n[k])-0.5)
		}
		out = append(out, Probe{Pos: vec.Of(p), Kind: Filled, Name: b.Name, Reach: o.Rules.Apart * fills})
	}
	return out
}

// worth are those places where the probes that there are tell the light wrongly.
func (o *Order) worth(ctx context.Context, f *Field, want []Probe) ([]Probe, error) {
	keep := make([]bool, len(want))
	err := spread.With(ctx, len(want), o.Workers, func() (func(int), func()) {
		e := NewEye(o.World, o.Lights, o.Whole, o.Table)
		return func(i int) {
			p := want[i].Pos
			s := o.look(e, p, min(trialRays, o.Rays/2), nameOf(p))
			keep[i] = s.Backs > buried || o.differs(f, p, s, OpenIn(e.t))
		}, e.Release
	})
	var out []Probe
	for i, k := range keep {
		if k {
			out = append(out, want[i])
		}
	}
	f.Tried += len(want) - len(out)
	return out, err
}

// differs reports whether the field tells a place otherwise than was found there.
func (o *Order) differs(f *Field, p vec.V3, s *Sight, open Open) bool {
	var sum, off float64
	for a := range axes {
		told, ok := f.Lux(p, axes[a], o.Gains, open)
		if !ok {
			return true
		}
		var true3 vec.V3
		for l, g := range o.Gains {
			true3 = true3.Add(s.SH[l].Lux(axes[a]).Mul(g))
		}
		sum += colour.LuminanceOf(true3)
		off += math.Abs(colour.LuminanceOf(true3) - colour.LuminanceOf(told))
	}
	return off > changes*sum
}

func (o *Order) look(e *Eye, p vec.V3, rays int, name uint32) *Sight {
	if o.Known == nil {
		return e.At(p, rays, name, o.Table)
	}
	return e.Known(p, rays, name, o.Table, o.Known)
}

// nameOf names the random numbers of a place.
func nameOf(p vec.V3) uint32 {
	return math.Float32bits(p.X)*0x9e3779b1 ^ math.Float32bits(p.Y)*0x85ebca77 ^ math.Float32bits(p.Z)*0xc2b2ae3d
}

// gather works probes out and puts those that serve into the field.
func (o *Order) gather(ctx context.Context, f *Field, want []Probe) error {
	want = want[:min(len(want), mostOf-min(len(f.Probes), mostOf))]
	dropped := make([]bool, len(want))
	err := spread.With(ctx, len(want), o.Workers, func() (func(int), func()) {
		e := NewEye(o.World, o.Lights, o.Whole, o.Table)
		return func(i int) {
			p := &want[i]
			s := o.look(e, p.Pos, o.Rays, nameOf(p.Pos))
			for try := 0; s.Backs > buried && try < 3; try++ {
				// Out through what is seen from behind, which is nearest that way.
				d := s.Back.Norm()
				if d == (vec.V3{}) {
					break
				}
				m, ok := o.World.Meets(p.Pos, d, float32(o.Rules.Apart))
				if !ok {
					break
				}
				p.Pos, p.Moved = p.Pos.Add(d.Scale(m.Dist+0.1)), true
				s = o.look(e, p.Pos, o.Rays, nameOf(p.Pos))
			}
			dropped[i] = s.Backs > buried
			p.SH, p.Near, p.Spread = s.SH, s.Near, s.Spread
		}, e.Release
	})
	if err != nil {
		return err
	}
	for i := range want {
		if dropped[i] {
			f.Dropped = append(f.Dropped, want[i].Pos)
			continue
		}
		f.add(want[i])
	}
	return nil
}

func (f *Field) cell(p vec.V3) [3]int32 {
	floor := func(v float32) int32 { return int32(math.Floor(float64(v) / f.size)) }
	return [3]int32{floor(p.X), floor(p.Y), floor(p.Z)}
}

func (f *Field) add(p Probe) {
	if f.cells == nil {
		f.cells = map[[3]int32][]int32{}
	}
	k := f.cell(p.Pos)
	f.cells[k] = append(f.cells[k], int32(len(f.Probes)))
	f.Probes = append(f.Probes, p)
}

// Index makes a field that was read ready for looking up. Error: a probe does not fit.
func (f *Field) Index() error {
	f.size = 1
	for i := range f.Probes {
		p := &f.Probes[i]
		if len(p.SH) != len(f.Lights) || !p.Pos.Finite() || !(p.Reach > 0 && p.Reach <= 1000) {
			return fmt.Errorf("probe %d does not fit its field", i)
		}
		f.size = max(f.size, p.Reach)
	}
	all := f.Probes
	f.Probes, f.cells = nil, nil
	for _, p := range all {
		f.add(p)
	}
	return nil
}

// Weighed is a probe with its share in a look-up.
type Weighed struct {
	Probe int
	Share float32
}

// enough is the weight of closely set probes from which wider set ones say no more.
const enough = 0.1

// Open reports whether nothing stands between two places. Who looks up can ask the place
// itself, as a target does for each of its movers; nil: the distances that probes keep tell.
type Open func(a, b vec.V3) bool

// OpenIn asks a world by rays; one worker's.
func OpenIn(t *world.Tracer) Open {
	return func(a, b vec.V3) bool {
		d := b.Sub(a)
		l := d.Len()
		return l < 1e-3 || t.Passes(a, vec.V3{}, d.Scale(1/l), l) != vec.V3{}
	}
}

// asked is how many of the likeliest probes are asked whether they lie open.
const asked = 24

// Look finds the probes that tell of a surface at p that faces n, with their shares: near
// ones more, those behind the surface less, those that do not see p not at all. Where probes
// are set closely, wider set ones have no say. Empty where there are none. to is reused.
func (f *Field) Look(p, n vec.V3, open Open, to []Weighed) []Weighed {
	to = to[:0]
	at := f.cell(p)
	// A little off the surface, so that what lies on it is not hidden by it.
	q := p.Add(n.Scale(0.02))
	for i := at[0] - 1; i <= at[0]+1; i++ {
		for j := at[1] - 1; j <= at[1]+1; j++ {
			for k := at[2] - 1; k <= at[2]+1; k++ {
				for _, o := range f.cells[[3]int32{i, j, k}] {
					if w := f.Probes[o].weight(q, n, open == nil); w > 0 {
						to = append(to, Weighed{int(o), w})
					}
				}
			}
		}
	}
	if open != nil {
		slices.SortStableFunc(to, func(a, b Weighed) int { return cmp.Compare(b.Share, a.Share) })
		kept, n := to[:0], 0
		for _, w := range to {
			if n++; n > asked && len(kept) > 0 {
				break
			}
			if open(f.Probes[w.Probe].Pos, q) {
				kept = append(kept, w)
			}
		}
		to = kept
	}
	if len(to) == 0 {
		return f.nearest(p, to)
	}
	slices.SortStableFunc(to, func(a, b Weighed) int {
		return cmp.Or(cmp.Compare(f.Probes[a.Probe].Reach, f.Probes[b.Probe].Reach), cmp.Compare(a.Probe, b.Probe))
	})
	var sum, finer, level float32
	for i := range to {
		if i > 0 && f.Probes[to[i].Probe].Reach > f.Probes[to[i-1].Probe].Reach {
			finer, level = finer+level, 0
		}
		level += to[i].Share
		to[i].Share *= max(1-finer/enough, 0)
		sum += to[i].Share
	}
	for i := range to {
		to[i].Share /= sum
	}
	to = slices.DeleteFunc(to, func(w Weighed) bool { return w.Share < 1e-4 })
	f.straighten(p, to)
	return to
}

// steady is the part of how far probes lie from their middle that is taken for chance: what lies
// nearly in a plane tells nothing of what is beyond it.
const steady = 0.2

// straighten changes shares, whose sum is 1, so that their middle is p: light that changes evenly
// from place to place is told as it is (local linear regression, with a ridge). No share gets
// under 0.
func (f *Field) straighten(p vec.V3, to []Weighed) {
	if len(to) < 2 {
		return
	}
	var m vec.V3
	for _, w := range to {
		m = m.Add(f.Probes[w.Probe].Pos.Sub(p).Scale(w.Share))
	}
	var c [3][3]float64
	for _, w := range to {
		d := f.Probes[w.Probe].Pos.Sub(p).Sub(m).Array()
		for i := range 3 {
			for j := range 3 {
				c[i][j] += float64(w.Share) * d[i] * d[j]
			}
		}
	}
	ridge := steady * (c[0][0] + c[1][1] + c[2][2]) / 3
	for i := range 3 {
		c[i][i] += ridge + 1e-6
	}
	k := solve3(c, m.Array())
	var sum float32
	for i := range to {
		d := f.Probes[to[i].Probe].Pos.Sub(p).Sub(m)
		to[i].Share *= max(1-d.Dot(vec.Of(k)), 0)
		sum += to[i].Share
	}
	for i := range to {
		to[i].Share /= max(sum, 1e-12)
	}
}

// solve3 is x of c x = m, for a c that is symmetric and positive (Cramer's rule).
func solve3(c [3][3]float64, m [3]float64) (x [3]float64) {
	det := func(c [3][3]float64) float64 {
		return c[0][0]*(c[1][1]*c[2][2]-c[1][2]*c[2][1]) - c[0][1]*(c[1][0]*c[2][2]-c[1][2]*c[2][0]) + c[0][2]*(c[1][0]*c[2][1]-c[1][1]*c[2][0])
	}
	d := det(c)
	for k := range 3 {
		a := c
		for i := range 3 {
			a[i][k] = m[i]
		}
		x[k] = det(a) / d
	}
	return x
}

// nearest is the nearest probe alone, as far as one could be meant.
func (f *Field) nearest(p vec.V3, to []Weighed) []Weighed {
	best, d := -1, float32(math.Inf(1))
	for i := range f.Probes {
		if l := f.Probes[i].Pos.Sub(p).Len(); l < d {
			best, d = i, l
		}
	}
	if best < 0 {
		return to
	}
	return append(to, Weighed{best, 1})
}

// hidden is how little a probe may be likely to see a place and still tell of it.
const hidden = 0.2

// weight of a probe for a place: falls to nothing at its reach, and, where that is not asked
// otherwise, by how likely it is that it sees the place (variance shadow maps, Donnelly and
// Lauritzen 2006, over directions).
func (b *Probe) weight(p, n vec.V3, unseen bool) float32 {
	d := p.Sub(b.Pos)
	l := d.Len()
	k := 1 - l/float32(b.Reach)
	if k <= 0 {
		return 0
	}
	w := k * k
	if l < 1e-4 {
		return w
	}
	u := d.Scale(1 / l)
	// What lies behind the surface tells less of it.
	c := 0.5 - 0.5*u.Dot(n)
	w *= c*c + 0.1
	if o := fold(u); unseen && l > b.Near[o] {
		mean := b.Near[o]
		v := max(b.Spread[o]-mean*mean, 0.0004*mean*mean)
		g := l - mean
		seen := v / (v + g*g)
		if seen < hidden {
			return 0
		}
		w *= seen * seen * seen
	}
	return w
}

// Lux is the irradiance on a surface at p that faces n, with the lights at some gains; false
// where no probe tells.
func (f *Field) Lux(p, n vec.V3, gains []vec.V3, open Open) (e vec.V3, ok bool) {
	var room [64]Weighed
	sh, ok := f.At(p, n, gains, open, room[:0])
	return sh.Lux(n), ok
}

// At is the irradiance from all sides as a mover at p would be lit, facing n.
func (f *Field) At(p, n vec.V3, gains []vec.V3, open Open, room []Weighed) (sum SH, ok bool) {
	for _, w := range f.Look(p, n, open, room) {
		ok = true
		b := &f.Probes[w.Probe]
		for l, g := range gains {
			if g != (vec.V3{}) {
				sum.Add(&b.SH[l], g.Scale(w.Share))
			}
		}
	}
	return sum, ok
}

// Fault is how wrong the field is at a place: the mean difference over six sides, as a share
// of what arrives there.
type Fault struct {
	Pos   vec.V3
	Share float64
}

// Along measures the field at places, against what is gathered there; the worst first.
func (o *Order) Along(ctx context.Context, f *Field, at []vec.V3, rays int) ([]Fault, error) {
	out := make([]Fault, len(at))
	err := spread.With(ctx, len(at), o.Workers, func() (func(int), func()) {
		e := NewEye(o.World, o.Lights, o.Whole, o.Table)
		return func(i int) {
			s := o.look(e, at[i], rays, nameOf(at[i])+1)
			var sum, off float64
			for a := range axes {
				told, _ := f.Lux(at[i], axes[a], o.Gains, OpenIn(e.t))
				var is vec.V3
				for l, g := range o.Gains {
					is = is.Add(s.Six[l][a].Mul(g))
				}
				sum += colour.LuminanceOf(is)
				off += math.Abs(colour.LuminanceOf(is) - colour.LuminanceOf(told))
			}
			out[i] = Fault{at[i], off / max(sum, 1e-9)}
		}, e.Release
	})
	slices.SortStableFunc(out, func(a, b Fault) int { return cmp.Compare(b.Share, a.Share) })
	return out, err
}
