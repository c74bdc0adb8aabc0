package server

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/url"
	"os"
	"strconv"
	"strings"

	"github.com/gofiber/fiber/v3"
	"willowherb/blob"
	"willowherb/core/edits"
	"willowherb/core/exchange"
	"willowherb/core/scene"
	"willowherb/core/setup"
	"willowherb/core/spread"
	"willowherb/core/staging"
	"willowherb/core/still"
	"willowherb/format/gltf"
	"willowherb/journal"
	"willowherb/store"
)

func (s *Server) setupRoutes(api fiber.Router) {
	api.Get("/setups", s.list)
	api.Get("/setups/:id", s.get)
	api.Post("/setups/:id/copy", s.copySetup)
	api.Post("/setups/:id/name", s.renameSetup)
	api.Post("/setups/:id/archived", s.archiveSetup)
	api.Delete("/setups/:id", s.removeSetup)
	api.Post("/setups/:id/restored", s.restoreSetup)
	api.Post("/setups/:id/place", s.bringAgain)
	api.Post("/import", s.importFile)
	api.Post("/demo", s.openDemo)
}

func (s *Server) list(c fiber.Ctx) error {
	all, err := s.Journal.List(c.Context())
	if err != nil {
		return err
	}
	return c.JSON(append([]journal.Listed{}, all...))
}

func id(c fiber.Ctx) (int64, error) {
	n, err := strconv.ParseInt(c.Params("id"), 10, 64)
	if err != nil {
		return 0, fmt.Errorf("setup %.40q: %w", c.Params("id"), store.ErrNotFound)
	}
	return n, nil
}

// setup is the setup that a request names.
func (s *Server) setup(c fiber.Ctx) (*journal.Setup, error) {
	n, err := id(c)
	if err != nil {
		return nil, err
	}
	return s.Journal.Get(c.Context(), n)
}

func (s *Server) get(c fiber.Ctx) error {
	u, err := s.setup(c)
	if err != nil {
		return err
	}
	return c.JSON(map[string]any{"id": u.ID, "project": u.Project, "file": u.File, "revision": u.Revision, "document": u.Doc})
}

// fileName is the name that an upload gives its file.
func fileName(c fiber.Ctx) string {
	name, err := url.PathUnescape(c.Get("X-File-Name"))
	if err != nil || name == "" {
		name = "place.glb"
	}
	name = strings.Map(func(r rune) rune {
		if r < 32 || r == '/' || r == '\\' {
			return '-'
		}
		return r
	}, name)
	if r := []rune(name); len(r) > 120 {
		name = string(r[len(r)-120:])
	}
	return name
}

// readPlace reads an uploaded place; one without triangles is refused.
func readPlace(ctx context.Context, name string, f *os.File) (place *scene.Scene, err error) {
	if _, err := f.Seek(0, io.SeekStart); err != nil {
		return nil, err
	}
	data, err := io.ReadAll(f)
	if err != nil {
		return nil, err
	}
	err = spread.Guard(func() (err error) {
		place, err = gltf.Read(ctx, name, data, nil, gltf.DefaultLimits())
		return err
	})
	if err != nil {
		return nil, err
	}
	if place.Triangles() == 0 {
		return nil, &gltf.Error{File: name, What: "has no triangles to light", Remedy: "export meshes with it"}
	}
	return place, nil
}

// incoming takes in a place: the file that it waits in, and what it holds once it was
// its turn to be read. leave lets the next one in.
func (s *Server) incoming(c fiber.Ctx, name string) (file *os.File, place *scene.Scene, leave func(), err error) {
	if file, err = spooled(c, importLimit); err != nil {
		return nil, nil, nil, err
	}
	next, err := s.imports.enter(c.Context())
	if err != nil {
		file.Close()
		return nil, nil, nil, err
	}
	leave = func() {
		next()
		file.Close()
	}
	if place, err = readPlace(c.Context(), name, file); err != nil {
		leave()
		return nil, nil, nil, err
	}
	return file, place, leave, nil
}

// keep stores what a file holds.
func (s *Server) keep(ctx context.Context, kind blob.Kind, f *os.File) (string, error) {
	if _, err := f.Seek(0, io.SeekStart); err != nil {
		return "", err
	}
	return s.Blobs.Put(ctx, kind, f)
}

// Imported answers an import.
type Imported struct {
	ID    int64    `json:"id"`
	Notes []string `json:"notes"`
}

// importFile takes a GLB as the request's body and makes a setup of it.
func (s *Server) importFile(c fiber.Ctx) error {
	name, ctx := fileName(c), c.Context()
	file, place, leave, err := s.incoming(c, name)
	if err != nil {
		return err
	}
	defer leave()
	doc, notes := exchange.FromScene(place, "console-60")
	if err := doc.Validate(); err != nil {
		return &gltf.Error{File: name, What: "its lights or cameras are out of bounds: " + strings.TrimPrefix(err.Error(), setup.ErrInvalid.Error()+": "), Remedy: "correct them and export again"}
	}
	if err := spread.Guard(func() error { still.MeterViews(ctx, place, doc); return ctx.Err() }); err != nil {
		return err
	}
	hash, err := s.keep(ctx, blob.Place, file)
	if err != nil {
		return err
	}
	notes = append(notes, place.Warnings...)
	n, err := s.Journal.Create(ctx, journal.Setup{Project: doc.Name, Place: hash, File: name, Notes: notes, Doc: doc})
	if err != nil {
		return err
	}
	return c.JSON(Imported{n, append([]string{}, notes...)})
}

