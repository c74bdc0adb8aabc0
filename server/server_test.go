package server

import (
	"bytes"
	"context"
	"encoding/json"
	"io"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"
	"testing/fstest"
	"time"

	"github.com/gofiber/fiber/v3"
	"github.com/stretchr/testify/require"
	"github.com/valyala/fasthttp"
	"willowherb/core/edits"
	"willowherb/core/scene"
	"willowherb/core/setup"
	"willowherb/core/vec"
	"willowherb/format/gltf"
	"willowherb/journal"
	"willowherb/refine"
	"willowherb/store"
	"willowherb/store/storetest"
)

func serve(t testing.TB) *Server { return serveAt(t, storetest.Database(t), 4*time.Second) }

func serveAt(t testing.TB, url string, patience time.Duration) *Server {
	db, err := store.Open(context.Background(), url)
	require.NoError(t, err)
	db.Patience = patience
	parts, err := Build(context.Background(), db, refine.Options{Width: 64, MaxSamples: 1, Workers: 2}, time.Minute, fstest.MapFS{"index.html": {Data: []byte("<!doctype html>")}, "assets/app-1a2b.js": {Data: []byte("let a = 1")}})
	require.NoError(t, err)
	t.Cleanup(func() { parts.Close(); db.Close() })
	s := New(parts)
	t.Cleanup(s.stop)
	return s
}

// Secrets of two browsers.
var (
	ada = strings.Repeat("a", 32)
	bea = strings.Repeat("b", 32)
)

// request makes a request of ada's.
func (s *Server) request(t testing.TB, method, path string, body any, header ...string) *http.Request {
	var r io.Reader
	switch b := body.(type) {
	case nil:
	case []byte:
		r = bytes.NewReader(b)
	default:
		j, err := json.Marshal(b)
		require.NoError(t, err)
		r = bytes.NewReader(j)
	}
	req := httptest.NewRequest(method, path, r)
	req.Host = "127.0.0.1:7461"
	req.Header.Set("Cookie", cookie+"="+ada)
	for i := 0; i+1 < len(header); i += 2 {
		req.Header.Set(header[i], header[i+1])
	}
	return req
}

// ask sends a request and decodes the answer into out; it returns the status.
func (s *Server) ask(t testing.TB, method, path string, body any, out any, header ...string) int {
	resp, err := s.app.Test(s.request(t, method, path, body, header...), fiber.TestConfig{Timeout: 0})
	require.NoError(t, err)
	defer resp.Body.Close()
	data, err := io.ReadAll(resp.Body)
	require.NoError(t, err)
	if out != nil {
		require.NoError(t, json.Unmarshal(data, out), string(data))
	}
	return resp.StatusCode
}

func fasthttpCtx() *fasthttp.RequestCtx { return &fasthttp.RequestCtx{} }

func floor(t *testing.T) []byte {
	up := vec.V3{Y: 1}
	m := &gltf.Model{Materials: []gltf.ModelMaterial{{Name: "floor", BaseColor: [4]float64{0.5, 0.5, 0.5, 1}, Roughness: 1}},
		Cameras: []scene.Camera{{Name: "Down", Eye: vec.V3{Y: 4}, Aim: vec.V3{Y: -1, Z: -0.1}, Up: up, FovY: 0.8, Aspect: 1}}}
	m.Nodes = []gltf.ModelNode{{Name: "floor", Parts: []gltf.ModelPart{{Pos: []vec.V3{{X: -5, Z: 5}, {X: 5, Z: 5}, {X: 5, Z: -5}, {X: -5, Z: -5}}, Nrm: []vec.V3{up, up, up, up}, UV: make([]vec.V2, 4), Index: []uint32{0, 1, 2, 0, 2, 3}}}}}
	glb, err := gltf.Write(m)
	require.NoError(t, err)
	return glb
}

func imported(t *testing.T, s *Server) Imported {
	var in Imported
	require.Equal(t, 200, s.ask(t, "POST", "/api/import", floor(t), &in, "X-File-Name", "my%20floor.glb"))
	return in
}

func stops(v any) EditAsk {
	b, _ := json.Marshal(v)
	return EditAsk{Window: "w", Seq: 1, Label: "Dim sky", Ops: []edits.Op{{Op: "replace", Path: "/lights/dim-sky/stops", Value: b}}}
}

func TestImportIsMeteredAndListed(t *testing.T) {
	s := serve(t)
	in := imported(t, s)
	require.Len(t, in.Notes, 1, "the sky that was put in is said")
	var list []journal.Listed
	require.Equal(t, 200, s.ask(t, "GET", "/api/setups", nil, &list))
	require.Equal(t, "my floor.glb", list[0].File)
	var u struct {
		Document setup.Setup `json:"document"`
	}
	require.Equal(t, 200, s.ask(t, "GET", "/api/setups/1", nil, &u))
	// About 50 cd/m2 of a floor of 0.5 under 100 cd/m2, and some by its own gloss.
	require.InDelta(t, 8.7, u.Document.Views["down"].EV, 0.25)
}

