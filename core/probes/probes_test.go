package probes

import (
	"context"
	"math"
	"testing"

	"github.com/stretchr/testify/require"
	"willowherb/core/ground"
	"willowherb/core/light"
	"willowherb/core/scene/scenetest"
	"willowherb/core/setup"
	"willowherb/core/vec"
	"willowherb/core/world"
)

func even(l float32) *light.Light {
	s := &light.Light{ID: 2, Kind: light.Sky, Shadow: true, Channels: 0xff, Gradient: light.Gradient{Zenith: vec.Splat(l), Horizon: vec.Splat(l), Ground: vec.Splat(l)}}
	s.Prepare()
	return s
}

func bulb(p vec.V3) *light.Light {
	l := &light.Light{ID: 9, Kind: light.Point, Pos: p, Shadow: true, Channels: 0xff}
	l.Prepare()
	return l
}

// nowhere is a place with next to nothing in it.
func nowhere(t *testing.T) *world.World {
	g := scenetest.New()
	g.S.Materials[0] = scenetest.Matt(0)
	g.Box("speck", vec.V3{Y: -900}, 0.01)
	return g.World(t)
}

// TestAnEvenSky gives pi times its radiance from every side, with harmonics and without.
func TestAnEvenSky(t *testing.T) {
	e := NewEye(nowhere(t), []*light.Light{even(1)}, []bool{true}, nil)
	defer e.Release()
	s := e.At(vec.V3{}, 4096, 1, nil)
	for a, n := range axes {
		require.InEpsilon(t, math.Pi, s.Six[0][a].Y, 0.01)
		require.InEpsilon(t, math.Pi, s.SH[0].Lux(n).Y, 0.01)
	}
	require.InDelta(t, math.Pi, s.SH[0].Lux(vec.New(1, 2, -3).Norm()).Y, 0.03)
}

// TestAGradientIsHeldByTheHarmonics: radiance 1 + y over the sphere gives pi (1 + 2/3 n.y) by
// integration, which two orders hold exactly.
func TestAGradientIsHeldByTheHarmonics(t *testing.T) {
	var sh SH
	const n = 200
	for i := range n {
		for j := range 2 * n {
			y := 1 - 2*(float64(i)+0.5)/n
			s, c := math.Sincos(math.Pi * (float64(j) + 0.5) / n)
			r := math.Sqrt(1 - y*y)
			sh.Take(vec.New(r*c, y, r*s), vec.Splat(float32((1+y)*4*math.Pi/(2*n*n))))
		}
	}
	for _, d := range []vec.V3{{Y: 1}, {X: 1}, {Y: -1}, vec.New(1, 1, 1).Norm(), vec.New(-2, 0.3, 1).Norm()} {
		require.InDelta(t, math.Pi*(1+2.0/3*float64(d.Y)), sh.Lux(d).X, 1e-3)
	}
}

// TestALampByTheInverseSquare: a candela at 2 m is a quarter of a lux towards it, nothing
// from behind; of one direction two orders keep 17/16 at its middle (Ramamoorthi and Hanrahan
// 2001: 1/4 + 1/2 + 5/16).
func TestALampByTheInverseSquare(t *testing.T) {
	e := NewEye(nowhere(t), []*light.Light{bulb(vec.V3{X: 2})}, []bool{true}, nil)
	defer e.Release()
	s := e.At(vec.V3{}, 64, 1, nil)
	require.InEpsilon(t, 0.25, s.Six[0][0].Y, 1e-4)
	require.Zero(t, s.Six[0][1].Y)
	require.Zero(t, s.Six[0][2].Y)
	require.InEpsilon(t, 0.25*17/16, s.SH[0].Lux(vec.V3{X: 1}).Y, 1e-3)
	// A split light's straight light is not in the probes.
	split := NewEye(nowhere(t), []*light.Light{bulb(vec.V3{X: 2})}, []bool{false}, nil)
	defer split.Release()
	require.Zero(t, split.At(vec.V3{}, 64, 1, nil).Six[0][0].Y)
}

