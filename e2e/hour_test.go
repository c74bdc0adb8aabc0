package e2e

import (
	"fmt"
	"os"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/require"
	"willowherb/core/setup"
)

// hand is how a lighter works: by mouse, or by keys alone.
type hand interface {
	view(name string)
	// light makes a spot, places it by its result where a tool is clicked, and sets its stops.
	light(id, tool string, x, y float64, thirds int)
	weigh(x, y float64)
	pin(x, y float64)
	mood(name string)
	snapshot(name string)
	compare()
	undo()
}

// An hour's work of a lighter: a key, a fill and a rim, a reading and a pin, a highlight,
// a mood on a figure, a comparison, and all of it taken back. By mouse in a small window and
// by keys alone in a wide one; with WILLOWHERB_HOUR set, both in three sizes.
func TestALightersHour(t *testing.T) {
	whole := os.Getenv("WILLOWHERB_HOUR") != ""
	for _, size := range [][2]int64{{1280, 800}, {1920, 1080}, {2560, 1440}} {
		for _, by := range []string{"mouse", "keys"} {
			if !whole && (size[0] == 2560 || (size[0] == 1280) != (by == "mouse")) {
				continue
			}
			t.Run(fmt.Sprintf("%dx%d by %s", size[0], size[1], by), func(t *testing.T) {
				s := shared(t)
				b := open(t, s.base, size[0], size[1])
				b.settled()
				if by == "mouse" {
					b.work(s, &mouse{b})
				} else {
					b.work(s, &keys{tab: b})
				}
			})
		}
	}
}

func (b *tab) work(s *server, h hand) {
	b.t.Helper()
	before := s.document(1)
	h.view("Keeper")
	b.until("the keeper", `document.querySelector('.view-line b').textContent.includes('Keeper')`)
	b.settled()
	chest := b.surface(0.5, 0.6)
	for i, l := range []struct {
		tool   string
		thirds int
	}{{"highlight", 3}, {"aim", -2}, {"highlight", -1}} {
		id := "spot"
		if i > 0 {
			id = fmt.Sprint("spot-", i+1)
		}
		h.light(id, l.tool, chest[0], chest[1], l.thirds)
		s.keeps("a light that was placed", func(d *setup.Setup) bool {
			l, ok := d.Lights[id]
			return ok && l.Stops != 0
		})
	}
	h.weigh(chest[0], chest[1])
	b.until("weighed", `document.querySelector('.weighed .line')`)
	h.pin(chest[0], chest[1])
	b.until("pinned", `document.querySelector('.pins .line')?.textContent.includes('lx')`)
	h.snapshot("with three")
	h.mood("Low key")
	s.keeps("a mood", func(d *setup.Setup) bool { return len(d.Lights) > len(before.Lights)+3 })
	h.compare()
	b.until("compared", `document.querySelector('[data-testid=splits]')`)
	for range 40 {
		was := string(s.document(1).JSON())
		if was == string(before.JSON()) {
			break
		}
		h.undo()
		s.keeps("one edit taken back", func(d *setup.Setup) bool { return string(d.JSON()) != was })
	}
	s.keeps("all taken back", func(d *setup.Setup) bool { return string(d.JSON()) == string(before.JSON()) })
}

// surface is a place near the given one where the picture shows the keeper.
func (b *tab) surface(x, y float64) [2]float64 {
	b.t.Helper()
	for _, dx := range []float64{0, 0.04, -0.04, 0.08, -0.08, 0.12, -0.12} {
		px, py := b.in(x+dx, y)
		b.mouse("mouseMoved", px, py, "none")
		b.until("what is there", `document.querySelector('[data-testid=spot]').textContent != ''`)
		if strings.Contains(js[string](b, `document.querySelector('[data-testid=spot]').textContent`), "Keeper") {
			return [2]float64{x + dx, y}
		}
	}
	require.Fail(b.t, "the keeper is not in the picture")
	return [2]float64{}
}

// mouse does all by clicks and drags.
type mouse struct{ *tab }

// hit clicks where an element stands.
func (m *mouse) hit(find string) {
	m.t.Helper()
	// What has come to rest: a row that opens moves those under it.
	still := `(e => { if (!e) return false; e.scrollIntoView({ block: 'nearest' }); const r = e.getBoundingClientRect(), at = [r.x, r.y, r.width, r.height].join(), was = e.dataset.was; e.dataset.was = at; const top = document.elementFromPoint(r.x + r.width / 2, r.y + r.height / 2); return was === at && e.contains(top) })(` + find + `)`
	m.until(find, still)
	r := js[box](m.tab, `(() => { const r = `+find+`.getBoundingClientRect(); return { X: r.x, Y: r.y, W: r.width, H: r.height } })()`)
	m.do(chromedp.MouseClickXY(r.X+r.W/2, r.Y+r.H/2))
}

func (m *mouse) words(within, words string) {
	m.t.Helper()
	m.hit(fmt.Sprintf(`[...document.querySelectorAll(%q)].find(e => e.textContent.trim().startsWith(%q))`, within, words))
}

func (m *mouse) view(name string) { m.words(".shelf button", name) }

