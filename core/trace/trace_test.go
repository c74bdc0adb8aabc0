package trace

import (
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/require"
	"willowherb/core/vec"
)

func soup(n int, seed uint64) ([]vec.V3, []uint32) {
	r := rand.New(rand.NewPCG(seed, 1))
	f := func(s float64) float64 { return (r.Float64()*2 - 1) * s }
	var pos []vec.V3
	var idx []uint32
	for range n {
		c := vec.New(f(10), f(4), f(10))
		for range 3 {
			idx = append(idx, uint32(len(pos)))
			pos = append(pos, c.Add(vec.New(f(0.6), f(0.6), f(0.6))))
		}
	}
	return pos, idx
}

// room is a closed box with inward bumps: n*n quads on each of six sides.
func room(n int) ([]vec.V3, []uint32) {
	var pos []vec.V3
	var idx []uint32
	for side := range 6 {
		at := uint32(len(pos))
		for j := range n + 1 {
			for i := range n + 1 {
				u, v := 2*float64(i)/float64(n)-1, 2*float64(j)/float64(n)-1
				w := 1.0
				if side%2 == 1 {
					w = -1
				}
				p := [3]float64{w, u, v}
				k := side / 2
				pos = append(pos, vec.New(10*p[k], 4*p[(k+1)%3]+4, 8*p[(k+2)%3]))
			}
		}
		for j := range uint32(n) {
			for i := range uint32(n) {
				a := at + j*uint32(n+1) + i
				b := a + uint32(n) + 1
				idx = append(idx, a, a+1, b, a+1, b+1, b)
			}
		}
	}
	return pos, idx
}

func direction(r *rand.Rand) vec.V3 {
	z := r.Float64()*2 - 1
	a := r.Float64() * 2 * math.Pi
	s := math.Sqrt(1 - z*z)
	return vec.New(s*math.Cos(a), s*math.Sin(a), z)
}

func brute(pos []vec.V3, idx []uint32, r Ray) (float32, uint32) {
	best, id := r.Max, uint32(math.MaxUint32)
	for i := 0; i < len(idx); i += 3 {
		a := pos[idx[i]]
		e1, e2 := pos[idx[i+1]].Sub(a), pos[idx[i+2]].Sub(a)
		p := r.D.Cross(e2)
		inv := 1 / e1.Dot(p)
		s := r.O.Sub(a)
		u := s.Dot(p) * inv
		q := s.Cross(e1)
		v := r.D.Dot(q) * inv
		t := e2.Dot(q) * inv
		if u >= 0 && v >= 0 && u+v <= 1 && t > r.Min && t < best {
			best, id = t, uint32(i/3)
		}
	}
	return best, id
}

func TestWideScalarAndBruteForceAgree(t *testing.T) {
	pos, idx := soup(3000, 7)
	tree, err := Build(pos, idx, 2)
	require.NoError(t, err)
	fast, slow := NewTracer(tree), NewTracer(tree)
	slow.Scalar = true
	rng := rand.New(rand.NewPCG(3, 4))
	differ, hits := 0, 0
	for range 20000 {
		r := Ray{vec.New(rng.Float64()*24-12, rng.Float64()*10-5, rng.Float64()*24-12), direction(rng), 1e-4, 15}
		var a, b Hit
		ha, hb := fast.First(&r, &a), slow.First(&r, &b)
		require.Equal(t, hb, ha)
		require.Equal(t, hb, fast.Any(&r))
		require.Equal(t, hb, slow.Any(&r))
		if ha {
			require.Equal(t, b.Tri, a.Tri)
		}
		d, id := brute(pos, idx, r)
		switch {
		case ha != (id != math.MaxUint32), ha && math.Abs(float64(d-a.T)) > 2e-3:
			differ++ // a ray within the edge tolerance
		case ha:
			hits++
		}
	}
	require.Greater(t, hits, 5000)
	require.LessOrEqual(t, differ, 20, "only rays within the edge tolerance may differ")
}

func TestNoRayLeavesAClosedRoom(t *testing.T) {
	pos, idx := room(24)
	tree, err := Build(pos, idx, 1)
	require.NoError(t, err)
	tr := NewTracer(tree)
	rng := rand.New(rand.NewPCG(9, 9))
	n := 1_000_000
	if testing.Short() {
		n = 50_000
	}
	for i := range n {
		r := Ray{vec.New(rng.Float64()*18-9, rng.Float64()*7+0.5, rng.Float64()*14-7), direction(rng), 0, 1e4}
		if i%4 == 0 { // aim straight at vertices and edges
			a := pos[rng.IntN(len(pos))]
			r.D = a.Sub(r.O).Norm()
		}
		var h Hit
		require.True(t, tr.First(&r, &h), "ray %d escaped", i)
	}
}

