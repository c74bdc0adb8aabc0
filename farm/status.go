package farm

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"runtime"
	"time"

	"github.com/jackc/pgx/v5"
	"golang.org/x/sys/cpu"
	"willowherb/core/bake"
	"willowherb/core/baking"
	"willowherb/core/probes"
	"willowherb/core/scene"
	"willowherb/core/setup"
	"willowherb/core/staging"
	"willowherb/format/lightmap"
)

// Place names all that bakes of a setup depend on of its place, and the kind of processor:
// others round otherwise.
func Place(st *staging.Stage, doc *setup.Setup, s *scene.Scene) [32]byte {
	return bake.Digest(st.Still(staging.Movers(doc, s), s), runtime.GOARCH, cpu.X86.HasAVX2)
}

// Summary is what a bake is once it is done.
type Summary struct {
	Quality string        `json:"quality"`
	Numbers setup.Quality `json:"numbers"`
	Format  string        `json:"format"`
	Pages   []MapPage     `json:"pages"`
	Objects []MapObject   `json:"objects"`
	Left    []MapLeft     `json:"left"`
	Texels  int           `json:"texels"`
	Noise   float64       `json:"noise"`
	MB      float64       `json:"mb"`       // on the target
	LayerMB float64       `json:"layersMB"` // kept by light
	Filled  float64       `json:"filled"`
	Padded  float64       `json:"padded"`
	Probes  int           `json:"probes"`
	Set     int           `json:"set"` // of them, by hand or in boxes
	Moved   int           `json:"moved"`
	Dropped int           `json:"dropped"`
	// Route is how many metres were walked, and how wrong the probes are along them.
	Route      int              `json:"route"`
	RouteError float64          `json:"routeError"`
	RouteWorst float64          `json:"routeWorst"`
	Worst      []Wrong          `json:"worst"`
	Findings   []baking.Finding `json:"found"`
	Mirrors    []MapMirror      `json:"mirrors"`
	MirrorMB   float64          `json:"mirrorMB"`
	// Directional and Occlusion tell what it has besides.
	Directional bool `json:"directional"`
	Occlusion   bool `json:"occlusion"`
}

// MapPage is a page's size in texels.
type MapPage struct {
	Width  int `json:"width"`
	Height int `json:"height"`
}

// MapObject is an object in the map.
type MapObject struct {
	Path    string  `json:"path"`
	Density float64 `json:"density"`
	Texels  int     `json:"texels"`
	Charts  int     `json:"charts"`
	Noise   float64 `json:"noise"`
	Buried  int     `json:"buried"`
	Thin    int     `json:"thin"`
}

// MapLeft is an object that is not in the map.
type MapLeft struct {
	Path string `json:"path"`
	Why  string `json:"why"`
}

// MapMirror is a reflection probe, and how wrong it is: the difference of what it shows to
// mirrors about its middle from what they would see, as a share.
type MapMirror struct {
	ID     string  `json:"id"`
	Name   string  `json:"name"`
	Pixels int     `json:"pixels"`
	MB     float64 `json:"mb"`
	Wrong  float64 `json:"wrong"`
}

// Wrong is a place where probes are wrong.
type Wrong struct {
	At    [3]float64 `json:"at"`
	Share float64    `json:"share"`
}

// summarise says what a bake is.
func summarise(b *lightmap.Bake, e *baking.Ended) *Summary {
	s := &Summary{Quality: b.Quality, Numbers: b.Numbers, Format: b.Format, Texels: b.Texels, Noise: b.Noise, MB: b.MB, LayerMB: b.LayerMB, Filled: b.Filled, Padded: b.Padded, Probes: b.Probes,
		Pages: []MapPage{}, Objects: []MapObject{}, Left: []MapLeft{}, Worst: []Wrong{}, Mirrors: []MapMirror{}, Route: len(e.Route)}
	for _, g := range b.Pages {
		s.Directional, s.Occlusion = g.Lean != "", g.Open != ""
		s.Pages = append(s.Pages, MapPage{g.W, g.H})
	}
	for _, o := range b.Objects {
		s.Objects = append(s.Objects, MapObject{o.Path, o.Density, o.Texels, o.Charts, o.Noise, o.Buried, o.Thin})
	}
	for _, l := range b.Left {
		s.Left = append(s.Left, MapLeft{l.Path, l.Why})
	}
	for i, f := range e.Faults {
		s.RouteError += f.Share / float64(len(e.Faults))
		s.RouteWorst = max(s.RouteWorst, f.Share)
		if i < 5 {
			s.Worst = append(s.Worst, Wrong{f.Pos.Array(), f.Share})
		}
	}
	if e.Field != nil {
		s.Dropped = len(e.Field.Dropped)
		for i := range e.Field.Probes {
			if e.Field.Probes[i].Moved {
				s.Moved++
			}
			if e.Field.Probes[i].Kind != probes.ByRule {
				s.Set++
			}
		}
	}
	for i, m := range e.Mirrors {
		mb := float64(m.Bytes()) / (1 << 20)
		s.MirrorMB += mb
		s.Mirrors = append(s.Mirrors, MapMirror{m.ID, m.Name, m.Pixels, mb, e.MirrorFaults[i]})
	}
	return s
}

