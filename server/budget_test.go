package server

import (
	"encoding/json"
	"io"
	"strings"
	"testing"
	"time"

	"github.com/gofiber/fiber/v3"
	"github.com/stretchr/testify/require"
	"willowherb/ask"
	"willowherb/core/calibrate"
	"willowherb/core/edits"
	"willowherb/core/setup"
	"willowherb/core/target"
)

// The sheet, timings that are measured and fitted, broken files, a target file, a route and savings.
func TestBudgetOverTheWire(t *testing.T) {
	s := serve(t)
	imported(t, s)
	var sheet ask.Sheet
	require.Equal(t, 200, s.ask(t, "POST", "/api/setups/1/budget", ask.FrameAsk{View: "down"}, &sheet))
	require.Positive(t, sheet.Frame.Ms)
	require.Nil(t, sheet.Kept)
	require.Len(t, sheet.Formulas, len(sheet.Frame.Passes))
	var f Fault
	require.Equal(t, 404, s.ask(t, "POST", "/api/setups/1/budget", ask.FrameAsk{View: "nowhere"}, &f))
	require.Equal(t, 404, s.ask(t, "POST", "/api/setups/1/budget", ask.FrameAsk{View: "down", Beside: 77}, &f))
	require.Equal(t, 404, s.ask(t, "POST", "/api/setups/1/budget", ask.FrameAsk{View: "down", Route: "none"}, &f))
	require.Equal(t, 422, s.ask(t, "POST", "/api/setups/1/budget", ask.FrameAsk{Camera: &setup.View{FovY: 50}}, &f))
	require.Equal(t, 422, s.ask(t, "POST", "/api/setups/1/budget", ask.FrameAsk{View: "down", Ground: [3]float64{1e9}}, &f))
	// The camera of a view costs what the view does; alone and looked at briefly, nearly so.
	var own, brief ask.Sheet
	var u struct{ Document setup.Setup }
	require.Equal(t, 200, s.ask(t, "GET", "/api/setups/1", nil, &u))
	down := u.Document.Views["down"]
	require.Equal(t, 200, s.ask(t, "POST", "/api/setups/1/budget", ask.FrameAsk{Camera: &down}, &own))
	require.InDelta(t, sheet.Frame.Ms, own.Frame.Ms, 1e-9)
	require.Equal(t, 200, s.ask(t, "POST", "/api/setups/1/budget", ask.FrameAsk{Camera: &down, Brief: true}, &brief))
	require.InEpsilon(t, sheet.Frame.Ms, brief.Frame.Ms, 0.2)
	require.Empty(t, brief.Steps)
	down.Eye[1] += 300
	require.Equal(t, 200, s.ask(t, "POST", "/api/setups/1/budget", ask.FrameAsk{Camera: &down}, &own))
	require.NotEqual(t, sheet.Frame.Ms, own.Frame.Ms)
	var at [3]float64
	require.Equal(t, 422, s.ask(t, "POST", "/api/setups/1/ground", [3]float64{5e5, 0, 0}, &f))
	require.Equal(t, 200, s.ask(t, "POST", "/api/setups/1/ground", [3]float64{0, 2, 0}, &at))
	require.InDelta(t, 0, at[1], 1e-3, "the floor")
	require.Equal(t, 200, s.ask(t, "POST", "/api/setups/1/snapshots", SnapshotAsk{Name: "Before", View: "down"}, nil))
	require.Equal(t, 200, s.ask(t, "POST", "/api/setups/1/budget", ask.FrameAsk{View: "down", Beside: 1}, &sheet))
	require.InDelta(t, sheet.Frame.Ms, sheet.Kept.Ms, 1e-9, "nothing has changed since")

	send := func(path, text string, out any) int {
		r, err := s.app.Test(s.request(t, "POST", path, []byte(text), "X-File-Name", "mine.csv"), fiber.TestConfig{Timeout: 0})
		require.NoError(t, err)
		defer r.Body.Close()
		data, err := io.ReadAll(r.Body)
		require.NoError(t, err)
		require.NoError(t, json.Unmarshal(data, out), string(data))
		return r.StatusCode
	}
	r, err := s.app.Test(s.request(t, "GET", "/api/setups/1/timings.csv?seed=4", nil), fiber.TestConfig{Timeout: 0})
	require.NoError(t, err)
	defer r.Body.Close()
	csv, err := io.ReadAll(r.Body)
	require.NoError(t, err)
	require.True(t, strings.HasPrefix(string(csv), "camera,frame,pass,ms\n"))
	require.Equal(t, 422, s.ask(t, "GET", "/api/setups/1/timings.csv?seed=x", nil, &f))
	var fit calibrate.Fit
	require.Equal(t, 200, send("/api/setups/1/calibration", string(csv), &fit))
	require.NoError(t, fit.Target.Check())
	require.Equal(t, "console-60-measured", fit.Target.ID)
	require.Equal(t, 422, send("/api/setups/1/calibration", "camera,frame,pass,ms\nA,0,fog,x\n", &f))
	require.Contains(t, f.What, "mine.csv, line 2")
	require.Contains(t, f.Remedy, "layout")
	require.Equal(t, 422, send("/api/setups/1/calibration?mapping=%7B", string(csv), &f))
	require.Equal(t, 422, send("/api/setups/1/calibration", "camera,frame,pass,ms\nNowhere,0,fog,1\n", &f))
	require.Contains(t, f.What, "named as views")

	var dev target.Target
	require.Equal(t, 200, send("/api/targets", string(target.All()[1].JSON()), &dev))
	require.Equal(t, target.All()[1], dev)
	require.Equal(t, 422, send("/api/targets", "{", &f))
	require.Contains(t, f.What, "line 1")

	var w ask.WalkState
	require.Equal(t, 404, s.ask(t, "POST", "/api/setups/1/route/none", nil, &f))
	require.Equal(t, 200, s.ask(t, "GET", "/api/setups/1/route", nil, &w))
	require.Equal(t, "none", w.Task.State)
	way := setup.StandardRoute()
	way.Stops = []setup.Stop{{At: [3]float64{-1, 0, 0}}, {At: [3]float64{1, 0, 0.5}}}
	put := func(seq int64, way setup.Route) EditAsk {
		raw, err := json.Marshal(way)
		require.NoError(t, err)
		return EditAsk{Window: "w", Seq: seq, Label: "A route", Ops: []edits.Op{{Op: "add", Path: "/routes/way", Value: raw}}}
	}
	walked := func(state string) bool {
		require.Equal(t, 200, s.ask(t, "POST", "/api/setups/1/route/way", nil, &w))
		return settled(t, func() bool {
			require.Equal(t, 200, s.ask(t, "GET", "/api/setups/1/route", nil, &w))
			return w.Task.State == state
		})
	}
	require.Equal(t, 200, s.ask(t, "POST", "/api/setups/1/edits", put(1, way), nil))
	require.True(t, walked("done"))
	require.Greater(t, len(w.Walked.Steps), 3)
	require.Equal(t, int64(1), w.Task.Revision)
	way.Stops[1].At[1] = 40
	require.Equal(t, 200, s.ask(t, "POST", "/api/setups/1/edits", put(2, way), nil))
	require.True(t, walked("failed"))
	require.Contains(t, w.Task.Error, "nobody can stand")

	var sv ask.SavingsState
	require.Equal(t, 200, s.ask(t, "POST", "/api/setups/1/savings", ask.SavingsAsk{Views: []string{}, Limit: 0.05}, &sv))
	require.True(t, settled(t, func() bool {
		require.Equal(t, 200, s.ask(t, "GET", "/api/setups/1/savings", nil, &sv))
		return sv.Task.State == "done"
	}))
	require.False(t, sv.Result.Reached, "nothing brings a frame under so little")
	// Along a route: its way leads nowhere yet; on the ground it has steps of its own.
	require.Equal(t, 404, s.ask(t, "POST", "/api/setups/1/savings", ask.SavingsAsk{Route: "none"}, &f))
	saved := func(state string) bool {
		require.Equal(t, 200, s.ask(t, "POST", "/api/setups/1/savings", ask.SavingsAsk{Route: "way", Limit: 0.05}, &sv))
		return settled(t, func() bool {
			require.Equal(t, 200, s.ask(t, "GET", "/api/setups/1/savings", nil, &sv))
			return sv.Task.State == state
		})
	}
	require.True(t, saved("failed"))
	require.Contains(t, sv.Task.Error, "nobody can stand")
	way.Stops[1].At[1] = 0
	require.Equal(t, 200, s.ask(t, "POST", "/api/setups/1/edits", put(3, way), nil))
	require.True(t, saved("done"))
	require.NotEmpty(t, sv.Result.Views)
	require.GreaterOrEqual(t, sv.Result.Views[0].Step, 0)
	require.Greater(t, sv.Result.Others, 0)
	require.Equal(t, 422, s.ask(t, "POST", "/api/setups/1/savings", ask.SavingsAsk{Limit: -1}, &f))
	require.Equal(t, 422, s.ask(t, "POST", "/api/setups/1/savings", ask.SavingsAsk{LimitMB: -1}, &f))
	require.Equal(t, 404, s.ask(t, "POST", "/api/setups/1/savings", ask.SavingsAsk{Views: []string{"nowhere"}}, &f))
	require.Equal(t, 200, s.ask(t, "DELETE", "/api/setups/1/tasks", nil, nil))
}

// settled waits until something is so.
func settled(t *testing.T, so func() bool) bool {
	for end := time.Now().Add(60 * time.Second); time.Now().Before(end); time.Sleep(30 * time.Millisecond) {
		if so() {
			return true
		}
	}
	t.Log("it never was")
	return false
}
