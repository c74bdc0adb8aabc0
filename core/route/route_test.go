package route

import (
	"context"
	"math"
	"slices"
	"testing"

	"github.com/stretchr/testify/require"
	"willowherb/core/ground"
	"willowherb/core/lamps"
	"willowherb/core/light"
	"willowherb/core/probes"
	"willowherb/core/scene/scenetest"
	"willowherb/core/setup"
	"willowherb/core/setup/setuptest"
	"willowherb/core/vec"
	"willowherb/core/world"
)

// A floor 20 m across with a wall in its middle that has a gap at one end, and a ledge 2 m up that only a jump
// leads down from.
const albedo = 0.1

func yard(t testing.TB) (*world.World, *setup.Setup) {
	g := scenetest.New()
	g.S.Materials[0].BaseColor = [4]float32{albedo, albedo, albedo, 1}
	g.Floor(10)
	wall := func(x0, x1, z0, z1, y1 float32) {
		p := func(x, y, z float32) vec.V3 { return vec.V3{X: x, Y: y, Z: z} }
		g.Add("wall", 0,
			[4]vec.V3{p(x0, 0, z1), p(x1, 0, z1), p(x1, y1, z1), p(x0, y1, z1)}, [4]vec.V3{p(x1, 0, z0), p(x0, 0, z0), p(x0, y1, z0), p(x1, y1, z0)},
			[4]vec.V3{p(x1, 0, z1), p(x1, 0, z0), p(x1, y1, z0), p(x1, y1, z1)}, [4]vec.V3{p(x0, 0, z0), p(x0, 0, z1), p(x0, y1, z1), p(x0, y1, z0)},
			[4]vec.V3{p(x0, y1, z1), p(x1, y1, z1), p(x1, y1, z0), p(x0, y1, z0)})
	}
	wall(-10, 6, -0.2, 0.2, 4)
	wall(-9, -6, 5, 8, 2)
	w := g.World(t)
	doc := setuptest.Sample()
	doc.Views, doc.Looks, doc.Groups, doc.Lights = map[string]setup.View{"a": {Name: "A", Eye: [3]float64{0, 2, 8}, Aim: [3]float64{0, 0, -1}, FovY: 50, Aspect: 1.7, EV: 4}}, map[string]setup.Look{}, map[string]setup.Group{}, map[string]setup.Light{}
	doc.Curve = "plain"
	return w, doc
}

func route(stops ...[3]float64) setup.Route {
	r := setup.StandardRoute()
	r.Rules = setup.Rules{}
	r.Adapts = false
	for _, s := range stops {
		r.Stops = append(r.Stops, setup.Stop{At: s})
	}
	return r
}

func lay(t *testing.T, w *world.World, doc *setup.Setup, r setup.Route) *Way {
	way, err := Lay(context.Background(), w, doc, &r, 0.5)
	require.NoError(t, err)
	return way
}

func TestTheWayIsTheShortestOnFoot(t *testing.T) {
	w, doc := yard(t)
	way := lay(t, w, doc, route([3]float64{-5, 0, 8}, [3]float64{4, 0, 3}))
	// Straight on, but for the lattice of 0.15 m.
	require.InDelta(t, math.Hypot(9, 5), way.Metres, 0.4)
	require.Empty(t, way.Jumps)
	for i, p := range way.Places {
		require.InDelta(t, 0, p.Ground.Y, 0.01)
		require.InDelta(t, 1.6, p.Eye.Y, 0.01)
		require.InDelta(t, p.Metres/1.4, p.Second, 1e-9)
		if i > 0 {
			require.InDelta(t, 0.5, p.Metres-way.Places[i-1].Metres, 0.02)
		}
	}
	first := way.Places[0]
	require.InDelta(t, 9/math.Hypot(9, 5), first.Aim.X, 0.06, "it looks ahead")

	// Round the wall, by its end at x = 6.
	way = lay(t, w, doc, route([3]float64{0, 0, 4}, [3]float64{0, 0, -4}))
	require.InDelta(t, 2*math.Hypot(6, 4), way.Metres, 0.9)
	for _, p := range way.Places {
		require.False(t, p.Ground.X < 5.9 && math.Abs(float64(p.Ground.Z)) < 0.15, "through the wall")
	}

	// Down from the ledge is a jump; up to it nobody comes.
	way = lay(t, w, doc, route([3]float64{-8, 2, 6}, [3]float64{-3, 0, 6}))
	require.Equal(t, []int{1}, way.Jumps)
	_, err := Lay(context.Background(), w, doc, ptr(route([3]float64{-3, 0, 6}, [3]float64{-8, 2, 6})), 0.5)
	require.ErrorIs(t, err, ErrNoWay)
	require.ErrorContains(t, err, "from stop 1 to stop 2")
	_, err = Lay(context.Background(), w, doc, ptr(route([3]float64{-3, 0, 6}, [3]float64{-3, 9, 6})), 0.5)
	require.ErrorContains(t, err, "nobody can stand")
	_, err = Lay(context.Background(), w, doc, ptr(route([3]float64{-3, 0, 6})), 0.5)
	require.ErrorContains(t, err, "fewer than two stops")
	r := route()
	r.Camera = "Crane"
	_, err = Lay(context.Background(), w, doc, &r, 0.5)
	require.ErrorContains(t, err, "no camera")
	// Where it begins and ends at once.
	require.Len(t, lay(t, w, doc, route([3]float64{2, 0, 2}, [3]float64{2, 0, 2})).Places, 2)
}

