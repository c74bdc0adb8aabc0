package probes

import (
	"math"

	"willowherb/core/cache"
	"willowherb/core/film"
	"willowherb/core/light"
	"willowherb/core/path"
	"willowherb/core/sampling"
	"willowherb/core/vec"
	"willowherb/core/world"
)

// Eye gathers what arrives at points; one worker's.
type Eye struct {
	w      *world.World
	t      *world.Tracer
	k      *path.Walker
	lights []*light.Light
	whole  []bool
	on     []bool // the lights that are gathered
}

// asks is how many times each lamp is asked for.
const asks = 16

// NewEye returns an eye among the lights of a world without movers: of those that are whole,
// direct light too. table is what the light cache knows of the lights; nil follows whole paths.
func NewEye(w *world.World, lights []*light.Light, whole []bool, table *cache.Table) *Eye {
	e := &Eye{w: w, t: w.Tracer(), k: path.NewWalker(w, lights), lights: lights, whole: whole, on: make([]bool, len(lights))}
	e.k.With(table, 0)
	return e
}

// Release gives back what the eye holds of its world.
func (e *Eye) Release() {
	e.t.Release()
	e.k.Release()
}

// Sight is what an eye found at a point.
type Sight struct {
	// SH is the irradiance of each light at unit output, in lux.
	SH []SH
	// Six is the same towards +X, -X, +Y, -Y, +Z and -Z, found without harmonics.
	Six [][6]vec.V3
	// Backs is the share of rays that met the back of a surface: the point lies in a solid.
	Backs float64
	// Near and Spread are the mean distance of what is seen, in metres, and the mean of its
	// square, for each part of an octahedron laid flat (Cigolle et al. 2014).
	Near, Spread [sides * sides]float32
	// Back is the mean way, out of the solid, to what was met from behind.
	Back vec.V3
}

// sides of the flat octahedron.
const sides = 8

// farthest that a probe's sight is told, in metres.
const farthest = 100

var axes = [6]vec.V3{{X: 1}, {X: -1}, {Y: 1}, {Y: -1}, {Z: 1}, {Z: -1}}

// At gathers n rays at a point; name names its random numbers. table tells the half of the
// cache by turns.
func (e *Eye) At(p vec.V3, n int, name uint32, table *cache.Table) *Sight {
	all := make([]bool, len(e.lights))
	for i := range all {
		all[i] = true
	}
	return e.gather(p, n, name, table, all)
}

// Known is At, of what is not among the sights.
func (e *Eye) Known(p vec.V3, n int, name uint32, table *cache.Table, of *Sights) *Sight {
	k := spotOf(p, n, name)
	out := &Sight{SH: make([]SH, len(e.lights)), Six: make([][6]vec.V3, len(e.lights))}
	lacks, many := of.known(k, out)
	if many > 0 || len(e.lights) == 0 {
		fresh := e.gather(p, n, name, table, lacks)
		for i := range e.lights {
			if !lacks[i] {
				fresh.SH[i], fresh.Six[i] = out.SH[i], out.Six[i]
			}
		}
		out = fresh
	}
	of.keep(k, out, lacks)
	return out
}

// gather is At for some of the lights.
func (e *Eye) gather(p vec.V3, n int, name uint32, table *cache.Table, on []bool) *Sight {
	out := &Sight{SH: make([]SH, len(e.lights)), Six: make([][6]vec.V3, len(e.lights))}
	copy(e.on, on)
	e.k.Ask(e.on, nil)
	var hits [sides * sides]float32
	each := float32(4 * math.Pi / float64(n))
	backs := 0
	for i := range n {
		e.k.With(table, i&1)
		e.k.Begin(0x70726f62, name, uint32(i))
		s := e.k.Around(p)
		g := e.k.Gather(nil, s)
		far := min(g.Dist, farthest)
		if g.Back {
			backs++
			out.Back = out.Back.Add(s.D.Scale(1 / max(far, 0.01)))
			far = 0
		}
		o := fold(s.D)
		hits[o]++
		out.Near[o] += far
		out.Spread[o] += far * far
		for l := range e.lights {
			if !e.on[l] {
				continue
			}
			f := e.k.Found(l)
			v := f[film.Bounced].Add(f[film.BouncedSharp])
			if e.whole[l] && e.lights[l].Shows() {
				v = v.Add(f[film.Direct]).Add(f[film.DirectSharp]).Add(f[film.Met]).Add(f[film.Reflected])
			}
			if v != (vec.V3{}) {
				out.take(l, s.D, v.Scale(each))
			}
		}
	}
	out.Backs = float64(backs) / float64(n)
	e.lamps(p, name, out)
	out.even(&hits)
	return out
}

func (s *Sight) take(light int, d, v vec.V3) {
	s.SH[light].Take(d, v)
	for a := range axes {
		if c := axes[a].Dot(d); c > 0 {
			s.Six[light][a] = s.Six[light][a].Add(v.Scale(c))
		}
	}
}

// lamps asks for what lamps and the sun send straight to the point.
func (e *Eye) lamps(p vec.V3, name uint32, out *Sight) {
	for l, src := range e.lights {
		if !e.on[l] || !e.whole[l] || src.Shows() || !src.Reaches(p, vec.V3{}) {
			continue
		}
		n := asks
		if src.Small() && src.Radius == 0 && src.Length == 0 {
			n = 1
		}
		owner := sampling.Owner(src.ID)
		for i := range n {
			r := sampling.New(0x6c616d70, name, uint32(i))
			s, ok := src.Sample(p, vec.V3{}, r.Pair(owner))
			if !ok {
				continue
			}
			v := s.Weight.Scale((1 - src.NoDiffuse) / float32(n))
			if src.Shadow {
				v = v.Mul(e.t.Passes(p, vec.V3{}, s.Dir, s.Clear))
			}
			if v.Finite() && v != (vec.V3{}) {
				out.take(l, s.Dir, v)
			}
		}
	}
}

// even makes means of the distances; parts that no ray came to are as those about them.
func (s *Sight) even(hits *[sides * sides]float32) {
	var all, sq, n float32
	for o := range hits {
		all, sq, n = all+s.Near[o], sq+s.Spread[o], n+hits[o]
	}
	for o := range hits {
		if hits[o] > 0 {
			s.Near[o], s.Spread[o] = s.Near[o]/hits[o], s.Spread[o]/hits[o]
		} else {
			s.Near[o], s.Spread[o] = all/n, sq/n
		}
	}
}

// fold is the part of the flat octahedron that a direction lies in.
func fold(d vec.V3) int {
	u, v := flat(d)
	x, y := min(int(u*sides), sides-1), min(int(v*sides), sides-1)
	return y*sides + x
}

func flat(d vec.V3) (u, v float32) {
	k := 1 / (abs(d.X) + abs(d.Y) + abs(d.Z))
	x, y := d.X*k, d.Z*k
	if d.Y < 0 {
		x, y = (1-abs(y))*sign(x), (1-abs(x))*sign(y)
	}
	return x*0.5 + 0.5, y*0.5 + 0.5
}

func abs(x float32) float32 { return max(x, -x) }

func sign(x float32) float32 {
	if x < 0 {
		return -1
	}
	return 1
}
