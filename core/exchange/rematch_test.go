package exchange

import (
	"testing"

	"github.com/stretchr/testify/require"
	"willowherb/core/edits"
	"willowherb/core/setup"
	"willowherb/core/setup/setuptest"
)

func TestRematchFollowsPathsAndNames(t *testing.T) {
	s := setuptest.Sample()
	s.Objects = map[string]setup.Object{"lantern": {Path: "keeper/lantern", Part: setup.Mover}, "drone": {Path: "drone", Hidden: true}}
	s.Materials = map[string]setup.Material{"t": {Name: "tar"}}
	old := setuptest.Level(t, "floor", "keeper/lantern", "drone", "wall")
	now := setuptest.Level(t, "floor", "figure/lantern", "crate", "wall")
	now.V.Pos[9].Y = 3
	require.NoError(t, now.Finish())
	ops, r := Rematch(s, old, now)
	require.Equal(t, []edits.Op{{Op: "replace", Path: "/objects/lantern/path", Value: setuptest.Raw("figure/lantern")}}, ops)
	require.Equal(t, []string{"keeper/lantern to figure/lantern"}, r.Moved)
	require.Equal(t, []string{"crate"}, r.New)
	require.Equal(t, []string{"drone"}, r.Gone)
	require.Equal(t, []string{"wall"}, r.Changed)
	require.Equal(t, 1, r.Kept)
	require.Equal(t, []string{"drone", "material tar"}, r.Idle)
}
