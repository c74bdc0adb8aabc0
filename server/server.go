// Package server is the HTTP side: it turns requests into calls on store and
// bench and holds no rules of the job. It listens on loopback only, answers only
// to that name, and serves nothing but its own files.
package server

import (
	"context"
	"encoding/binary"
	"encoding/json"
	"errors"
	"fmt"
	"io/fs"
	"log/slog"
	"net"
	"net/url"
	"slices"
	"strconv"
	"strings"
	"sync"
	"time"
	"unsafe"

	"github.com/gofiber/contrib/v3/websocket"
	"github.com/gofiber/fiber/v3"
	"github.com/gofiber/fiber/v3/middleware/recover"
	"github.com/gofiber/fiber/v3/middleware/static"
	"willowherb/bench"
	"willowherb/core/budget"
	"willowherb/core/checks"
	"willowherb/core/colour"
	"willowherb/core/plot"
	"willowherb/core/setup"
	"willowherb/core/weigh"
	"willowherb/format/gltf"
	"willowherb/format/ies"
	"willowherb/store"
)

// Server is the application behind HTTP.
type Server struct {
	app   *fiber.App
	store *store.Store
	bench *bench.Bench
}

// Fault is what a failed request answers: what is wrong, and the remedy.
type Fault struct {
	What   string `json:"what"`
	Remedy string `json:"remedy"`
}

// maxUpload bounds an imported file; the reader's own limit is the same.
const maxUpload = 1 << 30

// New wires the routes. files is the built front end.
func New(st *store.Store, b *bench.Bench, files fs.FS) *Server {
	s := &Server{store: st, bench: b}
	s.app = fiber.New(fiber.Config{AppName: "Willowherb", BodyLimit: maxUpload, ReadBufferSize: 16 << 10, ErrorHandler: fault})
	s.app.Use(recover.New(), sameSite)
	api := s.app.Group("/api")
	api.Get("/setups", s.list)
	api.Get("/setups/:id", s.get)
	api.Post("/setups/:id/edits", s.edit)
	api.Post("/setups/:id/undo", s.undo)
	api.Post("/setups/:id/revert", s.revert)
	api.Get("/setups/:id/history", s.history)
	api.Get("/setups/:id/snapshots", s.snapshots)
	api.Post("/setups/:id/snapshots", s.keepSnapshot)
	api.Put("/setups/:id/snapshots/:snapshot", s.renameSnapshot)
	api.Delete("/setups/:id/snapshots/:snapshot", s.forgetSnapshot)
	api.Get("/setups/:id/snapshots/:snapshot/picture", s.snapshotPicture)
	api.Post("/setups/:id/aside", s.aside)
	api.Get("/setups/:id/compare", s.compare)
	api.Get("/setups/:id/next", s.nextDeeds)
	api.Get("/setups/:id/layers/:frame/:layer/:version", s.layer)
	api.Get("/setups/:id/maps/:frame", s.frameMap)
	api.Get("/setups/:id/runtime/:frame/:light", s.runtimeLayer)
	api.Get("/setups/:id/drawn/:frame/:what", s.drawn)
	api.Post("/setups/:id/weigh", asked(s, func(c fiber.Ctx, open *bench.Session, q bench.Point) (*weigh.Reading, error) {
		if !inPicture(q.X, q.Y) {
			return nil, errPoint
		}
		return open.Weigh(c.Context(), q)
	}))
	api.Post("/setups/:id/placement", asked(s, func(c fiber.Ctx, open *bench.Session, q bench.PlaceAsk) (*bench.Placed, error) {
		if !inPicture(q.X, q.Y, q.FromX, q.FromY) {
			return nil, errPoint
		}
		return open.Place(q)
	}))
	api.Get("/setups/:id/contrast", s.contrast)
	api.Get("/setups/:id/notice", answer(s, func(_ fiber.Ctx, open *bench.Session) (map[string]map[string]weigh.Notice, error) {
		return open.Notice(), nil
	}))
	api.Post("/setups/:id/moods", asked(s, func(c fiber.Ctx, open *bench.Session, q bench.RigAsk) ([]bench.MoodPicture, error) {
		return open.Moods(c.Context(), q)
	}))
	api.Post("/setups/:id/rig", asked(s, func(_ fiber.Ctx, open *bench.Session, q bench.RigAsk) (*bench.RigAnswer, error) { return open.Rig(q) }))
	api.Get("/setups/:id/rigs/:group", s.saveRig)
	api.Get("/setups/:id/who", answer(s, func(_ fiber.Ctx, open *bench.Session) (*bench.WhoAnswer, error) { return open.Who(), nil }))
	api.Post("/setups/:id/plot", asked(s, func(c fiber.Ctx, open *bench.Session, q bench.PlotAsk) (*plot.Plot, error) {
		return open.Plot(c.Query("window"), q)
	}))
	api.Get("/setups/:id/snags", answer(s, func(c fiber.Ctx, open *bench.Session) (*bench.SnagsAnswer, error) { return open.Snags(c.Context()) }))
	api.Get("/setups/:id/shadow/:light", answer(s, func(c fiber.Ctx, open *bench.Session) (map[string]checks.Effect, error) {
		return open.ShadowEffects(c.Context(), c.Params("light"))
	}))
	api.Get("/setups/:id/stage", answer(s, func(c fiber.Ctx, open *bench.Session) (*bench.StageFacts, error) { return open.Facts(c.Context()) }))
	api.Post("/setups/:id/place", s.bringAgain)
	api.Post("/setups/:id/copy", s.copySetup)
	api.Get("/setups/:id/picture", s.picture)
	api.Get("/setups/:id/thumbs/:view", s.thumb)
	api.Get("/setups/:id/lights.glb", s.lightsOut)
	api.Get("/setups/:id/live", s.live())
	api.Post("/import", s.importFile)
	api.Get("/targets", func(c fiber.Ctx) error { return c.JSON(budget.Targets()) })
	api.Get("/warmth", warmth)
	api.Get("/palette", palette)
	api.Post("/profiles", s.keepProfile)
	api.Get("/profiles/:hash", s.profileCurves)
	api.Post("/slides", s.keepSlide)
	api.Get("/slides/:name", s.slidePicture)
	api.Use(func(c fiber.Ctx) error {
		return c.Status(404).JSON(Fault{"There is nothing at this address.", "Reload the page."})
	})
	s.app.Use(static.New("", static.Config{FS: files, NotFoundHandler: func(c fiber.Ctx) error {
		b, err := fs.ReadFile(files, "index.html")
		if err != nil {
			return c.Status(503).SendString("The front end is not built. Start Willowherb with scripts/demo.")
		}
		c.Set("Content-Type", "text/html; charset=utf-8")
		return c.Status(200).Send(b)
	}}))
	return s
}

