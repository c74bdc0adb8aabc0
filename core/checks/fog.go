package checks

import (
	"fmt"
	"maps"
	"math"
	"slices"

	"willowherb/core/contrast"
	"willowherb/core/edits"
	"willowherb/core/fog"
	"willowherb/core/vec"
)

// stands is how many stops a figure differs at least from what is behind it for fog to have
// something to take; kept is the share of them that fog should leave.
const (
	stands = 0.7
	kept   = 0.6
)

// seenThrough is the view's picture as it is with another fog in the place of the one that it
// was made with; nil: none.
func (v *View) seenThrough(was, is *fog.Air) []float32 {
	out := make([]float32, 3*v.W*v.H)
	for px := range v.W * v.H {
		var all, sent vec.V3
		for _, g := range v.Given {
			if g != nil {
				all, sent = all.Add(read(g.Whole, g.WholeGain, px)), sent.Add(g.Sent(px))
			}
		}
		d, far := v.Camera.Ray(float32(px%v.W)+0.5, float32(px/v.W)+0.5, v.W, v.H), math.Inf(1)
		if v.seen(px) {
			far = float64(v.Guide.Pos[px].Sub(v.Camera.Eye).Len())
		}
		through, less := was.Through(v.Camera.Eye, d, far), 1.0
		if !is.Clear() {
			less = is.Through(v.Camera.Eye, d, far)
		}
		k, air := less/max(through, 1e-3), 0.0
		if through < 1 {
			air = (1 - less) / (1 - through)
		}
		c := all.Sub(sent).Scale(float32(k)).Add(sent.Scale(float32(air)))
		out[3*px], out[3*px+1], out[3*px+2] = max(c.X, 0), max(c.Y, 0), max(c.Z, 0)
	}
	return out
}

// foggedFigures finds figures that fog takes most of their contrast.
func foggedFigures(in *Input) (out []Snag) {
	if !in.World.Air.Foggy() {
		return nil
	}
	air := in.World.Air
	key, figure, name := in.figures()
	thinner := func(k float64) *fog.Air {
		a := *air
		a.Density /= k
		a.Boxes = slices.Clone(air.Boxes)
		for i := range a.Boxes {
			a.Boxes[i].Density /= k
		}
		return &a
	}
	for i := range in.Views {
		v := &in.Views[i]
		there := map[int]int{}
		for px := range v.W * v.H {
			if v.seen(px) && figure[v.Guide.Object[px]] {
				there[key[v.Guide.Object[px]]]++
			}
		}
		var clear, foggy []float32
		for _, f := range slices.Sorted(maps.Keys(there)) {
			if there[f] < enough {
				continue
			}
			if clear == nil {
				clear, foggy = v.seenThrough(air, nil), v.seenThrough(air, air)
			}
			inside := make([]bool, v.W*v.H)
			for px := range inside {
				inside[px] = v.seen(px) && key[v.Guide.Object[px]] == f
			}
			stops := func(pic []float32) float64 {
				c, _ := contrast.Outline(inside, pic, v.W, v.H, 3, v.EV, v.Curve)
				return math.Abs(c.Stops)
			}
			was, is := stops(clear), stops(foggy)
			if was < stands || is >= kept*was {
				continue
			}
			k := 2.0
			for k < 64 && stops(v.seenThrough(air, thinner(k))) < kept*was {
				k *= 2
			}
			out = append(out, Snag{Kind: "fogged", What: fmt.Sprintf("Fog takes %s from what is behind in %s", name[f][0], v.Name), Why: fmt.Sprintf("without it the figure stands %.1f stops apart", was),
				Number: fmt.Sprintf("%.1f stops left", is), Object: name[f][1], View: v.ID, Lights: []string{}, Remedy: &Remedy{fmt.Sprintf("see %.0f times as far", k), in.thinned(k)}})
		}
	}
	return out
}

// thinned are the edits that make the fog k times as thin.
func (in *Input) thinned(k float64) []edits.Op {
	f := in.Setup.Fog
	if f == nil {
		return nil
	}
	ops := []edits.Op{op("/fog/visibility", min(f.Visibility*k, 1e6))}
	for _, id := range slices.Sorted(maps.Keys(f.Boxes)) {
		ops = append(ops, op("/fog/boxes/"+id+"/visibility", min(f.Boxes[id].Visibility*k, 1e6)))
	}
	return ops
}
