package e2e

import (
	"bytes"
	"encoding/json"
	"fmt"
	"math"
	"net/http"
	"strings"
	"testing"
	"time"

	"github.com/chromedp/cdproto/input"
	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/require"
	"willowherb/core/edits"
	"willowherb/core/setup"
	"willowherb/core/vec"
	"willowherb/demo"
	"willowherb/format/gltf"
	api "willowherb/server"
)

// box is where an element lies in the window.
type box struct{ X, Y, W, H float64 }

func (b *tab) box(selector string) box {
	b.t.Helper()
	return js[box](b, `(() => { const r = document.querySelector('`+selector+`').getBoundingClientRect(); return { X: r.x, Y: r.y, W: r.width, H: r.height } })()`)
}

// in is the middle of the picture, or another share of it.
func (b *tab) in(x, y float64) (float64, float64) {
	b.t.Helper()
	p := b.box("[data-testid=picture-frame]")
	return p.X + p.W*x, p.Y + p.H*y
}

// document is the setup as the server has it.
func (s *server) document(id int) *setup.Setup {
	s.t.Helper()
	r, err := http.Get(fmt.Sprintf("%s/api/setups/%d", s.base, id))
	require.NoError(s.t, err)
	defer r.Body.Close()
	var u struct {
		Document json.RawMessage `json:"document"`
	}
	require.NoError(s.t, json.NewDecoder(r.Body).Decode(&u))
	d, err := setup.Parse(u.Document)
	require.NoError(s.t, err)
	return d
}

// keeps waits until the server has what the window shows already.
func (s *server) keeps(what string, holds func(*setup.Setup) bool) {
	s.t.Helper()
	require.Eventually(s.t, func() bool { return holds(s.document(1)) }, 90*time.Second, 50*time.Millisecond, what)
}

const placed = `document.querySelector('canvas').dataset.sight && document.querySelector('[data-testid=refinement]').dataset.moving == 'false'`

// The eye is turned, moved and given another lens by hand; the picture follows in
// motion, refines, and where it stands can be saved and gone back from.
func TestTheEyeMovesAndAViewIsSaved(t *testing.T) {
	s := shared(t)
	b := open(t, s.base, 1280, 800)
	b.settled()
	home := js[string](b, `document.querySelector('canvas').dataset.sight`)
	js[bool](b, `(() => { const c = document.querySelector('canvas'); window.full = c.width; window.sharp = []; new MutationObserver(() => c.dataset.sharp && window.sharp.push(c.width)).observe(c, { attributes: true, attributeFilter: ['data-sharp'] }); return true })()`)
	x, y := b.in(0.5, 0.6)
	b.mouse("mouseMoved", x, y, "none")
	b.mouse("mousePressed", x, y, "right")
	shown := false
	for i := 1; i <= 200 && !shown; i++ { // until the hand has seen the picture follow
		b.mouse("mouseMoved", x+float64(i%60), y-float64(i%20), "right")
		shown = js[bool](b, `Number(document.querySelector('canvas').dataset.previews) > 0`)
	}
	require.True(t, shown, "pictures in motion")
	b.mouse("mouseReleased", x+40, y-10, "right")
	b.until("another sight", placed+` && document.querySelector('canvas').dataset.sight != '`+home+`'`)
	b.until("it is sharp before there are layers of its size", `window.sharp.includes(window.full)`)
	b.until("and then it is those", `document.querySelector('canvas').dataset.sharp === '' && `+refined)
	require.Contains(t, js[string](b, `document.querySelector('.view-line').textContent`), "moved")
	b.pull("right", x, y, x+30, y, chromedp.ModifierShift)
	b.do(chromedp.MouseEvent("mouseWheel", x, y, func(p *input.DispatchMouseEventParams) { p.DeltaX, p.DeltaY = 0.01, -200 }))
	b.until("at rest", placed)
	b.do(chromedp.KeyEvent("b"))
	b.do(chromedp.KeyEvent("v"))
	b.until("a sixth view", `document.querySelectorAll('.shelf button').length == 6`)
	require.Equal(t, "Hall 2", js[string](b, `document.querySelector('.shelf button.on .caption b').textContent`))
	s.keeps("the new view, elsewhere than the old one", func(d *setup.Setup) bool {
		v, ok := d.Views["hall-2"]
		return ok && v.Eye != d.Views["hall"].Eye
	})
	// The focal length is written; the view line says so, and the way back is one key.
	b.click(`[aria-label="Focal length in mm"]`)
	b.do(chromedp.KeyEvent("85\r"))
	b.until("a free camera again", `document.querySelector('.view-line').textContent.includes('moved')`)
	b.click(`button[aria-label^=Aspect]`)
	b.until("the aspects", `document.querySelector('[role=menu]')`)
	js[bool](b, `([...document.querySelectorAll('[role=menuitem]')].find(e => e.textContent == '1:1').click(), true)`)
	b.until("a square picture", `(() => { const r = document.querySelector('[data-testid=picture-frame]').getBoundingClientRect(); return Math.abs(r.width - r.height) < 3 })()`)
	b.until("the menu is gone", `!document.querySelector('[role=menu]')`)
	js[bool](b, `(document.activeElement.blur(), true)`)
	b.do(chromedp.KeyEvent("r"))
	b.until("the saved view", `!document.querySelector('.view-line').textContent.includes('moved')`)
	// What belongs to the demo's own view is as it was.
	b.do(chromedp.KeyEvent("2"))
	b.until("home", `document.querySelector('canvas').dataset.sight == '`+home+`'`)
	b.settled()
}

