package main

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"runtime"

	"willowherb/core/exchange"
	"willowherb/core/lamps"
	"willowherb/core/scene"
	"willowherb/core/setup"
	"willowherb/core/staging"
	"willowherb/core/world"
	"willowherb/format/gltf"
)

// litPlace is a file with its setup, for commands that work on the place as a whole.
type litPlace struct {
	File  string `arg:"" help:"The .glb or .gltf file." type:"existingfile"`
	Setup string `help:"A setup as JSON; without it the file's own lights are used." type:"existingfile"`
	Look  string `help:"Name or id of a look of the setup."`
}

// opened is what litPlace names, ready.
type opened struct {
	doc   *setup.Setup
	state *lamps.State
	stage staging.Stage
	s     *scene.Scene
	w     *world.World
	lamps []*lamps.Lamp
	notes []string
	moves []bool // of each object
	still [32]byte
	file  *scene.Scene // as it was read
	blob  string
}

// at is the place as another document has it.
func (o *opened) at(doc *setup.Setup) (*opened, error) {
	out := *o
	var err error
	if out.state, err = lamps.Resolve(doc, ""); err != nil {
		return nil, err
	}
	out.doc = doc.InTheirZones()
	out.stage = staging.Of(doc, "file", o.blob)
	if out.s, out.w, err = out.stage.Compile(o.file, runtime.GOMAXPROCS(0)); err != nil {
		return nil, err
	}
	out.lamps = out.state.Lamps(out.s, nil)
	out.moves = staging.Movers(out.doc, out.s)
	out.still = out.stage.Still(out.moves, out.s)
	return &out, nil
}

func (c *litPlace) open(ctx context.Context) (*opened, error) {
	s, err := gltf.ReadFile(ctx, c.File, gltf.DefaultLimits())
	if err != nil {
		return nil, err
	}
	if s.Triangles() == 0 {
		return nil, usage("%s: has no triangles to light; export meshes with it", filepath.Base(c.File))
	}
	o := &opened{}
	doc, notes := exchange.FromScene(s, "console-60")
	if c.Setup != "" {
		data, err := os.ReadFile(c.Setup)
		if err != nil {
			return nil, err
		}
		if doc, err = setup.Parse(data); err != nil {
			return nil, fmt.Errorf("%s: %w", filepath.Base(c.Setup), err)
		}
		notes = nil
		if profiles, slides, environments := doc.Blobs(); len(profiles)+len(slides)+len(environments) > 0 {
			notes = append(notes, "measured profiles, pictures for gobos and environments are kept by the server: here these lights shine without them")
		}
	}
	look := doc.Look
	if c.Look != "" {
		look = c.Look
	}
	if look, err = lookOf(doc, look); err != nil {
		return nil, err
	}
	state, err := lamps.Resolve(doc, look)
	if err != nil {
		return nil, err
	}
	o.file, o.blob, o.notes = s, filepath.Base(c.File), notes
	if o, err = o.at(state.Setup); err != nil {
		return nil, err
	}
	if o.stage.Blob != "file" {
		o.notes = append(o.notes, fmt.Sprintf("the setup was made for %s: here it lights %s", o.stage.File, filepath.Base(c.File)))
	}
	return o, nil
}
