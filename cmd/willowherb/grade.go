package main

import (
	"context"
	"fmt"
	"image"
	"io"
	"math"
	"os"
	"path/filepath"

	"willowherb/core/exposure"
	"willowherb/format/cube"
	"willowherb/format/intact"
	"willowherb/format/picture"
)

type gradeCmd struct {
	File  string   `arg:"" help:"A picture in linear cd/m2, .exr or .hdr." type:"existingfile"`
	Cube  string   `help:"The .cube table; it takes what the screen would show to what it is to show." type:"existingfile" required:""`
	EV    *float64 `help:"Exposure as EV100; without it the picture is metered."`
	Curve string   `help:"Tone curve before the table: shoulder, plain, or film with how steep and how many stops to white, as 'film 1.30 6'." default:"shoulder"`
	Out   string   `help:"Picture to write, .png." required:""`
	JSON  bool     `help:"Report as JSON." name:"json"`
}

func (c *gradeCmd) Run(_ context.Context) error {
	if err := pictureName(c.Out, ".png"); err != nil {
		return err
	}
	if !exposure.Curve(c.Curve).Known() {
		return usage("--curve %q is not there: write shoulder, plain, or film with how steep and how many stops to white, as 'film 1.30 6'", c.Curve)
	}
	data, err := os.ReadFile(c.File)
	if err != nil {
		return err
	}
	l, err := picture.ReadLinear(c.File, data, "")
	if err != nil {
		return err
	}
	f, err := os.Open(c.Cube)
	if err != nil {
		return err
	}
	table, err := cube.Read(c.Cube, f)
	_ = f.Close()
	if err != nil {
		return err
	}
	ev := exposure.Metered(l.RGB)
	if c.EV != nil {
		ev = *c.EV
	}
	if math.IsNaN(ev) || math.Abs(ev) > 40 {
		return usage("--ev %g is not between -40 and 40", ev)
	}
	im := graded(l, exposure.Display(exposure.Curve(c.Curve), ev), table)
	if err := intact.Write(c.Out, func(out io.Writer) error { return picture.WritePNG(out, im) }); err != nil {
		return err
	}
	if c.JSON {
		return writeJSON(map[string]any{"file": c.File, "out": c.Out, "width": l.W, "height": l.H, "ev100": ev, "table": table.Title, "size": table.N, "cube": table.Cube, "cleaned": l.Cleaned})
	}
	fmt.Printf("%s: %d x %d, EV %.1f, graded by %s\n", c.Out, l.W, l.H, ev, filepath.Base(c.Cube))
	return nil
}

// graded is the finished picture, taken through a table before it is rounded.
func graded(l *picture.Linear, show func(float64) float64, t *cube.Table) *image.NRGBA {
	im := image.NewNRGBA(image.Rect(0, 0, l.W, l.H))
	for i := range l.W * l.H {
		p := l.RGB[3*i:]
		c := t.At([3]float64{show(float64(p[0])), show(float64(p[1])), show(float64(p[2]))})
		for k, v := range c {
			im.Pix[4*i+k] = uint8(math.Round(255 * min(max(v, 0), 1)))
		}
		im.Pix[4*i+3] = 255
	}
	return im
}
