package server

import (
	"bufio"
	"fmt"
	"log/slog"
	"slices"
	"strconv"

	"github.com/gofiber/fiber/v3"
	"willowherb/ask"
	"willowherb/core/finals"
	"willowherb/farm"
	"willowherb/refine"
)

func (s *Server) finalRoutes(api fiber.Router) {
	api.Get("/queue", func(c fiber.Ctx) error {
		o, err := s.Farm.Overview(c.Context())
		if err != nil {
			return err
		}
		return c.JSON(o)
	})
	api.Get("/setups/:id/finals", onSetup(s, false, func(c fiber.Ctx, p *refine.Pictures, n int64) (*ask.FinalState, error) {
		return s.desk.Finals(c.Context(), p, n)
	}))
	api.Post("/setups/:id/finals", s.askFinals)
	api.Put("/setups/:id/finals/:final/:how", onSetup(s, false, func(c fiber.Ctx, p *refine.Pictures, n int64) (*ask.FinalState, error) {
		final, err := numberOf(c, "final")
		if err != nil {
			return nil, err
		}
		return s.desk.TurnFinals(c.Context(), p, n, final, c.Params("how"))
	}))
	api.Get("/setups/:id/finals/:final/all.:kind", s.finalsZip)
	api.Get("/setups/:id/finals/:final/:frame.:kind", s.finalFrame)
}

// askFinals asks for frames of the setup as it was edited: what pictures have is without its zones.
func (s *Server) askFinals(c fiber.Ctx) error {
	n, err := id(c)
	if err != nil {
		return err
	}
	return asked(s, false, func(c fiber.Ctx, p *refine.Pictures, o finals.Order) (*ask.FinalState, error) {
		r, _, err := s.opened(c)
		if err != nil {
			return nil, err
		}
		doc, revision := r.Document()
		return s.desk.AskFinals(c.Context(), p, n, doc, revision, o)
	})(c)
}

func numberOf(c fiber.Ctx, name string) (int64, error) {
	n, err := strconv.ParseInt(c.Params(name), 10, 64)
	if err != nil {
		return 0, wrong("the question names no %s", name)
	}
	return n, nil
}

// finalOf are the setup and the final frames that a request names.
func finalOf(c fiber.Ctx) (of, final int64, err error) {
	if of, err = id(c); err == nil {
		final, err = numberOf(c, "final")
	}
	return of, final, err
}

var errNoFrame = &refusal{404, "This frame is not made yet.", "Wait for it, or ask for it again."}

// finalFrame sends a frame's file.
func (s *Server) finalFrame(c fiber.Ctx) error {
	n, final, err := finalOf(c)
	if err != nil {
		return err
	}
	frame, err := numberOf(c, "frame")
	if err != nil {
		return err
	}
	kind := c.Params("kind")
	data, err := s.Farm.Frame(c.Context(), n, final, int(frame), kind)
	if err != nil {
		return err
	}
	if data == nil {
		return errNoFrame
	}
	c.Set("Content-Type", map[string]string{"exr": "image/x-exr"}[kind])
	if kind != "exr" {
		c.Set("Content-Type", "image/png")
	}
	if c.Query("save") != "" {
		c.Set("Content-Disposition", fmt.Sprintf(`attachment; filename="frame-%04d.%s"`, frame+1, kind))
	}
	c.Set("Cache-Control", "no-store")
	return c.Send(data)
}

// finalsZip sends all frames that are made, one file after the other.
func (s *Server) finalsZip(c fiber.Ctx) error {
	n, final, err := finalOf(c)
	if err != nil {
		return err
	}
	kind := c.Params("kind")
	all, err := s.Farm.Finals(c.Context(), n)
	if err != nil {
		return err
	}
	i := slices.IndexFunc(all, func(f farm.FinalStatus) bool { return f.ID == final })
	if i < 0 || len(all[i].Made) == 0 || kind != "png" && kind != "exr" {
		return errNoFrame
	}
	c.Set("Content-Type", "application/zip")
	c.Set("Content-Disposition", fmt.Sprintf(`attachment; filename="frames-%d-%s.zip"`, final, kind))
	ctx := s.ctx
	return c.SendStreamWriter(func(w *bufio.Writer) {
		if err := s.Farm.Zip(ctx, w, n, final, all[i].Made, kind); err != nil {
			slog.Warn("frames were not sent whole", "final", final, "err", err)
		}
	})
}
