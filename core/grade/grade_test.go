package grade

import (
	"math"
	"testing"

	"github.com/stretchr/testify/require"
	"willowherb/core/colour"
	"willowherb/core/exposure"
)

func TestNeutralChangesNothing(t *testing.T) {
	g := Neutral()
	require.NoError(t, g.Check())
	p := Compile(&g)
	for _, c := range [][3]float64{{0, 0, 0}, {0.18, 0.18, 0.18}, {0.02, 0.5, 3}, {7, 0.1, 0}} {
		out := p.Apply(c)
		require.InDeltaSlice(t, c[:], out[:], 1e-12)
		require.Equal(t, c, Compile(nil).Apply(c))
	}
}

// A picked neutral is neutral to 0.002 in xy, at its own luminance; D65 stays as it is.
func TestAPickedNeutralIsNeutral(t *testing.T) {
	for _, white := range [][3]float64{{3, 1.2, 0.3}, {0.4, 0.5, 0.9}, {1, 1, 1}, {0.02, 0.011, 0.004}} {
		g := Neutral()
		g.White = &white
		out := Compile(&g).Apply(white)
		x, y := colour.ToXY(out)
		require.InDelta(t, 0.3127, x, 0.002)
		require.InDelta(t, 0.3290, y, 0.002)
		require.InEpsilon(t, colour.Luminance(white), colour.Luminance(out), 0.01)
	}
	m := matrix(Balance([3]float64{1, 1, 1}))
	for i := range m {
		for j := range m[i] {
			want := 0.0
			if i == j {
				want = 1
			}
			require.InDelta(t, want, m[i][j], 1e-9)
		}
	}
	// Published (Lindbloom, Bradford): illuminant A, XYZ 1.09850 1 0.35585, goes to D65.
	a := colour.FromXYZ([3]float64{1.09850, 1, 0.35585})
	g := Neutral()
	g.White = (*[3]float64)(&a)
	x, y := colour.ToXY(Compile(&g).Apply(a))
	require.InDelta(t, 0.3127, x, 1e-3)
	require.InDelta(t, 0.3290, y, 1e-3)
}

func TestWhatEachNumberDoes(t *testing.T) {
	one := func(f func(g *Grade), v float64) float64 {
		g := Neutral()
		f(&g)
		require.NoError(t, g.Check())
		return Compile(&g).Apply([3]float64{v, v, v})[0]
	}
	contrast := func(g *Grade) { g.Contrast = 1.5 }
	require.InDelta(t, 0.18, one(contrast, 0.18), 1e-12, "middle grey stays")
	require.InDelta(t, 0.18*math.Exp2(1.5), one(contrast, 0.36), 1e-12, "a stop becomes one and a half")
	gamma := func(g *Grade) { g.Gamma = [3]float64{2, 2, 2} }
	require.InDelta(t, 0.18, one(gamma, 0.18), 1e-12)
	require.InDelta(t, 0.18*math.Exp2(-0.5), one(gamma, 0.09), 1e-12, "darkness is lifted by half")
	lift := func(g *Grade) { g.Lift = [3]float64{0.05, 0.05, 0.05} }
	require.InDelta(t, 0.05, one(lift, 0), 1e-12)
	require.InDelta(t, 1, one(lift, 1), 1e-12, "white stays")
	require.InDelta(t, 3, one(lift, 3), 1e-12)
	require.InDelta(t, 0.6, one(func(g *Grade) { g.Gain = [3]float64{2, 2, 2} }, 0.3), 1e-12)
	require.Zero(t, one(func(g *Grade) { g.Lift = [3]float64{-0.1, -0.1, -0.1} }, 0))
	g := Neutral()
	g.Saturation = 0
	c := [3]float64{0.6, 0.2, 0.05}
	out := Compile(&g).Apply(c)
	for k := range 3 {
		require.InDelta(t, colour.Luminance(c), out[k], 1e-12, "grey of the same luminance")
	}
}

// What a table holds is what the pipeline does: a picture developed without the grade and
// taken through Between is the one developed with it, to 1/1023, up to where the curve clips.
func TestATableIsThePipeline(t *testing.T) {
	g := Neutral()
	g.White, g.Contrast, g.Saturation = &[3]float64{1.2, 1, 0.8}, 1.2, 0.8
	g.Lift, g.Gamma, g.Gain = [3]float64{0.01, 0, -0.01}, [3]float64{1.1, 1, 0.9}, [3]float64{1, 1.1, 1.2}
	p := Compile(&g)
	for _, curve := range []exposure.Curve{exposure.Shoulder, exposure.Plain} {
		for _, c := range [][3]float64{{0, 0, 0}, {0.18, 0.18, 0.18}, {0.02, 0.4, 0.9}, {0.7, 0.1, 0.3}, {0.99, 0.99, 0.5}} {
			plain := Compile(nil).Shown(c, curve)
			want, got := p.Shown(c, curve), p.Between(plain, curve)
			require.InDeltaSlice(t, want[:], got[:], 1.0/1023)
		}
	}
}

func TestAGradeIsChecked(t *testing.T) {
	for what, f := range map[string]func(g *Grade){
		"contrast is 0": func(g *Grade) { g.Contrast = 0 }, "gamma is": func(g *Grade) { g.Gamma[2] = 0 }, "gain is NaN": func(g *Grade) { g.Gain[1] = math.NaN() },
		"without light": func(g *Grade) { g.White = &[3]float64{1, 0, 1} }, "saturation is -1": func(g *Grade) { g.Saturation = -1 }, "lift is 2": func(g *Grade) { g.Lift[0] = 2 },
	} {
		g := Neutral()
		f(&g)
		require.ErrorContains(t, g.Check(), what)
	}
}