func TestBuildIsTheSameForAnyNumberOfWorkers(t *testing.T) {
	pos, idx := soup(20000, 2)
	a, err := Build(pos, idx, 1)
	require.NoError(t, err)
	b, err := Build(pos, idx, 8)
	require.NoError(t, err)
	require.Equal(t, a.nodes, b.nodes)
	require.Equal(t, a.ids, b.ids)
}

func TestBadTriangles(t *testing.T) {
	nan := float32(math.NaN())
	pos := []vec.V3{{}, {X: 1}, {Y: 1}, {X: nan}, {X: 2}}
	tree, err := Build(pos, []uint32{0, 1, 2, 0, 1, 1, 0, 1, 3, 0, 1, 4}, 1)
	require.NoError(t, err)
	require.Equal(t, 3, tree.Dropped)
	require.Equal(t, 1, tree.Triangles())
	_, err = Build(pos, []uint32{0, 1, 9}, 1)
	require.ErrorContains(t, err, "vertex 9")
	empty, err := Build(nil, nil, 1)
	require.NoError(t, err)
	require.False(t, NewTracer(empty).Any(&Ray{D: vec.V3{X: 1}, Max: 1}))
}

// Thousands of triangles in the same place must not outgrow the stack.
func TestCoincidentTriangles(t *testing.T) {
	pos := []vec.V3{{}, {X: 1}, {Y: 1}}
	var idx []uint32
	for range 5000 {
		idx = append(idx, 0, 1, 2)
	}
	tree, err := Build(pos, idx, 2)
	require.NoError(t, err)
	tr := NewTracer(tree)
	var h Hit
	require.True(t, tr.First(&Ray{vec.V3{X: 0.2, Y: 0.2, Z: 1}, vec.V3{Z: -1}, 0, 10}, &h))
	require.InDelta(t, 1, h.T, 1e-6)
}

func BenchmarkQueries(b *testing.B) {
	pos, idx := room(160) // 307,200 triangles
	p2, i2 := soup(20000, 5)
	for _, i := range i2 {
		idx = append(idx, i+uint32(len(pos)))
	}
	pos = append(pos, p2...)
	tree, err := Build(pos, idx, 2)
	require.NoError(b, err)
	rng := rand.New(rand.NewPCG(1, 2))
	const n = 1 << 16
	coherent, bounce, shadow := make([]Ray, n), make([]Ray, n), make([]Ray, n)
	tr := NewTracer(tree)
	for i := range coherent {
		x, y := float64(i%256)/256-0.5, float64(i/256)/256-0.5
		coherent[i] = Ray{vec.V3{X: 7, Y: 4, Z: 5}, vec.New(-1, y, -0.7+x).Norm(), 1e-4, 1e4}
		var h Hit
		tr.First(&coherent[i], &h)
		p := coherent[i].O.Add(coherent[i].D.Scale(h.T * 0.999))
		bounce[i] = Ray{p, direction(rng), 1e-4, 1e4}
		to := vec.V3{X: -3, Y: 7, Z: 1}.Sub(p)
		shadow[i] = Ray{p, to.Norm(), 1e-4, to.Len()}
	}
	run := func(name string, rays []Ray, f func(*Ray)) {
		b.Run(name, func(b *testing.B) {
			for i := 0; b.Loop(); i++ {
				f(&rays[i&(n-1)])
			}
			b.ReportMetric(float64(b.N)/b.Elapsed().Seconds()/1e6, "Mrays/s")
			b.ReportMetric(float64(tree.Triangles()), "triangles")
		})
	}
	var h Hit
	run("first/coherent", coherent, func(r *Ray) { tr.First(r, &h) })
	run("first/bounce", bounce, func(r *Ray) { tr.First(r, &h) })
	run("any/shadow", shadow, func(r *Ray) { tr.Any(r) })
}

func BenchmarkBuild(b *testing.B) {
	pos, idx := soup(300000, 5)
	for b.Loop() {
		if _, err := Build(pos, idx, 2); err != nil {
			b.Fatal(err)
		}
	}
	b.ReportMetric(300000, "triangles")
}
