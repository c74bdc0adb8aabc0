package savings

import (
	"cmp"
	"context"
	"math"
	"reflect"
	"slices"

	"willowherb/core/budget"
	"willowherb/core/drawn"
	"willowherb/core/edits"
	"willowherb/core/grade"
	"willowherb/core/lamps"
	"willowherb/core/scene"
	"willowherb/core/setup"
	"willowherb/core/spread"
	"willowherb/core/staging"
	"willowherb/core/target"
	"willowherb/core/work"
	"willowherb/core/world"
)

// Eye is a camera that the frame is to be made cheaper for, with its exposure.
type Eye struct {
	ID     string
	Name   string
	Step   int // of a route, counted from 1; 0: a view
	View   setup.View
	Camera world.Camera
	// Carry, if not nil, gives the lamps where who sees it carries them, so many metres back on
	// the way; in their order, and the very same lamps but for those that are carried.
	Carry func(lit []*lamps.Lamp, back float64) []*lamps.Lamp
}

// lit is the lamps as the eye has them.
func (v *Eye) lit(all []*lamps.Lamp, back float64) []*lamps.Lamp {
	if v.Carry == nil {
		return all
	}
	return v.Carry(all, back)
}

// EyeOf is a saved view.
func EyeOf(doc *setup.Setup, id string) Eye {
	v := doc.Views[id]
	return Eye{ID: id, Name: v.Name, View: v, Camera: v.Camera()}
}

// Order is what is asked.
type Order struct {
	Doc   *setup.Setup // resolved: of one look
	Scene *scene.Scene
	World *world.World
	// Relit makes the lamps of another document of the same place.
	Relit func(doc *setup.Setup) ([]*lamps.Lamp, error)
	// Staged makes the place of another document, and its lamps.
	Staged func(doc *setup.Setup) (*world.World, []*lamps.Lamp, error)
	// Graded makes grades ready, with their tables of colour; nil: they go without those.
	Graded  func(*grade.Grade) *grade.Program
	Baked   *budget.Baked
	Bake    *LastBake // that Baked is of; nil: its memory is left as it is
	LimitMB float64   // of all memory; 0: the target's
	Eyes    []Eye     // of more than ten the dearest ten; the rest are others
	// Others are eyes that have to be under the limit as well; those that a set leaves over it
	// join Eyes.
	Others []Eye
	Limit  float64 // ms, for each; 0: the target's
	// Samples of each pixel of the pictures that are compared; 0: 12.
	Samples int
	Every   int // tiles, as work.Place.See takes it; 0: budget.Every
	Workers int
	// Tell is told how much is done, 0 to 1.
	Tell func(share float64)
}

// ViewCost is a view before and after.
type ViewCost struct {
	ID     string  `json:"id"`
	Name   string  `json:"name"`
	Step   int     `json:"step"` // of the route; -1: a view
	Before float64 `json:"beforeMs"`
	After  float64 `json:"afterMs"`
	// Loss is what an eye would see of the chosen set in it: mean CIEDE2000, and what a
	// twentieth of the pixels differ by and more.
	Loss float64 `json:"loss"`
	P95  float64 `json:"p95"`
}

// Result is what came of it.
type Result struct {
	LimitMs float64    `json:"limitMs"`
	Views   []ViewCost `json:"views"`
	Changes []Saving   `json:"changes"` // the best for what they save first
	Chosen  []int      `json:"chosen"`
	// Loss is the mean over the views of what the chosen set loses, measured together; Added is
	// that of its changes one by one, added up, by which sets were compared; and no other set
	// that is enough loses less than Bound, so added up.
	Loss     float64 `json:"loss"`
	Added    float64 `json:"added"`
	Bound    float64 `json:"bound"`
	Reached  bool    `json:"reached"`
	Others   int     `json:"others"`  // how many frames besides were counted with the chosen set
	ShortMs  float64 `json:"shortMs"` // how far the worst view stays over
	ShortMB  float64 `json:"shortMB"` // how far memory stays over its limits
	LimitMB  float64 `json:"limitMB"`
	BeforeMB float64 `json:"beforeMB"`
	AfterMB  float64 `json:"afterMB"`
	// Ops are the edit of the chosen set.
	Ops []edits.Op `json:"ops"`
}