// Listen serves on 127.0.0.1:port until ctx ends, then lets requests finish.
func (s *Server) Listen(ctx context.Context, port int, ready func(addr string)) error {
	l, err := (&net.ListenConfig{}).Listen(ctx, "tcp", fmt.Sprintf("127.0.0.1:%d", port))
	if err != nil {
		return fmt.Errorf("port %d cannot be used; choose another with --port: %w", port, err)
	}
	if ready != nil {
		ready(l.Addr().String())
	}
	ended := make(chan error, 1)
	go func() { ended <- s.app.Listener(l, fiber.ListenConfig{DisableStartupMessage: true}) }()
	select {
	case err := <-ended:
		return err
	case <-ctx.Done():
	}
	_ = s.app.ShutdownWithTimeout(2 * time.Second)
	return nil
}

// sameSite refuses requests that another site's page, or a name that merely
// resolves to this machine, could make.
func sameSite(c fiber.Ctx) error {
	host := c.Host()
	if h, _, err := net.SplitHostPort(host); err == nil {
		host = h
	}
	if host != "127.0.0.1" && host != "localhost" && host != "[::1]" && host != "::1" {
		return c.Status(403).JSON(Fault{"This address is not Willowherb's own.", "Open it as http://127.0.0.1 with its port."})
	}
	if o := c.Get("Origin"); o != "" {
		if u, err := url.Parse(o); err != nil || u.Host != c.Host() {
			return c.Status(403).JSON(Fault{"The request comes from another site.", "Open Willowherb in a window of its own."})
		}
	}
	c.Set("X-Content-Type-Options", "nosniff")
	c.Set("Content-Security-Policy", "default-src 'self'; img-src 'self' data: blob:; style-src 'self' 'unsafe-inline'; connect-src 'self' ws:; frame-ancestors 'none'")
	return c.Next()
}

