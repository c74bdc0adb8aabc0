package server

import (
	"crypto/rand"
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"log/slog"
	"net"
	"net/url"
	"regexp"
	"runtime/debug"
	"strings"
	"time"

	"github.com/gofiber/fiber/v3"
	"github.com/gofiber/fiber/v3/middleware/helmet"
	"github.com/gofiber/fiber/v3/middleware/limiter"
	"github.com/gofiber/fiber/v3/middleware/requestid"
)

// guarded refuses, before anything of a request is read, what another site's page,
// or a name that merely resolves to this machine, could send.
func guarded(c fiber.Ctx) error {
	host := c.Host()
	if h, _, err := net.SplitHostPort(host); err == nil {
		host = h
	}
	if host != "127.0.0.1" && host != "localhost" && host != "[::1]" && host != "::1" {
		return refuse(c, 403, "This address is not Willowherb's own.", "Open it as http://127.0.0.1 with its port.")
	}
	if o := c.Get("Origin"); o != "" {
		if u, err := url.Parse(o); err != nil || u.Host != c.Host() {
			return refuse(c, 403, "The request comes from another site.", "Open Willowherb in a window of its own.")
		}
	}
	if strings.HasPrefix(c.Path(), "/api") && c.Get("Sec-Fetch-Site") == "cross-site" {
		return refuse(c, 403, "The request comes from another site.", "Open Willowherb in a window of its own.")
	}
	if c.Request().Header.Peek("Content-Encoding") != nil {
		return refuse(c, 415, "Packed requests are not taken.", "Send it as it is.")
	}
	return c.Next()
}

// refuse answers without reading what is still to come of the request.
func refuse(c fiber.Ctx, status int, what, remedy string) error {
	c.RequestCtx().Response.SetConnectionClose()
	return c.Status(status).JSON(Fault{what, remedy})
}

func shielded() fiber.Handler {
	return helmet.New(helmet.Config{
		ContentSecurityPolicy:     "default-src 'self'; img-src 'self' data: blob:; style-src 'self' 'unsafe-inline'; connect-src 'self' ws:; frame-ancestors 'none'",
		XFrameOptions:             "DENY",
		CrossOriginEmbedderPolicy: "unsafe-none",
	})
}

// cookie names a browser: a secret that only it and the server know.
const cookie = "willowherb"

var secretShape = regexp.MustCompile(`^[0-9a-f]{32}$`)

// personOf is the person behind a browser's secret, as others may see it.
func personOf(secret string) string {
	if !secretShape.MatchString(secret) {
		return ""
	}
	h := sha256.Sum256([]byte("person " + secret))
	return hex.EncodeToString(h[:8])
}

// me tells a browser who it is here, and gives it a name where it has none.
func (s *Server) me(c fiber.Ctx) error {
	secret := c.Cookies(cookie)
	if personOf(secret) == "" {
		var b [16]byte
		_, _ = rand.Read(b[:])
		secret = hex.EncodeToString(b[:])
	}
	c.Cookie(&fiber.Cookie{Name: cookie, Value: secret, Path: "/", HTTPOnly: true, SameSite: fiber.CookieSameSiteStrictMode, MaxAge: 400 * 24 * 3600})
	c.Set("Cache-Control", "no-store")
	return c.JSON(Me{personOf(secret)})
}

// Me is who a browser is here.
type Me struct {
	Person string `json:"person"`
}

var windowShape = regexp.MustCompile(`^[0-9a-zA-Z-]{1,64}$`)

// errStranger means that a request comes from no browser that was given a name.
var errStranger = &refusal{401, "The server does not know this browser.", "Reload the page."}

// own is the person of a request, and the full name of the window that it says it
// comes from: whose it is, the client cannot choose.
func own(c fiber.Ctx, window string) (person, full string, err error) {
	if person = personOf(c.Cookies(cookie)); person == "" {
		return "", "", errStranger
	}
	if !windowShape.MatchString(window) {
		return "", "", wrong("the request does not say which window it comes from")
	}
	return person, person + "." + window, nil
}

// ours keeps a panic from ending the server, and writes it down with its place.
func (s *Server) ours(c fiber.Ctx) (err error) {
	defer func() {
		if r := recover(); r != nil {
			slog.Error("panic in a request", "path", c.Path(), "request", requestid.FromContext(c), "panic", fmt.Sprint(r), "stack", string(debug.Stack()))
			err = s.fault(c, errPanic)
		}
	}()
	return c.Next()
}

// unhurried slows down who sends more than any hand could.
func unhurried() fiber.Handler {
	return limiter.New(limiter.Config{
		Max: 4000, Expiration: 20 * time.Second, DisableHeaders: true,
		Next: func(c fiber.Ctx) bool { return c.Method() == "GET" },
		KeyGenerator: func(c fiber.Ctx) string {
			if p := personOf(c.Cookies(cookie)); p != "" {
				return p
			}
			return c.IP()
		},
		LimitReached: func(c fiber.Ctx) error {
			c.Set("Retry-After", "5")
			return refuse(c, 429, "Too much was sent in a short time.", "It is tried again in a moment.")
		},
	})
}
