package checks

import (
	"cmp"
	"context"
	"encoding/json"
	"fmt"
	"math"
	"regexp"
	"slices"
	"strings"

	"willowherb/core/colour"
	"willowherb/core/edits"
	"willowherb/core/lamps"
	"willowherb/core/light"
	"willowherb/core/sampling"
	"willowherb/core/setup"
	"willowherb/core/surface"
	"willowherb/core/vec"
)

// Snag is something a check found.
type Snag struct {
	Kind   string      `json:"kind"`
	What   string      `json:"what"`
	Why    string      `json:"why"`
	Number string      `json:"number"`
	Lights []string    `json:"lights"`
	Object string      `json:"object"` // path, where it is about one
	View   string      `json:"view"`   // id, where it shows
	Place  *[3]float64 `json:"place,omitempty"`
	Remedy *Remedy     `json:"remedy,omitempty"`
}

// Remedy is an edit that mends a snag.
type Remedy struct {
	Words string     `json:"words"`
	Ops   []edits.Op `json:"ops"`
}

func op(path string, v any) edits.Op {
	b, err := json.Marshal(v)
	if err != nil {
		panic(err) // plain values always marshal
	}
	return edits.Op{Op: "add", Path: path, Value: b}
}

// set is an edit of one value of a light, and of the lights linked with it.
func (in *Input) set(id, field string, v any) []edits.Op {
	ops := []edits.Op{op("/lights/"+id+"/"+field, v)}
	if link := in.Setup.Lights[id].Link; link != "" && field != "off" && field != "position" {
		for other, l := range in.Setup.Lights {
			if other != id && l.Link == link {
				ops = append(ops, op("/lights/"+other+"/"+field, v))
			}
		}
	}
	slices.SortFunc(ops, func(a, b edits.Op) int { return strings.Compare(a.Path, b.Path) })
	return ops
}

// Find runs every check. The order is that of what costs or harms most first.
func Find(ctx context.Context, in *Input, workers int) ([]Snag, error) {
	out := []Snag{}
	for _, check := range []func(*Input) []Snag{insideSolids, darkFigures, foggedFigures, crowded, leaks, givesNothing, flatLight, evenKeyAndFill, ranges, reflections, strongColours, unnamed, twins} {
		if err := ctx.Err(); err != nil {
			return nil, err
		}
		out = append(out, check(in)...)
	}
	s, err := idleShadows(ctx, in, workers)
	if err != nil {
		return nil, err
	}
	return append(out, s...), nil
}

// placed tells the lamps that stand somewhere.
func placed(l *lamps.Lamp) bool {
	return l.Source.Placed()
}

// insideSolids finds lamps inside closed things: nearly all ways out of them meet
// the back of a surface.
func insideSolids(in *Input) (out []Snag) {
	s := in.World.S
	for _, l := range in.Lamps {
		if l.Off || !placed(l) {
			continue
		}
		const ways = 64
		backs, near, object := 0, float32(math.Inf(1)), -1
		var exit vec.V3
		for i := range ways {
			u := sampling.New(5, 0, uint32(i)).Pair(0)
			d := sampling.Cone(u, 2)
			// What lies within the lamp's own size (a flame, a bulb) does not hold it in.
			src := l.Source
			r := max(src.Radius, 0.02)
			hit, ok := in.World.Meets(src.Pos.Add(d.Scale(r)), d, 200)
			if !ok || hit.Front {
				continue
			}
			backs++
			if hit.Dist+r < near {
				near, exit, object = hit.Dist+r, d, hit.Object
			}
		}
		if backs < ways*3/4 || object < 0 {
			continue
		}
		free := l.Source.Pos.Add(exit.Scale(near + 0.1))
		if l.Frame != nil { // the document has it as it stands while its node rests
			if back, ok := l.Frame.Inverse(); ok {
				free = back.Point(free)
			}
		}
		to := free.Array()
		out = append(out, Snag{Kind: "inside", What: fmt.Sprintf("%s is inside %s", l.Name, s.Objects[object].Name), Why: "nearly every way out of it meets the inside of a surface, so that its light stays there",
			Number: fmt.Sprintf("%.2f m deep", near), Lights: []string{l.ID}, Object: s.Objects[object].Path, Place: at(l), Remedy: &Remedy{"move it out", in.set(l.ID, "position", to)}})
	}
	return out
}

