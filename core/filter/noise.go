package filter

import (
	"cmp"
	"context"
	"maps"
	"math"
	"slices"

	"willowherb/core/colour"
	"willowherb/core/film"
	"willowherb/core/spread"
	"willowherb/core/vec"
)

// Sums are a picture's light, added up by how widely its parts are filtered.
type Sums struct {
	w, h  int
	parts map[part]*halves
	// Chosen has the levels of the filter weighed pixel by pixel; the widths then bound
	// them.
	Chosen bool
	// Paths is how many samples a pixel has of what is soft, for Chosen: it counts for as much
	// in the filter; nil: all have as many.
	Paths func(x, y int) int
}

// part is what is filtered alike.
type part struct {
	width int
	sharp bool
	air   bool
}

// halves are the mean of the two halves (RGB), and half their difference (luminance).
type halves struct{ mean, diff []float32 }

// NewSums begins a picture of w by h.
func NewSums(w, h int) *Sums { return &Sums{w: w, h: h, parts: map[part]*halves{}} }

// Add adds a light's layers at a gain, each kind filtered as widely as it says.
func (s *Sums) Add(l *film.Layers, gain vec.V3, widths Widths) {
	for k := range film.Kinds {
		is := widths.part(k)
		p := s.parts[is]
		if p == nil {
			p = &halves{make([]float32, 3*s.w*s.h), make([]float32, s.w*s.h)}
			s.parts[is] = p
		}
		l.AddTo(k, gain, p.mean, p.diff)
	}
}

// AddAll adds n lights' layers, as add adds one to a part of the sums. Some lights each, and
// in the same order always: sums are rounded alike with any number of workers.
func (s *Sums) AddAll(ctx context.Context, n, workers int, add func(to *Sums, i int)) error {
	const parts = 4
	some := [parts]*Sums{}
	err := spread.Over(ctx, parts, workers, func(k int) {
		some[k] = NewSums(s.w, s.h)
		for i := k; i < n; i += parts {
			add(some[k], i)
		}
	})
	if err != nil {
		return err
	}
	for _, o := range some {
		s.join(o)
	}
	return nil
}

// join adds another picture's light.
func (s *Sums) join(o *Sums) {
	for w, q := range o.parts {
		if p := s.parts[w]; p != nil {
			add(p.mean, q.mean)
			add(p.diff, q.diff)
		} else {
			s.parts[w] = q
		}
	}
}

// Finished is a picture with what is known of its error.
type Finished struct {
	RGB []float32 // scene-linear, cd/m2
	// Half the difference of the halves, as luminance, filtered alike.
	diff []float32
	// The same two, but filtered in one level where they are filtered at all: noisier,
	// and nearly without bias.
	narrow, narrowDiff []float32
	w                  int
	lost               []float32 // what was taken from lone pixels, as luminance
	// For pixels in which several surfaces meet, the error of their shares; nil: not known.
	shares []float32
	// Choice is how the picture was filtered, where that was chosen.
	Choice *Choice
}

// Finish filters the picture. A nil filter leaves it as it is.
func (s *Sums) Finish(ctx context.Context, f *Filter, workers int) (*Finished, error) {
	n := s.w * s.h
	out := &Finished{make([]float32, 3*n), make([]float32, n), make([]float32, 3*n), make([]float32, n), s.w, make([]float32, n), nil, nil}
	if f != nil {
		out.shares = f.shares()
	}
	parts := slices.SortedFunc(maps.Keys(s.parts), func(a, b part) int { // so that rounding is the same every time
		return cmp.Or(a.width-b.width, whether(a.sharp)-whether(b.sharp), whether(a.air)-whether(b.air))
	})
	var wide []Noisy
	var narrow []*halves
	var groups []*group
	var airs *group
	all := meanOf(s.parts)
	for _, is := range parts {
		p, w := s.parts[is], is.width
		q := p
		if is.air && f != nil && w > 0 {
			var err error
			if q, airs, err = s.clearAir(ctx, f, p, w, all, workers); err != nil {
				return nil, err
			}
			narrow = append(narrow, q)
			continue
		}
		if s.Chosen && f != nil && w > 0 {
			g := &group{mean: p.mean, diff: p.diff, last: w, sharp: is.sharp}
			if s.Paths != nil && w > soft {
				g.weight = s.weights()
			}
			if err := g.bound(ctx, f, out.lost, workers); err != nil {
				return nil, err
			}
			groups = append(groups, g)
			narrow = append(narrow, nil)
			continue
		}
		if f != nil && w > 0 {
			wide = append(wide, Noisy{Pic: p.mean, Levels: w, Sharp: is.sharp}, Noisy{Pic: p.diff, Levels: w, Sharp: is.sharp})
		}
		if f != nil && w > 1 {
			q = &halves{slices.Clone(p.mean), slices.Clone(p.diff)}
			wide = append(wide, Noisy{Pic: q.mean, Levels: 1, Sharp: is.sharp}, Noisy{Pic: q.diff, Levels: 1, Sharp: is.sharp})
		}
		narrow = append(narrow, q)
	}
	if err := s.choose(ctx, f, groups, parts, narrow, out, workers); err != nil {
		return nil, err
	}
	if out.Choice != nil {
		out.Choice.air = airs
	}
	if len(wide) > 0 {
		if err := f.Apply(ctx, wide, workers); err != nil {
			return nil, err
		}
	}
	for i, is := range parts {
		add(out.RGB, s.parts[is].mean)
		add(out.diff, s.parts[is].diff)
		add(out.narrow, narrow[i].mean)
		add(out.narrowDiff, narrow[i].diff)
	}
	s.parts = nil // they have been filtered in place
	return out, nil
}