// A lamp is taken by its handle and dragged: its light follows in the picture while
// the hand holds it, and undo puts it back.
func TestALampIsDraggedByItsHandle(t *testing.T) {
	s := shared(t)
	b := open(t, s.base, 1280, 800)
	b.settled()
	before := s.document(1).Lights["lantern"].Position
	b.row("lantern")
	b.until("handles", `document.querySelector('[data-handles=lantern] [data-grip=position]')`)
	h := b.box("[data-handles=lantern] [data-grip=position]")
	x, y := h.X+h.W/2, h.Y+h.H/2
	pixels := b.pixels()
	b.mouse("mouseMoved", x, y, "none")
	b.mouse("mousePressed", x, y, "left")
	for i := 1; i <= 6; i++ {
		b.mouse("mouseMoved", x-float64(i)*15, y-float64(i)*8, "left")
	}
	b.until("its light follows while it is held", `document.querySelector('.handles .name').textContent.includes('moved') && document.querySelector('canvas').dataset.drawn`)
	changed := false
	for range 100 {
		if now := b.pixels(); len(now) == len(pixels) {
			far := 0
			for i := range now {
				if math.Abs(now[i]-pixels[i]) > 6 {
					far++
				}
			}
			if changed = far > 1000; changed {
				break
			}
		}
		time.Sleep(100 * time.Millisecond)
	}
	require.True(t, changed, "the picture shows the lamp elsewhere before it is let go")
	require.Equal(t, before, s.document(1).Lights["lantern"].Position, "a drag is not in the journal until it ends")
	b.mouse("mouseReleased", x-90, y-48, "left")
	b.until("one edit", `document.querySelector('[data-testid=undo]').textContent.includes('Lantern moved')`)
	after := s.document(1).Lights["lantern"].Position
	require.Greater(t, math.Hypot(after[0]-before[0], after[1]-before[1]), 0.3)
	// Its size, by the square under it.
	g := b.box("[data-handles=lantern] [data-grip=size]")
	b.pull("left", g.X+g.W/2, g.Y+g.H/2, g.X+g.W/2, g.Y+g.H/2+15)
	b.until("its radius", `document.querySelector('[data-testid=undo]').textContent.includes('radius')`)
	b.do(chromedp.KeyEvent("z", chromedp.KeyModifiers(chromedp.ModifierCtrl)))
	b.until("it is as it was", `document.querySelector('[data-testid=undo]').textContent.includes('moved')`)
	b.do(chromedp.KeyEvent("z", chromedp.KeyModifiers(chromedp.ModifierCtrl)))
	b.until("back", `document.querySelector('[data-testid=undo]').textContent.includes('Nothing')`)
	require.Equal(t, before, s.document(1).Lights["lantern"].Position)
	// New, duplicated, locked, removed.
	b.do(chromedp.KeyEvent("n"))
	b.until("a new lamp", `document.querySelector('[data-light=lamp]')`)
	js[bool](b, `(document.activeElement.blur(), true)`)
	b.do(chromedp.KeyEvent("d", chromedp.KeyModifiers(chromedp.ModifierCtrl)))
	b.until("a second", `document.querySelector('[data-light=lamp-2]')`)
	b.do(chromedp.KeyEvent("k"))
	b.until("locked", `document.querySelector('[data-light=lamp-2] .lock[aria-pressed=true]')`)
	b.do(chromedp.KeyEvent(kb.Delete))
	b.until("a locked light stays", `document.body.textContent.includes('Locked lights are not removed')`)
	s.keeps("the locked lamp", func(d *setup.Setup) bool { return d.Lights["lamp-2"].Locked })
}