type run struct {
	*Order
	device  *target.Target
	now     state
	moves   []bool
	place   *work.Place
	seen    []*work.Seen
	before  []budget.Frame
	done    []*work.Done // the eyes' work as it is now
	maps    map[string]*drawn.Maps
	looks   []*look // of the eyes
	changes []Saving
	after   []state
}

// worthwhile is what a change has to save of some view to be looked at, in ms.
const worthwhile = 0.005

// Find measures all changes and chooses a set. Errors: ctx ended, or a document that cannot be
// lit.
func Find(ctx context.Context, asked *Order) (*Result, error) {
	own := *asked
	o := &own
	if o.Samples == 0 {
		o.Samples = 12
	}
	r := &run{Order: o, device: o.Doc.Device(), maps: map[string]*drawn.Maps{}}
	if o.Limit == 0 {
		o.Limit = r.device.Limits.Ms
	}
	if o.LimitMB == 0 {
		o.LimitMB = r.device.Limits.MB
	}
	lit, err := o.Relit(o.Doc)
	if err != nil {
		return nil, err
	}
	r.now = state{o.Doc, o.World, lit}
	r.moves = staging.Movers(o.Doc, o.Scene)
	r.place = budget.Place(o.Doc, o.Scene, o.World, o.Baked)
	if r.Eyes, r.Others, err = r.dearest(ctx); err != nil {
		return nil, err
	}
	for round := 0; ; round++ {
		if err := r.count(ctx); err != nil {
			return nil, err
		}
		if err := r.measure(ctx); err != nil {
			return nil, err
		}
		out, doc, err := r.choose(ctx)
		if err != nil {
			return nil, err
		}
		worst, over, err := r.worstOther(ctx, doc)
		if err != nil {
			return nil, err
		}
		if worst >= 0 && round < moreEyes {
			r.Eyes = append(r.Eyes, r.Others[worst])
			continue
		}
		for i := range r.Others {
			if !r.watched(r.Others[i].ID) {
				out.Others++
			}
		}
		if worst >= 0 {
			out.Reached, out.ShortMs = false, max(out.ShortMs, over)
		}
		r.tell(1)
		return out, nil
	}
}

// mostEyes is how many eyes are looked at closely: each has a picture of every change, 250 kB.
const mostEyes = 10

// dearest leaves the eyes that cost most; of more than mostEyes the rest are others.
func (r *run) dearest(ctx context.Context) (eyes, others []Eye, err error) {
	if len(r.Eyes) <= mostEyes {
		return slices.Clone(r.Eyes), r.Others, nil
	}
	by := make([]int, len(r.Eyes))
	ms := make([]float64, len(r.Eyes))
	err = spread.Over(ctx, len(ms), r.Workers, func(i int) {
		by[i] = i
		ms[i], _ = r.costOf(ctx, &r.Eyes[i], r.Doc, r.now.lamps, otherEvery, 1) // what ends with ctx is told by spread
	})
	if err != nil {
		return nil, nil, err
	}
	slices.SortStableFunc(by, func(a, b int) int { return cmp.Compare(ms[b], ms[a]) })
	others = slices.Clone(r.Others)
	for k, i := range by {
		if k < mostEyes {
			eyes = append(eyes, r.Eyes[i])
		} else {
			others = append(others, r.Eyes[i])
		}
	}
	return eyes, others, nil
}

// moreEyes is how many of the others may join the eyes.
const moreEyes = 3

