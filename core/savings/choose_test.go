package savings

import (
	"math"
	"math/rand/v2"
	"slices"
	"testing"

	"github.com/stretchr/testify/require"
)

// all looks at every set of items: the least loss of those that are enough; if none is, the least that the
// worst view stays over.
func all(items []Item, need []float64) (loss, short float64) {
	loss, short = math.Inf(1), math.Inf(1)
	for set := range 1 << len(items) {
		taken := map[int]bool{}
		left := slices.Clone(need)
		l, ok := 0.0, true
		for i, it := range items {
			if set>>i&1 == 0 {
				continue
			}
			for _, g := range it.Groups {
				ok = ok && !taken[g]
				taken[g] = true
			}
			l += it.Loss
			for v := range left {
				left[v] -= it.Saves[v]
			}
		}
		if !ok {
			continue
		}
		worst := max(slices.Max(left), 0)
		short = min(short, worst)
		if worst <= 1e-12 {
			loss = min(loss, l)
		}
	}
	return loss, short
}

func some(r *rand.Rand) ([]Item, []float64) {
	views := 1 + r.IntN(3)
	groups := 1 + r.IntN(6)
	var items []Item
	for range 1 + r.IntN(11) {
		it := Item{Loss: r.Float64(), Groups: []int{r.IntN(groups)}}
		if g := r.IntN(groups); r.IntN(5) == 0 && g != it.Groups[0] {
			it.Groups = append(it.Groups, g)
		}
		if r.IntN(8) == 0 {
			it.Loss = 0
		}
		for range views {
			s := r.Float64()
			if r.IntN(6) == 0 {
				s = -0.1 * s // what makes one view dearer
			}
			it.Saves = append(it.Saves, s)
		}
		items = append(items, it)
	}
	var need []float64
	for range views {
		need = append(need, (r.Float64()-0.15)*float64(groups)*0.5)
	}
	return items, need
}

func TestChoiceEqualsLookingAtAllSets(t *testing.T) {
	r := rand.New(rand.NewPCG(4, 5))
	enough, nothing, better := 0, 0, 0
	for n := range 4000 {
		items, need := some(r)
		loss, short := all(items, need)
		c := Choose(items, need)
		taken := map[int]bool{}
		left := slices.Clone(need)
		for _, i := range c.Items {
			for _, g := range items[i].Groups {
				require.False(t, taken[g], "two of one light")
				taken[g] = true
			}
			for v := range left {
				left[v] -= items[i].Saves[v]
			}
		}
		if math.IsInf(loss, 1) {
			nothing++
			require.InDelta(t, max(slices.Max(left), 0), c.Short, 1e-9)
			require.InDelta(t, short, c.Short, 1e-5, "case %d", n)
			continue
		}
		enough++
		require.LessOrEqual(t, slices.Max(left), 1e-9, "case %d is not enough", n)
		require.InDelta(t, loss, c.Loss, 1e-9, "case %d", n)
		require.InDelta(t, c.Loss, c.Bound, 1e-9, "all were looked at")
		if g, ok := newSearch(items, need).greedy(); ok {
			l := newSearch(items, need).lossOf(g)
			require.LessOrEqual(t, c.Loss, l+1e-9, "worse than greedy")
			if c.Loss < l-1e-9 {
				better++
			}
		}
	}
	require.Greater(t, enough, 1000)
	require.Greater(t, nothing, 200)
	require.Greater(t, better, 100, "the search finds what greedy does not")
}

// In a large case not all can be looked at: the bound is under what is known to be possible, the set no
// worse than greedy.
func TestLargeChoicesAreBounded(t *testing.T) {
	r := rand.New(rand.NewPCG(8, 9))
	var items []Item
	for g := range 60 {
		for range 6 {
			items = append(items, Item{Loss: r.Float64(), Groups: []int{g}, Saves: []float64{r.Float64(), r.Float64(), r.Float64()}})
		}
	}
	need := []float64{14, 15, 16}
	c := Choose(items, need)
	g, ok := newSearch(items, need).greedy()
	require.True(t, ok)
	require.LessOrEqual(t, c.Loss, newSearch(items, need).lossOf(g))
	require.LessOrEqual(t, c.Bound, c.Loss)
	require.Greater(t, c.Bound, 0.8*c.Loss, "the bound tells something")
}

func TestNothingToDo(t *testing.T) {
	c := Choose([]Item{{Saves: []float64{1}, Loss: 0, Groups: []int{0}}}, []float64{-0.5})
	require.Empty(t, c.Items)
	require.Zero(t, c.Loss)
	c = Choose(nil, []float64{1})
	require.Empty(t, c.Items)
	require.Equal(t, 1.0, c.Short)
}
