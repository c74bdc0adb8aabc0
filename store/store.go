// Package store keeps setups, their journals and assets in PostgreSQL. An edit
// is acknowledged only after it is in the journal; the document beside it is
// what replaying the journal gives. Assets are blobs by content hash in chunks
// of 1 MiB, so that the database is the one place that must not be lost.
package store

import (
	"context"
	"crypto/sha256"
	"embed"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"strings"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgxpool"
	"github.com/jackc/pgx/v5/stdlib"
	"github.com/pressly/goose/v3"
	"willowherb/core/setup"
)

//go:embed migrations/*.sql
var migrations embed.FS

// ErrNotFound means that a setup or blob is not in the database.
var ErrNotFound = errors.New("not found")

// Store is the database; safe for concurrent use.
type Store struct{ pool *pgxpool.Pool }

// Open connects to the database at url, waits up to ten seconds for it, and
// brings its tables up to date.
func Open(ctx context.Context, url string) (*Store, error) {
	cfg, err := pgxpool.ParseConfig(url)
	if err != nil {
		return nil, fmt.Errorf("the database address is not understood: %w", err)
	}
	pool, err := pgxpool.NewWithConfig(ctx, cfg)
	if err != nil {
		return nil, err
	}
	for start := time.Now(); ; {
		if err = pool.Ping(ctx); err == nil {
			break
		}
		if ctx.Err() != nil || time.Since(start) > 10*time.Second {
			pool.Close()
			return nil, fmt.Errorf("the database does not answer; is PostgreSQL running? (%w)", err)
		}
		time.Sleep(100 * time.Millisecond)
	}
	if err := migrate(ctx, pool); err != nil {
		pool.Close()
		return nil, fmt.Errorf("bringing the database up to date: %w", err)
	}
	return &Store{pool}, nil
}

func migrate(ctx context.Context, pool *pgxpool.Pool) error {
	dir, err := fs.Sub(migrations, "migrations")
	if err != nil {
		return err
	}
	db := stdlib.OpenDBFromPool(pool)
	defer db.Close()
	p, err := goose.NewProvider(goose.DialectPostgres, db, dir)
	if err != nil {
		return err
	}
	_, err = p.Up(ctx)
	return err
}

// Close ends all connections.
func (s *Store) Close() { s.pool.Close() }

// chunk is the size of a stored piece of a blob.
const chunk = 1 << 20

// PutBlob stores data once and returns its hash.
func (s *Store) PutBlob(ctx context.Context, data []byte) (string, error) {
	sum := sha256.Sum256(data)
	hash := hex.EncodeToString(sum[:])
	return hash, pgx.BeginFunc(ctx, s.pool, func(tx pgx.Tx) error {
		t, err := tx.Exec(ctx, `INSERT INTO blobs (hash, size) VALUES ($1, $2) ON CONFLICT DO NOTHING`, hash, len(data))
		if err != nil || t.RowsAffected() == 0 {
			return err
		}
		for n := 0; n*chunk < len(data); n++ {
			if _, err := tx.Exec(ctx, `INSERT INTO blob_chunks VALUES ($1, $2, $3)`, hash, n, data[n*chunk:min((n+1)*chunk, len(data))]); err != nil {
				return err
			}
		}
		return nil
	})
}

// Blob returns the data of a hash, checked against it.
func (s *Store) Blob(ctx context.Context, hash string) ([]byte, error) {
	var size int64
	err := s.pool.QueryRow(ctx, `SELECT size FROM blobs WHERE hash = $1`, hash).Scan(&size)
	if errors.Is(err, pgx.ErrNoRows) {
		return nil, fmt.Errorf("asset %.12s: %w", hash, ErrNotFound)
	}
	if err != nil {
		return nil, err
	}
	out := make([]byte, 0, size)
	rows, err := s.pool.Query(ctx, `SELECT data FROM blob_chunks WHERE hash = $1 ORDER BY n`, hash)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	for rows.Next() {
		var b []byte
		if err := rows.Scan(&b); err != nil {
			return nil, err
		}
		out = append(out, b...)
	}
	if err := rows.Err(); err != nil {
		return nil, err
	}
	if sum := sha256.Sum256(out); hex.EncodeToString(sum[:]) != hash {
		return nil, fmt.Errorf("asset %.12s is damaged in the database: %w", hash, io.ErrUnexpectedEOF)
	}
	return out, nil
}

// Setup is a stored setup.
type Setup struct {
	ID       int64
	Project  string
	Place    string // blob hash
	File     string
	Notes    []string
	Document []byte
	Revision int64
	Demo     bool
}

const setupColumns = `id, project, place, file, notes, document, revision, demo`

