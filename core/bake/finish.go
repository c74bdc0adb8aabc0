package bake

import (
	"context"
	"math"
	"slices"

	"github.com/x448/float16"

	"willowherb/core/colour"
	"willowherb/core/spread"
	"willowherb/core/vec"
	"willowherb/core/world"
)

// finish makes layers of what was found.
func (w *work) finish(ctx context.Context, workers int) (*Baked, error) {
	out := &Baked{Layers: make([]Layer, len(w.b.Sources))}
	for _, n := range w.samples {
		out.Samples += n
	}
	count := Layer{}
	for _, s := range w.state {
		if s == buried {
			count.Buried++
		}
	}
	if err := w.walls(ctx, workers); err != nil {
		return nil, err
	}
	thin := map[int32]bool{}
	for _, p := range w.parted {
		thin[p[0]], thin[p[1]] = true, true
	}
	count.Thin = len(thin)
	if err := w.ready(ctx, workers); err != nil {
		return nil, err
	}
	err := spread.Over(ctx, len(w.b.Sources), workers, func(i int) {
		if w.want == nil || w.want[i] {
			y := w.layer(i)
			y.Buried, y.Thin = count.Buried, count.Thin
			out.Layers[i] = y
		}
	})
	if err != nil {
		return nil, err
	}
	return out, nil
}

// layer of a light: smoothed, filled, matched and put together.
func (w *work) layer(i int) (out Layer) {
	if !slices.ContainsFunc(w.straight[i], some) && !slices.ContainsFunc(w.bounced[i], some) {
		return out
	}
	rounds := w.b.Plan.Quality.Smooth
	sum := make([]float32, 3*w.l.Cells)
	variance := make([]float32, w.l.Cells)
	for k, part := range [][]float32{w.straight[i], w.bounced[i]} {
		v := [][]float32{w.straightVar[i], w.bouncedVar[i]}[k]
		s := smoother{w: w, rgb: part, variance: v}
		s.run(rounds)
		for c, x := range s.rgb {
			sum[c] += x
		}
		for c, x := range s.variance {
			variance[c] += x
		}
	}
	n := 0
	for c, st := range w.state {
		if st == lit {
			out.Mean += colour.LuminanceOf(vec.V3{X: sum[3*c], Y: sum[3*c+1], Z: sum[3*c+2]})
			out.Noise += math.Sqrt(float64(variance[c]))
			n++
		}
	}
	out.Mean, out.Noise = out.Mean/float64(max(n, 1)), out.Noise/float64(max(n, 1))
	w.fill(sum)
	w.match(sum)
	w.wall(sum)
	out.Lux = make([]uint16, len(sum))
	for c, v := range sum {
		out.Lux[c] = Half(v)
	}
	if w.b.Sources[i].Leans {
		out.Lean = w.leaning(i, sum)
	}
	return out
}

// steepest is the most by which light changes as a surface tilts by one, as a share of it: a
// lamp at a grazing angle has no bound.
const steepest = 4

// leaning is the slope of a light's layer, smoothed by what the light itself is smoothed by; 0
// where that is filled.
func (w *work) leaning(i int, sum []float32) []uint16 {
	s := smoother{w: w, rgb: make([]float32, 3*w.l.Cells), variance: make([]float32, w.l.Cells), with: w.lean[i]}
	for c := range s.variance {
		s.variance[c] = w.straightVar[i][c] + w.bouncedVar[i][c]
	}
	for c := range s.rgb {
		s.rgb[c] = w.straight[i][c] + w.bounced[i][c]
	}
	s.run(w.b.Plan.Quality.Smooth)
	out := make([]uint16, len(sum))
	for c := 0; c < len(out); c += 3 {
		most := steepest * float32(colour.LuminanceAt(sum, c))
		v := vec.V3{X: s.with[c], Y: s.with[c+1], Z: s.with[c+2]}
		if long := v.Len(); long > most {
			v = v.Scale(most / long)
		}
		for k, x := range [3]float32{v.X, v.Y, v.Z} {
			out[c+k] = float16.Fromfloat32(min(max(x, -65504), 65504)).Bits()
		}
	}
	return out
}

