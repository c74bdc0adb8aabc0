// Package cube reads and writes .cube tables of colour (Cube LUT Specification 1.0): one
// curve for each primary, or a cube of colours. A table takes what a screen shows, 0 to 1
// in each primary, to what it is to show.
package cube

import (
	"bufio"
	"errors"
	"fmt"
	"io"
	"math"
	"path/filepath"
	"strconv"
	"strings"
)

// Limits of a file that is read.
const (
	MaxBytes  = 64 << 20
	mostCurve = 65536
	mostCube  = 256
	mostLine  = 4096
)

// Table is a table of colour: N rows of a curve, or N*N*N of a cube, red fastest.
type Table struct {
	Title string
	Cube  bool
	N     int
	Lo    [3]float64 // what the first row stands for
	Hi    [3]float64 // and the last
	Rows  [][3]float32
}

// Identity is the cube of n colours a side that changes nothing.
func Identity(n int) *Table {
	t := &Table{Cube: true, N: n, Hi: [3]float64{1, 1, 1}, Rows: make([][3]float32, n*n*n)}
	for i := range t.Rows {
		for k, v := range [3]int{i % n, i / n % n, i / n / n} {
			t.Rows[i][k] = float32(v) / float32(n-1)
		}
	}
	return t
}

// Made is the cube of n colours a side of what f makes of them.
func Made(title string, n int, f func([3]float64) [3]float64) *Table {
	t := Identity(n)
	t.Title = title
	for i, r := range t.Rows {
		c := f([3]float64{float64(r[0]), float64(r[1]), float64(r[2])})
		t.Rows[i] = [3]float32{float32(c[0]), float32(c[1]), float32(c[2])}
	}
	return t
}

// Side is how many colours a side Cubed makes at most.
const Side = 65

// Cubed is the table as a cube over 0 to 1 of at most Side colours a side: itself, if it is
// one already.
func (t *Table) Cubed() *Table {
	if t.Cube && t.N <= Side && t.Lo == [3]float64{} && t.Hi == [3]float64{1, 1, 1} {
		return t
	}
	return Made(t.Title, Side, t.At)
}

// Read reads a table. Errors name the file, the line and the remedy.
func Read(name string, in io.Reader) (*Table, error) {
	t, line, err := read(in)
	if err != nil {
		if line > 0 {
			return nil, fmt.Errorf("%s, line %d: %w", filepath.Base(name), line, err)
		}
		return nil, fmt.Errorf("%s: %w", filepath.Base(name), err)
	}
	return t, nil
}

func read(in io.Reader) (t *Table, line int, err error) {
	t = &Table{Hi: [3]float64{1, 1, 1}}
	s := bufio.NewScanner(io.LimitReader(in, MaxBytes+1))
	s.Buffer(make([]byte, mostLine), mostLine)
	size, want := 0, 0
	for s.Scan() {
		line++
		if size += len(s.Bytes()) + 1; size > MaxBytes {
			return nil, line, fmt.Errorf("the file is over the limit of %d bytes: make it smaller", MaxBytes)
		}
		text := strings.TrimSpace(strings.TrimPrefix(s.Text(), "\ufeff"))
		if text == "" || text[0] == '#' {
			continue
		}
		if text[0] == '-' || text[0] == '+' || text[0] == '.' || text[0] >= '0' && text[0] <= '9' {
			if want == 0 {
				return nil, line, errors.New("colours come before LUT_1D_SIZE or LUT_3D_SIZE: say the size first")
			}
			if len(t.Rows) == want {
				return nil, line, fmt.Errorf("there are more than the %d colours that its size says", want)
			}
			v, err := three(strings.Fields(text))
			if err != nil {
				return nil, line, err
			}
			t.Rows = append(t.Rows, [3]float32{float32(v[0]), float32(v[1]), float32(v[2])})
			continue
		}
		if len(t.Rows) > 0 {
			return nil, line, fmt.Errorf("%.40q stands among the colours", text)
		}
		n, err := t.keyword(text)
		if err != nil {
			return nil, line, err
		}
		if n > 0 {
			if want > 0 {
				return nil, line, errors.New("its size is said twice: write one table to a file")
			}
			want = n
		}
	}
	if err := s.Err(); err != nil {
		return nil, line + 1, fmt.Errorf("is longer than %d letters: it is no .cube file", mostLine)
	}
	switch {
	case want == 0:
		return nil, 0, errors.New("says no LUT_1D_SIZE or LUT_3D_SIZE: it is no .cube file")
	case len(t.Rows) != want:
		return nil, 0, fmt.Errorf("has %d of %d colours: it is cut off, copy it again", len(t.Rows), want)
	}
	for k := range 3 {
		if !(t.Lo[k] < t.Hi[k]) {
			return nil, 0, fmt.Errorf("its DOMAIN_MIN %g is not under its DOMAIN_MAX %g", t.Lo[k], t.Hi[k])
		}
	}
	return t, 0, nil
}

