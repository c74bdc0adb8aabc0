package sampling

import (
	"fmt"
	"math"
	"testing"

	"github.com/stretchr/testify/require"
)

// A (0,2)-sequence: any 2^k first samples put one in each elementary interval.
func TestPairIsAZeroTwoSequence(t *testing.T) {
	for pixel := range uint32(20) {
		for w := 0; w <= 6; w++ {
			seen := map[[2]int]bool{}
			for n := range uint32(64) {
				p := New(1, pixel, n).Pair(3)
				seen[[2]int{int(p.X * float32(int(1)<<w)), int(p.Y * float32(int(64)>>w))}] = true
			}
			require.Len(t, seen, 64, "pixel %d, split %d", pixel, w)
		}
	}
}

// Dimensions must not move together: the mean of the product of two centred
// dimensions over many samples of one pixel is zero within four standard errors.
func TestDimensionsAreIndependent(t *testing.T) {
	const n = 4096
	for d := range uint32(8) {
		var sum float64
		for i := range uint32(n) {
			s := New(7, 5, i)
			sum += (float64(s.Pair(d).X) - 0.5) * (float64(s.Pair(d+1).X) - 0.5)
		}
		require.Less(t, math.Abs(sum/n), 4.0/12/math.Sqrt(n))
	}
}

func TestConeIsEvenOverItsSolidAngle(t *testing.T) {
	const cos = 0.7
	var mean float64
	const n = 1 << 14
	for i := range uint32(n) {
		d := Cone(New(1, 1, i).Pair(0), 1-cos)
		require.InDelta(t, 1, d.Dot(d), 1e-5)
		require.GreaterOrEqual(t, d.Z, float32(cos-1e-6))
		mean += float64(d.Z) / n
	}
	require.InDelta(t, (1+cos)/2, mean, 1e-3)
}

func TestCosineHemisphereMean(t *testing.T) {
	var mean float64
	const n = 1 << 14
	for i := range uint32(n) {
		mean += float64(CosineHemisphere(New(1, 2, i).Pair(0)).Z) / n
	}
	require.InDelta(t, 2.0/3, mean, 1e-3)
}

// No two uses of random numbers share a dimension: not of many lights at many vertices,
// nor of the path itself beside them. At one in 2^32 a pair, a hundred thousand uses
// would share one by chance once in a thousand times; these do not.
func TestDimensionsAreApart(t *testing.T) {
	seen := map[uint32]string{}
	for light := range 300 {
		owner := Owner(uint64(light) * 0x1234567)
		for use := range uint32(9 * 40) {
			d, name := Dim(owner, use), fmt.Sprintf("%d/%d", light, use)
			require.Empty(t, seen[d], "%s and %s", name, seen[d])
			seen[d] = name
		}
	}
	require.NotEqual(t, Owner(1), Owner(1<<32), "all bits of a light's id count")
	// Numbers of different dimensions of one sample have nothing to do with each other.
	const n = 4096
	var sum float64
	for i := range uint32(n) {
		s := New(7, 5, i)
		sum += (float64(s.Pair(Dim(Owner(3), 6)).X) - 0.5) * (float64(s.Pair(Dim(Owner(4), 6)).X) - 0.5)
	}
	require.Less(t, math.Abs(sum/n), 4.0/12/math.Sqrt(n))
}

// Each thing's chance is its own, and even.
func TestChanceIsEvenAndApart(t *testing.T) {
	const n = 20000
	var mean, both float64
	for i := range uint32(n) {
		d := New(1, 2, i).Bits(3)
		a, b := float64(Chance(d, 1)), float64(Chance(d, 2))
		mean += a / n
		both += (a - 0.5) * (b - 0.5) / n
	}
	require.InDelta(t, 0.5, mean, 0.01)
	require.InDelta(t, 0, both, 4.0/12/math.Sqrt(n))
}
