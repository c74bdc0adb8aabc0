// Package ies reads and writes luminaire photometry as LM-63 files of 1986,
// 1991, 1995, 2002 and 2019: angles of types A, B and C, measured as a whole or with
// its lamps. Angles are in degrees, intensities in candela.
package ies

import (
	"bytes"
	"fmt"
	"math"
	"strconv"
	"strings"

	"willowherb/core/photometry"
)

// Limits of a file.
const (
	MaxBytes  = 4 << 20
	maxAngles = 2000
	maxValues = 1 << 20
)

// File is what an LM-63 file says.
type File struct {
	Version  int               // 1986, 1991, 1995, 2002 or 2019
	Keywords map[string]string // [TEST], [MANUFAC] and so on; free lines of 1986 under ""
	Profile  *photometry.Profile
	Origin   string   // how the values came about, as files of 2019 say; empty for none
	Notes    []string // what was passed over
}

// Error says what is wrong with a file, and where.
type Error struct {
	File   string
	Line   int
	What   string
	Remedy string
}

func (e *Error) Error() string {
	return fmt.Sprintf("%s: line %d: %s: %s", e.File, e.Line, e.What, e.Remedy)
}

// reader walks the numbers of a file, over line ends.
type reader struct {
	file  string
	lines []string
	at    int      // number of the next line, from 0
	words []string // left of the present line
}

func (r *reader) fail(remedy, format string, a ...any) error {
	return &Error{r.file, max(r.at, 1), fmt.Sprintf(format, a...), remedy}
}

func (r *reader) line() (string, bool) {
	if r.at >= len(r.lines) {
		return "", false
	}
	r.at++
	return strings.TrimSpace(r.lines[r.at-1]), true
}

func (r *reader) number(what string) (float64, error) {
	for len(r.words) == 0 {
		l, ok := r.line()
		if !ok {
			return 0, r.fail("it seems to be cut off: get it whole", "the file ends where %s should be", what)
		}
		r.words = strings.FieldsFunc(l, func(c rune) bool { return c == ' ' || c == '\t' || c == ',' })
	}
	w := r.words[0]
	r.words = r.words[1:]
	v, err := strconv.ParseFloat(w, 64)
	if err != nil || math.IsNaN(v) || math.IsInf(v, 0) {
		return 0, r.fail("write a number there", "%q is no number, where %s should be", clip(w), what)
	}
	return v, nil
}

func (r *reader) count(what string, low, high int) (int, error) {
	v, err := r.number(what)
	if err != nil {
		return 0, err
	}
	if v != math.Trunc(v) || v < float64(low) || v > float64(high) {
		return 0, r.fail(fmt.Sprintf("it must be a whole number from %d to %d", low, high), "%s is %g", what, v)
	}
	return int(v), nil
}

func (r *reader) list(what string, n int) ([]float64, error) {
	out := make([]float64, 0, n)
	for range n {
		v, err := r.number(what)
		if err != nil {
			return nil, err
		}
		out = append(out, v)
	}
	return out, nil
}

func clip(s string) string {
	if len(s) > 40 {
		return strings.ToValidUTF8(s[:40], "?") + "..."
	}
	return strings.ToValidUTF8(s, "?")
}

// maxKeywords bounds what a file says of itself.
const maxKeywords = 1000

