package e2e

import (
	"math"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/require"
	"willowherb/core/setup"
)

// Fog is laid, told what it costs, thinned by button, by keys and by number, given a layer,
// seen by itself; a light is kept out of it; all of it is taken back.
func TestFogByMouseAndKeys(t *testing.T) {
	s := shared(t)
	b := open(t, s.base, 1280, 800)
	b.settled()
	clear := b.pixels()
	b.press(".round button", "Air")
	b.until("clear air", `document.querySelector('[aria-label=Fog]')?.textContent.includes('The air is clear')`)
	b.press(".air button", "Lay fog")
	s.keeps("fog", func(d *setup.Setup) bool { return d.Fog != nil && d.Fog.Visibility == 800 })
	b.until("its cost", `parseFloat(document.querySelector('[data-testid=fog-cost] b')?.textContent) > 0`)
	b.until("the budget has it", `document.querySelector('.budget .stack').innerHTML.includes('Fog')`)
	b.settled()
	b.until("the picture is another one", `document.querySelector('[data-testid=refinement]').dataset.level >= 1`)
	foggy := b.pixels()
	var more float64
	for i := range foggy {
		more += foggy[i] - clear[i]
	}
	require.Greater(t, more/float64(len(foggy)), 1.0, "a bright haze lies in the hall")

	b.press(".fog button", "halve it")
	s.keeps("half of it", func(d *setup.Setup) bool { return d.Fog.Visibility == 1600 })
	js[bool](b, `(document.querySelector('[aria-label="Fog visibility"]').focus(), true)`)
	b.do(chromedp.KeyEvent(kb.ArrowLeft), chromedp.KeyEvent(kb.ArrowLeft))
	s.keeps("by keys", func(d *setup.Setup) bool { return math.Abs(d.Fog.Visibility-1600/1.21) < 1 })
	b.write("Fog halves every, number", "3")
	s.keeps("thinner above", func(d *setup.Setup) bool { return d.Fog.Halves == 3 })
	b.press(".fog button", "a layer")
	s.keeps("a layer", func(d *setup.Setup) bool { return d.Fog.Boxes["box-1"].Size == [3]float64{0, 0.8, 0} })
	b.write("Layer, visibility", "60")
	s.keeps("the layer's own", func(d *setup.Setup) bool { return d.Fog.Boxes["box-1"].Visibility == 60 })

	way := func(name string) {
		b.click("[data-testid=way]")
		item := `[...document.querySelectorAll('[role=menuitem]')].find(e => e.textContent.startsWith('` + name + `'))`
		b.until(name, item)
		js[bool](b, "("+item+".click(), true)")
	}
	way("Light in the air")
	b.settled()
	b.until("the air alone", `document.querySelector('[data-testid=way]').textContent.includes('Light in the air')`)
	way("Full picture")

	b.press(".round button", "Light")
	b.click(`[data-light=lantern] .name`)
	b.press(`[aria-label="Lantern in fog"] button`, "kept out")
	s.keeps("the lantern is kept out", func(d *setup.Setup) bool { return d.Lights["lantern"].NoAir })
	b.takeAllBack()
	s.keeps("all of it taken back", func(d *setup.Setup) bool { return d.Fog == nil && !d.Lights["lantern"].NoAir })
}

// A chrome and a grey ball are set by a click, say what arrives, follow the light, and are
// taken away; the open sky takes none.
func TestBallsAreSet(t *testing.T) {
	s := shared(t)
	b := open(t, s.base, 1280, 800)
	b.settled()
	b.press(".round button", "Air")
	b.press(".air button", "set a chrome and a grey ball")
	b.until("the tool", `document.querySelector('[data-tool=balls]')`)
	b.tap(0.3, 0.9) // the floor in the sun
	b.until("they are set", `document.querySelector('.balls-row img') && /from \d+°, \d+° high/.test(document.querySelector('.balls').textContent)`)
	told := js[string](b, `document.querySelector('.balls-row p').textContent`)
	b.press(".round button", "Light")
	b.click(`[data-light=low-sun] [aria-label="Low sun off"]`)
	s.keeps("the sun is off", func(d *setup.Setup) bool { return d.Lights["low-sun"].Off })
	b.until("they follow", `document.querySelector('.balls-row p').textContent != '`+told+`'`)
	js[bool](b, `(document.querySelector('[aria-label="Take the balls away"]').click(), true)`)
	b.until("they are gone", `!document.querySelector('.balls')`)
	b.takeAllBack()
}
