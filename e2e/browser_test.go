// Package e2e drives the real server in a real browser.
package e2e

import (
	"context"
	"encoding/json"
	"fmt"
	"net/url"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"syscall"
	"testing"
	"time"

	"github.com/chromedp/cdproto/input"
	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/require"
	api "willowherb/server"
	"willowherb/store/storetest"
)

// server is a running willowherb serve.
type server struct {
	t    *testing.T
	db   string
	cmd  *exec.Cmd
	base string
	args []string
	dir  string // for its address; the test's own if empty
}

// start builds nothing: WILLOWHERB_BIN is the binary under test.
func start(t *testing.T, args ...string) *server {
	db := ""
	if slices.Contains(args, "--demo") {
		db = withDemo(t)
	}
	s := &server{t: t, db: storetest.Copy(t, db), args: args}
	s.run(0)
	t.Cleanup(s.kill)
	return s
}

// shared is one server with the demo for the tests that leave it running: each finds
// the demo as it was at first, with its pictures there already.
func shared(t *testing.T) *server {
	if common == nil {
		common = &server{t: t, db: storetest.Copy(t, withDemo(t)), args: []string{"--demo"}, dir: os.TempDir()}
		common.run(0)
	}
	s := *common
	s.t = t
	body, err := json.Marshal(api.RevertAsk{Window: "between", Seq: time.Now().UnixNano(), Revision: 0, Label: "As at first"})
	require.NoError(t, err)
	r, err := s.post("/api/setups/1/revert", body)
	require.NoError(t, err)
	_ = r.Body.Close()
	require.Contains(t, []int{200, 409}, r.StatusCode, "409 where nothing was changed")
	return &s
}

var common *server

// withDemo is a database with the demo in it, made once: the place takes seconds.
func withDemo(t *testing.T) string {
	demoOnce.Do(func() {
		s := &server{t: t, db: storetest.Database(t), args: []string{"--demo"}}
		s.run(0)
		s.kill()
		demoDB = s.db
	})
	return demoDB
}

var (
	demoOnce sync.Once
	demoDB   string
)

func (s *server) run(port int) {
	bin := os.Getenv("WILLOWHERB_BIN")
	require.NotEmpty(s.t, bin, "WILLOWHERB_BIN is set by scripts/test")
	dir := s.dir
	if dir == "" {
		dir = s.t.TempDir()
	}
	addr := filepath.Join(dir, fmt.Sprintf("willowherb-address-%d", time.Now().UnixNano()))
	defer os.Remove(addr)
	s.cmd = exec.Command("nice", append([]string{"-n", "5", bin, "serve", "--port", fmt.Sprint(port), "--addr", addr, "--width", "320", "--samples", "2"}, s.args...)...)
	s.cmd.Env = append(os.Environ(), "WILLOWHERB_DB="+s.db)
	s.cmd.Stdout, s.cmd.Stderr = os.Stderr, os.Stderr
	require.NoError(s.t, s.cmd.Start())
	require.Eventually(s.t, func() bool {
		b, err := os.ReadFile(addr)
		if err == nil && len(b) > 0 {
			s.base = "http://" + string(b)
		}
		return s.base != ""
	}, 90*time.Second, 50*time.Millisecond, "the server listens")
}

func (s *server) kill() {
	_ = s.cmd.Process.Signal(syscall.SIGKILL)
	_ = s.cmd.Wait()
}

// restart kills the server outright and starts it at the same address.
func (s *server) restart() {
	s.kill()
	u, err := url.Parse(s.base)
	require.NoError(s.t, err)
	s.base = ""
	var port int
	_, err = fmt.Sscan(u.Port(), &port)
	require.NoError(s.t, err)
	s.run(port)
}

// tab is a browser tab that fails its test on errors and warnings in the console.
type tab struct {
	t   *testing.T
	ctx context.Context
	mu  sync.Mutex
	bad []string
	// allow lists substrings of console errors that a test provokes on purpose.
	allow []string
}