// rooms are two closed rooms side by side, 4 m wide each, with a thin wall between them.
func rooms(t *testing.T) (*world.World, *ground.Ground) {
	g := scenetest.New()
	g.S.Materials[0] = scenetest.Matt(0.5)
	p := func(x, y, z float32) vec.V3 { return vec.V3{X: x, Y: y, Z: z} }
	for _, x := range []float32{-4.05, 0.05} {
		x1 := x + 4
		g.Add("room", 0,
			[4]vec.V3{p(x, 0, 4), p(x1, 0, 4), p(x1, 0, 0), p(x, 0, 0)}, [4]vec.V3{p(x, 3, 0), p(x1, 3, 0), p(x1, 3, 4), p(x, 3, 4)},
			[4]vec.V3{p(x, 0, 0), p(x1, 0, 0), p(x1, 3, 0), p(x, 3, 0)}, [4]vec.V3{p(x1, 0, 4), p(x, 0, 4), p(x, 3, 4), p(x1, 3, 4)},
			[4]vec.V3{p(x, 0, 4), p(x, 0, 0), p(x, 3, 0), p(x, 3, 4)}, [4]vec.V3{p(x1, 0, 0), p(x1, 0, 4), p(x1, 3, 4), p(x1, 3, 0)})
	}
	w := g.World(t)
	gr, err := ground.Find(context.Background(), w, []vec.V3{p(-2, 1.6, 2), p(2, 1.6, 2)}, ground.Grown, 0.5, 50)
	require.NoError(t, err)
	require.Greater(t, len(gr.Spots), 80)
	return w, gr
}

func order(w *world.World, g *ground.Ground, l *light.Light) *Order {
	rules := setup.StandardBake()
	return &Order{World: w, Lights: []*light.Light{l}, IDs: []string{"lamp"}, Whole: []bool{true}, Gains: []vec.V3{vec.Splat(100)}, Rules: &rules, Ground: g, Rays: 512, Workers: 2}
}

func TestNoLightIsLookedUpThroughAWall(t *testing.T) {
	w, g := rooms(t)
	o := order(w, g, bulb(vec.V3{X: -1, Y: 1.5, Z: 2}))
	f, err := Make(context.Background(), o)
	require.NoError(t, err)
	require.Greater(t, len(f.Probes), 10)
	tr := w.Tracer()
	defer tr.Release()
	open := OpenIn(tr)
	bright, ok := f.Lux(vec.V3{X: -2, Y: 1.2, Z: 2}, vec.V3{X: 1}, o.Gains, open)
	require.True(t, ok)
	require.Greater(t, bright.Y, float32(20))
	for _, p := range []vec.V3{{X: 0.1, Y: 1.2, Z: 2}, {X: 0.3, Y: 1.2, Z: 1}, {X: 1, Y: 0.6, Z: 2}, {X: 3, Y: 1.8, Z: 3}} {
		for _, n := range axes {
			e, ok := f.Lux(p, n, o.Gains, open)
			require.True(t, ok)
			require.Less(t, e.Y, bright.Y/500, "%v towards %v", p, n)
		}
	}
	// By the distances that probes keep, in the middle of the dark room.
	e, ok := f.Lux(vec.V3{X: 3, Y: 1.2, Z: 2}, vec.V3{Y: 1}, o.Gains, nil)
	require.True(t, ok)
	require.Less(t, e.Y, bright.Y/50)
}

func TestProbesAreAsTheLightAroundThem(t *testing.T) {
	w, g := rooms(t)
	o := order(w, g, bulb(vec.V3{X: -2, Y: 2.4, Z: 2}))
	o.Rays = 8192
	f, err := Make(context.Background(), o)
	require.NoError(t, err)
	// At the probes themselves, against other rays: 2 % on average.
	e := NewEye(w, o.Lights, o.Whole, nil)
	defer e.Release()
	var off, sum float64
	for i := range f.Probes {
		s := e.At(f.Probes[i].Pos, 16384, 77, nil)
		for _, n := range axes {
			a, b := f.Probes[i].SH[0].Lux(n).Y, s.SH[0].Lux(n).Y
			off, sum = off+math.Abs(float64(a-b)), sum+float64(b)
		}
		if i == 20 {
			break
		}
	}
	require.Less(t, off/sum, 0.02)
	// Between probes.
	faults, err := o.Along(context.Background(), f, []vec.V3{{X: -2, Y: 1.2, Z: 1.5}, {X: -3, Y: 0.9, Z: 3}, {X: -1.2, Y: 1.5, Z: 2.7}}, 4096)
	require.NoError(t, err)
	require.GreaterOrEqual(t, faults[0].Share, faults[2].Share)
	require.Less(t, faults[0].Share, 0.35)
}

func TestProbesInSolidsAreMovedOrDropped(t *testing.T) {
	g := scenetest.New()
	g.S.Materials[0] = scenetest.Matt(0.5)
	g.Floor(6)
	g.Box("crate", vec.V3{X: 2, Y: 0.5}, 0.5)
	g.Box("rock", vec.V3{X: -3, Y: 2}, 2.5)
	o := order(g.World(t), nil, even(1))
	o.Rules.Probes = map[string]setup.Probe{
		"free": {Name: "Free", Position: [3]float64{0, 1, 3}},
		"in":   {Name: "In the crate", Position: [3]float64{2.3, 0.7, 0}},
		"deep": {Name: "Deep in the rock", Position: [3]float64{-3, 2, 0}},
	}
	f, err := Make(context.Background(), o)
	require.NoError(t, err)
	require.Len(t, f.Dropped, 1)
	require.Len(t, f.Probes, 2)
	for _, p := range f.Probes {
		require.Equal(t, p.Name != "Free", p.Moved, p.Name)
		d := p.Pos.Sub(vec.V3{X: 2, Y: 0.5})
		require.True(t, max(abs(d.X), abs(d.Y), abs(d.Z)) > 0.5, "%s is outside", p.Name)
	}
}