// fault turns an error into words with a status.
func fault(c fiber.Ctx, err error) error {
	var fe *fiber.Error
	var ge *gltf.Error
	var ie *ies.Error
	switch {
	case errors.As(err, &ie):
		return c.Status(422).JSON(Fault{fmt.Sprintf("%s, line %d: %s.", ie.File, ie.Line, ie.What), sentence(ie.Remedy)})
	case errors.As(err, &ge):
		return c.Status(422).JSON(Fault{strings.Join(nonEmpty(ge.File, ge.Path, ge.What), ": ") + ".", sentence(ge.Remedy)})
	case errors.Is(err, store.ErrNotFound):
		return c.Status(404).JSON(Fault{"This setup is not here any more.", "Choose another from the list."})
	case errors.Is(err, bench.ErrUnknown):
		return c.Status(404).JSON(Fault{"This is not known any more: " + err.Error() + ".", "Try again in a moment."})
	case errors.Is(err, store.ErrFull):
		return c.Status(409).JSON(Fault{sentence(err.Error()), "Take some away that are of no use any more."})
	case errors.Is(err, store.ErrNothing):
		return c.Status(409).JSON(Fault{"There is nothing left to take back.", ""})
	case errors.Is(err, setup.ErrPlace):
		return c.Status(409).JSON(Fault{sentence(err.Error()), "Somebody else removed it meanwhile."})
	case errors.As(err, &fe):
		return c.Status(fe.Code).JSON(Fault{sentence(fe.Message), ""})
	case errors.Is(err, bench.ErrRig):
		return c.Status(422).JSON(Fault{sentence(strings.TrimPrefix(err.Error(), bench.ErrRig.Error()+": ")), "Choose another figure or rig."})
	case errors.Is(err, errEdit):
		return c.Status(422).JSON(Fault{sentence(strings.TrimPrefix(err.Error(), errEdit.Error()+": ")), "Choose a value that fits."})
	}
	slog.Error("request failed", "path", c.Path(), "err", err)
	return c.Status(500).JSON(Fault{"The server could not do this: " + err.Error() + ".", "Try again; if it stays so, look at the server's log."})
}

func nonEmpty(in ...string) (out []string) {
	for _, s := range in {
		if s != "" {
			out = append(out, s)
		}
	}
	return out
}

func sentence(s string) string {
	if s == "" {
		return ""
	}
	s = strings.ToUpper(s[:1]) + s[1:]
	if !strings.HasSuffix(s, ".") {
		s += "."
	}
	return s
}

func clipped(s string, n int) string {
	if r := []rune(s); len(r) > n {
		return string(r[:n])
	}
	return s
}

var errEdit = errors.New("edit")

// Listed is a setup in the list.
type Listed struct {
	ID      int64  `json:"id"`
	Project string `json:"project"`
	Name    string `json:"name"`
	File    string `json:"file"`
	Demo    bool   `json:"demo"`
	Lights  int    `json:"lights"`
}

func (s *Server) list(c fiber.Ctx) error {
	all, err := s.store.List(c.Context())
	if err != nil {
		return err
	}
	out := []Listed{}
	for _, u := range all {
		d, err := setup.Parse(u.Document)
		if err != nil {
			return err
		}
		out = append(out, Listed{u.ID, u.Project, d.Name, u.File, u.Demo, len(d.Lights)})
	}
	return c.JSON(out)
}

func id(c fiber.Ctx) (int64, error) {
	n, err := strconv.ParseInt(c.Params("id"), 10, 64)
	if err != nil {
		return 0, fmt.Errorf("setup %q: %w", c.Params("id"), store.ErrNotFound)
	}
	return n, nil
}

// opened is the session of the setup that the request names.
func (s *Server) opened(c fiber.Ctx) (*bench.Session, error) {
	n, err := id(c)
	if err != nil {
		return nil, err
	}
	return s.bench.Open(c.Context(), n)
}

