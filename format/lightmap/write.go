package lightmap

import (
	"bytes"
	"encoding/binary"
	"encoding/json"
	"fmt"
	"io"
	"math"
	"os"
	"path/filepath"

	"willowherb/core/bake"
	"willowherb/core/mirrors"
	"willowherb/core/probes"
	"willowherb/core/scene"
	"willowherb/core/spread"
	"willowherb/core/vec"
	"willowherb/format/exr"
	"willowherb/format/gltf"
	"willowherb/format/intact"
	"willowherb/format/picture"
)

// Parts are what a bake is written from.
type Parts struct {
	Bake    Bake // names, quality and times; the rest is filled in
	Scene   *scene.Scene
	Result  *bake.Result
	Names   map[string]string // of lights by id
	Field   *probes.Field
	Mirrors []*mirrors.Mirror
	// Gains of the mirrors' lights.
	MirrorGains []vec.V3
	Workers     int
}

// Write writes a bake into a folder, which is made where it is not there.
func Write(dir string, p *Parts) (*Bake, error) {
	if err := os.MkdirAll(dir, 0o755); err != nil {
		return nil, fmt.Errorf("cannot make the folder: %w", err)
	}
	b := &p.Bake
	p.fill()
	type file struct {
		name string
		fill func(io.Writer) error
	}
	var files []file
	put := func(name string, fill func(io.Writer) error) { files = append(files, file{name, fill}) }
	plan, gains := p.Result.Plan, p.Result.Gains()
	for i, g := range plan.Pages {
		sum := func() []float32 { return plan.Page(i, func(k int) []float32 { return p.Result.Lux(k, gains) }) }
		put(b.Pages[i].File+".exr", func(w io.Writer) error { return exr.Write(w, sum(), g.W, g.H, exr.ZIP) })
		put(b.Pages[i].File+".hdr", func(w io.Writer) error { return picture.WriteHDR(w, sum(), g.W, g.H) })
		if b.Pages[i].Lean != "" {
			put(b.Pages[i].Lean, func(w io.Writer) error {
				return exr.Write(w, plan.Page(i, func(k int) []float32 { return p.Result.Lean(k, gains) }), g.W, g.H, exr.ZIP)
			})
		}
		if b.Pages[i].Open != "" {
			put(b.Pages[i].Open, func(w io.Writer) error {
				return exr.Write(w, plan.Page(i, func(k int) []float32 { return grey(p.Result.Open[k]) }), g.W, g.H, exr.ZIP)
			})
		}
		for l := range b.Lights {
			if len(b.Lights[l].Files) == 0 {
				continue
			}
			alone := make([]vec.V3, len(gains))
			alone[l] = vec.Splat(1)
			put(b.Lights[l].Files[i], func(w io.Writer) error {
				return exr.Write(w, plan.Page(i, func(k int) []float32 { return p.Result.Lux(k, alone) }), g.W, g.H, exr.ZIP)
			})
		}
	}
	for i := range b.Pages {
		b.Pages[i].File += ".exr"
	}
	put("charts.bin", func(w io.Writer) error { return writeCharts(w, chartsOf(plan, p.Scene)) })
	put("level.glb", func(w io.Writer) error {
		glb, err := gltf.Write(level(plan, p.Scene, b.Pages))
		if err != nil {
			return err
		}
		_, err = w.Write(glb)
		return err
	})
	if p.Field != nil {
		put("probes.json", func(w io.Writer) error { return writeProbes(w, p.Field) })
		put("probes.exr", func(w io.Writer) error { return writeHarmonics(w, p.Field) })
	}
	for i, m := range p.Mirrors {
		put(b.Mirrors[i].File, func(w io.Writer) error { return exr.Write(w, summed(m, p.MirrorGains), 2*m.Pixels, m.Pixels, exr.ZIP) })
		for l, id := range m.Lights {
			if name := b.Mirrors[i].Lights[id]; name != "" {
				put(name, func(w io.Writer) error { return exr.Write(w, m.Layers[l], 2*m.Pixels, m.Pixels, exr.ZIP) })
			}
		}
	}
	errs := make([]error, len(files))
	_ = spread.Over(noEnd, len(files), p.Workers, func(i int) { errs[i] = intact.Write(filepath.Join(dir, files[i].name), files[i].fill) })
	for _, err := range errs {
		if err != nil {
			return nil, err
		}
	}
	// Last: a folder with a bake.json is whole.
	return b, intact.Write(filepath.Join(dir, "bake.json"), func(w io.Writer) error {
		e := json.NewEncoder(w)
		e.SetIndent("", "  ")
		return e.Encode(b)
	})
}

// grey is one number as three.
func grey(v []float32) []float32 {
	out := make([]float32, 0, 3*len(v))
	for _, x := range v {
		out = append(out, x, x, x)
	}
	return out
}

func summed(m *mirrors.Mirror, gains []vec.V3) []float32 {
	out := make([]float32, 3*2*m.Pixels*m.Pixels)
	for l, y := range m.Layers {
		if y == nil {
			continue
		}
		for i := 0; i < len(out); i += 3 {
			out[i] += gains[l].X * y[i]
			out[i+1] += gains[l].Y * y[i+1]
			out[i+2] += gains[l].Z * y[i+2]
		}
	}
	return out
}

// Describe is what bake.json would say, without writing anything.
func Describe(p *Parts) Bake {
	p.fill()
	return p.Bake
}