// worstOther is the other eye that a document leaves farthest over the limit, and by how much;
// -1 where it leaves none over it.
func (r *run) worstOther(ctx context.Context, doc *setup.Setup) (worst int, over float64, err error) {
	if len(r.Others) == 0 {
		return -1, 0, nil
	}
	lit, err := r.Relit(doc)
	if err != nil {
		return -1, 0, err
	}
	// Coarsely first: each has to be looked at anew.
	ms := make([]float64, len(r.Others))
	err = spread.Over(ctx, len(ms), r.Workers, func(i int) {
		if r.watched(r.Others[i].ID) {
			return
		}
		ms[i], _ = r.costOf(ctx, &r.Others[i], doc, lit, otherEvery, 1) // what ends with ctx is told below
	})
	if err != nil {
		return -1, 0, err
	}
	worst = -1
	for i := range ms {
		if ms[i] <= coarseBy*r.Limit {
			continue
		}
		fine, err := r.costOf(ctx, &r.Others[i], doc, lit, budget.Every, r.Workers)
		if err != nil {
			return -1, 0, err
		}
		if fine-r.Limit > max(over, 1e-9) {
			worst, over = i, fine-r.Limit
		}
	}
	return worst, over, ctx.Err()
}

// otherEvery is how coarsely others are looked at first, and coarseBy from which share of the limit
// on they are looked at again.
const (
	otherEvery = 6
	coarseBy   = 0.95
)

// watched tells the eyes.
func (r *run) watched(id string) bool {
	return slices.ContainsFunc(r.Eyes, func(e Eye) bool { return e.ID == id })
}

func (r *run) costOf(ctx context.Context, v *Eye, doc *setup.Setup, lit []*lamps.Lamp, every, workers int) (float64, error) {
	s, err := r.place.See(ctx, v.Camera, r.device.How, every, workers)
	if err != nil {
		return 0, err
	}
	d, err := s.Count(ctx, r.state(v, doc, lit), workers)
	if err != nil {
		return 0, err
	}
	return budget.Price(r.device, v.lit(lit, 0), d, r.Baked).Ms, nil
}

func (r *run) tell(share float64) {
	if r.Tell != nil {
		r.Tell(share)
	}
}

func (r *run) steps(doc *setup.Setup) int {
	if doc.Fog != nil && doc.Fog.Steps > 0 {
		return doc.Fog.Steps
	}
	return r.device.How.Fog.Steps
}

func (r *run) inFog(l *lamps.Lamp) bool { return work.Live(l) && !l.NoAir }

// state is a document's light as an eye has it.
func (r *run) state(v *Eye, doc *setup.Setup, lit []*lamps.Lamp) *work.State {
	return budget.State(doc, r.place, v.lit(lit, 0), &v.View)
}

// cost counts and prices the eyes' frames of a document.
func (r *run) cost(ctx context.Context, doc *setup.Setup, lit []*lamps.Lamp) ([]budget.Frame, error) {
	var out []budget.Frame
	for i := range r.Eyes {
		st := r.state(&r.Eyes[i], doc, lit)
		st.Known = r.known(i, doc, lit)
		d, err := r.seen[i].Count(ctx, st, r.Workers)
		if err != nil {
			return nil, err
		}
		if len(r.done) == i {
			r.done = append(r.done, d)
		}
		out = append(out, budget.Price(r.device, lit, d, r.Baked))
	}
	return out, nil
}

// known is the work of the lamps that a document leaves as they were.
func (r *run) known(eye int, doc *setup.Setup, lit []*lamps.Lamp) []*work.LightWork {
	out := make([]*work.LightWork, len(lit))
	if eye >= len(r.done) || r.steps(doc) != r.steps(r.Doc) {
		return out
	}
	for i, l := range lit {
		for k, was := range r.now.lamps {
			if was.ID == l.ID && was.Key == l.Key && reflect.DeepEqual(was.Light, l.Light) {
				out[i] = &r.done[eye].Lights[k]
			}
		}
	}
	return out
}