// answer is a handler that answers what do finds in the setup that is named.
func answer[T any](s *Server, do func(c fiber.Ctx, open *bench.Session) (T, error)) fiber.Handler {
	return func(c fiber.Ctx) error {
		open, err := s.opened(c)
		if err != nil {
			return err
		}
		a, err := do(c, open)
		if err != nil {
			return err
		}
		return c.JSON(a)
	}
}

// asked is a handler for questions that come as JSON.
func asked[Q, T any](s *Server, do func(c fiber.Ctx, open *bench.Session, q Q) (T, error)) fiber.Handler {
	return answer(s, func(c fiber.Ctx, open *bench.Session) (a T, err error) {
		var q Q
		if err := json.Unmarshal(c.Body(), &q); err != nil {
			return a, fmt.Errorf("%w: the question is no JSON that fits: %w", errEdit, err)
		}
		return do(c, open, q)
	})
}

var errPoint = fmt.Errorf("%w: the question names no point of the picture", errEdit)

// inPicture tells positions that lie in the picture.
func inPicture(v ...float64) bool {
	return !slices.ContainsFunc(v, func(x float64) bool { return !(x >= 0 && x <= 1) })
}

func (s *Server) get(c fiber.Ctx) error {
	n, err := id(c)
	if err != nil {
		return err
	}
	u, err := s.store.Get(c.Context(), n)
	if err != nil {
		return err
	}
	return c.JSON(map[string]any{"id": u.ID, "project": u.Project, "file": u.File, "revision": u.Revision, "document": json.RawMessage(u.Document)})
}

// Answer acknowledges an edit: it is in the journal.
type Answer struct {
	Revision int64    `json:"revision"`
	Label    string   `json:"label"`
	Kept     []string `json:"kept"` // places an undo left alone
	Undo     string   `json:"undo"` // what the person could take back next
	Redo     string   `json:"redo"`
}

func (s *Server) edit(c fiber.Ctx) error {
	var e setup.Edit
	if err := json.Unmarshal(c.Body(), &e); err != nil {
		return fmt.Errorf("%w: the edit is no JSON: %w", errEdit, err)
	}
	if e.Person == "" || e.Window == "" || len(e.Person) > 100 || len(e.Window) > 100 || len(e.Label) > 400 || len(e.Called) > 240 {
		return fmt.Errorf("%w: the edit does not say whose it is", errEdit)
	}
	if e.Target == "" {
		e.Target = "base"
	}
	if e.Target != "base" {
		return fmt.Errorf("%w: edits can go to the base only", errEdit)
	}
	return s.apply(c, e.Person, func(n int64) (*store.Done, error) {
		d, err := s.store.Apply(c.Context(), n, e)
		if err != nil && !errors.Is(err, store.ErrNotFound) && !errors.Is(err, setup.ErrPlace) {
			err = fmt.Errorf("%w: %w", errEdit, err)
		}
		return d, err
	})
}

// UndoAsk asks to take back, or with Redo to do again.
type UndoAsk struct {
	Person string `json:"person"`
	Window string `json:"window"`
	Seq    int64  `json:"seq"`
	Redo   bool   `json:"redo"`
	Called string `json:"called,omitempty"`
}

func (s *Server) undo(c fiber.Ctx) error {
	var a UndoAsk
	if err := json.Unmarshal(c.Body(), &a); err != nil || a.Person == "" || a.Window == "" {
		return fmt.Errorf("%w: the request does not say whose it is", errEdit)
	}
	return s.apply(c, a.Person, func(n int64) (*store.Done, error) {
		return s.store.Undo(c.Context(), n, setup.Edit{Person: a.Person, Window: a.Window, Seq: a.Seq, Called: clipped(a.Called, 60)}, a.Redo)
	})
}

func (s *Server) apply(c fiber.Ctx, person string, do func(int64) (*store.Done, error)) error {
	a, err := s.take(c, person, do)
	if err != nil {
		return err
	}
	return c.JSON(a)
}

// take does an edit to the setup that the request names, tells the windows, and
// says what the person could take back next.
func (s *Server) take(c fiber.Ctx, person string, do func(int64) (*store.Done, error)) (*Answer, error) {
	n, err := id(c)
	if err != nil {
		return nil, err
	}
	d, err := do(n)
	if err != nil {
		return nil, err
	}
	open, err := s.bench.Open(c.Context(), n)
	if err != nil {
		return nil, err
	}
	if err := open.Changed(d); err != nil {
		return nil, err
	}
	undo, redo, err := s.store.Next(c.Context(), n, person)
	if err != nil {
		return nil, err
	}
	if d.Kept == nil {
		d.Kept = []string{}
	}
	return &Answer{d.Revision, d.Edit.Label, d.Kept, undo, redo}, nil
}

