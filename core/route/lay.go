// Package route walks a level as a player would: it finds the way on foot over the stops of
// a route, and says of each step of it what is seen from there: how much light there is,
// what exposure does, whether a figure ahead and the path stand apart from what is around
// them, and what the frame costs on the target; and where the way breaks its rules.
// Distances are in metres, light in lux and cd/m2, contrast in stops.
package route

import (
	"context"
	"errors"
	"fmt"
	"math"

	"willowherb/core/ground"
	"willowherb/core/setup"
	"willowherb/core/still"
	"willowherb/core/vec"
	"willowherb/core/world"
)

// ErrNoWay means that a route leads nowhere; the text says what is missing.
var ErrNoWay = errors.New("no way")

// Fall is how far somebody may jump down where a stop can be reached in no other way, in
// metres.
const Fall = 3.5

const (
	lattice = 0.15 // metres, fine enough for a stair
	margin  = 8.0  // round the stops, metres
	reach   = 2000.0
)

// Place is where an eye of a route stands.
type Place struct {
	Ground vec.V3
	Eye    vec.V3
	Aim    vec.V3
	FovY   float64 // radians
	Metres float64 // from the beginning
	Second float64
	Stop   string // the name of the last stop passed that has one
}

// Camera is what is seen from the place.
func (p *Place) Camera() world.Camera {
	up := vec.V3{Y: 1}
	if math.Abs(float64(p.Aim.Y)) > 0.999 {
		up = vec.V3{Z: 1}
	}
	return world.Camera{Eye: p.Eye, Aim: p.Aim, Up: up, FovY: p.FovY}
}

// PlaceOf is the place of a step; fovY in degrees.
func PlaceOf(s *Step, fovY float64) Place {
	return Place{Ground: vec.Of(s.At), Eye: vec.Of(s.Eye), Aim: vec.Of(s.Aim), FovY: fovY * math.Pi / 180, Metres: s.Metres, Second: s.Second, Stop: s.Stop}
}

// Way is a route as it is walked.
type Way struct {
	Places []Place
	Metres float64
	// Jumps are the legs, by the number of their second stop, that go down by more than a step.
	Jumps []int
}

// Lay finds the way of a route, a place each so many metres; rest is the place without what
// moves. Error: ErrNoWay, ctx ended.
func Lay(ctx context.Context, rest *world.World, doc *setup.Setup, r *setup.Route, each float64) (*Way, error) {
	if r.Camera != "" {
		return ofCamera(rest, doc, r, each)
	}
	if len(r.Stops) < 2 {
		return nil, fmt.Errorf("%w: route %q has fewer than two stops; set them on the ground", ErrNoWay, r.Name)
	}
	lo, hi := vec.Splat(math.MaxFloat32), vec.Splat(-math.MaxFloat32)
	var from []vec.V3
	for _, s := range r.Stops {
		p := vec.Of(s.At)
		lo, hi = vec.Min3(lo, p), vec.Max3(hi, p)
		from = append(from, p.Add(vec.V3{Y: 0.9}))
	}
	body := ground.Grown
	body.Drop = Fall
	g, err := ground.FindIn(ctx, rest, from, body, lattice, reach, &ground.Box{Lo: lo.Sub(vec.Splat(margin)), Hi: hi.Add(vec.Splat(margin))})
	if err != nil {
		return nil, err
	}
	var line []vec.V3
	var stops []int // of the line, where each stop is
	w := &Way{}
	last := int32(-1)
	for i, s := range r.Stops {
		spot, far := g.Near(vec.Of(s.At))
		if spot < 0 || far > 1.5 {
			return nil, fmt.Errorf("%w: stop %d of route %q lies where nobody can stand; move it onto the ground", ErrNoWay, i+1, r.Name)
		}
		if i > 0 {
			leg := g.Way(last, spot)
			if leg == nil {
				return nil, fmt.Errorf("%w: nobody gets on foot from stop %d to stop %d of route %q; set a stop on the way between them, or move one", ErrNoWay, i, i+1, r.Name)
			}
			jumps := false
			for k := 1; k < len(leg); k++ {
				jumps = jumps || g.Spots[leg[k-1]].Pos.Y-g.Spots[leg[k]].Pos.Y > float32(ground.Grown.Drop)
			}
			if jumps {
				w.Jumps = append(w.Jumps, i)
			}
			line = append(line, straightened(g, leg)...)
		} else {
			line = append(line, g.Spots[spot].Pos)
		}
		stops = append(stops, max(len(line)-1, 0))
		last = spot
	}
	w.place(r, line, stops, each)
	w.aside(rest)
	return w, nil
}

// straightened takes the corners of the lattice out of a way: from each place to the farthest
// that can be walked to straight on, without its first place.
func straightened(g *ground.Ground, leg []int32) (out []vec.V3) {
	for i := 0; i < len(leg)-1; {
		far := i + 1
		for k := i + 2; k < len(leg) && k <= i+120; k++ {
			if !g.Straight(leg[i], leg[k]) {
				if k > far+12 {
					break
				}
				continue
			}
			far = k
		}
		a, b := g.Spots[leg[i]].Pos, g.Spots[leg[far]].Pos
		n := max(far-i, 1)
		for k := 1; k <= n; k++ {
			out = append(out, vec.Lerp(a, b, float32(k)/float32(n)))
		}
		i = far
	}
	if len(leg) == 1 { // two stops at one place
		out = append(out, g.Spots[leg[0]].Pos)
	}
	return out
}

