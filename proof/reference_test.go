package proof

import (
	"bytes"
	"compress/gzip"
	"context"
	"encoding/binary"
	"fmt"
	"io"
	"math"
	"os"
	"path/filepath"
	"runtime"
	"strconv"
	"testing"

	"github.com/stretchr/testify/require"
	"github.com/x448/float16"
	"willowherb/core/colour"
	"willowherb/core/film"
	"willowherb/core/path"
	"willowherb/core/vec"
)

// reference is two independent pictures of a place, scene-linear RGB.
type reference struct{ a, b []float32 }

func file(name string) string { return filepath.Join("testdata", name+".ref.gz") }

// read loads a place's reference: for each number of A, then of B, half floats.
func (p *place) reference(t testing.TB) reference {
	f, err := os.Open(file(p.name))
	require.NoError(t, err, "make it with scripts/references")
	defer f.Close()
	z, err := gzip.NewReader(f)
	require.NoError(t, err)
	data, err := io.ReadAll(z)
	require.NoError(t, err)
	const n = 3 * wide * high
	require.Len(t, data, 2*2*n)
	all := make([]float32, 2*n)
	for i := range all {
		all[i] = float16.Frombits(binary.LittleEndian.Uint16(data[2*i:])).Float32()
	}
	return reference{all[:n], all[n:]}
}

// render makes a picture of all the place's lights at once, without any filter.
func (p *place) render(ctx context.Context, seed uint32, samples int) ([]float32, error) {
	pass := &path.Pass{World: p.world, Camera: p.camera, W: wide, H: high, Seed: seed, Lights: p.lights, Merged: p.gains, Layers: []*film.Layers{film.NewLayers(wide, high)}}
	err := pass.Run(ctx, samples, runtime.GOMAXPROCS(0))
	out := make([]float32, 3*wide*high)
	pass.Layers[0].Average(film.Direct, vec.Splat(1), out)
	return out, err
}

// squareError is the mean square error of a displayed picture, free of the references'
// noise.
func (r *reference) squareError(x []float32, develop func(float64) float64) (sum float64) {
	n := len(x) / 3
	for i := 0; i < 3*n; i += 3 {
		v := develop(colour.LuminanceAt(x, i))
		sum += (v - develop(colour.LuminanceAt(r.a, i))) * (v - develop(colour.LuminanceAt(r.b, i)))
	}
	return sum / float64(n)
}

// mean of the displayed reference.
func (r *reference) mean(develop func(float64) float64) (sum float64) {
	n := len(r.a) / 3
	for i := 0; i < 3*n; i += 3 {
		sum += (develop(colour.LuminanceAt(r.a, i)) + develop(colour.LuminanceAt(r.b, i))) / 2
	}
	return sum / float64(n)
}

// TestMakeReferences makes the references anew, with WILLOWHERB_REFERENCES samples for
// each of their two pictures.
func TestMakeReferences(t *testing.T) {
	samples, _ := strconv.Atoi(os.Getenv("WILLOWHERB_REFERENCES"))
	if samples == 0 {
		t.Skip("the references are made by scripts/references")
	}
	only := os.Getenv("WILLOWHERB_PLACE")
	for _, p := range places(t) {
		if only != "" && only != p.name {
			continue
		}
		var raw bytes.Buffer
		for seed := range uint32(2) {
			pic, err := p.render(t.Context(), 1000+seed, samples)
			require.NoError(t, err)
			for _, v := range pic {
				require.False(t, math.IsNaN(float64(v)))
				require.NoError(t, binary.Write(&raw, binary.LittleEndian, float16.Fromfloat32(min(v, 65504)).Bits()))
			}
		}
		var packed bytes.Buffer
		z, err := gzip.NewWriterLevel(&packed, gzip.BestCompression)
		require.NoError(t, err)
		_, err = z.Write(raw.Bytes())
		require.NoError(t, err)
		require.NoError(t, z.Close())
		require.NoError(t, os.WriteFile(file(p.name), packed.Bytes(), 0o644))
		r := p.reference(t)
		fmt.Printf("%s: mean %.3f, noise of one half %.4f\n", p.name, r.mean(p.develop()), math.Sqrt(max(0, -r.squareError(r.a, p.develop())+r.half(p.develop()))))
	}
}

// half is the mean square difference of the displayed halves, over two: the noise of one.
func (r *reference) half(develop func(float64) float64) (sum float64) {
	n := len(r.a) / 3
	for i := 0; i < 3*n; i += 3 {
		d := develop(colour.LuminanceAt(r.a, i)) - develop(colour.LuminanceAt(r.b, i))
		sum += d * d / 2
	}
	return sum / float64(n)
}
