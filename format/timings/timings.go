// Package timings reads and writes what a device took for the passes of its frames: CSV
// with the columns camera, frame, pass and ms, or others that a Mapping names.
package timings

import (
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"math"
	"slices"
	"strconv"
	"strings"

	"willowherb/core/device"
)

// ErrInvalid means that a file is not one of timings; the text says where and what to do.
var ErrInvalid = errors.New("no timings")

// Limits of a file.
const (
	MaxBytes = 64 << 20
	MaxRows  = 2_000_000
	maxName  = 200
	maxMs    = 1e5
)

// Mapping says how a file of another layout is read. The zero value reads ours.
type Mapping struct {
	// Camera, Frame, Pass and Ms are names of columns; empty: our own.
	Camera string `json:"camera,omitempty"`
	Frame  string `json:"frame,omitempty"`
	Pass   string `json:"pass,omitempty"`
	Ms     string `json:"ms,omitempty"`
	// Wide has a column for each pass in the place of pass and ms.
	Wide bool `json:"wide,omitempty"`
	// Separator stands between columns; empty: a comma, or a semicolon or tab where the first
	// line has that and no comma.
	Separator string `json:"separator,omitempty"`
	// Scale is what a number is multiplied by to be milliseconds: 0.001 of microseconds; 0: 1.
	Scale float64 `json:"scale,omitempty"`
	// Passes are the target's names of the file's passes.
	Passes map[string]string `json:"passes,omitempty"`
}

func bad(name string, line int, format string, a ...any) error {
	return fmt.Errorf("%s, line %d: %w: %s", name, line, ErrInvalid, fmt.Sprintf(format, a...))
}

// Read reads timings; name stands in errors. Error: ErrInvalid, with line and remedy.
func Read(name string, in io.Reader, m Mapping) ([]device.Timing, error) {
	data, err := io.ReadAll(io.LimitReader(in, MaxBytes+1))
	if err != nil {
		return nil, err
	}
	if len(data) > MaxBytes {
		return nil, fmt.Errorf("%s: %w: it has more than %d MB; keep fewer frames", name, ErrInvalid, MaxBytes>>20)
	}
	text := strings.TrimPrefix(string(data), "\ufeff")
	first, _, _ := strings.Cut(text, "\n")
	r := csv.NewReader(strings.NewReader(text))
	r.ReuseRecord, r.FieldsPerRecord, r.TrimLeadingSpace = true, -1, true
	r.Comma = separator(m.Separator, first)
	head, err := r.Read()
	if err != nil {
		return nil, bad(name, 1, "it has no first line of columns; write camera,frame,pass,ms")
	}
	cols, err := columns(name, slices.Clone(head), &m)
	if err != nil {
		return nil, err
	}
	scale := m.Scale
	if scale == 0 {
		scale = 1
	}
	if !(scale > 0 && scale <= 1e6) {
		return nil, fmt.Errorf("%s: %w: the scale %g is not between 0 and 1000000", name, ErrInvalid, scale)
	}
	var out []device.Timing
	for {
		row, err := r.Read()
		if errors.Is(err, io.EOF) {
			break
		}
		if err != nil {
			var pe *csv.ParseError
			if errors.As(err, &pe) {
				return nil, bad(name, pe.Line, "%v; quote what holds a separator, and close quotes", pe.Err)
			}
			return nil, bad(name, 1, "%v", err)
		}
		line, _ := r.FieldPos(0)
		if len(row) == 1 && strings.TrimSpace(row[0]) == "" {
			continue
		}
		if len(row) != len(head) {
			return nil, bad(name, line, "has %d columns; the first line has %d", len(row), len(head))
		}
		if out, err = cols.add(out, name, line, row, scale, m.Passes); err != nil {
			return nil, err
		}
		if len(out) > MaxRows {
			return nil, bad(name, line, "there are more than %d timings; keep fewer frames", MaxRows)
		}
	}
	if len(out) == 0 {
		return nil, fmt.Errorf("%s: %w: no line follows its columns", name, ErrInvalid)
	}
	return out, nil
}