func ptr[T any](v T) *T { return &v }

func walk(t *testing.T, w *world.World, doc *setup.Setup, r setup.Route) *Walked {
	require.NoError(t, doc.Validate())
	st, err := lamps.Resolve(doc, "")
	require.NoError(t, err)
	out, err := Walk(context.Background(), &Order{Doc: doc, Scene: w.S, World: w, Lamps: st.Lamps(w.S, nil), Route: r, Workers: 2})
	require.NoError(t, err)
	return out
}

var sun = setup.Light{Name: "Sun", Kind: setup.Sun, Output: 1000, Colour: setup.Colour{Kelvin: 6500}, Aim: [3]float64{0, -1, -1}, Angle: 0.5, Shadow: true, ShadowMap: 512, Carry: setup.Live, Channels: 0xff}

func TestLightAndCostAlongTheWay(t *testing.T) {
	w, doc := yard(t)
	doc.Lights["sun"] = sun
	// Towards -Z, away from the sun: nothing of it falls on the eye straight; back towards it, all of it that is
	// square to the eye; on the ground, 1000 lux over the root of two.
	away := walk(t, w, doc, route([3]float64{3, 0, 9}, [3]float64{3, 0, 4}))
	back := walk(t, w, doc, route([3]float64{3, 0, 4}, [3]float64{3, 0, 9}))
	a, b := away.Steps[3], back.Steps[3]
	require.InDelta(t, 1000/math.Sqrt2, a.Floor, 45)
	require.InDelta(t, 1000/math.Sqrt2, b.Lux-a.Lux, 90, "the floor's and the wall's bounce comes to both, more or less")
	require.Positive(t, a.Lux)
	for _, s := range away.Steps {
		require.Positive(t, s.Ms)
		require.Equal(t, "sun", s.Worst)
		require.Less(t, s.WorstMs, s.Ms)
	}
	require.Equal(t, 4.0, a.EV, "held, as the view near has it")
	require.Greater(t, a.Wanted, 5.5)
	require.InDelta(t, a.Wanted-4, a.Left, 1e-9)
	require.Greater(t, a.Bright, 0.5, "held so, most of it is white")

	// In the shadow behind the wall it is darker.
	doc.Lights["sun"] = func() setup.Light { l := sun; l.Aim = [3]float64{0, -0.3, -1}; return l }()
	s := walk(t, w, doc, route([3]float64{-8, 0, -4}, [3]float64{-1, 0, -4}))
	require.Less(t, s.Steps[3].Floor, 60.0)
}

// A grey figure of reflectance 0.2 before a matt wall of 0.1 under the same light is a stop over it.
func TestFiguresAreToldApart(t *testing.T) {
	w, doc := yard(t)
	l := sun
	l.Aim = [3]float64{0, -1, -1}
	doc.Lights["sun"] = l
	// It walks at the wall, which the light falls on as on the figure.
	out := walk(t, w, doc, route([3]float64{2, 0, 9.5}, [3]float64{2, 0, 1}))
	require.InDelta(t, 0, out.Steps[2].Figure[1].Stops, 0.6, "white before white, but for what the wall ends at")
	v := doc.Views["a"]
	v.EV = 8
	doc.Views["a"] = v
	out = walk(t, w, doc, route([3]float64{2, 0, 9.5}, [3]float64{2, 0, 1}))
	f := out.Steps[2].Figure[1]
	require.True(t, f.Seen)
	require.InDelta(t, math.Log2(0.2/albedo), f.Stops, 0.35)
	require.Greater(t, f.Colour, 5.0)
	last := out.Steps[len(out.Steps)-1]
	require.False(t, last.Figure[1].Seen, "the way ends before")
	// What nothing lights is black on black: lost, whatever ratio its crumbs of light have.
	doc.Lights["sun"] = func() setup.Light { l := sun; l.Output = 1e-4; return l }()
	r := route([3]float64{2, 0, 9.5}, [3]float64{2, 0, 1})
	r.Rules = setup.Rules{Figure: 0.5, Dark: 0.7, Lux: 1}
	out = walk(t, w, doc, r)
	require.InDelta(t, 0, out.Steps[2].Figure[1].Stops, 1e-6)
	kinds := map[Trouble]int{}
	for _, f := range out.Found {
		kinds[f.Kind]++
		require.LessOrEqual(t, f.From, f.To)
	}
	require.Equal(t, map[Trouble]int{LostFigure: 1, TooDark: 1, TooDim: 1}, kinds)
}

