package savings

import (
	"context"
	"encoding/json"
	"testing"

	"github.com/stretchr/testify/require"
	"willowherb/core/budget"
	"willowherb/core/colour"
	"willowherb/core/contrast"
	"willowherb/core/edits"
	"willowherb/core/exposure"
	"willowherb/core/grade"
	"willowherb/core/lamps"
	"willowherb/core/scene/scenetest"
	"willowherb/core/setup"
	"willowherb/core/setup/setuptest"
	"willowherb/core/staging"
	"willowherb/core/still"
	"willowherb/core/vec"
	"willowherb/core/world"
)

// A room with a box on the floor, two lamps that stand close together and one that travels.
func yard(t *testing.T) *Order {
	g := scenetest.New()
	g.Floor(6)
	g.Box("crate", vec.V3{X: 0.6, Y: 0.5}, 0.5)
	g.Box("Keeper", vec.V3{X: -1.5, Y: 0.6, Z: 0.5}, 0.4)
	w := g.World(t)
	doc := setuptest.Sample()
	doc.Curve, doc.Target = "plain", "console-60"
	doc.Groups = map[string]setup.Group{"rig": {Name: "Rig", Rig: &setup.Rig{Object: "Keeper", Height: 1.8}}}
	doc.Looks, doc.Views = map[string]setup.Look{}, map[string]setup.View{"a": {Name: "A", Eye: [3]float64{0, 3, 6}, Aim: [3]float64{0, -0.45, -1}, FovY: 40, Aspect: 1.5, EV: 4}}
	doc.Objects = map[string]setup.Object{"k": {Path: "Keeper", Part: setup.Mover}}
	l := setup.Light{Kind: setup.Spot, Output: 900, Colour: setup.Colour{Kelvin: 4000}, Aim: [3]float64{0, -1, 0}, Inner: 20, Outer: 45, Range: 8, Shadow: true, ShadowMap: 512, Carry: setup.Live, Channels: 0xff}
	one, two, three := l, l, l
	one.Name, one.Position = "One", [3]float64{1.5, 3, 0.5}
	two.Name, two.Position, two.Order = "Two", [3]float64{2.5, 3, 0.5}, 1
	three.Name, three.Position, three.Order, three.Group, three.Kind = "Lantern", [3]float64{-1, 2, 0.5}, 2, "rig", setup.Point
	doc.Lights = map[string]setup.Light{"one": one, "two": two, "three": three}
	require.NoError(t, doc.Validate())
	relit := func(d *setup.Setup) ([]*lamps.Lamp, error) {
		st, err := lamps.Resolve(d, "")
		if err != nil {
			return nil, err
		}
		return st.Lamps(w.S, nil), nil
	}
	return &Order{Doc: doc, Scene: w.S, World: w, Relit: relit, Eyes: []Eye{EyeOf(doc, "a")}, Every: 1, Workers: 2, Samples: 16,
		Staged: func(d *setup.Setup) (*world.World, []*lamps.Lamp, error) {
			on := staging.Of(d, "f", "f")
			_, w, err := on.Compile(w.S, 2)
			if err != nil {
				return nil, nil, err
			}
			lit, err := relit(d)
			return w, lit, err
		}}
}

func frameOf(t *testing.T, o *Order, doc *setup.Setup) *budget.Frame {
	lit, err := o.Relit(doc)
	require.NoError(t, err)
	f, err := budget.View(context.Background(), doc, budget.Place(doc, o.Scene, o.World, nil), lit, &o.Eyes[0].View, nil, 1, 2)
	require.NoError(t, err)
	return f
}

// What a change saves is the difference of two frames; what it loses is that of two full renders.
func TestSavingsAndLossesAreMeasured(t *testing.T) {
	o := yard(t)
	before := frameOf(t, o, o.Doc)
	o.Limit = before.Ms * 0.8
	r, err := Find(context.Background(), o)
	require.NoError(t, err)
	w, h := 162, High
	render := func(doc *setup.Setup) []float32 {
		lit, err := o.Relit(doc)
		require.NoError(t, err)
		p, err := still.Reference(context.Background(), still.Order{World: o.World, Lamps: lit, View: o.Eyes[0].Camera, W: w, H: h, Samples: 64, Seed: 3, Workers: 2})
		require.NoError(t, err)
		return p.RGB
	}
	base := render(o.Doc)
	kinds := map[Means]bool{}
	for _, c := range r.Changes {
		for _, k := range c.Kinds {
			kinds[k] = true
		}
		e, err := edits.Apply(o.Doc, c.Ops)
		require.NoError(t, err, c.What)
		require.InDelta(t, before.Ms-frameOf(t, o, e.After).Ms, c.SavedMs[0], 1e-9, c.What)
		if len(c.Kinds) == 1 && c.Lights[0] != "three" && (c.Kinds[0] == NoShadow || c.Kinds[0] == Range || c.Kinds[0] == Merge) {
			n := contrast.Compare(base, render(e.After), o.Eyes[0].View.EV, o.Eyes[0].View.EV, exposure.Plain, exposure.Plain)
			// The reference has noise of its own, which differs wherever a picture does: what it adds to
			// a mean difference is under 0.25, and layers are filtered a little.
			require.InDelta(t, n.Mean, c.Loss[0], 0.25+0.12*n.Mean, c.What)
		}
	}
	for _, k := range []Means{NoShadow, Bake, Range, Cone, Merge, Map, HalfRate, Filter} {
		require.True(t, kinds[k], "no change of kind %q", k)
	}
	require.True(t, r.Reached)
	require.LessOrEqual(t, r.Views[0].After, o.Limit+1e-9)
	e, err := edits.Apply(o.Doc, r.Ops)
	require.NoError(t, err)
	require.InDelta(t, frameOf(t, o, e.After).Ms, r.Views[0].After, 1e-9, "all of it is done again")
	require.InDelta(t, before.Ms, r.Views[0].Before, 1e-9)
	seen := map[string]bool{}
	for k, i := range r.Chosen {
		require.Equal(t, k, i, "the chosen come first")
		for _, l := range r.Changes[i].Lights {
			require.False(t, seen[l], "two changes of one light")
			seen[l] = true
		}
	}
	raw, err := json.Marshal(r)
	require.NoError(t, err)
	require.Contains(t, string(raw), `"savedMs"`)
}

