package route

import (
	"context"
	"math"

	"willowherb/core/colour"
	"willowherb/core/ground"
	"willowherb/core/spread"
	"willowherb/core/trace"
	"willowherb/core/vec"
	"willowherb/core/world"
)

// Exit is an opening that the way leads through: a doorway, a gate, the mouth of a tunnel.
type Exit struct {
	Metres float64    `json:"metres"` // along the way
	At     [3]float64 `json:"at"`     // on the ground, in its middle
	Aside  [3]float64 `json:"aside"`  // along the wall that it is in
	// Wide from jamb to jamb and High under the lintel, in metres.
	Wide float64 `json:"wide"`
	High float64 `json:"high"`
}

// Ahead is the next exit as it is seen from a step.
type Ahead struct {
	Exit   int     `json:"exit"`   // of Walked.Exits; -1: none is near
	Metres float64 `json:"metres"` // along the way to it
	Seen   bool    `json:"seen"`   // it is in the picture and nothing stands before it
	// Stops that what is seen through it stands over the wall about it, as shown.
	// Colour is CIEDE2000 between the two.
	Stops  float64 `json:"stops"`
	Colour float64 `json:"colour"`
}

// What is an exit, in metres: no narrower, wider, lower and higher than these, with more room within aboutExit
// on both sides of it, or far more just beyond it on one. What a room has over roomMost across
// or overhead does not count.
const (
	exitWide    = 2.8
	exitHigh    = 3.6
	leastWide   = 0.5
	leastHigh   = 1.2
	turns       = 32  // ways that it is cut: past the jambs of a thin wall an oblique cut misses the other
	exitLay     = 0.5 // places of the way that cuts lie between
	exitEach    = 0.1
	aboutExit   = 1.5
	roomMost    = 4.5
	tighter     = 0.75 // its cross-section against those beside it
	wider       = 2.2  // the cross-section just beyond the end of a passage
	higher      = 1.3  // and its height
	justBeyond  = 0.35
	openSky     = 25.0 // nothing overhead that far
	leastPixels = 6    // through it, and of the wall, that tell anything
	exitPassed  = 2.0  // who is nearer is in it
	exitNear    = 14.0 // that far ahead it is looked for
)

// section is the way cut across.
type section struct {
	at, aside   vec.V3
	metres      float64
	left, right float32
	high        float32
}

// area of it, as far as it counts, in square metres.
func (c *section) area() float64 {
	return math.Min(float64(c.left+c.right), roomMost) * math.Min(float64(c.high), roomMost)
}

func (c *section) fits() bool {
	wide := c.left + c.right
	return wide >= leastWide && wide <= exitWide && c.high >= leastHigh && c.high <= exitHigh
}

// sections cuts the way every tenth of a metre, each where it is narrowest.
func sections(ctx context.Context, rest *world.World, way *Way, workers int) ([]section, error) {
	var out []section
	for k := 1; k < len(way.Places); k++ {
		a, b := &way.Places[k-1], &way.Places[k]
		d := b.Ground.Sub(a.Ground)
		d.Y = 0
		long := d.Len()
		if long < 1e-3 || float64(a.Ground.Y-b.Ground.Y) > ground.Grown.Drop {
			continue // nobody looks for an exit in the air
		}
		aside := d.Scale(1 / long).Cross(vec.V3{Y: 1})
		n := max(int(math.Ceil((b.Metres-a.Metres)/exitEach)), 1)
		for i := range n {
			t := float64(i) / float64(n)
			out = append(out, section{at: vec.Lerp(a.Ground, b.Ground, float32(t)), aside: aside, metres: a.Metres + t*(b.Metres-a.Metres)})
		}
	}
	err := spread.With(ctx, len(out), workers, func() (func(int), func()) {
		t := rest.Tracer()
		free := func(o, d vec.V3) float32 {
			if _, hit, ok := t.First(trace.Ray{O: o, D: d, Max: openSky}, world.Even); ok {
				return hit.T
			}
			return openSky
		}
		return func(i int) {
			c := &out[i]
			waist, chest := c.at.Add(vec.V3{Y: 0.9}), c.at.Add(vec.V3{Y: 1.3})
			// A door may be gone through at an angle: it is cut where it is narrowest.
			across := c.aside
			c.left, c.right = openSky, openSky
			for k := range turns {
				sin, cos := math.Sincos(math.Pi * float64(k) / turns)
				d := vec.V3{X: across.X*float32(cos) + across.Z*float32(sin), Z: across.Z*float32(cos) - across.X*float32(sin)}
				left, right := min(free(waist, d.Neg()), free(chest, d.Neg())), min(free(waist, d), free(chest, d))
				if left+right < c.left+c.right {
					c.left, c.right, c.aside = left, right, d
				}
			}
			// What hangs overhead is no lintel: that goes all across.
			for _, by := range [3]float32{0, 0.3 * c.right, -0.3 * c.left} {
				c.high = max(c.high, 0.9+free(waist.Add(c.aside.Scale(by)), vec.V3{Y: 1}))
			}
		}, t.Release
	})
	return out, err
}

