package e2e

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"net/http"
	"os"
	"strconv"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/require"
	"willowherb/blob"
	"willowherb/core/edits"
	"willowherb/journal"
	api "willowherb/server"
	"willowherb/store"
	"willowherb/store/storetest"
)

// The server is killed outright in the middle of a burst of edits, fifty times:
// every edit that was acknowledged is there afterwards, and the document is what
// the journal's replay gives.
func TestEveryAcknowledgedEditOutlivesTheServer(t *testing.T) {
	rounds := 50
	s := start(t)
	r, err := http.Post(s.base+"/api/import", "application/octet-stream", bytes.NewReader(room(t)))
	require.NoError(t, err)
	_ = r.Body.Close()
	require.Equal(t, 200, r.StatusCode)
	first := s.document(1)
	acknowledged := map[int64]string{} // revision: label
	var mu sync.Mutex
	rng := rand.New(rand.NewPCG(1, 50))
	var unknown int
	for round := range rounds {
		var wg sync.WaitGroup
		var dead atomic.Bool
		var answered atomic.Int32
		for k := range 4 {
			wg.Go(func() {
				for i := 0; !dead.Load(); i++ {
					label := fmt.Sprintf("round %d window %d edit %d", round, k, i)
					v, _ := json.Marshal(float64(i%9)/3 + float64(k)/100)
					body, _ := json.Marshal(api.EditAsk{Window: fmt.Sprint("w", round, "-", k), Seq: int64(i + 1), Target: "base", Label: label, Ops: []edits.Op{{Op: "replace", Path: "/lights/panel/stops", Value: v}}})
					r, err := s.post("/api/setups/1/edits", body)
					if err != nil {
						return
					}
					var a api.Answer
					err = json.NewDecoder(r.Body).Decode(&a)
					_ = r.Body.Close()
					if err != nil || r.StatusCode != 200 || a.Nothing {
						continue
					}
					mu.Lock()
					acknowledged[a.Revision] = label
					mu.Unlock()
					answered.Add(1)
				}
			})
		}
		// The burst is under way: a few edits are acknowledged, others are on their way.
		require.Eventually(t, func() bool { return answered.Load() >= 3 }, 20*time.Second, time.Millisecond)
		time.Sleep(time.Duration(rng.IntN(20000)) * time.Microsecond)
		s.kill()
		dead.Store(true)
		wg.Wait()
		s.restart()
	}
	entries := s.journal()
	var edits [][]edits.Op
	for i, j := range entries {
		require.Equal(t, int64(i+1), j.Revision, "no revision is missing")
		if want, ok := acknowledged[j.Revision]; ok {
			require.Equal(t, want, j.Edit.Label)
			delete(acknowledged, j.Revision)
		} else {
			unknown++ // kept, but the answer did not get through
		}
		edits = append(edits, j.Edit.Ops)
	}
	require.Empty(t, acknowledged, "edits that were acknowledged and are gone")
	require.Greater(t, len(entries), 2*rounds)
	t.Logf("%d edits in %d lives, %d of them kept though their answer was lost", len(entries), rounds, unknown)
	now := storetest.Replay(t, first.JSON(), edits)
	require.JSONEq(t, string(now.JSON()), string(s.document(1).JSON()))
}

