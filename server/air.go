package server

import (
	"bytes"
	"errors"
	"fmt"
	"image"
	"math"
	"net/url"
	"strconv"

	"github.com/gofiber/fiber/v3"
	"golang.org/x/image/draw"
	"willowherb/ask"
	"willowherb/blob"
	"willowherb/core/daylight"
	"willowherb/core/environment"
	"willowherb/core/exposure"
	"willowherb/core/setup"
	"willowherb/core/spread"
	"willowherb/format/exr"
	"willowherb/format/picture"
	"willowherb/refine"
	"willowherb/stage"
	"willowherb/store"
)

// KeptEnvironment is an environment picture that is kept, and what it gives.
type KeptEnvironment struct {
	Blob          string           `json:"blob"`
	File          string           `json:"file"`
	Width         int              `json:"width"`
	Height        int              `json:"height"`
	Cleaned       int              `json:"cleaned"`
	HorizontalLux float64          `json:"horizontalLux"`
	MeanLuminance float64          `json:"meanLuminance"`
	Sun           *environment.Sun `json:"sun,omitempty"`
	// Layer is which layer of an EXR file it is, and Layers all that there are.
	Layer  string   `json:"layer,omitempty"`
	Layers []string `json:"layers,omitempty"`
}

// environmentLimit bounds an environment picture that is sent.
const environmentLimit = 256 << 20

func (s *Server) airRoutes(api fiber.Router) {
	api.Post("/setups/:id/day", asked(s, true, func(c fiber.Ctx, p *refine.Pictures, q ask.DayAsk) (*daylight.Plan, error) {
		return s.desk.Day(c.Context(), p, q)
	}))
	api.Post("/strip", s.strip)
	api.Get("/setups/:id/grade.cube", s.gradeTable)
	api.Post("/tables", s.keepTable)
	api.Get("/tables/:hash", s.tableValues)
	api.Post("/environments", s.keepEnvironment)
	api.Get("/environments/made", func(c fiber.Ctx) error { return c.JSON(environment.MadeNames()) })
	api.Post("/environments/made/:name", s.makeEnvironment)
	api.Get("/environments/:hash", s.environmentFacts)
	api.Get("/environments/:hash/spot", s.environmentSpot)
	api.Get("/environments/:hash/picture", s.environmentPicture)
}

// strip goes through a day.
func (s *Server) strip(c fiber.Ctx) error {
	var d setup.Day
	if err := decode(c, questionLimit, &d); err != nil {
		return err
	}
	leave, err := s.heavy.enter(c.Context())
	if err != nil {
		return err
	}
	defer leave()
	var out []daylight.Moment
	err = spread.Guard(func() (err error) {
		if out, err = daylight.Strip(d); err != nil {
			return fmt.Errorf("%w: %w", setup.ErrInvalid, err)
		}
		return nil
	})
	if err != nil {
		return err
	}
	return c.JSON(out)
}

func kept(hash, name string, e *stage.Environment) KeptEnvironment {
	m := e.Measure
	return KeptEnvironment{hash, name, e.W, e.H, e.Cleaned, m.HorizontalLux, m.MeanLuminance, m.Sun, e.Layer, e.Layers}
}

// keepEnvironment reads an environment picture, keeps it, and says what it gives.
func (s *Server) keepEnvironment(c fiber.Ctx) error {
	name := fileName(c)
	data, err := body(c, environmentLimit)
	if err != nil {
		return err
	}
	leave, err := s.heavy.enter(c.Context())
	if err != nil {
		return err
	}
	defer leave()
	e, err := stage.ReadEnvironment(name, data, "")
	if err != nil {
		return wrong("%v", err)
	}
	hash, err := s.Blobs.Put(c.Context(), blob.Environment, bytes.NewReader(data))
	if err != nil {
		return err
	}
	return c.JSON(kept(hash, name, e))
}

// makeEnvironment makes an environment by code and keeps it as a file like any other.
func (s *Server) makeEnvironment(c fiber.Ctx) error {
	name, err := url.PathUnescape(c.Params("name"))
	if err != nil {
		return wrong("the name is none")
	}
	leave, err := s.heavy.enter(c.Context())
	if err != nil {
		return err
	}
	defer leave()
	var b bytes.Buffer
	var e *stage.Environment
	err = spread.Guard(func() error {
		m, err := environment.Made(name)
		if err != nil {
			return wrong("%v", err)
		}
		if err := exr.Write(&b, m.RGB, m.W, m.H, exr.ZIP); err != nil {
			return err
		}
		e, err = stage.ReadEnvironment(name, b.Bytes(), "")
		return err
	})
	if err != nil {
		return err
	}
	hash, err := s.Blobs.Put(c.Context(), blob.Environment, bytes.NewReader(b.Bytes()))
	if err != nil {
		return err
	}
	return c.JSON(kept(hash, name+".exr", e))
}

// environment is the kept environment that a request names, by its hash and its layer.
func (s *Server) environment(c fiber.Ctx) (*stage.Environment, error) {
	e, err := s.shop.Environment(c.Context(), c.Params("hash"), c.Query("layer"))
	if err != nil && c.Query("layer") != "" && !store.Away(err) && !errors.Is(err, store.ErrNotFound) {
		return nil, wrong("%v", err)
	}
	return e, err
}

// environmentSpot says what an environment shows towards one direction.
func (s *Server) environmentSpot(c fiber.Ctx) error {
	e, err := s.environment(c)
	if err != nil {
		return err
	}
	var at [3]float64
	for k, name := range []string{"height", "azimuth", "reach"} {
		v, err := strconv.ParseFloat(c.Query(name), 64)
		if err != nil || !(math.Abs(v) <= 3600) {
			return wrong("%s is no number of degrees", name)
		}
		at[k] = v
	}
	return c.JSON(e.Map.SpotAt(min(max(at[0], -90), 90), at[1], min(max(at[2], 0), 30)))
}

func (s *Server) environmentFacts(c fiber.Ctx) error {
	e, err := s.environment(c)
	if err != nil {
		return err
	}
	c.Set("Cache-Control", "private, max-age=86400, immutable")
	return c.JSON(kept(c.Params("hash"), "", e))
}

// environmentPicture shows a kept environment as an eye sees it that is used to its light.
func (s *Server) environmentPicture(c fiber.Ctx) error {
	e, err := s.environment(c)
	if err != nil {
		return err
	}
	const wide, high = 512, 256
	m := e.Map
	small := image.NewNRGBA(image.Rect(0, 0, wide, high))
	draw.ApproxBiLinear.Scale(small, small.Bounds(), exposure.Develop(m.RGB, m.W, m.H, exposure.Metered(m.RGB), exposure.Shoulder), image.Rect(0, 0, m.W, m.H), draw.Src, nil)
	var b bytes.Buffer
	if err := picture.WritePNG(&b, small); err != nil {
		return err
	}
	c.Set("Cache-Control", "private, max-age=86400, immutable")
	c.Type("png")
	return c.Send(b.Bytes())
}
