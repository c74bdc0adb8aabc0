package server

import (
	"bytes"
	"encoding/json"
	"math"
	"net/url"
	"os"
	"os/exec"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/require"
	"willowherb/ask"
	"willowherb/core/air"
	"willowherb/core/daylight"
	"willowherb/core/edits"
	"willowherb/core/environment"
	"willowherb/core/scene"
	"willowherb/core/setup"
	"willowherb/core/vec"
	"willowherb/core/weigh"
	"willowherb/format/exr"
	"willowherb/room"
	"willowherb/stage"
)

// A day's edits are what the floor then gets: the sky by its dome, the sun by its lux.
func TestADaySetsTheLightOfTheFloor(t *testing.T) {
	s := serve(t)
	imported(t, s)
	var p daylight.Plan
	require.Equal(t, 200, s.ask(t, "POST", "/api/setups/1/day", ask.DayAsk{}, &p))
	p.Day.Sky.SunHeight, p.Day.Sky.SunAzimuth = 35, 200
	day := p.Day
	require.Equal(t, 200, s.ask(t, "POST", "/api/setups/1/day", ask.DayAsk{Day: &day}, &p))
	require.InDelta(t, 35, p.Facts.SunHeight, 1e-9)
	var a any
	require.Equal(t, 200, s.ask(t, "POST", "/api/setups/1/edits", EditAsk{Window: "w", Seq: 1, Target: "base", Label: "A day", Ops: p.Ops}, &a))
	var r weigh.Reading
	require.Equal(t, 200, s.ask(t, "POST", "/api/setups/1/weigh", ask.Point{Gaze: room.Gaze{View: "down"}, X: 0.5, Y: 0.5, Careful: true}, &r))
	require.InEpsilon(t, p.Facts.SunLux+p.Facts.SkyLux, r.Lux, 0.03)

	var f Fault
	day.Sky.Turbidity = 0
	require.Equal(t, 422, s.ask(t, "POST", "/api/setups/1/day", ask.DayAsk{Day: &day}, &f))
	require.Contains(t, f.What, "urbidity is 0")
	day.Sky.Turbidity, day.Date = 2, "soon"
	require.Equal(t, 422, s.ask(t, "POST", "/api/strip", day, &f))
	require.Contains(t, f.What, "soon")
	day.Date = "2026-06-21"
	var strip []daylight.Moment
	require.Equal(t, 200, s.ask(t, "POST", "/api/strip", day, &strip))
	require.Len(t, strip, 49)
}

func TestAnEnvironmentIsKeptAndLights(t *testing.T) {
	s := serve(t)
	imported(t, s)
	rgb := make([]float32, 3*32*16)
	for i := range rgb {
		rgb[i] = 250
	}
	rgb[5] = float32(math.Inf(1))
	var b bytes.Buffer
	require.NoError(t, exr.Write(&b, rgb, 32, 16, exr.ZIP))
	var k KeptEnvironment
	require.Equal(t, 200, s.ask(t, "POST", "/api/environments", b.Bytes(), &k, "X-File-Name", "marsh.exr"))
	require.Equal(t, 1, k.Cleaned)
	require.InEpsilon(t, 250*math.Pi, k.HorizontalLux, 0.01)
	var again KeptEnvironment
	require.Equal(t, 200, s.ask(t, "GET", "/api/environments/"+k.Blob, nil, &again))
	require.Equal(t, k.HorizontalLux, again.HorizontalLux)
	require.Equal(t, 200, s.ask(t, "GET", "/api/environments/"+k.Blob+"/picture", nil, nil))

	var p daylight.Plan
	require.Equal(t, 200, s.ask(t, "POST", "/api/setups/1/day", ask.DayAsk{}, &p))
	sky := p.Day.Dome
	op := func(o, path string, v any) edits.Op {
		b, err := json.Marshal(v)
		require.NoError(t, err)
		return edits.Op{Op: o, Path: path, Value: b}
	}
	l := setup.Light{Name: "Marsh", Kind: setup.Sky, Output: 1, Colour: setup.Colour{RGB: &[3]float64{1, 1, 1}}, Shadow: true, Carry: setup.Baked, Channels: 255, Environment: &setup.Environment{Blob: k.Blob, File: k.File, Turn: 30}}
	ops := []edits.Op{op("replace", "/lights/"+sky, l)}
	require.Equal(t, 200, s.ask(t, "POST", "/api/setups/1/edits", EditAsk{Window: "w", Seq: 1, Target: "base", Label: "Marsh", Ops: ops}, nil))
	var r weigh.Reading
	require.Equal(t, 200, s.ask(t, "POST", "/api/setups/1/weigh", ask.Point{Gaze: room.Gaze{View: "down"}, X: 0.5, Y: 0.5, Careful: true}, &r))
	require.InEpsilon(t, 250*math.Pi, r.Lux, 0.03)

	// With a sun in it, and with that sun taken out.
	rgb = make([]float32, 3*128*64)
	for i := range rgb {
		rgb[i] = 250
	}
	for k := range 3 {
		rgb[3*(16*128+36)+k] = 1e6
	}
	b.Reset()
	require.NoError(t, exr.Write(&b, rgb, 128, 64, exr.ZIP))
	var bright KeptEnvironment
	require.Equal(t, 200, s.ask(t, "POST", "/api/environments", b.Bytes(), &bright, "X-File-Name", "noon.exr"))
	require.NotNil(t, bright.Sun)
	flat := bright.Sun.Lux * math.Sin(bright.Sun.Height*math.Pi/180)
	for seq, no := range map[int64]bool{10: false, 11: true} {
		l.Environment = &setup.Environment{Blob: bright.Blob, File: "noon.exr", NoSun: no}
		require.Equal(t, 200, s.ask(t, "POST", "/api/setups/1/edits", EditAsk{Window: "w", Seq: seq, Target: "base", Label: "Noon", Ops: []edits.Op{op("replace", "/lights/"+sky, l)}}, nil))
		require.Equal(t, 200, s.ask(t, "POST", "/api/setups/1/weigh", ask.Point{Gaze: room.Gaze{View: "down"}, X: 0.5, Y: 0.5, Careful: true}, &r))
		want := bright.HorizontalLux
		if no {
			want -= flat
		}
		require.InEpsilon(t, want, r.Lux, 0.04, "sun taken out: %v", no)
	}

	var names []string
	require.Equal(t, 200, s.ask(t, "GET", "/api/environments/made", nil, &names))
	require.Equal(t, 200, s.ask(t, "POST", "/api/environments/made/"+url.PathEscape(names[0]), nil, &k))
	require.Equal(t, names[0]+".exr", k.File)
	require.NotNil(t, k.Sun)

	var f Fault
	require.Equal(t, 422, s.ask(t, "POST", "/api/environments/made/beach", nil, &f))
	require.Contains(t, f.What, "here are: ")
	require.Equal(t, 422, s.ask(t, "POST", "/api/environments", []byte("no picture"), &f, "X-File-Name", "x.hdr"))
	require.Contains(t, f.What, ".hdr: is neither")
	l.Environment.Blob = k.Blob[:60] + "0000"
	require.NotEqual(t, 200, s.ask(t, "POST", "/api/setups/1/edits", EditAsk{Window: "w", Seq: 2, Target: "base", Label: "Gone", Ops: []edits.Op{op("replace", "/lights/"+sky, l)}}, &f))
	l.Environment, l.Air = nil, &air.Sky{}
	require.Equal(t, 422, s.ask(t, "POST", "/api/setups/1/edits", EditAsk{Window: "w", Seq: 3, Target: "base", Label: "No air", Ops: []edits.Op{op("replace", "/lights/"+sky, l)}}, &f))
	require.Contains(t, f.What, "urbidity is 0")
}

