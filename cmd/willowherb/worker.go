package main

import (
	"context"
	"fmt"
	"log/slog"
	"os"
	"runtime"
	"runtime/debug"

	"willowherb/blob"
	"willowherb/farm"
	"willowherb/stage"
	"willowherb/store"
)

type workerCmd struct {
	DB string `help:"PostgreSQL address of the server's database; better given as WILLOWHERB_DB, which no list of processes shows." required:"" name:"database" env:"WILLOWHERB_DB"`
}

// Run takes part in bakes until it is stopped.
func (c *workerCmd) Run(ctx context.Context) error {
	slog.SetDefault(slog.New(slog.NewJSONHandler(os.Stderr, nil)))
	db, err := store.Open(ctx, c.DB)
	if err != nil {
		return err
	}
	defer db.Close()
	debug.SetGCPercent(50)
	f, err := farm.New(ctx, db, stage.NewShop(blob.Postgres{DB: db}, runtime.GOMAXPROCS(0)))
	if err != nil {
		return err
	}
	fmt.Println("taking part in bakes; Ctrl-C stops it, and what it was at is taken up by others")
	return f.Work(ctx)
}
