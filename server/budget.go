package server

import (
	"encoding/json"
	"errors"
	"strconv"

	"github.com/gofiber/fiber/v3"
	"willowherb/ask"
	"willowherb/core/calibrate"
	"willowherb/core/setup"
	"willowherb/core/target"
	"willowherb/format/timings"
	"willowherb/refine"
)

func (s *Server) budgetRoutes(api fiber.Router) {
	api.Post("/setups/:id/budget", asked(s, true, s.sheet))
	api.Post("/setups/:id/ground", asked(s, false, func(c fiber.Ctx, p *refine.Pictures, at [3]float64) (*[3]float64, error) {
		return s.desk.GroundAt(c.Context(), p, at)
	}))
	api.Get("/setups/:id/timings.csv", s.capture)
	api.Post("/setups/:id/calibration", onSetup(s, true, s.calibration))
	api.Post("/targets", s.readTarget)
	api.Get("/setups/:id/route", onSetup(s, false, func(_ fiber.Ctx, _ *refine.Pictures, n int64) (*ask.WalkState, error) {
		return s.desk.WalkOf(n), nil
	}))
	api.Post("/setups/:id/route/:route", onSetup(s, false, s.startWalk))
	api.Get("/setups/:id/survey", onSetup(s, false, func(_ fiber.Ctx, _ *refine.Pictures, n int64) (*ask.LevelState, error) {
		return s.desk.SurveyOf(n), nil
	}))
	api.Post("/setups/:id/survey", onSetup(s, false, func(c fiber.Ctx, p *refine.Pictures, n int64) (*ask.LevelState, error) {
		r, _, err := s.opened(c)
		if err != nil {
			return nil, err
		}
		_, revision := r.Document()
		return s.desk.StartSurvey(c.Context(), p, n, revision, c.Query("route"))
	}))
	api.Get("/setups/:id/savings", onSetup(s, false, func(_ fiber.Ctx, _ *refine.Pictures, n int64) (*ask.SavingsState, error) {
		return s.desk.SavingsOf(n), nil
	}))
	api.Post("/setups/:id/savings", s.startSavings)
	api.Delete("/setups/:id/tasks", onSetup(s, false, func(_ fiber.Ctx, _ *refine.Pictures, n int64) (bool, error) {
		s.desk.StopTasks(n)
		return true, nil
	}))
}

// sheet counts a view or a camera, beside a snapshot where one is named.
func (s *Server) sheet(c fiber.Ctx, p *refine.Pictures, q ask.FrameAsk) (*ask.Sheet, error) {
	n, err := id(c)
	if err != nil {
		return nil, err
	}
	var kept *setup.Setup
	if q.Beside != 0 {
		snap, err := s.Journal.Snapshot(c.Context(), n, q.Beside)
		if err != nil {
			return nil, err
		}
		kept = snap.Doc
	}
	return s.desk.Sheet(c.Context(), p, n, q, kept)
}

// capture sends what the simulated device measures.
func (s *Server) capture(c fiber.Ctx) error {
	seed, err := strconv.ParseUint(c.Query("seed", "1"), 10, 64)
	if err != nil {
		return wrong("the seed %.40q is no number", c.Query("seed"))
	}
	return s.file(c, "text/csv; charset=utf-8", func(p *refine.Pictures, n int64) ([]byte, error) {
		data, err := s.desk.Capture(c.Context(), p, n, seed)
		if err == nil {
			c.Set("Content-Disposition", `attachment; filename="timings.csv"`)
		}
		return data, err
	})
}

// calibration fits the target to the timings that are sent; the layout of the file is in the query.
func (s *Server) calibration(c fiber.Ctx, p *refine.Pictures, n int64) (*calibrate.Fit, error) {
	var m timings.Mapping
	if q := c.Query("mapping"); q != "" {
		if err := json.Unmarshal([]byte(q), &m); err != nil {
			return nil, wrong("the layout of the file cannot be read: %v", err)
		}
	}
	in, err := stream(c, timings.MaxBytes)
	if err != nil {
		return nil, err
	}
	fit, err := s.desk.Calibrate(c.Context(), p, n, fileName(c), in, m)
	if errors.Is(err, timings.ErrInvalid) || errors.Is(err, calibrate.ErrNothing) {
		return nil, &refusal{422, err.Error() + ".", "Mend the file there, or name its columns under “layout”."}
	}
	return fit, err
}

// readTarget reads a target file, which the window then puts into its setup.
func (s *Server) readTarget(c fiber.Ctx) error {
	data, err := body(c, target.MaxBytes)
	if err != nil {
		return err
	}
	t, err := target.Parse(fileName(c), data)
	if err != nil {
		return &refusal{422, err.Error() + ".", "Mend the file there; docs/formats.md says what belongs in it."}
	}
	return c.JSON(t)
}

// startWalk walks a route of the setup as it was edited: what pictures have is without its zones.
func (s *Server) startWalk(c fiber.Ctx, p *refine.Pictures, n int64) (*ask.WalkState, error) {
	r, _, err := s.opened(c)
	if err != nil {
		return nil, err
	}
	doc, revision := r.Document()
	return s.desk.StartWalk(c.Context(), p, n, doc, revision, c.Params("route"))
}

func (s *Server) startSavings(c fiber.Ctx) error {
	n, err := id(c)
	if err != nil {
		return err
	}
	return asked(s, false, func(c fiber.Ctx, p *refine.Pictures, q ask.SavingsAsk) (*ask.SavingsState, error) {
		r, _, err := s.opened(c)
		if err != nil {
			return nil, err
		}
		doc, revision := r.Document()
		return s.desk.StartSavings(c.Context(), p, n, doc, revision, q)
	})(c)
}
