package lightmap

import (
	"context"
	"encoding/binary"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"math"
	"os"
	"path/filepath"
	"strings"

	"willowherb/core/probes"
	"willowherb/core/vec"
	"willowherb/format/exr"
)

var noEnd = context.Background()

func readFile(dir, name string) ([]byte, error) {
	if name == "" || name != filepath.Base(name) || strings.HasPrefix(name, ".") {
		return nil, fmt.Errorf("bake.json names the file %.80q: only files beside it are read", name)
	}
	f, err := os.Open(filepath.Join(dir, name))
	if errors.Is(err, os.ErrNotExist) {
		return nil, fmt.Errorf("%s is not in the bake's folder: bake again into it", name)
	}
	if err != nil {
		return nil, err
	}
	defer f.Close()
	data, err := io.ReadAll(io.LimitReader(f, maxFile+1))
	if err == nil && len(data) > maxFile {
		err = fmt.Errorf("%s is over the limit of %d bytes", name, maxFile)
	}
	return data, err
}

// Read reads a bake. Errors name the file and the remedy.
func Read(dir string) (*Delivered, error) {
	data, err := readFile(dir, "bake.json")
	if err != nil {
		return nil, fmt.Errorf("%s: %w", dir, err)
	}
	d := &Delivered{}
	if d.Bake, err = ParseBake(data); err != nil {
		return nil, fmt.Errorf("bake.json: %w", err)
	}
	if data, err = readFile(dir, "charts.bin"); err != nil {
		return nil, err
	}
	if d.Charts, err = ParseCharts(data, len(d.Pages)); err != nil {
		return nil, fmt.Errorf("charts.bin: %w", err)
	}
	for i := range d.Lights {
		var layer [][]float32
		for k, name := range d.Lights[i].Files {
			rgb, err := readPicture(dir, name, d.Pages[k].W, d.Pages[k].H)
			if err != nil {
				return nil, err
			}
			layer = append(layer, rgb)
		}
		d.Layers = append(d.Layers, layer)
	}
	for i, g := range d.Pages {
		for _, part := range []struct {
			name string
			to   *[][]float32
		}{{g.Lean, &d.Leans}, {g.Open, &d.Opens}} {
			if part.name == "" {
				continue
			}
			if len(*part.to) != i {
				return nil, fmt.Errorf("bake.json: some pages have a %s, and others none: bake again", part.name)
			}
			rgb, err := readPicture(dir, part.name, g.W, g.H)
			if err != nil {
				return nil, err
			}
			*part.to = append(*part.to, rgb)
		}
	}
	if len(d.Leans) != 0 && len(d.Leans) != len(d.Pages) || len(d.Opens) != 0 && len(d.Opens) != len(d.Pages) {
		return nil, errors.New("bake.json: some pages have slopes or occlusion, and others none: bake again")
	}
	if d.Bake.Probes > 0 {
		if d.Field, err = readField(dir); err != nil {
			return nil, err
		}
	}
	return d, nil
}

func readPicture(dir, name string, w, h int) ([]float32, error) {
	data, err := readFile(dir, name)
	if err != nil {
		return nil, err
	}
	p, err := exr.Read(name, data, "")
	if err != nil {
		return nil, err
	}
	if p.W != w || p.H != h {
		return nil, fmt.Errorf("%s: is %d x %d, where bake.json says %d x %d: bake again", name, p.W, p.H, w, h)
	}
	return p.RGB, nil
}

// ParseBake reads bake.json and checks what it says.
func ParseBake(data []byte) (b Bake, err error) {
	if err := json.Unmarshal(data, &b); err != nil {
		return b, fmt.Errorf("is no description of a bake: %w", err)
	}
	if b.Version != Version {
		return b, fmt.Errorf("is of version %d; this program knows %d: bake again", b.Version, Version)
	}
	if len(b.Pages) > maxPages || len(b.Lights) > maxLights {
		return b, fmt.Errorf("has %d pages and %d lights; up to %d and %d are read", len(b.Pages), len(b.Lights), maxPages, maxLights)
	}
	all := 0
	for i, g := range b.Pages {
		if g.W < 1 || g.H < 1 || g.W > maxSide || g.H > maxSide {
			return b, fmt.Errorf("page %d is %d x %d: pages are up to %d a side", i, g.W, g.H, maxSide)
		}
		all += g.W * g.H
	}
	n := 0
	for i := range b.Lights {
		l := &b.Lights[i]
		if len(l.Files) != 0 && len(l.Files) != len(b.Pages) {
			return b, fmt.Errorf("light %.80q has %d pages of %d", l.ID, len(l.Files), len(b.Pages))
		}
		for _, g := range l.Gain {
			if math.IsNaN(g) || math.IsInf(g, 0) || g < 0 {
				return b, fmt.Errorf("light %.80q has no gain", l.ID)
			}
		}
		if len(l.Files) > 0 {
			n++
		}
	}
	if all*n > maxTexels {
		return b, fmt.Errorf("has %d texels in its layers: up to %d are read", all*n, maxTexels)
	}
	return b, nil
}

