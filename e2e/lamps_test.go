package e2e

import (
	"fmt"
	"math"
	"os"
	"path/filepath"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/require"
	"willowherb/core/photometry"
	"willowherb/core/setup"
	"willowherb/format/ies"
)

// tap clicks a place of the picture.
func (b *tab) tap(x, y float64) {
	b.t.Helper()
	px, py := b.in(x, y)
	b.mouse("mouseMoved", px, py, "none")
	b.mouse("mousePressed", px, py, "left")
	b.mouse("mouseReleased", px, py, "left")
}

// press clicks the button with these words in the part of the page that a selector finds.
func (b *tab) press(within, words string) {
	b.t.Helper()
	find := fmt.Sprintf(`[...document.querySelectorAll(%q)].find(e => e.textContent.trim() === %q)`, within, words)
	b.until(words, find)
	js[bool](b, "("+find+".click(), true)")
}

// pick takes a choice of a select by keys.
func (b *tab) pick(label, words string) {
	b.t.Helper()
	find := fmt.Sprintf(`document.querySelector('[aria-label=%q]')?.closest('.MuiInputBase-root').querySelector('[role=combobox]')`, label)
	b.until(label, find)
	js[bool](b, "("+find+".focus(), true)")
	b.do(chromedp.KeyEvent(kb.ArrowDown))
	b.press("[role=option]", words)
	b.until("it is shut", `!document.querySelector('[role=listbox]')`)
}

// write types a value into the field with a label.
func (b *tab) write(label, value string) {
	b.t.Helper()
	find := fmt.Sprintf(`document.querySelector('[aria-label^=%q]')`, label)
	b.until(label, find)
	js[bool](b, "("+find+".focus(), "+find+".select(), true)")
	b.do(chromedp.KeyEvent(value + "\r"))
	js[bool](b, "(document.activeElement.blur(), true)")
}

// A panel is fitted to a window, a rim grazes the keeper's edge, a highlight is
// landed, each with the mouse, each one undo; and what cannot be done says why.
func TestLightsArePlacedByTheirResult(t *testing.T) {
	s := shared(t)
	b := open(t, s.base, 1280, 800)
	b.settled()
	b.press(".ledger button", "New ▾")
	b.press("[role=menuitem]", "Panel")
	b.until("a panel", `document.querySelector('[data-light=panel]') && !document.querySelector('[role=menu]')`)
	js[bool](b, `(document.activeElement.blur(), true)`)
	b.do(chromedp.KeyEvent("O", chromedp.KeyModifiers(chromedp.ModifierShift)))
	b.until("the tool", `document.querySelector('[data-tool=fit]')`)
	x, y := b.in(0.862, 0.2)
	b.mouse("mouseMoved", x-2, y, "none")
	b.until("it says what a click would do", `document.querySelector('.tool-words .result')?.textContent.includes('×')`)
	before := s.document(1).Lights["panel"]
	require.NotEqual(t, 0.0, before.Width)
	b.tap(0.862, 0.2)
	s.keeps("the window's size", func(d *setup.Setup) bool {
		l := d.Lights["panel"]
		return l.Width > 1.5 && l.Width < 2 && l.Height > 2.9 && l.Height < 3.3 && l.Aim[2] > 0.99 && l.Position[2] < -5
	})
	b.do(chromedp.KeyEvent("z", chromedp.KeyModifiers(chromedp.ModifierCtrl)))
	s.keeps("it is taken back", func(d *setup.Setup) bool { return d.Lights["panel"].Width == before.Width })
	b.do(chromedp.KeyEvent("O", chromedp.KeyModifiers(chromedp.ModifierShift)))
	b.tap(0.4, 0.9)
	b.until("a floor is no window", `document.querySelector('.tool-layer.cannot') && document.querySelector('.tool-words .result')`)
	b.do(chromedp.KeyEvent("\x1b"))
	b.until("left", `!document.querySelector('[data-tool]')`)

	b.row("keeper-key")
	js[bool](b, `(document.activeElement.blur(), true)`)
	b.do(chromedp.KeyEvent("d"))
	b.tap(0.586, 0.68)
	eye := s.document(1).Views["hall"].Eye
	s.keeps("a rim behind the keeper", func(d *setup.Setup) bool {
		l := d.Lights["keeper-key"]
		return math.Hypot(l.Position[0]-eye[0], l.Position[2]-eye[2]) > math.Hypot(4.3-eye[0], 1.3-eye[2]) && l.Position != before.Position
	})
	b.until("one edit", `document.querySelector('[data-testid=undo]').textContent.includes('grazes an edge')`)
	b.do(chromedp.KeyEvent("e"))
	b.tap(0.31, 0.86)
	b.until("one more", `document.querySelector('[data-testid=undo]').textContent.includes('highlight landed')`)
}

