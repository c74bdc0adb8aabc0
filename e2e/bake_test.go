package e2e

import (
	"strconv"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"willowherb/core/setup"
)

// A draft is baked from the screen, with its progress, a pause and a look at what the target
// would show; its texels are seen by density; the probe ball goes through the culvert by keys; a
// baked light is rebalanced without a new bake; a lamp is moved, and only its layers are made.
func TestABakeByMouseAndKeys(t *testing.T) {
	s := shared(t)
	b := open(t, s.base, 1280, 800)
	b.settled()
	b.press(".round button", "Bake")
	b.until("the step", `document.querySelector('[data-testid=bake-work]')`)
	b.click(`[aria-label="Directional lightmap"]`)
	b.click(`[aria-label="Bake occlusion"]`)
	b.write("Occlusion looks so far", "1.5")
	s.keeps("what is baked besides", func(d *setup.Setup) bool { return d.Bake.Directional && d.Bake.Occlusion == 1.5 })
	b.press("[data-testid=bake-work] button", "bake a draft")
	state := func(what, of string) {
		b.until(what, `document.querySelector('[data-testid=bake-work]')?.dataset.state === '`+of+`'`)
	}
	b.until("objects are worked at", `/of \d+ objects/.test(document.querySelector('[data-testid=bake-work]').textContent)`)
	b.press("[data-testid=bake-work] button", "pause")
	state("it pauses", "paused")
	b.press("[data-testid=bake-work] button", "go on")
	state("it is done", "done")
	b.until("the map by objects", `document.querySelectorAll('.bake tbody tr').length >= 7`)
	b.until("its pages", `document.querySelector('.bake-pages img')?.naturalWidth > 0`)
	b.until("what it differs by, and why", `parseFloat(document.querySelector('[data-testid=bake-against] .card-head span:last-child')?.textContent) > 0`)

	b.press("[aria-label=Pages] button", "occlusion")
	b.until("occlusion over the picture", `document.querySelector('[data-testid=bake-over]')?.dataset.show === 'occlusion'`)
	b.until("each kind of finding once, with its places", `(() => { const all = [...document.querySelectorAll('.bake-found b')].map(e => e.textContent); return all.length > 2 && new Set(all).size === all.length })()`)
	b.press(".bake-found button", "probe ball there")
	b.until("the ball is where probes are wrong", `document.querySelector('[data-testid=probe-ball]')`)
	b.accessible()
	b.press(`[aria-label="Probe field"] button`, "probe ball")
	b.press("[aria-label=Pages] button", "texels")
	b.until("texels over the picture", `document.querySelector('[data-testid=bake-over]')?.dataset.show === 'texels'`)
	js[bool](b, `(document.querySelector('[aria-label="Bake over the picture"]').focus(), true)`)
	b.do(chromedp.KeyEvent(kb.ArrowLeft), chromedp.KeyEvent(kb.ArrowLeft))
	b.until("the line by keys", `document.querySelector('[aria-label="Bake over the picture"]').getAttribute('aria-valuenow') === '46'`)
	b.press("[data-testid=bake-against] button", "difference")
	b.until("the difference", `document.querySelector('[data-testid=bake-over]')?.dataset.show === 'difference'`)
	b.press("[data-testid=bake-against] button", "difference")
	b.until("taken away again", `!document.querySelector('[data-testid=bake-over]')`)

	b.press(`[aria-label="Probe field"] button`, "show them")
	b.until("probes in the picture", `document.querySelectorAll('[data-testid=bake-dots] circle').length > 20`)
	b.press(`[aria-label="Probe field"] button`, "probe ball")
	b.until("the ball tells", `document.querySelector('[data-testid=bake-ball]')?.dataset.told === 'yes'`)
	before := js[string](b, `document.querySelector('[data-testid=bake-ball] tbody').textContent`)
	js[bool](b, `(document.querySelector('[data-testid=probe-ball] [role=slider]').focus(), true)`)
	for range 4 {
		b.do(chromedp.KeyEvent(kb.ArrowLeft))
	}
	b.until("it tells another light there", `document.querySelector('[data-testid=bake-ball] tbody').textContent !== `+strconv.Quote(before))

	// A level is live until delivery; a place is not.
	b.press(".round button", "Light")
	js[bool](b, `(document.querySelector('[data-light=culvert-lamp] [aria-label*="stops"]').focus(), true)`)
	b.do(chromedp.KeyEvent(kb.ArrowUp))
	s.keeps("the culvert lamp is brighter", func(d *setup.Setup) bool { return d.Lights["culvert-lamp"].Stops > 0 })
	b.press(".round button", "Bake")
	b.until("no new bake is needed", `/Culvert lamp \+[\d.]+ stops since the bake: no new bake needed/.test(document.querySelector('[aria-label="Since the bake"]').textContent)`)
	b.press(".round button", "Light")
	b.click(`[data-light=pump-lamp-3] .name`)
	at := s.document(1).Lights["pump-lamp-3"].Position[1]
	b.write("Pump lamp 3 y", strconv.FormatFloat(at-0.5, 'f', 2, 64))
	s.keeps("the lamp is lower", func(d *setup.Setup) bool { return d.Lights["pump-lamp-3"].Position[1] < at-0.4 })
	b.press(".round button", "Bake")
	b.until("it says why", `document.querySelector('[aria-label="Since the bake"]').textContent.includes('Pump lamp 3 was moved')`)
	b.press("[data-testid=bake-work] button", "bake what changed")
	b.until("it works again", `document.querySelector('[data-testid=bake-work]').dataset.state !== 'done'`)
	state("what changed is done", "done")
	b.until("it is as the setup is", `!document.querySelector('[aria-label="Since the bake"]').textContent.includes('was moved')`)
	b.until("it tells what share was made anew", `/^.*\d+ of \d+ layers were made anew, in \d+ % of the /.test(document.querySelector('[data-testid=bake-work]').textContent)`)
	b.takeAllBack()
}
