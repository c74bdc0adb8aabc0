package main

import (
	"context"
	"fmt"
	"os"
	"runtime"
	"time"

	"willowherb/core/bake"
	"willowherb/core/setup"
)

type bakeCmd struct {
	lit
	Quality string  `help:"draft, review, final, or own: as the setup has it." default:"draft" enum:"draft,review,final,own"`
	Out     string  `help:"Folder for the bake." type:"path"`
	Seconds float64 `help:"Take fewer samples, so that the bake takes about so many seconds."`
	Light   string  `help:"Only the light of this id or name."`
	JSON    bool    `help:"Report as JSON." name:"json"`
}

func (c *bakeCmd) Run(ctx context.Context) error {
	begin := time.Now()
	o, err := c.open(ctx)
	if err != nil {
		return err
	}
	q := setup.Qualities[c.Quality]
	workers := runtime.GOMAXPROCS(0)
	ready := time.Since(begin)
	at := time.Now()
	p, err := bake.Lay(ctx, o.s, o.w, o.doc, q, workers)
	if err != nil {
		return err
	}
	planned := time.Since(at)
	rest, err := o.w.Resting(o.moves, workers)
	if err != nil {
		return err
	}
	sources := bake.Sources(o.lamps, &p.Rules, nil)
	var b *bake.Baker
	job := bake.Job{Place: o.still, Plan: p, Needed: func() (*bake.Baker, error) {
		b, err = bake.NewBaker(ctx, rest, p, sources, workers)
		return b, err
	}}
	job.Tell = func(p bake.Progress) { fmt.Fprintln(os.Stderr, time.Since(begin), p) }
	r, err := job.Run(ctx, sources)
	if err != nil {
		return err
	}
	f, fp := p.Filled()
	fmt.Println("ready", ready, "planned", planned, "cache", b.Took.Cache, "bake", r.Took, "texels", p.Texels(), "samples", r.Samples, "noise", r.AllNoise(r.Gains()), "pages", p.Pages, f, fp, "MB", p.MB())
	for i, l := range p.Objects {
		fmt.Printf("%-30s cells %7d used %7d buried %6d patches %5d seams %6d noise %.3f\n", l.Path, l.Cells, l.Used, r.Objects[i].Buried, len(l.Patches), len(l.Seams), r.Noise(i, r.Gains()))
	}
	for _, l := range p.Left {
		fmt.Println(o.s.Objects[l.Object].Path, l.Why)
	}
	for i := range p.Pages {
		rgb := p.Page(i, func(k int) []float32 { return r.Lux(k, r.Gains()) })
		if err := writePicture(fmt.Sprintf("/tmp/page-%d.exr", i), rgb, p.Pages[i].W, p.Pages[i].H, nil); err != nil {
			return err
		}
	}
	return nil
}
