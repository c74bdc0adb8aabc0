package checks

import (
	"cmp"
	"slices"

	"willowherb/core/colour"
	"willowherb/core/scene"
)

// Lit is who lights a figure, or an object of the place, in one view.
type Lit struct {
	Name      string  `json:"name"`
	Path      string  `json:"path"` // of the figure's top node, or of the object
	Figure    bool    `json:"figure"`
	Pixels    int     `json:"pixels"`
	Luminance float64 `json:"luminance"` // mean, of what falls on it
	By        []LitBy `json:"by"`        // the strongest first
}

// LitBy is one light's part.
type LitBy struct {
	Light  string  `json:"light"`
	Share  float64 `json:"share"`  // of its luminance, direct and bounced
	Direct float64 `json:"direct"` // of its luminance
	Lights bool    `json:"lights"` // so much of it directly that it counts as lighting it
}

// counts is the share of a figure's luminance from which a light counts as lighting it.
const counts = 0.02

// enough pixels for a figure to be measured.
const enough = 12

// figures sorts the objects of the place: key is the first object of each one's figure,
// figure tells those that belong to one, name is the name and path of what each key
// stands for.
func (in *Input) figures() (key []int, figure []bool, name map[int][2]string) {
	s := in.World.S
	key = make([]int, len(s.Objects)) // the first object of each object's figure
	figure = make([]bool, len(s.Objects))
	for i := range key {
		key[i] = -1
	}
	name = map[int][2]string{}
	for i := range s.Objects {
		if key[i] >= 0 {
			continue
		}
		n, part := scene.Figure(s, i)
		lo, hi := scene.Extent(s, i)
		whole := (n != s.Objects[i].Name || n == s.Objects[i].Path) && hi.Sub(lo).Len() <= scene.FigureSize
		path := s.Objects[i].Path
		if whole {
			path = n
		}
		for k := range part {
			if part[k] {
				key[k], figure[k] = i, whole
			}
		}
		name[i] = [2]string{n, path}
	}
	return key, figure, name
}

// Who measures, for each view, what lights its figures and objects.
func Who(in *Input) map[string][]Lit {
	s := in.World.S
	key, figure, name := in.figures()
	out := map[string][]Lit{}
	for v := range in.Views {
		view := &in.Views[v]
		type sums struct {
			n               int
			direct, bounced []float64
		}
		by := map[int]*sums{}
		of := func(px int) int {
			if !view.seen(px) {
				return -1
			}
			return key[s.Obj[view.Guide.Tri[px]]]
		}
		for px := range view.Guide.Tri {
			k := of(px)
			// Pixels on an outline hold light of what lies behind.
			x := px % view.W
			if k < 0 || x > 0 && of(px-1) != k || x < view.W-1 && of(px+1) != k || px >= view.W && of(px-view.W) != k || px+view.W < len(view.Guide.Tri) && of(px+view.W) != k {
				continue
			}
			q := by[k]
			if q == nil {
				q = &sums{direct: make([]float64, len(in.Lamps)), bounced: make([]float64, len(in.Lamps))}
				by[k] = q
			}
			q.n++
			for i := range in.Lamps {
				if g := view.Given[i]; g != nil {
					d, b := g.At(px)
					q.direct[i] += colour.LuminanceOf(d)
					q.bounced[i] += colour.LuminanceOf(b)
				}
			}
		}
		for k, q := range by {
			if q.n < enough {
				continue
			}
			l := Lit{Name: name[k][0], Path: name[k][1], Figure: figure[k], Pixels: q.n, By: []LitBy{}}
			for i := range in.Lamps {
				l.Luminance += (q.direct[i] + q.bounced[i]) / float64(q.n)
			}
			for i, lamp := range in.Lamps {
				if all := (q.direct[i] + q.bounced[i]) / float64(q.n); l.Luminance > 0 && all >= counts*l.Luminance {
					direct := q.direct[i] / float64(q.n) / l.Luminance
					l.By = append(l.By, LitBy{lamp.ID, all / l.Luminance, direct, direct >= counts})
				}
			}
			slices.SortStableFunc(l.By, func(a, b LitBy) int { return cmp.Compare(b.Share, a.Share) })
			out[view.ID] = append(out[view.ID], l)
		}
		slices.SortFunc(out[view.ID], func(a, b Lit) int {
			if a.Figure != b.Figure {
				if a.Figure {
					return -1
				}
				return 1
			}
			return cmp.Or(cmp.Compare(b.Pixels, a.Pixels), cmp.Compare(a.Path, b.Path))
		})
	}
	return out
}
