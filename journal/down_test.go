package journal_test

import (
	"database/sql"
	"os"
	"testing"

	_ "github.com/jackc/pgx/v5/stdlib"
	"github.com/pressly/goose/v3"
	"github.com/stretchr/testify/require"
)

// down takes the last migration back.
func down(t testing.TB, url string) {
	db, err := sql.Open("pgx", url)
	require.NoError(t, err)
	defer db.Close()
	p, err := goose.NewProvider(goose.DialectPostgres, db, os.DirFS("../store/migrations"))
	require.NoError(t, err)
	_, err = p.Down(ctx)
	require.NoError(t, err)
}
