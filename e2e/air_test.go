package e2e

import (
	"bytes"
	"image"
	"image/png"
	"math"
	"os"
	"path/filepath"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/require"
	"willowherb/core/air"
	"willowherb/core/setup"
	"willowherb/format/exr"
)

// sunStands is where the demo's sun stands, by its aim.
func sunStands(d *setup.Setup) (height, azimuth float64) {
	a := d.Lights[d.Day.Sun].Aim
	return air.Bearing([3]float64{-a[0], -a[1], -a[2]})
}

// agrees holds a setup's sun and sky to each other: the same place, and the lux of a dome.
func agrees(t *testing.T, d *setup.Setup) {
	t.Helper()
	require.NotNil(t, d.Day)
	h, az := sunStands(d)
	sky := d.Lights[d.Day.Dome]
	require.NotNil(t, sky.Air)
	require.InDelta(t, sky.Air.SunHeight, h, 0.02)
	require.InDelta(t, 0, math.Remainder(sky.Air.SunAzimuth-az, 360), 0.05)
	require.InEpsilon(t, air.Make(*sky.Air).SkyLux(), sky.Output*math.Pi, 0.001)
}

// The day by mouse and by keys: the hour is dragged and stepped, haze is typed, the sun's
// beam is let fall on a pump, all of it one undo each; sun and sky agree at every step.
func TestTheDayByMouseAndKeys(t *testing.T) {
	s := shared(t)
	b := open(t, s.base, 1280, 800)
	b.settled()
	painted := s.document(1)
	b.press(".round button", "Air")
	b.until("the day", `document.querySelector('.day-strip rect')`)

	r := b.box(".day-strip")
	b.pull("left", r.X+r.W*0.5, r.Y+20, r.X+r.W*0.66, r.Y+20)
	s.keeps("the hour is dragged", func(d *setup.Setup) bool { return d.Day != nil && d.Day.ByClock && math.Abs(d.Day.Hour-0.66*24) < 0.2 })
	agrees(t, s.document(1))
	b.until("it is told", `document.querySelector('.air-facts').textContent.includes('15:')`)

	js[bool](b, `(document.querySelector('.day-strip').focus(), true)`)
	hour := s.document(1).Day.Hour
	// Keys that come faster than the sky is worked out all count.
	b.do(chromedp.KeyEvent(kb.ArrowLeft), chromedp.KeyEvent(kb.ArrowLeft), chromedp.KeyEvent(kb.ArrowLeft))
	s.keeps("three quarters of an hour earlier", func(d *setup.Setup) bool { return math.Abs(d.Day.Hour-hour+0.75) < 1e-6 })
	agrees(t, s.document(1))

	b.write("Haze, number", "4.5")
	s.keeps("haze", func(d *setup.Setup) bool {
		return d.Day.Sky.Turbidity == 4.5 && d.Lights[d.Day.Dome].Air.Turbidity == 4.5
	})
	b.write("Clouds, number", "v+30")
	s.keeps("clouds", func(d *setup.Setup) bool { return d.Day.Sky.Clouds == 0.3 })
	agrees(t, s.document(1))

	b.press(".air button", "click where the beam falls")
	b.until("the tool", `document.querySelector('[data-tool=beam]')`)
	b.tap(0.6, 0.5) // the near pump
	s.keeps("the beam falls there", func(d *setup.Setup) bool { return !d.Day.ByClock })
	agrees(t, s.document(1))
	b.until("the tool is put down", `!document.querySelector('[data-tool]')`)
	// What lights that spot is the sun now.
	px, py := b.in(0.6, 0.5)
	b.mouse("mouseMoved", px-1, py, "none")
	b.mouse("mouseMoved", px, py, "none")
	release := b.hold("q")
	b.until("the sun lights it", `document.querySelector('.wide-card')?.textContent.includes('Low sun')`)
	release()

	b.takeAllBack()
	s.keeps("all of it taken back", func(d *setup.Setup) bool { return d.Day == nil })
	require.Equal(t, painted.Lights, s.document(1).Lights)
}

