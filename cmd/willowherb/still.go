package main

import (
	"bufio"
	"cmp"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"maps"
	"math"
	"os"
	"path/filepath"
	"runtime"
	"slices"
	"strconv"
	"strings"
	"time"

	"willowherb/core/colour"
	"willowherb/core/exchange"
	"willowherb/core/exposure"
	"willowherb/core/grade"
	"willowherb/core/lamps"
	"willowherb/core/scene"
	"willowherb/core/setup"
	"willowherb/core/staging"
	"willowherb/core/still"
	"willowherb/core/vec"
	"willowherb/core/world"
	"willowherb/format/cube"
	"willowherb/format/gltf"
	"willowherb/format/picture"
)

type stillCmd struct {
	File     string  `arg:"" help:"The .glb or .gltf file." type:"existingfile"`
	Setup    string  `help:"A setup as JSON; without it the file's own lights are used." type:"existingfile"`
	Look     string  `help:"Name or id of a look of the setup."`
	View     string  `help:"Name or id of a view; without it the first."`
	LookFrom string  `help:"Camera position x,y,z in metres."`
	LookAt   string  `help:"Point the camera looks at, x,y,z."`
	Fov      float64 `help:"Vertical angle of view in degrees, with --look-from." default:"40"`
	Size     string  `help:"Picture size in pixels." default:"960x540"`
	Samples  int     `help:"Samples for each pixel." default:"64"`
	Seconds  float64 `help:"The best picture that can be had in so many seconds, start included, instead of so many samples."`
	After    string  `help:"Name or id of a view that is pictured first; the time begins when that is done and the place is known."`
	Layers   bool    `help:"Keep each light's bounced light by itself, to tell who gives what; --no-layers is quicker." default:"true" negatable:""`
	// Reference is what everything else is held to.
	Reference bool     `help:"Plain path tracing: no filter, no light cache, no layers."`
	Seed      uint32   `help:"Seed of the random numbers: same seed, same picture."`
	EV        *float64 `help:"Exposure as EV100; without it the view's, or metered where the view came from the file."`
	Raw       bool     `help:"Leave the noise in."`
	// What lies around the place, instead of the setup's skies.
	Environment string   `help:"Latitude-longitude picture, .hdr or .exr, in the place of the setup's skies; a pixel of 1 is 1 cd/m2." type:"existingfile"`
	Turn        float64  `help:"Turn that picture clockwise, seen from above, by so many degrees."`
	Level       float64  `help:"Make it brighter by so many stops."`
	Table       string   `help:"A .cube table that the finished picture goes through last, in the place of the setup's." type:"existingfile"`
	Time        *float64 `help:"Time of the place's animations in seconds, instead of the setup's."`
	Bake        string   `help:"Folder of a bake: the run-time picture with it, as the target would show it." type:"existingdir"`
	Out         string   `help:"Picture to write: .exr and .hdr hold linear cd/m2, .png the finished picture." required:""`
	JSON        bool     `help:"Report as JSON." name:"json"`
}

// usage is an error of the command line, with what to do.
func usage(format string, a ...any) error { return fmt.Errorf(format, a...) }

func parsePoint(s string) (vec.V3, error) {
	parts := strings.Split(s, ",")
	var v [3]float64
	if len(parts) != 3 {
		return vec.V3{}, usage("%q is no point: write x,y,z", s)
	}
	for i, p := range parts {
		f, err := strconv.ParseFloat(strings.TrimSpace(p), 64)
		if err != nil || math.IsNaN(f) || math.IsInf(f, 0) {
			return vec.V3{}, usage("%q is no point: write x,y,z in metres", s)
		}
		v[i] = f
	}
	return vec.New(v[0], v[1], v[2]), nil
}

func parseSize(s string) (w, h int, err error) {
	a, b, ok := strings.Cut(s, "x")
	w, e1 := strconv.Atoi(a)
	h, e2 := strconv.Atoi(b)
	if !ok || e1 != nil || e2 != nil || w < 1 || h < 1 || w > 16384 || h > 16384 || w*h > 1<<26 {
		return 0, 0, usage("%q is no size: write for instance 960x540, at most 16384 a side and 64 million pixels", s)
	}
	return w, h, nil
}

