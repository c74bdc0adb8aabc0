package place

import (
	"math"

	"willowherb/core/light"
	"willowherb/core/vec"
	"willowherb/core/world"
)

// Heights that a sun is looked for at, in degrees: lower it is haze, and higher than this
// it stands nowhere for long.
const (
	lowestBeam  = 2
	highestBeam = 85
	beamStep    = 1.5
)

// Beam turns a sun so that its beam falls on the clicked spot: through a window or a door,
// or from the open sky. Of the directions that lead out of the place it takes the one
// nearest to where the sun stands, a step inside its opening where that is wide enough.
func Beam(p *Picture, l *light.Light, x, y float64) (*Placement, error) {
	if !sun(l) || l.Shows() {
		return nil, cannot("Only a sun's beam falls through windows: choose the sun.")
	}
	q, err := p.probe(x, y)
	if err != nil {
		return nil, err
	}
	best, ok := SunFor(p.World, q.Pos, q.N, l.Aim.Neg())
	if !ok {
		return nil, cannot("No sky can be seen from %s there: no beam comes to it.", p.name(q.Object))
	}
	aim := best.Neg()
	return &Placement{Aim: &aim, At: q.Pos}, nil
}

// SunFor is the direction to the place of a sun nearest to now, from where it shines on a
// spot of a surface with normal n; ok is false where no sky can be seen from there.
func SunFor(w *world.World, spot, n, now vec.V3) (best vec.V3, ok bool) {
	edge := vec.V3{}
	near, nearEdge := float32(-2), float32(-2)
	open := func(h, az float64) bool {
		d := heading(h, az)
		if d.Dot(n) <= 0.01 {
			return false
		}
		_, by := w.Stands(spot, n, d, 1e5)
		return by < 0
	}
	for h := float64(lowestBeam); h <= highestBeam; h += beamStep {
		turn := beamStep / math.Cos(h*math.Pi/180)
		for az := 0.0; az < 360; az += turn {
			d := heading(h, az)
			c := d.Dot(now)
			if c <= near && c <= nearEdge || !open(h, az) {
				continue
			}
			if c > nearEdge {
				nearEdge, edge = c, d
			}
			if c > near && open(h+beamStep, az) && open(h-beamStep, az) && open(h, az+turn) && open(h, az-turn) {
				near, best = c, d
			}
		}
	}
	if near < -1 {
		best = edge
	}
	return best, best != (vec.V3{})
}

// heading is the direction to a height and an azimuth in degrees, clockwise from -Z.
func heading(h, az float64) vec.V3 {
	up, flat := math.Sincos(h * math.Pi / 180)
	east, north := math.Sincos(az * math.Pi / 180)
	return vec.New(flat*east, up, -flat*north)
}