func at(l *lamps.Lamp) *[3]float64 {
	p := l.Position
	return &p
}

// darkFigures finds figures that no light lights directly, and things whose
// channels no light is on.
func darkFigures(in *Input) (out []Snag) {
	who := Who(in)
	for v := range in.Views {
		for _, l := range who[in.Views[v].ID] {
			direct := 0
			for _, b := range l.By {
				if b.Direct >= counts {
					direct++
				}
			}
			if !l.Figure || direct > 0 {
				continue
			}
			out = append(out, Snag{Kind: "unlit", What: fmt.Sprintf("Nothing lights %s in %s", l.Name, in.Views[v].Name), Why: "all its light is bounced, or it has none: it will look cut out or be lost",
				Number: fmt.Sprintf("%.3g cd/m2", l.Luminance), Object: l.Path, View: in.Views[v].ID, Lights: []string{}})
		}
	}
	var all uint8
	for _, l := range in.Lamps {
		if !l.Off {
			all |= l.Channels
		}
	}
	told := map[string]bool{}
	for i := range in.World.S.Objects {
		o := &in.World.S.Objects[i]
		if c := in.World.Channels(uint32(i)); c&all == 0 && !told[o.Path] {
			told[o.Path] = true
			out = append(out, Snag{Kind: "channels", What: fmt.Sprintf("No light is on a channel of %s", o.Name), Why: "it is black wherever it is seen", Object: o.Path, Lights: []string{}})
		}
	}
	return out
}

// crowded finds where more live or split lights overlap than the target can take,
// and views with too many shadows.
func crowded(in *Input) (out []Snag) {
	for v := range in.Views {
		view := &in.Views[v]
		most, where := 0, -1
		for px := range view.Guide.Tri {
			if !view.seen(px) {
				continue
			}
			n := 0
			for _, l := range in.Lamps {
				if reachesLive(l, view.Guide.Pos[px]) {
					n++
				}
			}
			if n > most {
				most, where = n, px
			}
		}
		if in.MaxOverlap > 0 && most > in.MaxOverlap {
			var ids []string
			for _, l := range in.Lamps {
				if reachesLive(l, view.Guide.Pos[where]) {
					ids = append(ids, l.ID)
				}
			}
			p := (view.Guide.Pos[where]).Array()
			out = append(out, Snag{Kind: "crowded", What: fmt.Sprintf("%d live and split lights meet in %s", most, view.Name), Why: fmt.Sprintf("the target takes %d at one place: the others are dropped there; shorten a range, narrow a cone, or bake one", in.MaxOverlap),
				Number: fmt.Sprintf("%d of %d", most, in.MaxOverlap), Lights: ids, View: view.ID, Place: &p})
		}
		shadows := []string{}
		for i, l := range in.Lamps {
			if !l.Off && l.Shadow && l.Carry != setup.Baked && !l.Shines() && view.Given[i] != nil && anywhere(view, l) {
				shadows = append(shadows, l.ID)
			}
		}
		if in.MaxShadows > 0 && len(shadows) > in.MaxShadows {
			out = append(out, Snag{Kind: "shadows", What: fmt.Sprintf("%d lights cast shadows in %s", len(shadows), view.Name), Why: fmt.Sprintf("the target draws %d shadow maps for a view: the others lose theirs", in.MaxShadows),
				Number: fmt.Sprintf("%d of %d", len(shadows), in.MaxShadows), Lights: shadows, View: view.ID})
		}
	}
	return out
}

