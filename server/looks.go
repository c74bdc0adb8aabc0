package server

import (
	"github.com/gofiber/fiber/v3"
	"willowherb/ask"
	"willowherb/core/setup"
	"willowherb/refine"
)

func (s *Server) lookRoutes(api fiber.Router) {
	api.Get("/setups/:id/looks", func(c fiber.Ctx) error {
		doc, _, err := s.document(c)
		if err != nil {
			return err
		}
		out, err := ask.Looks(doc)
		if err != nil {
			return err
		}
		return c.JSON(out)
	})
	api.Get("/setups/:id/looks/picture", s.lookPicture)
	api.Post("/setups/:id/looks/blend", onDocument(s, ask.Blend))
	api.Post("/setups/:id/looks/merge", onDocument(s, ask.Merge))
}

// document is the setup that a request names as it is kept, with its looks.
func (s *Server) document(c fiber.Ctx) (*setup.Setup, *refine.Pictures, error) {
	r, p, err := s.opened(c)
	if err != nil {
		return nil, nil, err
	}
	doc, _ := r.Document()
	return doc, p, nil
}

// onDocument is a handler for questions that a document alone answers.
func onDocument[Q, T any](s *Server, do func(doc *setup.Setup, q Q) (T, error)) fiber.Handler {
	return func(c fiber.Ctx) error {
		var q Q
		if err := decode(c, questionLimit, &q); err != nil {
			return err
		}
		doc, _, err := s.document(c)
		if err != nil {
			return err
		}
		out, err := do(doc, q)
		if err != nil {
			return err
		}
		return c.JSON(out)
	}
}

func (s *Server) lookPicture(c fiber.Ctx) error {
	doc, p, err := s.document(c)
	if err != nil {
		return err
	}
	leave, err := s.heavy.enter(c.Context())
	if err != nil {
		return err
	}
	defer leave()
	look, view := c.Query("look"), c.Query("view")
	_, worn := doc.Looks[look]
	if _, ok := doc.Views[view]; !ok || !worn && look != "" {
		return c.SendStatus(fiber.StatusNoContent) // taken away since the page asked, or not made yet
	}
	png, err := s.desk.LookPicture(c.Context(), p, doc, look, view)
	if err != nil {
		return err
	}
	c.Set("Content-Type", "image/png")
	c.Set("Cache-Control", "private, max-age=86400")
	return c.Send(png)
}
