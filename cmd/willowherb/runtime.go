package main

import (
	"context"
	"fmt"
	"io"
	"runtime"
	"time"

	"willowherb/core/bake"
	"willowherb/core/exposure"
	"willowherb/core/frame"
	"willowherb/core/lamps"
	"willowherb/core/mirrors"
	"willowherb/core/scene"
	"willowherb/core/setup"
	"willowherb/core/staging"
	"willowherb/core/vec"
	"willowherb/core/world"
	"willowherb/format/lightmap"
	"willowherb/format/picture"
)

// shownFrom is what a still is made from.
type shownFrom struct {
	s       *scene.Scene
	w       *world.World
	st      *lamps.State
	lamps   []*lamps.Lamp
	view    setup.View
	name    string
	cam     world.Camera
	W, H    int
	metered bool
	notes   []string
	start   time.Time
}

// mapped is a delivered lightmap with its lights at the levels of a setup: frame.Map.
type mapped struct {
	s      *scene.Scene
	d      *lightmap.Delivered
	charts []*lightmap.Charts // of each object
	pages  [][]float32        // summed
	leans  [][]float32        // of the pages, as they were delivered; nil for none
}

func newMapped(s *scene.Scene, d *lightmap.Delivered, gains []vec.V3) *mapped {
	m := &mapped{s: s, d: d, charts: make([]*lightmap.Charts, len(s.Objects))}
	for i := range s.Objects {
		if c := d.Of(s.Objects[i].Path); c != nil && len(c.Page) == s.Objects[i].Count {
			m.charts[i] = c
		}
	}
	m.pages, m.leans = d.Sum(gains), d.Leans
	return m
}

// Lux is for frame.Map.
func (m *mapped) Lux(object int, tri uint32, u, v float32, n, bent vec.V3) (vec.V3, bool) {
	k := int(tri) - m.s.Objects[object].First
	e, ok := m.d.Summed(m.pages, m.charts[object], k, u, v)
	if ok && m.leans != nil {
		lean, _ := m.d.Summed(m.leans, m.charts[object], k, u, v)
		e = e.Scale(bake.Tilted(lean, n, bent))
	}
	return e, ok
}

// runtime makes the run-time picture with a bake.
func (c *stillCmd) runtime(ctx context.Context, f *shownFrom) error {
	d, err := lightmap.Read(c.Bake)
	if err != nil {
		return err
	}
	on := &opened{lamps: f.lamps}
	ids := make([]string, len(d.Lights))
	for i := range d.Lights {
		ids[i] = d.Lights[i].ID
	}
	workers := runtime.GOMAXPROCS(0)
	rest, err := f.w.Resting(staging.Movers(f.st.Setup, f.s), workers)
	if err != nil {
		return err
	}
	o := &frame.Order{World: f.w, Rest: rest, Lamps: f.lamps, View: f.cam, W: f.W, H: f.H, Samples: min(c.Samples, 4), Workers: workers,
		Map: newMapped(f.s, d, gainsNow(ids, on)), Field: d.Field, Cascades: f.st.Setup.Device().How.Cascades}
	if d.Field != nil {
		o.Gains = gainsNow(d.Field.Lights, on)
	}
	if o.Mirrors, err = shownMirrors(c.Bake, d, f.lamps, workers); err != nil {
		return err
	}
	pic, err := frame.Render(ctx, o)
	if err != nil {
		return err
	}
	ev := f.view.EV
	if f.metered || c.LookFrom != "" {
		ev = exposure.Metered(pic.RGB)
	}
	if c.EV != nil {
		ev = *c.EV
	}
	curve := exposure.Curve(f.st.Setup.Curve)
	graded, err := c.graded(f.view.GradeIn(f.st.Setup))
	if err != nil {
		return err
	}
	png := func(out io.Writer) error {
		return picture.WritePNG(out, graded.Develop(pic.RGB, f.W, f.H, ev, curve))
	}
	if err := writePicture(c.Out, pic.RGB, f.W, f.H, png); err != nil {
		return err
	}
	by := map[string]float64{}
	for part, rgb := range map[string][]float32{"live": pic.Live, "lightmap": pic.Mapped, "probes": pic.Probed, "mirrored": pic.Mirrored} {
		var sum float64
		for i := 0; i < len(rgb); i += 3 {
			sum += luminance(vec.V3{X: rgb[i], Y: rgb[i+1], Z: rgb[i+2]})
		}
		by[part] = sum / float64(f.W*f.H)
	}
	took := time.Since(f.start).Seconds()
	if c.JSON {
		return writeJSON(map[string]any{"file": c.File, "out": c.Out, "bake": c.Bake, "view": f.name, "width": f.W, "height": f.H, "ev100": ev, "seconds": took, "mean": by, "notes": f.notes})
	}
	for _, n := range f.notes {
		fmt.Println("note:", n)
	}
	fmt.Printf("%s: view %s as the target shows it with %s, %dx%d, EV %.1f, %.1f s; mean luminance live %.3g, lightmap %.3g, probes %.3g, mirrored %.3g cd/m2\n",
		c.Out, f.name, c.Bake, f.W, f.H, ev, took, by["live"], by["lightmap"], by["probes"], by["mirrored"])
	return nil
}

// shownMirrors are a bake's reflection probes with the lights as they are now.
func shownMirrors(dir string, d *lightmap.Delivered, ls []*lamps.Lamp, workers int) (out []*mirrors.Shown, err error) {
	for i := range d.Mirrors {
		m := &mirrors.Mirror{Mirror: d.Mirrors[i].Mirror, ID: d.Mirrors[i].ID}
		var gains []vec.V3
		for _, l := range ls {
			rgb, err := lightmap.Panorama(dir, &d.Mirrors[i], l.ID)
			if err != nil {
				return nil, err
			}
			m.Lights, m.Layers, gains = append(m.Lights, l.ID), append(m.Layers, rgb), append(gains, l.Gain())
		}
		out = append(out, m.Sum(gains, workers))
	}
	return out, nil
}
