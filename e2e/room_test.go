package e2e

import (
	"context"
	"fmt"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/require"
	"willowherb/core/vec"
	"willowherb/core/world"
	"willowherb/demo"
	"willowherb/format/gltf"
)

// The hand may drag and wheel as it likes: the eye stays under the hall's roof, and goes
// through it only where that is chosen.
func TestTheEyeStaysInTheRoom(t *testing.T) {
	glb, err := demo.Place()
	require.NoError(t, err)
	s, err := gltf.Read(context.Background(), "p.glb", glb, nil, gltf.DefaultLimits())
	require.NoError(t, err)
	w, err := world.Compile(s, 2)
	require.NoError(t, err)
	b := open(t, shared(t).base, 1280, 800)
	b.settled()
	b.until("the place is known", `document.querySelector('[data-testid=overlay]')`)
	roofed := func() bool {
		e := js[[]float64](b, `document.querySelector('[data-testid=picture-frame]').dataset.eye.split(' ').map(Number)`)
		_, ok := w.Probe(vec.New(e[0], e[1], e[2]), vec.V3{Y: 1}, world.Sight{})
		return ok
	}
	require.True(t, roofed())
	about := func() {
		for range 3 {
			x0, y0 := b.in(0.55, 0.5)
			x1, y1 := b.in(0.02, 0.45)
			b.pull("right", x0, y0, x1, y1)
			b.pull("right", x0, y0, x1, y1, chromedp.ModifierShift)
		}
	}
	about()
	require.True(t, roofed(), "round the pump")
	x, y := b.in(0.1, 0.2)
	for range 25 {
		js[bool](b, fmt.Sprintf(`document.getElementById('picture').dispatchEvent(new WheelEvent('wheel', { deltaY: -300, clientX: %g, clientY: %g, bubbles: true, cancelable: true })) || true`, x, y))
	}
	b.until("at rest", `document.querySelector('[data-testid=refinement]').dataset.moving == 'false'`)
	require.True(t, roofed(), "towards a wall")
	b.do(chromedp.KeyEvent("r"))
	b.do(chromedp.KeyEvent("/"))
	b.until("the finder", `document.activeElement?.getAttribute('aria-label') == 'Find a command'`)
	b.do(chromedp.KeyEvent("surfaces stop\r"))
	b.until("the finder is gone", `!document.querySelector('.finder')`)
	for i := 0; i < 10 && roofed(); i++ {
		x0, y0 := b.in(0.55, 0.5)
		x1, y1 := b.in(0.02, 0.45)
		b.pull("right", x0, y0, x1, y1, chromedp.ModifierShift)
		b.until("at rest", `document.querySelector('[data-testid=refinement]').dataset.moving == 'false'`)
	}
	require.False(t, roofed(), "through the wall, where that is chosen")
	js[bool](b, `(localStorage.removeItem('willowherb.solid'), true)`)
}
