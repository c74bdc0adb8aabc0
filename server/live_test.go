package server

import (
	"context"
	"encoding/json"
	"fmt"
	"net"
	"net/http"
	"sync"
	"testing"
	"time"

	ws "github.com/fasthttp/websocket"
	"github.com/gofiber/fiber/v3"
	"github.com/stretchr/testify/require"
	"willowherb/core/edits"
	"willowherb/room"
	"willowherb/store/storetest"
)

// listening serves on a port of its own, and returns its address.
func (s *Server) listening(t testing.TB) string {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	go func() { _ = s.app.Listener(l, fiber.ListenConfig{DisableStartupMessage: true}) }()
	t.Cleanup(func() {
		s.stop()
		_ = s.app.ShutdownWithTimeout(5 * time.Second)
	})
	return l.Addr().String()
}

// window is a socket that collects what it is told.
type window struct {
	conn *ws.Conn
	done chan struct{}
	mu   sync.Mutex
	news []map[string]any
}

func dial(addr, secret, name string) (*window, error) {
	conn, res, err := ws.DefaultDialer.Dial(fmt.Sprintf("ws://%s/api/setups/1/live?window=%s&called=x", addr, name), http.Header{"Cookie": {cookie + "=" + secret}})
	if err != nil {
		return nil, fmt.Errorf("%w: %v", err, res)
	}
	w := &window{conn: conn, done: make(chan struct{})}
	go func() {
		defer close(w.done)
		for {
			var m map[string]any
			_, text, err := conn.ReadMessage()
			if err != nil || json.Unmarshal(text, &m) != nil {
				return
			}
			w.mu.Lock()
			w.news = append(w.news, m)
			w.mu.Unlock()
		}
	}()
	return w, nil
}

func (s *Server) join(t testing.TB, secret, name string) *window {
	w, err := dial(s.listening(t), secret, name)
	require.NoError(t, err)
	t.Cleanup(func() { w.conn.Close() })
	return w
}

func (w *window) find(f func(m map[string]any) bool) map[string]any {
	w.mu.Lock()
	defer w.mu.Unlock()
	for _, m := range w.news {
		if f(m) {
			return m
		}
	}
	return nil
}

func (w *window) wait(t testing.TB, what string, f func(m map[string]any) bool) (m map[string]any) {
	t.Helper()
	require.Eventually(t, func() bool { m = w.find(f); return m != nil }, 30*time.Second, 5*time.Millisecond, what)
	return m
}

func is(kind string) func(m map[string]any) bool {
	return func(m map[string]any) bool { return m["type"] == kind }
}

// Windows come, look, drag, edit and leave, many at once, some in the middle of a
// message: the server lives, no window hears another's news, and every edit is there.
func TestManyWindowsComeAndGo(t *testing.T) {
	s := serve(t)
	imported(t, s)
	addr := s.listening(t)
	var wg sync.WaitGroup
	for k := range 8 {
		wg.Go(func() {
			for i := range 12 {
				name := fmt.Sprintf("w%d-%d", k, i)
				w, err := dial(addr, ada, name)
				if err != nil {
					t.Error(err)
					return
				}
				if i%3 != 0 { // some do not even wait to be greeted
					m := w.wait(t, "hello", is("hello"))
					require.Equal(t, personOf(ada)+"."+name, m["mine"], "news of this window's own")
				}
				e := stops(float64(12*k+i+1) / 100)
				e.Window = name
				require.Equal(t, 200, s.ask(t, "POST", "/api/setups/1/edits", e, nil))
				_ = w.conn.WriteJSON(heard{Look: &room.Gaze{N: 1, View: "down", Moving: i%2 == 0}})
				_ = w.conn.WriteJSON(heard{Draft: &[]edits.Op{{Op: "replace", Path: "/lights/dim-sky/stops", Value: []byte("2")}}})
				switch i % 4 {
				case 0:
					_ = w.conn.NetConn().Close()
				case 1:
					_ = w.conn.WriteMessage(ws.TextMessage, []byte("{")) // no message at all
					<-w.done
				default:
					_ = w.conn.WriteControl(ws.CloseMessage, nil, time.Now().Add(time.Second))
				}
				w.conn.Close()
				<-w.done
			}
		})
	}
	wg.Wait()
	edits, err := s.Journal.Since(t.Context(), 1, 0, 1000)
	require.NoError(t, err)
	require.Len(t, edits, 96)
	require.Eventually(t, func() bool { _, n := s.Hall.Rooms(); return n == 0 }, 10*time.Second, 5*time.Millisecond, "every window has left")
}

