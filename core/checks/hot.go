package checks

import (
	"cmp"
	"fmt"
	"math"
	"slices"

	"willowherb/core/colour"
	"willowherb/core/edits"
	"willowherb/core/exposure"
	"willowherb/core/setup"
	"willowherb/core/vec"
)

// HotSpot is a part of a picture that is shown as white, with the light that makes most of it.
type HotSpot struct {
	X      float64 `json:"x"` // of its middle, 0 to 1 from the left and from the top
	Y      float64 `json:"y"`
	Share  float64 `json:"share"` // of the picture
	Stops  float64 `json:"stops"` // over where white begins, on average
	Light  string  `json:"light"` // id
	Part   float64 `json:"part"`  // of the spot's light that is that light's
	Object string  `json:"object"`
	// Shines tells that the light itself is seen there.
	Shines bool `json:"shines"`
}

// hotLeast is the share of a picture from which on a spot is told, hotMany how many are.
const (
	hotLeast = 0.0004
	hotMany  = 8
)

// White is from which luminance, in cd/m2, on a picture at ev is shown as white.
func White(ev float64, curve exposure.Curve) float64 { return curve.Top() / exposure.Factor(ev) }

// whole is all that is seen at a pixel, RGB in cd/m2.
func (v *View) whole(px int) (c vec.V3) {
	for _, g := range v.Given {
		if g != nil {
			c = c.Add(read(g.Whole, g.WholeGain, px))
		}
	}
	return c
}

// HotSpots finds the parts of a view that are shown as white, the largest first.
func HotSpots(in *Input, v *View) []HotSpot {
	white := White(v.EV, v.Curve)
	n := v.W * v.H
	lum := make([]float64, n)
	for px := range n {
		lum[px] = colour.LuminanceOf(v.whole(px))
	}
	seen := make([]bool, n)
	out := []HotSpot{}
	var todo, spot []int
	for start := range n {
		if seen[start] || lum[start] < white {
			continue
		}
		seen[start] = true
		todo, spot = append(todo[:0], start), spot[:0]
		for len(todo) > 0 {
			px := todo[len(todo)-1]
			todo = todo[:len(todo)-1]
			spot = append(spot, px)
			x, y := px%v.W, px/v.W
			for dy := -1; dy <= 1; dy++ {
				for dx := -1; dx <= 1; dx++ {
					q := (y+dy)*v.W + x + dx
					if x+dx < 0 || x+dx >= v.W || y+dy < 0 || y+dy >= v.H || seen[q] || lum[q] < white {
						continue
					}
					seen[q] = true
					todo = append(todo, q)
				}
			}
		}
		if float64(len(spot)) >= hotLeast*float64(n) {
			out = append(out, in.hotSpot(v, spot, lum, white))
		}
	}
	slices.SortFunc(out, func(a, b HotSpot) int { return cmp.Compare(b.Share, a.Share) })
	return out[:min(len(out), hotMany)]
}

func (in *Input) hotSpot(v *View, spot []int, lum []float64, white float64) (h HotSpot) {
	of, shine := make([]float64, len(in.Lamps)), make([]float64, len(in.Lamps))
	objects := map[int]int{}
	var all float64
	for _, px := range spot {
		h.X += (float64(px%v.W) + 0.5) / float64(v.W)
		h.Y += (float64(px/v.W) + 0.5) / float64(v.H)
		h.Stops += math.Log2(lum[px] / white)
		all += lum[px]
		o := -1
		if v.seen(px) {
			o = int(v.Guide.Object[px])
		}
		objects[o]++
		for i, g := range v.Given {
			if g != nil {
				of[i] += colour.LuminanceOf(read(g.Whole, g.WholeGain, px))
				shine[i] += colour.LuminanceOf(read(g.Shine, g.ShineGain, px))
			}
		}
	}
	k := float64(len(spot))
	h.X, h.Y, h.Stops, h.Share = h.X/k, h.Y/k, h.Stops/k, k/float64(v.W*v.H)
	best := 0
	for i := range of {
		if of[i] > of[best] {
			best = i
		}
	}
	if len(in.Lamps) > 0 {
		h.Light, h.Part, h.Shines = in.Lamps[best].ID, of[best]/max(all, 1e-12), shine[best] > of[best]/2
	}
	most, many := -1, 0
	for o, c := range objects {
		if c > many || c == many && o < most {
			most, many = o, c
		}
	}
	if most >= 0 {
		h.Object = in.World.S.Objects[most].Name
	}
	return h
}

