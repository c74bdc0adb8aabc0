package guard

import (
	"testing"

	"github.com/stretchr/testify/require"
	"willowherb/core/budget"
	"willowherb/core/route"
	"willowherb/core/setup"
	"willowherb/core/target"
)

func state(t *testing.T, all []Check, rule string) Check {
	for _, c := range all {
		if c.Rule == rule {
			return c
		}
	}
	t.Fatalf("no check of %q", rule)
	return Check{}
}

func TestViewsAreHeldToTheirTarget(t *testing.T) {
	dev := &target.Target{Limits: target.Limits{Ms: 5, MB: 100, Overlap: 4}}
	f := &budget.Frame{Ms: 5.5, MB: 90, Overlap: 5, Shadows: 9, Lights: map[string]budget.Cost{"a": {Ms: 1}, "b": {Ms: 3}}, Memory: []budget.Kept{{Name: "shadow maps", MB: 90, Known: budget.Counted, Limit: 80}, {Name: "lightmap", Known: budget.Unknown, Limit: 50}}}
	all := View("Hall", dev, f, map[string]string{"b": "Lantern"})
	c := state(t, all, "frame time")
	require.Equal(t, Broken, c.State)
	require.Contains(t, c.Remedy, "Lantern costs most, 3.00 ms")
	require.Equal(t, Broken, state(t, all, "memory of shadow maps").State)
	require.Equal(t, Unknown, state(t, all, "memory of lightmap").State)
	require.Equal(t, Unknown, state(t, all, "memory").State, "under the limit as far as it is known")
	require.Equal(t, Broken, state(t, all, "lights that overlap").State)
	for _, c := range all {
		require.NotEqual(t, "lights with shadow maps", c.Rule, "no limit, no rule")
	}
	require.False(t, Passed(all))
	f.MB = 120
	require.Equal(t, Broken, state(t, View("Hall", dev, f, nil), "memory").State, "over it already")
	f.Ms, f.Overlap, f.MB, f.Memory = 5, 4, 100, nil
	all = View("Hall", dev, f, nil)
	require.True(t, Passed(all), "at the limit is kept")
	require.Len(t, all, 3)
}

func TestRoutesAreHeldToTheirRules(t *testing.T) {
	w := &route.Walked{Name: "Round", Metres: 40, LimitMs: 5, Steps: []route.Step{{Ms: 4}, {Ms: 6}}, Worst: 1, Found: []route.Found{
		{Kind: route.TooDim, What: "Hardly any light", From: 3, To: 9, Step: 1, Number: "0.1 of 0.5 lx", Value: 0.1},
		{Kind: route.TooDim, What: "Hardly any light", From: 20, To: 20.2, Step: 0, Number: "0.3 of 0.5 lx", Value: 0.3}}}
	all := Route(w, &setup.Route{Rules: setup.Rules{Lux: 0.5, Swing: 3}})
	require.Len(t, all, 3)
	c := state(t, all, "light at the eye")
	require.Equal(t, Broken, c.State)
	require.Equal(t, "Hardly any light, 3 to 9 m: 0.1 of 0.5 lx; Hardly any light, at 20 m: 0.3 of 0.5 lx", c.Says)
	require.Equal(t, []int{1, 0}, c.Steps)
	require.Equal(t, Kept, state(t, all, "exposure keeps up").State)
	every := *w
	every.Found = nil
	for i, k := range route.Troubles {
		every.Found = append(every.Found, route.Found{Kind: k, What: string(k), Step: i})
	}
	whole := Route(&every, &setup.Route{Rules: setup.Rules{Figure: 1, Path: 1, Exit: 1, Lux: 1, Dark: 1, Bright: 1, Swing: 1}})
	require.Len(t, whole, len(route.Troubles), "every kind of finding is a check")
	told := map[int]string{}
	for _, c := range whole {
		require.Equal(t, Broken, c.State, c.Rule)
		require.Len(t, c.Steps, 1)
		require.Empty(t, told[c.Steps[0]], "two checks of one kind")
		told[c.Steps[0]] = c.Rule
	}
	c = state(t, all, "frame time")
	require.Equal(t, Kept, c.State, "nothing was found: the finder decides")
	require.Equal(t, 6.0, c.Value)
}
