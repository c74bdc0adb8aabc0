package farm

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"log/slog"
	"os"
	"runtime"
	"sync"
	"sync/atomic"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/riverqueue/river"
	"github.com/riverqueue/river/riverdriver/riverpgxv5"
	"github.com/riverqueue/river/rivermigrate"
	"willowherb/core/baking"
	"willowherb/core/setup"
	"willowherb/core/still"
	"willowherb/stage"
	"willowherb/store"
)

// Farm is the queue and, once it works, a worker of it.
type Farm struct {
	db     *store.DB
	shop   *stage.Shop
	client *river.Client[pgx.Tx]
	name   string
	work   stage.Shelf[*baking.Work]
	// Beat is how often signs of life are given, Gone after how long without one a worker is
	// given up. Set them before Work.
	Beat, Gone time.Duration

	urgent atomic.Int32 // drafts and estimates at work, for which somebody waits
	mu     sync.Mutex
	doing  int64 // the job
	what   string
	rate   float64
	before *baking.Work // laid out last
	known  *still.Known // of the world that final frames were last made of, and its key
	knows  string
}

// State of a bake.
type State string

// States.
const (
	Waiting State = "waiting"
	Working State = "working"
	Paused  State = "paused"
	Stopped State = "stopped"
	Failed  State = "failed"
	Done    State = "done"
)

// Over reports whether nothing more comes of a bake.
func (s State) Over() bool { return s == Stopped || s == Failed || s == Done }

// priorities of qualities: what an artist waits for comes first.
var priorities = map[string]int{"draft": 1, "review": 2, "own": 3, "final": 4}

// New returns the farm of a database. Error: the queue's tables could not be made.
func New(ctx context.Context, db *store.DB, shop *stage.Shop) (*Farm, error) {
	host, err := os.Hostname()
	if err != nil {
		host = "worker"
	}
	f := &Farm{db: db, shop: shop, name: fmt.Sprintf("%s-%d-%d", host, os.Getpid(), time.Now().UnixNano()), work: stage.Shelf[*baking.Work]{Keep: 1}, Beat: 2 * time.Second, Gone: 15 * time.Second}
	if err := migrate(ctx, db); err != nil {
		return nil, fmt.Errorf("making the queue's tables: %w", err)
	}
	ws := river.NewWorkers()
	river.AddWorker(ws, &planWorker{f: f})
	river.AddWorker(ws, &tileWorker{f: f})
	river.AddWorker(ws, &endWorker{f: f})
	river.AddWorker(ws, &finalPlanWorker{f: f})
	river.AddWorker(ws, &finalPieceWorker{f: f})
	river.AddWorker(ws, &finalJoinWorker{f: f})
	f.client, err = river.NewClient(riverpgxv5.New(db.Pool), &river.Config{
		ID: f.name, Workers: ws, Queues: map[string]river.QueueConfig{queue: {MaxWorkers: 1}},
		JobTimeout: 2 * time.Hour, RescueStuckJobsAfter: 3 * time.Hour, // tend is quicker
		Logger:        slog.New(slog.DiscardHandler), // what matters the store says, and session
		FetchCooldown: 20 * time.Millisecond, FetchPollInterval: 500 * time.Millisecond,
	})
	return f, err
}

// migrate brings the queue's tables up to date, one process at a time.
func migrate(ctx context.Context, db *store.DB) error {
	return db.Do(ctx, func(ctx context.Context) error {
		c, err := db.Pool.Acquire(ctx)
		if err != nil {
			return err
		}
		defer c.Release()
		const lock = 7461001
		if _, err := c.Exec(ctx, "SELECT pg_advisory_lock($1)", lock); err != nil {
			return err
		}
		defer func() { _, _ = c.Exec(context.WithoutCancel(ctx), "SELECT pg_advisory_unlock($1)", lock) }()
		m, err := rivermigrate.New(riverpgxv5.New(db.Pool), nil)
		if err != nil {
			return err
		}
		_, err = m.Migrate(ctx, rivermigrate.DirectionUp, nil)
		return err
	})
}

const queue = "bakes"

// Work takes part until ctx ends, and gives back then what it was at.
func (f *Farm) Work(ctx context.Context) error {
	if err := f.client.Start(context.WithoutCancel(ctx)); err != nil {
		return err
	}
	go f.tend(ctx)
	<-ctx.Done()
	stop, cancel := context.WithTimeout(context.Background(), 2*time.Second)
	defer cancel()
	err := f.client.StopAndCancel(stop)
	_, _ = f.db.Pool.Exec(stop, "DELETE FROM farm_workers WHERE name = $1", f.name)
	if errors.Is(err, context.DeadlineExceeded) {
		err = nil // others take up what it was at
	}
	return err
}

