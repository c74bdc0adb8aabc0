package blob

import (
	"context"
	"crypto/rand"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"hash"
	"io"
	"time"

	"github.com/jackc/pgx/v5"
	"willowherb/store"
)

// Postgres keeps files in chunks of 1 MiB in the database.
type Postgres struct{ DB *store.DB }

// chunk is the size of a stored piece of a file.
const chunk = 1 << 20

// Put writes the chunks as they are read, under a name of their own until the hash
// is known. Memory: one chunk. A reader that can go back to its start is read again
// where the database went away meanwhile.
func (p Postgres) Put(ctx context.Context, kind Kind, r io.Reader) (name string, err error) {
	once := func(ctx context.Context) error {
		name, err = p.put(ctx, kind, r)
		return err
	}
	if back, ok := r.(io.Seeker); ok {
		again := false
		err = p.DB.Do(ctx, func(ctx context.Context) error {
			if again {
				if _, err := back.Seek(0, io.SeekStart); err != nil {
					return err
				}
			}
			again = true
			return once(ctx)
		})
	} else if err = once(ctx); err != nil && store.Away(err) {
		err = fmt.Errorf("%w: %w", store.ErrAway, store.Plain(err))
	}
	return name, err
}

func (p Postgres) put(ctx context.Context, kind Kind, r io.Reader) (string, error) {
	var key [16]byte
	_, _ = rand.Read(key[:])
	var sum string
	err := pgx.BeginFunc(ctx, p.DB.Pool, func(tx pgx.Tx) error {
		var id, size int64
		if err := tx.QueryRow(ctx, `INSERT INTO blobs (hash, size) VALUES ($1, 0) RETURNING id`, "coming "+hex.EncodeToString(key[:])).Scan(&id); err != nil {
			return err
		}
		h := sha256.New()
		buf := make([]byte, chunk)
		for n := 0; ; n++ {
			k, err := io.ReadFull(r, buf)
			if k > 0 {
				h.Write(buf[:k])
				size += int64(k)
				if _, err := tx.Exec(ctx, `INSERT INTO blob_chunks (blob, n, data) VALUES ($1, $2, $3)`, id, n, buf[:k]); err != nil {
					return err
				}
			}
			if errors.Is(err, io.EOF) || errors.Is(err, io.ErrUnexpectedEOF) && k < chunk {
				break
			}
			if err != nil {
				return fmt.Errorf("reading the file: %w", err)
			}
		}
		sum = hex.EncodeToString(h.Sum(nil))
		// It may be here already, or come in by another door at this moment.
		if _, err := tx.Exec(ctx, `SELECT pg_advisory_xact_lock(hashtextextended($1, 7461))`, sum); err != nil {
			return err
		}
		t, err := tx.Exec(ctx, `UPDATE blobs SET used = now() WHERE hash = $1`, sum)
		if err != nil {
			return err
		}
		if t.RowsAffected() > 0 {
			_, err = tx.Exec(ctx, `DELETE FROM blobs WHERE id = $1`, id)
		} else {
			_, err = tx.Exec(ctx, `UPDATE blobs SET hash = $2, size = $3 WHERE id = $1`, id, sum, size)
		}
		if err == nil {
			_, err = tx.Exec(ctx, `INSERT INTO blob_kinds (hash, kind) VALUES ($1, $2) ON CONFLICT DO NOTHING`, sum, kind)
		}
		return err
	})
	return sum, err
}

// Open reads chunk by chunk.
func (p Postgres) Open(ctx context.Context, name string) (io.ReadCloser, int64, error) {
	r := &reader{ctx: ctx, db: p.DB, name: name, sum: sha256.New()}
	var size int64
	err := p.DB.Do(ctx, func(ctx context.Context) error {
		return p.DB.Pool.QueryRow(ctx, `SELECT id, size FROM blobs WHERE hash = $1`, name).Scan(&r.id, &size)
	})
	if errors.Is(err, pgx.ErrNoRows) {
		return nil, 0, errGone(name)
	}
	r.left = size
	return r, size, err
}

type reader struct {
	ctx  context.Context
	db   *store.DB
	name string
	id   int64
	n    int
	left int64
	rest []byte
	sum  hash.Hash
}

func (r *reader) Read(to []byte) (int, error) {
	if len(r.rest) == 0 {
		if r.left <= 0 {
			if hex.EncodeToString(r.sum.Sum(nil)) != r.name {
				return 0, fmt.Errorf("asset %.12s is damaged in the database: %w", r.name, io.ErrUnexpectedEOF)
			}
			return 0, io.EOF
		}
		err := r.db.Do(r.ctx, func(ctx context.Context) error {
			return r.db.Pool.QueryRow(ctx, `SELECT data FROM blob_chunks WHERE blob = $1 AND n = $2`, r.id, r.n).Scan(&r.rest)
		})
		if errors.Is(err, pgx.ErrNoRows) || err == nil && len(r.rest) == 0 {
			return 0, fmt.Errorf("asset %.12s is damaged in the database: %w", r.name, io.ErrUnexpectedEOF)
		}
		if err != nil {
			return 0, err
		}
		r.n++
		r.sum.Write(r.rest)
		r.left -= int64(len(r.rest))
	}
	k := copy(to, r.rest)
	r.rest = r.rest[k:]
	return k, nil
}

func (r *reader) Close() error { return nil }

// Lacks asks in one statement, and notes that the files were asked after.
func (p Postgres) Lacks(ctx context.Context, kind Kind, hashes []string) (lacks []string, err error) {
	if len(hashes) == 0 {
		return nil, nil
	}
	err = p.DB.Do(ctx, func(ctx context.Context) error {
		rows, err := p.DB.Pool.Query(ctx, `UPDATE blobs b SET used = now() FROM blob_kinds k WHERE b.hash = ANY($1) AND k.hash = b.hash AND k.kind = $2 RETURNING b.hash`, hashes, kind)
		if err != nil {
			return err
		}
		there, err := pgx.CollectRows(rows, pgx.RowTo[string])
		if err != nil {
			return err
		}
		lacks = nil
		have := map[string]bool{}
		for _, h := range there {
			have[h] = true
		}
		for _, h := range hashes {
			if !have[h] {
				lacks = append(lacks, h)
			}
		}
		return nil
	})
	return lacks, err
}

// Sweep looks at each candidate by itself: one that was asked after meanwhile stays.
func (p Postgres) Sweep(ctx context.Context, older time.Duration, named func(context.Context, string) (bool, error)) (int, error) {
	before := time.Now().Add(-older)
	rows, err := p.DB.Pool.Query(ctx, `SELECT hash FROM blobs WHERE used < $1`, before)
	if err != nil {
		return 0, err
	}
	list, err := pgx.CollectRows(rows, pgx.RowTo[string])
	if err != nil {
		return 0, err
	}
	n := 0
	for _, h := range list {
		if is, err := named(ctx, h); err != nil {
			return n, err
		} else if is {
			continue
		}
		t, err := p.DB.Pool.Exec(ctx, `DELETE FROM blobs WHERE hash = $1 AND used < $2`, h, before)
		if err != nil {
			return n, err
		}
		n += int(t.RowsAffected())
	}
	return n, nil
}
