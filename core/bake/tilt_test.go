package bake

import (
	"context"
	"math"
	"testing"

	"github.com/stretchr/testify/require"
	"willowherb/core/light"
	"willowherb/core/scene"
	"willowherb/core/scene/scenetest"
	"willowherb/core/vec"
)

// tilted is a bent surface's light at a place of a bake, over that of the surface as it is.
func tilted(t *testing.T, r *Result, s *scene.Scene, p, n, bent vec.V3) float64 {
	o := &s.Objects[0]
	for k := o.First; k < o.First+o.Count; k++ {
		if u, v, d := s.Nearest(uint32(k), p); d < 1e-6 {
			m := r.Show(r.Gains())
			flat, ok := m.Lux(0, uint32(k), u, v, n, n)
			require.True(t, ok)
			e, _ := m.Lux(0, uint32(k), u, v, n, bent)
			return float64(e.Y / flat.Y)
		}
	}
	require.Fail(t, "no surface there")
	return 0
}

func bent(degrees, towards float64) vec.V3 {
	s, c := math.Sincos(degrees * math.Pi / 180)
	ts, tc := math.Sincos(towards * math.Pi / 180)
	return vec.New(s*tc, c, s*ts)
}

// A lamp's light on a bent surface goes by the cosine: exactly, since the form is exact for one
// direction. Two lamps add up by what each gives. 3 %: a texel is as wide as its map.
func TestLampsOnABentSurface(t *testing.T) {
	g := scenetest.New()
	g.S.Materials[0] = scenetest.Matt(0)
	g.Floor(2)
	w := g.World(t)
	lamp := func(id uint64, p vec.V3) *light.Light {
		l := &light.Light{ID: id, Kind: light.Point, Pos: p, Shadow: true, Channels: 0xff}
		l.Prepare()
		return l
	}
	a, b := vec.V3{X: 1, Y: 2}, vec.V3{X: -1, Y: 1, Z: 1.5}
	doc := document(8)
	sources := []Source{source("a", lamp(1, a)), source("b", lamp(2, b))}
	for i := range sources {
		sources[i].Leans = true
	}
	q := plain
	q.Smooth = 2
	r := bakeAll(t, w, doc, q, 2, sources...)
	require.True(t, r.Leans())
	up := vec.V3{Y: 1}
	e := func(l, n vec.V3) float64 { return float64(l.Norm().Dot(n) / l.Dot(l)) }
	for _, n := range []vec.V3{up, bent(20, 0), bent(20, 180), bent(15, 90), bent(35, 300)} {
		want := (e(a, n) + e(b, n)) / (e(a, up) + e(b, up))
		require.InEpsilon(t, want, tilted(t, r, w.S, vec.V3{}, up, n), 0.03, "%v", n)
	}
	// With one of them turned off, the other's own.
	r.Sources[0].Gain, r.Sources[1].Gain = vec.Splat(4), vec.V3{}
	require.InEpsilon(t, e(a, bent(25, 0))/e(a, up), tilted(t, r, w.S, vec.V3{}, up, bent(25, 0)), 0.02)
}

// Under an even sky nothing changes to first order, whichever way a surface leans: the whole is
// (1 + cos) / 2, and the form says cos. A wall that shines is another matter: its light comes by
// paths that meet it, and the slope of E follows from the view factor of a tilted surface,
// found here by summing directions. 6 %: light below 9 degrees over the surface counts less.
func TestSkyAndShiningWallOnABentSurface(t *testing.T) {
	g := scenetest.New()
	g.S.Materials[0] = scenetest.Matt(0)
	g.Floor(2)
	w := g.World(t)
	dome := &light.Light{ID: 1, Kind: light.Sky, Channels: 0xff, Gradient: light.Gradient{Zenith: vec.Splat(1), Horizon: vec.Splat(1), Ground: vec.Splat(1), Falloff: 1}}
	dome.Prepare()
	s := source("sky", dome)
	s.Leans = true
	q := plain
	q.Least, q.Most = 1024, 1024
	r := bakeAll(t, w, document(2), q, 2, s)
	up := vec.V3{Y: 1}
	for _, towards := range []float64{0, 120, 240} {
		require.InDelta(t, math.Cos(20*math.Pi/180), tilted(t, r, w.S, vec.V3{}, up, bent(20, towards)), 0.03)
	}

	g = scenetest.New()
	g.S.Materials[0] = scenetest.Matt(0)
	g.Floor(2)
	glow := scenetest.Matt(0)
	glow.Emissive, glow.DoubleSided = vec.Splat(1), true
	g.S.Materials = append(g.S.Materials, glow)
	g.Add("wall", uint16(len(g.S.Materials)-1), [4]vec.V3{{X: 1, Y: 0.3, Z: -2}, {X: 1, Y: 0.3, Z: 2}, {X: 1, Y: 2, Z: 2}, {X: 1, Y: 2, Z: -2}})
	w = g.World(t)
	l := &light.Light{ID: 1, Kind: light.Emissive, Shadow: true, Channels: 0xff}
	var of []uint32
	for k := range w.S.Triangles() {
		if w.S.Materials[w.S.Mat[k]].Emits() {
			of = append(of, uint32(k))
		}
	}
	l.SetTriangles(w.S, of)
	l.Prepare()
	s = source("wall", l)
	s.Leans = true
	r = bakeAll(t, w, document(2), q, 2, s)
	on := func(n vec.V3) (e float64) {
		for y := 0.305; y < 2; y += 0.01 {
			for z := -1.995; z < 2; z += 0.01 {
				d := vec.New(1, y, z)
				far := float64(d.Len())
				e += math.Max(float64(d.Dot(n)), 0) / far * (1 / far) / (far * far) * 1e-4
			}
		}
		return e
	}
	n := bent(10, 0)
	require.InEpsilon(t, on(n)/on(up), tilted(t, r, w.S, vec.V3{}, up, n), 0.06)
}