// count works out what every change saves, and drops those that save nothing.
func (r *run) count(ctx context.Context) error {
	for i := len(r.seen); i < len(r.Eyes); i++ {
		s, err := r.place.See(ctx, r.Eyes[i].Camera, r.device.How, cmp.Or(r.Every, budget.Every), r.Workers)
		if err != nil {
			return err
		}
		r.seen = append(r.seen, s)
	}
	var err error
	if r.before, err = r.cost(ctx, r.Doc, r.now.lamps); err != nil {
		return err
	}
	moving := budget.State(r.Doc, r.place, r.now.lamps, &r.Eyes[0].View).Moving
	r.changes, r.after = nil, nil
	all := Candidates(r.Doc, r.now.lamps, moving, r.device.How.Cascades, r.device.How.Fog.Steps)
	for k := range all {
		c := all[k]
		e, err := edits.Apply(r.Doc, c.Ops)
		if err != nil {
			continue // an edit that cannot be made is no proposal
		}
		lit, err := r.Relit(e.After)
		if err != nil {
			return err
		}
		f, err := r.cost(ctx, e.After, lit)
		if err != nil {
			return err
		}
		worth := false
		for v := range f {
			c.SavedMs = append(c.SavedMs, r.before[v].Ms-f[v].Ms)
			worth = worth || c.SavedMs[v] > worthwhile
			c.SavedMB = max(c.SavedMB, r.before[v].MB-f[v].MB)
		}
		if !worth {
			continue
		}
		c.By = how(c.Kinds)
		r.changes = append(r.changes, c)
		r.after = append(r.after, state{e.After, r.World, lit})
		r.tell(0.3 * float64(k+1) / float64(len(all)))
	}
	return r.smaller(ctx)
}

// how says how a change's loss is measured.
func how(kinds []Means) string {
	for _, k := range kinds {
		switch k {
		case NoShadow, Bake, Range, Cone, Merge:
			return byLayers
		case Steps:
			return byFog
		}
	}
	return byMaps
}

// measure makes the pictures of all views with every change.
func (r *run) measure(ctx context.Context) error {
	var list []string
	for i := range r.changes {
		list = append(list, r.changes[i].What)
	}
	for i := range r.Eyes {
		if i < len(r.looks) && slices.Equal(r.looks[i].list, list) {
			if err := r.lose(ctx, i); err != nil {
				return err
			}
			continue // as in the round before
		}
		v := &r.Eyes[i]
		y := &look{list: list, w: Wide, h: High, change: make([]sheet, len(r.changes))}
		if a := v.View.Aspect; a > 0 {
			y.w = max(int(math.Round(float64(High)*a)), 1)
		}
		y.shown = r.finished(v, y.w, y.h)
		for _, do := range []func(context.Context, *Eye, *look) error{r.layered, r.mapped, r.stepped, r.baked} {
			if err := do(ctx, v, y); err != nil {
				return err
			}
		}
		r.looks = append(r.looks[:i:i], append([]*look{y}, r.looks[min(i+1, len(r.looks)):]...)...)
		if err := r.lose(ctx, i); err != nil {
			return err
		}
		r.tell(0.3 + 0.6*float64(i+1)/float64(len(r.Eyes)))
	}
	return nil
}

// lose adds what every change loses in an eye.
func (r *run) lose(ctx context.Context, eye int) error {
	return spread.Over(ctx, len(r.changes), r.Workers, func(k int) {
		n := r.looks[eye].loss([]int{k})
		r.changes[k].Loss = append(r.changes[k].Loss, n.Mean)
		r.changes[k].P95 = max(r.changes[k].P95, n.P95)
	})
}

func mean(v []float64) (m float64) {
	for _, x := range v {
		m += x / float64(len(v))
	}
	return m
}

