package server

import (
	"strconv"

	"github.com/gofiber/fiber/v3"
	"willowherb/core/edits"
	"willowherb/core/setup"
	"willowherb/journal"
)

func (s *Server) editRoutes(api fiber.Router) {
	api.Post("/setups/:id/edits", s.edit)
	api.Post("/setups/:id/undo", s.undo)
	api.Post("/setups/:id/revert", s.revert)
	api.Get("/setups/:id/history", s.history)
	api.Get("/setups/:id/next", s.nextDeeds)
}

// Answer acknowledges an edit: it is in the journal.
type Answer struct {
	Revision int64    `json:"revision"`
	Label    string   `json:"label"`
	Kept     []string `json:"kept"` // places an undo left alone
	Undo     string   `json:"undo"` // what the person could take back next
	Redo     string   `json:"redo"`
	// Nothing says that the edit changes nothing: no news of it will come.
	Nothing bool `json:"nothing,omitempty"`
}

// EditAsk is an edit as a window sends it. Whose it is, the server knows.
type EditAsk struct {
	Window  string     `json:"window"`
	Seq     int64      `json:"seq"`
	Gesture string     `json:"gesture,omitempty"`
	Base    int64      `json:"base"`
	Target  string     `json:"target"`
	Ops     []edits.Op `json:"ops"`
	Label   string     `json:"label"`
	Called  string     `json:"called,omitempty"` // what the person is called
}

func (s *Server) edit(c fiber.Ctx) error {
	var a EditAsk
	if err := decode(c, editLimit, &a); err != nil {
		return err
	}
	person, window, err := own(c, a.Window)
	if err != nil {
		return err
	}
	if len(a.Label) > 400 || len(a.Gesture) > 100 {
		return wrong("the edit's words are too long")
	}
	if a.Target != "" && a.Target != "base" {
		return wrong("edits can go to the base only")
	}
	return s.take(c, func(n int64) (*journal.Done, error) {
		return s.Journal.Apply(c.Context(), n, edits.Edit{Person: person, Window: window, Seq: a.Seq, Gesture: a.Gesture, Base: a.Base, Target: "base", Ops: a.Ops, Label: a.Label, Called: clipped(a.Called, 60)})
	})
}

// UndoAsk asks to take back, or with Redo to do again.
type UndoAsk struct {
	Window string `json:"window"`
	Seq    int64  `json:"seq"`
	Redo   bool   `json:"redo"`
	Called string `json:"called,omitempty"`
}

func (s *Server) undo(c fiber.Ctx) error {
	var a UndoAsk
	if err := decode(c, questionLimit, &a); err != nil {
		return err
	}
	person, window, err := own(c, a.Window)
	if err != nil {
		return err
	}
	return s.take(c, func(n int64) (*journal.Done, error) {
		return s.Journal.Undo(c.Context(), n, edits.Edit{Person: person, Window: window, Seq: a.Seq, Called: clipped(a.Called, 60)}, a.Redo)
	})
}

// RevertAsk asks for the state of a revision, or of a snapshot if one is named.
type RevertAsk struct {
	Window   string `json:"window"`
	Called   string `json:"called,omitempty"`
	Seq      int64  `json:"seq"`
	Revision int64  `json:"revision"`
	Snapshot int64  `json:"snapshot,omitempty"`
	Label    string `json:"label"`
}

func (s *Server) revert(c fiber.Ctx) error {
	var a RevertAsk
	if err := decode(c, questionLimit, &a); err != nil {
		return err
	}
	person, window, err := own(c, a.Window)
	if err != nil {
		return err
	}
	if len(a.Label) > 400 {
		return wrong("the edit's words are too long")
	}
	return s.take(c, func(n int64) (*journal.Done, error) {
		var doc *setup.Setup
		if a.Snapshot != 0 {
			p, err := s.Journal.Snapshot(c.Context(), n, a.Snapshot)
			if err != nil {
				return nil, err
			}
			doc = p.Doc
		}
		return s.Journal.Revert(c.Context(), n, edits.Edit{Person: person, Window: window, Seq: a.Seq, Label: a.Label, Called: clipped(a.Called, 60)}, a.Revision, doc)
	})
}

// take does an edit to the setup that the request names and tells the room of it.
// Once it is in the journal nothing can fail the answer.
func (s *Server) take(c fiber.Ctx, do func(int64) (*journal.Done, error)) error {
	n, err := id(c)
	if err != nil {
		return err
	}
	d, err := do(n)
	if err != nil {
		return err
	}
	return c.JSON(s.taken(n, d))
}

func (s *Server) taken(n int64, d *journal.Done) Answer {
	s.Hall.Changed(n, d)
	if !d.Repeat {
		s.figures.edits.Inc()
	}
	return Answer{d.Revision, d.Edit.Label, append([]string{}, d.Kept...), d.Undo, d.Redo, d.Nothing}
}

func (s *Server) nextDeeds(c fiber.Ctx) error {
	n, err := id(c)
	if err != nil {
		return err
	}
	person := personOf(c.Cookies(cookie))
	if person == "" {
		return errStranger
	}
	undo, redo, err := s.Journal.Next(c.Context(), n, person)
	if err != nil {
		return err
	}
	return c.JSON(Answer{Kept: []string{}, Undo: undo, Redo: redo})
}

func (s *Server) history(c fiber.Ctx) error {
	n, err := id(c)
	if err != nil {
		return err
	}
	before, _ := strconv.ParseInt(c.Query("before", "0"), 10, 64)
	lines, err := s.Journal.History(c.Context(), n, before, 80)
	if err != nil {
		return err
	}
	return c.JSON(append([]journal.Line{}, lines...))
}