// tend gives signs of life, and puts back into the queue what was left by workers that give
// none, or that know nothing of it.
func (f *Farm) tend(ctx context.Context) {
	for {
		f.mu.Lock()
		doing, what, rate := f.doing, f.what, f.rate
		f.mu.Unlock()
		err := f.db.Do(ctx, func(ctx context.Context) error {
			_, err := f.db.Pool.Exec(ctx, `INSERT INTO farm_workers (name, kind, doing, job, rate) VALUES ($1, $2, $3, $4, $5)
				ON CONFLICT (name) DO UPDATE SET doing = $3, job = $4, rate = $5, seen = now()`, f.name, kind(), what, doing, rate)
			if err != nil {
				return err
			}
			_, err = f.db.Pool.Exec(ctx, `UPDATE river_job SET state = 'available', scheduled_at = now()
				WHERE queue = $1 AND (state = 'running' AND attempted_at < now() - $2::interval AND NOT EXISTS (
					SELECT 1 FROM farm_workers w WHERE w.name = attempted_by[array_upper(attempted_by, 1)] AND w.seen > now() - $2::interval AND w.job = river_job.id)
					OR state = 'retryable' AND scheduled_at > now() + $2::interval)`, queue, f.Gone)
			if err != nil {
				return err
			}
			_, err = f.db.Pool.Exec(ctx, "DELETE FROM farm_workers WHERE seen < now() - interval '1 minute'")
			return err
		})
		_ = err // told by the store; the next beat tries again
		select {
		case <-ctx.Done():
			return
		case <-time.After(f.Beat):
		}
	}
}

// Urgent reports whether this process is at a draft or an estimate, for which somebody waits.
func (f *Farm) Urgent() bool { return f.urgent.Load() > 0 }

// Hurry says that somebody waits for what is done until the returned function is called.
func (f *Farm) Hurry() func() {
	f.urgent.Add(1)
	return func() { f.urgent.Add(-1) }
}

// Share has an order go on from what was laid out last, and its own work be gone on from.
func (f *Farm) Share(o *baking.Order) {
	f.mu.Lock()
	defer f.mu.Unlock()
	o.Before = f.before
	o.Laid = func(w *baking.Work) {
		f.mu.Lock()
		f.before = w
		f.mu.Unlock()
	}
}

// at says what the worker is at.
func (f *Farm) at(job int64, what string, rate float64) {
	f.mu.Lock()
	f.doing, f.what = job, what
	if rate > 0 {
		f.rate = rate
	}
	f.mu.Unlock()
}

func kind() string { return fmt.Sprintf("%s, %d cores", runtime.GOARCH, runtime.GOMAXPROCS(0)) }

// Order is a bake to be asked for.
type Order struct {
	Setup    int64
	Revision int64
	Doc      *setup.Setup // resolved: no look is worn
	Place    string       // hash of the file
	File     string
	Quality  string
	Numbers  setup.Quality
}

// Ask puts a bake into the queue, in one transaction, and stops those of the same setup that
// are not over.
func (f *Farm) Ask(ctx context.Context, o *Order) (id int64, err error) {
	numbers, err := json.Marshal(o.Numbers)
	if err != nil {
		return 0, err
	}
	err = f.db.Tx(ctx, func(tx pgx.Tx) error {
		_, err := tx.Exec(ctx, "UPDATE bakes SET state = 'stopped', done = now() WHERE setup = $1 AND state IN ('waiting', 'working', 'paused')", o.Setup)
		if err != nil {
			return err
		}
		err = tx.QueryRow(ctx, `INSERT INTO bakes (setup, revision, document, place, file, quality, numbers, priority) VALUES ($1, $2, $3, $4, $5, $6, $7, $8) RETURNING id`,
			o.Setup, o.Revision, o.Doc.JSON(), o.Place, o.File, o.Quality, numbers, priorities[o.Quality]).Scan(&id)
		if err != nil {
			return err
		}
		return f.put(ctx, tx, planArgs{id}, priorities[o.Quality])
	})
	return id, err
}

func (f *Farm) put(ctx context.Context, tx pgx.Tx, args river.JobArgs, priority int) error {
	_, err := f.client.InsertTx(ctx, tx, args, &river.InsertOpts{Queue: queue, Priority: max(priority, 1), MaxAttempts: 12})
	return err
}

// ErrState means that a bake is not in a state for what is asked of it.
var ErrState = errors.New("the bake is over, or goes on already")

// Pause, Resume and Stop change the state of a setup's bake that is not over. Error: ErrState.
func (f *Farm) Pause(ctx context.Context, setup int64) error {
	return f.turn(ctx, setup, Paused, "('waiting', 'working')")
}

// Stop ends a bake; what it has made is kept.
func (f *Farm) Stop(ctx context.Context, setup int64) error {
	return f.turn(ctx, setup, Stopped, "('waiting', 'working', 'paused')")
}

func (f *Farm) turn(ctx context.Context, setup int64, to State, from string) error {
	return f.db.Do(ctx, func(ctx context.Context) error {
		tag, err := f.db.Pool.Exec(ctx, "UPDATE bakes SET state = $2, done = CASE WHEN $2 = 'stopped' THEN now() END WHERE setup = $1 AND state IN "+from, setup, to)
		if err == nil && tag.RowsAffected() == 0 {
			err = ErrState
		}
		return err
	})
}

// Resume goes on with a bake that pauses.
func (f *Farm) Resume(ctx context.Context, setup int64) error {
	return f.db.Tx(ctx, func(tx pgx.Tx) error {
		var id int64
		var priority int
		err := tx.QueryRow(ctx, "UPDATE bakes SET state = 'waiting' WHERE setup = $1 AND state = 'paused' RETURNING id, priority", setup).Scan(&id, &priority)
		if errors.Is(err, pgx.ErrNoRows) {
			return ErrState
		}
		if err != nil {
			return err
		}
		return f.put(ctx, tx, planArgs{id}, priority)
	})
}