// Scripted editing in the real browser for five seconds (WILLOWHERB_SOAK names
// another number, 600 for the long run): no error in the console, no growth of memory in server or
// tab, and the state equals the journal's replay.
func TestSoak(t *testing.T) {
	seconds := 5
	if v := os.Getenv("WILLOWHERB_SOAK"); v != "" {
		n, err := strconv.Atoi(v)
		require.NoError(t, err)
		seconds = n
	}
	s := start(t, "--demo")
	b := open(t, s.base, 1280, 800)
	b.settled()
	first := s.document(1)
	rng := rand.New(rand.NewPCG(3, uint64(seconds)))
	keys := func(k string, m ...chromedp.Modifier) {
		if len(m) > 0 {
			b.do(chromedp.KeyEvent(k, chromedp.KeyModifiers(m...)))
		} else {
			b.do(chromedp.KeyEvent(k))
		}
	}
	lights := []string{"lantern", "keeper-key", "rim-window", "pump-lamp-2", "low-sun", "sky-dome"}
	var tab, srv []float64
	measure := func() {
		js[bool](b, `(window.gc && gc(), true)`)
		tab = append(tab, js[float64](b, `performance.memory.usedJSHeapSize / 1048576`))
		srv = append(srv, s.memory())
	}
	deeds := 0
	started := time.Now()
	half := false
	for time.Since(started) < time.Duration(seconds)*time.Second {
		b.row(lights[rng.IntN(len(lights))])
		switch rng.IntN(12) {
		case 0, 1, 2:
			keys("=")
		case 3, 4:
			keys("-")
		case 5:
			keys("o")
			keys("o")
		case 6:
			keys("a")
			keys("\x1b")
		case 7:
			keys("z", chromedp.ModifierCtrl)
		case 8:
			x, y := b.in(0.5, 0.5)
			b.pull("right", x, y, x+float64(rng.IntN(30)-15), y+3)
			keys("r")
		case 9:
			keys([]string{"1", "2", "3", "4", "5"}[rng.IntN(5)])
		case 10:
			keys("m")
			keys("f", chromedp.ModifierShift)
		case 11:
			if g := js[bool](b, `Boolean(document.querySelector('[data-grip=position]'))`); g {
				h := b.box("[data-grip=position]")
				if h.X > 200 && h.X < 800 && h.Y > 190 && h.Y < 520 {
					b.pull("left", h.X+h.W/2, h.Y+h.H/2, h.X+h.W/2+float64(rng.IntN(20)-10), h.Y+h.H/2-4)
				}
			}
		}
		deeds++
		if !half && time.Since(started) > time.Duration(seconds)*time.Second/2 {
			half = true
			measure()
		}
	}
	keys("2")
	b.until("all is kept", `!document.querySelector('.lost')`)
	measure()
	t.Logf("%d deeds in %d s; tab %.0f then %.0f MB, server %.0f then %.0f MB", deeds, seconds, tab[0], tab[1], srv[0], srv[1])
	require.Less(t, tab[1], tab[0]+40, "the tab does not grow from the middle to the end")
	require.Less(t, srv[1], srv[0]*1.35+150, "nor does the server, beyond its budget for pictures")
	// Until no edit is on its way any more.
	for same, last := 0, int64(-1); same < 15; time.Sleep(100 * time.Millisecond) {
		if now := s.revision(1); now == last {
			same++
		} else {
			same, last = 0, now
		}
	}
	entries := s.journal()
	var edits [][]edits.Op
	for _, j := range entries {
		edits = append(edits, j.Edit.Ops)
	}
	replayed := storetest.Replay(t, first.JSON(), edits)
	require.JSONEq(t, string(replayed.JSON()), string(s.document(1).JSON()))
	shown := js[string](b, `JSON.stringify(Object.fromEntries([...document.querySelectorAll('[data-light]')].map(r => [r.dataset.light, r.querySelector('.stops-text input').value])))`)
	var stops map[string]string
	require.NoError(t, json.Unmarshal([]byte(shown), &stops))
	for id, v := range stops {
		n, err := strconv.ParseFloat(strings.Replace(v, "−", "-", 1), 64)
		require.NoError(t, err)
		require.InDelta(t, replayed.Lights[id].Stops, n, 0.006, id)
	}
}

// post sends a body as a browser of its own would.
func (s *server) post(path string, body []byte) (*http.Response, error) {
	req, err := http.NewRequest("POST", s.base+path, bytes.NewReader(body))
	if err != nil {
		return nil, err
	}
	req.Header.Set("Cookie", "willowherb="+strings.Repeat("c", 32))
	return http.DefaultClient.Do(req)
}

// journal is all that was edited.
func (s *server) journal() []journal.Done {
	db, err := store.Open(context.Background(), s.db)
	require.NoError(s.t, err)
	defer db.Close()
	all, err := journal.New(db, blob.Postgres{DB: db}).Since(context.Background(), 1, 0, 1_000_000)
	require.NoError(s.t, err)
	return all
}

// memory is the server's resident memory in MB.
func (s *server) memory() float64 {
	b, err := os.ReadFile(fmt.Sprintf("/proc/%d/status", s.cmd.Process.Pid))
	require.NoError(s.t, err)
	for line := range strings.SplitSeq(string(b), "\n") {
		if v, ok := strings.CutPrefix(line, "VmRSS:"); ok {
			n, err := strconv.ParseFloat(strings.Fields(v)[0], 64)
			require.NoError(s.t, err)
			return n / 1024
		}
	}
	s.t.Fatal("no VmRSS")
	return 0
}

// revision of a setup.
func (s *server) revision(id int) int64 {
	r, err := http.Get(fmt.Sprintf("%s/api/setups/%d", s.base, id))
	require.NoError(s.t, err)
	defer r.Body.Close()
	var u struct{ Revision int64 }
	require.NoError(s.t, json.NewDecoder(r.Body).Decode(&u))
	return u.Revision
}
