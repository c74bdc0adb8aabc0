package main

import (
	"bytes"
	"context"
	"fmt"
	"log/slog"
	"os"
	"runtime/debug"
	"time"

	"willowherb/blob"
	"willowherb/demo"
	"willowherb/farm"
	"willowherb/journal"
	"willowherb/refine"
	"willowherb/server"
	"willowherb/store"
	"willowherb/web"
)

type serveCmd struct {
	DB      string        `help:"PostgreSQL address; better given as WILLOWHERB_DB, which no list of processes shows." required:"" name:"db" env:"WILLOWHERB_DB"`
	Port    int           `help:"Port on 127.0.0.1; 0 chooses one." default:"7461"`
	Demo    bool          `help:"Put the demo in if it is not there."`
	Fresh   bool          `help:"With --demo: begin again with untouched demo data."`
	Width   int           `help:"Width of the finest picture in pixels." default:"960"`
	Samples int           `help:"Samples at which refinement ends." default:"128"`
	Memory  int           `help:"Megabytes for the pictures of all setups; the least used are let go beyond it." default:"2048"`
	Linger  time.Duration `help:"How long a setup stays open that no window shows." default:"1m"`
	NoBakes bool          `help:"Leave bakes to workers."`
	Addr    string        `help:"File to write the address to once it listens." hidden:""`
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
	slog.SetDefault(slog.New(slog.NewJSONHandler(os.Stderr, nil)))
	db, err := store.Open(ctx, c.DB)
	if err != nil {
		return err
	}
	defer db.Close()
	// Pictures are most of what is held, in large pieces: collecting early costs little
	// and keeps the process from growing to twice its budget.
	debug.SetGCPercent(25)
	parts, err := server.Build(ctx, db, refine.Options{Width: c.Width, MaxSamples: c.Samples, Memory: c.Memory << 20}, c.Linger, web.Files())
	if err != nil {
		return err
	}
	defer parts.Close()
	parts.Demo = func(ctx context.Context) (int64, error) { return putDemo(ctx, &parts) }
	if c.Demo {
		if c.Fresh {
			if err := parts.Journal.DropDemo(ctx); err != nil {
				return err
			}
		}
		if _, err := putDemo(ctx, &parts); err != nil {
			return fmt.Errorf("making the demo: %w", err)
		}
	}
	go sweep(ctx, parts.Journal, parts.Farm)
	if !c.NoBakes {
		go func() {
			if err := parts.Farm.Work(ctx); err != nil && ctx.Err() == nil {
				slog.Error("the server takes no part in bakes", "err", store.Plain(err))
			}
		}()
	}
	return server.New(parts).Listen(ctx, c.Port, func(addr string) {
		fmt.Printf("\n  Willowherb is ready: http://%s\n  Ctrl-C stops it; every edit is kept.\n\n", addr)
		if c.Addr != "" {
			if err := os.WriteFile(c.Addr, []byte(addr), 0o644); err != nil {
				slog.Error("cannot write the address", "err", err)
			}
		}
	})
}

// unnamed files are kept for a day: an import or an edit may be on its way.
const unnamed = 24 * time.Hour

// sweep forgets, now and every six hours, what was removed long ago and files that
// nothing names.
func sweep(ctx context.Context, j *journal.Journal, f *farm.Farm) {
	for ctx.Err() == nil {
		setups, files, err := j.Sweep(ctx, journal.RemovedFor, unnamed)
		if err != nil && ctx.Err() == nil {
			slog.Warn("sweeping was put off", "err", store.Plain(err))
		} else if setups+files > 0 {
			slog.Info("swept", "setups", setups, "files", files)
		}
		if err := f.Sweep(ctx); err != nil && ctx.Err() == nil {
			slog.Warn("sweeping bakes was put off", "err", store.Plain(err))
		}
		select {
		case <-ctx.Done():
		case <-time.After(6 * time.Hour):
		}
	}
}

// putDemo puts the demo in where it is not there, and tells its setup.
func putDemo(ctx context.Context, parts *server.Parts) (int64, error) {
	if id, err := parts.Journal.DemoID(ctx); err != nil || id > 0 {
		return id, err
	}
	fmt.Println("making the demo place, once")
	glb, err := demo.Place()
	if err != nil {
		return 0, err
	}
	hash, err := parts.Blobs.Put(ctx, blob.Place, bytes.NewReader(glb))
	if err != nil {
		return 0, err
	}
	return parts.Journal.Create(ctx, journal.Setup{Project: demo.Name, Place: hash, File: "pump-house.glb", Doc: demo.Setup(), Demo: true})
}
