package farm

import (
	"archive/zip"
	"bytes"
	"context"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"image"
	"io"
	"runtime"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/riverqueue/river"
	"golang.org/x/image/draw"
	"golang.org/x/sys/cpu"

	"willowherb/core/bake"
	"willowherb/core/exposure"
	"willowherb/core/finals"
	"willowherb/core/setup"
	"willowherb/core/staging"
	"willowherb/core/still"
	"willowherb/format/exr"
	"willowherb/format/picture"
	"willowherb/stage"
)

// finalPriority is behind drafts and reviews.
const finalPriority = 4

type finalPlanArgs struct {
	Final int64 `json:"final"`
}

// Kind is for River.
func (finalPlanArgs) Kind() string { return "final_plan" }

type finalPieceArgs struct {
	Final int64 `json:"final"`
	Frame int   `json:"frame"`
	Piece int   `json:"piece"`
}

// Kind is for River.
func (finalPieceArgs) Kind() string { return "final_piece" }

type finalJoinArgs struct {
	Final int64 `json:"final"`
	Frame int   `json:"frame"`
}

// Kind is for River.
func (finalJoinArgs) Kind() string { return "final_join" }

// FinalOrder is what is asked for: frames of a setup as it stands, with its look and without its
// zones' exposure, which each frame finds where it is.
type FinalOrder struct {
	Setup    int64
	Revision int64
	Doc      *setup.Setup
	Place    string // hash of the file
	File     string
	Wanted   finals.Order
}

// AskFinals puts final frames into the queue, in one transaction.
func (f *Farm) AskFinals(ctx context.Context, o *FinalOrder) (id int64, err error) {
	wanted, err := json.Marshal(o.Wanted)
	if err != nil {
		return 0, err
	}
	err = f.db.Tx(ctx, func(tx pgx.Tx) error {
		err := tx.QueryRow(ctx, "INSERT INTO finals (setup, revision, document, place, file, wanted, priority) VALUES ($1, $2, $3, $4, $5, $6, $7) RETURNING id",
			o.Setup, o.Revision, o.Doc.JSON(), o.Place, o.File, wanted, finalPriority).Scan(&id)
		if err != nil {
			return err
		}
		return f.put(ctx, tx, finalPlanArgs{id}, finalPriority)
	})
	return id, err
}

// TurnFinals pauses (Paused), stops (Stopped) or goes on with (Waiting) final frames of a setup.
// Error: ErrState.
func (f *Farm) TurnFinals(ctx context.Context, setupID, id int64, to State) error {
	from := map[State]string{Paused: "('waiting', 'working')", Stopped: "('waiting', 'working', 'paused')", Waiting: "('paused')"}[to]
	return f.db.Tx(ctx, func(tx pgx.Tx) error {
		tag, err := tx.Exec(ctx, "UPDATE finals SET state = $3, done = CASE WHEN $3 = 'stopped' THEN now() END WHERE setup = $1 AND id = $2 AND state IN "+from, setupID, id, to)
		if err != nil {
			return err
		}
		if tag.RowsAffected() == 0 {
			return ErrState
		}
		if to == Waiting {
			return f.put(ctx, tx, finalPlanArgs{id}, finalPriority)
		}
		return nil
	})
}

// ForgetFinals removes final frames, made or not. Error: ErrState where there are none of that number.
func (f *Farm) ForgetFinals(ctx context.Context, setupID, id int64) error {
	return f.db.Do(ctx, func(ctx context.Context) error {
		tag, err := f.db.Pool.Exec(ctx, "DELETE FROM finals WHERE setup = $1 AND id = $2", setupID, id)
		if err == nil && tag.RowsAffected() == 0 {
			err = ErrState
		}
		return err
	})
}

// finalRow is an order as it was asked for.
type finalRow struct {
	id          int64
	doc         *setup.Setup
	place, file string
	wanted      finals.Order
	evs         []float64
	state       State
}

