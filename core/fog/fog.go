// Package fog is what hangs in the air of a place: how much of what lies behind it is
// seen, and what share of passing light it sends towards the eye.
//
// Fog, and the sky's own air, take from what is seen, and scatter once: light on its way from a lamp to a surface,
// or to the air, is not weakened, as on the targets that the place is made for.
package fog

import (
	"math"

	"willowherb/core/air"
	"willowherb/core/vec"
)

// Air is the fog of a place.
type Air struct {
	// Density is what a metre takes, 1/m, at the base and below it.
	Density float64
	// Halves is over how many metres above the base it thins by half; 0: never.
	Halves, Base float64
	// Begins is how far from the eye it begins, in metres.
	Begins float64
	// Most is the share that it hides at most, 0 to 1.
	Most float64
	// Colour is what it scatters of what it takes, for each colour, 0 to 1.
	Colour vec.V3
	// Forward is the mean cosine of the angle by which it scatters (Henyey and Greenstein's g).
	Forward float64
	Boxes   []Box
	// Aerial is the sky's own air between the eye and what it sees; nil: there is none.
	Aerial *Aerial
}

// Aerial is clear air with haze, as the sky is made of: what lies far off is bluer, brighter
// and of less contrast. It holds between the eye and surfaces; the sky itself has it already.
type Aerial struct {
	// Clean is what a metre of air scatters at the ground, for each colour, and Haze what a
	// metre of haze takes there, 1/m.
	Clean vec.V3
	Haze  float64
}

// AerialOf is the air of a sky of that turbidity.
func AerialOf(turbidity float64) *Aerial {
	clean, haze := air.AtGround(turbidity)
	return &Aerial{vec.Of(clean), haze}
}

// depths are the optical depths of the air, for each colour, and of the haze.
func (a *Aerial) depths(o, d vec.V3, t float64) (clean vec.V3, haze float64) {
	h, dy := float64(o.Y), float64(d.Y)
	return a.Clean.Scale(float32(thinning(h, dy, t, air.CleanHeight*math.Ln2))), a.Haze * thinning(h, dy, t, air.HazeHeight*math.Ln2)
}

// through is the share of light, for each colour, that comes to o from t metres off.
func (a *Aerial) through(o, d vec.V3, t float64) vec.V3 {
	if a == nil || t > Endless {
		return vec.Splat(1)
	}
	clean, haze := a.depths(o, d, t)
	out := [3]float64{}
	for k := range out {
		out[k] = math.Exp(-float64(clean.At(k)) - haze)
	}
	return vec.Of(out)
}

// sends is what it scatters at p, of light turned by the angle of that cosine, per metre.
func (a *Aerial) sends(p vec.V3, cos float64) vec.V3 {
	h := max(float64(p.Y), 0)
	haze := air.HazeAlbedo * a.Haze * math.Exp(-h/air.HazeHeight) * air.HazePhase(cos)
	return a.Clean.Scale(float32(math.Exp(-h/air.CleanHeight) * air.CleanPhase(cos))).Add(vec.Splat(float32(haze)))
}

// Box is a box of fog of even density, along the axes of the place; what it takes adds to
// the rest.
type Box struct {
	Lo, Hi  [3]float64
	Density float64
}

// OfVisibility is the density, 1/m, of fog in which a light keeps 5 % after so many metres:
// the meteorological optical range (WMO-No. 8, part I, chapter 9).
func OfVisibility(metres float64) float64 { return -math.Log(0.05) / metres }

// Endless stands for the way of a ray that meets nothing, in metres.
const Endless = 1e5

// Clear reports whether nothing at all is seen of the air.
func (a *Air) Clear() bool { return a == nil || a.Aerial == nil && !a.Foggy() }

// Foggy reports whether there is fog.
func (a *Air) Foggy() bool { return a != nil && a.Most > 0 && (a.Density > 0 || len(a.Boxes) > 0) }

// At is the density at a place, 1/m.
func (a *Air) At(p vec.V3) float64 {
	d := a.Density
	if h := float64(p.Y) - a.Base; h > 0 && a.Halves > 0 {
		d *= math.Exp2(-h / a.Halves)
	}
	for i := range a.Boxes {
		if b := &a.Boxes[i]; b.has(p) {
			d += b.Density
		}
	}
	return d
}

