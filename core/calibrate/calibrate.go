// Package calibrate fits a target's coefficients to a device's own timings.
//
// A pass takes the sum of its counts times their coefficients. For each pass by itself the
// coefficients are those, none below zero, that make the least of
//
//	sum over cameras of ((measured - sum of n c) / deviation)^2 + sum over terms of ((c - before) / (Doubt before))^2
//
// (non-negative least squares, Lawson and Hanson 1974, chapter 23; the second sum is what
// was thought before, so that what no camera tells stays as it was and is told so). Frames
// that took longer as a whole, for the clock or something else that ran, are left out first.
package calibrate

import (
	"cmp"
	"errors"
	"fmt"
	"math"
	"slices"
	"strings"

	"gonum.org/v1/gonum/mat"
	"willowherb/core/device"
	"willowherb/core/target"
)

// ErrNothing means that there is nothing to fit; the text says why.
var ErrNothing = errors.New("nothing to calibrate by")

// Doubt is by how much, as a share, a coefficient may have been off before, as one standard
// deviation.
const Doubt = 0.6

// floor is what the model itself is taken to be off by, as a share of what was measured, and
// floorMs the least that a timing is.
const (
	floor   = 0.02
	floorMs = 0.002
)

// Coefficient is one that was fitted.
type Coefficient struct {
	Pass   string  `json:"pass"`
	Count  string  `json:"count"`
	Before float64 `json:"before"` // ns
	Ns     float64 `json:"ns"`
	Error  float64 `json:"error"` // one standard deviation, ns
	// Told is how much of it the timings tell, 0 to 1; the rest is what was thought before.
	Told float64 `json:"told"`
}

// Residual is what a pass took in a camera beside what the model says.
type Residual struct {
	Camera   string  `json:"camera"`
	Pass     string  `json:"pass"`
	Measured float64 `json:"measured"` // ms, the median of the frames that were kept
	Fitted   float64 `json:"fitted"`
	// Unseen is what is said of it by the timings of all other cameras.
	Unseen float64 `json:"unseen"`
	Frames int     `json:"frames"`
}

// Whole is a camera's frame.
type Whole struct {
	Camera   string  `json:"camera"`
	Measured float64 `json:"measured"`
	Before   float64 `json:"before"` // what the target said until now
	Fitted   float64 `json:"fitted"`
	Unseen   float64 `json:"unseen"`
	Frames   int     `json:"frames"`
	Left     int     `json:"left"` // frames left out
}

// Fit is what came of it.
type Fit struct {
	Target       target.Target `json:"target"`
	Coefficients []Coefficient `json:"coefficients"`
	Residuals    []Residual    `json:"residuals"`
	Cameras      []Whole       `json:"cameras"`
	// Off is the mean of how far off a camera's frame is said that was not seen, as a share.
	Off  float64 `json:"off"`
	Most float64 `json:"most"` // and the most
	// Untimed are the target's passes that have no timings: they stay as they were.
	Untimed []string `json:"untimed"`
	Notes   []string `json:"notes"`
}

// median of what is not empty; v is sorted.
func median(v []float64) float64 {
	slices.Sort(v)
	if n := len(v); n%2 == 0 {
		return (v[n/2-1] + v[n/2]) / 2
	}
	return v[len(v)/2]
}

// shot is what one camera measured.
type shot struct {
	name         string
	counts       *target.Counts
	ms, dev      map[string]float64 // of a pass
	frames, left int
}

// outlying is by how much longer than usual a frame may take before it is left out.
const outlying = 0.06