func (s *Server) nextDeeds(c fiber.Ctx) error {
	n, err := id(c)
	if err != nil {
		return err
	}
	undo, redo, err := s.store.Next(c.Context(), n, c.Query("person"))
	if err != nil {
		return err
	}
	return c.JSON(Answer{Kept: []string{}, Undo: undo, Redo: redo})
}

// layer serves packed values; a version never changes.
func (s *Server) layer(c fiber.Ctx) error {
	open, err := s.opened(c)
	if err != nil {
		return err
	}
	version, _ := strconv.Atoi(c.Params("version"))
	part, _ := strconv.Atoi(c.Query("part", "0"))
	return packed(c, open.Layer(c.Params("frame"), c.Params("layer"), version, part))
}

// runtimeLayer serves a light's direct light as the target draws it.
func (s *Server) runtimeLayer(c fiber.Ctx) error {
	open, err := s.opened(c)
	if err != nil {
		return err
	}
	words, scale, err := open.Runtime(c.Context(), c.Params("frame"), c.Params("light"))
	if err != nil {
		return err
	}
	c.Set("X-Scale", strconv.FormatFloat(scale, 'g', -1, 32))
	return packed(c, words)
}

// frameMap serves what lies under each pixel.
func (s *Server) frameMap(c fiber.Ctx) error {
	open, err := s.opened(c)
	if err != nil {
		return err
	}
	return packed(c, open.Map(c.Params("frame")))
}

// drawn serves a map of what is seen other than its light.
func (s *Server) drawn(c fiber.Ctx) error {
	open, err := s.opened(c)
	if err != nil {
		return err
	}
	data, scale := open.Drawn(c.Params("frame"), c.Params("what"), c.Query("light"))
	if data == nil {
		return c.SendStatus(204)
	}
	c.Set("Content-Type", "application/octet-stream")
	c.Set("Cache-Control", "private, no-store")
	c.Set("X-Scale", strconv.FormatFloat(float64(scale), 'g', -1, 32))
	return c.Send(data)
}

// contrast answers how a figure stands against what is behind it; null where its
// outline is not to be seen.
func (s *Server) contrast(c fiber.Ctx) error {
	open, err := s.opened(c)
	if err != nil {
		return err
	}
	object, err := strconv.Atoi(c.Query("object"))
	if err != nil {
		return fmt.Errorf("%w: no object is named", errEdit)
	}
	ev, err := strconv.ParseFloat(c.Query("ev"), 64)
	if err != nil {
		return fmt.Errorf("%w: no exposure is named", errEdit)
	}
	a, ok, err := open.Contrast(c.Query("sight"), object, ev)
	if err != nil {
		return err
	}
	if !ok {
		return c.JSON(nil)
	}
	return c.JSON(a)
}

// saveRig is a rig as a template to keep.
func (s *Server) saveRig(c fiber.Ctx) error {
	open, err := s.opened(c)
	if err != nil {
		return err
	}
	t, err := open.SaveRig(c.Params("group"))
	if err != nil {
		return err
	}
	c.Attachment(t.Name + " rig.json")
	c.Set("Content-Type", "application/json")
	return c.Send(t.JSON())
}

func packed(c fiber.Ctx, words []uint32) error {
	if words == nil {
		return c.SendStatus(204) // a newer version is on its way: no error, and no news in the console
	}
	c.Set("Content-Type", "application/octet-stream")
	c.Set("Cache-Control", "private, no-store")
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
	open, err := s.opened(c)
	if err != nil {
		return err
	}
	png, level, ok, err := open.Picture(c.Query("view"), nonEmpty(strings.Split(c.Query("alone"), ",")...))
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
	open, err := s.opened(c)
	if err != nil {
		return err
	}
	lights, name, err := open.LightsOut()
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
	open, err := s.opened(c)
	if err != nil {
		return err
	}
	png := open.Thumb(c.Params("view"))
	if png == nil {
		return c.Status(404).JSON(Fault{"The thumbnail is not ready yet.", "Wait a moment."})
	}
	c.Set("Content-Type", "image/png")
	c.Set("Cache-Control", "no-store")
	return c.Send(png)
}