// browser is one for all tests; each has a context of its own in it, with no cookies
// and no storage of others.
var browser = sync.OnceValue(func() context.Context {
	opts := append(chromedp.DefaultExecAllocatorOptions[:], chromedp.NoSandbox, chromedp.Flag("enable-unsafe-swiftshader", true), chromedp.Flag("force-color-profile", "srgb"),
		chromedp.Flag("force-device-scale-factor", "1"), chromedp.Flag("font-render-hinting", "none"), chromedp.Flag("disable-background-networking", true),
		chromedp.Flag("disable-component-update", true), chromedp.Flag("disable-sync", true), chromedp.Flag("disable-quic", true), chromedp.Flag("disable-renderer-backgrounding", true), chromedp.WindowSize(1280, 800))
	alloc, _ := chromedp.NewExecAllocator(context.Background(), opts...)
	ctx, _ := chromedp.NewContext(alloc)
	if err := chromedp.Do(ctx); err != nil {
		panic(err)
	}
	return ctx
})

func TestMain(m *testing.M) {
	code := m.Run()
	if common != nil {
		common.kill()
	}
	_ = chromedp.Cancel(browser())
	os.Exit(code)
}

func open(t *testing.T, address string, w, h int64) *tab {
	ctx, cancel := chromedp.NewContext(browser(), chromedp.WithNewBrowserContext())
	b := &tab{t: t, ctx: ctx}
	t.Cleanup(func() {
		cancel()
		b.mu.Lock()
		defer b.mu.Unlock()
		require.Empty(t, b.bad, "errors in the console")
	})
	messages := chromedp.Console(ctx)
	go func() {
		for m, err := range messages {
			if err != nil {
				return
			}
			// Without a graphics card the browser shows a canvas by reading it back, and warns of itself.
			if strings.Contains(m.Text, "GPU stall due to ReadPixels") {
				continue
			}
			if m.IsException() || m.Type == "error" || m.Type == "warning" {
				b.note(m.Text + " " + m.URL)
			}
		}
	}()
	require.NoError(t, chromedp.Do(ctx, chromedp.EmulateViewport(w, h)))
	// A click on the name gives the page the keyboard, as a person's first click does.
	b.do(chromedp.Navigate(address), chromedp.MouseClickXY(70, 20))
	return b
}

func (b *tab) note(s string) {
	b.mu.Lock()
	defer b.mu.Unlock()
	for _, a := range b.allow {
		if strings.Contains(s, a) {
			return
		}
	}
	b.bad = append(b.bad, s)
}

func (b *tab) do(actions ...chromedp.Action[chromedp.Void]) {
	b.t.Helper()
	ctx, cancel := context.WithTimeout(b.ctx, 60*time.Second)
	defer cancel()
	require.NoError(b.t, chromedp.Do(ctx, actions...))
}

// js evaluates an expression.
func js[T any](b *tab, expr string, opts ...chromedp.EvaluateOption) T {
	b.t.Helper()
	ctx, cancel := context.WithTimeout(b.ctx, 60*time.Second)
	defer cancel()
	v, err := chromedp.Run(ctx, chromedp.Evaluate[T](expr, opts...))
	require.NoError(b.t, err, expr)
	return v
}

// until waits for an expression to become true.
func (b *tab) until(what, expr string) {
	b.t.Helper()
	from := time.Now()
	defer func() {
		if d := time.Since(from); d > 2*time.Second {
			b.t.Logf("%.1f s waited for %s", d.Seconds(), what)
		}
	}()
	for deadline := time.Now().Add(120 * time.Second); time.Now().Before(deadline); time.Sleep(60 * time.Millisecond) {
		ctx, cancel := context.WithTimeout(b.ctx, 20*time.Second)
		ok, err := chromedp.Run(ctx, chromedp.Evaluate[bool]("Boolean("+expr+")"))
		cancel()
		if err == nil && ok {
			return
		}
	}
	b.shot(filepath.Join(os.TempDir(), "willowherb-failed.png"))
	require.Fail(b.t, "waited for: "+what)
}

