// Package mirrors makes reflection probes: what is seen from a place as a panorama, one layer
// for each light of unit output, so that levels and colours stay live; blurred for roughness
// once the layers are summed; and looked up from elsewhere in its box or sphere with parallax
// allowed for.
package mirrors

import (
	"context"
	"math"
	"slices"

	"willowherb/core/cache"
	"willowherb/core/colour"
	"willowherb/core/film"
	"willowherb/core/light"
	"willowherb/core/path"
	"willowherb/core/setup"
	"willowherb/core/spread"
	"willowherb/core/trace"
	"willowherb/core/vec"
	"willowherb/core/world"
)

// Mirror is a captured reflection probe. Its panorama is latitude-longitude, 2 Pixels across,
// the top row overhead, -Z in the middle, +X to the right.
type Mirror struct {
	setup.Mirror
	ID     string
	Lights []string
	Layers [][]float32 // of each light, RGB in cd/m2 at unit output; nil for nothing
}

// direction of the middle of a pixel.
func direction(x, y float64, h int) vec.V3 {
	s, c := math.Sincos(math.Pi * y / float64(h))
	a, b := math.Sincos(math.Pi * (x/float64(h) - 1))
	return vec.New(s*a, c, -s*b)
}

// place of a direction, in pixels.
func place(d vec.V3, h int) (x, y float32) {
	u := math.Atan2(float64(d.X), float64(-d.Z))/math.Pi + 1
	v := math.Acos(float64(min(max(d.Y, -1), 1))) / math.Pi
	return float32(u * float64(h)), float32(v * float64(h))
}

// Capture takes the panorama of a probe: so many samples a pixel among the lights of a world
// without movers, of those that are wanted (nil: all); what it finds of a light is the same bits
// alone and in company. table is what the light cache knows of them, or nil. Error: ctx ended.
func Capture(ctx context.Context, w *world.World, m setup.Mirror, lights []*light.Light, want []bool, table *cache.Table, samples, workers int) (*Mirror, error) {
	h := m.Pixels
	out := &Mirror{Mirror: m, Layers: make([][]float32, len(lights))}
	var on []int
	for i := range out.Layers {
		if want == nil || want[i] {
			out.Layers[i] = make([]float32, 3*2*h*h)
			on = append(on, i)
		}
	}
	at := vec.Of(m.Position)
	err := spread.With(ctx, h, workers, func() (func(int), func()) {
		k := path.NewWalker(w, lights)
		if want != nil {
			k.Ask(want, nil)
		}
		return func(y int) {
			trace.Settle()
			for x := range 2 * h {
				p := y*2*h + x
				for n := range samples {
					k.With(table, n&1)
					k.Begin(0x6d697272, uint32(p), uint32(n))
					// Even steps over the pixel are enough: what is blurred more is what is mirrored.
					j := float64(n%4)/4 + 0.125
					i := float64(n/4%4)/4 + 0.125
					k.Follow(path.Segment{O: at, D: direction(float64(x)+i, float64(y)+j, h), Through: vec.Splat(1), Channels: 0xff, Matt: vec.Splat(1)})
					for _, l := range on {
						f := k.Found(l)
						var v vec.V3
						for kind := range film.Kinds {
							if kind != film.Air {
								v = v.Add(f[kind])
							}
						}
						if v != (vec.V3{}) {
							o := out.Layers[l][3*p:]
							o[0], o[1], o[2] = o[0]+v.X/float32(samples), o[1]+v.Y/float32(samples), o[2]+v.Z/float32(samples)
						}
					}
				}
			}
		}, k.Release
	})
	for i, y := range out.Layers {
		if !slices.ContainsFunc(y, func(v float32) bool { return v != 0 }) {
			out.Layers[i] = nil
		}
	}
	return out, err
}

// Bytes that the target keeps of it: half-size steps of blur, eight bytes a pixel.
func (m *Mirror) Bytes() int { return 2 * m.Pixels * m.Pixels * 8 * 4 / 3 }

// Shown is a probe with its lights at some levels, ready to be looked up.
type Shown struct {
	m      *Mirror
	levels []level // the first is sharp
}

type level struct {
	h     int
	rgb   []float32
	alpha float32
}

// steps of roughness that are kept, as alpha.
var steps = []float32{0, 0.06, 0.16, 0.32, 0.6, 1}

