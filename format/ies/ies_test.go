package ies

import (
	"fmt"
	"math"
	"runtime"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
	"willowherb/core/photometry"
)

func span(lo, hi, step float64) (out []float64) {
	for v := lo; v <= hi+1e-9; v += step {
		out = append(out, v)
	}
	return out
}

// made fills a profile's values from a function of the angles in degrees.
func made(g photometry.Geometry, vert, hori []float64, f func(v, h float64) float64) *photometry.Profile {
	p := &photometry.Profile{Geometry: g, Vertical: vert, Horizontal: hori, Lamps: 2, LumensPerLamp: 1500, Watts: 36}
	for _, h := range hori {
		var row []float64
		for _, v := range vert {
			row = append(row, f(v, h))
		}
		p.Values = append(p.Values, row)
	}
	return p
}

// sphere integrates candela over an even spread of directions: it knows nothing
// of angles or their symmetry.
func sphere(p *photometry.Profile) float64 {
	const n = 400000
	var sum float64
	for i := range n {
		z := 1 - (2*float64(i)+1)/n
		r := math.Sqrt(1 - z*z)
		s, c := math.Sincos(float64(i) * math.Pi * (3 - math.Sqrt(5)))
		sum += p.Candela(r*c, r*s, z)
	}
	return sum * 4 * math.Pi / n
}

const deg = math.Pi / 180

// Every type and symmetry is read back as written, and its flux is that of an
// integration that does not know the type: 0.5 % for the interpolation's kinks.
func TestTypesAndFlux(t *testing.T) {
	beam := func(v, h float64) float64 {
		return 1000 * math.Pow(math.Max(0, math.Cos(v*deg)), 3) * (1 + 0.5*math.Cos(2*h*deg))
	}
	flat := func(v, h float64) float64 { return 800 * math.Cos(v*deg) * math.Cos(h*deg) }
	for name, p := range map[string]*photometry.Profile{
		"C, turned about its axis": made(photometry.TypeC, span(0, 90, 2.5), []float64{0}, func(v, _ float64) float64 { return 500 * math.Cos(v*deg) }),
		"C, a quarter":             made(photometry.TypeC, span(0, 180, 5), span(0, 90, 15), func(v, h float64) float64 { return 300 + 200*math.Cos(v*deg)*math.Cos(2*h*deg) }),
		"C, a half":                made(photometry.TypeC, span(0, 90, 5), span(0, 180, 22.5), beam),
		"C, the other half":        made(photometry.TypeC, span(0, 90, 5), span(90, 270, 22.5), func(v, h float64) float64 { return beam(v, 0) * (2 + math.Sin(h*deg)) }),
		"C, all round":             made(photometry.TypeC, span(0, 90, 5), span(0, 360, 30), func(v, h float64) float64 { return beam(v, h) * (2 + math.Sin(h*deg)) }),
		"C, upwards only":          made(photometry.TypeC, span(90, 180, 5), []float64{0}, func(v, _ float64) float64 { return math.Max(-700*math.Cos(v*deg), 0) }),
		"B, whole":                 made(photometry.TypeB, span(-90, 90, 5), span(-90, 90, 5), flat),
		"B, half":                  made(photometry.TypeB, span(-90, 90, 5), span(0, 90, 5), flat),
		"A, whole":                 made(photometry.TypeA, span(-90, 90, 5), span(-90, 90, 5), func(v, h float64) float64 { return flat(v, h) * (1.5 + math.Sin(h*deg)) }),
		"A, half":                  made(photometry.TypeA, span(-90, 90, 5), span(0, 90, 5), flat),
	} {
		t.Run(name, func(t *testing.T) {
			require.NoError(t, p.Prepare())
			f, err := Read("made.ies", Write(p, [][2]string{{"TEST", "made by code"}, {"LUMINAIRE", name}}))
			require.NoError(t, err)
			require.Equal(t, 2002, f.Version)
			require.Equal(t, name, f.Keywords["LUMINAIRE"])
			require.Equal(t, p.Values, f.Profile.Values)
			require.InEpsilon(t, sphere(f.Profile), f.Profile.Flux(), 0.005)
			share, ok := f.Profile.Efficiency()
			require.True(t, ok)
			require.InEpsilon(t, f.Profile.Flux()/3000, share, 1e-9)
		})
	}
}