// The helper light lights what is round the keeper and not the keeper, in one step;
// the matrix is painted with the mouse.
func TestHelperLightAndTheMatrix(t *testing.T) {
	s := shared(t)
	b := open(t, s.base, 1280, 800)
	b.settled()
	b.until("the place is known", `document.querySelector('[data-testid=overlay]')`)
	b.tap(0.57, 0.72)
	b.do(chromedp.KeyEvent("Y", chromedp.KeyModifiers(chromedp.ModifierShift)))
	b.press(".channels .word", "helper light for Keeper")
	s.keeps("the helper", func(d *setup.Setup) bool {
		for _, l := range d.Lights {
			if l.Name == "Helper, Keeper" {
				o := d.Objects["keeper"]
				return l.Channels == 0x80 && !l.Shadow && o.Channels != nil && *o.Channels == 0x7f && d.Channels["8"].Name == "All but Keeper"
			}
		}
		return false
	})
	cell := func(row string, n int) box { return b.box(fmt.Sprintf(`[data-cell="light:%s/%d"]`, row, n)) }
	b.until("the matrix", `document.querySelector('[data-cell="light:lantern/3"]')`)
	from, to := cell("low-sun", 3), cell("marsh-bounce", 4)
	b.pull("left", from.X+8, from.Y+8, to.X+8, to.Y+8)
	s.keeps("cells that were painted over", func(d *setup.Setup) bool {
		return d.Lights["low-sun"].Channels&0b100 == 0 && d.Lights["marsh-bounce"].Channels&0b1000 == 0 && d.Lights["sky-dome"].Channels == 0xff
	})
	b.until("one edit", `document.querySelector('[data-testid=undo]').textContent.includes('Channels of')`)
	b.until("as measured", `/Hall: \d+ light/.test(document.querySelector('.measured')?.textContent)`)
}

// A rig of three lights is built from nothing: made, stood round the keeper by
// their numbers, bound together, turned and saved; and a mood is put on.
func TestARigFromNothing(t *testing.T) {
	s := shared(t)
	b := open(t, s.base, 1280, 800)
	b.settled()
	b.do(chromedp.KeyEvent("3"))
	b.until("the keeper", `document.querySelector('.view-line b').textContent.includes('Keeper')`)
	for i, at := range [][3]string{{"45", "30", "2.2"}, {"-50", "10", "2.5"}, {"150", "40", "2"}} {
		b.do(chromedp.KeyEvent("N", chromedp.KeyModifiers(chromedp.ModifierShift)))
		name := []string{"spot", "spot-2", "spot-3"}[i]
		b.until("a spot", `document.querySelector('[data-light=`+name+`]')`)
		js[bool](b, `(document.activeElement.blur(), true)`)
		if i == 0 {
			b.do(chromedp.KeyEvent("L", chromedp.KeyModifiers(chromedp.ModifierShift)))
		}
		label := []string{"Spot ", "Spot 2 ", "Spot 3 "}[i]
		for k, what := range []string{"azimuth", "height", "distance"} {
			b.write(label+what, at[k])
			b.until("kept", `!document.querySelector('.lost')`)
			want := map[string]float64{"45": 45, "30": 30, "2.2": 2.2, "-50": -50, "10": 10, "2.5": 2.5, "150": 150, "40": 40, "2": 2}[at[k]]
			b.until(what, fmt.Sprintf(`Math.abs(Number(document.querySelector('[aria-label^="%s%s"]').value) - %g) < 0.6`, label, what, want))
		}
	}
	b.do(chromedp.KeyEvent("R", chromedp.KeyModifiers(chromedp.ModifierShift)))
	b.until("moods on the keeper", `document.querySelectorAll('[data-mood] img').length == 8`)
	js[bool](b, `(document.querySelector('.panel [aria-label=Close]').click(), true)`)
	b.until("the ledger", `!document.querySelector('.rigs')`)
	js[bool](b, `(document.querySelector('[data-light=spot] .costs').click(), true)`)
	for _, l := range []string{"spot-2", "spot-3"} {
		r := b.box(`[data-light=` + l + `] .costs`)
		b.mouse("mousePressed", r.X+4, r.Y+6, "left", chromedp.ModifierCtrl)
		b.mouse("mouseReleased", r.X+4, r.Y+6, "left", chromedp.ModifierCtrl)
	}
	b.do(chromedp.KeyEvent("R", chromedp.KeyModifiers(chromedp.ModifierShift)))
	b.press(".rigs .word", "rig of the 3 chosen lights")
	s.keeps("a rig that travels with the keeper", func(d *setup.Setup) bool {
		for id, g := range d.Groups {
			if g.Rig != nil && g.Rig.Object == "Keeper" && id != "keeper" {
				return d.Lights["spot"].Group == id && d.Lights["spot-3"].Group == id
			}
		}
		return false
	})
	was := s.document(1).Lights["spot"].Position
	b.write("Rig, Keeper turn", "90")
	s.keeps("turned as one", func(d *setup.Setup) bool {
		p := d.Lights["spot"].Position
		return math.Hypot(p[0]-was[0], p[2]-was[2]) > 1 && math.Abs(p[1]-was[1]) < 1e-6
	})
	b.click(`[data-mood="Low key"]`)
	s.keeps("a mood", func(d *setup.Setup) bool { return len(d.Lights) == 21 })
}