func (c *stillCmd) Run(ctx context.Context) error {
	w, h, err := parseSize(c.Size)
	if err != nil {
		return err
	}
	if c.Samples < 1 || c.Samples > 65535 {
		return usage("--samples %d is not between 1 and 65535", c.Samples)
	}
	if err := pictureName(c.Out, ".png", ".exr", ".hdr"); err != nil {
		return err
	}
	if c.Seconds < 0 || c.Seconds > 86400 || math.IsNaN(c.Seconds) {
		return usage("--seconds %g is not between 0 and 86400", c.Seconds)
	}
	if c.Bake != "" && (c.Reference || c.Seconds > 0 || c.After != "") {
		return usage("--bake makes the run-time picture: leave out --reference, --seconds and --after")
	}
	if c.Seconds > 0 && c.Reference {
		return usage("--reference takes --samples, not --seconds")
	}
	start := time.Now()
	s, err := gltf.ReadFile(ctx, c.File, gltf.DefaultLimits())
	if err != nil {
		return err
	}
	if s.Triangles() == 0 {
		return usage("%s: has no triangles to light; export meshes with it", filepath.Base(c.File))
	}
	doc, notes := exchange.FromScene(s, "console-60")
	metered := true
	if c.Setup != "" {
		data, err := os.ReadFile(c.Setup)
		if err != nil {
			return err
		}
		if doc, err = setup.Parse(data); err != nil {
			return fmt.Errorf("%s: %w", filepath.Base(c.Setup), err)
		}
		notes, metered = nil, false
		if len(doc.Tables()) > 0 && c.Table == "" {
			notes = append(notes, "tables of colour are kept by the server: here the picture goes without; give it with --table")
		}
		if profiles, slides, environments := doc.Blobs(); len(profiles)+len(slides)+len(environments) > 0 {
			notes = append(notes, "measured profiles, pictures for gobos and environments are kept by the server: here these lights shine without them")
		}
	}
	assets, err := c.surround(doc)
	if err != nil {
		return err
	}
	if c.Time != nil {
		if !(*c.Time >= 0 && *c.Time <= 1e6) {
			return usage("--time %g is not between 0 and 1000000", *c.Time)
		}
		doc.Time = *c.Time
	}
	look, err := lookOf(doc, cmp.Or(c.Look, doc.Look))
	if err != nil {
		return err
	}
	st, err := lamps.Resolve(doc, look)
	if err != nil {
		return err
	}
	doc = st.Setup.InTheirZones()
	view, name, err := c.camera(doc)
	if err != nil {
		return err
	}
	before := setup.View{}
	if c.After != "" {
		if c.Reference {
			return usage("--reference knows nothing of the place: leave out --after")
		}
		if before, _, err = viewOf(doc, c.After); err != nil {
			return err
		}
	}
	on := staging.Of(st.Setup, "file", filepath.Base(c.File))
	if on.Blob != "file" {
		notes = append(notes, fmt.Sprintf("the setup was made for %s: here it lights %s", on.File, filepath.Base(c.File)))
	}
	if len(on.Cards()) > 0 {
		notes = append(notes, "pictures of cards are kept by the server: here the cards are white")
	}
	s, wd, err := on.Compile(s, runtime.GOMAXPROCS(0))
	if err != nil {
		return err
	}
	ready := time.Since(start)
	lamps := st.Lamps(s, assets)
	cam := view.Camera()
	if c.View == "" && c.LookFrom == "" && len(s.Cameras) == 0 {
		cam = framed(s, w, h)
	}
	o := still.Order{World: wd, Lamps: lamps, View: cam, W: w, H: h, Samples: c.Samples, Seed: c.Seed, Raw: c.Raw, Layers: c.Layers}
	curve := exposure.Curve(doc.Curve)
	if known := c.EV; known != nil || !metered && c.LookFrom == "" {
		o.Display = exposure.Display(curve, *cmp.Or(known, &view.EV))
	}
	if c.After != "" {
		first := o
		o.Known = &still.Known{}
		first.View, first.Known, first.Samples, first.Layers = before.Camera(), o.Known, 1, false
		if _, err := still.Render(ctx, first); err != nil {
			return err
		}
		start = time.Now()
		ready = 0
	}
	if c.Seconds > 0 {
		o.Samples = math.MaxUint16
		o.Left = func() time.Duration { return time.Duration(c.Seconds*float64(time.Second)) - time.Since(start) }
	} else if !c.JSON {
		o.Progress = func(n int) { fmt.Fprintf(os.Stderr, "\r%d of %d samples", n, c.Samples) }
	}
	if c.Bake != "" {
		return c.runtime(ctx, &shownFrom{s, wd, st, lamps, view, name, cam, w, h, metered, notes, start})
	}
	render := still.Render
	if c.Reference {
		render = still.Reference
	}
	pic, err := render(ctx, o)
	if !c.JSON {
		fmt.Fprintln(os.Stderr)
	}
	if err != nil {
		return err
	}
	took := time.Since(start)
	ev := view.EV
	if metered || c.LookFrom != "" {
		ev = exposure.Metered(pic.RGB)
	}
	if c.EV != nil {
		ev = *c.EV
	}
	graded, err := c.graded(view.GradeIn(doc))
	if err != nil {
		return err
	}
	png := func(out io.Writer) error {
		return picture.WritePNG(out, graded.WithDepth(staging.DepthOf(&view, view.GradeIn(doc), s, pic.Guide, view.Camera())).Develop(pic.RGB, w, h, ev, curve))
	}
	if err := writePicture(c.Out, pic.RGB, w, h, png); err != nil {
		return err
	}
	return c.report(s, st, lamps, pic, notes, name, w, h, ev, ready, took)
}