// A picture of what lies around is brought in, lights, and is turned to the sun; a file that
// is none is told.
func TestAnEnvironmentInTheBrowser(t *testing.T) {
	s := shared(t)
	b := open(t, s.base, 1280, 800)
	b.settled()
	b.press(".round button", "Air")
	b.until("the day", `document.querySelector('.day-strip rect')`)
	dir := t.TempDir()
	sky := air.Clear()
	sky.SunAzimuth = 100
	dome := air.Make(sky)
	const w, h = 128, 64
	rgb := dome.Picture(w, h)
	at := 3 * (int(h*(90-sky.SunHeight)/180)*w + int(w*(sky.SunAzimuth/360+0.5)))
	for k := range 3 {
		rgb[at+k] = 9e6
	}
	var f bytes.Buffer
	require.NoError(t, exr.Write(&f, rgb, w, h, exr.ZIP))
	file := filepath.Join(dir, "marsh noon.exr")
	require.NoError(t, os.WriteFile(file, f.Bytes(), 0o600))
	bad := filepath.Join(dir, "bad.hdr")
	require.NoError(t, os.WriteFile(bad, []byte("#?RADIANCE\n\n-Y 0 +X 4\n"), 0o600))

	b.allow = append(b.allow, "422")
	b.do(chromedp.SetUploadFiles(`[data-testid=environment-file]`, []string{bad}))
	b.until("it is told", `document.querySelector('[role=dialog]')?.textContent.includes('line of size')`)
	b.do(chromedp.KeyEvent(kb.Escape))
	b.until("and read", `!document.querySelector('[role=dialog]')`)

	b.press(".made button", "morning mist")
	s.keeps("one that is made up", func(d *setup.Setup) bool { return d.Lights["environment-1"].Name == "morning mist" })
	b.do(chromedp.KeyEvent("z", chromedp.KeyModifiers(chromedp.ModifierCtrl)))
	s.keeps("taken back", func(d *setup.Setup) bool { _, ok := d.Lights["environment-1"]; return !ok })

	b.do(chromedp.SetUploadFiles(`[data-testid=environment-file]`, []string{file}))
	s.keeps("it is a light", func(d *setup.Setup) bool {
		l, ok := d.Lights["environment-1"]
		return ok && l.Name == "marsh noon" && l.Environment != nil
	})
	b.until("it is measured", `document.querySelector('.environment')?.textContent.includes('° high')`)
	b.press(".environment button", "turn it to the sun")
	low := s.document(1)
	var want float64
	for _, l := range low.Lights {
		if l.Kind == setup.Sun {
			_, az := air.Bearing([3]float64{-l.Aim[0], -l.Aim[1], -l.Aim[2]})
			want = math.Remainder(az-sky.SunAzimuth, 360)
		}
	}
	s.keeps("its sun is over ours", func(d *setup.Setup) bool {
		return math.Abs(math.Remainder(d.Lights["environment-1"].Environment.Turn-want, 360)) < 2
	})
	b.press(".air-row .word", "Low sun")
	b.until("its spots can be taken", `document.querySelector('.panorama')`)
	js[bool](b, `(document.querySelector('.panorama').focus(), true)`)
	b.do(chromedp.KeyEvent(kb.ArrowRight), chromedp.KeyEvent(kb.Enter))
	s.keeps("the sun has a spot's colour, by keys", func(d *setup.Setup) bool { return d.Lights["low-sun"].Colour.RGB != nil })
	b.do(chromedp.KeyEvent("z", chromedp.KeyModifiers(chromedp.ModifierCtrl)))
	s.keeps("and its own", func(d *setup.Setup) bool { return d.Lights["low-sun"].Colour.RGB == nil })
	b.write("marsh noon seen behind, blur", "3")
	s.keeps("seen blurred", func(d *setup.Setup) bool {
		v := d.Lights["environment-1"].Environment.Seen
		return v != nil && v.Blur == 3 && v.Saturation == 1
	})
	b.do(chromedp.KeyEvent("z", chromedp.KeyModifiers(chromedp.ModifierCtrl)))
	s.keeps("and sharp again", func(d *setup.Setup) bool { return d.Lights["environment-1"].Environment.Seen == nil })
	b.press(".environment button", "replace its sun")
	s.keeps("a sun light stands for it", func(d *setup.Setup) bool { return d.Lights["environment-1"].Environment.NoSun })
	b.until("it can have it back", `document.querySelector('.environment').textContent.includes('give it its sun back')`)
	b.do(chromedp.KeyEvent("z", chromedp.KeyModifiers(chromedp.ModifierCtrl)))
	s.keeps("it has it back", func(d *setup.Setup) bool { return !d.Lights["environment-1"].Environment.NoSun })
	b.until("it gives light", `(() => { const g = document.querySelector('[data-testid=picture]'); return g.dataset.waiting == '0' })()`)
	b.do(chromedp.KeyEvent("z", chromedp.KeyModifiers(chromedp.ModifierCtrl)), chromedp.KeyEvent("z", chromedp.KeyModifiers(chromedp.ModifierCtrl)))
	s.keeps("taken back", func(d *setup.Setup) bool { _, ok := d.Lights["environment-1"]; return !ok })
}

