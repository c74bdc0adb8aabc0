package e2e

import (
	"encoding/json"
	"math"
	"net/http"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/require"
	"willowherb/core/colour"
	"willowherb/core/scene"
	"willowherb/core/vec"
	"willowherb/demo"
	"willowherb/format/gltf"
)

// refined waits until the view has reached its goal, after which no picture changes by itself.
const refined = `(() => { const r = document.querySelector('[data-testid=refinement]'); return r && r.dataset.level == '2' && Number(r.dataset.samples) >= 2 })()`

// settled waits until the canvas shows what the news say.
func (b *tab) settled() {
	b.t.Helper()
	b.until("the picture refined", ready+" && "+refined+" && document.querySelector('canvas').dataset.waiting == '0'")
	last, same := "", 0
	for range 200 {
		now := js[string](b, `document.querySelector('canvas').dataset.drawn ?? ''`)
		if now == last {
			same++
		} else {
			last, same = now, 0
		}
		if same > 6 {
			return
		}
		time.Sleep(50 * time.Millisecond)
	}
	require.Fail(b.t, "the picture does not come to rest")
}

// pixels returns the RGBA bytes of the picture as shown.
func (b *tab) pixels() []float64 {
	b.t.Helper()
	return js[[]float64](b, `(() => { const c = document.querySelector('canvas'); const d = new OffscreenCanvas(c.width, c.height); const x = d.getContext('2d'); x.drawImage(c, 0, 0);
		return Array.from(x.getImageData(0, 0, c.width, c.height).data) })()`)
}

// served returns the RGBA bytes of the server's own composite.
func (b *tab) served(alone string) []float64 {
	b.t.Helper()
	return js[[]float64](b, `(async () => { const id = location.pathname.split('/')[2] || 1; const v = [...document.querySelectorAll('.shelf button')].findIndex(e => e.classList.contains('on'));
		const doc = (await (await fetch('/api/setups/' + id)).json()).document; const view = Object.entries(doc.views).sort((a, b) => a[1].order - b[1].order)[v][0];
		const r = await fetch('/api/setups/' + id + '/picture?view=' + view + '&alone=`+alone+`'); const im = await createImageBitmap(await r.blob(), { colorSpaceConversion: 'none' });
		const d = new OffscreenCanvas(im.width, im.height); const x = d.getContext('2d'); x.drawImage(im, 0, 0); return Array.from(x.getImageData(0, 0, im.width, im.height).data) })()`, chromedp.EvalAwaitPromise)
}

func (b *tab) stopsOf(light string) string {
	b.t.Helper()
	return js[string](b, `document.querySelector('[data-light="`+light+`"] .stops-text input').value`)
}

// row puts the keyboard on a light's row.
func (b *tab) row(light string) {
	b.t.Helper()
	// A row that is made anew under the hand loses it: it is taken until it stays.
	b.until("the row of "+light, `(e => e && (document.activeElement === e || (e.focus(), false)))(document.querySelector('[data-light="`+light+`"]'))`)
}

// drag moves the light's stops slider by the given stops with the mouse.
func (b *tab) drag(light string, stops float64) {
	b.t.Helper()
	r := js[map[string]float64](b, `(() => { const s = document.querySelector('[data-light="`+light+`"] .stops'); const t = s.querySelector('.MuiSlider-thumb').getBoundingClientRect(); return { x: t.x + t.width / 2, y: t.y + t.height / 2, w: s.getBoundingClientRect().width } })()`)
	b.do(chromedp.DragAndDropXY(r["x"], r["y"], r["x"]+stops*r["w"]/8, r["y"], 6))
}

