package server

import (
	"errors"
	"log/slog"
	"strconv"
	"time"

	"github.com/gofiber/fiber/v3"
	"github.com/gofiber/fiber/v3/middleware/adaptor"
	"github.com/gofiber/fiber/v3/middleware/requestid"
	"github.com/prometheus/client_golang/prometheus"
	"github.com/prometheus/client_golang/prometheus/collectors"
	"github.com/prometheus/client_golang/prometheus/promhttp"
)

// ready says whether edits can be taken now.
func (s *Server) ready(c fiber.Ctx) error {
	if err := s.DB.Ready(c.Context()); err != nil {
		return c.Status(503).SendString("the database is away\n")
	}
	return c.SendString("ready\n")
}

// figures are what the server counts of itself, in the open text format.
type figures struct {
	registry *prometheus.Registry
	requests *prometheus.CounterVec
	took     *prometheus.HistogramVec
	edits    prometheus.Counter
}

func newFigures(s *Server) *figures {
	f := &figures{
		registry: prometheus.NewRegistry(),
		requests: prometheus.NewCounterVec(prometheus.CounterOpts{Name: "willowherb_requests_total", Help: "Requests answered, by route and status."}, []string{"route", "status"}),
		took:     prometheus.NewHistogramVec(prometheus.HistogramOpts{Name: "willowherb_request_seconds", Help: "Time until the answer, by route.", Buckets: prometheus.ExponentialBuckets(0.001, 4, 8)}, []string{"route"}),
		edits:    prometheus.NewCounter(prometheus.CounterOpts{Name: "willowherb_edits_total", Help: "Edits written to journals."}),
	}
	gauge := func(name, help string, read func() float64) prometheus.Collector {
		return prometheus.NewGaugeFunc(prometheus.GaugeOpts{Name: name, Help: help}, read)
	}
	f.registry.MustRegister(f.requests, f.took, f.edits, collectors.NewGoCollector(), collectors.NewProcessCollector(collectors.ProcessCollectorOpts{}),
		gauge("willowherb_rooms", "Setups that are open.", func() float64 { n, _ := s.Hall.Rooms(); return float64(n) }),
		gauge("willowherb_windows", "Windows that are open.", func() float64 { _, n := s.Hall.Rooms(); return float64(n) }),
		gauge("willowherb_picture_bytes", "Memory that pictures take.", func() float64 { _, n := s.Studio.Held(); return float64(n) }),
		gauge("willowherb_waiting_imports", "Imports that wait for their turn.", func() float64 { return float64(len(s.imports.waiting)) }),
		gauge("willowherb_waiting_questions", "Questions that wait for their turn.", func() float64 { return float64(len(s.heavy.waiting)) }))
	return f
}

func (f *figures) serve() fiber.Handler {
	return adaptor.HTTPHandler(promhttp.HandlerFor(f.registry, promhttp.HandlerOpts{}))
}

// slow requests are written down.
const slow = 5 * time.Second

// measured counts requests by the pattern of their route.
func (s *Server) measured(c fiber.Ctx) error {
	began := time.Now()
	err := c.Next()
	if err != nil {
		if err = s.fault(c, err); err != nil {
			return err
		}
	}
	status := c.Response().StatusCode()
	route := c.Route().Path
	var fe *fiber.Error
	if errors.As(err, &fe) {
		status = fe.Code
	}
	took := time.Since(began)
	s.figures.requests.WithLabelValues(route, strconv.Itoa(status)).Inc()
	s.figures.took.WithLabelValues(route).Observe(took.Seconds())
	if took > slow {
		slog.Info("slow request", "route", route, "status", status, "took", took.Round(time.Millisecond), "request", requestid.FromContext(c))
	}
	return nil
}