// still waits for fonts and two display frames.
func (b *tab) still() {
	b.t.Helper()
	js[bool](b, `document.fonts.ready.then(() => new Promise(r => requestAnimationFrame(() => requestAnimationFrame(() => r(true)))))`, chromedp.EvalAwaitPromise)
}

func (b *tab) shot(path string) {
	ctx, cancel := context.WithTimeout(b.ctx, 60*time.Second)
	defer cancel()
	png, err := chromedp.Run(ctx, chromedp.CaptureScreenshot())
	require.NoError(b.t, err)
	require.NoError(b.t, os.WriteFile(path, png, 0o644))
}

// click clicks the first element that a CSS selector finds.
func (b *tab) click(selector string) {
	b.t.Helper()
	b.do(chromedp.Click(chromedp.CSS(selector)))
}

const ready = `document.querySelector('[data-testid=refinement]')?.dataset.level >= 0 && document.querySelector('canvas.ready')`

// TestShots takes the pictures of the documentation from a running demo; it runs
// only when WILLOWHERB_SHOTS names a folder and WILLOWHERB_URL the demo.
func TestShots(t *testing.T) {
	dir, address := os.Getenv("WILLOWHERB_SHOTS"), os.Getenv("WILLOWHERB_URL")
	if dir == "" || address == "" {
		t.Skip("WILLOWHERB_SHOTS and WILLOWHERB_URL are not set")
	}
	b := open(t, address, 1280, 800)
	b.until("the picture", ready)
	at := os.Getenv("WILLOWHERB_SAMPLES")
	if at == "" {
		at = "1"
	}
	for n := 0; n < 12; n++ { // refinement may take longer than one wait
		if js[bool](b, `Number(document.querySelector('[data-testid=refinement]').dataset.samples) >= `+at) {
			break
		}
		time.Sleep(40 * time.Second)
	}
	b.until("a full picture", `document.querySelector('[data-testid=refinement]').dataset.level == 2 && Number(document.querySelector('[data-testid=refinement]').dataset.samples) >= `+at)
	b.until("thumbnails", `document.querySelectorAll('.shelf img').length == 5`)
	b.still()
	snap := func(name string) {
		b.settledAt(at)
		b.still()
		b.shot(filepath.Join(dir, name+".png"))
	}
	eval := func(expr string) { js[bool](b, "("+expr+", true)") }
	b.click(`[data-light=lantern] .name`)
	snap("lantern")
	b.click(`[data-light=lantern] .name`)
	b.row("keeper-key")
	x, y := b.in(0.62, 0.9)
	b.mouse("mouseMoved", x, y, "none")
	release := b.hold("q")
	b.until("weighed", `document.querySelector('.weighed .line')`)
	snap("weigh")
	release()
	b.do(chromedp.KeyEvent("z"))
	snap("zones")
	b.do(chromedp.KeyEvent("g"))
	b.until("light alone", `document.querySelector('[data-testid=way]').textContent.includes('grey')`)
	home := js[string](b, `document.querySelector('canvas').dataset.sight`)
	b.until("its own sight", `document.querySelector('canvas').dataset.sight != '`+home+`' && document.querySelector('[data-testid=refinement]').dataset.level == 2`)
	snap("grey")
	b.do(chromedp.KeyEvent("f", chromedp.KeyModifiers(chromedp.ModifierShift)))
	b.do(chromedp.KeyEvent("?"))
	b.until("the keys", `document.querySelector('.sheet')`)
	b.still()
	b.shot(filepath.Join(dir, "keys.png"))
	b.do(chromedp.KeyEvent("\x1b"))
	b.until("closed", `!document.querySelector('[role=dialog]')`)
	b.do(chromedp.KeyEvent("U", chromedp.KeyModifiers(chromedp.ModifierShift)))
	b.until("the setups", `document.querySelector('.setups li')`)
	snap("setups")
	b.do(chromedp.KeyEvent("U", chromedp.KeyModifiers(chromedp.ModifierShift)))
	b.click(`.round button:first-child`)
	b.until("objects", `document.querySelector('.object')`)
	eval(`[...document.querySelectorAll('.object .what')].find(e => e.textContent == 'Survey drone').click()`)
	snap("scene")
	eval(`document.activeElement.blur()`)
	b.do(chromedp.KeyEvent("\x1b"))
	b.press(".round button", "Air")
	b.until("the day", `document.querySelector('.day-strip rect')`)
	b.press(".air .choice button", "by the clock")
	b.until("hours", `document.querySelector('input[aria-label=Hour]')`)
	eval(`(() => { const e = document.querySelector('input[aria-label=Hour]'); e.focus(); e.select() })()`)
	b.do(chromedp.KeyEvent("16:40\r"))
	b.until("late", `document.querySelector('.air-facts').textContent.includes('16:40')`)
	b.write("Haze, number", "3")
	b.press(".round button", "Picture")
	b.write("Exposure of hall, number", "6.6")
	b.press(".round button", "Air")
	b.until("exposed", `document.querySelector('.view-line').textContent.includes('EV 6.6')`)
	b.press(".air button", "Lay fog")
	b.until("fog", `document.querySelector('[data-testid=fog-cost]')`)
	snap("air")
	b.press(".round button", "Bake")
	b.until("the step", `document.querySelector('[data-testid=bake-work]')`)
	if js[bool](b, `document.querySelector('[data-testid=bake-work]').dataset.state !== 'done'`) {
		b.press("[data-testid=bake-work] button", "bake a draft")
	}
	b.until("baked", `document.querySelector('[data-testid=bake-work]').dataset.state === 'done'`)
	b.until("compared", `parseFloat(document.querySelector('[data-testid=bake-against] .card-head span:last-child')?.textContent) > 0`)
	b.press("[aria-label=Pages] button", "texels")
	b.press(`[aria-label="Probe field"] button`, "show them")
	b.until("probes", `document.querySelectorAll('[data-testid=bake-dots] circle').length > 20`)
	snap("bake")
	b.press(`[aria-label="Probe field"] button`, "show them")
	b.press(".round button", "Picture")
	b.write("Contrast, number", "1.15")
	b.write("White, temperature", "4800")
	b.until("balanced", `document.querySelector('[data-testid=undo]').textContent.includes('White')`)
	snap("picture")
	b.takeAllBack()
	b.click(`.round button:nth-child(2)`)
	b.do(chromedp.KeyEvent("1"))
	b.do(chromedp.KeyEvent("A", chromedp.KeyModifiers(chromedp.ModifierShift)))
	b.until("the looks", `document.querySelectorAll('.look-list img').length == 3`)
	b.click(`[data-look=storm] button`)
	b.until("storm", `document.querySelector('[data-testid=changes-go]')`)
	b.until("their pictures", `[...document.querySelectorAll('.look-list img')].every(e => e.complete && e.naturalWidth > 0)`)
	snap("looks")
	b.click(`[data-look=""] button`)
	b.until("without a look", `!document.querySelector('[data-testid=changes-go]')`)
	b.do(chromedp.KeyEvent("2"))
	b.click(`.panel [aria-label=Close]`)
	b.do(chromedp.KeyEvent("C", chromedp.KeyModifiers(chromedp.ModifierShift)))
	b.until("the panel", `document.activeElement?.getAttribute('aria-label') == 'Name of the new snapshot'`)
	eval(`document.activeElement.select()`)
	b.do(chromedp.KeyEvent("Evening, lantern lit\r"))
	b.until("kept", `document.querySelector('.snapshots .actions button')`)
	b.row("lantern")
	b.do(chromedp.KeyEvent("o"))
	b.click(`.snapshots .actions button`)
	b.until("compared", `document.querySelector('[data-testid=splits]')?.textContent.includes('95th')`)
	snap("compare")
	eval(`[...document.querySelectorAll('.snapshots .actions button')].at(-1).click()`)
	b.click(`.panel [aria-label=Close]`)
	b.do(chromedp.KeyEvent("z", chromedp.KeyModifiers(chromedp.ModifierCtrl)))
	b.row("lantern")
	eval(`document.activeElement.blur()`)
	b.tap(0.57, 0.72)
	b.do(chromedp.KeyEvent("Y", chromedp.KeyModifiers(chromedp.ModifierShift)))
	b.until("who lights whom", `document.querySelector('.measured')`)
	snap("channels")
	b.do(chromedp.KeyEvent("S", chromedp.KeyModifiers(chromedp.ModifierShift)))
	b.until("snags", `document.querySelector('[data-snag]')`)
	snap("snags")
	b.do(chromedp.KeyEvent("S", chromedp.KeyModifiers(chromedp.ModifierShift)))
	b.do(chromedp.KeyEvent("\x1b"))
	b.click(`[data-light=low-sun] .name`)
	b.press(".open-light .word", "how the target draws its shadow")
	b.press(".shaper .word", "see it in Hall")
	b.until("as the target draws it", `document.querySelector('canvas').dataset.runtime`)
	snap("runtime")
	b.do(chromedp.KeyEvent("F", chromedp.KeyModifiers(chromedp.ModifierShift)))
	b.click(`[data-light=low-sun] .name`)
	b.click(`[data-light=window-fill-east] .name`)
	eval(`document.activeElement.blur()`)
	b.do(chromedp.KeyEvent("O", chromedp.KeyModifiers(chromedp.ModifierShift)))
	b.until("the tool", `document.querySelector('[data-tool=fit]')`)
	x, y = b.in(0.862, 0.2)
	b.mouse("mouseMoved", x, y, "none")
	b.until("fitted", `document.querySelector('.tool-words .result')`)
	time.Sleep(4 * time.Second)
	b.still()
	b.shot(filepath.Join(dir, "placing.png"))
	b.do(chromedp.KeyEvent("\x1b"))
	b.click(`[data-light=window-fill-east] .name`)
	eval(`document.activeElement.blur()`)
	b.do(chromedp.KeyEvent("3"))
	b.do(chromedp.KeyEvent("L", chromedp.KeyModifiers(chromedp.ModifierShift)))
	b.until("the plot", `document.querySelector('.plan')`)
	b.click(`.stands tbody tr:nth-child(2) th`)
	snap("plot")
	b.do(chromedp.KeyEvent("R", chromedp.KeyModifiers(chromedp.ModifierShift)))
	b.until("moods", `document.querySelectorAll('[data-mood] img').length == 8`)
	snap("rigs")
	b.do(chromedp.KeyEvent("R", chromedp.KeyModifiers(chromedp.ModifierShift)))
	b.do(chromedp.KeyEvent("5"))
	b.do(chromedp.EmulateViewport(1920, 1080))
	b.row("lantern")
	b.until("thumbnails", `document.querySelectorAll('.shelf img').length == 5`)
	snap("wide")
}

