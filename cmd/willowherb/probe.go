package main

import (
	"context"
	"fmt"
	"runtime"

	"willowherb/core/bake"
	"willowherb/core/light"
	"willowherb/core/probes"
	"willowherb/core/vec"
	"willowherb/format/lightmap"
)

type probeCmd struct {
	litPlace
	At      string `help:"The point x,y,z in metres." required:""`
	Bake    string `help:"Folder of a bake whose probe field is asked; without it the light is gathered there by whole paths." type:"existingdir"`
	Samples int    `help:"Paths that are followed, without --bake." default:"8192"`
	JSON    bool   `help:"Report as JSON." name:"json"`
}

var sides = [6]string{"+x", "-x", "+y", "-y", "+z", "-z"}

var sideAxes = [6]vec.V3{{X: 1}, {X: -1}, {Y: 1}, {Y: -1}, {Z: 1}, {Z: -1}}

func (c *probeCmd) Run(ctx context.Context) error {
	at, err := parsePoint(c.At)
	if err != nil {
		return err
	}
	if c.Samples < 16 || c.Samples > 1<<24 {
		return usage("--samples %d is not between 16 and %d", c.Samples, 1<<24)
	}
	o, err := c.open(ctx)
	if err != nil {
		return err
	}
	var sum probes.SH
	var six [6]vec.V3
	out := map[string]any{"file": c.File, "at": at.Array()}
	if c.Bake != "" {
		d, err := lightmap.Read(c.Bake)
		if err != nil {
			return err
		}
		if d.Field == nil {
			return usage("%s: has no probe field: bake again without --light", c.Bake)
		}
		gains := gainsNow(d.Field.Lights, o)
		rest, err := o.w.Resting(o.moves, runtime.GOMAXPROCS(0))
		if err != nil {
			return err
		}
		t := rest.Tracer()
		defer t.Release()
		open := probes.OpenIn(t)
		var near []map[string]any
		for i, side := range sideAxes {
			sh, _ := d.Field.At(at, side, gains, open, nil)
			six[i] = sh.Lux(side)
			if i == 2 {
				sum = sh
				for _, w := range d.Field.Look(at, side, open, nil) {
					near = append(near, map[string]any{"probe": w.Probe, "share": w.Share, "at": d.Field.Probes[w.Probe].Pos.Array()})
				}
			}
		}
		out["probes"] = near
	} else if sum, six, err = c.reference(o, at); err != nil {
		return err
	}
	lux := map[string]float64{}
	rgb := map[string][3]float64{}
	for i, s := range sides {
		lux[s], rgb[s] = luminance(six[i]), six[i].Array()
	}
	var sh [9][3]float64
	for i := range sh {
		sh[i] = sum[i].Array()
	}
	out["lux"], out["rgb"], out["sh"], out["notes"] = lux, rgb, sh, o.notes
	if c.JSON {
		return writeJSON(out)
	}
	for i, s := range sides {
		fmt.Printf("%s %10.3f lx\n", s, luminance(six[i]))
	}
	return nil
}

// reference gathers the light of baked lights at a point by whole paths: what a probe there
// stands for.
func (c *probeCmd) reference(o *opened, at vec.V3) (sum probes.SH, six [6]vec.V3, err error) {
	rules := o.doc.Baking()
	rest, err := o.w.Resting(o.moves, runtime.GOMAXPROCS(0))
	if err != nil {
		return sum, six, err
	}
	sources := bake.Sources(o.lamps, &rules, nil)
	var lights []*light.Light
	var whole []bool
	for i := range sources {
		lights, whole = append(lights, sources[i].Light), append(whole, sources[i].Straight)
	}
	e := probes.NewEye(rest, lights, whole, nil)
	defer e.Release()
	s := e.At(at, c.Samples, 1, nil)
	for l := range sources {
		sum.Add(&s.SH[l], sources[l].Gain)
		for i := range six {
			six[i] = six[i].Add(s.Six[l][i].Mul(sources[l].Gain))
		}
	}
	return sum, six, nil
}

// gainsNow are the gains of some lights as the setup has them now, by their ids; a light that
// is gone gives nothing.
func gainsNow(ids []string, o *opened) []vec.V3 {
	out := make([]vec.V3, len(ids))
	for i, id := range ids {
		for _, l := range o.lamps {
			if l.ID == id {
				out[i] = l.Gain()
			}
		}
	}
	return out
}