// Q held asks what lights the point under the pointer; P pins it, and the pin
// follows the light.
func TestWeighAndPin(t *testing.T) {
	s := shared(t)
	b := open(t, s.base, 1280, 800)
	b.settled()
	x, y := b.in(0.62, 0.85)
	b.mouse("mouseMoved", x, y, "none")
	release := b.hold("q")
	b.until("what lights it", `document.querySelector('.weighed .line')`)
	text := js[string](b, `document.querySelector('.weighed').textContent`)
	require.Contains(t, text, "cd/m²")
	require.Contains(t, text, " lx")
	require.Regexp(t, `out of range|outside the cone|shadowed by|faces away|no way`, text, "what gives nothing says why")
	release()
	b.until("gone when let go", `!document.querySelector('.weighed')`)
	b.do(chromedp.KeyEvent("p"))
	b.until("a pin with its reading", `document.querySelector('.pins .line')?.textContent.includes('lx')`)
	was := js[string](b, `document.querySelector('.pins .line').textContent`)
	b.row("low-sun")
	b.do(chromedp.KeyEvent("o"))
	b.row("lantern")
	b.do(chromedp.KeyEvent("o"))
	b.until("the pin follows", `document.querySelector('.pins .line').textContent != `+string(quoted(was)))
	// A figure is chosen by a click, and its contrast is told.
	x, y = js[float64](b, `(() => { const c = document.querySelector('[data-testid=picture-frame]').getBoundingClientRect(); return c.x + 0.557 * c.width })()`), 0.0
	_, y = b.in(0, 0.75)
	b.mouse("mouseMoved", x, y, "none")
	b.mouse("mousePressed", x, y, "left")
	b.mouse("mouseReleased", x, y, "left")
	b.until("its contrast", `document.querySelector('.figure-line')?.textContent.includes('against what is behind')`)
	require.Contains(t, js[string](b, `document.querySelector('.figure-line').textContent`), "Keeper")
}

func quoted(s string) []byte {
	b, _ := json.Marshal(s)
	return b
}

// Every way of seeing shows its picture and, where it measures, its legend.
func TestWaysOfSeeing(t *testing.T) {
	s := shared(t)
	b := open(t, s.base, 1280, 800)
	b.settled()
	b.row("lantern")
	seen := map[string]string{}
	see := func(name string) {
		js[bool](b, `(document.activeElement.blur(), true)`)
		b.do(chromedp.KeyEvent("/"))
		b.until("the finder", `document.activeElement?.placeholder == 'What do you want to do?'`)
		b.do(chromedp.KeyEvent("see "+name), chromedp.KeyEvent("\r"))
		b.until(name, `!document.querySelector('.finder') && document.querySelector('[data-testid=way]').textContent.toLowerCase().startsWith('`+name+`')`)
		b.settled()
		px := b.pixels()
		hash := 0.0
		for i, v := range px {
			hash += v * float64(i%997)
		}
		key := fmt.Sprint(hash)
		require.Empty(t, seen[key], "%s looks like %s", name, seen[key])
		seen[key] = name
	}
	for _, w := range []string{"direct", "bounced", "sky", "chosen light", "exposure zones", "clipped", "luminance", "materials", "normals", "triangle", "reach", "crowding", "light on grey", "illuminance", "full picture"} {
		see(w)
		legend := js[int](b, `document.querySelectorAll('.legend li').length`)
		switch w {
		case "exposure zones", "luminance", "illuminance", "reach", "crowding":
			require.Greater(t, legend, 5, w)
		default:
			require.Zero(t, legend, w)
		}
	}
}

