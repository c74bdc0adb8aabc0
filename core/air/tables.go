package air

import (
	"math"
	"sync"
)

// Sizes of the tables (Hillaire 2020).
const (
	columnsWide, columnsHigh     = 256, 64
	scatteredWide, scatteredHigh = 32, 20
	columnSteps                  = 60
)

// columns to the top of the air, by radius and by the cosine to the vertical. They are
// kept as columns and not as what they let through: columns are smooth, and one table
// serves every wavelength and every haze.
type columnTable [columnsHigh][columnsWide]column

// horizonLength is how far the horizon of the top is from the ground.
var horizonLength = math.Sqrt(topRadius*topRadius - groundRadius*groundRadius)

var columns = sync.OnceValue(func() *columnTable {
	t := new(columnTable)
	for j := range t {
		rho := horizonLength * float64(j) / (columnsHigh - 1)
		r := math.Sqrt(rho*rho + groundRadius*groundRadius)
		lo, hi := topRadius-r, rho+horizonLength
		for i := range t[j] {
			d := lo + (hi-lo)*float64(i)/(columnsWide-1)
			mu := 1.0
			if d > 0 {
				mu = min(max((horizonLength*horizonLength-rho*rho-d*d)/(2*r*d), -1), 1)
			}
			t[j][i] = columnAlong(r, mu, d, columnSteps)
		}
	}
	return t
})

// toSun is the column from radius r to the top along mu, and whether the ground is in the way.
func (t *columnTable) toSun(r, mu float64) (c column, open bool) {
	rho := math.Sqrt(max(r*r-groundRadius*groundRadius, 0))
	// The sun sinks below a horizon that lies lower the higher one is.
	if mu < -rho/r-1e-6 {
		return column{}, false
	}
	d := toTop(r, mu)
	lo, hi := topRadius-r, rho+horizonLength
	return t.at(min(max((d-lo)/(hi-lo), 0), 1)*(columnsWide-1), min(rho/horizonLength, 1)*(columnsHigh-1)), true
}

func (t *columnTable) at(x, y float64) column {
	i, j := min(int(x), columnsWide-2), min(int(y), columnsHigh-2)
	u, v := x-float64(i), y-float64(j)
	low := t[j][i].times(1 - u).plus(t[j][i+1].times(u))
	high := t[j+1][i].times(1 - u).plus(t[j+1][i+1].times(u))
	return low.times(1 - v).plus(high.times(v))
}

// scattered is the light that has been scattered more than once, for each unit of sunlight,
// by the sun's cosine and the height: the same from all sides (Hillaire 2020, equations 5 to 10).
type scattered [scatteredHigh][scatteredWide]spectrum

// sharing keeps the tables of the media that were last asked for: dragging the hour asks
// for one, dragging the haze for many.
var sharing struct {
	sync.Mutex
	of map[[2]float64]*scattered
}

func scatteredOf(m medium, albedo float64) *scattered {
	key := [2]float64{m.haze, albedo}
	sharing.Lock()
	defer sharing.Unlock()
	if t := sharing.of[key]; t != nil {
		return t
	}
	if sharing.of == nil || len(sharing.of) > 16 {
		sharing.of = map[[2]float64]*scattered{}
	}
	t := makeScattered(m, albedo)
	sharing.of[key] = t
	return t
}

// sunCosine spreads a table's columns: most of them where the sun is low.
func sunCosine(x float64) float64 {
	u := 2*x - 1
	return u * math.Abs(u)
}

func fromSunCosine(mu float64) float64 {
	return (math.Copysign(math.Sqrt(math.Abs(mu)), mu) + 1) / 2
}

func tableHeight(y float64) float64 { return eye + (topRadius-groundRadius-2*eye)*y*y*y }

