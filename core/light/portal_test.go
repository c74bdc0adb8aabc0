package light

import (
	"math"
	"testing"

	"github.com/stretchr/testify/require"
	"willowherb/core/sampling"
	"willowherb/core/vec"
)

func throughWindows() *Light {
	w := func(c, n vec.V3, a, b float32) Portal {
		u, v := vec.Basis(n)
		return Portal{Centre: c, N: n, U: u, V: v, W: a, H: b, Bounds: []Bounds{{vec.V3{X: -4, Y: -1, Z: -4}, vec.V3{X: 4, Y: 4, Z: 4}}}}
	}
	l := &Light{ID: 2, Kind: Sky, Gradient: Gradient{vec.Splat(1), vec.Splat(3), vec.Splat(0.2), 1}, Portals: []Portal{
		w(vec.V3{X: -3, Y: 1.5}, vec.V3{X: 1}, 1.2, 2), w(vec.V3{X: 1, Y: 3, Z: 1}, vec.V3{Y: -1}, 0.5, 0.5), w(vec.V3{Z: 3.5, Y: 1}, vec.V3{Z: -1}, 2, 0.3)}}
	l.Prepare()
	return l
}

// A sky gives the same through portals as without: they say where to look, not what
// comes. 1 %: four standard errors of 20,000 samples.
func TestPortalsChangeNothing(t *testing.T) {
	with := throughWindows()
	without := *with
	without.Portals = nil
	for _, at := range []struct{ p, n vec.V3 }{{vec.V3{}, vec.V3{Y: 1}}, {vec.V3{X: -2.9, Y: 1}, vec.V3{X: -1}}, {vec.V3{X: 2}, vec.V3{X: -0.6, Y: 0.8}}, {vec.V3{X: 9}, vec.V3{Y: 1}}, {vec.V3{Y: 3.5}, vec.V3{Y: -1}}} {
		e := func(l *Light) (sum float64) {
			const n = 20000
			for k := range uint32(n) {
				if s, ok := l.Sample(at.p, at.n, sampling.New(1, 0, k).Pair(3)); ok {
					sum += float64(s.Weight.Y*max(s.Dir.Dot(at.n), 0)) / n
				}
			}
			return sum
		}
		require.InEpsilon(t, e(&without), e(with), 0.01, "%v", at)
	}
}

// The density that a met direction is told to have is the one that it was chosen with, and
// all of them make 1.
func TestPortalDensity(t *testing.T) {
	l := throughWindows()
	p, n := vec.V3{X: 0.5, Y: 0.2, Z: -1}, vec.V3{X: -0.6, Y: 0.8}
	for k := range uint32(500) {
		s, ok := l.Sample(p, n, sampling.New(1, 0, k).Pair(3))
		require.True(t, ok)
		require.InEpsilon(t, s.Pdf, l.Meet(p, n, s.Dir).Pdf, 1e-3)
	}
	var sum float64
	const many = 400000
	for k := range uint32(many) {
		d := sampling.Cone(sampling.New(7, 0, k).Pair(1), 2)
		sum += float64(l.Meet(p, n, d).Pdf) * 4 * math.Pi / many
	}
	require.InDelta(t, 1, sum, 0.01)
}

// Through a window more of the samples find the sky.
func TestPortalsFindTheSky(t *testing.T) {
	l := throughWindows()
	p, n := vec.V3{X: 0.5, Z: -1}, vec.V3{Y: 1}
	found := 0
	for k := range uint32(1000) {
		s, _ := l.Sample(p, n, sampling.New(1, 0, k).Pair(3))
		for i := range l.Portals {
			if l.Portals[i].Near(p, s.Dir, 1) {
				found++
			}
		}
	}
	require.Greater(t, found, 700)
}

// Of many portals those count that are seen from a place, wherever in the list they stand.
func TestManyPortals(t *testing.T) {
	l := throughWindows()
	window := l.Portals[0]
	elsewhere := window
	elsewhere.Bounds = []Bounds{{vec.Splat(50), vec.Splat(60)}, {vec.Splat(70), vec.Splat(80)}}
	require.True(t, elsewhere.Holds(vec.Splat(75)), "in the second of its boxes")
	require.False(t, elsewhere.Holds(vec.Splat(65)))
	l.Portals = nil
	for range 2 * mostPortals {
		l.Portals = append(l.Portals, elsewhere)
	}
	l.Portals = append(l.Portals, window)
	p, n := vec.V3{X: 0.5, Z: -1}, vec.V3{X: -1}
	found := 0
	for k := range uint32(1000) {
		if s, ok := l.Sample(p, n, sampling.New(1, 0, k).Pair(3)); ok && window.Near(p, s.Dir, 1) {
			found++
		}
	}
	require.Greater(t, found, 700)
}
