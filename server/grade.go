package server

import (
	"bytes"

	"github.com/gofiber/fiber/v3"
	"willowherb/core/exposure"
	"willowherb/core/grade"
	"willowherb/format/cube"
)

// cubeSide is how many colours a side a table has that is asked for here.
const cubeSide = 33

// gradeTable is the setup's grade as a table of colour.
func (s *Server) gradeTable(c fiber.Ctx) error {
	_, p, err := s.opened(c)
	if err != nil {
		return err
	}
	shot, err := p.Shot(c.Context())
	if err != nil {
		return err
	}
	g, curve := grade.Compile(shot.Doc.Grade), exposure.Curve(shot.Doc.Curve)
	var b bytes.Buffer
	if err := cube.Made(shot.Doc.Name, cubeSide, func(v [3]float64) [3]float64 { return g.Between(v, curve) }).Write(&b); err != nil {
		return err
	}
	c.Attachment("grade.cube")
	c.Set("Content-Type", "text/plain; charset=utf-8")
	return c.Send(b.Bytes())
}
