package exposure

import (
	"fmt"
	"math"
	"slices"

	"willowherb/core/colour"
	"willowherb/core/photometry"
)

// OfCamera is the EV100 of a camera: its aperture as an f-number, the shutter's time in seconds
// and its sensitivity (ISO 2720; EV100 = log2(N^2/t) - log2(S/100)).
func OfCamera(aperture, shutter, iso float64) float64 {
	return math.Log2(aperture*aperture/shutter) - math.Log2(iso/100)
}

// ISO is the sensitivity with which a camera has that EV100.
func ISO(ev, aperture, shutter float64) float64 {
	return 100 * aperture * aperture / shutter / math.Exp2(ev)
}

// Auto is automatic exposure: where it meters, what it leaves out, and how it follows.
type Auto struct {
	// Where is "whole", "centre" (weighed towards the middle), "spot" (round Spot), "area"
	// (inside Area), "painted" (where Painted is set) or "named" (what shows the object Named,
	// and what hangs from it; centre where none of it is seen).
	Where string     `json:"where"`
	Spot  [2]float64 `json:"spot"` // 0 to 1 from the left and the top
	Area  [4]float64 `json:"area"` // left, top, right, bottom, 0 to 1
	// Painted are places of the picture: PaintedHigh rows from the top, of PaintedWide bits each,
	// the lowest the leftmost.
	Painted []uint32 `json:"painted,omitempty"`
	Named   string   `json:"named,omitempty"` // path of an object
	// Dark and Bright are the shares of the darkest and the brightest pixels that are left out.
	Dark   float64 `json:"dark"`
	Bright float64 `json:"bright"`
	// InDark and InBright are stops of light added where it is as dark as Most allows to open
	// for, or as bright as Least: between them they go evenly.
	InDark   float64 `json:"inDark"`
	InBright float64 `json:"inBright"`
	Least    float64 `json:"least"` // EV100 that it never goes below
	Most     float64 `json:"most"`  // nor above
	// ToBright and ToDark are stops a second by which it follows what gets brighter, or darker.
	ToBright float64 `json:"toBright"`
	ToDark   float64 `json:"toDark"`
}

// Size of the grid in which places are painted.
const (
	PaintedWide = 32
	PaintedHigh = 18
)

// StandardAuto is what automatic exposure begins with.
func StandardAuto() Auto {
	return Auto{Where: "centre", Spot: [2]float64{0.5, 0.5}, Area: [4]float64{0.25, 0.25, 0.75, 0.75}, Dark: 0.1, Bright: 0.05, InDark: -1, InBright: 0.3, Least: 0, Most: 13, ToBright: 3, ToDark: 1}
}

// Check reports the first number that is out of its range.
func (a *Auto) Check() error {
	if !slices.Contains([]string{"whole", "centre", "spot", "area", "painted", "named"}, a.Where) {
		return fmt.Errorf("it cannot meter %.40q: write whole, centre, spot, area, painted or named", a.Where)
	}
	if n := len(a.Painted); n != 0 && n != PaintedHigh {
		return fmt.Errorf("what is painted has %d rows: it takes %d, or none", n, PaintedHigh)
	}
	if len(a.Named) > 1024 {
		return fmt.Errorf("what is metered names no object")
	}
	for _, q := range []struct {
		name      string
		v, lo, hi float64
	}{{"the spot", a.Spot[0], 0, 1}, {"the spot", a.Spot[1], 0, 1}, {"the area", a.Area[0], 0, 1}, {"the area", a.Area[1], 0, 1}, {"the area", a.Area[2], 0, 1}, {"the area", a.Area[3], 0, 1},
		{"the darkest share", a.Dark, 0, 0.95}, {"the brightest share", a.Bright, 0, 0.95}, {"stops in the dark", a.InDark, -6, 6}, {"stops in bright light", a.InBright, -6, 6},
		{"the least EV", a.Least, -20, 30}, {"the greatest EV", a.Most, -20, 30}, {"stops a second to bright", a.ToBright, 0.01, 100}, {"stops a second to dark", a.ToDark, 0.01, 100}} {
		if !(q.v >= q.lo && q.v <= q.hi) {
			return fmt.Errorf("%s is %g: write a number from %g to %g", q.name, q.v, q.lo, q.hi)
		}
	}
	switch {
	case a.Dark+a.Bright > 0.98:
		return fmt.Errorf("nothing is left to meter: the darkest %g and the brightest %g together are too much", a.Dark, a.Bright)
	case a.Least > a.Most:
		return fmt.Errorf("the least EV %g is over the greatest %g", a.Least, a.Most)
	case a.Area[0] >= a.Area[2] || a.Area[1] >= a.Area[3]:
		return fmt.Errorf("the area is empty")
	}
	return nil
}

