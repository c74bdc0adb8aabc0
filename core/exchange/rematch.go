package exchange

import (
	"encoding/json"
	"fmt"
	"maps"
	"math"
	"slices"

	"willowherb/core/edits"
	"willowherb/core/scene"
	"willowherb/core/setup"
)

// Report says what became of a place that was brought in again.
type Report struct {
	New     []string `json:"new"`     // paths of objects that were not there
	Gone    []string `json:"gone"`    // paths of objects that are not there any more
	Changed []string `json:"changed"` // same path, other shape, place or materials
	Moved   []string `json:"moved"`   // found again by name under another path
	Kept    int      `json:"kept"`    // objects that are the same
	// What the setup says of objects, materials or shining surfaces that are gone: it is
	// kept, and does nothing until they are back.
	Idle  []string `json:"idle"`
	Notes []string `json:"notes"` // lights and cameras that the file has and the setup has not
}

// shape is what an object looks like, as far as telling it from another goes.
type shape struct {
	count    int
	lo, hi   [3]float64
	material map[string]bool
}

// Rematch finds the objects of a place again in a new version of it, by path and,
// where that is gone, by a name that only one object has. It returns the
// operations that let the setup's objects follow, and what has changed.
func Rematch(s *setup.Setup, old, now *scene.Scene) (ops []edits.Op, r Report) {
	index := func(sc *scene.Scene) (byPath map[string][]shape, byName map[string][]string) {
		byPath, byName = map[string][]shape{}, map[string][]string{}
		for i := range sc.Objects {
			o := &sc.Objects[i]
			m := map[string]bool{}
			for k := o.First; k < o.First+o.Count; k++ {
				m[sc.Materials[sc.Mat[k]].Name] = true
			}
			if byPath[o.Path] == nil {
				byName[o.Name] = append(byName[o.Name], o.Path)
			}
			byPath[o.Path] = append(byPath[o.Path], shape{o.Count, o.Lo.Array(), o.Hi.Array(), m})
		}
		return byPath, byName
	}
	was, wasNamed := index(old)
	is, isNamed := index(now)
	moved := map[string]string{}
	for name, paths := range wasNamed {
		if len(paths) == 1 && len(isNamed[name]) == 1 && is[paths[0]] == nil && was[isNamed[name][0]] == nil {
			moved[paths[0]] = isNamed[name][0]
		}
	}
	same := func(a, b []shape) bool {
		return slices.EqualFunc(a, b, func(x, y shape) bool {
			for k := range 3 {
				if math.Abs(x.lo[k]-y.lo[k]) > 1e-3 || math.Abs(x.hi[k]-y.hi[k]) > 1e-3 {
					return false
				}
			}
			return x.count == y.count && len(x.material) == len(y.material) && !slices.ContainsFunc(slices.Sorted(maps.Keys(x.material)), func(m string) bool { return !y.material[m] })
		})
	}
	arrived := map[string]bool{}
	for _, p := range slices.Sorted(maps.Keys(was)) {
		switch to := moved[p]; {
		case to != "":
			arrived[to] = true
			r.Moved = append(r.Moved, p+" to "+to)
			if !same(was[p], is[to]) {
				r.Changed = append(r.Changed, to)
			}
		case is[p] == nil:
			r.Gone = append(r.Gone, p)
		case same(was[p], is[p]):
			r.Kept++
		default:
			r.Changed = append(r.Changed, p)
		}
	}
	for _, p := range slices.Sorted(maps.Keys(is)) {
		if was[p] == nil && !arrived[p] {
			r.New = append(r.New, p)
		}
	}
	ops = r.follow(s, is, moved)
	r.idle(s, old, now)
	for _, l := range []*[]string{&r.New, &r.Gone, &r.Changed, &r.Moved, &r.Idle, &r.Notes} {
		if *l == nil {
			*l = []string{}
		}
	}
	return ops, r
}

// follow makes the operations that let the setup's objects follow what has moved, and
// notes those of which nothing is there any more.
func (r *Report) follow(s *setup.Setup, is map[string][]shape, moved map[string]string) (ops []edits.Op) {
	there := func(node string) bool {
		for p := range is {
			if scene.Under(p, node) {
				return true
			}
		}
		return false
	}
	for _, id := range slices.Sorted(maps.Keys(s.Objects)) {
		o := s.Objects[id]
		if to := moved[o.Path]; to != "" {
			v, _ := json.Marshal(to) // a string always marshals
			ops = append(ops, edits.Op{Op: "replace", Path: "/objects/" + id + "/path", Value: v})
		} else if !there(o.Path) {
			r.Idle = append(r.Idle, o.Path)
		}
	}
	return ops
}

// idle notes what the setup says of materials that are gone, and what came that it has
// not.
func (r *Report) idle(s *setup.Setup, old, now *scene.Scene) {
	material := map[string]bool{}
	for i := range now.Materials {
		material[now.Materials[i].Name] = true
	}
	for _, id := range slices.Sorted(maps.Keys(s.Materials)) {
		if m := s.Materials[id]; !material[m.Name] {
			r.Idle = append(r.Idle, "material "+m.Name)
		}
	}
	for _, id := range slices.Sorted(maps.Keys(s.Lights)) {
		if l := s.Lights[id]; l.Kind == setup.Emissive && !material[l.Material] {
			r.Idle = append(r.Idle, l.Name)
		}
	}
	if n := len(now.Lights); n > len(old.Lights) {
		r.Notes = append(r.Notes, fmt.Sprintf("the file has %d lights where it had %d: the setup's own are kept", n, len(old.Lights)))
	}
	if n := len(now.Cameras); n > len(old.Cameras) {
		r.Notes = append(r.Notes, fmt.Sprintf("the file has %d cameras where it had %d: the setup's own views are kept", n, len(old.Cameras)))
	}
}