// ParseCharts reads charts.bin.
func ParseCharts(data []byte, pages int) (out []Charts, err error) {
	r := &cursor{data: data}
	var magic [4]byte
	copy(magic[:], r.take(4))
	if magic != chartsMagic {
		return nil, errors.New("is no table of charts: bake again")
	}
	n := r.u32()
	for range n {
		size := r.u32()
		if size > 4096 {
			return nil, fmt.Errorf("at byte %d: a path of %d letters", r.at, size)
		}
		c := Charts{Path: string(r.take(int(size)))}
		tris := int(r.u32())
		if tris > maxTriangles || tris*26 > len(data)-r.at || r.short {
			return nil, fmt.Errorf("ends in the middle of %.80q: bake again", c.Path)
		}
		for range tris {
			p := int16(binary.LittleEndian.Uint16(r.take(2)))
			if int(p) >= pages || p < -1 {
				return nil, fmt.Errorf("a triangle of %.80q lies on page %d of %d", c.Path, p, pages)
			}
			c.Page = append(c.Page, p)
		}
		for range 3 * tris {
			q := vec.V2{X: math.Float32frombits(r.u32()), Y: math.Float32frombits(r.u32())}
			if !(q.X >= -1 && q.X <= 2 && q.Y >= -1 && q.Y <= 2) {
				return nil, fmt.Errorf("a corner of %.80q lies off its page", c.Path)
			}
			c.Corners = append(c.Corners, q)
		}
		out = append(out, c)
	}
	if r.short {
		return nil, errors.New("ends early: bake again")
	}
	return out, nil
}

type cursor struct {
	data  []byte
	at    int
	short bool
}

func (r *cursor) take(n int) []byte {
	if n < 0 || r.at+n > len(r.data) {
		r.short, r.at = true, len(r.data)
		return make([]byte, min(max(n, 0), 4096))
	}
	r.at += n
	return r.data[r.at-n : r.at]
}

func (r *cursor) u32() uint32 { return binary.LittleEndian.Uint32(r.take(4)) }

func readField(dir string) (*probes.Field, error) {
	data, err := readFile(dir, "probes.json")
	if err != nil {
		return nil, err
	}
	f, err := ParseProbes(data)
	if err != nil {
		return nil, fmt.Errorf("probes.json: %w", err)
	}
	rgb, err := readPicture(dir, "probes.exr", 9*len(f.Lights), len(f.Probes))
	if err != nil {
		return nil, err
	}
	for i := range f.Probes {
		p := &f.Probes[i]
		p.SH = make([]probes.SH, len(f.Lights))
		for l := range p.SH {
			for k := range 9 {
				o := 3 * (i*9*len(f.Lights) + 9*l + k)
				p.SH[l][k] = vec.V3{X: rgb[o], Y: rgb[o+1], Z: rgb[o+2]}
			}
		}
	}
	if err := f.Index(); err != nil {
		return nil, fmt.Errorf("probes.json: %w", err)
	}
	return f, nil
}

// ParseProbes reads probes.json; the harmonics are in probes.exr.
func ParseProbes(data []byte) (*probes.Field, error) {
	var in probeFile
	if err := json.Unmarshal(data, &in); err != nil {
		return nil, fmt.Errorf("is no probe field: %w", err)
	}
	if len(in.Probes) > maxProbes || len(in.Lights) > maxLights {
		return nil, fmt.Errorf("has %d probes and %d lights; up to %d and %d are read", len(in.Probes), len(in.Lights), maxProbes, maxLights)
	}
	f := &probes.Field{Lights: in.Lights}
	for i, l := range in.Probes {
		p := probes.Probe{Pos: vec.Of(l.At), Kind: probes.Kind(l.Kind), Name: l.Name, Reach: l.Reach, Moved: l.Moved}
		if len(l.Near) != len(p.Near) || len(l.Spread) != len(p.Spread) || !p.Pos.Finite() || !(l.Reach > 0 && l.Reach <= 1000) {
			return nil, fmt.Errorf("probe %d is not whole: bake again", i)
		}
		copy(p.Near[:], l.Near)
		copy(p.Spread[:], l.Spread)
		f.Probes = append(f.Probes, p)
	}
	return f, nil
}

// Panorama reads a reflection probe's picture of one light; nil where that gives nothing.
func Panorama(dir string, m *Mirror, light string) ([]float32, error) {
	name := m.Lights[light]
	if name == "" {
		return nil, nil
	}
	if m.Pixels < 1 || m.Pixels > 4096 {
		return nil, fmt.Errorf("bake.json: reflection probe %.80q is %d pixels high", m.Name, m.Pixels)
	}
	return readPicture(dir, name, 2*m.Pixels, m.Pixels)
}
