package e2e

import (
	"fmt"
	"net/http"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/require"
)

// A final frame is asked for by keys, made on the queue while the bench goes on, looked at and
// taken away; a way needs two views.
func TestAFinalFrameIsMade(t *testing.T) {
	s := shared(t)
	b := open(t, s.base, 1280, 800)
	b.until("there", `document.querySelector('[data-light=lantern]')`)
	b.do(chromedp.KeyEvent("/"))
	b.until("the finder", `document.activeElement?.tagName == 'INPUT'`)
	b.do(chromedp.KeyEvent("final frames"), chromedp.KeyEvent(kb.Enter))
	b.until("the panel", `document.querySelector('[aria-label="Ask for final frames"]')`)
	b.press("[aria-label='Frames of'] [role=radio]", "way")
	b.until("one view is no way", `[...document.querySelectorAll('.final-ask button')].find(e => e.textContent.startsWith('Make'))?.disabled`)
	b.press(".final-way button", "Hall")
	b.press(".final-way button", "Keeper")
	b.until("two are, four seconds of 24", `[...document.querySelectorAll('.final-ask button')].some(e => e.textContent == 'Make 96 frames' && !e.disabled)`)
	b.click("[aria-label='Frames of'] [role=radio]")
	b.write("Samples of a pixel", "2")
	b.write("Passes", "2")
	b.choose("Size of the frames", "640 × 360")
	b.press(".final-ask button", "Make a frame")
	b.until("it is in the queue", `document.querySelector('[data-queued^=frames]')`)
	require.Contains(t, js[string](b, `document.querySelector('.final').textContent`), "640 × 360 · 2 samples")
	b.until("it can be looked at", `document.querySelector('.final-strip img')?.naturalWidth == 240`)
	b.until("done", `document.querySelector('.final').dataset.state == 'done' && !document.querySelector('[data-queued^=frames]')`)
	require.Contains(t, js[string](b, `document.querySelector('.final').textContent`), "error")
	href := js[string](b, `[...document.querySelectorAll('.final a')].find(e => e.textContent == 'EXR').getAttribute('href')`)
	r, err := http.Get(fmt.Sprint(s.base, href))
	require.NoError(t, err)
	defer r.Body.Close()
	require.Equal(t, 200, r.StatusCode)
	require.Contains(t, r.Header.Get("Content-Disposition"), "frame-0001.exr")
	b.accessible()
	b.press(".final button", "remove")
	b.until("gone", `!document.querySelector('.final')`)
}
