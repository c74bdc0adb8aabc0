package staging

import (
	"testing"

	"github.com/stretchr/testify/require"
	"willowherb/core/scene"
	"willowherb/core/setup"
)

// An object's channels are those of the nearest node that says so, and part of the
// stage's key.
func TestChannelsOfObjects(t *testing.T) {
	bits := func(b uint8) *uint8 { return &b }
	s := &setup.Setup{Version: setup.Version, Name: "t", Curve: "plain", Objects: map[string]setup.Object{"all": {Path: "Hall", Channels: bits(3)}, "one": {Path: "Hall/pump", Channels: bits(4)}, "still": {Path: "Hall/pump/wheel", Locked: true}}}
	require.NoError(t, s.Validate())
	st := Of(s, "blob", "file")
	sc := &scene.Scene{Objects: []scene.Object{{Path: "Hall/wall"}, {Path: "Hall/pump"}, {Path: "Hall/pump/wheel"}, {Path: "Marsh"}}}
	require.Equal(t, []uint8{3, 4, 4, 0xff}, st.Channels(sc))
	plain := *s
	plain.Objects = map[string]setup.Object{"all": {Path: "Hall", Channels: bits(0xff)}}
	rest := Of(&plain, "blob", "file")
	require.NotEqual(t, rest.Key, st.Key)
	require.Equal(t, rest.Geometry, st.Geometry, "no tree is built for channels")
}
