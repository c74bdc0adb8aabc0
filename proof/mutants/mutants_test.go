package main

import (
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
)

// TestBreakagesStand: what is to be broken stands in the code, once.
func TestBreakagesStand(t *testing.T) {
	for _, m := range mutants {
		data, err := os.ReadFile(filepath.Join("..", "..", m.file))
		require.NoError(t, err, m.what)
		if n := strings.Count(string(data), m.old); n != 1 {
			t.Errorf("%s: %q stands %d times in %s", m.what, m.old, n, m.file)
		}
	}
}