func (f *Farm) finalRow(ctx context.Context, id int64) (r finalRow, err error) {
	var doc, wanted []byte
	err = f.db.Do(ctx, func(ctx context.Context) error {
		return f.db.Pool.QueryRow(ctx, "SELECT id, document, place, file, wanted, evs, state FROM finals WHERE id = $1", id).Scan(&r.id, &doc, &r.place, &r.file, &wanted, &r.evs, &r.state)
	})
	if err != nil {
		return r, err
	}
	if r.doc, err = setup.Decode(doc); err != nil {
		return r, err
	}
	return r, json.Unmarshal(wanted, &r.wanted)
}

// forFinal is session for final frames.
func (f *Farm) forFinal(ctx context.Context, job, id int64, do func(ctx context.Context, r *finalRow) error) error {
	f.at(job, "final frames", 0)
	defer f.at(0, "", 0)
	r, err := f.finalRow(ctx, id)
	if errors.Is(err, pgx.ErrNoRows) {
		return river.JobCancel(errors.New("the final frames were removed"))
	}
	if err != nil {
		return err
	}
	return f.attend(ctx, task{"finals", id}, r.state, func(ctx context.Context) error { return do(ctx, &r) })
}

// seen is the place of a frame, and the frame.
func (f *Farm) seen(ctx context.Context, r *finalRow, frame int) (*finals.Place, *stage.Stage, *finals.Frame, error) {
	doc := r.wanted.At(r.doc, frame)
	on, err := f.shop.Ready(ctx, staging.Of(doc, r.place, r.file))
	if err != nil {
		return nil, nil, nil, err
	}
	lit, err := f.shop.Lamps(ctx, doc, on)
	if err != nil {
		return nil, nil, nil, err
	}
	at := r.wanted.Frame(doc, on.Scene, frame, r.evs)
	return &finals.Place{Scene: on.Scene, World: on.World, Lamps: lit}, on, &at, nil
}

type finalPlanWorker struct {
	river.WorkerDefaults[finalPlanArgs]
	f *Farm
}

// Work finds the exposures and puts the first passes into the queue.
func (w *finalPlanWorker) Work(ctx context.Context, job *river.Job[finalPlanArgs]) error {
	f := w.f
	return f.forFinal(ctx, job.ID, job.Args.Final, func(ctx context.Context, r *finalRow) error {
		on, _, _, err := f.seen(ctx, r, 0)
		if err != nil {
			return err
		}
		if err := r.wanted.Check(r.doc, on.Scene); err != nil {
			return err
		}
		if len(r.evs) == 0 {
			if r.evs, err = r.wanted.Adapting(ctx, r.doc, on.World, on.Lamps, runtime.GOMAXPROCS(0)); err != nil {
				return err
			}
		}
		return f.db.Tx(ctx, func(tx pgx.Tx) error {
			if _, err := tx.Exec(ctx, "UPDATE finals SET state = 'working', evs = $2, begun = COALESCE(begun, now()) WHERE id = $1 AND state IN ('waiting', 'working')", r.id, append([]float64{}, r.evs...)); err != nil {
				return err
			}
			// What was worked at when it paused waits again; what is done stays.
			_, err := tx.Exec(ctx, `INSERT INTO final_pieces (final, frame, piece) SELECT $1, f, p FROM generate_series(0, $2 - 1) f, generate_series(0, $3 - 1) p
				ON CONFLICT (final, frame, piece) DO UPDATE SET state = 'waiting' WHERE final_pieces.state <> 'done'`, r.id, r.wanted.Count(), r.wanted.Pieces())
			if err != nil {
				return err
			}
			for range inQueue {
				if err := f.nextPiece(ctx, tx, r.id); err != nil {
					return err
				}
			}
			// All were done already, but not the last join.
			if err := f.joinNext(ctx, tx, r); err != nil {
				return err
			}
			return completed(ctx, tx, job)
		})
	})
}

// nextPiece puts a waiting piece into the queue, frame by frame.
func (f *Farm) nextPiece(ctx context.Context, tx pgx.Tx, id int64) error {
	a := finalPieceArgs{Final: id}
	err := tx.QueryRow(ctx, `UPDATE final_pieces SET state = 'queued' WHERE (final, frame, piece) IN (
		SELECT final, frame, piece FROM final_pieces WHERE final = $1 AND state = 'waiting' ORDER BY frame, piece LIMIT 1 FOR UPDATE SKIP LOCKED) RETURNING frame, piece`, id).Scan(&a.Frame, &a.Piece)
	if errors.Is(err, pgx.ErrNoRows) {
		return nil
	}
	if err != nil {
		return err
	}
	return f.put(ctx, tx, a, finalPriority)
}

