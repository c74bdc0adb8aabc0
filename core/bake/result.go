package bake

import (
	"context"
	"encoding/hex"
	"math"
	"slices"
	"time"

	"github.com/x448/float16"

	"willowherb/core/colour"
	"willowherb/core/vec"
)

// Result is a bake.
type Result struct {
	Plan    *Plan
	Sources []Source
	Objects []*Baked // as Plan.Objects
	// Samples of texels that were taken for it, and the time.
	Samples int64
	Took    time.Duration
	// Open is the openness of each object's cells (Plan.Openness); nil where it is not baked.
	Open [][]float32
	// Made is how many layers were made for it, of how many it has.
	Made, Layers int
}

// LayerKey names a layer: all that its bits depend on.
func LayerKey(place [32]byte, l *Laid, s *Source, p *Plan) string {
	q := p.Quality
	q.Rays, q.Closer, q.Mirror = 0, 0, 0 // of probes alone
	k := Digest(place, p.Key, l.Key, s.Key, q)
	return hex.EncodeToString(k[:16])
}

// Keeper keeps layers, and other things that a bake makes, by their keys. Safe for concurrent use.
type Keeper interface {
	// Layer returns one that is kept; false where it is not.
	Layer(ctx context.Context, key string) (Layer, bool, error)
	// Keep keeps one. What cannot be kept is an error.
	Keep(ctx context.Context, key string, l Layer) error
	// Data and KeepData are the same for other things.
	Data(ctx context.Context, key string) ([]byte, bool, error)
	KeepData(ctx context.Context, key string, data []byte) error
}

// Progress of a bake.
type Progress struct {
	Done, All int // cells
	Samples   int64
	Object    string // that is worked on; empty for the light cache
}

// Job is a bake to be made.
type Job struct {
	Place  [32]byte // staging.Stage.Still
	Plan   *Plan
	Kept   Keeper // nil: nothing is kept
	Tell   func(Progress)
	Needed func() (*Baker, error) // makes the baker; asked once, where something is to be made
}

// Missing tells, for each object and source, whether its layer is not kept.
func (j *Job) Missing(ctx context.Context, sources []Source) (missing [][]bool, have [][]Layer, n int, err error) {
	missing, have = make([][]bool, len(j.Plan.Objects)), make([][]Layer, len(j.Plan.Objects))
	for i, l := range j.Plan.Objects {
		missing[i], have[i] = make([]bool, len(sources)), make([]Layer, len(sources))
		for k := range sources {
			ok := false
			if j.Kept != nil {
				if have[i][k], ok, err = j.Kept.Layer(ctx, LayerKey(j.Place, l, &sources[k], j.Plan)); err != nil {
					return nil, nil, 0, err
				}
				y := &have[i][k]
				ok = ok && (y.Lux == nil || len(y.Lux) == 3*l.Cells && (!sources[k].Leans || len(y.Lean) == 3*l.Cells))
			}
			if !ok {
				missing[i][k] = true
				n++
			}
		}
	}
	return missing, have, n, nil
}

// Run makes what is not kept, and returns the whole. An error of ctx leaves what was kept so far.
func (j *Job) Run(ctx context.Context, sources []Source) (*Result, error) {
	begin := time.Now()
	missing, have, n, err := j.Missing(ctx, sources)
	if err != nil {
		return nil, err
	}
	out := &Result{Plan: j.Plan, Sources: sources, Made: n, Layers: len(sources) * len(j.Plan.Objects)}
	all, done := 0, 0
	for i, l := range j.Plan.Objects {
		if slices.Contains(missing[i], true) {
			all += l.Cells
		}
	}
	var b *Baker
	for i, l := range j.Plan.Objects {
		made := &Baked{Layers: have[i]}
		if slices.Contains(missing[i], true) {
			if b == nil {
				if b, err = j.Needed(); err != nil {
					return nil, err
				}
			}
			j.tell(Progress{done, all, out.Samples, l.Path})
			fresh, err := b.Object(ctx, l, missing[i])
			if err != nil {
				return nil, err
			}
			for k := range sources {
				if !missing[i][k] {
					fresh.Layers[k] = have[i][k]
				} else if j.Kept != nil {
					if err := j.Kept.Keep(ctx, LayerKey(j.Place, l, &sources[k], j.Plan), fresh.Layers[k]); err != nil {
						return nil, err
					}
				}
			}
			made = fresh
			done += l.Cells
			out.Samples += fresh.Samples
		}
		out.Objects = append(out.Objects, made)
	}
	j.tell(Progress{done, all, out.Samples, ""})
	out.Took = time.Since(begin)
	return out, nil
}

func (j *Job) tell(p Progress) {
	if j.Tell != nil {
		j.Tell(p)
	}
}

