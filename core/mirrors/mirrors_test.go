package mirrors

import (
	"context"
	"math"
	"testing"

	"github.com/stretchr/testify/require"
	"willowherb/core/light"
	"willowherb/core/scene/scenetest"
	"willowherb/core/setup"
	"willowherb/core/vec"
	"willowherb/core/world"
)

// glowing is a closed box-shaped room whose walls shine each by itself: their luminance tells
// which wall, and where on it, is seen.
func glowing(t *testing.T) (*world.World, *light.Light) {
	m := scenetest.Matt(0)
	m.Emissive = vec.Splat(1)
	w := scenetest.Room(m).World(t)
	return w, scenetest.Shining(w)
}

func box(pixels int) setup.Mirror {
	return setup.Mirror{Name: "Room", Position: [3]float64{0.5, -0.3, 0.2}, Size: [3]float64{4, 4, 4}, Pixels: pixels}
}

func TestAPanoramaShowsWhatIsSeen(t *testing.T) {
	w, l := glowing(t)
	m, err := Capture(context.Background(), w, box(16), []*light.Light{l}, nil, nil, 4, 2)
	require.NoError(t, err)
	s := m.Sum([]vec.V3{vec.Splat(2)}, 2)
	for _, alpha := range []float32{0, 0.1, 0.5, 1} {
		v := s.Towards(vec.V3{X: 1, Y: 1, Z: -1}, vec.New(1, 2, 3).Norm(), alpha)
		require.InDelta(t, 2, v.X, 1e-3)
		require.InDelta(t, 2, v.Z, 1e-3)
	}
	wrong, err := m.Wrong(context.Background(), w, []*light.Light{l}, nil, []vec.V3{vec.Splat(1)}, 2)
	require.NoError(t, err)
	require.Less(t, wrong, 1e-3, "an even room looks the same from everywhere")
}

// TestParallaxInABox: from elsewhere in a box-shaped room the way along d meets a wall at one
// place, and the probe is asked towards that place.
func TestParallaxInABox(t *testing.T) {
	m := &Mirror{Mirror: box(16)}
	at := vec.Of(m.Position)
	for _, p := range []vec.V3{{}, {X: 1.5, Y: -1, Z: 1.9}, {X: -1.9, Y: 1.9}} {
		for _, d := range []vec.V3{{X: 1}, {Y: -1}, vec.New(1, 1, -1).Norm(), vec.New(-2, 0.1, 1).Norm()} {
			q := m.Corrected(p, d)
			// Both ways end at the same place of the wall.
			far := func(o, d vec.V3) vec.V3 {
				best := float32(math.Inf(1))
				for k := range 3 {
					if v := d.At(k); v != 0 {
						best = min(best, (float32(math.Copysign(2, float64(v)))-o.At(k))/v)
					}
				}
				return o.Add(d.Scale(best))
			}
			require.InDelta(t, 0, far(p, d).Sub(far(at, q)).Len(), 1e-4, "%v along %v", p, d)
		}
	}
	ball := &Mirror{Mirror: setup.Mirror{Sphere: true, Size: [3]float64{4}, Pixels: 16}}
	p, d := vec.V3{X: 1}, vec.V3{Y: 1}
	q := ball.Corrected(p, d)
	require.InDelta(t, math.Sqrt(3)/2, q.Y, 1e-5, "the sphere of 2 m is met at (1, 1.73)")
	require.True(t, ball.Holds(vec.V3{X: 1.99}))
	require.False(t, ball.Holds(vec.V3{X: 2.01}))
}

// TestRoughnessKeepsTheLight: blurred all round, the mean over the sphere stays, and what is
// bright becomes less so.
func TestRoughnessKeepsTheLight(t *testing.T) {
	m := &Mirror{Mirror: box(32), Lights: []string{"a"}, Layers: [][]float32{make([]float32, 3*2*32*32)}}
	for y := range 32 {
		for x := range 64 {
			if x > 20 && x < 30 && y > 10 && y < 20 {
				m.Layers[0][3*(y*64+x)+1] = 10
			}
		}
	}
	s := m.Sum([]vec.V3{vec.Splat(1)}, 2)
	mean := func(l *level) (sum, most float64) {
		for y := range l.h {
			w := math.Sin(math.Pi*(float64(y)+0.5)/float64(l.h)) * math.Pi / 2 / float64(l.h) / float64(2*l.h)
			for x := range 2 * l.h {
				v := float64(l.rgb[3*(y*2*l.h+x)+1])
				sum, most = sum+v*w, max(most, v)
			}
		}
		return sum, most
	}
	whole, was := mean(&s.levels[0])
	for k := range s.levels[1:] {
		sum, most := mean(&s.levels[k+1])
		require.InEpsilon(t, whole, sum, 0.1, "step %d", k+1)
		require.LessOrEqual(t, most, was*1.01)
		was = most
	}
	require.Less(t, was, 6.0)
}

func TestTheSmallestProbeThatHoldsAPlaceTellsIt(t *testing.T) {
	large, small := box(16), box(16)
	large.Size = [3]float64{20, 20, 20}
	all := []*Shown{{m: &Mirror{Mirror: large, ID: "large"}}, {m: &Mirror{Mirror: small, ID: "small"}}}
	require.Equal(t, "small", Chosen(all, vec.V3{X: 1}).Probe().ID)
	require.Equal(t, "large", Chosen(all, vec.V3{X: 5}).Probe().ID)
	require.NotNil(t, Chosen(all, vec.V3{X: 500}), "the nearest, where none holds it")
	require.Nil(t, Chosen(nil, vec.V3{}))
}