func some(v float32) bool { return v != 0 }

// Half is a number of lux as a half, within what halves hold.
func Half(v float32) uint16 { return float16.Fromfloat32(min(max(v, 0), 65504)).Bits() }

// smoother smooths one part of a light along the surface of each patch, by local statistics
// (Lee 1980): a texel goes towards the mean of those about it by how much of what it differs
// from them is noise. The mean is over rounds of a 3 x 3 kernel whose taps lie ever farther
// apart, along the surface; how much differs, and how much of that is noise, is judged over
// many texels, so that one texel's chance has no say in what becomes of it.
type smoother struct {
	w             *work
	rgb, variance []float32
	with          []float32 // what goes along, three a cell; nil: nothing
}

// leastSmoothed is how many cells a patch has that is worth smoothing.
const leastSmoothed = 4

func (s *smoother) run(rounds int) {
	s.rgb, s.variance = slices.Clone(s.rgb), slices.Clone(s.variance)
	if rounds == 0 || !slices.ContainsFunc(s.variance, some) {
		return
	}
	a, b := slices.Clone(s.rgb), slices.Clone(s.rgb)
	var c, d []float32
	if s.with != nil {
		s.with = slices.Clone(s.with)
		c, d = slices.Clone(s.with), slices.Clone(s.with)
	}
	for p := range s.w.l.Patches {
		q := &s.w.l.Patches[p]
		if q.W*q.H < leastSmoothed {
			continue
		}
		blurred := func(from, to []float32) []float32 {
			for r := range rounds {
				s.blur(s.w.l.Begin[p], q.W, q.H, 1<<r, s.w.weights[r], from, to)
				from, to = to, from
			}
			return from
		}
		mean := blurred(a, b)
		var along []float32
		if s.with != nil {
			along = blurred(c, d)
		}
		s.settle(s.w.l.Begin[p], q.W, q.H, mean, along, rounds)
	}
}

// around are the nine taps of a round.
var around = [9][2]int{{-1, -1}, {0, -1}, {1, -1}, {-1, 0}, {0, 0}, {1, 0}, {-1, 1}, {0, 1}, {1, 1}}

// ready works out, once for all lights, what smoothing weighs neighbours by, and where seams are
// looked up. Error: ctx ended.
func (w *work) ready(ctx context.Context, workers int) error {
	shut := w.shut()
	w.weights = make([][]float32, w.b.Plan.Quality.Smooth)
	for r := range w.weights {
		w.weights[r] = make([]float32, len(around)*w.l.Cells)
	}
	err := spread.Over(ctx, len(w.l.Patches), workers, func(p int) {
		if q := &w.l.Patches[p]; q.W*q.H >= leastSmoothed {
			for r := range w.weights {
				w.weigh(w.l.Begin[p], q.W, q.H, 1<<r, shut, w.weights[r])
			}
		}
	})
	if err != nil {
		return err
	}
	each := make([][][2]Taps, len(w.l.Seams))
	err = spread.With(ctx, len(w.l.Seams), workers, func() (func(int), func()) {
		t := w.b.W.Tracer()
		return func(i int) {
			s := &w.l.Seams[i]
			n := min(int(s.Length*2)+2, 4096)
			for k := range n {
				f := (float32(k) + 0.5) / float32(n)
				a, b := w.l.taps(s.A, between(s.FromA, s.ToA, f)), w.l.taps(s.B, between(s.FromB, s.ToB, f))
				if p, q := a.most(), b.most(); w.n[p].Dot(w.n[q]) > matched && w.joined(t, p, q) {
					each[i] = append(each[i], [2]Taps{a, b})
				}
			}
		}, t.Release
	})
	w.along = slices.Concat(each...)
	return err
}

// matched is the least cosine between two cells across a seam that are brought together: bevels
// are smaller than texels, and what faces elsewhere has other light.
const matched = 0.85

