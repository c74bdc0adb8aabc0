package savings

import (
	"cmp"
	"math"
	"slices"
)

// Item is a change as it is chosen by: what it saves in each view, and what it loses.
// Items of one group are not taken together.
type Item struct {
	Saves  []float64
	Loss   float64
	Groups []int // one, or for what changes several lights, all of theirs
}

// Choice is a set of items.
type Choice struct {
	Items []int
	Loss  float64 // added up
	// Short is by how much the worst view stays over what was asked; 0 where the set is enough.
	Short float64
	// Bound is a loss that no set that is enough can be under; the same as Loss where all were
	// looked at.
	Bound float64
}

// mostNodes bounds the search.
const mostNodes = 400_000

// Choose finds the set of items that saves need in every view and loses the least, by branch
// and bound: for each view by itself the rest is taken from the cheapest items on, and a
// part of the last (the relaxed multiple-choice knapsack, Sinha and Zoltners 1979); the
// largest of these bounds a branch. Where nothing is enough, it is the set that leaves the
// worst view least over, and then loses least.
func Choose(items []Item, need []float64) Choice {
	s := newSearch(items, need)
	if s.most() > 1e-12 {
		return s.closest()
	}
	s.best, s.found = s.greedy()
	s.root = s.bound(0, need)
	s.down(0, slices.Clone(need), 0)
	if !s.found {
		return s.closest()
	}
	out := Choice{Items: s.best, Loss: s.lossOf(s.best), Bound: s.lossOf(s.best)}
	if s.cut {
		out.Bound = min(s.root, out.Loss)
	}
	slices.Sort(out.Items)
	return out
}

type search struct {
	items []Item
	need  []float64
	order [][]int // items by the group at which they are decided, the lowest of theirs
	taken []bool  // groups
	hull  [][]piece
	now   []int
	best  []int
	found bool // best is enough
	root  float64
	nodes int
	cut   bool
}

// piece is a step along a group's cheapest ways to save in a view.
type piece struct {
	group       int
	saves, loss float64
}

func newSearch(items []Item, need []float64) *search {
	s := &search{items: items, need: need}
	groups := 0
	for _, it := range items {
		groups = max(groups, slices.Max(it.Groups)+1)
	}
	s.order, s.taken = make([][]int, groups), make([]bool, groups)
	for i, it := range items {
		g := slices.Min(it.Groups)
		s.order[g] = append(s.order[g], i)
	}
	for v := range need {
		var all []piece
		for g, of := range s.order {
			all = append(all, s.hullOf(g, of, v)...)
		}
		slices.SortStableFunc(all, func(a, b piece) int { return cmp.Compare(a.loss*b.saves, b.loss*a.saves) })
		s.hull = append(s.hull, all)
	}
	return s
}

// hullOf are the steps of the lower hull of a group's savings and losses in a view.
func (s *search) hullOf(g int, of []int, v int) (out []piece) {
	saves, loss := 0.0, 0.0
	for {
		best, at := math.Inf(1), -1
		for _, i := range of {
			d := s.items[i].Saves[v] - saves
			if d <= 1e-12 {
				continue
			}
			k := (s.items[i].Loss - loss) / d
			if k < best || k == best && at >= 0 && s.items[i].Saves[v] > s.items[at].Saves[v] {
				best, at = k, i
			}
		}
		if at < 0 {
			return out
		}
		out = append(out, piece{g, s.items[at].Saves[v] - saves, max(s.items[at].Loss-loss, 0)})
		saves, loss = s.items[at].Saves[v], max(s.items[at].Loss, loss)
	}
}

// bound is a loss under which the groups from g on cannot save what is left.
func (s *search) bound(g int, left []float64) float64 {
	worst := 0.0
	for v, n := range left {
		sum := 0.0
		for _, p := range s.hull[v] {
			if n <= 1e-12 {
				break
			}
			if p.group < g {
				continue
			}
			k := min(n/p.saves, 1)
			sum += k * p.loss
			n -= k * p.saves
		}
		if n > 1e-9 {
			return math.Inf(1)
		}
		worst = max(worst, sum)
	}
	return worst
}

// most is by how much the worst view would stay over if every group saved the most.
func (s *search) most() (short float64) {
	for v, n := range s.need {
		for _, p := range s.hull[v] {
			n -= p.saves
		}
		short = max(short, n)
	}
	return short
}

