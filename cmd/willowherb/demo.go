package main

import (
	"context"
	"os"
	"path/filepath"

	"willowherb/core/exchange"
	"willowherb/core/lamps"
	"willowherb/demo"
	"willowherb/format/gltf"
)

type demoCmd struct {
	Dir string `arg:"" help:"Folder to write pump-house.glb, evening.json and evening-lights.glb to." default:"." type:"existingdir"`
}

func (c *demoCmd) Run() error {
	glb, err := demo.Place()
	if err != nil {
		return err
	}
	if err := os.WriteFile(filepath.Join(c.Dir, "pump-house.glb"), glb, 0o644); err != nil {
		return err
	}
	if err := os.WriteFile(filepath.Join(c.Dir, "evening.json"), demo.Setup().JSON(), 0o644); err != nil {
		return err
	}
	s, err := gltf.Read(context.Background(), "pump-house.glb", glb, nil, gltf.DefaultLimits())
	if err != nil {
		return err
	}
	st, err := lamps.Resolve(demo.Setup(), "")
	if err != nil {
		return err
	}
	lights, err := gltf.Write(&gltf.Model{Lights: exchange.ToScene(st, st.Lamps(s, nil))})
	if err != nil {
		return err
	}
	return os.WriteFile(filepath.Join(c.Dir, "evening-lights.glb"), lights, 0o644)
}
