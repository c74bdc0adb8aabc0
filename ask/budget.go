package ask

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"io"
	"math"
	"slices"
	"strings"
	"sync"
	"time"

	"willowherb/core/budget"
	"willowherb/core/calibrate"
	"willowherb/core/device"
	"willowherb/core/grade"
	"willowherb/core/lamps"
	"willowherb/core/probes"
	"willowherb/core/route"
	"willowherb/core/savings"
	"willowherb/core/setup"
	"willowherb/core/spread"
	"willowherb/core/target"
	"willowherb/core/vec"
	"willowherb/core/work"
	"willowherb/core/world"
	"willowherb/farm"
	"willowherb/format/timings"
	"willowherb/refine"
)

// ErrBudget means that a question about the budget or a route cannot be answered as it is
// asked; the text says why.
var ErrBudget = errors.New("budget")

// baked is what a setup's newest bake keeps on a target; nil where there is none.
func (d *Desk) baked(ctx context.Context, id int64) (*budget.Baked, error) {
	if d.Farm == nil {
		return nil, nil
	}
	return d.Farm.Keeps(ctx, id)
}

// counted is a setup's place with what is counted of it.
type counted struct {
	shot  *refine.Shot
	doc   *setup.Setup
	place *work.Place
	bake  *budget.Baked
}

func (d *Desk) counted(ctx context.Context, p *refine.Pictures, id int64) (*counted, error) {
	s, err := p.Shot(ctx)
	if err != nil {
		return nil, err
	}
	c := &counted{shot: s, doc: shown(s.Doc)}
	if c.bake, err = d.baked(ctx, id); err != nil {
		return nil, err
	}
	c.place = budget.Place(c.doc, s.Stage.Scene, s.Stage.World, c.bake)
	return c, nil
}

// relit makes lamps of other documents of the place.
func (c *counted) relit(ctx context.Context) func(*setup.Setup) ([]*lamps.Lamp, error) {
	return func(doc *setup.Setup) ([]*lamps.Lamp, error) { return c.shot.Lay(ctx, doc) }
}

// Sheet is a view's frame in all its parts.
type Sheet struct {
	Frame budget.Frame `json:"frame"`
	// Kept is the frame of the state that it is compared with; null where there is none.
	Kept  *budget.Frame  `json:"kept"`
	Steps []budget.Lower `json:"steps"`
	// Formulas are those of the passes, in their order.
	Formulas []string `json:"formulas"`
}

// FrameAsk is whose frame is counted: a saved view, or a camera of one's own.
type FrameAsk struct {
	View   string      `json:"view"`
	Camera *setup.View `json:"camera,omitempty"`
	// Route, where one is named, has who walks it stand at Ground, and carry what he carries.
	Route  string     `json:"route"`
	Ground [3]float64 `json:"ground"`
	// Beside is a snapshot that it is shown beside; 0: none.
	Beside int64 `json:"beside"`
	// Brief asks for the frame alone, looked at as views are for the bar.
	Brief bool `json:"brief"`
}

// Sheet counts a frame; kept, if not nil, is another state beside it.
func (d *Desk) Sheet(ctx context.Context, p *refine.Pictures, id int64, q FrameAsk, kept *setup.Setup) (out *Sheet, err error) {
	c, err := d.counted(ctx, p, id)
	if err != nil {
		return nil, err
	}
	v, ok := c.doc.Views[q.View]
	if q.Camera != nil {
		if err := q.Camera.Check(); err != nil {
			return nil, fmt.Errorf("%w: the camera: %v", ErrBudget, err)
		}
		v, ok = *q.Camera, true
	}
	if !ok {
		return nil, fmt.Errorf("view %.80q: %w", q.View, ErrUnknown)
	}
	for _, x := range q.Ground {
		if !(math.Abs(x) <= 1e6) {
			return nil, fmt.Errorf("%w: the ground lies outside of any level", ErrBudget)
		}
	}
	own := func(lit []*lamps.Lamp) []*lamps.Lamp { return lit }
	if q.Route != "" {
		r, ok := c.doc.Routes[q.Route]
		if !ok {
			return nil, fmt.Errorf("route %.80q: %w", q.Route, ErrUnknown)
		}
		carrier := route.NewCarrier(c.doc, c.shot.Stage.Scene, &r)
		own = func(lit []*lamps.Lamp) []*lamps.Lamp {
			return carrier.At(lit, &route.Place{Ground: vec.Of(q.Ground), Aim: vec.Of(v.Aim).Norm()})
		}
	}
	t, lit, every := c.doc.Device(), own(c.shot.Lamps), 1
	if q.Brief {
		every = budget.Every
	}
	err = spread.Guard(func() error {
		seen, err := c.place.See(ctx, v.Camera(), t.How, every, d.studio.Workers())
		if err != nil {
			return err
		}
		done, err := seen.Count(ctx, budget.State(c.doc, c.place, lit, &v), d.studio.Workers())
		if err != nil {
			return err
		}
		out = &Sheet{Frame: budget.Price(t, lit, done, c.bake), Steps: []budget.Lower{}, Formulas: []string{}}
		if q.Brief {
			return nil
		}
		for i := range t.Passes {
			out.Formulas = append(out.Formulas, t.Passes[i].Formula())
		}
		if kept != nil {
			kept = shown(kept)
			if out.Kept, err = d.keptFrame(ctx, c, kept, q, own); err != nil {
				return err
			}
		}
		relit := c.relit(ctx)
		out.Steps, err = budget.Steps(ctx, c.doc, seen, c.place, &v, func(doc *setup.Setup) ([]*lamps.Lamp, error) {
			lit, err := relit(doc)
			return own(lit), err
		}, c.bake, d.studio.Workers())
		return err
	})
	return out, err
}