// takeAllBack undoes until there is nothing to undo, where no two edits in a row have the same words.
func (b *tab) takeAllBack() {
	b.t.Helper()
	for range 40 {
		if js[bool](b, `document.querySelector('[data-testid=undo]').textContent.includes('Nothing')`) {
			return
		}
		before := js[string](b, `document.querySelector('[data-testid=undo]').textContent`)
		b.do(chromedp.KeyEvent("z", chromedp.KeyModifiers(chromedp.ModifierCtrl)))
		b.until("taken back", `document.querySelector('[data-testid=undo]').textContent != '`+before+`'`)
	}
	require.Fail(b.t, "there is no end to undoing")
}

// settledAt waits until the picture has at least so many samples and has come to rest.
func (b *tab) settledAt(samples string) {
	b.t.Helper()
	for n := 0; n < 12; n++ {
		if js[bool](b, `document.querySelector('[data-testid=refinement]').dataset.level == 2 && Number(document.querySelector('[data-testid=refinement]').dataset.samples) >= `+samples) {
			break
		}
		time.Sleep(10 * time.Second)
	}
	b.until("all layers", `document.querySelector('canvas').dataset.waiting == '0'`)
	time.Sleep(800 * time.Millisecond)
}

// TestFigures measures the browser against a running demo: how long from a key
// on a light's stops to the picture with it, for the figures in
// docs/performance.md. Like TestShots it runs only when it is asked to.
func TestFigures(t *testing.T) {
	address := os.Getenv("WILLOWHERB_URL")
	if address == "" || os.Getenv("WILLOWHERB_FIGURES") == "" {
		t.Skip("WILLOWHERB_URL and WILLOWHERB_FIGURES are not set")
	}
	b := open(t, address, 1280, 800)
	opened := time.Now()
	b.until("the picture", ready)
	t.Logf("first picture %d ms after the page", time.Since(opened).Milliseconds())
	b.until("a full picture", `document.querySelector('[data-testid=refinement]').dataset.level == 2`)
	t.Logf("full picture %d ms after the page", time.Since(opened).Milliseconds())
	b.row("lantern")
	times := js[[]float64](b, `(async () => { const c = document.querySelector('canvas'), row = document.querySelector('[data-light=lantern]'), out = [];
		for (let i = 0; i < 20; i++) { const before = c.dataset.drawn, t = performance.now();
			row.dispatchEvent(new KeyboardEvent('keydown', { key: i % 2 ? 'ArrowRight' : 'ArrowLeft', bubbles: true }));
			while (c.dataset.drawn === before) await new Promise(r => setTimeout(r, 1));
			out.push(performance.now() - t); await new Promise(r => setTimeout(r, 300)); }
		return out.sort((a, b) => a - b) })()`, chromedp.EvalAwaitPromise)
	t.Logf("stops to the picture drawn: median %.0f ms, worst %.0f ms", times[len(times)/2], times[len(times)-1])
	b.measureControls()
	b.measureScroll()
	t.Logf("script fetched by then: %.0f kB", js[float64](b, `performance.getEntriesByType('resource').filter(e => e.name.endsWith('.js')).reduce((a, e) => a + e.encodedBodySize, 0) / 1000`))
}

