package cache_test

import (
	"context"
	"testing"

	"github.com/stretchr/testify/require"
	"willowherb/core/cache"
	"willowherb/core/light"
	"willowherb/core/scene/scenetest"
	"willowherb/core/vec"
	"willowherb/core/world"
)

// passage is a closed white passage, 2 m by 2 m and 120 m long, with lamps along it.
func passage(t *testing.T) (*world.World, []*light.Light) {
	room := scenetest.Room(scenetest.Matt(0.8))
	for i, p := range room.S.V.Pos {
		room.S.V.Pos[i] = vec.V3{X: p.X * 30, Y: p.Y / 2, Z: p.Z / 2}
	}
	var lamps []*light.Light
	for i := range 5 {
		l := &light.Light{ID: uint64(3 + i), Kind: light.Point, Pos: vec.V3{X: float32(i-2) * 20, Y: 0.8}, Radius: 0.05, Shadow: true, Channels: 0xff}
		l.Prepare()
		lamps = append(lamps, l)
	}
	return room.World(t), lamps
}

// along are places on the passage's floor about x.
func along(x float32, many int) (out []cache.Spot) {
	for i := range many {
		out = append(out, cache.Spot{Pos: vec.V3{X: x + 0.15*float32(i), Y: -1, Z: 0.2}, N: vec.V3{Y: 1}, Dist: 2, Roll: uint32(i) * 0x9e3779b9})
	}
	return out
}

// What is worked out goes as far from what was touched as light is followed, and no farther; its
// values are those of a cache that knows the whole place, also where others have been before.
func TestOnlyAsFarAsLightIsFollowed(t *testing.T) {
	w, lamps := passage(t)
	here := along(-58, 40)
	a := cache.New(w, 2)
	mine := lit(t, a, touched(a, here), here, lamps, 2)
	few := a.Points()

	whole := cache.New(w, 2)
	all := whole.Reach()
	for x := float32(-60); x < 60; x++ {
		spots := append(along(x, 8), along(x, 8)...)
		for i := range spots {
			if i >= 8 {
				spots[i].Pos.Y, spots[i].N.Y = 1, -1
			}
			all.Touch(&spots[i])
		}
	}
	require.NoError(t, whole.Fill(context.Background(), all, 2))
	require.Less(t, 2*few, whole.Points())
	require.Equal(t, mine, lit(t, whole, touched(whole, here), here, lamps, 2))

	// Others were near, so that some of what is wanted now was an end to them.
	for _, x := range []float32{-50, -40, -30} {
		b := cache.New(w, 2)
		there := along(x, 20)
		lit(t, b, touched(b, there), there, lamps, 2)
		require.Equal(t, mine, lit(t, b, touched(b, here), here, lamps, 2), "after %g", x)
	}
}

// given is a context that ends after so many steps have begun.
type given struct {
	context.Context
	left int
}

func (g *given) Done() <-chan struct{} {
	done := make(chan struct{})
	if g.left--; g.left < 0 {
		close(done)
	}
	return done
}

func (g *given) Err() error {
	if g.left < 0 {
		return context.Canceled
	}
	return nil
}

// Work that is given up at any of its steps leaves nothing half done, of what was there before
// either.
func TestGivenUpOnTheWay(t *testing.T) {
	w, lamps := passage(t)
	near, here := along(-57, 20), along(-58, 40)
	a := cache.New(w, 1)
	mine := lit(t, a, touched(a, here), here, lamps, 1)
	b := cache.New(w, 1)
	first := lit(t, b, touched(b, near), near, lamps, 1)
	links := b.Links()
	ends := &given{Context: context.Background()}
	steps := 0
	for ; b.Fill(ends, touched(b, here), 1) != nil; steps++ {
		require.Equal(t, links, b.Links())
		require.Equal(t, first, lit(t, b, touched(b, near), near, lamps, 1))
		other := along(50-float32(steps), 2) // so that new points are numbered otherwise
		lit(t, b, touched(b, other), other, lamps, 1)
		ends.left, links = steps+1, b.Links()
	}
	require.Greater(t, steps, 5)
	require.Equal(t, mine, lit(t, b, touched(b, here), here, lamps, 1))
}
