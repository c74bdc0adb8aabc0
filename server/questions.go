package server

import (
	"context"
	"slices"
	"strconv"

	"github.com/gofiber/fiber/v3"
	"willowherb/ask"
	"willowherb/core/checks"
	"willowherb/core/colour"
	"willowherb/core/contrast"
	"willowherb/core/plot"
	"willowherb/core/weigh"
	"willowherb/refine"
)

func (s *Server) questionRoutes(api fiber.Router) {
	api.Post("/setups/:id/weigh", asked(s, true, func(c fiber.Ctx, p *refine.Pictures, q ask.Point) (*weigh.Reading, error) {
		if !inPicture(q.X, q.Y) {
			return nil, errPoint
		}
		return s.desk.Weigh(c.Context(), p, q)
	}))
	api.Post("/setups/:id/placement", asked(s, false, func(c fiber.Ctx, p *refine.Pictures, q ask.PlaceAsk) (*ask.Placed, error) {
		if !inPicture(q.X, q.Y, q.FromX, q.FromY) {
			return nil, errPoint
		}
		return s.desk.Place(c.Context(), p, q)
	}))
	api.Post("/setups/:id/step", asked(s, false, func(c fiber.Ctx, p *refine.Pictures, q ask.StepAsk) (*ask.Stepped, error) {
		return s.desk.Step(c.Context(), p, q)
	}))
	api.Post("/setups/:id/moods", asked(s, true, func(c fiber.Ctx, p *refine.Pictures, q ask.RigAsk) ([]ask.MoodPicture, error) {
		return s.desk.Moods(c.Context(), p, q)
	}))
	api.Post("/setups/:id/rig", asked(s, false, func(c fiber.Ctx, p *refine.Pictures, q ask.RigAsk) (*ask.RigAnswer, error) {
		return s.desk.Rig(c.Context(), p, q)
	}))
	api.Post("/setups/:id/plot", asked(s, false, s.plot))
	api.Post("/setups/:id/balls", asked(s, true, func(c fiber.Ctx, p *refine.Pictures, q ask.Point) (*ask.BallsAnswer, error) {
		if !inPicture(q.X, q.Y) {
			return nil, errPoint
		}
		return s.desk.Balls(c.Context(), p, q)
	}))
	api.Post("/setups/:id/walk", asked(s, true, func(c fiber.Ctx, p *refine.Pictures, q ask.WalkAsk) (*ask.WalkAnswer, error) {
		return s.desk.Walk(c.Context(), p, q)
	}))
	api.Get("/setups/:id/exposed", func(c fiber.Ctx) error {
		return answer(s, c, false, func(p *refine.Pictures) (*ask.Exposed, error) {
			return s.desk.Exposed(c.Context(), p, c.Query("view"))
		})
	})
	api.Get("/setups/:id/contrast", s.contrast)
	api.Get("/setups/:id/rigs/:group", s.saveRig)
	api.Get("/setups/:id/notice", answered(s, true, s.desk.Notice))
	api.Get("/setups/:id/who", answered(s, true, s.desk.Who))
	api.Get("/setups/:id/snags", answered(s, true, s.desk.Snags))
	api.Get("/setups/:id/stage", answered(s, false, s.desk.Facts))
	api.Get("/setups/:id/shadow/:light", func(c fiber.Ctx) error {
		return answer(s, c, true, func(p *refine.Pictures) (map[string]checks.Effect, error) {
			return s.desk.ShadowEffects(c.Context(), p, c.Params("light"))
		})
	})
	api.Get("/warmth", warmth)
}

// answer answers what do finds in the setup that is named; what is heavy waits for
// its turn.
func answer[T any](s *Server, c fiber.Ctx, heavy bool, do func(p *refine.Pictures) (T, error)) error {
	_, p, err := s.opened(c)
	if err != nil {
		return err
	}
	if heavy {
		leave, err := s.heavy.enter(c.Context())
		if err != nil {
			return err
		}
		defer leave()
	}
	a, err := do(p)
	if err != nil {
		return err
	}
	return c.JSON(a)
}