func TestEditUndoRedo(t *testing.T) {
	s := serve(t)
	imported(t, s)
	var a Answer
	require.Equal(t, 200, s.ask(t, "POST", "/api/setups/1/edits", stops(1.5), &a))
	require.Equal(t, Answer{Revision: 1, Label: "Dim sky", Kept: []string{}, Undo: "Dim sky"}, a)
	require.Equal(t, 200, s.ask(t, "POST", "/api/setups/1/undo", UndoAsk{Window: "w", Seq: 2}, &a))
	require.Equal(t, "Dim sky", a.Redo)
	require.Equal(t, 200, s.ask(t, "POST", "/api/setups/1/undo", UndoAsk{Window: "w", Seq: 3, Redo: true}, &a))
	require.Equal(t, "Dim sky", a.Undo)
	var f Fault
	require.Equal(t, 409, s.ask(t, "POST", "/api/setups/1/undo", UndoAsk{Window: "v", Seq: 1}, &f, "Cookie", cookie+"="+bea))
	require.Contains(t, f.What, "nothing left")
}

func TestRefusalsSayWhatToDo(t *testing.T) {
	s := serve(t)
	imported(t, s)
	gone := stops(1)
	gone.Ops[0].Path = "/lights/ghost/stops"
	nobody := stops(1)
	nobody.Window = "no name"
	elsewhere := stops(1)
	elsewhere.Target = "shot:one"
	for _, c := range []struct {
		name, method, path string
		body               any
		status             int
		want               string
	}{
		{"out of bounds", "POST", "/api/setups/1/edits", stops(99), 422, "/lights/dim-sky/stops"},
		{"place gone", "POST", "/api/setups/1/edits", gone, 409, "not in the setup any more"},
		{"nobody's", "POST", "/api/setups/1/edits", nobody, 422, "which window"},
		{"no such target", "POST", "/api/setups/1/edits", elsewhere, 422, "base only"},
		{"no JSON", "POST", "/api/setups/1/edits", []byte("{"), 422, "no JSON"},
		{"no such setup", "POST", "/api/setups/77/edits", stops(1), 404, "not here any more"},
		{"no number", "GET", "/api/setups/x", nil, 404, "not here any more"},
		{"not ready", "GET", "/api/setups/1/picture?view=down", nil, 404, "not ready"},
		{"no address", "GET", "/api/nothing", nil, 404, "nothing at this address"},
		{"no glTF", "POST", "/api/import", []byte("hello"), 422, "neither GLB nor glTF"},
		{"nothing to light", "POST", "/api/import", []byte(`{"asset":{"version":"2.0"}}`), 422, "no triangles"},
	} {
		t.Run(c.name, func(t *testing.T) {
			var f Fault
			require.Equal(t, c.status, s.ask(t, c.method, c.path, c.body, &f))
			require.Contains(t, f.What, c.want)
		})
	}
	var list []journal.Listed
	s.ask(t, "GET", "/api/setups", nil, &list)
	require.Len(t, list, 1, "nothing was half imported")
}

// A window may ask for what has just been replaced: that is no error.
func TestWhatIsReplacedIsNoError(t *testing.T) {
	s := serve(t)
	imported(t, s)
	for _, path := range []string{"layers/a/b/1", "maps/a", "drawn/a/albedo"} {
		require.Equal(t, 204, s.ask(t, "GET", "/api/setups/1/"+path, nil, nil), path)
	}
}

func TestOnlyItsOwnPagesAreAnswered(t *testing.T) {
	s := serve(t)
	require.Equal(t, 403, s.ask(t, "GET", "/api/setups", nil, nil, "Origin", "http://elsewhere.example"))
	require.Equal(t, 200, s.ask(t, "GET", "/api/setups", nil, nil, "Origin", "http://127.0.0.1:7461"))
	for _, site := range []string{"/api/setups", "/api/warmth", "/api/setups/1/live"} {
		require.Equal(t, 403, s.ask(t, "GET", site, nil, nil, "Sec-Fetch-Site", "cross-site"), site)
	}
	require.Equal(t, 200, s.ask(t, "GET", "/", nil, nil, "Sec-Fetch-Site", "cross-site"), "a link to it may stand anywhere")
	require.Equal(t, 415, s.ask(t, "POST", "/api/setups/1/weigh", []byte("x"), nil, "Content-Encoding", "gzip"))
	require.Equal(t, 200, s.ask(t, "GET", "/s/12", nil, nil), "any other page is the application")
}

func TestWarmthTableIsEvenInMired(t *testing.T) {
	s := serve(t)
	var w Warmth
	require.Equal(t, 200, s.ask(t, "GET", "/api/warmth", nil, &w))
	require.Greater(t, w.Colours[0][0], w.Colours[len(w.Colours)-1][0], "from the warmest to the coolest")
	for _, c := range w.Colours {
		require.InDelta(t, 1, 0.2126*c[0]+0.7152*c[1]+0.0722*c[2], 1e-6)
	}
	require.True(t, strings.HasPrefix(sentence("a word"), "A word."))
}
