package bake

import (
	"cmp"
	"context"
	"crypto/sha256"
	"encoding/binary"
	"encoding/json"
	"math"
	"slices"

	"willowherb/core/scene"
	"willowherb/core/setup"
	"willowherb/core/spread"
	"willowherb/core/staging"
	"willowherb/core/unwrap"
	"willowherb/core/vec"
	"willowherb/core/world"
)

// Plan is the layout of a level's lightmap.
type Plan struct {
	Rules   setup.Bake
	Quality setup.Quality
	Objects []*Laid
	// Left are the objects that are not in the map, with the reason.
	Left  []Left
	Pages []unwrap.Page
	// Key names all charts and their texels: the light cache is filled as far as all of them ask,
	// so each object's light depends on the others' texels too.
	Key [32]byte
	// at is the Laid of a scene's object, or nil.
	at []*Laid
}

// Left is an object that is not in the map.
type Left struct {
	Object int
	Why    Why
}

// Why an object is not in the lightmap.
type Why string

// The reasons.
const (
	Moves    Why = "mover"   // it moves
	Glass    Why = "glass"   // light passes it
	Absent   Why = "absent"  // hidden, or a blocker
	Small    Why = "small"   // its pieces are smaller than a few texels: probes light it
	ByProbes Why = "probes"  // the setup has probes light it
	Empty    Why = "no area" // its triangles have no area
)

// Laid is an object with its charts.
type Laid struct {
	Object int
	Path   string
	Mesh   unwrap.Mesh // its triangles in the scene's order
	First  int         // its first triangle of the scene
	// Density asked for, in texels a metre, before it is made less where nobody comes near.
	Density float64
	OwnUV   string // why its second UV set is not used; "used" where it is
	Patches []unwrap.Patch
	Spots   []unwrap.Spot
	Seams   []unwrap.Seam
	// Cells of all patches follow one another, rows from the first; Begin is the first of each.
	Begin []int
	Cells int
	Used  int // cells that have a surface
	Has   []bool
	// Key names all that the object's texels are: geometry and density.
	Key [32]byte

	tri []corner // of each triangle
}

// corner is where a triangle lies: its patch and its number there.
type corner struct{ patch, tri int32 }

// nearView is how near a view has to come for all texels, in metres.
const nearView = 8.0

// Lay plans the lightmap of a place as a setup has it. Error: ctx ended.
func Lay(ctx context.Context, s *scene.Scene, w *world.World, doc *setup.Setup, q setup.Quality, workers int) (*Plan, error) {
	p := &Plan{Rules: doc.Baking(), Quality: q, at: make([]*Laid, len(s.Objects))}
	said, moves := staging.Baked(doc, s), staging.Movers(doc, s)
	eyes := eyesOf(doc)
	laid := make([]*Laid, len(s.Objects))
	why := make([]Why, len(s.Objects))
	// Large ones first, so that no worker has one left in the end.
	order := make([]int, len(s.Objects))
	for i := range order {
		order[i] = i
	}
	slices.SortStableFunc(order, func(a, b int) int { return cmp.Compare(s.Objects[b].Count, s.Objects[a].Count) })
	err := spread.Over(ctx, len(order), workers, func(k int) {
		i := order[k]
		if why[i] = excluded(s, w, i, moves[i], &said[i]); why[i] == "" {
			laid[i], why[i] = p.lay(s, i, &said[i], eyes)
		}
	})
	if err != nil {
		return nil, err
	}
	var shapes []unwrap.Shape
	for i, l := range laid {
		if l == nil {
			p.Left = append(p.Left, Left{i, why[i]})
			continue
		}
		p.Objects, p.at[i] = append(p.Objects, l), l
	}
	each := make([][]unwrap.Shape, len(p.Objects))
	err = spread.Over(ctx, len(p.Objects), workers, func(i int) {
		for k := range p.Objects[i].Patches {
			each[i] = append(each[i], unwrap.ShapeOf(&p.Objects[i].Patches[k]))
		}
	})
	if err != nil {
		return nil, err
	}
	for i, l := range p.Objects {
		l.Has = make([]bool, 0, l.Cells)
		for k := range each[i] {
			l.Used += each[i][k].Texels()
			l.Has = each[i][k].Mask(l.Has)
		}
		shapes = append(shapes, each[i]...)
	}
	spots, pages := unwrap.Pack(shapes, p.Rules.Page, p.Rules.Padding)
	for _, l := range p.Objects {
		l.Spots, spots = spots[:len(l.Patches):len(l.Patches)], spots[len(l.Patches):]
	}
	p.Pages = pages
	keys := make([][32]byte, len(p.Objects))
	for i, l := range p.Objects {
		keys[i] = l.Key
	}
	p.Key = Digest(keys)
	return p, ctx.Err()
}

