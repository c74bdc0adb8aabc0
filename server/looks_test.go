package server

import (
	"encoding/json"
	"testing"

	"github.com/stretchr/testify/require"
	"willowherb/ask"
	"willowherb/core/edits"
	"willowherb/core/setup"
	"willowherb/core/weigh"
	"willowherb/journal"
	"willowherb/room"
)

func lay(path string, v any) edits.Op {
	b, _ := json.Marshal(v)
	return edits.Op{Op: "add", Path: path, Value: b}
}

// What is lit is lit as the look that is worn has it; the document keeps both, and so does a
// snapshot of it.
func TestALookIsWhatIsShown(t *testing.T) {
	s := serve(t)
	imported(t, s)
	var u struct{ Document setup.Setup }
	require.Equal(t, 200, s.ask(t, "GET", "/api/setups/1", nil, &u))
	var lamp string
	for id, l := range u.Document.Lights {
		if l.Kind == setup.Sky {
			lamp = id
		}
	}
	require.NotEmpty(t, lamp)
	less := -2.0
	seq := int64(0)
	edit := func(ops ...edits.Op) {
		seq++
		var a any
		require.Equal(t, 200, s.ask(t, "POST", "/api/setups/1/edits", EditAsk{Window: "w", Seq: seq, Target: "base", Label: "x", Ops: ops}, &a), "%v", a)
	}
	weighed := func() float64 {
		var r weigh.Reading
		require.Equal(t, 200, s.ask(t, "POST", "/api/setups/1/weigh", ask.Point{Gaze: room.Gaze{View: "down"}, X: 0.5, Y: 0.5, Careful: true}, &r))
		for _, sh := range r.Shares {
			if sh.Light == lamp {
				return sh.Lux
			}
		}
		return 0
	}
	before := weighed()
	require.Positive(t, before)
	edit(lay("/looks/dim", setup.Look{Name: "Dim", Overrides: map[string]setup.Override{"/lights/" + lamp + "/stops": {Stops: &less}}}), lay("/look", "dim"))
	require.InEpsilon(t, before/4, weighed(), 0.02)
	var lines []ask.LookLine
	require.Equal(t, 200, s.ask(t, "GET", "/api/setups/1/looks", nil, &lines))
	require.Len(t, lines, 2)
	require.Contains(t, lines[1].Sentence, "−2 st")
	require.NotEqual(t, lines[0].Stamp, lines[1].Stamp)

	var kept journal.Snapshot
	require.Equal(t, 200, s.ask(t, "POST", "/api/setups/1/snapshots", SnapshotAsk{Name: "With a look", View: "down"}, &kept))
	edit(lay("/look", ""))
	require.InEpsilon(t, before, weighed(), 0.02)
	var a any
	require.Equal(t, 200, s.ask(t, "POST", "/api/setups/1/revert", RevertAsk{Window: "w", Seq: 50, Label: "Back", Snapshot: kept.ID}, &a), "%v", a)
	require.Equal(t, 200, s.ask(t, "GET", "/api/setups/1", nil, &u))
	require.Equal(t, "dim", u.Document.Look)
	require.Len(t, u.Document.Looks["dim"].Overrides, 1)
	require.InEpsilon(t, before/4, weighed(), 0.02)

	var o ask.Overrides
	require.Equal(t, 200, s.ask(t, "POST", "/api/setups/1/looks/blend", ask.BlendAsk{Second: "dim", Share: 0.5}, &o))
	require.JSONEq(t, "-1", string(o.Overrides["/lights/"+lamp+"/stops"].Set))
	var m ask.LookAnswer
	require.Equal(t, 200, s.ask(t, "POST", "/api/setups/1/looks/merge", ask.LookAsk{Look: "dim"}, &m))
	seq = 60
	edit(m.Ops...)
	require.InEpsilon(t, before/4, weighed(), 0.02)
	var f Fault
	require.Equal(t, 404, s.ask(t, "POST", "/api/setups/1/looks/merge", ask.LookAsk{Look: "none"}, &f))
	require.Equal(t, 404, s.ask(t, "POST", "/api/setups/1/looks/blend", ask.BlendAsk{Second: "none"}, &f))
}
