package main

import (
	"fmt"
	"os"
	"path/filepath"

	"willowherb/core/reference"
	"willowherb/format/picture"
)

type referenceCmd struct {
	File string `arg:"" help:"A finished picture, .png or .jpg." type:"existingfile"`
	JSON bool   `help:"Report as JSON." name:"json"`
}

// Run measures a finished picture.
func (c *referenceCmd) Run() error {
	data, err := os.ReadFile(c.File)
	if err != nil {
		return err
	}
	im, err := picture.ReadFinished(filepath.Base(c.File), data, 256)
	if err != nil {
		return err
	}
	m := reference.Of(im)
	if c.JSON {
		return writeJSON(m)
	}
	fmt.Printf("key %.3f, contrast %.1f stops, lights %.0f K, shadows %.0f K, chroma %.0f, light %s\n", m.Key, m.Contrast, m.Lights, m.Shadows, m.Saturation, m.FromWords)
	for _, t := range m.Palette {
		fmt.Printf("  %s %4.1f %%\n", t.Hex, 100*t.Share)
	}
	return nil
}