// The lamp of a rig on who walks goes along, turned as it turns.
func TestALampThatIsCarried(t *testing.T) {
	g := scenetest.New()
	g.Floor(10)
	g.Box("Keeper", vec.V3{X: -8, Y: 0.9, Z: -8}, 0.3)
	w := g.World(t)
	_, doc := yard(t)
	doc.Objects = map[string]setup.Object{"k": {Path: "Keeper", Part: setup.Mover}}
	doc.Groups = map[string]setup.Group{"rig": {Name: "Rig", Rig: &setup.Rig{Object: "Keeper", Height: 1.8}}}
	doc.Lights["lantern"] = setup.Light{Name: "Lantern", Group: "rig", Kind: setup.Point, Output: 2000, Colour: setup.Colour{Kelvin: 3000}, Position: [3]float64{-8, 1.2, -7}, Range: 6, Carry: setup.Live, Channels: 0xff, Shadow: true, ShadowMap: 128}
	r := route([3]float64{5, 0, 8}, [3]float64{5, 0, 2})
	dark := walk(t, w, doc, r)
	r.Figure = "Keeper"
	lit := walk(t, w, doc, r)
	require.Greater(t, lit.Steps[2].Luminance, 5*dark.Steps[2].Luminance)
	require.Equal(t, "lantern", lit.Steps[2].Worst)
	// At rest it hangs 1 m towards +Z, which the figure faces: a place ahead of who walks.
	st, err := lamps.Resolve(doc, "")
	require.NoError(t, err)
	k := NewCarrier(doc, w.S, &r)
	p := Place{Ground: vec.V3{X: 5, Z: 5}, Aim: vec.V3{Z: -1}}
	at := k.carried(st.Lamps(w.S, nil)[0], &p).Source.Pos
	require.InDelta(t, 5, at.X, 1e-4)
	require.InDelta(t, 4, at.Z, 1e-4)
	require.InDelta(t, 0.6, at.Y, 1e-4)
	p.Aim = vec.V3{X: 1}
	at = k.carried(st.Lamps(w.S, nil)[0], &p).Source.Pos
	require.InDelta(t, 6, at.X, 1e-4)
	require.InDelta(t, 5, at.Z, 1e-4)
}

// Parts of the way that break a rule are told as one, with the worst step; short good stretches do not cut them.
func TestPartsOfTheWay(t *testing.T) {
	w := &Walked{LimitMs: 5}
	for i, ms := range []float64{4, 6, 5.5, 4.9, 7, 4, 4, 4, 4, 6} {
		w.Steps = append(w.Steps, Step{Metres: float64(i) * 0.5, Second: float64(i), Ms: ms, Worst: "lamp", Stop: "hall"})
	}
	got := find(w, &setup.Route{}, 1)
	require.Len(t, got, 2)
	require.Equal(t, Found{Kind: OverBudget, What: "Over budget, hall", From: 0.5, To: 2, Step: 4, Value: 7, Limit: 5, Number: "+2.00 ms", Light: "lamp"}, got[0])
	require.Equal(t, 4.5, got[1].From)
	w.LimitMs = 0
	require.Empty(t, find(w, &setup.Route{}, 1))
}

// Any number of workers walks the same way.
func TestWorkersDoNotMatter(t *testing.T) {
	w, doc := yard(t)
	doc.Lights["sun"] = sun
	st, err := lamps.Resolve(doc, "")
	require.NoError(t, err)
	var all []*Walked
	for _, n := range []int{1, 3} {
		out, err := Walk(context.Background(), &Order{Doc: doc, Scene: w.S, World: w, Lamps: st.Lamps(w.S, nil), Route: route([3]float64{3, 0, 9}, [3]float64{3, 0, 4}), Workers: n})
		require.NoError(t, err)
		all = append(all, out)
	}
	require.Equal(t, all[0], all[1])
	ctx, stop := context.WithCancel(context.Background())
	stop()
	_, err = Walk(ctx, &Order{Doc: doc, Scene: w.S, World: w, Lamps: st.Lamps(w.S, nil), Route: route([3]float64{3, 0, 9}, [3]float64{3, 0, 4}), Workers: 2})
	require.ErrorIs(t, err, context.Canceled)
}

