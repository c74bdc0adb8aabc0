// Package journal keeps setups and every edit that was made of them. An edit is
// acknowledged once it is in the journal; what it needs is asked before, and
// nothing can fail it after. The document beside a journal is what the journal's
// operations make of the document that the setup began with.
//
// In goes an edit; out comes Done: the exact operations, their inverse, the
// document after them. Every server on the database hears of each revision
// (Follow), so that several can serve one setup.
package journal

import (
	"context"
	"crypto/rand"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"strings"
	"sync"
	"time"

	"github.com/jackc/pgx/v5"
	"willowherb/blob"
	"willowherb/core/edits"
	"willowherb/core/setup"
	"willowherb/store"
)

// Journal is the setups of a database; safe for concurrent use.
type Journal struct {
	db    *store.DB
	blobs blob.Store
	self  string // tells its own news from other servers'
	mu    sync.Mutex
	heads map[int64]head
}

// head is the newest document that was seen of a setup.
type head struct {
	revision int64
	doc      *setup.Setup
	used     time.Time
}

// maxHeads documents are remembered as they were last.
const maxHeads = 32

// New returns the journals of a database whose edits name files in blobs.
func New(db *store.DB, blobs blob.Store) *Journal {
	return &Journal{db: db, blobs: blobs, self: rand.Text(), heads: map[int64]head{}}
}

// ErrNothing means that there is nothing to undo, to do again or to go back to.
var ErrNothing = errors.New("there is nothing left to take back")

// ErrMissing means that an edit names a file that is not kept, or that is not what
// the edit takes it for.
var ErrMissing = errors.New("the file is not kept here")

// Setup is a stored setup.
type Setup struct {
	ID       int64
	Project  string
	Place    string // hash of the file that it came with
	File     string
	Notes    []string
	Doc      *setup.Setup
	Revision int64
	Demo     bool
}

// Done is an edit that is in the journal.
type Done struct {
	Revision int64
	Edit     edits.Edit // its operations in exact form
	Deed     edits.Deed
	Of       int64
	Doc      *setup.Setup // after it
	Kept     []string     // places an undo left alone, since somebody else changed them
	Repeat   bool         // it was there already, or changes nothing; Doc is then the current one
	Nothing  bool         // it changes nothing, and is not in the journal
	Over     []Over       // values that another window had set without this one's knowing
	// What the person could take back, and do again, next.
	Undo, Redo string
}

// Over is a value that an edit has set over another window's, made since the
// revision that the edit was based on.
type Over struct {
	Path   string `json:"path"`
	Person string `json:"person"`
	Window string `json:"window"`
	Label  string `json:"label"`
}

// Create stores a new setup and returns its id.
func (j *Journal) Create(ctx context.Context, u Setup) (id int64, err error) {
	if u.Notes == nil {
		u.Notes = []string{}
	}
	if err := j.kept(ctx, needs(nil, u.Doc, u.Place)); err != nil {
		return 0, err
	}
	err = j.db.Tx(ctx, func(tx pgx.Tx) error {
		err := tx.QueryRow(ctx, `INSERT INTO setups (project, place, file, notes, document, demo) VALUES ($1, $2, $3, $4, $5, $6) RETURNING id`,
			u.Project, u.Place, u.File, u.Notes, json.RawMessage(u.Doc.JSON()), u.Demo).Scan(&id)
		if err != nil {
			return err
		}
		return j.name(ctx, tx, id, append(files(u.Doc), u.Place))
	})
	return id, err
}

// Get returns one setup. A document that makes no sense any more is returned all
// the same: it can be looked at, and taken back.
func (j *Journal) Get(ctx context.Context, id int64) (u *Setup, err error) {
	err = j.db.Do(ctx, func(ctx context.Context) (err error) {
		u, err = j.read(ctx, j.db.Pool, id, false)
		return err
	})
	return u, err
}

type querier interface {
	Query(ctx context.Context, sql string, args ...any) (pgx.Rows, error)
	QueryRow(ctx context.Context, sql string, args ...any) pgx.Row
}