// gather makes of a camera's timings one number a pass. Frames whose passes took longer, all
// in all, by more than they stray are left out: the clock was slow.
func gather(name string, counts *target.Counts, rows []device.Timing) *shot {
	frames := map[int]map[string]float64{}
	byPass := map[string][]float64{}
	for _, r := range rows {
		if frames[r.Frame] == nil {
			frames[r.Frame] = map[string]float64{}
		}
		frames[r.Frame][r.Pass] += r.Ms
	}
	for _, f := range frames {
		for p, ms := range f {
			byPass[p] = append(byPass[p], ms)
		}
	}
	usual := map[string]float64{}
	for p, v := range byPass {
		usual[p] = median(v)
	}
	// The clock of a frame: the median of its passes' ratios, by what they take.
	clock := map[int]float64{}
	var all []float64
	for k, f := range frames {
		var ratios []float64
		for p, ms := range f {
			if usual[p] > 10*floorMs {
				ratios = append(ratios, ms/usual[p])
			}
		}
		clock[k] = 1
		if len(ratios) > 0 {
			clock[k] = median(ratios)
		}
		all = append(all, clock[k])
	}
	// The faster half tells the clock at its usual: a device gets slower by warmth, not faster.
	slices.Sort(all)
	base := median(slices.Clone(all[:max(len(all)/2, 1)]))
	s := &shot{name: name, counts: counts, ms: map[string]float64{}, dev: map[string]float64{}}
	kept := map[string][]float64{}
	for k, f := range frames {
		if len(frames) > 2 && clock[k] > base*(1+outlying) {
			s.left++
			continue
		}
		s.frames++
		for p, ms := range f {
			kept[p] = append(kept[p], ms)
		}
	}
	for p, v := range kept {
		m := median(v)
		var off []float64
		for _, x := range v {
			off = append(off, math.Abs(x-m))
		}
		// 1.4826 makes the median deviation that of a normal distribution, 1.25 is of a median.
		s.ms[p] = m
		s.dev[p] = math.Sqrt(math.Pow(1.25*1.4826*median(off)/math.Sqrt(float64(len(v))), 2) + math.Pow(floor*m, 2) + floorMs*floorMs)
	}
	return s
}

// OfCameras is Do for timings whose cameras find counts, nil for one that it does not know:
// its timings are not used, and that is told. Errors: find's, ErrNothing.
func OfCameras(t *target.Target, rows []device.Timing, find func(camera string) (*target.Counts, error)) (*Fit, error) {
	counts := map[string]*target.Counts{}
	var strange []string
	for _, r := range rows {
		if _, ok := counts[r.Camera]; ok {
			continue
		}
		c, err := find(r.Camera)
		if err != nil {
			return nil, err
		}
		if counts[r.Camera] = c; c == nil {
			strange = append(strange, r.Camera)
		}
	}
	fit, err := Do(t, counts, rows)
	if err != nil {
		return nil, err
	}
	for _, s := range strange {
		fit.Notes = append(fit.Notes, fmt.Sprintf("camera %q is no view of the setup: its timings are not used", s))
	}
	fit.rename()
	return fit, nil
}

// Do fits a target to timings. counts are the work of each camera's frame. Error: ErrNothing,
// for no camera or no pass that both know.
func Do(t *target.Target, counts map[string]*target.Counts, rows []device.Timing) (*Fit, error) {
	by := map[string][]device.Timing{}
	strange := map[string]bool{}
	known := map[string]bool{}
	for i := range t.Passes {
		known[t.Passes[i].Name] = true
	}
	for _, r := range rows {
		if counts[r.Camera] == nil {
			continue
		}
		if !known[r.Pass] {
			strange[r.Pass] = true
			continue
		}
		by[r.Camera] = append(by[r.Camera], r)
	}
	var shots []*shot
	for name, r := range by {
		shots = append(shots, gather(name, counts[name], r))
	}
	slices.SortFunc(shots, func(a, b *shot) int { return cmp.Compare(a.name, b.name) })
	if len(shots) == 0 {
		return nil, fmt.Errorf("%w: no timing is of a pass of %s and of a camera that is known", ErrNothing, t.Name)
	}
	fit := &Fit{Target: *t, Untimed: []string{}, Notes: []string{}}
	fit.Target.Passes = nil
	for _, s := range shots {
		fit.Cameras = append(fit.Cameras, Whole{Camera: s.name, Frames: s.frames, Left: s.left})
	}
	for _, name := range slices.Sorted(keysOf(strange)) {
		fit.Notes = append(fit.Notes, fmt.Sprintf("%s has no pass %q: its timings are not used; name it as one of the target's in the mapping", t.Name, name))
	}
	for i := range t.Passes {
		fit.pass(&t.Passes[i], shots)
	}
	for _, c := range fit.Cameras {
		off := math.Abs(c.Unseen-c.Measured) / max(c.Measured, 1e-9)
		fit.Off += off / float64(len(fit.Cameras))
		fit.Most = max(fit.Most, off)
	}
	if len(shots) == 1 {
		fit.Notes = append(fit.Notes, "one camera alone: how far off others are said cannot be told")
	}
	if fit.Target.Says != "" {
		fit.Target.Says += " "
	}
	fit.Target.Says += fmt.Sprintf("Fitted to timings of %d cameras.", len(shots))
	return fit, nil
}