// groundBelow is how far under a place its ground is looked for, and over it, in metres.
const (
	groundBelow = 8.0
	groundOver  = 1.2
)

// GroundAt is the ground at a place of the plan: the first surface under it, from a little over it.
func (d *Desk) GroundAt(ctx context.Context, p *refine.Pictures, at [3]float64) (*[3]float64, error) {
	for _, x := range at {
		if !(math.Abs(x) <= 1e6) {
			return nil, fmt.Errorf("%w: the place lies outside of any level", ErrBudget)
		}
	}
	s, err := p.Shot(ctx)
	if err != nil {
		return nil, err
	}
	from := vec.Of(at).Add(vec.V3{Y: groundOver})
	m, ok := s.Stage.World.Meets(from, vec.V3{Y: -1}, groundOver+groundBelow)
	if !ok {
		return nil, fmt.Errorf("%w: there is no ground at %.1f, %.1f", ErrBudget, at[0], at[2])
	}
	out := [3]float64{at[0], math.Round(1000*(float64(from.Y)-float64(m.Dist))) / 1000, at[2]}
	return &out, nil
}

// keptFrame is the frame of another state, in its own place, on the target of now.
func (d *Desk) keptFrame(ctx context.Context, c *counted, kept *setup.Setup, q FrameAsk, own func([]*lamps.Lamp) []*lamps.Lamp) (*budget.Frame, error) {
	v, ok := kept.Views[q.View]
	if q.Camera != nil {
		v, ok = *q.Camera, true
	}
	if !ok {
		return nil, nil
	}
	on, lit, err := c.shot.Staged(ctx, kept)
	if err != nil {
		return nil, err
	}
	doc := *kept
	doc.Target, doc.Targets = c.doc.Target, c.doc.Targets
	return budget.View(ctx, &doc, budget.Place(&doc, on.Scene, on.World, c.bake), own(lit), &v, c.bake, 1, d.studio.Workers())
}

// worked is the work of a view's frame.
func (d *Desk) worked(ctx context.Context, c *counted, v setup.View) (*work.Done, error) {
	s, err := c.place.See(ctx, v.Camera(), c.doc.Device().How, 1, d.studio.Workers())
	if err != nil {
		return nil, err
	}
	return s.Count(ctx, budget.State(c.doc, c.place, c.shot.Lamps, &v), d.studio.Workers())
}

// CaptureFrames is how many frames of each view the simulated device measures.
const CaptureFrames = 24

// Capture measures all views on the simulated device of a seed, as a CSV file.
func (d *Desk) Capture(ctx context.Context, p *refine.Pictures, id int64, seed uint64) ([]byte, error) {
	c, err := d.counted(ctx, p, id)
	if err != nil {
		return nil, err
	}
	dev := device.New(c.doc.Device(), seed)
	var rows []device.Timing
	for _, v := range c.doc.SortedViews() {
		w, err := d.worked(ctx, c, c.doc.Views[v])
		if err != nil {
			return nil, err
		}
		rows = append(rows, dev.Capture(c.doc.Views[v].Name, CaptureFrames, w)...)
	}
	var b strings.Builder
	err = timings.Write(&b, rows)
	return []byte(b.String()), err
}

