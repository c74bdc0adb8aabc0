package vec

import (
	"math"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

func TestBasisIsOrthonormal(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		c := rapid.Float64Range(-1, 1)
		n := New(c.Draw(t, "x"), c.Draw(t, "y"), c.Draw(t, "z")).Norm()
		if n == (V3{}) {
			return
		}
		a, b := Basis(n)
		require.InDelta(t, 1, a.Dot(a), 1e-5)
		require.InDelta(t, 1, b.Dot(b), 1e-5)
		require.InDelta(t, 0, a.Dot(b), 1e-5)
		require.InDelta(t, 1, a.Cross(b).Dot(n), 1e-5)
	})
}

func TestNormHasLengthOneForAnyLength(t *testing.T) {
	for _, l := range []float32{1e-44, 1e-38, 1e-21, 1e-10, 1, 1e10, 1e19, 1e38} {
		n := V3{3 * l, 0, -4 * l}
		if l == 1e38 {
			n = V3{0.3 * l, 0, -0.4 * l}
		}
		require.InDelta(t, 1, n.Norm().Len(), 1e-6, "%g", l)
	}
	require.Equal(t, V3{}, V3{}.Norm())
	require.Equal(t, V3{}, V3{X: float32(math.Inf(1))}.Norm())
	require.Equal(t, V3{}, V3{Y: float32(math.NaN())}.Norm())
}

func TestNormalStaysPerpendicularUnderUnevenScaleAndMirror(t *testing.T) {
	h := math.Sqrt2 / 2
	for _, s := range [][3]float64{{1, 2, 3}, {-1, 2, 0.5}, {4, 1, 1}} {
		m := TRS([3]float64{3, 1, 2}, [4]float64{0, h, 0, h}, s)
		u, v := V3{1, 1, 0}, V3{0, 1, 2}
		n := u.Cross(v)
		got := m.Normal(n)
		require.InDelta(t, 0, got.Dot(m.Dir(u)), 1e-4)
		require.InDelta(t, 0, got.Dot(m.Dir(v)), 1e-4)
		// A normal keeps pointing to the side its surface faced before.
		require.Greater(t, got.Norm().Dot(m.Dir(n).Norm()), float32(0))
	}
}

func TestFinite(t *testing.T) {
	require.True(t, V3{1, 2, 3}.Finite())
	require.False(t, V3{float32(math.NaN()), 0, 0}.Finite())
	require.False(t, V3{0, float32(math.Inf(1)), 0}.Finite())
}

func TestInverseTakesATransformBack(t *testing.T) {
	m := TRS([3]float64{1, -2, 3}, [4]float64{0.1825742, 0.3651484, 0.5477226, 0.7302967}, [3]float64{2, 0.5, 3})
	b, ok := m.Inverse()
	require.True(t, ok)
	p := V3{X: 0.3, Y: -4, Z: 7}
	q := b.Point(m.Point(p))
	require.InDelta(t, 0, float64(q.Sub(p).Len()), 1e-5)
	_, ok = TRS([3]float64{}, [4]float64{0, 0, 0, 1}, [3]float64{1, 0, 1}).Inverse()
	require.False(t, ok, "a flat transform has none")
}
