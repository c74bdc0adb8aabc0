// Package plot works out the lighting plot of a subject: where each light stands
// as azimuth, height and distance round it, what it gives there and what hides
// it, the walls about it cut in plan and in section, the ratios between key,
// fill and rim, and what is wrong with them. Angles are in degrees, azimuth from
// the camera's side round to its right; light in lux on a surface that faces it.
package plot

import (
	"fmt"
	"math"
	"strings"

	"willowherb/core/colour"
	"willowherb/core/lamps"
	"willowherb/core/place"
	"willowherb/core/sampling"
	"willowherb/core/scene"
	"willowherb/core/setup"
	"willowherb/core/vec"
	"willowherb/core/world"
)

// Plot is the plan and section round a subject.
type Plot struct {
	Subject string     `json:"subject"`
	Path    string     `json:"path"`
	Pivot   [3]float64 `json:"pivot"` // at eye height
	Foot    float64    `json:"foot"`  // y of its ground
	Height  float64    `json:"height"`
	// Facing is the heading from the subject to the camera, degrees about +Y from +Z
	// towards +X.
	Facing  float64      `json:"facing"`
	Camera  [3]float64   `json:"camera"`
	Cut     float64      `json:"cut"`     // height of the plan
	Plan    [][4]float64 `json:"plan"`    // wall lines: x, z, x, z relative to the pivot
	Section [][4]float64 `json:"section"` // along, y, along, y: along is away from the camera
	Lights  []Stand      `json:"lights"`
	Even    float64      `json:"even"` // lux from all sides, on a surface facing the camera
	Ratios  []Ratio      `json:"ratios"`
	Warns   []Warn       `json:"warns"`
}

// Stand is one light round the subject.
type Stand struct {
	ID       string  `json:"id"`
	Azimuth  float64 `json:"azimuth"` // 0 at the camera, 90 to its right, 180 behind the subject
	Height   float64 `json:"height"`  // angle above the pivot
	Distance float64 `json:"distance"`
	Far      bool    `json:"far"`  // a sun: no distance
	Lux      float64 `json:"lux"`  // at the pivot, with what hides it
	Bare     float64 `json:"bare"` // if nothing stood between
	By       string  `json:"by"`   // the object that hides it
	Part     string  `json:"part"` // key, fill or rim, as the ratios take it
	Aimed    bool    `json:"aimed"`
}

// Ratio compares two parts of the light on the subject.
type Ratio struct {
	Name  string   `json:"name"`  // key to fill, key to rim, lighting ratio
	Times float64  `json:"times"` // 4 for 4:1
	Stops float64  `json:"stops"`
	Moves []string `json:"moves"` // the lights whose stops change it: all of the second part
}

// Warn is something wrong with the plot.
type Warn struct {
	What   string   `json:"what"`
	Lights []string `json:"lights"`
	// NoShadow is the light whose shadow, switched off, mends it; or empty.
	NoShadow string `json:"noShadow"`
}

// Input is what a plot is made of.
type Input struct {
	World   *world.World
	Lamps   []*lamps.Lamp
	View    world.Camera
	Subject int // an object of the figure
}

// reach is how far from the subject walls are drawn, in metres.
const reach = 14

// Of makes the plot of a subject.
func Of(in *Input) *Plot {
	s := in.World.S
	name, part := scene.Figure(s, in.Subject)
	lo, hi := scene.Extent(s, in.Subject)
	mid := vec.Lerp(lo, hi, 0.5)
	h := float64(hi.Y - lo.Y)
	pivot := vec.V3{X: mid.X, Y: lo.Y + 0.9*(hi.Y-lo.Y), Z: mid.Z}
	p := &Plot{Subject: name, Path: s.Objects[in.Subject].Path, Pivot: pivot.Array(), Foot: float64(lo.Y), Height: h, Camera: in.View.Eye.Array()}
	if i := strings.IndexByte(p.Path, '/'); i > 0 && name == p.Path[:i] {
		p.Path = name
	}
	to := in.View.Eye.Sub(pivot)
	p.Facing = math.Atan2(float64(to.X), float64(to.Z)) * 180 / math.Pi
	p.Cut = float64(lo.Y) + min(0.6*h, 1.2)
	p.walls(s, part, pivot)
	p.Lights, p.Even = []Stand{}, 0
	for _, l := range in.Lamps {
		switch l.Kind {
		case setup.Sky:
			p.Even += in.even(l, pivot, part)
			continue
		case setup.Emissive:
			continue
		}
		p.Lights = append(p.Lights, in.place(l, p, pivot, part))
	}
	p.parts(in.Lamps)
	p.ratios()
	p.warnings(in.Lamps)
	return p
}

