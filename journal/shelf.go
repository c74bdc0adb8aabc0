package journal

import (
	"context"
	"fmt"
	"time"

	"github.com/jackc/pgx/v5"
)

// Listed is a setup as the list shows it, read without its document.
type Listed struct {
	ID       int64      `json:"id"`
	Project  string     `json:"project"`
	Name     string     `json:"name"`
	File     string     `json:"file"`
	Demo     bool       `json:"demo"`
	Lights   int        `json:"lights"`
	Archived bool       `json:"archived"`
	Removed  *time.Time `json:"removed,omitempty"` // it can be brought back for RemovedFor from then
}

// RemovedFor is how long a removed setup can be brought back.
const RemovedFor = 30 * 24 * time.Hour

// List returns all setups, newest last; removed ones too while they can be brought
// back.
func (j *Journal) List(ctx context.Context) ([]Listed, error) {
	return list(ctx, j.db, func(row pgx.CollectableRow) (l Listed, err error) {
		return l, row.Scan(&l.ID, &l.Project, &l.Name, &l.File, &l.Demo, &l.Lights, &l.Archived, &l.Removed)
	}, `SELECT id, project, coalesce(document->>'name', ''), file, demo,
		(SELECT count(*) FROM jsonb_object_keys(CASE jsonb_typeof(document->'lights') WHEN 'object' THEN document->'lights' ELSE '{}' END)), archived, removed
		FROM setups ORDER BY id`)
}

// DemoID is the demo's setup, removed or not; 0 where there is none.
func (j *Journal) DemoID(ctx context.Context) (id int64, err error) {
	err = j.db.Do(ctx, func(ctx context.Context) error {
		return j.db.Pool.QueryRow(ctx, `SELECT coalesce(min(id), 0) FROM setups WHERE demo`).Scan(&id)
	})
	return id, err
}

// DropDemo forgets the demo setup and its journal.
func (j *Journal) DropDemo(ctx context.Context) error {
	return j.db.Do(ctx, func(ctx context.Context) error {
		_, err := j.db.Pool.Exec(ctx, `DELETE FROM setups WHERE demo`)
		return err
	})
}

// Archive puts a setup away, or back among those in use.
func (j *Journal) Archive(ctx context.Context, id int64, away bool) error {
	return j.one(ctx, "setup", `UPDATE setups SET archived = $2 WHERE id = $1 AND removed IS NULL`, id, away)
}

// Remove takes a setup away; for RemovedFor it can be brought back.
func (j *Journal) Remove(ctx context.Context, id int64) error {
	return j.one(ctx, "setup", `UPDATE setups SET removed = now() WHERE id = $1 AND removed IS NULL`, id)
}

// BringBack undoes Remove.
func (j *Journal) BringBack(ctx context.Context, id int64) error {
	return j.one(ctx, "setup", `UPDATE setups SET removed = NULL WHERE id = $1 AND removed IS NOT NULL`, id)
}

// Sweep forgets setups that were removed so long ago, and then the files that
// nothing names. It returns how many of each.
func (j *Journal) Sweep(ctx context.Context, removed, unnamed time.Duration) (setups, blobs int, err error) {
	t, err := j.db.Pool.Exec(ctx, `DELETE FROM setups WHERE removed < $1`, time.Now().Add(-removed))
	if err != nil {
		return 0, 0, err
	}
	n, err := j.blobs.Sweep(ctx, unnamed, j.Named)
	if err != nil {
		return int(t.RowsAffected()), n, fmt.Errorf("collecting files: %w", err)
	}
	return int(t.RowsAffected()), n, nil
}