// WindowOver is how far what is seen outside stands over the room, and what would bring it
// down.
type WindowOver struct {
	Outside float64   `json:"outside"` // EV100
	Room    float64   `json:"room"`
	Stops   float64   `json:"stops"` // outside over room
	Share   float64   `json:"share"` // of the picture that is outside
	Limit   float64   `json:"limit"` // stops under which it is shown
	Balance []*Remedy `json:"balance"`
}

// outsideLeast is the share of a picture that has to be outside, and inside, for the two to be
// compared.
const outsideLeast = 0.005

// Windows compares what is seen of the sky with the rest of a view, each by the mean of its
// logarithm; nil where one of them is hardly there.
func Windows(in *Input, v *View) *WindowOver {
	var sums [2]float64
	var many [2]int
	for px := range v.W * v.H {
		l := colour.LuminanceOf(v.whole(px))
		k := 0
		if v.seen(px) {
			k = 1
		}
		sums[k] += math.Log2(max(l, 1e-5) / 0.125)
		many[k]++
	}
	n := float64(v.W * v.H)
	if float64(many[0]) < outsideLeast*n || float64(many[1]) < outsideLeast*n {
		return nil
	}
	w := &WindowOver{Outside: sums[0] / float64(many[0]), Room: sums[1] / float64(many[1]), Share: float64(many[0]) / n, Balance: []*Remedy{}}
	w.Stops = w.Outside - w.Room
	// From a room that lies a stop under middle grey up to where white begins.
	w.Limit = math.Log2(White(0, v.Curve)*exposure.Factor(0)/exposure.Middle) + 1
	over := math.Round((w.Stops-w.Limit)*10) / 10
	if over <= 0 {
		return w
	}
	sky, skyGives := "", -1.0
	var room []edits.Op
	for i, l := range in.Lamps {
		if l.Off || v.Given[i] == nil {
			continue
		}
		if l.Kind == setup.Sky {
			if s := v.shineOf(i); s > skyGives {
				sky, skyGives = l.ID, s
			}
		} else if l.Kind != setup.Sun {
			room = append(room, in.set(l.ID, "stops", math.Round((in.Setup.Lights[l.ID].Stops+over)*100)/100)...)
		}
	}
	if sky != "" {
		l := in.Setup.Lights[sky]
		w.Balance = append(w.Balance, &Remedy{fmt.Sprintf("%s seen %.1f stops darker; it lights as before", l.Name, over), in.set(sky, "behind", math.Round((l.Behind-over)*100)/100)})
	}
	if len(room) > 0 {
		w.Balance = append(w.Balance, &Remedy{fmt.Sprintf("every light of the room %.1f stops up", over), slices.CompactFunc(room, func(a, b edits.Op) bool { return a.Path == b.Path })})
	}
	w.Balance = append(w.Balance, &Remedy{fmt.Sprintf("expose for the window: %.1f stops darker", over), []edits.Op{op("/views/"+v.ID+"/ev", math.Round((v.EV+over)*100)/100)}})
	return w
}

// shineOf is what is seen of a light shining.
func (v *View) shineOf(i int) (sum float64) {
	g := v.Given[i]
	for px := range v.W * v.H {
		sum += colour.LuminanceOf(read(g.Shine, g.ShineGain, px))
	}
	return sum
}

// Whole is all that is seen of the view, RGB in cd/m2.
func (v *View) Whole() []float32 {
	out := make([]float32, 3*v.W*v.H)
	for px := range v.W * v.H {
		c := v.whole(px)
		out[3*px], out[3*px+1], out[3*px+2] = c.X, c.Y, c.Z
	}
	return out
}
