package e2e

import (
	"bytes"
	"encoding/json"
	"fmt"
	"io"
	"math/rand/v2"
	"net/http"
	"os"
	"slices"
	"strconv"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	ws "github.com/fasthttp/websocket"
	"github.com/stretchr/testify/require"
	"willowherb/core/edits"
	api "willowherb/server"
	"willowherb/store/storetest"
)

// client is a window without a browser: it looks, drags, edits and undoes, and sends
// an edit again until it is acknowledged, as the front end does.
type client struct {
	base   func() string
	secret string
	window string
	rng    *rand.Rand
	seq    int64
	mu     sync.Mutex
	acked  map[int64]bool // numbers of edits and undos that were acknowledged, and changed something
	waits  []time.Duration
	heard  atomic.Int64 // the newest revision that it was told of
	tries  int
}

func newClient(base func() string, n int) *client {
	return &client{base: base, secret: fmt.Sprintf("%032x", n+1), window: fmt.Sprint("w", n), rng: rand.New(rand.NewPCG(uint64(n), 7)), acked: map[int64]bool{}}
}

// ask sends a body until there is an answer that is no refusal to try again.
func (c *client) ask(path string, body any, stop func() bool) (a api.Answer, status int) {
	data, _ := json.Marshal(body)
	began := time.Now()
	for wait := 20 * time.Millisecond; !stop(); wait = min(2*wait, time.Second) {
		req, err := http.NewRequest("POST", c.base()+path, bytes.NewReader(data))
		if err == nil {
			req.Header.Set("Cookie", "willowherb="+c.secret)
			var r *http.Response
			if r, err = http.DefaultClient.Do(req); err == nil {
				text, _ := io.ReadAll(r.Body)
				_ = r.Body.Close()
				if r.StatusCode != 503 && r.StatusCode != 429 && json.Unmarshal(text, &a) == nil {
					c.mu.Lock()
					c.waits = append(c.waits, time.Since(began))
					c.mu.Unlock()
					return a, r.StatusCode
				}
			}
		}
		c.tries++
		time.Sleep(wait)
	}
	return a, 0
}

// live keeps a socket open and notes what it is told.
func (c *client) live(stop func() bool) {
	for !stop() {
		conn, _, err := ws.DefaultDialer.Dial(fmt.Sprintf("%s/api/setups/1/live?window=%s", strings.Replace(c.base(), "http", "ws", 1), c.window), http.Header{"Cookie": {"willowherb=" + c.secret}})
		if err != nil {
			time.Sleep(200 * time.Millisecond)
			continue
		}
		go func() {
			for n := 1; !stop(); n++ {
				m := map[string]any{"look": map[string]any{"n": n, "view": []string{"hall", "keeper", "culvert"}[n/20%3], "moving": n%7 == 0, "cut": 0}}
				if n%5 == 0 {
					m = map[string]any{"draft": []any{map[string]any{"op": "replace", "path": "/lights/lantern/range", "value": 3 + n%9}}}
				}
				if conn.WriteJSON(m) != nil {
					return
				}
				time.Sleep(400 * time.Millisecond)
			}
		}()
		for !stop() {
			_ = conn.SetReadDeadline(time.Now().Add(70 * time.Second))
			_, text, err := conn.ReadMessage()
			if err != nil {
				break
			}
			var m struct {
				Type     string
				Revision int64
			}
			if json.Unmarshal(text, &m) == nil && (m.Type == "edited" || m.Type == "hello") {
				c.heard.Store(max(c.heard.Load(), m.Revision))
			}
		}
		_ = conn.Close()
	}
}

