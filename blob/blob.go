// Package blob keeps files by the hash of what is in them: places, profiles of
// luminaires, slides. Store is what the rest of the application knows; Postgres
// keeps them beside the journals, so that there is one thing that must not be lost.
// A folder or an object store would be another Store.
package blob

import (
	"context"
	"fmt"
	"io"
	"time"

	"willowherb/store"
)

// Kind is what a file was read as before it was kept.
type Kind string

// Kinds of files.
const (
	Place   Kind = "place"
	Profile Kind = "profile"
	Slide   Kind = "slide"
	// Environment is a picture of all that lies around.
	Environment Kind = "environment"
	// Table is a table of colour.
	Table Kind = "table"
	// Reference is a finished picture to look at.
	Reference Kind = "reference"
)

// Store keeps files. A hash is the lower-case hexadecimal SHA-256 of a file.
// Errors: store.ErrNotFound, store.ErrAway.
type Store interface {
	// Put keeps what it reads to the end, once, as something of a kind.
	Put(ctx context.Context, kind Kind, r io.Reader) (hash string, err error)
	// Open reads a file from its start. A file that is not what its hash says ends in
	// an error instead of io.EOF.
	Open(ctx context.Context, hash string) (r io.ReadCloser, size int64, err error)
	// Lacks returns those of the hashes that are not kept as that kind; the others
	// are kept for a day at least from now, named or not.
	Lacks(ctx context.Context, kind Kind, hashes []string) ([]string, error)
	// Sweep forgets files that were neither sent nor asked after for so long, and that
	// nothing names. It returns how many.
	Sweep(ctx context.Context, older time.Duration, named func(ctx context.Context, hash string) (bool, error)) (int, error)
}

// Read reads a whole file.
func Read(ctx context.Context, s Store, hash string) ([]byte, error) {
	r, size, err := s.Open(ctx, hash)
	if err != nil {
		return nil, err
	}
	defer r.Close()
	data := make([]byte, size)
	if _, err := io.ReadFull(r, data); err != nil {
		return nil, fmt.Errorf("asset %.12s: %w", hash, err)
	}
	if _, err := r.Read(make([]byte, 1)); err != io.EOF {
		return nil, fmt.Errorf("asset %.12s: %w", hash, err)
	}
	return data, nil
}

// errGone says that a file is not kept.
func errGone(hash string) error { return fmt.Errorf("asset %.12s: %w", hash, store.ErrNotFound) }