// keyword reads a line that is no colour; n is how many colours it announces.
func (t *Table) keyword(text string) (n int, err error) {
	f := strings.Fields(text)
	switch strings.ToUpper(f[0]) {
	case "TITLE":
		t.Title = strings.Trim(strings.TrimSpace(text[5:]), `"`)
	case "DOMAIN_MIN":
		t.Lo, err = three(f[1:])
	case "DOMAIN_MAX":
		t.Hi, err = three(f[1:])
	case "LUT_1D_SIZE", "LUT_3D_SIZE":
		t.Cube = f[0][4] == '3'
		most := mostCurve
		if t.Cube {
			most = mostCube
		}
		if len(f) == 2 {
			t.N, err = strconv.Atoi(f[1])
		}
		if err != nil || t.N < 2 || t.N > most {
			return 0, fmt.Errorf("%.60q is no size: it is from 2 to %d", text, most)
		}
		if n = t.N; t.Cube {
			n = t.N * t.N * t.N
		}
	case "LUT_1D_INPUT_RANGE", "LUT_3D_INPUT_RANGE":
		if len(f) != 3 {
			return 0, fmt.Errorf("%.60q is no range: write two numbers", text)
		}
		lo, e1 := number(f[1])
		hi, e2 := number(f[2])
		if err = errors.Join(e1, e2); err == nil {
			t.Lo, t.Hi = [3]float64{lo, lo, lo}, [3]float64{hi, hi, hi}
		}
	default:
		err = fmt.Errorf("%.40q is not understood: take it out", f[0])
	}
	return n, err
}

func three(f []string) (v [3]float64, err error) {
	if len(f) != 3 {
		return v, fmt.Errorf("has %d numbers where three belong", len(f))
	}
	for k := range v {
		if v[k], err = number(f[k]); err != nil {
			return v, err
		}
	}
	return v, nil
}

func number(s string) (float64, error) {
	v, err := strconv.ParseFloat(s, 64)
	if err != nil || math.IsNaN(v) || math.Abs(v) > 1e6 {
		return 0, fmt.Errorf("%.40q is no number", s)
	}
	return v, nil
}

// Write writes a table.
func (t *Table) Write(out io.Writer) error {
	b := bufio.NewWriter(out)
	if t.Title != "" {
		fmt.Fprintf(b, "TITLE %q\n", strings.NewReplacer("\"", "'", "\n", " ").Replace(t.Title))
	}
	kind := "1D"
	if t.Cube {
		kind = "3D"
	}
	fmt.Fprintf(b, "LUT_%s_SIZE %d\nDOMAIN_MIN %g %g %g\nDOMAIN_MAX %g %g %g\n", kind, t.N, t.Lo[0], t.Lo[1], t.Lo[2], t.Hi[0], t.Hi[1], t.Hi[2])
	for _, r := range t.Rows {
		fmt.Fprintf(b, "%.7g %.7g %.7g\n", r[0], r[1], r[2])
	}
	return b.Flush()
}

// At is what a colour becomes. Between its colours a cube is read in the tetrahedron that
// holds the place, so that greys stay on the cube's own diagonal (Kasson et al. 1995);
// outside its domain the table's end counts.
func (t *Table) At(c [3]float64) (out [3]float64) {
	var at [3]int
	var f [3]float64
	for k := range c {
		x := min(max((c[k]-t.Lo[k])/(t.Hi[k]-t.Lo[k]), 0), 1) * float64(t.N-1)
		at[k] = min(int(x), t.N-2)
		f[k] = x - float64(at[k])
	}
	if !t.Cube {
		for k := range out {
			out[k] = (1-f[k])*float64(t.Rows[at[k]][k]) + f[k]*float64(t.Rows[at[k]+1][k])
		}
		return out
	}
	step := [3]int{1, t.N, t.N * t.N}
	i := at[0] + at[1]*step[1] + at[2]*step[2]
	// Along the axes, the longest way first.
	order := [3]int{0, 1, 2}
	for a := range 2 {
		for b := a + 1; b < 3; b++ {
			if f[order[b]] > f[order[a]] {
				order[a], order[b] = order[b], order[a]
			}
		}
	}
	weight := 1 - f[order[0]]
	for n := 0; ; n++ {
		for k := range out {
			out[k] += weight * float64(t.Rows[i][k])
		}
		if n == 3 {
			return out
		}
		i += step[order[n]]
		if weight = f[order[n]]; n < 2 {
			weight -= f[order[n+1]]
		}
	}
}