// edit makes one random edit, or an undo, and waits until it is acknowledged.
func (c *client) edit(t *testing.T, lights []string, stop func() bool) {
	c.seq++
	seq := c.seq
	var a api.Answer
	var status int
	if c.rng.IntN(6) == 0 {
		a, status = c.ask("/api/setups/1/undo", api.UndoAsk{Window: c.window, Seq: seq, Redo: c.rng.IntN(3) == 0}, stop)
		if status == 409 {
			return // nothing to undo
		}
	} else {
		light, field := lights[c.rng.IntN(len(lights))], []string{"stops", "range", "shadowMap"}[c.rng.IntN(3)]
		v := map[string]any{"stops": float64(c.rng.IntN(800)-400) / 100, "range": float64(c.rng.IntN(900)+100) / 100, "shadowMap": 128 << c.rng.IntN(4)}[field]
		raw, _ := json.Marshal(v)
		a, status = c.ask("/api/setups/1/edits", api.EditAsk{Window: c.window, Seq: seq, Base: c.heard.Load(), Label: fmt.Sprint(c.window, " ", seq), Ops: []edits.Op{{Op: "replace", Path: "/lights/" + light + "/" + field, Value: raw}}}, stop)
	}
	if status == 0 {
		return // stopped while it was still being sent
	}
	if status != 200 {
		t.Errorf("%s %d was refused with %d", c.window, seq, status)
		return
	}
	if !a.Nothing {
		c.mu.Lock()
		c.acked[seq] = true
		c.mu.Unlock()
	}
}

func seconds(t *testing.T, short int) int {
	if v := os.Getenv("WILLOWHERB_SOAK"); v != "" {
		n, err := strconv.Atoi(v)
		require.NoError(t, err)
		return n
	}
	return short
}

// Eight windows look, drag, edit and undo while the server and its database are
// killed at random (WILLOWHERB_SOAK names the seconds; scripts/soak runs ten
// minutes). No edit is refused, none that was acknowledged is missing or there
// twice, the document is what the journal says, every window hears of the last
// edit, and the server takes as much memory in its last life as in its first.
func TestNothingIsLostWhateverIsKilled(t *testing.T) {
	span := time.Duration(seconds(t, 12)) * time.Second
	cluster := storetest.NewCluster(t)
	s := &server{t: t, db: cluster.URL(), args: []string{"--demo"}}
	s.run(0)
	t.Cleanup(func() { s.kill() })
	first := s.document(1)
	lights := slices.Sorted(func(yield func(string) bool) {
		for id := range first.Lights {
			if !yield(id) {
				return
			}
		}
	})
	base := s.base // it comes back at the same address
	var stop, quiet atomic.Bool
	clients := make([]*client, 8)
	var wg, sockets sync.WaitGroup
	for i := range clients {
		c := newClient(func() string { return base }, i)
		clients[i] = c
		sockets.Go(func() { c.live(quiet.Load) })
		wg.Go(func() {
			for !stop.Load() {
				c.edit(t, lights, func() bool { return false })
				time.Sleep(time.Duration(c.rng.IntN(150)) * time.Millisecond)
			}
		})
	}
	rng := rand.New(rand.NewPCG(5, 5))
	var lives []float64 // memory of each life at its end, MB
	servers, databases := 0, 0
	life := max(span/8, 5*time.Second)
	for began, born := time.Now(), time.Now(); time.Since(began) < span; {
		time.Sleep(time.Duration(1500+rng.IntN(4000)) * time.Millisecond)
		if time.Since(born) > life {
			lives = append(lives, s.memory())
			s.restart()
			born = time.Now()
			servers++
			continue
		}
		cluster.Bounce(time.Duration(rng.IntN(2500)) * time.Millisecond)
		databases++
	}
	stop.Store(true)
	wg.Wait()
	entries := s.journal()
	last := entries[len(entries)-1].Revision
	require.Eventually(t, func() bool {
		return !slices.ContainsFunc(clients, func(c *client) bool { return c.heard.Load() != last })
	}, 30*time.Second, 20*time.Millisecond, "every window hears of the last edit")
	lives = append(lives, s.memory())
	quiet.Store(true)
	seen := map[string]int{}
	var ops [][]edits.Op
	for i, e := range entries {
		require.EqualValues(t, i+1, e.Revision, "no revision is missing")
		_, window, _ := strings.Cut(e.Edit.Window, ".")
		seen[fmt.Sprint(window, " ", e.Edit.Seq)]++
		ops = append(ops, e.Edit.Ops)
	}
	acked, tries := 0, 0
	var waits []time.Duration
	for _, c := range clients {
		tries += c.tries
		waits = append(waits, c.waits...)
		for seq := range c.acked {
			acked++
			require.Equal(t, 1, seen[fmt.Sprint(c.window, " ", seq)], "%s %d", c.window, seq)
		}
	}
	require.Equal(t, string(storetest.Replay(t, first.JSON(), ops).JSON()), string(s.document(1).JSON()))
	slices.Sort(waits)
	t.Logf("%s: %d edits acknowledged, %d in the journal; server killed %d times, database %d times; %d tries in vain; acknowledged after %s at the median, %s at the 95th percentile, %s at most; memory %.0f MB at the end of the first life, %.0f at the end of the last",
		span, acked, len(entries), servers, databases, tries, waits[len(waits)/2].Round(time.Millisecond), waits[len(waits)*95/100].Round(time.Millisecond), waits[len(waits)-1].Round(time.Millisecond), lives[0], lives[len(lives)-1])
	require.Positive(t, acked)
	require.Positive(t, databases)
	require.Less(t, lives[len(lives)-1], 1.35*lives[0]+150)
}

