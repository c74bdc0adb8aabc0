package server

import (
	"context"
	"fmt"
	"net/http/httptest"
	"testing"

	"github.com/gofiber/fiber/v3"
	"github.com/stretchr/testify/require"
	"willowherb/ask"
	"willowherb/core/scene"
	"willowherb/core/setup"
	"willowherb/core/vec"
	"willowherb/core/weigh"
	"willowherb/format/gltf"
	"willowherb/journal"
	"willowherb/room"
)

func TestSnapshotsAndHistory(t *testing.T) {
	s := serve(t)
	imported(t, s)
	var p journal.Snapshot
	require.Equal(t, 200, s.ask(t, "POST", "/api/setups/1/snapshots", SnapshotAsk{Name: " before ", View: "down"}, &p))
	require.Equal(t, "before", p.Name)
	require.Equal(t, 200, s.ask(t, "POST", "/api/setups/1/edits", stops(1.5), nil))
	require.Equal(t, 200, s.ask(t, "PUT", "/api/setups/1/snapshots/1", SnapshotAsk{Name: "at first"}, nil))
	var all []journal.Snapshot
	require.Equal(t, 200, s.ask(t, "GET", "/api/setups/1/snapshots", nil, &all))
	require.Equal(t, "at first", all[0].Name)
	r, err := s.app.Test(httptest.NewRequest("GET", "http://127.0.0.1/api/setups/1/snapshots/1/picture", nil), fiber.TestConfig{Timeout: 0})
	require.NoError(t, err)
	defer r.Body.Close()
	require.Equal(t, "image/png", r.Header.Get("Content-Type"))
	var lines []journal.Line
	require.Equal(t, 200, s.ask(t, "GET", "/api/setups/1/history", nil, &lines))
	require.Len(t, lines, 1)
	var a Answer
	require.Equal(t, 200, s.ask(t, "POST", "/api/setups/1/revert", RevertAsk{Window: "w", Seq: 5, Snapshot: 1, Label: "Back to “at first”"}, &a))
	require.Equal(t, "Back to “at first”", a.Undo)
	var f Fault
	require.Equal(t, 409, s.ask(t, "POST", "/api/setups/1/revert", RevertAsk{Window: "w", Seq: 6, Revision: 0, Label: "Back"}, &f))
	require.Equal(t, 200, s.ask(t, "POST", "/api/setups/1/revert", RevertAsk{Window: "w", Seq: 7, Revision: 1, Label: "Forth"}, &a))
	require.Equal(t, 200, s.ask(t, "DELETE", "/api/setups/1/snapshots/1", nil, nil))
	require.Equal(t, 404, s.ask(t, "DELETE", "/api/setups/1/snapshots/1", nil, &f))
	require.Equal(t, 422, s.ask(t, "POST", "/api/setups/1/snapshots", SnapshotAsk{Name: " ", View: "down"}, &f))
	require.Contains(t, f.What, "name")
	require.Equal(t, 404, s.ask(t, "POST", "/api/setups/1/aside", AsideAsk{Window: "nobody"}, &f))
}

func TestWeighAndStage(t *testing.T) {
	s := serve(t)
	imported(t, s)
	var r weigh.Reading
	require.Equal(t, 200, s.ask(t, "POST", "/api/setups/1/weigh", ask.Point{Gaze: room.Gaze{View: "down"}, X: 0.5, Y: 0.5}, &r))
	require.Equal(t, "floor", r.Object)
	require.InEpsilon(t, 314, r.Lux, 0.03, "a sky of 100 cd/m2 gives pi times as many lux")
	var f Fault
	require.Equal(t, 422, s.ask(t, "POST", "/api/setups/1/weigh", ask.Point{X: 2}, &f))
	require.Equal(t, 404, s.ask(t, "POST", "/api/setups/1/weigh", ask.Point{Gaze: room.Gaze{View: "gone"}}, &f))
	var st ask.StageFacts
	require.Equal(t, 200, s.ask(t, "GET", "/api/setups/1/stage", nil, &st))
	require.Equal(t, []string{"floor"}, st.Things[0].Materials)
	for _, path := range []string{"/api/setups/1/contrast?object=x&ev=1", "/api/setups/1/contrast?object=0&ev=x"} {
		require.Equal(t, 422, s.ask(t, "GET", path, nil, &f))
	}
	require.Equal(t, 404, s.ask(t, "GET", "/api/setups/1/contrast?object=0&ev=1&sight=none", nil, &f))
	require.Equal(t, 200, s.ask(t, "GET", "/api/setups/1/notice", nil, nil))
	require.Equal(t, 200, s.ask(t, "GET", "/api/setups/1/compare?sight=none&a=0&b=0", nil, nil))
}

