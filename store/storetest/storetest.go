// Package storetest makes empty databases for tests, on the cluster that
// scripts/test starts.
package storetest

import (
	"context"
	"fmt"
	"math/rand/v2"
	"net/url"
	"os"
	"strings"
	"testing"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/stretchr/testify/require"
)

// Database creates an empty database and returns its address. Without a test
// cluster the test fails: nothing is skipped in silence.
func Database(t testing.TB) string { return Copy(t, "") }

// Copy creates a database that begins as another one, which nobody may be using;
// an empty address stands for an empty database.
func Copy(t testing.TB, of string) string {
	base := os.Getenv("WILLOWHERB_TEST_DB")
	if base == "" {
		t.Fatal("WILLOWHERB_TEST_DB is not set; scripts/test starts a cluster and sets it")
	}
	ctx := context.Background()
	c, err := pgx.Connect(ctx, base)
	require.NoError(t, err)
	defer c.Close(ctx)
	name := fmt.Sprintf("t%d", rand.Uint64())
	from := ""
	if of != "" {
		u, err := url.Parse(of)
		require.NoError(t, err)
		from = " TEMPLATE " + strings.TrimPrefix(u.Path, "/")
	}
	// A server that was killed a moment ago leaves its connections behind for a little.
	require.Eventually(t, func() bool {
		_, err = c.Exec(ctx, "CREATE DATABASE "+name+from)
		return err == nil
	}, 10*time.Second, 50*time.Millisecond, "the database is made")
	u, err := url.Parse(base)
	require.NoError(t, err)
	u.Path = "/" + name
	return u.String()
}