func framed(s *scene.Scene, w, h int) world.Camera {
	f := s.FrameAll(float64(w) / float64(h))
	return world.Camera{Eye: f.Eye, Aim: f.Aim, Up: f.Up, FovY: f.FovY}
}

func (c *stillCmd) camera(doc *setup.Setup) (setup.View, string, error) {
	if c.LookFrom != "" || c.LookAt != "" {
		if c.LookFrom == "" || c.LookAt == "" || c.View != "" {
			return setup.View{}, "", usage("give --look-from and --look-at together, or --view alone")
		}
		from, err := parsePoint(c.LookFrom)
		if err != nil {
			return setup.View{}, "", err
		}
		at, err := parsePoint(c.LookAt)
		if err != nil {
			return setup.View{}, "", err
		}
		d := at.Sub(from).Norm()
		if d == (vec.V3{}) {
			return setup.View{}, "", usage("--look-from and --look-at are the same point")
		}
		if !(c.Fov > 0.1 && c.Fov < 170) {
			return setup.View{}, "", usage("--fov %g is not between 0.1 and 170 degrees", c.Fov)
		}
		f := func(v vec.V3) [3]float64 { return [3]float64{float64(v.X), float64(v.Y), float64(v.Z)} }
		return setup.View{Name: "given", Eye: f(from), Aim: f(d), FovY: c.Fov, Aspect: 1, EV: 6}, "given", nil
	}
	if ids := doc.SortedViews(); c.View == "" && len(ids) > 0 {
		return doc.Views[ids[0]], doc.Views[ids[0]].Name, nil
	}
	return viewOf(doc, c.View)
}

// lookOf finds a look by its id or name; none is asked for by no word.
func lookOf(doc *setup.Setup, asked string) (string, error) {
	if _, ok := doc.Looks[asked]; ok || asked == "" {
		return asked, nil
	}
	var names []string
	for _, id := range slices.Sorted(maps.Keys(doc.Looks)) {
		if strings.EqualFold(doc.Looks[id].Name, asked) {
			return id, nil
		}
		names = append(names, doc.Looks[id].Name)
	}
	return "", usage("look %q is not there; there are: %s", asked, cmp.Or(strings.Join(names, ", "), "none"))
}

// viewOf finds a view by its id or name.
func viewOf(doc *setup.Setup, asked string) (setup.View, string, error) {
	var names []string
	for _, id := range doc.SortedViews() {
		v := doc.Views[id]
		if id == asked || strings.EqualFold(v.Name, asked) {
			return v, v.Name, nil
		}
		names = append(names, v.Name)
	}
	return setup.View{}, "", usage("view %q is not there; there are: %s", asked, cmp.Or(strings.Join(names, ", "), "none"))
}

type lightReport struct {
	ID      string  `json:"id"`
	Name    string  `json:"name"`
	Direct  float64 `json:"directPercent"`
	Bounced float64 `json:"bouncedPercent"`
	Air     float64 `json:"airPercent"`
}

func luminance(v vec.V3) float64 {
	return colour.Luminance(colour.RGB{float64(v.X), float64(v.Y), float64(v.Z)})
}

