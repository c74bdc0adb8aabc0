package work

import (
	"context"
	"math"
	"sync"
	"willowherb/core/target"

	"willowherb/core/drawn"
	"willowherb/core/fog"
	"willowherb/core/lamps"
	"willowherb/core/light"
	"willowherb/core/setup"
	"willowherb/core/spread"
	"willowherb/core/vec"
)

// ContactSteps is in how many steps a contact shadow is looked for.
const ContactSteps = 8

// State is what lights a place, and how it is shown.
type State struct {
	Lamps []*lamps.Lamp
	// Moving tells the lamps that move at run time: their maps are drawn in every frame.
	Moving []bool
	// Known, of some lamps, is work that was counted before of the same view: it is not
	// counted again. nil: none. What it makes of Done.Most is not told.
	Known []*LightWork
	Air   *fog.Air
	// Directional lightmaps are looked up twice.
	Directional bool
	// Reflections are the boxes of reflection probes, lo and hi.
	Reflections [][2]vec.V3
	// FogSteps, if not 0, is in the place of the target's.
	FogSteps int
	// What is done to the picture.
	Bloom, Blur, Corners bool
}

// LightWork is the work that one light makes.
type LightWork struct {
	Counts target.Counts
	Maps   int `json:"maps"`   // shadow maps it has
	Kept   int `json:"kept"`   // of them, those that are not drawn anew
	Side   int `json:"side"`   // of a map, in texels
	Listed int `json:"listed"` // tiles, clusters or objects whose list it is in, of those looked at
}

// Done is the work of a frame.
type Done struct {
	Own    target.Counts // what no single light makes
	Lights []LightWork
	// Most is the longest list of lights, and where in the place it is.
	Most   int
	MostAt vec.V3
	// Cells is how many lists of lights there are.
	Cells float64
	// Shadows is how many lights with shadow maps reach what is seen.
	Shadows int
}

// All is the work of all.
func (d *Done) All() *target.Counts {
	all := d.Own
	for i := range d.Lights {
		all.Add(&d.Lights[i].Counts)
	}
	return &all
}

// Live tells the lamps that are worked out at run time, sample by sample.
func Live(l *lamps.Lamp) bool {
	return !l.Off && l.Carry != setup.Baked && l.Kind != setup.Sky && l.Kind != setup.Emissive
}

// Count counts the work of a frame that sees s in a state. Error: ctx ended.
func (s *Seen) Count(ctx context.Context, st *State, workers int) (*Done, error) {
	d := &Done{Own: s.Own, Lights: make([]LightWork, len(st.Lamps))}
	s.around(st, d)
	var lit []caster
	for i, l := range st.Lamps {
		switch {
		case st.Known != nil && st.Known[i] != nil:
			d.Lights[i] = *st.Known[i]
		case Live(l):
			lit = append(lit, s.caster(i, l))
		}
	}
	lists := float64((s.How.Width+s.How.Tile-1)/s.How.Tile) * float64((s.How.Height+s.How.Tile-1)/s.How.Tile)
	switch s.How.Way {
	case target.Clusters:
		lists *= float64(s.How.Slices)
	case target.Objects:
		lists = float64(len(s.inView))
	}
	d.Cells = lists
	for _, c := range lit {
		d.Lights[c.lamp].Counts[target.Tests] = lists
	}
	if err := s.lists(ctx, st, lit, d, workers); err != nil {
		return nil, err
	}
	err := spread.Over(ctx, len(lit), workers, func(i int) {
		c := &lit[i]
		w := &d.Lights[c.lamp]
		for k := range w.Counts {
			if target.Count(k) != target.Tests {
				w.Counts[k] *= s.Weight
			}
		}
		s.maps(st, c, w)
		s.inFog(st, c, w)
	})
	for i := range d.Lights {
		w := &d.Lights[i]
		if w.Maps > 0 && w.Counts[target.Taps]+w.Counts[target.SunTaps] > 0 {
			d.Shadows++
		}
		if w.Counts[target.FogLit] > 0 {
			g := s.grid(st)
			d.Own[target.FogCells] = float64(g.Cells())
		}
	}
	return d, err
}

// around counts what comes of baked light, skies, probes and mirrors, of fog and of the lens.
func (s *Seen) around(st *State, d *Done) {
	baked, sky, sides := false, -1, 0.0
	for i, l := range st.Lamps {
		if l.Off {
			continue
		}
		baked = baked || l.Carry != setup.Live
		if l.Kind == setup.Sky && l.Carry != setup.Baked {
			sky = i
		}
	}
	looks := 1.0
	if st.Directional {
		looks = 2
	}
	s.Samples(func(p *Sample) {
		if baked {
			if s.place.mapped(int(p.Object)) {
				d.Own[target.Lightmap] += looks * s.Weight
			} else {
				d.Own[target.Probes] += s.Weight
			}
		}
		if sky >= 0 {
			sides += s.Weight
		}
		n := 0
		for _, b := range st.Reflections {
			if inBox(p.Pos, b) {
				n++
			}
		}
		d.Own[target.Mirrors] += float64(min(max(n, 1), 2)) * s.Weight
	})
	if sky >= 0 {
		d.Lights[sky].Counts[target.SkySides] = sides
	}
	px := d.Own[target.Pixels]
	if !st.Air.Clear() {
		d.Own[target.FogPixels] = px
	}
	for c, on := range map[target.Count]bool{target.Bloom: st.Bloom, target.Blur: st.Blur, target.Corners: st.Corners} {
		if on {
			d.Own[c] = px
		}
	}
}