// most is the cell that has the largest share.
func (t *Taps) most() int {
	best := 0
	for k, w := range t.W {
		if w > t.W[best] {
			best = k
		}
	}
	return int(t.Cell[best])
}

// joined reports whether a way over the surface leads from one cell to the other.
func (w *work) joined(t *world.Tracer, a, b int) bool {
	return w.state[a] == lit && w.state[b] == lit && open(t, w.pos[a], w.n[a], w.pos[b], w.n[b])
}

// shut tells of each cell, a bit for each of the taps around it, whether something thin stands
// on the way there.
func (w *work) shut() []uint16 {
	out := make([]uint16, w.l.Cells)
	for _, p := range w.parted {
		k := slices.IndexFunc(w.l.Begin, func(b int) bool { return b > int(p[0]) })
		if k < 0 {
			k = len(w.l.Begin)
		}
		k--
		wide, begin := w.l.Patches[k].W, w.l.Begin[k]
		a, b := int(p[0])-begin, int(p[1])-begin
		d := [2]int{b%wide - a%wide, b/wide - a/wide}
		t := slices.Index(around[:], d)
		out[p[0]] |= 1 << t
		out[p[1]] |= 1 << (len(around) - 1 - t)
	}
	return out
}

// weigh works out a patch's weights for the taps so many cells apart.
func (w *work) weigh(begin, wide, high, step int, shut []uint16, out []float32) {
	// reaches reports whether the surface goes on from a cell to the one so many steps away.
	reaches := func(x, y, t int) bool {
		for range step {
			if shut[begin+y*wide+x]>>t&1 != 0 {
				return false
			}
			if x, y = x+around[t][0], y+around[t][1]; w.state[begin+y*wide+x] != lit {
				return false
			}
		}
		return true
	}
	for y := range high {
		for x := range wide {
			c := begin + y*wide + x
			if w.state[c] != lit {
				continue
			}
			// What has no neighbour, or one that is not alike, stays: two cells give one another as
			// much, so that smoothing keeps the light at edges too.
			own := float32(1)
			for t, d := range around {
				px, py := x+d[0]*step, y+d[1]*step
				if d == [2]int{} || px < 0 || py < 0 || px >= wide || py >= high {
					continue
				}
				if !reaches(x, y, t) {
					continue
				}
				o := begin + py*wide + px
				k := w.alike(c, o) / float32(int(4)<<(abs(d[0])+abs(d[1])))
				out[len(around)*c+t] = k
				own -= k
			}
			out[len(around)*c+len(around)/2] = own
		}
	}
}

// blur is one round: the mean of nine along the surface.
func (s *smoother) blur(begin, wide, high, step int, weights, from, to []float32) {
	var away [len(around)]int
	for t, d := range around {
		away[t] = (d[1]*wide + d[0]) * step
	}
	for c := begin; c < begin+wide*high; c++ {
		if s.w.state[c] != lit {
			continue
		}
		var sum vec.V3
		for t, k := range weights[len(around)*c : len(around)*(c+1)] {
			if k == 0 {
				continue
			}
			o := c + away[t]
			sum = sum.Add(vec.V3{X: from[3*o], Y: from[3*o+1], Z: from[3*o+2]}.Scale(k))
		}
		to[3*c], to[3*c+1], to[3*c+2] = sum.X, sum.Y, sum.Z
	}
}