func (c *stillCmd) report(s *scene.Scene, st *lamps.State, lamps []*lamps.Lamp, pic *still.Picture, notes []string, view string, w, h int, ev float64, ready, took time.Duration) error {
	curve := exposure.Curve(st.Setup.Curve)
	var total float64
	for _, g := range pic.Gives {
		total += luminance(g.Direct) + luminance(g.Bounced) + luminance(g.Air)
	}
	if total == 0 {
		total = 1
	}
	var lights []lightReport
	for i, g := range pic.Gives {
		if !pic.Layers {
			break // what is bounced is not known by light
		}
		l := lamps[i]
		lights = append(lights, lightReport{l.ID, l.Name, 100 * luminance(g.Direct) / total, 100 * luminance(g.Bounced) / total, 100 * luminance(g.Air) / total})
	}
	if c.JSON {
		return writeJSON(map[string]any{"file": c.File, "out": c.Out, "view": view, "width": w, "height": h, "samples": pic.Samples, "seed": c.Seed, "seconds": took.Seconds(), "after": c.After, "layers": pic.Layers,
			"ev100": ev, "error": pic.Error(exposure.Display(curve, ev)), "noise": pic.Noise(ev, curve), "triangles": s.Triangles(), "readySeconds": ready.Seconds(), "renderSeconds": (took - ready).Seconds(),
			"lights": lights, "warnings": s.Warnings, "notes": notes, "orphans": st.Orphans})
	}
	for _, n := range append(notes, s.Warnings...) {
		fmt.Println("note:", n)
	}
	fmt.Printf("%s: view %s, %dx%d, %d samples, noise %.1f %%, EV %.1f; ready in %.1f s, rendered in %.1f s\n",
		c.Out, view, w, h, pic.Samples, 100*pic.Noise(ev, curve), ev, ready.Seconds(), (took - ready).Seconds())
	for _, l := range lights {
		fmt.Printf("  %-28s gives %5.1f %%  (direct %.1f, bounced %.1f, in the air %.1f)\n", l.Name, l.Direct+l.Bounced+l.Air, l.Direct, l.Bounced, l.Air)
	}
	return nil
}

func writeJSON(v any) error {
	e := json.NewEncoder(os.Stdout)
	e.SetIndent("", "  ")
	return e.Encode(v)
}

type inspectCmd struct {
	File string `arg:"" help:"The .glb or .gltf file." type:"existingfile"`
	JSON bool   `help:"Report as JSON." name:"json"`
}

func (c *inspectCmd) Run(ctx context.Context) error {
	s, err := gltf.ReadFile(ctx, c.File, gltf.DefaultLimits())
	if err != nil {
		return err
	}
	doc, notes := exchange.FromScene(s, "console-60")
	if c.JSON {
		return writeJSON(map[string]any{"file": c.File, "triangles": s.Triangles(), "vertices": len(s.V.Pos), "objects": len(s.Objects),
			"materials": len(s.Materials) - 1, "textures": len(s.Textures), "bounds": map[string]any{"low": s.Lo, "high": s.Hi},
			"lights": doc.Lights, "views": doc.Views, "warnings": s.Warnings, "notes": notes})
	}
	out := bufio.NewWriter(os.Stdout)
	fmt.Fprintf(out, "%s: %d triangles, %d vertices, %d objects, %d materials, %d textures\n", filepath.Base(c.File), s.Triangles(), len(s.V.Pos), len(s.Objects), len(s.Materials)-1, len(s.Textures))
	fmt.Fprintf(out, "bounds: %.2f %.2f %.2f to %.2f %.2f %.2f m\n", s.Lo.X, s.Lo.Y, s.Lo.Z, s.Hi.X, s.Hi.Y, s.Hi.Z)
	st, err := lamps.Resolve(doc, "")
	if err != nil {
		return err
	}
	describe(out, st, doc)
	for _, n := range append(notes, s.Warnings...) {
		fmt.Fprintln(out, "note:", n)
	}
	return out.Flush()
}

func describe(out io.Writer, st *lamps.State, doc *setup.Setup) {
	for _, l := range st.Lights {
		fmt.Fprintf(out, "light  %-28s %-8s %.4g %s, %.0f K\n", l.Name, l.Kind, l.Output, l.OutputUnit(), colour.NearestKelvin(l.Colour.Linear()))
	}
	for _, id := range doc.SortedViews() {
		v := doc.Views[id]
		fmt.Fprintf(out, "view   %-28s eye %.2f %.2f %.2f, %.1f degrees\n", v.Name, v.Eye[0], v.Eye[1], v.Eye[2], v.FovY)
	}
}

// graded makes a grade ready, with the table of colour that was given, if any.
func (c *stillCmd) graded(g *grade.Grade) (*grade.Program, error) {
	if c.Table == "" {
		return grade.Compile(g), nil
	}
	f, err := os.Open(c.Table)
	if err != nil {
		return nil, err
	}
	defer f.Close()
	t, err := cube.Read(filepath.Base(c.Table), f)
	if err != nil {
		return nil, err
	}
	with := grade.Neutral()
	if g != nil {
		with = *g
	}
	if with.Table == nil {
		with.Table = &grade.Table{File: c.Table, Amount: 1}
	}
	return grade.Compile(&with).WithTable(t.At), nil
}