// The Ledger finds, sorts, and counts what an eye would notice.
func TestTheLedgerFindsAndMeasures(t *testing.T) {
	s := shared(t)
	b := open(t, s.base, 1280, 800)
	b.settled()
	b.click(`[aria-label="Find and filter lights"]`)
	b.do(chromedp.KeyEvent("live lights that cast shadows"))
	b.until("three of them", `document.querySelectorAll('[data-light]').length == 3 && document.querySelector('.ledger-tools').textContent.includes('3 found')`)
	b.do(chromedp.KeyEvent("\r"))
	b.until("chosen together", `document.querySelector('.many')?.textContent.includes('3 lights')`)
	b.do(chromedp.KeyEvent("\x1b"))
	b.until("all rows", `document.querySelectorAll('[data-light]').length == 15`)
	b.row("lantern")
	b.do(chromedp.KeyEvent("="))
	b.until("one edit for three", `document.querySelector('[data-testid=undo]').textContent.includes('3 lights')`)
	d := s.document(1)
	require.InDelta(t, -0.3+1.0/3, d.Lights["lantern"].Stops, 1e-3)
	require.InDelta(t, 0.4+1.0/3, d.Lights["rim-window"].Stops, 1e-3)
	js[bool](b, `([...document.querySelectorAll('.ledger-tools button')].at(-1).click(), true)`)
	b.until("the columns", `document.querySelector('[role=menuitemcheckbox]')`)
	js[bool](b, `([...document.querySelectorAll('[role=menuitemcheckbox]')].find(e => e.textContent.startsWith('notice')).click(), true)`)
	b.do(chromedp.KeyEvent("\x1b"))
	b.until("what an eye would notice", `document.querySelector('[data-testid=notice-lantern]')?.textContent.includes('·')`)
	js[bool](b, `([...document.querySelectorAll('.row.head button')].find(e => e.textContent == 'costs').click(), true)`)
	b.until("the dearest first", `document.querySelector('[data-light]').dataset.light == 'lantern'`)
}

// A state is kept, compared and brought back; the history steps back to any edit.
func TestSnapshotsAndHistoryInTheBrowser(t *testing.T) {
	s := start(t, "--demo")
	b := open(t, s.base, 1280, 800)
	b.settled()
	b.do(chromedp.KeyEvent("C", chromedp.KeyModifiers(chromedp.ModifierShift)))
	b.until("the panel", `document.activeElement?.getAttribute('aria-label') == 'Name of the new snapshot'`)
	js[bool](b, `(document.activeElement.select(), true)`)
	b.do(chromedp.KeyEvent("evening\r"))
	b.until("kept", `document.querySelector('.snapshots b')?.textContent == 'evening'`)
	b.click(`.panel [aria-label=Close]`)
	b.row("lantern")
	b.do(chromedp.KeyEvent("o"))
	b.do(chromedp.KeyEvent("C", chromedp.KeyModifiers(chromedp.ModifierShift)))
	b.until("the list", `document.querySelector('.snapshots .actions button')`)
	b.click(`.snapshots .actions button`)
	b.until("the numbers", `document.querySelector('[data-testid=splits]')?.textContent.includes('95th percentile')`)
	b.until("the line", `document.querySelector('.wipe')`)
	now := b.pixels()
	js[bool](b, `([...document.querySelectorAll('[data-testid=splits] [role=radio]')].find(e => e.textContent == 'other').click(), true)`)
	b.settled()
	require.NotEqual(t, now, b.pixels(), "the other state is seen")
	for _, k := range []string{"side by side", "difference", "one"} {
		js[bool](b, `([...document.querySelectorAll('[data-testid=splits] [role=radio]')].find(e => e.textContent == '`+k+`').click(), true)`)
		b.until(k, `document.querySelector('[data-testid=splits] [aria-checked=true]').textContent == '`+k+`'`)
	}
	js[bool](b, `([...document.querySelectorAll('.snapshots .actions button')].find(e => e.textContent == 'bring back').click(), true)`)
	b.until("brought back", `document.querySelector('[data-testid=undo]').textContent.includes('Back to “evening”')`)
	require.False(t, s.document(1).Lights["lantern"].Off)
	b.click(`.panel [aria-label=Close]`)
	b.do(chromedp.KeyEvent("y"))
	b.until("the history", `document.querySelectorAll('.history li').length == 3`)
	js[bool](b, `(document.querySelectorAll('.history li')[1].querySelector('button').click(), true)`)
	b.until("stepped back in it", `document.querySelectorAll('.history li').length == 4`)
	require.True(t, s.document(1).Lights["lantern"].Off)
}