func keysOf(m map[string]bool) func(func(string) bool) {
	return func(yield func(string) bool) {
		for k := range m {
			if !yield(k) {
				return
			}
		}
	}
}

// pass fits one pass.
func (f *Fit) pass(p *target.Pass, shots []*shot) {
	out := *p
	out.Terms = slices.Clone(p.Terms)
	defer func() { f.Target.Passes = append(f.Target.Passes, out) }()
	var timed []*shot
	for _, s := range shots {
		if _, ok := s.ms[p.Name]; ok {
			timed = append(timed, s)
		}
	}
	if len(timed) == 0 {
		f.Untimed = append(f.Untimed, p.Name)
		return
	}
	ns, dev, told := solve(p, timed)
	for k := range out.Terms {
		m := &out.Terms[k]
		f.Coefficients = append(f.Coefficients, Coefficient{p.Name, m.Count, m.Ns, ns[k], dev[k], told[k]})
		m.Ns, m.Error = ns[k], dev[k]
		if told[k] >= 0.5 {
			m.Source = fmt.Sprintf("timings of %d cameras", len(timed))
		} else if told[k] > 0.02 {
			m.Source = fmt.Sprintf("timings of %d cameras, which tell little of it; before: %s", len(timed), cutTo(m.Source, 200))
		}
	}
	for _, s := range timed {
		rest := slices.DeleteFunc(slices.Clone(timed), func(o *shot) bool { return o == s })
		others := nsOf(p)
		if len(rest) > 0 {
			others, _, _ = solve(p, rest)
		}
		r := Residual{Camera: s.name, Pass: p.Name, Measured: s.ms[p.Name], Frames: s.frames, Fitted: says(p, ns, s.counts), Unseen: says(p, others, s.counts)}
		f.Residuals = append(f.Residuals, r)
		w := &f.Cameras[slices.IndexFunc(f.Cameras, func(w Whole) bool { return w.Camera == s.name })]
		w.Measured += r.Measured
		w.Fitted += r.Fitted
		w.Unseen += r.Unseen
		w.Before += says(p, nsOf(p), s.counts)
	}
}

func cutTo(s string, n int) string { return s[:min(len(s), n)] }

func nsOf(p *target.Pass) []float64 {
	out := make([]float64, len(p.Terms))
	for k, m := range p.Terms {
		out[k] = m.Ns
	}
	return out
}

// says is what a pass takes by some coefficients, in ms.
func says(p *target.Pass, ns []float64, c *target.Counts) (ms float64) {
	for k, m := range p.Terms {
		n, _ := target.Named(m.Count)
		ms += c[n] * ns[k] / 1e6
	}
	return ms
}