// settle brings the texels of a patch towards their blurred mean, and what goes along towards its
// own by as much.
func (s *smoother) settle(begin, wide, high int, mean, along []float32, rounds int) {
	n := wide * high
	off, noise := make([]float64, n), make([]float64, n)
	at := func(rgb []float32, c int) vec.V3 { return vec.V3{X: rgb[3*c], Y: rgb[3*c+1], Z: rgb[3*c+2]} }
	for k := range n {
		d := colour.LuminanceOf(at(s.rgb, begin+k)) - colour.LuminanceOf(at(mean, begin+k))
		off[k], noise[k] = d*d, float64(s.variance[begin+k])
	}
	d, v := pooled(off, noise, s.w.state[begin:begin+n], wide, high, judged)
	many := Standing(rounds)
	for k := range n {
		c := begin + k
		if s.w.state[c] != lit || v[k] == 0 {
			continue
		}
		detail := max(d[k]-v[k], 0)
		g := float32(detail / (detail + v[k]))
		m := at(mean, c)
		x := m.Add(at(s.rgb, c).Sub(m).Scale(g))
		s.rgb[3*c], s.rgb[3*c+1], s.rgb[3*c+2] = x.X, x.Y, x.Z
		if along != nil {
			m := at(along, c)
			y := m.Add(at(s.with, c).Sub(m).Scale(g))
			s.with[3*c], s.with[3*c+1], s.with[3*c+2] = y.X, y.Y, y.Z
		}
		s.variance[c] = float32(v[k]) * (g*g + (1-g)*(1-g)/float32(many))
	}
}

// Standing is about how many texels stand for one in the mean of so many rounds: seven in the
// first (the sum of weights, squared, over that of their squares), four times as many in each
// that follows.
func Standing(rounds int) float64 {
	if rounds == 0 {
		return 1
	}
	return 7.1 * math.Pow(4, float64(rounds-1))
}

// judged is over how many texels each way detail and noise are judged.
const judged = 6

func abs(i int) int { return max(i, -i) }

func exp(x float32) float32 {
	if x < -12 {
		return 0
	}
	return float32(math.Exp(float64(x)))
}

// alike is how much two cells are one surface: neither bent away from the other nor beyond
// its plane; the same of b to a.
func (w *work) alike(a, b int) float32 {
	d := w.pos[b].Sub(w.pos[a])
	dist := d.Len()
	if dist == 0 {
		return 1
	}
	p, q := d.Dot(w.n[a])/dist, d.Dot(w.n[b])/dist
	turn := 1 - w.n[a].Dot(w.n[b])
	return exp(-4*(p*p+q*q) - 8*turn)
}

// walls finds neighbouring texels between which something stands that is too thin for a texel
// of its own.
func (w *work) walls(ctx context.Context, workers int) error {
	found := make([][][2]int32, len(w.l.Patches))
	err := spread.With(ctx, len(w.l.Patches), workers, func() (func(int), func()) {
		t := w.b.W.Tracer()
		return func(p int) {
			q := &w.l.Patches[p]
			for c := range q.W * q.H {
				for _, d := range [4][2]int{{1, 0}, {0, 1}, {1, 1}, {-1, 1}} {
					x, y := c%q.W+d[0], c/q.W+d[1]
					if x < 0 || x >= q.W || y >= q.H {
						continue
					}
					a, b := w.l.Begin[p]+c, w.l.Begin[p]+y*q.W+x
					if w.state[a] == lit && w.state[b] == lit && !w.joined(t, a, b) {
						found[p] = append(found[p], [2]int32{int32(a), int32(b)})
					}
				}
			}
		}, t.Release
	})
	for _, f := range found {
		w.parted = append(w.parted, f...)
	}
	return err
}

// stark is how many times brighter one side of a wall must be than the other to give way: what
// differs less is more wrong the darker than as it is.
const stark = 4

// wall gives both of such neighbours the light of the far darker one: what is looked up between
// them would come through the wall else.
func (w *work) wall(rgb []float32) {
	if len(w.parted) == 0 {
		return
	}
	was := slices.Clone(rgb)
	at := func(from []float32, c int32) vec.V3 {
		return vec.V3{X: from[3*c], Y: from[3*c+1], Z: from[3*c+2]}
	}
	for _, p := range w.parted {
		for k := range 2 {
			mine, other := p[k], p[1-k]
			if v := at(was, other); stark*colour.LuminanceOf(v) < colour.LuminanceOf(at(was, mine)) && colour.LuminanceOf(v) < colour.LuminanceOf(at(rgb, mine)) {
				rgb[3*mine], rgb[3*mine+1], rgb[3*mine+2] = v.X, v.Y, v.Z
			}
		}
	}
}

