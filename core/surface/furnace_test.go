package surface

import (
	"testing"

	"github.com/stretchr/testify/require"
	"willowherb/core/scene"
	"willowherb/core/vec"
)

// A dielectric of any colour in a white furnace: white gives back all that comes, no
// less and no more; darker ones less, by what their base takes. 0.006 is the error of
// the table between its points.
func TestDielectricFurnace(t *testing.T) {
	for _, rough := range []float32{0, 0.05, 0.1, 0.2, 0.35, 0.5, 0.75, 1} {
		for _, c := range []float64{0.02, 0.05, 0.15, 0.4, 0.7, 1} {
			for _, specular := range []float32{0.3, 1} {
				white := New(vec.V3{Z: 1}, vec.Splat(1), 0, rough, specular, view(c))
				mean, se := reflected(&white, 1<<13)
				require.InDelta(t, 1, mean, 0.008+4*se, "roughness %g, cosine %g, specular %g", rough, c, specular)
				grey := New(vec.V3{Z: 1}, vec.Splat(0.5), 0, rough, specular, view(c))
				mean, se = reflected(&grey, 1<<13)
				face := float64(grey.diel.albedo(float32(c)))
				require.InDelta(t, face+(1-face)*0.5, mean, 0.008+4*se, "the face, and half of what is let in")
			}
			for _, metal := range []float32{0.3, 0.7} {
				f := New(vec.V3{Z: 1}, vec.Splat(0.9), metal, rough, 1, view(c))
				mean, _ := reflected(&f, 1<<12)
				require.Less(t, mean, 1.01, "metalness %g, roughness %g, cosine %g", metal, rough, c)
			}
		}
	}
}

// Light goes the same way forwards and backwards.
func TestReciprocity(t *testing.T) {
	n := vec.V3{Z: 1}
	for _, rough := range []float32{0.2, 0.6, 1} {
		a, b := view(0.3), vec.New(-0.4, 0.5, 0.77).Norm()
		f, g := New(n, vec.Splat(0.7), 0, rough, 1, a), New(n, vec.Splat(0.7), 0, rough, 1, b)
		x, _, _ := f.Parts(b)
		y, _, _ := g.Parts(a)
		require.InEpsilon(t, x.X/b.Z, y.X/a.Z, 2e-3, "of the matt part, by the table's own steps")
	}
}

// Density is bounded from both sides: a matt surface's comes to one; a lobe's to one but
// for what falls below the horizon.
func TestDensityComesToOne(t *testing.T) {
	for _, c := range []struct {
		rough, specular float32
		low             float64
	}{{1, 0, 0.99}, {0.3, 1, 0.97}, {0.8, 1, 0.85}} {
		f := New(vec.V3{Z: 1}, vec.Splat(0.6), 0, c.rough, c.specular, view(0.7))
		mass := mass(&f)
		require.Greater(t, mass, c.low, "roughness %g", c.rough)
		require.Less(t, mass, 1.01, "roughness %g", c.rough)
	}
}

// Roughening is making the surface anew with that roughness.
func TestRoughenIsASurfaceOfThatRoughness(t *testing.T) {
	f, g := New(vec.V3{Z: 1}, vec.Splat(0.6), 0.2, 0.1, 1, view(0.5)), New(vec.V3{Z: 1}, vec.Splat(0.6), 0.2, 0.6, 1, view(0.5))
	f.Roughen(0.36)
	wi := vec.New(0.3, 0.2, 0.8).Norm()
	a, pa := f.Eval(wi)
	b, pb := g.Eval(wi)
	require.InEpsilon(t, b.X, a.X, 1e-5)
	require.InEpsilon(t, pb, pa, 1e-5)
	was := f
	f.Roughen(0.1)
	require.Equal(t, was, f, "it is rough enough already")
}

// What passes a pane and what it sends back come to what came, for white; the pane's own
// roughness counts, and its colour tints what passes.
func TestPassing(t *testing.T) {
	m := scene.DefaultMaterial()
	m.Metallic, m.Transmission = 0, 1
	for _, rough := range []float32{0, 0.4, 1} {
		m.Roughness = rough
		s := &scene.Scene{}
		p := scene.SurfacePoint{Ng: vec.V3{Z: 1}, Ns: vec.V3{Z: 1}, Color: [4]float32{1, 1, 1, 1}}
		d := view(0.6).Neg()
		f, ok := At(s, &m, &p, d.Neg())
		require.True(t, ok)
		back, _ := reflected(&f, 1<<13)
		require.InDelta(t, 1, float64(Passing(s, &m, &p, d).X)+back, 0.006, "roughness %g", rough)
		require.Equal(t, Passing(s, &m, &p, d), Passing(s, &m, &p, d.Neg()), "from either side")
	}
	m.BaseColor = [4]float32{0.5, 0.25, 1, 1}
	p := scene.SurfacePoint{Ng: vec.V3{Z: 1}, Ns: vec.V3{Z: 1}, Color: [4]float32{1, 1, 1, 1}}
	g := Passing(&scene.Scene{}, &m, &p, vec.V3{Z: -1})
	require.InEpsilon(t, 0.5, g.X/g.Z, 1e-5)
	require.InEpsilon(t, 0.25, g.Y/g.Z, 1e-5)
}