// Two people set the same value without knowing of each other: the last one wins,
// and both are told. An edit made while the server is away survives the tab.
func TestConflictsAreToldAndWaitingEditsSurvive(t *testing.T) {
	s := start(t, "--demo")
	b := open(t, s.base, 1280, 800)
	b.until("the Ledger", `document.querySelector('[data-light=lantern]') && !document.querySelector('.lost')`)
	// Somebody else's edit, made on the same revision, comes in just before ours.
	body, _ := json.Marshal(api.EditAsk{Called: "Bea", Window: "elsewhere", Seq: 1, Target: "base", Label: "Lantern +2.0 st", Ops: []edits.Op{{Op: "replace", Path: "/lights/lantern/stops", Value: json.RawMessage("2")}}})
	js[bool](b, `(() => { const real = window.fetch; window.fetch = async (u, o) => { if (String(u).endsWith('/edits')) { window.fetch = real; await real(u, { ...o, body: `+string(quoted(string(body)))+` }) } return real(u, o) }; return true })()`)
	// What is said goes away by itself, on a busy machine before it is looked for.
	js[bool](b, `(window.heard = '', new MutationObserver(() => { window.heard += [...document.querySelectorAll('.MuiSnackbar-root')].map(e => e.textContent).join() }).observe(document.body, { subtree: true, childList: true, characterData: true }), true)`)
	b.row("lantern")
	b.do(chromedp.KeyEvent("0"))
	b.until("told", `window.heard.includes('You have replaced “Lantern +2.0 st”')`)
	require.Zero(t, s.document(1).Lights["lantern"].Stops, "the last one wins")
	// And the other way round: ours is known, theirs was made before they had heard of it.
	r, err := s.post("/api/setups/1/edits", bytes.Replace(body, []byte(`"seq":1`), []byte(`"seq":2`), 1))
	require.NoError(t, err)
	_ = r.Body.Close()
	b.until("told too", `window.heard.includes('has replaced your')`)
	b.mu.Lock()
	b.allow = append(b.allow, "WebSocket", "net::ERR", "Failed to load resource")
	b.mu.Unlock()
	s.kill()
	b.until("the loss is said", `document.querySelector('.lost')`)
	b.row("lantern")
	b.do(chromedp.KeyEvent("o"))
	b.until("it waits", `document.querySelector('.lost').textContent.includes('1 edit waits')`)
	b.do(chromedp.Navigate("about:blank")) // the tab goes away with it
	s.restart()
	require.False(t, s.document(1).Lights["lantern"].Off)
	b.do(chromedp.Navigate(s.base))
	b.until("sent by the next window", `document.querySelector('[data-light=lantern]')?.classList.contains('is-off')`)
	require.True(t, s.document(1).Lights["lantern"].Off)
}

