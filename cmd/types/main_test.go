package main

import (
	"os"
	"testing"

	"github.com/stretchr/testify/require"
)

func TestTypesHaveNotDrifted(t *testing.T) {
	have, err := os.ReadFile("../../" + Path)
	require.NoError(t, err)
	require.Equal(t, Generate(), string(have), "run: go run ./cmd/types")
	have, err = os.ReadFile("../../" + SchemaPath)
	require.NoError(t, err)
	require.Equal(t, Schema(), string(have), "run: go run ./cmd/types")
}
