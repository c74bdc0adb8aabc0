package grade

import (
	"fmt"
)

// Curves bend what is shown, from 0 to 1: All every primary, then each its own. A curve is
// its points (from, to) in their order, with a smooth line through them that rises or falls
// nowhere that they do not; before the first and after the last it is level. Left out, it
// changes nothing.
type Curves struct {
	All   []Point `json:"all,omitempty"`
	Red   []Point `json:"red,omitempty"`
	Green []Point `json:"green,omitempty"`
	Blue  []Point `json:"blue,omitempty"`
}

// Point of a curve: what is shown, and what becomes of it.
type Point [2]float64

// Limits of a curve: how many points, and how near to each other.
const (
	mostPoints = 16
	leastApart = 0.01
)

func (c *Curves) check() error {
	for i, points := range [][]Point{c.All, c.Red, c.Green, c.Blue} {
		name := [...]string{"the curve of all", "the curve of red", "the curve of green", "the curve of blue"}[i]
		if len(points) == 1 || len(points) > mostPoints {
			return fmt.Errorf("%s has %d points: give it 2 to %d, or none", name, len(points), mostPoints)
		}
		for j, p := range points {
			if !(p[0] >= 0 && p[0] <= 1 && p[1] >= 0 && p[1] <= 1) {
				return fmt.Errorf("%s goes through %g, %g: both from 0 to 1", name, p[0], p[1])
			}
			if j > 0 && p[0] < points[j-1][0]+leastApart-1e-9 {
				return fmt.Errorf("%s has points at %g and %g: put them at least %g apart, in their order", name, points[j-1][0], p[0], leastApart)
			}
		}
	}
	return nil
}

// bendSteps is into how many steps a curve is cut; between them it is straight.
const bendSteps = 1024

// bends are the curves of the three primaries, those of all included.
type bends [3][bendSteps + 1]float64

func (c *Curves) bends() *bends {
	var out bends
	for k, own := range [][]Point{c.Red, c.Green, c.Blue} {
		for i := range out[k] {
			out[k][i] = through(own, through(c.All, float64(i)/bendSteps))
		}
	}
	return &out
}

func (b *bends) of(c [3]float64) [3]float64 {
	for k, v := range c {
		x := min(max(v, 0), 1) * bendSteps
		i := min(int(x), bendSteps-1)
		c[k] = b[k][i] + (x-float64(i))*(b[k][i+1]-b[k][i])
	}
	return c
}

// through is the curve through points at x: cubic pieces whose slopes keep it monotone
// between them (Fritsch and Butland 1984, the harmonic mean by the widths).
func through(points []Point, x float64) float64 {
	n := len(points)
	switch {
	case n == 0:
		return x
	case x <= points[0][0]:
		return points[0][1]
	case x >= points[n-1][0]:
		return points[n-1][1]
	}
	i := 0
	for points[i+1][0] < x {
		i++
	}
	h := points[i+1][0] - points[i][0]
	a, b := slope(points, i), slope(points, i+1)
	t := (x - points[i][0]) / h
	t2, t3 := t*t, t*t*t
	return (2*t3-3*t2+1)*points[i][1] + (t3-2*t2+t)*h*a + (3*t2-2*t3)*points[i+1][1] + (t3-t2)*h*b
}

// slope is that of the curve at a point: at an end, that of the straight line.
func slope(points []Point, i int) float64 {
	secant := func(j int) (h, d float64) {
		h = points[j+1][0] - points[j][0]
		return h, (points[j+1][1] - points[j][1]) / h
	}
	if i == 0 {
		_, d := secant(0)
		return d
	}
	h0, d0 := secant(i - 1)
	if i == len(points)-1 {
		return d0
	}
	h1, d1 := secant(i)
	if d0*d1 <= 0 {
		return 0
	}
	a := (1 + h1/(h0+h1)) / 3
	return d0 * d1 / (a*d1 + (1-a)*d0)
}