// The Scene step: a thing is found, taken out and put back, a material is changed,
// and a changed file is brought in with the setup kept.
func TestTheSceneStep(t *testing.T) {
	s := shared(t)
	b := open(t, s.base, 1280, 800)
	b.settled()
	home := js[string](b, `document.querySelector('canvas').dataset.sight`)
	b.click(`.round button:first-child`)
	b.until("objects", `document.querySelectorAll('.object').length > 10`)
	b.click(`[aria-label="Find objects"]`)
	b.do(chromedp.KeyEvent("keeper"))
	b.until("found", `document.querySelectorAll('.object').length == 4`)
	b.click(`[aria-label="Take Keeper out"]`)
	b.until("out", `document.querySelector('.object.gone') && document.querySelector('[data-testid=undo]').textContent.includes('taken out')`)
	b.until("another picture", placed+` && document.querySelector('canvas').dataset.sight != '`+home+`'`)
	b.do(chromedp.KeyEvent("\x1b"))
	js[bool](b, `(document.activeElement.blur(), true)`)
	b.do(chromedp.KeyEvent("z", chromedp.KeyModifiers(chromedp.ModifierCtrl)))
	b.until("put back, and its picture is still there", `document.querySelector('canvas').dataset.sight == '`+home+`'`)
	// The keeper is a mover: chosen, it is taken by its handle.
	js[bool](b, `([...document.querySelectorAll('.object .what')].find(e => e.textContent == 'Keeper').click(), true)`)
	b.until("the mover's handle", `document.querySelector('[data-grip=stand]')`)
	g := b.box(`[data-grip=stand] .ring`)
	b.pull("left", g.X+g.W/2, g.Y+g.H/2, g.X+g.W/2+40, g.Y+g.H/2)
	s.keeps("the keeper stands elsewhere", func(d *setup.Setup) bool {
		o := d.Objects["keeper"].Offset
		return math.Hypot(o[0], o[2]) > 0.3 && o[1] == 0
	})
	b.do(chromedp.KeyEvent("z", chromedp.KeyModifiers(chromedp.ModifierCtrl)))
	s.keeps("and is back", func(d *setup.Setup) bool { return d.Objects["keeper"].Offset == [3]float64{} })
	js[bool](b, `([...document.querySelectorAll('.object .what')].find(e => e.textContent == 'Keeper').click(), true)`)
	b.until("let go", `!document.querySelector('[data-grip=stand]')`)
	js[bool](b, `([...document.querySelectorAll('.scene [role=tab]')].find(e => e.textContent == 'Materials').click(), true)`)
	b.until("materials", `document.querySelectorAll('.materials li').length > 5`)
	js[bool](b, `([...document.querySelectorAll('.materials .what')].find(e => e.textContent.includes('Wet concrete')).click(), true)`)
	b.until("opened", `document.querySelector('[aria-label="Wet concrete roughness"]')`)
	b.click(`[aria-label="Wet concrete roughness"]`)
	b.do(chromedp.KeyEvent("0.2\r"))
	b.until("changed", `document.querySelector('.materials li.changed')`)
	s.keeps("the wetter floor", func(d *setup.Setup) bool {
		r := d.Materials["wet-concrete"].Roughness
		return r != nil && math.Abs(*r-0.2) < 1e-9
	})
	js[bool](b, `([...document.querySelectorAll('.material button')].find(e => e.textContent == 'file').click(), true)`)
	b.until("as in the file", `!document.querySelector('.materials li.changed')`)
	js[bool](b, `([...document.querySelectorAll('.scene [role=tab]')].find(e => e.textContent == 'Place').click(), true)`)
	b.until("time", `document.querySelector('[aria-label="Time in s"]')`)
	b.click(`[aria-label="Time in s"]`)
	b.do(chromedp.KeyEvent("3\r"))
	b.until("scrubbed", `document.querySelector('[data-testid=undo]').textContent.includes('Time 3 s')`)
	require.InDelta(t, 3, s.document(1).Time, 1e-9)
	m := &gltf.Model{Materials: []gltf.ModelMaterial{{Name: "slab", BaseColor: [4]float64{0.5, 0.5, 0.5, 1}, Roughness: 1}}}
	up := vec.V3{Y: 1}
	m.Nodes = []gltf.ModelNode{{Name: "Slab", Parts: []gltf.ModelPart{{Pos: []vec.V3{{X: -9, Z: 9}, {X: 9, Z: 9}, {X: 9, Z: -9}}, Nrm: []vec.V3{up, up, up}, UV: make([]vec.V2, 3), Index: []uint32{0, 1, 2}}}}}
	glb, err := gltf.Write(m)
	require.NoError(t, err)
	b.do(chromedp.SetUploadFiles(chromedp.CSS(`[data-testid=again-file]`), []string{write(t, "slab.glb", glb)}, chromedp.NodeReady))
	b.until("the report", `document.querySelector('.report')?.textContent.includes('gone')`)
	text := js[string](b, `document.querySelector('.report').textContent`)
	require.Contains(t, text, "Slab")
	require.Contains(t, text, "Gauge glow", "what waits for something that is gone is named")
	require.Len(t, s.document(1).Lights, 15, "the setup is kept")
	require.Len(t, s.document(1).Views, 5)
	place, err := demo.Place()
	require.NoError(t, err)
	b.do(chromedp.SetUploadFiles(chromedp.CSS(`[data-testid=again-file]`), []string{write(t, "pump-house.glb", place)}, chromedp.NodeReady))
	b.until("the old place again", `/2[5-9] new/.test(document.querySelector('.report')?.textContent)`)
	require.False(t, strings.Contains(js[string](b, `document.querySelector('.report').textContent`), "Gauge glow"))
}
