package server

import (
	"bytes"
	"encoding/json"
	"image"
	"image/png"
	"io"
	"math"
	"net/http/httptest"
	"testing"
	"time"

	"github.com/gofiber/fiber/v3"
	"github.com/stretchr/testify/require"
	"willowherb/ask"
	"willowherb/core/checks"
	"willowherb/core/edits"
	"willowherb/core/exchange"
	"willowherb/core/photometry"
	"willowherb/core/rig"
	"willowherb/core/scene"
	"willowherb/core/vec"
	"willowherb/format/gltf"
	"willowherb/format/ies"
	"willowherb/room"
)

// crate is a floor with a small figure on it and a lamp over it.
func crate(t *testing.T) []byte {
	up := vec.V3{Y: 1}
	flat := func(y, r float32) gltf.ModelPart {
		return gltf.ModelPart{Pos: []vec.V3{{X: -r, Y: y, Z: r}, {X: r, Y: y, Z: r}, {X: r, Y: y, Z: -r}, {X: -r, Y: y, Z: -r}}, Nrm: []vec.V3{up, up, up, up}, UV: make([]vec.V2, 4), Index: []uint32{0, 1, 2, 0, 2, 3}}
	}
	front := vec.V3{Z: 1}
	upright := gltf.ModelPart{Pos: []vec.V3{{X: -0.4, Z: 0.3}, {X: 0.4, Z: 0.3}, {X: 0.4, Y: 1.6, Z: 0.3}, {X: -0.4, Y: 1.6, Z: 0.3}}, Nrm: []vec.V3{front, front, front, front}, UV: make([]vec.V2, 4), Index: []uint32{0, 1, 2, 0, 2, 3}}
	glb, err := gltf.Write(&gltf.Model{Materials: []gltf.ModelMaterial{{Name: "matt", BaseColor: [4]float64{0.5, 0.5, 0.5, 1}, Roughness: 1, DoubleSided: true}},
		Nodes:   []gltf.ModelNode{{Name: "floor", Parts: []gltf.ModelPart{flat(0, 5)}}, {Name: "figure", Children: []gltf.ModelNode{{Name: "body", Parts: []gltf.ModelPart{upright}}}}},
		Cameras: []scene.Camera{{Name: "Front", Eye: vec.V3{Y: 1.4, Z: 5}, Aim: vec.V3{Y: -0.1, Z: -1}.Norm(), Up: up, FovY: 0.7, Aspect: 1.5}},
		Lights:  []scene.Light{{Name: "Key", Kind: scene.Spot, Position: vec.V3{X: 2, Y: 3, Z: 3}, Aim: vec.V3{X: -2, Y: -2, Z: -3}.Norm(), Color: [3]float64{1, 0.9, 0.8}, Intensity: 900, Inner: 0.3, Outer: 0.5, Range: 12}}})
	require.NoError(t, err)
	return glb
}

// put is the setup of that place, opened by a window that waits for its pictures.
func put(t *testing.T, s *Server) *window {
	require.Equal(t, 200, s.ask(t, "POST", "/api/import", crate(t), nil, "X-File-Name", "crate.glb"))
	w := s.join(t, ada, "w")
	require.Eventually(t, func() bool {
		var a ask.WhoAnswer
		require.Equal(t, 200, s.ask(t, "GET", "/api/setups/1/who", nil, &a))
		return a.Ready
	}, 30*time.Second, 20*time.Millisecond)
	return w
}