// clearAir filters what the air sends on, and returns it filtered less, with how it was done.
func (s *Sums) clearAir(ctx context.Context, f *Filter, p *halves, most int, all float64, workers int) (*halves, *group, error) {
	g := &group{last: most}
	if s.Chosen {
		g.last = f.hazeLevels(p.diff, all, most)
		if s.Paths != nil {
			g.weight = s.weights()
		}
	}
	q := &halves{slices.Clone(p.mean), slices.Clone(p.diff)}
	if err := f.Haze(ctx, [][]float32{q.mean, q.diff}, g.weight, max(g.last-2, 0), workers); err != nil {
		return nil, nil, err
	}
	return q, g, f.Haze(ctx, [][]float32{p.mean, p.diff}, g.weight, g.last, workers)
}

func whether(b bool) int {
	if b {
		return 1
	}
	return 0
}

// weights are Paths of all pixels.
func (s *Sums) weights() []float32 {
	out := make([]float32, s.w*s.h)
	for i := range out {
		out[i] = float32(s.Paths(i%s.w, i/s.w))
	}
	return out
}

// choose blends the groups, and keeps their first levels as the narrow ones.
func (s *Sums) choose(ctx context.Context, f *Filter, groups []*group, parts []part, narrow []*halves, out *Finished, workers int) error {
	if len(groups) == 0 {
		return nil
	}
	if err := f.choose(ctx, groups, workers); err != nil {
		return err
	}
	out.Choice = &Choice{of: map[part]*group{}}
	for _, g := range groups {
		p := &halves{make([]float32, len(g.mean)), make([]float32, len(g.diff))}
		if err := g.blended(ctx, p.mean, p.diff, workers); err != nil {
			return err
		}
		raw := [][]float32{g.mid[0], g.half[0]}
		if err := f.Edges(ctx, raw, [][]float32{p.mean, p.diff}, g.weights[0], g.last > soft, workers); err != nil {
			return err
		}
		if err := f.Specks(ctx, p.mean, workers); err != nil {
			return err
		}
		// The first level of a pixel of several surfaces has one of them alone.
		if err := f.Edges(ctx, raw, [][]float32{g.mid[1], g.half[1]}, nil, false, workers); err != nil {
			return err
		}
		is := part{width: g.last, sharp: g.sharp}
		out.Choice.of[is] = &group{kept: g.kept, back: g.back, weight: g.weight, Blend: g.Blend}
		s.parts[is] = p
		narrow[slices.Index(parts, is)] = &halves{g.mid[1], g.half[1]}
	}
	return nil
}

func add(a, b []float32) {
	for i, v := range b {
		a[i] += v
	}
}

// Error is an estimate of how far the finished picture is from the truth, after
// exposure and tone curve (the map develop): the root of the mean square over its
// pixels, in units of the developed picture.
//
// The halves A and B are independent, so half the difference of what the filter F makes
// of them estimates the noise that is left; and with a narrow filter G, which is nearly
// right on average, (F A - G A)(F B - G B) has the square of F's bias for its mean. What
// was taken from lone pixels is missing around them; and few rays tell the shares of the
// surfaces in a pixel, which changes it by as much of its contrast. All are taken of
// luminance: the noise through the curve, from the mean to its darker side, since what
// chance adds is rare and bright and the truth is then darker; the bias through the
// curve's slope. proof holds it to the true error.
func (p *Finished) Error(develop func(float64) float64) float64 {
	var sum, bias float64
	n := len(p.RGB) / 3
	lost := p.missing(develop)
	var near []float32
	if p.shares != nil {
		near = p.nearly()
	}
	for i := 0; i < 3*n; i += 3 {
		l, d := colour.LuminanceAt(p.RGB, i), float64(p.diff[i/3])
		e := develop(l) - develop(l-math.Abs(d))
		sum += e * e
		if p.shares != nil && p.shares[i/3] > 0 {
			e = float64(p.shares[i/3]) * p.contrast(i/3, develop)
			sum += e * e
		}
		if lost != nil && lost[i/3] > 0 {
			s := slope(develop, l)
			bias += min(s*s*float64(lost[i/3])*float64(lost[i/3]), 1)
		}
		if g, h := colour.LuminanceAt(p.narrow, i), float64(p.narrowDiff[i/3]); g != l || h != d {
			s := slope(develop, l)
			if near != nil {
				s = between(develop, l, float64(near[i/3]))
			}
			// The halves are the mean plus and minus the difference.
			// No display shows more than from black to white: beyond, the slope says too much.
			bias += min(max(s*s*((l-g)*(l-g)-(d-h)*(d-h)), -1), 1)
		}
	}
	// By chance what is found of a bias may be under nought; there is none then.
	return math.Sqrt((sum + max(bias, 0)) / float64(max(n, 1)))
}