// joinNext puts in the join of a frame whose passes are all done and whose join is not.
func (f *Farm) joinNext(ctx context.Context, tx pgx.Tx, r *finalRow) error {
	rows, err := tx.Query(ctx, `SELECT frame FROM final_pieces p WHERE final = $1 GROUP BY frame HAVING bool_and(state = 'done')
		AND NOT EXISTS (SELECT 1 FROM final_frames m WHERE m.final = $1 AND m.frame = p.frame AND m.passes >= $2)`, r.id, r.wanted.Passes)
	if err != nil {
		return err
	}
	frames, err := pgx.CollectRows(rows, pgx.RowTo[int])
	if err != nil {
		return err
	}
	for _, k := range frames {
		if err := f.put(ctx, tx, finalJoinArgs{r.id, k}, finalPriority); err != nil {
			return err
		}
	}
	return nil
}

type finalPieceWorker struct {
	river.WorkerDefaults[finalPieceArgs]
	f *Farm
}

// Work makes one piece of a frame, unless it is kept already.
func (w *finalPieceWorker) Work(ctx context.Context, job *river.Job[finalPieceArgs]) error {
	f, a := w.f, job.Args
	return f.forFinal(ctx, job.ID, a.Final, func(ctx context.Context, r *finalRow) error {
		if a.Frame >= r.wanted.Count() || a.Piece >= r.wanted.Pieces() {
			return errors.New("the frames were asked for otherwise: ask again")
		}
		f.at(job.ID, fmt.Sprintf("frame %d, tile %d", a.Frame+1, a.Piece+1), 0)
		place, on, frame, err := f.seen(ctx, r, a.Frame)
		if err != nil {
			return err
		}
		k := r.wanted.Key(bake.Digest(on.Key, runtime.GOARCH, cpu.X86.HasAVX2), place.Lamps, frame, a.Piece)
		key := hex.EncodeToString(k[:16])
		lacks, err := f.lacks(ctx, []string{key})
		if err != nil {
			return err
		}
		var data []byte
		begin := time.Now()
		if len(lacks) > 0 {
			place.Known = f.knownOf(on.Key)
			made, err := r.wanted.Make(ctx, place, frame, a.Piece, runtime.GOMAXPROCS(0))
			if err != nil {
				return err
			}
			data = made.Pack()
		}
		took := time.Since(begin).Seconds()
		return f.db.Tx(ctx, func(tx pgx.Tx) error {
			// One piece ends at a time, so that the last of a frame knows that it is.
			if _, err := tx.Exec(ctx, "SELECT 1 FROM finals WHERE id = $1 FOR UPDATE", r.id); err != nil {
				return err
			}
			if data != nil {
				if err := keep(ctx, tx, key, data); err != nil {
					return err
				}
			}
			if _, err := tx.Exec(ctx, "UPDATE final_pieces SET state = 'done', key = $4, seconds = $5 WHERE final = $1 AND frame = $2 AND piece = $3", r.id, a.Frame, a.Piece, key, took); err != nil {
				return err
			}
			if err := f.nextPiece(ctx, tx, r.id); err != nil {
				return err
			}
			// A frame alone can be looked at after each pass.
			across, down := r.wanted.Tiles()
			from, to := 0, r.wanted.Pieces()
			if r.wanted.Count() == 1 {
				from = r.wanted.PassOf(a.Piece) * across * down
				to = from + across*down
			}
			var left int
			if err := tx.QueryRow(ctx, "SELECT count(*) FROM final_pieces WHERE final = $1 AND frame = $2 AND piece >= $3 AND piece < $4 AND state <> 'done'", r.id, a.Frame, from, to).Scan(&left); err != nil {
				return err
			}
			if left == 0 {
				if err := f.put(ctx, tx, finalJoinArgs{r.id, a.Frame}, finalPriority); err != nil {
					return err
				}
			}
			return completed(ctx, tx, job)
		})
	})
}

