package farm

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"log/slog"
	"runtime"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/riverqueue/river"
	"github.com/riverqueue/river/riverdriver/riverpgxv5"
	"willowherb/core/bake"
	"willowherb/core/baking"
	"willowherb/core/setup"
	"willowherb/core/spread"
	"willowherb/core/staging"
	"willowherb/format/lightmap"
	"willowherb/store"
)

// inQueue is how many tiles of a bake are in the queue at a time.
const inQueue = 4

type planArgs struct {
	Bake int64 `json:"bake"`
}

// Kind is for River.
func (planArgs) Kind() string { return "bake_plan" }

type tileArgs struct {
	Bake   int64 `json:"bake"`
	Object int   `json:"object"`
}

// Kind is for River.
func (tileArgs) Kind() string { return "bake_tile" }

type endArgs struct {
	Bake int64 `json:"bake"`
}

// Kind is for River.
func (endArgs) Kind() string { return "bake_end" }

// row is a bake as it was asked for.
type row struct {
	id          int64
	setup       int64
	doc         *setup.Setup
	place, file string
	quality     string
	numbers     setup.Quality
	priority    int
	state       State
}

func (f *Farm) row(ctx context.Context, id int64) (r row, err error) {
	var doc, numbers []byte
	err = f.db.Do(ctx, func(ctx context.Context) error {
		return f.db.Pool.QueryRow(ctx, "SELECT id, setup, document, place, file, quality, numbers, priority, state FROM bakes WHERE id = $1", id).
			Scan(&r.id, &r.setup, &doc, &r.place, &r.file, &r.quality, &numbers, &r.priority, &r.state)
	})
	if err != nil {
		return r, err
	}
	if r.doc, err = setup.Decode(doc); err != nil {
		return r, err
	}
	return r, json.Unmarshal(numbers, &r.numbers)
}

// ready lays a bake out, once for all of its tiles.
func (f *Farm) ready(ctx context.Context, r *row) (*baking.Work, error) {
	return f.work.Get(ctx, fmt.Sprint(r.id), func(ctx context.Context) (*baking.Work, error) {
		st := staging.Of(r.doc, r.place, r.file)
		on, err := f.shop.Ready(ctx, st)
		if err != nil {
			return nil, err
		}
		lamps, err := f.shop.Lamps(ctx, r.doc, on)
		if err != nil {
			return nil, err
		}
		o := &baking.Order{Scene: on.Scene, World: on.World, Doc: r.doc, Lamps: lamps, Quality: r.numbers, Workers: runtime.GOMAXPROCS(0), Kept: keeper{f}}
		o.Place = Place(&st, r.doc, on.Scene)
		f.Share(o)
		return o.Lay(ctx)
	})
}

// session is one job's work for a bake.
func (f *Farm) session(ctx context.Context, job int64, bakeID int64, what string, do func(ctx context.Context, r *row) error) error {
	f.at(job, what, 0)
	defer f.at(0, "", 0)
	r, err := f.row(ctx, bakeID)
	if errors.Is(err, pgx.ErrNoRows) {
		return river.JobCancel(errors.New("the setup of the bake was removed"))
	}
	if err != nil {
		return err
	}
	if r.priority == priorities["draft"] {
		defer f.Hurry()()
	}
	return f.attend(ctx, task{"bakes", bakeID}, r.state, func(ctx context.Context) error { return do(ctx, &r) })
}

// task is what jobs are for: a row of a table.
type task struct {
	table string // bakes or finals
	id    int64
}

// attend does a job's work as long as it is wanted, and says of the task why it failed.
func (f *Farm) attend(ctx context.Context, of task, now State, do func(ctx context.Context) error) error {
	if now.Over() || now == Paused {
		return nil
	}
	ctx, cancel := context.WithCancelCause(ctx)
	defer cancel(nil)
	go f.watch(ctx, of, cancel)
	err := spread.Guard(func() error { return do(ctx) })
	switch {
	case err == nil:
		return nil
	case errors.Is(context.Cause(ctx), errNotWanted):
		return nil
	case errors.Is(context.Cause(ctx), errGivesWay):
		return river.JobSnooze(time.Second)
	case store.Away(err) || ctx.Err() != nil:
		return err // it is tried again
	}
	slog.Error("work of the queue failed", "of", of.table, "id", of.id, "err", err)
	text := err.Error()
	var fault *spread.Fault
	if errors.As(err, &fault) {
		text = "there is a fault in the program; the server's log has it"
	}
	e2 := f.db.Do(context.WithoutCancel(ctx), func(ctx context.Context) error {
		_, err := f.db.Pool.Exec(ctx, "UPDATE "+of.table+" SET state = 'failed', error = $2, done = now() WHERE id = $1", of.id, text)
		return err
	})
	if e2 != nil {
		return e2
	}
	return river.JobCancel(err)
}

