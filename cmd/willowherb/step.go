package main

import (
	"context"
	"fmt"
	"runtime"

	"willowherb/core/place"
	"willowherb/core/scene"
	"willowherb/core/world"
	"willowherb/format/gltf"
)

type stepCmd struct {
	File   string  `arg:"" help:"The .glb or .gltf file." type:"existingfile"`
	From   string  `help:"Where the eye is, x,y,z in metres." required:""`
	To     string  `help:"Where it is to go, x,y,z." required:""`
	Radius float64 `help:"How near surfaces it comes, in metres." default:"0.2"`
	JSON   bool    `help:"Report as JSON." name:"json"`
}

func (c *stepCmd) Run(ctx context.Context) error {
	from, err := parsePoint(c.From)
	if err != nil {
		return err
	}
	to, err := parsePoint(c.To)
	if err != nil {
		return err
	}
	if !(c.Radius >= 0.01 && c.Radius <= 10) {
		return usage("--radius %g is not between 0.01 and 10", c.Radius)
	}
	s, w, err := compiled(ctx, c.File)
	if err != nil {
		return err
	}
	a := place.Step(w, world.Sight{}, from, to, float32(c.Radius))
	by := ""
	if a.By >= 0 {
		by = s.Objects[a.By].Name
	}
	if c.JSON {
		return writeJSON(map[string]any{"at": a.At.Array(), "free": a.Free, "by": by, "arrives": a.At == to})
	}
	fmt.Printf("comes to %.3f %.3f %.3f", a.At.X, a.At.Y, a.At.Z)
	if by != "" {
		fmt.Printf(", stopped by %s", by)
	}
	fmt.Printf("; %.2f m are free around it\n", a.Free)
	return nil
}

// compiled reads a place and makes it ready for rays.
func compiled(ctx context.Context, file string) (*scene.Scene, *world.World, error) {
	s, err := gltf.ReadFile(ctx, file, gltf.DefaultLimits())
	if err != nil {
		return nil, nil, err
	}
	w, err := world.Compile(s, runtime.GOMAXPROCS(0))
	return s, w, err
}
