package journal

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"time"

	"github.com/jackc/pgx/v5"
	"willowherb/core/edits"
	"willowherb/core/setup"
	"willowherb/store"
)

// Line is an edit as the history lists it.
type Line struct {
	Revision int64      `json:"revision"`
	Person   string     `json:"person"`
	Called   string     `json:"called"`
	Label    string     `json:"label"`
	Deed     edits.Deed `json:"deed"`
	Made     time.Time  `json:"made"`
}

// History lists up to n edits before a revision (0: from the newest), newest first.
func (j *Journal) History(ctx context.Context, id, before int64, n int) ([]Line, error) {
	return list(ctx, j.db, func(row pgx.CollectableRow) (l Line, err error) {
		return l, row.Scan(&l.Revision, &l.Person, &l.Called, &l.Label, &l.Deed, &l.Made)
	}, `SELECT revision, person, called, label, deed, made FROM edits WHERE setup = $1 AND ($2 = 0 OR revision < $2) ORDER BY revision DESC LIMIT $3`, id, before, n)
}

// list reads rows.
func list[T any](ctx context.Context, db *store.DB, scan func(pgx.CollectableRow) (T, error), sql string, args ...any) (out []T, err error) {
	err = db.Do(ctx, func(ctx context.Context) error {
		rows, err := db.Pool.Query(ctx, sql, args...)
		if err != nil {
			return err
		}
		out, err = pgx.CollectRows(rows, scan)
		return err
	})
	return out, err
}

// Since returns up to n edits after a revision, in order, without their documents.
func (j *Journal) Since(ctx context.Context, id, after int64, n int) ([]Done, error) {
	return list(ctx, j.db, func(row pgx.CollectableRow) (d Done, err error) {
		return d, row.Scan(&d.Revision, &d.Edit.Person, &d.Edit.Window, &d.Edit.Seq, &d.Deed, &d.Of, &d.Edit.Label, &d.Edit.Ops)
	}, `SELECT revision, person, browser, seq, deed, of, label, ops FROM edits WHERE setup = $1 AND revision > $2 ORDER BY revision LIMIT $3`, id, after, n)
}

// At returns the document as it was after a revision.
func (j *Journal) At(ctx context.Context, id, revision int64) (doc *setup.Setup, err error) {
	err = j.db.Tx(ctx, func(tx pgx.Tx) error {
		u, err := j.read(ctx, tx, id, false)
		if err != nil {
			return err
		}
		doc, err = j.at(ctx, tx, u, revision)
		return err
	})
	return doc, err
}

// at goes back from the nearest document that was kept after the revision.
func (j *Journal) at(ctx context.Context, q querier, u *Setup, revision int64) (*setup.Setup, error) {
	if revision < 0 || revision > u.Revision {
		return nil, fmt.Errorf("revision %d: %w", revision, store.ErrNotFound)
	}
	from, doc := u.Revision, u.Doc
	var raw json.RawMessage
	err := q.QueryRow(ctx, `SELECT revision, document FROM states WHERE setup = $1 AND revision >= $2 ORDER BY revision LIMIT 1`, u.ID, revision).Scan(&from, &raw)
	switch {
	case err == nil:
		if doc, err = setup.Decode(raw); err != nil {
			return nil, fmt.Errorf("revision %d: %w", from, err)
		}
	case !errors.Is(err, pgx.ErrNoRows):
		return nil, err
	default:
		from = u.Revision
	}
	rows, err := q.Query(ctx, `SELECT inverse FROM edits WHERE setup = $1 AND revision > $2 AND revision <= $3 ORDER BY revision DESC`, u.ID, revision, from)
	if err != nil {
		return nil, err
	}
	all, err := pgx.CollectRows(rows, func(row pgx.CollectableRow) (ops []edits.Op, err error) { return ops, row.Scan(&ops) })
	if err != nil {
		return nil, err
	}
	return edits.Replay(doc, all)
}