func TestBoxesAreFilled(t *testing.T) {
	o := order(nowhere(t), nil, even(1))
	o.Rays = 32
	o.Rules.Fill = map[string]setup.Box{"drop": {Name: "Under the catwalk", Position: [3]float64{1, 2, 3}, Size: [3]float64{3, 6, 1.5}}}
	f, err := Make(context.Background(), o)
	require.NoError(t, err)
	require.Len(t, f.Probes, 2*4*1)
	for _, p := range f.Probes {
		b := o.Rules.Fill["drop"]
		require.True(t, b.Holds(p.Pos))
		require.Equal(t, Filled, p.Kind)
	}
}

func TestMoreProbesWhereLightChanges(t *testing.T) {
	w, g := rooms(t)
	flat := order(w, g, even(1)) // nothing comes in
	flat.Gains[0] = vec.Splat(1)
	a, err := Make(context.Background(), flat)
	require.NoError(t, err)
	b, err := Make(context.Background(), order(w, g, bulb(vec.V3{X: -3.5, Y: 0.5, Z: 0.5})))
	require.NoError(t, err)
	require.Greater(t, len(b.Probes), 2*len(a.Probes))
	closer := order(w, g, bulb(vec.V3{X: -3.5, Y: 0.5, Z: 0.5}))
	closer.Closer = 2
	c, err := Make(context.Background(), closer)
	require.NoError(t, err)
	near := func(f *Field) (n int) {
		for i := range f.Probes {
			for j := range i {
				if f.Probes[i].Pos.Sub(f.Probes[j].Pos).Len() < 0.9*float32(closer.Rules.Apart) {
					n++
				}
			}
		}
		return n
	}
	require.Greater(t, near(c), near(b), "closer than is asked where light changes")
	require.Greater(t, a.Tried, 0)
}

// Light that changes evenly from place to place is told as it is between probes that stand
// unevenly, whichever way is faced: 2 %, which the ridge takes. Without straightened shares what
// is in front counts more, and it is 5 % off.
func TestAnEvenSlopeBetweenProbes(t *testing.T) {
	lux := func(p vec.V3) float32 { return 10 + 2*p.X - p.Y + 1.5*p.Z }
	f := &Field{Lights: []string{"a"}}
	for i := range 4 {
		for j := range 3 {
			for k := range 4 {
				p := vec.V3{X: float32(i) + 0.2*float32(j), Y: 0.6 * float32(j), Z: float32(k) + 0.3*float32(i%2)}
				b := Probe{Pos: p, Reach: 1.6, SH: make([]SH, 1)}
				b.SH[0][0] = vec.Splat(lux(p))
				for o := range b.Near {
					b.Near[o], b.Spread[o] = 50, 2500
				}
				f.Probes = append(f.Probes, b)
			}
		}
	}
	require.NoError(t, f.Index())
	one := SH{vec.Splat(1)}
	for _, n := range axes {
		for _, p := range []vec.V3{{X: 1.4, Y: 0.5, Z: 1.6}, {X: 2.1, Y: 0.8, Z: 1.2}, {X: 1.7, Y: 0.3, Z: 2.2}} {
			e, ok := f.Lux(p, n, []vec.V3{vec.Splat(1)}, nil)
			require.True(t, ok)
			require.InEpsilon(t, lux(p)*one.Lux(n).X, e.X, 0.02, "at %v facing %v", p, n)
		}
	}
}

// TestHarmonicsAreInTheOrderThatIsTold: light from +X is in (1,-1), from +Y in (1,0), from +Z in
// (1,1), each by 0.4886 times 2 pi / 3.
func TestHarmonicsAreInTheOrderThatIsTold(t *testing.T) {
	for k, d := range []vec.V3{{X: 1}, {Y: 1}, {Z: 1}} {
		var sh SH
		sh.Take(d, vec.Splat(1))
		for i := 1; i < 4; i++ {
			want := 0.0
			if i == k+1 {
				want = 0.48860251 * 2 * math.Pi / 3
			}
			require.InDelta(t, want, sh[i].X, 1e-5, "%v, coefficient %d", d, i)
		}
	}
}