// Read reads a file; name stands in errors.
func Read(name string, data []byte) (*File, error) {
	r := &reader{file: name}
	if len(data) > MaxBytes {
		return nil, r.fail("photometry of one luminaire is far smaller", "the file has %d bytes, over the limit of %d", len(data), MaxBytes)
	}
	if bytes.IndexByte(data, 0) >= 0 {
		return nil, r.fail("choose a text file that begins with IESNA or TILT", "this is no text")
	}
	r.lines = strings.Split(strings.ReplaceAll(strings.ReplaceAll(string(data), "\r\n", "\n"), "\r", "\n"), "\n")
	f := &File{Version: 1986, Keywords: map[string]string{}}
	tilt, last := "", ""
	said := map[string][]string{}
	for tilt == "" {
		l, ok := r.line()
		if !ok {
			return nil, r.fail("photometry files say TILT=NONE before their numbers", "there is no TILT line")
		}
		up := strings.ToUpper(l)
		switch {
		case r.at == 1 && (strings.HasPrefix(up, "IESNA") || strings.HasPrefix(up, "IES:")):
			f.version(l, up)
		case strings.HasPrefix(up, "TILT="):
			tilt = strings.TrimSpace(up[5:])
			if tilt == "" {
				return nil, r.fail("write TILT=NONE or TILT=INCLUDE", "TILT says nothing")
			}
		case strings.HasPrefix(l, "["):
			key, value, ok := strings.Cut(l[1:], "]")
			if !ok {
				return nil, r.fail("close it", "the keyword %q has no closing bracket", clip(l))
			}
			key = strings.ToUpper(key)
			value = strings.TrimSpace(value)
			if key == "MORE" && last != "" {
				said[last] = append(said[last], value)
				continue
			}
			last = key
			said[key] = []string{value}
			if len(said) > maxKeywords {
				return nil, r.fail("leave out what no one reads", "there are over %d keywords", maxKeywords)
			}
		default:
			said[""] = append(said[""], l)
		}
	}
	for key, lines := range said {
		if key == "" {
			f.Keywords[key] = strings.TrimSpace(strings.Join(lines, "\n"))
		} else {
			f.Keywords[key] = strings.Join(lines, " ")
		}
	}
	var table *photometry.Tilt
	switch tilt {
	case "NONE":
	case "INCLUDE":
		var err error
		if table, err = r.tilt(); err != nil {
			return nil, err
		}
	default:
		f.Notes = append(f.Notes, fmt.Sprintf("the tilt table %q is another file: the upright luminaire is used", clip(tilt)))
	}
	p, err := r.profile(f)
	if err != nil {
		return nil, err
	}
	f.Profile, p.Tilt = p, table
	if len(r.words) > 0 {
		f.Notes = append(f.Notes, fmt.Sprintf("line %d has more numbers than the luminaire needs", r.at))
	}
	return f, nil
}

// version takes in the first line of a file.
func (f *File) version(line, upper string) {
	for begins, version := range map[string]int{"IES:LM-63-2019": 2019, "IESNA:LM-63-2002": 2002, "IESNA:LM-63-1995": 1995, "IESNA91": 1991} {
		if strings.HasPrefix(upper, begins) {
			f.Version = version
			return
		}
	}
	f.Version = 2019
	f.Notes = append(f.Notes, fmt.Sprintf("%q is no version of LM-63 that is known: read as that of 2019", clip(line)))
}

// tilt reads the table that TILT=INCLUDE announces.
func (r *reader) tilt() (t *photometry.Tilt, err error) {
	t = &photometry.Tilt{}
	if t.Lamp, err = r.count("the lamp's position in the luminaire", 1, 3); err != nil {
		return nil, err
	}
	n, err := r.count("the number of tilt angles", 1, maxAngles)
	if err != nil {
		return nil, err
	}
	if t.Angles, err = r.list("a tilt angle", n); err != nil {
		return nil, err
	}
	for i, a := range t.Angles {
		if a < 0 || a > 180 || i > 0 && a <= t.Angles[i-1] {
			return nil, r.fail("tilt angles rise from 0 to 180 degrees at most", "the tilt angle %g is out of order", a)
		}
	}
	if t.Factors, err = r.list("a tilt factor", n); err != nil {
		return nil, err
	}
	for _, k := range t.Factors {
		if k < 0 || k > 10 {
			return nil, r.fail("it is about 1 in most files", "a tilt factor is %g", k)
		}
	}
	return t, nil
}

// origin says in words what the file generation type of LM-63-2019 says in digits: 1,
// then whether the laboratory was accredited, values were interpolated, lumens scaled,
// the file simulated, or nothing is known.
func origin(v float64) string {
	d := int(math.Round(v*1e5)) - 100000
	digit := func(place int) bool { return d/place%10 == 1 }
	switch {
	case d < 0 || d > 11111:
		return ""
	case digit(1):
		return "undefined"
	case digit(10):
		return "computer simulation"
	}
	s := "test at an unaccredited laboratory"
	if digit(10000) {
		s = "test at an accredited laboratory"
	}
	if digit(1000) {
		s += ", angles interpolated"
	}
	if digit(100) {
		s += ", lumens scaled"
	}
	return s
}