func reachesLive(l *lamps.Lamp, p vec.V3) bool {
	if l.Off || l.Carry == setup.Baked || l.Shines() {
		return false
	}
	return l.Source.Reaches(p, vec.V3{})
}

func anywhere(v *View, l *lamps.Lamp) bool {
	for px := 0; px < len(v.Guide.Tri); px += 3 {
		if v.seen(px) && reachesLive(l, v.Guide.Pos[px]) {
			return true
		}
	}
	return false
}

// leaks finds walls of one side that a shadow map would not draw: seen from the
// light they show their back, and nothing else stands between.
func leaks(in *Input) (out []Snag) {
	s := in.World.S
	for i, l := range in.Lamps {
		if l.Off || !l.Shadow || l.Carry == setup.Baked || l.Shines() {
			continue
		}
		type found struct {
			n, view int
			pos     vec.V3
		}
		by := map[int]*found{}
		for v := range in.Views {
			view := &in.Views[v]
			if view.Given[i] == nil {
				continue
			}
			for px := 0; px < len(view.Guide.Tri); px += 5 {
				if !view.seen(px) || !reachesLive(l, view.Guide.Pos[px]) {
					continue
				}
				p := in.World.ProbeAt(view.Guide.Tri[px], view.Guide.Pos[px], view.Camera.Eye)
				d, dist := toLight(l.Source, p.Pos)
				if d.Dot(p.N) <= 0.05 || dist <= 0 {
					continue
				}
				// All that stands between, as the light sees it: fronts stop it.
				from, object, front := p.Pos.Add(p.N.Scale(0.003)), -1, false
				for range 12 {
					hit, ok := in.World.Meets(from, d, dist)
					if !ok {
						break
					}
					// Seen from the light the ray comes the other way: it meets the front where this one
					// meets the back.
					if !hit.Front || s.Materials[s.Mat[hit.Tri]].DoubleSided {
						front = true
						break
					}
					if object < 0 {
						object = hit.Object
					}
					from = from.Add(d.Scale(hit.Dist + 0.002))
					if dist -= hit.Dist + 0.002; dist <= 0 {
						break
					}
				}
				if front || object < 0 {
					continue
				}
				f := by[object]
				if f == nil {
					f = &found{view: v, pos: p.Pos}
					by[object] = f
				}
				f.n++
			}
		}
		for object, f := range by {
			if f.n < 12 {
				continue
			}
			p := f.pos.Array()
			out = append(out, Snag{Kind: "leak", What: fmt.Sprintf("%s leaks through %s", l.Name, s.Objects[object].Name), Why: "the wall has one side only and shows the light its back, which shadow maps do not draw: close it, make its material two-sided, or put a blocker there",
				Number: fmt.Sprintf("%d places seen", f.n*5), Lights: []string{l.ID}, Object: s.Objects[object].Path, View: in.Views[f.view].ID, Place: &p})
		}
	}
	slices.SortFunc(out, func(a, b Snag) int {
		return cmp.Or(strings.Compare(a.Lights[0], b.Lights[0]), strings.Compare(a.Object, b.Object))
	})
	return out
}

// toLight is the way from p to the middle of a light.
func toLight(l *light.Light, p vec.V3) (d vec.V3, dist float32) {
	if l.Distant() {
		return l.Aim.Neg(), 1e4
	}
	d = l.Pos.Sub(p)
	dist = d.Len() - max(l.Radius, 0.02)
	return d.Norm(), dist
}

// nothing is the share of a view's light under which a light gives nothing.
const nothing = 0.0005

// sums is each lamp's light in the picture, luminances in cd/m2 summed over its pixels,
// and all of them together.
func (v *View) sums() (each []float64, all float64) {
	each = make([]float64, len(v.Given))
	for i, g := range v.Given {
		if g == nil {
			continue
		}
		for px := range v.W * v.H {
			d, b := g.At(px)
			each[i] += colour.LuminanceOf(d) + colour.LuminanceOf(b)
		}
		all += each[i]
	}
	return each, all
}