// answered is a handler for a question that needs no words.
func answered[T any](s *Server, heavy bool, do func(ctx context.Context, p *refine.Pictures) (T, error)) fiber.Handler {
	return func(c fiber.Ctx) error {
		return answer(s, c, heavy, func(p *refine.Pictures) (T, error) { return do(c.Context(), p) })
	}
}

// asked is a handler for questions that come as JSON.
func asked[Q, T any](s *Server, heavy bool, do func(c fiber.Ctx, p *refine.Pictures, q Q) (T, error)) fiber.Handler {
	return func(c fiber.Ctx) error {
		var q Q
		if err := decode(c, questionLimit, &q); err != nil {
			return err
		}
		return answer(s, c, heavy, func(p *refine.Pictures) (T, error) { return do(c, p, q) })
	}
}

var errPoint = wrong("the question names no point of the picture")

// inPicture tells positions that lie in the picture.
func inPicture(v ...float64) bool {
	return !slices.ContainsFunc(v, func(x float64) bool { return !(x >= 0 && x <= 1) })
}

// plot makes the plot of a subject; a drag under way in the window counts.
func (s *Server) plot(c fiber.Ctx, p *refine.Pictures, q ask.PlotAsk) (*plot.Plot, error) {
	var eye int64
	if _, window, err := own(c, c.Query("window")); err == nil {
		n, err := id(c)
		if err != nil {
			return nil, err
		}
		r, err := s.Hall.Open(c.Context(), n)
		if err != nil {
			return nil, err
		}
		if w, err := r.Window(window); err == nil {
			eye = w.ID()
		}
	}
	return s.desk.Plot(c.Context(), p, eye, q)
}

// contrast answers how a figure stands against what is behind it; null where its
// outline is not to be seen.
func (s *Server) contrast(c fiber.Ctx) error {
	object, err := strconv.Atoi(c.Query("object"))
	if err != nil {
		return wrong("no object is named")
	}
	ev, err := strconv.ParseFloat(c.Query("ev"), 64)
	if err != nil || !(ev >= -40 && ev <= 40) {
		return wrong("no exposure is named")
	}
	return answer(s, c, false, func(p *refine.Pictures) (*contrast.Contrast, error) {
		a, ok, err := s.desk.Contrast(c.Context(), p, c.Query("sight"), object, ev)
		if err != nil || !ok {
			return nil, err
		}
		return &a, nil
	})
}

// saveRig is a rig as a template to keep.
func (s *Server) saveRig(c fiber.Ctx) error {
	u, err := s.setup(c)
	if err != nil {
		return err
	}
	t, err := ask.SaveRig(u.Doc, c.Params("group"))
	if err != nil {
		return err
	}
	c.Attachment(t.Name + " rig.json")
	c.Set("Content-Type", "application/json")
	return c.Send(t.JSON())
}

// Warmth is a table of colour temperatures: luminance-1 linear colours, even in
// mired, from the warmest to the coolest. The browser only interpolates it.
type Warmth struct {
	MinKelvin float64      `json:"minKelvin"`
	MaxKelvin float64      `json:"maxKelvin"`
	Colours   []colour.RGB `json:"colours"`
}

func warmth(c fiber.Ctx) error {
	const steps = 1024
	w := Warmth{MinKelvin: colour.MinKelvin, MaxKelvin: colour.MaxKelvin}
	for i := range steps + 1 {
		m := 1e6/colour.MinKelvin + (1e6/colour.MaxKelvin-1e6/colour.MinKelvin)*float64(i)/steps
		w.Colours = append(w.Colours, colour.Temperature(1e6/m))
	}
	c.Set("Cache-Control", "private, max-age=3600")
	return c.JSON(w)
}