func (r *reader) profile(f *File) (*photometry.Profile, error) {
	p := &photometry.Profile{}
	lamps, err := r.count("the number of lamps", 1, 1000)
	if err != nil {
		return nil, err
	}
	p.Lamps = float64(lamps)
	head := []string{"lumens for each lamp", "the candela multiplier"}
	v := make([]float64, len(head))
	for i, what := range head {
		if v[i], err = r.number(what); err != nil {
			return nil, err
		}
	}
	if p.LumensPerLamp = v[0]; v[0] == 0 {
		return nil, r.fail("give them, or -1 for a luminaire measured as a whole", "the lamps have 0 lumens")
	}
	if !(v[1] > 0) {
		return nil, r.fail("it is 1 in most files", "the candela multiplier is %g", v[1])
	}
	nv, err := r.count("the number of vertical angles", 2, maxAngles)
	if err != nil {
		return nil, err
	}
	nh, err := r.count("the number of horizontal angles", 1, maxAngles)
	if err != nil {
		return nil, err
	}
	if nv*nh > maxValues {
		return nil, r.fail("use a coarser measurement", "%d by %d angles are over the limit of %d values", nv, nh, maxValues)
	}
	kind, err := r.count("the photometric type", 1, 3)
	if err != nil {
		return nil, err
	}
	p.Geometry = photometry.Geometry(kind)
	if _, err := r.count("the unit of length", 1, 2); err != nil {
		return nil, err
	}
	rest := make([]float64, 6)
	for i, what := range []string{"the width", "the length", "the height", "the ballast factor", "the second ballast factor, or what newer files have in its place", "the watts"} {
		if rest[i], err = r.number(what); err != nil {
			return nil, err
		}
	}
	p.Watts = rest[5]
	k := v[1]
	factors := 2
	switch { // newer forms have something else in the second one's place
	case f.Version >= 2019:
		factors = 1
		f.Origin = origin(rest[4])
	case f.Version >= 1995:
		if factors = 1; rest[4] != 1 && rest[4] != 0 {
			f.Notes = append(f.Notes, fmt.Sprintf("%g stands where files of %d have 1 for later use: it is left out", rest[4], f.Version))
		}
	}
	for i := 3; i < 3+factors; i++ {
		if rest[i] < 0 || rest[i] > 10 {
			return nil, r.fail("it is 1 in most files", "a ballast factor is %g", rest[i])
		}
		if rest[i] > 0 { // left 0 by some writers, who mean none
			k *= rest[i]
		}
	}
	if p.Vertical, err = r.list("a vertical angle", nv); err != nil {
		return nil, err
	}
	if p.Horizontal, err = r.list("a horizontal angle", nh); err != nil {
		return nil, err
	}
	angles := r.at
	if p.Values, err = r.candela(nv, nh, k); err != nil {
		return nil, err
	}
	if err := p.Prepare(); err != nil {
		return nil, &Error{r.file, angles, err.Error(), "correct the angles or intensities, or choose the type that they belong to"}
	}
	return p, nil
}

// candela reads the intensities, a row for each horizontal angle, times k.
func (r *reader) candela(nv, nh int, k float64) (rows [][]float64, err error) {
	for range nh {
		row := make([]float64, nv)
		for j := range row {
			c, err := r.number("an intensity")
			if err != nil {
				return nil, err
			}
			if c < 0 {
				return nil, r.fail("intensities are not negative", "%g candela", c)
			}
			row[j] = c * k
		}
		rows = append(rows, row)
	}
	return rows, nil
}

// Write writes a profile as LM-63-2002.
func Write(p *photometry.Profile, keywords [][2]string) []byte {
	var b bytes.Buffer
	b.WriteString("IESNA:LM-63-2002\n")
	for _, k := range keywords {
		fmt.Fprintf(&b, "[%s] %s\n", k[0], k[1])
	}
	lamps := max(p.Lamps, 1)
	row := func(v []float64) {
		for i, x := range v {
			if i > 0 && i%12 == 0 {
				b.WriteByte('\n')
			} else if i > 0 {
				b.WriteByte(' ')
			}
			b.WriteString(strconv.FormatFloat(x, 'g', -1, 64))
		}
		b.WriteByte('\n')
	}
	if t := p.Tilt; t != nil {
		fmt.Fprintf(&b, "TILT=INCLUDE\n%d\n%d\n", t.Lamp, len(t.Angles))
		row(t.Angles)
		row(t.Factors)
	} else {
		b.WriteString("TILT=NONE\n")
	}
	fmt.Fprintf(&b, "%d %g 1 %d %d %d 2 0 0 0\n1 1 %g\n", int(lamps), p.LumensPerLamp, len(p.Vertical), len(p.Horizontal), p.Geometry, p.Watts)
	row(p.Vertical)
	row(p.Horizontal)
	for _, v := range p.Values {
		row(v)
	}
	return b.Bytes()
}