// givesNothing finds lights that no view shows any of.
func givesNothing(in *Input) (out []Snag) {
	if len(in.Views) == 0 {
		return nil
	}
	sums, wholes := make([][]float64, len(in.Views)), make([]float64, len(in.Views))
	for v := range in.Views {
		sums[v], wholes[v] = in.Views[v].sums()
	}
	for i, l := range in.Lamps {
		if l.Off {
			continue
		}
		best, where := 0.0, ""
		for v := range in.Views {
			if all := wholes[v]; all > 0 && sums[v][i]/all > best {
				best, where = sums[v][i]/all, in.Views[v].Name
			}
		}
		if best >= nothing {
			continue
		}
		number := "nothing in any view"
		if best > 0 {
			number = fmt.Sprintf("at most %.3f %%, in %s", 100*best, where)
		}
		out = append(out, Snag{Kind: "nothing", What: l.Name + " gives nothing", Why: "no view shows any of its light", Number: number, Lights: []string{l.ID}, Place: at(l), Remedy: &Remedy{"turn it off", in.set(l.ID, "off", true)}})
	}
	return out
}

// even is the share of ambient light over which form is lost.
const even = 0.65

// flatLight finds views whose light comes mostly from all sides.
func flatLight(in *Input) (out []Snag) {
	for v := range in.Views {
		view := &in.Views[v]
		sums, all := view.sums()
		sky, id := 0.0, ""
		for i, l := range in.Lamps {
			if l.Kind == setup.Sky && view.Given[i] != nil {
				sky += sums[i]
				id = l.ID
			}
		}
		if all <= 0 || sky/all < even {
			continue
		}
		out = append(out, Snag{Kind: "flat", What: fmt.Sprintf("The sky flattens %s", view.Name), Why: "most of its light comes evenly from all sides, which takes shadow and form away: lower the sky until it is just seen, then build on it",
			Number: fmt.Sprintf("%.0f %% even light", 100*sky/all), Lights: []string{id}, View: view.ID, Remedy: &Remedy{"a stop less sky", in.set(id, "stops", in.Setup.Lights[id].Stops-1)}})
	}
	return out
}

// evenKeyAndFill finds figures whose key and fill are alike.
func evenKeyAndFill(in *Input) (out []Snag) {
	role := map[string]string{}
	for _, l := range in.Lamps {
		role[l.ID] = strings.ToLower(l.Role)
	}
	who := Who(in)
	for v := range in.Views {
		for _, f := range who[in.Views[v].ID] {
			if !f.Figure {
				continue
			}
			var key, fill LitBy
			for _, b := range f.By {
				switch {
				case role[b.Light] == "key" && b.Direct > key.Direct:
					key = b
				case role[b.Light] == "fill" && b.Direct > fill.Direct:
					fill = b
				}
			}
			if key.Light == "" || fill.Light == "" || fill.Direct <= 0 {
				continue
			}
			stops := math.Log2(key.Direct / fill.Direct)
			if math.Abs(stops) >= 0.6 {
				continue
			}
			to := in.Setup.Lights[fill.Light].Stops - (1.5 - stops)
			out = append(out, Snag{Kind: "even", What: fmt.Sprintf("Key and fill are alike on %s", f.Name), Why: "with no difference between them the figure goes flat: a fill is a stop or two under its key",
				Number: fmt.Sprintf("%.1f stops apart", stops), Lights: []string{key.Light, fill.Light}, Object: f.Path, View: in.Views[v].ID, Remedy: &Remedy{"fill 1.5 stops under key", in.set(fill.Light, "stops", math.Round(to*100)/100)}})
		}
	}
	return out
}

