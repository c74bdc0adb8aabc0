package server

import (
	"io/fs"
	"path"
	"strings"

	"github.com/gofiber/fiber/v3"
	"github.com/gofiber/fiber/v3/middleware/etag"
	"github.com/gofiber/fiber/v3/middleware/static"
)

// staticRoutes serve the front end. The build names what it makes by content; only
// the page itself is asked for anew, so that an upgrade is seen at once.
func (s *Server) staticRoutes() {
	s.app.Use(etag.New(), func(c fiber.Ctx) error {
		if strings.HasPrefix(c.Path(), "/assets/") {
			c.Set("Cache-Control", "public, max-age=31536000, immutable")
		} else {
			c.Set("Cache-Control", "no-cache")
		}
		return c.Next()
	})
	s.app.Use(static.New("", static.Config{FS: s.Files, CacheDuration: -1, NotFoundHandler: func(c fiber.Ctx) error {
		c.Set("Cache-Control", "no-cache")
		if path.Ext(c.Path()) != "" || strings.HasPrefix(c.Path(), "/assets/") {
			return c.Status(404).JSON(Fault{"There is nothing at this address.", "Reload the page: it may be of an earlier version."})
		}
		b, err := fs.ReadFile(s.Files, "index.html")
		if err != nil {
			return c.Status(503).SendString("The front end is not built. Start Willowherb with scripts/demo.")
		}
		c.Set("Content-Type", "text/html; charset=utf-8")
		return c.Status(200).Send(b)
	}}))
}