// A lamp that travels cannot be baked, and its shadow at half the rate trails; a lamp that stands, over
// things that stand, loses nothing by that.
func TestWhatMovesIsTold(t *testing.T) {
	o := yard(t)
	r, err := Find(context.Background(), o)
	require.NoError(t, err)
	trails, stands := -1.0, -1.0
	for _, c := range r.Changes {
		if len(c.Kinds) > 1 {
			continue
		}
		if c.Kinds[0] == Bake {
			require.NotEqual(t, "three", c.Lights[0])
		}
		if c.Kinds[0] == HalfRate && c.Lights[0] == "three" {
			trails = c.Loss[0]
		}
		if c.Kinds[0] == HalfRate && c.Lights[0] == "two" {
			stands = c.Loss[0]
		}
	}
	require.Greater(t, trails, 0.001)
	require.Less(t, stands, trails)
}

// Fewer steps of fog: less to pay, and a picture that differs.
func TestFewerStepsOfFog(t *testing.T) {
	o := yard(t)
	o.Doc.Fog = &setup.Fog{Visibility: 12, Most: 1, Colour: [3]float64{1, 1, 1}}
	require.NoError(t, o.Doc.Validate())
	o.World = o.World.WithAir(o.Doc.Air())
	r, err := Find(context.Background(), o)
	require.NoError(t, err)
	var steps []Saving
	for _, c := range r.Changes {
		if c.Kinds[0] == Steps {
			steps = append(steps, c)
		}
	}
	require.Len(t, steps, 2)
	few, fewer := steps[0], steps[1]
	if few.SavedMs[0] > fewer.SavedMs[0] {
		few, fewer = fewer, few
	}
	require.Positive(t, few.SavedMs[0])
	require.Positive(t, few.Loss[0])
	require.Greater(t, fewer.Loss[0], few.Loss[0])
	require.Equal(t, byFog, few.By)
}

// A limit that nothing reaches: as near as can be, and said so.
func TestALimitOutOfReach(t *testing.T) {
	o := yard(t)
	o.Limit = 0.001
	r, err := Find(context.Background(), o)
	require.NoError(t, err)
	require.False(t, r.Reached)
	require.InDelta(t, r.Views[0].After-0.001, r.ShortMs, 1e-9)
	require.Less(t, r.Views[0].After, r.Views[0].Before)
	// A limit that is kept asks for nothing.
	o.Limit = 100
	r, err = Find(context.Background(), o)
	require.NoError(t, err)
	require.True(t, r.Reached)
	require.Empty(t, r.Chosen)
	require.Zero(t, r.Loss)
}

// Losses are of the finished picture: colours and vignette as it is developed.
func TestLossesAreOfTheFinishedPicture(t *testing.T) {
	o := yard(t)
	g := grade.Neutral()
	g.Contrast, g.Saturation, g.Vignette, g.Gain = 1.4, 0.3, 0.8, [3]float64{1.1, 1, 0.8}
	o.Doc.Grade = &g
	r := &run{Order: o}
	v := &o.Eyes[0]
	const w, h = 12, 8
	var rgb []float32
	for i := range 3 * w * h {
		rgb = append(rgb, float32(i%7)*3+float32(i)/50)
	}
	shown := r.finished(v, w, h)
	img := grade.Compile(&g).Develop(rgb, w, h, v.View.EV, exposure.Curve(o.Doc.Curve))
	for i := range w * h {
		c := shown(i, [3]float64{float64(rgb[3*i]), float64(rgb[3*i+1]), float64(rgb[3*i+2])})
		for k := range 3 {
			require.InDelta(t, img.Pix[4*i+k], 255*colour.EncodeSRGB(c[k]), 0.51)
		}
	}
}