// measureControls tells what each control of the picture takes: a key on stops, drawn and read
// back, with it and without.
func (b *tab) measureControls() {
	const plain = `contrast: 1, saturation: 1, lift: [0, 0, 0], gamma: [1, 1, 1], gain: [1, 1, 1]`
	for _, c := range []struct{ what, grade string }{{"no grade", `null`}, {"balance, contrast, tones", `{` + plain + `, contrast: 1.2, saturation: 0.8, white: [1.1, 1, 0.8]}`}, {"a vignette", `{` + plain + `, vignette: 1}`},
		{"grain", `{` + plain + `, grain: 0.04}`}, {"bloom", `{` + plain + `, bloom: 0.2, bloomFrom: 1}`}, {"all of it", `{` + plain + `, contrast: 1.2, vignette: 1, grain: 0.04, bloom: 0.2, bloomFrom: 1}`}} {
		js[bool](b, `(async () => { const id = (await (await fetch('/api/setups')).json()).find(s => s.demo).id, g = `+c.grade+`;
			const r = await fetch('/api/setups/' + id + '/edits', { method: 'POST', headers: { 'content-type': 'application/json' }, body: JSON.stringify({ window: 'measure', seq: Date.now(), base: 1e9, label: 'A grade', ops: [{ op: 'add', path: '/grade', value: g }] }) });
			return r.ok })()`, chromedp.EvalAwaitPromise)
		time.Sleep(time.Second)
		took := js[float64](b, `(async () => { const c = document.querySelector('canvas'), gl = c.getContext('webgl2'), row = document.querySelector('[data-light=lantern]'), out = [], px = new Uint8Array(4);
			for (let i = 0; i < 14; i++) { const before = c.dataset.drawn, t = performance.now();
				row.dispatchEvent(new KeyboardEvent('keydown', { key: i % 2 ? 'ArrowRight' : 'ArrowLeft', bubbles: true }));
				while (c.dataset.drawn === before) await new Promise(r => setTimeout(r, 1));
				gl.bindFramebuffer(gl.FRAMEBUFFER, null); gl.readPixels(0, 0, 1, 1, gl.RGBA, gl.UNSIGNED_BYTE, px);
				out.push(performance.now() - t); await new Promise(r => setTimeout(r, 250)); }
			return out.sort((a, b) => a - b)[7] })()`, chromedp.EvalAwaitPromise)
		b.t.Logf("%s: a key to the picture, drawn and read back: %.0f ms", c.what, took)
	}
}