func TestAPlaceIsBroughtInAgain(t *testing.T) {
	s := serve(t)
	imported(t, s)
	up := vec.V3{Y: 1}
	m := &gltf.Model{Materials: []gltf.ModelMaterial{{Name: "floor", BaseColor: [4]float64{0.5, 0.5, 0.5, 1}, Roughness: 1}}, Cameras: []scene.Camera{}}
	part := gltf.ModelPart{Pos: []vec.V3{{X: -5, Z: 5}, {X: 5, Z: 5}, {X: 5, Z: -5}}, Nrm: []vec.V3{up, up, up}, UV: make([]vec.V2, 3), Index: []uint32{0, 1, 2}}
	m.Nodes = []gltf.ModelNode{{Name: "floor", Parts: []gltf.ModelPart{part}}, {Name: "crate", Parts: []gltf.ModelPart{part}}}
	glb, err := gltf.Write(m)
	require.NoError(t, err)
	var a Again
	require.Equal(t, 200, s.ask(t, "POST", "/api/setups/1/place?window=w&seq=1", glb, &a, "X-File-Name", "floor2.glb"))
	require.Equal(t, []string{"crate"}, a.Report.New)
	require.Equal(t, []string{"floor"}, a.Report.Changed)
	require.Contains(t, a.Answer.Undo, "floor2.glb")
	var st ask.StageFacts
	require.Equal(t, 200, s.ask(t, "GET", "/api/setups/1/stage", nil, &st))
	require.Equal(t, 2, st.Triangles)
	require.Equal(t, 200, s.ask(t, "POST", "/api/setups/1/undo", UndoAsk{Window: "w", Seq: 2}, nil))
	require.Equal(t, 200, s.ask(t, "GET", "/api/setups/1/stage", nil, &st))
	require.Len(t, st.Things, 1, "undo brings the old file back")
	var f Fault
	require.Equal(t, 422, s.ask(t, "POST", "/api/setups/1/place?window=w&seq=3", []byte("no"), &f))
	require.Equal(t, 422, s.ask(t, "POST", "/api/setups/1/place", glb, &f))
	var made Imported
	require.Equal(t, 200, s.ask(t, "POST", "/api/setups/1/copy", NameAsk{Name: "Storm"}, &made))
	var u struct {
		Project  string      `json:"project"`
		Document setup.Setup `json:"document"`
	}
	require.Equal(t, 200, s.ask(t, "GET", "/api/setups/2", nil, &u))
	require.Equal(t, "Storm", u.Document.Name)
	require.Equal(t, 422, s.ask(t, "POST", "/api/setups/1/copy", NameAsk{}, &f))
}

// The demo is put in once, is found again, and is brought back where it was removed.
func TestTheDemoIsPutInAndBroughtBack(t *testing.T) {
	s := serve(t)
	var f Fault
	require.Equal(t, 404, s.ask(t, "POST", "/api/demo", nil, &f))
	in := imported(t, s)
	s.Demo = func(context.Context) (int64, error) { return in.ID, nil }
	var got Imported
	require.Equal(t, 200, s.ask(t, "POST", "/api/demo", nil, &got))
	require.Equal(t, in.ID, got.ID)
	require.Equal(t, 200, s.ask(t, "DELETE", fmt.Sprintf("/api/setups/%d", in.ID), nil, nil))
	require.Equal(t, 200, s.ask(t, "POST", "/api/demo", nil, &got))
	var list []journal.Listed
	require.Equal(t, 200, s.ask(t, "GET", "/api/setups", nil, &list))
	require.Nil(t, list[0].Removed)
}