func inBox(p vec.V3, b [2]vec.V3) bool {
	return p.X >= b[0].X && p.Y >= b[0].Y && p.Z >= b[0].Z && p.X <= b[1].X && p.Y <= b[1].Y && p.Z <= b[1].Z
}

// caster is a live lamp as lists of lights know it.
type caster struct {
	lamp     int
	src      *light.Light
	at, aim  vec.V3  // in the axes of the cells
	reach    float32 // 0: endless
	sin, cos float32 // of a spot's cone; cos 0: none
	flat     bool
	channels uint8
	per      [6]target.Count // what a sample that it reaches adds one of
	parts    int
	taps     target.Count
	tap      float64
	contact  float64
	far      float32 // of a sun's shadows
}

func (s *Seen) caster(i int, l *lamps.Lamp) caster {
	c := caster{lamp: i, src: l.Source, at: l.Source.Pos, aim: l.Source.Aim, reach: l.Source.Range, channels: l.Source.Channels, far: float32(math.Inf(1))}
	if s.How.Way != target.Objects {
		c.at = s.local(c.at)
		c.aim = vec.V3{X: c.aim.Dot(s.right), Y: c.aim.Dot(s.up), Z: c.aim.Dot(s.ahead)}
	}
	add := func(k target.Count) { c.per[c.parts] = k; c.parts++ }
	add(map[setup.Kind]target.Count{setup.Sun: target.Sun, setup.Point: target.Point, setup.Spot: target.Spot, setup.Rect: target.Rect, setup.Disc: target.Disc, setup.Line: target.Line}[l.Kind])
	if l.Profile != nil {
		add(target.Profile)
	}
	if l.Gobo != nil {
		add(target.Gobo)
	}
	switch l.Kind {
	case setup.Spot:
		if l.Outer < 89 && l.Profile == nil {
			sin, cos := math.Sincos(l.Outer * math.Pi / 180)
			c.sin, c.cos = float32(sin), float32(cos)
		}
	case setup.Rect, setup.Disc:
		c.flat = !l.Source.TwoSided
	}
	if plan, _, _ := l.Source.Plan(); l.Shadow && plan != light.NoMap {
		set := l.ShadowDrawn(s.How.Cascades)
		c.taps, c.tap = target.Taps, math.Ceil(set.Filter+1)*math.Ceil(set.Filter+1)
		if plan == light.Cascades {
			c.taps, c.far = target.SunTaps, float32(set.Distance)
		}
		if set.Traced > 0 {
			c.taps, c.tap = target.Traced, float64(set.Traced)
		}
		if set.Contact > 0 {
			c.contact = ContactSteps
		}
	}
	return c
}

// lists puts every light into the lists that it may reach, and counts the samples that it does.
func (s *Seen) lists(ctx context.Context, st *State, lit []caster, d *Done, workers int) error {
	const batch = 64
	var mu sync.Mutex
	found := map[int][2]int{}
	err := spread.With(ctx, (len(s.cells)+batch-1)/batch, workers, func() (func(int), func()) {
		sums := make([]LightWork, len(st.Lamps))
		most, mostAt := 0, 0
		return func(b int) {
				for k := b * batch; k < min((b+1)*batch, len(s.cells)); k++ {
					n := 0
					for i := range lit {
						if s.cells[k].meets(&lit[i]) {
							n++
							s.shade(&s.cells[k], &lit[i], &sums[lit[i].lamp])
						}
					}
					if n > most || n == most && k < mostAt {
						most, mostAt = n, k
					}
				}
			}, func() {
				mu.Lock()
				defer mu.Unlock()
				for i := range sums {
					d.Lights[i].Counts.Add(&sums[i].Counts)
					d.Lights[i].Listed += sums[i].Listed
				}
				found[len(found)] = [2]int{most, mostAt}
			}
	})
	at := -1
	for _, f := range found {
		if f[0] > d.Most || f[0] == d.Most && f[1] < at {
			d.Most, at = f[0], f[1]
		}
	}
	if at >= 0 {
		for _, p := range append(s.cells[at].samples, s.cells[at].through...) {
			d.MostAt = p.Pos
			break
		}
	}
	return err
}

