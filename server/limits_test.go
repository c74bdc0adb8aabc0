package server

import (
	"bufio"
	"context"
	"encoding/base64"
	"errors"
	"fmt"
	"io"
	"net"
	"net/http"
	"runtime"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/gofiber/fiber/v3"
	"github.com/stretchr/testify/require"
	"willowherb/core/setup"
	"willowherb/journal"
	"willowherb/refine"
	"willowherb/room"
)

var tinyPNG, _ = base64.StdEncoding.DecodeString("iVBORw0KGgoAAAANSUhEUgAAAAEAAAABCAYAAAAfFcSJAAAADUlEQVR42mP8z8BQDwAEhQGAhKmMIQAAAABJRU5ErkJggg==")

// talk sends text to the server and returns the status of the answer.
func talk(t *testing.T, addr, text string) int {
	conn, err := net.Dial("tcp", addr)
	require.NoError(t, err)
	defer conn.Close()
	_ = conn.SetDeadline(time.Now().Add(20 * time.Second))
	go func() { _, _ = io.WriteString(conn, text) }()
	res, err := http.ReadResponse(bufio.NewReader(conn), nil)
	require.NoError(t, err)
	defer res.Body.Close()
	return res.StatusCode
}

func head(path string, more ...string) string {
	return fmt.Sprintf("POST %s HTTP/1.1\r\nHost: 127.0.0.1\r\nCookie: %s=%s\r\n%s\r\n\r\n", path, cookie, ada, strings.Join(more, "\r\n"))
}

// What is too large is refused by its own word for its length, before more of it is
// read than the first 8 KiB, and where it does not say so, at the limit; the limits
// are the routes'.
func TestBodiesAreRefusedBeforeTheyAreRead(t *testing.T) {
	first := strings.Repeat(" ", 8<<10)
	s := serve(t)
	imported(t, s)
	addr := s.listening(t)
	for path, limit := range map[string]int{"/api/setups/1/weigh": questionLimit, "/api/setups/1/undo": questionLimit, "/api/setups/1/edits": editLimit, "/api/profiles": smallFile, "/api/slides": smallFile, "/api/import": importLimit, "/api/setups/1/place?window=w&seq=1": importLimit} {
		require.Equal(t, 413, talk(t, addr, head(path, fmt.Sprint("Content-Length: ", limit+1))+first), path)
		require.NotEqual(t, 413, talk(t, addr, head(path, "Content-Length: 4")+"null"), path)
	}
	// Another site's page is refused first of all, whatever it sends.
	require.Equal(t, 403, talk(t, addr, head("/api/import", "Origin: http://elsewhere.example", "Content-Length: 99999999999")+first))
	require.Equal(t, 403, talk(t, addr, strings.Replace(head("/api/import", "Content-Length: 99999999999"), "127.0.0.1", "elsewhere.example", 1)+first))
	// Without a length: chunk after chunk.
	chunk := "8000\r\n" + strings.Repeat("x", 0x8000) + "\r\n"
	require.Equal(t, 413, talk(t, addr, head("/api/setups/1/weigh", "Transfer-Encoding: chunked")+strings.Repeat(chunk, 100)))
	// A form is no exception, though the library would gladly spool it.
	require.Equal(t, 413, talk(t, addr, head("/api/setups/1/weigh", "Content-Type: multipart/form-data; boundary=x", "Content-Length: 900000000")+first))
	// A great many at once take little.
	var before, after runtime.MemStats
	runtime.GC()
	runtime.ReadMemStats(&before)
	var wg sync.WaitGroup
	for range 40 {
		wg.Go(func() { talk(t, addr, head("/api/setups/1/edits", "Content-Length: 900000000")+first) })
	}
	wg.Wait()
	runtime.ReadMemStats(&after)
	require.Less(t, after.TotalAlloc-before.TotalAlloc, uint64(40<<20))
}

func TestALineLetsAFewInAndOthersWait(t *testing.T) {
	l := newLine(1, 2)
	leave, err := l.enter(t.Context())
	require.NoError(t, err)
	gone, cancel := context.WithCancel(t.Context())
	ended := make(chan error)
	for range 2 {
		go func() {
			leave, err := l.enter(gone)
			if err == nil {
				leave()
			}
			ended <- err
		}()
	}
	require.Eventually(t, func() bool { return len(l.waiting) == 2 }, 5*time.Second, time.Millisecond)
	_, err = l.enter(t.Context())
	require.ErrorIs(t, err, errBusy, "the line is full")
	cancel()
	for range 2 {
		require.ErrorIs(t, <-ended, context.Canceled, "whoever goes frees a place")
	}
	go func() {
		leave, err := l.enter(t.Context())
		if err == nil {
			defer leave()
		}
		ended <- err
	}()
	require.Eventually(t, func() bool { return len(l.waiting) == 1 }, 5*time.Second, time.Millisecond)
	leave()
	require.NoError(t, <-ended)
}

