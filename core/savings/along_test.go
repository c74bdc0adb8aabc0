package savings

import (
	"context"
	"fmt"
	"testing"

	"github.com/stretchr/testify/require"
	"willowherb/core/budget"
	"willowherb/core/contrast"
	"willowherb/core/edits"
	"willowherb/core/exposure"
	"willowherb/core/route"
	"willowherb/core/setup"
	"willowherb/core/still"
)

func walked(t *testing.T, o *Order, doc *setup.Setup, r setup.Route) *route.Walked {
	lit, err := o.Relit(doc)
	require.NoError(t, err)
	w, err := route.Walk(context.Background(), &route.Order{Doc: doc, Scene: o.Scene, World: o.World, Lamps: lit, Route: r, Workers: 2})
	require.NoError(t, err)
	return w
}

// Who walks carries the lantern: what it costs and what is lost without its shadow is that of the
// place where it is carried, and a set that is enough is enough on every step.
func TestSavingsAlongARoute(t *testing.T) {
	o := yard(t)
	o.Doc.Curve = "plain"
	r := setup.StandardRoute()
	r.Rules, r.Adapts, r.Figure = setup.Rules{}, false, "Keeper"
	r.Stops = []setup.Stop{{At: [3]float64{-1, 0, 5}}, {At: [3]float64{-1, 0, 2}}, {Name: "far", At: [3]float64{3, 0, -3}}}
	before := walked(t, o, o.Doc, r)
	dear := before.Steps[before.Worst]
	o.Limit = dear.Ms * 0.75
	o.Eyes, o.Others = Along(o.Doc, o.Scene, &r, before, o.Limit)
	require.NotEmpty(t, o.Eyes)
	require.LessOrEqual(t, len(o.Eyes), mostSteps)
	require.Len(t, before.Steps, len(o.Eyes)+len(o.Others))
	got, err := Find(context.Background(), o)
	require.NoError(t, err)
	require.True(t, got.Reached)
	require.Equal(t, len(o.Others), got.Others)
	require.Equal(t, before.Worst, got.Views[0].Step)
	require.InEpsilon(t, dear.Ms, got.Views[0].Before, 0.05, "the walk counts more coarsely")
	e, err := edits.Apply(o.Doc, got.Ops)
	require.NoError(t, err)
	for i, s := range walked(t, o, e.After, r).Steps {
		require.LessOrEqual(t, s.Ms, o.Limit*1.05, "step %d", i)
	}

	// The lantern is lit where it is carried.
	v := &o.Eyes[0]
	render := func(doc *setup.Setup) []float32 {
		lit, err := o.Relit(doc)
		require.NoError(t, err)
		own := v.Carry(lit, 0)
		p, err := still.Reference(context.Background(), still.Order{World: o.World, Lamps: own, View: v.Camera, W: Wide, H: High, Samples: 64, Seed: 3, Workers: 2})
		require.NoError(t, err)
		return p.RGB
	}
	base := render(o.Doc)
	n := 0
	for _, c := range got.Changes {
		if len(c.Kinds) == 1 && c.Lights[0] == "three" && (c.Kinds[0] == NoShadow || c.Kinds[0] == Range) {
			n++
			e, err := edits.Apply(o.Doc, c.Ops)
			require.NoError(t, err)
			m := contrast.Compare(base, render(e.After), v.View.EV, v.View.EV, exposure.Plain, exposure.Plain)
			require.InDelta(t, m.Mean, c.Loss[0], 0.25+0.12*m.Mean, c.What)
		}
		require.False(t, c.Kinds[0] == Bake && c.Lights[0] == "three", "what is carried is not baked")
	}
	require.Positive(t, n)
}

// A step that is not among the eyes, and that a set would leave over the limit, joins them.
func TestOthersAreUnderTheLimitToo(t *testing.T) {
	o := yard(t)
	o.Samples = 1
	far := o.Eyes[0]
	far.ID, far.View.Eye, far.View.Aim = "far", [3]float64{0, 8, 14}, [3]float64{0, -0.5, -1}
	far.Camera = far.View.Camera()
	cost := func(v Eye) float64 {
		lit, err := o.Relit(o.Doc)
		require.NoError(t, err)
		f, err := budget.View(context.Background(), o.Doc, budget.Place(o.Doc, o.Scene, o.World, nil), lit, &v.View, nil, 1, 2)
		require.NoError(t, err)
		return f.Ms
	}
	a, b := cost(o.Eyes[0]), cost(far)
	require.NotEqual(t, a, b)
	dear, cheap := o.Eyes[0], far
	if b > a {
		dear, cheap = far, o.Eyes[0]
	}
	o.Eyes, o.Others, o.Limit = []Eye{cheap}, []Eye{dear}, (a+b)/2
	got, err := Find(context.Background(), o)
	require.NoError(t, err)
	require.Len(t, got.Views, 2)
	require.NotEmpty(t, got.Chosen, "the cheap one alone needs nothing")
	require.Zero(t, got.Others, "it is one of those that were looked at now")
	require.Len(t, o.Eyes, 1, "what was asked stays as it was")
	require.True(t, got.Reached)
	for _, v := range got.Views {
		require.LessOrEqual(t, v.After, o.Limit+1e-9)
	}
	for _, c := range got.Changes {
		require.Len(t, c.Loss, 2)
		require.Len(t, c.SavedMs, 2)
	}

	// Of many views the dearest are looked at closely, the rest is counted.
	o.Eyes, o.Others = nil, nil
	for i := range mostEyes + 2 {
		e := cheap
		e.ID = fmt.Sprint("cheap ", i)
		if i == mostEyes {
			e = dear
		}
		o.Eyes = append(o.Eyes, e)
	}
	lit, err := o.Relit(o.Doc)
	require.NoError(t, err)
	r := &run{Order: o, device: o.Doc.Device(), now: state{o.Doc, o.World, lit}, place: budget.Place(o.Doc, o.Scene, o.World, nil)}
	eyes, others, err := r.dearest(context.Background())
	require.NoError(t, err)
	require.Len(t, eyes, mostEyes)
	require.Equal(t, dear.ID, eyes[0].ID)
	require.Len(t, others, 2)
}