// Calibrate fits the setup's target to a file of timings. Errors: timings.ErrInvalid,
// calibrate.ErrNothing.
func (d *Desk) Calibrate(ctx context.Context, p *refine.Pictures, id int64, name string, file io.Reader, m timings.Mapping) (*calibrate.Fit, error) {
	rows, err := timings.Read(name, file, m)
	if err != nil {
		return nil, err
	}
	c, err := d.counted(ctx, p, id)
	if err != nil {
		return nil, err
	}
	ids := c.doc.SortedViews()
	fit, err := calibrate.OfCameras(c.doc.Device(), rows, func(camera string) (*target.Counts, error) {
		i := slices.IndexFunc(ids, func(v string) bool { return v == camera || strings.EqualFold(c.doc.Views[v].Name, camera) })
		if i < 0 {
			return nil, nil // told by the fit
		}
		w, err := d.worked(ctx, c, c.doc.Views[ids[i]])
		if err != nil {
			return nil, err
		}
		return w.All(), nil
	})
	if errors.Is(err, calibrate.ErrNothing) {
		return nil, fmt.Errorf("%s: %w; its cameras have to be named as views of the setup are", name, err)
	}
	return fit, err
}

// Task is how long work for a setup stands.
type Task struct {
	State    string  `json:"state"` // none, working, done or failed
	Share    float64 `json:"share"`
	Revision int64   `json:"revision"` // of the setup that it is of
	Error    string  `json:"error,omitempty"`
}

// tasks are long works, one of a kind for each setup; a new one ends the one before.
type tasks[T any] struct {
	mu  sync.Mutex
	of  map[int64]*running[T]
	one sync.Mutex // one at a time: each takes all cores
}

type running[T any] struct {
	Task
	what   string
	result *T
	stop   context.CancelFunc
}

// mostTasks bounds the setups whose results are kept.
const mostTasks = 16

// start begins work, unless the same is at work or done for that revision.
func (t *tasks[T]) start(id, revision int64, what string, do func(ctx context.Context, tell func(float64)) (*T, error)) {
	t.mu.Lock()
	defer t.mu.Unlock()
	if t.of == nil {
		t.of = map[int64]*running[T]{}
	}
	if r := t.of[id]; r != nil {
		if r.what == what && r.Revision == revision && r.State != "failed" {
			return
		}
		r.stop()
	}
	for k, r := range t.of {
		if len(t.of) >= mostTasks && k != id && r.State != "working" {
			delete(t.of, k)
		}
	}
	ctx, stop := context.WithCancel(context.Background())
	r := &running[T]{Task: Task{State: "working", Revision: revision}, what: what, stop: stop}
	t.of[id] = r
	go func() {
		defer stop()
		t.one.Lock()
		defer t.one.Unlock()
		var out *T
		err := spread.Guard(func() (err error) {
			out, err = do(ctx, func(share float64) {
				t.mu.Lock()
				r.Share = max(r.Share, share)
				t.mu.Unlock()
			})
			return err
		})
		t.mu.Lock()
		defer t.mu.Unlock()
		r.result, r.State, r.Share = out, "done", 1
		if err != nil {
			r.result, r.State = nil, "failed"
			text, _, _ := strings.Cut(err.Error(), "\n")
			r.Error = text
		}
	}()
}

func (t *tasks[T]) state(id int64) (Task, *T) {
	t.mu.Lock()
	defer t.mu.Unlock()
	r := t.of[id]
	if r == nil {
		return Task{State: "none"}, nil
	}
	return r.Task, r.result
}

// done is what came of the same work on a revision; nil where it has not been done.
func (t *tasks[T]) done(id, revision int64, what string) *T {
	t.mu.Lock()
	defer t.mu.Unlock()
	if r := t.of[id]; r != nil && r.Revision == revision && r.what == what {
		return r.result
	}
	return nil
}

// close ends all that is at work, and waits for it.
func (t *tasks[T]) close() {
	t.mu.Lock()
	for _, r := range t.of {
		r.stop()
	}
	t.mu.Unlock()
	t.one.Lock()
	defer t.one.Unlock()
}

func (t *tasks[T]) end(id int64) {
	t.mu.Lock()
	defer t.mu.Unlock()
	if r := t.of[id]; r != nil && r.State == "working" {
		r.stop()
		delete(t.of, id)
	}
}

// WalkState is how a route's walk stands.
type WalkState struct {
	Task   Task          `json:"task"`
	Walked *route.Walked `json:"walked"`
}