// Sum puts a probe's lights together and blurs it for the steps of roughness.
func (m *Mirror) Sum(gains []vec.V3, workers int) *Shown {
	h := m.Pixels
	sharp := make([]float32, 3*2*h*h)
	for l, y := range m.Layers {
		if g := gains[l]; y != nil && g != (vec.V3{}) {
			for p := 0; p < len(sharp); p += 3 {
				sharp[p] += g.X * y[p]
				sharp[p+1] += g.Y * y[p+1]
				sharp[p+2] += g.Z * y[p+2]
			}
		}
	}
	s := &Shown{m: m, levels: []level{{h, sharp, 0}}}
	for k, a := range steps[1:] {
		s.levels = append(s.levels, s.blurred(max(h>>(k/2+1), 8), a, workers))
	}
	return s
}

// blurred is the panorama as a surface of this roughness shows it, seen square on: weighed by
// the distribution of its facets (GGX) times the cosine (Karis 2013).
func (s *Shown) blurred(h int, alpha float32, workers int) level {
	out := level{h, make([]float32, 3*2*h*h), alpha}
	const n = 96
	a2 := float64(alpha * alpha)
	type lobe struct {
		d vec.V3 // about +Y
		w float32
	}
	var lobes []lobe
	for i := range n {
		u, v := (float64(i)+0.5)/n, math.Mod(float64(i)*0.61803398875, 1)
		c := math.Sqrt((1 - u) / (1 + (a2-1)*u)) // of the half vector
		st := math.Sqrt(max(1-c*c, 0))
		up := 2*c*c - 1 // of the reflected direction
		if up <= 0 {
			continue
		}
		sin, cos := math.Sincos(2 * math.Pi * v)
		lobes = append(lobes, lobe{vec.New(2*c*st*cos, up, 2*c*st*sin), float32(up)})
	}
	src := &s.levels[0]
	if alpha > 0.3 {
		src = &s.levels[1] // fewer pixels, so that few directions miss nothing
	}
	_ = spread.Over(context.Background(), h, workers, func(y int) {
		for x := range 2 * h {
			n := direction(float64(x)+0.5, float64(y)+0.5, h)
			t, b := vec.Basis(n)
			var sum vec.V3
			var all float32
			for _, l := range lobes {
				d := t.Scale(l.d.X).Add(b.Scale(l.d.Z)).Add(n.Scale(l.d.Y))
				sum, all = sum.Add(src.at(d).Scale(l.w)), all+l.w
			}
			o := 3 * (y*2*h + x)
			out.rgb[o], out.rgb[o+1], out.rgb[o+2] = sum.X/all, sum.Y/all, sum.Z/all
		}
	})
	return out
}

func (l *level) at(d vec.V3) vec.V3 {
	x, y := place(d, l.h)
	x, y = x-0.5, min(max(y-0.5, 0), float32(l.h-1))
	w := 2 * l.h
	if x < 0 {
		x += float32(w)
	}
	i, j := int(x), int(y)
	a, b := x-float32(i), y-float32(j)
	px := func(i, j int) vec.V3 {
		p := l.rgb[3*(min(j, l.h-1)*w+i%w):]
		return vec.V3{X: p[0], Y: p[1], Z: p[2]}
	}
	return vec.Lerp(vec.Lerp(px(i, j), px(i+1, j), a), vec.Lerp(px(i, j+1), px(i+1, j+1), a), b)
}

// Holds reports whether a place lies in the probe's box or sphere.
func (m *Mirror) Holds(p vec.V3) bool {
	if m.Sphere {
		return float64(p.Sub(vec.Of(m.Middle)).Len()) <= m.Size[0]/2
	}
	b := setup.Box{Position: m.Middle, Size: m.Size}
	return b.Holds(p)
}

// Volume in cubic metres: of the probes that hold a place, the smallest tells it.
func (m *Mirror) Volume() float64 {
	if m.Sphere {
		return math.Pi / 6 * math.Pow(m.Size[0], 3)
	}
	return m.Size[0] * m.Size[1] * m.Size[2]
}

// Corrected is the direction from the probe to where the way from p along d meets the walls
// of its box or sphere.
func (m *Mirror) Corrected(p, d vec.V3) vec.V3 {
	far := m.leaves(p, d)
	if far <= 0 {
		return d
	}
	q := p.Add(d.Scale(far)).Sub(vec.Of(m.Position)).Norm()
	if q == (vec.V3{}) {
		return d
	}
	return q
}