// PlanKey names all that a plan is made of, besides the number of its makers. place names the
// stage without what moves (staging.Stage.Still), density is the quality's.
func PlanKey(place [32]byte, s *scene.Scene, doc *setup.Setup, density float64) [32]byte {
	return Digest(place, doc.Baking(), density, staging.Baked(doc, s), staging.Movers(doc, s), eyesOf(doc))
}

// At is the same layout for another quality, of the same density.
func (p *Plan) At(q setup.Quality) *Plan {
	if p.Quality == q {
		return p
	}
	o := *p
	o.Quality = q
	return &o
}

// eyesOf are the places that the level is seen from.
func eyesOf(doc *setup.Setup) (out []vec.V3) {
	for _, id := range doc.SortedViews() {
		out = append(out, vec.Of(doc.Views[id].Eye))
	}
	return out
}

func excluded(s *scene.Scene, w *world.World, i int, moves bool, said *staging.Bakes) Why {
	o := &s.Objects[i]
	switch d := w.Duty(i); {
	case moves:
		return Moves
	case d > world.Moving:
		return Absent
	case s.Materials[s.Mat[o.First]].Transmission > 0.5:
		return Glass
	case said.ByProbes:
		return ByProbes
	}
	return ""
}

// smallest is how many texels a piece of an object has, at its middle, for the object to be
// worth a place in the map.
const smallest = 3

// lay makes an object's charts and their texels.
func (p *Plan) lay(s *scene.Scene, i int, said *staging.Bakes, eyes []vec.V3) (*Laid, Why) {
	o := &s.Objects[i]
	l := &Laid{Object: i, Path: o.Path, First: o.First, Density: p.Rules.Density, Mesh: meshOf(s, o)}
	if said.Density > 0 {
		l.Density = said.Density
	}
	l.Density *= p.Quality.Density
	charts := l.charts(s, o, p.Rules.Padding)
	if len(charts) == 0 {
		return nil, Empty
	}
	if l.OwnUV != "used" && !said.InMap && small(charts, l.Density) {
		return nil, Small
	}
	// An object takes no more than a part of a page, however large it is.
	density := make([]float64, len(charts))
	var all float64
	for k := range charts {
		density[k] = l.Density * p.share(&l.Mesh, &charts[k], eyes)
		all += float64(charts[k].W) * float64(charts[k].H) * density[k] * density[k]
	}
	most := float64(p.Rules.Page*p.Rules.Page) / 8 * p.Quality.Density * p.Quality.Density
	less := math.Sqrt(min(most/max(all, 1), 1))
	for k, c := range charts {
		l.Patches = append(l.Patches, unwrap.Fit(c, density[k]*less, p.Rules.Page))
	}
	if len(l.Patches) > 1 {
		l.Patches = unwrap.Together(&l.Mesh, l.Patches, l.Density*less)
	}
	l.Seams = unwrap.Seams(&l.Mesh, l.Patches)
	l.tri = make([]corner, o.Count)
	for k := range l.tri {
		l.tri[k].patch = -1
	}
	for k := range l.Patches {
		q := &l.Patches[k]
		l.Begin = append(l.Begin, l.Cells)
		l.Cells += q.W * q.H
		for n, t := range q.Tris {
			l.tri[t] = corner{int32(k), int32(n)}
		}
	}
	l.Key = l.key()
	return l, ""
}