func (m *mouse) light(id, tool string, x, y float64, thirds int) {
	m.words(".ledger-tools button", "New")
	m.words("[role=menuitem]", "Spot")
	m.until("its row", `document.querySelector('[data-light=`+id+`]')`)
	m.words(".open-light .tools button", tool)
	m.until("the tool", `document.querySelector('.tool-words')`)
	m.tap(x, y)
	m.until("placed", `!document.querySelector('.tool-words')`)
	m.hit(`document.querySelector('[data-light=` + id + `] .stops-text input')`)
	m.do(chromedp.KeyEvent(fmt.Sprintf("%.1f\r", float64(thirds)/3)))
}

func (m *mouse) weigh(x, y float64) {
	m.words(".card.hint button", "weigh with the pointer")
	px, py := m.in(x, y)
	m.mouse("mouseMoved", px, py, "none")
}

func (m *mouse) pin(x, y float64) {
	m.tap(x, y)
	m.words(".card.hint button", "end weighing")
}

func (m *mouse) panel(name string) {
	m.hit(`document.querySelector('.top [aria-label="` + name + `"]')`)
}

func (m *mouse) snapshot(name string) {
	m.panel("Snapshots")
	m.hit(`document.querySelector('.panel-tools input')`)
	m.do(chromedp.KeyEvent(name))
	m.words(".panel-tools button", "Keep")
	m.until("kept", `document.querySelector('.snapshots .actions button')`)
}

func (m *mouse) mood(name string) {
	m.panel("Rigs")
	m.hit(`document.querySelector('[data-mood="` + name + `"]')`)
}

func (m *mouse) compare() {
	m.panel("Snapshots")
	m.words(".snapshots .actions button", "compare")
}

func (m *mouse) undo() { m.hit(`document.querySelector('[data-testid=undo]')`) }

// keys does all by the keyboard: no event of a pointer is sent.
type keys struct {
	*tab
	x, y float64 // of the crosshair
}

func (k *keys) key(key string, modifiers ...chromedp.Modifier) {
	k.t.Helper()
	if len(modifiers) > 0 {
		k.do(chromedp.KeyEvent(key, chromedp.KeyModifiers(modifiers...)))
	} else {
		k.do(chromedp.KeyEvent(key))
	}
}

// tabTo presses Tab until what has the keyboard answers to a test of e.
func (k *keys) tabTo(what, test string) {
	k.t.Helper()
	for range 160 {
		if js[bool](k.tab, `Boolean((e => `+test+`)(document.activeElement))`) {
			return
		}
		k.key(kb.Tab)
	}
	require.Fail(k.t, "Tab does not come to "+what)
}

// to brings the crosshair to a place in the picture.
func (k *keys) to(x, y float64) {
	k.t.Helper()
	k.key(".")
	k.until("the picture has the keys", `document.activeElement.id == 'picture'`)
	if k.x == 0 {
		k.step(kb.ArrowRight, 1, false)
		k.x, k.y = 0.5, 0.5
	}
	k.pointAt(k.x, k.y, x, y)
	k.x, k.y = x, y
}

func (k *keys) view(string) { k.key("3") }

func (k *keys) light(id, tool string, x, y float64, thirds int) {
	k.key("N", chromedp.ModifierShift)
	k.until("its row", `document.querySelector('[data-light=`+id+`].chosen')`)
	if tool == "aim" {
		k.key("D", chromedp.ModifierShift)
	} else {
		k.key("e")
	}
	k.until("the tool", `document.querySelector('.tool-words')`)
	k.to(x, y)
	k.key(kb.Enter)
	k.until("placed", `!document.querySelector('.tool-words')`)
	step := "="
	if thirds < 0 {
		step, thirds = "-", -thirds
	}
	for range thirds {
		k.key(step)
	}
}

func (k *keys) weigh(x, y float64) {
	k.to(x, y)
	k.hold("q")
}

func (k *keys) pin(x, y float64) {
	js[bool](k.tab, `(window.dispatchEvent(new KeyboardEvent('keyup', { key: 'q', bubbles: true })), true)`)
	k.key("p")
}

func (k *keys) snapshot(name string) {
	k.key("C", chromedp.ModifierShift)
	k.until("its field", `document.activeElement?.getAttribute('aria-label') == 'Name of the new snapshot'`)
	k.key(name)
	k.key("\r")
	k.until("kept", `document.querySelector('.snapshots .actions button')`)
	k.key(kb.Escape)
	k.until("closed", `!document.querySelector('.panel')`)
}

func (k *keys) mood(name string) {
	k.key("R", chromedp.ModifierShift)
	k.until("moods", `document.querySelector('[data-mood="`+name+`"]')`)
	k.until("the panel has the keys", `document.activeElement.closest('.panel')`)
	k.tabTo(name, `e.dataset.mood == '`+name+`'`)
	k.key(kb.Enter)
}

func (k *keys) compare() {
	k.key(kb.Escape)
	k.until("closed", `!document.querySelector('.panel')`)
	k.key("C", chromedp.ModifierShift)
	k.until("its field", `document.activeElement?.getAttribute('aria-label') == 'Name of the new snapshot'`)
	k.tabTo("compare", `e.closest('.panel .actions')`)
	k.key(kb.Enter)
}

func (k *keys) undo() { k.key("z", chromedp.ModifierCtrl) }