// spotRadius is how wide a spot is, as a share of the picture's height: about the third part of
// ten degrees in a usual lens.
const spotRadius = 0.05

// weight is how much a place of the picture counts, 0 to 1.
func (a *Auto) weight(x, y, aspect float64) float64 {
	switch a.Where {
	case "centre":
		dx, dy := (x-0.5)*2, (y-0.5)*2
		return math.Exp(-2 * (dx*dx + dy*dy))
	case "spot":
		dx, dy := (x-a.Spot[0])*aspect, y-a.Spot[1]
		if dx*dx+dy*dy > spotRadius*spotRadius {
			return 0
		}
	case "area":
		if x < a.Area[0] || x > a.Area[2] || y < a.Area[1] || y > a.Area[3] {
			return 0
		}
	case "painted":
		if row := min(int(y*PaintedHigh), PaintedHigh-1); row < len(a.Painted) && a.Painted[row]>>min(int(x*PaintedWide), PaintedWide-1)&1 == 0 {
			return 0
		}
	}
	return 1
}

// Meter is the EV100 that a picture (RGB in cd/m2, w by h) asks for: the mean of the logarithm
// of what is metered, without the darkest and the brightest, with what it adds by brightness,
// within its bounds. A picture without light asks for the least. named tells the pixels that
// show what is named; nil for none.
func (a *Auto) Meter(rgb []float32, w, h int, named func(px int) bool) float64 {
	where := *a
	if a.Where == "named" {
		all := false
		for px := range w * h {
			all = all || named != nil && named(px)
		}
		if !all {
			where.Where = "centre"
		}
	}
	type lit struct{ ev, weight float64 }
	var list []lit
	var all float64
	aspect := float64(w) / float64(h)
	for i := range w * h {
		k := where.weight((float64(i%w)+0.5)/float64(w), (float64(i/w)+0.5)/float64(h), aspect)
		if k <= 0 || where.Where == "named" && !named(i) {
			continue
		}
		l := max(colour.LuminanceAt(rgb, 3*i), 1e-6)
		list = append(list, lit{photometry.EVAtNit(photometry.Nit(l)), k})
		all += k
	}
	if len(list) == 0 {
		return a.Least
	}
	slices.SortFunc(list, func(p, q lit) int {
		switch {
		case p.ev < q.ev:
			return -1
		case p.ev > q.ev:
			return 1
		}
		return 0
	})
	lo, hi := a.Dark*all, (1-a.Bright)*all
	var sum, n, at float64
	for _, p := range list {
		from, to := max(at, lo), min(at+p.weight, hi)
		if at += p.weight; to > from {
			sum += (to - from) * p.ev
			n += to - from
		}
	}
	ev := sum / max(n, 1e-12)
	if a.Most > a.Least {
		t := min(max((ev-a.Least)/(a.Most-a.Least), 0), 1)
		ev -= a.InDark + t*(a.InBright-a.InDark) // more light is a lower EV
	}
	return min(max(ev, a.Least), a.Most)
}

// Follow is the exposure after so many seconds that it had to follow: it goes evenly in stops,
// each way at its own rate, and stays where it is asked to be.
func (a *Auto) Follow(ev, want, seconds float64) float64 {
	if want > ev {
		return min(ev+a.ToBright*seconds, want)
	}
	return max(ev-a.ToDark*seconds, want)
}