var (
	errNotWanted = errors.New("it pauses or was stopped")
	errGivesWay  = errors.New("a draft waits")
)

// watch ends the work of a task that is no longer wanted, and that of final frames while a
// draft waits.
func (f *Farm) watch(ctx context.Context, of task, cancel context.CancelCauseFunc) {
	for {
		select {
		case <-ctx.Done():
			return
		case <-time.After(400 * time.Millisecond):
		}
		var s State
		var waits bool
		err := f.db.Pool.QueryRow(ctx, "SELECT state, EXISTS (SELECT 1 FROM river_job WHERE queue = $2 AND state = 'available' AND priority = $3 AND scheduled_at < now() - interval '700 ms') FROM "+of.table+" WHERE id = $1", of.id, queue, priorities["draft"]).Scan(&s, &waits)
		switch {
		case errors.Is(err, pgx.ErrNoRows) || err == nil && (s.Over() || s == Paused):
			cancel(errNotWanted)
			return
		case err == nil && waits && of.table == "finals":
			cancel(errGivesWay)
			return
		}
	}
}
func (f *Farm) stage(ctx context.Context, id int64, stage baking.Stage) error {
	return f.db.Do(ctx, func(ctx context.Context) error {
		_, err := f.db.Pool.Exec(ctx, "UPDATE bakes SET state = 'working', stage = $2, begun = COALESCE(begun, now()) WHERE id = $1 AND state IN ('waiting', 'working')", id, stage)
		return err
	})
}

type planWorker struct {
	river.WorkerDefaults[planArgs]
	f *Farm
}

// Work lays a bake out and puts its first tiles into the queue.
func (w *planWorker) Work(ctx context.Context, job *river.Job[planArgs]) error {
	f := w.f
	return f.session(ctx, job.ID, job.Args.Bake, "charts", func(ctx context.Context, r *row) error {
		if err := f.stage(ctx, r.id, baking.Laying); err != nil {
			return err
		}
		work, err := f.ready(ctx, r)
		if err != nil {
			return err
		}
		var keys []string
		for _, l := range work.Plan.Objects {
			for k := range work.Sources {
				keys = append(keys, bake.LayerKey(work.Place, l, &work.Sources[k], work.Plan))
			}
		}
		lacks, err := f.lacks(ctx, keys)
		if err != nil {
			return err
		}
		return f.db.Tx(ctx, func(tx pgx.Tx) error {
			if _, err := tx.Exec(ctx, "UPDATE bakes SET layers = $2, made = GREATEST(made, $3) WHERE id = $1", r.id, keys, len(lacks)); err != nil {
				return err
			}
			n := 0
			for i, l := range work.Plan.Objects {
				due := false
				for k := range work.Sources {
					due = due || lacks[keys[i*len(work.Sources)+k]]
				}
				if !due {
					continue
				}
				n++
				// What was worked at when the bake paused waits again; what is done stays.
				_, err := tx.Exec(ctx, `INSERT INTO bake_tiles (bake, object, name, cells) VALUES ($1, $2, $3, $4)
					ON CONFLICT (bake, object) DO UPDATE SET state = 'waiting' WHERE bake_tiles.state <> 'done'`, r.id, i, l.Path, l.Cells)
				if err != nil {
					return err
				}
			}
			for range min(n, inQueue) {
				if err := f.next(ctx, tx, r); err != nil {
					return err
				}
			}
			if n == 0 {
				if err := f.put(ctx, tx, endArgs{r.id}, r.priority); err != nil {
					return err
				}
			}
			return completed(ctx, tx, job)
		})
	})
}

func completed[A river.JobArgs](ctx context.Context, tx pgx.Tx, job *river.Job[A]) error {
	_, err := river.JobCompleteTx[*riverpgxv5.Driver](ctx, tx, job)
	return err
}

// next puts a waiting tile into the queue, the largest first; once all are done, the end.
func (f *Farm) next(ctx context.Context, tx pgx.Tx, r *row) error {
	var object int
	err := tx.QueryRow(ctx, `UPDATE bake_tiles SET state = 'queued' WHERE (bake, object) IN (
		SELECT bake, object FROM bake_tiles WHERE bake = $1 AND state = 'waiting' ORDER BY cells DESC, object LIMIT 1 FOR UPDATE SKIP LOCKED) RETURNING object`, r.id).Scan(&object)
	if err == nil {
		return f.put(ctx, tx, tileArgs{r.id, object}, r.priority)
	}
	if !errors.Is(err, pgx.ErrNoRows) {
		return err
	}
	return nil
}

type tileWorker struct {
	river.WorkerDefaults[tileArgs]
	f *Farm
}

