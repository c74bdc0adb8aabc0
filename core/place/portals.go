package place

import (
	"context"
	"math"
	"slices"

	"willowherb/core/light"
	"willowherb/core/sampling"
	"willowherb/core/spread"
	"willowherb/core/trace"
	"willowherb/core/vec"
	"willowherb/core/world"
)

// Bounds of the search for portals.
const (
	lookouts  = 12288 // surface points that look for the sky
	lookRays  = 16    // of each
	fewEscape = 0.25  // of a point's rays: more, and it lies outdoors
	far       = 40    // metres: as good as escaped, to tell outdoors by
	fewFar    = 0.5   // of a point's rays: more, and it lies outdoors
	near      = 0.5   // metres
	fewNear   = 0.5   // of a point's rays: more, and it lies in a gap or among leaves
	vain      = 2     // openings that are sought in vain from a point, at most
	tries     = 320   // openings that are fitted, at most
	atOnce    = 16    // of them together
	stride    = 7919  // lookouts are taken this far apart: all parts of the place have their turn
)

// escape is a ray that leaves the place.
type escape struct{ o, d vec.V3 }

// Portals finds the openings through which rooms see the sky: windows and doors in walls.
// Points spread over the surfaces look around; where few of a point's rays leave the
// place, the opening that they leave by is fitted. The same world has the same portals. Error: ctx
// ended.
func Portals(ctx context.Context, w *world.World, workers int) ([]light.Portal, error) {
	at := evenly(w, lookouts)
	found, ends := make([][]escape, len(at)), make([][]lookout, len(at))
	err := spread.With(ctx, len(at), workers, func() (func(int), func()) {
		t := w.Tracer()
		return func(i int) { found[i], ends[i] = at[i].around(t, w, uint32(i)) }, t.Release
	})
	if err != nil {
		return nil, err
	}
	q := search{w: w, workers: workers}
	for i := range found {
		for _, r := range found[i*stride%len(found)] {
			if q.tried < tries && !q.knows(r) {
				q.queue = append(q.queue, r)
			}
		}
		for len(q.queue) >= atOnce || i == len(found)-1 && len(q.queue) > 0 {
			if err := q.fit(ctx); err != nil {
				return nil, err
			}
		}
	}
	return q.out, behind(ctx, w, slices.Concat(ends...), q.out, workers)
}

// Through are the portals that a sky is looked for by: those that were marked by hand, which know
// no bounds yet, and of those that were found the ones that are no part of these.
func Through(w *world.World, marked, found []light.Portal) []light.Portal {
	if len(marked) == 0 {
		return found
	}
	out := slices.Clone(marked)
	for i := range out {
		out[i].Bounds = room(w, &out[i], true)
	}
	for _, f := range found {
		part := func(q light.Portal) bool {
			d := f.Centre.Sub(q.Centre)
			across := d.Dot(q.N)
			return q.N.Dot(f.N) > 0.9 && max(across, -across) < same && max(d.Dot(q.U), -d.Dot(q.U)) <= q.W/2 && max(d.Dot(q.V), -d.Dot(q.V)) <= q.H/2
		}
		if !slices.ContainsFunc(marked, part) {
			out = append(out, f)
		}
	}
	return out
}

// same is how far behind one another, in metres, two portals may be and stand in one opening.
const same = 1.0

// search is a search for portals under way.
type search struct {
	w       *world.World
	workers int
	queue   []escape // whose openings are to be fitted
	failed  []escape // that leave by nothing that could be fitted
	out     []light.Portal
	tried   int
}

// knows reports whether what a ray leaves by was found, or sought in vain.
func (q *search) knows(r escape) bool {
	for k := range q.out {
		if q.out[k].Near(r.o, r.d, 1.3) {
			return true
		}
	}
	here := 0
	for _, f := range q.failed {
		if v := f.o.Sub(r.o); v.Dot(v) < 0.25 && f.d.Dot(r.d) > 0.97 {
			return true
		} else if v == (vec.V3{}) {
			here++
		}
	}
	return here >= vain
}

