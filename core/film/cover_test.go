package film

import (
	"testing"

	"github.com/stretchr/testify/require"
)

func TestMeet(t *testing.T) {
	solid, pane := Cell{}, Cell{Pane: true}
	for want, cells := range map[int][][]Cell{0: {nil}, 1: {{solid}, {pane}, {solid, pane}, {pane, pane}}, 2: {{solid, solid}, {pane, solid, solid}}} {
		for _, c := range cells {
			require.Equal(t, want, Meet(c), "%v", c)
		}
	}
}
