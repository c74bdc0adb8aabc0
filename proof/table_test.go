package proof

import (
	"cmp"
	"context"
	"encoding/binary"
	"fmt"
	"image"
	"image/png"
	"math"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
	"willowherb/core/colour"
	"willowherb/core/exposure"
	"willowherb/core/lamps"
	"willowherb/core/still"
	"willowherb/core/world"
	"willowherb/demo"
	"willowherb/format/gltf"
)

// Size of the pictures in the table of display error against seconds.
const tableWide, tableHigh = 960, 540

// TestTable prints the display error of the demo's views after so many seconds of wall
// time, start included, as PSNR in dB: scripts/table. WILLOWHERB_TABLE is a folder for the references, which
// are made where they are not there; WILLOWHERB_VIEWS and WILLOWHERB_SECONDS choose; after
// WILLOWHERB_AFTER, a view that is pictured first, the place is known and loaded.
func TestTable(t *testing.T) {
	dir := os.Getenv("WILLOWHERB_TABLE")
	if dir == "" {
		t.Skip("the table is made by scripts/table")
	}
	samples := 64
	if n, _ := strconv.Atoi(os.Getenv("WILLOWHERB_SAMPLES")); n > 0 {
		samples = n
	}
	glb, err := demo.Place()
	require.NoError(t, err)
	doc := demo.Setup()
	st, err := lamps.Resolve(doc, "")
	require.NoError(t, err)
	only := strings.Fields(os.Getenv("WILLOWHERB_VIEWS"))
	for _, id := range doc.SortedViews() {
		if len(only) > 0 && !slices.Contains(only, id) {
			continue
		}
		v := doc.Views[id]
		var refs [2][]float32
		for seed := range refs {
			refs[seed] = tableReference(t, filepath.Join(dir, fmt.Sprintf("%s-%d-%d.f32", id, samples, seed)), func() []float32 {
				o := ready(t, glb, st)
				o.View, o.Samples, o.Seed = v.Camera(), samples, 1000+uint32(seed)
				pic, err := still.Reference(t.Context(), o)
				require.NoError(t, err)
				return pic.RGB
			})
		}
		m := newMeter(refs[0], refs[1], tableWide, exposure.Display(exposure.Curve(doc.Curve), v.EV))
		for _, text := range strings.Fields(os.Getenv("WILLOWHERB_SECONDS")) {
			seconds, err := strconv.ParseFloat(text, 64)
			require.NoError(t, err)
			began := time.Now()
			o := ready(t, glb, st)
			start := time.Since(began)
			o.View, o.Samples, o.Display = v.Camera(), 65535, m.develop
			o.Layers = os.Getenv("WILLOWHERB_LAYERS") != ""
			o.Left = func() time.Duration { return time.Duration(seconds*float64(time.Second)) - time.Since(began) }
			if before := os.Getenv("WILLOWHERB_AFTER"); before != "" { // the place is known by another view
				first := o
				o.Known = &still.Known{}
				other := doc.Views[before]
				first.View, first.Known, first.Samples, first.Left = other.Camera(), o.Known, 1, nil
				_, err := still.Render(t.Context(), first)
				require.NoError(t, err)
				began, start = time.Now(), 0
			}
			pic, err := still.Render(t.Context(), o)
			require.NoError(t, err)
			took := time.Since(began)
			if o := os.Getenv("WILLOWHERB_DUMP"); o != "" {
				m.dump(t, o, pic.RGB)
			}
			told := -20 * math.Log10(pic.Error(m.develop))
			fmt.Printf("%-8s %4.0f s: %.1f dB (told %.1f), mean %+.2f %%, %d samples, start %.2f s, %.2f s in all\n",
				id, seconds, m.psnr(pic.RGB), told, m.bias(pic.RGB), pic.Samples, start.Seconds(), took.Seconds())
		}
	}
}

func ready(t *testing.T, glb []byte, st *lamps.State) still.Order {
	s, err := gltf.Read(context.Background(), "place.glb", glb, nil, gltf.DefaultLimits())
	require.NoError(t, err)
	w, err := world.Compile(s, 2)
	require.NoError(t, err)
	return still.Order{World: w, Lamps: st.Lamps(s, nil), W: tableWide, H: tableHigh}
}

func tableReference(t *testing.T, file string, render func() []float32) []float32 {
	out := make([]float32, 3*tableWide*tableHigh)
	f, err := os.Open(file)
	if os.IsNotExist(err) {
		began := time.Now()
		out = render()
		g, err := os.Create(file)
		require.NoError(t, err)
		require.NoError(t, binary.Write(g, binary.LittleEndian, out))
		require.NoError(t, g.Close())
		fmt.Println(file, "made in", time.Since(began).Round(time.Second))
		return out
	}
	require.NoError(t, err)
	defer f.Close()
	require.NoError(t, binary.Read(f, binary.LittleEndian, out))
	return out
}

