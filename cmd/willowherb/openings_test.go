package main

import (
	"context"
	"encoding/json"
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/require"
	"willowherb/core/setup"
	"willowherb/core/setup/setuptest"
)

// On an open floor there is no opening but the one that the setup marks, told with where the sky is
// seen through it; a point outside that is told none.
func TestOpenings(t *testing.T) {
	s := setuptest.Sample()
	s.Lights["sky"] = setup.Light{Name: "Sky", Kind: setup.Sky, Output: 10, Colour: setup.Colour{Kelvin: 6500}, Channels: 255, Carry: setup.Live}
	s.Lights["mouth"] = setup.Light{Name: "Mouth", Kind: setup.Rect, Width: 2, Height: 1, Opening: true, Off: true, Position: [3]float64{0, 1, 0}, Aim: [3]float64{0, -1, 0}, Colour: setup.Colour{Kelvin: 6500}, Channels: 255, Carry: setup.Live}
	require.NoError(t, s.Validate())
	doc := filepath.Join(t.TempDir(), "s.json")
	require.NoError(t, os.WriteFile(doc, s.JSON(), 0o600))
	c := openingsCmd{litPlace: litPlace{File: floor(t)}, JSON: true}
	ask := func() (out []openingReport) {
		text, err := said(t, func() error { return c.Run(context.Background()) })
		require.NoError(t, err)
		var r struct{ Openings []openingReport }
		require.NoError(t, json.Unmarshal([]byte(text), &r))
		require.NotNil(t, r.Openings)
		return r.Openings
	}
	require.Empty(t, ask())
	c.Setup = doc
	got := ask()
	require.Len(t, got, 1)
	require.True(t, got[0].Marked)
	require.Equal(t, 2.0, got[0].Width)
	require.Equal(t, [3]float64{0, 1, 0}, got[0].Centre)
	require.InDelta(t, 0, got[0].Bounds[0][0][1], 0.11, "down to the floor")
	c.At = "0.2,0,0.1"
	require.Len(t, ask(), 1)
	c.At = "0,3,0"
	require.Empty(t, ask())
	c.At = "up"
	require.ErrorContains(t, c.Run(context.Background()), "write x,y,z")
}
