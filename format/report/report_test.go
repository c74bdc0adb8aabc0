package report

import (
	"bytes"
	"testing"

	"github.com/stretchr/testify/require"
	"willowherb/core/guard"
)

func TestOneFileThatNeedsNothing(t *testing.T) {
	var b bytes.Buffer
	require.NoError(t, Write(&b, &Report{Title: "Evening <script>", Target: "Console", Checks: []guard.Check{{Of: "Hall", Rule: "frame time", State: guard.Broken, Says: "6 of 5 ms", Remedy: "less"}},
		Views:  []View{{Name: "Hall", PNG: []byte{1, 2, 3}, Ms: 6, LimitMs: 5, Passes: []Line{{"fog", 0.25}}, Lights: []Line{{"Lantern", 1.5}}}},
		Routes: []Route{{Name: "Round", Metres: 40, Cost: "0,1 2,3", Spots: []Spot{{Says: "Too dark", At: 12}}}}, Notes: []string{"a note"}}))
	s := b.String()
	for _, want := range []string{"Evening &lt;script&gt;", "rules are broken", `class="broken"`, "data:image/png;base64,AQID", "6.00 of 5.00 ms", "0.250 ms", "Lantern 1.50", `points="0,1 2,3"`, "12 m", "a note", "width: 100%"} {
		require.Contains(t, s, want)
	}
	require.NotContains(t, s, "http", "it asks no server for anything")
	require.NotContains(t, s, "ZgotmplZ")
}