func (s *search) lossOf(set []int) (l float64) {
	for _, i := range set {
		l += s.items[i].Loss
	}
	return l
}

func (s *search) free(i int) bool {
	return !slices.ContainsFunc(s.items[i].Groups, func(g int) bool { return s.taken[g] })
}

func (s *search) mark(i int, taken bool) {
	for _, g := range s.items[i].Groups {
		s.taken[g] = taken
	}
}

// down decides the groups from g on.
func (s *search) down(g int, left []float64, loss float64) {
	if s.nodes++; s.nodes > mostNodes {
		s.cut = true
		return
	}
	done := !slices.ContainsFunc(left, func(n float64) bool { return n > 1e-12 })
	if done {
		if !s.found || loss < s.lossOf(s.best)-1e-12 {
			s.best, s.found = slices.Clone(s.now), true
		}
		return
	}
	if g == len(s.order) {
		return
	}
	if b := s.bound(g, left); math.IsInf(b, 1) || s.found && loss+b >= s.lossOf(s.best)-1e-12 {
		return
	}
	// The cheapest for what it saves first: good sets early cut the rest off.
	of := slices.Clone(s.order[g])
	worth := func(i int) float64 {
		saves := 1e-12
		for v, n := range left {
			saves += min(max(s.items[i].Saves[v], 0), max(n, 0))
		}
		return s.items[i].Loss / saves
	}
	slices.SortStableFunc(of, func(a, b int) int { return cmp.Compare(worth(a), worth(b)) })
	rest := make([]float64, len(left))
	for _, i := range of {
		if !s.free(i) {
			continue
		}
		for v := range left {
			rest[v] = left[v] - s.items[i].Saves[v]
		}
		s.mark(i, true)
		s.now = append(s.now, i)
		s.down(g+1, slices.Clone(rest), loss+s.items[i].Loss)
		s.now = s.now[:len(s.now)-1]
		s.mark(i, false)
	}
	s.down(g+1, left, loss)
}

// greedy takes the item that loses least for what it still saves, until it is enough; false
// where it never is.
func (s *search) greedy() (set []int, ok bool) {
	left := slices.Clone(s.need)
	taken := make([]bool, len(s.order))
	for slices.ContainsFunc(left, func(n float64) bool { return n > 1e-12 }) {
		best, at := math.Inf(1), -1
		for i, it := range s.items {
			if slices.ContainsFunc(it.Groups, func(g int) bool { return taken[g] }) {
				continue
			}
			saves := 0.0
			for v, n := range left {
				saves += min(max(it.Saves[v], 0), max(n, 0))
			}
			if saves <= 1e-12 {
				continue
			}
			if k := it.Loss / saves; k < best {
				best, at = k, i
			}
		}
		if at < 0 {
			return nil, false
		}
		set = append(set, at)
		for _, g := range s.items[at].Groups {
			taken[g] = true
		}
		for v := range left {
			left[v] -= s.items[at].Saves[v]
		}
	}
	return set, true
}

// closest is the set that leaves the worst view least over, found by asking for less and less,
// to a millionth of what was asked.
func (s *search) closest() Choice {
	low, high := 0.0, 0.0
	for _, n := range s.need {
		high = max(high, n)
	}
	var best []int
	reaches := func(over float64) bool { // so little over; its set is kept
		need := slices.Clone(s.need)
		for v := range need {
			need[v] -= over
		}
		t := newSearch(s.items, need)
		if t.most() > 1e-12 {
			return false
		}
		t.best, t.found = t.greedy()
		t.down(0, need, 0)
		if t.found {
			best = t.best
		}
		return t.found
	}
	if most := s.most(); reaches(most) {
		high = most // each view by itself can do no better
	} else {
		low = most
		for range 20 {
			if mid := (low + high) / 2; reaches(mid) {
				high = mid
			} else {
				low = mid
			}
		}
		reaches(high)
	}
	c := Choice{Items: slices.Clone(best), Loss: s.lossOf(best), Bound: s.lossOf(best)}
	slices.Sort(c.Items)
	for v, n := range s.need {
		for _, i := range c.Items {
			n -= s.items[i].Saves[v]
		}
		c.Short = max(c.Short, n)
	}
	return c
}
