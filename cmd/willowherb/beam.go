package main

import (
	"context"
	"fmt"

	"willowherb/core/air"
	"willowherb/core/place"
	"willowherb/core/vec"
)

type beamCmd struct {
	File       string  `arg:"" help:"The .glb or .gltf file." type:"existingfile"`
	At         string  `help:"The spot that the sun must shine on, x,y,z in metres." required:""`
	Normal     string  `help:"Which way its surface faces." default:"0,1,0"`
	SunHeight  float64 `help:"Where the sun stands now, degrees: the nearest place to it is taken." default:"30"`
	SunAzimuth float64 `help:"Its azimuth in degrees, clockwise from the north (-Z)." default:"180"`
	JSON       bool    `help:"Report as JSON." name:"json"`
}

func (c *beamCmd) Run(ctx context.Context) error {
	at, err := parsePoint(c.At)
	if err != nil {
		return err
	}
	n, err := parsePoint(c.Normal)
	if err != nil {
		return err
	}
	if n = n.Norm(); n == (vec.V3{}) {
		return usage("--normal %q is no direction", c.Normal)
	}
	if !(c.SunHeight >= -90 && c.SunHeight <= 90) || !(c.SunAzimuth >= -360 && c.SunAzimuth <= 360) {
		return usage("--sun-height %g and --sun-azimuth %g: write degrees from -90 to 90 and from -360 to 360", c.SunHeight, c.SunAzimuth)
	}
	_, w, err := compiled(ctx, c.File)
	if err != nil {
		return err
	}
	d, ok := place.SunFor(w, at, n, vec.Of(air.Direction(c.SunHeight, c.SunAzimuth)))
	height, azimuth := air.Bearing(d.Array())
	if c.JSON {
		if !ok {
			return writeJSON(map[string]any{"able": false})
		}
		return writeJSON(map[string]any{"able": true, "height": height, "azimuth": azimuth})
	}
	if !ok {
		fmt.Println("no sky can be seen from there: no beam comes to it")
		return nil
	}
	fmt.Printf("the sun %.1f degrees high at azimuth %.1f shines there\n", height, azimuth)
	return nil
}