// Under a lamp the floor has what the inverse square says; lights are counted where they reach; the ledge that only
// a jump leads down from is not walked to.
func TestTheLevelIsSurveyed(t *testing.T) {
	w, doc := yard(t)
	doc.Lights["lamp"] = setup.Light{Name: "Lamp", Kind: setup.Point, Output: 4 * math.Pi * 900, Colour: setup.Colour{Kelvin: 6500}, Position: [3]float64{5, 3, 5}, Carry: setup.Live, Channels: 0xff, Range: 40}
	doc.Lights["near"] = setup.Light{Name: "Near", Kind: setup.Point, Output: 1e-3, Order: 1, Colour: setup.Colour{Kelvin: 6500}, Position: [3]float64{5, 1, 5}, Carry: setup.Live, Channels: 0xff, Range: 2, Shadow: true, ShadowMap: 64}
	st, err := lamps.Resolve(doc, "")
	require.NoError(t, err)
	l, err := Survey(context.Background(), &Order{Doc: doc, Scene: w.S, World: w, Lamps: st.Lamps(w.S, nil), Route: route([3]float64{5, 0, 5}, [3]float64{5, 0, 6}), Each: 1, Workers: 2})
	require.NoError(t, err)
	require.Greater(t, len(l.Spots), 100)
	require.NotEmpty(t, l.Walls)
	most, shadows := 0.0, 0
	for _, s := range l.Spots {
		most = max(most, s.Floor)
		require.Less(t, s.At[1], 0.1)
		d := math.Hypot(s.At[0]-5, s.At[2]-5)
		if d < 1.9 {
			require.Equal(t, 2, s.Lights, s)
			shadows += s.Shadows
		}
		if d > 2.2 {
			require.Equal(t, 1, s.Lights)
			require.Zero(t, s.Shadows)
		}
		require.Positive(t, s.Ms)
	}
	require.Positive(t, shadows)
	// 900 cd from 2.95 m over where it is asked for, as the range's window leaves it, with a few per cent of bounce.
	require.InEpsilon(t, 900/(2.95*2.95), most, 0.12)
	_, err = Survey(context.Background(), &Order{Doc: doc, Scene: w.S, World: w, Lamps: st.Lamps(w.S, nil), Route: route([3]float64{5, 900, 5}, [3]float64{6, 900, 5}), Each: 1, Workers: 2})
	require.ErrorIs(t, err, ErrNoWay)
	// A route that is only begun is no reason to see only what is about its stop.
	l, err = Survey(context.Background(), &Order{Doc: doc, Scene: w.S, World: w, Lamps: st.Lamps(w.S, nil), Route: route([3]float64{5, 0, 5}), Each: 1, Workers: 2})
	require.NoError(t, err)
	require.True(t, slices.ContainsFunc(l.Spots, func(s Standing) bool { return s.At[0] < -7 }))
}

// Probes that tell what is true are hardly wrong; those that tell twice of it are wrong by all of it.
func TestErrorOfProbes(t *testing.T) {
	w, doc := yard(t)
	doc.Lights["lamp"] = setup.Light{Name: "Lamp", Kind: setup.Point, Output: 4 * math.Pi * 900, Colour: setup.Colour{Kelvin: 6500}, Position: [3]float64{5, 6, 5}, Carry: setup.Baked, Channels: 0xff, Range: 60}
	st, err := lamps.Resolve(doc, "")
	require.NoError(t, err)
	lit := st.Lamps(w.S, nil)
	g, err := ground.Find(context.Background(), w, []vec.V3{{X: 5, Y: 1, Z: 5}}, ground.Grown, 0.5, 100)
	require.NoError(t, err)
	rules := doc.Baking()
	f, err := probes.Make(context.Background(), &probes.Order{World: w, Lights: []*light.Light{lit[0].Source}, IDs: []string{"lamp"}, Whole: []bool{true}, Gains: []vec.V3{lit[0].Gain()}, Rules: &rules, Ground: g, Rays: 256, Workers: 2})
	require.NoError(t, err)
	require.Greater(t, len(f.Probes), 20)
	wrong := func() float64 {
		l, err := Survey(context.Background(), &Order{Doc: doc, Scene: w.S, World: w, Lamps: lit, Field: f, Route: route([3]float64{5, 0, 5}, [3]float64{5, 0, 6}), Each: 1, Workers: 2})
		require.NoError(t, err)
		require.True(t, l.Probes)
		var all []float64
		for _, s := range l.Spots {
			require.GreaterOrEqual(t, s.Wrong, 0.0)
			all = append(all, s.Wrong)
		}
		slices.Sort(all)
		return all[len(all)/2]
	}
	require.Less(t, wrong(), 0.2, "a lamp is told by probes metres apart")
	for i := range f.Probes {
		f.Probes[i].SH[0].Scale(2)
	}
	require.InDelta(t, 1, wrong(), 0.25)
	// A light that is gone since gives nothing: neither is there any light, nor is any told.
	f.Lights[0] = "gone"
	require.Zero(t, wrong())
}