// fit takes some rays off the queue, and fits what they leave by.
func (q *search) fit(ctx context.Context) error {
	n := min(atOnce, len(q.queue))
	now := q.queue[:n]
	q.queue = q.queue[n:]
	q.tried += n
	var fits [atOnce]*frame
	var rooms [atOnce]light.Portal
	err := spread.Over(ctx, n, q.workers, func(k int) {
		p := &Picture{World: q.w, View: world.Camera{Eye: now[k].o}}
		if f, err := p.fit(now[k].d, inf); err == nil && f.w*f.h >= 0.02 {
			fits[k] = f
			rooms[k] = light.Portal{Centre: f.centre, N: f.n, U: f.u, V: f.v, W: f.w, H: f.h}
			rooms[k].Bounds = room(q.w, &rooms[k], false)
		}
	})
	if err != nil {
		return err
	}
	for k, r := range now {
		switch {
		case fits[k] == nil:
			q.failed = append(q.failed, r)
		case !q.knows(r):
			q.out = append(q.out, rooms[k])
		}
	}
	q.queue = slices.DeleteFunc(q.queue, q.knows)
	return nil
}

// open reports whether nothing is above what does not face down.
func (l *lookout) open(t *world.Tracer) bool {
	o := l.pos.Add(l.n.Scale(0.02))
	return l.n.Y > -0.05 && t.Passes(o, vec.V3{}, vec.V3{Y: 1}, inf) != (vec.V3{})
}

// around are the rays by which a place indoors sees the sky, and the surfaces that it sees
// by the others; none where it lies outdoors.
func (l *lookout) around(t *world.Tracer, w *world.World, id uint32) (out []escape, ends []lookout) {
	bt, bb := vec.Basis(l.n)
	o := l.pos.Add(l.n.Scale(0.02))
	if l.open(t) {
		return nil, nil
	}
	away, close := 0, 0
	for k := range uint32(lookRays) {
		h := sampling.CosineHemisphere(sampling.New(0x9216d5d9, id, k).Pair(0))
		d := bt.Scale(h.X).Add(bb.Scale(h.Y)).Add(l.n.Scale(h.Z))
		if d.Y > -0.05 && t.Passes(o, vec.V3{}, d, inf) != (vec.V3{}) {
			out = append(out, escape{o, d})
			away++
			continue
		}
		tri, hit, ok := t.First(trace.Ray{O: o, D: d, Max: inf}, world.Even)
		if !ok || hit.T > far {
			away++
			continue
		}
		if hit.T < near {
			close++
		}
		_, n := w.S.Area(tri)
		if n.Dot(d) > 0 {
			n = n.Neg()
		}
		if e := (lookout{o.Add(d.Scale(hit.T)), n}); !e.open(t) {
			ends = append(ends, e)
		}
	}
	if len(out) > lookRays*fewEscape || float64(away) > lookRays*fewFar || float64(close) > lookRays*fewNear {
		return nil, nil
	}
	return out, ends
}

var inf = float32(math.Inf(1))

// lookout is a point of a surface with its normal.
type lookout struct{ pos, n vec.V3 }

// evenly spreads points over the world's surfaces, by what they count, on a side of chance.
func evenly(w *world.World, many int) []lookout {
	s := w.S
	var total float64
	counts := s.Counts(nil)
	for _, c := range counts {
		total += c
	}
	out := make([]lookout, 0, many)
	step := total / float64(many)
	next, sum := step/2, 0.0
	for t := range uint32(s.Triangles()) {
		_, n := s.Area(t)
		sum += counts[t]
		for ; next < sum && len(out) < many; next += step {
			i := uint32(len(out))
			u := sampling.New(0x85a308d3, i, 0).Pair(0)
			if u.X+u.Y > 1 {
				u.X, u.Y = 1-u.X, 1-u.Y
			}
			p := s.PointAt(t, u.X, u.Y)
			if sampling.Chance(0x13198a2e, i) < 0.5 {
				n = n.Neg()
			}
			out = append(out, lookout{p.Pos, n})
		}
	}
	return out
}

// mostRoom is how many boxes bound the room before a portal.
const mostRoom = 3

// room bounds what lies before a portal, as far as rays from it go; under an open sky too, or not.
func room(w *world.World, q *light.Portal, open bool) []light.Bounds {
	t := w.Tracer()
	defer t.Release()
	o := q.Centre.Add(q.N.Scale(0.05))
	ends := []vec.V3{o}
	bt, bb := vec.Basis(q.N)
	for k := range uint32(256) {
		h := sampling.CosineHemisphere(sampling.New(0x299f31d0, 0, k).Pair(0))
		d := bt.Scale(h.X).Add(bb.Scale(h.Y)).Add(q.N.Scale(h.Z))
		if _, hit, ok := t.First(trace.Ray{O: o, D: d, Max: inf}, world.Even); ok {
			if e := (lookout{o.Add(d.Scale(hit.T)), d.Neg()}); open || !e.open(t) {
				ends = append(ends, e.pos)
			}
		}
	}
	return boxes(ends, mostRoom, 0.1)
}