// StartWalk walks a route of a setup. doc is as it was edited, with its look and its zones.
func (d *Desk) StartWalk(ctx context.Context, p *refine.Pictures, id int64, doc *setup.Setup, revision int64, name string) (*WalkState, error) {
	c, err := d.counted(ctx, p, id)
	if err != nil {
		return nil, err
	}
	st, err := lamps.Resolve(doc, doc.Look)
	if err != nil {
		return nil, err
	}
	r, ok := st.Setup.Routes[name]
	if !ok {
		return nil, fmt.Errorf("route %.80q: %w", name, ErrUnknown)
	}
	d.walks.start(id, revision, name, func(ctx context.Context, tell func(float64)) (*route.Walked, error) {
		// Only one walks at a time.
		if d.walkedOn != c.shot.Stage.Key {
			d.walkedOn, d.walkKnown = c.shot.Stage.Key, &route.Known{}
		}
		d.forget()
		return route.Walk(ctx, &route.Order{Doc: st.Setup, Scene: c.shot.Stage.Scene, World: c.shot.Stage.World, Lamps: c.shot.Lamps, Route: r, Baked: c.bake, Known: d.walkKnown, Workers: d.studio.Workers(), Tell: tell})
	})
	return d.WalkOf(id), nil
}

// remembered is how long what a walk has found out of its place is kept for the next: it may take 100 MB.
const remembered = 10 * time.Minute

// forget lets go what is known of the place that was walked last, if nobody walks for a while.
func (d *Desk) forget() {
	d.walkedAt = time.Now()
	time.AfterFunc(remembered, func() {
		d.walks.one.Lock()
		defer d.walks.one.Unlock()
		if time.Since(d.walkedAt) >= remembered {
			d.walkKnown, d.walkedOn = nil, ""
		}
	})
}

// WalkOf is how the walk of a setup stands.
func (d *Desk) WalkOf(id int64) *WalkState {
	t, w := d.walks.state(id)
	return &WalkState{t, w}
}

// LevelState is how the survey of the level stands.
type LevelState struct {
	Task  Task         `json:"task"`
	Level *route.Level `json:"level"`
}

// StartSurvey looks at the level from the stops of a route; an empty name takes the views.
func (d *Desk) StartSurvey(ctx context.Context, p *refine.Pictures, id int64, revision int64, name string) (*LevelState, error) {
	c, err := d.counted(ctx, p, id)
	if err != nil {
		return nil, err
	}
	r := c.doc.Routes[name]
	var field *probes.Field
	bake := int64(0)
	if c.bake != nil {
		o, last, err := d.lastBake(ctx, id)
		if err != nil {
			return nil, err
		}
		field, bake = o.Ended.Field, last
	}
	d.surveys.start(id, revision, fmt.Sprint(name, " ", bake), func(ctx context.Context, tell func(float64)) (*route.Level, error) {
		return route.Survey(ctx, &route.Order{Doc: c.doc, Scene: c.shot.Stage.Scene, World: c.shot.Stage.World, Lamps: c.shot.Lamps, Route: r, Each: 1, Baked: c.bake, Field: field, Workers: d.studio.Workers(), Tell: tell})
	})
	return d.SurveyOf(id), nil
}

// SurveyOf is how the survey of a setup stands.
func (d *Desk) SurveyOf(id int64) *LevelState {
	t, l := d.surveys.state(id)
	return &LevelState{t, l}
}

// SavingsAsk is what savings are looked for in.
type SavingsAsk struct {
	Views []string `json:"views"` // ids; none: all
	Limit float64  `json:"limit"` // ms; 0: the target's
	// Route, where one is named, has its steps under the limit, too; without Views those alone.
	Route   string  `json:"route"`
	LimitMB float64 `json:"limitMB"` // of memory; 0: the target's
}

// SavingsState is how the search for savings stands.
type SavingsState struct {
	Task   Task            `json:"task"`
	Result *savings.Result `json:"result"`
}