// read returns a setup; held until the transaction ends where lock says so. The
// document comes from memory where it is the newest.
func (j *Journal) read(ctx context.Context, q querier, id int64, lock bool) (*Setup, error) {
	sql := `SELECT id, project, place, file, notes, revision, demo FROM setups WHERE id = $1 AND removed IS NULL`
	if lock {
		sql += ` FOR UPDATE`
	}
	var u Setup
	err := q.QueryRow(ctx, sql, id).Scan(&u.ID, &u.Project, &u.Place, &u.File, &u.Notes, &u.Revision, &u.Demo)
	if errors.Is(err, pgx.ErrNoRows) {
		return nil, fmt.Errorf("setup: %w", store.ErrNotFound)
	}
	if err != nil {
		return nil, err
	}
	j.mu.Lock()
	h := j.heads[id]
	j.mu.Unlock()
	if h.doc != nil && h.revision == u.Revision {
		u.Doc = h.doc
		return &u, nil
	}
	var raw json.RawMessage
	if err := q.QueryRow(ctx, `SELECT document, revision FROM setups WHERE id = $1`, id).Scan(&raw, &u.Revision); err != nil {
		return nil, err
	}
	if u.Doc, err = setup.Decode(raw); err != nil {
		return nil, fmt.Errorf("setup %d in the database: %w", id, err)
	}
	j.remember(id, u.Revision, u.Doc)
	return &u, nil
}

// remember keeps a document that is in the database as it stands.
func (j *Journal) remember(id, revision int64, doc *setup.Setup) {
	j.mu.Lock()
	defer j.mu.Unlock()
	if j.heads[id].revision > revision {
		return
	}
	j.heads[id] = head{revision, doc, time.Now()}
	for len(j.heads) > maxHeads {
		var oldest int64
		for k, h := range j.heads {
			if oldest == 0 || h.used.Before(j.heads[oldest].used) {
				oldest = k
			}
		}
		delete(j.heads, oldest)
	}
}

// files are the hashes that a document names.
func files(doc *setup.Setup) []string {
	profiles, slides, environments := doc.Blobs()
	all := slices.Concat(profiles, slides, environments, doc.Pictures(), doc.Tables())
	if doc.Place != nil {
		all = append(all, doc.Place.Blob)
	}
	return all
}

// need is a file that an edit names for the first time, and what it takes it for.
type need struct {
	kind blob.Kind
	hash string
}

// needs lists what a document names and the one before it did not.
func needs(before, after *setup.Setup, place string) (out []need) {
	known := map[string]bool{"": true}
	if before != nil {
		for _, h := range files(before) {
			known[h] = true
		}
	}
	add := func(kind blob.Kind, hashes ...string) {
		for _, h := range hashes {
			if !known[h] {
				out = append(out, need{kind, h})
			}
		}
	}
	profiles, slides, environments := after.Blobs()
	add(blob.Place, place)
	if after.Place != nil {
		add(blob.Place, after.Place.Blob)
	}
	add(blob.Profile, profiles...)
	add(blob.Slide, slides...)
	add(blob.Environment, environments...)
	add(blob.Reference, after.Pictures()...)
	add(blob.Table, after.Tables()...)
	return out
}

// kept asks whether files are kept, and are what they are taken for. Error:
// ErrMissing.
func (j *Journal) kept(ctx context.Context, list []need) error {
	by := map[blob.Kind][]string{}
	for _, n := range list {
		by[n.kind] = append(by[n.kind], n.hash)
	}
	for kind, hashes := range by {
		lacks, err := j.blobs.Lacks(ctx, kind, hashes)
		if err != nil {
			return err
		}
		if len(lacks) > 0 {
			return fmt.Errorf("%s %.12s: %w", kind, lacks[0], ErrMissing)
		}
	}
	return nil
}

// unasked is what an edit needs and nobody has asked after yet: the transaction is
// left for that, since it must not wait for another connection.
type unasked []need

func (unasked) Error() string { return "files to be asked after" }

// name notes which files a setup names, so that they are kept.
func (j *Journal) name(ctx context.Context, tx pgx.Tx, id int64, hashes []string) error {
	if len(hashes) == 0 {
		return nil
	}
	_, err := tx.Exec(ctx, `INSERT INTO names (setup, hash) SELECT $1, unnest($2::text[]) ON CONFLICT DO NOTHING`, id, hashes)
	return err
}

// Named reports whether a setup, its journal or a snapshot names a file.
func (j *Journal) Named(ctx context.Context, hash string) (is bool, err error) {
	err = j.db.Pool.QueryRow(ctx, `SELECT EXISTS (SELECT 1 FROM names WHERE hash = $1)`, hash).Scan(&is)
	return is, err
}

