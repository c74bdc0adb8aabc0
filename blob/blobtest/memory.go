// Package blobtest keeps files in memory, for tests that need no database.
package blobtest

import (
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"io"
	"sync"
	"time"

	"willowherb/blob"
	"willowherb/store"
)

// Memory is a blob.Store.
type Memory struct {
	mu    sync.Mutex
	files map[string][]byte
	kinds map[string]bool
	// Away, when set, is what every reading answers.
	Away error
}

var _ blob.Store = (*Memory)(nil)

// Put keeps a file.
func (m *Memory) Put(_ context.Context, kind blob.Kind, r io.Reader) (string, error) {
	data, err := io.ReadAll(r)
	if err != nil {
		return "", err
	}
	sum := sha256.Sum256(data)
	hash := hex.EncodeToString(sum[:])
	m.mu.Lock()
	defer m.mu.Unlock()
	if m.files == nil {
		m.files, m.kinds = map[string][]byte{}, map[string]bool{}
	}
	m.files[hash] = data
	m.kinds[hash+string(kind)] = true
	return hash, nil
}

// Open reads a file.
func (m *Memory) Open(_ context.Context, hash string) (io.ReadCloser, int64, error) {
	m.mu.Lock()
	defer m.mu.Unlock()
	if m.Away != nil {
		return nil, 0, m.Away
	}
	data, ok := m.files[hash]
	if !ok {
		return nil, 0, fmt.Errorf("asset %.12s: %w", hash, store.ErrNotFound)
	}
	return io.NopCloser(bytes.NewReader(data)), int64(len(data)), nil
}

// SetAway makes every reading fail, or with nil succeed again.
func (m *Memory) SetAway(err error) {
	m.mu.Lock()
	defer m.mu.Unlock()
	m.Away = err
}

// Lacks tells what is not kept.
func (m *Memory) Lacks(_ context.Context, kind blob.Kind, hashes []string) (lacks []string, err error) {
	m.mu.Lock()
	defer m.mu.Unlock()
	for _, h := range hashes {
		if !m.kinds[h+string(kind)] {
			lacks = append(lacks, h)
		}
	}
	return lacks, nil
}

// Sweep forgets what nothing names.
func (m *Memory) Sweep(ctx context.Context, _ time.Duration, named func(context.Context, string) (bool, error)) (n int, err error) {
	m.mu.Lock()
	defer m.mu.Unlock()
	for h := range m.files {
		if is, err := named(ctx, h); err != nil {
			return n, err
		} else if !is {
			delete(m.files, h)
			n++
		}
	}
	return n, nil
}