// meets reports whether a light may reach a cell, as a target culls: by the cell's box, by the
// sphere about it against the cone, and by the side of a flat lamp.
func (c *cell) meets(l *caster) bool {
	if l.src.Distant() {
		return true
	}
	if l.reach > 0 {
		q := vec.Max3(c.lo, vec.Min3(c.hi, l.at)).Sub(l.at)
		if q.Dot(q) > l.reach*l.reach {
			return false
		}
	}
	if l.cos == 0 && !l.flat {
		return true
	}
	v := vec.Lerp(c.lo, c.hi, 0.5).Sub(l.at)
	r := c.hi.Sub(c.lo).Len() / 2
	along := v.Dot(l.aim)
	if along < -r {
		return false
	}
	if l.cos > 0 {
		across := float32(math.Sqrt(float64(max(v.Dot(v)-along*along, 0))))
		return l.cos*across-l.sin*along <= r
	}
	return true
}

// shade counts the samples of a cell for a light of its list.
func (s *Seen) shade(c *cell, l *caster, w *LightWork) {
	w.Listed++
	w.Counts[target.Listed] += float64(len(c.samples))
	for i := range c.samples {
		p := &c.samples[i]
		if s.place.World.Channels(p.Object)&l.channels == 0 || !l.src.Reaches(p.Pos, vec.V3{}) {
			continue
		}
		for _, k := range l.per[:l.parts] {
			w.Counts[k]++
		}
		if l.tap == 0 || p.Z > l.far || !l.src.Reaches(p.Pos, p.N) {
			continue
		}
		w.Counts[l.taps] += l.tap
		w.Counts[target.Contact] += l.contact
	}
	for i := range c.through {
		if p := &c.through[i]; s.place.World.Channels(p.Object)&l.channels != 0 && l.src.Reaches(p.Pos, vec.V3{}) {
			w.Counts[target.ThroughLit]++
		}
	}
}

// maps counts the shadow maps of a light, and those that are drawn in this frame.
func (s *Seen) maps(st *State, c *caster, w *LightWork) {
	l := st.Lamps[c.lamp]
	if c.tap == 0 || c.taps == target.Traced {
		return
	}
	set := l.ShadowDrawn(s.How.Cascades)
	away := !l.Source.Distant() && c.reach > 0 && !s.sees(l.Source.Pos.Sub(vec.Splat(c.reach)), l.Source.Pos.Add(vec.Splat(c.reach)))
	m := drawn.Plan(l.Source, set, s.Cam, s.Aspect)
	w.Maps, w.Side = len(m.Faces), set.Size
	if away {
		return // a light whose reach is out of view draws nothing
	}
	sc := s.place.World.S
	for i := range m.Faces {
		var draws, triangles int
		moves := l.Source.Distant() || st.Moving != nil && st.Moving[c.lamp]
		for o := range sc.Objects {
			if !s.place.World.Casts(o) || m.Faces[i].Misses(sc.Objects[o].Lo, sc.Objects[o].Hi) {
				continue
			}
			draws += s.place.draws[o]
			triangles += sc.Objects[o].Count
			moves = moves || s.place.moves(o)
		}
		if s.How.Keeps && !moves {
			w.Kept++
			continue
		}
		often := 1 / float64(max(set.Every, 1))
		w.Counts[target.Faces] += often
		w.Counts[target.Casters] += often * float64(draws)
		w.Counts[target.CasterTriangles] += often * float64(triangles)
		w.Counts[target.Texels] += often * float64(set.Size) * float64(set.Size)
	}
}

// grid is the fog's as a state has it.
func (s *Seen) grid(st *State) target.Grid {
	g := s.How.Fog
	if st.FogSteps > 0 {
		g.Steps = st.FogSteps
	}
	return g
}

// fogStride is of how many of the fog's cells, across and down, one is asked for all.
const fogStride = 8

// inFog counts the cells of the fog's grid that a light reaches. A sky lights them evenly,
// which cells cost anyway, and what is baked or kept out of the air does not.
func (s *Seen) inFog(st *State, c *caster, w *LightWork) {
	l := st.Lamps[c.lamp]
	if !st.Air.Foggy() || l.NoAir {
		return
	}
	g := s.grid(st)
	wide, high := max(g.Across/fogStride, 1), max(g.Down/fogStride, 1)
	reached := 0
	for y := range high {
		for x := range wide {
			d := s.Cam.Ray((float32(x)+0.5)*float32(s.How.Width)/float32(wide), (float32(y)+0.5)*float32(s.How.Height)/float32(high), s.How.Width, s.How.Height)
			for k := range g.Steps {
				if c.src.Reaches(s.Cam.Eye.Add(d.Scale(float32(g.At(k)))), vec.V3{}) {
					reached++
				}
			}
		}
	}
	w.Counts[target.FogLit] = float64(g.Cells()) * float64(reached) / float64(wide*high*g.Steps)
	if c.tap > 0 {
		w.Counts[target.FogShadowed] = w.Counts[target.FogLit]
	}
}
