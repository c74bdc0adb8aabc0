package e2e

import (
	"bytes"
	"encoding/json"
	"image"
	"image/color"
	"image/png"
	"io"
	"math"
	"math/rand/v2"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/require"
	"willowherb/ask"
	"willowherb/core/setup"
)

// tide is a finished picture: brighter, flatter and cooler than the hall.
func tide(t *testing.T) string {
	im := image.NewNRGBA(image.Rect(0, 0, 160, 90))
	r := rand.New(rand.NewPCG(1, 9))
	for i := range 160 * 90 {
		l := 90 + 60*float64(i%160)/160 + 20*r.NormFloat64()
		im.SetNRGBA(i%160, i/160, color.NRGBA{uint8(min(max(l*0.88, 0), 255)), uint8(min(max(l, 0), 255)), uint8(min(max(l*1.1, 0), 255)), 255})
	}
	var b bytes.Buffer
	require.NoError(t, png.Encode(&b, im))
	file := filepath.Join(t.TempDir(), "low tide.png")
	require.NoError(t, os.WriteFile(file, b.Bytes(), 0o600))
	return file
}

// towards asks how the hall measures beside a reference.
func (s *server) towards(t *testing.T, reference string) (a ask.TowardsAnswer) {
	t.Helper()
	resp, err := s.post("/api/setups/1/towards", []byte(`{"view":"hall","reference":"`+reference+`"}`))
	require.NoError(t, err)
	defer resp.Body.Close()
	data, err := io.ReadAll(resp.Body)
	require.NoError(t, err)
	require.Equal(t, 200, resp.StatusCode, string(data))
	require.NoError(t, json.Unmarshal(data, &a))
	return a
}

// A reference is hung on the view's board, measured, laid over the picture, and followed line
// by line until the measures are nearer; all of it is taken back.
func TestAReferenceIsFollowed(t *testing.T) {
	s := shared(t)
	b := open(t, s.base, 1280, 800)
	b.settled()
	before := s.document(1)
	b.until("thumbnails", `document.querySelectorAll('.shelf img').length == 5`)
	js[bool](b, `(document.querySelector('[aria-label^=References]').click(), true)`)
	b.until("the board", `document.querySelector('[data-testid=reference-file]')`)
	b.do(chromedp.SetUploadFiles(`[data-testid=reference-file]`, []string{tide(t)}))
	s.keeps("it hangs there", func(d *setup.Setup) bool { return d.References["reference-1"].File == "low tide.png" })
	b.until("proposals", `document.querySelectorAll('[aria-label="Towards the reference"] li').length >= 3`)
	start := s.towards(t, "reference-1")
	require.True(t, start.Ready)

	b.press(".board button", "over the picture")
	b.until("it lies over the picture", `document.querySelector('[data-testid=reference-over] image')`)
	js[bool](b, `(document.querySelector('.wipe-hand').focus(), true)`)
	b.do(chromedp.KeyEvent(kb.ArrowRight))
	b.until("the line is stepped", `document.querySelector('.wipe-hand').getAttribute('aria-valuenow') == '42'`)
	b.press(".board button", "off the picture")

	// By mouse, and by keys.
	b.click(`[aria-label="Take exposure"]`)
	s.keeps("brighter", func(d *setup.Setup) bool { return d.Views["hall"].EV < before.Views["hall"].EV-0.5 })
	for range 4 {
		find := `[...document.querySelectorAll('[aria-label="Towards the reference"] li button:not(:disabled)')].find(e => !/exposure/.test(e.getAttribute('aria-label')))`
		b.until("measured again", `document.querySelector('[aria-label="Towards the reference"]') && !document.querySelector('[aria-label="Towards the reference"] li button:disabled')`)
		now := s.document(1)
		if !js[bool](b, `Boolean(`+find+`)`) {
			break
		}
		js[bool](b, `(`+find+`.focus(), true)`)
		b.do(chromedp.KeyEvent("\r"))
		s.keeps("another line taken", func(d *setup.Setup) bool {
			x, _ := json.Marshal(d)
			y, _ := json.Marshal(now)
			return !bytes.Equal(x, y)
		})
	}
	end := s.towards(t, "reference-1")
	stops := func(a ask.TowardsAnswer) float64 { return math.Abs(math.Log2(a.Now.Key / a.Then.Key)) }
	mired := func(a ask.TowardsAnswer) float64 { return math.Abs(1e6/a.Now.Lights - 1e6/a.Then.Lights) }
	require.Less(t, stops(end), stops(start)/2, "key")
	require.Less(t, mired(end), mired(start), "temperature of the lights")

	b.write("A note for this view", "keep the water dark")
	s.keeps("a note", func(d *setup.Setup) bool { return strings.Contains(d.References["reference-2"].Note, "water") })
	b.takeAllBack()
	s.keeps("all of it taken back", func(d *setup.Setup) bool { return len(d.References) == 0 })
	require.Equal(t, before.Views, s.document(1).Views)
	require.Nil(t, s.document(1).Grade)
}