func (b *Box) has(p vec.V3) bool {
	for k := range 3 {
		if v := float64(p.At(k)); v < b.Lo[k] || v > b.Hi[k] {
			return false
		}
	}
	return true
}

// Depth is the optical depth of the fog from o along the unit direction d over t metres, in
// closed form.
func (a *Air) Depth(o, d vec.V3, t float64) float64 {
	if t = min(t, Endless); t <= 0 {
		return 0
	}
	sum := 0.0
	if a.Density > 0 {
		sum = a.Density * thinning(float64(o.Y)-a.Base, float64(d.Y), t, a.Halves)
	}
	for i := range a.Boxes {
		sum += a.Boxes[i].Density * a.Boxes[i].along(o, d, t)
	}
	return sum
}

// thinning is the way through what has density 1 and thins by half over so many metres above
// height 0 (0: never): from height h, rising by dy a metre, over t metres.
func thinning(h, dy, t, halves float64) float64 {
	if halves <= 0 {
		return t
	}
	end := h + dy*t
	if h <= 0 && end <= 0 {
		return t
	}
	below := 0.0
	switch { // of the part above the base, h and end are the heights, t the length
	case h < 0:
		below = -h / dy
		h, t = 0, t-below
	case end < 0:
		below = end / dy
		end, t = 0, t-below
	}
	// The mean of exp(-k h) between two heights.
	k := math.Ln2 / halves
	q := k * (end - h)
	mean := 1 - q/2 + q*q/6
	if math.Abs(q) > 1e-4 {
		mean = -math.Expm1(-q) / q
	}
	return below + t*math.Exp(-k*h)*mean
}

// along is how much of a ray's first t metres lies in the box.
func (b *Box) along(o, d vec.V3, t float64) float64 {
	from, to := 0.0, t
	for k := range 3 {
		x, dx := float64(o.At(k)), float64(d.At(k))
		if math.Abs(dx) < 1e-9 {
			if x < b.Lo[k] || x > b.Hi[k] {
				return 0
			}
			continue
		}
		p, q := (b.Lo[k]-x)/dx, (b.Hi[k]-x)/dx
		from, to = max(from, min(p, q)), min(to, max(p, q))
	}
	return max(to-from, 0)
}

// Passes is the share of light, for each colour, that comes to an eye at o from t metres off
// along d.
func (a *Air) Passes(o, d vec.V3, t float64) vec.V3 {
	return a.Aerial.through(o, d, t).Scale(float32(a.Through(o, d, t)))
}

// Through is Passes through the fog alone.
func (a *Air) Through(o, d vec.V3, t float64) float64 {
	if !a.Foggy() || t <= a.Begins {
		return 1
	}
	return 1 + a.Most*math.Expm1(-a.Depth(o.Add(d.Scale(float32(a.Begins))), d, t-a.Begins))
}

// Phase is, for the fog, the density, per steradian, with which light is turned by the angle of that cosine
// (Henyey and Greenstein 1941).
func (a *Air) Phase(cos float64) float64 {
	g := a.Forward
	q := 1 + g*g - 2*g*cos
	return (1 - g*g) / (4 * math.Pi * q * math.Sqrt(q))
}

// knots are the steps by which a way is told.
const knots = 24

// Way is the fog between an eye and what it sees: where along it light is to be looked for.
type Way struct {
	air    *Air
	O, D   vec.V3
	aerial bool // the sky's own air counts
	// From and To are where fog begins and where it, or the way, ends, in metres.
	From, To float64
	at, sum  [knots + 1]float64 // share that is hidden up to there
}

// Set makes the way along d, from the eye at o to t metres (or +Inf). It returns false where
// there is no fog worth looking at.
func (w *Way) Set(a *Air, o, d vec.V3, t float64) bool {
	*w = Way{air: a, O: o, D: d, To: min(t, Endless), aerial: a.Aerial != nil && t <= Endless}
	if !w.aerial {
		if w.From = a.Begins; !a.Foggy() {
			return false
		}
	}
	if w.To <= w.From {
		return false
	}
	// Steps grow with the distance, as what is seen of them shrinks.
	long := w.To - w.From
	grow := 1.0
	if long > knots {
		grow = math.Pow(long, 1.0/knots)
	}
	for k := 1; k <= knots; k++ {
		x := long * float64(k) / knots
		if grow > 1 {
			x = long * (math.Pow(grow, float64(k)) - 1) / (long - 1)
		}
		w.at[k] = x
		w.sum[k] = -math.Expm1(-w.depth(w.From + x))
	}
	return w.sum[knots] > 1e-6
}

