package cube

import (
	"bytes"
	"fmt"
	"math"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
)

func TestIdentityChangesNothing(t *testing.T) {
	for _, n := range []int{2, 5, 33} {
		c := Identity(n)
		for _, v := range [][3]float64{{0, 0, 0}, {1, 1, 1}, {0.3, 0.8, 0.55}, {0.9, 0.1, 0.1}, {0.2, 0.2, 0.7}, {0.61, 0.4, 0.99}} {
			require.InDeltaSlice(t, v[:], func() []float64 { o := c.At(v); return o[:] }(), 1e-6)
		}
		o := c.At([3]float64{-1, 2, math.Inf(1)})
		require.Equal(t, [3]float64{0, 1, 1}, o, "outside its end counts")
	}
}

// The largest of the three is even along every tetrahedron, so that a cube of two gives it exactly.
func TestTetrahedra(t *testing.T) {
	c := Identity(2)
	for i, r := range c.Rows {
		m := max(r[0], r[1], r[2])
		c.Rows[i] = [3]float32{m, m, m}
	}
	for _, v := range [][3]float64{{0.3, 0.8, 0.55}, {0.9, 0.2, 0.4}, {0.1, 0.2, 0.7}, {0.6, 0.7, 0.5}, {0.5, 0.1, 0.3}, {0.2, 0.5, 0.4}} {
		require.InDelta(t, max(v[0], v[1], v[2]), c.At(v)[0], 1e-9)
	}
}

// A table goes out and comes back to 1/1023, also through a place between its colours.
func TestRoundTrip(t *testing.T) {
	c := Identity(17)
	c.Title = `Ebb "dusk"`
	for i, r := range c.Rows {
		c.Rows[i] = [3]float32{r[0] * r[0], float32(math.Sqrt(float64(r[1]))), 1 - r[2]*r[0]}
	}
	var b bytes.Buffer
	require.NoError(t, c.Write(&b))
	back, err := Read("a.cube", &b)
	require.NoError(t, err)
	require.Equal(t, "Ebb 'dusk'", back.Title)
	for i := range c.Rows {
		for k := range 3 {
			require.InDelta(t, c.Rows[i][k], back.Rows[i][k], 1.0/1023)
		}
	}
	for _, v := range [][3]float64{{0.31, 0.72, 0.9}, {0.99, 0.01, 0.5}} {
		a, b := c.At(v), back.At(v)
		require.InDeltaSlice(t, a[:], b[:], 1.0/1023)
		require.InDelta(t, v[0]*v[0], a[0], 0.002, "and is what it was made of")
	}
}

func TestCurvesDomainsAndComments(t *testing.T) {
	c, err := Read("a.cube", strings.NewReader("\ufeff# made by hand\nTITLE \"up\"\n\nDOMAIN_MIN 0 0 -1\r\nDOMAIN_MAX 2 1 1\nLUT_1D_SIZE 3\n0 0 0\n.5 1e-1 +0.25\n1 1 1\n"))
	require.NoError(t, err)
	require.Equal(t, "up", c.Title)
	o := c.At([3]float64{1, 0.25, 0.5})
	require.InDeltaSlice(t, []float64{0.5, 0.05, 0.625}, o[:], 1e-6)
	c, err = Read("a.cube", strings.NewReader("LUT_3D_SIZE 2\nLUT_3D_INPUT_RANGE 0.0 4.0\n"+strings.Repeat("1 0.5 0\n", 8)))
	require.NoError(t, err)
	o = c.At([3]float64{3, 9, 1})
	require.Equal(t, [3]float64{1, 0.5, 0}, o)
}

func TestBadTablesAreToldPlainly(t *testing.T) {
	for says, text := range map[string]string{
		"a.cube: says no LUT_1D_SIZE":                     "TITLE \"x\"\n",
		"a.cube, line 1: colours come before":             "0 0 0\n",
		"a.cube, line 1: \"LUT_3D_SIZE 9999\" is no size": "LUT_3D_SIZE 9999\n",
		"line 1: \"LUT_1D_SIZE\" is no size":              "LUT_1D_SIZE\n",
		"a.cube: has 1 of 8 colours: it is cut off":       "LUT_3D_SIZE 2\n0 0 0\n",
		"line 4: there are more than the 2 colours":       "LUT_1D_SIZE 2\n0 0 0\n1 1 1\n1 1 1\n",
		"line 2: has 2 numbers where three belong":        "LUT_1D_SIZE 2\n0 0\n",
		"line 2: \"0x\" is no number":                     "LUT_1D_SIZE 2\n0x 0 0\n",
		"line 2: \"1e999\" is no number":                  "LUT_1D_SIZE 2\n1e999 0 0\n",
		"line 1: \"HELLO\" is not understood":             "HELLO there\n",
		"line 3: \"TITLE late\" stands among the colours": "LUT_1D_SIZE 2\n0 0 0\nTITLE late\n",
		"line 2: its size is said twice":                  "LUT_1D_SIZE 2\nLUT_3D_SIZE 2\n",
		"its DOMAIN_MIN 1 is not under its DOMAIN_MAX 1":  "LUT_1D_SIZE 2\nDOMAIN_MIN 1 0 0\n0 0 0\n1 1 1\n",
		"line 1: is longer than 4096 letters":             strings.Repeat("9", 5000),
	} {
		_, err := Read("/dir/a.cube", strings.NewReader(text))
		require.ErrorContains(t, err, says, fmt.Sprintf("%.40q", text))
		require.NotContains(t, err.Error(), "/dir")
	}
}

func FuzzRead(f *testing.F) {
	var b bytes.Buffer
	_ = Identity(3).Write(&b)
	f.Add(b.Bytes())
	f.Add([]byte("LUT_1D_SIZE 2\nDOMAIN_MAX 2 2 2\n0 0 0\n1 1 1\n"))
	f.Fuzz(func(t *testing.T, data []byte) {
		c, err := Read("f", bytes.NewReader(data))
		if err != nil {
			return
		}
		o := c.At([3]float64{0.2, 0.5, 0.7})
		require.False(t, math.IsNaN(o[0]+o[1]+o[2]))
	})
}

// Curves, other domains and very fine cubes become cubes over 0 to 1 that say the same.
func TestCubed(t *testing.T) {
	same := Identity(33)
	require.Same(t, same, same.Cubed())
	curve := &Table{N: 2, Lo: [3]float64{0, 0, 0}, Hi: [3]float64{2, 2, 2}, Rows: [][3]float32{{0, 0, 0}, {1, 1, 1}}}
	c := curve.Cubed()
	require.True(t, c.Cube)
	require.Equal(t, Side, c.N)
	at := c.At([3]float64{0.5, 1, 0.25})
	require.InDeltaSlice(t, []float64{0.25, 0.5, 0.125}, at[:], 1e-6)
	fine := Made("fine", 80, func(c [3]float64) [3]float64 { return [3]float64{c[1], c[2], c[0]} })
	require.Equal(t, Side, fine.Cubed().N)
	at = fine.Cubed().At([3]float64{0.1, 0.5, 0.9})
	require.InDeltaSlice(t, []float64{0.5, 0.9, 0.1}, at[:], 1e-5)
}