// place measures a light from the subject.
func (in *Input) place(l *lamps.Lamp, p *Plot, pivot vec.V3, part []bool) Stand {
	out := Stand{ID: l.ID}
	d := l.Source.Pos.Sub(pivot)
	if l.Kind == setup.Sun {
		d = l.Source.Aim.Neg().Scale(1000)
		out.Far = true
	}
	flat := math.Hypot(float64(d.X), float64(d.Z))
	out.Distance = float64(d.Len())
	out.Height = math.Atan2(float64(d.Y), flat) * 180 / math.Pi
	out.Azimuth = wrap(math.Atan2(float64(d.X), float64(d.Z))*180/math.Pi - p.Facing)
	if out.Far {
		out.Bare = colour.LuminanceOf(l.Gain())
	} else if out.Distance > 0.05 {
		out.Bare = place.Reaching(l.Source, pivot, l.Source.Pos) * colour.LuminanceOf(l.Gain())
		out.Aimed = l.Source.Aim.Dot(d.Norm().Neg()) > 0.93
	}
	out.Lux = out.Bare
	if out.Bare > 0 && l.Shadow {
		if k, by := in.open(pivot, d.Norm(), float32(out.Distance), part); k < 1 {
			out.Lux *= k
			if by >= 0 {
				out.By = in.World.S.Objects[by].Name
			}
		}
	}
	return out
}

// open is the share of light that gets from the far end of the way along d to the
// pivot; the subject itself does not count. by is what is in the way.
func (in *Input) open(pivot, d vec.V3, dist float32, part []bool) (share float64, by int) {
	from := pivot
	by = -1
	left := dist - 0.02
	for range 64 {
		m, ok := in.World.Meets(from, d, left)
		if !ok {
			return 1, -1
		}
		if !part[m.Object] {
			return 0, m.Object
		}
		from = from.Add(d.Scale(m.Dist + 0.004))
		if left -= m.Dist + 0.004; left <= 0 {
			return 1, -1
		}
	}
	return 1, -1
}

// even estimates what a sky gives on a surface at the pivot that faces the camera.
func (in *Input) even(l *lamps.Lamp, pivot vec.V3, part []bool) float64 {
	n := in.View.Eye.Sub(pivot).Norm()
	t, b := vec.Basis(n)
	const rays = 256
	var sum float64
	for i := range rays {
		c := sampling.CosineHemisphere(sampling.New(9, 1, uint32(i)).Pair(0))
		d := t.Scale(c.X).Add(b.Scale(c.Y)).Add(n.Scale(c.Z)).Norm()
		if k, _ := in.open(pivot, d, 1000, part); k > 0 {
			rad := l.Source.Meet(pivot, n, d).Radiance
			sum += colour.LuminanceOf(rad.Mul(l.Gain())) * math.Pi / rays
		}
	}
	return sum
}

// wrap brings an angle to -180 to 180 degrees.
func wrap(a float64) float64 { return math.Remainder(a, 360) }

// walls cuts the place in plan and section near the subject.
func (p *Plot) walls(s *scene.Scene, part []bool, pivot vec.V3) {
	p.Plan, p.Section = [][4]float64{}, [][4]float64{}
	sin, cos := math.Sincos(p.Facing * math.Pi / 180)
	away := vec.New(-sin, 0, -cos)
	side := vec.New(cos, 0, -sin)
	for t := range s.Mat {
		o := s.Obj[t]
		if part[o] || s.Absent != nil && s.Absent[o] {
			continue
		}
		a, b, c := s.Corner(uint32(t))
		q := [3]vec.V3{s.V.Pos[a].Sub(pivot), s.V.Pos[b].Sub(pivot), s.V.Pos[c].Sub(pivot)}
		if l := vec.Min3(vec.Min3(q[0], q[1]), q[2]); l.X > reach || l.Z > reach || l.Y > reach {
			continue
		}
		if h := vec.Max3(vec.Max3(q[0], q[1]), q[2]); h.X < -reach || h.Z < -reach || h.Y < -reach {
			continue
		}
		if x, y, ok := cut(q, func(v vec.V3) float32 { return v.Y - float32(p.Cut) + pivot.Y }); ok {
			if seg := ([4]float64{float64(x.X), float64(x.Z), float64(y.X), float64(y.Z)}); long(seg) {
				p.Plan = append(p.Plan, seg)
			}
		}
		if x, y, ok := cut(q, func(v vec.V3) float32 { return v.Dot(side) }); ok {
			if seg := ([4]float64{float64(x.Dot(away)), float64(x.Y), float64(y.Dot(away)), float64(y.Y)}); long(seg) {
				p.Section = append(p.Section, seg)
			}
		}
	}
	p.Plan, p.Section = joined(p.Plan), joined(p.Section)
}

