package main

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"strings"

	"willowherb/core/exposure"
	"willowherb/core/grade"
	"willowherb/core/lamps"
	"willowherb/core/setup"
	"willowherb/format/cube"
	"willowherb/format/intact"
)

type cubeCmd struct {
	Setup string `help:"The setup as JSON." type:"existingfile" required:""`
	Look  string `help:"Name or id of a look of the setup."`
	Side  int    `help:"Colours a side of the cube." default:"33"`
	Out   string `help:"Table to write, .cube." required:""`
	JSON  bool   `help:"Report as JSON." name:"json"`
}

func (c *cubeCmd) Run(_ context.Context) error {
	if strings.ToLower(filepath.Ext(c.Out)) != ".cube" {
		return usage("--out %q: end its name in .cube", c.Out)
	}
	if c.Side < 2 || c.Side > 129 {
		return usage("--side %d is not between 2 and 129", c.Side)
	}
	data, err := os.ReadFile(c.Setup)
	if err != nil {
		return err
	}
	doc, err := setup.Parse(data)
	if err != nil {
		return fmt.Errorf("%s: %w", filepath.Base(c.Setup), err)
	}
	look, err := lookOf(doc, c.Look)
	if err != nil {
		return err
	}
	st, err := lamps.Resolve(doc, look)
	if err != nil {
		return err
	}
	title := st.Setup.Name
	if c.Look != "" {
		title += ", " + c.Look
	}
	g, curve := grade.Compile(st.Setup.Grade), exposure.Curve(st.Setup.Curve)
	t := cube.Made(title, c.Side, func(v [3]float64) [3]float64 { return g.Between(v, curve) })
	if err := intact.Write(c.Out, t.Write); err != nil {
		return err
	}
	if c.JSON {
		return writeJSON(map[string]any{"setup": c.Setup, "look": c.Look, "out": c.Out, "size": c.Side, "graded": st.Setup.Grade != nil})
	}
	fmt.Printf("%s: %d colours a side\n", c.Out, c.Side)
	return nil
}