// When a client goes, what is done for it ends: nothing of what it still sends is
// taken for that.
func TestWorkEndsWhenItsClientHasGone(t *testing.T) {
	s := serve(t)
	began, ended := make(chan struct{}, 2), make(chan error, 2)
	app := fiber.New()
	app.Get("/slow", s.lasting, func(c fiber.Ctx) error {
		began <- struct{}{}
		<-c.Context().Done()
		ended <- c.Context().Err()
		return nil
	})
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	go func() { _ = app.Listener(l, fiber.ListenConfig{DisableStartupMessage: true}) }()
	defer app.Shutdown()
	conn, err := net.Dial("tcp", l.Addr().String())
	require.NoError(t, err)
	_, _ = io.WriteString(conn, "GET /slow HTTP/1.1\r\nHost: 127.0.0.1\r\n\r\n")
	<-began
	_, _ = io.WriteString(conn, "GET /next") // the next request is no end
	select {
	case <-ended:
		t.Fatal("it ended while its client was there")
	case <-time.After(400 * time.Millisecond):
	}
	conn.Close()
	require.ErrorIs(t, <-ended, context.Canceled)
	// The server's end is the work's end too.
	conn, err = net.Dial("tcp", l.Addr().String())
	require.NoError(t, err)
	defer conn.Close()
	_, _ = io.WriteString(conn, "GET /slow HTTP/1.1\r\nHost: 127.0.0.1\r\n\r\n")
	<-began
	s.stop()
	require.ErrorIs(t, <-ended, context.Canceled)
}

func TestSetupsAreNamedPutAwayRemovedAndBroughtBack(t *testing.T) {
	s := serve(t)
	imported(t, s)
	var a Answer
	require.Equal(t, 200, s.ask(t, "POST", "/api/setups/1/name", NameAsk{Name: " Night ", Window: "w", Seq: 1}, &a))
	require.Equal(t, "Setup named Night", a.Undo)
	var f Fault
	require.Equal(t, 422, s.ask(t, "POST", "/api/setups/1/name", NameAsk{Name: " ", Window: "w", Seq: 2}, &f))
	require.Contains(t, f.What, "/name")
	require.Equal(t, 200, s.ask(t, "POST", "/api/setups/1/archived", ArchiveAsk{true}, nil))
	var list []journal.Listed
	get := func() journal.Listed {
		list = nil
		require.Equal(t, 200, s.ask(t, "GET", "/api/setups", nil, &list))
		return list[0]
	}
	require.True(t, get().Archived)
	require.Equal(t, "Night", get().Name)
	require.Equal(t, 200, s.ask(t, "POST", "/api/setups/1/archived", ArchiveAsk{false}, nil))
	require.False(t, get().Archived)
	require.Equal(t, 200, s.ask(t, "DELETE", "/api/setups/1", nil, nil))
	require.NotNil(t, get().Removed)
	require.Equal(t, 404, s.ask(t, "GET", "/api/setups/1", nil, &f))
	require.Equal(t, 404, s.ask(t, "DELETE", "/api/setups/1", nil, &f))
	require.Equal(t, 200, s.ask(t, "POST", "/api/setups/1/restored", nil, nil))
	require.Nil(t, get().Removed)
	require.Equal(t, 401, s.ask(t, "DELETE", "/api/setups/1", nil, &f, "Cookie", ""))
	require.Equal(t, 200, s.ask(t, "POST", "/api/setups/1/undo", UndoAsk{Window: "w", Seq: 3}, nil))
	require.Equal(t, "my floor", get().Name)
}

