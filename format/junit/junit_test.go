package junit

import (
	"bytes"
	"encoding/xml"
	"testing"

	"github.com/stretchr/testify/require"
	"willowherb/core/guard"
)

func TestWrittenAsBuildServersReadIt(t *testing.T) {
	var b bytes.Buffer
	require.NoError(t, Write(&b, "Evening", []guard.Check{
		{Of: "Hall <wide> & \"high\"", Rule: "frame time", State: guard.Broken, Says: "6 of 5 ms", Remedy: "less"},
		{Of: "Hall <wide> & \"high\"", Rule: "memory", State: guard.Unknown, Says: "no bake"},
		{Of: "Round", Rule: "light", State: guard.Kept, Says: "on all 40 m"}}))
	var got suites
	require.NoError(t, xml.Unmarshal(b.Bytes(), &got))
	require.Equal(t, 3, got.Tests)
	require.Equal(t, 1, got.Failures)
	require.Equal(t, 1, got.Skipped)
	require.Len(t, got.Suites, 2)
	first := got.Suites[0]
	require.Equal(t, "Evening: Hall <wide> & \"high\"", first.Name)
	require.Equal(t, 2, first.Tests)
	require.Equal(t, &message{"6 of 5 ms", "less"}, first.Cases[0].Failure)
	require.Equal(t, "no bake", first.Cases[1].Skipped.Message)
	require.Nil(t, got.Suites[1].Cases[0].Failure)
	b.Reset()
	require.NoError(t, Write(&b, "Empty", nil))
	require.NoError(t, xml.Unmarshal(b.Bytes(), &got))
}