// Warmth is a table of colour temperatures: luminance-1 linear colours, even in
// mired, from the warmest to the coolest. The browser only interpolates it.
type Warmth struct {
	MinKelvin float64      `json:"minKelvin"`
	MaxKelvin float64      `json:"maxKelvin"`
	Colours   []colour.RGB `json:"colours"`
}

func warmth(c fiber.Ctx) error {
	const steps = 1024
	w := Warmth{MinKelvin: colour.MinKelvin, MaxKelvin: colour.MaxKelvin}
	for i := range steps + 1 {
		m := 1e6/colour.MinKelvin + (1e6/colour.MaxKelvin-1e6/colour.MinKelvin)*float64(i)/steps
		w.Colours = append(w.Colours, colour.Temperature(1e6/m))
	}
	c.Set("Cache-Control", "private, max-age=3600")
	return c.JSON(w)
}

// Imported answers an import.
type Imported struct {
	ID    int64    `json:"id"`
	Notes []string `json:"notes"`
}

// importFile takes a GLB as the request's body and makes a setup of it.
func (s *Server) importFile(c fiber.Ctx) error {
	name := fileName(c)
	place, err := readPlace(c, name)
	if err != nil {
		return err
	}
	doc, notes := setup.FromScene(place, "console-60")
	if err := doc.Validate(); err != nil {
		return &gltf.Error{File: name, What: "its lights or cameras are out of bounds: " + err.Error(), Remedy: "correct them and export again"}
	}
	bench.MeterViews(c.Context(), place, doc)
	hash, err := s.store.PutBlob(c.Context(), c.Body())
	if err != nil {
		return err
	}
	notes = append(notes, place.Warnings...)
	n, err := s.store.Create(c.Context(), store.Setup{Project: doc.Name, Place: hash, File: name, Notes: notes, Document: doc.JSON()})
	if err != nil {
		return err
	}
	return c.JSON(Imported{n, append([]string{}, notes...)})
}

// heard is what a window says over its socket: one of these.
type heard struct {
	Look   *bench.Gaze `json:"look,omitempty"`
	Draft  *[]setup.Op `json:"draft,omitempty"`
	Called string      `json:"called,omitempty"`
}

// live is a window's WebSocket: news to it, and which view it shows from it.
func (s *Server) live() fiber.Handler {
	return websocket.New(func(conn *websocket.Conn) {
		n, err := strconv.ParseInt(conn.Params("id"), 10, 64)
		if err != nil {
			return
		}
		ctx, cancel := context.WithCancel(context.Background())
		defer cancel()
		open, err := s.bench.Open(ctx, n)
		if err != nil {
			_ = conn.WriteJSON(bench.Failed{Type: "fault", What: sentence(err.Error()), Remedy: "Import the file again, or choose another setup."})
			return
		}
		// News wait here for a slow window; one that falls far behind is cut off and
		// comes back for a fresh start.
		news := make(chan any, 256)
		var once sync.Once
		w := &bench.Window{Name: conn.Query("window"), Person: conn.Query("person"), Called: clipped(conn.Query("called"), 60), View: conn.Query("view"), Send: func(m any) {
			select {
			case news <- m:
			default:
				once.Do(cancel)
			}
		}}
		open.Join(w)
		defer open.Leave(w)
		go func() {
			defer conn.Close()
			for {
				select {
				case <-ctx.Done():
					return
				case m := <-news:
					_ = conn.SetWriteDeadline(time.Now().Add(20 * time.Second))
					if conn.WriteJSON(m) != nil {
						return
					}
				}
			}
		}()
		conn.SetReadLimit(1 << 20)
		for {
			var m heard
			if conn.ReadJSON(&m) != nil {
				return
			}
			switch {
			case m.Look != nil:
				open.Look(w, *m.Look)
			case m.Draft != nil:
				open.Draft(w, *m.Draft)
			case m.Called != "" && len(m.Called) <= 60:
				open.Call(w, m.Called)
			}
		}
	}, websocket.Config{Origins: []string{"*"}}) // sameSite has checked the origin
}
