package main

import (
	"context"
	"fmt"
	"log/slog"
	"os"
	"runtime/debug"

	"willowherb/bench"
	"willowherb/demo"
	"willowherb/server"
	"willowherb/store"
	"willowherb/web"
)

type serveCmd struct {
	DB      string `help:"PostgreSQL address." required:"" name:"db"`
	Port    int    `help:"Port on 127.0.0.1; 0 chooses one." default:"7461"`
	Demo    bool   `help:"Put the demo in if it is not there."`
	Fresh   bool   `help:"With --demo: begin again with untouched demo data."`
	Width   int    `help:"Width of the finest picture in pixels." default:"960"`
	Samples int    `help:"Samples at which refinement ends." default:"128"`
	Memory  int    `help:"Megabytes for pictures; the least used are let go beyond it." default:"2048"`
	Addr    string `help:"File to write the address to once it listens." hidden:""`
}

func (c *serveCmd) Run(ctx context.Context) error {
	if c.Width < 64 || c.Width > 4096 {
		return usage("--width %d is not between 64 and 4096", c.Width)
	}
	if c.Samples < 1 || c.Samples > 60000 {
		return usage("--samples %d is not between 1 and 60000", c.Samples)
	}
	if c.Memory < 64 || c.Memory > 1<<20 {
		return usage("--memory %d is not between 64 and %d", c.Memory, 1<<20)
	}
	st, err := store.Open(ctx, c.DB)
	if err != nil {
		return err
	}
	defer st.Close()
	if c.Demo {
		if err := putDemo(ctx, st, c.Fresh); err != nil {
			return fmt.Errorf("making the demo: %w", err)
		}
	}
	// Pictures are most of what is held, in large pieces: collecting early costs little
	// and keeps the process from growing to twice its budget.
	debug.SetGCPercent(25)
	b := bench.New(st, bench.Options{Width: c.Width, MaxSamples: c.Samples, Memory: c.Memory << 20})
	defer b.Close()
	return server.New(st, b, web.Files()).Listen(ctx, c.Port, func(addr string) {
		fmt.Printf("\n  Willowherb is ready: http://%s\n  Ctrl-C stops it; every edit is kept.\n\n", addr)
		if c.Addr != "" {
			if err := os.WriteFile(c.Addr, []byte(addr), 0o644); err != nil {
				slog.Error("cannot write the address", "err", err)
			}
		}
	})
}

func putDemo(ctx context.Context, st *store.Store, fresh bool) error {
	if fresh {
		if err := st.DropDemo(ctx); err != nil {
			return err
		}
	}
	all, err := st.List(ctx)
	if err != nil {
		return err
	}
	for _, u := range all {
		if u.Demo {
			return nil
		}
	}
	fmt.Println("making the demo place, once")
	glb, err := demo.Place()
	if err != nil {
		return err
	}
	hash, err := st.PutBlob(ctx, glb)
	if err != nil {
		return err
	}
	_, err = st.Create(ctx, store.Setup{Project: demo.Name, Place: hash, File: "pump-house.glb", Document: demo.Setup().JSON(), Demo: true})
	return err
}
