package place

import (
	"math"

	"willowherb/core/light"
	"willowherb/core/vec"
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
	best, edge := vec.V3{}, vec.V3{}
	near, nearEdge := float32(-2), float32(-2)
	now := l.Aim.Neg()
	open := func(h, az float64) bool {
		d := heading(h, az)
		if d.Dot(q.N) <= 0.01 {
			return false
		}
		_, by := p.World.Stands(q.Pos, q.N, d, 1e5)
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
	if best == (vec.V3{}) {
		return nil, cannot("No sky can be seen from %s there: no beam comes to it.", p.name(q.Object))
	}
	aim := best.Neg()
	return &Placement{Aim: &aim, At: q.Pos}, nil
}

// heading is the direction to a height and an azimuth in degrees, clockwise from -Z.
func heading(h, az float64) vec.V3 {
	up, flat := math.Sincos(h * math.Pi / 180)
	east, north := math.Sincos(az * math.Pi / 180)
	return vec.New(flat*east, up, -flat*north)
}