// fill says in bake.json what the parts are.
func (p *Parts) fill() {
	b, r := &p.Bake, p.Result
	plan, gains := r.Plan, r.Gains()
	b.Version, b.Numbers, b.Format = Version, plan.Quality, plan.Rules.Format
	b.Texels, b.Samples, b.Noise, b.MB = plan.Texels(), r.Samples, r.AllNoise(gains), plan.MB()
	b.Filled, b.Padded = plan.Filled()
	b.Pages, b.Lights, b.Objects, b.Left, b.Mirrors = nil, []Light{}, []Object{}, []Left{}, []Mirror{}
	for i, g := range plan.Pages {
		page := Page{W: g.W, H: g.H, File: fmt.Sprintf("lightmap-%d", i)}
		if r.Leans() {
			page.Lean = fmt.Sprintf("lean-%d.exr", i)
		}
		if r.Open != nil {
			page.Open = fmt.Sprintf("occlusion-%d.exr", i)
		}
		b.Pages = append(b.Pages, page)
	}
	for l := range r.Sources {
		s := &r.Sources[l]
		y := Light{ID: s.ID, Name: p.Names[s.ID], Gain: s.Gain.Array(), Whole: s.Straight, Key: fmt.Sprintf("%x", s.Key[:8]), Files: []string{}}
		lit := 0
		for _, o := range r.Objects {
			lit += len(o.Layers[l].Lux)
			b.LayerMB += float64(2*(len(o.Layers[l].Lux)+len(o.Layers[l].Lean))) / (1 << 20)
		}
		for i := range plan.Pages {
			if lit > 0 {
				y.Files = append(y.Files, fmt.Sprintf("light-%s-%d.exr", s.ID, i))
			}
		}
		b.Lights = append(b.Lights, y)
	}
	for i, l := range plan.Objects {
		buried, thin := r.Buried(i)
		b.Objects = append(b.Objects, Object{l.Path, len(l.Mesh.Index) / 3, l.Density, l.Used, len(l.Patches), r.Noise(i, gains), buried, thin})
	}
	for _, l := range plan.Left {
		b.Left = append(b.Left, Left{p.Scene.Objects[l.Object].Path, string(l.Why)})
	}
	if p.Field != nil {
		b.Probes = len(p.Field.Probes)
	}
	for _, m := range p.Mirrors {
		y := Mirror{ID: m.ID, Mirror: m.Mirror, File: "mirror-" + m.ID + ".exr", Lights: map[string]string{}}
		for l, id := range m.Lights {
			if m.Layers[l] != nil {
				y.Lights[id] = fmt.Sprintf("mirror-%s-%s.exr", m.ID, id)
			}
		}
		b.Mirrors = append(b.Mirrors, y)
	}
}

func chartsOf(plan *bake.Plan, s *scene.Scene) (out []Charts) {
	for _, l := range plan.Objects {
		o := &s.Objects[l.Object]
		c := Charts{Path: l.Path}
		for t := o.First; t < o.First+o.Count; t++ {
			page := -1
			for k := range 3 {
				g, uv, ok := plan.OnPage(l, uint32(t), k)
				if ok {
					page = g
				}
				c.Corners = append(c.Corners, uv)
			}
			c.Page = append(c.Page, int16(page))
		}
		out = append(out, c)
	}
	return out
}

var chartsMagic = [4]byte{'W', 'H', 'C', '1'}

// writeCharts writes, little-endian: the magic, the number of objects, and for each the length
// of its path, the path, its triangles, a page (int16) for each, and six float32 for each.
func writeCharts(w io.Writer, all []Charts) error {
	var b bytes.Buffer
	b.Write(chartsMagic[:])
	le := binary.LittleEndian
	b.Write(le.AppendUint32(nil, uint32(len(all))))
	for i := range all {
		c := &all[i]
		b.Write(le.AppendUint32(nil, uint32(len(c.Path))))
		b.WriteString(c.Path)
		b.Write(le.AppendUint32(nil, uint32(len(c.Page))))
		if err := binary.Write(&b, le, c.Page); err != nil {
			return err
		}
		row := make([]byte, 0, 8*len(c.Corners))
		for _, q := range c.Corners {
			row = le.AppendUint32(le.AppendUint32(row, math.Float32bits(q.X)), math.Float32bits(q.Y))
		}
		b.Write(row)
	}
	_, err := w.Write(b.Bytes())
	return err
}

type probeFile struct {
	Lights []string    `json:"lights"`
	Probes []probeLine `json:"probes"`
}

type probeLine struct {
	At     [3]float64 `json:"at"`
	Kind   string     `json:"kind"`
	Name   string     `json:"name,omitempty"`
	Reach  float64    `json:"reach"`
	Moved  bool       `json:"moved,omitempty"`
	Near   []float32  `json:"near"`
	Spread []float32  `json:"spread"`
}

func writeProbes(w io.Writer, f *probes.Field) error {
	out := probeFile{Lights: f.Lights, Probes: []probeLine{}}
	for i := range f.Probes {
		p := &f.Probes[i]
		out.Probes = append(out.Probes, probeLine{p.Pos.Array(), string(p.Kind), p.Name, p.Reach, p.Moved, p.Near[:], p.Spread[:]})
	}
	return json.NewEncoder(w).Encode(out)
}

func writeHarmonics(w io.Writer, f *probes.Field) error {
	wide := 9 * len(f.Lights)
	rgb := make([]float32, 0, 3*wide*len(f.Probes))
	for i := range f.Probes {
		for _, sh := range f.Probes[i].SH {
			for _, v := range sh {
				rgb = append(rgb, v.X, v.Y, v.Z)
			}
		}
	}
	if len(rgb) == 0 {
		return exr.Write(w, []float32{0, 0, 0}, 1, 1, exr.ZIP)
	}
	return exr.Write(w, rgb, wide, len(f.Probes), exr.ZIP)
}