// choose finds the set, checks it by doing all of its work, and measures it; doc is what comes
// of it.
func (r *run) choose(ctx context.Context) (out *Result, doc *setup.Setup, err error) {
	groups := map[string]int{}
	var items []Item
	for i := range r.changes {
		c := &r.changes[i]
		if c.Rebake {
			break // they come last, and are of memory alone
		}
		it := Item{Saves: c.SavedMs, Loss: mean(c.Loss)}
		for _, id := range c.Lights {
			if _, ok := groups[id]; !ok {
				groups[id] = len(groups)
			}
			it.Groups = append(it.Groups, groups[id])
		}
		items = append(items, it)
	}
	need := make([]float64, len(r.Eyes))
	for v := range need {
		need[v] = r.before[v].Ms - r.Limit
	}
	var ch Choice
	var after []budget.Frame
	var ops []edits.Op
	for range 6 {
		ch = Choose(items, need)
		ops = nil
		for _, i := range ch.Items {
			ops = append(ops, r.changes[i].Ops...)
		}
		doc = r.Doc
		if len(ops) > 0 {
			e, err := edits.Apply(r.Doc, ops)
			if err != nil {
				return nil, nil, err
			}
			doc = e.After
		}
		lit, err := r.Relit(doc)
		if err != nil {
			return nil, nil, err
		}
		if after, err = r.cost(ctx, doc, lit); err != nil {
			return nil, nil, err
		}
		// Changes of different lights hardly touch one another; what they do is asked for besides.
		enough := true
		for v := range after {
			if over := after[v].Ms - r.Limit; over > 1e-9 && ch.Short == 0 {
				need[v] += over + 1e-6
				enough = false
			}
		}
		if enough {
			break
		}
	}
	out = &Result{LimitMs: r.Limit, LimitMB: r.LimitMB, Changes: r.changes, Chosen: ch.Items, Added: ch.Loss, Bound: ch.Bound, Ops: ops, Reached: true}
	if out.Chosen == nil {
		out.Chosen, out.Ops = []int{}, []edits.Op{}
	}
	for v := range r.Eyes {
		out.BeforeMB, out.AfterMB = max(out.BeforeMB, r.before[v].MB), max(out.AfterMB, after[v].MB)
	}
	out.ShortMB = max(out.AfterMB-r.LimitMB, r.overMap(), 0)
	if r.Order.Bake != nil {
		less, short := remember(r.changes, out.AfterMB-r.LimitMB, r.overMap())
		out.ShortMB = short
		for _, i := range less {
			out.Chosen = append(out.Chosen, i)
			out.Ops = append(out.Ops, r.changes[i].Ops...)
			out.AfterMB -= r.changes[i].SavedMB
			out.Added += mean(r.changes[i].Loss)
			out.Bound += mean(r.changes[i].Loss)
		}
	}
	for v := range r.Eyes {
		n := r.looks[v].loss(out.Chosen)
		out.Views = append(out.Views, ViewCost{r.Eyes[v].ID, r.Eyes[v].Name, r.Eyes[v].Step - 1, r.before[v].Ms, after[v].Ms, n.Mean, n.P95})
		out.Loss += n.Mean / float64(len(r.Eyes))
		if over := after[v].Ms - r.Limit; over > 1e-9 {
			out.Reached, out.ShortMs = false, max(out.ShortMs, over)
		}
	}
	for _, i := range out.Chosen {
		out.Changes[i].Chosen = true
	}
	r.sort(out)
	return out, doc, nil
}

// sort puts the chosen first, and then what loses least for what it saves.
func (r *run) sort(out *Result) {
	by := make([]int, len(out.Changes))
	for i := range by {
		by[i] = i
	}
	worth := func(c *Saving) float64 { return mean(c.Loss) / max(slices.Max(c.SavedMs), 1e-9) }
	slices.SortStableFunc(by, func(a, b int) int {
		x, y := &out.Changes[a], &out.Changes[b]
		if x.Chosen != y.Chosen {
			if x.Chosen {
				return -1
			}
			return 1
		}
		return cmp.Compare(worth(x), worth(y))
	})
	sorted := make([]Saving, len(by))
	out.Chosen = out.Chosen[:0]
	for k, i := range by {
		sorted[k] = out.Changes[i]
		if sorted[k].Chosen {
			out.Chosen = append(out.Chosen, k)
		}
	}
	out.Changes = sorted
}