// Where a light has to go, what a figure's lights measure, what the checks find and
// what a rig would be: asked over HTTP, answered from the place.
func TestQuestionsAboutLamps(t *testing.T) {
	s := serve(t)
	put(t, s)
	gaze := room.Gaze{View: "front"}
	var p ask.Placed
	where := func(how ask.How, x, y float64) ask.PlaceAsk {
		return ask.PlaceAsk{Gaze: gaze, How: how, Light: "key", X: x, Y: y}
	}
	for _, how := range []ask.How{ask.Highlight, ask.Aim, ask.Graze, ask.Mirror} {
		p = ask.Placed{}
		require.Equal(t, 200, s.ask(t, "POST", "/api/setups/1/placement", where(how, 0.52, 0.5), &p), how)
		require.True(t, p.Able, "%s: %s", how, p.Words)
		require.NotNil(t, p.Aim)
	}
	require.Equal(t, 200, s.ask(t, "POST", "/api/setups/1/placement", where(ask.Fit, 0.5, 0.5), &p))
	require.False(t, p.Able)
	require.Contains(t, p.Words, "panel")
	hold := where(ask.Hold, 0.5, 0.5)
	hold.Distance = 1.5
	p = ask.Placed{}
	require.Equal(t, 200, s.ask(t, "POST", "/api/setups/1/placement", hold, &p))
	require.True(t, p.Able && *p.Stops < -2, "nearer, and as bright: %+v", p)
	require.InDelta(t, 1.5, p.Distance, 1e-4)
	hold.At = &[3]float64{0, 1.4, 0.3}
	p = ask.Placed{}
	require.Equal(t, 200, s.ask(t, "POST", "/api/setups/1/placement", hold, &p))
	require.True(t, p.Able, p.Words)
	require.Equal(t, *hold.At, [3]float64{p.At[0], math.Round(p.At[1]*1e6) / 1e6, math.Round(p.At[2]*1e6) / 1e6}, "at a place that is known")
	var f Fault
	require.Equal(t, 422, s.ask(t, "POST", "/api/setups/1/placement", where(ask.Aim, 2, 0), &f))
	require.Equal(t, 404, s.ask(t, "POST", "/api/setups/1/placement", ask.PlaceAsk{Gaze: gaze, How: ask.Aim, Light: "gone"}, &f))
	require.Equal(t, 404, s.ask(t, "POST", "/api/setups/1/placement", ask.PlaceAsk{Gaze: gaze, How: "guess", Light: "key"}, &f))

	var plot struct {
		Subject string
		Lights  []struct {
			ID  string
			Lux float64
		}
	}
	require.Equal(t, 200, s.ask(t, "POST", "/api/setups/1/plot?window=w", ask.PlotAsk{Gaze: gaze, Subject: "figure"}, &plot))
	require.Equal(t, "figure", plot.Subject)
	require.Positive(t, plot.Lights[0].Lux)
	var who ask.WhoAnswer
	require.Equal(t, 200, s.ask(t, "GET", "/api/setups/1/who", nil, &who))
	require.Equal(t, "figure", who.Views["front"][0].Path)
	require.Equal(t, "key", who.Views["front"][0].By[0].Light)
	var snags ask.SnagsAnswer
	require.Equal(t, 200, s.ask(t, "GET", "/api/setups/1/snags", nil, &snags))
	require.True(t, snags.Ready)
	var effects map[string]checks.Effect
	require.Equal(t, 200, s.ask(t, "GET", "/api/setups/1/shadow/key", nil, &effects))
	require.Positive(t, effects["front"].Shows)

	var moods []ask.MoodPicture
	require.Equal(t, 200, s.ask(t, "POST", "/api/setups/1/moods", ask.RigAsk{Gaze: gaze, Subject: "figure"}, &moods))
	require.Len(t, moods, len(rig.Moods()))
	im, err := png.Decode(bytes.NewReader(moods[0].PNG))
	require.NoError(t, err)
	require.Equal(t, image.Pt(104, 128), im.Bounds().Size())
	var r ask.RigAnswer
	require.Equal(t, 200, s.ask(t, "POST", "/api/setups/1/rig", ask.RigAsk{Gaze: gaze, Subject: "figure", Mood: "Low key"}, &r))
	require.Equal(t, "figure", r.Group.Rig.Object)
	require.Equal(t, 422, s.ask(t, "POST", "/api/setups/1/rig", ask.RigAsk{Gaze: gaze, Subject: "figure", Mood: "Disco"}, &f))
	require.Equal(t, 422, s.ask(t, "POST", "/api/setups/1/rig", ask.RigAsk{Gaze: gaze, Mood: "Low key"}, &f))
	require.Contains(t, f.What, "click a figure")
}

// The run-time picture of a light is drawn for a frame, once; what a frame does not
// know is said.
func TestRuntimeLayer(t *testing.T) {
	s := serve(t)
	require.Equal(t, 200, s.ask(t, "POST", "/api/import", crate(t), nil, "X-File-Name", "crate.glb"))
	w := s.join(t, ada, "w")
	f := w.wait(t, "a frame", func(m map[string]any) bool { return m["type"] == "frame" && m["view"] == nil })
	frame, wide, high := f["frame"].(string), int(f["width"].(float64)), int(f["height"].(float64))
	get := func(light string) (int, []byte, string) {
		req := httptest.NewRequest("GET", "/api/setups/1/runtime/"+frame+"/"+light, nil)
		req.Host = "127.0.0.1:7461"
		res, err := s.app.Test(req, fiber.TestConfig{Timeout: 0})
		require.NoError(t, err)
		b, err := io.ReadAll(res.Body)
		require.NoError(t, err)
		return res.StatusCode, b, res.Header.Get("X-Scale")
	}
	status, words, scale := get("key")
	require.Equal(t, 200, status)
	require.Len(t, words, 4*wide*high)
	require.NotEmpty(t, scale)
	_, again, _ := get("key")
	require.True(t, bytes.Equal(words, again))
	status, _, _ = get("nobody")
	require.Equal(t, 404, status)
}

