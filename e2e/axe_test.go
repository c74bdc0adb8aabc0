package e2e

import (
	"os"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/require"
)

// violations asks the axe engine which rules of WCAG A and AA, and of its best practice, a
// screen breaks, and where.
func (b *tab) violations() []string {
	b.t.Helper()
	return js[[]string](b, `axe.run(document, { runOnly: { type: 'tag', values: ['wcag2a', 'wcag2aa', 'wcag21a', 'wcag21aa', 'wcag22aa', 'best-practice'] } }).then(r => r.violations.flatMap(v => v.nodes.slice(0, 6).map(n => v.id + ': ' + n.target.join(' ') + ' | ' + (n.any[0] ?? n.all[0] ?? n.none[0] ?? { message: '' }).message)))`, chromedp.EvalAwaitPromise)
}

// accessible holds the screen as it is to the rules of access.
func (b *tab) accessible() {
	b.t.Helper()
	if !js[bool](b, `typeof axe === 'object'`) {
		engine, err := os.ReadFile("../web/node_modules/axe-core/axe.min.js")
		require.NoError(b.t, err, "scripts/test installs it")
		js[bool](b, "("+"() => {"+string(engine)+"; return true})()")
	}
	require.Empty(b.t, b.violations())
}

// No screen and no panel breaks a rule of access.
func TestEveryScreenCanBeUsedByAll(t *testing.T) {
	engine, err := os.ReadFile("../web/node_modules/axe-core/axe.min.js")
	require.NoError(t, err, "scripts/test installs it")
	b := open(t, shared(t).base, 1280, 800)
	b.until("the bench", ready)
	js[bool](b, string(engine)+";true")
	check := func(what string) {
		t.Run(what, func(t *testing.T) {
			b.still()
			b.until("at rest", `document.getAnimations().length == 0`)
			// Panels that are fetched apart are there when something is in them.
			b.until("nothing on its way", `!document.querySelector('.panel') || document.querySelector('.panel').children.length > 1`)
			for _, v := range b.violations() {
				t.Error(v)
			}
		})
	}
	check("first screen")
	for _, p := range []struct{ what, key string }{{"plot", "L"}, {"rigs", "R"}, {"who lights whom", "Y"}, {"snapshots", "C"}, {"snags", "S"}, {"setups", "U"}, {"looks", "A"}, {"references", "I"}, {"history", "y"}} {
		b.do(chromedp.KeyEvent(p.key))
		b.until(p.what, `document.querySelector('.panel h2')?.textContent.toLowerCase() == '`+p.what+`'`)
		check(p.what)
		b.click(`.panel [aria-label=Close]`)
		b.until("closed", `!document.querySelector('.panel')`)
	}
	b.click(`[data-light=lantern] .name`)
	b.until("the light", `document.querySelector('.open-light')`)
	check("an open light")
	b.click(`[data-light=lantern] .name`)
	b.do(chromedp.KeyEvent("f", chromedp.KeyModifiers(chromedp.ModifierCtrl)))
	b.until("what can be asked for", `document.querySelector('.terms')`)
	check("what can be asked for")
	b.do(chromedp.KeyEvent("live spots"))
	b.until("what is asked for", `document.querySelectorAll('.terms .MuiChip-deleteIcon').length == 2`)
	check("what is asked for")
	b.do(chromedp.KeyEvent("\x1b"))
	b.click(`[data-testid=way]`)
	b.until("the ways", `document.querySelector('[role=menu]')`)
	check("a menu")
	b.do(chromedp.KeyEvent("\x1b"))
	b.until("the menu is gone", `!document.querySelector('[role=menu]')`)
	b.do(chromedp.KeyEvent("/"))
	b.until("the finder", `document.querySelector('.finder')`)
	check("the finder")
	b.do(chromedp.KeyEvent("\x1b"))
	b.until("the finder is gone", `!document.querySelector('.finder')`)
	b.do(chromedp.KeyEvent("?"))
	b.until("the keys", `document.querySelector('[role=dialog]')`)
	check("all keys")
	b.do(chromedp.KeyEvent("\x1b"))
	b.until("the keys are gone", `!document.querySelector('[role=dialog]')`)
	b.press(".round button", "Air")
	b.until("the day", `document.querySelector('.day-strip rect')`)
	check("air")
	b.press(".air button", "Lay fog")
	b.until("fog", `document.querySelector('.fog-profile')`)
	b.press(".air button", "a box")
	b.until("a box of it", `document.querySelector('.fog-box')`)
	check("air, with fog")
	b.press(".round button", "Picture")
	b.until("the grade", `document.querySelector('.slider-field') && !document.querySelector('.day-strip')`)
	b.press(".air button", "let it adapt …")
	b.press(".air button", "zones …")
	b.press(".air button", "a zone here")
	b.until("a zone", `document.querySelector('.fog-box')`)
	check("picture")
	b.click(`.round button:first-child`)
	b.until("the scene", `document.querySelector('.scene [role=tab]')`)
	for _, tab := range js[[]string](b, `[...document.querySelectorAll('.scene [role=tab]')].map(e => e.textContent)`) {
		js[bool](b, `([...document.querySelectorAll('.scene [role=tab]')].find(e => e.textContent == '`+tab+`').click(), true)`)
		b.until(tab, `[...document.querySelectorAll('.scene [role=tab]')].find(e => e.getAttribute('aria-selected') == 'true').textContent == '`+tab+`'`)
		check("scene, " + tab)
	}
	b.click(`.round button:nth-child(2)`)
	b.do(chromedp.KeyEvent("x"))
	b.until("the picture alone", `document.querySelector('.beside-nothing')`)
	check("the picture alone")
	b.do(chromedp.KeyEvent("b", chromedp.KeyModifiers(chromedp.ModifierCtrl)))
	b.until("with the Ledger as a strip", `document.querySelector('.beside-strip')`)
	check("a strip")
	b.do(chromedp.KeyEvent("b", chromedp.KeyModifiers(chromedp.ModifierCtrl)))
	b.until("all of the frame", `document.querySelector('.beside-frame')`)
	b.do(chromedp.Navigate(strings.TrimSuffix(js[string](b, `location.origin`), "/") + "/projects"))
	b.until("the projects", `document.querySelector('.project-card')`)
	js[bool](b, string(engine)+";true")
	check("projects")
	b.click(`.project-card`)
	b.until("the bench", ready)
	b.takeAllBack()
}
