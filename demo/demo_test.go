package demo

import (
	"bytes"
	"context"
	"testing"

	"github.com/stretchr/testify/require"
	"willowherb/core/lamps"
	"willowherb/core/route"
	"willowherb/core/scene"
	"willowherb/core/setup"
	"willowherb/core/staging"
	"willowherb/format/gltf"
)

func place(t testing.TB) *scene.Scene {
	glb, err := Place()
	require.NoError(t, err)
	s, err := gltf.Read(context.Background(), "place.glb", glb, nil, gltf.DefaultLimits())
	require.NoError(t, err)
	return s
}

func TestPlaceIsWhole(t *testing.T) {
	s := place(t)
	require.Empty(t, s.Warnings)
	require.InDelta(t, 400_000, s.Triangles(), 30_000)
	require.Len(t, s.Cameras, 6, "five views, and one that travels")
	for _, want := range []string{"Keeper/Lantern", "Pump hall/Pumps", "Survey drone"} {
		found := false
		for _, o := range s.Objects {
			found = found || o.Path == want
		}
		require.True(t, found, want)
	}
}

// Vertex normals agree with the way their triangles wind: one that does not
// would be dark from its own side.
func TestTrianglesFaceAsTheirNormalsSay(t *testing.T) {
	s := place(t)
	bad := 0
	for i := range s.Mat {
		_, n := s.Area(uint32(i))
		a, b, c := s.Corner(uint32(i))
		if s.V.Nrm[a].Add(s.V.Nrm[b]).Add(s.V.Nrm[c]).Dot(n) < 0 {
			bad++
		}
	}
	require.Less(t, bad, s.Triangles()/500)
}

// The keeper's round can be walked from end to end, down the culvert, up both stairs; only its drop is a jump.
func TestTheRoundCanBeWalked(t *testing.T) {
	s, doc := place(t), Setup()
	on := staging.Of(doc, "file", "place.glb")
	s, w, err := on.Compile(s, 2)
	require.NoError(t, err)
	rest, err := w.Resting(staging.Movers(doc, s), 2)
	require.NoError(t, err)
	r := doc.Routes["round"]
	way, err := route.Lay(context.Background(), rest, doc, &r, 0.5)
	require.NoError(t, err)
	require.InDelta(t, 126, way.Metres, 6)
	require.Equal(t, []int{16}, way.Jumps)
	names := map[string]bool{}
	for _, p := range way.Places {
		names[p.Stop] = true
	}
	require.Len(t, names, 8)
}

func TestSetupFitsThePlace(t *testing.T) {
	d := Setup()
	require.NoError(t, d.Validate())
	require.Len(t, d.Lights, 15)
	s := place(t)
	st, err := lamps.Resolve(d, "")
	require.NoError(t, err)
	for _, l := range st.Lamps(s, nil) {
		if l.Kind == setup.Emissive {
			require.Positive(t, l.Source.Area(), "%s has its surfaces", l.Name)
		}
		require.Positive(t, l.Gain().Max(), l.Name)
	}
}

func TestPlaceIsTheSameEachTime(t *testing.T) {
	a, b, c := surface(concrete)
	d, e, f := surface(concrete)
	require.True(t, bytes.Equal(a, d) && bytes.Equal(b, e) && bytes.Equal(c, f))
	x, y := newShape(), newShape()
	pump(x, at(v(0, 0, 0)))
	pump(y, at(v(0, 0, 0)))
	require.Equal(t, x.node("p"), y.node("p"))
}
