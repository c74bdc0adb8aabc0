package e2e

import (
	"strings"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/require"
	"willowherb/core/looks"
	"willowherb/core/setup"
)

// A storm is made of the ebb dusk, by mouse and by keys: the setup stays as it is, the look says
// what it changes, an edit of every look is every look's, two are blended, and all of it is
// taken back.
func TestAStormIsMadeOfTheEbbDusk(t *testing.T) {
	s := shared(t)
	b := open(t, s.base, 1280, 800)
	b.settled()
	before := s.document(1)
	b.press("[data-testid=look]", "Ebb dusk ▾")
	b.press("[role=menuitem]", "All looks …")
	b.until("the looks", `document.querySelectorAll('.look-list li').length === 3`)
	b.press(".looks button", "New look …")
	b.until("its name is asked for", `document.querySelector('[role=dialog] input')`)
	b.do(chromedp.KeyEvent("Squall\r"))
	s.keeps("a look that changes nothing", func(d *setup.Setup) bool { return d.Look == "squall" && len(d.Looks["squall"].Overrides) == 0 })
	b.until("it is told", `document.querySelector('[data-testid=look]').textContent.includes('Squall')`)

	// By mouse and keys on the rows: what changes goes to the look.
	b.click(`[data-light=low-sun] [aria-label="Low sun off"], [data-light=low-sun] .power`)
	s.keeps("the sun is off in it", func(d *setup.Setup) bool { _, ok := d.Looks["squall"].Overrides["/lights/low-sun/off"]; return ok })
	b.drag("sky-dome", -1)
	s.keeps("and less sky", func(d *setup.Setup) bool {
		o := d.Looks["squall"].Overrides["/lights/sky-dome/stops"]
		return o.Stops != nil && *o.Stops < -0.5
	})
	b.press(".round button", "Air")
	b.press(".air button", "Lay fog")
	s.keeps("and fog", func(d *setup.Setup) bool { return d.Looks["squall"].Overrides["/fog"].Set != nil && d.Fog == nil })
	b.write("Fog visibility, number", "150")
	s.keeps("thicker", func(d *setup.Setup) bool {
		return strings.Contains(looks.Sentence(d, "squall"), "fog 150 m") && len(d.Looks["squall"].Overrides) == 3
	})
	now := s.document(1)
	require.Equal(t, before.Lights, now.Lights, "the setup is as it was")
	require.Contains(t, looks.Sentence(now, "squall"), "Low sun off")
	require.Contains(t, looks.Sentence(now, "squall"), "fog 150 m")
	b.until("the sentence is shown", `document.querySelector('[data-look=squall]').textContent.includes('fog 150 m')`)

	// What goes to every look is the setup's.
	b.press(".round button", "Light")
	b.press("[data-testid=changes-go]", "this look")
	b.drag("pump-lamp-1", 1)
	s.keeps("for every look", func(d *setup.Setup) bool {
		return d.Lights["pump-lamp-1"].Stops > before.Lights["pump-lamp-1"].Stops+0.3
	})

	// Between two: tried, then kept.
	js[bool](b, `(document.querySelector('[aria-label="Blend share"]').focus(), true)`)
	b.do(chromedp.KeyEvent(kb.ArrowRight))
	b.press(".look-part button", "keep as a look")
	s.keeps("a fifth look of both", func(d *setup.Setup) bool { return len(d.Looks) == 4 && len(d.Looks[d.Look].Overrides) > 0 })

	// Merged back while another is worn: the setup is what the look was.
	js[bool](b, `([...document.querySelectorAll('[data-look=squall] button')].find(e => e.textContent == 'merge back').click(), true)`)
	s.keeps("merged back", func(d *setup.Setup) bool {
		return d.Look == "" && d.Lights["low-sun"].Off && d.Fog != nil && d.Fog.Visibility == 150 && len(d.Looks["squall"].Overrides) == 0
	})
	b.do(chromedp.KeyEvent("z", chromedp.KeyModifiers(chromedp.ModifierCtrl)))
	s.keeps("and not", func(d *setup.Setup) bool { return !d.Lights["low-sun"].Off && d.Fog == nil })

	// The server has it before the window: a press before that would find the setup worn already.
	b.until("the look is worn again", `!document.querySelector('[data-look=""]').classList.contains('on')`)
	b.click(`[data-look=""] button`)
	s.keeps("without a look", func(d *setup.Setup) bool { return d.Look == "" })
	b.takeAllBack()
	s.keeps("all of it taken back", func(d *setup.Setup) bool { return len(d.Looks) == 2 })
	require.Equal(t, before.Lights, s.document(1).Lights)
}
