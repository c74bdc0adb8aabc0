package main

import (
	"math"

	"willowherb/core/lamps"
	"willowherb/core/light"
	"willowherb/core/setup"
)

// surround puts an environment picture in the place of a document's skies.
func (c *stillCmd) surround(doc *setup.Setup) (*lamps.Assets, error) {
	if c.Environment == "" {
		return nil, nil
	}
	if math.IsNaN(c.Turn) || math.Abs(c.Turn) > 3600 || math.IsNaN(c.Level) || math.Abs(c.Level) > 20 {
		return nil, usage("--turn %g and --level %g: write degrees to 3600 and stops to 20, either way", c.Turn, c.Level)
	}
	m, _, err := readMap(c.Environment, "")
	if err != nil {
		return nil, err
	}
	for id, l := range doc.Lights {
		if l.Kind == setup.Sky {
			delete(doc.Lights, id)
		}
	}
	const blob = "environment"
	doc.Lights["environment"] = setup.Light{Name: "Environment", Kind: setup.Sky, Output: 1, Stops: c.Level, Colour: setup.Colour{RGB: &[3]float64{1, 1, 1}}, Shadow: true, Carry: setup.Baked, Channels: 255,
		Environment: &setup.Environment{Blob: blob, File: c.Environment, Turn: c.Turn}}
	return &lamps.Assets{Domes: map[string]*light.Dome{blob: light.NewDome(m.W, m.H, m.RGB)}}, nil
}
