package server

import (
	"encoding/json"
	"errors"
	"fmt"
	"strconv"
	"strings"

	"github.com/gofiber/fiber/v3"
	"willowherb/bench"
	"willowherb/core/setup"
	"willowherb/core/weigh"
	"willowherb/store"
)

// RevertAsk asks for the state of a revision, or of a snapshot if one is named.
type RevertAsk struct {
	Person   string `json:"person"`
	Window   string `json:"window"`
	Called   string `json:"called,omitempty"`
	Seq      int64  `json:"seq"`
	Revision int64  `json:"revision"`
	Snapshot int64  `json:"snapshot,omitempty"`
	Label    string `json:"label"`
}

func (s *Server) revert(c fiber.Ctx) error {
	var a RevertAsk
	if err := json.Unmarshal(c.Body(), &a); err != nil || a.Person == "" || a.Window == "" || len(a.Label) > 400 {
		return fmt.Errorf("%w: the request does not say whose it is", errEdit)
	}
	return s.apply(c, a.Person, func(n int64) (*store.Done, error) {
		var doc []byte
		if a.Snapshot != 0 {
			p, err := s.store.Snapshot(c.Context(), n, a.Snapshot)
			if err != nil {
				return nil, err
			}
			doc = p.Document
		}
		return s.store.Revert(c.Context(), n, setup.Edit{Person: a.Person, Window: a.Window, Seq: a.Seq, Label: a.Label, Called: clipped(a.Called, 60)}, a.Revision, doc)
	})
}

func (s *Server) history(c fiber.Ctx) error {
	n, err := id(c)
	if err != nil {
		return err
	}
	before, _ := strconv.ParseInt(c.Query("before", "0"), 10, 64)
	lines, err := s.store.History(c.Context(), n, before, 80)
	if err != nil {
		return err
	}
	return c.JSON(append([]store.Line{}, lines...))
}

func (s *Server) snapshots(c fiber.Ctx) error {
	n, err := id(c)
	if err != nil {
		return err
	}
	all, err := s.store.Snapshots(c.Context(), n)
	if err != nil {
		return err
	}
	return c.JSON(append([]store.Snapshot{}, all...))
}

// SnapshotAsk asks to keep the present state, or gives a snapshot a name.
type SnapshotAsk struct {
	Name   string `json:"name"`
	View   string `json:"view"`
	Person string `json:"person"`
}

func (s *Server) snapshotAsk(c fiber.Ctx) (a SnapshotAsk, err error) {
	if err = json.Unmarshal(c.Body(), &a); err != nil || strings.TrimSpace(a.Name) == "" || len(a.Name) > 200 {
		return a, fmt.Errorf("%w: give the snapshot a name of up to 200 letters", errEdit)
	}
	return a, nil
}

func (s *Server) keepSnapshot(c fiber.Ctx) error {
	a, err := s.snapshotAsk(c)
	if err != nil {
		return err
	}
	open, err := s.opened(c)
	if err != nil {
		return err
	}
	doc, revision := open.Document()
	png, err := open.Small(a.View)
	if err != nil {
		return err
	}
	p, err := s.store.Keep(c.Context(), open.ID, store.Snapshot{Name: strings.TrimSpace(a.Name), Revision: revision, View: a.View, Person: a.Person, Document: doc, Picture: png})
	if err != nil {
		return err
	}
	return c.JSON(p)
}

// numbered are the setup and snapshot that a request names.
func numbered(c fiber.Ctx) (of, snapshot int64, err error) {
	if of, err = id(c); err != nil {
		return 0, 0, err
	}
	if snapshot, err = strconv.ParseInt(c.Params("snapshot"), 10, 64); err != nil {
		return 0, 0, fmt.Errorf("snapshot %q: %w", c.Params("snapshot"), store.ErrNotFound)
	}
	return of, snapshot, nil
}

func (s *Server) renameSnapshot(c fiber.Ctx) error {
	a, err := s.snapshotAsk(c)
	if err != nil {
		return err
	}
	of, snapshot, err := numbered(c)
	if err != nil {
		return err
	}
	if err := s.store.Rename(c.Context(), of, snapshot, strings.TrimSpace(a.Name)); err != nil {
		return err
	}
	return c.JSON(true)
}

func (s *Server) forgetSnapshot(c fiber.Ctx) error {
	of, snapshot, err := numbered(c)
	if err != nil {
		return err
	}
	if err := s.store.Forget(c.Context(), of, snapshot); err != nil {
		return err
	}
	return c.JSON(true)
}

func (s *Server) snapshotPicture(c fiber.Ctx) error {
	of, snapshot, err := numbered(c)
	if err != nil {
		return err
	}
	p, err := s.store.Snapshot(c.Context(), of, snapshot)
	if err != nil {
		return err
	}
	c.Set("Content-Type", "image/png")
	c.Set("Cache-Control", "private, max-age=86400")
	return c.Send(p.Picture)
}

// AsideAsk asks for the layers of snapshots beside the present state; none ends it.
type AsideAsk struct {
	Window    string  `json:"window"`
	Snapshots []int64 `json:"snapshots"`
}

// Aside is a snapshot as a window composes it.
type Aside struct {
	ID       int64                     `json:"id"`
	Name     string                    `json:"name"`
	Document json.RawMessage           `json:"document"`
	Lamps    map[string]bench.LampFact `json:"lamps"`
}

func (s *Server) aside(c fiber.Ctx) error {
	var a AsideAsk
	if err := json.Unmarshal(c.Body(), &a); err != nil || len(a.Snapshots) > 2 {
		return fmt.Errorf("%w: two snapshots can be compared at a time", errEdit)
	}
	open, err := s.opened(c)
	if err != nil {
		return err
	}
	out := []Aside{}
	var docs []*setup.Setup
	for _, n := range a.Snapshots {
		p, err := s.store.Snapshot(c.Context(), open.ID, n)
		if err != nil {
			return err
		}
		doc, err := setup.Parse(p.Document)
		if err != nil {
			return err
		}
		docs = append(docs, doc)
		out = append(out, Aside{ID: p.ID, Name: p.Name, Document: p.Document})
	}
	facts, err := open.Aside(a.Window, docs)
	if err != nil {
		return err
	}
	for i := range out {
		out[i].Lamps = facts[i]
	}
	return c.JSON(out)
}

// compare measures two states (0 is the present one) in the picture of a sight;
// null while a layer is still on its way.
func (s *Server) compare(c fiber.Ctx) error {
	open, err := s.opened(c)
	if err != nil {
		return err
	}
	var docs [2]*setup.Setup
	for i, q := range []string{c.Query("a"), c.Query("b")} {
		n, err := strconv.ParseInt(q, 10, 64)
		if err != nil {
			return fmt.Errorf("snapshot %q: %w", q, store.ErrNotFound)
		}
		if n == 0 {
			continue
		}
		p, err := s.store.Snapshot(c.Context(), open.ID, n)
		if err != nil {
			return err
		}
		if docs[i], err = setup.Parse(p.Document); err != nil {
			return err
		}
	}
	r, ok, err := open.Compare(c.Query("sight"), c.Query("view"), docs[0], docs[1])
	if errors.Is(err, bench.ErrUnknown) || err == nil && !ok {
		return c.JSON((*weigh.Notice)(nil))
	}
	if err != nil {
		return err
	}
	return c.JSON(r)
}
