package server

import (
	"bytes"
	"image"
	"math"
	"strings"

	"github.com/gofiber/fiber/v3"
	"willowherb/blob"
	"willowherb/core/colour"
	"willowherb/core/light"
	"willowherb/core/photometry"
	"willowherb/core/setup"
	"willowherb/core/vec"
	"willowherb/format/ies"
	"willowherb/format/picture"
)

// KeptProfile answers a luminaire file that was sent and kept.
type KeptProfile struct {
	Blob   string   `json:"blob"`
	File   string   `json:"file"`
	Flux   float64  `json:"flux"` // lumens, integrated
	Lamp   float64  `json:"lamp"` // lumens of its bare lamps; 0: not known
	Watts  float64  `json:"watts"`
	Notes  []string `json:"notes"`
	Curves Polar    `json:"curves"`
}

// Polar is a profile for drawing: for each plane the intensity at every degree
// from the beam axis, as a share of the peak.
type Polar struct {
	Peak   float64   `json:"peak"`   // candela
	Along  []float64 `json:"along"`  // in the plane of 0 degrees, from -180 to 180
	Across []float64 `json:"across"` // in the plane of 90 degrees
}

// KeptSlide answers a picture that was sent and kept for a gobo.
type KeptSlide struct {
	Blob string `json:"blob"`
	File string `json:"file"`
}

func (s *Server) assetRoutes(api fiber.Router) {
	api.Get("/palette", palette)
	api.Post("/profiles", s.keepProfile)
	api.Get("/profiles/:hash", s.profileCurves)
	api.Post("/slides", s.keepSlide)
	api.Get("/slides/:name", s.slidePicture)
}

func polar(p *photometry.Profile) Polar {
	o := Polar{Peak: p.Peak()}
	for a := -180; a <= 180; a++ {
		s, c := math.Sincos(float64(a) * math.Pi / 180)
		o.Along = append(o.Along, p.Candela(s, 0, c)/p.Peak())
		o.Across = append(o.Across, p.Candela(0, s, c)/p.Peak())
	}
	return o
}

// keepProfile reads an LM-63 file, keeps it, and says what it holds.
func (s *Server) keepProfile(c fiber.Ctx) error {
	name := fileName(c)
	data, err := body(c, smallFile)
	if err != nil {
		return err
	}
	f, err := ies.Read(name, data)
	if err != nil {
		return err
	}
	hash, err := s.Blobs.Put(c.Context(), blob.Profile, bytes.NewReader(data))
	if err != nil {
		return err
	}
	k := KeptProfile{hash, name, f.Profile.Flux(), 0, f.Profile.Watts, append([]string{}, f.Notes...), polar(f.Profile)}
	if _, ok := f.Profile.Efficiency(); ok {
		k.Lamp = f.Profile.Lamps * f.Profile.LumensPerLamp
	}
	return c.JSON(k)
}

// profileCurves draws a kept profile.
func (s *Server) profileCurves(c fiber.Ctx) error {
	f, err := s.shop.Profile(c.Context(), c.Params("hash"))
	if err != nil {
		return err
	}
	c.Set("Cache-Control", "private, max-age=86400, immutable")
	return c.JSON(polar(f.Profile))
}

// keepSlide keeps a picture for gobos.
func (s *Server) keepSlide(c fiber.Ctx) error {
	name := fileName(c)
	data, err := body(c, smallFile)
	if err != nil {
		return err
	}
	if _, err := picture.ReadSlide(name, data, setup.SlideSize); err != nil {
		return wrong("%v", err)
	}
	hash, err := s.Blobs.Put(c.Context(), blob.Slide, bytes.NewReader(data))
	if err != nil {
		return err
	}
	return c.JSON(KeptSlide{hash, name})
}

// slidePicture shows a slide: a pattern by its name, or a kept picture by its hash.
func (s *Server) slidePicture(c fiber.Ctx) error {
	const size = 96
	name := c.Params("name")
	var slide []vec.V3
	if len(name) == 64 {
		data, err := blob.Read(c.Context(), s.Blobs, name)
		if err != nil {
			return err
		}
		if slide, err = picture.ReadSlide(name, data, size); err != nil {
			return wrong("%v", err)
		}
	} else {
		slide = light.Pattern(strings.ToLower(name), size)
	}
	im := image.NewNRGBA(image.Rect(0, 0, size, size))
	for i, v := range slide {
		for k, x := range [3]float32{v.X, v.Y, v.Z} {
			im.Pix[4*i+k] = uint8(math.Round(255 * colour.EncodeSRGB(float64(x))))
		}
		im.Pix[4*i+3] = 255
	}
	var b bytes.Buffer
	if err := picture.WritePNG(&b, im); err != nil {
		return err
	}
	c.Set("Content-Type", "image/png")
	c.Set("Cache-Control", "private, max-age=86400")
	return c.Send(b.Bytes())
}

// Palette is what lights are made of besides numbers: gels, the patterns of gobos,
// and how the target draws a shadow of which nothing is said.
type Palette struct {
	Drawn    setup.Drawn  `json:"drawn"`
	Gels     []colour.Gel `json:"gels"`
	Patterns []string     `json:"patterns"`
}

func palette(c fiber.Ctx) error {
	return c.JSON(Palette{setup.StandardDrawn, colour.Gels(), light.Patterns})
}