func long(s [4]float64) bool { return math.Hypot(s[2]-s[0], s[3]-s[1]) > 0.004 }

// maxLines bounds what is sent for drawing; the longest stay.
const maxLines = 4000

// joined puts pieces of one straight line together, which triangles cut up.
func joined(in [][4]float64) [][4]float64 {
	type end struct{ x, y int }
	at := func(x, y float64) end { return end{int(math.Round(x * 500)), int(math.Round(y * 500))} }
	for range 6 {
		starts := map[end]int{}
		gone := make([]bool, len(in))
		for i, s := range in {
			starts[at(s[0], s[1])] = i
		}
		merged := 0
		for i := range in {
			if gone[i] {
				continue
			}
			j, ok := starts[at(in[i][2], in[i][3])]
			if !ok || j == i || gone[j] {
				continue
			}
			ax, ay := in[i][2]-in[i][0], in[i][3]-in[i][1]
			bx, by := in[j][2]-in[j][0], in[j][3]-in[j][1]
			if math.Abs(ax*by-ay*bx) > 0.002*math.Hypot(ax, ay)*math.Hypot(bx, by) || ax*bx+ay*by <= 0 {
				continue
			}
			in[i][2], in[i][3] = in[j][2], in[j][3]
			gone[j] = true
			merged++
		}
		kept := in[:0]
		for i, s := range in {
			if !gone[i] {
				kept = append(kept, s)
			}
		}
		if in = kept; merged == 0 {
			break
		}
	}
	if len(in) > maxLines {
		// The small ones are grass and gravel.
		limit := 0.01
		for len(in) > maxLines {
			kept := in[:0]
			for _, s := range in {
				if math.Hypot(s[2]-s[0], s[3]-s[1]) > limit {
					kept = append(kept, s)
				}
			}
			in = kept
			limit *= 1.5
		}
	}
	return in
}

// cut meets a triangle with the plane where f is zero.
func cut(q [3]vec.V3, f func(vec.V3) float32) (a, b vec.V3, ok bool) {
	var pts [3]vec.V3
	n := 0
	for i := range 3 {
		x, y := q[i], q[(i+1)%3]
		fx, fy := f(x), f(y)
		if (fx > 0) != (fy > 0) {
			pts[n] = vec.Lerp(x, y, fx/(fx-fy))
			n++
		}
	}
	return pts[0], pts[1], n == 2
}

// parts says which lights are key, fill and rim: by their role, or, where no light
// has one, by where they stand and how strong they are.
func (p *Plot) parts(lamps []*lamps.Lamp) {
	role := map[string]string{}
	for _, l := range lamps {
		role[l.ID] = strings.ToLower(l.Role)
	}
	have := map[string]bool{}
	for i := range p.Lights {
		l := &p.Lights[i]
		if r := role[l.ID]; l.Bare > 0 && (r == "key" || r == "fill" || r == "rim") && p.matters(l) {
			l.Part = r
			have[r] = true
		}
	}
	strongest := func(fits func(l *Stand) bool) *Stand {
		var best *Stand
		for i := range p.Lights {
			if l := &p.Lights[i]; l.Part == "" && l.Lux > 0 && fits(l) && (best == nil || l.Lux > best.Lux) {
				best = l
			}
		}
		return best
	}
	front := func(l *Stand) bool { return math.Abs(l.Azimuth) < 105 }
	if !have["key"] {
		if l := strongest(front); l != nil {
			l.Part = "key"
		}
	}
	if !have["rim"] {
		if l := strongest(func(l *Stand) bool { return math.Abs(l.Azimuth) >= 115 }); l != nil {
			l.Part = "rim"
		}
	}
	if !have["fill"] {
		key := p.sum("key", nil)
		if l := strongest(func(l *Stand) bool { return front(l) && l.Lux < key }); l != nil {
			l.Part = "fill"
		}
	}
}

// matters tells the lights that give the subject something, or would.
func (p *Plot) matters(l *Stand) bool {
	most := 0.0
	for i := range p.Lights {
		most = max(most, p.Lights[i].Bare)
	}
	return l.Bare > most*1e-4
}