// place puts eyes along the line.
func (w *Way) place(r *setup.Route, line []vec.V3, stops []int, each float64) {
	at := make([]float64, len(line))
	for i := 1; i < len(line); i++ {
		at[i] = at[i-1] + float64(line[i].Sub(line[i-1]).Len())
	}
	w.Metres = at[len(at)-1]
	on := func(m float64) vec.V3 {
		m = min(max(m, 0), w.Metres)
		k := 1
		for k < len(at)-1 && at[k] < m {
			k++
		}
		if d := at[k] - at[k-1]; d > 0 {
			t := float32((m - at[k-1]) / d)
			p := vec.Lerp(line[k-1], line[k], t)
			if h := line[k-1].Y - line[k].Y; h > 0.05 || h < -0.05 {
				p.Y = min(line[k-1].Y, line[k].Y) // a foot is on one step or on the other
			}
			return p
		}
		return line[k]
	}
	n := max(int(math.Ceil(w.Metres/each)), 1)
	aim := vec.V3{Z: -1}
	for i := range n + 1 {
		m := w.Metres * float64(i) / float64(n)
		p := Place{Ground: on(m), Metres: m, Second: m / r.Speed, FovY: r.FovY * math.Pi / 180}
		p.Eye = p.Ground.Add(vec.V3{Y: float32(r.Eye)})
		// It looks at the way ahead, at its own height, a little down where that falls.
		d := on(m + r.Ahead).Add(vec.V3{Y: float32(r.Eye)}).Sub(p.Eye)
		d.Y *= 0.6
		if d.Len() > 0.2 {
			aim = d.Norm()
		}
		p.Aim = aim
		for k, s := range stops {
			if r.Stops[k].Name != "" && at[s] <= m+1e-6 {
				p.Stop = r.Stops[k].Name
			}
		}
		w.Places = append(w.Places, p)
	}
}

// aside moves eyes out of what they would stick in: between two places to stand the straight way
// may pass a corner too closely.
func (w *Way) aside(rest *world.World) {
	t := rest.Tracer()
	defer t.Release()
	free := func(p *Place, by vec.V3) bool {
		up := p.Eye.Sub(p.Ground)
		h := up.Len()
		foot := p.Ground.Add(by).Add(vec.V3{Y: 0.3})
		if h < 0.4 || t.Passes(foot, vec.V3{}, up.Scale(1/h), h-0.3) == (vec.V3{}) {
			return false
		}
		// Somebody whose head is in a wall sees its back from near.
		for _, d := range [4]vec.V3{{X: 1}, {X: -1}, {Z: 1}, {Z: -1}} {
			if m, ok := rest.Meets(p.Eye.Add(by), d, 0.6); ok && !m.Front && !w.thin(rest, m) {
				return false
			}
		}
		return true
	}
	for i := range w.Places {
		p := &w.Places[i]
		side := p.Aim.Cross(vec.V3{Y: 1}).Norm()
		for _, k := range [7]float32{0, 0.1, -0.1, 0.2, -0.2, 0.35, -0.35} {
			if by := side.Scale(k); free(p, by) {
				p.Ground, p.Eye = p.Ground.Add(by), p.Eye.Add(by)
				break
			}
		}
	}
}

// thin tells what has a back that may be seen: sheets with both sides.
func (w *Way) thin(rest *world.World, m world.Met) bool {
	return rest.S.Materials[rest.S.Mat[m.Tri]].DoubleSided
}

// ofCamera is the way of a camera of the place that travels.
func ofCamera(w *world.World, doc *setup.Setup, r *setup.Route, each float64) (*Way, error) {
	k := still.Walk{Setup: doc, World: w, Camera: r.Camera, Seconds: w.S.Duration()}
	found := false
	for _, name := range still.Travelling(w.S) {
		found = found || name == r.Camera
	}
	if !found {
		return nil, fmt.Errorf("%w: no camera of the place is called %q and travels", ErrNoWay, r.Camera)
	}
	const fine = 512
	out := &Way{}
	var last vec.V3
	for i := range fine + 1 {
		share := float64(i) / fine
		v, near := k.At(share)
		eye := vec.Of(v.Eye)
		if i > 0 {
			out.Metres += float64(eye.Sub(last).Len())
		}
		last = eye
		n := len(out.Places)
		if n > 0 && out.Metres-out.Places[n-1].Metres < each && i < fine {
			continue
		}
		out.Places = append(out.Places, Place{Ground: eye.Sub(vec.V3{Y: float32(r.Eye)}), Eye: eye, Aim: vec.Of(v.Aim).Norm(), FovY: v.FovY * math.Pi / 180, Metres: out.Metres, Second: share * k.Seconds, Stop: near.Name})
	}
	return out, nil
}