// The whole thread: light seen, turned down by the mouse, undone, kept through a
// reload and through the sudden death of the server.
func TestTurnALightDownAndKeepIt(t *testing.T) {
	s := start(t, "--demo")
	b := open(t, s.base, 1280, 800)
	b.settled()
	require.Equal(t, "Hall", js[string](b, `document.querySelector('.view-line b').textContent`))

	// The browser's composite is the server's, to one code value in 255.
	mine, theirs := b.pixels(), b.served("")
	require.Equal(t, len(theirs), len(mine))
	worst := 0.0
	for i := range mine {
		worst = max(worst, math.Abs(mine[i]-theirs[i]))
	}
	require.LessOrEqual(t, worst, 1.0)

	// Alone, with all else dark: A on the row.
	b.row("lantern")
	b.do(chromedp.KeyEvent("a"))
	b.settled()
	before := b.pixels()
	old := b.stopsOf("lantern")
	b.drag("lantern", -1)
	b.until("the lantern's stops", `document.querySelector('[data-light=lantern] .stops-text input').value != '`+old+`' && document.querySelector('[data-testid=undo]').textContent.includes('Lantern')`)
	b.settled()
	now := strings.Replace(b.stopsOf("lantern"), "−", "-", 1)
	var was, is float64
	require.NoError(t, json.Unmarshal([]byte(strings.TrimPrefix(strings.Replace(old, "−", "-", 1), "+")), &was))
	require.NoError(t, json.Unmarshal([]byte(strings.TrimPrefix(now, "+")), &is))
	require.InDelta(t, -1, is-was, 0.25, "a drag of an eighth of the slider is about a stop")
	// Below middle grey the tone curve is the identity: the light that is shown
	// changes by exactly the stops, up to the rounding of 8 bits.
	after := b.pixels()
	var ratio, n float64
	for i := 0; i < len(before); i += 4 {
		x, y := colour.DecodeSRGB(before[i]/255), colour.DecodeSRGB(after[i]/255)
		if x > 0.06 && x < 0.17 {
			ratio += y / x
			n++
		}
	}
	require.Greater(t, n, 200.0)
	require.InDelta(t, math.Exp2(is-was), ratio/n, 0.02)

	// Undo brings the picture back, code value by code value.
	b.click(`[data-testid=undo]`)
	b.until("undone", `document.querySelector('[data-light=lantern] .stops-text input').value == '`+old+`'`)
	b.settled()
	back := b.pixels()
	for i := range before {
		require.InDelta(t, before[i], back[i], 1)
	}

	// Off, warmer by the keyboard, and a typed number; all of it there after a
	// reload and after the server is killed.
	b.do(chromedp.KeyEvent("\x1b"))
	b.row("low-sun")
	b.do(chromedp.KeyEvent("o"))
	b.click(`[data-light=keeper-key] .stops-text`)
	b.do(chromedp.KeyEvent("-2\r"))
	b.until("both are kept", `document.querySelector('[data-testid=undo]').textContent.includes('Keeper key')`)
	kept := `document.querySelector('[data-light=keeper-key] .stops-text input')?.value == '−2.0' && document.querySelector('[data-light=low-sun]')?.classList.contains('is-off')`
	b.until("shown", kept)
	b.do(chromedp.Reload())
	b.until("kept through a reload", kept)
	b.mu.Lock()
	b.allow = append(b.allow, "WebSocket", "net::ERR", "Failed to load resource")
	b.mu.Unlock()
	s.restart()
	b.until("connected again", `!document.querySelector('.lost')`)
	b.do(chromedp.Reload())
	b.until("kept through the server's death", kept)
	b.settled()
}

// Two windows show the same setup; an edit in one is seen in the other, and a
// window that lost its server keeps its edits until it is back.
func TestTwoWindowsAndAServerThatGoesAway(t *testing.T) {
	s := start(t, "--demo")
	one, two := open(t, s.base, 1280, 800), open(t, s.base, 1280, 800)
	row := `document.querySelector('[data-light=lantern]')`
	one.until("the Ledger", row)
	two.until("the Ledger", row)
	one.row("lantern")
	one.do(chromedp.KeyEvent("0"))
	two.until("the other window follows", `document.querySelector('[data-light=lantern] .stops-text input').value == '+0.0'`)
	for _, b := range []*tab{one, two} {
		b.mu.Lock()
		b.allow = append(b.allow, "WebSocket", "net::ERR", "Failed to load resource")
		b.mu.Unlock()
	}
	s.kill()
	one.until("the loss is said", `document.querySelector('.lost')`)
	one.click(`[data-light=lantern] .stops-text`)
	one.do(chromedp.KeyEvent("1.5\r"))
	one.until("shown at once", `document.querySelector('[data-light=lantern] .stops-text input').value == '+1.5'`)
	s.restart()
	two.until("sent when the server was back", `document.querySelector('[data-light=lantern] .stops-text input').value == '+1.5'`)
}

func write(t *testing.T, name string, data []byte) string {
	p := filepath.Join(t.TempDir(), name)
	require.NoError(t, os.WriteFile(p, data, 0o600))
	return p
}

// A plain room with a warm lamp's glow, as another program might export it.
func room(t *testing.T) []byte {
	m := &gltf.Model{Materials: []gltf.ModelMaterial{{Name: "wall", BaseColor: [4]float64{0.6, 0.6, 0.6, 1}, Roughness: 0.9}, {Name: "panel", BaseColor: [4]float64{1, 1, 1, 1}, Roughness: 1, Emissive: [3]float64{1, 0.8, 0.6}, Strength: 300}}}
	var room gltf.ModelPart
	quad := func(p *gltf.ModelPart, a, b, c, d, n vec.V3) {
		i := uint32(len(p.Pos))
		p.Pos = append(p.Pos, a, b, c, d)
		for range 4 {
			p.Nrm, p.UV = append(p.Nrm, n), append(p.UV, vec.V2{})
		}
		p.Index = append(p.Index, i, i+1, i+2, i, i+2, i+3)
	}
	quad(&room, vec.New(-2, 0, 2), vec.New(2, 0, 2), vec.New(2, 0, -2), vec.New(-2, 0, -2), vec.New(0, 1, 0))
	quad(&room, vec.New(-2, 0, -2), vec.New(2, 0, -2), vec.New(2, 3, -2), vec.New(-2, 3, -2), vec.New(0, 0, 1))
	panel := gltf.ModelPart{Material: 1}
	quad(&panel, vec.New(-0.5, 2.5, -1.9), vec.New(0.5, 2.5, -1.9), vec.New(0.5, 2.9, -1.9), vec.New(-0.5, 2.9, -1.9), vec.New(0, 0, 1))
	m.Nodes = []gltf.ModelNode{{Name: "room", Parts: []gltf.ModelPart{room, panel}}}
	m.Cameras = []scene.Camera{{Name: "Front", Eye: vec.New(0, 1.5, 4), Aim: vec.New(0, -0.05, -1), Up: vec.New(0, 1, 0), FovY: 0.9, Aspect: 4.0 / 3}}
	glb, err := gltf.Write(m)
	require.NoError(t, err)
	return glb
}

