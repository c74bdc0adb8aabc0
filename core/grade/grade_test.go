package grade

import (
	"encoding/json"
	"math"
	"os"
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

// The corners are darker by as many stops as the vignette says, the middle is not; halfway out
// it is a quarter of that.
func TestVignette(t *testing.T) {
	g := Neutral()
	g.Vignette = 2
	p := Compile(&g)
	require.InDelta(t, 0.25, p.Corner(0, 1), 1e-12)
	require.InDelta(t, 1, p.Corner(0.5, 0.5), 1e-12)
	require.InDelta(t, math.Exp2(-0.5), p.Corner(0.75, 0.25), 1e-12)
}

// Grain leaves the mean where it is, strays as it says, is none in black and white, and is the
// same each time.
func TestGrain(t *testing.T) {
	g := Neutral()
	g.Grain = 0.1
	const w, h = 200, 200
	rgb := make([]float32, 3*w*h)
	for i := range rgb {
		rgb[i] = 0.125 * 16 // middle grey at EV 4
	}
	im := Compile(&g).Develop(rgb, w, h, 4, exposure.Plain)
	plain := colour.EncodeSRGB(0.18)
	var mean, spread float64
	for i := range w * h {
		v := float64(im.Pix[4*i]) / 255
		mean += v / (w * h)
		spread += (v - plain) * (v - plain) / (w * h)
	}
	require.InDelta(t, plain, mean, 0.002)
	// Two even numbers added stray by 1/sqrt(6).
	require.InEpsilon(t, 0.1/math.Sqrt(6)*4*plain*(1-plain), math.Sqrt(spread), 0.05)
	require.Equal(t, im.Pix, Compile(&g).Develop(rgb, w, h, 4, exposure.Plain).Pix)
	for i := range rgb {
		rgb[i] = float32(i%2) * 1e4
	}
	for i, v := range Compile(&g).Develop(rgb, w, h, 4, exposure.Plain).Pix {
		require.True(t, v == 0 || v == 255, "%d: %d", i, v)
	}
}

// What blooms is taken where it was and comes back around it: the sum stays, to 0.5 % of what
// spreads (the picture is no whole number of reduced pixels), white alone spreads, and it
// spreads alike to all sides.
func TestBloomKeepsEnergy(t *testing.T) {
	g := Neutral()
	g.Bloom, g.BloomFrom = 0.4, 2
	p := Compile(&g)
	for _, size := range [][2]int{{200, 120}, {201, 123}} {
		w, h := size[0], size[1]
		rgb := make([]float64, 3*w*h)
		var before float64
		for i := range rgb {
			rgb[i] = 0.1
			if x, y := i/3%w, i/3/w; x >= 96 && x < 104 && y >= 56 && y < 64 {
				rgb[i] = 20
			}
			before += rgb[i]
		}
		after := append([]float64(nil), rgb...)
		p.spread(after, w, h)
		var sum float64
		for i := range after {
			sum += after[i]
		}
		spread := 0.4 * (20 - 0.18*4) * 64 * 3
		require.InDelta(t, before, sum, 0.005*spread, "%d by %d", w, h)
		at := func(x, y int) float64 { return after[3*(y*w+x)] }
		require.Less(t, at(100, 60), 20.0)
		require.Greater(t, at(110, 60), 0.11)
		require.InDelta(t, at(90, 60), at(109, 60), 0.02*at(90, 60), "alike to both sides")
		require.InDelta(t, at(100, 50), at(100, 69), 0.02*at(100, 50))
		require.InDelta(t, 0.1, at(5, 5), 1e-3)
	}
	// A light in a corner: what would leave the picture stays in it.
	corner := make([]float64, 3*400*300)
	var had, has float64
	for i := range corner {
		if i/3%400 < 8 && i/3/400 < 8 {
			corner[i] = 20
		}
		had += corner[i]
	}
	p.spread(corner, 400, 300)
	for _, v := range corner {
		has += v
	}
	require.InEpsilon(t, had, has, 0.003)
	dim := make([]float64, 3*40*40)
	for i := range dim {
		dim[i] = 0.7 // under two stops over grey
	}
	same := append([]float64(nil), dim...)
	p.spread(same, 40, 40)
	require.Equal(t, dim, same)
	// A whole bright picture spreads onto itself, up to its edges.
	for i := range dim {
		dim[i] = 10
	}
	p.spread(dim, 40, 40)
	for _, v := range dim {
		require.InDelta(t, 10, v, 1e-9)
	}
}

// A table made of a grade with a film's curve gives back what the pipeline shows.
func TestBetweenWithAFilm(t *testing.T) {
	g := Neutral()
	g.Contrast, g.Saturation = 1.2, 0.7
	p, curve := Compile(&g), exposure.Film{Steep: 1.4, White: 6}.Curve()
	for _, c := range [][3]float64{{0.18, 0.18, 0.18}, {0.02, 0.3, 1.1}, {0.001, 0.004, 0.01}} {
		var shown [3]float64
		for k, v := range c {
			shown[k] = colour.EncodeSRGB(curve.Map(v))
		}
		want := p.Shown(c, curve)
		got := p.Between(shown, curve)
		require.InDeltaSlice(t, want[:], got[:], 1e-6)
	}
}

// A table is what is shown goes through last, as far as it holds; a grade without one has none.
func TestWithTable(t *testing.T) {
	swap := func(c [3]float64) [3]float64 { return [3]float64{c[2], c[1], 2 * c[0]} }
	g := Neutral()
	require.Equal(t, Compile(&g).Shown([3]float64{0.1, 0.2, 0.9}, exposure.Plain), Compile(&g).WithTable(swap).Shown([3]float64{0.1, 0.2, 0.9}, exposure.Plain))
	plain := Compile(&g).Shown([3]float64{0.9, 0.2, 0.1}, exposure.Plain)
	g.Table = &Table{Blob: string(make([]byte, 64)), File: "swap.cube", Amount: 0.5}
	require.NoError(t, g.Check())
	got := Compile(&g).WithTable(swap).Shown([3]float64{0.9, 0.2, 0.1}, exposure.Plain)
	require.InDelta(t, (plain[0]+plain[2])/2, got[0], 1e-12)
	require.InDelta(t, (plain[2]+1)/2, got[2], 1e-12, "what is over white is white")
	g.Table.Amount = 2
	require.ErrorContains(t, g.Check(), "amount")
	g.Table = &Table{Amount: 1}
	require.ErrorContains(t, g.Check(), "names no file")
}

// Curves go through their points, rise nowhere that the points do not, and each primary has
// its own over that of all.
func TestCurves(t *testing.T) {
	g := Neutral()
	points := []Point{{0, 0.05}, {0.2, 0.1}, {0.5, 0.7}, {0.8, 0.7}, {1, 0.95}}
	g.Curves = &Curves{All: points, Blue: []Point{{0, 1}, {1, 0}}}
	require.NoError(t, g.Check())
	p := Compile(&g)
	before := 0.0
	for i := range 1001 {
		x := float64(i) / 1000
		c := p.curves.of([3]float64{x, x, x})
		require.GreaterOrEqual(t, c[0], before-1e-12)
		require.InDelta(t, 1-c[0], c[2], 1e-9)
		if x > 0.5 && x < 0.8 {
			require.InDelta(t, 0.7, c[0], 1e-9, "level between two points that are level")
		}
		before = c[0]
	}
	for _, q := range points {
		// A step of the table cuts a corner by less than a code value of 4,095.
		require.InDelta(t, q[1], p.curves.of([3]float64{q[0], 0, 0})[0], 1.0/4095)
	}
	// Where the points lie on a smooth rising curve, it is followed: to 1 % with five points.
	var square []Point
	for i := range 9 {
		x := float64(i) / 8
		square = append(square, Point{x, x * x})
	}
	for i := range 100 {
		x := float64(i) / 99
		require.InDelta(t, x*x, through(square, x), 0.01)
	}
	peak := []Point{{0, 0}, {0.5, 0.8}, {1, 0.2}}
	for i := range 101 {
		require.LessOrEqual(t, through(peak, float64(i)/100), 0.8+1e-12, "it turns where its point is")
	}
	shown := p.Shown([3]float64{0.18, 0.18, 0.18}, exposure.Plain)
	plain := Compile(nil).Shown([3]float64{0.18, 0.18, 0.18}, exposure.Plain)
	require.InDelta(t, through(points, plain[0]), shown[0], 1e-4)
	for _, bad := range []*Curves{{All: []Point{{0, 0}}}, {Red: []Point{{0, 0}, {0, 1}}}, {Red: []Point{{0.5, 0}, {0.2, 1}}}, {Green: []Point{{0, 0}, {1, 1.2}}}, {Blue: []Point{{0, math.NaN()}, {1, 1}}}, {All: make([]Point, 17)}} {
		g.Curves = bad
		require.ErrorContains(t, g.Check(), "the curve of")
	}
}

// Each range of hue is its own: what is done to reds leaves cyans and greys; luminance is kept.
func TestHues(t *testing.T) {
	g := Neutral()
	g.Hues = &[6]Hue{}
	for i := range g.Hues {
		g.Hues[i].Saturation = 1
	}
	same := Compile(&g)
	for _, c := range [][3]float64{{0.5, 0.1, 0.1}, {0.02, 0.3, 0.7}, {0.18, 0.18, 0.18}, {0, 0, 0}, {4, 2, 0}} {
		out := same.Apply(c)
		require.InDeltaSlice(t, c[:], out[:], 1e-5)
	}
	g.Hues[0] = Hue{Turn: 40, Saturation: 0.5}
	require.NoError(t, g.Check())
	p := Compile(&g)
	for _, kept := range [][3]float64{{0.1, 0.6, 0.6}, {0.1, 0.1, 0.8}, {0.3, 0.3, 0.3}} {
		out := p.Apply(kept)
		require.InDeltaSlice(t, kept[:], out[:], 1e-4)
	}
	red := [3]float64{0.6, 0, 0}
	_, a0, b0 := colour.Oklab(red)
	out := p.Apply(red)
	_, a1, b1 := colour.Oklab(out)
	require.InEpsilon(t, colour.Luminance(red), colour.Luminance(out), 1e-6)
	// Red itself is the middle of its range.
	require.InDelta(t, 40, (math.Atan2(b1, a1)-math.Atan2(b0, a0))*180/math.Pi, 0.1)
	require.Less(t, math.Hypot(a1, b1)/math.Hypot(a0, b0), 0.51)
	g.Hues[3].Turn = 90
	require.ErrorContains(t, g.Check(), "cyans")
	g.Hues[3] = Hue{Saturation: 0}
	grey := Compile(&g).Apply([3]float64{0, 0.5, 0.5})
	require.InDelta(t, grey[0], grey[1], 1e-3)
	require.InDelta(t, grey[1], grey[2], 1e-3)
}

// What lies between two grades, in a file that the browser's tests are held to too. Set
// WILLOWHERB_WRITE to write it anew.
func TestMix(t *testing.T) {
	a, b := Neutral(), Neutral()
	a.Contrast, a.Lift, a.White = 1.4, [3]float64{0.01, 0, -0.02}, &[3]float64{1.5, 1, 0.6}
	a.Bloom, a.BloomFrom, a.Vignette = 0.2, 2, 1
	a.Hues = &[6]Hue{{20, 1.2}, {0, 1}, {0, 0.5}, {0, 1}, {-10, 1}, {0, 1}}
	a.Curves = &Curves{All: []Point{{0, 0.1}, {0.5, 0.6}, {1, 1}}, Red: []Point{{0, 0}, {1, 0.8}}}
	a.Table = &Table{"t", "t.cube", 0.8}
	b.Gain, b.Gamma, b.Saturation, b.Grain, b.Bloom, b.BloomFrom = [3]float64{1, 2, 0.5}, [3]float64{1.2, 1, 1}, 0.4, 0.1, 0.4, 1
	a.Corners, b.Corners, b.CornerReach = 0.5, 0.2, 2
	b.Curves = &Curves{All: []Point{{0, 0}, {0.4, 0.2}, {1, 0.9}}, Blue: []Point{{0, 0.2}, {1, 1}}}
	b.Table = &Table{"u", "u.cube", 0.5}
	c := a
	c.Table = &Table{"t", "t.cube", 0.2}
	c.Curves = &Curves{All: []Point{{0, 0}, {1, 0.5}}}
	type pair struct {
		A, B  *Grade
		Share float64
		Mixed *Grade
	}
	var pairs []pair
	for _, p := range [][2]*Grade{{&a, &b}, {&b, &a}, {nil, &a}, {&b, nil}, {&a, &c}, {nil, nil}} {
		for _, share := range []float64{0, 0.3, 0.7, 1} {
			m := Mix(p[0], p[1], share)
			pairs = append(pairs, pair{p[0], p[1], share, m})
			if m != nil {
				require.NoError(t, func() error {
					// Names of tables are short here.
					bare := *m
					bare.Table = nil
					return bare.Check()
				}())
			}
		}
	}
	require.Nil(t, pairs[len(pairs)-1].Mixed)
	require.Same(t, &a, pairs[0].Mixed)
	m := pairs[1].Mixed // 0.3 of the way from a to b
	require.InDelta(t, 1.4-0.3*0.4, m.Contrast, 1e-12)
	require.InDelta(t, math.Pow(1.5, 0.7), m.White[0], 1e-12)
	require.InDelta(t, 0.26, m.Bloom, 1e-12)
	require.InDelta(t, 1.7, m.BloomFrom, 1e-12)
	require.InDelta(t, 14, m.Hues[0].Turn, 1e-12)
	require.InDelta(t, 0.6+0.3*(0.2-0.6), m.Curves.All[1][1], 1e-12)
	require.InDelta(t, 0.8+0.3*0.2, m.Curves.Red[1][1], 1e-12, "towards the line that changes nothing")
	require.InDelta(t, 0.2*0.3, m.Curves.Blue[0][1], 1e-12)
	require.Equal(t, "t", m.Table.Blob)
	require.InDelta(t, 0.3*0.8, pairs[9].Mixed.Table.Amount, 1e-12, "a table that only one has comes by its share")
	file, err := json.MarshalIndent(pairs, "", " ")
	require.NoError(t, err)
	const at = "testdata/mixed.json"
	if os.Getenv("WILLOWHERB_WRITE") != "" {
		require.NoError(t, os.MkdirAll("testdata", 0o755))
		require.NoError(t, os.WriteFile(at, append(file, 10), 0o644))
	}
	kept, err := os.ReadFile(at)
	require.NoError(t, err)
	require.JSONEq(t, string(kept), string(file))
}
