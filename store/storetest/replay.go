package storetest

import (
	"encoding/json"
	"testing"

	jsonpatch "github.com/evanphx/json-patch/v5"
	"github.com/stretchr/testify/require"
	"willowherb/core/edits"
	"willowherb/core/setup"
)

// Replay applies the operations of a journal, in order, to its first document, with
// the patch library alone: what the application makes of an edit has no part in it.
func Replay(t *testing.T, first []byte, edits [][]edits.Op) *setup.Setup {
	t.Helper()
	doc := first
	for _, ops := range edits {
		p, err := json.Marshal(ops)
		require.NoError(t, err)
		patch, err := jsonpatch.DecodePatch(p)
		require.NoError(t, err)
		doc, err = patch.Apply(doc)
		require.NoError(t, err)
	}
	s, err := setup.Parse(doc)
	require.NoError(t, err)
	return s
}