// Work bakes one object.
func (w *tileWorker) Work(ctx context.Context, job *river.Job[tileArgs]) error {
	f := w.f
	return f.session(ctx, job.ID, job.Args.Bake, "a tile", func(ctx context.Context, r *row) error {
		work, err := f.ready(ctx, r)
		if err != nil {
			return err
		}
		if job.Args.Object >= len(work.Plan.Objects) {
			return errors.New("the bake was laid out otherwise: bake again")
		}
		l := work.Plan.Objects[job.Args.Object]
		f.at(job.ID, l.Path, 0)
		err = f.db.Do(ctx, func(ctx context.Context) error {
			_, err := f.db.Pool.Exec(ctx, "UPDATE bake_tiles SET state = 'working', worker = $3 WHERE bake = $1 AND object = $2", r.id, job.Args.Object, f.name)
			return err
		})
		if err != nil {
			return err
		}
		if err := f.stage(ctx, r.id, baking.Mapping); err != nil {
			return err
		}
		var keys []string
		for k := range work.Sources {
			keys = append(keys, bake.LayerKey(work.Place, l, &work.Sources[k], work.Plan))
		}
		lacks, err := f.lacks(ctx, keys)
		if err != nil {
			return err
		}
		want := make([]bool, len(keys))
		for k, key := range keys {
			want[k] = lacks[key]
		}
		made := &bake.Baked{}
		begin := time.Now()
		if len(lacks) > 0 {
			b, err := work.Baker(ctx)
			if err != nil {
				return err
			}
			begin = time.Now()
			if made, err = b.Object(ctx, l, want); err != nil {
				return err
			}
		}
		took := time.Since(begin).Seconds()
		f.at(job.ID, l.Path, float64(made.Samples)/max(took, 1e-3))
		return f.db.Tx(ctx, func(tx pgx.Tx) error {
			// One tile of a bake ends at a time, so that the last knows that it is.
			if _, err := tx.Exec(ctx, "SELECT 1 FROM bakes WHERE id = $1 FOR UPDATE", r.id); err != nil {
				return err
			}
			for k, key := range keys {
				if want[k] {
					if err := keep(ctx, tx, key, lightmap.Pack(made.Layers[k])); err != nil {
						return err
					}
				}
			}
			_, err := tx.Exec(ctx, "UPDATE bake_tiles SET state = 'done', samples = $3, seconds = $4 WHERE bake = $1 AND object = $2", r.id, job.Args.Object, made.Samples, took)
			if err != nil {
				return err
			}
			if err := f.next(ctx, tx, r); err != nil {
				return err
			}
			var left int
			if err := tx.QueryRow(ctx, "SELECT count(*) FROM bake_tiles WHERE bake = $1 AND state <> 'done'", r.id).Scan(&left); err != nil {
				return err
			}
			if left == 0 {
				if err := f.put(ctx, tx, endArgs{r.id}, r.priority); err != nil {
					return err
				}
			}
			return completed(ctx, tx, job)
		})
	})
}

type endWorker struct {
	river.WorkerDefaults[endArgs]
	f *Farm
}

// Work makes probes and reflection probes, and says what the bake is.
func (w *endWorker) Work(ctx context.Context, job *river.Job[endArgs]) error {
	f := w.f
	return f.session(ctx, job.ID, job.Args.Bake, "probes", func(ctx context.Context, r *row) error {
		if err := f.stage(ctx, r.id, baking.Probing); err != nil {
			return err
		}
		work, err := f.ready(ctx, r)
		if err != nil {
			return err
		}
		ended, err := work.End(ctx)
		if err != nil {
			return err
		}
		run := work.Job()
		run.Needed = func() (*bake.Baker, error) { return work.Baker(ctx) }
		result, err := run.Run(ctx, work.Sources)
		if err != nil {
			return err
		}
		if result.Open, err = run.Occlusion(ctx, work.Rest, work.Workers); err != nil {
			return err
		}
		names := map[string]string{}
		for _, l := range work.Lamps {
			names[l.ID] = l.Name
		}
		b := lightmap.Describe(&lightmap.Parts{Scene: work.Scene, Result: result, Names: names, Field: ended.Field, Mirrors: ended.Mirrors, Bake: lightmap.Bake{Quality: r.quality}})
		sum := summarise(&b, ended)
		sum.Findings = baking.Check(work.Scene, work.Doc, result, ended)
		text, err := json.Marshal(sum)
		if err != nil {
			return err
		}
		data := ended.Pack()
		return f.db.Tx(ctx, func(tx pgx.Tx) error {
			_, err := tx.Exec(ctx, "UPDATE bakes SET state = 'done', stage = '', summary = $2, ended = $3, done = now() WHERE id = $1 AND state IN ('waiting', 'working')", r.id, text, data)
			if err != nil {
				return err
			}
			return completed(ctx, tx, job)
		})
	})
}