func makeScattered(m medium, albedo float64) *scattered {
	t := new(scattered)
	var wait sync.WaitGroup
	for j := range t {
		wait.Go(func() {
			r := groundRadius + tableHeight(float64(j)/(scatteredHigh-1))
			for i := range t[j] {
				t[j][i] = moreThanOnce(m, albedo, r, sunCosine(float64(i)/(scatteredWide-1)))
			}
		})
	}
	wait.Wait()
	return t
}

// moreThanOnce gathers second scattering from all sides and sums the orders after it as a
// geometric series.
func moreThanOnce(m medium, albedo, r, sun float64) (out spectrum) {
	const rounds, rings, steps = 8, 8, 20
	var second, share spectrum
	sin := math.Sqrt(max(1-sun*sun, 0))
	for a := range rings {
		mu := 1 - 2*(float64(a)+0.5)/rings
		for b := range rounds {
			phi := 2 * math.Pi * (float64(b) + 0.5) / rounds
			l, f := m.once(albedo, r, mu, mu*sun+math.Sqrt(1-mu*mu)*sin*math.Cos(phi), sun, steps)
			for k := range out {
				second[k] += l[k] / (rounds * rings)
				share[k] += f[k] / (rounds * rings)
			}
		}
	}
	for k := range out {
		out[k] = second[k] / (1 - min(share[k], 0.999))
	}
	return out
}

// once is the light scattered once, evenly to all sides, that arrives from mu, with what
// the ground gives back; and the share of an even light that the way scatters on.
func (m medium) once(albedo, r, mu, turn, sun float64, steps int) (light, share spectrum) {
	t := columns()
	length, ground := toTop(r, mu), toGround(r, mu)
	if ground > 0 {
		length = ground
	}
	var before column
	for i := range steps {
		from, to := step(i, steps, length)
		d, q, here := m.place(r, mu, (from+to)/2)
		mine := d.times(to - from)
		through := m.through(before.plus(mine.times(0.5)))
		before = before.plus(mine)
		lit, open := t.toSun(q, here(turn, sun))
		var sunlit spectrum
		if open {
			sunlit = m.through(lit)
		}
		for k := range light {
			s := (rayleigh[k]*d.air + HazeAlbedo*m.haze*d.haze) * (to - from) * through[k]
			light[k] += s * sunlit[k] / (4 * math.Pi)
			share[k] += s
		}
	}
	if ground > 0 {
		q := groundRadius + eye
		up := (r*sun + ground*turn) / math.Sqrt(r*r+ground*ground+2*r*mu*ground)
		if lit, open := t.toSun(q, up); open && up > 0 {
			sunlit, through := m.through(lit), m.through(before)
			for k := range light {
				light[k] += through[k] * sunlit[k] * up * albedo / math.Pi
			}
		}
	}
	return light, share
}

// place is a point of a way from radius r along mu at distance t: how dense the air is
// there, its radius, and how to find the sun's cosine there from the turn between way and
// sun and the sun's cosine at the beginning.
func (m medium) place(r, mu, t float64) (d column, q float64, sunAt func(turn, sun float64) float64) {
	q = math.Sqrt(r*r + t*t + 2*r*mu*t)
	return density(q - groundRadius), q, func(turn, sun float64) float64 { return (r*sun + t*turn) / q }
}

// at is the light scattered more than once at radius r.
func (t *scattered) at(r, sun float64) (s spectrum) {
	x := fromSunCosine(sun) * (scatteredWide - 1)
	y := math.Cbrt(min(max((r-groundRadius-eye)/(topRadius-groundRadius-2*eye), 0), 1)) * (scatteredHigh - 1)
	i, j := min(int(x), scatteredWide-2), min(int(y), scatteredHigh-2)
	u, v := x-float64(i), y-float64(j)
	for k := range s {
		s[k] = (1-v)*((1-u)*t[j][i][k]+u*t[j][i+1][k]) + v*((1-u)*t[j+1][i][k]+u*t[j+1][i+1][k])
	}
	return s
}