// A layer of an EXR file is picked: its facts, its picture and its light are its own; so is
// what it shows in one spot, and it may be seen otherwise than it lights.
func TestALayerOfAnEnvironmentIsPicked(t *testing.T) {
	s := serve(t)
	imported(t, s)
	dir := t.TempDir()
	for name, v := range map[string]float32{"a.exr": 100, "b.exr": 400} {
		rgb := make([]float32, 3*32*16)
		for i := range rgb {
			if rgb[i] = v; i/3%32 >= 16 && i%3 == 2 {
				rgb[i] = v / 4 // the east is warm
			}
		}
		f, err := os.Create(filepath.Join(dir, name))
		require.NoError(t, err)
		require.NoError(t, exr.Write(f, rgb, 32, 16, exr.ZIP))
		require.NoError(t, f.Close())
	}
	both := filepath.Join(dir, "both.exr")
	out, err := exec.Command("exrmultiview", "left", filepath.Join(dir, "a.exr"), "right", filepath.Join(dir, "b.exr"), both).CombinedOutput()
	require.NoError(t, err, string(out))
	data, err := os.ReadFile(both)
	require.NoError(t, err)
	var k, right KeptEnvironment
	require.Equal(t, 200, s.ask(t, "POST", "/api/environments", data, &k, "X-File-Name", "both.exr"))
	require.Equal(t, []string{"", "right"}, k.Layers)
	require.Equal(t, 200, s.ask(t, "GET", "/api/environments/"+k.Blob+"?layer=right", nil, &right))
	require.InEpsilon(t, 4*k.HorizontalLux, right.HorizontalLux, 1e-3)
	var f Fault
	require.Equal(t, 422, s.ask(t, "GET", "/api/environments/"+k.Blob+"?layer=middle", nil, &f))
	require.Contains(t, f.What, "it has: ")
	var east, west environment.Spot
	require.Equal(t, 200, s.ask(t, "GET", "/api/environments/"+k.Blob+"/spot?height=10&azimuth=90&reach=1&layer=right", nil, &east))
	require.Equal(t, 200, s.ask(t, "GET", "/api/environments/"+k.Blob+"/spot?height=10&azimuth=-90&reach=1&layer=right", nil, &west))
	require.InEpsilon(t, 400, west.Luminance, 1e-3)
	require.InDelta(t, 4, east.Colour[0]/east.Colour[2], 1e-3)
	require.InDelta(t, 1, west.Colour[0]/west.Colour[2], 1e-3)
	require.Equal(t, 422, s.ask(t, "GET", "/api/environments/"+k.Blob+"/spot?height=up&azimuth=0&reach=1", nil, &f))
	require.Contains(t, f.What, "eight is no number")

	e := setup.Environment{Blob: k.Blob, File: k.File, Layer: "right", Seen: &setup.Seen{Saturation: 0, Contrast: 1}}
	doc := setup.Setup{Lights: map[string]setup.Light{"sky": {Kind: setup.Sky, Output: 1, Colour: setup.Colour{RGB: &[3]float64{1, 1, 1}}, Channels: 255, Environment: &e}}}
	lamps, err := s.shop.Lamps(t.Context(), &doc, &stage.Stage{Scene: &scene.Scene{}})
	require.NoError(t, err)
	l := lamps[0].Source
	require.InEpsilon(t, 100, l.Dome.Radiance(vec.V3{X: 1}).Z, 1e-3)
	require.InEpsilon(t, l.Behind(vec.V3{X: 1}, vec.V3{}).Z, l.Behind(vec.V3{X: 1}, vec.V3{}).X, 1e-3)
	require.Greater(t, l.Behind(vec.V3{X: 1}, vec.V3{}).Z, float32(300))
}
