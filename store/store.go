// Package store is the PostgreSQL database: connecting to it, bringing its tables
// up to date, and telling what is wrong from what is merely away. A database that
// is being restarted is waited for; what is still not there after that is an
// ErrAway, which the same request may be tried again after.
package store

import (
	"context"
	"embed"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"log/slog"
	"net"
	"strings"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgconn"
	"github.com/jackc/pgx/v5/pgxpool"
	"github.com/jackc/pgx/v5/stdlib"
	"github.com/pressly/goose/v3"
	"github.com/pressly/goose/v3/lock"
)

//go:embed migrations/*.sql
var migrations embed.FS

// ErrNotFound means that what was asked for is not in the database.
var ErrNotFound = errors.New("not found")

// ErrAway means that the database does not answer, or is too busy: nothing is wrong
// with the request, and it may be tried again.
var ErrAway = errors.New("the database is away")

// DB is the database; safe for concurrent use.
type DB struct {
	Pool *pgxpool.Pool
	// Patience is how long an operation waits for a database that is away.
	Patience time.Duration
}

// Open connects to the database at url, waits up to ten seconds for it, and
// brings its tables up to date. Errors do not repeat the address.
func Open(ctx context.Context, url string) (*DB, error) {
	cfg, err := pgxpool.ParseConfig(url)
	if err != nil {
		return nil, errors.New("the database address is not understood; it looks like postgres://user@127.0.0.1:5432/willowherb")
	}
	if !strings.Contains(url, "pool_max_conns") {
		cfg.MaxConns = max(cfg.MaxConns, 12)
	}
	cfg.ConnConfig.ConnectTimeout = 3 * time.Second
	cfg.HealthCheckPeriod = 10 * time.Second
	pool, err := pgxpool.NewWithConfig(ctx, cfg)
	if err != nil {
		return nil, plain(err)
	}
	db := &DB{pool, 10 * time.Second}
	if err := db.Do(ctx, pool.Ping); err != nil {
		pool.Close()
		return nil, fmt.Errorf("the database does not answer; is PostgreSQL running? (%w)", err)
	}
	if err := migrate(ctx, pool); err != nil {
		pool.Close()
		return nil, fmt.Errorf("bringing the database up to date: %w", plain(err))
	}
	db.Patience = 4 * time.Second
	return db, nil
}

// migrate brings the tables up to date, one server at a time.
func migrate(ctx context.Context, pool *pgxpool.Pool) error {
	dir, err := fs.Sub(migrations, "migrations")
	if err != nil {
		return err
	}
	one, err := lock.NewPostgresSessionLocker(lock.WithLockTimeout(1, 120))
	if err != nil {
		return err
	}
	db := stdlib.OpenDBFromPool(pool)
	defer db.Close()
	p, err := goose.NewProvider(goose.DialectPostgres, db, dir, goose.WithSessionLocker(one))
	if err != nil {
		return err
	}
	_, err = p.Up(ctx)
	return err
}

// Close ends all connections.
func (db *DB) Close() { db.Pool.Close() }

// Do runs do, again with growing waits while the database is away, until Patience
// is over. do has to be harmless when it is repeated after it has come through.
func (db *DB) Do(ctx context.Context, do func(context.Context) error) error {
	until := time.Now().Add(db.Patience)
	for wait := 25 * time.Millisecond; ; wait = min(2*wait, 500*time.Millisecond) {
		err := do(ctx)
		if err == nil || !Away(err) {
			return err
		}
		if ctx.Err() != nil || time.Now().Add(wait).After(until) {
			slog.Warn("the database is away", "err", plain(err))
			return fmt.Errorf("%w: %w", ErrAway, plain(err))
		}
		select {
		case <-ctx.Done():
		case <-time.After(wait):
		}
	}
}

// Tx runs do in a transaction, under the rules of Do.
func (db *DB) Tx(ctx context.Context, do func(pgx.Tx) error) error {
	return db.Do(ctx, func(ctx context.Context) error { return pgx.BeginFunc(ctx, db.Pool, do) })
}

// Ready asks the database for a sign of life.
func (db *DB) Ready(ctx context.Context) error {
	ctx, cancel := context.WithTimeout(ctx, 2*time.Second)
	defer cancel()
	if err := db.Pool.Ping(ctx); err != nil {
		return fmt.Errorf("%w: %w", ErrAway, plain(err))
	}
	return nil
}

// Away tells errors of a database that is being restarted, cut off or overloaded
// from errors of what it was asked.
func Away(err error) bool {
	if errors.Is(err, ErrAway) {
		return true
	}
	var pe *pgconn.PgError
	if errors.As(err, &pe) {
		switch pe.Code[:2] {
		case "08", "53", "57", "58", "40": // connection, resources, shutdown, system, serialization
			return pe.Code != "57014" // the statement was cancelled by us
		}
		return false
	}
	var ce *pgconn.ConnectError
	var ne net.Error
	if errors.As(err, &ce) {
		return true
	}
	if errors.Is(err, context.Canceled) || errors.Is(err, context.DeadlineExceeded) {
		return false // whoever asked has gone
	}
	return errors.As(err, &ne) || errors.Is(err, io.EOF) || errors.Is(err, io.ErrUnexpectedEOF) ||
		errors.Is(err, net.ErrClosed) || pgconn.SafeToRetry(err) || err != nil && strings.Contains(err.Error(), "conn closed")
}

// plain leaves out of an error where the database is and who asks it.
func plain(err error) error {
	var pe *pgconn.PgError
	var ce *pgconn.ConnectError
	switch {
	case errors.As(err, &pe):
		return fmt.Errorf("%s (%s)", pe.Message, pe.Code)
	case errors.As(err, &ce):
		return errors.New("no connection")
	case Away(err):
		return errors.New("the connection was lost")
	}
	return err
}

// Plain is err without where the database is and who asks it.
func Plain(err error) error { return plain(err) }