// Apply validates an edit and journals it, all or nothing. The same (window, seq)
// again changes nothing, and an edit that changes nothing is not written. Errors:
// setup.ErrInvalid, edits.ErrPlace, ErrMissing, store.ErrNotFound, store.ErrAway.
func (j *Journal) Apply(ctx context.Context, id int64, e edits.Edit) (*Done, error) {
	return j.change(ctx, id, e, func(ctx context.Context, tx pgx.Tx, u *Setup) (*Done, *edits.Change, error) {
		c, err := edits.Apply(u.Doc, e.Ops)
		return &Done{Edit: e, Deed: edits.Did}, c, err
	})
}

// Undo takes back the person's last edit that still stands, or with redo does
// again what was taken back last. e carries person, window and seq.
func (j *Journal) Undo(ctx context.Context, id int64, e edits.Edit, redo bool) (*Done, error) {
	return j.change(ctx, id, e, func(ctx context.Context, tx pgx.Tx, u *Setup) (*Done, *edits.Change, error) {
		h, err := j.hand(ctx, tx, id, e.Person)
		if err != nil {
			return nil, nil, err
		}
		d := &Done{Edit: e, Deed: edits.Undid, Of: h.undo}
		if redo {
			d.Deed, d.Of = edits.Redid, h.redo
		}
		if d.Of == 0 {
			return nil, nil, ErrNothing
		}
		var done, inverse []edits.Op
		if err := tx.QueryRow(ctx, `SELECT label, ops, inverse FROM edits WHERE setup = $1 AND revision = $2`, id, d.Of).Scan(&d.Edit.Label, &done, &inverse); err != nil {
			return nil, nil, err
		}
		c, kept := edits.Reverse(u.Doc, done, inverse)
		if c == nil {
			c = &edits.Change{After: u.Doc}
		}
		d.Kept, d.Edit.Target = kept, "base"
		return d, c, nil
	})
}

// Revert makes one new edit that brings back the document of a revision, or with
// doc that document. It can itself be undone.
func (j *Journal) Revert(ctx context.Context, id int64, e edits.Edit, revision int64, doc *setup.Setup) (*Done, error) {
	return j.change(ctx, id, e, func(ctx context.Context, tx pgx.Tx, u *Setup) (*Done, *edits.Change, error) {
		to := doc
		if to == nil {
			var err error
			if to, err = j.at(ctx, tx, u, revision); err != nil {
				return nil, nil, err
			}
		}
		ops := edits.Diff(u.Doc, to)
		if len(ops) == 0 {
			return nil, nil, ErrNothing
		}
		if err := to.Validate(); err != nil {
			return nil, nil, err
		}
		e.Target, e.Base = "base", u.Revision
		return &Done{Edit: e, Deed: edits.Did}, &edits.Change{After: to, Ops: ops, Inverse: edits.Diff(to, u.Doc)}, nil
	})
}

// stateEvery edits the document is kept as it is.
const stateEvery = 64

// channel is where servers hear of edits.
const channel = "willowherb_edits"

func (j *Journal) change(ctx context.Context, id int64, e edits.Edit, make func(context.Context, pgx.Tx, *Setup) (*Done, *edits.Change, error)) (*Done, error) {
	asked := map[need]bool{}
	for {
		d, err := j.write(ctx, id, e, make, asked)
		var more unasked
		if !errors.As(err, &more) {
			return d, err
		}
		if err := j.kept(ctx, more); err != nil {
			return nil, err
		}
		for _, n := range more {
			asked[n] = true
		}
	}
}