// At is what each source gives at a place of a triangle of the scene, in lux at unit output.
func (r *Result) At(object int, tri uint32, u, v float32, to []vec.V3) ([]vec.V3, bool) {
	l := r.Plan.Of(object)
	if l == nil {
		return nil, false
	}
	t, ok := l.At(tri, u, v)
	if !ok {
		return nil, false
	}
	b := r.of(l)
	to = to[:0]
	for i := range r.Sources {
		to = append(to, b.Layers[i].at(&t))
	}
	return to, true
}

func (r *Result) of(l *Laid) *Baked {
	for i, o := range r.Plan.Objects {
		if o == l {
			return r.Objects[i]
		}
	}
	return nil
}

func (y *Layer) at(t *Taps) (v vec.V3) {
	if y.Lux == nil {
		return v
	}
	for k := range 4 {
		if t.W[k] != 0 {
			v = v.Add(y.cell(int(t.Cell[k])).Scale(t.W[k]))
		}
	}
	return v
}

func (y *Layer) cell(c int) vec.V3 {
	return vec.V3{X: whole(y.Lux[3*c]), Y: whole(y.Lux[3*c+1]), Z: whole(y.Lux[3*c+2])}
}

func whole(h uint16) float32 { return float16.Frombits(h).Float32() }

// Buried and Thin tell of an object's texels (Layer).
func (r *Result) Buried(i int) (buried, thin int) {
	for k := range r.Objects[i].Layers {
		y := &r.Objects[i].Layers[k]
		buried, thin = max(buried, y.Buried), max(thin, y.Thin)
	}
	return buried, thin
}

// Lux is the irradiance on an object's cells of all sources by their gains, RGB.
func (r *Result) Lux(i int, gains []vec.V3) []float32 {
	out := make([]float32, 3*r.Plan.Objects[i].Cells)
	for k := range r.Sources {
		g := gains[k]
		if y := r.Objects[i].Layers[k].Lux; y != nil && g != (vec.V3{}) {
			for c := 0; c < len(out); c += 3 {
				out[c] += g.X * whole(y[c])
				out[c+1] += g.Y * whole(y[c+1])
				out[c+2] += g.Z * whole(y[c+2])
			}
		}
	}
	return out
}

// Leans reports whether it is baked how light changes as surfaces tilt.
func (r *Result) Leans() bool { return len(r.Sources) > 0 && r.Sources[0].Leans }

// Lean is how the irradiance on an object's cells changes as the surface tilts, as a share of it:
// three a cell, in the place's axes, along the surface. For a normal n' near the surface's own,
// E(n') is about E (n . n' + Lean . n') (Tilted). nil where it is not baked.
func (r *Result) Lean(i int, gains []vec.V3) []float32 {
	if !r.Leans() {
		return nil
	}
	rgb := r.Lux(i, gains)
	out := make([]float32, len(rgb))
	for k := range r.Sources {
		y := &r.Objects[i].Layers[k]
		if g := float32(colour.LuminanceOf(gains[k])); g != 0 && y.Lean != nil {
			for c := range out {
				out[c] += g * whole(y.Lean[c])
			}
		}
	}
	for c := 0; c < len(out); c += 3 {
		if e := float32(colour.LuminanceAt(rgb, c)); e > 0 {
			out[c], out[c+1], out[c+2] = out[c]/e, out[c+1]/e, out[c+2]/e
		} else {
			out[c], out[c+1], out[c+2] = 0, 0, 0
		}
	}
	return out
}

// Tilted is what falls on a surface of normal n that is bent to another, as a share of what falls
// on it as it is, by its Lean: exact for a single distant light that both sides of the bend
// see, of first order for any; at least 0.
func Tilted(lean, n, bent vec.V3) float32 { return max(n.Dot(bent)+lean.Dot(bent), 0) }

// Gains are the sources' own.
func (r *Result) Gains() (out []vec.V3) {
	for i := range r.Sources {
		out = append(out, r.Sources[i].Gain)
	}
	return out
}

// Edges is the share of an object's texels beside which its light, of all sources at some gains,
// changes so much that the change lies within a texel: edges of shadows are lost there. What
// noise alone would do does not count.
func (r *Result) Edges(i int, gains []vec.V3) float64 {
	const sharp, dim = 0.6, 0.5 // of the brighter; of the object's mean
	l, rgb := r.Plan.Objects[i], r.Lux(i, gains)
	var mean float64
	for c, has := range l.Has {
		if has {
			mean += colour.LuminanceAt(rgb, 3*c) / float64(max(l.Used, 1))
		}
	}
	off := max(sharp, 6*r.Noise(i, gains))
	n := 0
	for p := range l.Patches {
		q := &l.Patches[p]
		for c := range q.W * q.H {
			a := l.Begin[p] + c
			if !l.Has[a] {
				continue
			}
			x := colour.LuminanceAt(rgb, 3*a)
			for _, d := range [2][2]int{{1, 0}, {0, 1}} {
				if c%q.W+d[0] >= q.W || c/q.W+d[1] >= q.H {
					continue
				}
				b := a + d[1]*q.W + d[0]
				if y := colour.LuminanceAt(rgb, 3*b); l.Has[b] && max(x, y) > dim*mean && math.Abs(x-y) > off*max(x, y) {
					n++
					break
				}
			}
		}
	}
	return float64(n) / float64(max(l.Used, 1))
}