// measureScroll adds lights until there are a hundred and scrolls the Ledger through them, and takes them away again.
func (b *tab) measureScroll() {
	js[bool](b, `(async () => { const id = window.measured = (await (await fetch('/api/setups')).json()).find(s => s.demo).id, doc = (await (await fetch('/api/setups/' + id)).json()).document;
		const more = 100 - Object.keys(doc.lights).length, l = doc.lights.lantern;
		const ops = Array.from({ length: more }, (_, i) => ({ op: 'add', path: '/lights/more-' + i, value: { ...l, name: 'More ' + i, order: 100 + i, off: true } }));
		const r = await fetch('/api/setups/' + id + '/edits', { method: 'POST', headers: { 'content-type': 'application/json' }, body: JSON.stringify({ window: 'measure', seq: Date.now(), base: 1e9, label: 'A hundred lights', ops }) });
		return r.ok })()`, chromedp.EvalAwaitPromise)
	b.until("a hundred lights", `document.querySelector('.ledger .head').textContent.includes('100 lights')`)
	frames := js[[]float64](b, `new Promise(done => { const list = document.querySelector('.ledger .rows'), out = []; let last = performance.now(), way = 1;
		const step = now => { out.push(now - last); last = now; if (list.scrollTop + list.clientHeight >= list.scrollHeight - 2) way = -1; list.scrollTop += 14 * way;
			if (out.length < 240) requestAnimationFrame(step); else done(out.slice(5).sort((a, b) => a - b)) }; requestAnimationFrame(step) })`, chromedp.EvalAwaitPromise)
	b.t.Logf("a hundred lights scroll: a frame each %.1f ms (median), %.1f (95th percentile), %.1f (worst)", frames[len(frames)/2], frames[len(frames)*95/100], frames[len(frames)-1])
	js[bool](b, `fetch('/api/setups/' + window.measured + '/undo', { method: 'POST', headers: { 'content-type': 'application/json' }, body: JSON.stringify({ window: 'measure', seq: Date.now(), redo: false }) }).then(r => r.ok)`, chromedp.EvalAwaitPromise)
}

