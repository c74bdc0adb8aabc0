package server

import (
	"encoding/binary"
	"strconv"
	"strings"
	"unsafe"

	"github.com/gofiber/fiber/v3"
	"willowherb/ask"
	"willowherb/format/gltf"
	"willowherb/refine"
	"willowherb/room"
)

func (s *Server) pictureRoutes(api fiber.Router) {
	api.Get("/setups/:id/layers/:frame/:layer/:address", s.layer)
	api.Get("/setups/:id/maps/:frame", s.frameMap)
	api.Get("/setups/:id/runtime/:frame/:light", s.runtimeLayer)
	api.Get("/setups/:id/drawn/:frame/:what", s.drawn)
	api.Get("/setups/:id/picture", s.picture)
	api.Get("/setups/:id/thumbs/:view", s.thumb)
	api.Get("/setups/:id/lights.glb", s.lightsOut)
}

// packedAddress tells answers that are packed already, or no text.
func packedAddress(c fiber.Ctx) bool {
	for _, part := range []string{"/layers/", "/maps/", "/runtime/", "/drawn/", "/thumbs/", "/picture", "/live", ".glb", "/finals/"} {
		if strings.Contains(c.Path(), part) {
			return true
		}
	}
	return false
}

// opened is the room of the setup that the request names, and its pictures.
func (s *Server) opened(c fiber.Ctx) (*room.Room, *refine.Pictures, error) {
	n, err := id(c)
	if err != nil {
		return nil, nil, err
	}
	r, err := s.Hall.Open(c.Context(), n)
	if err != nil {
		return nil, nil, err
	}
	return r, s.Hall.Pictures(r), nil
}

// layer serves packed values: what is under an address never changes.
func (s *Server) layer(c fiber.Ctx) error {
	_, p, err := s.opened(c)
	if err != nil {
		return err
	}
	words := p.Layer(c.Params("frame"), c.Params("layer"), c.Params("address"))
	if words != nil {
		c.Set("Cache-Control", "private, max-age=604800, immutable")
	}
	return packed(c, words)
}

// runtimeLayer serves a light's direct light as the target draws it.
func (s *Server) runtimeLayer(c fiber.Ctx) error {
	_, p, err := s.opened(c)
	if err != nil {
		return err
	}
	leave, err := s.heavy.enter(c.Context())
	if err != nil {
		return err
	}
	defer leave()
	words, scale, err := s.desk.Runtime(c.Context(), p, c.Params("frame"), c.Params("light"))
	if err != nil {
		return err
	}
	c.Set("X-Scale", strconv.FormatFloat(scale, 'g', -1, 32))
	return packed(c, words)
}

// frameMap serves what lies under each pixel.
func (s *Server) frameMap(c fiber.Ctx) error {
	_, p, err := s.opened(c)
	if err != nil {
		return err
	}
	return packed(c, ask.Map(p, c.Params("frame")))
}

// drawn serves a map of what is seen other than its light.
func (s *Server) drawn(c fiber.Ctx) error {
	_, p, err := s.opened(c)
	if err != nil {
		return err
	}
	data, scale, err := ask.Drawn(p, c.Params("frame"), c.Params("what"), c.Query("light"))
	if err != nil {
		return err
	}
	if data == nil {
		return c.SendStatus(204)
	}
	c.Set("Content-Type", "application/octet-stream")
	c.Set("Cache-Control", "private, no-store")
	c.Set("X-Scale", strconv.FormatFloat(float64(scale), 'g', -1, 32))
	return c.Send(data)
}

func packed(c fiber.Ctx, words []uint32) error {
	if words == nil {
		return c.SendStatus(204) // a newer version is on its way: no error, and no news in the console
	}
	c.Set("Content-Type", "application/octet-stream")
	if len(c.Response().Header.Peek("Cache-Control")) == 0 {
		c.Set("Cache-Control", "private, no-store")
	}
	return c.Send(littleEndian(words))
}

// littleEndian views words as bytes; every platform that Go's SIMD build and the
// browsers run on stores the low byte first.
func littleEndian(words []uint32) []byte {
	if binary.NativeEndian.Uint16([]byte{1, 0}) == 1 {
		return unsafe.Slice((*byte)(unsafe.Pointer(unsafe.SliceData(words))), 4*len(words))
	}
	out := make([]byte, 0, 4*len(words))
	for _, w := range words {
		out = binary.LittleEndian.AppendUint32(out, w)
	}
	return out
}

func (s *Server) picture(c fiber.Ctx) error {
	_, p, err := s.opened(c)
	if err != nil {
		return err
	}
	png, level, ok, err := s.desk.Picture(c.Context(), p, c.Query("view"), nonEmpty(strings.Split(c.Query("alone"), ",")...))
	if err != nil {
		return err
	}
	if !ok {
		return c.Status(404).JSON(Fault{"The picture is not ready yet.", "Wait a moment."})
	}
	c.Set("X-Level", strconv.Itoa(level))
	c.Set("Content-Type", "image/png")
	c.Set("Cache-Control", "no-store")
	return c.Send(png)
}

// lightsOut is the setup's lights as a GLB to keep.
func (s *Server) lightsOut(c fiber.Ctx) error {
	_, p, err := s.opened(c)
	if err != nil {
		return err
	}
	lights, name, err := s.desk.LightsOut(c.Context(), p)
	if err != nil {
		return err
	}
	glb, err := gltf.Write(&gltf.Model{Lights: lights})
	if err != nil {
		return err
	}
	c.Attachment(name + " lights.glb")
	c.Set("Content-Type", "model/gltf-binary")
	return c.Send(glb)
}

func (s *Server) thumb(c fiber.Ctx) error {
	_, p, err := s.opened(c)
	if err != nil {
		return err
	}
	png := p.Thumb(c.Params("view"))
	if png == nil {
		return c.Status(404).JSON(Fault{"The thumbnail is not ready yet.", "Wait a moment."})
	}
	c.Set("Content-Type", "image/png")
	c.Set("Cache-Control", "no-store")
	return c.Send(png)
}