// A rig is put into the document, saved as a file, and put on again from it; the
// lights go out as glTF.
func TestARigIsSavedAndLightsGoOut(t *testing.T) {
	s := serve(t)
	put(t, s)
	gaze := room.Gaze{View: "front"}
	var r ask.RigAnswer
	require.Equal(t, 200, s.ask(t, "POST", "/api/setups/1/rig", ask.RigAsk{Gaze: gaze, Subject: "figure", Mood: "Side split"}, &r))
	op := func(path string, v any) edits.Op {
		b, err := json.Marshal(v)
		require.NoError(t, err)
		return edits.Op{Op: "add", Path: path, Value: b}
	}
	e := edits.Edit{Person: "ada", Window: "w", Seq: 1, Label: "rig", Ops: []edits.Op{op("/groups/rig", r.Group)}}
	for i, l := range r.Lights {
		l.Group = "rig"
		e.Ops = append(e.Ops, op("/lights/"+[]string{"one", "two", "three"}[i], l))
	}
	require.Equal(t, 200, s.ask(t, "POST", "/api/setups/1/edits", e, nil))
	get := func(path string) []byte {
		res, err := s.app.Test(httptest.NewRequest("GET", "http://127.0.0.1"+path, nil), fiber.TestConfig{Timeout: 20 * time.Second})
		require.NoError(t, err)
		require.Equal(t, 200, res.StatusCode, path)
		b, err := io.ReadAll(res.Body)
		require.NoError(t, err)
		return b
	}
	text := get("/api/setups/1/rigs/rig")
	tpl, err := rig.Parse("saved", text)
	require.NoError(t, err)
	require.Len(t, tpl.Lights, len(r.Lights))
	var again ask.RigAnswer
	require.Equal(t, 200, s.ask(t, "POST", "/api/setups/1/rig", ask.RigAsk{Gaze: gaze, Subject: "figure", Template: string(text)}, &again))
	for i := range r.Lights {
		for k := range 3 {
			require.InDelta(t, r.Lights[i].Position[k], again.Lights[i].Position[k], 2e-3)
		}
	}
	var f Fault
	require.Equal(t, 422, s.ask(t, "POST", "/api/setups/1/rig", ask.RigAsk{Gaze: gaze, Subject: "figure", Template: "{}"}, &f))
	back, err := gltf.Read(t.Context(), "out.glb", get("/api/setups/1/lights.glb"), nil, gltf.DefaultLimits())
	require.NoError(t, err)
	doc, _ := exchange.FromScene(back, "console-60")
	require.Equal(t, r.Lights[0].Output, doc.Lights["one"].Output)
}

// Luminaire files and slides are read, kept and shown; bad ones say where.
func TestProfilesAndSlides(t *testing.T) {
	s := serve(t)
	p := &photometry.Profile{Geometry: photometry.TypeC, Vertical: []float64{0, 45, 90}, Horizontal: []float64{0}, Values: [][]float64{{300, 150, 0}}, Lamps: 1, LumensPerLamp: 800}
	require.NoError(t, p.Prepare())
	data := ies.Write(p, nil)
	var k KeptProfile
	require.Equal(t, 200, s.ask(t, "POST", "/api/profiles", data, &k, "X-File-Name", "a.ies"))
	require.InEpsilon(t, p.Flux(), k.Flux, 1e-9)
	require.Equal(t, 800.0, k.Lamp)
	var curve Polar
	require.Equal(t, 200, s.ask(t, "GET", "/api/profiles/"+k.Blob, nil, &curve))
	require.Len(t, curve.Along, 361)
	require.InDelta(t, 1, curve.Along[180], 1e-9, "straight ahead")
	var f Fault
	require.Equal(t, 422, s.ask(t, "POST", "/api/profiles", data[:len(data)-9], &f, "X-File-Name", "torn.ies"))
	require.Contains(t, f.What, "torn.ies, line")
	require.NotEmpty(t, f.Remedy)
	require.Equal(t, 422, s.ask(t, "POST", "/api/slides", []byte("no picture"), &f, "X-File-Name", "x.png"))
	require.Equal(t, 200, s.ask(t, "GET", "/api/slides/leaves", nil, nil))
	var pal Palette
	require.Equal(t, 200, s.ask(t, "GET", "/api/palette", nil, &pal))
	require.NotEmpty(t, pal.Gels)
}