// mouse sends a mouse event with a button ("left", "middle", "right", "none").
func (b *tab) mouse(kind string, x, y float64, button string, modifiers ...chromedp.Modifier) {
	b.t.Helper()
	opts := []chromedp.MouseOption{chromedp.Button(button)}
	if len(modifiers) > 0 {
		opts = append(opts, chromedp.ButtonModifiers(modifiers...))
	}
	if kind == "mousePressed" || kind == "mouseReleased" {
		opts = append(opts, chromedp.ClickCount(1))
	}
	b.do(chromedp.MouseEvent(input.DispatchMouseEventType(kind), x, y, opts...))
}

// pull drags with a button from one place to another in steps that a hand would make.
func (b *tab) pull(button string, x0, y0, x1, y1 float64, modifiers ...chromedp.Modifier) {
	b.t.Helper()
	b.mouse("mouseMoved", x0, y0, "none")
	b.mouse("mousePressed", x0, y0, button, modifiers...)
	for i := 1; i <= 8; i++ {
		k := float64(i) / 8
		b.mouse("mouseMoved", x0+(x1-x0)*k, y0+(y1-y0)*k, button, modifiers...)
	}
	b.mouse("mouseReleased", x1, y1, button, modifiers...)
}

// hold presses a key, and returns how to let it go.
func (b *tab) hold(key string) (release func()) {
	b.t.Helper()
	send := func(kind string) {
		js[bool](b, `(window.dispatchEvent(new KeyboardEvent('`+kind+`', { key: '`+key+`', bubbles: true })), true)`)
	}
	send("keydown")
	return func() { send("keyup") }
}