// Two hundred windows look at one setup while one of them edits: each hears of every
// edit. Figures for docs/performance.md; nothing is asserted by the clock.
func TestTwoHundredWindows(t *testing.T) {
	if os.Getenv("WILLOWHERB_SOAK") == "" {
		t.Skip("it measures, for scripts/soak")
	}
	s := start(t, "--demo")
	base := func() string { return s.base }
	var stop atomic.Bool
	clients := make([]*client, 200)
	for i := range clients {
		clients[i] = newClient(base, i)
		go clients[i].live(stop.Load)
	}
	all := func(revision int64) bool {
		return !slices.ContainsFunc(clients, func(c *client) bool { return c.heard.Load() < revision })
	}
	time.Sleep(20 * time.Second) // the pictures of the three views
	cpu, began := s.cpu(), time.Now()
	var answered, reached []time.Duration
	for i := range 200 {
		raw, _ := json.Marshal(float64(i+1) / 100)
		at := time.Now()
		a, status := clients[0].ask("/api/setups/1/edits", api.EditAsk{Window: "w0", Seq: int64(i + 1), Label: "x", Ops: []edits.Op{{Op: "replace", Path: "/lights/lantern/stops", Value: raw}}}, func() bool { return false })
		require.Equal(t, 200, status)
		answered = append(answered, time.Since(at))
		for !all(a.Revision) {
			time.Sleep(200 * time.Microsecond)
			require.Less(t, time.Since(at), time.Minute)
		}
		reached = append(reached, time.Since(at))
	}
	stop.Store(true)
	slices.Sort(answered)
	slices.Sort(reached)
	t.Logf("200 windows: acknowledged after %s, %s (median, 95th percentile); heard by all after %s, %s; server %.0f MB; %.2f CPU seconds a second",
		answered[100].Round(100*time.Microsecond), answered[190].Round(100*time.Microsecond), reached[100].Round(100*time.Microsecond), reached[190].Round(100*time.Microsecond), s.memory(), (s.cpu()-cpu)/time.Since(began).Seconds())
}

// cpu is how many seconds of processors the server has used.
func (s *server) cpu() float64 {
	b, err := os.ReadFile(fmt.Sprintf("/proc/%d/stat", s.cmd.Process.Pid))
	require.NoError(s.t, err)
	_, rest, _ := strings.Cut(string(b), ") ")
	f := strings.Fields(rest)
	user, _ := strconv.ParseFloat(f[11], 64)
	system, _ := strconv.ParseFloat(f[12], 64)
	return (user + system) / 100
}
