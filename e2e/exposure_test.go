package e2e

import (
	"math"
	"math/bits"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/require"
	"willowherb/core/exposure"
	"willowherb/core/setup"
)

// Exposure is held by a camera's numbers, hot spots are named, the window is balanced by a
// proposal, automatic exposure is watched before it is trusted, a zone is taken; all of it is
// taken back.
func TestExposureByMouseAndKeys(t *testing.T) {
	s := shared(t)
	b := open(t, s.base, 1280, 800)
	b.settled()
	before := s.document(1)
	b.press(".round button", "Picture")
	b.until("a camera's numbers", `document.querySelector('[aria-label^="Sensitivity"]')`)
	b.write("Sensitivity", "800")
	want := exposure.OfCamera(2.8, 1.0/60, 800)
	s.keeps("its exposure", func(d *setup.Setup) bool { return math.Abs(d.Views["hall"].EV-want) < 0.01 })
	b.write("Aperture", "4")
	s.keeps("a stop darker", func(d *setup.Setup) bool {
		return math.Abs(d.Views["hall"].EV-want-2*math.Log2(4/2.8)) < 0.01 && d.Views["hall"].Aperture == 4
	})
	js[bool](b, `(document.querySelector('[aria-label="Exposure of hall"]').focus(), true)`)
	b.do(chromedp.KeyEvent(kb.ArrowLeft), chromedp.KeyEvent(kb.ArrowLeft))
	s.keeps("two tenths brighter by keys", func(d *setup.Setup) bool {
		return math.Abs(d.Views["hall"].EV-math.Round((want+2*math.Log2(4/2.8))*10-2)/10) < 0.06
	})

	b.write("Exposure of hall, number", "3.5")
	s.keeps("brighter", func(d *setup.Setup) bool { return d.Views["hall"].EV == 3.5 })
	b.until("hot spots by name", `[...document.querySelectorAll('.hot button')].some(e => e.textContent.includes('Sky dome'))`)
	b.until("the window", `document.querySelector('.balance button')`)
	b.click(`.balance button`)
	s.keeps("the sky is seen darker", func(d *setup.Setup) bool { return d.Lights["sky-dome"].Behind < -0.5 })
	b.until("it is in balance", `document.querySelector('[aria-label="Window over room"]')?.textContent.includes('In balance')`)

	b.press(".air button", "let it adapt …")
	b.write("Adapts to dark, number", "0.5")
	s.keeps("slower", func(d *setup.Setup) bool { return d.Auto != nil && d.Auto.ToDark == 0.5 })
	b.pick("Where it meters", "what is painted")
	b.until("a place to paint", `document.querySelector('.painted')`)
	b.click(".painted")
	painted := func(d *setup.Setup) (n int) {
		for _, r := range d.Auto.Painted {
			n += bits.OnesCount32(r)
		}
		return n
	}
	s.keeps("a place is painted", func(d *setup.Setup) bool { return d.Auto.Where == "painted" && painted(d) == 1 })
	js[bool](b, `(document.querySelector('.painted').focus(), true)`)
	b.do(chromedp.KeyEvent(kb.ArrowLeft), chromedp.KeyEvent(kb.ArrowLeft), chromedp.KeyEvent(" "))
	s.keeps("another by keys", func(d *setup.Setup) bool { return painted(d) == 2 })
	b.pick("Where it meters", "an object")
	b.pick("What is metered", "Keeper")
	s.keeps("the keeper is metered", func(d *setup.Setup) bool { return d.Auto.Where == "named" && d.Auto.Named == "Keeper" })
	b.press(".air button", "walk through the views")
	b.until("the plot", `document.querySelectorAll('[data-testid=walk-plot] path').length == 3`)

	b.press(".air button", "zones …")
	b.press(".air button", "a zone here")
	s.keeps("a zone", func(d *setup.Setup) bool { return len(d.Zones) == 1 })
	b.write("Hall, exposure", "5")
	s.keeps("of its own exposure", func(d *setup.Setup) bool { return d.Zones["hall"].EV == 5 })
	b.press(".air button", "Hall by zones")
	s.keeps("the view takes it", func(d *setup.Setup) bool { return d.Views["hall"].Zoned })
	b.until("and says so", `document.querySelector('.held').textContent.includes('EV 5.0')`)
	require.Equal(t, 3.5, s.document(1).Views["hall"].EV, "its own is kept")
	// The zone has a grade of its own, and the picture shows it as the server does.
	b.pick("Whose grade is changed", "Hall, as everywhere")
	b.write("Saturation, number", "0.3")
	s.keeps("of its own grade", func(d *setup.Setup) bool {
		return d.Grade == nil && d.Zones["hall"].Grade != nil && d.Zones["hall"].Grade.Saturation == 0.3
	})
	b.settled()
	mine, theirs := b.pixels(), b.served("")
	worst, spread := 0.0, 0.0
	for i := 0; i+2 < len(mine); i += 4 {
		for k := range 3 {
			worst = max(worst, math.Abs(mine[i+k]-theirs[i+k]))
		}
		spread = max(spread, mine[i]-mine[i+2])
	}
	require.LessOrEqual(t, worst, 2.0)
	require.Less(t, spread, 160.0, "its colours are weak")
	b.takeAllBack()
	s.keeps("all of it taken back", func(d *setup.Setup) bool { return len(d.Zones) == 0 && d.Auto == nil })
	require.Equal(t, before.Views, s.document(1).Views)
}