// Snapshot is a state of a setup that was kept with a name and a picture.
type Snapshot struct {
	ID       int64        `json:"id"`
	Name     string       `json:"name"`
	Revision int64        `json:"revision"`
	View     string       `json:"view"`
	Person   string       `json:"person"`
	Made     time.Time    `json:"made"`
	Doc      *setup.Setup `json:"-"`
	Picture  []byte       `json:"-"` // PNG
}

// MaxSnapshots of one setup.
const MaxSnapshots = 500

// ErrFull means that a setup has as many snapshots as it can have.
var ErrFull = fmt.Errorf("a setup keeps up to %d snapshots", MaxSnapshots)

// Keep stores a snapshot and returns it with its id.
func (j *Journal) Keep(ctx context.Context, of int64, p Snapshot) (*Snapshot, error) {
	err := j.db.Tx(ctx, func(tx pgx.Tx) error {
		if _, err := j.read(ctx, tx, of, true); err != nil {
			return err
		}
		var n int
		if err := tx.QueryRow(ctx, `SELECT count(*) FROM snapshots WHERE setup = $1`, of).Scan(&n); err != nil {
			return err
		}
		if n >= MaxSnapshots {
			return ErrFull
		}
		if err := j.name(ctx, tx, of, files(p.Doc)); err != nil {
			return err
		}
		return tx.QueryRow(ctx, `INSERT INTO snapshots (setup, name, revision, view, document, picture, person) VALUES ($1, $2, $3, $4, $5, $6, $7) RETURNING id, made`,
			of, p.Name, p.Revision, p.View, json.RawMessage(p.Doc.JSON()), p.Picture, p.Person).Scan(&p.ID, &p.Made)
	})
	if err != nil {
		return nil, err
	}
	return &p, nil
}

// Snapshots lists a setup's snapshots without documents and pictures, newest first.
func (j *Journal) Snapshots(ctx context.Context, of int64) ([]Snapshot, error) {
	return list(ctx, j.db, func(row pgx.CollectableRow) (p Snapshot, err error) {
		return p, row.Scan(&p.ID, &p.Name, &p.Revision, &p.View, &p.Person, &p.Made)
	}, `SELECT id, name, revision, view, person, made FROM snapshots WHERE setup = $1 ORDER BY id DESC`, of)
}

// Snapshot returns one of a setup's snapshots.
func (j *Journal) Snapshot(ctx context.Context, of, id int64) (*Snapshot, error) {
	var p Snapshot
	var raw json.RawMessage
	err := j.db.Do(ctx, func(ctx context.Context) error {
		return j.db.Pool.QueryRow(ctx, `SELECT id, name, revision, view, person, made, document, picture FROM snapshots WHERE setup = $1 AND id = $2`, of, id).
			Scan(&p.ID, &p.Name, &p.Revision, &p.View, &p.Person, &p.Made, &raw, &p.Picture)
	})
	if errors.Is(err, pgx.ErrNoRows) {
		return nil, fmt.Errorf("snapshot: %w", store.ErrNotFound)
	}
	if err != nil {
		return nil, err
	}
	if p.Doc, err = setup.Decode(raw); err != nil {
		return nil, fmt.Errorf("snapshot %d in the database: %w", id, err)
	}
	return &p, nil
}

// NameSnapshot gives a snapshot another name.
func (j *Journal) NameSnapshot(ctx context.Context, of, id int64, name string) error {
	return j.one(ctx, "snapshot", `UPDATE snapshots SET name = $3 WHERE setup = $1 AND id = $2`, of, id, name)
}

// ForgetSnapshot takes a snapshot away.
func (j *Journal) ForgetSnapshot(ctx context.Context, of, id int64) error {
	return j.one(ctx, "snapshot", `DELETE FROM snapshots WHERE setup = $1 AND id = $2`, of, id)
}

// one runs a statement that has to meet a row.
func (j *Journal) one(ctx context.Context, what, sql string, args ...any) error {
	return j.db.Do(ctx, func(ctx context.Context) error {
		t, err := j.db.Pool.Exec(ctx, sql, args...)
		if err == nil && t.RowsAffected() == 0 {
			return fmt.Errorf("%s: %w", what, store.ErrNotFound)
		}
		return err
	})
}