// Noise that is left in an object's texels, as a share of their mean, at some gains.
func (r *Result) Noise(i int, gains []vec.V3) float64 {
	var mean, variance float64
	for k, g := range gains {
		y := &r.Objects[i].Layers[k]
		f := colour.LuminanceOf(g)
		mean += f * y.Mean
		variance += f * f * y.Noise * y.Noise
	}
	if mean <= 0 {
		return 0
	}
	return math.Sqrt(variance) / mean
}

// AllNoise is that of all objects, each by its texels.
func (r *Result) AllNoise(gains []vec.V3) float64 {
	var sum, n float64
	for i, l := range r.Plan.Objects {
		if v := r.Noise(i, gains); v > 0 {
			sum += float64(l.Used) * v * v
			n += float64(l.Used)
		}
	}
	return math.Sqrt(sum / max(n, 1))
}

// Page draws a page, three numbers a texel, rows from the top: values of cells for each
// object. The padding about charts is as their border.
func (p *Plan) Page(page int, values func(object int) []float32) []float32 {
	g := p.Pages[page]
	out := make([]float32, 3*g.W*g.H)
	known := make([]bool, g.W*g.H)
	for i, l := range p.Objects {
		var of []float32
		for k, s := range l.Spots {
			if s.Page != page {
				continue
			}
			if of == nil {
				of = values(i)
			}
			q := &l.Patches[k]
			for c := range q.W * q.H {
				if !l.Has[l.Begin[k]+c] {
					continue
				}
				x, y := c%q.W, c/q.W
				if s.Turned {
					x, y = y, x
				}
				o := (y+s.Y)*g.W + x + s.X
				known[o] = true
				copy(out[3*o:3*o+3], of[3*(l.Begin[k]+c):])
			}
		}
	}
	for range p.Rules.Padding {
		grow(out, known, g.W, g.H)
	}
	return out
}

// grow gives texels beside known ones the mean of those.
func grow(rgb []float32, known []bool, w, h int) {
	var fresh []int
	for o := range known {
		if known[o] {
			continue
		}
		x, y, n := o%w, o/w, float32(0)
		for _, d := range ring {
			i, j := x+d[0], y+d[1]
			if i < 0 || j < 0 || i >= w || j >= h || !known[j*w+i] {
				continue
			}
			n++
			for ch := range 3 {
				rgb[3*o+ch] += rgb[3*(j*w+i)+ch]
			}
		}
		if n > 0 {
			for ch := range 3 {
				rgb[3*o+ch] /= n
			}
			fresh = append(fresh, o)
		}
	}
	for _, o := range fresh {
		known[o] = true
	}
}

// Shown is the map with its lights at some gains: frame.Map.
type Shown struct {
	plan      *Plan
	lux, lean map[*Laid][]float32
}

// Show sums the map at some gains.
func (r *Result) Show(gains []vec.V3) *Shown {
	s := &Shown{r.Plan, map[*Laid][]float32{}, map[*Laid][]float32{}}
	for i, l := range r.Plan.Objects {
		s.lux[l], s.lean[l] = r.Lux(i, gains), r.Lean(i, gains)
	}
	return s
}

// Lux is the irradiance at a place of a triangle of an object on a surface whose normal n is
// bent there, as far as it is baked how light changes then.
func (s *Shown) Lux(object int, tri uint32, u, v float32, n, bent vec.V3) (e vec.V3, ok bool) {
	l := s.plan.Of(object)
	if l == nil || s.lux[l] == nil {
		return e, false
	}
	t, ok := l.At(tri, u, v)
	if !ok {
		return e, false
	}
	rgb, leans := s.lux[l], s.lean[l]
	var lean vec.V3
	for k := range 4 {
		o := 3 * t.Cell[k]
		e = e.Add(vec.V3{X: rgb[o], Y: rgb[o+1], Z: rgb[o+2]}.Scale(t.W[k]))
		if leans != nil {
			lean = lean.Add(vec.V3{X: leans[o], Y: leans[o+1], Z: leans[o+2]}.Scale(t.W[k]))
		}
	}
	if leans == nil {
		return e, true
	}
	return e.Scale(Tilted(lean, n, bent)), true
}
