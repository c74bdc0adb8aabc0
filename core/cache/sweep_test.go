package cache

import (
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/require"
	"willowherb/core/vec"
)

// TestSweepsAreTheSameBits: with vectors and without.
func TestSweepsAreTheSameBits(t *testing.T) {
	const n, fan = 300, 5
	r := rand.New(rand.NewPCG(1, 2))
	v := func() vec.V3 { return vec.V3{X: r.Float32(), Y: r.Float32(), Z: r.Float32()} }
	begin, now := make([]block, n), make([]block, n)
	var links []link
	for p := range n {
		for i := range lanes {
			begin[p].set(i, &flux{v(), v()})
			now[p].set(i, &flux{v(), v()})
		}
		for range fan {
			links = append(links, link{to: int32(r.IntN(n+1)) - 1, even: v(), glancing: v(), glance: r.Float32()})
		}
	}
	a, b := make([]block, n), make([]block, n)
	sweep(begin, now, a, links, 0, n)
	sweepScalar(begin, now, b, links, 0, n)
	require.Equal(t, b, a)
	// By hand, of one light at one point.
	want := begin[7].of(3)
	for _, l := range links[7*fan : 8*fan] {
		if l.to >= 0 {
			f := now[l.to].of(3)
			e := l.even.Mul(f.even).Add(l.glancing.Mul(f.glancing))
			want = want.plus(flux{e, e.Scale(l.glance)})
		}
	}
	got := a[7].of(3)
	require.InEpsilon(t, want.even.Y, got.even.Y, 1e-6)
	require.InEpsilon(t, want.glancing.Z, got.glancing.Z, 1e-6)
}

// TestWhatStandsOnAFloorHasItsOwnCells: a table's top and the floor under it face the same way.
func TestWhatStandsOnAFloorHasItsOwnCells(t *testing.T) {
	const level = 2
	floor, up := vec.V3{X: 0.5, Y: 0.1, Z: 0.5}, vec.V3{Y: 1}
	k := key(level, floor, up, 3)
	require.Equal(t, k, key(level, floor.Add(vec.V3{X: 0.4, Z: -0.4}), up, 3), "beside it on the floor")
	require.NotEqual(t, k, key(level, floor.Add(vec.V3{Y: 0.4}), up, 3), "on a table")
	require.NotEqual(t, k, key(level, floor, up.Neg(), 3), "the other side")
	require.NotEqual(t, k, key(level, floor, up, 4), "another object")
	wall := vec.V3{X: 1}
	require.Equal(t, key(level, floor, wall, 3), key(level, floor.Add(vec.V3{Y: 0.4}), wall, 3), "higher up a wall")
	require.NotEqual(t, key(level, floor, wall, 3), key(level, floor.Add(vec.V3{X: 0.3}), wall, 3), "a board before it")
}