// nearly is the luminance of the narrow picture with its noise evened out: where the filter
// has made the dark bright, what the display shows between the two counts, and a slope that
// went with the noise would say too much.
func (p *Finished) nearly() []float32 {
	out := make([]float32, len(p.RGB)/3)
	for i := range out {
		out[i] = float32(max(colour.LuminanceAt(p.narrow, 3*i), 0))
	}
	const evened = 4
	_ = box(context.Background(), out, p.w, evened, 1) // which does not end early
	return out
}

// contrast is by how much the displayed pixels around one differ.
func (p *Finished) contrast(px int, develop func(float64) float64) float64 {
	least, most := math.Inf(1), 0.0
	x, y, h := px%p.w, px/p.w, len(p.RGB)/3/p.w
	for yy := max(y-1, 0); yy <= min(y+1, h-1); yy++ {
		for xx := max(x-1, 0); xx <= min(x+1, p.w-1); xx++ {
			l := colour.LuminanceAt(p.RGB, 3*(yy*p.w+xx))
			least, most = min(least, l), max(most, l)
		}
	}
	return develop(most) - develop(least)
}

// White is about the luminance, in cd/m2, from which on a display shows white; infinite
// where there is none up to 1e9.
func White(show func(luminance float64) float64) float64 {
	for l := 1e-4; l < 1e9; l *= 1.2 {
		if show(l) > 0.97 {
			return l
		}
	}
	return math.Inf(1)
}

// missing is what was taken from lone pixels, spread over those around; nil for nothing. Of
// what is far beyond white no more than white is known to be missing.
func (p *Finished) missing(develop func(float64) float64) []float32 {
	if len(p.lost) == 0 || slices.Max(p.lost) <= 0 {
		return nil
	}
	white := float32(White(develop))
	out := slices.Clone(p.lost)
	for i, v := range out {
		out[i] = min(v, white)
	}
	for range 2 {
		_ = box(context.Background(), out, p.w, belongs, 1) // which does not end early
	}
	return out
}

// Slopes is, for each pixel of a picture w wide, how steeply the display shows a change of
// luminance, at the mean of the pixel and those around it. Of what is brighter than white no
// more than white counts: few samples find what is rare far too bright, and it would hide
// what is around it.
func Slopes(ctx context.Context, pic []float32, w int, show func(float64) float64, workers int) ([]float32, error) {
	n := len(pic) / 3
	h := n / max(w, 1)
	white := White(show)
	sums := make([]float32, n) // along rows
	err := spread.Over(ctx, h, workers, func(y int) {
		for x := range w {
			for xx := max(x-1, 0); xx <= min(x+1, w-1); xx++ {
				sums[y*w+x] += float32(min(colour.LuminanceAt(pic, 3*(y*w+xx)), white))
			}
		}
	})
	if err != nil {
		return nil, err
	}
	out := make([]float32, n)
	return out, spread.Over(ctx, h, workers, func(y int) {
		for x := range w {
			var sum float64
			for yy := max(y-1, 0); yy <= min(y+1, h-1); yy++ {
				sum += float64(sums[yy*w+x])
			}
			many := (min(x+1, w-1) - max(x-1, 0) + 1) * (min(y+1, h-1) - max(y-1, 0) + 1)
			out[y*w+x] = float32(slope(show, sum/float64(many)))
		}
	})
}

// slope of the curve at a luminance.
func slope(develop func(float64) float64, l float64) float64 {
	h := max(0.02*l, 1e-6)
	return (develop(l+h) - develop(l-h)) / (2 * h)
}

// between is the mean slope of the curve between two luminances.
func between(develop func(float64) float64, l, g float64) float64 {
	if d := l - g; math.Abs(d) > 0.02*l {
		return (develop(l) - develop(g)) / d
	}
	return slope(develop, l)
}

// Noise is Error over the mean of the developed picture.
func (p *Finished) Noise(develop func(float64) float64) float64 {
	var m float64
	n := len(p.RGB) / 3
	for i := 0; i < 3*n; i += 3 {
		m += develop(colour.LuminanceAt(p.RGB, i))
	}
	if m <= 0 {
		return 0
	}
	return p.Error(develop) / (m / float64(n))
}
