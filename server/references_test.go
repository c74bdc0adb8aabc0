package server

import (
	"bytes"
	"image"
	"image/color"
	"image/png"
	"testing"

	"github.com/stretchr/testify/require"
	"willowherb/ask"
	"willowherb/core/edits"
	"willowherb/core/setup"
)

// A reference is kept, measured, shown as it came, and proposed towards; what is no picture is
// refused, and so is an edit that names what is not kept.
func TestReferencesAreKeptAndFollowed(t *testing.T) {
	s := serve(t)
	imported(t, s)
	im := image.NewNRGBA(image.Rect(0, 0, 60, 40))
	for i := range 60 * 40 {
		im.SetNRGBA(i%60, i/60, color.NRGBA{uint8(200 - i/60), 150, 90, 255})
	}
	var b bytes.Buffer
	require.NoError(t, png.Encode(&b, im))
	var k KeptReference
	require.Equal(t, 200, s.ask(t, "POST", "/api/references", b.Bytes(), &k, "X-File-Name", "low%20tide.png"))
	require.Equal(t, "low tide.png", k.File)
	require.Less(t, k.Measure.Lights, 5000.0)
	resp, err := s.app.Test(s.request(t, "GET", "/api/references/"+k.Blob, nil))
	require.NoError(t, err)
	defer resp.Body.Close()
	require.Equal(t, "image/png", resp.Header.Get("Content-Type"))

	var f Fault
	require.Equal(t, 422, s.ask(t, "POST", "/api/references", []byte("not a picture"), &f, "X-File-Name", "x.png"))
	require.Contains(t, f.What, "png: is no picture")
	require.Equal(t, 422, s.ask(t, "POST", "/api/references", b.Bytes()[:b.Len()/2], &f, "X-File-Name", "cut.png"))
	require.Contains(t, f.What, "damaged")
	require.Equal(t, 404, s.ask(t, "GET", "/api/references/"+k.Blob[:63]+"0", nil, &f))

	var a any
	put := func(seq int64, r setup.Reference) int {
		return s.ask(t, "POST", "/api/setups/1/edits", EditAsk{Window: "w", Seq: seq, Target: "base", Label: "A reference", Ops: []edits.Op{lay("/references/low-tide", r)}}, &a)
	}
	require.NotEqual(t, 200, put(1, setup.Reference{View: "down", Blob: k.Blob[:63] + "0", File: "x"}), "it is not kept")
	require.Equal(t, 200, put(2, setup.Reference{View: "down", Blob: k.Blob, File: k.File, Note: "keep the water dark"}))
	var to ask.TowardsAnswer
	require.Equal(t, 200, s.ask(t, "POST", "/api/setups/1/towards", ask.TowardsAsk{View: "down", Reference: "low-tide"}, &to))
	require.InDelta(t, k.Measure.Key, to.Then.Key, 1e-9)
	var none ask.TowardsAnswer
	require.Equal(t, 200, s.ask(t, "POST", "/api/setups/1/towards", ask.TowardsAsk{View: "down", Reference: "none"}, &none), "taken down meanwhile")
	require.Nil(t, none.Then)
	require.Equal(t, 404, s.ask(t, "POST", "/api/setups/1/towards", ask.TowardsAsk{View: "none"}, &f))
}