func TestImportGoodAndBadFiles(t *testing.T) {
	s := start(t)
	b := open(t, s.base, 1280, 800)
	b.until("the first screen says what to do", `document.querySelector('.projects h1')?.textContent.includes('Nothing has been lit')`)
	b.mu.Lock()
	b.allow = append(b.allow, "422") // the browser logs a refused upload
	b.mu.Unlock()
	place, err := demo.Place()
	require.NoError(t, err)
	for name, data := range map[string][]byte{
		"cut.glb":     place[:len(place)/2],
		"nothing.glb": []byte("hello"),
		"cycle.gltf":  []byte(`{"asset":{"version":"2.0"},"nodes":[{"children":[1]},{"children":[0]}],"scenes":[{"nodes":[0]}]}`),
		"billion.gltf": []byte(`{"asset":{"version":"2.0"},"buffers":[{"byteLength":4,"uri":"data:;base64,AAAAAA=="}],"bufferViews":[{"buffer":0,"byteLength":4}],
			"accessors":[{"bufferView":0,"componentType":5126,"count":1000000000,"type":"VEC3"}],"meshes":[{"primitives":[{"attributes":{"POSITION":0}}]}],"nodes":[{"mesh":0}]}`),
	} {
		b.do(chromedp.SetUploadFiles(chromedp.CSS(`[data-testid=import-file]`), []string{write(t, name, data)}, chromedp.NodeReady))
		b.until("the error is said in words: "+name, `document.querySelector('[role=dialog]')?.textContent.includes('`+strings.Split(name, ".")[0]+`') && document.querySelector('[role=dialog]').textContent.includes('What to do')`)
		b.do(chromedp.KeyEvent("\x1b"))
		b.until("closed", `!document.querySelector('[role=dialog]')`)
	}
	b.do(chromedp.SetUploadFiles(chromedp.CSS(`[data-testid=import-file]`), []string{write(t, "room.glb", room(t))}, chromedp.NodeReady))
	b.until("the new setup opens", `location.pathname.startsWith('/s/') && document.querySelector('[data-light=panel]')`)
	b.settled()
	lit := 0
	for i, v := range b.pixels() {
		if i%4 != 3 && v > 40 {
			lit++
		}
	}
	require.Greater(t, lit, 10_000, "the panel lights the room at the metered exposure")
	r, err := http.Get(s.base + "/api/setups")
	require.NoError(t, err)
	defer r.Body.Close()
	require.Equal(t, 200, r.StatusCode)

	// The demo is put in from the first screen, beside what was brought in.
	b.do(chromedp.Navigate(s.base + "/projects"))
	b.until("what was brought in, as a picture", `document.querySelectorAll('.project-card').length == 1`)
	js[bool](b, `([...document.querySelectorAll('.beginning')].find(e => e.textContent.includes('demo')).click(), true)`)
	b.until("the demo opens", `document.querySelector('[data-light=lantern]')`)
	js[bool](b, `(history.back(), true)`)
	b.until("back at the first screen", `document.querySelectorAll('.project-card').length == 2`)
}

// Without WebGL2 the server composes, and the window says so.
func TestWithoutWebGL2TheServerComposes(t *testing.T) {
	s := shared(t)
	b := open(t, s.base+"/?plain", 1280, 800)
	b.until("the server's picture", `document.querySelector('[data-testid=plain-picture]')?.naturalWidth > 0`)
	b.until("said", `document.querySelector('main').textContent.includes('composed by the server')`)
}

func TestOtherSitesAreRefused(t *testing.T) {
	s := shared(t)
	for _, c := range []struct{ host, origin string }{{"evil.example", ""}, {"", "http://evil.example"}} {
		req, err := http.NewRequest("GET", s.base+"/api/setups", nil)
		require.NoError(t, err)
		if c.host != "" {
			req.Host = c.host
		}
		if c.origin != "" {
			req.Header.Set("Origin", c.origin)
		}
		r, err := http.DefaultClient.Do(req)
		require.NoError(t, err)
		_ = r.Body.Close()
		require.Equal(t, 403, r.StatusCode)
	}
	r, err := http.Get(s.base + "/../../etc/passwd")
	require.NoError(t, err)
	defer r.Body.Close()
	require.NotContains(t, r.Header.Get("Content-Type"), "text/plain")
}