func TestFilesAreNamedByContentAndMissingOnesAreMissing(t *testing.T) {
	s := serve(t)
	get := func(path string, header ...string) *http.Response {
		req := s.request(t, "GET", path, nil)
		for i := 0; i+1 < len(header); i += 2 {
			req.Header.Set(header[i], header[i+1])
		}
		res, err := s.app.Test(req, fiber.TestConfig{Timeout: 0})
		require.NoError(t, err)
		t.Cleanup(func() { res.Body.Close() })
		return res
	}
	app := get("/assets/app-1a2b.js")
	require.Equal(t, 200, app.StatusCode)
	require.Contains(t, app.Header.Get("Cache-Control"), "immutable")
	for _, path := range []string{"/assets/app-0000.js", "/assets/old", "/favicon.ico", "/s/1.png"} {
		require.Equal(t, 404, get(path).StatusCode, path)
	}
	page := get("/s/1")
	require.Equal(t, 200, page.StatusCode)
	require.Equal(t, "no-cache", page.Header.Get("Cache-Control"))
	tag := page.Header.Get("Etag")
	require.NotEmpty(t, tag)
	require.Equal(t, 304, get("/s/1", "If-None-Match", tag).StatusCode)
	for name, want := range map[string]string{"X-Frame-Options": "DENY", "X-Content-Type-Options": "nosniff"} {
		require.Equal(t, want, page.Header.Get(name))
	}
	require.Contains(t, page.Header.Get("Content-Security-Policy"), "default-src 'self'")
	require.NotEmpty(t, page.Header.Get("X-Request-Id"))
	list := get("/api/warmth", "Accept-Encoding", "gzip")
	require.Equal(t, "gzip", list.Header.Get("Content-Encoding"), "text is packed")
}

func TestHealthAndFigures(t *testing.T) {
	s := serve(t)
	imported(t, s)
	require.Equal(t, 200, s.ask(t, "GET", "/healthz", nil, nil))
	require.Equal(t, 200, s.ask(t, "GET", "/readyz", nil, nil))
	require.Equal(t, 200, s.ask(t, "POST", "/api/setups/1/edits", stops(1), nil))
	res, err := s.app.Test(s.request(t, "GET", "/metrics", nil), fiber.TestConfig{Timeout: 0})
	require.NoError(t, err)
	defer res.Body.Close()
	text, err := io.ReadAll(res.Body)
	require.NoError(t, err)
	for _, want := range []string{"willowherb_edits_total 1", `willowherb_requests_total{route="/api/setups/:id/edits",status="200"} 1`, "willowherb_windows 0", "go_goroutines"} {
		require.Contains(t, string(text), want)
	}
}

// An error that nobody foresaw says nothing of the inside; a panic does not end the
// server.
func TestWhatNobodyForesawSaysNothingOfTheInside(t *testing.T) {
	s := serve(t)
	for _, err := range []error{errors.New("open /var/lib/secret: dial tcp 10.0.0.7:5432"), errPanic} {
		c := s.app.AcquireCtx(fasthttpCtx())
		require.NoError(t, s.fault(c, err))
		text := string(c.Response().Body())
		require.Equal(t, 500, c.Response().StatusCode())
		require.NotContains(t, text, "secret")
		require.NotContains(t, text, "10.0.0.7")
		s.app.ReleaseCtx(c)
	}
	c := s.app.AcquireCtx(fasthttpCtx())
	defer s.app.ReleaseCtx(c)
	require.NoError(t, s.fault(c, fmt.Errorf("x: %w", context.Canceled)))
	require.Equal(t, 503, c.Response().StatusCode())
}

func FuzzHear(f *testing.F) {
	for _, seed := range []string{`{"look":{"n":1,"view":"a","camera":{"fovY":1e99}}}`, `{"draft":[{"op":"add","path":"/lights/x","value":{}}]}`, `{"called":"x"}`, `{"look":null,"draft":null}`, `[`} {
		f.Add([]byte(seed))
	}
	studio := refine.New(nil, refine.Options{Workers: 1})
	f.Cleanup(studio.Close)
	doc, err := setup.Parse([]byte(`{"version":1,"name":"a","target":"","curve":"plain","views":{"a":{"name":"A","order":0,"eye":[0,0,0],"aim":[0,0,-1],"roll":0,"fovY":40,"aspect":1,"ev":5}}}`))
	require.NoError(f, err)
	r := room.For(&journal.Setup{ID: 1, Doc: doc}, studio)
	w := r.Join("p", "p.w", "", "")
	f.Fuzz(func(t *testing.T, text []byte) {
		_ = hear(r, w, text)
		for _, e := range r.State().Eyes {
			if !e.Blind {
				require.NoError(t, e.See.Camera.Check())
			}
			if e.Draft != nil {
				require.NoError(t, e.Draft.Validate())
			}
		}
	})
}