// A cosine has the flux pi times its peak, whichever geometry tells it.
func TestCosineFlux(t *testing.T) {
	for _, p := range []*photometry.Profile{
		made(photometry.TypeC, span(0, 90, 1), []float64{0}, func(v, _ float64) float64 { return 100 * math.Cos(v*deg) }),
		made(photometry.TypeA, span(-90, 90, 2), span(-90, 90, 2), func(v, h float64) float64 { return 100 * math.Cos(v*deg) * math.Cos(h*deg) }),
		made(photometry.TypeB, span(-90, 90, 2), span(-90, 90, 2), func(v, h float64) float64 { return 100 * math.Cos(v*deg) * math.Cos(h*deg) }),
	} {
		require.NoError(t, p.Prepare())
		require.InEpsilon(t, 100*math.Pi, p.Flux(), 0.002)
		require.InDelta(t, 100, p.Candela(0, 0, 1), 1e-9)
	}
}

const old = `Bulkhead over the sluice, measured
by hand
TILT=NONE
1 -1 2 3 1 1 1 0.1,0.1 0.2
1.0 0.9 12
0 45 90
0
100 50
0
`

func TestOldAndLoose(t *testing.T) {
	f, err := Read("old.ies", []byte(strings.ReplaceAll(old, "\n", "\r\n")))
	require.NoError(t, err)
	require.Equal(t, 1986, f.Version)
	require.Contains(t, f.Keywords[""], "Bulkhead")
	require.InDelta(t, 180, f.Profile.Candela(0, 0, 1), 1e-9, "times multiplier and ballast factor")
	_, ok := f.Profile.Efficiency()
	require.False(t, ok, "measured as a whole")
	for first, version := range map[string]int{"IESNA91\n[TEST] a\n[MORE] b\n": 1991, "IESNA:LM-63-1995\n[TEST] a\n[MORE] b\n": 1995} {
		f, err = Read("x.ies", []byte(first+old[strings.Index(old, "TILT"):]))
		require.NoError(t, err)
		require.Equal(t, version, f.Version)
		require.Equal(t, "a b", f.Keywords["TEST"])
	}
	f, err = Read("x.ies", []byte(strings.Replace(old, "TILT=NONE", "TILT=INCLUDE\n1\n2\n0 90\n1 0.8", 1)))
	require.NoError(t, err)
	require.Empty(t, f.Notes)
	require.InDelta(t, 0.9, f.Profile.AtTilt(45), 1e-12)
	require.InDelta(t, 0.8, f.Profile.AtTilt(170), 1e-12)
	require.InDelta(t, 180, f.Profile.Candela(0, 0, 1), 1e-9, "facing down it is as measured")
	again, err := Read("y.ies", Write(f.Profile, nil))
	require.NoError(t, err)
	require.Equal(t, f.Profile.Tilt, again.Profile.Tilt)
	for bad, what := range map[string]string{"1\n2\n90 0\n1 0.8": "out of order", "1\n2\n0 90\n1 -1": "tilt factor", "4\n1\n0\n1": "position", "1\n2\n0 x\n": `"x"`} {
		_, err = Read("x.ies", []byte(strings.Replace(old, "TILT=NONE", "TILT=INCLUDE\n"+bad, 1)))
		require.ErrorContains(t, err, what)
	}
	f, err = Read("x.ies", []byte(strings.Replace(old, "TILT=NONE", "TILT=lamp.tlt", 1)))
	require.NoError(t, err)
	require.Contains(t, f.Notes[0], "LAMP.TLT")
}