// share of the density that a chart has: all where a view comes near, less by the distance;
// little outside the bounds of the bake.
func (p *Plan) share(m *unwrap.Mesh, c *unwrap.Chart, eyes []vec.V3) float64 {
	lo, hi := vec.Splat(float32(math.Inf(1))), vec.Splat(float32(math.Inf(-1)))
	for _, t := range c.Tris {
		for k := range 3 {
			q := m.Pos[m.Index[3*t+int32(k)]]
			lo, hi = vec.Min3(lo, q), vec.Max3(hi, q)
		}
	}
	middle := vec.Lerp(lo, hi, 0.5)
	k := 1.0
	if p.Rules.Seen && len(eyes) > 0 {
		near := math.Inf(1)
		for _, e := range eyes {
			near = min(near, float64(e.Sub(middle).Len()))
		}
		k = min(nearView/max(near, nearView), 1)
		k = max(k, 1.0/64)
	}
	if len(p.Rules.Bounds) > 0 {
		inside := false
		for _, b := range p.Rules.Bounds {
			inside = inside || b.Holds(middle)
		}
		if !inside {
			k *= 0.25
		}
	}
	return k
}

// small reports whether half of a surface lies in charts of so few texels.
func small(charts []unwrap.Chart, density float64) bool {
	var all, tiny float64
	for i := range charts {
		a := float64(charts[i].Area)
		if all += a; a*density*density < smallest {
			tiny += a
		}
	}
	return tiny > all/2
}

func meshOf(s *scene.Scene, o *scene.Object) unwrap.Mesh {
	var m unwrap.Mesh
	at := map[uint32]uint32{}
	for _, i := range s.Index[3*o.First : 3*(o.First+o.Count)] {
		j, ok := at[i]
		if !ok {
			j = uint32(len(m.Pos))
			at[i] = j
			m.Pos = append(m.Pos, s.V.Pos[i])
		}
		m.Index = append(m.Index, j)
	}
	return m
}

// charts are those of the object's second UV set where that serves, else our own.
func (l *Laid) charts(s *scene.Scene, o *scene.Object, padding int) []unwrap.Chart {
	if len(s.V.UV1) > 0 {
		uv := make([]vec.V2, 0, 3*o.Count)
		for _, i := range s.Index[3*o.First : 3*(o.First+o.Count)] {
			uv = append(uv, s.V.UV1[i])
		}
		c, err := unwrap.Own(&l.Mesh, uv, l.Density, padding)
		if err == nil {
			l.OwnUV = "used"
			return []unwrap.Chart{*c}
		}
		l.OwnUV = err.Error()
	}
	return unwrap.Charts(&l.Mesh)
}

func (l *Laid) key() (k [32]byte) {
	h := sha256.New()
	write := func(v any) {
		if err := binary.Write(h, binary.LittleEndian, v); err != nil {
			panic(err) // plain data always writes
		}
	}
	h.Write([]byte(l.Path))
	write(l.Mesh.Pos)
	write(l.Mesh.Index)
	for i := range l.Patches {
		write([2]int32{int32(l.Patches[i].W), int32(l.Patches[i].H)})
		write([2]float32{l.Patches[i].Across, l.Patches[i].Down})
	}
	copy(k[:], h.Sum(nil))
	return k
}

// Digest is the hash of plain data.
func Digest(parts ...any) (k [32]byte) {
	b, err := json.Marshal(parts)
	if err != nil {
		panic(err) // plain data always marshals
	}
	return sha256.Sum256(b)
}

// Of is the layout of a scene's object; nil where it is not in the map.
func (p *Plan) Of(object int) *Laid {
	if object < 0 || object >= len(p.at) {
		return nil
	}
	return p.at[object]
}

// Texels is how many the map has that lie on surfaces.
func (p *Plan) Texels() (n int) {
	for _, l := range p.Objects {
		n += l.Used
	}
	return n
}

// MB is the memory that the summed map takes on the target, in its format.
func (p *Plan) MB() float64 {
	n := 0
	for _, g := range p.Pages {
		n += g.W * g.H
	}
	each := setup.Formats[p.Rules.Format]
	if p.Rules.Directional {
		each *= 2 // pages of the slopes, in the same format
	}
	if p.Rules.Occlusion > 0 {
		each += occlusionBytes
	}
	return float64(n) * each / (1 << 20)
}

