package e2e

import (
	"fmt"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/require"
)

// give puts a file with a text into a field for files, as a hand would.
func (b *tab) give(label, name, text string) {
	js[bool](b, fmt.Sprintf(`(() => {
		const d = new DataTransfer()
		d.items.add(new File([%q], %q))
		const i = document.querySelector('[aria-label="%s"]')
		i.files = d.files
		return i.dispatchEvent(new Event('change', { bubbles: true }))
	})()`, text, name, label))
}

// The budget bar opens into the sheet by a key; a device's timings are imported, what is left over is seen, and the
// fitted target is lit for; a broken file is told with its line.
func TestTimingsAreFitted(t *testing.T) {
	s := shared(t)
	b := open(t, s.base, 1280, 800)
	b.until("counted", `document.querySelector('[data-testid=budget]')`)
	js[bool](b, `(document.querySelector('.stack').focus(), true)`)
	b.do(chromedp.KeyEvent(kb.Enter))
	b.until("the sheet", `document.querySelector('[data-testid=sheet] .sheet-table')`)
	b.press(".budget-sheet .sheet-table button", "shadow maps")
	b.until("its formula", `document.querySelector('.formula')?.textContent.includes('casterTriangles *')`)
	b.accessible()
	for _, by := range []string{"lights", "groups", "features", "memory", "quality"} {
		b.press("[aria-label='The frame by'] [role=radio]", by)
		b.until(by, `document.querySelectorAll('[data-testid=sheet] .sheet-table tr').length > 2`)
	}
	require.Contains(t, js[string](b, `document.querySelector('[data-testid=sheet]').textContent`), "Sides of shadow maps")
	b.allow = append(b.allow, "422") // the browser logs a refused upload
	b.give("File of timings", "broken.csv", "camera,frame,pass,ms\nHall,0,fog,fast\n")
	b.until("told with its line", `document.body.textContent.includes('broken.csv, line 2')`)
	b.press(".MuiDialog-root button", "Close")
	b.until("closed", `!document.querySelector('.MuiDialog-root')`)
	js[bool](b, `(fetch([...document.querySelectorAll('.calibration a')].find(e => e.textContent == 'simulated timings').href).then(r => r.text()).then(t => { window.timings = t }), true)`)
	b.until("simulated timings", `window.timings`)
	csv := js[string](b, `window.timings`)
	require.Contains(t, csv, "camera,frame,pass,ms\nBoardwalk,0,")
	b.give("File of timings", "device.csv", csv)
	b.until("what is left over", `document.querySelector('[data-testid=residuals]')`)
	text := js[string](b, `document.querySelector('[data-testid=residuals]').textContent`)
	require.Contains(t, text, "A frame that was not seen is said")
	require.Equal(t, 5.0, js[float64](b, `document.querySelectorAll('[aria-label="Residuals by camera"] tbody tr').length`))
	require.Equal(t, 10.0, js[float64](b, `document.querySelectorAll('[aria-label="Residuals by pass"] tbody tr').length`))
	before := js[string](b, `document.querySelector('[data-testid=budget]').textContent`)
	b.press("[data-testid=residuals] button", "light for Console, 60 frames, measured")
	b.until("the bar goes by it", fmt.Sprintf(`document.querySelector('.budget b').textContent.includes('measured') && document.querySelector('[data-testid=budget]')?.textContent != %q`, before))
	b.do(chromedp.KeyEvent("z", chromedp.KeyModifiers(chromedp.ModifierCtrl)))
	b.until("undone as one", fmt.Sprintf(`!document.querySelector('.budget b').textContent.includes('measured') && document.querySelector('[data-testid=budget]')?.textContent == %q`, before))
}