// The second ballast factor multiplies in old files alone; in its place newer ones have
// something for later use, and those of 2019 how the values came about.
func TestFormsOfTheSecondFactor(t *testing.T) {
	const rest = "TILT=NONE\n1 1000 1 2 1 1 2 0 0 0\n0.5 %s 10\n0 90\n0\n100 50\n"
	for _, c := range []struct {
		first, factor string
		version       int
		candela       float64
		notes         int
		origin        string
	}{
		{"", "0.5", 1986, 25, 0, ""},
		{"IESNA91\n", "0.5", 1991, 25, 0, ""},
		{"IESNA:LM-63-1995\n", "0.5", 1995, 50, 1, ""},
		{"IESNA:LM-63-2002\n", "1", 2002, 50, 0, ""},
		{"IES:LM-63-2019\n", "1.10100", 2019, 50, 0, "test at an accredited laboratory, lumens scaled"},
		{"IES:LM-63-2019\n", "1.00010", 2019, 50, 0, "computer simulation"},
		{"IES:LM-63-2019\n", "1.00001", 2019, 50, 0, "undefined"},
		{"IES:LM-63-2019\n", "1.00000", 2019, 50, 0, "test at an unaccredited laboratory"},
		{"IES:LM-63-2031\n", "1.01000", 2019, 50, 1, "test at an unaccredited laboratory, angles interpolated"},
	} {
		f, err := Read("x.ies", fmt.Appendf(nil, c.first+rest, c.factor))
		require.NoError(t, err)
		require.Equal(t, c.version, f.Version)
		require.InDelta(t, c.candela, f.Profile.Candela(0, 0, 1), 1e-9, "%s%s", c.first, c.factor)
		require.Len(t, f.Notes, c.notes)
		require.Equal(t, c.origin, f.Origin)
	}
}

func TestRefusals(t *testing.T) {
	for _, c := range []struct {
		from, to string
		line     int
		what     string
	}{
		{"TILT=NONE", "TILD", 10, "no TILT"},
		{"100 50", "100 fifty", 8, `"fifty"`},
		{"100 50\n0\n", "100 50\n", 9, "ends where an intensity"},
		{"0 45 90", "0 95 90", 7, "must rise"},
		{"0 45 90", "0 45 80", 7, "type C has"},
		{"1 -1 2 3", "1 0 2 3", 4, "0 lumens"},
		{"1 -1 2 3", "1 -1 2 1", 4, "vertical angles is 1"},
		{"3 1 1 1", "3 1 7 1", 4, "type is 7"},
		{"100 50\n0", "0 0\n0", 7, "no light"},
		{"100 50", "100 -50", 8, "-50 candela"},
	} {
		_, err := Read("bad.ies", []byte(strings.Replace(old, c.from, c.to, 1)))
		var e *Error
		require.ErrorAs(t, err, &e, c.what)
		require.Contains(t, e.What, c.what)
		require.Equal(t, c.line, e.Line, c.what)
		require.NotEmpty(t, e.Remedy)
	}
}

func FuzzRead(f *testing.F) {
	f.Add([]byte(old))
	f.Add(Write(made(photometry.TypeB, span(-90, 90, 30), span(0, 90, 30), func(v, h float64) float64 { return 1 }), nil))
	f.Fuzz(func(t *testing.T, data []byte) {
		if f, err := Read("fuzz", data); err == nil {
			require.Greater(t, f.Profile.Flux(), 0.0)
			c := f.Profile.Candela(0.6, 0, 0.8)
			require.False(t, math.IsNaN(c) || c < 0)
		}
	})
}

// What a file says of itself may be long: it is put together once, not anew with
// every line.
func TestLongWordsAreReadOnce(t *testing.T) {
	for name, text := range map[string]string{
		"more": "IESNA:LM-63-2002\n[TEST] x\n" + strings.Repeat("[MORE] y\n", 40_000),
		"free": "IESNA:LM-63-2002\n" + strings.Repeat("some words\n", 40_000),
	} {
		var before, after runtime.MemStats
		runtime.ReadMemStats(&before)
		_, err := Read(name, []byte(text))
		runtime.ReadMemStats(&after)
		require.ErrorContains(t, err, "TILT")
		require.Less(t, after.TotalAlloc-before.TotalAlloc, uint64(40<<20), name)
		f, err := Read(name, []byte(strings.Replace(text, strings.Repeat("[MORE] y\n", 39_998), "", 1)+"TILT=NONE\n1 1000 1 2 1 1 2 0 0 0\n1 1 10\n0 90\n0\n100 50\n"))
		if name == "more" {
			require.NoError(t, err)
			require.Equal(t, "x y y", f.Keywords["TEST"])
		}
	}
	var many strings.Builder
	for i := range maxKeywords + 1 {
		fmt.Fprintf(&many, "[K%d] x\n", i)
	}
	_, err := Read("k", []byte("IESNA:LM-63-2002\n"+many.String()+"TILT=NONE\n"))
	require.ErrorContains(t, err, "keywords")
}
