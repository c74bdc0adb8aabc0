package server

import (
	"bytes"
	"context"
	"net/http"

	"github.com/gofiber/fiber/v3"
	"willowherb/ask"
	"willowherb/blob"
	"willowherb/core/reference"
	"willowherb/core/setup"
	"willowherb/core/spread"
	"willowherb/format/picture"
	"willowherb/refine"
	"willowherb/store"
)

// KeptReference is a finished picture that was brought in, with what it measures.
type KeptReference struct {
	Blob    string            `json:"blob"`
	File    string            `json:"file"`
	Measure reference.Measure `json:"measure"`
}

func (s *Server) referenceRoutes(api fiber.Router) {
	api.Post("/references", s.keepReference)
	api.Get("/references/:hash", s.referencePicture)
	api.Post("/setups/:id/towards", asked(s, false, func(c fiber.Ctx, p *refine.Pictures, q ask.TowardsAsk) (*ask.TowardsAnswer, error) {
		return s.desk.Towards(c.Context(), p, q, s.measureOf)
	}))
}

// referenceWide is how wide a reference is where it is measured.
const referenceWide = 256

func measure(name string, data []byte) (m reference.Measure, err error) {
	im, err := picture.ReadFinished(name, data, referenceWide)
	if err != nil {
		return m, err
	}
	err = spread.Guard(func() error {
		m = reference.Of(im)
		return nil
	})
	return m, err
}

// measureOf measures a kept reference, once.
func (s *Server) measureOf(ctx context.Context, r setup.Reference) (*reference.Measure, error) {
	return s.measures.Get(ctx, r.Blob, func(ctx context.Context) (*reference.Measure, error) {
		data, err := blob.Read(ctx, s.Blobs, r.Blob)
		if err != nil {
			return nil, err
		}
		m, err := measure(r.File, data)
		return &m, err
	})
}

// keepReference keeps a finished picture, and says how it measures.
func (s *Server) keepReference(c fiber.Ctx) error {
	name := fileName(c)
	data, err := body(c, picture.MaxSlideBytes)
	if err != nil {
		return err
	}
	leave, err := s.heavy.enter(c.Context())
	if err != nil {
		return err
	}
	defer leave()
	m, err := measure(name, data)
	if err != nil {
		return wrong("%v", err)
	}
	hash, err := s.Blobs.Put(c.Context(), blob.Reference, bytes.NewReader(data))
	if err != nil {
		return err
	}
	return c.JSON(KeptReference{hash, name, m})
}

// referencePicture serves a kept reference as it came.
func (s *Server) referencePicture(c fiber.Ctx) error {
	hash := c.Params("hash")
	lacks, err := s.Blobs.Lacks(c.Context(), blob.Reference, []string{hash})
	if err != nil {
		return err
	}
	if len(lacks) > 0 {
		return store.ErrNotFound
	}
	data, err := blob.Read(c.Context(), s.Blobs, hash)
	if err != nil {
		return err
	}
	kind := http.DetectContentType(data)
	if kind != "image/png" && kind != "image/jpeg" {
		return store.ErrNotFound // it was read as one of them before it was kept
	}
	c.Set("Content-Type", kind)
	c.Set("X-Content-Type-Options", "nosniff")
	c.Set("Cache-Control", "private, max-age=604800, immutable")
	return c.Send(data)
}