// ranges finds lights whose range is far larger than where they give anything.
func ranges(in *Input) (out []Snag) {
	for i, l := range in.Lamps {
		if l.Off || !placed(l) || l.Range <= 0 || l.Carry == setup.Baked {
			continue
		}
		type part struct{ dist, y float64 }
		var parts []part
		var sum float64
		for v := range in.Views {
			view := &in.Views[v]
			if view.Given[i] == nil {
				continue
			}
			f := math.Exp2(-view.EV) // views count as they are exposed
			for px := range view.Guide.Tri {
				d, _ := view.Given[i].At(px)
				if y := colour.LuminanceOf(d) * f; view.seen(px) && y > 0 {
					parts = append(parts, part{float64(view.Guide.Pos[px].Sub(l.Source.Pos).Len()), y})
					sum += y
				}
			}
		}
		if len(parts) < 50 {
			continue
		}
		slices.SortFunc(parts, func(a, b part) int { return cmp.Compare(a.dist, b.dist) })
		var run float64
		reach := l.Range
		for _, p := range parts {
			if run += p.y; run >= 0.99*sum {
				reach = p.dist
				break
			}
		}
		if reach*1.8 > l.Range {
			continue
		}
		to := math.Ceil(reach*1.3*4) / 4
		out = append(out, Snag{Kind: "range", What: l.Name + " reaches farther than it shows", Why: fmt.Sprintf("99 %% of what the views show of it falls within %.1f m, but the target works on everything within its range", reach),
			Number: fmt.Sprintf("%.4g m for %.1f m", l.Range, reach), Lights: []string{l.ID}, Place: at(l), Remedy: &Remedy{fmt.Sprintf("range %.4g m", to), in.set(l.ID, "range", to)}})
	}
	return out
}

// reflections finds panels that a smooth surface shows as what they are.
func reflections(in *Input) (out []Snag) {
	s := in.World.S
	for i, l := range in.Lamps {
		if l.Off || l.NoSpecular >= 1 || l.Kind != setup.Rect && l.Kind != setup.Disc {
			continue
		}
		n, where, view := 0, vec.V3{}, ""
		for v := range in.Views {
			vw := &in.Views[v]
			if vw.Given[i] == nil {
				continue
			}
			for px := 0; px < len(vw.Guide.Tri); px += 2 {
				if !vw.seen(px) {
					continue
				}
				tri := vw.Guide.Tri[px]
				m := &s.Materials[s.Mat[tri]]
				p := s.PointAtPos(tri, vw.Guide.Pos[px])
				eye := vw.Camera.Eye.Sub(p.Pos).Norm()
				f, ok := surface.At(s, m, &p, eye)
				if !ok || f.Alpha > 0.06 || l.Channels&in.World.Channels(s.Obj[tri]) == 0 {
					continue
				}
				d := f.N.Scale(2 * f.N.Dot(eye)).Sub(eye).Norm()
				if d.Dot(f.Ng) <= 0 {
					continue
				}
				if m := l.Source.Meet(p.Pos, f.N, d); m.Pdf > 0 && in.World.PassesFrom(p.Pos, f.Ng, d, m.Dist-m.Slack) != (vec.V3{}) {
					if n++; view == "" {
						where, view = p.Pos, vw.ID
					}
				}
			}
		}
		if n < 6 {
			continue
		}
		p := where.Array()
		out = append(out, Snag{Kind: "mirrored", What: l.Name + " is seen in a reflection", Why: "a smooth surface mirrors the panel itself, with its edges", Number: fmt.Sprintf("%d places seen", 2*n),
			Lights: []string{l.ID}, View: view, Place: &p, Remedy: &Remedy{"keep it out of reflections", in.set(l.ID, "noSpecular", 1)}})
	}
	return out
}

