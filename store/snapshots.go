package store

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"time"

	"github.com/jackc/pgx/v5"
	"willowherb/core/setup"
)

// Snapshot is a state of a setup that was kept with a name and a picture.
type Snapshot struct {
	ID       int64     `json:"id"`
	Name     string    `json:"name"`
	Revision int64     `json:"revision"`
	View     string    `json:"view"`
	Person   string    `json:"person"`
	Made     time.Time `json:"made"`
	Document []byte    `json:"-"`
	Picture  []byte    `json:"-"` // PNG
}

// MaxSnapshots of one setup.
const MaxSnapshots = 500

// ErrFull means that a setup has as many snapshots as it can have.
var ErrFull = fmt.Errorf("a setup keeps up to %d snapshots", MaxSnapshots)

// Keep stores a snapshot and returns it with its id.
func (s *Store) Keep(ctx context.Context, setup int64, p Snapshot) (*Snapshot, error) {
	err := pgx.BeginFunc(ctx, s.pool, func(tx pgx.Tx) error {
		var n int
		if err := tx.QueryRow(ctx, `SELECT count(*) FROM snapshots WHERE setup = $1`, setup).Scan(&n); err != nil {
			return err
		}
		if n >= MaxSnapshots {
			return ErrFull
		}
		return tx.QueryRow(ctx, `INSERT INTO snapshots (setup, name, revision, view, document, picture, person) VALUES ($1, $2, $3, $4, $5, $6, $7) RETURNING id, made`,
			setup, p.Name, p.Revision, p.View, json.RawMessage(p.Document), p.Picture, p.Person).Scan(&p.ID, &p.Made)
	})
	if err != nil {
		return nil, err
	}
	return &p, nil
}

// Snapshots lists a setup's snapshots without documents and pictures, newest first.
func (s *Store) Snapshots(ctx context.Context, setup int64) ([]Snapshot, error) {
	rows, err := s.pool.Query(ctx, `SELECT id, name, revision, view, person, made FROM snapshots WHERE setup = $1 ORDER BY id DESC`, setup)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, func(row pgx.CollectableRow) (p Snapshot, err error) {
		return p, row.Scan(&p.ID, &p.Name, &p.Revision, &p.View, &p.Person, &p.Made)
	})
}

// Snapshot returns one of a setup's snapshots, its document in canonical form.
func (s *Store) Snapshot(ctx context.Context, of, id int64) (*Snapshot, error) {
	var p Snapshot
	var doc json.RawMessage
	err := s.pool.QueryRow(ctx, `SELECT id, name, revision, view, person, made, document, picture FROM snapshots WHERE setup = $1 AND id = $2`, of, id).
		Scan(&p.ID, &p.Name, &p.Revision, &p.View, &p.Person, &p.Made, &doc, &p.Picture)
	if errors.Is(err, pgx.ErrNoRows) {
		return nil, fmt.Errorf("snapshot: %w", ErrNotFound)
	}
	if err != nil {
		return nil, err
	}
	d, err := setup.Parse(doc)
	if err != nil {
		return nil, fmt.Errorf("snapshot %d in the database: %w", id, err)
	}
	p.Document = d.JSON()
	return &p, nil
}

// Rename gives a snapshot another name.
func (s *Store) Rename(ctx context.Context, setup, id int64, name string) error {
	return s.one(ctx, `UPDATE snapshots SET name = $3 WHERE setup = $1 AND id = $2`, setup, id, name)
}

// Forget takes a snapshot away.
func (s *Store) Forget(ctx context.Context, setup, id int64) error {
	return s.one(ctx, `DELETE FROM snapshots WHERE setup = $1 AND id = $2`, setup, id)
}

func (s *Store) one(ctx context.Context, sql string, args ...any) error {
	t, err := s.pool.Exec(ctx, sql, args...)
	if err == nil && t.RowsAffected() == 0 {
		return fmt.Errorf("snapshot: %w", ErrNotFound)
	}
	return err
}

// Line is an edit as the history lists it.
type Line struct {
	Revision int64      `json:"revision"`
	Person   string     `json:"person"`
	Called   string     `json:"called"`
	Label    string     `json:"label"`
	Deed     setup.Deed `json:"deed"`
	Made     time.Time  `json:"made"`
}

// History lists up to n edits before a revision (0: from the newest), newest first.
func (s *Store) History(ctx context.Context, id, before int64, n int) ([]Line, error) {
	rows, err := s.pool.Query(ctx, `SELECT revision, person, called, label, deed, made FROM edits WHERE setup = $1 AND ($2 = 0 OR revision < $2) ORDER BY revision DESC LIMIT $3`, id, before, n)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, func(row pgx.CollectableRow) (l Line, err error) {
		return l, row.Scan(&l.Revision, &l.Person, &l.Called, &l.Label, &l.Deed, &l.Made)
	})
}

// At returns the document as it was after a revision, by taking back what came since.
func (s *Store) At(ctx context.Context, id, revision int64) ([]byte, error) {
	u, err := s.Get(ctx, id)
	if err != nil {
		return nil, err
	}
	return at(ctx, s.pool, u, revision)
}

func at(ctx context.Context, q querier, u *Setup, revision int64) ([]byte, error) {
	if revision < 0 || revision > u.Revision {
		return nil, fmt.Errorf("revision %d: %w", revision, ErrNotFound)
	}
	rows, err := q.Query(ctx, `SELECT inverse FROM edits WHERE setup = $1 AND revision > $2 AND revision <= $3 ORDER BY revision DESC`, u.ID, revision, u.Revision)
	if err != nil {
		return nil, err
	}
	all, err := pgx.CollectRows(rows, func(row pgx.CollectableRow) (ops []setup.Op, err error) { return ops, row.Scan(&ops) })
	if err != nil {
		return nil, err
	}
	return setup.TakeBack(u.Document, all)
}

// Revert makes one new edit that brings back the document of a revision, or with
// doc that document. It can itself be undone.
func (s *Store) Revert(ctx context.Context, id int64, e setup.Edit, revision int64, doc []byte) (*Done, error) {
	return s.change(ctx, id, e, func(tx pgx.Tx, u *Setup) (*Done, error) {
		to := doc
		if to == nil {
			var err error
			if to, err = at(ctx, tx, u, revision); err != nil {
				return nil, err
			}
		}
		ops, err := setup.Diff(u.Document, to)
		if err != nil {
			return nil, err
		}
		if len(ops) == 0 {
			return nil, ErrNothing
		}
		e.Ops, e.Target, e.Base = ops, "base", u.Revision
		return &Done{Edit: e, Deed: setup.Did}, nil
	})
}
