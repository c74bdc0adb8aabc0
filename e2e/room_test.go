package e2e

import (
	"context"
	"fmt"
	"math"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/require"
	"willowherb/core/setup"
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

// A graphics processor that lets go of everything is got over: it is said, and the picture
// comes back.
func TestALostGraphicsContextIsGotOver(t *testing.T) {
	b := open(t, shared(t).base, 1280, 800)
	b.settled()
	js[bool](b, `(window.lose = document.querySelector('canvas').getContext('webgl2').getExtension('WEBGL_lose_context'), window.lose.loseContext(), true)`)
	b.until("it is said", `document.querySelector('.waiting[role=alert]')?.textContent.includes('graphics processor')`)
	js[bool](b, `(window.lose.restoreContext(), true)`)
	b.until("the picture is back", `document.querySelector('canvas.ready') && !document.querySelector('.waiting')`)
	b.settled()
	sum := 0.0
	for _, v := range b.pixels() {
		sum += v
	}
	require.Greater(t, sum, 0.0, "it is not black")
}

// A light is put and aimed by numbers, in metres and degrees.
func TestALightStandsByNumbers(t *testing.T) {
	s := shared(t)
	b := open(t, s.base, 1280, 800)
	b.until("the bench", ready)
	b.click(`[data-light=keeper-key] .name`)
	b.until("opened", `document.querySelector('[aria-label="Keeper key x in x"]')`)
	was := s.document(1).Lights["keeper-key"]
	b.write("Keeper key x", "v + 0.5")
	s.keeps("moved", func(d *setup.Setup) bool {
		return math.Abs(d.Lights["keeper-key"].Position[0]-was.Position[0]-0.5) < 0.002
	})
	b.write("Keeper key raised", "-90")
	s.keeps("straight down", func(d *setup.Setup) bool {
		a := d.Lights["keeper-key"].Aim
		return a[1] < -0.999 && math.Abs(a[0]) < 0.01
	})
	for range 2 {
		b.do(chromedp.KeyEvent("z", chromedp.KeyModifiers(chromedp.ModifierCtrl)))
	}
	s.keeps("taken back", func(d *setup.Setup) bool {
		return d.Lights["keeper-key"].Position == was.Position && d.Lights["keeper-key"].Aim == was.Aim
	})
	b.click(`[data-light=keeper-key] .name`)
}