// sum is the light of a part on the subject, its lights listed in ids.
func (p *Plot) sum(part string, ids *[]string) (lux float64) {
	for i := range p.Lights {
		if p.Lights[i].Part == part {
			lux += p.Lights[i].Lux
			if ids != nil {
				*ids = append(*ids, p.Lights[i].ID)
			}
		}
	}
	return lux
}

func (p *Plot) ratios() {
	p.Ratios = []Ratio{}
	var fills, rims []string
	key := p.sum("key", nil)
	fill := p.sum("fill", &fills)
	rim := p.sum("rim", &rims)
	add := func(name string, a, b float64, moves []string) {
		if a > 0 && b > 0 {
			p.Ratios = append(p.Ratios, Ratio{name, a / b, math.Log2(a / b), moves})
		}
	}
	add("key to fill", key, fill, fills)
	add("key to rim", key, rim, rims)
	add("lighting ratio", key+fill, fill, fills)
}

// Thresholds of the warnings.
const (
	evenShare  = 0.65 // of the light on the subject that comes from all sides
	evenStops  = 0.6  // between key and fill
	secondNose = 3    // stops under which a fill's shadow is seen
)

func (p *Plot) warnings(lamps []*lamps.Lamp) {
	p.Warns = []Warn{}
	name, shadow := map[string]string{}, map[string]bool{}
	for _, l := range lamps {
		name[l.ID], shadow[l.ID] = l.Name, l.Shadow
	}
	for _, r := range p.Ratios {
		if r.Name == "key to fill" && math.Abs(r.Stops) < evenStops {
			p.Warns = append(p.Warns, Warn{What: fmt.Sprintf("Key and fill are %.1f stops apart: the form goes flat.", math.Abs(r.Stops)), Lights: r.Moves})
		}
	}
	all := p.Even
	for i := range p.Lights {
		all += p.Lights[i].Lux
	}
	if all > 0 && p.Even/all > evenShare {
		p.Warns = append(p.Warns, Warn{What: fmt.Sprintf("%.0f %% of the light on %s comes evenly from all sides: no key can model it.", 100*p.Even/all, p.Subject), Lights: []string{}})
	}
	for i := range p.Lights {
		k := &p.Lights[i]
		if k.Part == "rim" && k.By != "" {
			p.Warns = append(p.Warns, Warn{What: fmt.Sprintf("%s is hidden from %s by %s.", name[k.ID], p.Subject, k.By), Lights: []string{k.ID}})
		}
		if k.Part != "key" || k.Lux <= 0 || !shadow[k.ID] {
			continue
		}
		for j := range p.Lights {
			f := &p.Lights[j]
			if f.Part != "fill" || !shadow[f.ID] || f.Lux <= 0 || f.Azimuth*k.Azimuth >= 0 || math.Abs(f.Azimuth) > 90 || math.Abs(k.Azimuth) > 90 {
				continue
			}
			if stops := math.Log2(k.Lux / f.Lux); stops < secondNose {
				p.Warns = append(p.Warns, Warn{What: fmt.Sprintf("%s and %s cast shadows across each other, %.1f stops apart: a second nose shadow.", name[k.ID], name[f.ID], stops), Lights: []string{k.ID, f.ID}, NoShadow: f.ID})
			}
		}
	}
}

// PlanAt are the walls of a place cut at a height, as x, z, x, z in metres, within a box seen
// from above; skip tells the objects that are left out, nil for none.
func PlanAt(s *scene.Scene, skip []bool, lo, hi vec.V3, height float64) [][4]float64 {
	out := [][4]float64{}
	for t := range s.Mat {
		o := s.Obj[t]
		if skip != nil && skip[o] || s.Absent != nil && s.Absent[o] {
			continue
		}
		a, b, c := s.Corner(uint32(t))
		q := [3]vec.V3{s.V.Pos[a], s.V.Pos[b], s.V.Pos[c]}
		if l := vec.Min3(vec.Min3(q[0], q[1]), q[2]); l.X > hi.X || l.Z > hi.Z {
			continue
		}
		if h := vec.Max3(vec.Max3(q[0], q[1]), q[2]); h.X < lo.X || h.Z < lo.Z {
			continue
		}
		if x, y, ok := cut(q, func(v vec.V3) float32 { return v.Y - float32(height) }); ok {
			if seg := ([4]float64{float64(x.X), float64(x.Z), float64(y.X), float64(y.Z)}); long(seg) {
				out = append(out, seg)
			}
		}
	}
	return joined(out)
}
