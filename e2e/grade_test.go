package e2e

import (
	"bytes"
	"math"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/require"
	"willowherb/core/setup"
	"willowherb/format/cube"
)

// The grade by mouse and keys: what the browser shows is what the server composes, to two
// code values in 255; a neutral is picked and is grey; the grade goes out as a table, and is
// taken back.
func TestTheGradeByMouseAndKeys(t *testing.T) {
	s := shared(t)
	b := open(t, s.base, 1280, 800)
	b.settled()
	b.press(".round button", "Picture")
	b.until("the step", `document.querySelector('.slider-field')`)
	b.write("Contrast, number", "1.25")
	s.keeps("contrast", func(d *setup.Setup) bool { return d.Grade != nil && d.Grade.Contrast == 1.25 })
	js[bool](b, `(document.querySelector('input[type=range][aria-label=Saturation]').focus(), true)`)
	b.do(chromedp.KeyEvent(kb.ArrowLeft), chromedp.KeyEvent(kb.ArrowLeft))
	s.keeps("saturation by keys", func(d *setup.Setup) bool { return math.Abs(d.Grade.Saturation-0.9) < 1e-9 })
	b.write("Shadows, blue", "0.01")
	b.write("Middles, number", "1.1")
	b.write("Lights, red", "v*1.2")
	s.keeps("shadows, middles and lights", func(d *setup.Setup) bool {
		return d.Grade.Lift[2] == 0.01 && d.Grade.Gamma == [3]float64{1.1, 1.1, 1.1} && d.Grade.Gain[0] == 1.2
	})
	b.press(".air [role=radio]", "film")
	b.write("Film steep, number", "1.5")
	s.keeps("a film's curve", func(d *setup.Setup) bool { return d.Curve == "film 1.50 6" })
	b.write("Reds, turn", "25")
	b.write("Blues, saturation", "1.6")
	s.keeps("two ranges of hue", func(d *setup.Setup) bool {
		h := d.Grade.Hues
		return h != nil && h[0].Turn == 25 && h[0].Saturation == 1 && h[4].Saturation == 1.6
	})
	b.do(chromedp.Click(".curve"))
	s.keeps("a press on the curve adds a point", func(d *setup.Setup) bool { return d.Grade.Curves != nil && len(d.Grade.Curves.All) == 3 })
	b.write("Point, becomes", "64")
	s.keeps("a point by its number", func(d *setup.Setup) bool { return d.Grade.Curves.All[1][1] == 0.64 })
	b.press("[aria-label='Curve of'] [role=radio]", "blue")
	js[bool](b, `(document.querySelector('.curve circle').focus(), true)`)
	b.do(chromedp.KeyEvent(kb.ArrowUp), chromedp.KeyEvent(kb.ArrowUp), chromedp.KeyEvent(kb.ArrowUp))
	s.keeps("a point by keys", func(d *setup.Setup) bool { return len(d.Grade.Curves.Blue) == 2 && d.Grade.Curves.Blue[0][1] == 0.03 })
	b.write("Aperture", "0.7")
	s.keeps("a wide lens", func(d *setup.Setup) bool { return d.Views["hall"].Aperture == 0.7 })
	b.write("Exposure of hall, number", "4.3")
	s.keeps("as bright as before", func(d *setup.Setup) bool { return d.Views["hall"].EV == 4.3 })
	b.press(".air button", "click what is sharp")
	b.until("the tool", `document.querySelector('[data-tool=focus]')`)
	b.tap(0.56, 0.55) // a pump
	s.keeps("focused by a click", func(d *setup.Setup) bool { return d.Views["hall"].Focus > 5 && d.Views["hall"].Focus < 12 })
	b.pick("What the focus follows", "Keeper")
	s.keeps("focused on the keeper", func(d *setup.Setup) bool { return d.Views["hall"].FocusOn == "Keeper" })
	b.press(".air button", "show focus")
	b.until("it is shown", `[...document.querySelectorAll('.air .on-off')].some(e => e.textContent == 'focus shown')`)
	b.press(".air button", "focus shown")
	b.write("Corners, number", "60")
	s.keeps("corners", func(d *setup.Setup) bool { return d.Grade.Corners == 0.6 })
	b.write("Vignette, number", "1.5")
	b.write("Grain, number", "4")
	b.write("Bloom, number", "20")
	b.write("Bloom from, number", "1")
	s.keeps("vignette, grain and bloom", func(d *setup.Setup) bool {
		return d.Grade.Vignette == 1.5 && math.Abs(d.Grade.Grain-0.04) < 1e-9 && math.Abs(d.Grade.Bloom-0.2) < 1e-9 && d.Grade.BloomFrom == 1
	})
	b.press(".air button", "pick a neutral")
	b.until("the tool", `document.querySelector('[data-tool=neutral]')`)
	b.settled()
	b.tap(0.3, 0.9) // the floor in the sun
	s.keeps("a neutral is picked", func(d *setup.Setup) bool { return d.Grade.White != nil })
	b.write("White tint, number", "12")
	s.keeps("a tint", func(d *setup.Setup) bool { return d.Grade.White[1]/math.Sqrt(d.Grade.White[0]*d.Grade.White[2]) > 1.02 })
	b.until("it is told", `[...document.querySelectorAll('.air .word')].some(e => e.textContent == 'as it is')`)
	// A table of colour comes last: one that turns the primaries round and bends them.
	var bad, good bytes.Buffer
	bad.WriteString("LUT_3D_SIZE 2\n0 0\n")
	require.NoError(t, cube.Made("twist", 17, func(c [3]float64) [3]float64 {
		return [3]float64{0.7*c[0] + 0.3*c[1]*c[1], math.Sqrt(c[1]), 0.8*c[2] + 0.2*c[0]}
	}).Write(&good))
	b.allow = append(b.allow, "422")
	b.do(chromedp.SetUploadFiles(`[data-testid=table-file]`, []string{write(t, "cut.cube", bad.Bytes())}))
	b.until("a bad one is told", `document.querySelector('[role=dialog]')?.textContent.includes('ut.cube')`)
	b.do(chromedp.KeyEvent(kb.Escape))
	b.do(chromedp.SetUploadFiles(`[data-testid=table-file]`, []string{write(t, "twist.cube", good.Bytes())}))
	s.keeps("a table", func(d *setup.Setup) bool { return d.Grade.Table != nil && d.Grade.Table.File == "twist.cube" })
	b.write("Table amount, number", "80")
	s.keeps("as far as it holds", func(d *setup.Setup) bool { return d.Grade.Table.Amount == 0.8 })
	b.settled()
	mine, theirs := b.pixels(), b.served("")
	require.Equal(t, len(theirs), len(mine))
	worst := 0.0
	for i := range mine {
		worst = max(worst, math.Abs(mine[i]-theirs[i]))
	}
	require.LessOrEqual(t, worst, 2.0)
	dark := 0
	for i := 0; i+2 < len(mine); i += 4 {
		if mine[i+1] < 128 {
			dark++
		}
	}
	require.Greater(t, dark, len(mine)/16, "there is something to see")

	table := js[string](b, `fetch('/api/setups/1/grade.cube').then(r => r.text())`, chromedp.EvalAwaitPromise)
	require.Contains(t, table, "LUT_3D_SIZE 33")
	b.press(".air button", "leave the grade out")
	s.keeps("no grade", func(d *setup.Setup) bool { return d.Grade == nil })
	b.do(chromedp.KeyEvent("z", chromedp.KeyModifiers(chromedp.ModifierCtrl)))
	s.keeps("and back", func(d *setup.Setup) bool { return d.Grade != nil && d.Grade.White != nil })
}
