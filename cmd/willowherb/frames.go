package main

import (
	"context"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"runtime"
	"time"

	"willowherb/core/exposure"
	"willowherb/core/finals"
	"willowherb/core/grade"
	"willowherb/core/still"
	"willowherb/format/picture"
)

type framesCmd struct {
	litPlace `embed:""`
	Views    string  `help:"Names or ids of views, with commas: one for a frame of it, several for the way through them."`
	Camera   string  `help:"A camera of the place that travels, in the place of views; the place's animations go with it."`
	Seconds  float64 `help:"How long the way takes; 0 for a single frame."`
	Rate     float64 `help:"Frames a second." default:"24"`
	Size     string  `help:"Size of the frames in pixels." default:"1280x720"`
	Samples  int     `help:"Samples of each pixel, over all passes." default:"64"`
	Passes   int     `help:"Pictures by their own chance of which a frame is the mean." default:"4"`
	Adapts   bool    `help:"Automatic exposure follows the way; without it exposure is as views hold it."`
	Out      string  `help:"Folder to write to: 0001.png and so on, finished, and 0001.exr, scene-linear in cd/m2." required:""`
	JSON     bool    `help:"Report as JSON." name:"json"`
}

// frameReport is one frame as it is told.
type frameReport struct {
	Frame   int     `json:"frame"`
	Seconds float64 `json:"seconds"`
	EV      float64 `json:"ev"`
	Error   float64 `json:"error"`
	Took    float64 `json:"took"`
}

// Run makes final frames, one after the other, all passes of each.
func (c *framesCmd) Run(ctx context.Context) error {
	w, h, err := parseSize(c.Size)
	if err != nil {
		return err
	}
	o, err := c.open(ctx)
	if err != nil {
		return err
	}
	order := finals.Order{Camera: c.Camera, Seconds: c.Seconds, Rate: c.Rate, Width: w, Height: h, Samples: c.Samples, Passes: c.Passes, Adapts: c.Adapts}
	doc := o.state.Setup // views go by zones where they stand
	if c.Views != "" {
		if order.Views, err = viewIDs(doc, c.Views); err != nil {
			return err
		}
	}
	if err := order.Check(doc, o.s); err != nil {
		return err
	}
	if err := os.MkdirAll(c.Out, 0o755); err != nil {
		return err
	}
	evs, err := order.Adapting(ctx, doc, o.w, o.lamps, runtime.GOMAXPROCS(0))
	if err != nil {
		return err
	}
	known, told := &still.Known{}, []frameReport{}
	for k := range order.Count() {
		begin := time.Now()
		at := o
		if c.Camera != "" {
			if at, err = o.at(order.At(doc, k)); err != nil {
				return err
			}
			known = &still.Known{}
		}
		f := order.Frame(doc, at.s, k, evs)
		place := &finals.Place{Scene: at.s, World: at.w, Lamps: at.lamps, Known: known}
		var pieces []*finals.Piece
		for p := range order.Pieces() {
			made, err := order.Make(ctx, place, &f, p, runtime.GOMAXPROCS(0))
			if err != nil {
				return err
			}
			pieces = append(pieces, made)
			fmt.Fprintf(os.Stderr, "\rframe %d of %d, piece %d of %d", k+1, order.Count(), p+1, order.Pieces())
		}
		j, err := order.Join(&f, pieces, exposure.Display(f.Curve, f.View.EV))
		if err != nil {
			return err
		}
		name := filepath.Join(c.Out, fmt.Sprintf("%04d", k+1))
		png := func(out io.Writer) error {
			return picture.WritePNG(out, grade.Compile(f.Grade).WithDepth(j.Depth).Develop(j.RGB, w, h, f.View.EV, f.Curve))
		}
		for _, to := range []string{name + ".png", name + ".exr"} {
			if err := writePicture(to, j.RGB, w, h, png); err != nil {
				return err
			}
		}
		told = append(told, frameReport{k + 1, f.Seconds, f.View.EV, j.Error, time.Since(begin).Seconds()})
	}
	fmt.Fprintln(os.Stderr)
	if c.JSON {
		return writeJSON(map[string]any{"out": c.Out, "width": w, "height": h, "samples": c.Samples, "passes": c.Passes, "frames": told, "notes": o.notes})
	}
	for _, n := range o.notes {
		fmt.Println("note:", n)
	}
	for _, t := range told {
		fmt.Printf("%04d: %.2f s, EV %.1f, error %.2f %%, took %.1f s\n", t.Frame, t.Seconds, t.EV, 100*t.Error, t.Took)
	}
	return nil
}
