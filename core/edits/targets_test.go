package edits

import (
	"encoding/json"
	"testing"

	"github.com/stretchr/testify/require"
	"willowherb/core/setup"
	"willowherb/core/setup/setuptest"
	"willowherb/core/target"
)

// A device and a route of the setup's own are added, changed and taken back as anything else is.
func TestDevicesAndRoutesAreEdited(t *testing.T) {
	doc, err := setup.Parse(setuptest.Sample().JSON())
	require.NoError(t, err)
	dev := target.All()[0]
	dev.ID = "mine"
	r := setup.StandardRoute()
	r.Stops = []setup.Stop{{At: [3]float64{1, 0, 2}}}
	raw := func(v any) json.RawMessage { return setuptest.Raw(v) }
	c, err := Apply(doc, []Op{{Op: "add", Path: "/targets/mine", Value: raw(dev)}, {Op: "replace", Path: "/target", Value: raw("mine")},
		{Op: "add", Path: "/routes/way", Value: raw(r)}})
	require.NoError(t, err)
	require.Equal(t, dev, *c.After.Device())
	require.Equal(t, r, c.After.Routes["way"])
	again, err := setup.Parse(c.After.JSON())
	require.NoError(t, err)
	require.Equal(t, c.After.Targets, again.Targets)
	back, kept := Reverse(c.After, c.Ops, c.Inverse)
	require.Empty(t, kept)
	require.Equal(t, doc.JSON(), back.After.JSON())
	dev.Passes[0].Terms[0].Ns = -1
	_, err = Apply(c.After, []Op{{Op: "replace", Path: "/targets/mine", Value: raw(dev)}})
	require.ErrorIs(t, err, setup.ErrInvalid)
}
