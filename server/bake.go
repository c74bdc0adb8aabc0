package server

import (
	"strconv"

	"github.com/gofiber/fiber/v3"
	"willowherb/ask"
	"willowherb/core/baking"
	"willowherb/core/vec"
	"willowherb/farm"
	"willowherb/refine"
)

func (s *Server) bakeRoutes(api fiber.Router) {
	api.Get("/setups/:id/bake", onSetup(s, false, func(c fiber.Ctx, p *refine.Pictures, n int64) (*ask.BakeState, error) {
		return s.desk.Bake(c.Context(), p, n)
	}))
	api.Post("/setups/:id/bake/:quality", onSetup(s, false, func(c fiber.Ctx, p *refine.Pictures, n int64) (*farm.Status, error) {
		return s.desk.AskBake(c.Context(), p, n, c.Params("quality"))
	}))
	api.Put("/setups/:id/bake/:how", onSetup(s, false, func(c fiber.Ctx, _ *refine.Pictures, n int64) (*farm.Status, error) {
		return s.desk.TurnBake(c.Context(), n, c.Params("how"))
	}))
	api.Get("/setups/:id/bake/estimate/:quality", onSetup(s, true, func(c fiber.Ctx, p *refine.Pictures, _ int64) (*baking.Estimate, error) {
		return s.desk.EstimateBake(c.Context(), p, c.Params("quality"))
	}))
	api.Get("/setups/:id/bake/at", onSetup(s, true, func(c fiber.Ctx, p *refine.Pictures, n int64) (*ask.BakedAt, error) {
		at, err := placeOf(c)
		if err != nil {
			return nil, err
		}
		return s.desk.BakedAt(c.Context(), p, n, at)
	}))
	api.Get("/setups/:id/bake/probes", onSetup(s, true, func(c fiber.Ctx, p *refine.Pictures, n int64) ([]ask.ProbeDot, error) {
		return s.desk.Dots(c.Context(), p, n)
	}))
	api.Get("/setups/:id/bake/strengths/:frame", onSetup(s, true, func(c fiber.Ctx, p *refine.Pictures, _ int64) ([]ask.GivesBaked, error) {
		return s.desk.Strengths(c.Context(), p, c.Params("frame"))
	}))
	api.Get("/setups/:id/bake/differs/:frame", onSetup(s, true, func(c fiber.Ctx, p *refine.Pictures, n int64) (any, error) {
		b, err := s.desk.BakePicture(c.Context(), p, n, c.Params("frame"), ask.ShowDifference)
		if err != nil || b == nil {
			return nil, err
		}
		return b.Differs, nil
	}))
	api.Get("/setups/:id/bake/page/:page", s.bakePage)
	api.Get("/setups/:id/bake/picture/:frame", s.bakePicture)
}

// onSetup is a handler for what is asked of a setup by its number.
func onSetup[T any](s *Server, heavy bool, do func(c fiber.Ctx, p *refine.Pictures, n int64) (T, error)) fiber.Handler {
	return func(c fiber.Ctx) error {
		n, err := id(c)
		if err != nil {
			return err
		}
		return answer(s, c, heavy, func(p *refine.Pictures) (T, error) { return do(c, p, n) })
	}
}

func placeOf(c fiber.Ctx) (vec.V3, error) {
	var at [3]float64
	for k, name := range []string{"x", "y", "z"} {
		v, err := strconv.ParseFloat(c.Query(name), 64)
		if err != nil || !(v >= -1e6 && v <= 1e6) {
			return vec.V3{}, wrong("the question names no place")
		}
		at[k] = v
	}
	return vec.Of(at), nil
}

// png sends the picture that do makes, in its turn; no content where that is nothing.
func (s *Server) png(c fiber.Ctx, do func(p *refine.Pictures, n int64) ([]byte, error)) error {
	return s.file(c, "image/png", do)
}

// file sends what do makes, in its turn; no content where that is nothing.
func (s *Server) file(c fiber.Ctx, kind string, do func(p *refine.Pictures, n int64) ([]byte, error)) error {
	n, err := id(c)
	if err != nil {
		return err
	}
	_, p, err := s.opened(c)
	if err != nil {
		return err
	}
	leave, err := s.heavy.enter(c.Context())
	if err != nil {
		return err
	}
	defer leave()
	data, err := do(p, n)
	if err != nil {
		return err
	}
	if data == nil {
		return c.SendStatus(fiber.StatusNoContent)
	}
	c.Set("Content-Type", kind)
	c.Set("Cache-Control", "no-store")
	return c.Send(data)
}

func (s *Server) bakePage(c fiber.Ctx) error {
	page, err := strconv.Atoi(c.Params("page"))
	if err != nil {
		return wrong("no page is named")
	}
	return s.png(c, func(p *refine.Pictures, n int64) ([]byte, error) { return s.desk.BakePage(c.Context(), p, n, page) })
}

func (s *Server) bakePicture(c fiber.Ctx) error {
	return s.png(c, func(p *refine.Pictures, n int64) ([]byte, error) {
		b, err := s.desk.BakePicture(c.Context(), p, n, c.Params("frame"), ask.BakeShow(c.Query("show")))
		if err != nil || b == nil {
			return nil, err
		}
		return b.PNG, nil
	})
}