// strongColours finds colours of which one primary is far over the luminance: it
// clips long before the light looks bright.
func strongColours(in *Input) (out []Snag) {
	for _, l := range in.Lamps {
		if l.Off || l.Colour.RGB == nil {
			continue
		}
		c := l.Colour.Linear()
		k, name := c[0], "red"
		if c[2] > k {
			k, name = c[2], "blue"
		}
		if k < 3.2 {
			continue
		}
		soft := [3]float64{}
		for i := range soft {
			soft[i] = math.Round((0.6*c[i]+0.4)*1e4) / 1e4
		}
		col := l.Colour
		col.RGB = &soft
		out = append(out, Snag{Kind: "colour", What: l.Name + " has a colour that clips", Why: fmt.Sprintf("its %s alone is %.1f times its brightness: it is cut off at the screen's edge long before the light looks bright", name, k), Number: fmt.Sprintf("%.1f times", k),
			Lights: []string{l.ID}, Place: at(l), Remedy: &Remedy{"a paler colour", in.set(l.ID, "colour", col)}})
	}
	return out
}

var given = regexp.MustCompile(`^(Sun|Sky|Lamp|Spot|Panel|Disc|Line|Point|Light|Untitled)( \d+)?$`)

// unnamed finds lights that still have the name they were made with.
func unnamed(in *Input) (out []Snag) {
	var ids, names []string
	for _, l := range in.Lamps {
		if given.MatchString(l.Name) && l.Kind != setup.Sky && l.Kind != setup.Sun {
			ids, names = append(ids, l.ID), append(names, l.Name)
		}
	}
	if len(ids) == 0 {
		return nil
	}
	return []Snag{{Kind: "names", What: "Lights without a name of their own", Why: strings.Join(names, ", ") + ": name them by what they are for, at once", Number: fmt.Sprint(len(ids)), Lights: ids}}
}

// twins finds lights with the same values, that could be linked.
func twins(in *Input) (out []Snag) {
	by := map[string][]*lamps.Lamp{}
	for _, l := range in.Lamps {
		if !placed(l) || l.Link != "" {
			continue
		}
		b, err := json.Marshal(in.Setup.Lights[l.ID].Shared())
		if err != nil {
			panic(err) // plain values always marshal
		}
		by[string(b)] = append(by[string(b)], l)
	}
	for _, set := range by {
		if len(set) < 2 {
			continue
		}
		link := set[0].ID
		var ids []string
		var ops []edits.Op
		for _, l := range set {
			ids = append(ids, l.ID)
			ops = append(ops, op("/lights/"+l.ID+"/link", link))
		}
		out = append(out, Snag{Kind: "twins", What: fmt.Sprintf("%s and %d more have the same values", set[0].Name, len(set)-1), Why: "linked, they are changed together", Number: fmt.Sprint(len(set)), Lights: ids, Remedy: &Remedy{"link them", ops}})
	}
	slices.SortFunc(out, func(a, b Snag) int { return strings.Compare(a.Lights[0], b.Lights[0]) })
	return out
}

// idle is the share of a view that a shadow must change to count.
const idle = 0.0008

// idleShadows finds shadows that no view would miss.
func idleShadows(ctx context.Context, in *Input, workers int) (out []Snag, err error) {
	for i, l := range in.Lamps {
		if l.Off || !l.Shadow || l.Shines() || l.Carry == setup.Baked || len(in.Views) == 0 {
			continue
		}
		worst, where, shows := 0.0, "", false
		for v := range in.Views {
			view := &in.Views[v]
			if view.Given[i] == nil || !anywhere(view, l) {
				continue
			}
			shows = true
			e, err := ShadowEffect(ctx, in, view, i, workers)
			if err != nil {
				return nil, err
			}
			if e.Shows > worst {
				worst, where = e.Shows, view.Name
			}
		}
		if !shows || worst >= idle {
			continue
		}
		number := "no difference in any view"
		if worst > 0 {
			number = fmt.Sprintf("%.2f %% of %s", 100*worst, where)
		}
		out = append(out, Snag{Kind: "shadow", What: l.Name + "'s shadow does nothing", Why: "without it hardly a pixel of any view would look different (a colour difference over 2)", Number: number, Lights: []string{l.ID}, Place: at(l), Remedy: &Remedy{"no shadow", in.set(l.ID, "shadow", false)}})
	}
	return out, nil
}
