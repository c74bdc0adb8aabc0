package main

import (
	"context"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"runtime"
	"strings"

	"willowherb/core/budget"
	"willowherb/core/calibrate"
	"willowherb/core/device"
	"willowherb/core/setup"
	"willowherb/core/target"
	"willowherb/core/work"
	"willowherb/format/intact"
	"willowherb/format/timings"
)

// worked is the work of a view's frame, all tiles.
func (o *targeted) worked(ctx context.Context, v *setup.View) (*work.Done, error) {
	s, err := o.place.See(ctx, v.Camera(), o.target.How, 1, runtime.GOMAXPROCS(0))
	if err != nil {
		return nil, err
	}
	return s.Count(ctx, budget.State(o.doc, o.place, o.lamps, v), runtime.GOMAXPROCS(0))
}

// viewsOf are the views that are named, with commas between; all of them for none.
func (o *targeted) viewsOf(named string) ([]string, error) {
	if named != "" {
		return viewIDs(o.doc, named)
	}
	ids := o.doc.SortedViews()
	if len(ids) == 0 {
		return nil, usage("the setup has no views")
	}
	return ids, nil
}

type deviceCmd struct {
	onTarget
	Seed   uint64 `help:"Which device: its hidden coefficients and its noise."`
	Views  string `help:"Names or ids of views, with commas between; without it all of them."`
	Frames int    `help:"Frames of each camera." default:"24"`
	Out    string `help:"CSV file for the timings." required:""`
}

func (c *deviceCmd) Run(ctx context.Context) error {
	if c.Frames < 1 || c.Frames > 10000 {
		return usage("--frames %d is not between 1 and 10000", c.Frames)
	}
	o, err := c.ready(ctx)
	if err != nil {
		return err
	}
	ids, err := o.viewsOf(c.Views)
	if err != nil {
		return err
	}
	dev := device.New(o.target, c.Seed)
	var rows []device.Timing
	for _, id := range ids {
		v := o.doc.Views[id]
		d, err := o.worked(ctx, &v)
		if err != nil {
			return err
		}
		rows = append(rows, dev.Capture(v.Name, c.Frames, d)...)
	}
	if err := intact.Write(c.Out, func(w io.Writer) error { return timings.Write(w, rows) }); err != nil {
		return err
	}
	fmt.Printf("%d frames of %d cameras, %d passes each\n", c.Frames, len(ids), len(o.target.Passes))
	return nil
}

type calibrateCmd struct {
	onTarget
	Timings string `help:"CSV file of the device's timings." type:"existingfile" required:""`
	Out     string `help:"Target file to write, with what was fitted."`
	JSON    bool   `help:"Report as JSON." name:"json"`
	// The layout of the file, where it is not ours.
	Columns   string  `help:"Names of the file's columns, as camera=View,frame=No,pass=Marker,ms=Time."`
	Wide      bool    `help:"The file has a column for each pass, in the place of pass and ms."`
	Separator string  `help:"What stands between columns, where it is no comma."`
	Scale     float64 `help:"What a number is multiplied by to be milliseconds: 0.001 of microseconds." default:"1"`
	Passes    string  `help:"What the file calls the target's passes, as Shadow Depth=shadow maps,Sky=post."`
}

// pairs reads name=value,name=value.
func pairs(flag, text string) (map[string]string, error) {
	out := map[string]string{}
	if text == "" {
		return out, nil
	}
	for _, p := range strings.Split(text, ",") {
		k, v, ok := strings.Cut(p, "=")
		if !ok || strings.TrimSpace(k) == "" || strings.TrimSpace(v) == "" {
			return nil, usage("%s %q: write name=value, with commas between", flag, p)
		}
		out[strings.TrimSpace(k)] = strings.TrimSpace(v)
	}
	return out, nil
}

func (c *calibrateCmd) mapping() (m timings.Mapping, err error) {
	columns, err := pairs("--columns", c.Columns)
	if err != nil {
		return m, err
	}
	m = timings.Mapping{Wide: c.Wide, Separator: c.Separator, Scale: c.Scale}
	to := map[string]*string{"camera": &m.Camera, "frame": &m.Frame, "pass": &m.Pass, "ms": &m.Ms}
	for k, v := range columns {
		if to[k] == nil {
			return m, usage("--columns %q is none of camera, frame, pass, ms", k)
		}
		*to[k] = v
	}
	m.Passes, err = pairs("--passes", c.Passes)
	return m, err
}

func (c *calibrateCmd) Run(ctx context.Context) error {
	m, err := c.mapping()
	if err != nil {
		return err
	}
	o, err := c.ready(ctx)
	if err != nil {
		return err
	}
	in, err := os.Open(c.Timings)
	if err != nil {
		return err
	}
	defer func() { _ = in.Close() }()
	rows, err := timings.Read(filepath.Base(c.Timings), in, m)
	if err != nil {
		return err
	}
	fit, err := calibrate.OfCameras(o.target, rows, func(camera string) (*target.Counts, error) {
		v, _, err := viewOf(o.doc, camera)
		if err != nil {
			return nil, nil // told by the fit
		}
		d, err := o.worked(ctx, &v)
		if err != nil {
			return nil, err
		}
		return d.All(), nil
	})
	if err != nil {
		return fmt.Errorf("%s: %w", filepath.Base(c.Timings), err)
	}
	if c.Out != "" {
		if err := intact.Write(c.Out, func(w io.Writer) error { _, err := w.Write(fit.Target.JSON()); return err }); err != nil {
			return err
		}
	}
	if c.JSON {
		return writeJSON(fit)
	}
	for _, k := range fit.Coefficients {
		fmt.Printf("%-18s %-16s %10.4g -> %10.4g ns +- %.2g, %3.0f %% told\n", k.Pass, k.Count, k.Before, k.Ns, k.Error, 100*k.Told)
	}
	for _, w := range fit.Cameras {
		fmt.Printf("%-18s measured %.3f ms, before %.3f, fitted %.3f, by the others' timings %.3f; %d frames, %d left out\n", w.Camera, w.Measured, w.Before, w.Fitted, w.Unseen, w.Frames, w.Left)
	}
	fmt.Printf("a frame that was not seen is said %.1f %% off on average, %.1f %% at most\n", 100*fit.Off, 100*fit.Most)
	for _, n := range fit.Notes {
		fmt.Println("note:", n)
	}
	return nil
}