// meter measures display error against two independent references: the mean of
// (x - A)(x - B), of differences of light times the slope of the display curve at the
// references' blurred mean.
type meter struct {
	a, b, slope []float64
	develop     func(float64) float64
}

// blurred is over how many pixels on each side the references are blurred for the slope. Over few, what a
// reference finds by chance flattens the slope that it is weighed by itself, and pictures that lack
// what is rare seem to be right.
const blurred = 4

func newMeter(a, b []float32, wide int, develop func(float64) float64) *meter {
	n := len(a) / 3
	m := &meter{make([]float64, n), make([]float64, n), make([]float64, n), develop}
	for i := range n {
		m.a[i], m.b[i] = colour.LuminanceAt(a, 3*i), colour.LuminanceAt(b, 3*i)
	}
	for i := range n {
		var sum, many float64
		x, y := i%wide, i/wide
		for yy := max(y-blurred, 0); yy <= min(y+blurred, n/wide-1); yy++ {
			for xx := max(x-blurred, 0); xx <= min(x+blurred, wide-1); xx++ {
				sum, many = sum+m.a[yy*wide+xx]+m.b[yy*wide+xx], many+2
			}
		}
		l := sum / many
		h := max(0.02*l, 1e-6)
		m.slope[i] = (develop(l+h) - develop(l-h)) / (2 * h)
	}
	return m
}

// white is how bright what is shown has to be in the picture and both references to be taken
// as it is shown: a slope of what lies around says nothing of a glint in the dark.
const white = 0.9

func (m *meter) psnr(x []float32) float64 {
	var sum float64
	for i, k := range m.slope {
		l, a, b := colour.LuminanceAt(x, 3*i), m.a[i], m.b[i]
		if m.develop(min(l, a, b)) > white {
			k, l, a, b = 1, m.develop(l), m.develop(a), m.develop(b)
		}
		sum += k * k * (l - a) * (l - b)
	}
	return -10 * math.Log10(max(sum/float64(len(m.slope)), 1e-12))
}

// What is white in the picture and both references is compared as it is shown; where one of them is
// not white, by the slope of what lies around.
func TestTheMeterTakesWhiteAsShown(t *testing.T) {
	const w = 20
	a := make([]float32, 3*w*w)
	for i := range a {
		a[i] = 0.01
	}
	glint := func(v float32) []float32 {
		p := slices.Clone(a)
		for c := range 3 {
			p[3*(10*w+10)+c] = v
		}
		return p
	}
	m := newMeter(glint(1000), glint(1100), w, func(l float64) float64 { return l / (l + 0.1) })
	require.Greater(t, m.psnr(glint(300)), 80.0, "white for white")
	require.Less(t, m.psnr(glint(0.01)), 40.0, "it is missing")
}

// bias of the displayed mean, in per cent of the reference's.
func (m *meter) bias(x []float32) float64 {
	var got, want float64
	for i, k := range m.slope {
		got += k * colour.LuminanceAt(x, 3*i)
		want += k * (m.a[i] + m.b[i]) / 2
	}
	return 100 * (got/want - 1)
}

func (m *meter) dump(t *testing.T, prefix string, x []float32) {
	type at struct {
		e float64
		i int
	}
	var all []at
	var sum float64
	for i, k := range m.slope {
		l := colour.LuminanceAt(x, 3*i)
		e := k * k * (l - m.a[i]) * (l - m.b[i])
		sum += e
		all = append(all, at{e, i})
	}
	slices.SortFunc(all, func(a, b at) int { return cmp.Compare(b.e, a.e) })
	var top float64
	for k, a := range all[:min(20000, len(all))] {
		top += a.e
		if k < 12 || k == 100 || k == 1000 || k == 5000 || k == 19999 {
			fmt.Printf("   %d: %d,%d is %.3g for %.3g and %.3g, display slope %.3g; %.1f %% of the error so far\n", k, a.i%tableWide, a.i/tableWide, colour.LuminanceAt(x, 3*a.i), m.a[a.i], m.b[a.i], m.slope[a.i], 100*top/sum)
		}
	}
	shown, wrong := image.NewGray(image.Rect(0, 0, tableWide, tableHigh)), image.NewGray(image.Rect(0, 0, tableWide, tableHigh))
	for i, k := range m.slope {
		l := colour.LuminanceAt(x, 3*i)
		shown.Pix[i] = uint8(255 * m.develop(l))
		wrong.Pix[i] = uint8(min(max(128+800*k*(l-(m.a[i]+m.b[i])/2), 0), 255))
	}
	f, err := os.Create(prefix + ".f32")
	require.NoError(t, err)
	require.NoError(t, binary.Write(f, binary.LittleEndian, x))
	require.NoError(t, f.Close())
	for name, im := range map[string]image.Image{"shown": shown, "wrong": wrong} {
		f, err := os.Create(prefix + "-" + name + ".png")
		require.NoError(t, err)
		require.NoError(t, png.Encode(f, im))
		require.NoError(t, f.Close())
	}
}
