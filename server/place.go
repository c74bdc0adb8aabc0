package server

import (
	"encoding/json"
	"fmt"
	"net/url"
	"strconv"
	"strings"

	"github.com/gofiber/fiber/v3"
	"willowherb/core/scene"
	"willowherb/core/setup"
	"willowherb/format/gltf"
	"willowherb/store"
)

// fileName is the name that an upload gives its file.
func fileName(c fiber.Ctx) string {
	name, err := url.PathUnescape(c.Get("X-File-Name"))
	if err != nil || name == "" {
		name = "place.glb"
	}
	name = strings.Map(func(r rune) rune {
		if r < 32 || r == '/' || r == '\\' {
			return '-'
		}
		return r
	}, name)
	if r := []rune(name); len(r) > 120 {
		name = string(r[len(r)-120:])
	}
	return name
}

// readPlace reads an uploaded place; one without triangles is refused.
func readPlace(c fiber.Ctx, name string) (*scene.Scene, error) {
	place, err := gltf.Read(c.Context(), name, c.Body(), nil, gltf.DefaultLimits())
	if err != nil {
		return nil, err
	}
	if place.Triangles() == 0 {
		return nil, &gltf.Error{File: name, What: "has no triangles to light", Remedy: "export meshes with it"}
	}
	return place, nil
}

// Again answers a place that was brought in again: the edit, and what has changed.
type Again struct {
	Answer Answer       `json:"answer"`
	Report setup.Report `json:"report"`
}

// bringAgain puts a new version of the place under a setup, as an edit that can be
// undone like any other.
func (s *Server) bringAgain(c fiber.Ctx) error {
	name := fileName(c)
	person, window := c.Query("person"), c.Query("window")
	seq, err := strconv.ParseInt(c.Query("seq"), 10, 64)
	if err != nil || person == "" || window == "" {
		return fmt.Errorf("%w: the request does not say whose it is", errEdit)
	}
	now, err := readPlace(c, name)
	if err != nil {
		return err
	}
	open, err := s.opened(c)
	if err != nil {
		return err
	}
	document, revision := open.Document()
	doc, err := setup.Parse(document)
	if err != nil {
		return err
	}
	old, err := open.FileScene(c.Context())
	if err != nil {
		return err
	}
	ops, report := setup.Rematch(doc, old, now)
	hash, err := s.store.PutBlob(c.Context(), c.Body())
	if err != nil {
		return err
	}
	value, err := json.Marshal(setup.Place{Blob: hash, File: name})
	if err != nil {
		return err
	}
	ops = append([]setup.Op{{Op: "add", Path: "/place", Value: value}}, ops...)
	a, err := s.take(c, person, func(n int64) (*store.Done, error) {
		return s.store.Apply(c.Context(), n, setup.Edit{Person: person, Window: window, Seq: seq, Base: revision, Target: "base", Ops: ops, Label: "Place brought in again: " + name, Called: clipped(c.Query("called"), 60)})
	})
	if err != nil {
		return err
	}
	return c.JSON(Again{*a, report})
}

// CopyAsk asks for another setup of the same place, beginning as this one is.
type CopyAsk struct {
	Name string `json:"name"`
}

func (s *Server) copySetup(c fiber.Ctx) error {
	var a CopyAsk
	if err := json.Unmarshal(c.Body(), &a); err != nil || strings.TrimSpace(a.Name) == "" {
		return fmt.Errorf("%w: give the new setup a name", errEdit)
	}
	n, err := id(c)
	if err != nil {
		return err
	}
	u, err := s.store.Get(c.Context(), n)
	if err != nil {
		return err
	}
	doc, err := setup.Parse(u.Document)
	if err != nil {
		return err
	}
	doc.Name = strings.TrimSpace(a.Name)
	if err := doc.Validate(); err != nil {
		return fmt.Errorf("%w: %w", errEdit, err)
	}
	made, err := s.store.Create(c.Context(), store.Setup{Project: u.Project, Place: u.Place, File: u.File, Notes: u.Notes, Document: doc.JSON()})
	if err != nil {
		return err
	}
	return c.JSON(Imported{made, []string{}})
}
