package film

import (
	"math"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
	"willowherb/core/vec"
)

func TestPackKeepsNineBits(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		v := rapid.SliceOfN(rapid.Float32Range(0, 1e6), 6, 6).Draw(t, "rgb")
		words, scale := Pack(v)
		out := make([]float32, 6)
		Unpack(words, vec.Splat(scale), out)
		for i := range out {
			top := max(v[i/3*3], v[i/3*3+1], v[i/3*3+2])
			floor := max(v[0], v[1], v[2], v[3], v[4], v[5]) * 1e-9
			require.InDelta(t, v[i], out[i], float64(top)/512+float64(floor)+1e-30)
		}
	})
	words, _ := Pack([]float32{float32(math.NaN()), -1, 0})
	require.Zero(t, words[0]&0x7ffffff)
}