// Status of a bake.
type Status struct {
	ID       int64         `json:"id"`
	Revision int64         `json:"revision"`
	Quality  string        `json:"quality"`
	Numbers  setup.Quality `json:"numbers"`
	State    State         `json:"state"`
	Stage    string        `json:"stage"`
	Error    string        `json:"error"`
	Share    float64       `json:"share"`   // that is done, about
	Seconds  float64       `json:"seconds"` // since it began
	Left     float64       `json:"left"`    // seconds, about; 0: not known
	Tiles    int           `json:"tiles"`
	Ready    int           `json:"ready"`
	Rate     float64       `json:"rate"` // texel samples a second
	// Made is how many of the bake's layers, Layers in all, had to be made, and Whole how many
	// seconds the last bake of this quality took of which all had to be; 0: not known.
	Made   int     `json:"made"`
	Layers int     `json:"layers"`
	Whole  float64 `json:"whole"`
	// Now are the objects that are worked at.
	Now []string `json:"now"`
	// Before are the bakes that are in front of it in the queue.
	Before int `json:"before"`
}

// Status returns a setup's newest bake; nil where there is none.
func (f *Farm) Status(ctx context.Context, setupID int64) (*Status, error) {
	s := &Status{Now: []string{}}
	var numbers []byte
	var cells, done, samples int64
	var spent float64
	err := f.db.Do(ctx, func(ctx context.Context) error {
		err := f.db.Pool.QueryRow(ctx, `SELECT id, revision, quality, numbers, state, stage, error, COALESCE(EXTRACT(EPOCH FROM COALESCE(done, now()) - begun), 0),
			(SELECT count(*) FROM bakes o WHERE o.state IN ('waiting', 'working') AND o.setup <> b.setup AND (o.priority < b.priority OR o.priority = b.priority AND o.id < b.id)),
			made, cardinality(layers), COALESCE((SELECT EXTRACT(EPOCH FROM o.done - o.begun) FROM bakes o WHERE o.setup = b.setup AND o.quality = b.quality AND o.state = 'done' AND o.made >= cardinality(o.layers) AND o.made > 0 ORDER BY o.id DESC LIMIT 1), 0)
			FROM bakes b WHERE setup = $1 ORDER BY id DESC LIMIT 1`, setupID).
			Scan(&s.ID, &s.Revision, &s.Quality, &numbers, &s.State, &s.Stage, &s.Error, &s.Seconds, &s.Before, &s.Made, &s.Layers, &s.Whole)
		if err != nil {
			return err
		}
		err = f.db.Pool.QueryRow(ctx, `SELECT count(*), count(*) FILTER (WHERE state = 'done'), COALESCE(sum(cells), 0), COALESCE(sum(cells) FILTER (WHERE state = 'done'), 0),
			COALESCE(sum(samples), 0), COALESCE(sum(seconds), 0) FROM bake_tiles WHERE bake = $1`, s.ID).Scan(&s.Tiles, &s.Ready, &cells, &done, &samples, &spent)
		if err != nil {
			return err
		}
		rows, err := f.db.Pool.Query(ctx, "SELECT name FROM bake_tiles WHERE bake = $1 AND state = 'working' ORDER BY name", s.ID)
		if err != nil {
			return err
		}
		s.Now, err = pgx.CollectRows(rows, pgx.RowTo[string])
		return err
	})
	if errors.Is(err, pgx.ErrNoRows) {
		return nil, nil
	}
	if err != nil {
		return nil, err
	}
	if spent > 0 {
		s.Rate = float64(samples) / spent
	}
	switch {
	case s.State == Done:
		s.Share = 1
	case s.Stage == string(baking.Mapping) && cells > 0:
		s.Share = 0.2 + 0.65*float64(done)/float64(cells)
		if done > 0 {
			s.Left = spent/float64(done)*float64(cells-done) + 4
		}
	case s.Stage == string(baking.Probing):
		s.Share, s.Left = 0.88, 4
	case s.Stage == string(baking.Laying):
		s.Share = 0.05
	}
	return s, json.Unmarshal(numbers, &s.Numbers)
}

// Made is a bake that is done, whole.
type Made struct {
	ID       int64
	Revision int64
	Doc      *setup.Setup
	Done     time.Time
	Summary  Summary
	place    string
	file     string
	quality  string
	numbers  setup.Quality
}

// Last returns a setup's newest bake that is done; nil where there is none.
func (f *Farm) Last(ctx context.Context, setupID int64) (*Made, error) {
	m := &Made{}
	var doc, numbers, sum []byte
	err := f.db.Do(ctx, func(ctx context.Context) error {
		return f.db.Pool.QueryRow(ctx, "SELECT id, revision, document, place, file, quality, numbers, summary, done FROM bakes WHERE setup = $1 AND state = 'done' ORDER BY id DESC LIMIT 1", setupID).
			Scan(&m.ID, &m.Revision, &doc, &m.place, &m.file, &m.quality, &numbers, &sum, &m.Done)
	})
	if errors.Is(err, pgx.ErrNoRows) {
		return nil, nil
	}
	if err != nil {
		return nil, err
	}
	if m.Doc, err = setup.Decode(doc); err != nil {
		return nil, err
	}
	m.Summary.Findings = []baking.Finding{} // older bakes told them otherwise
	if err := json.Unmarshal(sum, &m.Summary); err != nil {
		return nil, err
	}
	return m, json.Unmarshal(numbers, &m.numbers)
}

