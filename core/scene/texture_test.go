package scene

import (
	"fmt"
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/require"
	"willowherb/core/colour"
	"willowherb/core/vec"
)

// spot is a texel in units of its channels, by what glTF 2.0 says of wrapping.
func spot(t *Texture, x, y, channel int, srgb bool) float64 {
	at := func(w Wrap, i, n int) int {
		switch w {
		case Clamp:
			return min(max(i, 0), n-1)
		case Mirror:
			if i = ((i % (2 * n)) + 2*n) % (2 * n); i >= n {
				i = 2*n - 1 - i
			}
			return i
		}
		return ((i % n) + n) % n
	}
	i := 4*(at(t.WrapT, y, t.H)*t.W+at(t.WrapS, x, t.W)) + channel
	v := 0.0
	if t.Deep != nil {
		v = float64(t.Deep[i]) / 65535
	} else {
		v = float64(t.Pix[i]) / 255
	}
	if srgb && channel < 3 {
		v = colour.DecodeSRGB(v)
	}
	return v
}

func TestATextureIsTheMeanOfTheFourTexelsAround(t *testing.T) {
	rng := rand.New(rand.NewPCG(4, 4))
	for _, size := range [][2]int{{1, 1}, {2, 3}, {8, 8}, {16, 5}} {
		for _, wrap := range []Wrap{Repeat, Clamp, Mirror} {
			for _, deep := range []bool{false, true} {
				x := &Texture{W: size[0], H: size[1], WrapS: wrap, WrapT: wrap}
				for range 4 * size[0] * size[1] {
					x.Pix = append(x.Pix, uint8(rng.Uint32()))
					if deep {
						x.Deep = append(x.Deep, uint16(rng.Uint32()))
					}
				}
				for range 200 {
					uv := vec.V2{X: rng.Float32()*6 - 3, Y: rng.Float32()*6 - 3}
					srgb := rng.IntN(2) == 0
					got := x.Sample(uv, srgb)
					px, py := float64(uv.X)*float64(x.W)-0.5, float64(uv.Y)*float64(x.H)-0.5
					ix, iy := math.Floor(px), math.Floor(py)
					ax, ay := px-ix, py-iy
					for k := range 4 {
						at := func(dx, dy int) float64 { return spot(x, int(ix)+dx, int(iy)+dy, k, srgb) }
						want := (at(0, 0)*(1-ax)+at(1, 0)*ax)*(1-ay) + (at(0, 1)*(1-ax)+at(1, 1)*ax)*ay
						require.InDelta(t, want, got[k], 2e-5, fmt.Sprint(size, wrap, deep, uv, k))
					}
				}
			}
		}
	}
}

func TestATextureAtNoPlaceAtAllAndBetweenTexels(t *testing.T) {
	x := &Texture{W: 2, H: 1, Pix: []uint8{0, 0, 0, 255, 255, 255, 255, 255}, Nearest: true}
	nan := float32(math.NaN())
	for _, uv := range []vec.V2{{X: nan}, {Y: nan}, {X: float32(math.Inf(1))}, {Y: -1e30}} {
		require.Equal(t, float32(1), x.Sample(uv, true)[3], "an answer, not a crash")
	}
	require.Equal(t, float32(0), x.Sample(vec.V2{X: 0.4, Y: 0.5}, true)[0], "the nearest, not a mean")
	require.Equal(t, float32(1), x.Sample(vec.V2{X: 0.6, Y: 0.5}, true)[0])
	x.Nearest = false
	require.InDelta(t, 0.5, x.Sample(vec.V2{X: 0.5, Y: 0.5}, true)[0], 1e-6)
}