// write does one try of a change. asked are the files that are known to be kept.
func (j *Journal) write(ctx context.Context, id int64, e edits.Edit, make func(context.Context, pgx.Tx, *Setup) (*Done, *edits.Change, error), asked map[need]bool) (*Done, error) {
	var d *Done
	err := j.db.Tx(ctx, func(tx pgx.Tx) error {
		u, err := j.read(ctx, tx, id, true)
		if err != nil {
			return err
		}
		var rev int64
		err = tx.QueryRow(ctx, `SELECT revision, label FROM edits WHERE setup = $1 AND browser = $2 AND seq = $3`, id, e.Window, e.Seq).Scan(&rev, &e.Label)
		if err == nil {
			d = &Done{Revision: rev, Edit: e, Doc: u.Doc, Repeat: true}
			return j.labels(ctx, tx, id, e.Person, d)
		}
		if !errors.Is(err, pgx.ErrNoRows) {
			return err
		}
		var c *edits.Change
		if d, c, err = make(ctx, tx, u); err != nil {
			return err
		}
		if d.Deed == edits.Did && len(c.Ops) == 0 {
			d.Revision, d.Doc, d.Repeat, d.Nothing = u.Revision, u.Doc, true, true
			return j.labels(ctx, tx, id, e.Person, d)
		}
		if c.Ops == nil {
			c.Ops, c.Inverse = []edits.Op{}, []edits.Op{}
		}
		if more := slices.DeleteFunc(needs(u.Doc, c.After, ""), func(n need) bool { return asked[n] }); len(more) > 0 {
			return unasked(more)
		}
		text := c.After.JSON()
		if len(text) > setup.MaxBytes {
			return fmt.Errorf("%w: the setup would take %d kB; it may take %d", setup.ErrInvalid, len(text)>>10, setup.MaxBytes>>10)
		}
		d.Revision, d.Doc, d.Edit.Ops = u.Revision+1, c.After, c.Ops
		if d.Deed == edits.Did && d.Edit.Base < u.Revision {
			if d.Over, err = over(ctx, tx, id, d.Edit); err != nil {
				return err
			}
		}
		below, err := j.push(ctx, tx, id, d)
		if err != nil {
			return err
		}
		b := &pgx.Batch{}
		b.Queue(`INSERT INTO edits (setup, revision, person, browser, seq, gesture, base, target, deed, of, label, ops, inverse, called, below)
			VALUES ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10, $11, $12, $13, $14, $15)`,
			id, d.Revision, e.Person, e.Window, e.Seq, e.Gesture, e.Base, d.Edit.Target, d.Deed, d.Of, d.Edit.Label, c.Ops, c.Inverse, e.Called, below)
		b.Queue(`UPDATE setups SET document = $2, revision = $3 WHERE id = $1`, id, json.RawMessage(text), d.Revision)
		if d.Revision%stateEvery == 0 {
			b.Queue(`INSERT INTO states (setup, revision, document) VALUES ($1, $2, $3)`, id, d.Revision, json.RawMessage(text))
		}
		b.Queue(`SELECT pg_notify($1, $2)`, channel, fmt.Sprintf("%d %d %s", id, d.Revision, j.self))
		if err := tx.SendBatch(ctx, b).Close(); err != nil {
			return err
		}
		if err := j.name(ctx, tx, id, files(c.After)); err != nil {
			return err
		}
		return j.labels(ctx, tx, id, e.Person, d)
	})
	if err != nil {
		return nil, err
	}
	j.remember(id, d.Revision, d.Doc)
	return d, nil
}

// maxOver is how many values an edit tells of that it has set over others'.
const maxOver = 20

// over finds what the edit e replaces of other windows' edits since its base, of
// the last few hundred.
func over(ctx context.Context, tx pgx.Tx, id int64, e edits.Edit) ([]Over, error) {
	rows, err := tx.Query(ctx, `SELECT person, browser, label, ops FROM edits WHERE setup = $1 AND revision > $2 AND browser <> $3 ORDER BY revision DESC LIMIT 200`, id, e.Base, e.Window)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	mine, above := map[string]bool{}, map[string]bool{}
	for _, op := range e.Ops {
		mine[op.Path] = true
		for p := op.Path; p != ""; p = p[:strings.LastIndexByte(p, '/')] {
			above[p] = true
		}
	}
	within := func(p string) bool {
		for ; p != ""; p = p[:strings.LastIndexByte(p, '/')] {
			if mine[p] {
				return true
			}
		}
		return false
	}
	var out []Over
	for rows.Next() {
		var o Over
		var ops []edits.Op
		if err := rows.Scan(&o.Person, &o.Window, &o.Label, &ops); err != nil {
			return nil, err
		}
		for _, theirs := range ops {
			if len(out) < maxOver && (above[theirs.Path] || within(theirs.Path)) {
				o.Path = theirs.Path
				out = append(out, o)
			}
		}
	}
	return out, rows.Err()
}

// Ready asks the database for a sign of life.
func (j *Journal) Ready(ctx context.Context) error { return j.db.Ready(ctx) }
