package server

import (
	"bytes"
	"encoding/binary"
	"math"
	"strconv"

	"github.com/gofiber/fiber/v3"
	"willowherb/blob"
	"willowherb/core/exposure"
	"willowherb/format/cube"
	"willowherb/store"
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
	g, curve := s.shop.Graded(c.Context(), shot.Doc.Grade), exposure.Curve(shot.Doc.Curve)
	var b bytes.Buffer
	if err := cube.Made(shot.Doc.Name, cubeSide, func(v [3]float64) [3]float64 { return g.Between(v, curve) }).Write(&b); err != nil {
		return err
	}
	c.Attachment("grade.cube")
	c.Set("Content-Type", "text/plain; charset=utf-8")
	return c.Send(b.Bytes())
}

// KeptTable is a table of colour that was brought in.
type KeptTable struct {
	Blob  string `json:"blob"`
	File  string `json:"file"`
	Title string `json:"title"`
	Size  int    `json:"size"` // colours a side, or of a curve
	Cube  bool   `json:"cube"`
}

// keepTable reads a .cube table and keeps it.
func (s *Server) keepTable(c fiber.Ctx) error {
	name := fileName(c)
	data, err := body(c, tableLimit)
	if err != nil {
		return err
	}
	t, err := cube.Read(name, bytes.NewReader(data))
	if err != nil {
		return wrong("%v", err)
	}
	hash, err := s.Blobs.Put(c.Context(), blob.Table, bytes.NewReader(data))
	if err != nil {
		return err
	}
	return c.JSON(KeptTable{hash, name, t.Title, t.N, t.Cube})
}

// tableLimit bounds a .cube file: 65 colours a side take about 8 MB as text.
const tableLimit = 64 << 20

// tableValues serves a kept table as the browser takes it: red fastest, RGB as float32,
// little-endian, with its side in a header.
func (s *Server) tableValues(c fiber.Ctx) error {
	lacks, err := s.Blobs.Lacks(c.Context(), blob.Table, []string{c.Params("hash")})
	if err != nil {
		return err
	}
	if len(lacks) > 0 {
		return store.ErrNotFound
	}
	t, err := s.shop.Table(c.Context(), c.Params("hash"))
	if err != nil {
		return err
	}
	out := make([]byte, 0, 12*len(t.Rows))
	for _, r := range t.Rows {
		for _, v := range r {
			out = binary.LittleEndian.AppendUint32(out, math.Float32bits(v))
		}
	}
	c.Set("Content-Type", "application/octet-stream")
	c.Set("Cache-Control", "private, max-age=604800, immutable")
	c.Set("X-Side", strconv.Itoa(t.N))
	return c.Send(out)
}
