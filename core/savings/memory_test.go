package savings

import (
	"context"
	"testing"

	"github.com/stretchr/testify/require"
	"willowherb/core/baking"
	"willowherb/core/budget"
	"willowherb/core/edits"
	"willowherb/core/setup"
	"willowherb/core/staging"
)

// bakeOf bakes an order's document.
func bakeOf(t *testing.T, o *Order, doc *setup.Setup) (*LastBake, *budget.Baked) {
	lit, err := o.Relit(doc)
	require.NoError(t, err)
	moves := staging.Movers(doc, o.Scene)
	on := staging.Of(doc, "f", "f")
	q := setup.Quality{Density: 1, Least: 1024, Most: 1024, Noise: 0.01, Cell: 0.5, Rays: 256, Mirror: 2}
	d, err := baking.Run(context.Background(), &baking.Order{Scene: o.Scene, World: o.World, Doc: doc, Lamps: lit, Place: on.Still(moves, o.Scene), Quality: q, Workers: 2})
	require.NoError(t, err)
	rest, err := o.World.Resting(moves, 2)
	require.NoError(t, err)
	return &LastBake{q, d.Result, d.Field, rest}, &budget.Baked{MB: d.Result.Plan.MB(), Probes: len(d.Field.Probes)}
}

// What a smaller map saves is the difference of two layouts, and what is lost of the picture that of two bakes.
func TestWhatIsBakedTakesLess(t *testing.T) {
	o := yard(t)
	for id, l := range o.Doc.Lights {
		if id != "three" {
			l.Carry = setup.Baked
			o.Doc.Lights[id] = l
		}
	}
	rules := setup.StandardBake()
	rules.Density, rules.Page, rules.Seen, rules.Apart = 10, 256, false, 1
	rules.Fill["all"] = setup.Box{Name: "All", Position: [3]float64{0, 1, 0}, Size: [3]float64{8, 2, 8}}
	o.Doc.Bake = &rules
	o.Bake, o.Baked = bakeOf(t, o, o.Doc)
	o.Samples, o.Limit = 2, 1000
	all, err := Find(context.Background(), o)
	require.NoError(t, err)
	require.Empty(t, all.Chosen, "all is under its limits")
	kinds := map[Means][]Saving{}
	for _, c := range all.Changes {
		if c.Rebake {
			kinds[c.Kinds[0]] = append(kinds[c.Kinds[0]], c)
			require.Positive(t, c.SavedMB)
		}
	}
	require.Len(t, kinds[Pages], 2)
	require.Len(t, kinds[Probes], 1)
	require.Equal(t, "Lightmap: 5 texels a metre", kinds[Pages][0].What)
	require.GreaterOrEqual(t, kinds[Pages][1].SavedMB, kinds[Pages][0].SavedMB)
	require.Greater(t, kinds[Pages][1].Loss[0], kinds[Pages][0].Loss[0])

	// Against real bakes of half and of a third of the texels.
	r := &run{Order: o, device: o.Doc.Device()}
	lit, err := o.Relit(o.Doc)
	require.NoError(t, err)
	r.now = state{o.Doc, o.World, lit}
	y := &look{w: 162, h: High, shown: r.finished(&o.Eyes[0], 162, High)}
	o.Samples = 2
	require.NoError(t, r.layered(context.Background(), &o.Eyes[0], y)) // the picture with all lights
	picture := func(b *LastBake) []float32 {
		was := o.Bake
		o.Bake = b
		defer func() { o.Bake = was }()
		p, err := r.runTime(context.Background(), &o.Eyes[0], y, nil)
		require.NoError(t, err)
		return p.RGB
	}
	before := picture(o.Bake)
	for _, c := range kinds[Pages] {
		e, err := edits.Apply(o.Doc, c.Ops)
		require.NoError(t, err)
		less, kept := bakeOf(t, o, e.After)
		require.InDelta(t, o.Baked.MB-kept.MB, c.SavedMB, 1e-9)
		rgb := picture(less)
		add(rgb, before, -1)
		y.change = []sheet{rgb}
		// Two bakes have noise of their own, and the map's light cache another chance.
		n := y.loss([]int{0})
		t.Log(c.What, n.Mean, c.Loss)
		require.InDelta(t, n.Mean, c.Loss[0], 0.1+0.25*n.Mean, c.What)
	}

	// Under a limit of memory that half the texels are enough for, those are chosen.
	o.LimitMB = all.BeforeMB - 0.9*kinds[Pages][0].SavedMB
	less, err := Find(context.Background(), o)
	require.NoError(t, err)
	require.NotEmpty(t, less.Chosen)
	require.LessOrEqual(t, less.AfterMB, less.LimitMB)
	require.Zero(t, less.ShortMB)
	e, err := edits.Apply(o.Doc, less.Ops)
	require.NoError(t, err)
	require.NotEqual(t, o.Doc.Bake, e.After.Bake)
	o.LimitMB = 1e-6
	none, err := Find(context.Background(), o)
	require.NoError(t, err)
	require.Positive(t, none.ShortMB)
	require.Len(t, none.Chosen, 2, "the most that there is")
}

func TestTheLeastLossThatIsEnough(t *testing.T) {
	c := []Saving{{Kinds: []Means{Pages}, Lights: []string{"a"}, SavedMB: 3, Loss: []float64{1}}, {Kinds: []Means{Pages}, Lights: []string{"a"}, SavedMB: 5, Loss: []float64{3}}, {Kinds: []Means{Probes}, Lights: []string{"b"}, SavedMB: 2.5, Loss: []float64{0.5}}}
	for _, k := range []struct {
		over, overMap float64
		set           []int
		short         float64
	}{{0, 0, nil, 0}, {2, 0, []int{2}, 0}, {3, 0, []int{0}, 0}, {4, 0, []int{0, 2}, 0}, {2, 2, []int{0}, 0}, {1, 4, []int{1}, 0}, {9, 0, []int{1, 2}, 1.5}} {
		set, short := remember(c, k.over, k.overMap)
		require.Equal(t, k.set, set, k)
		require.InDelta(t, k.short, short, 1e-9)
	}
	c[2].Lights = []string{"a"}
	set, short := remember(c, 6, 0)
	require.Equal(t, []int{1}, set, "of one edit only one can be made")
	require.InDelta(t, 1, short, 1e-9)
}
