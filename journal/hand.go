package journal

import (
	"context"
	"errors"

	"github.com/jackc/pgx/v5"
	"willowherb/core/edits"
)

// hand is what a person would undo and do again next: revisions, 0 for nothing.
// Each edit on one of the two stacks names the one beneath it, so that neither has
// to be worked out from the whole journal.
type hand struct{ undo, redo int64 }

func (j *Journal) hand(ctx context.Context, tx pgx.Tx, id int64, person string) (h hand, err error) {
	err = tx.QueryRow(ctx, `SELECT undo, redo FROM hands WHERE setup = $1 AND person = $2`, id, person).Scan(&h.undo, &h.redo)
	if !errors.Is(err, pgx.ErrNoRows) {
		return h, err
	}
	// A journal from before there were hands is read once.
	rows, err := tx.Query(ctx, `SELECT revision, deed, of FROM edits WHERE setup = $1 AND person = $2 ORDER BY revision`, id, person)
	if err != nil {
		return h, err
	}
	entries, err := pgx.CollectRows(rows, func(row pgx.CollectableRow) (e edits.Entry, err error) {
		return e, row.Scan(&e.Revision, &e.Deed, &e.Of)
	})
	if err != nil {
		return h, err
	}
	undo, redo := edits.Stacks(entries)
	b := &pgx.Batch{}
	top := func(stack []int64) (last int64) {
		for _, r := range stack {
			b.Queue(`UPDATE edits SET below = $3 WHERE setup = $1 AND revision = $2`, id, r, last)
			last = r
		}
		return last
	}
	h = hand{top(undo), top(redo)}
	if len(entries) == 0 {
		return h, nil // somebody who only looks needs none
	}
	b.Queue(`INSERT INTO hands (setup, person, undo, redo) VALUES ($1, $2, $3, $4) ON CONFLICT DO NOTHING`, id, person, h.undo, h.redo)
	return h, tx.SendBatch(ctx, b).Close()
}

// push puts an edit that is about to be written on its person's stack, and returns
// what lies beneath it.
func (j *Journal) push(ctx context.Context, tx pgx.Tx, id int64, d *Done) (below int64, err error) {
	h, err := j.hand(ctx, tx, id, d.Edit.Person)
	if err != nil {
		return 0, err
	}
	var next int64
	if d.Of != 0 {
		if err := tx.QueryRow(ctx, `SELECT below FROM edits WHERE setup = $1 AND revision = $2`, id, d.Of).Scan(&next); err != nil {
			return 0, err
		}
	}
	switch d.Deed {
	case edits.Did:
		below, h = h.undo, hand{undo: d.Revision}
	case edits.Undid:
		below, h = h.redo, hand{undo: next, redo: d.Revision}
	case edits.Redid:
		below, h = h.undo, hand{undo: d.Revision, redo: next}
	}
	_, err = tx.Exec(ctx, `INSERT INTO hands (setup, person, undo, redo) VALUES ($1, $2, $3, $4)
		ON CONFLICT (setup, person) DO UPDATE SET undo = excluded.undo, redo = excluded.redo`, id, d.Edit.Person, h.undo, h.redo)
	return below, err
}

// labels tells what the person could take back, and do again, next.
func (j *Journal) labels(ctx context.Context, tx pgx.Tx, id int64, person string, d *Done) error {
	h, err := j.hand(ctx, tx, id, person)
	if err != nil {
		return err
	}
	for _, of := range []struct {
		revision int64
		to       *string
	}{{h.undo, &d.Undo}, {h.redo, &d.Redo}} {
		if of.revision == 0 {
			continue
		}
		if err := tx.QueryRow(ctx, `SELECT label FROM edits WHERE setup = $1 AND revision = $2`, id, of.revision).Scan(of.to); err != nil {
			return err
		}
	}
	return nil
}

// Next names what the person could undo and do again; empty for nothing.
func (j *Journal) Next(ctx context.Context, id int64, person string) (undo, redo string, err error) {
	var d Done
	err = j.db.Tx(ctx, func(tx pgx.Tx) error {
		d = Done{}
		return j.labels(ctx, tx, id, person, &d)
	})
	return d.Undo, d.Redo, err
}