// At night the moon is a light of its own; the sky's own air is let in between; a picture is
// put up on a card, and goes with its light.
func TestTheMoonTheAirBetweenAndACard(t *testing.T) {
	s := shared(t)
	b := open(t, s.base, 1280, 800)
	b.settled()
	b.press(".round button", "Air")
	b.until("the day", `document.querySelector('.day-strip rect')`)
	b.press(".air button[aria-label=Moon]", "no moon")
	moon := func(d *setup.Setup) (setup.Light, bool) {
		if d.Day == nil {
			return setup.Light{}, false
		}
		l, ok := d.Lights[d.Day.Moon]
		return l, ok
	}
	s.keeps("the moon is a light", func(d *setup.Setup) bool {
		l, ok := moon(d)
		return ok && l.Kind == setup.Sun && d.Day.Moonlit
	})
	b.write("Moon,° high", "50")
	s.keeps("it stands where it is put", func(d *setup.Setup) bool {
		l, ok := moon(d)
		return ok && math.Abs(l.Aim[1]+math.Sin(50*math.Pi/180)) < 1e-4
	})
	b.press(".air button[aria-label='Aerial perspective']", "air between is left out")
	s.keeps("the air between", func(d *setup.Setup) bool { return d.Aerial })
	b.press(".round button", "Scene")
	b.press("[role=tab]", "Place")
	im := image.NewNRGBA(image.Rect(0, 0, 64, 32))
	for i := range im.Pix {
		im.Pix[i] = 255
	}
	var f bytes.Buffer
	require.NoError(t, png.Encode(&f, im))
	b.until("the card's word", `document.querySelector('[data-testid=card-file]')`)
	b.do(chromedp.SetUploadFiles(`[data-testid=card-file]`, []string{write(t, "white card.png", f.Bytes())}))
	s.keeps("it stands in the place, with a light", func(d *setup.Setup) bool {
		c, ok := d.Backdrops["white-card"]
		l, lit := d.Lights["white-card"]
		return ok && c.Card != nil && math.Abs(c.Width-2*c.Height) < 0.01 && lit && l.NoDiffuse == 1
	})
	b.until("its picture is here", `document.querySelector('[data-testid=picture]').dataset.waiting == '0'`)
	b.settled()
	most := 0.0
	for i, v := range b.served("white-card") {
		if i%4 < 3 {
			most = max(most, v)
		}
	}
	require.Greater(t, most, 200.0, "some of it is seen, as white as it is")
	b.press(".one-object button", "take away")
	s.keeps("gone with its light", func(d *setup.Setup) bool {
		_, lit := d.Lights["white-card"]
		return len(d.Backdrops) == 0 && !lit
	})
}