func scan(row pgx.Row) (*Setup, error) {
	var u Setup
	var doc json.RawMessage
	err := row.Scan(&u.ID, &u.Project, &u.Place, &u.File, &u.Notes, &doc, &u.Revision, &u.Demo)
	if errors.Is(err, pgx.ErrNoRows) {
		return nil, fmt.Errorf("setup: %w", ErrNotFound)
	}
	if err != nil {
		return nil, err
	}
	// Through the types, for one canonical form: jsonb orders keys its own way.
	d, err := setup.Parse(doc)
	if err != nil {
		return nil, fmt.Errorf("setup %d in the database: %w", u.ID, err)
	}
	u.Document = d.JSON()
	return &u, nil
}

// Create stores a new setup and returns its id.
func (s *Store) Create(ctx context.Context, u Setup) (int64, error) {
	if u.Notes == nil {
		u.Notes = []string{}
	}
	var id int64
	err := s.pool.QueryRow(ctx, `INSERT INTO setups (project, place, file, notes, document, demo) VALUES ($1, $2, $3, $4, $5, $6) RETURNING id`,
		u.Project, u.Place, u.File, u.Notes, json.RawMessage(u.Document), u.Demo).Scan(&id)
	return id, err
}

// DropDemo forgets the demo setup and its journal.
func (s *Store) DropDemo(ctx context.Context) error {
	_, err := s.pool.Exec(ctx, `DELETE FROM setups WHERE demo`)
	return err
}

// Get returns one setup.
func (s *Store) Get(ctx context.Context, id int64) (*Setup, error) {
	return scan(s.pool.QueryRow(ctx, `SELECT `+setupColumns+` FROM setups WHERE id = $1`, id))
}

// List returns all setups, newest last.
func (s *Store) List(ctx context.Context) ([]*Setup, error) {
	rows, err := s.pool.Query(ctx, `SELECT `+setupColumns+` FROM setups ORDER BY id`)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	var out []*Setup
	for rows.Next() {
		u, err := scan(rows)
		if err != nil {
			return nil, err
		}
		out = append(out, u)
	}
	return out, rows.Err()
}

// Done is an edit that is in the journal.
type Done struct {
	Revision int64
	Edit     setup.Edit
	Deed     setup.Deed
	Of       int64
	Document []byte   // after it
	Kept     []string // places an undo left alone, since somebody else changed them
	Repeat   bool     // it was there already; Document is then the current one
	Over     []Over   // values that another window had set without this one's knowing
}

// Over is a value that an edit has set over another window's, made since the
// revision that the edit was based on.
type Over struct {
	Path   string `json:"path"`
	Person string `json:"person"`
	Window string `json:"window"`
	Label  string `json:"label"`
}

// Apply validates an edit, journals it with its inverse and updates the
// document, all or nothing. The same (window, seq) again changes nothing.
func (s *Store) Apply(ctx context.Context, id int64, e setup.Edit) (*Done, error) {
	return s.change(ctx, id, e, func(tx pgx.Tx, u *Setup) (*Done, error) {
		return &Done{Edit: e, Deed: setup.Did}, nil
	})
}

// ErrNothing means that there is nothing to undo or to do again.
var ErrNothing = errors.New("there is nothing left to take back")

// Undo takes back the person's last edit that still stands, or with redo does
// again what was taken back last. e carries person, window and seq.
func (s *Store) Undo(ctx context.Context, id int64, e setup.Edit, redo bool) (*Done, error) {
	return s.change(ctx, id, e, func(tx pgx.Tx, u *Setup) (*Done, error) {
		entries, err := s.entries(ctx, tx, id, e.Person)
		if err != nil {
			return nil, err
		}
		undo, again := setup.Stacks(entries)
		d := &Done{Edit: e, Deed: setup.Undid}
		if redo {
			undo, d.Deed = again, setup.Redid
		}
		if len(undo) == 0 {
			return nil, ErrNothing
		}
		d.Of = undo[len(undo)-1]
		var done, inverse []setup.Op
		if err := tx.QueryRow(ctx, `SELECT label, ops, inverse FROM edits WHERE setup = $1 AND revision = $2`, id, d.Of).Scan(&d.Edit.Label, &done, &inverse); err != nil {
			return nil, err
		}
		d.Edit.Ops, d.Kept = setup.Reverse(u.Document, done, inverse)
		d.Edit.Target = "base"
		return d, nil
	})
}