// Sample chooses a distance from the eye by what the fog there sends to it, and returns its
// density, 1/m. u is from 0 to 1.
func (w *Way) Sample(u float64) (t, pdf float64) {
	x := u * w.sum[knots]
	k := 1
	for k < knots && w.sum[k] <= x {
		k++
	}
	mass := w.sum[k] - w.sum[k-1]
	part := 0.5
	if mass > 0 {
		part = min(max((x-w.sum[k-1])/mass, 0), 1)
	}
	step := w.at[k] - w.at[k-1]
	return w.From + w.at[k-1] + part*step, mass / (w.sum[knots] * step)
}

// Pdf is the density with which Sample chooses t.
func (w *Way) Pdf(t float64) float64 {
	x := t - w.From
	if x < 0 || x > w.at[knots] {
		return 0
	}
	k := 1
	for k < knots && w.at[k] <= x {
		k++
	}
	return (w.sum[k] - w.sum[k-1]) / (w.sum[knots] * (w.at[k] - w.at[k-1]))
}

// around holds what choosing by the angle at a place needs.
type around struct{ middle, off, lo, hi float64 }

func (w *Way) seenFrom(p vec.V3) around {
	d := p.Sub(w.O)
	m := float64(d.Dot(w.D))
	off := max(float64(d.Cross(w.D).Len()), 1e-3)
	return around{m, off, math.Atan((w.From - m) / off), math.Atan((w.To - m) / off)}
}

// SampleNear chooses a distance evenly by the angle under which p sees the way: what a lamp
// there gives by the square of its distance is even then (Kulla and Fajardo 2012).
func (w *Way) SampleNear(p vec.V3, u float64) (t, pdf float64) {
	a := w.seenFrom(p)
	t = a.middle + a.off*math.Tan(a.lo+u*(a.hi-a.lo))
	t = min(max(t, w.From), w.To)
	return t, a.pdf(t)
}

// PdfNear is the density with which SampleNear chooses t.
func (w *Way) PdfNear(p vec.V3, t float64) float64 {
	a := w.seenFrom(p)
	return a.pdf(t)
}

func (a *around) pdf(t float64) float64 {
	x := t - a.middle
	return a.off / ((a.hi - a.lo) * (a.off*a.off + x*x))
}

// fogDepth is the optical depth of the fog from the eye to the distance t.
func (w *Way) fogDepth(t float64) float64 {
	if a := w.air; t > a.Begins && a.Foggy() {
		return a.Depth(w.O.Add(w.D.Scale(float32(a.Begins))), w.D, t-a.Begins)
	}
	return 0
}

// depth is that of the air too, as the middle of its colours has it.
func (w *Way) depth(t float64) float64 {
	sum := w.fogDepth(t)
	if w.aerial {
		clean, haze := w.air.Aerial.depths(w.O, w.D, t)
		sum += float64(clean.Y) + haze
	}
	return sum
}

// Sends is the share of light, for each colour, per metre and steradian, that is turned
// towards the eye at the distance t and arrives there; cos is that of the angle by which it is
// turned.
func (w *Way) Sends(t, cos float64) (out vec.V3) {
	a := w.air
	p := w.O.Add(w.D.Scale(float32(t)))
	fog := math.Exp(-w.fogDepth(t))
	if t >= a.Begins && a.Foggy() {
		out = a.Colour.Scale(float32(a.Most * a.At(p) * fog * a.Phase(cos)))
	}
	if w.aerial {
		hidden := 1.0
		if a.Foggy() {
			hidden = 1 - a.Most*(1-fog)
		}
		out = out.Add(a.Aerial.sends(p, cos).Scale(float32(hidden))).Mul(a.Aerial.through(w.O, w.D, t))
	}
	return out
}