// A luminaire's file, a gobo and barn doors shape a spot; its output is told in
// another unit; a bad file is refused and nothing is lost.
func TestALampIsShaped(t *testing.T) {
	s := shared(t)
	b := open(t, s.base, 1280, 800)
	b.settled()
	dir := t.TempDir()
	p := &photometry.Profile{Geometry: photometry.TypeC, Vertical: []float64{0, 30, 60, 90}, Horizontal: []float64{0}, Values: [][]float64{{900, 500, 80, 0}}, Lamps: 1, LumensPerLamp: 1400, Watts: 14}
	require.NoError(t, p.Prepare())
	good, bad := filepath.Join(dir, "bulkhead.ies"), filepath.Join(dir, "torn.ies")
	data := ies.Write(p, [][2]string{{"LUMINAIRE", "made-up bulkhead"}})
	require.NoError(t, os.WriteFile(good, data, 0o644))
	require.NoError(t, os.WriteFile(bad, data[:len(data)-20], 0o644))
	b.allow = append(b.allow, "422")
	b.click(`[data-light=keeper-key] .name`)
	const input = `[aria-label="Keeper key IES file"]`
	b.until("opened", `document.querySelector('`+input+`')`)
	b.do(chromedp.SetUploadFiles(chromedp.CSS(input), []string{bad}))
	b.until("refused with the line", `document.querySelector('[role=dialog]')?.textContent.includes('torn.ies, line')`)
	b.do(chromedp.KeyEvent("\x1b"))
	b.until("closed", `!document.querySelector('[role=dialog]')`)
	b.do(chromedp.SetUploadFiles(chromedp.CSS(input), []string{good}))
	s.keeps("the profile", func(d *setup.Setup) bool {
		l := d.Lights["keeper-key"]
		return l.Profile != nil && l.Profile.File == "bulkhead.ies" && math.Abs(l.Profile.Flux-p.Flux()) < 0.01 && l.Profile.Lamp == 1400
	})
	b.until("its curve and efficiency", `document.querySelector('.polar') && document.querySelector('.shaper').textContent.includes('% of its lamps')`)
	b.press(".open-light .word", "gobo")
	b.until("patterns", `document.querySelector('[aria-label="Gobo leaves"]')`)
	// By the element, not by its place: the row still makes room for what is chosen.
	js[bool](b, `(document.querySelector('[aria-label="Gobo leaves"]').click(), true)`)
	s.keeps("the gobo", func(d *setup.Setup) bool {
		l := d.Lights["keeper-key"]
		return l.Gobo != nil && l.Gobo.Pattern == "leaves"
	})
	b.press(".open-light .word", "barn doors")
	s.keeps("all three", func(d *setup.Setup) bool {
		l := d.Lights["keeper-key"]
		return l.Gobo != nil && l.Gobo.Pattern == "leaves" && l.Doors != nil && l.Profile != nil
	})
	b.until("doors in the picture", `document.querySelector('.doors-drawn')`)
	b.click(`[data-light=rim-window] .name`)
	b.until("another", `document.querySelector('[aria-label="Rim, window unit"]')`)
	b.choose("Rim, window unit", "cd candela")
	s.keeps("in candela, as bright", func(d *setup.Setup) bool {
		l := d.Lights["rim-window"]
		return l.Unit == setup.Candela && math.Abs(l.Output/float64(photometry.SpotCandela(520, 12*math.Pi/180, 22*math.Pi/180))-1) < 1e-6
	})
}

// choose opens a list by the keyboard and takes the option that begins with words.
func (b *tab) choose(label, words string) {
	b.t.Helper()
	js[bool](b, `(document.querySelector('[role=combobox][aria-label="`+label+`"]').focus(), true)`)
	b.do(chromedp.KeyEvent(kb.Enter))
	find := `[...document.querySelectorAll('[role=option]')].find(e => e.textContent.startsWith('` + words + `'))`
	b.until(words, find)
	js[bool](b, "("+find+".click(), true)")
	b.until("closed", `!document.querySelector('[role=listbox]')`)
}