// What a lit wall sends on comes by paths alone: a lamp of a candela a metre before a wall of
// reflectance 0.8, over a black floor, which has none of its light straight. 6 %, as above.
func TestBouncedLightOnABentSurface(t *testing.T) {
	g := scenetest.New()
	g.S.Materials[0] = scenetest.Matt(0)
	g.Floor(2)
	g.S.Materials = append(g.S.Materials, scenetest.Matt(0.8))
	g.Add("wall", uint16(len(g.S.Materials)-1), [4]vec.V3{{X: 1, Y: 0, Z: 2}, {X: 1, Y: 0, Z: -2}, {X: 1, Y: 2, Z: -2}, {X: 1, Y: 2, Z: 2}})
	w := g.World(t)
	l := &light.Light{ID: 1, Kind: light.Point, Pos: vec.V3{Y: 1}, Shadow: true, Channels: 0xff}
	l.Prepare()
	s := source("lamp", l)
	s.Straight, s.Leans = false, true
	q := plain
	q.Least, q.Most, q.Smooth = 1024, 1024, 2
	r := bakeAll(t, w, document(4), q, 2, s)
	on := func(n vec.V3) (e float64) {
		for y := 0.005; y < 2; y += 0.01 {
			for z := -1.995; z < 2; z += 0.01 {
				far := math.Sqrt(1 + (y-1)*(y-1) + z*z)
				shines := 0.8 / math.Pi / (far * far * far)
				d := vec.New(1, y, z)
				away := float64(d.Len())
				e += shines * math.Max(float64(d.Dot(n)), 0) / (away * away * away * away) * 1e-4
			}
		}
		return e
	}
	up, n := vec.V3{Y: 1}, bent(15, 0)
	require.InEpsilon(t, on(n)/on(up), tilted(t, r, w.S, vec.V3{}, up, n), 0.06)
}

// A wall of height h without end, at a distance d, hides (1 - d / sqrt(d2 + h2)) / 2 of the
// half space by the cosine (CORE: form factors). 2 %: 64 rays a texel, over the texels about.
func TestOpennessBesideAWall(t *testing.T) {
	g := scenetest.New()
	g.Floor(2)
	g.Add("wall", 0, [4]vec.V3{{X: 2, Z: -500}, {X: 2, Z: 500}, {X: 2, Y: 1.5, Z: 500}, {X: 2, Y: 1.5, Z: -500}})
	w := g.World(t)
	p, err := Lay(context.Background(), w.S, w, document(8), plain, 2)
	require.NoError(t, err)
	open, err := p.Openness(context.Background(), w, 0, 1000, 2)
	require.NoError(t, err)
	mean := func(open []float32, x float32) float64 {
		var sum float64
		n := 0
		l := p.Objects[0]
		for k := range l.Patches {
			q := &l.Patches[k]
			for c, at := range q.Places(1) {
				if at.Tri < 0 || !l.Has[l.Begin[k]+c] {
					continue
				}
				a, b, e := w.S.Corner(uint32(l.First) + uint32(at.Tri))
				pos := w.S.V.Pos[a].Scale(1 - at.U - at.V).Add(w.S.V.Pos[b].Scale(at.U)).Add(w.S.V.Pos[e].Scale(at.V))
				if math.Abs(float64(pos.X-x)) < 0.07 {
					sum += float64(open[l.Begin[k]+c])
					n++
				}
			}
		}
		require.NotZero(t, n)
		return sum / float64(n)
	}
	for _, x := range []float32{1, 0, -1} {
		d := 2 - float64(x)
		require.InDelta(t, 1-(1-d/math.Hypot(d, 1.5))/2, mean(open, x), 0.02)
	}
	near, err := p.Openness(context.Background(), w, 0, 0.9, 1)
	require.NoError(t, err)
	require.InDelta(t, 1, mean(near, 1), 1e-6, "the wall is farther off")
	again, err := p.Openness(context.Background(), w, 0, 1000, 1)
	require.NoError(t, err)
	require.Equal(t, open, again, "the same with another number of workers")
}