// Who a window belongs to is known by the server: another browser cannot speak for
// it, nor use up its numbers, nor ask for its drags.
func TestAWindowBelongsToItsBrowser(t *testing.T) {
	s := serve(t)
	imported(t, s)
	w := s.join(t, ada, "w")
	w.wait(t, "hello", is("hello"))
	var a Answer
	theirs := stops(2)
	require.Equal(t, 200, s.ask(t, "POST", "/api/setups/1/edits", theirs, &a, "Cookie", cookie+"="+bea))
	require.EqualValues(t, 1, a.Revision)
	require.Equal(t, 200, s.ask(t, "POST", "/api/setups/1/edits", stops(1), &a))
	require.EqualValues(t, 2, a.Revision, "the same window and number of another browser are no repeat")
	m := w.wait(t, "the first", func(m map[string]any) bool { return m["type"] == "edited" && m["revision"] == 1.0 })
	require.Equal(t, personOf(bea)+".w", m["window"])
	w.mu.Lock()
	require.NotContains(t, fmt.Sprint(w.news), bea, "nobody's secret is told")
	w.mu.Unlock()
	var f Fault
	require.Equal(t, 401, s.ask(t, "POST", "/api/setups/1/edits", stops(1), &f, "Cookie", "other=1"))
	require.Equal(t, 401, s.ask(t, "GET", "/api/setups/1/live?window=w", nil, &f, "Cookie", "willowherb=guess"))
	require.Equal(t, 404, s.ask(t, "POST", "/api/setups/1/aside", AsideAsk{Window: "w"}, &f, "Cookie", cookie+"="+bea))
	require.Equal(t, 200, s.ask(t, "POST", "/api/setups/1/aside", AsideAsk{Window: "w"}, nil))
	var me Me
	require.Equal(t, 200, s.ask(t, "GET", "/api/me", nil, &me))
	require.Equal(t, personOf(ada), me.Person)
	require.Equal(t, 200, s.ask(t, "GET", "/api/me", nil, &me, "Cookie", ""))
	require.Len(t, me.Person, 16)
	require.NotEqual(t, personOf(ada), me.Person)
}

// A window that gives no sign of life, or a setup that is gone, ends in words.
func TestWhatCannotBeOpenedIsSaid(t *testing.T) {
	s := serve(t)
	addr := s.listening(t)
	w, err := dial(addr, ada, "w")
	require.NoError(t, err)
	m := w.wait(t, "why", is("fault"))
	require.Contains(t, m["what"], "not here any more")
	<-w.done
	// The server's end is a window's end too.
	imported(t, s)
	w, err = dial(addr, ada, "w")
	require.NoError(t, err)
	w.wait(t, "hello", is("hello"))
	s.stop()
	<-w.done
}

// The database is killed under the server: edits are answered as busy, not as
// wrong; windows are told; and when it is back everything goes on.
func TestTheDatabaseGoesAndComesBack(t *testing.T) {
	cluster := storetest.NewCluster(t)
	s := serveAt(t, cluster.URL(), 100*time.Millisecond)
	imported(t, s)
	w := s.join(t, ada, "w")
	w.wait(t, "hello", is("hello"))
	w.wait(t, "its place", is("lamps"))
	cluster.Kill()
	w.wait(t, "that it is away", func(m map[string]any) bool { return m["type"] == "away" && m["away"] == true })
	for _, c := range []struct {
		method, path string
		body         any
	}{
		{"POST", "/api/setups/1/edits", stops(1)}, {"POST", "/api/setups/1/undo", UndoAsk{Window: "w", Seq: 9}}, {"POST", "/api/setups/1/revert", RevertAsk{Window: "w", Seq: 9}},
		{"GET", "/api/setups", nil}, {"GET", "/api/setups/1", nil}, {"GET", "/api/setups/1/history", nil}, {"GET", "/api/setups/1/next", nil}, {"GET", "/api/setups/1/snapshots", nil},
		{"POST", "/api/setups/1/name", NameAsk{Window: "w", Name: "x"}}, {"DELETE", "/api/setups/1", nil}, {"POST", "/api/setups/1/copy", NameAsk{Name: "x"}},
		{"POST", "/api/import", floor(t)}, {"POST", "/api/setups/1/place?window=w&seq=8", floor(t)}, {"POST", "/api/slides", []byte(tinyPNG)}, {"GET", "/readyz", nil},
	} {
		req := s.request(t, c.method, c.path, c.body)
		res, err := s.app.Test(req, fiber.TestConfig{Timeout: 0})
		require.NoError(t, err)
		require.Equal(t, 503, res.StatusCode, c.path)
		if c.path != "/readyz" {
			require.NotEmpty(t, res.Header.Get("Retry-After"), c.path)
		}
		res.Body.Close()
	}
	require.Equal(t, 200, s.ask(t, "GET", "/healthz", nil, nil))
	require.Equal(t, 200, s.ask(t, "GET", "/api/setups/1/who", nil, nil), "what is open can still be asked")
	cluster.Start()
	require.Eventually(t, func() bool { return s.ask(t, "POST", "/api/setups/1/edits", stops(1), nil) == 200 }, 20*time.Second, 20*time.Millisecond)
	w.wait(t, "the edit", is("edited"))
	w.wait(t, "that it is back", func(m map[string]any) bool { return m["type"] == "away" && m["away"] == false })
	edits, err := s.Journal.Since(context.Background(), 1, 0, 10)
	require.NoError(t, err)
	require.Len(t, edits, 1)
}
