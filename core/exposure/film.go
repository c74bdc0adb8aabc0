package exposure

import (
	"fmt"
	"math"
	"strconv"
	"strings"
	"sync"
)

// Film is a tone curve with a toe and a long shoulder, by its parameters: how steep it is (a
// power before the shoulder: over 1 the dark falls away in a toe) and how many stops over middle
// grey white lies. With t = a x^steep it is the extended Reinhard curve t (1 + t / w^2) / (1 + t)
// (Reinhard et al. 2002, equation 4), whose a and w keep middle grey and put white at 1.
//
// A Curve says it as "film 1.30 6".
type Film struct{ Steep, White float64 }

// Bounds of a film's parameters.
const (
	LeastSteep, MostSteep = 0.7, 2.5
	LeastWhite, MostWhite = 2.5, 12
)

// Curve is the film as a curve.
func (f Film) Curve() Curve {
	return Curve(fmt.Sprintf("film %.2f %g", f.Steep, math.Round(f.White*10)/10))
}

// FilmOf reads a curve that is a film's; ok is false for any other.
func FilmOf(c Curve) (f Film, ok bool) {
	part := strings.Fields(string(c))
	if len(part) != 3 || part[0] != "film" {
		return f, false
	}
	var err, e error
	f.Steep, err = strconv.ParseFloat(part[1], 64)
	f.White, e = strconv.ParseFloat(part[2], 64)
	return f, err == nil && e == nil && f.Steep >= LeastSteep && f.Steep <= MostSteep && f.White >= LeastWhite && f.White <= MostWhite
}

// film is one made ready.
type film struct{ steep, a, w float64 }

func (f Film) ready() *film {
	r := math.Exp2(f.Steep * f.White)
	t := (Middle - 1/(r*r)) / (1 - Middle)
	return &film{f.Steep, t / math.Pow(Middle, f.Steep), t * r}
}

func (f *film) mapped(x float64) float64 {
	t := f.a * math.Pow(x, f.steep)
	if t >= f.w {
		return 1
	}
	return t * (1 + t/(f.w*f.w)) / (1 + t)
}

func (f *film) unmapped(y float64) float64 {
	k := 1 - y
	t := 2 * y / (k + math.Sqrt(k*k+4*y/(f.w*f.w))) // the positive root, which keeps its digits in the dark
	return math.Pow(t/f.a, 1/f.steep)
}

var films sync.Map // of curves that were met

// film is the curve's film; nil where it is none.
func (c Curve) film() *film {
	if len(c) < 5 || c[:5] != "film " {
		return nil
	}
	if f, ok := films.Load(c); ok {
		return f.(*film)
	}
	of, ok := FilmOf(c)
	if !ok {
		return nil
	}
	f := of.ready()
	films.Store(c, f)
	return f
}

// Known reports whether a curve is one of those there are.
func (c Curve) Known() bool { return c == Plain || c == Shoulder || c.film() != nil }

// Top is from which exposed value on the curve shows white.
func (c Curve) Top() float64 {
	switch f, film := FilmOf(c); {
	case film:
		return Middle * math.Exp2(f.White)
	case c == Shoulder:
		return Middle * math.Exp2(WhiteStops)
	}
	return 1
}