func separator(said, first string) rune {
	for _, c := range said {
		if c == '"' || c == '\r' || c == '\n' || c == 0xFFFD {
			break
		}
		return c
	}
	for _, c := range ";\t" {
		if !strings.Contains(first, ",") && strings.ContainsRune(first, c) {
			return c
		}
	}
	return ','
}

// cols are where things stand in a line.
type cols struct {
	camera, frame, pass, ms int
	wide                    map[int]string
}

func columns(name string, head []string, m *Mapping) (*cols, error) {
	find := func(said, own string) (int, error) {
		if said == "" {
			said = own
		}
		for i, h := range head {
			if strings.EqualFold(strings.TrimSpace(h), said) {
				return i, nil
			}
		}
		return 0, bad(name, 1, "has no column %q, only %.200q; name the columns, or write camera,frame,pass,ms", said, strings.Join(head, ", "))
	}
	c := &cols{}
	var err error
	if c.camera, err = find(m.Camera, "camera"); err != nil {
		return nil, err
	}
	if c.frame, err = find(m.Frame, "frame"); err != nil {
		return nil, err
	}
	if m.Wide {
		c.wide = map[int]string{}
		for i, h := range head {
			if h = strings.TrimSpace(h); i != c.camera && i != c.frame && h != "" {
				c.wide[i] = h
			}
		}
		if len(c.wide) == 0 {
			return nil, bad(name, 1, "has no column of a pass beside camera and frame")
		}
		return c, nil
	}
	if c.pass, err = find(m.Pass, "pass"); err != nil {
		return nil, err
	}
	c.ms, err = find(m.Ms, "ms")
	return c, err
}

func (c *cols) add(out []device.Timing, name string, line int, row []string, scale float64, passes map[string]string) ([]device.Timing, error) {
	camera := strings.TrimSpace(row[c.camera])
	if camera == "" || len(camera) > maxName {
		return nil, bad(name, line, "names no camera; write the name of a view")
	}
	frame, err := strconv.Atoi(strings.TrimSpace(row[c.frame]))
	if err != nil || frame < 0 {
		return nil, bad(name, line, "frame %.40q is no number from 0", row[c.frame])
	}
	one := func(pass, number string) error {
		pass = strings.TrimSpace(pass)
		if to, ok := passes[pass]; ok {
			pass = to
		}
		if pass == "" || len(pass) > maxName {
			return bad(name, line, "names no pass")
		}
		ms, err := strconv.ParseFloat(strings.TrimSpace(number), 64)
		if err != nil || math.IsNaN(ms) || ms < 0 || ms*scale > maxMs {
			return bad(name, line, "%.40q is no time of a pass: write milliseconds, 0 to %g, with a point", number, float64(maxMs))
		}
		out = append(out, device.Timing{Camera: strings.Clone(camera), Frame: frame, Pass: strings.Clone(pass), Ms: ms * scale})
		return nil
	}
	if c.wide == nil {
		return out, one(row[c.pass], row[c.ms])
	}
	for i := range row {
		if pass, ok := c.wide[i]; ok && strings.TrimSpace(row[i]) != "" {
			if err := one(pass, row[i]); err != nil {
				return nil, err
			}
		}
	}
	return out, nil
}

// Write writes timings in our own layout.
func Write(w io.Writer, rows []device.Timing) error {
	c := csv.NewWriter(w)
	if err := c.Write([]string{"camera", "frame", "pass", "ms"}); err != nil {
		return err
	}
	for _, r := range rows {
		if err := c.Write([]string{r.Camera, strconv.Itoa(r.Frame), r.Pass, strconv.FormatFloat(r.Ms, 'f', -1, 64)}); err != nil {
			return err
		}
	}
	c.Flush()
	return c.Error()
}
