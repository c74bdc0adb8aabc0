package journal

import (
	"context"
	"fmt"
	"log/slog"
	"time"

	"willowherb/store"
)

// Follow calls changed for every revision that another server writes, until ctx
// ends. Setup 0 means that news may have been missed: every open setup has to look.
// It comes back by itself after the database was away.
func (j *Journal) Follow(ctx context.Context, changed func(setup, revision int64)) {
	for wait := 50 * time.Millisecond; ctx.Err() == nil; wait = min(2*wait, 2*time.Second) {
		began := time.Now()
		err := j.follow(ctx, changed)
		if ctx.Err() != nil {
			return
		}
		changed(0, 0) // whoever looks finds the database away, or what was missed
		slog.Warn("news of edits have stopped; listening again", "err", store.Plain(err))
		if time.Since(began) > 10*time.Second {
			wait = 50 * time.Millisecond
		}
		select {
		case <-ctx.Done():
		case <-time.After(wait):
		}
	}
}

func (j *Journal) follow(ctx context.Context, changed func(setup, revision int64)) error {
	pooled, err := j.db.Pool.Acquire(ctx)
	if err != nil {
		return err
	}
	// It stays with LISTEN on: not for others to use.
	conn := pooled.Hijack()
	defer conn.Close(context.WithoutCancel(ctx))
	if _, err := conn.Exec(ctx, `LISTEN `+channel); err != nil {
		return err
	}
	changed(0, 0)
	for {
		n, err := conn.WaitForNotification(ctx)
		if err != nil {
			return err
		}
		var id, revision int64
		var by string
		if _, err := fmt.Sscan(n.Payload, &id, &revision, &by); err == nil && by != j.self {
			changed(id, revision)
		}
	}
}