// StartSavings looks for savings in a setup; doc is as it was edited, as StartWalk takes it.
func (d *Desk) StartSavings(ctx context.Context, p *refine.Pictures, id int64, doc *setup.Setup, revision int64, q SavingsAsk) (*SavingsState, error) {
	c, err := d.counted(ctx, p, id)
	if err != nil {
		return nil, err
	}
	if !(q.Limit >= 0 && q.Limit <= 1e5) {
		return nil, fmt.Errorf("%w: the limit %g is not between 0 and 100000 ms", ErrBudget, q.Limit)
	}
	if !(q.LimitMB >= 0 && q.LimitMB <= 1e6) {
		return nil, fmt.Errorf("%w: the limit %g is not between 0 and 1000000 MB", ErrBudget, q.LimitMB)
	}
	r, ok := c.doc.Routes[q.Route]
	if q.Route != "" && !ok {
		return nil, fmt.Errorf("route %.80q: %w", q.Route, ErrUnknown)
	}
	if len(q.Views) == 0 && q.Route == "" {
		q.Views = c.doc.SortedViews()
	}
	if len(q.Views) == 0 && q.Route == "" {
		return nil, fmt.Errorf("%w: the setup has no views to save in; save one first", ErrBudget)
	}
	o := &savings.Order{Doc: c.doc, Scene: c.shot.Stage.Scene, World: c.shot.Stage.World, Baked: c.bake, Limit: q.Limit, LimitMB: q.LimitMB, Graded: func(g *grade.Grade) *grade.Program { return d.studio.Shop().Graded(context.Background(), g) }, Workers: d.studio.Workers(), Samples: 8, Every: 1}
	for _, v := range q.Views {
		if _, ok := c.doc.Views[v]; !ok {
			return nil, fmt.Errorf("view %.80q: %w", v, ErrUnknown)
		}
		o.Eyes = append(o.Eyes, savings.EyeOf(c.doc, v))
	}
	bake := int64(0)
	if c.bake != nil {
		if o.Bake, bake, err = d.bakeToSave(ctx, c, id); err != nil {
			return nil, err
		}
	}
	d.saves.start(id, revision, fmt.Sprint(q, bake), func(ctx context.Context, tell func(float64)) (*savings.Result, error) {
		o.Tell, o.Relit = tell, c.relit(ctx)
		if q.Route != "" {
			const walking = 0.1 // of all the time that it takes
			w, err := d.walkedFor(ctx, c, id, doc, revision, q.Route, func(share float64) { tell(walking * share) })
			if err != nil {
				return nil, err
			}
			o.Tell = func(share float64) { tell(walking + (1-walking)*share) }
			eyes, others := savings.Along(c.doc, c.shot.Stage.Scene, &r, w, cmp.Or(q.Limit, c.doc.Device().Limits.Ms))
			o.Eyes, o.Others = append(o.Eyes, eyes...), others
		}
		o.Staged = func(doc *setup.Setup) (*world.World, []*lamps.Lamp, error) {
			on, lit, err := c.shot.Staged(ctx, doc)
			if err != nil {
				return nil, nil, err
			}
			return on.World, lit, nil
		}
		return savings.Find(ctx, o)
	})
	return d.SavingsOf(id), nil
}

// walkedFor is the walk of a route at a revision, as it is there or made now.
func (d *Desk) walkedFor(ctx context.Context, c *counted, id int64, doc *setup.Setup, revision int64, name string, tell func(float64)) (*route.Walked, error) {
	if w := d.walks.done(id, revision, name); w != nil {
		return w, nil
	}
	st, err := lamps.Resolve(doc, doc.Look)
	if err != nil {
		return nil, err
	}
	return route.Walk(ctx, &route.Order{Doc: st.Setup, Scene: c.shot.Stage.Scene, World: c.shot.Stage.World, Lamps: c.shot.Lamps, Route: st.Setup.Routes[name], Baked: c.bake, Workers: d.studio.Workers(), Tell: tell})
}

// bakeToSave is the newest bake, if it is of the place as it is now; nil otherwise.
func (d *Desk) bakeToSave(ctx context.Context, c *counted, id int64) (*savings.LastBake, int64, error) {
	o, last, err := d.lastBake(ctx, id)
	if err != nil {
		return nil, 0, err
	}
	on := c.shot.Stage
	if o.Work.Place != farm.Place(&on.Stage, c.doc, on.Scene) {
		return nil, last, nil
	}
	return &savings.LastBake{Quality: o.Work.Quality, Result: o.Result, Field: o.Ended.Field, Rest: o.Work.Rest}, last, nil
}

// SavingsOf is how the search for savings of a setup stands.
func (d *Desk) SavingsOf(id int64) *SavingsState {
	t, r := d.saves.state(id)
	return &SavingsState{t, r}
}

// Close ends what is at work in the background.
func (d *Desk) Close() {
	d.walks.close()
	d.saves.close()
	d.surveys.close()
}

// StopTasks ends what is at work for a setup.
func (d *Desk) StopTasks(id int64) {
	d.walks.end(id)
	d.saves.end(id)
	d.surveys.end(id)
}
