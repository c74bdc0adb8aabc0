package place

import (
	"cmp"
	"context"
	"slices"

	"willowherb/core/light"
	"willowherb/core/sampling"
	"willowherb/core/spread"
	"willowherb/core/vec"
	"willowherb/core/world"
)

// Bounds of the search for what lies behind a portal's room.
const (
	behindRays = 2   // of a point to each portal
	mostBehind = 4   // boxes of each portal
	besides    = 0.5 // metres between points that look
	worthwhile = 0.7 // of a box's volume: what a box that is divided has at most
)

// behind adds to portals the bounds of places outside the room before them from which the sky
// is seen through them all the same: of a passage that opens into the room, say.
func behind(ctx context.Context, w *world.World, at []lookout, portals []light.Portal, workers int) error {
	seen := make([][]bool, len(at))
	err := spread.With(ctx, len(at), workers, func() (func(int), func()) {
		t := w.Tracer()
		return func(i int) {
			seen[i] = make([]bool, len(portals))
			for k := range portals {
				seen[i][k] = !portals[k].Holds(at[i].pos) && at[i].sees(t, &portals[k], uint32(i))
			}
		}, t.Release
	})
	if err != nil {
		return err
	}
	for k := range portals {
		var from []vec.V3
		for i := range at {
			if seen[i][k] {
				from = append(from, at[i].pos)
			}
		}
		portals[k].Bounds = append(portals[k].Bounds, boxes(from, mostBehind, besides)...)
	}
	return nil
}

// sees reports whether the sky is seen through a portal.
func (l *lookout) sees(t *world.Tracer, q *light.Portal, id uint32) bool {
	o := l.pos.Add(l.n.Scale(0.02))
	if o.Sub(q.Centre).Dot(q.N) <= 0 {
		return false
	}
	for k := range uint32(behindRays) {
		u := sampling.New(0xb5470917, id, k).Pair(0)
		d := q.Centre.Add(q.U.Scale((u.X - 0.5) * q.W)).Add(q.V.Scale((u.Y - 0.5) * q.H)).Sub(o).Norm()
		if d.Y > -0.05 && d.Dot(l.n) > 0 && t.Passes(o, vec.V3{}, d, inf) != (vec.V3{}) {
			return true
		}
	}
	return false
}

// boxes are at most so many boxes that hold all points and what lies so far beside them, and
// little else.
func boxes(points []vec.V3, most int, beside float32) (out []light.Bounds) {
	if len(points) == 0 {
		return nil
	}
	sets := [][]vec.V3{points}
	for len(sets) < most {
		best, gain := -1, float32(0)
		var parts [2][]vec.V3
		for i, s := range sets {
			whole := volume(bounds(s, beside))
			a, b, v := divide(s, beside)
			if len(a) > 0 && v < worthwhile*whole && whole-v > gain {
				best, gain, parts = i, whole-v, [2][]vec.V3{a, b}
			}
		}
		if best < 0 {
			break
		}
		sets = append(append(slices.Delete(sets, best, best+1), parts[0]), parts[1])
	}
	for _, s := range sets {
		out = append(out, bounds(s, beside))
	}
	return out
}

// divide parts points along an axis where the boxes of the parts have the least volume, v.
func divide(points []vec.V3, beside float32) (a, b []vec.V3, v float32) {
	v = inf
	for axis := range 3 {
		s := slices.Clone(points)
		slices.SortStableFunc(s, func(p, q vec.V3) int { return cmp.Compare(p.Array()[axis], q.Array()[axis]) })
		from := make([]light.Bounds, len(s)) // of those from there on
		for i := len(s) - 1; i >= 0; i-- {
			from[i] = light.Bounds{Lo: s[i], Hi: s[i]}
			if i+1 < len(s) {
				from[i] = light.Bounds{Lo: vec.Min3(s[i], from[i+1].Lo), Hi: vec.Max3(s[i], from[i+1].Hi)}
			}
		}
		upTo := light.Bounds{Lo: s[0], Hi: s[0]}
		for i := 1; i < len(s); i++ {
			if sum := volume(grown(upTo, beside)) + volume(grown(from[i], beside)); sum < v {
				a, b, v = s[:i], s[i:], sum
			}
			upTo = light.Bounds{Lo: vec.Min3(upTo.Lo, s[i]), Hi: vec.Max3(upTo.Hi, s[i])}
		}
	}
	return a, b, v
}

// bounds of points, with what lies so far beside them.
func bounds(points []vec.V3, beside float32) light.Bounds {
	b := light.Bounds{Lo: points[0], Hi: points[0]}
	for _, p := range points {
		b.Lo, b.Hi = vec.Min3(b.Lo, p), vec.Max3(b.Hi, p)
	}
	return grown(b, beside)
}

func grown(b light.Bounds, by float32) light.Bounds {
	return light.Bounds{Lo: b.Lo.Sub(vec.Splat(by)), Hi: b.Hi.Add(vec.Splat(by))}
}

func volume(b light.Bounds) float32 {
	d := b.Hi.Sub(b.Lo)
	return d.X * d.Y * d.Z
}
