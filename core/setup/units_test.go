package setup_test

import (
	"testing"

	"github.com/stretchr/testify/require"
	"willowherb/core/edits"
	"willowherb/core/setup"
	"willowherb/core/setup/setuptest"
)

// Documents once told lamps in EV too: they are read as bright as they were, by what
// a meter reads as it (ISO 2720: 2.5 lux falling on it, 0.125 cd/m2 seen, at EV 0).
func TestLampsToldInEVAreReadAsTheyWere(t *testing.T) {
	s, err := setup.Parse([]byte(`{"version":1,"name":"t","target":"","curve":"plain","lights":{
		"a":{"name":"A","kind":"point","unit":"ev","output":3,"carry":"live","colour":{"kelvin":5000}},
		"b":{"name":"B","kind":"sky","unit":"ev","output":4,"carry":"live","colour":{"kelvin":5000}}}}`))
	require.NoError(t, err)
	a, b := s.Lights["a"], s.Lights["b"]
	require.Equal(t, []any{setup.Lux, 20.0, 1.0}, []any{a.Unit, a.Output, a.UnitAt})
	require.Equal(t, []any{setup.Nit, 2.0, 0.0}, []any{b.Unit, b.Output, b.UnitAt})
	back, err := edits.Replay(s, [][]edits.Op{{{Op: "replace", Path: "/lights/a/unit", Value: setuptest.Raw("ev")}, {Op: "replace", Path: "/lights/a/output", Value: setuptest.Raw(3)}}})
	require.NoError(t, err)
	require.Equal(t, setup.Lux, back.Lights["a"].Unit, "a state of the history too")
}
