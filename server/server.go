// Package server is the HTTP side: it turns requests into calls on journal, room,
// ask and blob, and holds no rules of the job. It listens on loopback only, answers
// only to that name, takes no more than a route needs, and serves nothing but its
// own files. Whose a window is it knows by a cookie that it gave.
package server

import (
	"context"
	"fmt"
	"io/fs"
	"net"
	"time"

	"github.com/gofiber/fiber/v3"
	"github.com/gofiber/fiber/v3/middleware/compress"
	"github.com/gofiber/fiber/v3/middleware/requestid"
	"willowherb/ask"
	"willowherb/blob"
	"willowherb/core/reference"
	"willowherb/core/target"
	"willowherb/farm"
	"willowherb/journal"
	"willowherb/refine"
	"willowherb/room"
	"willowherb/stage"
	"willowherb/store"
)

// Parts are what a server stands on.
type Parts struct {
	DB      *store.DB
	Blobs   blob.Store
	Journal *journal.Journal
	Studio  *refine.Studio
	Hall    *room.Hall
	Farm    *farm.Farm
	Files   fs.FS // the built front end
	// Demo puts the demo in where it is not there, and tells its setup; nil where there is none.
	Demo func(ctx context.Context) (int64, error)
}

// Server is the application behind HTTP.
type Server struct {
	Parts
	app      *fiber.App
	desk     *ask.Desk
	shop     *stage.Shop
	ctx      context.Context // ends with the server
	stop     context.CancelFunc
	figures  *figures
	imports  line // one at a time: a place takes much memory
	heavy    line // questions that take all cores
	measures stage.Shelf[*reference.Measure]
}

// Build makes the rooms over a database: studio, hall and what they need. Error: the queue's
// tables could not be made.
func Build(ctx context.Context, db *store.DB, opt refine.Options, linger time.Duration, files fs.FS) (Parts, error) {
	blobs := blob.Postgres{DB: db}
	j := journal.New(db, blobs)
	studio := refine.New(stage.NewShop(blobs, opt.Workers), opt)
	f, err := farm.New(ctx, db, studio.Shop())
	if err != nil {
		studio.Close()
		return Parts{}, err
	}
	studio.RestWhile(f.Urgent)
	studio.KeptBy(f.Keeps)
	return Parts{DB: db, Blobs: blobs, Journal: j, Studio: studio, Hall: room.NewHall(j, studio, linger), Farm: f, Files: files}, nil
}

// Close ends what works in the background.
func (p *Parts) Close() {
	p.Hall.Close()
	p.Studio.Close()
}

// New wires the routes.
func New(parts Parts) *Server {
	s := &Server{Parts: parts, desk: ask.NewDesk(parts.Studio), shop: parts.Studio.Shop(), imports: newLine(1, 8), heavy: newLine(2, 48), measures: stage.Shelf[*reference.Measure]{Keep: 200}}
	s.desk.Farm = parts.Farm
	s.ctx, s.stop = context.WithCancel(context.Background())
	s.figures = newFigures(s)
	// Immutable: strings of a request are copied, so that they may be kept.
	s.app = fiber.New(fiber.Config{AppName: "Willowherb", Immutable: true, BodyLimit: importLimit, StreamRequestBody: true, DisablePreParseMultipartForm: true, ReadBufferSize: 16 << 10, Concurrency: 4096,
		ReadTimeout: 30 * time.Second, WriteTimeout: 60 * time.Second, IdleTimeout: 2 * time.Minute, ErrorHandler: s.fault})
	s.app.Use(requestid.New(), s.measured, guarded, s.ours, shielded())
	s.app.Use(compress.New(compress.Config{Next: packedAddress}))
	s.app.Get("/healthz", func(c fiber.Ctx) error { return c.SendString("ok\n") })
	s.app.Get("/readyz", s.ready)
	s.app.Get("/metrics", s.figures.serve())
	api := s.app.Group("/api", unhurried(), s.lasting)
	api.Get("/me", s.me)
	s.setupRoutes(api)
	s.editRoutes(api)
	s.snapshotRoutes(api)
	s.pictureRoutes(api)
	s.questionRoutes(api)
	s.lookRoutes(api)
	s.referenceRoutes(api)
	s.airRoutes(api)
	s.assetRoutes(api)
	s.bakeRoutes(api)
	s.finalRoutes(api)
	s.budgetRoutes(api)
	api.Get("/setups/:id/live", s.live())
	api.Get("/targets", func(c fiber.Ctx) error { return c.JSON(target.All()) })
	api.Use(func(c fiber.Ctx) error {
		return c.Status(404).JSON(Fault{"There is nothing at this address.", "Reload the page."})
	})
	s.staticRoutes()
	return s
}

// Listen serves on 127.0.0.1:port until ctx ends, then lets requests finish.
func (s *Server) Listen(ctx context.Context, port int, ready func(addr string)) error {
	l, err := (&net.ListenConfig{}).Listen(ctx, "tcp", fmt.Sprintf("127.0.0.1:%d", port))
	if err != nil {
		return fmt.Errorf("port %d cannot be used; choose another with --port: %w", port, err)
	}
	if ready != nil {
		ready(l.Addr().String())
	}
	ended := make(chan error, 1)
	go func() { ended <- s.app.Listener(l, fiber.ListenConfig{DisableStartupMessage: true}) }()
	select {
	case err := <-ended:
		return err
	case <-ctx.Done():
	}
	s.stop()
	s.desk.Close()
	_ = s.app.ShutdownWithTimeout(3 * time.Second)
	return nil
}