// knownOf is what is known of a stage's world; the last one's is kept.
func (f *Farm) knownOf(key string) *still.Known {
	f.mu.Lock()
	defer f.mu.Unlock()
	if f.knows != key || f.known == nil {
		f.knows, f.known = key, &still.Known{}
	}
	return f.known
}

type finalJoinWorker struct {
	river.WorkerDefaults[finalJoinArgs]
	f *Farm
}

// smallWide is how wide a frame's small picture is.
const smallWide = 240

// Work makes a frame of the passes that there are.
func (w *finalJoinWorker) Work(ctx context.Context, job *river.Job[finalJoinArgs]) error {
	f, a := w.f, job.Args
	return f.forFinal(ctx, job.ID, a.Final, func(ctx context.Context, r *finalRow) error {
		_, _, frame, err := f.seen(ctx, r, a.Frame)
		if err != nil {
			return err
		}
		pieces := make([]*finals.Piece, r.wanted.Pieces())
		err = f.db.Do(ctx, func(ctx context.Context) error {
			rows, err := f.db.Pool.Query(ctx, "SELECT p.piece, l.data FROM final_pieces p JOIN bake_layers l ON l.key = p.key WHERE p.final = $1 AND p.frame = $2 AND p.state = 'done'", r.id, a.Frame)
			if err != nil {
				return err
			}
			defer rows.Close()
			for rows.Next() {
				var k int
				var data []byte
				if err := rows.Scan(&k, &data); err != nil {
					return err
				}
				if k >= len(pieces) {
					continue
				}
				if pieces[k], err = finals.Unpack(data); err != nil {
					return err
				}
			}
			return rows.Err()
		})
		if err != nil {
			return err
		}
		curve, ev := frame.Curve, frame.View.EV
		j, err := r.wanted.Join(frame, pieces, exposure.Display(curve, ev))
		if err != nil {
			return err
		}
		im := f.shop.Graded(ctx, frame.Grade).WithDepth(j.Depth).Develop(j.RGB, j.W, j.H, ev, curve)
		high := max(smallWide*j.H/j.W, 1)
		small := image.NewNRGBA(image.Rect(0, 0, smallWide, high))
		draw.ApproxBiLinear.Scale(small, small.Bounds(), im, im.Bounds(), draw.Src, nil)
		var linear, shown, tiny bytes.Buffer
		if err := exr.Write(&linear, j.RGB, j.W, j.H, exr.ZIP); err != nil {
			return err
		}
		if err := picture.WritePNG(&shown, im); err != nil {
			return err
		}
		if err := picture.WritePNG(&tiny, small); err != nil {
			return err
		}
		over := false
		err = f.db.Tx(ctx, func(tx pgx.Tx) error {
			if _, err := tx.Exec(ctx, "SELECT 1 FROM finals WHERE id = $1 FOR UPDATE", r.id); err != nil {
				return err
			}
			_, err := tx.Exec(ctx, `INSERT INTO final_frames (final, frame, passes, error, ev, exr, png, small) VALUES ($1, $2, $3, $4, $5, $6, $7, $8)
				ON CONFLICT (final, frame) DO UPDATE SET passes = $3, error = $4, ev = $5, exr = $6, png = $7, small = $8 WHERE final_frames.passes <= $3`,
				r.id, a.Frame, j.Passes, j.Error, ev, linear.Bytes(), shown.Bytes(), tiny.Bytes())
			if err != nil {
				return err
			}
			tag, err := tx.Exec(ctx, `UPDATE finals SET state = 'done', done = now() WHERE id = $1 AND state IN ('waiting', 'working')
				AND (SELECT count(*) FROM final_frames WHERE final = $1 AND passes >= $2) = $3`, r.id, r.wanted.Passes, r.wanted.Count())
			if err != nil {
				return err
			}
			over = tag.RowsAffected() > 0
			return completed(ctx, tx, job)
		})
		if over {
			f.mu.Lock()
			f.known = nil // it takes much memory
			f.mu.Unlock()
		}
		return err
	})
}

