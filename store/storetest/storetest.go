// Package storetest makes empty databases for tests, on the cluster that
// scripts/test starts.
package storetest

import (
	"context"
	"fmt"
	"math/rand/v2"
	"net/url"
	"os"
	"testing"

	"github.com/jackc/pgx/v5"
	"github.com/stretchr/testify/require"
)

// Database creates an empty database and returns its address. Without a test
// cluster the test is skipped.
func Database(t *testing.T) string {
	base := os.Getenv("WILLOWHERB_TEST_DB")
	if base == "" {
		t.Skip("WILLOWHERB_TEST_DB is not set; scripts/test starts a cluster and sets it")
	}
	ctx := context.Background()
	c, err := pgx.Connect(ctx, base)
	require.NoError(t, err)
	defer c.Close(ctx)
	name := fmt.Sprintf("t%d", rand.Uint64())
	_, err = c.Exec(ctx, "CREATE DATABASE "+name)
	require.NoError(t, err)
	u, err := url.Parse(base)
	require.NoError(t, err)
	u.Path = "/" + name
	return u.String()
}
