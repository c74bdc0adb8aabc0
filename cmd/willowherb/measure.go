package main

import (
	"context"
	"fmt"
	"math"
	"os"
	"path/filepath"

	"willowherb/core/environment"
	"willowherb/format/picture"
)

type measureCmd struct {
	File  string `arg:"" help:"A latitude-longitude picture, .hdr or .exr; its pixels are taken as cd/m2." type:"existingfile"`
	Layer string `help:"Layer of an EXR file; without it the unnamed one, or the first with colours."`
	At    string `help:"What it shows towards one place too: AZIMUTH,HEIGHT in degrees, the azimuth clockwise from its middle." placeholder:"A,H"`
	JSON  bool   `help:"Report as JSON." name:"json"`
}

// readMap reads an environment picture.
func readMap(file, layer string) (*environment.Map, *picture.Linear, error) {
	data, err := os.ReadFile(file)
	if err != nil {
		return nil, nil, err
	}
	l, err := picture.ReadLinear(file, data, layer)
	if err != nil {
		return nil, nil, err
	}
	if l.W < 2 || l.H < 2 {
		return nil, nil, usage("%s: is %d by %d pixels: an environment has twice as many columns as rows", filepath.Base(file), l.W, l.H)
	}
	return &environment.Map{W: l.W, H: l.H, RGB: l.RGB}, l, nil
}

func (c *measureCmd) Run(_ context.Context) error {
	m, l, err := readMap(c.File, c.Layer)
	if err != nil {
		return err
	}
	a := m.Measure()
	var spot *environment.Spot
	if c.At != "" {
		var azimuth, height float64
		if n, err := fmt.Sscanf(c.At, "%g,%g", &azimuth, &height); n != 2 || err != nil || !(math.Abs(azimuth) <= 3600 && math.Abs(height) <= 90) {
			return usage("--at %s: write an azimuth and a height in degrees, as 120,35", c.At)
		}
		s := m.SpotAt(height, azimuth, 0)
		spot = &s
	}
	if c.JSON {
		out := map[string]any{"file": c.File, "width": m.W, "height": m.H, "layer": l.Layer, "layers": l.Layers, "cleaned": l.Cleaned,
			"horizontalLux": a.HorizontalLux, "upLux": a.UpLux, "meanLuminance": a.MeanLuminance, "sun": a.Sun}
		if spot != nil {
			out["spot"] = spot
		}
		return writeJSON(out)
	}
	fmt.Printf("%s: %d x %d, %.4g lux on flat ground, %.4g lux from below, mean %.4g cd/m2\n", filepath.Base(c.File), m.W, m.H, a.HorizontalLux, a.UpLux, a.MeanLuminance)
	if s := a.Sun; s != nil {
		fmt.Printf("sun at azimuth %.1f, %.1f degrees high: %.4g lux square to it, %.0f %% of the light on the ground\n", s.Azimuth, s.Height, s.Lux, 100*s.Share)
	} else {
		fmt.Println("no sun in it")
	}
	if spot != nil {
		fmt.Printf("at %s: %.4g cd/m2, nearest to %.0f K\n", c.At, spot.Luminance, spot.Kelvin)
	}
	if l.Cleaned > 0 {
		fmt.Printf("%d pixels were no light and have been cleaned\n", l.Cleaned)
	}
	return nil
}