// FrameMade is a frame that can be looked at.
type FrameMade struct {
	Frame  int     `json:"frame"`
	Passes int     `json:"passes"` // that it has so far
	Error  float64 `json:"error"`  // of what is displayed, as a share; 0: not known
	EV     float64 `json:"ev"`
}

// FinalStatus is how final frames stand.
type FinalStatus struct {
	ID       int64        `json:"id"`
	Revision int64        `json:"revision"`
	Wanted   finals.Order `json:"wanted"`
	State    State        `json:"state"`
	Error    string       `json:"error"`
	Frames   int          `json:"frames"`
	Tiles    int          `json:"tiles"` // of all passes of all frames
	Ready    int          `json:"ready"` // of them
	Seconds  float64      `json:"seconds"`
	Left     float64      `json:"left"` // seconds, about; 0: not known
	Made     []FrameMade  `json:"made"`
	Asked    time.Time    `json:"asked"`
}

// Finals are a setup's final frames, the newest first.
func (f *Farm) Finals(ctx context.Context, setupID int64) (out []FinalStatus, err error) {
	err = f.db.Do(ctx, func(ctx context.Context) error {
		rows, err := f.db.Pool.Query(ctx, `SELECT id, revision, wanted, state, error, asked, COALESCE(EXTRACT(EPOCH FROM COALESCE(done, now()) - begun), 0),
			(SELECT count(*) FROM final_pieces p WHERE p.final = id AND p.state = 'done'),
			(SELECT COALESCE(sum(seconds), 0) FROM final_pieces p WHERE p.final = id AND p.state = 'done'),
			(SELECT COALESCE(json_agg(json_build_object('frame', frame, 'passes', passes, 'error', error, 'ev', ev) ORDER BY frame), '[]') FROM final_frames m WHERE m.final = id)
			FROM finals WHERE setup = $1 ORDER BY id DESC LIMIT 50`, setupID)
		if err != nil {
			return err
		}
		out, err = pgx.CollectRows(rows, func(row pgx.CollectableRow) (s FinalStatus, err error) {
			var wanted, made []byte
			var spent float64
			if err := row.Scan(&s.ID, &s.Revision, &wanted, &s.State, &s.Error, &s.Asked, &s.Seconds, &s.Ready, &spent, &made); err != nil {
				return s, err
			}
			if err := errors.Join(json.Unmarshal(wanted, &s.Wanted), json.Unmarshal(made, &s.Made)); err != nil {
				return s, err
			}
			s.Frames = s.Wanted.Count()
			s.Tiles = s.Frames * s.Wanted.Pieces()
			if s.Ready > 0 && !s.State.Over() {
				s.Left = spent / float64(s.Ready) * float64(s.Tiles-s.Ready)
			}
			return s, nil
		})
		return err
	})
	return out, err
}

// Frame is a frame's file: png, exr or small. nil where there is none.
func (f *Farm) Frame(ctx context.Context, setupID, id int64, frame int, kind string) (data []byte, err error) {
	column, ok := map[string]string{"png": "png", "exr": "exr", "small": "small"}[kind]
	if !ok {
		return nil, nil
	}
	err = f.db.Do(ctx, func(ctx context.Context) error {
		return f.db.Pool.QueryRow(ctx, "SELECT m."+column+" FROM final_frames m JOIN finals o ON o.id = m.final WHERE o.setup = $1 AND o.id = $2 AND m.frame = $3", setupID, id, frame).Scan(&data)
	})
	if errors.Is(err, pgx.ErrNoRows) {
		return nil, nil
	}
	return data, err
}

// Zip writes all frames that are made, by their numbers from 1, as png or exr.
func (f *Farm) Zip(ctx context.Context, to io.Writer, setupID, id int64, made []FrameMade, kind string) error {
	z := zip.NewWriter(to)
	for _, m := range made {
		data, err := f.Frame(ctx, setupID, id, m.Frame, kind)
		if err != nil {
			return err
		}
		// Their data are packed already.
		w, err := z.CreateHeader(&zip.FileHeader{Name: fmt.Sprintf("%04d.%s", m.Frame+1, kind), Method: zip.Store, Modified: time.Now()})
		if err != nil {
			return err
		}
		if _, err := w.Write(data); err != nil {
			return err
		}
	}
	return z.Close()
}