// The route is walked by a key; the worst steps are stood on by key and by mouse; savings bring the dear view under its
// limit as one edit, the picture is compared, and all of it is taken back.
func TestTheRouteIsWalkedAndSavingsTaken(t *testing.T) {
	s := shared(t)
	b := open(t, s.base, 1280, 800)
	b.until("counted", `document.querySelector('[data-testid=budget]')`)
	b.press(".round button", "Walk")
	b.until("the step", `document.querySelector('[aria-label=Walk] [aria-label=Route]')`)
	b.do(chromedp.KeyEvent("m", chromedp.KeyModifiers(chromedp.ModifierCtrl)))
	b.until("walked", `document.querySelector('[data-testid=walk-plan]') && document.querySelector('[data-found]')`)
	require.Contains(t, js[string](b, `document.querySelector('[aria-label="Found on the way"]').textContent`), "Hardly any light, culvert")
	b.do(chromedp.KeyEvent(","))
	b.until("stands where the first rule is broken", `document.querySelector('[aria-label=Here]') && document.querySelector('.walk-found .chosen')`)
	require.Contains(t, js[string](b, `document.querySelector('.held').textContent`), "on the route")
	b.accessible()
	b.press("[aria-label='Found on the way'] button", "the dearest step")
	dear := `document.querySelector('[aria-label=Here] .quiet').textContent`
	first := js[string](b, dear)
	js[bool](b, `(document.querySelector('[aria-label="Place on the route"]').focus(), true)`)
	b.do(chromedp.KeyEvent(kb.Home))
	b.until("by keys along the way", `document.querySelector('[aria-label="Place on the route"]').getAttribute('aria-valuenow') == '0'`)
	require.NotEqual(t, first, js[string](b, dear))
	b.click("[data-testid=walk-plan]")
	b.until("a click on the plan", `document.querySelector('[aria-label="Place on the route"]').getAttribute('aria-valuenow') != '0'`)

	// Walked in the picture, until the hand moves the eye: it has it then, and can go back to where it left.
	b.press("[aria-label=Walk] button", "go")
	playing := `[...document.querySelectorAll('[aria-label=Route] button')].some(e => e.textContent == 'stop')`
	b.until("goes", playing)
	x, y := b.in(0.5, 0.5)
	b.pull("right", x, y, x+60, y)
	b.until("the hand has it", `!`+playing+` && document.querySelector('[data-testid=left-route]')`)
	b.press("[data-testid=left-route] button", "back to it")
	b.until("it stands there again", `document.querySelector('[aria-label=Here]')`)
	// The bar tells what the frame costs where one stands.
	cost := func(at string) float64 {
		return js[float64](b, `parseFloat(document.querySelector('`+at+`').textContent)`)
	}
	b.until("where it stands", `document.querySelector('[data-testid=budget]').title.includes('your eye') && Math.abs(parseFloat(document.querySelector('[data-testid=budget]').textContent) - parseFloat([...document.querySelectorAll('[aria-label=Here] .walk-bar .value')].at(-1).textContent)) < 0.25`)
	require.Positive(t, cost("[data-testid=budget]"))

	// Stops are drawn on the plan: dragged, moved by keys, taken away, put.
	b.press("[aria-label=Walk] button", "stops")
	all := `document.querySelectorAll('[data-testid=walk-draw] .stop').length`
	b.until("the stops", all+` == 18`)
	b.accessible()
	hall := `[aria-label="Stop 8"]`
	at := func() float64 { return js[float64](b, `Number(document.querySelector('`+hall+`').getAttribute('cx'))`) }
	edited := func(words string) string {
		return `document.querySelector('[data-testid=undo]').textContent.includes('` + words + `')`
	}
	was, p := at(), b.box(hall)
	b.pull("left", p.X+p.W/2, p.Y+p.H/2, p.X+p.W/2-8, p.Y+p.H/2+4)
	b.until("dragged", edited("stop 8 moved"))
	dragged := at()
	require.Less(t, dragged, was-0.5)
	js[bool](b, `(document.querySelector('`+hall+`').focus(), true)`)
	b.do(chromedp.KeyEvent(kb.ArrowRight))
	b.until("moved by a key", fmt.Sprintf(`Math.abs(Number(document.querySelector('%s').getAttribute('cx')) - %g) < 0.02`, hall, dragged+0.25))
	b.do(chromedp.KeyEvent(kb.Delete))
	b.until("taken away", all+` == 17`)
	b.until("told", edited("stop 8 removed"))
	q := b.box("[data-testid=walk-draw]")
	b.mouse("mousePressed", q.X+q.W*0.2, q.Y+q.H*0.3, "left")
	b.mouse("mouseReleased", q.X+q.W*0.2, q.Y+q.H*0.3, "left")
	b.until("put on the ground", all+` == 18`)
	here := func(x float64) string {
		return fmt.Sprintf(`Number(document.querySelector('%s')?.getAttribute('cx')) == %g`, hall, x)
	}
	for _, so := range []string{all + ` == 17`, all + ` == 18`, here(dragged), here(was)} {
		b.do(chromedp.KeyEvent("z", chromedp.KeyModifiers(chromedp.ModifierCtrl)))
		b.until("taken back", so)
	}
	b.press("[aria-label=Walk] button", "light")

	js[bool](b, `(document.querySelectorAll('.shelf button')[2].click(), true)`)
	b.until("over its limit", `document.querySelector('.budget').textContent.includes('over by')`)
	b.press("[aria-label=Savings] button", "in Keeper")
	b.until("changes with what they save", `document.querySelector('.walk-savings .chosen')`)
	b.until("take them", `[...document.querySelectorAll('[aria-label=Savings] button')].find(e => e.textContent.startsWith('take'))`)
	js[bool](b, `([...document.querySelectorAll('[aria-label=Savings] button')].find(e => e.textContent.startsWith('take')).click(), true)`)
	b.until("under it", `document.querySelector('.budget').textContent.includes('left here')`)
	b.until("compared", `document.querySelector('[data-testid=splits] [aria-pressed=true], [data-testid=splits] [aria-checked=true]')`)
	b.do(chromedp.KeyEvent("z", chromedp.KeyModifiers(chromedp.ModifierCtrl)))
	b.until("all of it taken back", `document.querySelector('.budget').textContent.includes('over by')`)
}