// solve fits the coefficients of a pass, with their deviations.
func solve(p *target.Pass, shots []*shot) (ns, dev, told []float64) {
	n := len(p.Terms)
	// In units of what was thought before; of a term that cost nothing, of what would be a
	// tenth of the pass.
	unit := nsOf(p)
	prior := make([]float64, n)
	for k, m := range p.Terms {
		prior[k] = 1
		if unit[k] > 0 {
			continue
		}
		prior[k] = 0
		c, _ := target.Named(m.Count)
		most, ms := 0.0, 0.0
		for _, s := range shots {
			most, ms = max(most, s.counts[c]), max(ms, s.ms[p.Name])
		}
		unit[k] = 1
		if most > 0 {
			unit[k] = max(0.1*ms*1e6/most, 1e-12)
		}
	}
	normal := mat.NewSymDense(n, nil)
	right := make([]float64, n)
	for k := range n {
		normal.SetSym(k, k, 1/(Doubt*Doubt))
		right[k] = prior[k] / (Doubt * Doubt)
	}
	for _, s := range shots {
		row := make([]float64, n)
		for k, m := range p.Terms {
			c, _ := target.Named(m.Count)
			row[k] = s.counts[c] * unit[k] / 1e6 / s.dev[p.Name]
		}
		y := s.ms[p.Name] / s.dev[p.Name]
		for a := range n {
			right[a] += row[a] * y
			for b := a; b < n; b++ {
				normal.SetSym(a, b, normal.At(a, b)+row[a]*row[b])
			}
		}
	}
	x := NonNegative(normal, right)
	var chol mat.Cholesky
	var inv mat.SymDense
	ns, dev, told = make([]float64, n), make([]float64, n), make([]float64, n)
	ok := chol.Factorize(normal) && chol.InverseTo(&inv) == nil
	// More than the deviations explain is put on them.
	chi := 0.0
	for _, s := range shots {
		ms := 0.0
		for k, m := range p.Terms {
			c, _ := target.Named(m.Count)
			ms += s.counts[c] * unit[k] * x[k] / 1e6
		}
		chi += math.Pow((ms-s.ms[p.Name])/s.dev[p.Name], 2)
	}
	more := math.Sqrt(max(chi/float64(len(shots)), 1))
	for k := range n {
		ns[k] = x[k] * unit[k]
		sd := Doubt
		if ok {
			sd = math.Sqrt(max(inv.At(k, k), 0))
		}
		told[k] = min(max(1-sd*sd/(Doubt*Doubt), 0), 1)
		dev[k] = min(sd*more, Doubt) * unit[k]
	}
	return ns, dev, told
}

// NonNegative finds the x, none below zero, that makes x'Ax/2 - b'x the least, for a positive
// definite A (Lawson and Hanson 1974, algorithm NNLS, on the normal equations).
func NonNegative(a *mat.SymDense, b []float64) []float64 {
	n := len(b)
	x := make([]float64, n)
	free := make([]bool, n)
	gradient := func(k int) float64 {
		g := b[k]
		for j := range n {
			g -= a.At(k, j) * x[j]
		}
		return g
	}
	for range 3 * n {
		best, at := 1e-10, -1
		for k := range n {
			if g := gradient(k) / math.Sqrt(a.At(k, k)); !free[k] && g > best*(1+math.Abs(b[k])) {
				best, at = g, k
			}
		}
		if at < 0 {
			break
		}
		free[at] = true
		for range n + 1 {
			s := solveFree(a, b, free)
			step, low := 1.0, false
			for k := range n {
				if free[k] && s[k] <= 0 {
					low = true
					if d := x[k] - s[k]; d > 0 {
						step = min(step, x[k]/d)
					}
				}
			}
			if !low {
				x = s
				break
			}
			for k := range n {
				x[k] += step * (s[k] - x[k])
				if free[k] && x[k] <= 1e-14 {
					free[k], x[k] = false, 0
				}
			}
		}
	}
	return x
}

func solveFree(a *mat.SymDense, b []float64, free []bool) []float64 {
	var of []int
	for k, f := range free {
		if f {
			of = append(of, k)
		}
	}
	out := make([]float64, len(b))
	if len(of) == 0 {
		return out
	}
	sub := mat.NewSymDense(len(of), nil)
	right := mat.NewVecDense(len(of), nil)
	for i, k := range of {
		right.SetVec(i, b[k])
		for j := i; j < len(of); j++ {
			sub.SetSym(i, j, a.At(k, of[j]))
		}
	}
	var chol mat.Cholesky
	var v mat.VecDense
	if !chol.Factorize(sub) || chol.SolveVecTo(&v, right) != nil {
		return out
	}
	for i, k := range of {
		out[k] = v.AtVec(i)
	}
	return out
}

// rename gives the fitted target an id and a name of its own beside the one it was made of.
func (f *Fit) rename() {
	const mark = "-measured"
	if t := &f.Target; !strings.HasSuffix(t.ID, mark) {
		t.ID, t.Name = cutTo(t.ID, 60)+mark, cutTo(t.Name, 60)+", measured"
	}
}