func (s *Store) change(ctx context.Context, id int64, e setup.Edit, make func(pgx.Tx, *Setup) (*Done, error)) (*Done, error) {
	var d *Done
	err := pgx.BeginFunc(ctx, s.pool, func(tx pgx.Tx) error {
		u, err := scan(tx.QueryRow(ctx, `SELECT `+setupColumns+` FROM setups WHERE id = $1 FOR UPDATE`, id))
		if err != nil {
			return err
		}
		var rev int64
		err = tx.QueryRow(ctx, `SELECT revision FROM edits WHERE setup = $1 AND browser = $2 AND seq = $3`, id, e.Window, e.Seq).Scan(&rev)
		if err == nil {
			d = &Done{Revision: rev, Edit: e, Document: u.Document, Repeat: true}
			return nil
		}
		if !errors.Is(err, pgx.ErrNoRows) {
			return err
		}
		if d, err = make(tx, u); err != nil {
			return err
		}
		after, inverse := u.Document, []setup.Op{}
		if len(d.Edit.Ops) > 0 || d.Deed == setup.Did {
			if after, inverse, err = setup.Apply(u.Document, d.Edit.Ops); err != nil {
				return err
			}
		}
		if d.Edit.Ops == nil {
			d.Edit.Ops = []setup.Op{}
		}
		d.Revision, d.Document = u.Revision+1, after
		if d.Deed == setup.Did && d.Edit.Base < u.Revision {
			if d.Over, err = over(ctx, tx, id, d.Edit); err != nil {
				return err
			}
		}
		_, err = tx.Exec(ctx, `INSERT INTO edits (setup, revision, person, browser, seq, gesture, base, target, deed, of, label, ops, inverse, called)
			VALUES ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10, $11, $12, $13, $14)`,
			id, d.Revision, e.Person, e.Window, e.Seq, e.Gesture, e.Base, d.Edit.Target, d.Deed, d.Of, d.Edit.Label, d.Edit.Ops, inverse, e.Called)
		if err != nil {
			return err
		}
		_, err = tx.Exec(ctx, `UPDATE setups SET document = $2, revision = $3 WHERE id = $1`, id, json.RawMessage(after), d.Revision)
		return err
	})
	if err != nil {
		return nil, err
	}
	return d, nil
}

// over finds what the edit e replaces of other windows' edits since its base.
func over(ctx context.Context, tx pgx.Tx, id int64, e setup.Edit) ([]Over, error) {
	rows, err := tx.Query(ctx, `SELECT person, browser, label, ops FROM edits WHERE setup = $1 AND revision > $2 AND browser <> $3 ORDER BY revision`, id, e.Base, e.Window)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	var out []Over
	for rows.Next() {
		var o Over
		var ops []setup.Op
		if err := rows.Scan(&o.Person, &o.Window, &o.Label, &ops); err != nil {
			return nil, err
		}
		for _, theirs := range ops {
			for _, mine := range e.Ops {
				if within(theirs.Path, mine.Path) || within(mine.Path, theirs.Path) {
					o.Path = theirs.Path
					out = append(out, o)
				}
			}
		}
	}
	return out, rows.Err()
}

// within reports whether the JSON pointer p lies at or under q.
func within(p, q string) bool { return p == q || strings.HasPrefix(p, q+"/") }

type querier interface {
	Query(ctx context.Context, sql string, args ...any) (pgx.Rows, error)
	QueryRow(ctx context.Context, sql string, args ...any) pgx.Row
}

func (s *Store) entries(ctx context.Context, q querier, id int64, person string) ([]setup.Entry, error) {
	rows, err := q.Query(ctx, `SELECT revision, deed, of FROM edits WHERE setup = $1 AND person = $2 ORDER BY revision`, id, person)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, func(row pgx.CollectableRow) (e setup.Entry, err error) {
		return e, row.Scan(&e.Revision, &e.Deed, &e.Of)
	})
}

// Next names what the person could undo and do again; empty for nothing.
func (s *Store) Next(ctx context.Context, id int64, person string) (undo, redo string, err error) {
	entries, err := s.entries(ctx, s.pool, id, person)
	if err != nil {
		return "", "", err
	}
	u, r := setup.Stacks(entries)
	label := func(stack []int64) (l string, err error) {
		if len(stack) == 0 {
			return "", nil
		}
		err = s.pool.QueryRow(ctx, `SELECT label FROM edits WHERE setup = $1 AND revision = $2`, id, stack[len(stack)-1]).Scan(&l)
		return l, err
	}
	if undo, err = label(u); err != nil {
		return "", "", err
	}
	redo, err = label(r)
	return undo, redo, err
}

// Journal returns the operations of all edits after a revision, in order.
func (s *Store) Journal(ctx context.Context, id, after int64) ([]Done, error) {
	rows, err := s.pool.Query(ctx, `SELECT revision, person, browser, seq, deed, of, label, ops FROM edits WHERE setup = $1 AND revision > $2 ORDER BY revision`, id, after)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, func(row pgx.CollectableRow) (d Done, err error) {
		return d, row.Scan(&d.Revision, &d.Edit.Person, &d.Edit.Window, &d.Edit.Seq, &d.Deed, &d.Of, &d.Edit.Label, &d.Edit.Ops)
	})
}
