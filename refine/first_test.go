//go:build !race

package refine

import (
	"bytes"
	"math"
	"testing"

	"github.com/stretchr/testify/require"
	"willowherb/blob"
	"willowherb/core/colour"
	"willowherb/core/exposure"
	"willowherb/core/filter"
	"willowherb/core/setup"
	"willowherb/core/vec"
	"willowherb/demo"
	"willowherb/plan"
)

// The first picture at full size borrows what it has not from the one of half the size: each
// light gives about what it gives in the end, and the whole is nearer to that than the
// borrowed picture is. A tenth for what is direct and a quarter for what is bounced, since the
// picture of half the size has one path a pixel; the truth here has 8 samples.
func TestTheFirstFullPictureIsWhole(t *testing.T) {
	place, err := demo.Place()
	require.NoError(t, err)
	pictures := func(samples int) (p *Pictures, half, full *Frame) {
		s, blobs := studio(t, Options{Width: 256, MaxSamples: samples, Workers: 2})
		hash, err := blobs.Put(ctx, blob.Place, bytes.NewReader(place))
		require.NoError(t, err)
		doc := demo.Setup()
		doc.Views = map[string]setup.View{"boardwalk": doc.Views["boardwalk"]}
		h := &hall{t: t, studio: s, id: 1, state: State{Doc: doc, Place: hash, File: "p.glb"}, eyes: map[int64]*Eye{}, news: map[int64][]News{}}
		p = s.Open(1, h)
		_, err = p.Shot(ctx)
		require.NoError(t, err)
		h.view(1, "boardwalk")
		h.wait("the full picture", func() bool {
			full = p.Frame(p.key("boardwalk"), p.lamps, plan.Full)
			return full != nil && full.Samples == samples
		})
		return p, p.Frame(p.key("boardwalk"), p.lamps, plan.Middle), full
	}
	p, half, first := pictures(1)
	_, _, last := pictures(8)
	show := exposure.Display(exposure.Curve(p.doc.Curve), last.EV)
	white := filter.White(show) // few pixels beside the lantern would outweigh the rest
	mean := func(f *Frame, i, part int) float64 {
		pic, sum := make([]float32, 3*f.W*f.H), 0.0
		f.Add(pic, p.lamps[i], part, 1)
		for k := 0; k < len(pic); k += 3 {
			sum += min(colour.LuminanceAt(pic, k), white)
		}
		return sum / float64(f.W*f.H)
	}
	told := func(f *Frame, key [32]byte) float64 {
		d := f.layers[key].News.Direct
		return colour.LuminanceOf(vec.New(d[0], d[1], d[2]))
	}
	var all float64
	for i := range p.lamps {
		all += mean(last, i, Whole)
	}
	for i, l := range p.lamps {
		if mean(last, i, Whole) < 0.01*all {
			continue
		}
		direct := func(f *Frame) float64 { return mean(f, i, Whole) - mean(f, i, Bounced) - mean(f, i, Shine) }
		require.InEpsilon(t, direct(last), direct(first), 0.1, l.ID)
		bounced := mean(last, i, Bounced) // a quarter, or half a per cent of all that it gives
		require.InDelta(t, bounced, mean(first, i, Bounced), max(0.25*bounced, 0.005*mean(last, i, Whole)), l.ID)
		require.InEpsilon(t, told(last, l.Key), told(first, l.Key), 0.1, l.ID)
		if l.Shines() { // 5 %: the marsh mirrors a fifth of it, borrowed too
			require.InEpsilon(t, mean(last, i, Shine), mean(first, i, Shine), 0.05, l.ID)
		}
	}
	truth := last.Compose(p.lamps, nil)
	offBy := func(f *Frame, pic []float32) float64 {
		sum := 0.0
		for y := range last.H {
			for x := range last.W {
				i := y*last.W + x
				q := min(y*f.H/last.H, f.H-1)*f.W + x*f.W/last.W
				d := show(colour.LuminanceAt(pic, 3*q)) - show(colour.LuminanceAt(truth, 3*i))
				sum += d * d
			}
		}
		return math.Sqrt(sum / float64(last.W*last.H))
	}
	off := func(f *Frame) float64 { return offBy(f, f.Compose(p.lamps, nil)) }
	t.Logf("first %.4f, half the size %.4f", off(first), off(half))
	require.Less(t, off(first), 0.8*off(half))
	// What is shown until then is between the two: its light is borrowed, its surfaces are not.
	seen := p.sights[p.key("boardwalk")]
	require.Nil(t, seen.sharp, "it goes when the first full picture has come")
	sharp, err := p.surfaces(ctx, seen, half, p.lamps)
	require.NoError(t, err)
	pic, err := sharp.lit(ctx, half, p.lamps, 2)
	require.NoError(t, err)
	t.Logf("sharp %.4f", offBy(first, pic))
	require.Less(t, offBy(first, pic), 0.8*off(half))
	require.Greater(t, offBy(first, pic), off(first), "what is shown never gets worse")
}