func (m *Mirror) leaves(p, d vec.V3) float32 {
	o := p.Sub(vec.Of(m.Middle))
	if m.Sphere {
		r := float32(m.Size[0] / 2)
		b := o.Dot(d)
		if q := b*b - o.Dot(o) + r*r; q > 0 {
			return float32(math.Sqrt(float64(q))) - b
		}
		return 0
	}
	far := float32(math.Inf(1))
	for k := range 3 {
		if v := d.At(k); v != 0 {
			half := float32(m.Size[k] / 2)
			if v < 0 {
				half = -half
			}
			far = min(far, (half-o.At(k))/v)
		}
	}
	return far
}

// Towards is what the probe shows from p along d to a surface of roughness alpha, in cd/m2.
func (s *Shown) Towards(p, d vec.V3, alpha float32) vec.V3 {
	d = s.m.Corrected(p, d)
	k := 0
	for k < len(s.levels)-2 && s.levels[k+1].alpha < alpha {
		k++
	}
	a, b := &s.levels[k], &s.levels[k+1]
	t := min(max((alpha-a.alpha)/(b.alpha-a.alpha), 0), 1)
	return vec.Lerp(a.at(d), b.at(d), t)
}

// Probe is the one that it shows.
func (s *Shown) Probe() *Mirror { return s.m }

// Chosen is the probe that tells a place: the smallest that holds it, else the nearest; nil
// where there are none.
func Chosen(all []*Shown, p vec.V3) (best *Shown) {
	least := math.Inf(1)
	for _, s := range all {
		if s.m.Holds(p) {
			if v := s.m.Volume(); v < least {
				best, least = s, v
			}
		}
	}
	if best != nil {
		return best
	}
	for _, s := range all {
		if d := float64(vec.Of(s.m.Position).Sub(p).Len()); d < least {
			best, least = s, d
		}
	}
	return best
}

// Wrong measures a probe: at places spread over its box or sphere that lie free, what it shows
// along directions all round, against what is seen there; the mean difference of luminance as a
// share of what is seen. gains are of the lights, which the world and table are among. Error:
// ctx ended.
func (m *Mirror) Wrong(ctx context.Context, w *world.World, lights []*light.Light, table *cache.Table, gains []vec.V3, workers int) (float64, error) {
	const places, rays = 48, 24
	shown := m.Sum(gains, workers)
	off, sum := make([]float64, places), make([]float64, places)
	err := spread.With(ctx, places, workers, func() (func(int), func()) {
		k, t := path.NewWalker(w, lights), w.Tracer()
		return func(i int) {
			var p vec.V3
			for a := range 3 {
				// Kronecker's sequence over the box (Roberts 2018).
				f := math.Mod(0.5+float64(i)*[3]float64{0.8191725134, 0.6710436067, 0.5497004779}[a], 1) - 0.5
				size := m.Size[a]
				if m.Sphere {
					size = m.Size[0] * 0.57
				}
				v := float32(m.Middle[a] + f*size)
				switch a {
				case 0:
					p.X = v
				case 1:
					p.Y = v
				default:
					p.Z = v
				}
			}
			d := p.Sub(vec.Of(m.Position))
			if l := d.Len(); l > 1e-3 && t.Passes(vec.Of(m.Position), vec.V3{}, d.Scale(1/l), l) == (vec.V3{}) {
				return // in something, or in another room
			}
			for n := range rays {
				k.With(table, n&1)
				k.Begin(0x77726f6e, uint32(i), uint32(n))
				s := k.Around(p)
				k.Follow(path.Segment{O: p, D: s.D, Through: vec.Splat(1), Channels: 0xff, Matt: vec.Splat(1)})
				var is vec.V3
				for l, g := range gains {
					f := k.Found(l)
					for kind := range film.Kinds {
						if kind != film.Air {
							is = is.Add(f[kind].Mul(g))
						}
					}
				}
				off[i] += math.Abs(colour.LuminanceOf(is) - colour.LuminanceOf(shown.Towards(p, s.D, 0)))
				sum[i] += colour.LuminanceOf(is)
			}
		}, func() { k.Release(); t.Release() }
	})
	var a, b float64
	for i := range off {
		a, b = a+off[i], b+sum[i]
	}
	return a / max(b, 1e-12), err
}
