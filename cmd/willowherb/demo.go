package main

import (
	"os"
	"path/filepath"

	"willowherb/demo"
)

type demoCmd struct {
	Dir string `arg:"" help:"Folder to write pump-house.glb and evening.json to." default:"." type:"existingdir"`
}

func (c *demoCmd) Run() error {
	glb, err := demo.Place()
	if err != nil {
		return err
	}
	if err := os.WriteFile(filepath.Join(c.Dir, "pump-house.glb"), glb, 0o644); err != nil {
		return err
	}
	return os.WriteFile(filepath.Join(c.Dir, "evening.json"), demo.Setup().JSON(), 0o644)
}
