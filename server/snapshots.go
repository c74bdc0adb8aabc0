package server

import (
	"encoding/json"
	"errors"
	"fmt"
	"strconv"
	"strings"

	"github.com/gofiber/fiber/v3"
	"willowherb/ask"
	"willowherb/core/contrast"
	"willowherb/core/lamps"
	"willowherb/core/setup"
	"willowherb/journal"
	"willowherb/refine"
	"willowherb/store"
)

func (s *Server) snapshotRoutes(api fiber.Router) {
	api.Get("/setups/:id/snapshots", s.snapshots)
	api.Post("/setups/:id/snapshots", s.keepSnapshot)
	api.Put("/setups/:id/snapshots/:snapshot", s.renameSnapshot)
	api.Delete("/setups/:id/snapshots/:snapshot", s.forgetSnapshot)
	api.Get("/setups/:id/snapshots/:snapshot/picture", s.snapshotPicture)
	api.Post("/setups/:id/aside", s.aside)
	api.Get("/setups/:id/compare", s.compare)
}

func (s *Server) snapshots(c fiber.Ctx) error {
	n, err := id(c)
	if err != nil {
		return err
	}
	all, err := s.Journal.Snapshots(c.Context(), n)
	if err != nil {
		return err
	}
	return c.JSON(append([]journal.Snapshot{}, all...))
}

// SnapshotAsk asks to keep the present state, or gives a snapshot a name.
type SnapshotAsk struct {
	Name string `json:"name"`
	View string `json:"view"`
}

func snapshotAsk(c fiber.Ctx) (a SnapshotAsk, err error) {
	if err = decode(c, questionLimit, &a); err != nil {
		return a, err
	}
	if a.Name = strings.TrimSpace(a.Name); a.Name == "" || len(a.Name) > 200 {
		return a, wrong("give the snapshot a name of up to 200 letters")
	}
	return a, nil
}

func (s *Server) keepSnapshot(c fiber.Ctx) error {
	a, err := snapshotAsk(c)
	if err != nil {
		return err
	}
	person := personOf(c.Cookies(cookie))
	if person == "" {
		return errStranger
	}
	r, p, err := s.opened(c)
	if err != nil {
		return err
	}
	shot, err := p.Shot(c.Context())
	if err != nil {
		return err
	}
	doc, revision := r.Document() // with its looks; what the shot has is one of them
	png, err := s.desk.Small(c.Context(), shot, a.View)
	if err != nil {
		return err
	}
	n, err := id(c)
	if err != nil {
		return err
	}
	kept, err := s.Journal.Keep(c.Context(), n, journal.Snapshot{Name: a.Name, Revision: revision, View: a.View, Person: person, Doc: doc, Picture: png})
	if err != nil {
		return err
	}
	return c.JSON(kept)
}

// numbered are the setup and snapshot that a request names.
func numbered(c fiber.Ctx) (of, snapshot int64, err error) {
	if of, err = id(c); err != nil {
		return 0, 0, err
	}
	if snapshot, err = strconv.ParseInt(c.Params("snapshot"), 10, 64); err != nil {
		return 0, 0, fmt.Errorf("snapshot %.40q: %w", c.Params("snapshot"), store.ErrNotFound)
	}
	return of, snapshot, nil
}

func (s *Server) renameSnapshot(c fiber.Ctx) error {
	a, err := snapshotAsk(c)
	if err != nil {
		return err
	}
	of, snapshot, err := numbered(c)
	if err != nil {
		return err
	}
	if err := s.Journal.NameSnapshot(c.Context(), of, snapshot, a.Name); err != nil {
		return err
	}
	return c.JSON(true)
}

func (s *Server) forgetSnapshot(c fiber.Ctx) error {
	of, snapshot, err := numbered(c)
	if err != nil {
		return err
	}
	if err := s.Journal.ForgetSnapshot(c.Context(), of, snapshot); err != nil {
		return err
	}
	return c.JSON(true)
}

func (s *Server) snapshotPicture(c fiber.Ctx) error {
	of, snapshot, err := numbered(c)
	if err != nil {
		return err
	}
	p, err := s.Journal.Snapshot(c.Context(), of, snapshot)
	if err != nil {
		return err
	}
	c.Set("Content-Type", "image/png")
	c.Set("Cache-Control", "private, max-age=86400, immutable")
	return c.Send(p.Picture)
}

// AsideAsk asks for the layers of snapshots beside the present state; none ends it.
type AsideAsk struct {
	Window    string  `json:"window"`
	Snapshots []int64 `json:"snapshots"`
}

// Aside is a snapshot as a window composes it.
type Aside struct {
	ID       int64                      `json:"id"`
	Name     string                     `json:"name"`
	Document json.RawMessage            `json:"document"`
	Lamps    map[string]refine.LampFact `json:"lamps"`
}

func (s *Server) aside(c fiber.Ctx) error {
	var a AsideAsk
	if err := decode(c, questionLimit, &a); err != nil {
		return err
	}
	if len(a.Snapshots) > 2 {
		return wrong("two snapshots can be compared at a time")
	}
	_, window, err := own(c, a.Window)
	if err != nil {
		return err
	}
	r, p, err := s.opened(c)
	if err != nil {
		return err
	}
	w, err := r.Window(window)
	if err != nil {
		return err
	}
	shot, err := p.Shot(c.Context())
	if err != nil {
		return err
	}
	out := []Aside{}
	var docs []*setup.Setup
	for _, n := range a.Snapshots {
		kept, err := s.Journal.Snapshot(c.Context(), r.ID, n)
		if err != nil {
			return err
		}
		lit, err := shot.Lay(c.Context(), kept.Doc)
		if err != nil {
			return err
		}
		docs = append(docs, kept.Doc)
		out = append(out, Aside{kept.ID, kept.Name, lamps.Shown(kept.Doc).JSON(), refine.Facts(lit)})
	}
	r.Aside(w, docs)
	return c.JSON(out)
}

// compare measures two states (0 is the present one) in the picture of a sight;
// null while a layer is still on its way.
func (s *Server) compare(c fiber.Ctx) error {
	r, p, err := s.opened(c)
	if err != nil {
		return err
	}
	var docs [2]*setup.Setup
	for i, q := range []string{c.Query("a"), c.Query("b")} {
		n, err := strconv.ParseInt(q, 10, 64)
		if err != nil {
			return fmt.Errorf("snapshot %.40q: %w", q, store.ErrNotFound)
		}
		if n == 0 {
			continue
		}
		kept, err := s.Journal.Snapshot(c.Context(), r.ID, n)
		if err != nil {
			return err
		}
		docs[i] = kept.Doc
	}
	a, ok, err := s.desk.Compare(c.Context(), p, c.Query("sight"), c.Query("view"), docs[0], docs[1])
	if errors.Is(err, ask.ErrUnknown) || err == nil && !ok {
		return c.JSON((*contrast.Notice)(nil))
	}
	if err != nil {
		return err
	}
	return c.JSON(a)
}