// Open reads a bake's layers and probes. Error: a layer is no longer kept.
func (f *Farm) Open(ctx context.Context, m *Made) (*Opened, error) {
	r := row{id: m.ID, doc: m.Doc, place: m.place, file: m.file, quality: m.quality, numbers: m.numbers}
	work, err := f.ready(ctx, &r)
	if err != nil {
		return nil, err
	}
	job := work.Job()
	job.Needed = func() (*bake.Baker, error) {
		return nil, errors.New("a part of the bake is no longer kept: bake again")
	}
	o := &Opened{Work: work}
	if o.Result, err = job.Run(ctx, work.Sources); err != nil {
		return nil, err
	}
	if o.Result.Open, err = job.Occlusion(ctx, work.Rest, work.Workers); err != nil {
		return nil, err
	}
	var ended []byte
	err = f.db.Do(ctx, func(ctx context.Context) error {
		return f.db.Pool.QueryRow(ctx, "SELECT ended FROM bakes WHERE id = $1", m.ID).Scan(&ended)
	})
	if err != nil {
		return nil, err
	}
	if o.Ended, err = baking.Unpack(ended); err != nil {
		return nil, fmt.Errorf("the bake's probes cannot be read: bake again: %w", err)
	}
	return o, nil
}

// Opened is a bake ready to be looked at.
type Opened struct {
	Work   *baking.Work
	Result *bake.Result
	Ended  *baking.Ended
}

// Worker is a process that takes part.
type Worker struct {
	Name  string  `json:"name"`
	Kind  string  `json:"kind"`
	Doing string  `json:"doing"`
	Rate  float64 `json:"rate"` // texel samples a second
	Here  bool    `json:"here"` // it is this server
	Lost  bool    `json:"lost"` // no sign of life
}

// InQueue is a bake, or final frames, that are not over.
type InQueue struct {
	What    string `json:"what"` // bake or frames
	ID      int64  `json:"id"`
	Setup   int64  `json:"setup"`
	Name    string `json:"name"`
	Quality string `json:"quality"` // of a bake
	State   State  `json:"state"`
	Tiles   int    `json:"tiles"` // objects of a bake, tiles of frames
	Ready   int    `json:"ready"`
	Asked   int64  `json:"asked"` // seconds ago
}

// Overview is the queue and who works it.
type Overview struct {
	Workers []Worker  `json:"workers"`
	Queue   []InQueue `json:"queue"`
}

// Overview tells the queue and who works it.
func (f *Farm) Overview(ctx context.Context) (o Overview, err error) {
	o = Overview{[]Worker{}, []InQueue{}}
	err = f.db.Do(ctx, func(ctx context.Context) error {
		rows, err := f.db.Pool.Query(ctx, "SELECT name, kind, doing, rate, seen < now() - $1::interval FROM farm_workers ORDER BY since", f.Gone)
		if err != nil {
			return err
		}
		o.Workers, err = pgx.CollectRows(rows, func(r pgx.CollectableRow) (w Worker, err error) {
			err = r.Scan(&w.Name, &w.Kind, &w.Doing, &w.Rate, &w.Lost)
			w.Here = w.Name == f.name
			return w, err
		})
		if err != nil {
			return err
		}
		rows, err = f.db.Pool.Query(ctx, `SELECT 'bake', b.id, b.setup, b.document->>'name', b.quality, b.state, (SELECT count(*) FROM bake_tiles t WHERE t.bake = b.id), (SELECT count(*) FROM bake_tiles t WHERE t.bake = b.id AND t.state = 'done'),
				EXTRACT(EPOCH FROM now() - b.asked)::bigint, b.priority FROM bakes b WHERE b.state IN ('waiting', 'working', 'paused')
			UNION ALL SELECT 'frames', o.id, o.setup, o.document->>'name', '', o.state, (SELECT count(*) FROM final_pieces t WHERE t.final = o.id), (SELECT count(*) FROM final_pieces t WHERE t.final = o.id AND t.state = 'done'),
				EXTRACT(EPOCH FROM now() - o.asked)::bigint, o.priority FROM finals o WHERE o.state IN ('waiting', 'working', 'paused')
			ORDER BY 10, 9 DESC, 2`)
		if err != nil {
			return err
		}
		o.Queue, err = pgx.CollectRows(rows, func(r pgx.CollectableRow) (q InQueue, err error) {
			var priority int
			err = r.Scan(&q.What, &q.ID, &q.Setup, &q.Name, &q.Quality, &q.State, &q.Tiles, &q.Ready, &q.Asked, &priority)
			return q, err
		})
		return err
	})
	return o, err
}