// occlusionBytes is what a texel of occlusion takes on the target: one channel of eight bits,
// block-compressed to half of that (BC4).
const occlusionBytes = 0.5

// Filled is the share of the pages' texels that lie on surfaces, and with the padding that
// they need.
func (p *Plan) Filled() (surfaces, padded float64) {
	var all, on, pad float64
	for _, g := range p.Pages {
		all, on, pad = all+float64(g.W*g.H), on+float64(g.Filled), pad+float64(g.Padding)
	}
	return on / max(all, 1), (on + pad) / max(all, 1)
}

// Taps are the four cells that a place lies between, with their weights.
type Taps struct {
	Cell [4]int32
	W    [4]float32
}

// At is where the map is looked up for a place of a triangle of the scene; false where that
// is not in the map.
func (l *Laid) At(tri uint32, u, v float32) (t Taps, ok bool) {
	c := l.tri[int(tri)-l.First]
	if c.patch < 0 {
		return t, false
	}
	p := &l.Patches[c.patch]
	a, b, d := p.Corner(int(c.tri), 0), p.Corner(int(c.tri), 1), p.Corner(int(c.tri), 2)
	w := 1 - u - v
	return l.taps(int(c.patch), vec.V2{X: w*a.X + u*b.X + v*d.X, Y: w*a.Y + u*b.Y + v*d.Y}), true
}

// taps of a place in texels from the middle of a patch's first.
func (l *Laid) taps(patch int, q vec.V2) (t Taps) {
	p := &l.Patches[patch]
	x, y := min(max(q.X, 0), float32(p.W-1)), min(max(q.Y, 0), float32(p.H-1))
	i, j := min(int(x), max(p.W-2, 0)), min(int(y), max(p.H-2, 0))
	a, b := x-float32(i), y-float32(j)
	i1, j1 := min(i+1, p.W-1), min(j+1, p.H-1)
	at := func(i, j int) int32 { return int32(l.Begin[patch] + j*p.W + i) }
	t.Cell = [4]int32{at(i, j), at(i1, j), at(i, j1), at(i1, j1)}
	t.W = [4]float32{(1 - a) * (1 - b), a * (1 - b), (1 - a) * b, a * b}
	return t
}

// Texel is how wide a texel is at a triangle of the scene, in metres; 0 for a piece smaller
// than one.
func (l *Laid) Texel(tri uint32) float64 {
	c := l.tri[int(tri)-l.First]
	if c.patch < 0 {
		return 0
	}
	p := &l.Patches[c.patch]
	if k := max(p.Across, p.Down); k > 0 {
		return 1 / float64(k)
	}
	return 0
}

// OnPage is where a corner of a triangle of the scene lies: its page, and the place there as
// a share of its width and height, from the top left.
func (p *Plan) OnPage(l *Laid, tri uint32, k int) (page int, uv vec.V2, ok bool) {
	c := l.tri[int(tri)-l.First]
	if c.patch < 0 {
		return 0, uv, false
	}
	s := &l.Spots[c.patch]
	q := l.Patches[c.patch].Corner(int(c.tri), k)
	if s.Turned {
		q.X, q.Y = q.Y, q.X
	}
	g := &p.Pages[s.Page]
	return s.Page, vec.V2{X: (float32(s.X) + q.X + 0.5) / float32(g.W), Y: (float32(s.Y) + q.Y + 0.5) / float32(g.H)}, true
}

// Where is the patch of a triangle of the scene, and a place of it in texels from the middle of
// the patch's first; false where that is not in the map.
func (l *Laid) Where(tri uint32, u, v float32) (patch int, q vec.V2, ok bool) {
	c := l.tri[int(tri)-l.First]
	if c.patch < 0 {
		return 0, q, false
	}
	p := &l.Patches[c.patch]
	a, b, d := p.Corner(int(c.tri), 0), p.Corner(int(c.tri), 1), p.Corner(int(c.tri), 2)
	w := 1 - u - v
	return int(c.patch), vec.V2{X: w*a.X + u*b.X + v*d.X, Y: w*a.Y + u*b.Y + v*d.Y}, true
}