// ring are the eight about a cell, in order.
var ring = [8][2]int{{-1, -1}, {0, -1}, {1, -1}, {1, 0}, {1, 1}, {0, 1}, {-1, 1}, {-1, 0}}

// fill gives texels that lie within something solid, and cells without a surface, what stands
// for them: the mean of their neighbours, by the darkest of the groups into which they fall.
// What divides two rooms shows on neither side then.
func (w *work) fill(rgb []float32) {
	st := append([]state(nil), w.state...)
	for p := range w.l.Patches {
		q := &w.l.Patches[p]
		w.fillPatch(rgb, st, w.l.Begin[p], q.W, q.H)
	}
}

func (w *work) fillPatch(rgb []float32, st []state, begin, wide, high int) {
	for range wide + high {
		var done []int
		for c := range wide * high {
			if st[begin+c] == lit || st[begin+c] == filled {
				continue
			}
			if v, ok := darkest(rgb, st, begin, c%wide, c/wide, wide, high); ok {
				o := 3 * (begin + c)
				rgb[o], rgb[o+1], rgb[o+2] = v.X, v.Y, v.Z
				done = append(done, begin+c)
			}
		}
		if len(done) == 0 {
			return
		}
		for _, c := range done {
			st[c] = filled
		}
	}
}

// darkest is the mean of the darkest run of known cells round one.
func darkest(rgb []float32, st []state, begin, x, y, wide, high int) (best vec.V3, ok bool) {
	known := func(k int) (vec.V3, bool) {
		px, py := x+ring[k%8][0], y+ring[k%8][1]
		if px < 0 || py < 0 || px >= wide || py >= high {
			return vec.V3{}, false
		}
		o := begin + py*wide + px
		if st[o] != lit && st[o] != filled {
			return vec.V3{}, false
		}
		return vec.V3{X: rgb[3*o], Y: rgb[3*o+1], Z: rgb[3*o+2]}, true
	}
	// Begin where a run begins; a whole ring is one run.
	from := 0
	for k := range 8 {
		if _, before := known(k + 7); !before {
			from = k
			break
		}
	}
	least := math.Inf(1)
	var sum vec.V3
	n := 0
	end := func() {
		if n > 0 {
			m := sum.Scale(1 / float32(n))
			if l := colour.LuminanceOf(m); l < least {
				least, best, ok = l, m, true
			}
		}
		sum, n = vec.V3{}, 0
	}
	for k := from; k < from+8; k++ {
		v, is := known(k)
		if !is {
			end()
			continue
		}
		sum, n = sum.Add(v), n+1
	}
	end()
	return best, ok
}

// match brings texels on both sides of a seam together, so that looks-up on one side and on
// the other agree along it: places along the edge in turn, each side changed by half of what
// they differ (Kaczmarz 1937).
func (w *work) match(rgb []float32) {
	const rounds = 6
	for range rounds {
		for i := range w.along {
			pull(rgb, &w.along[i][0], &w.along[i][1])
		}
	}
}

func between(a, b vec.V2, f float32) vec.V2 {
	return vec.V2{X: a.X + (b.X-a.X)*f, Y: a.Y + (b.Y-a.Y)*f}
}

func pull(rgb []float32, a, b *Taps) {
	var weight float32
	for k := range 4 {
		weight += a.W[k]*a.W[k] + b.W[k]*b.W[k]
	}
	for ch := range 3 {
		var d float32
		for k := range 4 {
			d += a.W[k]*rgb[3*int(a.Cell[k])+ch] - b.W[k]*rgb[3*int(b.Cell[k])+ch]
		}
		d /= weight
		for k := range 4 {
			i, j := 3*int(a.Cell[k])+ch, 3*int(b.Cell[k])+ch
			rgb[i] = max(rgb[i]-d*a.W[k], 0)
			rgb[j] = max(rgb[j]+d*b.W[k], 0)
		}
	}
}