// exits finds the openings that the way leads through.
func exits(ctx context.Context, rest *world.World, way *Way, workers int) ([]Exit, error) {
	all, err := sections(ctx, rest, way, workers)
	if err != nil {
		return nil, err
	}
	out := []Exit{}
	var last *section
	for i := range all {
		c := &all[i]
		if !c.fits() || !isExit(all, i) {
			continue
		}
		if last != nil && c.metres-last.metres < aboutExit { // of several cuts of one exit, the tightest
			if c.area() < last.area() {
				last = c
				out[len(out)-1] = c.exit()
			}
			continue
		}
		last = c
		out = append(out, c.exit())
	}
	return out, nil
}

func (c *section) exit() Exit {
	mid := c.at.Add(c.aside.Scale((c.right - c.left) / 2))
	return Exit{Metres: c.metres, At: mid.Array(), Aside: c.aside.Array(), Wide: float64(c.left + c.right), High: float64(c.high)}
}

// isExit tells a cut with more room on both sides of it, or the end of a passage: with far more
// room just beyond. Either has a lintel: what is beside it is higher.
func isExit(all []section, i int) bool {
	c := &all[i]
	const before, after = 0, 1
	var room, tall, edge, lintel [2]float64
	side := func(k, at int) bool {
		far := math.Abs(all[k].metres - c.metres)
		if far > aboutExit {
			return false
		}
		room[at], tall[at] = math.Max(room[at], all[k].area()), math.Max(tall[at], float64(all[k].high))
		if far < justBeyond {
			edge[at], lintel[at] = room[at], tall[at]
		}
		return true
	}
	for k := i - 1; k >= 0 && side(k, before); k-- {
	}
	for k := i + 1; k < len(all) && side(k, after); k++ {
	}
	if room[before] == 0 || room[after] == 0 {
		return false // the way begins or ends there
	}
	area, high := c.area(), float64(c.high)
	for at := range 2 {
		if edge[at] >= wider*area && lintel[at] >= higher*high {
			return true
		}
	}
	return area <= tighter*math.Min(room[before], room[after]) && math.Min(tall[before], tall[after]) > high+0.05
}

// nextExit judges the next exit that the way leads through as it is seen from a step.
func (w *walker) nextExit(i int, s *Step, pic *picture, r shown) (a Ahead) {
	a.Exit = -1
	for k := range w.exits {
		if m := w.exits[k].Metres - s.Metres; m > exitPassed && m < exitNear {
			a.Exit, a.Metres = k, m
			break
		}
	}
	if a.Exit < 0 {
		return a
	}
	e := &w.exits[a.Exit]
	p := &w.way.Places[i]
	foot, aside := vec.Of(e.At), vec.Of(e.Aside).Scale(float32(e.Wide/2))
	cam := p.Camera()
	x0, y0, x1, y1 := math.Inf(1), math.Inf(1), math.Inf(-1), math.Inf(-1)
	for _, q := range [4]vec.V3{foot.Add(aside), foot.Sub(aside), foot.Add(aside).Add(vec.V3{Y: float32(e.High)}), foot.Sub(aside).Add(vec.V3{Y: float32(e.High)})} {
		x, y, ok := project(&cam, q)
		if !ok {
			return a
		}
		x0, y0, x1, y1 = math.Min(x0, x), math.Min(y0, y), math.Max(x1, x), math.Max(y1, y)
	}
	middle := foot.Add(vec.V3{Y: 1.3})
	to := middle.Sub(p.Eye)
	dist := to.Len()
	if m, ok := w.rest.Meets(p.Eye, to.Scale(1/dist), dist); ok && m.Dist < dist-0.3 {
		return a
	}
	// Through it: what lies beyond it within its outline. About it: upright surfaces near to it, in a
	// rim as wide as it is, at least two pixels.
	rim := math.Max((x1-x0)/2, 2)
	through, wall, nt, nw := 0.0, 0.0, 0, 0
	var mean [2]vec.V3
	for y := max(int(y0-rim), 0); y < min(int(math.Ceil(y1)), high); y++ {
		for x := max(int(x0-rim), 0); x < min(int(math.Ceil(x1+rim)), wide); x++ {
			cx, cy := float64(x)+0.5, float64(y)+0.5
			px := y*wide + x
			log := r.log(colour.LuminanceAt(pic.rgb, 3*px))
			far := pic.pos[px].Sub(p.Eye).Len()
			switch inside := cx > x0 && cx < x1 && cy > y0 && cy < y1; {
			case inside && far > dist-0.2:
				through += log
				mean[0] = mean[0].Add(pic.at(px))
				nt++
			case !inside && math.Abs(float64(far-dist)) < 2 && pic.n[px].Y < 0.4 && pic.n[px].Y > -0.4:
				wall += log
				mean[1] = mean[1].Add(pic.at(px))
				nw++
			}
		}
	}
	if a.Seen = nt >= leastPixels && nw >= leastPixels; a.Seen {
		a.Stops = through/float64(nt) - wall/float64(nw)
		a.Colour = colour.Difference(w.lab(mean[0].Scale(1/float32(nt)), s.EV), w.lab(mean[1].Scale(1/float32(nw)), s.EV))
	}
	return a
}
