package e2e

import (
	"fmt"
	"math"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/require"
	"willowherb/core/setup"
)

// step presses an arrow key so many times: coarse steps of a fiftieth of the picture, or fine
// ones of a tenth of that.
func (b *tab) step(key string, times int, fine bool) {
	b.t.Helper()
	for range times {
		if fine {
			b.do(chromedp.KeyEvent(key, chromedp.KeyModifiers(chromedp.ModifierShift)))
		} else {
			b.do(chromedp.KeyEvent(key))
		}
	}
}

// pointAt moves the crosshair from a place in the picture to another, by keys.
func (b *tab) pointAt(fromX, fromY, toX, toY float64) {
	b.t.Helper()
	for _, d := range []struct {
		by         float64
		less, more string
	}{{toX - fromX, kb.ArrowLeft, kb.ArrowRight}, {toY - fromY, kb.ArrowUp, kb.ArrowDown}} {
		key := d.more
		if d.by < 0 {
			key = d.less
		}
		n := int(math.Round(math.Abs(d.by) / 0.002))
		b.step(key, n/10, false)
		b.step(key, n%10, true)
	}
}

// All that a mouse does in the picture can be done by keys: choose, weigh, pin, pull a handle.
func TestThePictureByKeysAlone(t *testing.T) {
	s := shared(t)
	b := open(t, s.base, 1280, 800)
	b.settled()
	b.until("the place is known", `document.querySelector('[data-testid=overlay]')`)
	b.do(chromedp.KeyEvent("."))
	b.until("the picture has the keys", `document.activeElement.id == 'picture'`)
	b.step(kb.ArrowRight, 1, false) // it comes to the middle
	b.until("the crosshair", `document.querySelector('.crosshair')`)
	b.pointAt(0.5, 0.5, 0.57, 0.72)
	b.do(chromedp.KeyEvent(kb.Enter))
	b.until("the keeper's contrast", `document.querySelector('.figure-line')?.textContent.includes('Keeper')`)
	b.do(chromedp.KeyEvent("p"))
	b.until("a pin", `document.querySelector('.pins .line')?.textContent.includes('lx')`)

	// The lantern's handle is pulled by Space, arrows and Space.
	b.row("lantern")
	b.until("its handle", `document.querySelector('[data-handles=lantern] [data-grip=position]')`)
	before := s.document(1).Lights["lantern"].Position
	grip := js[[]float64](b, `(() => { const p = document.getElementById('picture').getBoundingClientRect(), g = document.querySelector('[data-handles=lantern] [data-grip=position]').getBoundingClientRect(); return [(g.x + g.width / 2 - p.x) / p.width, (g.y + g.height / 2 - p.y) / p.height] })()`)
	b.do(chromedp.KeyEvent("."))
	b.pointAt(0.57, 0.72, grip[0], grip[1])
	b.do(chromedp.KeyEvent(" "))
	b.until("held", `document.querySelector('.crosshair.held')`)
	b.step(kb.ArrowRight, 2, false)
	b.do(chromedp.KeyEvent(" "))
	s.keeps("the lantern moved", func(d *setup.Setup) bool { return d.Lights["lantern"].Position != before })
	moved := s.document(1).Lights["lantern"].Position
	require.NotEqual(t, before, moved)
	// Escape while it is held drops it.
	b.do(chromedp.KeyEvent(" "))
	b.step(kb.ArrowRight, 2, false)
	b.do(chromedp.KeyEvent(kb.Escape))
	b.until("let go", `!document.querySelector('.crosshair.held')`)
	b.do(chromedp.KeyEvent("z", chromedp.KeyModifiers(chromedp.ModifierCtrl)))
	s.keeps(fmt.Sprint("back at ", before), func(d *setup.Setup) bool { return d.Lights["lantern"].Position == before })
}

// The Ledger is one stop of the Tab key: rows are reached by arrows, and what is in the
// row by Tab.
func TestTheLedgerIsOneTabStop(t *testing.T) {
	b := open(t, shared(t).base, 1280, 800)
	b.until("the bench", ready)
	require.Equal(t, 1, js[int](b, `document.querySelectorAll('.ledger [data-row][tabindex="0"]').length`))
	b.row("lantern")
	require.Equal(t, "lantern", js[string](b, `document.querySelector('.ledger [data-row][tabindex="0"]').dataset.light`))
	b.do(chromedp.KeyEvent(kb.ArrowDown))
	b.until("the next row", `document.activeElement.dataset.light == 'keeper-key'`)
	b.do(chromedp.KeyEvent(kb.Tab))
	require.True(t, js[bool](b, `document.activeElement.closest('[data-light]')?.dataset.light == 'keeper-key'`), "Tab goes into the row")
	require.Zero(t, js[int](b, `[...document.querySelectorAll('.ledger [data-row][tabindex="-1"] :is(button, input)')].filter(e => e.tabIndex >= 0).length`), "nothing in other rows is on the way")
}