// openDemo puts the demo in where it is not there, or back where it was removed.
func (s *Server) openDemo(c fiber.Ctx) error {
	if s.Demo == nil {
		return fmt.Errorf("the demo: %w", store.ErrNotFound)
	}
	leave, err := s.imports.enter(c.Context())
	if err != nil {
		return err
	}
	defer leave()
	n, err := s.Demo(c.Context())
	if err != nil {
		return err
	}
	if err := s.Journal.BringBack(c.Context(), n); err != nil && !errors.Is(err, store.ErrNotFound) {
		return err
	}
	return c.JSON(Imported{n, []string{}})
}

// Again answers a place that was brought in again: the edit, and what has changed.
type Again struct {
	Answer Answer          `json:"answer"`
	Report exchange.Report `json:"report"`
}

// bringAgain puts a new version of the place under a setup, as an edit that can be
// undone like any other.
func (s *Server) bringAgain(c fiber.Ctx) error {
	name, ctx := fileName(c), c.Context()
	person, window, err := own(c, c.Query("window"))
	if err != nil {
		return err
	}
	seq, err := strconv.ParseInt(c.Query("seq"), 10, 64)
	if err != nil {
		return wrong("the request does not say which of the window's edits it is")
	}
	n, err := id(c)
	if err != nil {
		return err
	}
	u, err := s.Journal.Get(ctx, n)
	if err != nil {
		return err
	}
	file, now, leave, err := s.incoming(c, name)
	if err != nil {
		return err
	}
	defer leave()
	old, err := s.shop.File(ctx, staging.Of(u.Doc, u.Place, u.File))
	if store.Away(err) || ctx.Err() != nil {
		return err
	}
	if err != nil {
		old = &scene.Scene{} // the old one cannot be read: the new one is the remedy
	}
	ops, report := exchange.Rematch(u.Doc, old, now)
	hash, err := s.keep(ctx, blob.Place, file)
	if err != nil {
		return err
	}
	value, err := json.Marshal(setup.Place{Blob: hash, File: name})
	if err != nil {
		return err
	}
	ops = append([]edits.Op{{Op: "add", Path: "/place", Value: value}}, ops...)
	d, err := s.Journal.Apply(ctx, n, edits.Edit{Person: person, Window: window, Seq: seq, Base: u.Revision, Target: "base", Ops: ops, Label: "Place brought in again: " + name, Called: clipped(c.Query("called"), 60)})
	if err != nil {
		return err
	}
	return c.JSON(Again{s.taken(n, d), report})
}

// NameAsk gives a setup, or a copy of it, a name.
type NameAsk struct {
	Name   string `json:"name"`
	Window string `json:"window,omitempty"`
	Seq    int64  `json:"seq,omitempty"`
	Called string `json:"called,omitempty"`
}

// copySetup makes another setup of the same place, beginning as this one is.
func (s *Server) copySetup(c fiber.Ctx) error {
	var a NameAsk
	if err := decode(c, questionLimit, &a); err != nil {
		return err
	}
	u, err := s.setup(c)
	if err != nil {
		return err
	}
	doc := *u.Doc
	doc.Name = strings.TrimSpace(a.Name)
	if err := doc.Validate(); err != nil {
		return err
	}
	made, err := s.Journal.Create(c.Context(), journal.Setup{Project: u.Project, Place: u.Place, File: u.File, Notes: u.Notes, Doc: &doc})
	if err != nil {
		return err
	}
	return c.JSON(Imported{made, []string{}})
}

// renameSetup is an edit like any other: it can be undone.
func (s *Server) renameSetup(c fiber.Ctx) error {
	var a NameAsk
	if err := decode(c, questionLimit, &a); err != nil {
		return err
	}
	person, window, err := own(c, a.Window)
	if err != nil {
		return err
	}
	name := strings.TrimSpace(a.Name)
	value, err := json.Marshal(name)
	if err != nil {
		return err
	}
	return s.take(c, func(n int64) (*journal.Done, error) {
		return s.Journal.Apply(c.Context(), n, edits.Edit{Person: person, Window: window, Seq: a.Seq, Target: "base", Ops: []edits.Op{{Op: "replace", Path: "/name", Value: value}}, Label: "Setup named " + clipped(name, 80), Called: clipped(a.Called, 60)})
	})
}

// ArchiveAsk puts a setup away, or back.
type ArchiveAsk struct {
	Archived bool `json:"archived"`
}

func (s *Server) archiveSetup(c fiber.Ctx) error {
	var a ArchiveAsk
	if err := decode(c, questionLimit, &a); err != nil {
		return err
	}
	return s.shelved(c, func(n int64) error { return s.Journal.Archive(c.Context(), n, a.Archived) })
}

func (s *Server) removeSetup(c fiber.Ctx) error {
	return s.shelved(c, func(n int64) error { return s.Journal.Remove(c.Context(), n) })
}

func (s *Server) restoreSetup(c fiber.Ctx) error {
	return s.shelved(c, func(n int64) error { return s.Journal.BringBack(c.Context(), n) })
}

func (s *Server) shelved(c fiber.Ctx, do func(n int64) error) error {
	n, err := id(c)
	if err != nil {
		return err
	}
	if personOf(c.Cookies(cookie)) == "" {
		return errStranger
	}
	if err := do(n); err != nil {
		return err
	}
	return c.JSON(true)
}
